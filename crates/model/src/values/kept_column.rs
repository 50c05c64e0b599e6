//! Columns as they are kept in a file, between two runs of the program.

use arrow_array::{Array, StringViewArray};
use arrow_buffer::NullBuffer;
use serde::{Deserialize, Serialize};

use super::column::{Column, DateColumn, NumberColumn, Numbers};
use super::date::PeriodUnit;
use super::decimal::Decimal;

/// A column in plain parts; `known` says which rows are, none where all are.
#[derive(Serialize, Deserialize)]
pub(super) enum KeptColumn {
    Text { texts: Vec<String>, known: Option<Vec<bool>> },
    Fixed { mantissas: Vec<i64>, places: u8, known: Option<Vec<bool>> },
    Wide { numbers: Vec<Decimal>, known: Option<Vec<bool>> },
    Date { days: Vec<i32>, known: Option<Vec<bool>> },
    Period { unit: PeriodUnit, ordinals: Vec<i32>, known: Option<Vec<bool>> },
    YesNo(Vec<Option<bool>>),
}

fn kept(known: Option<&NullBuffer>) -> Option<Vec<bool>> {
    known.map(|known| known.iter().collect())
}

impl From<Column> for KeptColumn {
    fn from(column: Column) -> KeptColumn {
        match column {
            Column::Text(texts) => KeptColumn::Text {
                // What is in an unknown row has no meaning.
                texts: (0..texts.len()).map(|row| texts.value(row).to_owned()).collect(),
                known: kept(texts.nulls()),
            },
            Column::Number(NumberColumn { numbers, known }) => {
                let known = kept(known.as_ref());
                match numbers {
                    Numbers::Fixed { mantissas, places } => {
                        KeptColumn::Fixed { mantissas, places, known }
                    }
                    Numbers::Wide(numbers) => KeptColumn::Wide { numbers, known },
                }
            }
            Column::Date(DateColumn { days, known }) => {
                KeptColumn::Date { days, known: kept(known.as_ref()) }
            }
            Column::Period(unit, DateColumn { days, known }) => {
                KeptColumn::Period { unit, ordinals: days, known: kept(known.as_ref()) }
            }
            Column::YesNo(values) => KeptColumn::YesNo(values),
        }
    }
}

impl TryFrom<KeptColumn> for Column {
    type Error = String;

    /// # Errors
    /// It does not say of each row whether it is known.
    fn try_from(column: KeptColumn) -> Result<Column, String> {
        let nulls = |known: Option<Vec<bool>>, rows: usize| match known {
            Some(known) if known.len() != rows => {
                Err(format!("{rows} rows, and {} that are known or not", known.len()))
            }
            known => Ok(known.map(NullBuffer::from)),
        };
        Ok(match column {
            KeptColumn::Text { texts, known } => {
                let known = nulls(known, texts.len())?;
                let (views, buffers, _) = StringViewArray::from_iter_values(texts).into_parts();
                let made = StringViewArray::try_new(views, buffers, known);
                Column::Text(made.map_err(|error| error.to_string())?)
            }
            KeptColumn::Fixed { mantissas, places, known } => {
                let known = nulls(known, mantissas.len())?;
                Column::Number(NumberColumn {
                    numbers: Numbers::Fixed { mantissas, places },
                    known,
                })
            }
            KeptColumn::Wide { numbers, known } => {
                let known = nulls(known, numbers.len())?;
                Column::Number(NumberColumn { numbers: Numbers::Wide(numbers), known })
            }
            KeptColumn::Date { days, known } => {
                let known = nulls(known, days.len())?;
                Column::Date(DateColumn { days, known })
            }
            KeptColumn::Period { unit, ordinals, known } => {
                let known = nulls(known, ordinals.len())?;
                Column::Period(unit, DateColumn { days: ordinals, known })
            }
            KeptColumn::YesNo(values) => Column::YesNo(values),
        })
    }
}
