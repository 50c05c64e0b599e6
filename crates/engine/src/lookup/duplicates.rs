//! The rows of a lookup, settled to one per key, or per key and period.

use std::collections::BTreeSet;

use arrow_array::Array;
use interligo_model::plan::{Duplicates, Rule};
use interligo_model::reading::date_style::moment;
use interligo_model::values::column::Column;
use interligo_model::values::date::Day;
use interligo_model::values::texts::gathered;
use interligo_model::values::value::Value;

use super::key_rows::HeldRows;
use super::{Duplicate, KeyRows, Lookup};
use crate::bind::{BoundLookup, Validity};
use crate::lookup::calendar::{ALWAYS, Calendar, FOREVER, Holds};
use crate::lookup::duplicate_rule;

/// What the rows of a lookup are settled by.
#[derive(Clone, Copy)]
struct Settling<'a> {
    bound: &'a BoundLookup,
    /// The columns of the key.
    columns: &'a [usize],
    rule: &'a Duplicates,
}

impl Lookup {
    /// Settles the rows to one for each value of the key; of these rows each further key must have its own.
    pub(super) fn settle_keys(&mut self, bound: &BoundLookup, holding: HeldRows) {
        let mut keys = vec![self.settled(bound, &bound.key, &bound.duplicates, holding)];
        for columns in &bound.further_keys {
            let rows = keys[0].all_rows();
            keys.push(self.settled(bound, columns, &Duplicates::default(), rows));
        }
        self.keys = keys;
    }

    fn settled(
        &mut self,
        bound: &BoundLookup,
        columns: &[usize],
        rule: &Duplicates,
        holding: HeldRows,
    ) -> KeyRows {
        // Cells on whose value the rows of a key do not agree.
        let mut blanked: Vec<(usize, u32)> = Vec::new();
        let settling = Settling { bound, columns, rule };
        let keys = match holding {
            HeldRows::Always(rows) => self.settled_always(settling, rows, &mut blanked),
            HeldRows::Dated(rows) => self.settled_by_period(settling, rows, &mut blanked),
        };
        self.blank(&blanked);
        keys
    }

    fn settled_always(
        &mut self,
        settling: Settling<'_>,
        rows: Vec<u32>,
        blanked: &mut Vec<(usize, u32)>,
    ) -> KeyRows {
        let values = rows.len();
        let mut by_key = self.by_key(settling.columns, rows, values);
        let keys = by_key.values();
        if keys < by_key.rows.len() {
            for number in 0..keys {
                let row = match &by_key.rows[by_key.of(number)] {
                    [only] => *only,
                    same => self.one_of(settling, (by_key.shown(number), same), blanked),
                };
                // The rows that hold move up to where those are that do not.
                by_key.rows[number] = row;
            }
            by_key.rows.truncate(keys);
            by_key.rows.shrink_to_fit();
        }
        KeyRows::one(by_key.texts, by_key.rows, by_key.table)
    }

    fn settled_by_period(
        &mut self,
        settling: Settling<'_>,
        rows: Vec<Holds>,
        blanked: &mut Vec<(usize, u32)>,
    ) -> KeyRows {
        // A key has many rows, so that it is not known how many keys there are.
        let mut by_key = self.by_key(settling.columns, rows, 0);
        let mut kept: Vec<u32> = Vec::with_capacity(by_key.values() + 1);
        let mut end = 0;
        for number in 0..by_key.values() {
            kept.push(end as u32);
            let mut range = by_key.of(number);
            let of_key = &mut by_key.rows[range.clone()];
            if !of_key.is_sorted_by_key(Holds::order) {
                of_key.sort_by_key(Holds::order);
            }
            while !range.is_empty() {
                let first = by_key.rows[range.start];
                let is_same = |h: &&Holds| (h.from, h.until) == (first.from, first.until);
                let same = by_key.rows[range.clone()].iter().take_while(is_same).count();
                let row = if same == 1 {
                    first.row
                } else {
                    let same = by_key.rows[range.clone()][..same].iter().map(|holds| holds.row);
                    let same: Vec<u32> = same.collect();
                    self.one_of(settling, (by_key.shown(number), &same), blanked)
                };
                // The rows that hold move up to where those are that do not.
                by_key.rows[end] = Holds { row, ..first };
                end += 1;
                range.start += same;
            }
            if let Some(Validity::UntilNext { carry, .. }) = settling.bound.valid {
                until_the_next(&mut by_key.rows[kept[number] as usize..end], carry);
            }
        }
        kept.push(end as u32);
        by_key.rows.truncate(end);
        by_key.rows.shrink_to_fit();
        KeyRows::dated(by_key.texts, Calendar::side_by_side(by_key.rows, kept), by_key.table)
    }

    /// Of rows with one key, and one period where there are periods, the row that is valid; they are listed as duplicates.
    fn one_of(
        &mut self,
        settling: Settling<'_>,
        (key, same): (String, &[u32]),
        blanked: &mut Vec<(usize, u32)>,
    ) -> u32 {
        let Settling { bound, columns, rule } = settling;
        let differing = self.differing(bound, columns, same);
        let kept = match rule {
            _ if differing.is_empty() => Some(0),
            Duplicates::Blank => {
                blanked.extend(differing.iter().map(|column| (*column, same[0])));
                Some(0)
            }
            Duplicates::Rule(rule) => self.held(rule, bound, columns, same),
        };
        self.duplicates.push(Duplicate {
            columns: columns.iter().map(|n| bound.columns[*n].clone()).collect(),
            key,
            places: same.iter().map(|row| self.raw.place(*row)).collect(),
            rows: same.to_vec(),
            differing: differing.iter().map(|n| bound.columns[*n].clone()).collect(),
            held: kept.map(|kept| self.raw.place(same[kept])),
        });
        same[kept.unwrap_or(0)]
    }

    /// The row that is used by a rule, by number.
    fn held(&self, rule: &Rule, bound: &BoundLookup, key: &[usize], same: &[u32]) -> Option<usize> {
        let decides = bound.decides.and_then(|number| self.columns[number].column.as_ref());
        let value = |row: &u32| {
            let value = decides.map_or(Value::Blank, |column| column.value(*row as usize));
            let text = bound.decides.and_then(|number| self.held_text(number, *row));
            moment(value, text.as_deref().unwrap_or_default())
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
    fn differing(&self, bound: &BoundLookup, key: &[usize], rows: &[u32]) -> Vec<usize> {
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
        let differs = |number: &usize| rows[1..].iter().any(|row| differ(*number, rows[0], *row));
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
