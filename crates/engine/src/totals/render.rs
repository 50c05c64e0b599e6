//! A table in the renderer: sums accumulate, rows are put in order, and values are computed of sums.

use std::cmp::Ordering;
use std::sync::Arc;

use interligo_model::values::decimal::{Decimal, MAX_PLACES, QUOTIENT_PLACES};
use interligo_model::values::value::Value;

use super::cells::GroupSums;
use super::codes::Key;
use super::cube::Cube;
use super::layout::{Column, Layout, Order, SortBy};
use super::partly_known::PartlyKnown;
use super::plan::TotalsPlan;
use super::ranked::Ranked;
use super::sums::{NO_GROUP, Sums};
use super::table::{
    MeasureKind, SourceTally, TotalsColumn, TotalsError, TotalsMeasure, TotalsRow, TotalsTable,
};
use super::time_shift::TimeAttribute;
use super::to_date::{along_columns, along_rows};
use super::tree::{Cells, Node};
use crate::bind::Shift;
use crate::bind::{Cumulated, ShareOf};
use crate::eval::{Expr, Leaves, evaluate};
use crate::proof::faults::{Fault, strikes};
use crate::proof::tally::Tally;

/// A table in the renderer.
pub(super) struct Renderer<'a> {
    pub(super) layout: &'a Layout,
    /// Of each source its plan.
    pub(super) plans: &'a [&'a TotalsPlan],
    pub(super) sums: Sums,
    /// The group of the whole, which is there without any line too.
    pub(super) whole: u32,
    /// Of each attribute its values, by rank.
    pub(super) values: Vec<Vec<Arc<Value<'static>>>>,
    /// The ranks of the attributes across, of each column.
    pub(super) columns: Vec<Key>,
    /// The ways in which sums accumulate.
    pub(super) runs: Vec<Cumulated>,
}

/// A column of values: one across, or over all.
type At = Option<usize>;

/// What is shown of a row, for a condition on it.
struct Shown<'a> {
    renderer: &'a Renderer<'a>,
    node: &'a Node,
    parent: &'a Cells,
    whole: &'a Cells,
}

impl Leaves for Shown<'_> {
    fn column(&self, shown: usize) -> Value<'_> {
        let value = self.renderer.measure(shown, self.node, None, self.parent, self.whole);
        // Only numbers are compared with numbers.
        value.ok().filter(|value| value.number().is_some()).unwrap_or(Value::Blank)
    }
}

/// More columns than this are refused: nobody reads them.
const MOST_COLUMNS: usize = 1_000;

impl Layout {
    /// The ways in which sums accumulate that the table shows.
    fn runs(&self) -> Vec<Cumulated> {
        let mut runs: Vec<Cumulated> = Vec::new();
        for run in self.columns.iter().filter_map(|column| column.cumulated) {
            if !runs.contains(&run) {
                runs.push(run);
            }
        }
        // What runs along rows in their order is settled last.
        runs.sort_by_key(|run| *run == Cumulated::Running);
        runs
    }

    /// The table of what was summed. `plans` are those of the sources, in their order.
    ///
    /// # Errors
    /// A total that overflows, more columns or rows than a table may have.
    pub fn table(&self, plans: &[&TotalsPlan], cube: Cube) -> Result<TotalsTable, TotalsError> {
        let (lines, filtered) = (cube.lines(), cube.filtered().to_vec());
        let ranked = Ranked::new(self, plans, cube)?;
        let rows: usize = self.levels.iter().sum();
        let width = (ranked.columns.len() + 1) * self.column_names().len();
        let by: Vec<String> = plans[0].by.iter().map(|by| by.column_name.clone()).collect();
        if !ranked.columns.is_empty() && width > MOST_COLUMNS {
            let across = by[rows..].join(", ");
            return Err(TotalsError::TooWide { across, columns: width, most: MOST_COLUMNS });
        }
        let Ranked { values, columns, keys, entries, mut sums } = ranked;
        let mut root = sums.tree(entries, &keys, &self.levels);
        // Without any line there still is a whole, of none.
        sums.laid_out(plans[0]);
        if root.cells.all == NO_GROUP {
            root.cells.all = sums.add_group();
        }
        let (whole, runs) = (root.cells.all, self.runs());
        let mut renderer = Renderer { layout: self, plans, sums, whole, values, columns, runs };
        renderer.run_up(&mut root);
        renderer.table(&root, &by, lines, filtered)
    }
}

impl Renderer<'_> {
    /// Lets sums accumulate to a date, puts rows in order, keeps the first, and lets sums accumulate along rows.
    pub(super) fn run_up(&mut self, root: &mut Node) {
        let layout = self.layout;
        let rows: usize = layout.levels.iter().sum();
        let to_date = |run: &Cumulated| match run {
            Cumulated::ToDate(unit) => Some(*unit),
            Cumulated::Running => None,
        };
        let in_rows = |time: &TimeAttribute| time.attribute < rows;
        if let Some(time) = layout.time.as_ref().filter(|time| in_rows(time)) {
            for unit in self.runs.iter().filter_map(to_date) {
                let values = &self.values[time.attribute];
                along_rows(&mut self.sums, root, &layout.levels, time.attribute, values, unit);
            }
        }
        let whole = root.cells.clone();
        self.sort(root, 0, &whole);
        if let Some(having) = &layout.having {
            self.keep_where(having, root, 0, &whole);
        }
        if let Some(top) = layout.top {
            root.at_level_mut(layout.levels_apart, &mut |node| self.sums.keep_top(node, top));
        }
        if let Some(time) = layout.time.as_ref().filter(|time| !in_rows(time)) {
            for unit in self.runs.iter().filter_map(to_date) {
                let values = &self.values[time.attribute];
                let at = time.attribute - rows;
                along_columns(&mut self.sums, root, &self.columns, at, values, unit);
            }
        }
        if self.runs.contains(&Cumulated::Running) {
            let whole = root.cells.clone();
            root.cumulated.push((Cumulated::Running, whole));
            self.sums.run_up(root);
        }
    }

    /// Puts the rows below a row in order; `level` is theirs, `whole` is what shares are of.
    fn sort(&self, node: &mut Node, level: usize, whole: &Cells) {
        if level >= self.layout.levels.len() {
            return;
        }
        let apart = (level <= self.layout.levels_apart).then(|| node.cells.clone());
        let whole = apart.as_ref().unwrap_or(whole);
        if !self.layout.sort.is_empty() {
            let before: usize = self.layout.levels[..level].iter().sum();
            let parent = node.cells.clone();
            let keys = |child: &Node| -> Vec<Value<'static>> {
                let key = |(by, _): &(SortBy, Order)| match by {
                    SortBy::Attribute(attribute) => match child.path.get(*attribute) {
                        Some(rank) if *attribute >= before => {
                            Value::Number(i64::from(*rank).into())
                        }
                        _ => Value::Blank,
                    },
                    SortBy::Measure(measure) => {
                        self.measure(*measure, child, None, &parent, whole).unwrap_or(Value::Blank)
                    }
                };
                self.layout.sort.iter().map(key).collect()
            };
            let mut keyed: Vec<(Vec<Value<'static>>, Node)> =
                std::mem::take(&mut node.children).into_iter().map(|c| (keys(&c), c)).collect();
            keyed.sort_by(|(a, _), (b, _)| self.in_order(a, b));
            node.children = keyed.into_iter().map(|(_, child)| child).collect();
        }
        node.children.iter_mut().for_each(|child| self.sort(child, level + 1, whole));
    }

    /// Keeps the rows of each level that meet a condition, and brings its others together in one.
    fn keep_where(&mut self, having: &Expr, node: &mut Node, level: usize, whole: &Cells) {
        if level >= self.layout.levels.len() {
            return;
        }
        let apart = (level <= self.layout.levels_apart).then(|| node.cells.clone());
        let whole = apart.as_ref().unwrap_or(whole);
        let parent = node.cells.clone();
        let meets = |child: &Node| {
            let shown = Shown { renderer: self, node: child, parent: &parent, whole };
            matches!(evaluate(having, &shown), Ok(Value::YesNo(true)))
        };
        let children = std::mem::take(&mut node.children);
        let (kept, others): (Vec<Node>, Vec<Node>) = children.into_iter().partition(meets);
        node.children = kept;
        self.sums.add_rest(node, &others);
        let own = node.children.iter_mut().filter(|child| child.rest.is_none());
        own.for_each(|child| self.keep_where(having, child, level + 1, whole));
    }

    /// The order of two rows by what they are sorted by. Blanks stay last in either direction.
    fn in_order(&self, a: &[Value<'_>], b: &[Value<'_>]) -> Ordering {
        let keys = a.iter().zip(b).zip(&self.layout.sort);
        let compared = keys.map(|((a, b), (_, order))| match (a.is_blank(), b.is_blank(), order) {
            (true, _, _) | (_, true, _) => a.is_blank().cmp(&b.is_blank()),
            (_, _, Order::Ascending) => a.cmp(b),
            (_, _, Order::Descending) => b.cmp(a),
        });
        compared.fold(Ordering::Equal, Ordering::then)
    }

    /// The value of a measure of a row: of its whole, or of a column across. The difference follows the columns.
    fn measure(
        &self,
        number: usize,
        node: &Node,
        at: At,
        parent: &Cells,
        whole: &Cells,
    ) -> Result<Value<'static>, TotalsError> {
        let layout = self.layout;
        let Some(column) = layout.columns.get(number) else {
            let Some((first, second)) = layout.versus else { return Ok(Value::Blank) };
            let first = self.measure(first, node, at, parent, whole)?;
            let second = self.measure(second, node, at, parent, whole)?;
            let column_name = || self.layout.column_names()[number].clone();
            return difference(&first, &second, number - layout.columns.len())
                .ok_or_else(|| TotalsError::DoesNotFit { measure: column_name() });
        };
        let plan = self.plans[column.source];
        if plan.shift == Some(Shift::Period) && !self.has_time(node, at) {
            return Ok(Value::Blank);
        }
        let own = match column.cumulated {
            None => Some(&node.cells),
            Some(run) => {
                let of_run = node.cumulated.iter().find(|(known, _)| *known == run);
                of_run.map(|(_, cells)| cells)
            }
        };
        let Some(own) = own else { return Ok(Value::Blank) };
        let value = self.value(column, own, at)?;
        let of = match column.share {
            None => return Ok(value),
            Some(ShareOf::Parent) => parent,
            Some(ShareOf::Whole) => whole,
        };
        let of = self.value(column, of, at)?;
        Ok(match (value.number(), of.number()) {
            (Some(part), Some(of)) if !of.is_zero() => quotient(part, of)
                .ok_or_else(|| TotalsError::DoesNotFit { measure: column.column_name.clone() })?,
            _ => Value::Blank,
        })
    }

    /// Whether a value is of one period: what lies before several is not what lies before each of them.
    fn has_time(&self, node: &Node, at: At) -> bool {
        let rows: usize = self.layout.levels.iter().sum();
        self.layout.time.as_ref().is_some_and(|time| match time.attribute < rows {
            true => node.path.len() > time.attribute,
            false => at.is_some(),
        })
    }

    fn value(&self, column: &Column, cells: &Cells, at: At) -> Result<Value<'static>, TotalsError> {
        let group = match at {
            None => Some(cells.all),
            Some(at) => cells.across.get(&at).copied(),
        };
        let plan = self.plans[column.source];
        match group.and_then(|group| self.sums_of(group, column.source)) {
            Some(sums) => sums.value(plan, &plan.measures[column.measure]),
            None => Ok(Value::Blank),
        }
    }

    /// What a source has of a group, if it has lines there; the whole is there without any.
    fn sums_of(&self, group: u32, source: usize) -> Option<GroupSums<'_>> {
        match group {
            NO_GROUP => None,
            _ if group == self.whole && source == 0 => Some(self.sums.any(group, source)),
            _ => self.sums.of(group, source),
        }
    }

    /// The table of what has been put in order.
    pub(super) fn table(
        &self,
        root: &Node,
        by: &[String],
        lines: u64,
        filtered: Vec<Tally>,
    ) -> Result<TotalsTable, TotalsError> {
        let rows: usize = self.layout.levels.iter().sum();
        let column_names = self.layout.column_names();
        let key = |across: &Key| -> Vec<Value<'static>> {
            let ranks = across.iter().enumerate();
            ranks.map(|(at, rank)| (*self.values[rows + at][*rank as usize]).clone()).collect()
        };
        let ats = || (0..self.columns.len()).map(Some).chain([None]);
        let columns = ats().flat_map(|at| {
            let key = at.map(|at: usize| key(&self.columns[at]));
            (0..column_names.len()).map(move |measure| TotalsColumn { key: key.clone(), measure })
        });
        let labelled = |name: &String| self.layout.labels.of(name).into_owned();
        let mut table = TotalsTable {
            levels: self.layout.levels.clone(),
            across: by[rows..].iter().map(labelled).collect(),
            attributes: by[..rows].to_vec(),
            by: by[..rows].iter().map(labelled).collect(),
            measures: self.measures(root, &column_names),
            columns: columns.collect(),
            rows: Vec::new(),
            whole: TotalsRow {
                key: Box::default(),
                level: 0,
                rest: None,
                values: Box::default(),
                partly_known: self.partly_known(root),
            },
            lines,
            filtered: filtered.first().map_or(0, |filtered| filtered.lines),
            sources: filtered
                .into_iter()
                .map(|f| SourceTally { filtered: f, ..SourceTally::default() })
                .collect(),
            sorted_by: self.layout.sorted_by.as_ref().map(labelled),
        };
        let row = |node: &Node,
                   parent: &Cells,
                   whole: &Cells|
         -> Result<Box<[Value<'static>]>, TotalsError> {
            let of = |at| (0..column_names.len()).map(move |measure| (at, measure));
            ats()
                .flat_map(of)
                .map(|(at, measure)| self.measure(measure, node, at, parent, whole))
                .collect()
        };
        table.whole.values = row(root, &root.cells, &root.cells)?;
        // Rows with the row above, what shares are of, and their level.
        let mut open: Vec<(&Node, &Cells, &Cells, usize)> =
            root.children.iter().rev().map(|child| (child, &root.cells, &root.cells, 0)).collect();
        while let Some((node, parent, whole, level)) = open.pop() {
            // The head of a table that is apart is the whole of it.
            let is_head = level < self.layout.levels_apart;
            let (parent, whole) =
                if is_head { (&node.cells, &node.cells) } else { (parent, whole) };
            let key = node.path.iter().enumerate();
            let key = key.map(|(at, rank)| Arc::clone(&self.values[at][*rank as usize])).collect();
            if strikes(Fault::TotalsRowLost) {
                continue;
            }
            table.rows.push(TotalsRow {
                key,
                level,
                rest: node.rest,
                values: row(node, parent, whole)?,
                partly_known: self.partly_known(node),
            });
            if node.children.is_empty() {
                self.tally(node, &mut table.sources);
            }
            let below = node.children.iter().rev();
            open.extend(below.map(|child| (child, &node.cells, whole, level + 1)));
        }
        if root.children.is_empty() && table.by.is_empty() {
            self.tally(root, &mut table.sources);
        }
        Ok(table)
    }

    fn partly_known(&self, node: &Node) -> Option<Box<PartlyKnown>> {
        let mut found = self.plans[0].partly_known(self.sums_of(node.cells.all, 0)?)?;
        for amount in &mut found.amounts {
            amount.column_name = self.layout.labels.of(&amount.column_name).into_owned();
        }
        Some(Box::new(found))
    }

    /// Adds the lines of a row that sums up no others, by source.
    fn tally(&self, node: &Node, sources: &mut [SourceTally]) {
        for (source, (plan, own)) in self.plans.iter().zip(sources).enumerate() {
            if let Some(sums) = self.sums_of(node.cells.all, source) {
                sums.add_to(&mut own.grouped, plan);
            }
        }
    }

    /// What the measures are, and which lines they leave out.
    fn measures(&self, root: &Node, column_names: &[String]) -> Vec<TotalsMeasure> {
        let mut measures = Vec::new();
        for column in &self.layout.columns {
            let plan = self.plans[column.source];
            let measure = &plan.measures[column.measure];
            let sums = self.sums_of(root.cells.all, column.source);
            let of_lines = sums.map_or(0, GroupSums::lines);
            let derived = column.share.is_some() || column.cumulated.is_some();
            let known = sums.and_then(|sums| measure.known(sums)).filter(|_| !derived);
            let kind = match column.share {
                Some(_) => MeasureKind::Percent(1),
                None => measure.kind,
            };
            let left_out = known.map_or(0, |known| of_lines - known);
            let name = column.column_name.clone();
            let column_name = self.layout.labels.of(&name).into_owned();
            let adds_up = !derived && plan.shift.is_none() && measure.adds_up(&plan.sums);
            measures.push(TotalsMeasure {
                name,
                column_name,
                kind,
                left_out,
                of_lines,
                adds_up,
                amount_as_ratio: measure.amount_as_ratio,
            });
        }
        if let Some((first, _)) = self.layout.versus {
            let kinds = [measures[first].kind, MeasureKind::Percent(1)];
            let column_names = column_names[self.layout.columns.len()..].iter().cloned();
            measures.extend(column_names.zip(kinds).map(|(name, kind)| TotalsMeasure {
                column_name: self.layout.labels.of(&name).into_owned(),
                name,
                kind,
                left_out: 0,
                of_lines: 0,
                adds_up: false,
                amount_as_ratio: false,
            }));
        }
        measures
    }
}

/// The first less the second, or that by the second; a side that is blank counts as nothing.
fn difference(first: &Value<'_>, second: &Value<'_>, which: usize) -> Option<Value<'static>> {
    let (a, b) = (first.number(), second.number());
    if a.is_none() && b.is_none() {
        return Some(Value::Blank);
    }
    let less = a.unwrap_or(Decimal::ZERO).checked_sub(b.unwrap_or(Decimal::ZERO))?;
    match (which, b) {
        (0, _) => Some(Value::Number(less)),
        (_, Some(b)) if !b.is_zero() => quotient(less, b),
        _ => Some(Value::Blank),
    }
}

fn quotient(part: Decimal, of: Decimal) -> Option<Value<'static>> {
    let places = part.trimmed(0).places().max(of.trimmed(0).places());
    let places = places.saturating_add(QUOTIENT_PLACES).min(MAX_PLACES);
    Some(Value::Number(part.checked_div(of, places)?.trimmed(0)))
}
