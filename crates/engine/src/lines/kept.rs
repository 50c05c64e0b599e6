//! Lines that were computed before: what is kept of a batch, and a batch made of it again.
//!
//! Totals ask for columns of lines, for the rows that links found, and for figures. Where all of these are kept, totals are
//! summed from them by the same code, and nothing is read, linked or computed a second time.

use std::borrow::Cow;
use std::collections::BTreeMap;

use super::Lines;
use crate::engine::{Computation, Engine};
use crate::eval::{Expr, ExprKind};
use crate::links::LinkedRows;
use crate::outputs::{Output, OutputContent};
use crate::proof::findings::{Aside, Findings};
use crate::proof::tally::Measured;
use interligo_model::values::column::{Column, NumberColumn, Numbers};

/// A column of what lines come to.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum LinePart {
    /// A column of the fact, by its number among those of lines.
    Column(usize),
    /// The rows that a link found, as numbers; those below zero say why there is none.
    Rows(usize),
    /// A figure.
    Figure(usize),
}

impl Engine {
    /// What can be kept of lines, with a name for each that says the same of every engine for the same plan and files.
    pub fn line_parts(&self) -> Vec<(LinePart, String)> {
        let column = |number: usize| {
            let form = match self.readings.get(number) {
                Some(reading) => format!("{:?}", reading.column_type),
                None => match &self.computed[number - self.readings.len()] {
                    Computation::Formula(_) => "formula".to_owned(),
                    Computation::TextOf(_) => "text of formula".to_owned(),
                },
            };
            (LinePart::Column(number), format!("column {} {form}", self.column_name(number)))
        };
        let routes = self.bound.routes.iter().enumerate();
        let rows =
            routes.filter(|(number, _)| self.links_needed[*number]).map(|(number, route)| {
                let lookup = &self.bound.lookups[route.lookup].name;
                (LinePart::Rows(number), format!("rows {number} {} of {lookup}", route.name))
            });
        let figure = |number: &usize| {
            (LinePart::Figure(*number), format!("figure {}", self.bound.figures[*number].name))
        };
        let columns = (0..self.columns.len()).map(column);
        columns.chain(rows).chain(self.figure_order.iter().map(figure)).collect()
    }

    /// What totals among some outputs are summed from.
    pub fn parts_of_totals(&self, outputs: &[Output]) -> Vec<LinePart> {
        let mut parts: Vec<LinePart> = Vec::new();
        let mut note = |expr: &Expr| {
            expr.any(&mut |inner| {
                parts.extend(match inner.kind {
                    ExprKind::Column(column) => Some(LinePart::Column(column)),
                    ExprKind::Attribute { route, .. } => Some(LinePart::Rows(route)),
                    ExprKind::Figure(figure) => Some(LinePart::Figure(figure)),
                    _ => None,
                });
                false
            });
        };
        for output in outputs {
            if let OutputContent::Totals { plan, .. } = &output.content {
                plan.exprs().for_each(&mut note);
            }
        }
        parts.sort_unstable();
        parts.dedup();
        parts
    }

    /// What lines amount to in the tie-out, by name.
    pub fn measure_names(&self) -> Vec<String> {
        let name = |(number, measured): (usize, &Measured)| {
            let kind = match measured {
                Measured::Read(_) => "read",
                Measured::Computed(_) => "computed",
                Measured::Figure(_) => "figure",
            };
            format!("{kind} {}", self.measure_name(number))
        };
        self.measured.iter().enumerate().map(name).collect()
    }

    /// Lines made of what was kept of them. What is not there must not be asked for; see [`Engine::parts_of_totals`].
    ///
    /// # Errors
    /// What was kept is of other lines, or names rows that the lookups lack.
    pub fn restored(
        &self,
        rows: usize,
        parts: BTreeMap<LinePart, Column>,
        aside: Vec<(u32, Aside)>,
    ) -> Result<Lines<'_>, String> {
        let mut lines = Lines {
            engine: self,
            rows,
            columns: vec![Column::YesNo(Vec::new()); self.columns.len()],
            linked: self.links.iter().map(|_| None).collect(),
            queries: self.links.iter().map(|_| None).collect(),
            unreadable: Vec::new(),
            figures: self.figures.iter().map(|_| None).collect(),
            values: Vec::new(),
            aside,
            findings: Findings::default(),
        };
        if let Some((row, _)) = lines.aside.iter().find(|(row, _)| *row as usize >= rows) {
            return Err(format!("{rows} lines, and one set aside that is number {row}"));
        }
        for (part, column) in parts {
            if column.len() != rows {
                return Err(format!("{rows} lines, and {} values", column.len()));
            }
            match part {
                LinePart::Column(number) => lines.columns[number] = column,
                LinePart::Figure(number) => lines.figures[number] = Some(column),
                LinePart::Rows(link) => {
                    lines.linked[link] = Some(linked_rows(column, self.lookup_rows(link))?);
                }
            }
        }
        Ok(lines)
    }
}

impl Lines<'_> {
    /// What is kept of a part of the lines.
    pub fn part(&self, part: LinePart) -> Cow<'_, Column> {
        match part {
            LinePart::Column(number) => Cow::Borrowed(&self.columns[number]),
            LinePart::Figure(number) => Cow::Borrowed(match &self.figures[number] {
                Some(figure) => figure,
                None => unreachable!("figures that are kept are computed"),
            }),
            LinePart::Rows(link) => {
                // The numbers that say why there is no row are the greatest there are, and near zero as signed ones.
                let rows = self.link_rows(link).iter();
                let mantissas = rows.map(|row| i64::from(*row as i32)).collect();
                let numbers = Numbers::Fixed { mantissas, places: 0 };
                Cow::Owned(Column::Number(NumberColumn { numbers, known: None }))
            }
        }
    }
}

fn linked_rows(column: Column, of_lookup: usize) -> Result<LinkedRows, String> {
    let Column::Number(NumberColumn { numbers: Numbers::Fixed { mantissas, .. }, .. }) = column
    else {
        return Err("rows of a lookup that are no numbers".to_owned());
    };
    let rows: Vec<u32> = mantissas.into_iter().map(|row| row as i32 as u32).collect();
    let is_own = |row: &u32| (*row as usize) < of_lookup;
    if let Some(row) = rows.iter().find(|row| Lines::is_row(**row) && !is_own(row)) {
        return Err(format!("row {row} of a lookup that has {of_lookup}"));
    }
    Ok(LinkedRows { complete: rows.iter().all(is_own), rows, ..LinkedRows::default() })
}
