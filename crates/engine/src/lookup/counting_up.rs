//! Numbers that mostly count up from zero, as those of rows do that have a key of their own each.

/// A list of numbers, which takes no memory as long as each is its own place in it.
pub(super) enum CountingUp {
    /// This many, from zero on.
    All(u32),
    Listed(Vec<u32>),
}

impl CountingUp {
    /// An empty list.
    pub(super) fn new() -> CountingUp {
        CountingUp::All(0)
    }

    pub(super) fn push(&mut self, number: u32) {
        match self {
            CountingUp::All(count) if *count == number => *count += 1,
            CountingUp::All(count) => {
                let mut listed: Vec<u32> = (0..*count).collect();
                listed.push(number);
                *self = CountingUp::Listed(listed);
            }
            CountingUp::Listed(listed) => listed.push(number),
        }
    }

    pub(super) fn len(&self) -> usize {
        match self {
            CountingUp::All(count) => *count as usize,
            CountingUp::Listed(listed) => listed.len(),
        }
    }

    /// The number at a place of the list.
    pub(super) fn at(&self, place: usize) -> u32 {
        match self {
            CountingUp::All(_) => place as u32,
            CountingUp::Listed(listed) => listed[place],
        }
    }

    /// All of them.
    pub(super) fn listed(self) -> Vec<u32> {
        match self {
            CountingUp::All(count) => (0..count).collect(),
            CountingUp::Listed(listed) => listed,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn prop_it_is_a_list(all in 0u32..20, others in prop::collection::vec(0u32..30, 0..10)) {
            let expected: Vec<u32> = (0..all).chain(others).collect();
            let mut numbers = CountingUp::new();
            expected.iter().for_each(|number| numbers.push(*number));
            prop_assert_eq!(numbers.len(), expected.len());
            let each: Vec<u32> = (0..numbers.len()).map(|place| numbers.at(place)).collect();
            prop_assert_eq!(&each, &expected);
            let counts = expected.iter().copied().eq(0..expected.len() as u32);
            prop_assert_eq!(matches!(numbers, CountingUp::All(_)), counts);
            prop_assert_eq!(numbers.listed(), expected);
        }
    }
}
