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

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::values::column::ColumnKind;
    use crate::values::date::{Day, Period};
    use crate::values::value::Value;

    fn values() -> impl Strategy<Value = (ColumnKind, Vec<Value<'static>>)> {
        let of = |kind, value: BoxedStrategy<Value<'static>>| {
            let some = prop_oneof![4 => value, 1 => Just(Value::Blank)];
            prop::collection::vec(some, 0..40).prop_map(move |values| (kind, values))
        };
        let number = |mantissa: BoxedStrategy<i128>| {
            let of = |(m, places)| Value::Number(Decimal::new(m, places).unwrap());
            (mantissa, 0u8..4).prop_map(of).boxed()
        };
        let near = (-300i128..70_000).boxed();
        let far = (-10i128.pow(37)..10i128.pow(37)).boxed();
        let text = "[a-c]{0,2}|ü \"x\",\n".prop_map(|text| Value::Text(text.into())).boxed();
        let day = (-800_000i32..800_000).prop_map(|day| Value::Date(Day(day))).boxed();
        let period = (0i32..500)
            .prop_map(|ordinal| Value::Period(Period { unit: PeriodUnit::Month, ordinal }));
        prop_oneof![
            of(ColumnKind::Number(3), number(near)),
            of(ColumnKind::Number(3), number(far)),
            of(ColumnKind::Text, text),
            of(ColumnKind::Date, day),
            of(ColumnKind::Period(PeriodUnit::Month), period.boxed()),
            of(ColumnKind::YesNo, any::<bool>().prop_map(Value::YesNo).boxed()),
        ]
    }

    proptest! {
        #[test]
        fn prop_columns_come_back((kind, values) in values()) {
            let column = Column::from_values(kind, &values);
            let back = Column::try_from(KeptColumn::from(column.clone())).unwrap();
            prop_assert_eq!(back.len(), column.len());
            for row in 0..column.len() {
                prop_assert_eq!(back.value(row), column.value(row));
            }
        }
    }

    #[test]
    fn what_is_damaged_is_refused() {
        let texts = |texts: &str, lengths: &[i64], rows: &[i64]| {
            let lengths = NarrowInts::new(lengths.iter().copied());
            let texts = KeptTexts { bytes: texts.to_owned(), lengths };
            let rows = NarrowInts::new(rows.iter().copied());
            Column::try_from(KeptColumn::Text { texts, rows, known: None })
                .map(|column| column.len())
        };
        assert_eq!(texts("axb", &[1, 2], &[0, 1, 0]), Ok(3));
        assert!(texts("axb", &[1, 3], &[0]).is_err(), "longer than all");
        assert!(texts("axb", &[1, -1], &[0]).is_err(), "of no length");
        assert!(texts("äx", &[1, 2], &[0]).is_err(), "within a character");
        assert!(texts("axb", &[1, 2], &[2]).is_err(), "a text that is not there");
        let days = NarrowInts::new([1, 2, 3].into_iter());
        let known = Some(KeptBits { rows: 2, bytes: vec![3] });
        assert!(Column::try_from(KeptColumn::Date { days, known }).is_err());
    }
}
