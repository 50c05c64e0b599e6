//! Keys in the order of their hashes.

use super::Seen;
use super::hash::LineHash;

/// Over this many tables the keys are spread, so that only a part is moved when one grows.
const SHARDS: usize = 256;

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

/// Keys by their hashes alone.
#[derive(Debug)]
pub(super) struct Scattered {
    shards: Vec<Shard>,
}

impl Default for Scattered {
    fn default() -> Scattered {
        Scattered { shards: (0..SHARDS).map(|_| Shard::default()).collect() }
    }
}

impl LineHash {
    /// Where the key is among all others, and in which table.
    fn scattered(&self) -> (u64, usize) {
        // Steps that share no factor with the size lead each neighbour elsewhere.
        let neighbour = u64::from(self.neighbour);
        let key = self.stem.0.wrapping_add(neighbour.wrapping_mul(0x9E37_79B9_7F4A_7C15));
        (key, usize::from(self.stem.1.wrapping_add(self.neighbour.wrapping_mul(37))))
    }
}

impl Scattered {
    /// Makes room for this many keys, so that none need be moved until there are more. In tables that are not full a key
    /// is at its place more often, too: the whole run takes 0.7 of the time.
    pub(super) fn reserve(&mut self, keys: u64) {
        let keys = usize::try_from(keys).unwrap_or(usize::MAX);
        // The shards are not of equal size.
        let own = keys / SHARDS + keys / SHARDS / 32;
        for shard in self.shards.iter_mut().filter(|shard| shard.spread * 4 < own * 5) {
            shard.spread_over(own * 5 / 4 + 16);
        }
    }

    /// Brings the places of keys near the processor, so that looking at them one by one does not wait.
    pub(super) fn approach<'a>(&self, lines: impl Iterator<Item = &'a LineHash>) -> u64 {
        lines.fold(0, |sum, line| {
            let (key, shard) = line.scattered();
            let shard = &self.shards[shard];
            let slot = shard.slots.get(shard.home(key));
            sum.wrapping_add(slot.map_or(0, |slot| slot.key))
        })
    }

    /// Notes a line; lines come in ascending numbers.
    pub(super) fn note(&mut self, hash: LineHash, line: u32) -> Seen {
        let (key, shard) = hash.scattered();
        self.shards[shard].note(HashSlot { key, rest: hash.rest, line }, shard)
    }

    /// The bytes that the tables take.
    pub(super) fn bytes(&self) -> usize {
        self.shards.iter().map(|shard| shard.slots.capacity() * size_of::<HashSlot>()).sum()
    }
}

impl Shard {
    fn home(&self, key: u64) -> usize {
        ((u128::from(key) * self.spread as u128) >> 64) as usize
    }

    fn note(&mut self, noted: HashSlot, number: usize) -> Seen {
        // At most 4 of 5 places are taken.
        if self.used * 5 >= self.spread * 4 {
            self.grow(number);
        }
        loop {
            let mut at = self.home(noted.key);
            while at < self.slots.len()
                && self.slots[at].line != FREE
                && self.slots[at].key < noted.key
            {
                at += 1;
            }
            if let Some(slot) = self.slots.get(at)
                && slot.line != FREE
                && slot.key == noted.key
            {
                return Seen::Before(slot.line, slot.rest == noted.rest);
            }
            let room = self.slots[at.min(self.slots.len())..].iter().position(|s| s.line == FREE);
            let Some(room) = room else {
                self.grow(number);
                continue;
            };
            self.slots.copy_within(at..at + room, at + 1);
            self.slots[at] = noted;
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
