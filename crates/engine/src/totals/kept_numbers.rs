//! Numbers of groups in files: those of all groups at once, in as few bytes as they need, and in a byte or more each, so that
//! a damaged file cannot claim more groups than it has bytes for.

use interligo_model::values::narrow_ints::NarrowInts;
use serde::de::Error;
use serde::{Deserialize, Deserializer, Serialize, Serializer};

/// A number that is kept as 64 bits.
pub(super) trait Kept: Copy {
    fn to_bits(self) -> i64;
    fn of_bits(bits: i64) -> Self;
}

impl Kept for u64 {
    fn to_bits(self) -> i64 {
        self as i64
    }
    fn of_bits(bits: i64) -> u64 {
        bits as u64
    }
}

impl Kept for u32 {
    fn to_bits(self) -> i64 {
        self.into()
    }
    fn of_bits(bits: i64) -> u32 {
        bits as u32
    }
}

/// Numbers as they are kept.
pub(super) fn kept<N: Kept>(numbers: impl ExactSizeIterator<Item = N> + Clone) -> NarrowInts {
    NarrowInts::of_a_byte(numbers.map(Kept::to_bits))
}

/// Numbers that were kept.
///
/// # Errors
/// There are not as many as they claim to be.
pub(super) fn read<T: Clone>(kept: &NarrowInts, of: impl Fn(i64) -> T) -> Result<Vec<T>, String> {
    match kept.has_bytes() {
        true => kept.numbers(of),
        false => Err("numbers without bytes".to_owned()),
    }
}

/// For serde.
pub(super) fn serialize<N: Kept, S: Serializer>(
    numbers: &[N],
    serializer: S,
) -> Result<S::Ok, S::Error> {
    kept(numbers.iter().copied()).serialize(serializer)
}

/// For serde.
pub(super) fn deserialize<'de, N: Kept, D: Deserializer<'de>>(
    deserializer: D,
) -> Result<Vec<N>, D::Error> {
    read(&NarrowInts::deserialize(deserializer)?, N::of_bits).map_err(D::Error::custom)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn all_numbers_come_back_and_none_without_bytes() {
        let numbers = [0, 1, u64::MAX, 1 << 63, 7];
        assert_eq!(read(&kept(numbers.into_iter()), u64::of_bits).unwrap(), numbers);
        let same = [u32::MAX; 3];
        assert_eq!(read(&kept(same.into_iter()), u32::of_bits).unwrap(), same);
        let claimed = NarrowInts::new([5, 5, 5].into_iter());
        assert_eq!(read(&claimed, u64::of_bits), Err("numbers without bytes".to_owned()));
    }
}
