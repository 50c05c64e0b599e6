//! Lines by the key that a link looked for: how many there are, what they amount to, where they stand.
//!
//! Keys are kept in the order in which they first came, so that the ones beyond the limit are the same for
//! any number of cores and any size of batch.

use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::hash::{Hash, Hasher};

use hashbrown::{Equivalent, HashMap};
use interligo_model::place::Spot;
use interligo_model::values::date::Day;

use crate::proof::findings::ExactSum;
use crate::proof::link_status::LinkStatus;

/// How many distinct keys are kept; lines with further ones are only counted.
pub const KEYS_KEPT: usize = 200_000;

/// How many places of a key are kept, beside the last.
pub const FIRST_PLACES: usize = 5;

/// A key that a link looked for, with what came of it.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
pub struct SoughtKey {
    /// The link, by number.
    pub link: usize,
    /// How its lines came out, before the rule for missing rows.
    pub status: LinkStatus,
    /// The key, as messages show it.
    pub key: String,
}

/// The same, before it is kept.
#[derive(Clone, Copy)]
pub(crate) struct SoughtRef<'k> {
    pub(crate) link: usize,
    pub(crate) status: LinkStatus,
    pub(crate) key: &'k str,
}

impl Hash for SoughtRef<'_> {
    fn hash<H: Hasher>(&self, state: &mut H) {
        (self.link, self.status, self.key).hash(state);
    }
}

impl Hash for SoughtKey {
    fn hash<H: Hasher>(&self, state: &mut H) {
        (self.link, self.status, self.key.as_str()).hash(state);
    }
}

impl Equivalent<SoughtKey> for SoughtRef<'_> {
    fn equivalent(&self, other: &SoughtKey) -> bool {
        (self.link, self.status, self.key) == (other.link, other.status, other.key.as_str())
    }
}

/// The lines of one key.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct KeyTally {
    /// How many.
    pub lines: u64,
    /// The sums of the fact's amounts over them; none of one that is not known on any line.
    pub amounts: Vec<Option<ExactSum>>,
    /// The sum of the figure that says what is at weight, over the lines on which it is known.
    pub weight: ExactSum,
    /// Lines on which that figure is not known.
    pub unknown: u64,
    /// The first of the lines.
    pub first: Vec<Spot>,
    /// The last of them.
    pub last: Option<Spot>,
    /// The first and the last day of the lines.
    pub days: Option<(Day, Day)>,
    /// The row of the lookup that was found, if one was.
    pub row: Option<u32>,
    /// Of lines that took the row of another day, over how many days at most.
    pub gap: u32,
}

impl KeyTally {
    /// One more line, which comes after those so far.
    pub(crate) fn note(&mut self, spot: Spot) {
        self.lines += 1;
        if self.first.len() < FIRST_PLACES {
            self.first.push(spot);
        }
        self.last = Some(spot);
    }

    /// One more day of a line.
    pub(crate) fn note_day(&mut self, day: Day) {
        let (first, last) = self.days.unwrap_or((day, day));
        self.days = Some((first.min(day), last.max(day)));
    }

    /// Adds lines that come after these.
    pub fn absorb(&mut self, other: &KeyTally) {
        self.lines += other.lines;
        self.amounts.resize(self.amounts.len().max(other.amounts.len()), None);
        for (own, other) in self.amounts.iter_mut().zip(&other.amounts) {
            other.iter().for_each(|sum| own.get_or_insert_default().merge(*sum));
        }
        self.weight.merge(other.weight);
        self.unknown += other.unknown;
        let room = FIRST_PLACES.saturating_sub(self.first.len());
        self.first.extend(other.first.iter().take(room));
        self.last = other.last.or(self.last);
        if let Some((first, last)) = other.days {
            self.note_day(first);
            self.note_day(last);
        }
        self.row = self.row.or(other.row);
        self.gap = self.gap.max(other.gap);
    }
}

/// Tallies by key.
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
#[serde(from = "KeptTallies", into = "KeptTallies")]
pub struct KeyTallies {
    numbers: HashMap<SoughtKey, usize, foldhash::fast::FixedState>,
    tallies: Vec<KeyTally>,
    /// Lines with keys beyond those kept, by link.
    pub further: BTreeMap<usize, u64>,
}

/// Tallies as they are kept in a file: keys in the order in which they first came.
#[derive(Serialize, Deserialize)]
struct KeptTallies {
    keys: Vec<(SoughtKey, KeyTally)>,
    further: BTreeMap<usize, u64>,
}

impl From<KeptTallies> for KeyTallies {
    fn from(KeptTallies { keys, further }: KeptTallies) -> KeyTallies {
        let mut all = KeyTallies { further, ..KeyTallies::default() };
        for (key, tally) in keys {
            all.numbers.insert(key, all.tallies.len());
            all.tallies.push(tally);
        }
        all
    }
}

impl From<KeyTallies> for KeptTallies {
    fn from(all: KeyTallies) -> KeptTallies {
        let further = all.further.clone();
        KeptTallies { keys: all.in_order().collect(), further }
    }
}

impl PartialEq for KeyTallies {
    fn eq(&self, other: &KeyTallies) -> bool {
        self.further == other.further && self.sorted() == other.sorted()
    }
}

impl KeyTallies {
    /// The tally of a key; none when there are too many keys to keep another.
    pub(crate) fn of(&mut self, key: SoughtRef<'_>) -> Option<&mut KeyTally> {
        let number = match self.numbers.get(&key) {
            Some(number) => *number,
            None if self.tallies.len() < KEYS_KEPT => {
                let SoughtRef { link, status, key } = key;
                self.tallies.push(KeyTally::default());
                let kept = SoughtKey { link, status, key: key.to_owned() };
                self.numbers.insert(kept, self.tallies.len() - 1);
                self.tallies.len() - 1
            }
            None => {
                *self.further.entry(key.link).or_default() += 1;
                return None;
            }
        };
        Some(&mut self.tallies[number])
    }

    /// Turns the numbers of lines, as which spots were noted, into their places.
    pub(crate) fn place(&mut self, spot: &impl Fn(u32) -> Spot) {
        for tally in &mut self.tallies {
            for place in tally.first.iter_mut().chain(&mut tally.last) {
                *place = spot(place.row as u32);
            }
        }
    }

    /// Adds the tallies of lines that come after these.
    pub fn absorb(&mut self, other: KeyTallies) {
        let further = other.further.clone();
        for (key, tally) in other.in_order() {
            if let Some(number) = self.numbers.get(&key) {
                self.tallies[*number].absorb(&tally);
            } else if self.tallies.len() < KEYS_KEPT {
                self.numbers.insert(key, self.tallies.len());
                self.tallies.push(tally);
            } else {
                *self.further.entry(key.link).or_default() += tally.lines;
            }
        }
        for (link, lines) in further {
            *self.further.entry(link).or_default() += lines;
        }
    }

    /// All keys with their tallies, in the order in which they first came.
    fn in_order(self) -> impl Iterator<Item = (SoughtKey, KeyTally)> {
        let mut keys: Vec<Option<SoughtKey>> = vec![None; self.tallies.len()];
        for (key, number) in self.numbers {
            keys[number] = Some(key);
        }
        keys.into_iter().zip(self.tallies).filter_map(|(key, tally)| Some((key?, tally)))
    }

    /// All keys with their tallies, by link, outcome and key.
    pub fn sorted(&self) -> Vec<(&SoughtKey, &KeyTally)> {
        let mut all: Vec<_> =
            self.numbers.iter().map(|(key, number)| (key, &self.tallies[*number])).collect();
        all.sort_by(|a, b| a.0.cmp(b.0));
        all
    }

    /// All keys, in no order.
    pub fn keys(&self) -> impl Iterator<Item = &SoughtKey> {
        self.numbers.keys()
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.tallies.is_empty()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn tallied(lines: &[(usize, u8)], start: u64) -> KeyTallies {
        let mut all = KeyTallies::default();
        for (at, (link, key)) in lines.iter().enumerate() {
            let key = &key.to_string();
            let sought = SoughtRef { link: *link, status: LinkStatus::Unmatched, key };
            let tally = all.of(sought).expect("there is room");
            tally.note(Spot { part: 0, row: start + at as u64 });
            tally.note_day(Day(i32::from(lines[at].1) - at as i32));
        }
        all
    }

    proptest! {
        /// Where lines are cut into batches makes no difference.
        #[test]
        fn prop_batches_make_no_difference(
            lines in prop::collection::vec((0usize..2, 0u8..4), 0..40),
            cut in any::<prop::sample::Index>(),
        ) {
            let (one, other) = lines.split_at(cut.index(lines.len() + 1));
            let mut halves = tallied(one, 0);
            let mut second = KeyTallies::default();
            // Days of the second half count on from the first.
            for (at, (link, key)) in other.iter().enumerate() {
                let at = at + one.len();
                let number = key.to_string();
                let sought =
                    SoughtRef { link: *link, status: LinkStatus::Unmatched, key: &number };
                let tally = second.of(sought).expect("there is room");
                tally.note(Spot { part: 0, row: at as u64 });
                tally.note_day(Day(i32::from(*key) - at as i32));
            }
            halves.absorb(second);
            prop_assert_eq!(halves, tallied(&lines, 0));
        }
    }

    #[test]
    fn keys_beyond_the_limit_are_counted() {
        let mut all = KeyTallies::default();
        for key in 0..KEYS_KEPT + 3 {
            let key = &key.to_string();
            all.of(SoughtRef { link: 1, status: LinkStatus::Blank, key });
        }
        assert_eq!(all.further, BTreeMap::from([(1, 3)]));
        let mut again = all.clone();
        again.absorb(all);
        assert_eq!((again.sorted().len(), again.further[&1]), (KEYS_KEPT, 6));
    }
}
