//! Links that look for the same keys: a key that one link has found as it is written leads the next link by a number, and is
//! not looked for again.
//!
//! The rule is that of [`Resolver::resolve`](super::resolve::Resolver::resolve): what is said here of a key is what its own
//! index would say. Prices and products by one code: 1.1 of the whole run.

use std::borrow::Cow;

use super::resolve::Resolver;
use super::{Link, LinkedRows, Part, Start};
use crate::keys::NO_ROW;

/// A link before this one that looks for the same keys.
pub(super) struct Beside {
    /// Its number.
    link: usize,
    /// Of each row that it finds as written, what this link's index has for the key.
    known: Vec<u32>,
}

/// What this link's index has for the keys of some lines, as far as another link found them.
pub(super) struct KnownKeys<'a> {
    rows: Cow<'a, [u32]>,
    known: &'a [u32],
}

impl KnownKeys<'_> {
    /// What the index has for the key of a line, [`NO_ROW`] where it does not hold it; nothing where that is not known.
    #[inline]
    pub(super) fn of(&self, line: usize) -> Option<u32> {
        self.known.get(self.rows[line] as usize).copied()
    }
}

impl Beside {
    /// The first of some links that finds its rows, whatever the day, by the one column that this one starts from.
    pub(super) fn find(start: &Start, resolver: &Resolver, links: &[Link]) -> Option<Beside> {
        let column = only_column(start)?;
        let fits = |link: &&Link| {
            link.resolver.calendar.is_none()
                && link.resolver.split.is_none()
                && only_column(&link.start) == Some(column)
        };
        if resolver.split.is_some() {
            return None;
        }
        let number = links.iter().position(|link| fits(&link))?;
        let known = resolver.index.rows_by(&links[number].resolver.index);
        Some(Beside { link: number, known })
    }

    /// What is known of the keys of a batch.
    pub(super) fn known<'a>(&'a self, linked: &'a [Option<LinkedRows>]) -> Option<KnownKeys<'a>> {
        let other = linked.get(self.link)?.as_ref()?;
        let mut rows = Cow::Borrowed(other.rows.as_slice());
        // Rows that were found otherwise than by the key as it is written say nothing of it. The row of `fill` comes after
        // those that have keys, and is not among what is known.
        for via in &other.matched_via {
            rows.to_mut()[via.line as usize] = NO_ROW;
        }
        Some(KnownKeys { rows, known: &self.known })
    }
}

/// The column of lines that holds the key, where it is one and there is no other candidate.
fn only_column(start: &Start) -> Option<usize> {
    match start {
        Start::Fact { candidates, .. } => match candidates.as_slice() {
            [only] => match only.as_slice() {
                [Part::Own(column)] => Some(*column),
                _ => None,
            },
            _ => None,
        },
        Start::Chain { .. } => None,
    }
}
