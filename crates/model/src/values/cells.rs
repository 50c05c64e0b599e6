//! A column as its source delivers it: as text, or already as values.
//!
//! Text files and workbooks deliver text. A typed source delivers its numbers and days as they are, so that
//! nothing takes the way over text that need not; where text is asked for, it is in the one plain way of
//! writing: `1234.56`, `2025-12-31`.

use std::fmt::Write;

use arrow_array::builder::StringViewBuilder;
use arrow_array::{Array, StringViewArray};

use crate::values::column::{DateColumn, NumberColumn, Numbers, is_known, known_where};
use crate::values::date::Day;
use crate::values::decimal::write_fixed;
use crate::values::texts::gathered;

/// Some rows of a column, as they were delivered.
#[derive(Clone, Debug)]
pub enum Cells {
    /// Texts, as written; blank where there is nothing.
    Texts(StringViewArray),
    /// Numbers.
    Numbers(NumberColumn),
    /// Days.
    Days(DateColumn),
}

impl Cells {
    /// How many rows there are.
    pub fn len(&self) -> usize {
        match self {
            Cells::Texts(texts) => texts.len(),
            Cells::Numbers(NumberColumn { numbers: Numbers::Fixed { mantissas, .. }, .. }) => {
                mantissas.len()
            }
            Cells::Numbers(NumberColumn { numbers: Numbers::Wide(numbers), .. }) => numbers.len(),
            Cells::Days(days) => days.days.len(),
        }
    }

    /// Whether there is no row.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// The column as text.
    pub fn texts(&self) -> StringViewArray {
        let written = |write: &dyn Fn(usize, &mut Vec<u8>)| {
            let mut texts = StringViewBuilder::with_capacity(self.len());
            let mut text = Vec::new();
            for row in 0..self.len() {
                text.clear();
                write(row, &mut text);
                texts.append_value(String::from_utf8_lossy(&text));
            }
            texts.finish()
        };
        match self {
            Cells::Texts(texts) => texts.clone(),
            Cells::Numbers(column) => written(&|row, text| match &column.numbers {
                _ if !is_known(column.known.as_ref(), row) => {}
                Numbers::Fixed { mantissas, places } => {
                    write_fixed(text, mantissas[row], *places, *places);
                }
                Numbers::Wide(numbers) => text.extend(numbers[row].to_string().bytes()),
            }),
            Cells::Days(column) => written(&|row, text| {
                if is_known(column.known.as_ref(), row) {
                    Day(column.days[row]).write(text);
                }
            }),
        }
    }

    /// The same column with some of its rows, ascending.
    pub fn gathered(&self, rows: &[u32]) -> Cells {
        let known = |known: &Option<arrow_buffer::NullBuffer>| {
            let at = |row: usize| is_known(known.as_ref(), rows[row] as usize);
            known.as_ref().and_then(|_| known_where(rows.len(), at))
        };
        match self {
            Cells::Texts(texts) => Cells::Texts(gathered(texts, rows.iter().map(|row| Some(*row)))),
            Cells::Numbers(column) => Cells::Numbers(NumberColumn {
                known: known(&column.known),
                numbers: match &column.numbers {
                    Numbers::Fixed { mantissas, places } => Numbers::Fixed {
                        mantissas: rows.iter().map(|row| mantissas[*row as usize]).collect(),
                        places: *places,
                    },
                    Numbers::Wide(numbers) => {
                        Numbers::Wide(rows.iter().map(|row| numbers[*row as usize]).collect())
                    }
                },
            }),
            Cells::Days(column) => Cells::Days(DateColumn {
                known: known(&column.known),
                days: rows.iter().map(|row| column.days[*row as usize]).collect(),
            }),
        }
    }
}

/// A number as a person sees it in a cell: with 15 significant digits at most, which is what is exact of a
/// binary number of 64 bits; `0.1` is `0.1`, and `0.1 + 0.2` is `0.3`. Empty for what is no number.
pub fn shown_number(value: f64, text: &mut String) {
    if !value.is_finite() {
        return;
    }
    // Whole numbers are most of them. Writing into a String does not fail.
    let whole = value as i64;
    if whole.unsigned_abs() < 1_000_000_000_000_000 && whole as f64 == value {
        let _ = write!(text, "{whole}");
        return;
    }
    let _ = write!(text, "{value}");
    let digits = text.bytes().filter(u8::is_ascii_digit).count();
    if digits <= 15 {
        return;
    }
    text.clear();
    let short = format!("{value:.14e}").parse().unwrap_or(value);
    let _ = write!(text, "{short}");
    if text == "-0" {
        text.clear();
        text.push('0');
    }
}

/// A binary number of 64 bits as the shortest decimal that reads back as it, of 17 digits at most: no two numbers have the
/// same. Empty for what is no number.
pub fn shortest_number(value: f64, text: &mut String) {
    if !value.is_finite() {
        return;
    }
    // Writing into a String does not fail.
    let _ = write!(text, "{value}");
    if text == "-0" {
        text.clear();
        text.push('0');
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::values::decimal::Decimal;
    use proptest::prelude::*;

    #[test]
    fn numbers_are_shown_as_a_cell_shows_them() {
        for (value, shown) in [
            (0.1, "0.1"),
            (0.1 + 0.2, "0.3"),
            (388.0, "388"),
            (-1234.56, "-1234.56"),
            (1.005 * 100.0, "100.5"),
            (123_456_789_012_345.0, "123456789012345"),
            (1e-7, "0.0000001"),
            (2e21, "2000000000000000000000"),
            (f64::NAN, ""),
        ] {
            let mut text = String::new();
            shown_number(value, &mut text);
            assert_eq!(text, shown);
        }
    }

    proptest! {
        #[test]
        fn prop_the_shortest_text_of_a_number_reads_back(value in any::<f64>()) {
            let mut text = String::new();
            shortest_number(value, &mut text);
            prop_assert_eq!(text.is_empty(), !value.is_finite());
            if value.is_finite() {
                prop_assert_eq!(text.parse::<f64>().unwrap(), value);
                prop_assert!(!text.contains('e'));
            }
        }

        /// Amounts of up to 15 digits come out as they went in.
        #[test]
        fn prop_an_amount_is_shown_as_it_was_entered(mantissa in -999_999_999_999i64..999_999_999_999, places in 0u8..4) {
            let entered = Decimal::new(i128::from(mantissa), places).unwrap().trimmed(0).to_string();
            let mut text = String::new();
            shown_number(entered.parse().unwrap(), &mut text);
            prop_assert_eq!(text, entered);
        }

        #[test]
        fn prop_values_are_written_and_gathered_row_by_row(
            values in prop::collection::vec(prop::option::of(-99_999i64..99_999), 0..20),
        ) {
            let numbers: Vec<_> = values.iter().map(|v| v.map(|v| Decimal::new(i128::from(v), 2).unwrap())).collect();
            let known = known_where(values.len(), |row| values[row].is_some());
            let days = DateColumn { days: values.iter().map(|v| v.unwrap_or(0) as i32 / 10).collect(), known };
            let columns = [
                (Cells::Numbers(NumberColumn::from_decimals(&numbers, 2)), numbers.iter().map(|n| n.map(|n| n.to_string())).collect::<Vec<_>>()),
                (Cells::Days(days), values.iter().map(|v| v.map(|v| Day(v as i32 / 10).to_string())).collect()),
            ];
            for (cells, texts) in columns {
                let texts: Vec<String> = texts.into_iter().map(Option::unwrap_or_default).collect();
                prop_assert!(cells.texts().iter().flatten().eq(texts.iter().map(String::as_str)));
                let even: Vec<u32> = (0..values.len() as u32).step_by(2).collect();
                let kept = texts.iter().step_by(2).map(String::as_str);
                prop_assert!(cells.gathered(&even).texts().iter().flatten().eq(kept));
            }
        }
    }
}
