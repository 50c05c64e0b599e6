//! A hash table from keys to row numbers, laid out for the cache.
//!
//! A key of up to 12 bytes is held in the table itself, in the form of an Arrow string view: its
//! length and its bytes in one word of 128 bits, so that comparing two keys is comparing two words.
//! Of a longer key the table holds length, first bytes and a hash, and its bytes lie elsewhere.
//! Collisions go to the next slot; the table is at most two thirds full.
//!
//! When looking up a batch, the hashes are worked out and the first slots read for a group of keys
//! before any of them is compared: the reads do not wait for each other, so that their cache misses
//! overlap. Half of the time of a large run is spent here.

use std::borrow::Cow;

use arrow_array::{Array, StringViewArray};

/// Row numbers from here on have a meaning of their own; see the users of the table.
pub(crate) const ROW_LIMIT: u32 = u32::MAX - 16;

/// What [`KeyTable::get_all`] says of a key that the table does not hold.
pub(crate) const NO_ROW: u32 = u32::MAX;

/// Keys looked up together.
const GROUP: usize = 64;

#[derive(Clone, Copy)]
struct Slot {
    /// The low and the high half of the tag.
    tag: [u64; 2],
    /// The row; [`NO_ROW`] marks a slot that is free.
    row: u32,
    /// Where a long key lies in `long`, in steps of [`STEP`] bytes.
    long: u32,
}

const FREE: Slot = Slot { tag: [0; 2], row: NO_ROW, long: 0 };

/// A map from keys to row numbers; the few highest numbers are not for rows. Each key is held once.
pub struct KeyTable {
    slots: Vec<Slot>,
    /// Bits of a hash that choose the slot, from the top.
    shift: u32,
    held: usize,
    /// The bytes of the long keys, one after the other.
    long: Vec<u8>,
}

/// Long keys begin at multiples of this, so that more of them can be named.
const STEP: usize = 8;

impl KeyTable {
    /// A table with room for `keys` keys; it grows beyond that.
    pub fn with_capacity(keys: usize) -> KeyTable {
        let size = (keys * 3 / 2 + 8).next_power_of_two();
        KeyTable {
            slots: vec![FREE; size],
            shift: 64 - size.trailing_zeros(),
            held: 0,
            long: Vec::new(),
        }
    }

    /// How many keys the table holds.
    pub fn len(&self) -> usize {
        self.held
    }

    /// Whether the table holds no key.
    pub fn is_empty(&self) -> bool {
        self.held == 0
    }

    /// Makes room for so many more keys. Keys that come from another table come in the order of their
    /// hashes; in a table that is too small they would pile up at one end.
    pub fn reserve(&mut self, more: usize) {
        while (self.held + more) * 3 >= self.slots.len() * 2 {
            self.grow();
        }
    }

    /// Puts a key in, unless it is there already; then its row is the answer.
    pub fn insert(&mut self, key: &str, row: u32) -> Option<u32> {
        debug_assert!(row < ROW_LIMIT);
        if self.held * 3 >= self.slots.len() * 2 {
            self.grow();
        }
        let tag = tag_of(key);
        let mut at = self.first_slot(tag);
        loop {
            let slot = self.slots[at];
            if slot.row == NO_ROW {
                break;
            }
            if slot.tag == tag && self.is_same(slot, key) {
                return Some(slot.row);
            }
            at = (at + 1) & (self.slots.len() - 1);
        }
        let long = (self.long.len() / STEP) as u32;
        if key.len() > INLINE {
            self.long.extend_from_slice(key.as_bytes());
            self.long.resize(self.long.len().next_multiple_of(STEP), 0);
        }
        self.slots[at] = Slot { tag, row, long };
        self.held += 1;
        None
    }

    /// Changes the row of a key that the table holds.
    pub fn set(&mut self, key: &str, row: u32) {
        let tag = tag_of(key);
        let mut at = self.first_slot(tag);
        while self.slots[at].row != NO_ROW {
            if self.slots[at].tag == tag && self.is_same(self.slots[at], key) {
                self.slots[at].row = row;
                return;
            }
            at = (at + 1) & (self.slots.len() - 1);
        }
    }

    /// The row of a key.
    pub fn get(&self, key: &str) -> Option<u32> {
        let tag = tag_of(key);
        let at = self.first_slot(tag);
        let row = self.probe(at, tag, || key);
        (row != NO_ROW).then_some(row)
    }

    /// Appends the row of every key to `rows`, `u32::MAX` where the table does not hold it.
    pub fn get_all(&self, keys: &StringViewArray, rows: &mut Vec<u32>) {
        rows.reserve(keys.len());
        let views = keys.views();
        let mut tags = [[0u64; 2]; GROUP];
        let mut first = [FREE; GROUP];
        let mut at = 0;
        while at < views.len() {
            let group = &views[at..views.len().min(at + GROUP)];
            for (i, view) in group.iter().enumerate() {
                tags[i] = if *view as u32 as usize <= INLINE {
                    halves(*view)
                } else {
                    tag_of(keys.value(at + i))
                };
                first[i] = self.slots[self.first_slot(tags[i])];
            }
            for (i, slot) in first[..group.len()].iter().enumerate() {
                let row = if slot.tag == tags[i] && tags[i][0] as u32 as usize <= INLINE {
                    // A free slot has the tag of the empty key and says NO_ROW.
                    slot.row
                } else {
                    self.probe(self.first_slot(tags[i]), tags[i], || keys.value(at + i))
                };
                rows.push(row);
            }
            at += group.len();
        }
    }

    /// All keys with their rows, in no order.
    pub fn iter(&self) -> impl Iterator<Item = (Cow<'_, str>, u32)> {
        let held = self.slots.iter().filter(|slot| slot.row != NO_ROW);
        held.map(|slot| (self.key(slot), slot.row))
    }

    fn key(&self, slot: &Slot) -> Cow<'_, str> {
        let length = slot.tag[0] as u32 as usize;
        if length > INLINE {
            return String::from_utf8_lossy(self.long_key(slot, length));
        }
        let tag = u128::from(slot.tag[0]) | u128::from(slot.tag[1]) << 64;
        let bytes = (tag >> 32).to_le_bytes();
        Cow::Owned(String::from_utf8_lossy(&bytes[..length]).into_owned())
    }

    fn probe<'k>(&self, mut at: usize, tag: [u64; 2], key: impl Fn() -> &'k str) -> u32 {
        loop {
            let slot = self.slots[at];
            if slot.row == NO_ROW || (slot.tag == tag && self.is_same(slot, key())) {
                return slot.row;
            }
            at = (at + 1) & (self.slots.len() - 1);
        }
    }

    /// Whether a slot with the tag of `key` holds that key.
    fn is_same(&self, slot: Slot, key: &str) -> bool {
        key.len() <= INLINE || self.long_key(&slot, key.len()) == key.as_bytes()
    }

    /// The bytes of a long key of this length.
    fn long_key(&self, slot: &Slot, length: usize) -> &[u8] {
        let start = slot.long as usize * STEP;
        &self.long[start..start + length]
    }

    fn first_slot(&self, tag: [u64; 2]) -> usize {
        (mixed(tag) >> self.shift) as usize
    }

    fn grow(&mut self) {
        let size = self.slots.len() * 2;
        let old = std::mem::replace(&mut self.slots, vec![FREE; size]);
        self.shift -= 1;
        for slot in old.into_iter().filter(|slot| slot.row != NO_ROW) {
            let mut at = self.first_slot(slot.tag);
            while self.slots[at].row != NO_ROW {
                at = (at + 1) & (size - 1);
            }
            self.slots[at] = slot;
        }
    }
}

/// The longest key that a view holds in itself, by the Arrow columnar format.
const INLINE: usize = 12;

fn halves(tag: u128) -> [u64; 2] {
    [tag as u64, (tag >> 64) as u64]
}

/// The word that stands for a key: its string view when it is short; else length, first bytes and a
/// hash. Two short keys with one tag are the same key.
fn tag_of(key: &str) -> [u64; 2] {
    let bytes = key.as_bytes();
    let mut low = [0u8; 16];
    low[..4].copy_from_slice(&(bytes.len() as u32).to_le_bytes());
    if bytes.len() <= INLINE {
        low[4..4 + bytes.len()].copy_from_slice(bytes);
        return halves(u128::from_le_bytes(low));
    }
    low[4..8].copy_from_slice(&bytes[..4]);
    low[8..].copy_from_slice(&hash_of(bytes).to_le_bytes());
    halves(u128::from_le_bytes(low))
}

fn hash_of(bytes: &[u8]) -> u64 {
    use std::hash::BuildHasher;
    foldhash::fast::FixedState::with_seed(0).hash_one(bytes)
}

/// Multiplies the two halves into each other; the high bits depend on every bit of the tag.
fn mixed(tag: [u64; 2]) -> u64 {
    const A: u64 = 0x9e37_79b9_7f4a_7c15;
    const B: u64 = 0xd1b5_4a32_d192_ed03;
    let product = u128::from(tag[0] ^ A) * u128::from(tag[1] ^ B);
    (product as u64 ^ (product >> 64) as u64).wrapping_mul(A)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use std::collections::HashMap;

    proptest! {
        #[test]
        fn prop_a_table_is_a_map(
            keys in prop::collection::vec("[ab]{0,3}|[a-c]{11,14}", 0..200),
            asked in prop::collection::vec("[ab]{0,3}|[a-c]{11,14}", 0..200),
        ) {
            let mut table = KeyTable::with_capacity(0);
            let mut map: HashMap<&str, u32> = HashMap::new();
            for (row, key) in keys.iter().enumerate() {
                let row = row as u32;
                prop_assert_eq!(table.insert(key, row), map.get(key.as_str()).copied());
                map.entry(key).or_insert(row);
            }
            prop_assert_eq!(table.len(), map.len());
            let asked: Vec<&str> = asked.iter().chain(&keys).map(String::as_str).collect();
            let mut rows = Vec::new();
            table.get_all(&StringViewArray::from(asked.clone()), &mut rows);
            for (key, row) in asked.iter().zip(rows) {
                let expected = map.get(key).copied();
                prop_assert_eq!(table.get(key), expected);
                prop_assert_eq!(row, expected.unwrap_or(NO_ROW));
            }
        }
    }

    #[test]
    fn a_row_can_be_changed() {
        let mut table = KeyTable::with_capacity(1);
        for key in ["short", "a key that is longer than a view"] {
            table.insert(key, 1);
            table.set(key, 2);
            assert_eq!(table.get(key), Some(2));
        }
    }
}
