//! The rows of a lookup, settled to one per key, or per key and period.

use std::collections::BTreeSet;

use unicode_normalization::UnicodeNormalization;

use super::{Duplicate, KeyRows, Lookup};
use crate::bind::{BoundLookup, Validity};
use crate::calendar::{ALWAYS, Holds};
use crate::column::Column;
use crate::date::Day;
use crate::duplicates;
use crate::keys::{KeyTable, joined, shown};
use crate::plan::{Duplicates, Rule};
use crate::texts::gathered;
use crate::value::Value;

impl Lookup {
    /// Settles the rows to one for each value of the key; of these rows each further key must have its own.
    pub(super) fn settle_keys(&mut self, bound: &BoundLookup, holding: Vec<Holds>) {
        let own = self.settled(bound, &bound.key, &bound.duplicates, holding);
        let mut holding: Vec<Holds> = Vec::new();
        if !bound.further_keys.is_empty() {
            holding.extend(own.iter().flat_map(|key| key.holds.iter().copied()));
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
    fn by_key(&self, columns: &[usize], holding: Vec<Holds>) -> Vec<KeyRows> {
        let mut keys: Vec<KeyRows> = Vec::new();
        let mut numbers = KeyTable::with_capacity(holding.len());
        for holds in holding {
            if let [column] = columns {
                let text = self.raw.columns[*column].value(holds.row as usize);
                // Rows of one key mostly stand together.
                if let Some(last) = keys.last_mut().filter(|last| last.key == text) {
                    last.holds.push(holds);
                    continue;
                }
            }
            let texts: Vec<&str> =
                columns.iter().map(|c| self.raw.columns[*c].value(holds.row as usize)).collect();
            if texts.iter().any(|text| text.trim().is_empty()) {
                continue;
            }
            let same: Vec<String> = texts.iter().map(|text| same_key(text)).collect();
            let same: Vec<&str> = same.iter().map(String::as_str).collect();
            let number = match numbers.insert(&joined(&same), keys.len() as u32) {
                Some(known) => known as usize,
                None => {
                    let key = joined(&texts).into_owned();
                    keys.push(KeyRows { key, holds: Vec::with_capacity(1) });
                    keys.len() - 1
                }
            };
            keys[number].holds.push(holds);
        }
        keys.iter_mut().for_each(|key| key.holds.shrink_to_fit());
        keys
    }

    fn settled(
        &mut self,
        bound: &BoundLookup,
        columns: &[usize],
        rule: &Duplicates,
        holding: Vec<Holds>,
    ) -> Vec<KeyRows> {
        let mut keys = self.by_key(columns, holding);
        // Cells on whose value the rows of a key do not agree.
        let mut blanked: Vec<(usize, u32)> = Vec::new();
        for key in keys.iter_mut().filter(|key| key.holds.len() > 1) {
            key.holds.sort_by_key(|h| (h.from, h.until, h.row));
            let mut held: Vec<Holds> = Vec::new();
            for same in key.holds.chunk_by(|a, b| (a.from, a.until) == (b.from, b.until)) {
                let [_, _, ..] = same else {
                    held.extend_from_slice(same);
                    continue;
                };
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
                    key: shown(&key.key),
                    places: same.iter().map(|h| self.raw.place(h.row)).collect(),
                    rows: same.iter().map(|h| h.row).collect(),
                    differing: differing.iter().map(|n| bound.columns[*n].clone()).collect(),
                    held: kept.map(|row| self.raw.place(same[row].row)),
                });
                held.push(same[kept.unwrap_or(0)]);
            }
            key.holds = held;
        }
        self.blank(&blanked);
        if let Some(Validity::UntilNext { carry, .. }) = bound.valid {
            keys.iter_mut().for_each(|key| until_the_next(&mut key.holds, carry));
        }
        keys
    }

    /// The row that holds by a rule, by number.
    fn held(
        &self,
        rule: &Rule,
        bound: &BoundLookup,
        key: &[usize],
        same: &[Holds],
    ) -> Option<usize> {
        let decides = bound.decides.and_then(|number| self.columns[number].column.as_ref());
        let value = |h: &Holds| decides.map_or(Value::Blank, |column| column.value(h.row as usize));
        let values: Vec<Value<'_>> = same.iter().map(value).collect();
        let differ =
            |a: usize, b: usize| !self.differing(bound, key, &[same[a], same[b]]).is_empty();
        duplicates::held(rule, &values, differ)
    }

    /// Makes cells blank.
    fn blank(&mut self, cells: &[(usize, u32)]) {
        let columns: BTreeSet<usize> = cells.iter().map(|(column, _)| *column).collect();
        for number in columns {
            let rows: BTreeSet<u32> =
                cells.iter().filter(|(column, _)| *column == number).map(|(_, row)| *row).collect();
            let kept = (0..self.rows).map(|row| (!rows.contains(&row)).then_some(row));
            self.raw.columns[number] = gathered(&self.raw.columns[number], kept);
            if let Some(column) = self.columns[number].column.take() {
                self.columns[number].column = Some(column.without_rows(&rows));
            }
        }
    }

    /// The columns in which rows differ in value.
    fn differing(&self, bound: &BoundLookup, key: &[usize], rows: &[Holds]) -> Vec<usize> {
        let differs = |number: &usize| {
            rows[1..].iter().any(|other| {
                let (a, b) = (rows[0].row as usize, other.row as usize);
                let texts = &self.raw.columns[*number];
                texts.value(a).trim() != texts.value(b).trim()
                    && match &self.columns[*number].column {
                        // 1.50 and 1.5 are one number; two texts that cannot be read are two.
                        Some(Column::Text(_)) | None => true,
                        Some(column) => {
                            column.value(a) != column.value(b) || column.value(a).is_blank()
                        }
                    }
            })
        };
        let columns =
            (0..bound.columns.len()).filter(|n| !key.contains(n) && !bound.slots.contains(n));
        columns.filter(differs).collect()
    }
}

/// Lets each row hold until the day before the next one begins; the last stays open. None holds longer than so
/// many days after its first.
fn until_the_next(holds: &mut [Holds], carry: Option<u32>) {
    for at in 1..holds.len() {
        holds[at - 1].until = Day(holds[at].from.0.saturating_sub(1));
    }
    if let Some(days) = carry {
        let days = i32::try_from(days).unwrap_or(i32::MAX);
        for held in holds.iter_mut().filter(|held| held.from != ALWAYS) {
            held.until = held.until.min(Day(held.from.0.saturating_add(days)));
        }
    }
}

/// The form in which keys of one table are the same: trimmed, NFC.
pub(super) fn same_key(key: &str) -> String {
    let key = key.trim();
    if key.is_ascii() { key.to_owned() } else { key.nfc().collect() }
}
