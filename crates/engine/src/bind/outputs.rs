//! Outputs: lines with the columns asked for, and totals by attributes.

use std::collections::HashSet;

use interligo_model::formula::{NodeKind, parse};
use interligo_model::plan::{
    ColumnName, Entry, ListKind, Mistake, MistakeKind, OutputColumnEntry, OutputEntry, Plan,
    Written,
};
use toml::Spanned;

use super::line_columns::{
    ColumnForm, ColumnRequest, LinesColumn, LinesRequest, bind_line_columns, quoted_name,
};
use super::totals::{BoundTotals, attributes, bind_totals};
use super::{Bound, Scope, TotalsRequest, fact_called, uses_of};

/// An output to be computed: one of the plan's, or one asked for on the command line.
#[derive(Clone, Debug)]
pub struct Request {
    /// Its name in the plan, or the command's.
    pub name: String,
    /// The file to write, with its place in the plan.
    pub to: Option<Written>,
    /// The fact that it is made of; none for the first that has what it names.
    pub of: Option<Written>,
    /// The workbook of the plan in which it is a sheet, if it is in one.
    pub workbook: Option<WorkbookRequest>,
    /// What it holds.
    pub content: Content,
}

/// A workbook of the plan that holds an output.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct WorkbookRequest {
    /// Its name in the plan.
    pub name: String,
    /// Whether its figures are formulas.
    pub formulas: bool,
}

/// What a request asks for, as written.
#[derive(Clone, Debug)]
pub enum Content {
    /// Lines.
    Lines(LinesRequest),
    /// A list.
    List(ListKind),
    /// Totals.
    Totals(Box<TotalsRequest>),
    /// A page that shows the results of the whole plan.
    Page,
}

impl Content {
    /// Whether it is a page.
    pub fn is_page(&self) -> bool {
        matches!(self, Content::Page)
    }
}

impl Request {
    /// Totals that are asked for and not written.
    pub fn of_totals(name: impl Into<String>, totals: TotalsRequest) -> Request {
        let content = Content::Totals(Box::new(totals));
        Request { name: name.into(), to: None, of: None, workbook: None, content }
    }

    /// The outputs of a plan: each where it says itself, and in the workbooks whose sheet it is.
    ///
    /// # Errors
    /// An output that is asked for lines and totals at once; a workbook with a sheet that is no output.
    pub fn of_plan(plan: &Plan) -> Result<Vec<Request>, Mistake> {
        refuse_sheets(plan)?;
        let mut requests = Vec::new();
        for entry in &plan.outputs {
            let mut own = Request::of_entry(plan, entry)?;
            for book in &plan.workbooks {
                let is_sheet = |sheet: &&Spanned<String>| *sheet.get_ref() == entry.name;
                let Some(sheet) = book.value.sheets.iter().find(is_sheet) else { continue };
                let path = format!("{}#{}", book.value.to.get_ref(), entry.name);
                let to = Some(plan.written_at(&path, sheet.span()));
                let (name, formulas) = (book.name.clone(), book.value.formulas);
                let workbook = Some(WorkbookRequest { name, formulas });
                match own.to {
                    None => own = Request { to, workbook, ..own },
                    Some(_) => requests.push(Request {
                        name: format!("{} in {}", entry.name, book.name),
                        to,
                        workbook,
                        ..own.clone()
                    }),
                }
            }
            if own.to.is_none() && !matches!(own.content, Content::Totals(_)) {
                let whole = plan.written_at(&entry.name, entry.name_span.clone());
                let message = format!("the output `{}` has no file", entry.name);
                let help = "add for instance to = \"out/lines.csv\"; only totals may be without, and are asked for by name";
                return Err(whole.mistaken(MistakeKind::ConflictingSettings, message).help(help));
            }
            requests.push(own);
        }
        Ok(requests)
    }

    /// An output of the plan, where it says itself.
    ///
    /// # Errors
    /// It is asked for two kinds of things at once.
    pub fn of_entry(plan: &Plan, entry: &Entry<OutputEntry>) -> Result<Request, Mistake> {
        let (name, output) = (&entry.name, &entry.value);
        let whole = plan.written_at(name, entry.name_span.clone());
        let refused = |message: String, help: &str| {
            Err(whole.mistaken(MistakeKind::ConflictingSettings, message).help(help))
        };
        let has_totals = TotalsRequest::is_asked(output);
        if output.is_page() {
            let has_more = output.list.is_some() || output.columns.is_some() || output.by.is_some();
            if has_more || has_totals || output.status || output.of.is_some() {
                return refused(
                    format!("the output `{name}` is a page and takes only `to` and `title`"),
                    "a page shows the whole plan; write lines, totals and lists to a file of another form",
                );
            }
            let to = output.to.as_ref().map(|to| plan.written(to));
            let content = Content::Page;
            return Ok(Request { name: name.clone(), to, of: None, workbook: None, content });
        }
        if output.title.is_some() {
            return refused(
                format!("the output `{name}` has a `title`, and is no page"),
                "leave it out, or let the name of its file end in .html",
            );
        }
        let content = match (output.list, &output.columns, &output.by) {
            (Some(_), columns, by)
                if columns.is_some() || by.is_some() || has_totals || output.status =>
            {
                return refused(
                    format!("the output `{name}` is a list and takes only `to` and `of`"),
                    "write another output for lines or totals",
                );
            }
            (Some(list), ..) => Content::List(list),
            (None, _, Some(_)) if output.status => {
                return refused(
                    format!("the output `{name}` has both `status` and `by`"),
                    "`status` shows the result of each link on each line; totals take `by` and `show`",
                );
            }
            (None, Some(_), Some(_)) => {
                return refused(
                    format!("the output `{name}` has both `columns` and `by`"),
                    "lines take `columns`, totals take `by` and `show`; write two outputs",
                );
            }
            (None, _, None) if has_totals => {
                return refused(
                    format!("the output `{name}` has no `by`"),
                    "totals take `by`; `by = []` gives the grand total",
                );
            }
            (None, columns, None) => {
                let column = |entry: &Spanned<OutputColumnEntry>| {
                    let own = entry.get_ref();
                    ColumnRequest {
                        written: plan.written(&OutputColumnEntry::formula(entry)),
                        name: own.name.clone(),
                        form: ColumnForm { shown: own.shown, places: own.places },
                    }
                };
                let columns = columns.as_ref().map(|list| list.iter().map(column).collect());
                Content::Lines(LinesRequest {
                    columns,
                    status: output.status,
                    ..LinesRequest::default()
                })
            }
            (None, None, Some(_)) => {
                Content::Totals(Box::new(TotalsRequest::of_entry(plan, output)))
            }
        };
        let of = output.of.as_ref().map(|of| plan.written(of));
        let to = output.to.as_ref().map(|to| plan.written(to));
        Ok(Request { name: name.clone(), to, of, workbook: None, content })
    }
}

/// Refuses a workbook whose sheets are no outputs of the plan, or come twice.
fn refuse_sheets(plan: &Plan) -> Result<(), Mistake> {
    for book in &plan.workbooks {
        for (number, sheet) in book.value.sheets.iter().enumerate() {
            let (written, name) = (plan.written(sheet), sheet.get_ref());
            if plan.outputs.get(name).is_none() {
                let names = plan.outputs.iter().map(|output| output.name.as_str());
                let message = format!("`{name}` is no output of the plan");
                return Err(written
                    .mistaken(MistakeKind::UnknownName, message)
                    .nearest(name, names)
                    .or_help("the sheets of a workbook are outputs, by name"));
            }
            if plan.outputs.get(name).is_some_and(|own| own.value.is_page()) {
                let message = format!("`{name}` is a page, which is no sheet");
                let help = "leave it out of `sheets`";
                return Err(written.mistaken(MistakeKind::ConflictingSettings, message).help(help));
            }
            if plan.outputs.get(name).is_some_and(|own| own.value.list == Some(ListKind::SetAside))
            {
                let message = format!(
                    "`{name}` is the list of lines that are set aside, which has a file of its own"
                );
                let help = "leave it out of `sheets`, and give it a file with `to`";
                return Err(written.mistaken(MistakeKind::ConflictingSettings, message).help(help));
            }
            if book.value.sheets[..number].iter().any(|other| other.get_ref() == name) {
                let message = format!("the workbook `{}` has the sheet `{name}` twice", book.name);
                let help = "name it once; the sheets are in the order in which they are named";
                return Err(written.mistaken(MistakeKind::DuplicateName, message).help(help));
            }
        }
    }
    Ok(())
}

/// An output whose names are bound.
#[derive(Debug)]
pub struct BoundOutput {
    /// Its name.
    pub name: String,
    /// The file to write.
    pub to: Option<Written>,
    /// The workbook of the plan in which it is a sheet.
    pub workbook: Option<WorkbookRequest>,
    /// What it holds.
    pub kind: OutputKind,
}

/// What a bound output holds.
#[derive(Debug)]
pub enum OutputKind {
    /// Lines, with the attributes by which they go to files of their own.
    Lines(Vec<LinesColumn>, Vec<Written>),
    /// Totals, by their number among the totals asked for.
    Totals(Box<BoundTotals>),
    /// A list, and whether it is of this fact alone.
    List(ListKind, bool),
    /// A page.
    Page,
}

pub(super) fn bind_outputs(requests: &[Request], facts: &mut [Bound]) -> Result<(), Vec<Mistake>> {
    let mut mistakes = Vec::new();
    for request in requests {
        // A list that does not say of which fact it is holds what was found of all.
        if let (Content::List(ListKind::SetAside), None, Some(_)) =
            (&request.content, &request.of, facts.get(1))
        {
            let names: Vec<&str> = facts.iter().map(|bound| bound.fact.name.as_str()).collect();
            let written = request.to.clone().unwrap_or_else(|| quoted_name(&request.name));
            let message = "lines of several facts cannot be set aside in one file: they have columns of their own";
            let help = format!("name the fact: of = \"{}\"", names.join("\" or \""));
            mistakes.push(written.mistaken(MistakeKind::MissingSetting, message).help(help));
            continue;
        }
        let bound = owner(request, facts)
            .and_then(|owner| bind_output(request, owner, facts, &mut mistakes));
        mistakes.extend(bound.err());
    }
    if mistakes.is_empty() { Ok(()) } else { Err(mistakes) }
}

/// The fact of an output: the one that the plan says, else the first that has what it shows, or most of
/// what it names.
fn owner(request: &Request, facts: &[Bound]) -> Result<usize, Mistake> {
    if let Some(of) = &request.of {
        return fact_called(facts, of);
    }
    let (shown, others): (Vec<&Written>, Vec<&Written>) = match &request.content {
        Content::Lines(lines) => {
            (lines.columns.iter().flatten().map(|column| &column.written).collect(), Vec::new())
        }
        Content::List(_) | Content::Page => return Ok(0),
        Content::Totals(totals) => (totals.shown().collect(), totals.others().collect()),
    };
    // A name that says of which fact it is counts for no other, unless it is all there is.
    let fact_of = |name: &ColumnName| match name.through.as_slice() {
        [table] => facts.iter().position(|bound| bound.fact.name == *table),
        _ => None,
    };
    let mut own_fact = None;
    for node in shown.iter().filter_map(|text| parse(text).ok()) {
        node.walk(&mut |node| {
            if let NodeKind::Name(name) = &node.kind {
                own_fact = own_fact.or(fact_of(name));
            }
        });
    }
    let unknown = |texts: &[&Written], bound: &Bound| {
        let figures: HashSet<&str> =
            bound.figures.iter().map(|figure| figure.name.as_str()).collect();
        let mut unknown = 0usize;
        let names = texts.iter().filter(|text| text.text.trim() != "*");
        for node in names.filter_map(|text| parse(text).ok()) {
            node.walk(&mut |node| {
                if let NodeKind::Name(name) = &node.kind
                    && fact_of(name).is_none()
                {
                    unknown += usize::from(!Scope::of(bound).knows(name, &figures));
                }
            });
        }
        unknown
    };
    let lacks = |fact: &usize| {
        let bound = &facts[*fact];
        (unknown(&shown, bound), unknown(&others, bound), own_fact != Some(*fact))
    };
    Ok((0..facts.len()).min_by_key(lacks).unwrap_or(0))
}

/// Where the attributes in braces are that a path has, without the braces.
pub fn slots_of(to: &str) -> Vec<std::ops::Range<usize>> {
    let mut slots = Vec::new();
    let mut at = 0;
    while let Some(open) = to[at..].find('{').map(|open| at + open) {
        let Some(close) = to[open..].find('}').map(|close| open + close) else { break };
        slots.push(open + 1..close);
        at = close + 1;
    }
    slots
}

fn has_slots(to: &Written) -> bool {
    !slots_of(&to.text).is_empty()
}

/// The attributes in braces that a path has, with their places.
fn slots_written(to: &Written) -> Vec<Written> {
    slots_of(&to.text).into_iter().map(|slot| to.part(slot)).collect()
}

/// Refuses a slot in the path of totals that no row has a value for.
fn refuse_unless_grouped(slot: &Written, totals: &TotalsRequest) -> Result<(), Mistake> {
    let (attributes, levels) = attributes(totals)?;
    let first = levels.first().copied().unwrap_or(0);
    if let Some((top, _)) = totals.top.as_ref().filter(|_| first > 0) {
        let message = "the first rows alone have no file for each value";
        let help = "leave `top` or the braces in `to` out";
        return Err(top.mistaken(MistakeKind::ConflictingSettings, message).help(help));
    }
    if attributes[..first].iter().any(|attribute| attribute.text == slot.text) {
        return Ok(());
    }
    let message =
        format!("the totals are not grouped by `{}`, so they have no file for it", slot.text);
    let known = attributes[..first].iter().map(|attribute| attribute.text.as_str());
    Err(slot
        .mistaken(MistakeKind::ConflictingSettings, message)
        .nearest(&slot.text, known)
        .or_help("let `by` begin with it"))
}

fn bind_output(
    request: &Request,
    owner: usize,
    facts: &mut [Bound],
    mistakes: &mut Vec<Mistake>,
) -> Result<(), Mistake> {
    let (name, to, workbook) = (request.name.clone(), request.to.clone(), request.workbook.clone());
    let kind = match &request.content {
        Content::Lines(asked) => {
            let bound = &mut facts[owner];
            let mut columns = bind_line_columns(asked, bound, mistakes)?;
            if asked.status {
                columns.extend((0..bound.routes.len()).map(|route| LinesColumn::Status { route }));
            }
            let slots = request.to.iter().flat_map(slots_written).collect::<Vec<Written>>();
            for slot in &slots {
                let uses = uses_of(&parse(slot)?, slot, &Scope::of(bound), mistakes);
                uses.iter().for_each(|used| bound.note(used));
            }
            OutputKind::Lines(columns, slots)
        }
        Content::List(_) | Content::Page if to.as_ref().is_some_and(has_slots) => {
            let what = if request.content.is_page() { "page" } else { "list" };
            let message = format!("`{name}` is a {what}: braces in `to` are for lines and totals");
            let to = to.unwrap_or_else(|| quoted_name(&name));
            let help = "name one file";
            return Err(to.mistaken(MistakeKind::ConflictingSettings, message).help(help));
        }
        Content::List(list) => OutputKind::List(*list, request.of.is_some()),
        Content::Page => OutputKind::Page,
        Content::Totals(totals) => {
            for slot in to.iter().flat_map(slots_written) {
                refuse_unless_grouped(&slot, totals)?;
            }
            for (fact, totals) in bind_totals(totals, owner, facts, mistakes)? {
                let to = to.clone().filter(|_| totals.source == 0);
                let kind = OutputKind::Totals(Box::new(totals));
                let (name, workbook) = (name.clone(), workbook.clone());
                facts[fact].outputs.push(BoundOutput { name, to, workbook, kind });
            }
            return Ok(());
        }
    };
    facts[owner].outputs.push(BoundOutput { name, to, workbook, kind });
    Ok(())
}
