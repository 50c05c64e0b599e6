//! From text to typed values: which type a column has, and what its texts say.
//!
//! Numbers and days are read in the style of their file. What cannot be read is blank and reported by
//! its row; it is never turned into something near.

use arrow_array::{Array, StringViewArray};

use crate::plan::ColumnType;
use crate::reading::date_style::DateStyle;
use crate::reading::style::{NumberStyle, PartStyle, Style};
use crate::values::amount;
use crate::values::cells::Cells;
use crate::values::column::{
    Column, ColumnKind, DateColumn, NumberColumn, Numbers, is_blank_text, known_where,
};
use crate::values::date::Day;
use crate::values::decimal::{Decimal, POWERS};
use crate::values::parse_cache::Recent;

/// How a column is read.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Reading {
    /// The type of its values.
    pub column_type: ColumnType,
    /// The decimal places that its numbers are held with, `scale` included. A number with more is
    /// kept all the same, at a price in speed.
    pub places: u8,
    /// What every number is multiplied by.
    pub scale: Option<Decimal>,
    /// Whether its type is what a sample looks like, and nothing that the plan says or needs.
    pub assumed: bool,
}

/// A column that was read, and the rows whose text could not be.
#[derive(Debug)]
pub struct ReadColumn {
    /// The values; those that could not be read are blank.
    pub column: Column,
    /// The rows of these, ascending.
    pub unreadable: Vec<u32>,
    /// The currencies that are beside its numbers, each with the first row that has it.
    pub currencies: Vec<(String, u32)>,
}

impl ReadColumn {
    /// Columns that were read in one way, one below the other.
    pub fn stacked(reads: impl Iterator<Item = ReadColumn>, reading: &Reading) -> ReadColumn {
        let (mut values, mut unreadable) = (Vec::new(), Vec::new());
        let mut currencies: Vec<(String, u32)> = Vec::new();
        for read in reads {
            let start = values.len() as u32;
            unreadable.extend(read.unreadable.iter().map(|row| start + row));
            for (currency, row) in read.currencies {
                if !currencies.iter().any(|(known, _)| *known == currency) {
                    currencies.push((currency, start + row));
                }
            }
            values.extend((0..read.column.len()).map(|row| read.column.value(row).into_owned()));
        }
        let kind = match reading.column_type {
            ColumnType::Text => ColumnKind::Text,
            ColumnType::Date => ColumnKind::Date,
            ColumnType::YesNo => ColumnKind::YesNo,
            _ => ColumnKind::Number(reading.places),
        };
        ReadColumn { column: Column::from_values(kind, &values), unreadable, currencies }
    }
}

/// `12.5 %` as 0.125. Without the sign only zero is a percent: 12.5 might mean either.
pub fn percent(text: &str, numbers: NumberStyle) -> Option<Decimal> {
    match text.strip_suffix('%') {
        Some(number) => {
            let number = amount::read(number, numbers).filter(|a| a.currency.is_none())?.number;
            Decimal::new(number.mantissa(), number.places() + 2)
        }
        None => numbers.read(text).filter(|number| number.is_zero()),
    }
}

/// The usual words for yes and no, as exports in several languages have them.
const YES: [&str; 14] =
    ["yes", "y", "true", "t", "1", "on", "ja", "j", "oui", "sí", "si", "sì", "sim", "x"];
const NO: [&str; 11] = ["no", "n", "false", "f", "0", "off", "nein", "nee", "non", "não", "nao"];

fn yes_no(text: &str) -> Option<bool> {
    let word = text.to_lowercase();
    if YES.contains(&word.as_str()) {
        Some(true)
    } else {
        NO.contains(&word.as_str()).then_some(false)
    }
}

impl Reading {
    /// Text, taken as it is.
    pub const TEXT: Reading = Reading::of(ColumnType::Text);

    /// Days.
    pub const DATE: Reading = Reading::of(ColumnType::Date);

    /// A type, without anything further.
    pub const fn of(column_type: ColumnType) -> Reading {
        Reading { column_type, places: 0, scale: None, assumed: false }
    }

    /// Reads a column of a part, in the way that applies to it there.
    pub fn read_part(
        &self,
        texts: &StringViewArray,
        part: &PartStyle,
        column: usize,
    ) -> ReadColumn {
        Reading { scale: part.way(column).scale, ..*self }.read(texts, &part.of(column))
    }

    /// Reads a column of a part, whose source may have delivered values.
    pub fn read_cells(&self, cells: &Cells, part: &PartStyle, column: usize) -> ReadColumn {
        let scale = part.way(column).scale;
        let typed = match (cells, self.column_type) {
            (Cells::Numbers(numbers), ColumnType::Number) => {
                numbers.scaled(scale, self.places).map(Column::Number)
            }
            (Cells::Days(days), ColumnType::Date) => Some(Column::Date(days.clone())),
            _ => None,
        };
        match typed {
            Some(column) => ReadColumn { column, unreadable: Vec::new(), currencies: Vec::new() },
            None => self.read_part(&cells.texts(), part, column),
        }
    }

    /// Reads a column of a file in this style.
    ///
    /// **Shape**: as many rows as texts, in their order. **Unknown**: blank texts and those that
    /// cannot be read; the latter are listed.
    pub fn read(&self, texts: &StringViewArray, style: &Style) -> ReadColumn {
        let mut unreadable = Vec::new();
        let mut currencies: Vec<(String, u32)> = Vec::new();
        let column = match self.column_type {
            ColumnType::Text => Column::Text(texts.clone()),
            ColumnType::Date => Column::Date(read_dates(texts, &style.dates, &mut unreadable)),
            ColumnType::YesNo => Column::YesNo(
                (0..texts.len()).map(|row| read_one(texts, row, &mut unreadable, yes_no)).collect(),
            ),
            ColumnType::Integer | ColumnType::Number | ColumnType::Percent => {
                Column::Number(match self.read_fixed(texts, style.numbers) {
                    Some(column) => column,
                    None => {
                        let numbers: Vec<Option<Decimal>> = (0..texts.len())
                            .map(|row| {
                                read_one(texts, row, &mut unreadable, |text| {
                                    let (number, currency) = self.number(text, style.numbers)?;
                                    note_currency(&mut currencies, currency, row);
                                    Some(number)
                                })
                            })
                            .collect();
                        NumberColumn::from_decimals(&numbers, self.places)
                    }
                })
            }
        };
        ReadColumn { column, unreadable, currencies }
    }

    /// The number that a text says, with its currency.
    fn number<'t>(&self, text: &'t str, style: NumberStyle) -> Option<(Decimal, Option<&'t str>)> {
        let (number, currency) = match self.column_type {
            // The sign divides, whatever bare numbers are scaled by.
            ColumnType::Percent if text.ends_with('%') => {
                return Some((percent(text, style)?, None));
            }
            ColumnType::Percent if self.scale.is_none() => (percent(text, style)?, None),
            _ => {
                let amount::Amount { number, currency } = amount::read(text, style)?;
                (number, currency)
            }
        };
        let number = match self.column_type {
            ColumnType::Integer => number.with_places(0)?,
            _ => number,
        };
        let number = match self.scale {
            Some(scale) => number.checked_mul(scale)?,
            None => number,
        };
        Some((number, currency))
    }

    /// The common case at speed: plain short numbers and blanks. `None` when any text is more than
    /// that, and the slower way must say what it is.
    pub fn read_fixed(
        &self,
        texts: &StringViewArray,
        numbers: NumberStyle,
    ) -> Option<NumberColumn> {
        let decimal = numbers.decimal as u8;
        let (factor, scale_places) = match self.scale {
            Some(scale) => (i64::try_from(scale.mantissa()).ok()?, scale.places()),
            None => (1, 0),
        };
        let own_places = self.places.checked_sub(scale_places)?;
        let mut mantissas = Vec::with_capacity(texts.len());
        let mut blanks = false;
        for view in texts.views().iter() {
            let length = *view as u32;
            // A longer text than fits its view is no plain short number.
            if length > 12 {
                return None;
            }
            if length == 0 {
                blanks = true;
                mantissas.push(0);
                continue;
            }
            let bytes = (view >> 32).to_le_bytes();
            let text = &bytes[..length as usize];
            if self.column_type != ColumnType::Percent
                && let Some(mantissa) = eight_digits(*view, own_places, decimal)
            {
                mantissas.push(mantissa.checked_mul(factor)?);
                continue;
            }
            let mantissa = match self.column_type {
                // With a scale, bare numbers and percents are not read alike.
                ColumnType::Percent if self.scale.is_some() => return None,
                ColumnType::Percent => short_percent(text, own_places, decimal)?,
                _ => short_number(text, own_places, decimal)?,
            };
            mantissas.push(mantissa.checked_mul(factor)?);
        }
        let known = if blanks {
            let views = texts.views();
            known_where(texts.len(), |row| views[row] as u32 != 0)
        } else {
            None
        };
        Some(NumberColumn { numbers: Numbers::Fixed { mantissas, places: self.places }, known })
    }
}

/// `12.5 %` as a whole number of 10^-`places`; without the sign only zero.
#[inline]
fn short_percent(text: &[u8], places: u8, decimal: u8) -> Option<i64> {
    match text.strip_suffix(b"%") {
        Some(number) => short_number(number.trim_ascii_end(), places.checked_sub(2)?, decimal),
        None => short_number(text, places, decimal).filter(|number| *number == 0),
    }
}

/// A byte in each of eight.
const fn each(byte: u8) -> u64 {
    byte as u64 * 0x0101_0101_0101_0101
}

/// `1234.56` of at most 8 bytes as a whole number of 10^-`places`, all its digits at a time; `None` where it is anything
/// else, which [`short_number`] may know. `view` is a text of the Arrow columnar format. Against digit by digit: 1.03 of a whole run.
#[inline]
fn eight_digits(view: u128, places: u8, decimal: u8) -> Option<i64> {
    let (length, text) = (view as u32, (view >> 32) as u64);
    if length > 8 {
        return None;
    }
    // The lowest bit of the first byte that is the decimal sign.
    let differs = text ^ each(decimal);
    let point = differs.wrapping_sub(each(1)) & !differs & each(0x80);
    let (digits, count, after) = match point {
        0 => (text, length, 0),
        _ => {
            let at = point.trailing_zeros() / 8;
            let before = (1u64 << (8 * at)) - 1;
            // Without the sign, what is behind it moves up.
            let closed = (text & before) | ((text >> 8) & !before);
            (closed, length - 1, length - 1 - at)
        }
    };
    if count == 0 {
        return None;
    }
    // Zeros in front, so that there are eight.
    let free = 8 * (8 - count);
    let zeros = each(b'0') & ((1u64 << free).wrapping_sub(1));
    let digits = digits << free | zeros;
    let nibbles = each(0xf0);
    let is_digits =
        digits & nibbles == each(b'0') && digits.wrapping_add(each(6)) & nibbles == each(b'0');
    let left = u32::from(places).checked_sub(after)?;
    if !is_digits {
        return None;
    }
    // Neighbours become numbers of two digits, these of four, these of eight.
    let pairs = digits - each(b'0');
    let pairs = (pairs * 10).wrapping_add(pairs >> 8);
    let low = (pairs & 0x0000_00ff_0000_00ff).wrapping_mul(0x000f_4240_0000_0064);
    let high = ((pairs >> 16) & 0x0000_00ff_0000_00ff).wrapping_mul(0x0000_2710_0000_0001);
    let number = (low.wrapping_add(high) >> 32) as i64;
    number.checked_mul(i64::try_from(*POWERS.get(left as usize)?).ok()?)
}

/// `-1234.56` of at most 12 bytes as a whole number of 10^-`places`; `None` when it is anything else
/// or has more places.
#[inline]
fn short_number(text: &[u8], places: u8, decimal: u8) -> Option<i64> {
    let (negative, digits) = match text {
        [b'-', digits @ ..] => (true, digits),
        _ => (false, text),
    };
    let mut mantissa = 0i64;
    let mut left = u32::from(places);
    let mut point = false;
    let mut seen = false;
    for &byte in digits {
        let digit = byte.wrapping_sub(b'0');
        if digit > 9 {
            if byte == decimal && !point {
                point = true;
                continue;
            }
            return None;
        }
        if point {
            left = left.checked_sub(1)?;
        }
        seen = true;
        mantissa = mantissa * 10 + i64::from(digit);
    }
    if !seen {
        return None;
    }
    let mantissa =
        if left == 0 { mantissa } else { mantissa.checked_mul(10i64.checked_pow(left)?)? };
    Some(if negative { -mantissa } else { mantissa })
}

fn read_one<T>(
    texts: &StringViewArray,
    row: usize,
    unreadable: &mut Vec<u32>,
    read: impl FnOnce(&str) -> Option<T>,
) -> Option<T> {
    let text = texts.value(row);
    if is_blank_text(text) {
        return None;
    }
    let value = read(text.trim());
    if value.is_none() {
        unreadable.push(row as u32);
    }
    value
}

fn note_currency(seen: &mut Vec<(String, u32)>, currency: Option<&str>, row: usize) {
    if let Some(currency) = currency
        && !seen.iter().any(|(known, _)| known == currency)
    {
        seen.push((currency.to_owned(), row as u32));
    }
}

fn read_dates(texts: &StringViewArray, style: &DateStyle, unreadable: &mut Vec<u32>) -> DateColumn {
    let iso = *style == DateStyle::ISO;
    let plain = |text: &[u8]| match iso {
        true => Day::parse(text),
        false => std::str::from_utf8(text).ok().and_then(|text| style.read(text)),
    };
    let mut recent = Recent::default();
    let mut days = Vec::with_capacity(texts.len());
    let mut unknown = Vec::new();
    for (row, view) in texts.views().iter().enumerate() {
        let read = |text: &str| style.read(text);
        let short = recent.of(*view, plain).flatten();
        let day = short.or_else(|| read_one(texts, row, unreadable, read));
        days.push(day.map_or(0, |day| day.0));
        if day.is_none() {
            unknown.push(row);
        }
    }
    let known = if unknown.is_empty() {
        None
    } else {
        known_where(days.len(), |row| unknown.binary_search(&row).is_err())
    };
    DateColumn { days, known }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn read(reading: Reading, texts: &[&str]) -> (Vec<String>, Vec<u32>) {
        let found = reading.read(&StringViewArray::from(texts.to_vec()), &Style::default());
        let shown = (0..texts.len()).map(|row| found.column.value(row).to_string()).collect();
        (shown, found.unreadable)
    }

    fn reading(column_type: ColumnType, places: u8, scale: Option<&str>) -> Reading {
        let scale = scale.map(|s| Decimal::parse(s.as_bytes()).unwrap());
        Reading { column_type, places, scale, assumed: false }
    }

    #[test]
    fn each_type_reads_its_texts_and_lists_the_rest() {
        use ColumnType::{Date, Integer, Number, Percent, YesNo};
        for (reading, texts, shown, unreadable) in [
            (
                reading(Number, 2, None),
                vec!["12", "-0.5", "", " 3.25 "],
                vec!["12.00", "-0.50", "", "3.25"],
                vec![],
            ),
            (reading(Number, 0, None), vec!["1", "abc", "1,5"], vec!["1", "", ""], vec![1, 2]),
            // More places than foreseen are kept, whatever else is in the column.
            (reading(Number, 1, None), vec!["1", "0.125"], vec!["1", "0.125"], vec![]),
            (reading(Number, 2, Some("0.01")), vec!["1250", "7"], vec!["12.50", "0.07"], vec![]),
            (reading(Integer, 0, None), vec!["4", "4.0", "4.5"], vec!["4", "4", ""], vec![2]),
            (
                reading(Percent, 3, None),
                vec!["12.5 %", "5%", "0", "7"],
                vec!["0.125", "0.050", "0.000", ""],
                vec![3],
            ),
            (
                reading(Date, 0, None),
                vec!["2025-12-31", "2025-02-30", ""],
                vec!["2025-12-31", "", ""],
                vec![1],
            ),
            (reading(YesNo, 0, None), vec!["Yes", "n", "perhaps"], vec!["yes", "no", ""], vec![2]),
        ] {
            assert_eq!(
                read(reading, &texts),
                (shown.iter().map(|s| s.to_string()).collect(), unreadable),
                "{texts:?}"
            );
        }
    }

    proptest! {
        #[test]
        fn prop_the_fast_way_agrees_with_the_slow_one(
            texts in prop::collection::vec("-?[0-9]{0,8}([.,][0-9]{0,3})?( ?%)?|[ 0-9x.,-]{0,6}", 0..20),
            places in 0u8..4,
            column_type in prop::sample::select(vec![ColumnType::Number, ColumnType::Percent]),
            style in 0usize..7,
        ) {
            let reading = reading(column_type, places, None);
            let array = StringViewArray::from(texts.iter().map(String::as_str).collect::<Vec<_>>());
            let style = Style { numbers: NumberStyle::ALL[style], ..Style::default() };
            let whole = reading.read(&array, &style);
            for (row, text) in texts.iter().enumerate() {
                let trimmed = text.trim();
                let expected = if trimmed.is_empty() { None } else { reading.number(trimmed, style.numbers).map(|(number, _)| number) };
                prop_assert_eq!(whole.column.value(row).number(), expected, "{}", text);
                let listed = whole.unreadable.contains(&(row as u32));
                prop_assert_eq!(listed, !trimmed.is_empty() && expected.is_none());
            }
        }
    }
}
