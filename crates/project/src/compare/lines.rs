//! The lines of two records, those that are the same line side by side.

use std::collections::BTreeMap;
use std::fs::File;
use std::hash::BuildHasher;
use std::io::{BufWriter, Write};
use std::path::Path;

use foldhash::quality::FixedState;
use tempfile::TempDir;

use super::state::RecordedFact;
use crate::error::Error;
use crate::runs::{RecordError, read_rows, shown as shown_folder};

/// How many lines of both records are held at once.
const AT_ONCE: u64 = 1_000_000;

/// Between the values of a key.
const BETWEEN: char = '\u{1f}';

/// A line of a record, as texts: its own columns, then the rows of its links.
pub(super) type Row = Box<[Box<str>]>;

/// What two records have of a key.
pub(super) enum Pair {
    /// The line is in both.
    Both(Row, Row),
    /// It is in the first only.
    Gone(Row),
    /// It is in the second only.
    New(Row),
}

/// Hands over the lines of two records of a fact, pair by pair.
///
/// Lines are known again by their key; where that is not unique, or where there is none, by all that the record has of them.
/// Records of many lines are divided on the disk, so that memory does not grow with them.
pub(super) fn each_pair(
    (a, b): (&RecordedFact, &RecordedFact),
    mut each: impl FnMut(Pair) -> Result<(), Error>,
) -> Result<(), Error> {
    let parts = (a.lines() + b.lines()).div_ceil(AT_ONCE).max(1);
    let by_key = a.is_unique() && b.is_unique() && a.key() == b.key() && !b.key().is_empty();
    let shared = || {
        b.columns().filter(|name| a.columns().any(|own| own == *name)).map(str::to_owned).collect()
    };
    let known_by: Vec<String> = if by_key { b.key().to_vec() } else { shared() };
    let known_by = known_by.as_slice();
    if parts == 1 {
        let (mut of_a, mut of_b) = (Vec::new(), Vec::new());
        a.each_row(|row| of_a.push(row))?;
        b.each_row(|row| of_b.push(row))?;
        return pairs((a, of_a), (b, of_b), known_by, &mut each);
    }
    let folder = TempDir::new().map_err(|error| Error::output(&std::env::temp_dir(), &error))?;
    let a_parts = divided(a, folder.path(), "a", parts, known_by)?;
    let b_parts = divided(b, folder.path(), "b", parts, known_by)?;
    for (of_a, of_b) in a_parts.iter().zip(&b_parts) {
        pairs((a, rows_of(of_a)?), (b, rows_of(of_b)?), known_by, &mut each)?;
    }
    Ok(())
}

/// What a line is known by: its values in these columns.
fn values_in(columns: &[usize], row: &Row) -> String {
    let mut values = String::new();
    for column in columns {
        values.push_str(&row[*column]);
        values.push(BETWEEN);
    }
    values
}

fn pairs(
    (a, of_a): (&RecordedFact, Vec<Row>),
    (b, of_b): (&RecordedFact, Vec<Row>),
    known_by: &[String],
    each: &mut impl FnMut(Pair) -> Result<(), Error>,
) -> Result<(), Error> {
    let (in_a, in_b) = (a.columns_called(known_by), b.columns_called(known_by));
    let mut open: BTreeMap<String, Vec<Row>> = BTreeMap::new();
    for row in of_a.into_iter().rev() {
        open.entry(values_in(&in_a, &row)).or_default().push(row);
    }
    for row in of_b {
        let known = open.get_mut(&values_in(&in_b, &row)).and_then(Vec::pop);
        each(match known {
            Some(before) => Pair::Both(before, row),
            None => Pair::New(row),
        })?;
    }
    for row in open.into_values().flatten() {
        each(Pair::Gone(row))?;
    }
    Ok(())
}

/// Divides the lines of a record by what they are known by, into files of a folder.
fn divided(
    fact: &RecordedFact,
    folder: &Path,
    name: &str,
    parts: u64,
    known_by: &[String],
) -> Result<Vec<std::path::PathBuf>, Error> {
    let paths: Vec<_> = (0..parts).map(|part| folder.join(format!("{name}-{part}"))).collect();
    let mut files = Vec::new();
    for path in &paths {
        let file = File::create(path).map_err(|error| Error::output(path, &error))?;
        files.push(BufWriter::new(file));
    }
    let hasher = FixedState::with_seed(0x636f_6d70);
    let columns = fact.columns_called(known_by);
    let mut failed = None;
    fact.each_row(|row| {
        let part = (hasher.hash_one(values_in(&columns, &row)) % parts) as usize;
        let line = row.iter().fold(Vec::new(), |mut line, cell| {
            line.extend_from_slice(&(cell.len() as u32).to_le_bytes());
            line.extend_from_slice(cell.as_bytes());
            line
        });
        let head = (row.len() as u32).to_le_bytes();
        let written = files[part].write_all(&head).and_then(|()| files[part].write_all(&line));
        if let Err(error) = written {
            failed.get_or_insert(Error::output(&paths[part], &error));
        }
    })?;
    for (file, path) in files.iter_mut().zip(&paths) {
        file.flush().map_err(|error| Error::output(path, &error))?;
    }
    failed.map_or(Ok(paths), Err)
}

/// The rows of such a file.
fn rows_of(path: &Path) -> Result<Vec<Row>, Error> {
    let bytes = std::fs::read(path).map_err(|error| Error::output(path, &error))?;
    let mut rest = bytes.as_slice();
    let number = |rest: &mut &[u8]| {
        let (head, behind) = rest.split_first_chunk::<4>()?;
        *rest = behind;
        Some(u32::from_le_bytes(*head) as usize)
    };
    let mut rows = Vec::new();
    while let Some(cells) = number(&mut rest) {
        let mut row: Vec<Box<str>> = Vec::with_capacity(cells);
        for _ in 0..cells {
            let length = number(&mut rest).unwrap_or(0);
            let (cell, behind) = rest.split_at(length.min(rest.len()));
            rest = behind;
            row.push(String::from_utf8_lossy(cell).into());
        }
        rows.push(row.into_boxed_slice());
    }
    Ok(rows)
}

impl RecordedFact {
    fn damaged(&self, why: &str) -> RecordError {
        let why = format!("{}: {why}", self.file());
        RecordError::Damaged { folder: shown_folder(self.folder()), why }
    }

    /// Hands over the lines of the record, one after the other.
    fn each_row(&self, mut each: impl FnMut(Row)) -> Result<(), Error> {
        let width = self.columns().count() + self.links().len();
        let rows = read_rows(self.folder(), self.file(), |row| {
            if row.len() != width {
                return Err(self.damaged(&format!("{} columns are there of {width}", row.len())));
            }
            each(row.iter().map(Box::from).collect());
            Ok(())
        })?;
        if rows == self.lines() {
            return Ok(());
        }
        Err(self.damaged(&format!("{rows} lines are there of {}", self.lines())).into())
    }
}
