//! Totals: their attributes and what they show, bound to the facts that these come from.
//!
//! A table of totals has one or more sources of lines: the fact that it is of, the same fact seen as if its lines were
//! of a later time, and other facts. Each becomes totals of its own with the same attributes; how they make one table
//! is said by the layout, which goes with the first.

use super::{Bound, FigureKind, Reference, Scope, uses_of};
use crate::date::PeriodUnit;
use crate::formula::{Function, Node, NodeKind, Summary, TokenKind, parse, tokens};
use crate::plan::{ColumnName, ColumnType, Mistake, OutputEntry, Plan, Unreached, Written};
use crate::totals::Shift;

/// Totals as they are asked for.
#[derive(Clone, Debug, Default)]
pub struct TotalsRequest {
    /// The attributes of a row; `a > b` are two levels of rows, with subtotals.
    pub by: Vec<Written>,
    /// The attributes of the columns.
    pub across: Vec<Written>,
    /// The figures and columns; `None` for lines and all figures.
    pub show: Option<Vec<Written>>,
    /// Two of these, whose difference is shown.
    pub versus: Option<(Written, Vec<Written>)>,
    /// Which lines count.
    pub filter: Option<Written>,
    /// What rows are sorted by.
    pub sort: Vec<Written>,
    /// How many rows of a level are shown.
    pub top: Option<(Written, usize)>,
    /// Whether periods without lines are shown, with the place where that is asked.
    pub all_periods: Option<Written>,
    /// What an attribute is that a fact does not reach.
    pub unreached: Unreached,
}

impl TotalsRequest {
    /// Whether an output asks for something that only totals have, other than `by`.
    pub(super) fn is_asked(output: &OutputEntry) -> bool {
        output.show.is_some()
            || output.filter.is_some()
            || output.across.is_some()
            || output.versus.is_some()
            || output.sort.is_some()
            || output.top.is_some()
            || output.all_periods.is_some()
            || output.unreached.is_some()
    }

    pub(super) fn of_entry(plan: &Plan, output: &OutputEntry) -> TotalsRequest {
        let all = |list: &Vec<_>| list.iter().map(|text| plan.written(text)).collect::<Vec<_>>();
        let versus = output.versus.as_ref();
        let top = output.top.as_ref();
        let all_periods = output.all_periods.as_ref().filter(|all| *all.get_ref());
        TotalsRequest {
            by: output.by.as_ref().map(all).unwrap_or_default(),
            across: output.across.as_ref().map(all).unwrap_or_default(),
            show: output.show.as_ref().map(all),
            versus: versus.map(|list| (plan.written_at("", list.span()), all(list.get_ref()))),
            filter: output.filter.as_ref().map(|text| plan.written(text)),
            sort: output.sort.as_ref().map(all).unwrap_or_default(),
            top: top.map(|top| (plan.written_at("", top.span()), *top.get_ref())),
            all_periods: all_periods.map(|all| plan.written_at("", all.span())),
            unreached: output.unreached.unwrap_or_default(),
        }
    }

    /// What is shown.
    pub(super) fn shown(&self) -> impl Iterator<Item = &Written> {
        self.show.iter().flatten().chain(self.versus.iter().flat_map(|(_, list)| list))
    }

    /// What is named besides.
    pub(super) fn others(&self) -> impl Iterator<Item = &Written> {
        self.by.iter().chain(&self.across).chain(&self.filter)
    }
}

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
    /// How the table is laid out; with the first source.
    pub(crate) layout: Option<BoundLayout>,
}

/// An attribute that totals are grouped by; without a formula where the fact does not reach it.
#[derive(Debug)]
pub(crate) struct BoundAttribute {
    pub(crate) heading: String,
    pub(crate) node: Option<Node>,
    pub(crate) written: Written,
}

/// Something that is worked out for each group of a source.
#[derive(Debug)]
pub(crate) struct BoundBase {
    pub(crate) heading: String,
    pub(crate) written: Written,
    pub(crate) what: Base,
    /// Whether it is left out where it has no total.
    pub(crate) optional: bool,
}

#[derive(Debug)]
pub(crate) enum Base {
    Lines,
    Figure(usize),
    /// The sum of a numeric column of the fact.
    Column(usize),
    Of(Summary, Node),
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
    pub(crate) all_periods: Option<Written>,
}

/// A column of values.
#[derive(Debug)]
pub(crate) struct BoundColumn {
    pub(crate) heading: String,
    pub(crate) written: Written,
    pub(crate) source: usize,
    /// What it shows, by number among what its source has.
    pub(crate) base: usize,
    pub(crate) cumulated: Option<Cumulated>,
    pub(crate) share: Option<ShareOf>,
}

/// How sums run up.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Cumulated {
    /// Along the rows.
    Running,
    /// From the beginning of the year or quarter.
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

/// A source of lines: a fact, and how much later its lines are seen.
struct Source {
    fact: usize,
    shift: Option<(Shift, Written)>,
    bases: Vec<BoundBase>,
}

/// Binds totals: of each source, the fact and what is asked of it.
pub(super) fn bind_totals(
    request: &TotalsRequest,
    owner: usize,
    facts: &mut [Bound],
    mistakes: &mut Vec<Mistake>,
) -> Result<Vec<(usize, BoundTotals)>, Mistake> {
    let (attributes, levels) = attributes(request)?;
    let mut binder = Binder {
        sources: vec![Source { fact: owner, shift: None, bases: Vec::new() }],
        columns: Vec::new(),
        owner,
        facts,
    };
    let versus = binder.show(request, mistakes)?;
    if let Some((written, 0)) = &request.top {
        return Err(written.mistaken("the first 0 rows are none").help("write for instance 10"));
    }
    let Binder { sources, columns, facts, .. } = binder;
    let layout = BoundLayout {
        sources: sources.len(),
        levels,
        columns,
        versus,
        sort: request.sort.iter().map(sort_key).collect::<Result<_, _>>()?,
        top: request.top.as_ref().map(|(_, top)| *top),
        all_periods: request.all_periods.clone(),
    };
    let mut layout = Some(layout);
    let mut totals = Vec::new();
    for (number, source) in sources.into_iter().enumerate() {
        let fact = &mut facts[source.fact];
        let apart = (source.fact != owner).then_some(request.unreached);
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
                layout: layout.take(),
            },
        ));
    }
    Ok(totals)
}

/// The attributes of a request, those of the rows first, and how many of these each level has.
fn attributes(request: &TotalsRequest) -> Result<(Vec<Written>, Vec<usize>), Mistake> {
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
                .mistaken("columns across have no levels")
                .help("give the attributes as a list; a comparison stands in parentheses"));
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

/// How something is headed: a name as it is, a formula in its plain form.
fn heading(node: &Node) -> String {
    match &node.kind {
        NodeKind::Name(name) => {
            let parts = name.through.iter().chain([&name.column]);
            parts.map(String::as_str).collect::<Vec<_>>().join(".")
        }
        _ => node.to_string(),
    }
}

fn bind_attribute(
    written: &Written,
    fact: &mut Bound,
    apart: Option<Unreached>,
    mistakes: &mut Vec<Mistake>,
) -> Result<BoundAttribute, Mistake> {
    let node = parse(written)?;
    let heading = heading(&node);
    let written = written.clone();
    let node = match bind_node(node, &written, fact, apart, mistakes) {
        Ok(node) => Some(node),
        Err(_) if apart == Some(Unreached::Blank) => None,
        Err(mistake) => return Err(mistake),
    };
    Ok(BoundAttribute { heading, node, written })
}

fn bind_filter(
    filter: Option<&Written>,
    fact: &mut Bound,
    apart: Option<Unreached>,
    mistakes: &mut Vec<Mistake>,
) -> Result<Option<(Node, Written)>, Mistake> {
    let Some(written) = filter else { return Ok(None) };
    let node = bind_node(parse(written)?, written, fact, apart, mistakes)?;
    Ok(Some((node, written.clone())))
}

/// Notes what a formula names. In a fact other than the one that the table is of, what is out of reach is said to be
/// so in that fact.
fn bind_node(
    node: Node,
    written: &Written,
    fact: &mut Bound,
    apart: Option<Unreached>,
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
                "sum by what both have, say under [shared.…] what it is in `{name}`, or let `unreached` be \"blank\""
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
        _ => heading(&parse(&name)?),
    };
    Ok(SortKey { name, descending, written: written.clone() })
}

struct Binder<'f> {
    sources: Vec<Source>,
    columns: Vec<BoundColumn>,
    owner: usize,
    facts: &'f mut [Bound],
}

impl Binder<'_> {
    /// Binds what is shown; the columns whose difference is shown.
    fn show(
        &mut self,
        request: &TotalsRequest,
        mistakes: &mut Vec<Mistake>,
    ) -> Result<Option<(usize, usize)>, Mistake> {
        match (&request.show, &request.versus) {
            (Some(show), _) => {
                for written in show {
                    self.column(written, mistakes)?;
                }
            }
            (None, None) => self.usual(),
            (None, Some(_)) => {}
        }
        let Some((place, versus)) = &request.versus else { return Ok(None) };
        let [first, second] = versus.as_slice() else {
            return Err(place
                .mistaken(format!(
                    "`versus` sets two against each other, and there are {}",
                    versus.len()
                ))
                .help("write for instance versus = [\"revenue\", \"year_before(revenue)\"]"));
        };
        let mut known = |written: &Written| {
            let heading = heading(&parse(written)?);
            match self.columns.iter().position(|column| column.heading == heading) {
                Some(column) => Ok(column),
                None => self.column(written, mistakes),
            }
        };
        Ok(Some((known(first)?, known(second)?)))
    }

    /// The lines, and all figures that have a total.
    fn usual(&mut self) {
        let bound = &self.facts[self.owner];
        let figures = bound.figures.iter().enumerate();
        let figures: Vec<(usize, String, Written)> = figures
            .filter(|(_, figure)| matches!(figure.kind, FigureKind::Formula(_)))
            .map(|(number, figure)| (number, figure.name.clone(), figure.written.clone()))
            .collect();
        let lines = Written::in_option("show", "lines", 0..5);
        self.add(0, "lines".to_owned(), lines, Base::Lines, false);
        for (number, name, written) in figures {
            self.add(0, name, written, Base::Figure(number), true);
        }
    }

    fn add(
        &mut self,
        source: usize,
        heading: String,
        written: Written,
        what: Base,
        optional: bool,
    ) -> usize {
        let bases = &mut self.sources[source].bases;
        bases.push(BoundBase {
            heading: heading.clone(),
            written: written.clone(),
            what,
            optional,
        });
        let base = bases.len() - 1;
        let column = BoundColumn { heading, written, source, base, cumulated: None, share: None };
        self.columns.push(column);
        self.columns.len() - 1
    }

    /// Binds one thing that is shown: a share of what runs up of an earlier time of a figure.
    fn column(&mut self, written: &Written, mistakes: &mut Vec<Mistake>) -> Result<usize, Mistake> {
        let whole = parse(written)?;
        let heading = heading(&whole);
        let mut node = whole;
        let (mut share, mut cumulated, mut shift) = (None, None, None);
        while let NodeKind::Call(Function::Summary(summary), arguments) = &node.kind {
            let misplaced = |other: &str| {
                let message = format!("`{}` cannot stand inside of `{other}`", summary.name());
                written.mistake(node.span.clone(), message).help(
                    "from the outside in: a share, what runs up, an earlier time; as in share(running(year_before(x)))",
                )
            };
            match summary {
                Summary::Share | Summary::ParentShare => {
                    if share.is_some() || cumulated.is_some() || shift.is_some() {
                        return Err(misplaced("a share, what runs up or an earlier time"));
                    }
                    let whole = *summary == Summary::Share;
                    share = Some(if whole { ShareOf::Whole } else { ShareOf::Parent });
                }
                Summary::Running | Summary::ToDate(_) => {
                    if cumulated.is_some() || shift.is_some() {
                        return Err(misplaced("what runs up or an earlier time"));
                    }
                    cumulated = Some(match summary {
                        Summary::ToDate(unit) => Cumulated::ToDate(*unit),
                        _ => Cumulated::Running,
                    });
                }
                Summary::YearBefore | Summary::PeriodBefore => {
                    if shift.is_some() {
                        return Err(misplaced("an earlier time"));
                    }
                    let year = *summary == Summary::YearBefore;
                    shift = Some(if year { Shift::Year } else { Shift::Period });
                }
                _ => break,
            }
            node = arguments[0].clone();
        }
        let fact = self.fact_of(&node);
        let what = self.base(&node, fact, written, mistakes)?;
        let source = self.source(fact, shift, written);
        let column = self.add(source, heading, written.clone(), what, false);
        let added = &mut self.columns[column];
        (added.cumulated, added.share) = (cumulated, share);
        Ok(column)
    }

    /// The source of a fact's lines, seen so much later.
    fn source(&mut self, fact: usize, shift: Option<Shift>, written: &Written) -> usize {
        let same = |source: &Source| {
            source.fact == fact && source.shift.as_ref().map(|(shift, _)| *shift) == shift
        };
        if let Some(known) = self.sources.iter().position(same) {
            return known;
        }
        let shift = shift.map(|shift| (shift, written.clone()));
        self.sources.push(Source { fact, shift, bases: Vec::new() });
        self.sources.len() - 1
    }

    /// The fact that all names of a formula are of: `budget.target` is of another than the table's, if no link of
    /// that has the name.
    fn fact_of(&self, node: &Node) -> usize {
        let mut facts = Vec::new();
        node.walk(&mut |node| {
            if let NodeKind::Name(name) = &node.kind {
                facts.push(self.named_fact(name).unwrap_or(self.owner));
            }
        });
        match facts.split_first() {
            Some((first, rest)) if rest.iter().all(|other| other == first) => *first,
            _ => self.owner,
        }
    }

    fn named_fact(&self, name: &ColumnName) -> Option<usize> {
        let [table] = name.through.as_slice() else { return None };
        let linked = self.facts[self.owner].routes.iter().any(|route| route.name == *table);
        let fact = self.facts.iter().position(|bound| bound.fact.name == *table);
        fact.filter(|_| !linked)
    }

    fn base(
        &mut self,
        node: &Node,
        fact: usize,
        written: &Written,
        mistakes: &mut Vec<Mistake>,
    ) -> Result<Base, Mistake> {
        let bound = &mut self.facts[fact];
        match &node.kind {
            NodeKind::Name(name) if name.through.is_empty() && name.column == "lines" => {
                Ok(Base::Lines)
            }
            // The lines of another fact.
            NodeKind::Name(name) if name.column == "lines" && fact != self.owner => Ok(Base::Lines),
            NodeKind::Name(name) => match Scope::of(bound).resolve(name, written)? {
                Reference::Figure(figure) => Ok(Base::Figure(figure)),
                Reference::Column(column) => {
                    let at = written.mistake(node.span.clone(), "");
                    bound.fact.wishes.need(column, ColumnType::Number, at);
                    Ok(Base::Column(column))
                }
                Reference::Attribute { .. } => Err(written
                    .mistake(
                        node.span.clone(),
                        format!("`{node}` belongs to a lookup; its sum over lines says nothing"),
                    )
                    .help("multiply it by an amount of the line in a figure and show that, or show `avg`, `min`, `max` or `count(distinct …)` of it")),
            },
            NodeKind::Call(Function::Summary(summary), arguments) => {
                let operand = arguments[0].clone();
                let mut own = Vec::new();
                let uses = uses_of(node, written, &Scope::of(bound), &mut own);
                uses.iter().for_each(|used| bound.note_condition(used));
                mistakes.append(&mut own);
                Ok(Base::Of(*summary, operand))
            }
            _ => Err(written
                .mistake(node.span.clone(), format!("`{node}` is not the name of a figure or column"))
                .help(format!("write `sum({node})`, or give the formula a name under [figures] and show that"))),
        }
    }
}
