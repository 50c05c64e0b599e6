//! How the values of a file are written; of numbers, given by a sample of 1234.56.

use std::collections::BTreeMap;
use std::fmt;

use super::date_style::DateStyle;
use crate::values::decimal::Decimal;

/// How the numbers and days of a file are written.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Style {
    /// Numbers.
    pub numbers: NumberStyle,
    /// Days.
    pub dates: DateStyle,
}

/// How the values of one column are written, where the plan says so of the column itself.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Way {
    /// What every number is multiplied by.
    pub scale: Option<Decimal>,
    /// How its numbers are written.
    pub numbers: Option<NumberStyle>,
    /// How its days are written.
    pub dates: Option<DateStyle>,
}

impl Way {
    /// This way, and where it says nothing the other.
    pub fn or(self, other: Way) -> Way {
        Way {
            scale: self.scale.or(other.scale),
            numbers: self.numbers.or(other.numbers),
            dates: self.dates.or(other.dates),
        }
    }

    /// The style of the column in a file of that style.
    pub fn style(&self, file: &Style) -> Style {
        Style {
            numbers: self.numbers.unwrap_or(file.numbers),
            dates: self.dates.unwrap_or(file.dates),
        }
    }
}

/// How the values of a part are written: its style, and the columns that differ from it.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct PartStyle {
    /// What holds for the part.
    pub style: Style,
    /// What is reported of single columns, by their position in the table.
    pub ways: BTreeMap<usize, Way>,
    /// The styles that read all that was looked at just as this one does.
    pub rivals: Rivals,
}

/// Styles that may be meant as well, as far as the rows go that were looked at.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Rivals {
    /// Of numbers.
    pub numbers: Vec<NumberStyle>,
    /// Of days.
    pub dates: Vec<DateStyle>,
}

impl PartStyle {
    /// Whether values are read in the same way.
    pub fn reads_as(&self, other: &PartStyle) -> bool {
        (&self.style, &self.ways) == (&other.style, &other.ways)
    }

    /// The way of a column.
    pub fn way(&self, column: usize) -> Way {
        self.ways.get(&column).copied().unwrap_or_default()
    }

    /// The style of a column.
    pub fn of(&self, column: usize) -> Style {
        self.way(column).style(&self.style)
    }
}

/// How numbers are written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct NumberStyle {
    /// The decimal mark.
    pub decimal: char,
    /// The mark between thousands, where there is one; a blank represents every kind of space.
    pub thousands: Option<char>,
}

impl Default for NumberStyle {
    fn default() -> NumberStyle {
        NumberStyle::PLAIN
    }
}

impl NumberStyle {
    /// `1234.56`.
    pub const PLAIN: NumberStyle = NumberStyle { decimal: '.', thousands: None };

    /// All the styles that are looked for in a file.
    pub const ALL: [NumberStyle; 8] = [
        NumberStyle::PLAIN,
        NumberStyle { decimal: ',', thousands: None },
        NumberStyle { decimal: '.', thousands: Some(',') },
        NumberStyle { decimal: ',', thousands: Some('.') },
        NumberStyle { decimal: '.', thousands: Some(' ') },
        NumberStyle { decimal: ',', thousands: Some(' ') },
        NumberStyle { decimal: '.', thousands: Some('\'') },
        NumberStyle { decimal: ',', thousands: Some('\'') },
    ];

    /// The style of a format sample; `None` when it does not write 1234.56.
    pub fn from_sample(sample: &str) -> Option<NumberStyle> {
        let sample = sample.replace(is_space, " ").replace('\u{2019}', "'");
        NumberStyle::ALL.into_iter().find(|style| style.to_string() == sample)
    }

    /// The number that a text says, with an optional sign. Groups of thousands must be whole.
    pub fn read(self, text: &str) -> Option<Decimal> {
        if self == NumberStyle::PLAIN {
            return Decimal::parse(text.as_bytes());
        }
        let mut plain = [0; SHORT];
        match self.without_groups(text.as_bytes(), &mut plain) {
            Some(plain) => Decimal::parse(plain),
            None => self.read_in_groups(text),
        }
    }

    /// A text of digits in one group, signs and decimal marks with points as marks, without room of its own. Whether there are
    /// too many of them is seen when it is read, as that of any plain number.
    fn without_groups<'p>(self, text: &[u8], plain: &'p mut [u8; SHORT]) -> Option<&'p [u8]> {
        let decimal = u32::from(self.decimal);
        let room = plain.get_mut(..text.len())?;
        for (byte, out) in text.iter().zip(&mut *room) {
            *out = match byte {
                b'0'..=b'9' | b'-' | b'+' => *byte,
                mark if u32::from(*mark) == decimal => b'.',
                _ => return None,
            };
        }
        Some(room)
    }

    /// The same of any number.
    fn read_in_groups(self, text: &str) -> Option<Decimal> {
        let (whole, fraction) = match text.rsplit_once(self.decimal) {
            Some((whole, fraction)) => (whole, Some(fraction)),
            None => (text, None),
        };
        let (sign, digits) = match whole.strip_prefix(['-', '+']) {
            Some(digits) => (&whole[..1], digits),
            None => ("", whole),
        };
        let mut plain = sign.to_owned();
        let is_mark = |c: char| self.thousands.is_some_and(|mark| c == mark || stands_for(mark, c));
        for (number, group) in digits.split(is_mark).enumerate() {
            let grouped = digits.len() > group.len();
            let fits = match number {
                0 => (1..=3).contains(&group.len()) && !group.starts_with('0'),
                _ => group.len() == 3,
            };
            if (grouped && !fits) || !group.bytes().all(|b| b.is_ascii_digit()) {
                return None;
            }
            plain.push_str(group);
        }
        if let Some(fraction) = fraction {
            if !fraction.bytes().all(|b| b.is_ascii_digit()) {
                return None;
            }
            plain.push('.');
            plain.push_str(fraction);
        }
        Decimal::parse(plain.as_bytes())
    }
}

/// Longer than any number of 38 digits with sign and mark.
const SHORT: usize = 48;

impl NumberStyle {
    /// A number that is written as 1234.56, in this style; thousands are not marked.
    pub fn rewrite(self, plain: &mut String) {
        if self.decimal != '.'
            && let Some(point) = plain.find('.')
        {
            plain.replace_range(point..=point, self.decimal.encode_utf8(&mut [0; 4]));
        }
    }
}

/// Whether a character is another form of the mark between thousands.
fn stands_for(mark: char, sign: char) -> bool {
    match mark {
        ' ' => is_space(sign),
        '\'' => sign == '\u{2019}',
        _ => false,
    }
}

fn is_space(sign: char) -> bool {
    matches!(sign, ' ' | '\u{a0}' | '\u{202f}' | '\u{2009}')
}

impl fmt::Display for NumberStyle {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let thousands = self.thousands.map_or(String::new(), String::from);
        write!(f, "1{thousands}234{}56", self.decimal)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn format_samples_say_how_numbers_are_written() {
        for (sample, text, value) in [
            ("1234.56", "-12.5", Some("-12.5")),
            ("1234,56", "-12,5", Some("-12.5")),
            ("1.234,56", "1.234.567,8", Some("1234567.8")),
            ("1.234,56", "1234,5", Some("1234.5")),
            ("1,234.56", "1,200", Some("1200")),
            ("1 234,56", "12\u{a0}345,00", Some("12345.00")),
            ("1'234.56", "+1'000", Some("1000")),
            ("1'234,56", "1\u{2019}000,5", Some("1000.5")),
            ("1.234,56", "1.5", None),
            ("1.234,56", "12.34,5", None),
            ("1.234,56", ".123", None),
            ("1234,56", "1.234,5", None),
            ("1,234.56", "0,125", None),
            ("1,234.56", "1,2,3", None),
            ("1.234,56", "1,2,3", None),
        ] {
            let style = NumberStyle::from_sample(sample).unwrap();
            assert_eq!(
                style.read(text).map(|n| n.to_string()).as_deref(),
                value,
                "{sample} {text}"
            );
        }
        for sample in ["", "1,234,56", "12.34", "1.234.56", "1234"] {
            assert_eq!(NumberStyle::from_sample(sample), None, "{sample}");
        }
    }

    proptest! {
        #[test]
        fn prop_a_number_reads_back_in_every_style(mantissa in -9_999_999i64..9_999_999, places in 0u8..4, style in 0usize..8) {
            let style = NumberStyle::ALL[style];
            let plain = Decimal::new(i128::from(mantissa), places).unwrap().to_string();
            let (whole, fraction) = plain.split_once('.').unwrap_or((&plain, ""));
            let digits = whole.trim_start_matches('-');
            let mut grouped = if mantissa < 0 { "-".to_owned() } else { String::new() };
            for (at, digit) in digits.chars().enumerate() {
                if at > 0 && (digits.len() - at).is_multiple_of(3) {
                    grouped.extend(style.thousands);
                }
                grouped.push(digit);
            }
            if !fraction.is_empty() {
                grouped.push(style.decimal);
                grouped.push_str(fraction);
            }
            prop_assert_eq!(style.read(&grouped), Decimal::parse(plain.as_bytes()));
        }

        #[test]
        fn prop_digits_in_one_group_are_read_as_in_several(text in "[-+0-9]?[0-9]{0,4}[-+.,' x]?[0-9]{0,30}[.,]?[0-9]{0,20}", style in 1usize..8) {
            let style = NumberStyle::ALL[style];
            prop_assert_eq!(style.read(&text), style.read_in_groups(&text));
        }
    }
}
