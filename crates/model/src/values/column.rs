//! Columns of typed values: what a batch of lines or a lookup holds once its text has been read.
//!
//! Text columns are Arrow string views into the block that was read. Numbers share one count of
//! decimal places as whole numbers of 64 bits where they fit ([`Numbers::Fixed`]), which they nearly
//! always do, and are single decimals otherwise.

use std::borrow::Cow;
use std::collections::BTreeSet;

use arrow_array::{Array, StringViewArray};
use arrow_buffer::NullBuffer;
use serde::{Deserialize, Serialize};

use crate::values::date::{Day, Period, PeriodUnit};
use crate::values::decimal::Decimal;
use crate::values::kept_column::KeptColumn;
use crate::values::value::Value;

/// A column. A text is blank when it is empty or white space; the others say which rows are known.
#[derive(Clone, Debug, Serialize, Deserialize)]
#[serde(try_from = "KeptColumn", into = "KeptColumn")]
pub enum Column {
    /// Text, as written.
    Text(StringViewArray),
    /// Exact numbers.
    Number(NumberColumn),
    /// Days since 1970-01-01.
    Date(DateColumn),
    /// Periods of one unit.
    Period(PeriodUnit, DateColumn),
    /// Yes, no or blank.
    YesNo(Vec<Option<bool>>),
}

/// What a column is to hold.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ColumnKind {
    /// Texts.
    Text,
    /// Numbers, of this many places as far as they fit.
    Number(u8),
    /// Days.
    Date,
    /// Periods of one unit.
    Period(PeriodUnit),
    /// Yes or no.
    YesNo,
}

/// Whole numbers with the rows that are known; `None` when all are.
#[derive(Clone, Debug)]
pub struct DateColumn {
    /// Days or ordinals of periods. What is in an unknown row has no meaning.
    pub days: Vec<i32>,
    /// The known rows.
    pub known: Option<NullBuffer>,
}

/// Numbers with the rows that are known; `None` when all are.
#[derive(Clone, Debug)]
pub struct NumberColumn {
    /// The numbers. What is in an unknown row has no meaning.
    pub numbers: Numbers,
    /// The known rows.
    pub known: Option<NullBuffer>,
}

/// The form in which a column's numbers are held.
#[derive(Clone, Debug)]
pub enum Numbers {
    /// All have the same places and fit 64 bits.
    Fixed {
        /// The numbers without their decimal point.
        mantissas: Vec<i64>,
        /// The places of all of them.
        places: u8,
    },
    /// Any decimals.
    Wide(Vec<Decimal>),
}

/// Whether a row is known, by an optional bitmap.
#[inline]
pub fn is_known(known: Option<&NullBuffer>, row: usize) -> bool {
    known.is_none_or(|known| known.is_valid(row))
}

/// A bitmap from a test per row; `None` when the test holds for all.
pub fn known_where(rows: usize, test: impl FnMut(usize) -> bool) -> Option<NullBuffer> {
    let known = NullBuffer::new(arrow_buffer::BooleanBuffer::collect_bool(rows, test));
    (known.null_count() > 0).then_some(known)
}

/// Whether a row of a text column is blank. Texts that were read are blank where they say nothing; texts that a formula
/// made are whatever it made, and come with a bitmap of those that are known.
#[inline]
pub fn is_blank_at(texts: &StringViewArray, row: usize) -> bool {
    match texts.nulls() {
        Some(known) => known.is_null(row),
        None => is_blank_text(texts.value(row)),
    }
}

/// Texts that a formula made.
fn made_texts<'t>(texts: impl Iterator<Item = Option<&'t str>> + Clone) -> StringViewArray {
    let known: NullBuffer = texts.clone().map(|text| text.is_some()).collect::<Vec<bool>>().into();
    let texts = StringViewArray::from_iter_values(texts.map(|text| text.unwrap_or("")));
    let (views, buffers, _) = texts.into_parts();
    StringViewArray::try_new(views, buffers, Some(known))
        .expect("the views are those of an array, and as many as are known or not")
}

/// Whether a text that was read counts as blank.
#[inline]
pub fn is_blank_text(text: &str) -> bool {
    // Most texts say with their first byte that they are not.
    match text.as_bytes().first() {
        None => true,
        Some(first) => !first.is_ascii_graphic() && text.trim_start().is_empty(),
    }
}

impl NumberColumn {
    /// The places of its numbers, of which the last may be zeros.
    pub fn places(&self) -> u8 {
        match &self.numbers {
            Numbers::Fixed { places, .. } => *places,
            Numbers::Wide(numbers) => {
                numbers.iter().map(|number| number.places()).max().unwrap_or(0)
            }
        }
    }

    /// The number in a row, if it is known.
    pub fn get(&self, row: usize) -> Option<Decimal> {
        if !is_known(self.known.as_ref(), row) {
            return None;
        }
        match &self.numbers {
            Numbers::Fixed { mantissas, places } => {
                Decimal::new(i128::from(mantissas[row]), *places)
            }
            Numbers::Wide(numbers) => Some(numbers[row]),
        }
    }

    /// The same numbers, each times `scale` and with this many places, should they fit; `None` when they are to
    /// be read one by one.
    pub fn scaled(&self, scale: Option<Decimal>, places: u8) -> Option<NumberColumn> {
        let Numbers::Fixed { mantissas, places: own } = &self.numbers else { return None };
        let (scale, scale_places) = scale.map_or((1, 0), |s| (s.mantissa(), s.places()));
        let shift = places.checked_sub(*own)?.checked_sub(scale_places)?;
        let factor =
            i64::try_from(scale).ok()?.checked_mul(10i64.checked_pow(u32::from(shift))?)?;
        let mantissas = match factor {
            1 => mantissas.clone(),
            _ => mantissas.iter().map(|m| m.checked_mul(factor)).collect::<Option<_>>()?,
        };
        let numbers = Numbers::Fixed { mantissas, places };
        Some(NumberColumn { numbers, known: self.known.clone() })
    }

    /// A column from single numbers, in the fixed form if `places` and 64 bits hold all of them.
    pub fn from_decimals(values: &[Option<Decimal>], places: u8) -> NumberColumn {
        let known = known_where(values.len(), |row| values[row].is_some());
        let fixed = |value: &Option<Decimal>| match value {
            None => Some(0),
            Some(value) => value.with_places(places).and_then(|v| i64::try_from(v.mantissa()).ok()),
        };
        let numbers = match values.iter().map(fixed).collect() {
            Some(mantissas) => Numbers::Fixed { mantissas, places },
            None => Numbers::Wide(values.iter().map(|v| v.unwrap_or(Decimal::ZERO)).collect()),
        };
        NumberColumn { numbers, known }
    }
}

impl Column {
    /// How many rows the column has.
    pub fn len(&self) -> usize {
        match self {
            Column::Text(texts) => texts.len(),
            Column::Number(column) => match &column.numbers {
                Numbers::Fixed { mantissas, .. } => mantissas.len(),
                Numbers::Wide(numbers) => numbers.len(),
            },
            Column::Date(column) | Column::Period(_, column) => column.days.len(),
            Column::YesNo(values) => values.len(),
        }
    }

    /// Whether the column has no row.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// The value in a row.
    pub fn value(&self, row: usize) -> Value<'_> {
        match self {
            Column::Text(texts) if is_blank_at(texts, row) => Value::Blank,
            Column::Text(texts) => Value::Text(Cow::Borrowed(texts.value(row))),
            Column::Number(column) => column.get(row).map_or(Value::Blank, Value::Number),
            Column::Date(column) if is_known(column.known.as_ref(), row) => {
                Value::Date(Day(column.days[row]))
            }
            Column::Period(unit, column) if is_known(column.known.as_ref(), row) => {
                Value::Period(Period { unit: *unit, ordinal: column.days[row] })
            }
            Column::Date(_) | Column::Period(..) => Value::Blank,
            Column::YesNo(values) => values[row].map_or(Value::Blank, Value::YesNo),
        }
    }

    /// A column of single values; those of another kind count as blank.
    pub fn from_values(kind: ColumnKind, values: &[Value<'_>]) -> Column {
        let days = |day: fn(&Value<'_>) -> Option<i32>| DateColumn {
            days: values.iter().map(|value| day(value).unwrap_or(0)).collect(),
            known: known_where(values.len(), |row| day(&values[row]).is_some()),
        };
        match kind {
            ColumnKind::Number(places) => {
                let numbers: Vec<_> = values.iter().map(Value::number).collect();
                Column::Number(NumberColumn::from_decimals(&numbers, places))
            }
            ColumnKind::Text => {
                let texts = values.iter().map(|value| match value {
                    Value::Text(text) => Some(text.as_ref()),
                    _ => None,
                });
                Column::Text(made_texts(texts))
            }
            ColumnKind::Date => Column::Date(days(|value| match value {
                Value::Date(day) => Some(day.0),
                _ => None,
            })),
            ColumnKind::Period(unit) => Column::Period(
                unit,
                days(|value| match value {
                    Value::Period(period) => Some(period.ordinal),
                    _ => None,
                }),
            ),
            ColumnKind::YesNo => {
                let truth = |value: &Value<'_>| match value {
                    Value::YesNo(yes) => Some(*yes),
                    _ => None,
                };
                Column::YesNo(values.iter().map(truth).collect())
            }
        }
    }

    /// The rows without a value, ascending.
    pub fn blank_rows(&self) -> Vec<usize> {
        let unknown = |known: &Option<NullBuffer>| match known {
            None => Vec::new(),
            Some(known) => (!known.inner()).set_indices().collect(),
        };
        match self {
            Column::Number(column) => unknown(&column.known),
            Column::Date(column) | Column::Period(_, column) => unknown(&column.known),
            Column::Text(_) | Column::YesNo(_) => {
                (0..self.len()).filter(|row| self.value(*row).is_blank()).collect()
            }
        }
    }

    /// Some rows of the column, in this order.
    pub fn gathered(&self, rows: &[u32]) -> Column {
        let bits = |known: &Option<NullBuffer>| {
            let known = known.as_ref()?;
            known_where(rows.len(), |at| known.is_valid(rows[at] as usize))
        };
        let days = |column: &DateColumn| DateColumn {
            days: rows.iter().map(|row| column.days[*row as usize]).collect(),
            known: bits(&column.known),
        };
        match self {
            Column::Text(texts) => {
                let views = rows.iter().map(|row| texts.views()[*row as usize]).collect();
                let (buffers, known) = (texts.data_buffers().to_vec(), texts.nulls().cloned());
                let known = known
                    .map(|known| rows.iter().map(|row| known.is_valid(*row as usize)).collect());
                let texts = StringViewArray::try_new(views, buffers, known);
                Column::Text(texts.expect("the views are those of an array"))
            }
            Column::Number(column) => {
                let numbers = match &column.numbers {
                    Numbers::Fixed { mantissas, places } => Numbers::Fixed {
                        mantissas: rows.iter().map(|row| mantissas[*row as usize]).collect(),
                        places: *places,
                    },
                    Numbers::Wide(numbers) => {
                        Numbers::Wide(rows.iter().map(|row| numbers[*row as usize]).collect())
                    }
                };
                Column::Number(NumberColumn { numbers, known: bits(&column.known) })
            }
            Column::Date(column) => Column::Date(days(column)),
            Column::Period(unit, column) => Column::Period(*unit, days(column)),
            Column::YesNo(values) => {
                Column::YesNo(rows.iter().map(|row| values[*row as usize]).collect())
            }
        }
    }

    /// The column with some rows blank.
    pub fn without_rows(self, rows: &BTreeSet<u32>) -> Column {
        let value = |row: usize| {
            if rows.contains(&(row as u32)) { Value::Blank } else { self.value(row) }
        };
        let values: Vec<Value<'_>> = (0..self.len()).map(value).collect();
        Column::from_values(self.kind(), &values)
    }

    /// What the column holds.
    fn kind(&self) -> ColumnKind {
        match self {
            Column::Text(_) => ColumnKind::Text,
            Column::Number(NumberColumn { numbers: Numbers::Fixed { places, .. }, .. }) => {
                ColumnKind::Number(*places)
            }
            Column::Number(_) => ColumnKind::Number(0),
            Column::Date(_) => ColumnKind::Date,
            Column::Period(unit, _) => ColumnKind::Period(*unit),
            Column::YesNo(_) => ColumnKind::YesNo,
        }
    }

    /// The column with one more row at its end. A value of another type counts as blank.
    pub fn with_row(self, value: &Value<'_>) -> Column {
        let more = |days: &mut DateColumn, day: Option<i32>| {
            let rows = days.days.len();
            let old = days.known.take();
            days.days.push(day.unwrap_or(0));
            days.known = known_where(rows + 1, |row| {
                if row < rows { is_known(old.as_ref(), row) } else { day.is_some() }
            });
        };
        match self {
            Column::Text(texts) => {
                let last = match value {
                    Value::Text(text) => Some(text.as_ref()),
                    _ => None,
                };
                let known = |row| (!is_blank_at(&texts, row)).then(|| texts.value(row));
                Column::Text(made_texts((0..texts.len()).map(known).chain([last])))
            }
            Column::Number(column) => {
                let rows = Column::Number(column.clone()).len();
                let mut values: Vec<_> = (0..rows).map(|row| column.get(row)).collect();
                let last = value.number();
                values.push(last);
                let own = match column.numbers {
                    Numbers::Fixed { places, .. } => places,
                    Numbers::Wide(_) => 0,
                };
                let places = own.max(last.map_or(0, |n| n.trimmed(0).places()));
                Column::Number(NumberColumn::from_decimals(&values, places))
            }
            Column::Date(mut column) => {
                more(&mut column, if let Value::Date(day) = value { Some(day.0) } else { None });
                Column::Date(column)
            }
            Column::Period(unit, mut column) => {
                more(&mut column, None);
                Column::Period(unit, column)
            }
            Column::YesNo(mut values) => {
                values.push(if let Value::YesNo(yes) = value { Some(*yes) } else { None });
                Column::YesNo(values)
            }
        }
    }
}
