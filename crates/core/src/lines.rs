//! One batch of lines: from its text to linked rows, figures and findings.
//!
//! Columns are typed, each link becomes a column of row numbers, figures are worked out column by
//! column in the order of their use, and whatever was met is counted. The order of the lines is kept;
//! nothing is dropped: a line that is set aside is marked so.

use std::borrow::Cow;
use std::collections::BTreeMap;

use arrow_array::StringViewArray;

use crate::cells::Cells;
use crate::column::{Column, NumberColumn, Numbers, is_known};
use crate::date::Day;
use crate::engine::{Computation, Engine, Extent};
use crate::findings::{Aside, BlankBecause, ExactSum, Findings, PLACES_KEPT, Spot, Unreadable};
use crate::formula::{
    Computed, Expr, ExprKind, Inputs, Leaves, Overflow, Type, WhyBlank, compute, evaluate, kind_of,
    why_blank,
};
use crate::gather::gather;
use crate::links::{LinkStatus, LinkedRows, Sought, is_row};
use crate::plan::Missing;
use crate::style::PartStyle;
use crate::tallies::{KeyTallies, KeyTally, SoughtRef};
use crate::totals::rounded_by_line;
use crate::value::Value;

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

/// A figure that does not fit exact arithmetic.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct DoesNotFit {
    /// The figure or formula.
    pub what: String,
    /// The line.
    pub spot: Spot,
}

/// A batch of lines, worked out.
pub struct Lines<'e> {
    engine: &'e Engine,
    /// How many lines.
    pub rows: usize,
    pub(crate) columns: Vec<Column>,
    pub(crate) linked: Vec<Option<LinkedRows>>,
    /// What the links from the fact were asked for.
    sought: Vec<Option<Sought>>,
    figures: Vec<Option<Column>>,
    /// The values that outputs ask for, by number.
    pub values: Vec<Column>,
    /// The lines that are set aside, ascending, with the reason.
    pub aside: Vec<(u32, Aside)>,
    /// What was met.
    pub findings: Findings,
}

impl Engine {
    /// Works out a batch of lines.
    ///
    /// # Errors
    /// The first line on which a number does not fit.
    pub fn work_out(&self, batch: &LineBatch<'_>) -> Result<Lines<'_>, DoesNotFit> {
        let mut lines = Lines {
            engine: self,
            rows: batch.rows,
            columns: Vec::with_capacity(self.columns.len()),
            linked: Vec::with_capacity(self.links.len()),
            sought: Vec::with_capacity(self.links.len()),
            figures: self.figures.iter().map(|_| None).collect(),
            values: Vec::with_capacity(self.values.len()),
            aside: Vec::new(),
            findings: Findings::default(),
        };
        let unreadable = lines.read(batch);
        lines.compute_columns(batch)?;
        lines.link(batch)?;
        lines.set_aside();
        lines.derive(batch)?;
        lines.look_into(batch, &unreadable);
        Ok(lines)
    }
}

impl Lines<'_> {
    fn read(&mut self, batch: &LineBatch<'_>) -> Vec<Vec<u32>> {
        let engine = self.engine;
        let mut unreadable = Vec::with_capacity(engine.readings.len());
        for (number, reading) in engine.readings.iter().enumerate() {
            let cells = &batch.columns[number];
            let read = reading.read_cells(cells, batch.style, engine.columns[number]);
            self.columns.push(read.column);
            unreadable.push(read.unreadable);
            for (currency, row) in read.currencies {
                let spot = Spot { part: batch.part, row: (batch.row_of)(row) };
                self.findings.currencies.entry(number).or_default().push((currency, spot));
            }
        }
        unreadable
    }

    /// Columns of the fact that are worked out from the others.
    fn compute_columns(&mut self, batch: &LineBatch<'_>) -> Result<(), DoesNotFit> {
        let engine = self.engine;
        for computation in &engine.computed {
            let column = match computation {
                Computation::Formula(expr) => self.column_of(expr).map_err(|row| DoesNotFit {
                    what: engine.column_name(self.columns.len()).to_owned(),
                    spot: Spot { part: batch.part, row: (batch.row_of)(row as u32) },
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
                self.sought.push(None);
                self.linked.push(None);
                continue;
            }
            let meant = match &link.when {
                Some(when) => Some(self.meant(when).map_err(|row| DoesNotFit {
                    what: format!("the condition of `{}`", engine.bound.routes[number].name),
                    spot: Spot { part: batch.part, row: (batch.row_of)(row as u32) },
                })?),
                None => None,
            };
            let sought = link.sought(self.rows, &self.columns, &self.linked, meant);
            let rows = link.resolve(sought.as_ref(), &self.linked);
            self.sought.push(sought);
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
        let spot = |row: usize| Spot { part: batch.part, row: (batch.row_of)(row as u32) };
        for &number in &self.engine.figure_order {
            let figure = self.engine.figure(number);
            let column = self.column_of(&figure.expr).map_err(|row| DoesNotFit {
                what: self.engine.bound.figures[number].name.clone(),
                spot: spot(row),
            })?;
            self.figures[number] = Some(column);
            if self.engine.looks_into_all() {
                self.note_rounding(number).map_err(|row| DoesNotFit {
                    what: self.engine.bound.figures[number].name.clone(),
                    spot: spot(row),
                })?;
            }
        }
        for expr in &self.engine.values {
            let column = self.column_of(expr).map_err(|row| DoesNotFit {
                what: "a column of an output".to_owned(),
                spot: spot(row),
            })?;
            self.values.push(column);
        }
        Ok(())
    }

    /// What rounding a figure on each line does to its sum.
    fn note_rounding(&mut self, figure: usize) -> Result<(), usize> {
        let expr = &self.engine.figure(figure).expr;
        let Some(before) = rounded_by_line(expr, self.engine) else { return Ok(()) };
        let kept: Option<Vec<u32>> = (!self.aside.is_empty())
            .then(|| (0..self.rows as u32).filter(|row| !self.is_aside(*row)).collect());
        let exact = sum_rows(self.computed(before)?.as_ref(), kept.as_deref());
        let rounded = sum_rows(Inputs::figure(self, figure), kept.as_deref());
        self.findings.rounded.insert(figure, (rounded, exact));
        Ok(())
    }

    /// The values of an expression on all lines.
    ///
    /// # Errors
    /// The first line, not set aside, on which a number does not fit.
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
                Err(Overflow) if self.is_aside(row as u32) => Value::Blank,
                Err(Overflow) => return Err(row),
            });
        }
        Ok(Column::from_values(kind_of(expr.ty), &values))
    }

    /// Whether a line is set aside.
    pub fn is_aside(&self, row: u32) -> bool {
        self.aside.binary_search_by_key(&row, |(aside, _)| *aside).is_ok()
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
            for detour in &linked.detours {
                statuses[detour.line as usize] = (detour.how, detour.by);
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

    fn look_into(&mut self, batch: &LineBatch<'_>, unreadable: &[Vec<u32>]) {
        let aside: Vec<u32> = self.aside.iter().map(|(row, _)| *row).collect();
        let mut findings = Findings {
            lines: self.rows as u64,
            amounts_read: self.amounts(None),
            amounts_aside: self.amounts(Some(&aside)),
            currencies: std::mem::take(&mut self.findings.currencies),
            rounded: std::mem::take(&mut self.findings.rounded),
            ..Findings::default()
        };
        findings.amounts_kept = if self.aside.is_empty() {
            findings.amounts_read.clone()
        } else {
            let kept: Vec<u32> = (0..self.rows as u32).filter(|row| !self.is_aside(*row)).collect();
            self.amounts(Some(&kept))
        };
        for (_, reason) in &self.aside {
            *findings.aside.entry(*reason).or_default() += 1;
        }
        let spot = |row: u32| Spot { part: batch.part, row: (batch.row_of)(row) };
        for (number, rows) in unreadable.iter().enumerate().filter(|(_, rows)| !rows.is_empty()) {
            let first: Vec<u32> = rows.iter().take(PLACES_KEPT).copied().collect();
            let texts = batch.columns[number].gathered(&first).texts();
            let examples = first.iter().zip(texts.iter().flatten());
            let first = examples.map(|(row, text)| (spot(*row), text.to_owned())).collect();
            findings.unreadable.insert(number, Unreadable { count: rows.len() as u64, first });
        }
        for linked in &self.linked {
            findings.links.push(linked.as_ref().map(|l| l.counts).unwrap_or_default());
        }
        if self.engine.extent == Extent::Everything {
            self.tally_keys(&mut findings, &spot);
        }
        self.note_odd_days(&mut findings, &spot);
        findings.blanks = self.blanks(unreadable);
        self.findings = findings;
    }

    /// Days of lines that cannot well be meant.
    fn note_odd_days(&self, findings: &mut Findings, spot: &impl Fn(u32) -> Spot) {
        let Some(Column::Date(days)) = self.engine.day.map(|day| &self.columns[day]) else {
            return;
        };
        for (row, day) in days.days.iter().enumerate().filter(|(_, day)| Day(**day).is_odd()) {
            if is_known(days.known.as_ref(), row) {
                findings.odd_days.note(spot(row as u32), || Day(*day).to_string());
            }
        }
    }

    /// Sums of the amounts over some lines; over all when none are named.
    fn amounts(&self, rows: Option<&[u32]>) -> Vec<ExactSum> {
        self.engine.amounts.iter().map(|column| sum_rows(&self.columns[*column], rows)).collect()
    }

    fn tally_keys(&self, findings: &mut Findings, spot: &impl Fn(u32) -> Spot) {
        for (number, linked) in self.linked.iter().enumerate() {
            let Some(linked) = linked else { continue };
            let link = &self.engine.links[number];
            let parents = link.parent().map_or(&[][..], |parent| self.link_rows(parent));
            let sought = self.sought[number].as_ref();
            // Under a parent without a row there is no key to speak of.
            let has_key = |row: u32| parents.get(row as usize).is_none_or(|parent| is_row(*parent));
            for (row, status) in linked.problems.iter().filter(|(row, _)| has_key(*row)) {
                if matches!(link.settled(*status), LinkStatus::Absent | LinkStatus::NotMeant) {
                    continue;
                }
                let key = link.offered(sought, parents, *row as usize);
                let key = SoughtRef { link: number, status: *status, key: &key };
                self.tally(&mut findings.keys, key, *row);
            }
            for over in &linked.passed {
                let key = link.offered_in(sought, parents, over.line as usize, over.round as usize);
                let key = SoughtRef { link: number, status: over.status, key: &key };
                self.tally(&mut findings.passed_over, key, over.line);
            }
            if linked.stopping > 0 {
                findings.gaps_stopping.insert(number, linked.stopping);
            }
            for detour in &linked.detours {
                if detour.how == LinkStatus::Mended {
                    *findings.mended.entry((number, detour.by)).or_default() += 1;
                }
                let line = detour.line as usize;
                let (tallies, key) = match detour.how {
                    LinkStatus::Cleaned => {
                        (&mut findings.cleaned, link.written(sought, parents, line))
                    }
                    LinkStatus::Carried => {
                        (&mut findings.carried, link.offered(sought, parents, line))
                    }
                    _ => continue,
                };
                let key = SoughtRef { link: number, status: detour.how, key: &key };
                if let Some(tally) = self.tally(tallies, key, detour.line) {
                    tally.row = tally.row.or(Some(linked.rows[line]));
                    if detour.how == LinkStatus::Carried {
                        tally.gap = tally.gap.max(detour.by);
                    }
                }
            }
        }
        for tallies in [
            &mut findings.keys,
            &mut findings.passed_over,
            &mut findings.cleaned,
            &mut findings.carried,
        ] {
            tallies.place(spot);
        }
    }

    /// Adds a line to the tally of its key, with its number in place of its spot.
    fn tally<'t>(
        &self,
        tallies: &'t mut KeyTallies,
        key: SoughtRef<'_>,
        row: u32,
    ) -> Option<&'t mut KeyTally> {
        let tally = tallies.of(key)?;
        tally.note(Spot { part: 0, row: u64::from(row) });
        tally.amounts.resize(self.engine.amounts.len(), ExactSum::default());
        let line = row as usize;
        let number = |column: &Column| match column {
            Column::Number(numbers) => numbers.get(line),
            _ => None,
        };
        for (sum, column) in tally.amounts.iter_mut().zip(&self.engine.amounts) {
            number(&self.columns[*column]).into_iter().for_each(|amount| sum.add(amount));
        }
        if let Some(figure) = self.engine.stake {
            match self.figures[figure].as_ref().and_then(number) {
                Some(amount) => tally.stake.add(amount),
                None => tally.unknown += 1,
            }
        }
        if let Some(Value::Date(day)) = self.engine.day.map(|day| self.columns[day].value(line)) {
            tally.note_day(day);
        }
        Some(tally)
    }

    /// The blank lines of every figure, by what made them blank.
    fn blanks(&self, unreadable: &[Vec<u32>]) -> BTreeMap<(usize, BlankBecause), u64> {
        let mut blanks = BTreeMap::new();
        for &figure in &self.engine.figure_order {
            let Some(column) = &self.figures[figure] else { continue };
            if is_complete(column) {
                continue;
            }
            for row in (0..self.rows).filter(|row| column.value(*row).is_blank()) {
                if self.is_aside(row as u32) {
                    continue;
                }
                let because = self.why(figure, row, unreadable);
                *blanks.entry((figure, because)).or_default() += 1;
            }
        }
        blanks
    }

    fn why(&self, figure: usize, row: usize, unreadable: &[Vec<u32>]) -> BlankBecause {
        match why_blank(&self.engine.figure(figure).expr, &Line { lines: self, row }) {
            WhyBlank::Figure(figure) => self.why(figure, row, unreadable),
            WhyBlank::Column(column) => {
                // A column that is worked out is never unreadable itself.
                let rows = unreadable.get(column).map_or(&[][..], Vec::as_slice);
                if rows.binary_search(&(row as u32)).is_ok() {
                    BlankBecause::Unreadable(column)
                } else {
                    BlankBecause::Column(column)
                }
            }
            WhyBlank::Attribute { route, column } => {
                let linked = self.linked[route].as_ref().expect("links of figures are resolved");
                // The problem of the nearest link on the way that found no row.
                match linked.problems.binary_search_by_key(&(row as u32), |(row, _)| *row) {
                    Ok(at) if !is_row(linked.rows[row]) => {
                        self.at_its_root(route, row, linked.problems[at].1)
                    }
                    _ => BlankBecause::Attribute(route, column),
                }
            }
            WhyBlank::DividedByZero => BlankBecause::DividedByZero,
            WhyBlank::Chosen => BlankBecause::Chosen,
        }
    }

    /// On a chain, the link that broke it.
    fn at_its_root(&self, link: usize, row: usize, status: LinkStatus) -> BlankBecause {
        let parent = self.engine.links[link].parent();
        if let Some((parent, linked)) = parent.and_then(|p| Some((p, self.linked[p].as_ref()?)))
            && !is_row(linked.rows[row])
            && let Ok(at) = linked.problems.binary_search_by_key(&(row as u32), |(row, _)| *row)
        {
            return self.at_its_root(parent, row, linked.problems[at].1);
        }
        BlankBecause::Link(link, status)
    }
}

/// The sum over some rows; over all when none are named.
fn sum_rows(column: &Column, rows: Option<&[u32]>) -> ExactSum {
    let Column::Number(column) = column else { return ExactSum::default() };
    let mut sum = ExactSum::default();
    match (&column.numbers, rows, &column.known) {
        // 2^64 numbers of 64 bits fit 128 bits.
        (Numbers::Fixed { mantissas, places }, None, None) => {
            let total: i128 = mantissas.iter().map(|m| i128::from(*m)).sum();
            sum.0 = crate::decimal::Decimal::new(total, *places);
        }
        (_, None, _) => {
            (0..column_len(column)).filter_map(|row| column.get(row)).for_each(|n| sum.add(n))
        }
        (_, Some(rows), _) => {
            rows.iter().filter_map(|row| column.get(*row as usize)).for_each(|n| sum.add(n));
        }
    }
    sum
}

fn column_len(column: &NumberColumn) -> usize {
    match &column.numbers {
        Numbers::Fixed { mantissas, .. } => mantissas.len(),
        Numbers::Wide(numbers) => numbers.len(),
    }
}

/// Whether no row is blank, if that can be told without going through them.
fn is_complete(column: &Column) -> bool {
    match column {
        Column::Number(column) => column.known.is_none(),
        Column::Date(column) | Column::Period(_, column) => column.known.is_none(),
        Column::Text(_) | Column::YesNo(_) => false,
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
        self.figures[figure].as_ref().expect("figures are worked out in the order of their use")
    }
}

impl Lines<'_> {
    /// The column of a lookup.
    fn held(&self, route: usize, column: usize) -> &Column {
        let lookup = &self.engine.lookups[self.engine.links[route].lookup];
        lookup.columns[column].column.as_ref().expect("attributes in formulas are read")
    }
}

/// One line of a batch.
struct Line<'a> {
    lines: &'a Lines<'a>,
    row: usize,
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
