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
    #[serde(with = "super::kept_numbers")]
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

#[cfg(test)]
mod tests {
    use std::collections::HashMap;

    use proptest::prelude::*;

    use super::*;

    #[test]
    fn keys_are_as_many_as_a_file_says() {
        let keys = |attributes, groups, numbers: usize| GroupKeys {
            attributes,
            groups,
            numbers: vec![0; numbers],
            index: HashTable::new(),
        };
        assert!(keys(2, 3, 6).is_of(2));
        assert!(keys(0, 1, 0).is_of(0) && keys(0, 0, 0).is_of(0));
        for wrong in [keys(2, 3, 5), keys(3, 2, 6), keys(2, usize::MAX, 6)] {
            assert!(!wrong.is_of(2), "{wrong:?}");
        }
        assert!(!keys(0, 2, 0).is_of(0), "without attributes there is one group");
    }

    proptest! {
        #[test]
        fn prop_a_key_has_the_number_with_which_it_came_first(
            (attributes, keys) in (0usize..4).prop_flat_map(|attributes| {
                let key = prop::collection::vec(0u32..4, attributes);
                (Just(attributes), prop::collection::vec(key, 1..60))
            }),
            room in 0usize..40,
        ) {
            let (mut own, mut known) = (GroupKeys::new(attributes), HashMap::new());
            for (at, key) in keys.iter().enumerate() {
                if at == keys.len() / 2 {
                    own.reserve(room);
                }
                let next = known.len() as u32;
                let expected = *known.entry(key.clone()).or_insert(next);
                prop_assert_eq!(own.group(key), expected);
                prop_assert_eq!(own.len(), known.len());
            }
            prop_assert!(own.is_of(attributes));
            let backwards: Vec<u32> = (0..own.len() as u32).rev().collect();
            let turned = own.gathered(&backwards);
            prop_assert_eq!(turned.len(), own.len());
            for (at, group) in backwards.iter().enumerate() {
                prop_assert_eq!(turned.of(at as u32), own.of(*group));
                prop_assert_eq!(known[own.of(*group)], *group);
            }
            let doubled = own.renumbered(|_, number| 2 * number);
            for (at, group) in backwards.iter().enumerate() {
                let twice: Vec<u32> = turned.of(at as u32).iter().map(|number| 2 * number).collect();
                prop_assert_eq!(doubled.of(*group), twice);
            }
        }
    }
}
