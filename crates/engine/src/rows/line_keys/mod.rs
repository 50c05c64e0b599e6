//! The keys of a fact's lines, hashed, and which of them came before, in little memory.
//!
//! [`KeysSeen`] takes at most 24 bytes a line in all: of the key 72 bits (by two hashes) and its place among its
//! neighbours, of the rest of the line 32 bits, and the number of the line. Whatever is decided by them is decided on equal
//! texts, or looked at again in the file: two lines that are reported to be copies have equal keys and equal rests, and
//! lines that differ are read again from their place.
//!
//! Keys of receipts mostly ascend through a file. `Neighbours` holds those that differ in their last digits alone side by
//! side; where hardly any two do, `Scattered` takes less, and goes by the hashes alone.

mod hash;
mod neighbours;
mod scattered;

pub use hash::{LineHash, LineHasher, LinesHashed};
use neighbours::Neighbours;
use scattered::Scattered;

/// The keys of all lines so far.
#[derive(Debug, Default)]
pub struct KeysSeen {
    arrangement: Arrangement,
    /// How many keys there will be, as far as that is known.
    likely: u64,
}

#[derive(Debug)]
enum Arrangement {
    Neighbours(Neighbours),
    Scattered(Scattered),
}

impl Default for Arrangement {
    fn default() -> Arrangement {
        Arrangement::Neighbours(Neighbours::default())
    }
}

/// What is known of a key.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Seen {
    /// It is new.
    New,
    /// It came before, on this line for the first time; whether that line is the same byte for byte.
    Before(u32, bool),
}

impl KeysSeen {
    /// Makes room for this many keys, so that none need be moved until there are more. In tables that are not full a key
    /// is at its place more often, too: the whole run takes 0.7 of the time.
    pub fn reserve(&mut self, keys: u64) {
        self.likely = keys;
        match &mut self.arrangement {
            Arrangement::Neighbours(neighbours) => neighbours.reserve(keys),
            Arrangement::Scattered(scattered) => scattered.reserve(keys),
        }
    }

    /// Brings the places of keys near the processor, so that looking at them one by one does not wait.
    pub fn approach<'a>(&self, lines: impl Iterator<Item = &'a LineHash>) -> u64 {
        match &self.arrangement {
            Arrangement::Neighbours(_) => 0,
            Arrangement::Scattered(scattered) => scattered.approach(lines),
        }
    }

    /// Notes a line; lines come in ascending numbers.
    pub fn note(&mut self, hash: LineHash, line: u32) -> Seen {
        match &mut self.arrangement {
            Arrangement::Neighbours(neighbours) => {
                let seen = neighbours.note(hash, line);
                if neighbours.are_few() {
                    let mut scattered = Scattered::default();
                    scattered.reserve(self.likely.max(neighbours.len() as u64));
                    neighbours.each(|hash, line| {
                        scattered.note(hash, line);
                    });
                    self.arrangement = Arrangement::Scattered(scattered);
                }
                seen
            }
            Arrangement::Scattered(scattered) => scattered.note(hash, line),
        }
    }

    /// The bytes that the keys take.
    pub fn bytes(&self) -> usize {
        match &self.arrangement {
            Arrangement::Neighbours(neighbours) => neighbours.bytes(),
            Arrangement::Scattered(scattered) => scattered.bytes(),
        }
    }
}

#[cfg(test)]
mod tests {
    use std::collections::HashMap;

    use arrow_array::StringViewArray;
    use proptest::prelude::*;

    use super::*;

    /// Notes keys, each with the rest of its line, and compares with a plain map.
    fn note_all(seen: &mut KeysSeen, lines: &[(String, u32)]) {
        let hasher = LineHasher::default();
        let mut known: HashMap<&str, (u32, u32)> = HashMap::new();
        for (line, (key, rest)) in (0u32..).zip(lines) {
            let expected = match known.get(key.as_str()) {
                Some((first, first_rest)) => Seen::Before(*first, first_rest == rest),
                None => Seen::New,
            };
            known.entry(key).or_insert((line, *rest));
            let column = StringViewArray::from(vec![key.as_str()]);
            let hash = hasher.lines().line(&[column], 0, u64::from(*rest)).unwrap();
            assert_eq!(seen.note(hash, line), expected, "line {line}, key {key}");
        }
    }

    /// Keys that ascend, keys far from each other, and such as end in letters.
    fn keys() -> impl Strategy<Value = String> {
        prop_oneof![
            (0u32..400).prop_map(|number| format!("R-{number:06}")),
            (0u32..400).prop_map(|number| format!("R-{number}")),
            (0u32..50).prop_map(|number| format!("{}-X", number * 977)),
        ]
    }

    proptest! {
        #[test]
        fn prop_every_key_that_came_before_is_known(lines in prop::collection::vec((keys(), 0u32..3), 0..600)) {
            note_all(&mut KeysSeen::default(), &lines);
            let mut scattered = KeysSeen { arrangement: Arrangement::Scattered(Scattered::default()), likely: 0 };
            note_all(&mut scattered, &lines);
        }
    }

    #[test]
    fn keys_that_ascended_are_known_after_keys_without_neighbours() {
        let ascending = (0..70_000).map(|number| (format!("{:07}", number * 3), 1));
        let scattered =
            (0..70_000u32).map(|number| (format!("{:08x}Z", number.wrapping_mul(0x9E37_79B1)), 1));
        let mut lines: Vec<(String, u32)> = ascending.chain(scattered).collect();
        for line in [0, 12_345, 69_999, 70_000, 139_999] {
            let (key, rest) = lines[line].clone();
            lines.extend([(key.clone(), rest), (key, 2)]);
        }
        let mut seen = KeysSeen::default();
        note_all(&mut seen, &lines);
        assert!(matches!(seen.arrangement, Arrangement::Scattered(_)));
    }

    #[test]
    fn a_line_takes_at_most_24_bytes() {
        let spread = |number: u32| number.wrapping_mul(0x9E37_79B1).to_string();
        let by_turns = |number: u32| format!("{}-{:07}", number % 6, number / 6);
        let keys: [&dyn Fn(u32) -> String; 4] = [
            &|number| number.to_string(),
            &|number| format!("{number}{}", number % 3),
            &spread,
            &by_turns,
        ];
        for key in keys {
            let hasher = LineHasher::default();
            let mut seen = KeysSeen::default();
            let mut lines = 0;
            for target in [100_000u32, 130_000, 170_000, 220_000] {
                while lines < target {
                    let column = StringViewArray::from(vec![key(lines)]);
                    let line = hasher.lines().line(&[column], 0, 0).unwrap();
                    assert_eq!(seen.note(line, lines), Seen::New);
                    lines += 1;
                }
                let bytes = seen.bytes();
                assert!(
                    bytes <= 24 * target as usize,
                    "{bytes} bytes for {target} lines, key {}",
                    key(lines)
                );
            }
        }
    }
}
