//! The key of a line and the rest of it, hashed.

use std::hash::{BuildHasher, Hasher};
use std::mem::swap;

use arrow_array::StringViewArray;
use foldhash::quality::FixedState;
use interligo_model::values::column::is_blank_text;
use unicode_normalization::UnicodeNormalization;

/// As many keys are neighbours, at most.
pub(super) const NEIGHBOURS: u16 = 64;

/// This many digits at the end of a key say which neighbour it is: enough for lines numbered within receipts.
const LAST_DIGITS: usize = 4;

/// A key and the rest of its line, hashed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct LineHash {
    /// What the key has in common with its neighbours, twice.
    pub(super) stem: StemHash,
    /// Which of its neighbours it is.
    pub(super) neighbour: u8,
    /// What represents the rest of the line.
    pub rest: u32,
}

/// What a key has in common with its neighbours, by two hashes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(super) struct StemHash(pub(super) u64, pub(super) u8);

/// Hashes the keys and the rests of lines.
#[derive(Clone, Debug)]
pub struct LineHasher {
    first: FixedState,
    second: FixedState,
}

impl Default for LineHasher {
    fn default() -> LineHasher {
        LineHasher {
            first: FixedState::with_seed(0x6d69_656c),
            second: FixedState::with_seed(0x636f_7276),
        }
    }
}

impl LineHasher {
    /// Hashes the lines of a block.
    pub fn lines(&self) -> LinesHashed<'_> {
        LinesHashed { hasher: self, stem: Vec::new(), before: Vec::new(), hash: StemHash(0, 0) }
    }

    /// A hash of bytes, for rows that are the same byte for byte. `layout` tells files apart whose
    /// rows mean something else by the same letters.
    pub fn bytes(&self, bytes: &[u8], layout: u64) -> u64 {
        let mut hasher = self.first.build_hasher();
        hasher.write_u64(layout);
        hasher.write(bytes);
        hasher.finish()
    }

    fn stem(&self, stem: &[u8]) -> StemHash {
        let hash = |state: &FixedState| {
            let mut hasher = state.build_hasher();
            hasher.write(stem);
            hasher.finish()
        };
        StemHash(hash(&self.first), hash(&self.second) as u8)
    }
}

/// The hashes of lines that follow each other; keys that have all but their last digits in common are hashed once.
#[derive(Debug)]
pub struct LinesHashed<'h> {
    hasher: &'h LineHasher,
    stem: Vec<u8>,
    /// The stem of the line before, and its hash.
    before: Vec<u8>,
    hash: StemHash,
}

impl LinesHashed<'_> {
    /// The key that columns hold on a line, trimmed and in Unicode NFC; `None` where a part is blank.
    /// `rest` is the hash of the whole line.
    pub fn line(&mut self, key: &[StringViewArray], row: usize, rest: u64) -> Option<LineHash> {
        let mut last = LastDigits::default();
        self.stem.clear();
        for column in key.iter().rev() {
            let text = trimmed(column.value(row));
            if is_blank_text(text) {
                return None;
            }
            let nfc: String;
            let bytes = if text.is_ascii() {
                text.as_bytes()
            } else {
                nfc = text.nfc().collect();
                nfc.as_bytes()
            };
            let (stem, digits) = last.take_from(bytes);
            self.stem.extend_from_slice(stem);
            // No text holds this byte, so that "a" and "bc" are not "ab" and "c".
            self.stem.push(0xF8 + digits);
        }
        self.stem.extend((last.number / NEIGHBOURS).to_le_bytes());
        if self.stem != self.before {
            self.hash = self.hasher.stem(&self.stem);
            swap(&mut self.stem, &mut self.before);
        }
        let neighbour = (last.number % NEIGHBOURS) as u8;
        Some(LineHash { stem: self.hash, neighbour, rest: rest as u32 })
    }
}

/// A text without blanks at its ends; most have none.
fn trimmed(text: &str) -> &str {
    let is_mark = |byte: Option<&u8>| byte.is_some_and(u8::is_ascii_graphic);
    let bytes = text.as_bytes();
    if is_mark(bytes.first()) && is_mark(bytes.last()) { text } else { text.trim() }
}

/// The last digits of a key, over all of its columns.
struct LastDigits {
    number: u16,
    /// What the next digit is worth.
    worth: u16,
    left: usize,
}

impl Default for LastDigits {
    fn default() -> LastDigits {
        LastDigits { number: 0, worth: 1, left: LAST_DIGITS }
    }
}

impl LastDigits {
    /// Takes digits from the end of a text: the text before them, and how many they are.
    fn take_from<'t>(&mut self, text: &'t [u8]) -> (&'t [u8], u8) {
        let mut stem = text;
        while let ([before @ .., digit @ b'0'..=b'9'], 1..) = (stem, self.left) {
            self.number += self.worth * u16::from(digit - b'0');
            self.worth = self.worth.wrapping_mul(10);
            self.left -= 1;
            stem = before;
        }
        (stem, (text.len() - stem.len()) as u8)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn line(texts: &[&str]) -> Option<LineHash> {
        let columns: Vec<_> = texts.iter().map(|text| StringViewArray::from(vec![*text])).collect();
        LineHasher::default().lines().line(&columns, 0, 7)
    }

    #[test]
    fn keys_are_texts_in_their_columns() {
        assert_eq!(line(&["a", "1"]), line(&[" a", "1 "]));
        assert_eq!(line(&["Caf\u{e9}"]), line(&["Cafe\u{301}"]));
        assert_ne!(line(&["a", "bc"]), line(&["ab", "c"]));
        assert_ne!(line(&["a1", "2"]), line(&["a", "12"]));
        assert_ne!(line(&["1", "2"]), line(&["12"]));
        assert_ne!(line(&["1"]), line(&["01"]));
        assert_eq!(line(&["a", " "]), None);
    }

    #[test]
    fn a_hash_does_not_depend_on_the_lines_before() {
        let keys = ["R-0001", "R-0002", "R-00", "", "S-0002", "R-0003"];
        let column = [StringViewArray::from(keys.to_vec())];
        let hasher = LineHasher::default();
        let mut lines = hasher.lines();
        for (row, key) in keys.iter().enumerate() {
            assert_eq!(lines.line(&column, row, 7), line(&[key]), "{key}");
        }
    }

    #[test]
    fn keys_that_differ_in_their_last_digits_are_neighbours() {
        let hash = |texts: &[&str]| line(texts).unwrap();
        for (texts, neighbour) in [
            (&["R-0000"][..], 0),
            (&["R-0063"], 63),
            (&["R-0064"], 0),
            (&["R-000", "7"], 7),
            (&["R-001", "7"], 17),
            (&["R-A"], 0),
            (&["9999"], 15),
        ] {
            assert_eq!(hash(texts).neighbour, neighbour, "{texts:?}");
        }
        assert_eq!(hash(&["R-0000"]).stem, hash(&["R-0063"]).stem);
        assert_ne!(hash(&["R-0000"]).stem, hash(&["R-0064"]).stem);
        assert_ne!(hash(&["R-0000"]).stem, hash(&["S-0000"]).stem);
        assert_ne!(hash(&["R-10000"]).stem, hash(&["R-20000"]).stem);
        assert_eq!(hash(&["R-001", "7"]).stem, hash(&["R-003", "1"]).stem);
    }
}
