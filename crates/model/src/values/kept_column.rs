//! Columns as they are kept in a file, between two runs of the program: in few bytes, and read without a look at each.

use arrow_array::{Array, StringViewArray};
use arrow_buffer::{BooleanBuffer, Buffer, NullBuffer};
use foldhash::fast::FixedState;
use hashbrown::HashMap;
use serde::{Deserialize, Serialize};

use super::column::{Column, DateColumn, NumberColumn, Numbers};
use super::date::PeriodUnit;
use super::decimal::Decimal;
use super::narrow_ints::NarrowInts;
use super::texts::gathered;

/// A column in plain parts; `known` says which rows are, none where all are.
#[derive(Serialize, Deserialize)]
pub(super) enum KeptColumn {
    /// Each different text once, and of each row which it is.
    Text {
        texts: KeptTexts,
        rows: NarrowInts,
        known: Option<KeptBits>,
    },
    Fixed {
        mantissas: NarrowInts,
        places: u8,
        known: Option<KeptBits>,
    },
    Wide {
        numbers: Vec<Decimal>,
        known: Option<KeptBits>,
    },
    Date {
        days: NarrowInts,
        known: Option<KeptBits>,
    },
    Period {
        unit: PeriodUnit,
        ordinals: NarrowInts,
        known: Option<KeptBits>,
    },
    /// 2 is yes, 1 no, 0 blank.
    YesNo(NarrowInts),
}

/// Texts, one behind the other.
#[derive(Serialize, Deserialize)]
pub(super) struct KeptTexts {
    bytes: String,
    lengths: NarrowInts,
}

/// A bit for each row, the first of a byte being its lowest.
#[derive(Serialize, Deserialize)]
pub(super) struct KeptBits {
    rows: usize,
    #[serde(with = "serde_bytes")]
    bytes: Vec<u8>,
}

fn kept(known: Option<&NullBuffer>) -> Option<KeptBits> {
    let bits = |known: &NullBuffer| KeptBits {
        rows: known.len(),
        bytes: known.inner().sliced().as_slice().to_vec(),
    };
    known.map(bits)
}

fn kept_days(days: &[i32]) -> NarrowInts {
    NarrowInts::new(days.iter().map(|day| i64::from(*day)))
}

fn kept_texts(column: &StringViewArray) -> (KeptTexts, NarrowInts) {
    let mut numbers: HashMap<&str, i64, FixedState> = HashMap::default();
    let (mut bytes, mut lengths) = (String::new(), Vec::new());
    let rows = (0..column.len()).map(|row| {
        let text = column.value(row);
        *numbers.entry(text).or_insert_with(|| {
            bytes.push_str(text);
            lengths.push(text.len() as i64);
            lengths.len() as i64 - 1
        })
    });
    let rows: Vec<i64> = rows.collect();
    let lengths = NarrowInts::new(lengths.into_iter());
    (KeptTexts { bytes, lengths }, NarrowInts::new(rows.into_iter()))
}

impl From<Column> for KeptColumn {
    fn from(column: Column) -> KeptColumn {
        match column {
            Column::Text(column) => {
                let (texts, rows) = kept_texts(&column);
                KeptColumn::Text { texts, rows, known: kept(column.nulls()) }
            }
            Column::Number(NumberColumn { numbers, known }) => {
                let known = kept(known.as_ref());
                match numbers {
                    Numbers::Fixed { mantissas, places } => {
                        let mantissas = NarrowInts::new(mantissas.iter().copied());
                        KeptColumn::Fixed { mantissas, places, known }
                    }
                    Numbers::Wide(numbers) => KeptColumn::Wide { numbers, known },
                }
            }
            Column::Date(DateColumn { days, known }) => {
                KeptColumn::Date { days: kept_days(&days), known: kept(known.as_ref()) }
            }
            Column::Period(unit, DateColumn { days, known }) => {
                KeptColumn::Period { unit, ordinals: kept_days(&days), known: kept(known.as_ref()) }
            }
            Column::YesNo(values) => {
                let number = |value: &Option<bool>| value.map_or(0, |yes| 1 + i64::from(yes));
                KeptColumn::YesNo(NarrowInts::new(values.iter().map(number)))
            }
        }
    }
}

impl TryFrom<KeptColumn> for Column {
    type Error = String;

    /// # Errors
    /// It does not say of each row what is in it, or whether it is known.
    fn try_from(column: KeptColumn) -> Result<Column, String> {
        let days = |days: NarrowInts, known: Option<KeptBits>| -> Result<DateColumn, String> {
            let days = days.numbers(|day| day as i32)?;
            Ok(DateColumn { known: known_of(known, days.len())?, days })
        };
        Ok(match column {
            KeptColumn::Text { texts, rows, known } => {
                let (texts, rows) = (texts.array()?, rows.numbers(|row| row as u32)?);
                let known = known_of(known, rows.len())?;
                if let Some(other) = rows.iter().find(|row| **row as usize >= texts.len()) {
                    return Err(format!("{} texts, and none that is number {other}", texts.len()));
                }
                let all = rows.iter().map(|row| Some(*row));
                let (views, buffers, _) = gathered(&texts, all).into_parts();
                let made = StringViewArray::try_new(views, buffers, known);
                Column::Text(made.map_err(|error| error.to_string())?)
            }
            KeptColumn::Fixed { mantissas, places, known } => {
                let mantissas = mantissas.numbers(|mantissa| mantissa)?;
                let known = known_of(known, mantissas.len())?;
                let numbers = Numbers::Fixed { mantissas, places };
                Column::Number(NumberColumn { numbers, known })
            }
            KeptColumn::Wide { numbers, known } => {
                let known = known_of(known, numbers.len())?;
                Column::Number(NumberColumn { numbers: Numbers::Wide(numbers), known })
            }
            KeptColumn::Date { days: own, known } => Column::Date(days(own, known)?),
            KeptColumn::Period { unit, ordinals, known } => {
                Column::Period(unit, days(ordinals, known)?)
            }
            KeptColumn::YesNo(values) => {
                let truth = |number: i64| (number > 0).then_some(number > 1);
                Column::YesNo(values.numbers(truth)?)
            }
        })
    }
}

fn known_of(known: Option<KeptBits>, rows: usize) -> Result<Option<NullBuffer>, String> {
    let Some(KeptBits { rows: own, bytes }) = known else { return Ok(None) };
    if own != rows || bytes.len() < rows.div_ceil(8) {
        return Err(format!("{rows} rows, and {own} that are known or not"));
    }
    Ok(Some(NullBuffer::new(BooleanBuffer::new(Buffer::from_vec(bytes), 0, rows))))
}

impl KeptTexts {
    fn array(&self) -> Result<StringViewArray, String> {
        let (mut at, mut texts) = (0, Vec::new());
        for length in self.lengths.numbers(|length| length as usize)? {
            let end = at + length.min(self.bytes.len());
            let text = self.bytes.get(at..end).filter(|text| text.len() == length);
            texts.push(text.ok_or("texts that are cut off")?);
            at = end;
        }
        Ok(StringViewArray::from_iter_values(texts))
    }
}
