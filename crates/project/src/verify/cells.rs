//! Whether a cell that was read back has the value that was written.

use std::borrow::Cow;

use interligo_model::values::decimal::{Decimal, power_of_ten};

use crate::runs::{CopiedOutput, Row};

/// Digits that a binary number of a sheet or table keeps of a decimal one, in every case (IEEE 754, double precision).
const DIGITS: u32 = 15;

/// How totals name the group of lines without a value, in text.
const NO_GROUP: &str = "(none)";

/// How a form gives values back.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum GivesBack {
    /// As the text that was written.
    Text,
    /// With every digit.
    Exact,
    /// Numbers as binary ones, which keep 15 digits.
    Binary,
}

impl GivesBack {
    /// How the form of an output gives values back.
    pub(super) fn of(own: &CopiedOutput) -> GivesBack {
        let file = own.file.to_lowercase();
        let is_binary = [".xlsx", ".sqlite", ".db"].iter().any(|ending| file.ends_with(ending));
        match (own.text.separator, is_binary) {
            (Some(_), _) => GivesBack::Text,
            (None, true) => GivesBack::Binary,
            (None, false) => GivesBack::Exact,
        }
    }

    /// Whether two rows have the same values in some of their cells.
    pub(super) fn is_same_in(self, cells: &[usize], written: &Row, there: &Row) -> bool {
        cells.iter().all(|at| self.is_same(&written[*at], &there[*at]))
    }

    /// Whether what is there is the value that was written: the same number, whatever zeros it ends in, or the same text.
    pub(super) fn is_same(self, written: &str, there: &str) -> bool {
        if written == there {
            return true;
        }
        if self == GivesBack::Text {
            return false;
        }
        match (number(written), number(there)) {
            (Some(written), Some(there)) => {
                written == there || self == GivesBack::Binary && is_close(written, there)
            }
            (None, None) => plain(written) == plain(there),
            _ => false,
        }
    }
}

/// A text by which rows are known: the same for all texts of the same value.
pub(super) fn plain(text: &str) -> Cow<'_, str> {
    match text {
        "TRUE" | "true" => "yes".into(),
        "FALSE" | "false" => "no".into(),
        // Sheets leave such a cell blank.
        NO_GROUP => "".into(),
        text => match number(text) {
            Some(number) => number.to_string().into(),
            None => text.into(),
        },
    }
}

/// The number that a text is, if it is written as one: `007` is none. A percentage is the number that it means.
fn number(text: &str) -> Option<Decimal> {
    if let Some(percent) = text.strip_suffix('%') {
        let number = number(percent.trim_end())?;
        let places = number.places().checked_add(2)?;
        return Some(Decimal::new(number.mantissa(), places)?.trimmed(0));
    }
    let first = text.bytes().find(|byte| *byte != b'-')?;
    if !first.is_ascii_digit() {
        return None;
    }
    let number = Decimal::parse(text.as_bytes())?;
    (number.to_string() == text).then(|| number.trimmed(0))
}

/// Whether a fraction with more digits than binary numbers keep came back as near as they are.
fn is_close(written: Decimal, there: Decimal) -> bool {
    let digits = written.mantissa().unsigned_abs().checked_ilog10().map_or(1, |log| log + 1);
    if digits <= DIGITS || written.places() == 0 {
        return false;
    }
    let power = Decimal::new(power_of_ten(DIGITS as u8 - 1), 0);
    let difference = written.checked_sub(there).and_then(Decimal::checked_abs);
    let scaled = difference.zip(power).and_then(|(own, power)| own.trimmed(0).checked_mul(power));
    scaled.zip(written.checked_abs()).is_some_and(|(difference, whole)| difference <= whole)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_same_value_may_be_written_in_several_ways() {
        for (written, there) in [
            ("84.64750", "84.6475"),
            ("0", "0.00"),
            ("12.5 %", "12.5%"),
            ("12.5 %", "0.125"),
            ("0 %", "0"),
            ("yes", "TRUE"),
            ("no", "false"),
            ("(none)", ""),
            ("0.12345678901234567", "0.123456789012346"),
            ("0.36872451197231749", "36.8724511972318%"),
            ("-5.10", "-5.1"),
            ("007", "007"),
        ] {
            assert!(GivesBack::Binary.is_same(written, there), "{written} {there}");
        }
        for (written, there) in [
            ("84.64750", "84.6476"),
            ("7", "007"),
            ("7", "7 %"),
            ("007", "7"),
            ("", "0"),
            ("A", "a"),
            ("12345678901234567890", "12345678901234567891"),
            ("0.1234567890123", "0.1234567890124"),
            ("2025-01-01", "2025-01-02"),
        ] {
            assert!(!GivesBack::Binary.is_same(written, there), "{written} {there}");
        }
        assert!(!GivesBack::Text.is_same("84.50", "84.5"));
        assert!(!GivesBack::Exact.is_same("0.12345678901234567", "0.123456789012346"));
    }
}
