//! The rows of a lookup by the values of a key.

use rayon::prelude::*;
use std::borrow::Cow;
use std::ops::Range;

use arrow_array::StringViewArray;
use interligo_model::values::texts::{TextWriter, gathered};
use unicode_normalization::UnicodeNormalization;

use super::counting_up::CountingUp;
use super::key_rows::HeldRow;
use super::{Lookup, RANGES};
use crate::keys::{ExactKeys, NO_ROW, joined, push_joined, shown};

/// Rows whose keys are looked up together: few as long as most keys are new, more once many are known.
const FEWEST: usize = 1_024;
const MOST: usize = 1 << 21;

/// Rows by the values of a key.
pub(super) struct ByKey<H> {
    /// The values, in the order in which they come first; see [`KeyRows`].
    pub(super) texts: Vec<StringViewArray>,
    /// The rows, those of a value side by side.
    pub(super) rows: Vec<H>,
    /// Of each value, where its rows begin; one more at the end.
    pub(super) starts: CountingUp,
    /// The values by number, where all are the same to the lookup as they are written.
    pub(super) table: Option<ExactKeys>,
}

impl<H> ByKey<H> {
    /// How many values there are.
    pub(super) fn values(&self) -> usize {
        self.starts.len() - 1
    }

    /// Where the rows of a value are.
    pub(super) fn of(&self, number: usize) -> Range<usize> {
        self.starts.at(number) as usize..self.starts.at(number + 1) as usize
    }

    /// A value, as messages show it.
    pub(super) fn shown(&self, number: usize) -> String {
        let texts: Vec<&str> = self.texts.iter().map(|column| column.value(number)).collect();
        shown(&joined(&texts))
    }
}

/// Numbers keys in the order in which they come.
struct KeyNumbers<'t> {
    table: ExactKeys,
    /// Of each key the row that has it first.
    firsts: CountingUp,
    /// Whether one is another text to the lookup than it is written.
    is_cleaned: bool,
    /// The key of the row before, with its number.
    last: (Vec<&'t str>, u32),
    key: String,
}

impl<'t> KeyNumbers<'t> {
    fn new(table: ExactKeys) -> KeyNumbers<'t> {
        KeyNumbers {
            table,
            firsts: CountingUp::new(),
            is_cleaned: false,
            last: (Vec::new(), NO_ROW),
            key: String::new(),
        }
    }

    /// The number of the key of a row; none where a part of it is blank.
    fn of(&mut self, row: u32, texts: &mut Vec<&'t str>) -> Option<u32> {
        // Rows of one key mostly stand together.
        if self.last.1 != NO_ROW && self.last.0 == *texts {
            return Some(self.last.1);
        }
        if texts.iter().any(|text| text.trim().is_empty()) {
            return None;
        }
        self.key.clear();
        let mut is_cleaned = false;
        let same = texts.iter().map(|text| {
            let same = same_key(text);
            is_cleaned |= same != *text;
            same
        });
        push_joined(same, &mut self.key);
        let next = self.table.len() as u32;
        let number = self.table.insert(&self.key, next).unwrap_or_else(|| {
            self.firsts.push(row);
            self.is_cleaned |= is_cleaned;
            next
        });
        std::mem::swap(&mut self.last.0, texts);
        self.last.1 = number;
        Some(number)
    }
}

impl Lookup {
    /// The rows by the values of some columns; those that are blank in one of them are not among them. `values` says for
    /// how many values there is room.
    pub(super) fn by_key<H: HeldRow>(
        &self,
        columns: &[usize],
        mut holding: Vec<H>,
        values: usize,
    ) -> ByKey<H> {
        let each = |take: &mut dyn FnMut(&[u8]) -> bool| {
            let mut key = String::new();
            let _ = holding.iter().all(|held| {
                let text = |c: &usize| self.raw.columns[*c].value(held.row() as usize);
                key.clear();
                push_joined(columns.iter().map(text), &mut key);
                take(key.as_bytes())
            });
        };
        let table = ExactKeys::for_keys(each, holding.len(), values);
        let mut numbers = KeyNumbers::new(table);
        let mut of_rows = CountingUp::new();
        let mut texts: Vec<&str> = Vec::new();
        let (mut group, mut found, mut kept) = (0..0, Vec::new(), 0);
        for at in 0..holding.len() {
            if at == group.end {
                // Keys that are known and need no cleaning are looked up together.
                let new = found.iter().filter(|number| **number == NO_ROW).count();
                let size = if new * 2 < group.len() { at.clamp(FEWEST, MOST) } else { FEWEST };
                group = at..holding.len().min(at + size);
                found = self.known_numbers(columns, &holding[group.clone()], &numbers.table);
            }
            let holds = holding[at];
            let number = match found.get(at - group.start) {
                Some(number) if *number != NO_ROW => *number,
                _ => {
                    let text = |c: &usize| self.raw.columns[*c].value(holds.row() as usize);
                    texts.clear();
                    texts.extend(columns.iter().map(text));
                    let Some(number) = numbers.of(holds.row(), &mut texts) else { continue };
                    number
                }
            };
            of_rows.push(number);
            holding[kept] = holds;
            kept += 1;
        }
        holding.truncate(kept);
        let KeyNumbers { table, firsts, is_cleaned, .. } = numbers;
        let (rows, starts) = match of_rows {
            CountingUp::All(rows) => (holding, CountingUp::All(rows + 1)),
            CountingUp::Listed(of_rows) => {
                let starts = starts_of(&of_rows, firsts.len());
                let sorted = of_rows.is_sorted();
                let rows = if sorted { holding } else { side_by_side(&holding, &of_rows, &starts) };
                (rows, CountingUp::Listed(starts))
            }
        };
        let texts = self.texts_of_keys(columns, firsts);
        ByKey { texts, rows, starts, table: (!is_cleaned).then(|| table.complete()) }
    }

    /// The texts of keys, by the row that has each first.
    fn texts_of_keys(&self, columns: &[usize], firsts: CountingUp) -> Vec<StringViewArray> {
        let columns: Vec<&StringViewArray> =
            columns.iter().map(|column| &self.raw.columns[*column]).collect();
        // Where each row has a key of its own, the columns themselves have them in order.
        if firsts.len() == self.rows as usize {
            return columns.into_iter().cloned().collect();
        }
        let firsts = firsts.listed();
        let of_row = |row: &u32| Some(*row);
        if let [column] = columns.as_slice() {
            return vec![gathered(column, firsts.iter().map(of_row))];
        }
        let mut values = TextWriter::with_capacity(firsts.len());
        for row in firsts {
            let texts: Vec<&str> = columns.iter().map(|texts| texts.value(row as usize)).collect();
            values.push(&joined(&texts));
        }
        vec![values.finish()]
    }

    /// The numbers of keys that are known as they are written; of none where rows do not stand side by side.
    fn known_numbers<H: HeldRow>(
        &self,
        columns: &[usize],
        group: &[H],
        numbers: &ExactKeys,
    ) -> Vec<u32> {
        let ([column], [first, .., last]) = (columns, group) else { return Vec::new() };
        let first = first.row() as usize;
        let side_by_side = (last.row() as usize).wrapping_sub(first) + 1 == group.len();
        if !side_by_side || numbers.len() == 0 {
            return Vec::new();
        }
        let find = |rows: Range<usize>| {
            let mut found = Vec::new();
            let texts = self.raw.columns[*column].slice(first + rows.start, rows.len());
            numbers.get_all(&texts, &mut found);
            found
        };
        if group.len() < MOST / 16 {
            return find(0..group.len());
        }
        let range =
            |number: usize| group.len() * number / RANGES..group.len() * (number + 1) / RANGES;
        let found: Vec<Vec<u32>> = (0..RANGES).into_par_iter().map(range).map(find).collect();
        found.concat()
    }
}

/// Where the rows of each of this many keys begin, and where those of the last end. `of_rows` has the key of each.
fn starts_of(of_rows: &[u32], keys: usize) -> Vec<u32> {
    let mut starts = vec![0; keys + 1];
    of_rows.iter().for_each(|number| starts[*number as usize + 1] += 1);
    for at in 1..starts.len() {
        starts[at] += starts[at - 1];
    }
    starts
}

/// The rows with those of a key side by side. `of_rows` has the key of each, `starts` where those of a key begin.
fn side_by_side<H: HeldRow>(holding: &[H], of_rows: &[u32], starts: &[u32]) -> Vec<H> {
    let mut rows = holding.to_vec();
    let mut pieces = Vec::with_capacity(RANGES);
    let (mut rest, mut first) = (rows.as_mut_slice(), 0);
    for range in 1..=RANGES {
        let until = (holding.len() * range / RANGES) as u32;
        let end = if range == RANGES {
            starts.len() - 1
        } else {
            starts.partition_point(|start| *start < until).min(starts.len() - 1).max(first)
        };
        let (own, others) = rest.split_at_mut((starts[end] - starts[first]) as usize);
        let keys = first..end;
        (rest, first) = (others, end);
        pieces.push((own, keys));
    }
    pieces.into_par_iter().for_each(|(own, keys): (&mut [H], Range<usize>)| {
        let base = starts[keys.start];
        let mut free: Vec<u32> = starts[keys.clone()].iter().map(|at| at - base).collect();
        for (holds, number) in holding.iter().zip(of_rows) {
            let at = (*number as usize).wrapping_sub(keys.start);
            if let Some(place) = free.get_mut(at) {
                own[*place as usize] = *holds;
                *place += 1;
            }
        }
    });
    rows
}

/// The form in which keys of one table are the same: trimmed, NFC.
pub(super) fn same_key(key: &str) -> Cow<'_, str> {
    let key = key.trim();
    if key.is_ascii() { Cow::Borrowed(key) } else { Cow::Owned(key.nfc().collect()) }
}
