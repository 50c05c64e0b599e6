//! What was made of short texts lately: few different texts make up most columns, and what is reported of one need not
//! be computed again each time that it comes.

/// How many texts are kept; few enough to stay in the nearest cache.
const KEPT: usize = 256;

/// The longest text that a string view holds in itself, by the Arrow columnar format.
const INLINE: u32 = 12;

/// No view of a short text: it would be longer than any.
const NONE: u128 = u128::MAX;

/// Short texts, as views, each with what was made of it.
pub struct Recent<T> {
    kept: Vec<(u128, T)>,
}

impl<T: Copy + Default> Default for Recent<T> {
    fn default() -> Recent<T> {
        Recent { kept: vec![(NONE, T::default()); KEPT] }
    }
}

impl<T: Copy + Default> Recent<T> {
    /// What `make` makes of the text of a view; nothing where the view does not hold it.
    pub fn of(&mut self, view: u128, make: impl FnOnce(&[u8]) -> T) -> Option<T> {
        let length = view as u32;
        if length > INLINE {
            return None;
        }
        let kept = &mut self.kept[place_of(view)];
        if kept.0 != view {
            let bytes = (view >> 32).to_le_bytes();
            *kept = (view, make(&bytes[..length as usize]));
        }
        Some(kept.1)
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
        /// Whatever came before, a short text is given what is made of it.
        #[test]
        fn prop_what_is_kept_is_that_of_the_text(texts in prop::collection::vec("[a-c0-9]{0,3}|[a-c]{10,14}", 0..900)) {
            let array = StringViewArray::from_iter_values(&texts);
            let mut recent = Recent::default();
            for (text, view) in texts.iter().zip(array.views().iter()) {
                let sum = |bytes: &[u8]| bytes.iter().fold(7u64, |sum, byte| sum * 31 % 65_521 + u64::from(*byte));
                let expected = (text.len() <= 12).then(|| sum(text.as_bytes()));
                prop_assert_eq!(recent.of(*view, sum), expected, "{}", text);
            }
        }
    }
}
