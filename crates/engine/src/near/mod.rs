//! Near misses: the keys of a lookup that a key without a row may mean, best first, each with the reason.
//!
//! Not pair by pair: the keys that were not found are put into an index under everything that they may
//! have been before somebody mistyped them, and the lookup's keys go through it once. Two texts that are at
//! most two edits apart become the same when at most two characters are left out of each (symmetric deletion);
//! this holds for the ends of texts as well, so that long keys cost no more than short ones.

mod alike;
mod index;

pub use alike::Likeness;
use alike::{Form, writing};
use index::NearIndex;
use rayon::prelude::*;

/// How many suggestions a key gets at most.
pub const SUGGESTED: usize = 9;

/// How many keys are looked into at a time.
pub const LOOKED_INTO: usize = 20_000;

/// How many of a lookup's own keys tell how close together they lie.
const SAMPLED: usize = 200;

/// Edits say nothing where more of a lookup's own keys than one in this many lie that close together.
const DENSE: usize = 10;

/// A key of the lookup that may be meant.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Near {
    /// Its number among the lookup's keys.
    pub key: u32,
    /// In what the two differ; several differences in writing, or one other.
    pub why: Vec<Likeness>,
    /// Whether it would hardly be so close by chance.
    pub likely: bool,
    /// How many characters are too many or too few, for a key that begins or ends with another.
    beyond: usize,
}

impl Near {
    /// What comes first is the better suggestion.
    fn rank(&self) -> (Likeness, usize, usize, u32) {
        let worst = self.why.iter().max().copied().unwrap_or(Likeness::TwoEdits);
        let class = if worst.is_writing() { Likeness::Case } else { worst };
        (class, self.why.len(), self.beyond, self.key)
    }
}

/// What a key is when no difference in writing counts: keys for which this is the same are the same but for case, blanks, signs,
/// zeros before digits, and characters that look alike.
pub fn bare_key(key: &str) -> String {
    let [bare, _] = Form::of(key).skeletons;
    if bare.is_empty() { key.to_owned() } else { bare }
}

/// For each of some keys, those of a lookup that it may mean, the best first, up to [`SUGGESTED`].
///
/// Keys of several columns are one text, see [`joined`](crate::keys::joined).
pub fn near_keys(sought: &[&str], keys: &[&str]) -> Vec<Vec<Near>> {
    let step = keys.len().div_ceil(SAMPLED).max(1);
    let sample: Vec<&str> = keys.iter().step_by(step).copied().collect();
    let asked: Vec<Form<'_>> = sought.iter().chain(&sample).map(|key| Form::of(key)).collect();
    let index = NearIndex::new(&asked);
    let Searched { mut found, own } = searched(&index, &asked, sought.len(), keys);
    let close = |near: fn(&Closeness) -> bool| {
        own.iter().filter(|own| near(own)).count() * DENSE > sample.len()
    };
    // Among few keys nothing is near by chance alone.
    let dense_by_one = close(|own| own.one_edit);
    let dense_by_two = dense_by_one || close(|own| own.two_edits);
    for (key, near) in sought.iter().zip(&mut found) {
        let length = key.chars().count();
        let count = |class: fn(Likeness) -> bool, near: &[Near]| {
            near.iter().filter(|near| near.why.iter().any(|why| class(*why))).count()
        };
        let affixes = count(Likeness::is_affix, near);
        let all = near.len();
        for near in near.iter_mut() {
            near.likely = match near.why.iter().max() {
                Some(Likeness::Swapped | Likeness::OneEdit) => !dense_by_one && length > 3,
                Some(Likeness::TwoEdits) => !dense_by_two && length > 7 && all == 1,
                Some(Likeness::Prefix | Likeness::Suffix) => affixes == 1 && length > 4,
                Some(_) => true,
                None => false,
            };
        }
    }
    found
}

/// Whether others of its lookup lie close to one of its own keys.
#[derive(Clone, Copy, Default)]
struct Closeness {
    one_edit: bool,
    two_edits: bool,
}

impl Closeness {
    fn note(&mut self, why: &[Likeness]) {
        self.one_edit |= why.iter().any(|w| matches!(w, Likeness::Swapped | Likeness::OneEdit));
        self.two_edits |= why.contains(&Likeness::TwoEdits);
    }

    fn absorb(&mut self, other: Closeness) {
        self.one_edit |= other.one_edit;
        self.two_edits |= other.two_edits;
    }
}

/// What some of a lookup's keys, or all of them, are near to.
struct Searched {
    /// The best suggestions for each of the keys that were not found.
    found: Vec<Vec<Near>>,
    /// Of each of the lookup's keys that tell how close together they lie.
    own: Vec<Closeness>,
}

impl Searched {
    fn nothing(sought: usize, own: usize) -> Searched {
        Searched { found: vec![Vec::new(); sought], own: vec![Closeness::default(); own] }
    }

    /// A key of the lookup, by its number, may be near to one that is asked for; `likeness` says how.
    fn note(
        &mut self,
        asked_at: usize,
        key: u32,
        likeness: impl FnOnce() -> Option<(Vec<Likeness>, usize)>,
    ) {
        let own = asked_at.checked_sub(self.found.len()).map(|own| &mut self.own[own]);
        // Where keys are dense most are close to many others, and one is enough.
        if own.as_ref().is_some_and(|own| own.one_edit) {
            return;
        }
        match (own, likeness()) {
            (_, None) => {}
            (Some(own), Some((why, _))) => own.note(&why),
            (None, Some((why, beyond))) => {
                keep(&mut self.found[asked_at], Near { key, why, likely: false, beyond });
            }
        }
    }

    fn absorb(&mut self, other: Searched) {
        for (best, found) in self.found.iter_mut().zip(other.found) {
            found.into_iter().for_each(|near| keep(best, near));
        }
        self.own.iter_mut().zip(other.own).for_each(|(own, other)| own.absorb(other));
    }
}

/// The lookup's keys, sent through the index side by side; of those asked for, the first `sought` were not found.
fn searched(index: &NearIndex, asked: &[Form<'_>], sought: usize, keys: &[&str]) -> Searched {
    let size = keys.len().div_ceil(rayon::current_num_threads()).max(1);
    let nothing = || Searched::nothing(sought, asked.len() - sought);
    let search = |(number, part): (usize, &'_ [&str])| {
        let mut searched = nothing();
        let mut near = index.searcher();
        for (key, at) in part.iter().zip((number * size) as u32..) {
            let form = Form::of(key);
            for asked_at in near.candidates(&form) {
                let asked_at = *asked_at as usize;
                searched.note(asked_at, at, || likeness(&asked[asked_at], &form));
            }
        }
        searched
    };
    let parts: Vec<_> = keys.par_chunks(size).enumerate().map(search).collect();
    let mut searched = nothing();
    parts.into_iter().for_each(|part| searched.absorb(part));
    searched
}

/// Puts a suggestion among the best, in their order.
fn keep(best: &mut Vec<Near>, near: Near) {
    let at = best.partition_point(|other| other.rank() < near.rank());
    if at < SUGGESTED {
        best.insert(at, near);
        best.truncate(SUGGESTED);
    }
}

/// In what two keys differ, where they are alike at all: the differences, and how many characters one has
/// beyond the other.
fn likeness(one: &Form<'_>, other: &Form<'_>) -> Option<(Vec<Likeness>, usize)> {
    if one.key == other.key {
        return None;
    }
    if let Some(why) = writing(one, other) {
        return Some((why, 0));
    }
    let (one, other) = (one.folded.as_slice(), other.folded.as_slice());
    let beyond = one.len().abs_diff(other.len());
    let shorter = one.len().min(other.len());
    if shorter > 1 && within(one, other, 1) {
        let swaps = one.iter().zip(other).filter(|(a, b)| a != b).count() == 2;
        let why = if beyond == 0 && swaps { Likeness::Swapped } else { Likeness::OneEdit };
        return Some((vec![why], 0));
    }
    if beyond <= shorter && shorter >= 4 {
        if one.starts_with(other) || other.starts_with(one) {
            return Some((vec![Likeness::Prefix], beyond));
        }
        if one.ends_with(other) || other.ends_with(one) {
            return Some((vec![Likeness::Suffix], beyond));
        }
    }
    // Two edits of a short key make any key of another.
    (shorter > 5 && within(one, other, 2)).then(|| (vec![Likeness::TwoEdits], 0))
}

/// Whether this many edits make one text of another: a character left out, put in or changed, or two neighbours
/// swapped.
fn within(one: &[char], other: &[char], edits: usize) -> bool {
    let same = one.iter().zip(other).take_while(|(a, b)| a == b).count();
    let (one, other) = (&one[same..], &other[same..]);
    if one.is_empty() || other.is_empty() {
        return one.len() + other.len() <= edits;
    }
    let Some(left) = edits.checked_sub(1) else { return false };
    if one.len().abs_diff(other.len()) > edits {
        return false;
    }
    let swapped = one.len() > 1 && other.len() > 1 && one[0] == other[1] && one[1] == other[0];
    within(&one[1..], &other[1..], left)
        || within(&one[1..], other, left)
        || within(one, &other[1..], left)
        || (swapped && within(&one[2..], &other[2..], left))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn first(sought: &str, keys: &[&str]) -> Option<(String, Vec<Likeness>, bool)> {
        let found = near_keys(&[sought], keys).remove(0);
        let near = found.into_iter().next()?;
        Some((keys[near.key as usize].to_owned(), near.why, near.likely))
    }

    #[test]
    fn each_difference_has_its_reason() {
        use Likeness::*;
        let keys = ["HV-0110", "SM-217", "FR 339", "0042", "Veil, tulle", "XT-90412-B"];
        for (sought, key, why) in [
            ("hv-0110", "HV-0110", vec![Case]),
            ("SM - 217", "SM-217", vec![Spaces]),
            ("ＳＭ-217", "SM-217", vec![Width]),
            ("SM217", "SM-217", vec![Punctuation]),
            ("HV-110", "HV-0110", vec![LeadingZeros]),
            ("42", "0042", vec![LeadingZeros]),
            ("HV-O11O", "HV-0110", vec![LookAlike]),
            ("SМ-2l7", "SM-217", vec![LookAlike]),
            ("fr339", "FR 339", vec![Case, Spaces]),
            ("MS-217", "SM-217", vec![Swapped]),
            ("SM-27", "SM-217", vec![OneEdit]),
            ("Vail, tulle", "Veil, tulle", vec![OneEdit]),
            ("Vail, tule", "Veil, tulle", vec![TwoEdits]),
            ("XT-90412", "XT-90412-B", vec![Prefix]),
            ("DE/FR 339", "FR 339", vec![Suffix]),
        ] {
            assert_eq!(first(sought, &keys), Some((key.to_owned(), why, true)), "{sought}");
        }
        for far in ["QQ-555", "", "HV", "7", "tulle"] {
            assert_eq!(first(far, &keys), None, "{far}");
        }
    }

    #[test]
    fn where_keys_lie_close_together_an_edit_says_nothing() {
        let keys: Vec<String> = (1001..1200).map(|number| number.to_string()).collect();
        let keys: Vec<&str> = keys.iter().map(String::as_str).collect();
        let found = first("1999", &keys).expect("1099 is near");
        assert_eq!((found.1, found.2), (vec![Likeness::OneEdit], false));
        assert_eq!(first("l050", &keys), Some(("1050".into(), vec![Likeness::LookAlike], true)));
    }

    /// One random edit of a key.
    fn edited(key: &str, at: usize, what: u8, character: char) -> String {
        let mut characters: Vec<char> = key.chars().collect();
        let at = at % characters.len();
        match what {
            0 => characters[at] = character,
            1 => characters.insert(at, character),
            2 => drop(characters.remove(at)),
            _ => {
                let next = (at + 1) % characters.len();
                let (a, b) = (at.min(next), at.max(next));
                if b == a + 1 {
                    characters.swap(a, b);
                }
            }
        }
        characters.into_iter().collect()
    }

    proptest! {
        #[test]
        fn prop_edits_are_counted_as_a_table_of_distances_has_them(
            one in "[abc]{0,8}", other in "[abc]{0,8}",
        ) {
            let characters = |text: &str| text.chars().collect::<Vec<_>>();
            let distance = strsim::osa_distance(&one, &other);
            for edits in 0..3 {
                prop_assert_eq!(within(&characters(&one), &characters(&other), edits), distance <= edits);
            }
        }
    }

    /// Keys of many kinds, and keys that lie two edits apart more often than one.
    const WRITINGS: [&str; 2] = ["[aAB0O1l-]{1,4}( [a-c]{1,3})?|[ab]{18,20}", "[abc]{8}"];

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(48))]
        /// The index suggests what a loop over all pairs does, and is as sure of it.
        #[test]
        fn prop_the_index_finds_what_a_loop_finds(
            (keys, sought) in prop::sample::select(&WRITINGS).prop_flat_map(|writing| {
                (prop::collection::hash_set(writing, 0..40), prop::collection::vec(writing, 1..6))
            }),
        ) {
            let keys: Vec<&str> = keys.iter().map(String::as_str).collect();
            let sought: Vec<&str> = sought.iter().map(String::as_str).collect();
            let alike = |one: &str, other: &str| likeness(&Form::of(one), &Form::of(other));
            let worst = |why: &[Likeness]| *why.iter().max().unwrap();
            let close_to_others = |likenesses: &[Likeness]| {
                let near = |one: &str, other: &str| {
                    alike(one, other).is_some_and(|(why, _)| likenesses.contains(&worst(&why)))
                };
                keys.iter().filter(|one| keys.iter().any(|other| near(one, other))).count()
            };
            let by_one = [Likeness::Swapped, Likeness::OneEdit];
            let dense_by_one = close_to_others(&by_one) * 10 > keys.len();
            let dense_by_two = dense_by_one || close_to_others(&[Likeness::TwoEdits]) * 10 > keys.len();
            for (key, found) in sought.iter().zip(near_keys(&sought, &keys)) {
                let mut all = Vec::new();
                for (at, other) in (0u32..).zip(&keys) {
                    if let Some((why, beyond)) = alike(key, other) {
                        keep(&mut all, Near { key: at, why, likely: false, beyond });
                    }
                }
                let affix = |near: &&Near| worst(&near.why).is_affix();
                let (count, affixes) = (all.len(), all.iter().filter(affix).count());
                for near in &mut all {
                    near.likely = match worst(&near.why) {
                        Likeness::Swapped | Likeness::OneEdit => !dense_by_one && key.len() > 3,
                        Likeness::TwoEdits => !dense_by_two && key.len() > 7 && count == 1,
                        Likeness::Prefix | Likeness::Suffix => affixes == 1 && key.len() > 4,
                        _ => true,
                    };
                }
                prop_assert_eq!(found, all, "{:?}", key);
            }
        }
    }

    #[test]
    fn a_single_edit_is_found_again_in_at_least_99_of_100_cases() {
        let mut chance = 7u64;
        let mut below = |bound: u64| {
            chance = chance.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1);
            (chance >> 33) % bound
        };
        let letters: Vec<char> = ('A'..='Z').chain('0'..='9').collect();
        let mut character = |_| letters[below(36) as usize];
        let keys: Vec<String> = (0..3_000).map(|_| (0..7).map(&mut character).collect()).collect();
        let edits: Vec<(usize, String)> = (0..1_000)
            .map(|case| {
                let key = below(3_000) as usize;
                let character = letters[below(36) as usize];
                (key, edited(&keys[key], below(7) as usize, (case % 4) as u8, character))
            })
            .filter(|(_, edited)| !keys.contains(edited))
            .collect();
        let sought: Vec<&str> = edits.iter().map(|(_, edited)| edited.as_str()).collect();
        let keys: Vec<&str> = keys.iter().map(String::as_str).collect();
        let found = near_keys(&sought, &keys);
        let right = edits.iter().zip(&found);
        let right = right.filter(|((key, _), near)| near.iter().any(|n| n.key as usize == *key));
        assert!(right.count() * 100 >= edits.len() * 99, "of {}", edits.len());
    }
}
