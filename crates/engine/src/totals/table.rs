//! Totals, computed: the table as it is shown and written.

use std::sync::Arc;

use interligo_model::values::value::Value;

use super::partly_known::PartlyKnown;
use crate::proof::exact_sum::ExactSum;
use crate::proof::tally::Tally;

/// Totals, computed.
#[derive(Clone, Debug, PartialEq)]
pub struct TotalsTable {
    /// The attributes that make rows, as the plan writes them.
    pub attributes: Vec<String>,
    /// The column names of these attributes.
    pub by: Vec<String>,
    /// How many of them each level of rows has: one level, or more where there are subtotals.
    pub levels: Vec<usize>,
    /// The column names of the attributes in columns.
    pub across: Vec<String>,
    /// What is shown of each group.
    pub measures: Vec<TotalsMeasure>,
    /// The columns of values.
    pub columns: Vec<TotalsColumn>,
    /// The groups, a subtotal before those that it sums up.
    pub rows: Vec<TotalsRow>,
    /// The same over all lines.
    pub whole: TotalsRow,
    /// Lines that count.
    pub lines: u64,
    /// Lines that the filter left out.
    pub filtered: u64,
    /// Of each source of lines what its rows hold, those that sum up no others, and what the filter left out.
    pub sources: Vec<SourceTally>,
    /// By what rows are sorted, where that was not asked for.
    pub sorted_by: Option<String>,
}

/// The lines of one source of a table, as its rows hold them.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct SourceTally {
    /// Those that are in a group.
    pub grouped: Tally,
    /// Those that the filter left out.
    pub filtered: Tally,
}

/// What is shown of each group.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct TotalsMeasure {
    /// Its name in the plan.
    pub name: String,
    /// Its column name.
    pub column_name: String,
    /// What kind of number it is.
    pub kind: MeasureKind,
    /// Lines that count and have no value, and are left out of it.
    pub left_out: u64,
    /// Of this many lines.
    pub of_lines: u64,
    /// Whether its rows must add up to the whole.
    pub adds_up: bool,
    /// Whether it is totalled as a ratio, though it has the form of an amount.
    pub amount_as_ratio: bool,
}

/// What kind of value a measure is; how it is best shown follows from it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum MeasureKind {
    /// A number of lines or of different values.
    Count,
    /// A sum, of numbers with this many decimal places.
    Amount(u8),
    /// A ratio of sums.
    Ratio,
    /// An amount of money, shown with this many places.
    Money(u8),
    /// A share, shown in percent with this many places.
    Percent(u8),
    /// A number, shown with this many places.
    Number(u8),
    /// A day or text.
    Other,
}

impl MeasureKind {
    /// Whether sums of it say something, so that it can be drawn beside others.
    pub fn is_amount(self) -> bool {
        matches!(self, MeasureKind::Amount(_) | MeasureKind::Money(_) | MeasureKind::Number(_))
    }
}

/// A column of values.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct TotalsColumn {
    /// The attributes at its head; none for the totals over all of them, or where nothing is across.
    pub key: Option<Vec<Value<'static>>>,
    /// The measure, by number.
    pub measure: usize,
}

/// One group.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct TotalsRow {
    /// Its attributes: all of them, or those of its level and the levels above. Rows with the same value share it.
    pub key: Box<[Arc<Value<'static>>]>,
    /// Its level, from 0.
    pub level: usize,
    /// Of the rest behind the first rows of a level, how many groups it brings together.
    pub rest: Option<u64>,
    /// Its values; blank where no line has one.
    pub values: Box<[Value<'static>]>,
    /// Its amounts that are known on different lines, where that is reported.
    pub partly_known: Option<Box<PartlyKnown>>,
}

impl TotalsRow {
    /// Its attributes.
    pub fn attributes(&self) -> impl Iterator<Item = &Value<'static>> {
        self.key.iter().map(Arc::as_ref)
    }

    /// One of its attributes, if the row is of a level that has it.
    pub fn attribute(&self, at: usize) -> Option<&Value<'static>> {
        self.key.get(at).map(Arc::as_ref)
    }

    /// Its attributes, and behind them its values.
    pub fn cells(&self) -> impl Iterator<Item = &Value<'static>> {
        self.attributes().chain(&self.values)
    }
}

impl TotalsTable {
    /// The measures whose rows add up to the whole, each by itself: lines, counts and plain sums, and others that happen
    /// to. What is left is computed from totals.
    pub fn adding_up(&self) -> Vec<usize> {
        let kind = |measure: usize| self.measures[measure].kind;
        let may = |measure: usize| kind(measure).is_amount() || kind(measure) == MeasureKind::Count;
        (0..self.measures.len()).filter(|m| may(*m) && self.adds_up(*m)).collect()
    }

    /// The measures whose rows should add up to the whole, and do not, by column name. There is none unless something went
    /// wrong when the table was made.
    pub fn not_adding_up(&self) -> Vec<&str> {
        let must = (0..self.measures.len()).filter(|measure| self.measures[*measure].adds_up);
        must.filter(|measure| !self.adds_up(*measure))
            .map(|measure| self.measures[measure].column_name.as_str())
            .collect()
    }

    fn adds_up(&self, measure: usize) -> bool {
        let over_all = |c: &TotalsColumn| c.key.is_none() && c.measure == measure;
        let Some(column) = self.columns.iter().position(over_all) else { return true };
        let whole = self.whole.values[column].number();
        let is_whole = |rows: &mut dyn Iterator<Item = &TotalsRow>| {
            let sum = ExactSum::of_all(rows.filter_map(|row| row.values[column].number()));
            // Where there are no rows, the whole is of no line.
            sum == whole.map(ExactSum::from)
                || sum.or(whole.map(ExactSum::from)) == Some(ExactSum::default())
        };
        self.by.is_empty()
            || is_whole(&mut self.rows.iter().filter(|row| row.level == 0))
                && (self.levels.len() == 1 || is_whole(&mut self.finest_rows()))
    }

    /// The rows that sum up no others.
    pub fn finest_rows(&self) -> impl Iterator<Item = &TotalsRow> {
        let next = self.rows.iter().skip(1).map(|row| row.level).chain([0]);
        self.rows.iter().zip(next).filter(|(row, next)| *next <= row.level).map(|(row, _)| row)
    }

    /// How a column is headed where there is one line for it: `2025-03 revenue`, `all revenue`.
    pub fn column_name_of(&self, column: &TotalsColumn) -> String {
        let measure = &self.measures[column.measure].column_name;
        match &column.key {
            _ if self.across.is_empty() => measure.clone(),
            None => format!("all {measure}"),
            Some(key) => {
                let key: Vec<String> = key.iter().map(attribute_text).collect();
                format!("{} {measure}", key.join(" "))
            }
        }
    }
}

/// An attribute as it is shown.
pub fn attribute_text(value: &Value<'_>) -> String {
    if value.is_blank() { "(none)".to_owned() } else { value.to_string() }
}

/// Totals that cannot be made.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum TotalsError {
    /// A total overflows: it needs more than 38 digits.
    DoesNotFit {
        /// The measure.
        measure: String,
    },
    /// Attributes across make more columns than anyone reads.
    TooWide {
        /// The attributes.
        across: String,
        /// How many columns they would make.
        columns: usize,
        /// How many there may be.
        most: usize,
    },
    /// Periods without lines would make too many rows.
    TooLong {
        /// How many rows there would be.
        rows: usize,
        /// How many there may be.
        most: usize,
    },
}
