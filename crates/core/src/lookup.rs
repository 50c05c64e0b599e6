//! A lookup in memory: its typed columns, its rows settled to one per key (or key and period), and
//! what was found on the way.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use arrow_array::{Array, StringViewArray};
use hashbrown::HashMap;
use unicode_normalization::UnicodeNormalization;

use crate::bind::BoundLookup;
use crate::calendar::{ALWAYS, FOREVER, Holds};
use crate::column::Column;
use crate::date::Day;
use crate::place::Place;
use crate::plan::{ColumnType, Duplicates, Mistake};
use crate::reading::{Evidence, ReadColumn, Reading};
use crate::style::Style;
use crate::value::Value;

/// A table as it was read: text, with the place of every row.
pub struct RawTable {
    /// The files it was read from.
    pub parts: Vec<Arc<str>>,
    /// How the numbers and days of each are written.
    pub styles: Vec<Style>,
    /// Of each part, the number of its first row in the columns.
    pub first_rows: Vec<usize>,
    /// The row of its file in which every row stands.
    pub rows: Vec<u32>,
    /// All columns, in the order of their names.
    pub columns: Vec<StringViewArray>,
    /// Rows without any value, which were left out.
    pub blank_rows: u64,
}

impl RawTable {
    /// A column, part by part, with the style of each.
    fn slices(&self, texts: &StringViewArray) -> impl Iterator<Item = (StringViewArray, Style)> {
        let ends = self.first_rows.iter().skip(1).copied().chain([texts.len()]);
        let parts = self.first_rows.iter().zip(ends).zip(&self.styles);
        parts.map(|((start, end), style)| (texts.slice(*start, end - start), *style))
    }

    /// Reads a column, each part in its style.
    fn read(&self, texts: &StringViewArray, reading: &Reading) -> ReadColumn {
        match self.styles.split_first() {
            Some((first, rest)) if rest.iter().all(|style| style == first) => {
                reading.read(texts, first)
            }
            _ => {
                let reads = self.slices(texts).map(|(part, style)| reading.read(&part, &style));
                ReadColumn::stacked(reads, reading)
            }
        }
    }

    /// Where a row stands.
    pub fn place(&self, row: u32) -> Place {
        let part = self.first_rows.partition_point(|first| *first <= row as usize) - 1;
        Place::row(self.parts[part].clone(), u64::from(self.rows[row as usize]))
    }
}

/// Rows of a lookup that share a key, and a period where the lookup has periods.
#[derive(Debug)]
pub struct Duplicate {
    /// The key, as the first row writes it.
    pub key: String,
    /// The rows, in order.
    pub places: Vec<Place>,
    /// The columns in which they differ; none when the rows are identical.
    pub differing: Vec<String>,
    /// The row that holds.
    pub held: Place,
}

/// Why a row of a lookup was left out.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum LeftOut {
    /// It has no key.
    BlankKey,
    /// A day of its period cannot be read.
    UnreadablePeriod,
    /// Its period ends before it starts.
    PeriodReversed,
}

/// A lookup, ready to be linked.
pub struct Lookup {
    /// Its name.
    pub name: String,
    /// All columns, by name; those that the plan does not use are not held.
    pub columns: Vec<LookupColumn>,
    /// Keys with the rows that hold, in the order of the rows: one row a key, or one a period.
    pub(crate) keys: Vec<KeyRows>,
    /// How many rows were read.
    pub rows: u32,
    /// How many rows were added that no key leads to.
    added: u32,
    /// Keys that came more than once.
    pub duplicates: Vec<Duplicate>,
    /// Rows left out, with their places.
    pub left_out: BTreeMap<LeftOut, Vec<Place>>,
    /// Values that could not be read, with their places.
    pub unreadable: Vec<Place>,
    /// What it was read from, for places.
    raw: RawTable,
}

/// A column of a lookup.
pub struct LookupColumn {
    /// Its name.
    pub name: String,
    /// Its typed values, where the plan uses them.
    pub column: Option<Column>,
    /// Whether its text may be passed on as it was written: no unit was changed in reading.
    pub as_written: bool,
}

/// A key of a lookup with its rows.
pub(crate) struct KeyRows {
    pub(crate) key: String,
    pub(crate) holds: Vec<Holds>,
}

/// Reads the columns that the plan uses.
fn typed(
    raw: &RawTable,
    bound: &BoundLookup,
    unreadable: &mut Vec<Place>,
) -> Result<Vec<LookupColumn>, Misfit> {
    let mut columns = Vec::new();
    for (number, name) in bound.columns.iter().enumerate() {
        if bound.wishes.of(number).is_none() {
            columns.push(LookupColumn { name: name.clone(), column: None, as_written: true });
            continue;
        }
        let texts = &raw.columns[number];
        let mut evidence = Evidence::default();
        for (part, style) in raw.slices(texts) {
            evidence.add_all(&part, &style);
        }
        let reading = bound.wishes.reading(number, &evidence).map_err(|wanted| Misfit {
            table: bound.name.clone(),
            column: name.clone(),
            wanted,
            example: raw
                .slices(texts)
                .map(|(part, style)| first_misfit(&part, &style, wanted))
                .find(|text| !text.is_empty())
                .unwrap_or_default(),
            at: bound.wishes.needed_at(number).map(Box::new),
        })?;
        let read = raw.read(texts, &reading);
        for row in &read.unreadable {
            unreadable.push(raw.place(*row).cell(name, texts.value(*row as usize)));
        }
        let plain = raw.styles.iter().all(|style| *style == Style::default());
        let as_written = reading.column_type == ColumnType::Text
            || (plain && reading.scale.is_none() && reading.column_type != ColumnType::Percent);
        columns.push(LookupColumn { name: name.clone(), column: Some(read.column), as_written });
    }
    Ok(columns)
}

/// A column that does not hold what the plan needs it for.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Misfit {
    /// The table.
    pub table: String,
    /// The column.
    pub column: String,
    /// The type that the plan needs.
    pub wanted: ColumnType,
    /// What it holds instead.
    pub example: String,
    /// Where the plan needs it.
    pub(crate) at: Option<Box<Mistake>>,
}

/// The first text that cannot be read as `wanted`.
pub(crate) fn first_misfit(texts: &StringViewArray, style: &Style, wanted: ColumnType) -> String {
    let reading = Reading { column_type: wanted, places: 0, scale: None };
    let unreadable = reading.read(texts, style).unreadable;
    unreadable.first().map_or(String::new(), |row| texts.value(*row as usize).to_owned())
}

impl Lookup {
    /// Types a table and settles its rows to one per key, or per key and period.
    ///
    /// Duplicates are settled by the plan's rule and listed; where the rule is to stop, the first row
    /// holds and it is for the caller to stop.
    ///
    /// # Errors
    /// A column that does not hold what the plan needs it for.
    pub fn settle(raw: RawTable, bound: &BoundLookup) -> Result<Lookup, Misfit> {
        let mut unreadable = Vec::new();
        let columns = typed(&raw, bound, &mut unreadable)?;
        let mut lookup = Lookup {
            name: bound.name.clone(),
            columns,
            keys: Vec::new(),
            rows: raw.rows.len() as u32,
            added: 0,
            duplicates: Vec::new(),
            left_out: BTreeMap::new(),
            unreadable,
            raw,
        };
        let mut numbers: HashMap<String, usize, foldhash::fast::FixedState> =
            HashMap::with_capacity_and_hasher(
                lookup.raw.rows.len(),
                foldhash::fast::FixedState::default(),
            );
        let keys = lookup.raw.columns[bound.key].clone();
        for row in 0..lookup.rows {
            let key = keys.value(row as usize);
            let holds = match lookup.period(bound, row) {
                _ if key.trim().is_empty() => Err(LeftOut::BlankKey),
                period => period,
            };
            match holds {
                Err(why) => {
                    let place = lookup.raw.place(row);
                    lookup.left_out.entry(why).or_default().push(place);
                }
                Ok((from, until)) => {
                    let number = *numbers.entry(same_key(key)).or_insert_with(|| {
                        lookup.keys.push(KeyRows { key: key.to_owned(), holds: Vec::new() });
                        lookup.keys.len() - 1
                    });
                    lookup.keys[number].holds.push(Holds { from, until, row });
                }
            }
        }
        // A row that is left out has no values to speak of.
        let gone: BTreeSet<(Arc<str>, Option<u64>)> = lookup
            .left_out
            .values()
            .flatten()
            .map(|place| (place.part.clone(), place.row))
            .collect();
        lookup.unreadable.retain(|place| !gone.contains(&(place.part.clone(), place.row)));
        lookup.settle_duplicates(bound);
        // Only what the plan uses stays in memory.
        for (number, column) in lookup.columns.iter().enumerate() {
            if column.column.is_none() && !bound.wishes.keys().contains(&number) {
                lookup.raw.columns[number] = StringViewArray::new_null(0);
            }
        }
        Ok(lookup)
    }

    fn period(&self, bound: &BoundLookup, row: u32) -> Result<(Day, Day), LeftOut> {
        let Some((from, until)) = bound.valid else { return Ok((ALWAYS, FOREVER)) };
        let day = |column: usize, open: Day| {
            let text = self.raw.columns[column].value(row as usize);
            match self.columns[column].column.as_ref().map(|c| c.value(row as usize)) {
                Some(Value::Date(day)) => Ok(day),
                _ if text.trim().is_empty() => Ok(open),
                _ => Err(LeftOut::UnreadablePeriod),
            }
        };
        let (from, until) = (day(from, ALWAYS)?, day(until, FOREVER)?);
        if until < from { Err(LeftOut::PeriodReversed) } else { Ok((from, until)) }
    }

    fn settle_duplicates(&mut self, bound: &BoundLookup) {
        let mut keys = std::mem::take(&mut self.keys);
        for key in keys.iter_mut().filter(|key| key.holds.len() > 1) {
            key.holds.sort_by_key(|h| (h.from, h.until, h.row));
            let mut held: Vec<Holds> = Vec::new();
            for same in key.holds.chunk_by(|a, b| (a.from, a.until) == (b.from, b.until)) {
                let keep = match bound.duplicates {
                    Duplicates::Stop | Duplicates::First => same[0],
                    Duplicates::Last => same[same.len() - 1],
                };
                if same.len() > 1 {
                    self.duplicates.push(Duplicate {
                        key: key.key.clone(),
                        places: same.iter().map(|h| self.raw.place(h.row)).collect(),
                        differing: self.differing(bound, same),
                        held: self.raw.place(keep.row),
                    });
                }
                held.push(keep);
            }
            key.holds = held;
        }
        self.keys = keys;
    }

    /// The columns in which rows differ in value.
    fn differing(&self, bound: &BoundLookup, rows: &[Holds]) -> Vec<String> {
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
            (0..bound.columns.len()).filter(|n| *n != bound.key && !bound.slots.contains(n));
        columns.filter(differs).map(|n| bound.columns[n].clone()).collect()
    }

    /// Where a row stands.
    pub fn place(&self, row: u32) -> Place {
        self.raw.place(row)
    }

    /// How many rows were read from how many files, and how many of them were blank.
    pub fn read(&self) -> (u64, usize, u64) {
        (u64::from(self.rows) + self.raw.blank_rows, self.raw.parts.len(), self.raw.blank_rows)
    }

    /// What a row says in a column, as it is written to an output.
    pub fn text(&self, column: usize, row: u32) -> String {
        let held = &self.columns[column];
        if held.as_written && row < self.rows {
            return self.raw.columns[column].value(row as usize).to_owned();
        }
        held.column.as_ref().map_or(String::new(), |column| column.value(row as usize).to_string())
    }

    /// The key that a row holds in a column: its text, whatever type its values have.
    pub(crate) fn key_text(&self, column: usize, row: u32) -> String {
        if row < self.rows {
            return self.raw.columns[column].value(row as usize).to_owned();
        }
        self.columns[column]
            .column
            .as_ref()
            .map_or(String::new(), |column| column.value(row as usize).to_string())
    }

    /// Adds a row that no key leads to, with these values by column; its number is the answer.
    pub(crate) fn add_row(&mut self, values: &[(usize, Value<'static>)]) -> u32 {
        let number = self.all_rows() as u32;
        self.added += 1;
        for (position, held) in self.columns.iter_mut().enumerate() {
            let Some(column) = held.column.take() else { continue };
            let value = values.iter().find(|(at, _)| *at == position).map(|(_, value)| value);
            held.column = Some(column.with_row(value.unwrap_or(&Value::Blank)));
        }
        number
    }

    /// How many rows its columns have, with those that were added.
    pub(crate) fn all_rows(&self) -> usize {
        (self.rows + self.added) as usize
    }
}

/// The form in which keys of one table are the same: trimmed, NFC.
fn same_key(key: &str) -> String {
    let key = key.trim();
    if key.is_ascii() { key.to_owned() } else { key.nfc().collect() }
}
