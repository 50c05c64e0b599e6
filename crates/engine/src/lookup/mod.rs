//! A lookup in memory: its typed columns, its rows settled to one per key (or key and period), and
//! what was found on the way.

mod by_key;
pub mod calendar;
mod counting_up;
pub mod duplicate_rule;
mod duplicates;
pub(crate) mod gather;
mod key_rows;
mod raw_table;
mod row_places;
mod shape;
mod shaped_texts;
mod sheet;
mod typed;

use rayon::prelude::*;
use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use arrow_array::{Array, StringViewArray};

pub use raw_table::RawTable;
pub use row_places::RowPlaces;
pub use shape::LookupShape;
pub use typed::TypeMismatch;
pub(crate) use typed::{RowOf, first_mismatch};

use crate::bind::{BoundLookup, Validity};
use crate::keys::{KeyTable, join_columns, shown};
use crate::lookup::calendar::{ALWAYS, FOREVER, Holds};
use crate::proof::doubts::Doubts;
use crate::proof::findings::Noted;
use by_key::same_key;
pub(crate) use duplicates::until_the_next;
use interligo_model::place::Place;
use interligo_model::plan::{Ends, Mistake, MistakeKind};
use interligo_model::reading::date_style::millis_of_day;
use interligo_model::row_counts::RowCounts;
use interligo_model::values::column::{Column, is_blank_text, is_known};
use interligo_model::values::date::{Day, Period, PeriodUnit};
use interligo_model::values::texts::TextBuilder;
use interligo_model::values::value::Value;
pub(crate) use key_rows::KeyRows;
use key_rows::{HeldRow, HeldRows};
use shaped_texts::ShapedTexts;
use typed::{Typed, typed};

/// Rows of a lookup that share a key, and a period where the lookup has periods.
#[derive(Debug)]
pub struct Duplicate {
    /// The columns of the key.
    pub columns: Vec<String>,
    /// The key, as the first row writes it.
    pub key: String,
    /// The rows, in order.
    pub places: Vec<Place>,
    /// The same by number.
    pub rows: Vec<u32>,
    /// The columns in which they differ; none when the rows are identical.
    pub differing: Vec<String>,
    /// The row that is used; none where the plan does not settle it.
    pub held: Option<Place>,
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
    /// Its cells hold different numbers of values and cannot be unpacked.
    Uneven,
}

/// A lookup, ready to be linked.
#[derive(Default)]
pub struct Lookup {
    /// Its name.
    pub name: String,
    /// All columns, by name; those that the plan does not use are not held.
    pub columns: Vec<LookupColumn>,
    /// Of each of its keys, the values with their rows.
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
    /// Rows with a day that cannot well be meant, with that day.
    pub odd_days: Vec<(Place, Day)>,
    /// The forms of its periods, each with how many rows have it and the first of them.
    pub periods: BTreeMap<PeriodUnit, (u64, Place)>,
    /// By column with amounts, the currencies beside them, each with the first place that has it.
    pub currencies: Vec<(String, Vec<(String, Place)>)>,
    /// By part, what its rows say of what was assumed from a sample.
    pub doubts: BTreeMap<usize, Doubts<Place>>,
    /// What it was read from, for places.
    raw: RawTable,
    /// The texts of columns that were let go of there, by their shape.
    shaped: BTreeMap<usize, Arc<ShapedTexts>>,
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

/// Whether any text is longer than a day without a time.
fn may_have_times(texts: &StringViewArray) -> bool {
    texts.views().iter().any(|view| *view as u32 > 12)
}

/// Lookups with fewer rows are scanned by one core.
const FEW: usize = 20_000;

/// In this many ranges the rows of larger ones are scanned.
const RANGES: usize = 4;

impl Lookup {
    /// Types a table and settles its rows to one per key, or per key and period.
    ///
    /// Duplicates are settled by the plan's rule and listed; where the rule is to stop, the first row
    /// holds and it is for the caller to stop.
    ///
    /// # Errors
    /// A column that does not hold what the plan needs it for, or cannot be computed.
    pub fn settle(mut raw: RawTable, bound: &BoundLookup) -> Result<Lookup, Mistake> {
        let Typed { columns, unreadable, currencies, doubts } = typed(&mut raw, bound)?;
        let mut left_out = BTreeMap::new();
        if !raw.uneven.is_empty() {
            left_out.insert(LeftOut::Uneven, std::mem::take(&mut raw.uneven));
        }
        let mut lookup = Lookup {
            name: bound.name.clone(),
            columns,
            keys: Vec::new(),
            rows: raw.rows.len() as u32,
            added: 0,
            duplicates: Vec::new(),
            left_out,
            unreadable,
            odd_days: Vec::new(),
            periods: BTreeMap::new(),
            currencies,
            doubts,
            raw,
            shaped: BTreeMap::new(),
        };
        // The text of a day follows from the day, if it is one.
        let unread: BTreeSet<String> =
            lookup.unreadable.iter().filter_map(|place| place.column.clone()).collect();
        lookup.refuse_times(bound)?;
        let timed: Vec<bool> = lookup.raw.columns.iter().map(may_have_times).collect();
        lookup.let_go_of_texts(bound, |number, held| {
            let is_day = matches!(held.column, Some(Column::Date(_)));
            is_day && !timed[number] && !unread.contains(&held.name)
        });
        let holding = lookup.holding(bound);
        if let HeldRows::Dated(rows) = &holding {
            rows.iter()
                .for_each(|holds| lookup.note_days(bound, holds.row, [holds.from, holds.until]));
        }
        // A row that is left out has no values to speak of.
        let gone: BTreeSet<(Arc<str>, Option<u64>)> = lookup
            .left_out
            .values()
            .flatten()
            .map(|place| (place.part.shown.clone(), place.row))
            .collect();
        lookup.unreadable.retain(|place| !gone.contains(&(place.part.shown.clone(), place.row)));
        lookup.settle_keys(bound, holding);
        // Only what the plan uses stays in memory.
        lookup.let_go_of_texts(bound, |_, column| column.column.is_none());
        lookup.hold_keys_by_shape(bound);
        Ok(lookup)
    }

    /// Holds the texts of keys by their shape, where it needs them for messages alone.
    fn hold_keys_by_shape(&mut self, bound: &BoundLookup) {
        let for_messages = |column: usize| {
            self.columns[column].column.is_none() && !bound.column_use.starts_link(column)
        };
        let mut texts: BTreeMap<usize, Option<ShapedTexts>> = BTreeMap::new();
        for (number, key) in self.keys.iter().enumerate() {
            let own = bound.key_columns(number);
            for (at, column) in own.iter().enumerate().filter(|(_, own)| for_messages(**own)) {
                let in_order = key.in_order(self.rows).cloned();
                let in_order = in_order.map(|keys| ShapedTexts::of_key(keys, own.len(), at));
                let known = texts.entry(*column).or_default();
                *known = known.take().or(in_order);
            }
        }
        let shaped = |(column, known): (usize, Option<ShapedTexts>)| {
            let texts = known.or_else(|| ShapedTexts::of(&self.raw.columns[column]))?;
            Some((column, Arc::new(texts)))
        };
        self.shaped = texts.into_par_iter().filter_map(shaped).collect();
        for key in &mut self.keys {
            key.hold_by_shape(&self.raw.columns, &self.shaped);
        }
        for column in self.shaped.keys() {
            self.raw.columns[*column] = StringViewArray::new_null(0);
        }
    }

    /// Refuses periods that begin or end within a day: they are counted in days, so that a line of that day might take
    /// either. A last moment of a day is its end.
    fn refuse_times(&self, bound: &BoundLookup) -> Result<(), Mistake> {
        let (from, until) = match bound.valid {
            Some(Validity::Days { from, until, .. }) => (from, Some(until)),
            Some(Validity::UntilNext { from, .. }) => (from, None),
            _ => return Ok(()),
        };
        let last_minute = (23 * 60 + 59) * 60_000;
        for (column, is_end) in [(Some(from), false), (until, true)] {
            let Some(column) = column else { continue };
            let texts = &self.raw.columns[column];
            if !may_have_times(texts) {
                continue;
            }
            let within = |text: &str| {
                millis_of_day(text).is_some_and(|at| at > 0 && !(is_end && at >= last_minute))
            };
            if let Some(row) = (0..texts.len()).find(|row| within(texts.value(*row))) {
                let name = &bound.columns[column];
                let message = format!(
                    "a period of `{}` begins or ends within a day: {} `{}`",
                    self.name,
                    self.raw.place(row as u32).in_column(name),
                    texts.value(row)
                );
                return Err(Mistake::of_plan(MistakeKind::WrongType, message).help(format!(
                    "periods are counted in days; write `{name}` without times, or with 00:00"
                )));
            }
        }
        Ok(())
    }

    /// Lets go of the texts of some columns, those of keys and periods apart.
    fn let_go_of_texts(
        &mut self,
        bound: &BoundLookup,
        which: impl Fn(usize, &LookupColumn) -> bool,
    ) {
        let period = match bound.valid {
            Some(Validity::Period(column)) => vec![column],
            Some(Validity::YearAnd(year, part)) => {
                [year].into_iter().chain(part.map(|(_, column)| column)).collect()
            }
            _ => Vec::new(),
        };
        for (number, held) in self.columns.iter_mut().enumerate() {
            let needed = bound.column_use.keys().contains(&number) || period.contains(&number);
            if !needed && which(number, held) {
                held.as_written = false;
                self.raw.columns[number] = StringViewArray::new_null(0);
            }
        }
    }

    /// The text of a cell of a column whose texts are held; otherwise none.
    fn held_text(&self, column: usize, row: u32) -> Option<Cow<'_, str>> {
        let (texts, row) = (&self.raw.columns[column], row as usize);
        match self.shaped.get(&column) {
            _ if row < texts.len() => Some(texts.value(row).into()),
            Some(shaped) => shaped.text(row).map(Cow::Owned),
            None => None,
        }
    }

    /// Notes what is odd of the days of a row, and in which form its period is.
    fn note_days(&mut self, bound: &BoundLookup, row: u32, days: [Day; 2]) {
        let odd = days.into_iter().find(|day| ![ALWAYS, FOREVER].contains(day) && day.is_odd());
        if let Some(day) = odd {
            self.odd_days.push((self.raw.place(row), day));
        }
        if let Some(Validity::Period(column)) = bound.valid
            && let Some(period) = Period::read(self.raw.columns[column].value(row as usize))
        {
            let place = self.raw.place(row);
            self.periods.entry(period.unit).or_insert((0, place)).0 += 1;
        }
    }

    /// The rows that have a key, and days on which they hold where the lookup has periods; the others are left out.
    fn holding(&mut self, bound: &BoundLookup) -> HeldRows {
        let (holding, out) = match bound.valid {
            None => {
                let (rows, out) = self.rows_with_keys(bound, 0, |_, row| Ok(row));
                (HeldRows::Always(rows), out)
            }
            Some(valid) => {
                let free = Holds { from: ALWAYS, until: FOREVER, row: 0 };
                let of = |lookup: &Lookup, row| {
                    let (from, until) = lookup.period(valid, row)?;
                    Ok(Holds { from, until, row })
                };
                let (rows, out) = self.rows_with_keys(bound, free, of);
                (HeldRows::Dated(rows), out)
            }
        };
        for (row, why) in out {
            let place = self.raw.place(row);
            self.left_out.entry(why).or_default().push(place);
        }
        holding
    }

    /// What `of` says of the rows that have a key, and the rows that are left out, with the reason. Many rows are gone
    /// through side by side.
    fn rows_with_keys<H: HeldRow>(
        &self,
        bound: &BoundLookup,
        free: H,
        of: impl Fn(&Lookup, u32) -> Result<H, LeftOut> + Sync,
    ) -> (Vec<H>, Vec<(u32, LeftOut)>) {
        let rows = self.rows as usize;
        let mut holding = vec![free; rows];
        let range = rows.div_ceil(RANGES).max(FEW);
        let of_range = |number: usize, own: &mut [H]| {
            let mut out = Vec::new();
            for (at, holds) in own.iter_mut().enumerate() {
                let row = (number * range + at) as u32;
                let text = |column: &usize| self.raw.columns[*column].value(row as usize);
                let blank = bound.key.iter().any(|column| is_blank_text(text(column)));
                match if blank { Err(LeftOut::BlankKey) } else { of(self, row) } {
                    Ok(held) => *holds = held,
                    Err(why) => out.push((row, why)),
                }
            }
            out
        };
        let ranges = holding.par_chunks_mut(range).enumerate();
        let out: Vec<_> = ranges.map(|(number, own)| of_range(number, own)).collect();
        let out = out.concat();
        let (mut gone, mut row) = (out.iter().map(|(row, _)| *row).peekable(), 0..);
        if gone.peek().is_some() {
            holding.retain(|_| row.next().is_some_and(|row| gone.next_if_eq(&row).is_none()));
        }
        (holding, out)
    }

    /// The days on which a row holds.
    fn period(&self, valid: Validity, row: u32) -> Result<(Day, Day), LeftOut> {
        let text = |column: usize| self.held_text(column, row).unwrap_or_default();
        let day = |column: usize, open: Day| match &self.columns[column].column {
            Some(Column::Date(days)) if is_known(days.known.as_ref(), row as usize) => {
                Ok(Day(days.days[row as usize]))
            }
            _ if text(column).trim().is_empty() => Ok(open),
            _ => Err(LeftOut::UnreadablePeriod),
        };
        let (from, until) = match valid {
            Validity::Days { from, until, ends } => {
                let last = day(until, FOREVER)?;
                let closed = ends == Ends::Excluded && last != FOREVER;
                (day(from, ALWAYS)?, Day(last.0.saturating_sub(i32::from(closed))))
            }
            Validity::UntilNext { from, .. } => (day(from, ALWAYS)?, FOREVER),
            Validity::Period(column) => {
                let period = Period::read(text(column).trim()).ok_or(LeftOut::UnreadablePeriod)?;
                period.days().ok_or(LeftOut::UnreadablePeriod)?
            }
            Validity::YearAnd(year, part) => {
                let part = part.map(|(unit, column)| (unit, text(column)));
                let part = part.as_ref().map(|(unit, text)| (*unit, text.trim()));
                let period = Period::of_year(text(year).trim(), part);
                let period = period.ok_or(LeftOut::UnreadablePeriod)?;
                period.days().ok_or(LeftOut::UnreadablePeriod)?
            }
        };
        if until < from { Err(LeftOut::PeriodReversed) } else { Ok((from, until)) }
    }

    /// Where a row stands.
    pub fn place(&self, row: u32) -> Place {
        self.raw.place(row)
    }

    /// What was noted of cells: what it is, and the cell in words.
    pub fn noted(&self) -> &[(Noted, String)] {
        &self.raw.noted
    }

    /// Rows that look like totals and are not proved to be any, with what they hold.
    pub fn suspects(&self) -> &[(Place, String)] {
        &self.raw.suspects
    }

    /// What became of the rows of its files, and how many files there are.
    pub fn read(&self) -> (&RowCounts, usize) {
        (&self.raw.counts, self.raw.parts.len())
    }

    /// What a row says in a column, as it is written to an output.
    pub fn text(&self, column: usize, row: u32) -> String {
        let held = &self.columns[column];
        if held.as_written
            && let Some(text) = self.held_text(column, row)
        {
            return text.into_owned();
        }
        held.column.as_ref().map_or(String::new(), |column| column.value(row as usize).to_string())
    }

    /// The texts of a column as keys, whatever type its values have, those of rows that were added
    /// included.
    pub(crate) fn key_texts(&self, column: usize) -> StringViewArray {
        let texts = &self.raw.columns[column];
        if self.added == 0 {
            return texts.clone();
        }
        let added = (self.rows as usize..self.all_rows()).map(|row| {
            let held = self.columns[column].column.as_ref();
            held.map_or(String::new(), |column| column.value(row).to_string())
        });
        let mut all = TextBuilder::default();
        all.push(texts);
        all.push(&StringViewArray::from_iter_values(added));
        all.finish()
    }

    /// The columns in use of which one, beside those of a key that rows share, tells all of these apart.
    pub fn telling_apart(&self, key: &[String]) -> Vec<&str> {
        let shared = || self.duplicates.iter().filter(|d| d.held.is_none() && d.columns == key);
        let candidates = self.columns.iter().enumerate().filter(|(_, column)| {
            // Amounts differ by chance.
            let codes = match &column.column {
                Some(Column::Number(numbers)) => numbers.places() == 0,
                column => column.is_some(),
            };
            codes && shared().all(|d| d.differing.contains(&column.name))
        });
        let apart = |number: usize| {
            shared().all(|duplicate| {
                let rows = duplicate.rows.iter().map(|row| self.text(number, *row));
                let texts: BTreeSet<String> = rows.collect();
                texts.len() == duplicate.rows.len() && !texts.contains("")
            })
        };
        let found = candidates.filter(|(number, _)| apart(*number));
        found.map(|(_, column)| column.name.as_str()).collect()
    }

    /// Whether no two rows share their values in some columns that hold keys.
    pub fn is_unique(&self, columns: &[usize]) -> bool {
        let texts: Vec<StringViewArray> =
            columns.iter().map(|column| self.raw.columns[*column].clone()).collect();
        let keys = join_columns(&texts);
        let mut known = KeyTable::with_capacity(keys.len());
        let filled = keys.iter().flatten().filter(|key| !key.trim().is_empty());
        filled.into_iter().all(|key| known.insert(&same_key(key), 0).is_none())
    }

    /// The values of the key of which no row is among these that are used, with the first of their rows.
    pub fn unused_keys(&self, used: &[bool]) -> Vec<(String, Place)> {
        let Some(keys) = self.keys.first() else { return Vec::new() };
        let is_used = |key: &u32| keys.rows(*key).any(|row| used[row as usize]);
        let named = |key: u32| {
            (shown(&keys.value(key)).trim().to_owned(), self.raw.place(keys.first_row(key)))
        };
        keys.numbers().filter(|key| !is_used(key)).map(named).collect()
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
