//! What codes often have in common: `SO-0001234` and all its like have one length, the same bytes in some places, and digits
//! in the others. The digits of such a key say where it is in a list, so that nothing is hashed and no key is held.

/// What all keys of some have in common. A key of several columns is one text, see [`joined`](super::joined).
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct KeyShape {
    /// One of the keys.
    example: Vec<u8>,
    /// Where keys differ, from left to right.
    numbers: Vec<NumberPlace>,
    cells: usize,
}

/// Digits in which keys differ.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
struct NumberPlace {
    start: usize,
    end: usize,
    /// The smallest number that is there.
    least: u64,
    /// The largest one.
    largest: u64,
    /// How far apart two keys are that differ by one in this number alone.
    step: u64,
}

/// Longer keys have no shape.
const LONGEST: usize = u64::BITS as usize;

/// More digits than these are no number of 64 bits.
const MOST_DIGITS: usize = 19;

impl KeyShape {
    /// The shape of keys, if they have one, and it has not too many cells. `each` hands the keys to what it is given until
    /// that says that it needs no more.
    pub(crate) fn of(
        each: impl Fn(&mut dyn FnMut(&[u8]) -> bool),
        most_cells: usize,
    ) -> Option<KeyShape> {
        let (mut example, mut differ, mut fits) = (Vec::new(), 0u64, true);
        each(&mut |key| {
            if example.is_empty() {
                example.extend_from_slice(key);
                fits = (1..=LONGEST).contains(&key.len());
            } else {
                fits = key.len() == example.len() && note_differences(&example, key, &mut differ);
            }
            fits
        });
        if !fits || example.is_empty() {
            return None;
        }
        let mut numbers = places_of_numbers(&example, differ)?;
        each(&mut |key| {
            for place in &mut numbers {
                let Some(number) = number_of(&key[place.start..place.end]) else { return false };
                place.least = place.least.min(number);
                place.largest = place.largest.max(number);
            }
            true
        });
        // The last number counts on from cell to cell: lists are mostly in that order.
        let mut cells = 1u64;
        for place in numbers.iter_mut().rev() {
            place.step = cells;
            cells = cells.checked_mul((place.largest - place.least).checked_add(1)?)?;
        }
        let cells = usize::try_from(cells).ok().filter(|cells| *cells <= most_cells)?;
        Some(KeyShape { example, numbers, cells })
    }

    /// How many keys there can be.
    pub(crate) fn cells(&self) -> usize {
        self.cells
    }

    /// Where a key is among all that there can be; none where it has not the shape.
    #[inline]
    pub(crate) fn cell(&self, key: &[u8]) -> Option<usize> {
        if key.len() != self.example.len() {
            return None;
        }
        let (mut cell, mut fixed) = (0, 0);
        for place in &self.numbers {
            if !is_same(&key[fixed..place.start], &self.example[fixed..place.start]) {
                return None;
            }
            let above = number_of(&key[place.start..place.end])?.wrapping_sub(place.least);
            if above > place.largest - place.least {
                return None;
            }
            cell += above * place.step;
            fixed = place.end;
        }
        is_same(&key[fixed..], &self.example[fixed..]).then_some(cell as usize)
    }

    /// The key of a cell.
    pub(crate) fn key(&self, cell: usize) -> String {
        let mut key = self.example.clone();
        for place in &self.numbers {
            let count = place.largest - place.least + 1;
            let mut number = place.least + cell as u64 / place.step % count;
            for digit in key[place.start..place.end].iter_mut().rev() {
                *digit = b'0' + (number % 10) as u8;
                number /= 10;
            }
        }
        String::from_utf8_lossy(&key).into_owned()
    }
}

/// Notes in which places a key differs from an example of its length; false where that is by something else than digits.
fn note_differences(example: &[u8], key: &[u8], differ: &mut u64) -> bool {
    let mut digits = true;
    for (at, (one, other)) in example.iter().zip(key).enumerate() {
        if one != other {
            *differ |= 1 << at;
            digits &= one.is_ascii_digit() && other.is_ascii_digit();
        }
    }
    digits
}

/// The stretches of digits in which keys differ; none where one of them is too long.
fn places_of_numbers(example: &[u8], differ: u64) -> Option<Vec<NumberPlace>> {
    let mut places: Vec<NumberPlace> = Vec::new();
    for at in (0..example.len()).filter(|at| differ >> at & 1 == 1) {
        match places.last_mut() {
            Some(last) if example[last.end..at].iter().all(u8::is_ascii_digit) => last.end = at + 1,
            _ => places.push(NumberPlace {
                start: at,
                end: at + 1,
                least: u64::MAX,
                largest: 0,
                step: 0,
            }),
        }
    }
    places.iter().all(|place| place.end - place.start <= MOST_DIGITS).then_some(places)
}

/// Whether some bytes are the same. They are few, so that calling a function for many would take most of the time.
#[inline]
fn is_same(one: &[u8], other: &[u8]) -> bool {
    one.iter().zip(other).all(|(one, other)| one == other)
}

/// The number that digits make.
#[inline]
fn number_of(digits: &[u8]) -> Option<u64> {
    let mut number = 0u64;
    for byte in digits {
        let digit = byte.wrapping_sub(b'0');
        if digit > 9 {
            return None;
        }
        number = number.wrapping_mul(10).wrapping_add(u64::from(digit));
    }
    Some(number)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn shape_of(keys: &[String], most_cells: usize) -> Option<KeyShape> {
        let each = |take: &mut dyn FnMut(&[u8]) -> bool| {
            keys.iter().map(String::as_bytes).all(take);
        };
        KeyShape::of(each, most_cells)
    }

    fn owned(keys: &[&str]) -> Vec<String> {
        keys.iter().map(|key| (*key).to_owned()).collect()
    }

    #[test]
    fn keys_that_differ_in_digits_have_a_shape() {
        let shape = shape_of(&owned(&["SO-0107x", "SO-0093x", "SO-0100x"]), 100).unwrap();
        assert_eq!(shape.cells(), 15);
        assert_eq!(shape.cell(b"SO-0093x"), Some(0));
        assert_eq!(shape.cell(b"SO-0101x"), Some(8));
        for other in [
            "SO-0108x",
            "SO-0092x",
            "SO-1093x",
            "SO-0093y",
            "SO-0093",
            "SO-0093xx",
            "SO-00 3x",
            "SO-009ax",
            "",
        ] {
            assert_eq!(shape.cell(other.as_bytes()), None, "{other}");
        }
        // Of two numbers each counts for itself.
        let shape = shape_of(&owned(&["A10\u{1f}3", "A12\u{1f}1"]), 9).unwrap();
        assert_eq!((shape.cells(), shape.cell("A11\u{1f}3".as_bytes())), (9, Some(5)));
    }

    #[test]
    fn other_keys_have_none() {
        for keys in [
            owned(&[]),
            owned(&["", ""]),
            owned(&["A1", "A10"]),
            owned(&["A1", "B1"]),
            owned(&["A1", "A9"]),
            owned(&["1", "x"]),
            owned(&["00000000000000000000", "11111111111111111111"]),
            // Apart by as much as a number of 64 bits has values.
            owned(&["00000000000000000000", "18446744073709551616"]),
            vec!["1".repeat(65), "2".repeat(65)],
        ] {
            assert_eq!(shape_of(&keys, 5), None, "{keys:?}");
        }
    }

    proptest! {
        /// Every key of a shape has a cell of its own, from which it is read back.
        #[test]
        fn prop_a_cell_is_of_one_key(keys in prop::collection::vec("[0-9][ab-][0-9]{2}", 1..20), one in "[0-9a-]{4}") {
            if let Some(shape) = shape_of(&keys, 10_000) {
                for key in keys.iter().chain([&one]) {
                    let Some(cell) = shape.cell(key.as_bytes()) else {
                        prop_assert!(!keys.contains(key), "{}", key);
                        continue;
                    };
                    prop_assert!(cell < shape.cells());
                    prop_assert_eq!(&shape.key(cell), key);
                }
            }
        }
    }
}
