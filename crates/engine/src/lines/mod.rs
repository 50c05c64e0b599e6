//! One batch of lines: from its text to linked rows, figures and findings.
//!
//! Columns are typed, each link becomes a column of row numbers, figures are computed column by
//! column in the order of their use, and whatever was met is counted. The order of the lines is kept;
//! nothing is dropped: a line that is set aside is marked so.

mod kept;
mod observe;
mod tallied;

use std::borrow::Cow;

use arrow_array::StringViewArray;

use crate::engine::additivity::rounded_by_line;
use crate::engine::{Computation, Engine};
pub use crate::eval::Overflow;
use crate::eval::{Computed, Expr, ExprKind, Inputs, Leaves, Type, compute, evaluate, kind_of};
use crate::links::{KeyQuery, LinkStatus, LinkedRows, is_row};
use crate::lookup::gather::gather;
use crate::proof::doubts::Doubts;
use crate::proof::faults::{Fault, strikes};
use crate::proof::findings::{Aside, Findings};
use crate::proof::tally::sum_of;
use interligo_model::place::Spot;
use interligo_model::plan::Missing;
use interligo_model::reading::style::PartStyle;
use interligo_model::values::cells::Cells;
use interligo_model::values::column::{Column, NumberColumn, Numbers};
use interligo_model::values::date::Day;
use interligo_model::values::value::Value;
pub use kept::LinePart;

/// Lines of one part, as its source delivered them.
pub struct LineBatch<'a> {
    /// How many lines.
    pub rows: usize,
    /// The columns that [`Engine::read_columns`] names, in that order.
    pub columns: Vec<Cow<'a, Cells>>,
    /// The file, by number.
    pub part: usize,
    /// How its values are written.
    pub style: &'a PartStyle,
    /// The row of its file in which a line stands.
    pub row_of: &'a dyn Fn(u32) -> u64,
}

/// A figure that overflows: it needs more than 38 digits, or the calendar.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct DoesNotFit {
    /// What it leaves.
    pub why: Overflow,
    /// The figure or formula.
    pub what: String,
    /// The line.
    pub spot: Spot,
}

/// A batch of lines, computed.
pub struct Lines<'e> {
    engine: &'e Engine,
    /// How many lines.
    pub rows: usize,
    pub(crate) columns: Vec<Column>,
    pub(crate) linked: Vec<Option<LinkedRows>>,
    /// What the links from the fact were asked for.
    queries: Vec<Option<KeyQuery>>,
    /// Of each column that is read, the lines whose text could not be read.
    unreadable: Vec<Vec<u32>>,
    figures: Vec<Option<Column>>,
    /// The values that outputs ask for, by number.
    pub values: Vec<Column>,
    /// The lines that are set aside, ascending, with the reason.
    pub aside: Vec<(u32, Aside)>,
    /// What was met.
    pub findings: Findings,
}

impl Engine {
    /// Computes a batch of lines.
    ///
    /// # Errors
    /// The first line on which a number overflows.
    pub fn work_out(&self, batch: &LineBatch<'_>) -> Result<Lines<'_>, DoesNotFit> {
        let mut lines = Lines {
            engine: self,
            rows: batch.rows,
            columns: Vec::with_capacity(self.columns.len()),
            linked: Vec::with_capacity(self.links.len()),
            queries: Vec::with_capacity(self.links.len()),
            unreadable: Vec::new(),
            figures: self.figures.iter().map(|_| None).collect(),
            values: Vec::with_capacity(self.values.len()),
            aside: Vec::new(),
            findings: Findings::default(),
        };
        lines.unreadable = lines.read(batch);
        lines.compute_columns(batch)?;
        lines.link(batch)?;
        lines.set_aside();
        lines.derive(batch)?;
        lines.look_into(batch);
        // Only what is written can be seen to be wrong.
        let written = (0..lines.rows as u32).find(|row| !lines.is_aside(*row));
        if cfg!(debug_assertions)
            && let Some(row) = written
            && lines.values.iter().any(|column| !column.value(row as usize).is_blank())
            && strikes(Fault::FigureChanged)
        {
            lines.values.iter_mut().for_each(|column| spoil(column, row as usize));
        }
        Ok(lines)
    }
}

impl Lines<'_> {
    fn read(&mut self, batch: &LineBatch<'_>) -> Vec<Vec<u32>> {
        let engine = self.engine;
        let mut unreadable = Vec::with_capacity(engine.readings.len());
        let mut doubts = Doubts::default();
        let spot = |row: u32| Spot { part: batch.part, row: (batch.row_of)(row) };
        for (number, reading) in engine.readings.iter().enumerate() {
            let cells = &batch.columns[number];
            let read = reading.read_cells(cells, batch.style, engine.columns[number]);
            doubts.look(engine.columns[number], reading, cells, batch.style, spot);
            if !read.unreadable.is_empty() {
                let texts = cells.texts();
                let of = (batch.style, read.unreadable.as_slice());
                doubts.look_at_unreadable(engine.columns[number], reading, &texts, of, spot);
            }
            self.columns.push(read.column);
            unreadable.push(read.unreadable);
            for (currency, row) in read.currencies {
                self.findings.currencies.entry(number).or_default().push((currency, spot(row)));
            }
        }
        if !doubts.is_empty() {
            self.findings.doubts.insert(batch.part, doubts);
        }
        if self.rows > 0 && !engine.amounts.is_empty() && strikes(Fault::AmountChanged) {
            spoil(&mut self.columns[engine.amounts[0]], 0);
        }
        unreadable
    }

    /// Columns of the fact that are computed from the others.
    fn compute_columns(&mut self, batch: &LineBatch<'_>) -> Result<(), DoesNotFit> {
        let engine = self.engine;
        for computation in &engine.computed {
            let column = match computation {
                Computation::Formula(expr) => self.column_of(expr).map_err(|row| {
                    self.unfit(batch, expr, engine.column_name(self.columns.len()), row)
                })?,
                Computation::TextOf(column) => {
                    let texts =
                        (0..self.rows).map(|row| self.columns[*column].value(row).to_string());
                    Column::Text(StringViewArray::from_iter_values(texts))
                }
            };
            self.columns.push(column);
        }
        Ok(())
    }

    fn link(&mut self, batch: &LineBatch<'_>) -> Result<(), DoesNotFit> {
        let engine = self.engine;
        for (number, link) in engine.links.iter().enumerate() {
            if !engine.links_needed[number] {
                self.queries.push(None);
                self.linked.push(None);
                continue;
            }
            let meant = match &link.when {
                Some(when) => Some(self.meant(when).map_err(|row| {
                    let what = format!("the condition of `{}`", engine.bound.routes[number].name);
                    self.unfit(batch, when, &what, row)
                })?),
                None => None,
            };
            let query = link.query(self.rows, &self.columns, &self.linked, meant);
            let rows = link.resolve(query.as_ref(), &self.linked);
            self.queries.push(query);
            self.linked.push(Some(rows));
        }
        Ok(())
    }

    /// The lines for which a condition holds; one that is blank counts as holding.
    fn meant(&self, when: &Expr) -> Result<Vec<bool>, usize> {
        let column = self.column_of(when)?;
        Ok((0..self.rows).map(|row| column.value(row) != Value::YesNo(false)).collect())
    }

    fn set_aside(&mut self) {
        for (number, link) in self.engine.links.iter().enumerate() {
            let Some(linked) = &self.linked[number] else { continue };
            if link.missing != Missing::SetAside {
                continue;
            }
            let missing = linked.problems.iter().filter(|(_, status)| status.is_missing());
            self.aside.extend(missing.map(|(row, status)| (*row, Aside::Link(number, *status))));
        }
        // A line that several links would set aside goes with the first of them.
        self.aside.sort();
        self.aside.dedup_by_key(|(row, _)| *row);
    }

    fn derive(&mut self, batch: &LineBatch<'_>) -> Result<(), DoesNotFit> {
        for &number in &self.engine.figure_order {
            let figure = self.engine.figure(number);
            let name = &self.engine.bound.figures[number].name;
            let unfit = |own: &Self, row| own.unfit(batch, &figure.expr, name, row);
            let column = self.column_of(&figure.expr).map_err(|row| unfit(self, row))?;
            self.figures[number] = Some(column);
            if self.engine.looks_into_all() {
                self.note_rounding(number).map_err(|row| unfit(self, row))?;
            }
        }
        for expr in &self.engine.values {
            let column = self.column_of(expr);
            let column =
                column.map_err(|row| self.unfit(batch, expr, "a column of an output", row))?;
            self.values.push(column);
        }
        Ok(())
    }

    /// What a value on a line leaves.
    fn unfit(&self, batch: &LineBatch<'_>, expr: &Expr, what: &str, row: usize) -> DoesNotFit {
        let line = Line { lines: self, row };
        let why = evaluate(expr, &line).err().unwrap_or(Overflow::Digits);
        DoesNotFit {
            why,
            what: what.to_owned(),
            spot: Spot { part: batch.part, row: (batch.row_of)(row as u32) },
        }
    }

    /// What rounding a figure on each line does to its sum.
    fn note_rounding(&mut self, figure: usize) -> Result<(), usize> {
        let expr = &self.engine.figure(figure).expr;
        let Some(before) = rounded_by_line(expr, self.engine) else { return Ok(()) };
        let kept: Option<Vec<u32>> = (!self.aside.is_empty())
            .then(|| (0..self.rows as u32).filter(|row| !self.is_aside(*row)).collect());
        let exact = sum_of(self.computed(before)?.as_ref(), kept.as_deref());
        let rounded = sum_of(Inputs::figure(self, figure), kept.as_deref());
        self.findings.rounded.insert(figure, (rounded, exact));
        Ok(())
    }

    /// The values of an expression on all lines.
    ///
    /// # Errors
    /// The first line, not set aside, on which a number overflows.
    pub(crate) fn column_of(&self, expr: &Expr) -> Result<Column, usize> {
        match compute(expr, self) {
            Some(column) => Ok(column.into_owned()),
            None => self.column_by_rows(expr),
        }
    }

    /// The same without a copy where the column is there already.
    pub(crate) fn computed(&self, expr: &Expr) -> Result<Computed<'_>, usize> {
        match compute(expr, self) {
            Some(column) => Ok(column),
            None => self.column_by_rows(expr).map(Computed::Owned),
        }
    }

    fn column_by_rows(&self, expr: &Expr) -> Result<Column, usize> {
        let mut values = Vec::with_capacity(self.rows);
        for row in 0..self.rows {
            values.push(match evaluate(expr, &Line { lines: self, row }) {
                Ok(value) => value.into_owned(),
                Err(_) if self.is_aside(row as u32) => Value::Blank,
                Err(_) => return Err(row),
            });
        }
        Ok(Column::from_values(kind_of(expr.ty), &values))
    }

    /// The keys that a line offers to a link, as the index is asked for them, and its day.
    pub(crate) fn keys_asked(&self, link: usize, row: usize) -> (Vec<String>, Option<Option<Day>>) {
        let own = &self.engine.links[link];
        let parents = own.parent().map_or(&[][..], |parent| self.link_rows(parent));
        own.keys_asked(self.queries[link].as_ref(), parents, row)
    }

    /// Whether the text of a column that is read could not be read.
    pub(crate) fn is_unreadable(&self, column: usize, row: usize) -> bool {
        let lines = self.unreadable.get(column).map_or(&[][..], Vec::as_slice);
        lines.binary_search(&(row as u32)).is_ok()
    }

    /// Whether a line is set aside.
    pub fn is_aside(&self, row: u32) -> bool {
        self.aside.binary_search_by_key(&row, |(aside, _)| *aside).is_ok()
    }

    /// The engine that the lines went through.
    pub(crate) fn engine(&self) -> &Engine {
        self.engine
    }

    /// The values of a figure, if it is one of those that are computed.
    pub(crate) fn known_figure(&self, figure: usize) -> Option<&Column> {
        self.figures[figure].as_ref()
    }

    /// A column of the fact, by its number among those of the lines.
    pub fn column(&self, column: usize) -> &Column {
        &self.columns[column]
    }

    /// The rows of a link's lookup, per line; [`Lines::is_row`] tells whether one is there.
    pub fn link_rows(&self, link: usize) -> &[u32] {
        self.linked[link].as_ref().map_or(&[], |linked| &linked.rows)
    }

    /// How each line came out in a link, with the number of the candidate that was found, or
    /// of the days of a gap.
    pub fn statuses(&self, link: usize) -> Vec<(LinkStatus, u32)> {
        let mut statuses = vec![(LinkStatus::Exact, 0); self.rows];
        if let Some(linked) = &self.linked[link] {
            for via in &linked.matched_via {
                statuses[via.line as usize] = (via.how, via.by);
            }
            for (line, status) in &linked.problems {
                statuses[*line as usize] = (self.engine.links[link].settled(*status), 0);
            }
        }
        statuses
    }

    /// Whether a number from [`Lines::link_rows`] is a row.
    #[inline]
    pub fn is_row(row: u32) -> bool {
        is_row(row)
    }
}

impl Inputs for Lines<'_> {
    fn rows(&self) -> usize {
        self.rows
    }

    fn column(&self, column: usize) -> &Column {
        &self.columns[column]
    }

    fn attribute(&self, route: usize, column: usize) -> Column {
        let linked = self.linked[route].as_ref().expect("links of formulas are resolved");
        gather(self.held(route, column), &linked.rows, linked.complete)
    }

    fn figure(&self, figure: usize) -> &Column {
        self.figures[figure].as_ref().expect("figures are computed in the order of their use")
    }
}

impl Lines<'_> {
    /// The column of a lookup.
    fn held(&self, route: usize, column: usize) -> &Column {
        let lookup = &self.engine.lookups[self.engine.links[route].lookup];
        lookup.columns[column].column.as_ref().expect("attributes in formulas are read")
    }
}

/// Changes a number of a column, for a fault on purpose.
fn spoil(column: &mut Column, row: usize) {
    if let Column::Number(NumberColumn { numbers: Numbers::Fixed { mantissas, .. }, .. }) = column {
        mantissas[row] += 1;
    }
}

/// One line of a batch.
pub(crate) struct Line<'a> {
    pub(crate) lines: &'a Lines<'a>,
    pub(crate) row: usize,
}

impl Leaves for Line<'_> {
    fn column(&self, column: usize) -> Value<'_> {
        self.lines.columns[column].value(self.row)
    }

    fn attribute(&self, route: usize, column: usize) -> Value<'_> {
        let row = self.lines.link_rows(route)[self.row];
        if is_row(row) { self.lines.held(route, column).value(row as usize) } else { Value::Blank }
    }

    fn figure(&self, figure: usize) -> Value<'_> {
        Inputs::figure(self.lines, figure).value(self.row)
    }
}

impl Lines<'_> {
    /// The dictionary code of an attribute on every line, 0 where there is none.
    pub(crate) fn codes(&self, route: usize, codes: &[u32]) -> Vec<u32> {
        let code = |row: &u32| codes.get(*row as usize).copied().unwrap_or(0);
        self.link_rows(route).iter().map(code).collect()
    }
}

/// The text attribute that an expression is, with its link.
pub(crate) fn plain_attribute(expr: &Expr) -> Option<(usize, usize)> {
    match (&expr.kind, expr.ty) {
        (ExprKind::Attribute { route, column }, Type::Text) => Some((*route, *column)),
        _ => None,
    }
}
