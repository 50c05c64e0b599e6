//! Duplicate lines of a fact: which keys came before, in little memory, and which of
//! several lines with one key holds.
//!
//! [`KeysSeen`] holds 16 bytes a key and a share of free room, at most 24 bytes a line in all: of the
//! key 72 bits (by two hashes), of the rest of the line 32, and the number of the line. Whatever is
//! decided by them is decided on equal texts, or looked at again in the file: two lines that are reported to
//! be copies have equal keys and equal rests, and lines that differ are read again from their place.

use std::hash::{BuildHasher, Hasher};

use arrow_array::StringViewArray;
use foldhash::quality::FixedState;
use interligo_model::plan::Rule;
use interligo_model::values::column::is_blank_text;
use interligo_model::values::value::Value;
use unicode_normalization::UnicodeNormalization;

use crate::lookup::duplicate_rule;

/// Over this many tables the keys are spread, so that only a part is moved when one grows.
const SHARDS: usize = 256;

/// A key and the rest of its line, hashed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct LineHash {
    key: u64,
    shard: u8,
    /// What represents the rest of the line.
    pub rest: u32,
}

/// Hashes the keys and the rests of lines.
#[derive(Clone, Debug)]
pub struct LineHasher {
    key: FixedState,
    shard: FixedState,
}

impl Default for LineHasher {
    fn default() -> LineHasher {
        LineHasher {
            key: FixedState::with_seed(0x6d69_656c),
            shard: FixedState::with_seed(0x636f_7276),
        }
    }
}

impl LineHasher {
    /// The key that columns hold on a line, trimmed and in Unicode NFC; `None` where a part is blank.
    /// `rest` is the hash of the whole line.
    pub fn line(&self, key: &[StringViewArray], row: usize, rest: u64) -> Option<LineHash> {
        let (mut first, mut second) = (self.key.build_hasher(), self.shard.build_hasher());
        for column in key {
            let text = column.value(row).trim();
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
            for hasher in [&mut first, &mut second] {
                hasher.write(bytes);
                // No text holds this byte, so that "a" and "bc" are not "ab" and "c".
                hasher.write_u8(0xFF);
            }
        }
        Some(LineHash { key: first.finish(), shard: second.finish() as u8, rest: rest as u32 })
    }

    /// A hash of bytes, for rows that are the same byte for byte. `layout` tells files apart whose
    /// rows mean something else by the same letters.
    pub fn bytes(&self, bytes: &[u8], layout: u64) -> u64 {
        let mut hasher = self.key.build_hasher();
        hasher.write_u64(layout);
        hasher.write(bytes);
        hasher.finish()
    }
}

#[derive(Clone, Copy, Debug)]
struct HashSlot {
    key: u64,
    rest: u32,
    line: u32,
}

const FREE: u32 = u32::MAX;

/// One table: the keys in the order of their hashes, with gaps. A key is at its place by its hash,
/// or after it behind keys with smaller hashes.
#[derive(Debug, Default)]
struct Shard {
    slots: Vec<HashSlot>,
    /// How many places hashes are spread over; a few more follow for those that are pushed on.
    spread: usize,
    used: usize,
}

/// The keys of all lines so far.
#[derive(Debug)]
pub struct KeysSeen {
    shards: Vec<Shard>,
}

/// What is known of a key.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Seen {
    /// It is new.
    New,
    /// It came before, on this line for the first time; whether that line is the same byte for byte.
    Before(u32, bool),
}

impl Default for KeysSeen {
    fn default() -> KeysSeen {
        KeysSeen { shards: (0..SHARDS).map(|_| Shard::default()).collect() }
    }
}

impl KeysSeen {
    /// Makes room for this many keys, so that none need be moved until there are more. In tables that are not full a key
    /// is at its place more often, too: the whole run takes 0.7 of the time.
    pub fn reserve(&mut self, keys: u64) {
        let keys = usize::try_from(keys).unwrap_or(usize::MAX);
        // The shards are not of equal size.
        let own = keys / SHARDS + keys / SHARDS / 32;
        for shard in self.shards.iter_mut().filter(|shard| shard.spread * 4 < own * 5) {
            shard.spread_over(own * 5 / 4 + 16);
        }
    }

    /// Brings the places of keys near the processor, so that looking at them one by one does not wait.
    pub fn approach<'a>(&self, lines: impl Iterator<Item = &'a LineHash>) -> u64 {
        lines.fold(0, |sum, line| {
            let shard = &self.shards[usize::from(line.shard)];
            let slot = shard.slots.get(shard.home(line.key));
            sum.wrapping_add(slot.map_or(0, |slot| slot.key))
        })
    }

    /// Notes a line; lines come in ascending numbers.
    pub fn note(&mut self, hash: LineHash, line: u32) -> Seen {
        self.shards[usize::from(hash.shard)].note(hash, line, usize::from(hash.shard))
    }

    /// The bytes that the tables take.
    pub fn bytes(&self) -> usize {
        self.shards.iter().map(|shard| shard.slots.capacity() * size_of::<HashSlot>()).sum()
    }
}

impl Shard {
    fn home(&self, key: u64) -> usize {
        ((u128::from(key) * self.spread as u128) >> 64) as usize
    }

    fn note(&mut self, hash: LineHash, line: u32, number: usize) -> Seen {
        // At most 4 of 5 places are taken.
        if self.used * 5 >= self.spread * 4 {
            self.grow(number);
        }
        loop {
            let mut at = self.home(hash.key);
            while at < self.slots.len()
                && self.slots[at].line != FREE
                && self.slots[at].key < hash.key
            {
                at += 1;
            }
            if let Some(slot) = self.slots.get(at)
                && slot.line != FREE
                && slot.key == hash.key
            {
                return Seen::Before(slot.line, slot.rest == hash.rest);
            }
            let room = self.slots[at.min(self.slots.len())..].iter().position(|s| s.line == FREE);
            let Some(room) = room else {
                self.grow(number);
                continue;
            };
            self.slots.copy_within(at..at + room, at + 1);
            self.slots[at] = HashSlot { key: hash.key, rest: hash.rest, line };
            self.used += 1;
            return Seen::New;
        }
    }

    /// Makes room for a sixth more. Tables begin with different sizes, so that they do not all have
    /// much free room at the same time.
    fn grow(&mut self, number: usize) {
        let least = 16 + number / 16;
        self.spread_over((self.spread + self.spread / 6).max(least));
    }

    /// Spreads the hashes over this many places.
    fn spread_over(&mut self, spread: usize) {
        self.spread = spread;
        let free = HashSlot { key: 0, rest: 0, line: FREE };
        let mut slots = Vec::new();
        slots.reserve_exact(self.spread + 16);
        slots.resize(self.spread, free);
        let mut end = 0;
        for slot in self.slots.iter().filter(|slot| slot.line != FREE) {
            let at = self.home(slot.key).max(end);
            if at >= slots.len() {
                slots.resize(at + 1, free);
            }
            slots[at] = *slot;
            end = at + 1;
        }
        slots.resize((end + 8).max(self.spread + 8), free);
        self.slots = slots;
    }
}

/// Two lines that share a key, by number: the first or the one that is used, and another.
pub type Pair = (u32, u32);

/// What a line that shares its key with others holds.
#[derive(Clone, Debug, PartialEq)]
pub struct Copy {
    /// Its number.
    pub line: u32,
    /// A hash of its values in the columns that the files of all lines with the key have.
    pub values: u64,
    /// What it says in the column that decides.
    pub decides: Value<'static>,
}

/// How lines that share keys were settled.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Settled {
    /// Lines that are equal to the one that is used, ascending, each after that one.
    pub identical: Vec<Pair>,
    /// Lines that differ from the one that is used, ascending, each after that one.
    pub dropped: Vec<Pair>,
    /// Keys that no rule settles: two of the lines that differ.
    pub open: Vec<Pair>,
}

/// Settles lines that share a key, one group after the other; `copies` ascend by the first line of their
/// group, then by line.
pub fn settle<'c>(rule: &Rule, groups: impl Iterator<Item = &'c [Copy]>) -> Settled {
    let mut settled = Settled::default();
    for copies in groups {
        let equal = copies.iter().all(|copy| copy.values == copies[0].values);
        let values: Vec<Value<'_>> = copies.iter().map(|copy| copy.decides.clone()).collect();
        let differ = |a: usize, b: usize| copies[a].values != copies[b].values;
        let held = if equal { Some(0) } else { duplicate_rule::held(rule, &values, differ) };
        let Some(held) = held else {
            let other = copies.iter().find(|copy| copy.values != copies[0].values);
            settled.open.push((copies[0].line, other.map_or(copies[0].line, |copy| copy.line)));
            continue;
        };
        for (number, copy) in copies.iter().enumerate().filter(|(number, _)| *number != held) {
            let list =
                if differ(number, held) { &mut settled.dropped } else { &mut settled.identical };
            list.push((copies[held].line, copy.line));
        }
    }
    settled.identical.sort_unstable_by_key(|(_, line)| *line);
    settled.dropped.sort_unstable_by_key(|(_, line)| *line);
    settled
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use std::collections::HashMap;

    fn hash(key: u64, rest: u32) -> LineHash {
        // Hashes that lie close together are what the tables find hardest.
        LineHash { key: key << 56 | key, shard: (key % 3) as u8, rest }
    }

    proptest! {
        #[test]
        fn prop_every_key_that_came_before_is_known(lines in prop::collection::vec((0u64..400, 0u32..3), 0..600)) {
            let mut seen = KeysSeen::default();
            let mut known: HashMap<u64, (u32, u32)> = HashMap::new();
            for (line, (key, rest)) in (0u32..).zip(lines) {
                let expected = match known.get(&key) {
                    Some((first, first_rest)) => Seen::Before(*first, *first_rest == rest),
                    None => Seen::New,
                };
                known.entry(key).or_insert((line, rest));
                prop_assert_eq!(seen.note(hash(key, rest), line), expected);
            }
        }
    }

    #[test]
    fn a_line_takes_at_most_24_bytes() {
        let hasher = LineHasher::default();
        let mut seen = KeysSeen::default();
        let mut lines = 0;
        for target in [100_000u32, 130_000, 170_000, 220_000] {
            while lines < target {
                let key = StringViewArray::from(vec![lines.to_string()]);
                let line = hasher.line(&[key], 0, 0).unwrap();
                assert_eq!(seen.note(line, lines), Seen::New);
                lines += 1;
            }
            let bytes = seen.bytes();
            assert!(bytes <= 24 * target as usize, "{bytes} bytes for {target} lines");
        }
    }

    #[test]
    fn keys_are_texts_in_their_columns() {
        let hasher = LineHasher::default();
        let key = |texts: &[&str]| {
            let columns: Vec<_> = texts.iter().map(|t| StringViewArray::from(vec![*t])).collect();
            hasher.line(&columns, 0, 7)
        };
        assert_eq!(key(&["a", "1"]), key(&[" a", "1 "]));
        assert_eq!(key(&["Caf\u{e9}"]), key(&["Cafe\u{301}"]));
        assert_ne!(key(&["a", "bc"]), key(&["ab", "c"]));
        assert_ne!(key(&["1"]), key(&["01"]));
        assert_eq!(key(&["a", " "]), None);
    }

    #[test]
    fn the_line_that_holds_is_reported_by_the_rule() {
        let copy = |line, values, decides: i64| Copy {
            line,
            values,
            decides: Value::Number(interligo_model::values::decimal::Decimal::from(decides)),
        };
        let equal = [copy(0, 5, 0), copy(7, 5, 0)];
        let differing = [copy(1, 5, 3), copy(4, 6, 9), copy(8, 5, 3)];
        let tied = [copy(2, 5, 1), copy(3, 6, 1)];
        let groups = || [&equal[..], &differing[..], &tied[..]].into_iter();
        let column = || "n".to_owned();
        for (rule, identical, dropped, open) in [
            (Rule::Stop, vec![(0, 7)], vec![], vec![(1, 4), (2, 3)]),
            (Rule::First, vec![(0, 7), (1, 8)], vec![(2, 3), (1, 4)], vec![]),
            (Rule::Last, vec![(8, 1), (0, 7)], vec![(3, 2), (8, 4)], vec![]),
            (Rule::Largest(column()), vec![(0, 7)], vec![(4, 1), (4, 8)], vec![(2, 3)]),
            (Rule::Smallest(column()), vec![(0, 7), (1, 8)], vec![(1, 4)], vec![(2, 3)]),
        ] {
            assert_eq!(settle(&rule, groups()), Settled { identical, dropped, open }, "{rule:?}");
        }
    }
}
