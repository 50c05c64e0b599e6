//! Numbers as people read them.

use interligo_model::values::decimal::{Decimal, Rounding};

/// Thousands in groups: `-1234567.5` becomes `-1,234,567.5`.
pub(crate) fn grouped(number: &str) -> String {
    let (sign, rest) = match number.strip_prefix('-') {
        Some(rest) => ("-", rest),
        None => ("", number),
    };
    let (whole, fraction) = match rest.split_once('.') {
        Some((whole, fraction)) => (whole, format!(".{fraction}")),
        None => (rest, String::new()),
    };
    let mut groups = String::new();
    for (at, digit) in whole.chars().enumerate() {
        if at > 0 && (whole.len() - at).is_multiple_of(3) {
            groups.push(',');
        }
        groups.push(digit);
    }
    format!("{sign}{groups}{fraction}")
}

/// A number with this many places, thousands in groups.
pub(crate) fn rounded(number: Decimal, places: u8) -> String {
    grouped(&number.round(places, Rounding::HalfEven).unwrap_or(number).to_string())
}

/// A share in percent with one place, cut off rather than rounded: 100 % means all.
pub(crate) fn share(found: u64, all: u64) -> String {
    match all {
        0 => "–".to_owned(),
        _ => {
            let tenths = (u128::from(found) * 1000 / u128::from(all)) as u64;
            format!("{}.{} %", tenths / 10, tenths % 10)
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn thousands_are_in_groups() {
        for (number, shown) in
            [("0", "0"), ("999", "999"), ("1000", "1,000"), ("-1234567.501", "-1,234,567.501")]
        {
            assert_eq!(grouped(number), shown);
        }
        let number = Decimal::parse(b"1234.565").unwrap();
        assert_eq!(rounded(number, 2), "1,234.56");
        assert_eq!(rounded(number, 5), "1,234.56500");
    }
}
