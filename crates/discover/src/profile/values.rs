//! The distinct values of a column with their counts: exactly up to a limit, about beyond it.

use arrow_array::StringViewArray;
use interligo_engine::keys::{KeyTable, NO_ROW};
use interligo_model::values::texts::gathered;

use super::sketch::Sketch;

/// Distinct texts with their counts.
pub(super) struct Values {
    table: KeyTable,
    counts: Vec<u64>,
    /// How many distinct texts are kept.
    limit: usize,
    /// All distinct texts, once there are more.
    beyond: Option<Sketch>,
    rows: Vec<u32>,
}

impl Values {
    pub(super) fn new(limit: usize) -> Values {
        Values {
            table: KeyTable::with_capacity(64),
            counts: Vec::new(),
            limit,
            beyond: None,
            rows: Vec::new(),
        }
    }

    /// Adds texts; the answer are those that are not kept.
    pub(super) fn add_all(&mut self, texts: &StringViewArray) -> Option<StringViewArray> {
        let mut rows = std::mem::take(&mut self.rows);
        rows.clear();
        self.table.get_all(texts, &mut rows);
        let mut further: Vec<u32> = Vec::new();
        let kept = self.counts.len();
        for (at, row) in rows.iter().enumerate() {
            if *row != NO_ROW {
                self.counts[*row as usize] += 1;
            } else if self.counts.len() < self.limit {
                self.keep(texts.value(at), 1);
            } else {
                further.push(at as u32);
            }
        }
        // A text that was kept further up in these may be among them.
        if self.counts.len() > kept {
            further.retain(|at| !self.add_known(texts.value(*at as usize), 1));
        }
        self.rows = rows;
        if further.is_empty() {
            return None;
        }
        let sketch = self.sketch();
        further.iter().for_each(|at| sketch.add(texts.value(*at as usize)));
        Some(gathered(texts, further.into_iter().map(Some)))
    }

    /// Keeps a text, or counts it once more.
    fn keep(&mut self, text: &str, times: u64) {
        match self.table.insert(text, self.counts.len() as u32) {
            Some(known) => self.counts[known as usize] += times,
            None => self.counts.push(times),
        }
    }

    /// Counts a text that is kept; false when it is not.
    fn add_known(&mut self, text: &str, times: u64) -> bool {
        let known = self.table.get(text);
        known.iter().for_each(|row| self.counts[*row as usize] += times);
        known.is_some()
    }

    /// The sketch of all texts; begun with those that are kept.
    fn sketch(&mut self) -> &mut Sketch {
        let table = &self.table;
        self.beyond.get_or_insert_with(|| {
            let mut sketch = Sketch::default();
            table.iter().for_each(|(text, _)| sketch.add(&text));
            sketch
        })
    }

    /// Adds a text that came so often; `further` gets it when it is not kept.
    pub(super) fn add(&mut self, text: &str, times: u64, mut further: impl FnMut(&str, u64)) {
        if self.counts.len() < self.limit {
            self.keep(text, times);
        } else if !self.add_known(text, times) {
            self.sketch().add(text);
            further(text, times);
        }
    }

    /// Makes room for the texts of others, as far as they are kept.
    pub(super) fn reserve(&mut self, others: &Values) {
        self.table.reserve(others.len().min(self.limit.saturating_sub(self.len())));
    }

    /// How many distinct texts are kept.
    pub(super) fn len(&self) -> usize {
        self.counts.len()
    }

    /// Adds the values of another part of the column; `further` gets those that are not kept.
    pub(super) fn merge(&mut self, other: &Values, mut further: impl FnMut(&str, u64)) {
        self.reserve(other);
        for (text, count) in other.iter() {
            self.add(&text, count, &mut further);
        }
        if let Some(beyond) = &other.beyond {
            self.sketch().merge(beyond);
        }
    }

    /// The texts that are kept, with their counts, in no order.
    pub(super) fn iter(&self) -> impl Iterator<Item = (std::borrow::Cow<'_, str>, u64)> {
        self.table.iter().map(|(text, row)| (text, self.counts[row as usize]))
    }

    /// About how many distinct texts there are, when they are not all kept.
    pub(super) fn estimate(&self) -> Option<u64> {
        self.beyond.as_ref().map(Sketch::estimate)
    }
}
