//! Keys that differ in their last digits alone, side by side: one look into a table for many lines that follow each other.

use std::collections::HashMap;
use std::iter::successors;
use std::ops::Range;

use foldhash::fast::FixedState;

use super::Seen;
use super::hash::{LineHash, StemHash};

/// Keys by what they have in common, each with its line. Totals of 10,000,000 lines take 1.4 of the time of those without a
/// key, and 2.3 where all keys are [`super::Scattered`].
#[derive(Debug, Default)]
pub(super) struct Neighbours {
    /// By its hash, which of the stems it is.
    numbers: HashMap<StemHash, u32, FixedState>,
    stems: Vec<Stem>,
    /// Lines of one stem that came one after the other; each ends where the next begins.
    stretches: Vec<Stretch>,
    lines: Vec<SeenLine>,
    /// Of each line, which of its neighbours it is.
    neighbours: Vec<u8>,
    /// The stem of the line before.
    current: Option<(StemHash, u32)>,
}

/// Keys that have all but their last digits in common.
#[derive(Clone, Copy, Debug)]
struct Stem {
    /// One bit for each neighbour that came.
    came: u64,
    /// The last of its stretches.
    last: u32,
}

#[derive(Clone, Copy, Debug)]
struct Stretch {
    begin: u32,
    /// The stretch of the same stem before this one, or [`NONE`].
    before: u32,
}

#[derive(Clone, Copy, Debug)]
struct SeenLine {
    number: u32,
    rest: u32,
}

const NONE: u32 = u32::MAX;

/// How often it is looked at whether keys have neighbours.
const LOOKED_AT: usize = 1 << 16;

/// The most bytes that a line takes.
const MOST_A_LINE: usize = 24;

impl Neighbours {
    pub(super) fn len(&self) -> usize {
        self.lines.len()
    }

    /// Makes room for this many keys.
    pub(super) fn reserve(&mut self, keys: u64) {
        let keys = usize::try_from(keys).unwrap_or(usize::MAX);
        self.lines.reserve_exact(keys.saturating_sub(self.lines.len()));
        self.neighbours.reserve_exact(keys.saturating_sub(self.lines.len()));
    }

    /// Notes a line; lines come in ascending numbers.
    pub(super) fn note(&mut self, hash: LineHash, line: u32) -> Seen {
        let stem = match self.current {
            Some((same, stem)) if same == hash.stem => stem,
            _ => self.stem(hash.stem),
        };
        self.current = Some((hash.stem, stem));
        let bit = 1 << hash.neighbour;
        let came = self.stems[stem as usize].came & bit != 0;
        if let Some(first) = came.then(|| self.first(stem, hash.neighbour)).flatten() {
            return Seen::Before(first.number, first.rest == hash.rest);
        }
        let stem = &mut self.stems[stem as usize];
        stem.came |= bit;
        if stem.last as usize + 1 != self.stretches.len() {
            let stretch = Stretch { begin: self.lines.len() as u32, before: stem.last };
            stem.last = self.stretches.len() as u32;
            push(&mut self.stretches, stretch);
        }
        push(&mut self.lines, SeenLine { number: line, rest: hash.rest });
        push(&mut self.neighbours, hash.neighbour);
        Seen::New
    }

    /// Which stem it is; a new one has no lines.
    fn stem(&mut self, hash: StemHash) -> u32 {
        *self.numbers.entry(hash).or_insert_with(|| {
            push(&mut self.stems, Stem { came: 0, last: NONE });
            self.stems.len() as u32 - 1
        })
    }

    /// The line of a key that came.
    fn first(&self, stem: u32, neighbour: u8) -> Option<SeenLine> {
        self.stretches_of(stem).find_map(|lines| {
            let place = self.neighbours[lines.clone()].iter().position(|own| *own == neighbour)?;
            Some(self.lines[lines.start + place])
        })
    }

    /// The lines of a stem, those that came last first.
    fn stretches_of(&self, stem: u32) -> impl Iterator<Item = Range<usize>> {
        let known = |stretch: u32| (stretch != NONE).then_some(stretch as usize);
        let before = move |stretch: &usize| known(self.stretches[*stretch].before);
        successors(known(self.stems[stem as usize].last), before).map(|stretch| {
            let next = self.stretches.get(stretch + 1);
            let end = next.map_or(self.lines.len(), |next| next.begin as usize);
            self.stretches[stretch].begin as usize..end
        })
    }

    /// Whether so few keys have neighbours that they take less memory without. This is looked at now and then.
    pub(super) fn are_few(&self) -> bool {
        let (lines, stems) = (self.lines.len(), self.stems.len());
        // Lists have grown by an eighth, and the table to twice its size, at most.
        let held = || bytes(2 * stems, stems * 9 / 8, self.stretches.len() * 9 / 8, lines * 9 / 8);
        lines > 0 && lines.is_multiple_of(LOOKED_AT) && held() > MOST_A_LINE * lines
    }

    /// Hands out all keys with the numbers of their lines.
    pub(super) fn each(&self, mut take: impl FnMut(LineHash, u32)) {
        for (hash, stem) in &self.numbers {
            for lines in self.stretches_of(*stem) {
                for (line, neighbour) in
                    self.lines[lines.clone()].iter().zip(&self.neighbours[lines])
                {
                    let hash = LineHash { stem: *hash, neighbour: *neighbour, rest: line.rest };
                    take(hash, line.number);
                }
            }
        }
    }

    /// The bytes that the keys take.
    pub(super) fn bytes(&self) -> usize {
        let (stems, stretches) = (self.stems.capacity(), self.stretches.capacity());
        bytes(self.numbers.capacity(), stems, stretches, self.lines.capacity())
    }
}

/// The bytes of a table with room for this many stems, and of lists.
fn bytes(table: usize, stems: usize, stretches: usize, lines: usize) -> usize {
    // A table is an eighth larger than what it has room for, and has a byte more for each.
    table * 8 / 7 * (size_of::<(StemHash, u32)>() + 1)
        + stems * size_of::<Stem>()
        + stretches * size_of::<Stretch>()
        + lines * (size_of::<SeenLine>() + 1)
}

/// Adds to a list, which grows by an eighth.
fn push<T>(list: &mut Vec<T>, value: T) {
    if list.len() == list.capacity() {
        list.reserve_exact(list.len() / 8 + 64);
    }
    list.push(value);
}
