//! The index of keys that were not found, under all that they may be near to.

use std::hash::{BuildHasher, Hash};

use foldhash::fast::FixedState;
use hashbrown::HashMap;

use super::alike::Form;

/// Edits are looked for among this many characters at the end of a key.
const END: usize = 16;

/// The shortest text that keys with the same beginning or end share.
const SHARED: usize = 4;

/// The base of the sums that represent texts.
const BASE: u64 = 0x9e37_79b9_7f4a_7c15;

/// What a number in the index was made of, mixed into it.
#[derive(Clone, Copy)]
enum MadeFrom {
    /// A key in one writing.
    Skeleton = 1,
    /// The end of a key without some of its characters.
    Shortened = 2,
    /// A whole key.
    Whole = 3,
    /// The beginning or end of a key.
    Affix = 4,
}

/// The keys by what they may be near to.
pub(super) struct NearIndex {
    keys: HashMap<u64, Vec<u32>, FixedState>,
    /// Bits of the numbers that are there: most of what is asked is not.
    filter: Vec<u64>,
    mask: u64,
}

impl NearIndex {
    pub(super) fn new(sought: &[Form<'_>]) -> NearIndex {
        let mut keys: HashMap<u64, Vec<u32>, FixedState> = HashMap::default();
        let mut characters = Signs::default();
        for (number, form) in (0u32..).zip(sought) {
            characters.of(&form.folded);
            let mut note = |made: u64| {
                let held = keys.entry(made).or_default();
                if held.last() != Some(&number) {
                    held.push(number);
                }
            };
            form.skeletons.iter().map(skeleton_number).for_each(&mut note);
            characters.shortened(&mut note);
            note(characters.whole(MadeFrom::Whole));
            characters.affixes(MadeFrom::Affix, &mut note);
        }
        let bits = (keys.len() * 32).next_power_of_two().max(64) as u64;
        let mut index = NearIndex { filter: vec![0; bits as usize / 64], mask: bits - 1, keys };
        for number in index.keys.keys() {
            let bit = mixed(*number) & index.mask;
            index.filter[bit as usize / 64] |= 1 << (bit % 64);
        }
        index
    }

    pub(super) fn searcher(&self) -> Searcher<'_> {
        Searcher { index: self, characters: Signs::default(), found: Vec::new() }
    }

    fn find(&self, number: u64, found: &mut Vec<u32>) {
        let bit = mixed(number) & self.mask;
        if self.filter[bit as usize / 64] & 1 << (bit % 64) != 0
            && let Some(keys) = self.keys.get(&number)
        {
            found.extend_from_slice(keys);
        }
    }
}

/// Asks an index for one key after the other.
pub(super) struct Searcher<'i> {
    index: &'i NearIndex,
    characters: Signs,
    found: Vec<u32>,
}

impl Searcher<'_> {
    /// The keys, by number, that may be near to one of the lookup.
    pub(super) fn candidates(&mut self, form: &Form<'_>) -> &[u32] {
        let Searcher { index, characters, found } = self;
        found.clear();
        characters.of(&form.folded);
        let mut find = |number: u64| index.find(number, found);
        form.skeletons.iter().map(skeleton_number).for_each(&mut find);
        characters.shortened(&mut find);
        // One that begins or ends with a key, or is the beginning or end of one.
        find(characters.whole(MadeFrom::Affix));
        characters.affixes(MadeFrom::Whole, &mut find);
        found.sort_unstable();
        found.dedup();
        found
    }
}

fn skeleton_number(skeleton: &String) -> u64 {
    FixedState::with_seed(MadeFrom::Skeleton as u64).hash_one(skeleton)
}

fn mixed(number: u64) -> u64 {
    let product = u128::from(number ^ BASE) * 0xd1b5_4a32_d192_ed03;
    product as u64 ^ (product >> 64) as u64
}

/// The characters of a key, with sums by which any stretch of them has its number at once.
#[derive(Default)]
struct Signs {
    /// The number of each character.
    characters: Vec<u64>,
    /// The sums up to each character.
    sums: Vec<u64>,
    /// The powers of the base.
    powers: Vec<u64>,
}

impl Signs {
    fn of(&mut self, folded: &[char]) {
        self.characters.clear();
        self.sums.clear();
        self.sums.push(0);
        let mut sum = 0u64;
        for character in folded {
            let number = mixed(u64::from(u32::from(*character)));
            sum = sum.wrapping_mul(BASE).wrapping_add(number);
            self.characters.push(number);
            self.sums.push(sum);
        }
        while self.powers.len() < self.sums.len() {
            let last = self.powers.last().map_or(1, |last: &u64| last.wrapping_mul(BASE));
            self.powers.push(last);
        }
    }

    /// The sum of a stretch.
    fn sum(&self, from: usize, to: usize) -> u64 {
        self.sums[to].wrapping_sub(self.sums[from].wrapping_mul(self.powers[to - from]))
    }

    /// The sum of two stretches, one behind the other.
    fn joined(&self, one: u64, from: usize, to: usize) -> u64 {
        one.wrapping_mul(self.powers[to - from]).wrapping_add(self.sum(from, to))
    }

    /// The number of the whole key.
    fn whole(&self, made: MadeFrom) -> u64 {
        number(made, self.sum(0, self.characters.len()), self.characters.len())
    }

    /// The end of the key, and the same without any one and any two of its characters.
    fn shortened(&self, mut each: impl FnMut(u64)) {
        let (start, end) = (self.characters.len().saturating_sub(END), self.characters.len());
        let length = end - start;
        each(number(MadeFrom::Shortened, self.sum(start, end), length));
        for one in start..end {
            let before = self.sum(start, one);
            let without = self.joined(before, one + 1, end);
            each(number(MadeFrom::Shortened, without, length - 1));
            for two in one + 1..end {
                let middle = self.joined(before, one + 1, two);
                let without = self.joined(middle, two + 1, end);
                each(number(MadeFrom::Shortened, without, length - 2));
            }
        }
    }

    /// Beginnings and ends of at least half of the key.
    fn affixes(&self, made: MadeFrom, mut each: impl FnMut(u64)) {
        let length = self.characters.len();
        for shared in length.div_ceil(2).max(SHARED)..length {
            each(number(made, self.sum(0, shared), shared));
            each(number(made, self.sum(length - shared, length), shared));
        }
    }
}

/// The number of a text by its sum and length.
fn number(made: MadeFrom, sum: u64, length: usize) -> u64 {
    let mut hasher = FixedState::with_seed(made as u64).build_hasher();
    (sum, length).hash(&mut hasher);
    std::hash::Hasher::finish(&hasher)
}
