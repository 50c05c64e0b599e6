//! Sums of a fact as a lookup: the totals that such a table holds, and the plan by which they are computed.

use std::collections::BTreeSet;

use interligo_model::formula::{NodeKind, parse};
use interligo_model::plan::{Mistake, MistakeKind, Plan, SumsEntry, parse_link_path};
use toml::Spanned;

use super::{Content, Request, TotalsRequest};

/// How the sums of a table are computed.
pub struct SumsRequest {
    /// The plan without other tables of sums and what is built on them.
    pub plan: Plan,
    /// The totals.
    pub request: Request,
    /// How the attributes and what is shown are called as columns of the table, in this order.
    pub columns: Vec<String>,
    /// How many of them are attributes, and make the key.
    pub keys: usize,
}

/// The sums that a table of the plan holds; none if it is read from files.
///
/// # Errors
/// Sums that are none: of no fact, by nothing, or beside files.
pub fn sums_request(plan: &Plan, table: &str) -> Result<Option<SumsRequest>, Mistake> {
    let Some(entry) = plan.tables.get(table) else { return Ok(None) };
    let Some(sums) = &entry.value.sums else { return Ok(None) };
    let mistaken = |message: &str, help: &str| {
        Mistake::in_plan(MistakeKind::ConflictingSettings, sums.span(), message).help(help)
    };
    if entry.value.from.is_some() || !entry.value.part.is_empty() {
        return Err(mistaken("the table has both `sums` and files", "write two tables"));
    }
    let sums = sums.get_ref();
    let of = plan.written(&sums.of);
    if !plan.facts().any(|fact| fact.name == of.text) {
        let facts = plan.facts().map(|fact| fact.name.as_str());
        let message = format!("`{}` is no fact table of the plan", of.text);
        return Err(of.mistaken(MistakeKind::UnknownName, message).nearest(&of.text, facts));
    }
    if sums.by.get_ref().is_empty() {
        return Err(Mistake::in_plan(
            MistakeKind::MissingSetting,
            sums.by.span(),
            "sums need something that they are found by",
        )
        .help("name the attributes that make the key"));
    }
    let by: Vec<_> = sums.by.get_ref().iter().map(|text| plan.written(text)).collect();
    let show: Vec<_> = sums.show.iter().map(|text| plan.written(text)).collect();
    let mut columns: Vec<String> = Vec::new();
    for written in by.iter().chain(&show) {
        let name = match parse(written)?.kind {
            NodeKind::Name(name) => name.column,
            NodeKind::Lines => "lines".to_owned(),
            _ => written.text.trim().to_owned(),
        };
        if columns.contains(&name) {
            let message = format!("two columns of the table would be called `{name}`");
            return Err(written
                .mistaken(MistakeKind::DuplicateName, message)
                .help("leave one out"));
        }
        columns.push(name);
    }
    let keys = by.len();
    let totals = TotalsRequest {
        by,
        show: Some(show),
        filter: sums.filter.as_ref().map(|filter| plan.written(filter)),
        ..TotalsRequest::default()
    };
    let request = Request {
        name: table.to_owned(),
        to: None,
        workbook: None,
        of: Some(of),
        content: Content::Totals(Box::new(totals)),
    };
    let needed = builds_on(plan, sums)?;
    if needed.contains(table) {
        let message = format!("the sums of `{table}` build on themselves");
        return Err(mistaken(&message, "name figures and attributes that do without them"));
    }
    let plan = without_other_sums(plan, &needed)?;
    Ok(Some(SumsRequest { plan, request, columns, keys }))
}

/// The links and tables that some sums reach through, themselves or by what they build on.
fn builds_on(plan: &Plan, sums: &SumsEntry) -> Result<BTreeSet<String>, Mistake> {
    let (mut own, mut ways) = (OpenNames::default(), OpenNames::default());
    let note = |formula: &Spanned<String>, own: &mut OpenNames, ways: &mut OpenNames| {
        let Ok(node) = parse(&plan.written(formula)) else { return };
        node.walk(&mut |node| {
            let NodeKind::Name(name) = &node.kind else { return };
            name.through.iter().for_each(|way| ways.note(way));
            if plan.facts().any(|fact| name.is_own(&fact.name)) {
                own.note(&name.column);
            }
        });
    };
    let of_sums = |sums: &SumsEntry, own: &mut OpenNames, ways: &mut OpenNames| {
        let formulas = sums.by.get_ref().iter().chain(&sums.show).chain(&sums.filter);
        formulas.for_each(|formula| note(formula, own, ways));
    };
    of_sums(sums, &mut own, &mut ways);
    loop {
        if let Some(name) = own.open.pop() {
            let figure = plan.figures.get(&name).map(|figure| &figure.value.formula);
            let band = plan.bands.get(&name).map(|band| &band.value.of);
            figure.into_iter().chain(band).for_each(|formula| note(formula, &mut own, &mut ways));
        } else if let Some(name) = ways.open.pop() {
            for link in plan.link.iter().map(Spanned::get_ref) {
                let path = parse_link_path(&plan.written(&link.path))?;
                let called = link.name.as_ref().is_some_and(|own| *own.get_ref() == name);
                if called || path.to_table() == name {
                    let on_the_way = path.parts().chain(&path.as_of).flat_map(|part| &part.through);
                    on_the_way.for_each(|way| ways.note(way));
                    ways.note(path.to_table());
                    link.when.iter().for_each(|when| note(when, &mut own, &mut ways));
                }
            }
            let table = plan.tables.get(&name).and_then(|table| table.value.sums.as_ref());
            table.iter().for_each(|sums| of_sums(sums.get_ref(), &mut own, &mut ways));
        } else {
            return Ok(ways.known);
        }
    }
}

/// OpenNames, and those of them that were not looked at yet.
#[derive(Default)]
struct OpenNames {
    known: BTreeSet<String>,
    open: Vec<String>,
}

impl OpenNames {
    fn note(&mut self, name: &str) {
        if self.known.insert(name.to_owned()) {
            self.open.push(name.to_owned());
        }
    }
}

/// The plan without tables of sums that are not needed, without links to them, and without figures that build on these.
fn without_other_sums(plan: &Plan, needed: &BTreeSet<String>) -> Result<Plan, Mistake> {
    let mut plan = Plan::parse(&plan.source)?;
    let mut out: BTreeSet<String> = BTreeSet::new();
    plan.tables.retain(|table| {
        let leaves = table.value.sums.is_some() && !needed.contains(&table.name);
        out.extend(leaves.then(|| table.name.clone()));
        !leaves
    });
    let mut kept = Vec::new();
    for link in std::mem::take(&mut plan.link) {
        let path = parse_link_path(&plan.written(&link.get_ref().path))?;
        let from_sums = path.parts().flat_map(|part| &part.through).any(|t| out.contains(t));
        if from_sums || out.contains(path.to_table()) {
            out.extend(link.get_ref().name.as_ref().map(|name| name.get_ref().clone()));
        } else {
            kept.push(link);
        }
    }
    plan.link = kept;
    loop {
        let source = plan.source.clone();
        let before = out.len();
        let mut names_out = |formula: &Spanned<String>, name: &str| {
            let written =
                interligo_model::plan::Written::in_plan(&source, formula.get_ref(), formula.span());
            let mut named = false;
            if let Ok(node) = parse(&written) {
                node.walk(&mut |node| {
                    if let NodeKind::Name(used) = &node.kind {
                        let first = used.through.last().unwrap_or(&used.column);
                        named |= out.contains(first);
                    }
                });
            }
            if named {
                out.insert(name.to_owned());
            }
            !named
        };
        plan.figures.retain(|figure| names_out(&figure.value.formula, &figure.name));
        plan.bands.retain(|band| names_out(&band.value.of, &band.name));
        if out.len() == before {
            break;
        }
    }
    plan.shared.retain(|_| false);
    plan.outputs.retain(|_| false);
    plan.plan.weigh_by = None;
    plan.plan.stop_on = Vec::new();
    Ok(plan)
}
