//! What the texts of a column look like: the ground on which its type is found.

use arrow_array::StringViewArray;

use crate::plan::ColumnType;
use crate::reading::column_reader::percent;
use crate::reading::date_style::DateStyle;
use crate::reading::style::Style;
use crate::values::amount;
use crate::values::date::Day;
use crate::values::decimal::{Decimal, MAX_PLACES};
use crate::values::parse_cache::Recent;

/// What the texts of a column look like.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Evidence {
    /// Texts that are not blank.
    pub filled: usize,
    /// Of these, numbers that would lose nothing by being read as such.
    pub numbers: usize,
    /// Of these, all numbers, also with leading zeros.
    pub numeric: usize,
    /// Of these, numbers with a percent sign.
    pub percents: usize,
    /// Of these, days. In a style of nothing but digits they are numbers as well.
    pub dates: usize,
    /// Of the percents, those with a percent sign.
    pub signed: usize,
    /// Of the numbers, those that are zero.
    pub zeros: usize,
    /// The most decimal places among the numbers.
    pub places: u8,
}

/// A number of nothing but digits and a decimal mark, as most are; it need not be computed to be known as one.
struct Plain {
    places: u8,
    zero: bool,
}

impl Plain {
    fn of(text: &str, style: &Style) -> Option<Plain> {
        let mark = u8::try_from(style.numbers.decimal).ok()?;
        let text = text.as_bytes();
        let (first, last) = (text.first()?, text.last()?);
        if text.len() > 18 || !first.is_ascii_digit() || !last.is_ascii_digit() {
            return None;
        }
        let (mut fraction, mut zero) = (None, true);
        for (at, sign) in text.iter().enumerate() {
            if *sign == mark && fraction.is_none() {
                fraction = Some(at);
            } else if sign.is_ascii_digit() {
                zero &= *sign == b'0';
            } else {
                return None;
            }
        }
        let places = fraction.map_or(0, |at| text.len() - at - 1);
        Some(Plain { places: places as u8, zero })
    }
}

impl Evidence {
    /// Adds what one text of a file in this style looks like.
    pub fn add(&mut self, text: &str, style: &Style) {
        let text = text.trim();
        if text.is_empty() {
            return;
        }
        self.filled += 1;
        if style.dates.is_digits() && style.dates.read(text).is_some() {
            self.dates += 1;
        }
        if let Some(plain) = Plain::of(text, style) {
            self.numeric += 1;
            self.percents += usize::from(plain.zero);
            self.zeros += usize::from(plain.zero);
            self.numbers += usize::from(!has_leading_zero(text));
            self.places = self.places.max(plain.places);
        } else if let Some(amount::Amount { number, .. }) = amount::read(text, style.numbers) {
            self.numeric += 1;
            // Nothing is nothing, in whatever unit.
            self.percents += usize::from(number.is_zero());
            self.zeros += usize::from(number.is_zero());
            self.numbers += usize::from(!has_leading_zero(text));
            self.places = self.places.max(number.places());
        } else if let Some(number) = percent(text, style.numbers) {
            self.percents += 1;
            self.signed += 1;
            self.places = self.places.max(number.places());
        } else if !style.dates.is_digits() && style.dates.read(text).is_some() {
            self.dates += 1;
        }
    }

    /// The same, this many times.
    pub fn times(self, times: usize) -> Evidence {
        Evidence {
            filled: self.filled * times,
            numbers: self.numbers * times,
            numeric: self.numeric * times,
            percents: self.percents * times,
            dates: self.dates * times,
            signed: self.signed * times,
            zeros: self.zeros * times,
            places: self.places,
        }
    }

    /// The type that all of the texts have but for a few typing errors, one in twenty at most; text when there is
    /// none. Digits with zeros before them are codes.
    pub fn mostly(&self) -> ColumnType {
        let nearly = |fitting: usize| fitting > 0 && fitting * 20 >= self.filled * 19;
        match self.found_type() {
            ColumnType::Text if self.numeric == self.numbers && nearly(self.numbers) => {
                ColumnType::Number
            }
            ColumnType::Text if self.signed > 0 && nearly(self.percents) => ColumnType::Percent,
            ColumnType::Text if nearly(self.dates) => ColumnType::Date,
            found => found,
        }
    }

    /// How many texts can be read as a type.
    pub fn fitting(&self, column_type: ColumnType) -> usize {
        match column_type {
            ColumnType::Number | ColumnType::Integer => self.numeric,
            ColumnType::Percent => self.percents,
            ColumnType::Date => self.dates,
            ColumnType::Text | ColumnType::YesNo => self.filled,
        }
    }

    /// Adds what other texts look like.
    pub fn merge(&mut self, other: &Evidence) {
        self.filled += other.filled;
        self.numbers += other.numbers;
        self.numeric += other.numeric;
        self.percents += other.percents;
        self.dates += other.dates;
        self.signed += other.signed;
        self.zeros += other.zeros;
        self.places = self.places.max(other.places);
    }

    /// Adds all texts of a column.
    pub fn add_all(&mut self, texts: &StringViewArray, style: &Style) {
        let mut recent = Recent::default();
        let short = |text: &[u8]| {
            let mut one = Evidence::default();
            if style.dates == DateStyle::ISO && Day::parse(text).is_some() {
                // A day of the standard looks like nothing else.
                (one.filled, one.dates) = (1, 1);
            } else if let Ok(text) = std::str::from_utf8(text) {
                one.add(text, style);
            }
            one
        };
        for (row, view) in texts.views().iter().enumerate() {
            match recent.of(*view, short) {
                Some(one) => self.merge(&one),
                None => self.add(texts.value(row), style),
            }
        }
    }

    /// Whether some texts are percents and others are numbers without the sign, which might be percents or not.
    pub fn mixes_percents(&self) -> bool {
        self.signed > 0 && self.numeric > self.zeros
    }

    /// The type that all of the texts have; text when there is none.
    pub fn found_type(&self) -> ColumnType {
        match self.filled {
            0 => ColumnType::Text,
            n if n == self.numbers => ColumnType::Number,
            // Zeros are percents beside others, not by themselves.
            n if n == self.percents && self.signed > 0 => ColumnType::Percent,
            n if n == self.dates => ColumnType::Date,
            _ => ColumnType::Text,
        }
    }

    /// Whether at least half of the texts can be read as `wanted`: what is needed as a number or
    /// date may hold a typing error here and there, but not be something else altogether.
    pub fn allows(&self, wanted: ColumnType) -> bool {
        self.fitting(wanted) * 2 >= self.filled
    }

    /// The places of the column's numbers once they are multiplied by `scale`.
    pub fn scaled_places(&self, scale: Option<Decimal>) -> u8 {
        (self.places + scale.map_or(0, Decimal::places)).min(MAX_PLACES)
    }
}

fn has_leading_zero(text: &str) -> bool {
    let digits = text.strip_prefix(['-', '+']).unwrap_or(text).as_bytes();
    digits.len() > 1 && digits[0] == b'0' && !matches!(digits[1], b'.' | b',')
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn codes_are_not_numbers() {
        let found = |texts: &[&str]| {
            let mut evidence = Evidence::default();
            texts.iter().for_each(|text| evidence.add(text, &Style::default()));
            evidence.found_type()
        };
        assert_eq!(found(&["007", "12"]), ColumnType::Text);
        assert_eq!(found(&["0.07", "", "12"]), ColumnType::Number);
        assert_eq!(found(&["12", "x"]), ColumnType::Text);
        assert_eq!(found(&["2025-01-01", "2025-01-02"]), ColumnType::Date);
        assert_eq!(found(&["5 %", "7.5%", "0"]), ColumnType::Percent);
        assert_eq!(found(&["0", "0"]), ColumnType::Number);
        assert_eq!(found(&["000", "00"]), ColumnType::Text);
        assert_eq!(found(&["", " "]), ColumnType::Text);
    }

    #[test]
    fn a_typing_error_here_and_there_does_not_change_what_a_column_mostly_is() {
        let mostly = |texts: &[(&str, usize)]| {
            let mut all = Evidence::default();
            for (text, times) in texts {
                let mut one = Evidence::default();
                one.add(text, &Style::default());
                all.merge(&one.times(*times));
            }
            all.mostly()
        };
        assert_eq!(mostly(&[("1.5", 19), ("x", 1)]), ColumnType::Number);
        assert_eq!(mostly(&[("1.5", 18), ("x", 2)]), ColumnType::Text);
        assert_eq!(mostly(&[("2025-01-02", 40), ("soon", 2)]), ColumnType::Date);
        assert_eq!(mostly(&[("5 %", 20), ("0", 20), ("-", 1)]), ColumnType::Percent);
        // One code makes the column one of codes.
        assert_eq!(mostly(&[("12", 99), ("007", 1)]), ColumnType::Text);
        assert_eq!(mostly(&[("", 5)]), ColumnType::Text);
    }

    proptest::proptest! {
        /// What is known at a glance is what reading it in full says.
        #[test]
        fn prop_plain_numbers_are_numbers(
            text in "0{0,2}[0-9]{0,4}[.,]?[0-9]{0,3}",
            numbers in proptest::sample::select(crate::reading::style::NumberStyle::ALL.to_vec()),
        ) {
            let style = Style { numbers, ..Style::default() };
            if let Some(plain) = Plain::of(&text, &style) {
                let read = amount::read(&text, numbers).map(|amount| amount.number);
                let known = read.map(|number| (number.places(), number.is_zero()));
                proptest::prop_assert_eq!(known, Some((plain.places, plain.zero)), "{} {}", text, numbers);
            }
        }
    }
}
