//! The keys of groups: of each its attributes as numbers, and which group has a key.

use std::hash::BuildHasher;

use foldhash::fast::FixedState;
use hashbrown::HashTable;
use serde::{Deserialize, Serialize};

/// The keys of groups.
#[derive(Debug, Serialize, Deserialize)]
pub(super) struct GroupKeys {
    /// How many attributes a key has.
    attributes: usize,
    groups: usize,
    /// The attributes of one group after those of the other.
    numbers: Vec<u32>,
    /// Groups by their keys.
    #[serde(skip)]
    index: HashTable<u32>,
}

fn hash(key: &[u32]) -> u64 {
    FixedState::with_seed(0).hash_one(key)
}

impl GroupKeys {
    pub(super) fn new(attributes: usize) -> GroupKeys {
        GroupKeys { attributes, groups: 0, numbers: Vec::new(), index: HashTable::new() }
    }

    /// How many groups there are.
    pub(super) fn len(&self) -> usize {
        self.groups
    }

    /// Whether each group has a key of as many numbers as there are attributes. What was read from a file may be anything.
    pub(super) fn is_of(&self, attributes: usize) -> bool {
        self.attributes == attributes
            && self.numbers.len() == self.groups.saturating_mul(attributes)
            // Without attributes there is one group.
            && (attributes > 0 || self.groups <= 1)
    }

    /// The key of a group.
    pub(super) fn of(&self, group: u32) -> &[u32] {
        key_in(&self.numbers, self.attributes, group)
    }

    /// The group with a key, which is made where there is none.
    pub(super) fn group(&mut self, key: &[u32]) -> u32 {
        let GroupKeys { attributes, groups, numbers, index } = self;
        let of = |group: u32| key_in(numbers, *attributes, group);
        let found = index.entry(hash(key), |group| of(*group) == key, |group| hash(of(*group)));
        let group = *found.or_insert(*groups as u32).get();
        if group as usize == *groups {
            *groups += 1;
            numbers.extend_from_slice(key);
        }
        group
    }

    /// Makes room for more groups.
    pub(super) fn reserve(&mut self, groups: usize) {
        let GroupKeys { attributes, numbers, index, .. } = self;
        numbers.reserve(groups.saturating_mul(*attributes));
        index.reserve(groups, |group| hash(key_in(numbers, *attributes, *group)));
    }

    /// Some of the groups, in this order; none is found by its key any more.
    pub(super) fn gathered(&self, order: &[u32]) -> GroupKeys {
        let mut numbers = Vec::with_capacity(order.len().saturating_mul(self.attributes));
        order.iter().for_each(|group| numbers.extend_from_slice(self.of(*group)));
        GroupKeys { groups: order.len(), numbers, index: HashTable::new(), ..*self }
    }

    /// Lets go of what finds a group by its key, and gives each attribute of each group another number.
    pub(super) fn renumbered(mut self, number: impl Fn(usize, u32) -> u32) -> GroupKeys {
        self.index = HashTable::new();
        for key in self.numbers.chunks_exact_mut(self.attributes.max(1)) {
            key.iter_mut().enumerate().for_each(|(attribute, own)| *own = number(attribute, *own));
        }
        self
    }
}

/// The attributes of a group among those of all, which have as many each.
pub(super) fn key_in(numbers: &[u32], attributes: usize, group: u32) -> &[u32] {
    let from = group as usize * attributes;
    &numbers[from..from + attributes]
}
