//! Totals: their attributes and what they show, bound to the facts that these come from.
//!
//! A table of totals has one or more sources of lines: the fact that it is of, the same fact seen as if its lines were
//! of a later time, and other facts. Each becomes totals of its own with the same attributes; how they make one table
//! is reported by the layout, which goes with the first.

use std::collections::BTreeSet;

use interligo_model::formula::{Node, NodeKind, Summary, TokenKind, parse, tokens};
use interligo_model::plan::{Labels, Mistake, MistakeKind, NotShared, Written};
use interligo_model::values::date::PeriodUnit;

use super::measures::{MeasureBinder, column_name};
use super::scope::Reference;
use super::{Bound, OutputKind, Scope, TotalsRequest, Usual, uses_of};

/// Totals of one source of lines, whose names are bound.
#[derive(Debug)]
pub struct BoundTotals {
    /// Those of the rows, then those across.
    pub(crate) attributes: Vec<BoundAttribute>,
    pub(crate) bases: Vec<BoundBase>,
    pub(crate) filter: Option<(Node, Written)>,
    /// How much later lines are seen, with the place where that is asked.
    pub(crate) shift: Option<(Shift, Written)>,
    /// Which source of the table it is.
    pub(crate) source: usize,
    /// Whether its rows report amounts that are known on different lines.
    pub(crate) compare_known: bool,
    /// How the table is laid out; with the first source.
    pub(crate) layout: Option<BoundLayout>,
}

impl BoundTotals {
    /// Whether the table is made of the lines of one fact, as they are.
    pub fn has_one_source(&self) -> bool {
        self.layout.as_ref().is_some_and(|layout| layout.sources == 1)
    }
}

impl Bound {
    /// The lookups, by number, whose attributes the totals asked for name themselves, and not by figures.
    pub fn lookups_of_totals(&self) -> BTreeSet<usize> {
        let (scope, mut lookups) = (Scope::of(self), BTreeSet::new());
        let mut note = |node: &Node, written: &Written| {
            for used in uses_of(node, written, &scope, &mut Vec::new()) {
                if let Reference::Attribute { route, .. } = used.reference {
                    lookups.insert(self.routes[route].lookup);
                }
            }
        };
        let totals = self.outputs.iter().filter_map(|output| match &output.kind {
            OutputKind::Totals(totals) => Some(totals),
            _ => None,
        });
        for totals in totals {
            for attribute in &totals.attributes {
                if let Some(node) = &attribute.node {
                    note(node, &attribute.written);
                }
            }
            if let Some((node, written)) = &totals.filter {
                note(node, written);
            }
            for base in &totals.bases {
                if let Base::Of(_, node) = &base.what {
                    note(node, &base.written);
                }
            }
        }
        lookups
    }
}

/// An attribute that totals are grouped by; without a formula where the fact does not reach it.
#[derive(Debug)]
pub(crate) struct BoundAttribute {
    pub(crate) column_name: String,
    pub(crate) node: Option<Node>,
    pub(crate) written: Written,
}

/// Something that is computed for each group of a source.
#[derive(Debug)]
pub(crate) struct BoundBase {
    pub(crate) column_name: String,
    pub(crate) written: Written,
    pub(crate) what: Base,
    /// Whether it is left out where it has no total.
    pub(crate) optional: bool,
    /// Whether its share of a whole is shown.
    pub(crate) shared: bool,
}

#[derive(Clone, Debug)]
pub(crate) enum Base {
    Lines,
    Figure(usize),
    /// The sum of a numeric column of the fact.
    Column(usize),
    Of(Summary, Node),
}

/// How much later lines are seen.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Shift {
    Year,
    /// The period that the table has.
    Period,
}

/// How a table is laid out, as far as names go.
#[derive(Debug)]
pub(crate) struct BoundLayout {
    pub(crate) sources: usize,
    /// How many attributes each level of rows has.
    pub(crate) levels: Vec<usize>,
    pub(crate) columns: Vec<BoundColumn>,
    pub(crate) versus: Option<(usize, usize)>,
    pub(crate) sort: Vec<SortKey>,
    pub(crate) top: Option<usize>,
    pub(crate) having: Option<Written>,
    /// How many levels, from the outermost, divide it into tables that are apart.
    pub(crate) levels_apart: usize,
    pub(crate) all_periods: Option<Written>,
    /// What people call the columns.
    pub(crate) labels: Labels,
    /// Whether all sources have the same, so that what has no total in the first has none in the others.
    pub(crate) are_alike: bool,
}

/// A column of values.
#[derive(Clone, Debug)]
pub(crate) struct BoundColumn {
    pub(crate) column_name: String,
    pub(crate) written: Written,
    pub(crate) source: usize,
    /// What it shows, by number among what its source has.
    pub(crate) base: usize,
    pub(crate) cumulated: Option<Cumulated>,
    pub(crate) share: Option<ShareOf>,
}

/// How sums accumulate.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Cumulated {
    /// Along the rows.
    Running,
    /// From the beginning of the year, quarter or month.
    ToDate(PeriodUnit),
}

/// What something is shown as a share of.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum ShareOf {
    Whole,
    Parent,
}

/// What rows are sorted by.
#[derive(Debug)]
pub(crate) struct SortKey {
    pub(crate) name: String,
    pub(crate) descending: bool,
    pub(crate) written: Written,
}

/// Binds totals: of each source, the fact and what is asked of it.
pub(super) fn bind_totals(
    request: &TotalsRequest,
    owner: usize,
    facts: &mut [Bound],
    mistakes: &mut Vec<Mistake>,
) -> Result<Vec<(usize, BoundTotals)>, Mistake> {
    let (attributes, levels) = attributes(request)?;
    let labels = facts[owner].labels.clone();
    let mut binder = MeasureBinder::of(owner, facts);
    let versus = binder.show(request, mistakes)?;
    if let Some((written, 0)) = &request.top {
        return Err(written
            .mistaken(MistakeKind::WrongValue, "the first 0 rows are none")
            .help("write for instance 10"));
    }
    if let (Some(written), Some(_)) = (&request.having, &request.top) {
        return Err(written
            .mistaken(MistakeKind::WrongPlace, "rows are kept by `top` or by `having`")
            .help("leave one of them out"));
    }
    let MeasureBinder { sources, columns, facts, .. } = binder;
    let layout = BoundLayout {
        sources: sources.len(),
        levels,
        columns,
        versus,
        sort: request.sort.iter().map(sort_key).collect::<Result<_, _>>()?,
        top: request.top.as_ref().map(|(_, top)| *top),
        having: request.having.clone(),
        levels_apart: request.levels_apart,
        labels,
        are_alike: request.show.is_none() && request.usual == Usual::ToDate,
        all_periods: request.all_periods.clone(),
    };
    let mut layout = Some(layout);
    let mut totals = Vec::new();
    for (number, source) in sources.into_iter().enumerate() {
        // What is wrong with the attributes is reported once.
        if number > 0 && !mistakes.is_empty() {
            break;
        }
        let fact = &mut facts[source.fact];
        let apart = (source.fact != owner).then_some(request.not_shared);
        totals.push((
            source.fact,
            BoundTotals {
                attributes: attributes
                    .iter()
                    .map(|attribute| bind_attribute(attribute, fact, apart, mistakes))
                    .collect::<Result<_, _>>()?,
                bases: source.bases,
                filter: bind_filter(request.filter.as_ref(), fact, apart, mistakes)?,
                shift: source.shift,
                source: number,
                compare_known: request.compare_known && number == 0,
                layout: layout.take(),
            },
        ));
    }
    Ok(totals)
}

/// The attributes of a request, those of the rows first, and how many of these each level has.
pub(super) fn attributes(request: &TotalsRequest) -> Result<(Vec<Written>, Vec<usize>), Mistake> {
    let (mut all, mut levels) = (Vec::new(), Vec::new());
    for by in &request.by {
        for (number, part) in levels_of(by)?.into_iter().enumerate() {
            match levels.last_mut() {
                Some(level) if number == 0 => *level += 1,
                _ => levels.push(1),
            }
            all.push(part);
        }
    }
    if levels.is_empty() {
        levels.push(0);
    }
    for across in &request.across {
        if let [_, second, ..] = levels_of(across)?.as_slice() {
            return Err(second
                .mistaken(MistakeKind::WrongPlace, "columns across have no levels")
                .help("give the attributes as a list; put a comparison in parentheses"));
        }
        all.push(across.clone());
    }
    Ok((all, levels))
}

/// The parts of `groups.name > families.name`. Where a part is a literal or no formula, as in `quantity > 10`, it is a
/// comparison and one attribute.
fn levels_of(by: &Written) -> Result<Vec<Written>, Mistake> {
    let (mut parts, mut start, mut depth) = (Vec::new(), 0, 0usize);
    for token in tokens(by)? {
        match token.kind {
            TokenKind::Open => depth += 1,
            TokenKind::Close => depth = depth.saturating_sub(1),
            TokenKind::Greater if depth == 0 => {
                parts.push(start..token.span.start);
                start = token.span.end;
            }
            _ => {}
        }
    }
    parts.push(start..by.text.len());
    let trimmed = |range: std::ops::Range<usize>| {
        let part = &by.text[range.clone()];
        let start = range.start + part.len() - part.trim_start().len();
        by.part(start..start + part.trim().len())
    };
    let parts: Vec<Written> = parts.into_iter().map(trimmed).collect();
    let is_attribute = |part: &Written| match parse(part) {
        Ok(Node { kind, .. }) => !matches!(
            kind,
            NodeKind::Number(_) | NodeKind::Text(_) | NodeKind::YesNo(_) | NodeKind::Blank
        ),
        Err(_) => false,
    };
    Ok(if parts.iter().all(is_attribute) { parts } else { vec![by.clone()] })
}

fn bind_attribute(
    written: &Written,
    fact: &mut Bound,
    apart: Option<NotShared>,
    mistakes: &mut Vec<Mistake>,
) -> Result<BoundAttribute, Mistake> {
    let node = parse(written)?;
    let column_name = column_name(&node);
    let written = written.clone();
    let node = match bind_node(node, &written, fact, apart, mistakes) {
        Ok(node) => Some(node),
        Err(_) if apart == Some(NotShared::Blank) => None,
        Err(mistake) => return Err(mistake),
    };
    Ok(BoundAttribute { column_name, node, written })
}

fn bind_filter(
    filter: Option<&Written>,
    fact: &mut Bound,
    apart: Option<NotShared>,
    mistakes: &mut Vec<Mistake>,
) -> Result<Option<(Node, Written)>, Mistake> {
    let Some(written) = filter else { return Ok(None) };
    let mut node = parse(written)?;
    if apart == Some(NotShared::Blank) {
        let scope = Scope::of(fact);
        node.blank_where(&mut |name| {
            let mut out_of_reach = Vec::new();
            uses_of(name, written, &scope, &mut out_of_reach);
            !out_of_reach.is_empty()
        });
    }
    let node = bind_node(node, written, fact, apart, mistakes)?;
    Ok(Some((node, written.clone())))
}

/// Notes what a formula names. In a fact other than the one that the table is of, what is out of reach is reported to be
/// so in that fact.
fn bind_node(
    node: Node,
    written: &Written,
    fact: &mut Bound,
    apart: Option<NotShared>,
    mistakes: &mut Vec<Mistake>,
) -> Result<Node, Mistake> {
    let mut own = Vec::new();
    let uses = uses_of(&node, written, &Scope::of(fact), &mut own);
    match (own.is_empty(), apart) {
        (true, _) => uses.iter().for_each(|used| fact.note(used)),
        (false, None) => mistakes.append(&mut own),
        (false, Some(_)) => {
            let first = own.remove(0);
            let name = &fact.fact.name;
            let message = format!(
                "`{name}` does not have `{}`, and no total is repeated in its place: {}",
                written.text, first.message
            );
            let help = format!(
                "total by an attribute that both have, say under [shared.…] what it is in `{name}`, or set not-shared = \"blank\""
            );
            return Err(Mistake { message, ..first }.help(help));
        }
    }
    Ok(node)
}

fn sort_key(written: &Written) -> Result<SortKey, Mistake> {
    let trimmed = written.text.trim_start();
    let start = written.text.len() - trimmed.len();
    let descending = trimmed.starts_with('-');
    let start = start + usize::from(descending);
    let name = written.part(start..written.text.len());
    // The difference is not a formula that could be read.
    let name = match name.text.trim() {
        plain if plain.starts_with("difference") => plain.to_owned(),
        _ => column_name(&parse(&name)?),
    };
    Ok(SortKey { name, descending, written: written.clone() })
}
