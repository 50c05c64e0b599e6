//! Numbers as people read them.

use interligo_model::values::decimal::{Decimal, Rounding};
pub(crate) use interligo_model::words::grouped;

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
    fn a_number_has_places_and_groups() {
        let number = Decimal::parse(b"1234.565").unwrap();
        assert_eq!(rounded(number, 2), "1,234.56");
        assert_eq!(rounded(number, 5), "1,234.56500");
    }
}
