//! Links at work: from the keys of a batch of lines to a row number per line and link.
//!
//! A link from the fact looks its keys up; one from a lookup was resolved once per row of that lookup
//! before the first line, and costs a line no more than reading a number.

use arrow_array::{Array, StringViewArray};

use crate::bind::{BoundLookup, Route, RouteStart};
use crate::calendar::{Calendar, OnDay};
use crate::column::{Column, is_known};
use crate::date::Day;
use crate::keys::{Found, KeyForm, KeyIndex, ROW_LIMIT};
use crate::lookup::Lookup;
use crate::plan::{ColumnType, Missing};
use crate::reading::Reading;
use crate::style::Style;
use crate::value::Value;

/// How a line came out in a link.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum LinkStatus {
    /// Found by the key as it is written.
    Exact,
    /// Found by the key after cleaning.
    Cleaned,
    /// Not found; its attributes are those that the plan fills in.
    Filled,
    /// There is no row for the key.
    Unmatched,
    /// The key has rows, none of them for that day.
    Undated,
    /// Several different keys fit.
    Undecided,
    /// Several rows of the key hold on that day.
    Overlapping,
    /// There is no key.
    Blank,
}

impl LinkStatus {
    /// All of them, in the order in which they are shown.
    pub const ALL: [LinkStatus; 8] = [
        LinkStatus::Exact,
        LinkStatus::Cleaned,
        LinkStatus::Filled,
        LinkStatus::Unmatched,
        LinkStatus::Undated,
        LinkStatus::Undecided,
        LinkStatus::Overlapping,
        LinkStatus::Blank,
    ];

    /// The word for it.
    pub fn name(self) -> &'static str {
        match self {
            LinkStatus::Exact => "exact",
            LinkStatus::Cleaned => "cleaned",
            LinkStatus::Filled => "filled",
            LinkStatus::Unmatched => "unmatched",
            LinkStatus::Undated => "undated",
            LinkStatus::Undecided => "undecided",
            LinkStatus::Overlapping => "overlapping",
            LinkStatus::Blank => "blank",
        }
    }

    /// Whether a row was found.
    pub fn is_found(self) -> bool {
        matches!(self, LinkStatus::Exact | LinkStatus::Cleaned)
    }
}

/// How many lines came out how, by [`LinkStatus`] as a number.
pub type StatusCounts = [u64; LinkStatus::ALL.len()];

/// The row number that says "none, because of this".
fn no_row(status: LinkStatus) -> u32 {
    ROW_LIMIT + status as u32
}

/// Whether a row number is one.
#[inline]
pub(crate) fn is_row(row: u32) -> bool {
    row < ROW_LIMIT
}

/// A link, ready for lines.
pub(crate) struct Link {
    pub(crate) lookup: usize,
    pub(crate) missing: Missing,
    start: Start,
    /// The row with the attributes of `fill`.
    fill: Option<u32>,
}

#[expect(clippy::large_enum_variant, reason = "there is one of them per link of a plan")]
enum Start {
    Fact {
        column: usize,
        index: KeyIndex,
        dates: Option<(usize, Calendar)>,
    },
    /// Of each row of the parent's lookup, the row found and how.
    Chain {
        parent: usize,
        rows: Vec<(u32, LinkStatus)>,
    },
}

/// The rows of one link for a batch of lines.
#[derive(Debug, Default)]
pub(crate) struct LinkedRows {
    /// A row of the lookup per line, or why there is none.
    pub(crate) rows: Vec<u32>,
    /// Whether every line has a row.
    pub(crate) complete: bool,
    /// How many lines came out how.
    pub(crate) counts: StatusCounts,
    /// The lines without a row of their own, and why; also those that are filled.
    pub(crate) problems: Vec<(u32, LinkStatus)>,
}

/// What a link needs of the plan and the tables.
pub(crate) struct LinkParts<'a> {
    pub(crate) route: &'a Route,
    pub(crate) bound: &'a BoundLookup,
    /// The number, among the columns that are read, of a fact's column as a key.
    pub(crate) key_read: &'a dyn Fn(usize) -> usize,
    /// The same as a day.
    pub(crate) day_read: &'a dyn Fn(usize) -> usize,
}

impl Link {
    /// Prepares a link; `links` are those before it. A row for `fill` is added to the lookup.
    pub(crate) fn new(parts: &LinkParts<'_>, lookups: &mut [Lookup], links: &[Link]) -> Link {
        let route = parts.route;
        let fill = (route.missing == Missing::Fill).then(|| {
            let lookup = &mut lookups[route.lookup];
            let values: Vec<_> = route
                .fill
                .iter()
                .map(|(column, text)| (*column, fill_value(lookup, *column, text)))
                .collect();
            lookup.add_row(&values)
        });
        let lookup = &lookups[route.lookup];
        let form = KeyForm::ignoring(&route.ignore);
        let dated = parts.bound.valid.is_some();
        // Of a dated lookup the index gives the number of the key, of any other the row itself.
        let row = |(number, key): (usize, &crate::lookup::KeyRows)| {
            if dated { number as u32 } else { key.holds[0].row }
        };
        let keys: Vec<(&str, u32)> =
            lookup.keys.iter().enumerate().map(|(n, k)| (k.key.as_str(), row((n, k)))).collect();
        let index = KeyIndex::new(keys.into_iter(), form);
        let start = match route.start {
            RouteStart::Fact(column) => {
                let dates = route.as_of.map(|date| {
                    let calendar = Calendar::new(lookup.keys.iter().map(|k| k.holds.clone()));
                    ((parts.day_read)(date), calendar)
                });
                Start::Fact { column: (parts.key_read)(column), index, dates }
            }
            RouteStart::Route(parent, column) => {
                let from = &lookups[links[parent].lookup];
                let rows = chain_rows(from, column, &index);
                Start::Chain { parent, rows }
            }
        };
        Link { lookup: route.lookup, missing: route.missing, start, fill }
    }

    /// The link that this one hangs on.
    pub(crate) fn parent(&self) -> Option<usize> {
        match self.start {
            Start::Chain { parent, .. } => Some(parent),
            Start::Fact { .. } => None,
        }
    }

    /// The column of the fact with the keys, among those that are read.
    pub(crate) fn key_column(&self) -> Option<usize> {
        match self.start {
            Start::Fact { column, .. } => Some(column),
            Start::Chain { .. } => None,
        }
    }

    /// The rows of a batch. `linked` are the rows of the links before this one.
    pub(crate) fn resolve(&self, columns: &[Column], linked: &[Option<LinkedRows>]) -> LinkedRows {
        let mut found = match &self.start {
            Start::Fact { column, index, dates } => {
                let Column::Text(keys) = &columns[*column] else {
                    unreachable!("key columns are read as text")
                };
                let dates = dates.as_ref().map(|(date, calendar)| (&columns[*date], calendar));
                self.find(keys, index, dates)
            }
            Start::Chain { parent, rows } => {
                let parent = linked[*parent].as_ref().expect("a link comes after its parent");
                self.follow(&parent.rows, rows)
            }
        };
        found.complete = found.rows.iter().all(|row| is_row(*row));
        found
    }

    fn find(
        &self,
        keys: &StringViewArray,
        index: &KeyIndex,
        dates: Option<(&Column, &Calendar)>,
    ) -> LinkedRows {
        let mut found = LinkedRows::default();
        let mut cleaned = Vec::new();
        let problems = &mut found.problems;
        index.find_all(keys, &mut found.rows, |line, outcome| {
            let status = match outcome {
                Found::Exact(row) => return row,
                Found::Cleaned(row) => {
                    cleaned.push(line);
                    return row;
                }
                Found::Undecided => LinkStatus::Undecided,
                Found::Nothing if keys.value(line).trim().is_empty() => LinkStatus::Blank,
                Found::Nothing => LinkStatus::Unmatched,
            };
            problems.push((line as u32, status));
            no_row(status)
        });
        if let Some((dates, calendar)) = dates {
            let Column::Date(dates) = dates else {
                unreachable!("dates of links are read as dates")
            };
            for (line, row) in found.rows.iter_mut().enumerate() {
                if !is_row(*row) {
                    continue;
                }
                let on = if is_known(dates.known.as_ref(), line) {
                    calendar.on(*row, Day(dates.days[line]))
                } else {
                    OnDay::Nothing
                };
                let status = match on {
                    OnDay::Row(held) => {
                        *row = held;
                        continue;
                    }
                    OnDay::Nothing => LinkStatus::Undated,
                    OnDay::Several(..) => LinkStatus::Overlapping,
                };
                found.problems.push((line as u32, status));
                *row = no_row(status);
            }
        }
        found.problems.sort_unstable();
        cleaned.retain(|line| is_row(found.rows[*line]));
        for (line, status) in &found.problems {
            found.counts[self.settled(*status) as usize] += 1;
            if let Some(fill) = self.fill_for(*status) {
                found.rows[*line as usize] = fill;
            }
        }
        found.counts[LinkStatus::Cleaned as usize] = cleaned.len() as u64;
        let without_exact: u64 = found.counts.iter().sum();
        found.counts[LinkStatus::Exact as usize] = keys.len() as u64 - without_exact;
        found
    }

    fn follow(&self, parents: &[u32], rows: &[(u32, LinkStatus)]) -> LinkedRows {
        let mut found =
            LinkedRows { rows: Vec::with_capacity(parents.len()), ..LinkedRows::default() };
        for (line, &parent) in parents.iter().enumerate() {
            let (row, status) = rows
                .get(parent as usize)
                .copied()
                .unwrap_or((no_row(LinkStatus::Blank), LinkStatus::Blank));
            if status.is_found() {
                found.rows.push(row);
                found.counts[status as usize] += 1;
            } else {
                found.rows.push(self.fill_for(status).unwrap_or(row));
                found.counts[self.settled(status) as usize] += 1;
                found.problems.push((line as u32, status));
            }
        }
        found
    }

    /// On a chain, the row that a row of the parent leads to.
    pub(crate) fn step(&self, parent: Option<u32>) -> Option<u32> {
        let Start::Chain { rows, .. } = &self.start else { return parent };
        let nothing = (0, LinkStatus::Blank);
        let (row, status) =
            parent.and_then(|row| rows.get(row as usize).copied()).unwrap_or(nothing);
        if status.is_found() { Some(row) } else { self.fill_for(status) }
    }

    /// The row of `fill`, if it reaches lines that came out so.
    fn fill_for(&self, status: LinkStatus) -> Option<u32> {
        self.fill.filter(|_| is_missing(status))
    }

    fn settled(&self, status: LinkStatus) -> LinkStatus {
        if self.fill_for(status).is_some() { LinkStatus::Filled } else { status }
    }
}

/// Whether the rule for missing rows reaches a line that came out so.
pub(crate) fn is_missing(status: LinkStatus) -> bool {
    matches!(status, LinkStatus::Unmatched | LinkStatus::Blank)
}

/// The rows that the rows of a lookup lead to, those that were added included.
fn chain_rows(from: &Lookup, column: usize, index: &KeyIndex) -> Vec<(u32, LinkStatus)> {
    (0..from.all_rows() as u32)
        .map(|row| {
            let key = from.key_text(column, row);
            match index.find(&key) {
                Found::Exact(row) => (row, LinkStatus::Exact),
                Found::Cleaned(row) => (row, LinkStatus::Cleaned),
                Found::Undecided => (no_row(LinkStatus::Undecided), LinkStatus::Undecided),
                Found::Nothing if key.trim().is_empty() => {
                    (no_row(LinkStatus::Blank), LinkStatus::Blank)
                }
                Found::Nothing => (no_row(LinkStatus::Unmatched), LinkStatus::Unmatched),
            }
        })
        .collect()
}

/// A text of `fill` as a value of its column.
fn fill_value(lookup: &Lookup, column: usize, text: &str) -> Value<'static> {
    let column_type = match &lookup.columns[column].column {
        Some(Column::Number(_)) => ColumnType::Number,
        Some(Column::Date(_)) => ColumnType::Date,
        Some(Column::YesNo(_)) => ColumnType::YesNo,
        _ => return Value::Text(text.to_owned().into()),
    };
    let reading = Reading::of(column_type);
    let read = reading.read(&StringViewArray::from(vec![text]), &Style::default());
    read.column.value(0).into_owned()
}
