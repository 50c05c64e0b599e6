//! A hash table from keys to row numbers, laid out for the cache.
//!
//! A slot has 16 bytes: a tag of 12 and the row. The tag of a key of up to 11 bytes is its length and its
//! bytes, so that comparing two keys is comparing two words. That of a longer key is a mark and a hash, beside which the
//! slot has where its bytes lie. Collisions go to the next slot; the table is at most two thirds full.
//!
//! When looking up a batch, the hashes are computed and the first slots read for a group of keys
//! before any of them is compared: the reads do not wait for each other, so that their cache misses
//! overlap. Half of the time of a large run is spent here.

use std::borrow::Cow;

use arrow_array::{Array, StringViewArray};

/// Row numbers from here on have a meaning of their own; see the users of the table.
pub(crate) const ROW_LIMIT: u32 = u32::MAX - 16;

/// What [`KeyTable::get_all`] says of a key that the table does not hold.
pub const NO_ROW: u32 = u32::MAX;

/// Keys looked up together.
const GROUP: usize = 64;

/// A tag in the low 96 bits, above it a row. The tag of a long key takes 64 bits, and the place of its bytes the other 32.
#[derive(Clone, Copy)]
struct Slot(u128);

/// What a free slot says: the tag of the empty key, and that there is no row.
const FREE: Slot = Slot((NO_ROW as u128) << TAG_BITS);

/// How many bits a tag has.
const TAG_BITS: u32 = 96;

/// How many of them that of a long key has.
const LONG_TAG_BITS: u32 = 64;

impl Slot {
    /// All but the row: of a short key its tag.
    fn without_row(self) -> u128 {
        self.0 & (u128::MAX >> (128 - TAG_BITS))
    }

    fn tag(self) -> u128 {
        let tag = self.without_row();
        if is_long(tag) { tag & (u128::MAX >> (128 - LONG_TAG_BITS)) } else { tag }
    }

    /// Where the bytes of a long key begin, in steps of [`STEP`].
    fn place(self) -> usize {
        (self.without_row() >> LONG_TAG_BITS) as usize
    }

    fn row(self) -> u32 {
        (self.0 >> TAG_BITS) as u32
    }

    fn of(tag: u128, row: u32) -> Slot {
        Slot(tag | u128::from(row) << TAG_BITS)
    }

    fn of_long(tag: u128, place: u32, row: u32) -> Slot {
        Slot::of(tag | u128::from(place) << LONG_TAG_BITS, row)
    }
}

/// A map from keys to row numbers; the few highest numbers are not for rows. Each key is held once.
pub struct KeyTable {
    slots: Vec<Slot>,
    held: usize,
    /// The long keys one after the other, each behind its length.
    long: Vec<u8>,
}

/// Long keys begin at multiples of this, so that more of them can be named.
const STEP: usize = 8;

/// In the place of a length: that it is longer, and follows in four bytes.
const LENGTH_FOLLOWS: u8 = 0xff;

impl KeyTable {
    /// A table with room for `keys` keys; it grows beyond that.
    pub fn with_capacity(keys: usize) -> KeyTable {
        // Any size will do: rounding up to a power of two would hold up to twice the memory.
        KeyTable { slots: vec![FREE; keys * 3 / 2 + 8], held: 0, long: Vec::new() }
    }

    /// How many keys the table holds.
    pub fn len(&self) -> usize {
        self.held
    }

    /// Whether the table holds no key.
    pub fn is_empty(&self) -> bool {
        self.held == 0
    }

    /// Makes room for this many more keys. Keys that come from another table come in the order of their
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
        let at = self.slot_of(tag, || key);
        if self.slots[at].row() != NO_ROW {
            return Some(self.slots[at].row());
        }
        self.slots[at] = if is_long(tag) {
            Slot::of_long(tag, self.hold_long(key.as_bytes()), row)
        } else {
            Slot::of(tag, row)
        };
        self.held += 1;
        None
    }

    /// Changes the row of a key that the table holds.
    pub fn set(&mut self, key: &str, row: u32) {
        let tag = tag_of(key);
        let at = self.slot_of(tag, || key);
        if self.slots[at].row() != NO_ROW {
            self.slots[at] = Slot::of(self.slots[at].without_row(), row);
        }
    }

    /// Puts other rows in the places of those that are there.
    pub(crate) fn change_rows(&mut self, other: impl Fn(u32) -> u32) {
        for slot in self.slots.iter_mut().filter(|slot| slot.row() != NO_ROW) {
            *slot = Slot::of(slot.without_row(), other(slot.row()));
        }
    }

    /// The row of a key.
    pub fn get(&self, key: &str) -> Option<u32> {
        let row = self.slots[self.slot_of(tag_of(key), || key)].row();
        (row != NO_ROW).then_some(row)
    }

    /// Appends the row of every key to `rows`, `u32::MAX` where the table does not hold it.
    pub fn get_all(&self, keys: &StringViewArray, rows: &mut Vec<u32>) {
        rows.reserve(keys.len());
        let views = keys.views();
        let mut tags = [0u128; GROUP];
        let mut first = [FREE; GROUP];
        let mut at = 0;
        while at < views.len() {
            let group = &views[at..views.len().min(at + GROUP)];
            for (i, view) in group.iter().enumerate() {
                let length = *view as u32;
                tags[i] = if length as usize <= INLINE {
                    short_tag(length, *view >> 32)
                } else {
                    tag_of(keys.value(at + i))
                };
                first[i] = self.slots[self.first_slot(tags[i])];
            }
            for (i, slot) in first[..group.len()].iter().enumerate() {
                let tag = tags[i];
                // A free slot has the tag of the empty key and says that there is no row.
                rows.push(match slot.without_row() == tag && !is_long(tag) {
                    true => slot.row(),
                    false => self.slots[self.slot_of(tag, || keys.value(at + i))].row(),
                });
            }
            at += group.len();
        }
    }

    /// All keys with their rows, in no order.
    pub fn iter(&self) -> impl Iterator<Item = (Cow<'_, str>, u32)> {
        let held = (0..self.slots.len()).filter(|at| self.slots[*at].row() != NO_ROW);
        held.map(|at| (self.key(at), self.slots[at].row()))
    }

    fn key(&self, at: usize) -> Cow<'_, str> {
        let tag = self.slots[at].tag();
        if is_long(tag) {
            return String::from_utf8_lossy(self.long_key(self.slots[at]));
        }
        let bytes = (tag >> 8).to_le_bytes();
        Cow::Owned(String::from_utf8_lossy(&bytes[..usize::from(tag as u8)]).into_owned())
    }

    /// The slot that holds a key, or the free one where it would come.
    fn slot_of<'k>(&self, tag: u128, key: impl Fn() -> &'k str) -> usize {
        let mut at = self.first_slot(tag);
        loop {
            let slot = self.slots[at];
            let same = || !is_long(tag) || self.long_key(slot) == key().as_bytes();
            if slot.row() == NO_ROW || (slot.tag() == tag && same()) {
                return at;
            }
            at = self.next_slot(at);
        }
    }

    fn next_slot(&self, at: usize) -> usize {
        if at + 1 == self.slots.len() { 0 } else { at + 1 }
    }

    /// Holds the bytes of a long key: the answer is where.
    fn hold_long(&mut self, bytes: &[u8]) -> u32 {
        let place = (self.long.len() / STEP) as u32;
        self.long.push(short_length(bytes));
        if short_length(bytes) == LENGTH_FOLLOWS {
            self.long.extend((bytes.len() as u32).to_le_bytes());
        }
        self.long.extend_from_slice(bytes);
        self.long.resize(self.long.len().next_multiple_of(STEP), 0);
        place
    }

    /// The bytes of the long key of a slot.
    fn long_key(&self, slot: Slot) -> &[u8] {
        match &self.long[slot.place() * STEP..] {
            [LENGTH_FOLLOWS, a, b, c, d, bytes @ ..] => {
                &bytes[..u32::from_le_bytes([*a, *b, *c, *d]) as usize]
            }
            [length, bytes @ ..] => &bytes[..usize::from(*length)],
            [] => &[],
        }
    }

    fn first_slot(&self, tag: u128) -> usize {
        ((u128::from(mixed(tag)) * self.slots.len() as u128) >> 64) as usize
    }

    fn grow(&mut self) {
        let size = self.slots.len() * 2;
        let old = std::mem::replace(&mut self.slots, vec![FREE; size]);
        for slot in old.into_iter().filter(|slot| slot.row() != NO_ROW) {
            let mut at = self.first_slot(slot.tag());
            while self.slots[at].row() != NO_ROW {
                at = self.next_slot(at);
            }
            self.slots[at] = slot;
        }
    }
}

/// The longest key that a tag holds.
const INLINE: usize = 11;

/// The length of a long key in one byte, or that it follows.
fn short_length(key: &[u8]) -> u8 {
    u8::try_from(key.len()).unwrap_or(LENGTH_FOLLOWS)
}

/// The low byte of the tag of a long key; that of a short one is its length.
const LONG: u8 = 0xff;

fn is_long(tag: u128) -> bool {
    tag as u8 == LONG
}

/// The tag of a key of up to 11 bytes, which are given in the order of the Arrow columnar format.
fn short_tag(length: u32, bytes: u128) -> u128 {
    u128::from(length) | bytes << 8
}

/// What represents a key: two short keys with one tag are the same key.
fn tag_of(key: &str) -> u128 {
    let bytes = key.as_bytes();
    if bytes.len() <= INLINE {
        let mut low = [0u8; 16];
        low[..bytes.len()].copy_from_slice(bytes);
        return short_tag(bytes.len() as u32, u128::from_le_bytes(low));
    }
    u128::from(u64::from(LONG) | hash_of(bytes) << 8)
}

fn hash_of(bytes: &[u8]) -> u64 {
    use std::hash::BuildHasher;
    foldhash::fast::FixedState::with_seed(0).hash_one(bytes)
}

/// Multiplies the two halves into each other; the high bits depend on every bit of the tag.
fn mixed(tag: u128) -> u64 {
    const A: u64 = 0x9e37_79b9_7f4a_7c15;
    const B: u64 = 0xd1b5_4a32_d192_ed03;
    let product = u128::from(tag as u64 ^ A) * u128::from((tag >> 64) as u64 ^ B);
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
            keys in prop::collection::vec("[ab]{0,3}|[a-c]{10,14}|a{252,258}", 0..200),
            asked in prop::collection::vec("[ab]{0,3}|[a-c]{10,14}|a{252,258}", 0..200),
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
