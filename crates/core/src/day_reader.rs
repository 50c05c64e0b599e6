//! Reading columns of days: a few days make up most columns, and those that were read lately are not read anew.

use crate::date::Day;
use crate::style::DateStyle;

/// How many days are kept; few enough to stay in the nearest cache.
const KEPT: usize = 256;

/// No string view of a short text: it would be longer than any.
const NONE: u128 = u128::MAX;

/// The longest text that a view holds in itself, by the Arrow columnar format.
const INLINE: u32 = 12;

/// Reads days in one style.
pub(crate) struct DayReader<'s> {
    style: &'s DateStyle,
    iso: bool,
    /// Short texts, as views, with their days.
    kept: Vec<(u128, Option<Day>)>,
}

impl DayReader<'_> {
    pub(crate) fn new(style: &DateStyle) -> DayReader<'_> {
        let iso = *style == DateStyle::ISO;
        DayReader { style, iso, kept: vec![(NONE, None); KEPT] }
    }

    /// The day that a text says, given as a string view; none, too, where it is too long for a view.
    pub(crate) fn short(&mut self, view: u128) -> Option<Day> {
        let length = view as u32;
        if length > INLINE {
            return None;
        }
        let kept = &mut self.kept[place_of(view)];
        if kept.0 != view {
            let bytes = (view >> 32).to_le_bytes();
            let text = &bytes[..length as usize];
            let day = match self.iso {
                true => Day::parse(text),
                false => std::str::from_utf8(text).ok().and_then(|text| self.style.read(text)),
            };
            *kept = (view, day);
        }
        kept.1
    }
}

fn place_of(view: u128) -> usize {
    let bytes = view >> 32;
    let mixed = (bytes as u64 ^ (bytes >> 64) as u64).wrapping_mul(0x9e37_79b9_7f4a_7c15);
    (mixed >> 56) as usize % KEPT
}

#[cfg(test)]
mod tests {
    use super::*;
    use arrow_array::StringViewArray;
    use proptest::prelude::*;

    proptest! {
        /// Whatever was read before.
        #[test]
        fn prop_a_day_is_read_as_by_its_style(
            texts in prop::collection::vec("202[0-9]-[01][0-9]-[0-3][0-9]|[0-3][0-9]/[01][0-9]/202[0-9]|[0-9/-]{0,14}", 0..600),
            iso in any::<bool>(),
        ) {
            let style = if iso { DateStyle::ISO } else { DateStyle::from_specimen("31/12/2025").unwrap() };
            let array = StringViewArray::from_iter_values(texts.iter().chain(&texts));
            let mut reader = DayReader::new(&style);
            for (text, view) in texts.iter().chain(&texts).zip(array.views().iter()) {
                let expected = style.read(text).filter(|_| text.len() <= 12);
                prop_assert_eq!(reader.short(*view), expected, "{}", text);
            }
        }
    }
}
