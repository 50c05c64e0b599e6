//! The lines of two records, those that are the same line side by side.

use std::collections::HashMap;
use std::fs::File;
use std::hash::BuildHasher;
use std::io::{BufRead, BufReader, BufWriter, Read, Write};
use std::path::Path;

use foldhash::quality::FixedState;
use tempfile::TempDir;

use super::record::{RecordError, read_rows, shown};
use super::recorded_fact::RecordedFact;
use crate::error::Error;

/// How many lines of both records are in a part; those of one record are held at once.
const AT_ONCE: u64 = 400_000;

/// Between the values of a key.
const BETWEEN: char = '\u{1f}';

/// A line of a record, as texts: its own columns, then the rows of its links.
pub(crate) type Row = csv::StringRecord;

/// What two records have of a key.
pub(crate) enum Pair {
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
pub(crate) fn each_pair(
    (a, b): (&RecordedFact, &RecordedFact),
    each: impl FnMut(Pair) -> Result<(), Error>,
) -> Result<(), Error> {
    let parts = (a.lines() + b.lines()).div_ceil(AT_ONCE).max(1);
    each_pair_in(parts, (a, b), each)
}

/// The same, in this number of parts.
fn each_pair_in(
    parts: u64,
    (a, b): (&RecordedFact, &RecordedFact),
    mut each: impl FnMut(Pair) -> Result<(), Error>,
) -> Result<(), Error> {
    let by_key = a.is_unique() && b.is_unique() && a.key() == b.key() && !b.key().is_empty();
    let shared = || {
        b.columns().filter(|name| a.columns().any(|own| own == *name)).map(str::to_owned).collect()
    };
    let known_by: Vec<String> = if by_key { b.key().to_vec() } else { shared() };
    let known_by = known_by.as_slice();
    if parts == 1 {
        let mut of_a = Vec::new();
        a.each_row(|row| {
            of_a.push(row.clone());
            Ok(())
        })?;
        let mut pairs = Pairs::new((a, of_a), b, known_by, &mut each);
        b.each_row(|row| pairs.take(row))?;
        return pairs.end();
    }
    let folder = TempDir::new().map_err(|error| Error::output(&std::env::temp_dir(), &error))?;
    let a_parts = divided(a, folder.path(), "a", parts, known_by)?;
    let b_parts = divided(b, folder.path(), "b", parts, known_by)?;
    for (of_a, of_b) in a_parts.iter().zip(&b_parts) {
        let mut held = Vec::new();
        each_row_of(of_a, |row| {
            held.push(row.clone());
            Ok(())
        })?;
        let mut pairs = Pairs::new((a, held), b, known_by, &mut each);
        each_row_of(of_b, |row| pairs.take(row))?;
        pairs.end()?;
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

/// The lines of the first record, held until those of the second have come.
struct Pairs<'p, E> {
    /// By what they are known by, the last one first.
    open: HashMap<String, Vec<Row>>,
    in_b: Vec<usize>,
    each: &'p mut E,
}

impl<'p, E: FnMut(Pair) -> Result<(), Error>> Pairs<'p, E> {
    fn new(
        (a, of_a): (&RecordedFact, Vec<Row>),
        b: &RecordedFact,
        known_by: &[String],
        each: &'p mut E,
    ) -> Pairs<'p, E> {
        let in_a = a.columns_called(known_by);
        let mut open: HashMap<String, Vec<Row>> = HashMap::with_capacity(of_a.len());
        for row in of_a.into_iter().rev() {
            open.entry(values_in(&in_a, &row)).or_default().push(row);
        }
        Pairs { open, in_b: b.columns_called(known_by), each }
    }

    fn take(&mut self, row: &Row) -> Result<(), Error> {
        let known = self.open.get_mut(&values_in(&self.in_b, row)).and_then(Vec::pop);
        (self.each)(match known {
            Some(before) => Pair::Both(before, row.clone()),
            None => Pair::New(row.clone()),
        })
    }

    /// Those of the first that did not come again, by what they are known by.
    fn end(self) -> Result<(), Error> {
        let mut gone: Vec<(String, Vec<Row>)> = self.open.into_iter().collect();
        gone.sort_unstable_by(|one, other| one.0.cmp(&other.0));
        let mut rows = gone.into_iter().flat_map(|(_, rows)| rows);
        rows.try_for_each(|row| (self.each)(Pair::Gone(row)))
    }
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
    fact.each_row(|row| {
        let part = (hasher.hash_one(values_in(&columns, row)) % parts) as usize;
        let line = row.iter().fold(Vec::new(), |mut line, cell| {
            line.extend_from_slice(&(cell.len() as u32).to_le_bytes());
            line.extend_from_slice(cell.as_bytes());
            line
        });
        let head = (row.len() as u32).to_le_bytes();
        let written = files[part].write_all(&head).and_then(|()| files[part].write_all(&line));
        written.map_err(|error| Error::output(&paths[part], &error))
    })?;
    for (file, path) in files.iter_mut().zip(&paths) {
        file.flush().map_err(|error| Error::output(path, &error))?;
    }
    Ok(paths)
}

/// Hands over the rows of such a file.
fn each_row_of(path: &Path, mut each: impl FnMut(&Row) -> Result<(), Error>) -> Result<(), Error> {
    let failed = |error: std::io::Error| Error::output(path, &error);
    let mut file = BufReader::new(File::open(path).map_err(failed)?);
    let (mut row, mut cell, mut head) = (Row::new(), Vec::new(), [0; 4]);
    while !file.fill_buf().map_err(failed)?.is_empty() {
        row.clear();
        file.read_exact(&mut head).map_err(failed)?;
        for _ in 0..u32::from_le_bytes(head) {
            file.read_exact(&mut head).map_err(failed)?;
            cell.resize(u32::from_le_bytes(head) as usize, 0);
            file.read_exact(&mut cell).map_err(failed)?;
            row.push_field(&String::from_utf8_lossy(&cell));
        }
        each(&row)?;
    }
    Ok(())
}

impl RecordedFact {
    fn damaged(&self, why: &str) -> RecordError {
        let why = format!("{}: {why}", self.file());
        RecordError::Damaged { folder: shown(self.folder()), why }
    }

    /// Hands over the lines of the record, one after the other.
    pub(crate) fn each_row(
        &self,
        mut each: impl FnMut(&Row) -> Result<(), Error>,
    ) -> Result<(), Error> {
        let width = self.width();
        let rows = read_rows(self.folder(), self.file(), |row| {
            if row.len() != width {
                let why = format!("{} columns are there of {width}", row.len());
                return Err(self.damaged(&why).into());
            }
            each(row)
        })?;
        if rows == self.lines() {
            return Ok(());
        }
        Err(self.damaged(&format!("{rows} lines are there of {}", self.lines())).into())
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::super::record::FactRecord;
    use super::*;

    /// A record of a fact with a key and a text.
    fn recorded(folder: &Path, lines: &[(u8, String)], is_unique: bool) -> RecordedFact {
        let mut text = csv::Writer::from_writer(Vec::new());
        text.write_record(["no", "text"]).unwrap();
        for (no, own) in lines {
            text.write_record([&no.to_string(), own]).unwrap();
        }
        let text = zstd::encode_all(text.into_inner().unwrap().as_slice(), 1).unwrap();
        std::fs::create_dir_all(folder).unwrap();
        std::fs::write(folder.join("fact.csv.zst"), text).unwrap();
        let column = |name: &str| (name.to_owned(), "text".to_owned());
        let record = FactRecord {
            name: "sales".to_owned(),
            file: "fact.csv.zst".to_owned(),
            lines: lines.len() as u64,
            key: vec!["no".to_owned()],
            is_unique,
            columns: vec![column("no"), column("text")],
            links: Vec::new(),
            lookups: Vec::new(),
            figures: Vec::new(),
            attributes: Vec::new(),
            totals: Vec::new(),
        };
        RecordedFact::read(folder, &record).unwrap()
    }

    /// Lines that are in both, gone, and new, as texts in an order of their own.
    fn paired(parts: u64, a: &RecordedFact, b: &RecordedFact) -> Vec<String> {
        let shown = |row: &Row| row.iter().collect::<Vec<_>>().join("\u{1f}");
        let mut all = Vec::new();
        each_pair_in(parts, (a, b), |pair| {
            all.push(match pair {
                Pair::Both(before, now) => format!("{} -> {}", shown(&before), shown(&now)),
                Pair::Gone(row) => format!("gone {}", shown(&row)),
                Pair::New(row) => format!("new {}", shown(&row)),
            });
            Ok(())
        })
        .unwrap();
        all.sort();
        all
    }

    fn lines() -> impl Strategy<Value = Vec<(u8, String)>> {
        prop::collection::vec((0u8..12, "[a\", \né]{0,3}"), 0..12)
    }

    proptest! {
        /// Lines divided on the disk meet as they do in memory, whatever is in their texts and whether they share keys.
        #[test]
        fn divided_lines_meet_the_same(a in lines(), b in lines(), parts in 2u64..6) {
            let is_unique = [&a, &b].iter().all(|lines| {
                let mut keys: Vec<u8> = lines.iter().map(|line| line.0).collect();
                keys.sort_unstable();
                keys.windows(2).all(|pair| pair[0] != pair[1])
            });
            let folder = TempDir::new().unwrap();
            let of_a = recorded(&folder.path().join("a"), &a, is_unique);
            let of_b = recorded(&folder.path().join("b"), &b, is_unique);
            let whole = paired(1, &of_a, &of_b);
            prop_assert_eq!(&paired(parts, &of_a, &of_b), &whole);
            // Each line is in one pair, once.
            let both = whole.iter().filter(|pair| pair.contains(" -> ")).count();
            let (gone, new) = (
                whole.iter().filter(|pair| pair.starts_with("gone ")).count(),
                whole.iter().filter(|pair| pair.starts_with("new ")).count(),
            );
            prop_assert_eq!((both + gone, both + new), (a.len(), b.len()));
        }
    }
}
