//! Outputs: lines with the columns asked for, and totals by attributes.

use super::{Bound, Reference, Scope, fact_called, uses_of};
use crate::formula::{Node, NodeKind, parse};
use crate::plan::{ColumnType, ListKind, Mistake, OutputEntry, Plan, Written};

/// An output to be worked out: one of the plan's, or one asked for on the command line.
#[derive(Clone, Debug)]
pub struct Request {
    /// Its name in the plan, or the command's.
    pub name: String,
    /// The file to write, with its place in the plan.
    pub to: Option<Written>,
    /// The fact that it is made of; none for the first that has what it names.
    pub of: Option<Written>,
    /// What it holds.
    pub content: Content,
}

/// What a request asks for, as written.
#[derive(Clone, Debug)]
pub enum Content {
    /// Lines with these columns, all when `None`; whether each says how its links came out.
    Lines(Option<Vec<Written>>, bool),
    /// A list.
    List(ListKind),
    /// Totals.
    Totals {
        /// The attributes of a row.
        by: Vec<Written>,
        /// The figures and columns; `None` for lines and all figures.
        show: Option<Vec<Written>>,
        /// Which lines count.
        filter: Option<Written>,
    },
}

impl Request {
    /// The outputs of a plan.
    ///
    /// # Errors
    /// An output that is asked for lines and totals at once.
    pub fn of_plan(plan: &Plan) -> Result<Vec<Request>, Mistake> {
        plan.outputs
            .iter()
            .map(|entry| Request::of_entry(plan, &entry.name, &entry.value))
            .collect()
    }

    fn of_entry(plan: &Plan, name: &str, entry: &OutputEntry) -> Result<Request, Mistake> {
        let all = |list: &Vec<_>| list.iter().map(|text| plan.written(text)).collect();
        let to = plan.written(&entry.to);
        let has_more = entry.columns.is_some() || entry.by.is_some() || entry.show.is_some();
        let content = match (&entry.columns, &entry.by) {
            _ if let Some(list) = entry.list => {
                if has_more || entry.status || entry.filter.is_some() {
                    return Err(to
                        .mistaken(format!(
                            "the output `{name}` is a list and takes only `to` and `of`"
                        ))
                        .help("write another output for lines or totals"));
                }
                Content::List(list)
            }
            (_, Some(_)) if entry.status => {
                return Err(to
                    .mistaken(format!("the output `{name}` has both `status` and `by`"))
                    .help("`status` says of each line how its links came out; totals take `by` and `show`"));
            }
            (Some(_), Some(_)) => {
                return Err(to
                    .mistaken(format!("the output `{name}` has both `columns` and `by`"))
                    .help("lines take `columns`, totals take `by` and `show`; write two outputs"));
            }
            (columns, None) => {
                if entry.show.is_some() || entry.filter.is_some() {
                    return Err(to
                        .mistaken(format!("the output `{name}` has no `by`"))
                        .help("totals take `by`; `by = []` gives the grand total"));
                }
                Content::Lines(columns.as_ref().map(all), entry.status)
            }
            (None, Some(by)) => Content::Totals {
                by: all(by),
                show: entry.show.as_ref().map(all),
                filter: entry.filter.as_ref().map(|text| plan.written(text)),
            },
        };
        let of = entry.of.as_ref().map(|of| plan.written(of));
        Ok(Request { name: name.to_owned(), to: Some(to), of, content })
    }
}

/// An output whose names are bound.
#[derive(Debug)]
pub struct BoundOutput {
    /// Its name.
    pub name: String,
    /// The file to write.
    pub to: Option<Written>,
    /// What it holds.
    pub kind: OutputKind,
}

/// What a bound output holds.
#[derive(Debug)]
pub enum OutputKind {
    /// Lines.
    Lines(Vec<LinesColumn>),
    /// Totals, by their number among the totals asked for.
    Totals(BoundTotals),
    /// A list.
    List(ListKind),
}

/// A column of an output of lines.
#[derive(Clone, Debug)]
pub enum LinesColumn {
    /// All of the fact's own columns, as they were read.
    Own,
    /// One of them, as it was read.
    Cell(usize),
    /// An attribute of a lookup.
    Attribute {
        /// The heading, as the plan writes it.
        heading: String,
        /// The route to the lookup.
        route: usize,
        /// The column of the lookup.
        column: usize,
    },
    /// How a link came out, and the key that was used: two columns.
    Status {
        /// The route.
        route: usize,
    },
    /// A value that is worked out, by its number among the expressions.
    Value {
        /// The heading, as the plan writes it.
        heading: String,
        /// Where the expression stands.
        written: Written,
    },
}

/// Totals whose names are bound.
#[derive(Debug)]
pub struct BoundTotals {
    pub(crate) by: Vec<ByColumn>,
    pub(crate) show: Vec<Shown>,
    pub(crate) filter: Option<(Node, Written)>,
}

/// An attribute that totals are grouped by.
#[derive(Debug)]
pub(crate) struct ByColumn {
    pub(crate) node: Node,
    pub(crate) written: Written,
}

/// A column of totals.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Shown {
    /// How many lines.
    Lines,
    /// A figure.
    Figure(usize),
    /// The sum of a numeric column of the fact.
    Column(usize),
}

pub(super) fn bind_outputs(requests: &[Request], facts: &mut [Bound]) -> Result<(), Vec<Mistake>> {
    let mut mistakes = Vec::new();
    for request in requests {
        let output = owner(request, facts).and_then(|owner| {
            let output = bind_output(request, &mut facts[owner], &mut mistakes)?;
            facts[owner].outputs.push(output);
            Ok(())
        });
        mistakes.extend(output.err());
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
        Content::Lines(columns, _) => (columns.iter().flatten().collect(), Vec::new()),
        Content::List(_) => return Ok(0),
        Content::Totals { by, show, filter } => {
            (show.iter().flatten().collect(), by.iter().chain(filter).collect())
        }
    };
    let unknown = |texts: &[&Written], bound: &Bound| {
        let figures: Vec<&str> = bound.figures.iter().map(|figure| figure.name.as_str()).collect();
        let mut unknown = 0usize;
        let names = texts.iter().filter(|text| !["*", "lines"].contains(&text.text.trim()));
        for node in names.filter_map(|text| parse(text).ok()) {
            node.walk(&mut |node| {
                if let NodeKind::Name(name) = &node.kind {
                    unknown += usize::from(!Scope::of(bound).knows(name, &figures));
                }
            });
        }
        unknown
    };
    let lacks = |bound: &Bound| (unknown(&shown, bound), unknown(&others, bound));
    Ok((0..facts.len()).min_by_key(|fact| lacks(&facts[*fact])).unwrap_or(0))
}

fn bind_output(
    request: &Request,
    bound: &mut Bound,
    mistakes: &mut Vec<Mistake>,
) -> Result<BoundOutput, Mistake> {
    let kind = match &request.content {
        Content::Lines(columns, status) => {
            let mut columns = lines(columns.as_deref(), bound, mistakes)?;
            if *status {
                columns.extend((0..bound.routes.len()).map(|route| LinesColumn::Status { route }));
            }
            OutputKind::Lines(columns)
        }
        Content::List(list) => OutputKind::List(*list),
        Content::Totals { by, show, filter } => {
            let mut bind = |written: &Written, bound: &mut Bound| {
                let node = parse(written)?;
                for used in uses_of(&node, written, &Scope::of(bound), mistakes) {
                    bound.note(&used);
                }
                Ok::<_, Mistake>(node)
            };
            let by = by
                .iter()
                .map(|written| {
                    Ok(ByColumn { node: bind(written, bound)?, written: written.clone() })
                })
                .collect::<Result<_, Mistake>>()?;
            let filter = match filter {
                Some(written) => Some((bind(written, bound)?, written.clone())),
                None => None,
            };
            OutputKind::Totals(BoundTotals { by, show: shown(show.as_deref(), bound)?, filter })
        }
    };
    Ok(BoundOutput { name: request.name.clone(), to: request.to.clone(), kind })
}

fn lines(
    columns: Option<&[Written]>,
    bound: &mut Bound,
    mistakes: &mut Vec<Mistake>,
) -> Result<Vec<LinesColumn>, Mistake> {
    let Some(columns) = columns else {
        let figures = bound.figures.iter().map(|figure| LinesColumn::Value {
            heading: figure.name.clone(),
            written: quoted_name(&figure.name),
        });
        return Ok([LinesColumn::Own].into_iter().chain(figures).collect());
    };
    let mut found = Vec::new();
    for written in columns {
        if written.text == "*" {
            found.push(LinesColumn::Own);
            continue;
        }
        let node = parse(written)?;
        let uses = uses_of(&node, written, &Scope::of(bound), mistakes);
        uses.iter().for_each(|used| bound.note(used));
        let heading = written.text.clone();
        let name = matches!(node.kind, NodeKind::Name(_)).then(|| uses.first()).flatten();
        found.push(match name.map(|used| used.reference) {
            Some(Reference::Attribute { route, column }) => {
                LinesColumn::Attribute { heading, route, column }
            }
            Some(Reference::Column(column)) if !has_unit(bound, column) => {
                LinesColumn::Cell(column)
            }
            _ => LinesColumn::Value { heading, written: written.clone() },
        });
    }
    Ok(found)
}

/// A name that is known to be right, as a formula.
fn quoted_name(name: &str) -> Written {
    let text = format!("\"{}\"", name.replace('"', "\"\""));
    Written::in_option("columns", &text, 0..text.len())
}

/// Whether reading a column of the fact changes its numbers.
fn has_unit(bound: &Bound, column: usize) -> bool {
    let wish = bound.fact.wishes.declared(column);
    wish.way.scale.is_some() || wish.declared == Some(ColumnType::Percent)
}

fn shown(show: Option<&[Written]>, bound: &mut Bound) -> Result<Vec<Shown>, Mistake> {
    let Some(show) = show else {
        return Ok([Shown::Lines]
            .into_iter()
            .chain((0..bound.figures.len()).map(Shown::Figure))
            .collect());
    };
    let mut found = Vec::new();
    for written in show {
        if written.text.trim() == "lines" {
            found.push(Shown::Lines);
            continue;
        }
        let node = parse(written)?;
        let NodeKind::Name(name) = &node.kind else {
            return Err(written
                .mistaken(format!("`{}` is not the name of a figure or column", written.text))
                .help("give the formula a name under [figures] and show that"));
        };
        found.push(match Scope::of(bound).resolve(name, written)? {
            Reference::Figure(figure) => Shown::Figure(figure),
            Reference::Column(column) => {
                bound.fact.wishes.need(column, ColumnType::Number, written.mistaken(""));
                Shown::Column(column)
            }
            Reference::Attribute { .. } => {
                return Err(written
                    .mistaken(format!(
                        "`{}` belongs to a lookup; its sum over lines says nothing",
                        written.text
                    ))
                    .help("multiply it by an amount of the line in a figure and show that"));
            }
        });
    }
    Ok(found)
}
