//! Rows whose like has not come yet.

use std::collections::HashMap;

use foldhash::quality::FixedState;
use smallvec::SmallVec;

/// Rows that wait, by a number that is the same for all that are known by the same.
pub(crate) struct Waiting<T> {
    /// Each with how many waited before it.
    rows: HashMap<u64, SmallVec<[(usize, T); 1]>, FixedState>,
    now: usize,
    ever: usize,
}

impl<T> Default for Waiting<T> {
    fn default() -> Waiting<T> {
        let rows = HashMap::with_hasher(FixedState::with_seed(0x7761_6974));
        Waiting { rows, now: 0, ever: 0 }
    }
}

impl<T> Waiting<T> {
    pub(crate) fn hold(&mut self, number: u64, row: T) {
        self.rows.entry(number).or_default().push((self.ever, row));
        self.now += 1;
        self.ever += 1;
    }

    /// One with this number that is the same. Of several the last: they are alike, and it is taken out at once.
    pub(crate) fn take(&mut self, number: u64, is_same: impl Fn(&T) -> bool) -> Option<T> {
        let rows = self.rows.get_mut(&number)?;
        let at = rows.iter().rposition(|(_, row)| is_same(row))?;
        let (_, row) = rows.remove(at);
        if rows.is_empty() {
            self.rows.remove(&number);
        }
        self.now -= 1;
        Some(row)
    }

    /// How many wait.
    pub(crate) fn len(&self) -> usize {
        self.now
    }

    /// All that wait, in the order in which they came.
    pub(crate) fn take_all(&mut self) -> Vec<T> {
        self.now = 0;
        let mut rows: Vec<(usize, T)> = self.rows.drain().flat_map(|(_, rows)| rows).collect();
        rows.sort_unstable_by_key(|(number, _)| *number);
        rows.into_iter().map(|(_, row)| row).collect()
    }
}
