//! Whole numbers in as few bytes as they need, for files.

use serde::{Deserialize, Serialize};

/// How many numbers there may be: where all are the same, their count is all that a damaged file has to say.
const MOST: usize = 1 << 27;

/// Whole numbers: the least of them and, of each, how much more it is, in as many bytes as the greatest needs.
#[derive(Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct NarrowInts {
    count: usize,
    least: i64,
    /// The bytes of a number: 0, where all are the same, 1, 2, 4 or 8.
    width: u8,
    #[serde(with = "serde_bytes")]
    bytes: Vec<u8>,
}

impl NarrowInts {
    /// Numbers, in as few bytes as they need.
    pub fn new(numbers: impl ExactSizeIterator<Item = i64> + Clone) -> NarrowInts {
        NarrowInts::of_width(0, numbers)
    }

    /// The same in at least a byte each: a damaged file cannot say that it has more of them than it has bytes.
    pub fn of_a_byte(numbers: impl ExactSizeIterator<Item = i64> + Clone) -> NarrowInts {
        NarrowInts::of_width(1, numbers)
    }

    fn of_width(narrowest: u8, numbers: impl ExactSizeIterator<Item = i64> + Clone) -> NarrowInts {
        let (mut least, mut greatest) = (i64::MAX, i64::MIN);
        numbers.clone().for_each(|number| {
            least = least.min(number);
            greatest = greatest.max(number);
        });
        let (count, least) = (numbers.len(), if numbers.len() == 0 { 0 } else { least });
        // The difference of two numbers of 64 bits fits as many without a sign.
        let more = numbers.map(|number| number.wrapping_sub(least) as u64);
        let (width, bytes) = match greatest.wrapping_sub(least) as u64 {
            0 if narrowest == 0 => (0, Vec::new()),
            _ if count == 0 => (0, Vec::new()),
            0..=0xff => (1, more.map(|number| number as u8).collect()),
            0x100..=0xffff => (2, more.flat_map(|number| (number as u16).to_le_bytes()).collect()),
            0x1_0000..=0xffff_ffff => {
                (4, more.flat_map(|number| (number as u32).to_le_bytes()).collect())
            }
            _ => (8, more.flat_map(u64::to_le_bytes).collect()),
        };
        NarrowInts { count, least, width, bytes }
    }

    /// Whether each number has a byte or more.
    pub fn has_bytes(&self) -> bool {
        self.width > 0 || self.count == 0
    }

    /// The numbers, each as `of` takes it.
    ///
    /// # Errors
    /// There are not as many bytes as that takes.
    pub fn numbers<T: Clone>(&self, of: impl Fn(i64) -> T) -> Result<Vec<T>, String> {
        let bytes = self.count.checked_mul(usize::from(self.width));
        if bytes != Some(self.bytes.len()) || self.count > MOST {
            return Err(format!("{} numbers in {} bytes", self.count, self.bytes.len()));
        }
        let own = |more: u64| of(self.least.wrapping_add(more as i64));
        Ok(match self.width {
            0 => vec![own(0); self.count],
            1 => self.bytes.iter().map(|byte| own(u64::from(*byte))).collect(),
            2 => wide(&self.bytes, |bytes| own(u64::from(u16::from_le_bytes(bytes)))),
            4 => wide(&self.bytes, |bytes| own(u64::from(u32::from_le_bytes(bytes)))),
            8 => wide(&self.bytes, |bytes| own(u64::from_le_bytes(bytes))),
            other => return Err(format!("numbers of {other} bytes")),
        })
    }
}

fn wide<const BYTES: usize, T>(bytes: &[u8], of: impl Fn([u8; BYTES]) -> T) -> Vec<T> {
    let (numbers, _) = bytes.as_chunks::<BYTES>();
    numbers.iter().map(|number| of(*number)).collect()
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    proptest! {
        #[test]
        fn numbers_come_back(numbers: Vec<i64>, near in prop::collection::vec(-200i64..70_000, 0..50)) {
            for numbers in [numbers, near] {
                let narrow = NarrowInts::new(numbers.iter().copied());
                prop_assert_eq!(narrow.numbers(|number| number), Ok(numbers.clone()));
                let of_a_byte = NarrowInts::of_a_byte(numbers.iter().copied());
                prop_assert!(of_a_byte.has_bytes());
                prop_assert_eq!(of_a_byte.numbers(|number| number), Ok(numbers));
            }
        }
    }

    #[test]
    fn numbers_take_as_few_bytes_as_they_need() {
        let bytes = |numbers: &[i64]| NarrowInts::new(numbers.iter().copied()).bytes.len();
        assert_eq!(bytes(&[]), 0);
        assert_eq!(bytes(&[7, 7, 7]), 0);
        assert!(!NarrowInts::new([7, 7].into_iter()).has_bytes());
        assert_eq!(NarrowInts::of_a_byte([7, 7].into_iter()).bytes.len(), 2);
        assert_eq!(bytes(&[1_000, 1_255]), 2);
        assert_eq!(bytes(&[1_000, 1_256]), 4);
        assert_eq!(bytes(&[-1, 65_535]), 8);
        assert_eq!(bytes(&[i64::MIN, i64::MAX]), 16);
    }

    #[test]
    fn what_is_cut_off_or_of_another_form_is_refused() {
        let mut narrow = NarrowInts::new([1, 300].into_iter());
        narrow.bytes.pop();
        assert_eq!(narrow.numbers(|n| n), Err("2 numbers in 3 bytes".to_owned()));
        let odd = NarrowInts { count: 1, least: 0, width: 3, bytes: vec![0; 3] };
        assert_eq!(odd.numbers(|n| n), Err("numbers of 3 bytes".to_owned()));
    }
}
