//! What totals show: figures, columns and functions of these, of the fact itself, of another, or of an earlier time.

use interligo_model::formula::{Function, Node, NodeKind, Summary, parse};
use interligo_model::plan::{ColumnName, ColumnType, Mistake, MistakeKind, Written, nearest_name};
use interligo_model::values::date::PeriodUnit;

use super::totals::{Base, BoundBase, BoundColumn, Cumulated, ShareOf, Shift};
use super::{Bound, BoundFact, FigureKind, Reference, Scope, TotalsRequest, Usual, uses_of};

/// A source of lines: a fact, and how much later its lines are seen.
pub(super) struct Source {
    pub(super) fact: usize,
    pub(super) shift: Option<(Shift, Written)>,
    pub(super) bases: Vec<BoundBase>,
}

/// How something is headed: a name as it is, a formula in its plain form.
pub(super) fn column_name(node: &Node) -> String {
    match &node.kind {
        NodeKind::Name(name) => {
            let parts = name.through.iter().chain([&name.column]);
            parts.map(String::as_str).collect::<Vec<_>>().join(".")
        }
        _ => node.to_string(),
    }
}

/// Gathers what is shown, source by source.
pub(super) struct MeasureBinder<'f> {
    pub(super) sources: Vec<Source>,
    pub(super) columns: Vec<BoundColumn>,
    owner: usize,
    pub(super) facts: &'f mut [Bound],
}

impl<'f> MeasureBinder<'f> {
    pub(super) fn of(owner: usize, facts: &'f mut [Bound]) -> MeasureBinder<'f> {
        let own = Source { fact: owner, shift: None, bases: Vec::new() };
        MeasureBinder { sources: vec![own], columns: Vec::new(), owner, facts }
    }

    /// Binds what is shown; the columns whose difference is shown.
    pub(super) fn show(
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
            (None, None) => match request.usual {
                Usual::Totals => self.usual(),
                Usual::ToDate => self.usual_to_date(),
            },
            (None, Some(_)) => {}
        }
        let Some((place, versus)) = &request.versus else { return Ok(None) };
        let [first, second] = versus.as_slice() else {
            let count = match versus.len() {
                1 => "only one is named".to_owned(),
                more => format!("{more} are named"),
            };
            return Err(place
                .mistaken(
                    MistakeKind::WrongValue,
                    format!("`versus` sets two against each other, and {count}"),
                )
                .help("write for instance versus = [\"revenue\", \"year_before(revenue)\"]"));
        };
        let mut known = |written: &Written| {
            let column_name = column_name(&parse(written)?);
            match self.columns.iter().position(|column| column.column_name == column_name) {
                Some(column) => Ok(column),
                None => self.column(written, mistakes),
            }
        };
        Ok(Some((known(first)?, known(second)?)))
    }

    /// The lines, and all figures that have a total.
    fn usual(&mut self) {
        for (name, written, what) in self.lines_and_figures() {
            let optional = matches!(what, Base::Figure(_));
            self.add(0, name, written, what, optional);
        }
    }

    /// The lines, and all formulas, each with what it is called and where it stands.
    fn lines_and_figures(&self) -> Vec<(String, Written, Base)> {
        let figures = self.facts[self.owner].figures.iter().enumerate();
        let figures = figures
            .filter(|(_, figure)| matches!(figure.kind, FigureKind::Formula(_)))
            .map(|(at, figure)| (figure.name.clone(), figure.written.clone(), Base::Figure(at)));
        let lines = Written::in_option("show", "lines", 0..5);
        [("lines".to_owned(), lines, Base::Lines)].into_iter().chain(figures).collect()
    }

    /// Lines and figures to date; see [`Usual::ToDate`]. All sources have the same, in the same order.
    fn usual_to_date(&mut self) {
        let lines = Written::in_option("show", "lines", 0..5);
        let before = self.source(self.owner, Some(Shift::Year), &lines);
        for (name, written, what) in self.lines_and_figures() {
            let optional = matches!(what, Base::Figure(_));
            for source in [0, before] {
                let column_name = match source {
                    0 => name.clone(),
                    _ => format!("{}({name})", Summary::YearBefore.name()),
                };
                let of_month =
                    self.add(source, column_name, written.clone(), what.clone(), optional);
                let [month, year] = [PeriodUnit::Month, PeriodUnit::Year].map(Cumulated::ToDate);
                self.columns[of_month].cumulated = Some(month);
                let of_year =
                    BoundColumn { cumulated: Some(year), ..self.columns[of_month].clone() };
                self.columns.push(of_year);
            }
        }
    }

    fn add(
        &mut self,
        source: usize,
        column_name: String,
        written: Written,
        what: Base,
        optional: bool,
    ) -> usize {
        let bases = &mut self.sources[source].bases;
        bases.push(BoundBase {
            column_name: column_name.clone(),
            written: written.clone(),
            what,
            optional,
            shared: false,
        });
        let base = bases.len() - 1;
        let column =
            BoundColumn { column_name, written, source, base, cumulated: None, share: None };
        self.columns.push(column);
        self.columns.len() - 1
    }

    /// Binds one thing that is shown: a share of what accumulates of an earlier time of a figure.
    fn column(&mut self, written: &Written, mistakes: &mut Vec<Mistake>) -> Result<usize, Mistake> {
        let whole = parse(written)?;
        let column_name = column_name(&whole);
        let mut node = whole;
        let (mut share, mut cumulated, mut shift) = (None, None, None);
        while let NodeKind::Call(Function::Summary(summary), arguments) = &node.kind {
            let misplaced = |other: &str| {
                let message = format!("`{}` cannot be used inside {other}", summary.name());
                written.mistake(MistakeKind::WrongPlace, node.span.clone(), message).help(
                    "from the outside in: share, running total, earlier period; as in share(running(year_before(x)))",
                )
            };
            match summary {
                Summary::Share | Summary::ParentShare => {
                    if share.is_some() || cumulated.is_some() || shift.is_some() {
                        return Err(misplaced("a share, a running total or an earlier period"));
                    }
                    let whole = *summary == Summary::Share;
                    share = Some(if whole { ShareOf::Whole } else { ShareOf::Parent });
                }
                Summary::Running | Summary::ToDate(_) => {
                    if cumulated.is_some() || shift.is_some() {
                        return Err(misplaced("a running total or an earlier period"));
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
        let column = self.add(source, column_name, written.clone(), what, false);
        let added = &mut self.columns[column];
        (added.cumulated, added.share) = (cumulated, share);
        self.sources[source].bases[added.base].shared = share.is_some();
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
            let fact = match &node.kind {
                NodeKind::Name(name) => match name.through.as_slice() {
                    [table] => self.named_fact(table),
                    _ => None,
                },
                NodeKind::Lines => None,
                _ => return,
            };
            facts.push(fact.unwrap_or(self.owner));
        });
        match facts.split_first() {
            Some((first, rest)) if rest.iter().all(|other| other == first) => *first,
            _ => self.owner,
        }
    }

    fn named_fact(&self, table: &str) -> Option<usize> {
        let linked = self.facts[self.owner].routes.iter().any(|route| route.name == table);
        let fact = self.facts.iter().position(|bound| bound.fact.name == table);
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
            NodeKind::Lines => Ok(Base::Lines),
            NodeKind::Name(name) if name.column == "lines" && is_count(name, &bound.fact) => {
                Ok(Base::Lines)
            }
            NodeKind::Name(name) => match Scope::of(bound)
                .resolve(name, written)
                .map_err(|mistake| or_lines(mistake, name))?
            {
                Reference::Figure(figure) => Ok(Base::Figure(figure)),
                Reference::Column(column) => {
                    let at = written.at(node.span.clone());
                    bound.fact.column_use.need(column, ColumnType::Number, at);
                    Ok(Base::Column(column))
                }
                Reference::Attribute { .. } => Err(written
                    .mistake(MistakeKind::NoTotal,
                        node.span.clone(),
                        format!("`{node}` is a column of a lookup; its sum over lines is meaningless"),
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
                .mistake(MistakeKind::UnknownName, node.span.clone(), format!("`{node}` is not the name of a figure or column"))
                .help(format!("write `sum({node})`, or give the formula a name under [figures] and show that"))),
        }
    }
}

/// Whether `budget.lines` counts the lines of that fact: it has no column of that name.
fn is_count(name: &ColumnName, fact: &BoundFact) -> bool {
    name.is_own(&fact.name) && !name.through.is_empty() && !fact.columns.contains(&name.column)
}

/// Offers the number of lines, which is no column, for a name that is nearly its own and nearer to nothing else.
fn or_lines(mistake: Mistake, name: &ColumnName) -> Mistake {
    let is_near = name.through.is_empty() && nearest_name(&name.column, &["lines"]).is_some();
    let answered = mistake.help.as_ref().is_some_and(|help| help.starts_with("did you mean"));
    if is_near && !answered {
        mistake.help("did you mean `lines`, the number of lines?")
    } else {
        mistake
    }
}
