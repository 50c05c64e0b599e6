//! Rows that were written beside rows that are there: those of one key, in whatever order they are.

use std::hash::{BuildHasher, Hash, Hasher};

use foldhash::quality::FixedState;

use super::cells::{GivesBack, plain};
use super::read_back::{Row, RowSpot, Table};
use super::{OutputDifference, RowDifference, VerifiedOutput};
use crate::error::Error;
use crate::runs::{CopiedOutput, Row as HeldRow, Waiting};

/// How many cells say which row it is, where it has no key.
const SAID: usize = 3;

/// What rows of an output come to.
pub(super) struct Pairing<'a> {
    own: &'a CopiedOutput,
    form: GivesBack,
    there: &'a Table,
    most: usize,
    /// The names of the columns that both have, with their places in the copy and in the output.
    columns: Vec<(&'a str, usize, usize)>,
    /// Places among these of the columns by which rows are known; all where it has no key.
    key: Vec<usize>,
    found: VerifiedOutput,
    /// Rows that wait for their like, by what they are known by; the first one last.
    written: Waiting<Held>,
    met: Waiting<Held>,
}

/// A row that waits: its cells, and where it is.
struct Held {
    cells: HeldRow,
    spot: RowSpot,
}

impl<'a> Pairing<'a> {
    pub(super) fn new(
        own: &'a CopiedOutput,
        (copy, there): (&'a Table, &'a Table),
        most: usize,
        mut found: VerifiedOutput,
    ) -> Pairing<'a> {
        let place = |name: &String| there.columns().iter().position(|other| other == name);
        let mut columns = Vec::new();
        for (at, name) in copy.columns().iter().enumerate() {
            match place(name) {
                Some(other) => columns.push((name.as_str(), at, other)),
                None => found.lost_columns.push(name.clone()),
            }
        }
        if !own.has_more_columns {
            let is_new = |name: &&String| !copy.columns().contains(name);
            found.new_columns = there.columns().iter().filter(is_new).cloned().collect();
        }
        let in_key = |name: &String| columns.iter().position(|(own, ..)| own == name);
        let key: Option<Vec<usize>> = own.key.iter().map(in_key).collect();
        let key = key.filter(|key| !key.is_empty()).unwrap_or_else(|| (0..columns.len()).collect());
        let (written, met) = (Waiting::default(), Waiting::default());
        Pairing { own, form: GivesBack::of(own), there, most, columns, key, found, written, met }
    }

    /// Rows that are there and have too few or too many cells.
    pub(super) fn malformed(&mut self, rows: u64) {
        if rows > 0 {
            self.found.malformed += rows;
        }
    }

    /// What is there cannot be read any further.
    pub(super) fn unreadable(&mut self, error: &Error) {
        self.found.unreadable = Some(error.to_string());
    }

    /// The next row that was written, and the next that is there.
    pub(super) fn take(&mut self, written: Option<Row<'_>>, there: Option<Row<'_>>) {
        self.found.rows += u64::from(written.is_some());
        // What would be missing behind a place that cannot be read is not known.
        if self.found.unreadable.is_some() && there.is_none() {
            return;
        }
        if let (Some(written), Some(there)) = (written, there)
            && self.is_same_row(written, there)
        {
            return;
        }
        if let Some(row) = written {
            let cells = self.cells(row, |(_, at, _)| *at);
            let number = self.number(&cells);
            let (key, form) = (&self.key, self.form);
            match self.met.take(number, |held| form.is_same_in(key, &cells, &held.cells)) {
                Some(met) => self.compare(&cells, &met.cells, met.spot),
                None => self.written.hold(number, Held { cells, spot: row.spot() }),
            }
        }
        if let Some(row) = there {
            let cells = self.cells(row, |(_, _, at)| *at);
            let number = self.number(&cells);
            let (key, form) = (&self.key, self.form);
            match self.written.take(number, |held| form.is_same_in(key, &held.cells, &cells)) {
                Some(held) => self.compare(&held.cells, &cells, row.spot()),
                None => self.met.hold(number, Held { cells, spot: row.spot() }),
            }
        }
    }

    /// The cells of a row in the columns that both have.
    fn cells(&self, row: Row<'_>, place: impl Fn(&(&'a str, usize, usize)) -> usize) -> HeldRow {
        let cells = self.columns.iter().map(|column| row.text(place(column)));
        HeldRow::of(self.columns.len(), cells)
    }

    fn is_same_row(&self, written: Row<'_>, there: Row<'_>) -> bool {
        let mut columns = self.columns.iter();
        columns.all(|(_, own, other)| self.form.is_same(written.text(*own), there.text(*other)))
    }

    /// A number that is the same for all rows that are known by the same.
    fn number(&self, cells: &HeldRow) -> u64 {
        let mut hasher = FixedState::with_seed(0x7665_7269).build_hasher();
        for at in &self.key {
            match self.form {
                GivesBack::Text => cells[*at].hash(&mut hasher),
                GivesBack::Exact | GivesBack::Binary => plain(&cells[*at]).hash(&mut hasher),
            }
        }
        hasher.finish()
    }

    /// Two rows of one key; the second is at a place.
    fn compare(&mut self, written: &HeldRow, there: &HeldRow, spot: RowSpot) {
        for at in 0..self.columns.len() {
            let (own, other) = (&written[at], &there[at]);
            if self.form.is_same(own, other) {
                continue;
            }
            self.found.cells += 1;
            let column = self.columns[at].0;
            let what = RowDifference::Cell {
                place: self.there.place(spot, Some(column)),
                column: column.to_owned(),
                written: own.to_owned(),
                there: other.to_owned(),
            };
            self.note(written, what);
        }
    }

    fn note(&mut self, cells: &HeldRow, what: RowDifference) {
        if self.found.differences.len() >= self.most {
            return;
        }
        let texts = self.key.iter().map(|at| &cells[*at]);
        // Without a key, a row is told by what it starts with: groups and names, before the first amount.
        let is_told = |(at, text): &(usize, &str)| {
            !self.own.key.is_empty() || *at == 0 || *at < SAID && !text.contains('.')
        };
        let told = texts.enumerate().take_while(is_told).map(|(_, text)| text);
        let row = told.collect::<Vec<_>>().join(",");
        self.found.differences.push(OutputDifference { row, what });
    }

    /// What it all comes to. Rows without a like are missing or foreign; where rows have no key and as many are the one as
    /// the other, they are the same rows with other cells.
    pub(super) fn end(mut self) -> VerifiedOutput {
        let written = self.written.take_all();
        let met = self.met.take_all();
        if self.own.key.is_empty() && written.len() == met.len() && self.found.unreadable.is_none()
        {
            for (written, met) in written.iter().zip(&met) {
                self.compare(&written.cells, &met.cells, met.spot);
            }
            return self.found;
        }
        let is_whole = self.found.unreadable.is_none();
        for row in written.iter().filter(|_| is_whole) {
            self.found.missing += 1;
            self.note(&row.cells, RowDifference::Missing);
        }
        // A table that runs add to has rows of others.
        for row in met.iter().filter(|_| !self.own.is_added_to) {
            self.found.foreign += 1;
            let place = self.there.place(row.spot, None);
            self.note(&row.cells, RowDifference::Foreign { place });
        }
        self.found
    }
}
