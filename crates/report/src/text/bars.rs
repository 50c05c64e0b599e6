//! Bars made of letters, for a column of a table.

use interligo_model::values::decimal::{Decimal, Rounding};

/// Parts of a letter's width, in eighths.
const EIGHTHS: [&str; 8] = ["", "▏", "▎", "▍", "▌", "▋", "▊", "▉"];

/// A bar for a value where `largest` is `width` letters long. One below zero is drawn in another pattern, behind a
/// minus character.
pub(super) fn bar(value: Decimal, largest: Decimal, width: usize) -> String {
    let size = value.checked_abs().and_then(|size| {
        let eighths = size.checked_mul(Decimal::from(8 * width as i64))?;
        eighths.checked_div(largest, 2)?.round(0, Rounding::HalfEven)?.whole()
    });
    let eighths = size.and_then(|size| usize::try_from(size).ok()).unwrap_or(0).min(8 * width);
    if value < Decimal::ZERO {
        return format!("-{}", "▒".repeat(eighths.div_ceil(8)));
    }
    format!("{}{}", "█".repeat(eighths / 8), EIGHTHS[eighths % 8])
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn bars_are_as_long_as_their_value_is_large() {
        let of = |value: i64, largest: i64| bar(value.into(), largest.into(), 4);
        for (value, largest, drawn) in [
            (100, 100, "████"),
            (50, 100, "██"),
            (1, 100, ""),
            (14, 100, "▌"),
            (-50, 100, "-▒▒"),
            (0, 100, ""),
            (3, 0, ""),
        ] {
            assert_eq!(of(value, largest), drawn, "{value} of {largest}");
        }
    }
}
