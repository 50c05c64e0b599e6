//! The rows of a lookup, settled to one per key, or per key and period.

use rayon::prelude::*;
use std::borrow::Cow;
use std::collections::BTreeSet;
use std::sync::Arc;

use arrow_array::{Array, StringViewArray};
use interligo_model::plan::{Duplicates, Rule};
use interligo_model::reading::date_style::moment;
use interligo_model::values::column::Column;
use interligo_model::values::date::Day;
use interligo_model::values::texts::{TextWriter, gathered};
use interligo_model::values::value::Value;
use unicode_normalization::UnicodeNormalization;

use super::{Duplicate, KeyRows, Lookup, RANGES};
use crate::bind::{BoundLookup, Validity};
use crate::keys::{KeyTable, NO_ROW, joined, shown};
use crate::lookup::calendar::{ALWAYS, Calendar, FOREVER, Holds};
use crate::lookup::duplicate_rule;

/// Rows whose keys are looked up together: few as long as most keys are new, more once many are known.
const FEWEST: usize = 1_024;
const MOST: usize = 1 << 21;

/// Rows by the values of a key.
struct ByKey {
    /// The values, in the order in which they come first.
    values: StringViewArray,
    /// The rows, those of a value side by side.
    rows: Vec<Holds>,
    /// Of each value, where its rows begin; one more at the end.
    starts: Vec<u32>,
}

impl Lookup {
    /// Settles the rows to one for each value of the key; of these rows each further key must have its own.
    pub(super) fn settle_keys(&mut self, bound: &BoundLookup, holding: Vec<Holds>) {
        let own = self.settled(bound, &bound.key, &bound.duplicates, holding);
        let mut holding: Vec<Holds> = Vec::new();
        if !bound.further_keys.is_empty() {
            holding.extend(own.iter().flat_map(|(_, rows)| rows));
            holding.sort_by_key(|holds| holds.row);
        }
        self.keys.push(own);
        for columns in &bound.further_keys {
            let stop = Duplicates::default();
            let further = self.settled(bound, columns, &stop, holding.clone());
            self.keys.push(further);
        }
    }

    /// The rows by the values of some columns; those that are blank in one of them are not among them.
    fn by_key(&self, columns: &[usize], mut holding: Vec<Holds>) -> ByKey {
        let mut values = TextWriter::with_capacity(0);
        // With periods a key has many rows.
        let known =
            if holding.iter().any(|holds| holds.from != ALWAYS) { 0 } else { holding.len() };
        let mut numbers = KeyTable::with_capacity(known);
        let mut last: Option<(Vec<&str>, u32)> = None;
        let mut of_rows: Vec<u32> = Vec::with_capacity(holding.len());
        let mut texts: Vec<&str> = Vec::new();
        let (mut group, mut found, mut kept) = (0..0, Vec::new(), 0);
        for at in 0..holding.len() {
            if at == group.end {
                // Keys that are known and need no cleaning are looked up together.
                group = at..holding.len().min(at + at.clamp(FEWEST, MOST));
                found = self.known_numbers(columns, &holding[group.clone()], &numbers);
            }
            let holds = holding[at];
            let known = found.get(at - group.start).copied().filter(|number| *number != NO_ROW);
            let number = match known {
                Some(number) => number,
                None => {
                    let text = |c: &usize| self.raw.columns[*c].value(holds.row as usize);
                    texts.clear();
                    texts.extend(columns.iter().map(text));
                    // Rows of one key mostly stand together.
                    match last.as_ref().filter(|(last, _)| *last == texts) {
                        Some((_, number)) => *number,
                        None if texts.iter().any(|text| text.trim().is_empty()) => continue,
                        None => {
                            let same: Vec<Cow<'_, str>> =
                                texts.iter().map(|t| same_key(t)).collect();
                            let same: Vec<&str> = same.iter().map(AsRef::as_ref).collect();
                            let next = numbers.len() as u32;
                            let number =
                                numbers.insert(&joined(&same), next).unwrap_or_else(|| {
                                    values.push(&joined(&texts));
                                    next
                                });
                            last = Some((texts.clone(), number));
                            number
                        }
                    }
                }
            };
            of_rows.push(number);
            holding[kept] = holds;
            kept += 1;
        }
        holding.truncate(kept);
        let mut starts = vec![0; numbers.len() + 1];
        of_rows.iter().for_each(|number| starts[*number as usize + 1] += 1);
        for at in 1..starts.len() {
            starts[at] += starts[at - 1];
        }
        let rows =
            if of_rows.is_sorted() { holding } else { side_by_side(&holding, &of_rows, &starts) };
        // Where each row has a key of its own, the column itself has them in order.
        let values = match columns {
            [column] if starts.len() == self.raw.columns[*column].len() + 1 => {
                self.raw.columns[*column].clone()
            }
            _ => values.finish(),
        };
        ByKey { values, rows, starts }
    }

    /// The numbers of keys that are known as they are written; of none where rows do not stand side by side.
    fn known_numbers(&self, columns: &[usize], group: &[Holds], numbers: &KeyTable) -> Vec<u32> {
        let ([column], [first, .., last]) = (columns, group) else { return Vec::new() };
        let side_by_side = last.row.wrapping_sub(first.row) as usize + 1 == group.len();
        if !side_by_side || numbers.is_empty() {
            return Vec::new();
        }
        let find = |rows: std::ops::Range<usize>| {
            let start = first.row as usize + rows.start;
            let mut found = Vec::new();
            numbers.get_all(&self.raw.columns[*column].slice(start, rows.len()), &mut found);
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

    fn settled(
        &mut self,
        bound: &BoundLookup,
        columns: &[usize],
        rule: &Duplicates,
        holding: Vec<Holds>,
    ) -> KeyRows {
        let ByKey { values, mut rows, starts } = self.by_key(columns, holding);
        // Cells on whose value the rows of a key do not agree.
        let mut blanked: Vec<(usize, u32)> = Vec::new();
        let mut kept: Vec<u32> = Vec::with_capacity(starts.len());
        let mut end = 0;
        for (number, ends) in starts.windows(2).enumerate() {
            kept.push(end as u32);
            let mut range = ends[0] as usize..ends[1] as usize;
            let of_key = &mut rows[range.clone()];
            if !of_key.is_sorted_by_key(Holds::order) {
                of_key.sort_by_key(Holds::order);
            }
            while !range.is_empty() {
                let first = rows[range.start];
                let is_same = |h: &&Holds| (h.from, h.until) == (first.from, first.until);
                let same = rows[range.clone()].iter().take_while(is_same).count();
                let same = range.start..range.start + same;
                let held = if same.len() == 1 {
                    first
                } else {
                    let key = shown(values.value(number));
                    self.one_of(bound, columns, rule, (key, &rows[same.clone()]), &mut blanked)
                };
                // The rows that hold move up to where those are that do not.
                rows[end] = held;
                end += 1;
                range.start = same.end;
            }
            if let Some(Validity::UntilNext { carry, .. }) = bound.valid {
                until_the_next(&mut rows[kept[number] as usize..end], carry);
            }
        }
        kept.push(end as u32);
        rows.truncate(end);
        rows.shrink_to_fit();
        self.blank(&blanked);
        KeyRows { values, calendar: Arc::new(Calendar::side_by_side(rows, kept)) }
    }

    /// Of rows with one key and one period, the row that is valid; they are listed as duplicates.
    fn one_of(
        &mut self,
        bound: &BoundLookup,
        columns: &[usize],
        rule: &Duplicates,
        (key, same): (String, &[Holds]),
        blanked: &mut Vec<(usize, u32)>,
    ) -> Holds {
        let differing = self.differing(bound, columns, same);
        let kept = match rule {
            _ if differing.is_empty() => Some(0),
            Duplicates::Blank => {
                blanked.extend(differing.iter().map(|column| (*column, same[0].row)));
                Some(0)
            }
            Duplicates::Rule(rule) => self.held(rule, bound, columns, same),
        };
        self.duplicates.push(Duplicate {
            columns: columns.iter().map(|n| bound.columns[*n].clone()).collect(),
            key,
            places: same.iter().map(|h| self.raw.place(h.row)).collect(),
            rows: same.iter().map(|h| h.row).collect(),
            differing: differing.iter().map(|n| bound.columns[*n].clone()).collect(),
            held: kept.map(|row| self.raw.place(same[row].row)),
        });
        same[kept.unwrap_or(0)]
    }

    /// The row that is used by a rule, by number.
    fn held(
        &self,
        rule: &Rule,
        bound: &BoundLookup,
        key: &[usize],
        same: &[Holds],
    ) -> Option<usize> {
        let decides = bound.decides.and_then(|number| self.columns[number].column.as_ref());
        let value = |h: &Holds| {
            let value = decides.map_or(Value::Blank, |column| column.value(h.row as usize));
            let text = bound.decides.and_then(|number| self.held_text(number, h.row));
            moment(value, text.unwrap_or_default())
        };
        let values: Vec<Value<'_>> = same.iter().map(value).collect();
        let differ =
            |a: usize, b: usize| !self.differing(bound, key, &[same[a], same[b]]).is_empty();
        duplicate_rule::held(rule, &values, differ)
    }

    /// Makes cells blank.
    fn blank(&mut self, cells: &[(usize, u32)]) {
        let columns: BTreeSet<usize> = cells.iter().map(|(column, _)| *column).collect();
        for number in columns {
            let rows: BTreeSet<u32> =
                cells.iter().filter(|(column, _)| *column == number).map(|(_, row)| *row).collect();
            let kept = (0..self.rows).map(|row| (!rows.contains(&row)).then_some(row));
            if !self.raw.columns[number].is_empty() {
                self.raw.columns[number] = gathered(&self.raw.columns[number], kept);
            }
            if let Some(column) = self.columns[number].column.take() {
                self.columns[number].column = Some(column.without_rows(&rows));
            }
        }
    }

    /// The columns in which rows differ in value.
    fn differing(&self, bound: &BoundLookup, key: &[usize], rows: &[Holds]) -> Vec<usize> {
        let differ = |number: usize, a: u32, b: u32| {
            let column = self.columns[number].column.as_ref();
            let value = |row: u32| column.map_or(Value::Blank, |c| c.value(row as usize));
            match (self.held_text(number, a), self.held_text(number, b), column) {
                (Some(one), Some(other), _) if one.trim() == other.trim() => false,
                (Some(_), Some(_), Some(Column::Text(_)) | None) => true,
                // 1.50 and 1.5 are one number; two texts that cannot be read are two.
                (Some(_), Some(_), Some(_)) => value(a) != value(b) || value(a).is_blank(),
                // Of a day that was read there is no text any more.
                _ => value(a) != value(b),
            }
        };
        let differs =
            |number: &usize| rows[1..].iter().any(|row| differ(*number, rows[0].row, row.row));
        let columns =
            (0..bound.columns.len()).filter(|n| !key.contains(n) && !bound.slots.contains(n));
        columns.filter(differs).collect()
    }
}

/// Lets each row hold until the day before the next one begins; the last stays open. None holds longer than so
/// many days after its first.
pub(crate) fn until_the_next(holds: &mut [Holds], carry: Option<u32>) {
    // Rows that begin on one day hold beside each other.
    let mut next = None;
    for at in (0..holds.len()).rev() {
        let from = holds[at].from;
        if let Some(later) = holds.get(at + 1).map(|other| other.from).filter(|l| *l > from) {
            next = Some(later);
        }
        holds[at].until = next.map_or(FOREVER, |next| Day(next.0.saturating_sub(1)));
    }
    if let Some(days) = carry {
        let days = i32::try_from(days).unwrap_or(i32::MAX);
        for held in holds.iter_mut().filter(|held| held.from != ALWAYS) {
            held.until = held.until.min(Day(held.from.0.saturating_add(days)));
        }
    }
}

/// The rows with those of a key side by side. `of_rows` has the key of each, `starts` where those of a key begin.
fn side_by_side(holding: &[Holds], of_rows: &[u32], starts: &[u32]) -> Vec<Holds> {
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
    pieces.into_par_iter().for_each(|(own, keys): (&mut [Holds], std::ops::Range<usize>)| {
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
