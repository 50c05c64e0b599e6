//! Sums of a fact as a lookup: the totals that such a table holds, and the plan by which they are worked out.

use std::collections::BTreeSet;

use super::{Content, Request, TotalsRequest};
use crate::formula::{NodeKind, parse};
use crate::plan::{Mistake, Plan, parse_link_path};

/// How the sums of a table are worked out.
pub struct SumsRequest {
    /// The plan without tables of sums and what is built on them.
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
    let mistaken = |message: &str, help: &str| Mistake::in_plan(sums.span(), message).help(help);
    if entry.value.from.is_some() || !entry.value.part.is_empty() {
        return Err(mistaken("the table has both `sums` and files", "write two tables"));
    }
    let sums = sums.get_ref();
    let of = plan.written(&sums.of);
    if !plan.facts().any(|fact| fact.name == of.text) {
        let facts = plan.facts().map(|fact| fact.name.as_str());
        let message = format!("`{}` is no fact table of the plan", of.text);
        return Err(of.mistaken(message).nearest(&of.text, facts));
    }
    if sums.by.get_ref().is_empty() {
        return Err(Mistake::in_plan(sums.by.span(), "sums need something that they are found by")
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
            return Err(written.mistaken(message).help("leave one out"));
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
        of: Some(of),
        content: Content::Totals(Box::new(totals)),
    };
    Ok(Some(SumsRequest { plan: without_sums(plan)?, request, columns, keys }))
}

/// The plan without tables of sums, without links to them, and without figures that build on these.
fn without_sums(plan: &Plan) -> Result<Plan, Mistake> {
    let mut plan = Plan::parse(&plan.source)?;
    let mut out: BTreeSet<String> = BTreeSet::new();
    plan.tables.retain(|table| {
        let is_sums = table.value.sums.is_some();
        out.extend(is_sums.then(|| table.name.clone()));
        !is_sums
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
        let mut names_out = |formula: &toml::Spanned<String>, name: &str| {
            let written = crate::plan::Written::in_plan(&source, formula.get_ref(), formula.span());
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
    plan.plan.stake = None;
    plan.plan.stop_on = Vec::new();
    Ok(plan)
}
