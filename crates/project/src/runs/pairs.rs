//! The lines of two records, those that are the same line side by side.
//!
//! Both are read from their beginnings, a row of each at a time: mostly these are the same line. A line whose like has not
//! come yet waits for it. Where too many wait, what is left of both is divided on the disk, by what lines are known by, and
//! taken part by part; so memory does not grow with the records.

use std::fs::File;
use std::hash::{BuildHasher, Hash, Hasher};
use std::io::{BufRead, BufReader, BufWriter, Write};
use std::path::{Path, PathBuf};
use std::sync::mpsc::{Receiver, SyncSender, sync_channel};

use foldhash::quality::FixedState;
use tempfile::TempDir;

use super::record::{RecordError, read_rows, shown};
use super::recorded_fact::RecordedFact;
use super::rows::{Row, RowBlock};
use super::waiting::Waiting;
use crate::error::Error;

/// How many lines of both records wait at most; and, where records are divided, how many are in a part.
const AT_ONCE: usize = 400_000;

/// How many rows are handed on at a time.
const BATCH: usize = 4_096;

/// How many batches are read ahead.
const AHEAD: usize = 3;

/// What two records have of a key.
pub(crate) enum Pair {
    /// The line is in both.
    Both(Row, Row),
    /// It is in the first only.
    Gone(Row),
    /// It is in the second only.
    New(Row),
}

/// Hands over the lines of two records of a fact, pair by pair, to whoever takes them; both records are read in threads
/// meanwhile.
///
/// Lines are known again by their key; where that is not unique, or where there is none, by all that the record has of them.
pub(crate) fn with_pairs<T>(
    facts: (&RecordedFact, &RecordedFact),
    take: impl FnOnce(&mut Pairs<'_>) -> Result<T, Error>,
) -> Result<T, Error> {
    with_pairs_in(AT_ONCE, facts, take)
}

/// The same, where `at_once` lines are held at most.
fn with_pairs_in<T>(
    at_once: usize,
    (a, b): (&RecordedFact, &RecordedFact),
    take: impl FnOnce(&mut Pairs<'_>) -> Result<T, Error>,
) -> Result<T, Error> {
    let by_key = a.is_unique() && b.is_unique() && a.key() == b.key() && !b.key().is_empty();
    let shared = || {
        b.columns().filter(|name| a.columns().any(|own| own == *name)).map(str::to_owned).collect()
    };
    let known_by: Vec<String> = if by_key { b.key().to_vec() } else { shared() };
    std::thread::scope(|scope| {
        let side = |fact| {
            let (to, from) = sync_channel(AHEAD);
            scope.spawn(move || send_rows(fact, &to));
            Side::new(fact, &known_by, from)
        };
        let mut pairs = Pairs { a: side(a), b: side(b), at_once, divided: None };
        take(&mut pairs)
    })
}

/// Reads a record and sends its rows on.
fn send_rows(fact: &RecordedFact, to: &SyncSender<Result<RowBlock, Error>>) {
    let read = fact.each_block(|block| {
        // Whoever does not listen any more has its reason: what is left is not read.
        to.send(Ok(block)).map_err(|_| fact.damaged("it is not read to its end").into())
    });
    if let Err(error) = read {
        let _ = to.send(Err(error));
    }
}

/// The columns by which lines are known.
struct KnownBy(Vec<usize>);

impl KnownBy {
    /// A number that is the same for all rows that are known by the same.
    fn number(&self, row: &Row) -> u64 {
        let mut hasher = FixedState::with_seed(0x636f_6d70).build_hasher();
        self.0.iter().for_each(|column| row[*column].hash(&mut hasher));
        hasher.finish()
    }

    /// Whether a row is known by the same as another, which is known by other columns.
    fn is_same(&self, row: &Row, (other, its): (&KnownBy, &Row)) -> bool {
        self.0.iter().zip(&other.0).all(|(own, other)| row[*own] == its[*other])
    }
}

/// One of the two records.
struct Side<'f> {
    fact: &'f RecordedFact,
    known_by: KnownBy,
    from: Receiver<Result<RowBlock, Error>>,
    rows: Box<dyn Iterator<Item = Row> + Send>,
    /// Rows whose like has not come yet.
    waiting: Waiting<Row>,
}

impl<'f> Side<'f> {
    fn new(
        fact: &'f RecordedFact,
        known_by: &[String],
        from: Receiver<Result<RowBlock, Error>>,
    ) -> Side<'f> {
        let known_by = KnownBy(fact.columns_called(known_by));
        let (rows, waiting) = (Box::new(std::iter::empty()), Waiting::default());
        Side { fact, known_by, from, rows, waiting }
    }

    fn next(&mut self) -> Result<Option<Row>, Error> {
        loop {
            if let Some(row) = self.rows.next() {
                return Ok(Some(row));
            }
            // The sender is gone when all is read.
            let Ok(batch) = self.from.recv() else { return Ok(None) };
            self.rows = Box::new(batch?.into_rows());
        }
    }

    /// The row that waits and is the same line as one of the other side, which has this number.
    fn take(&mut self, number: u64, other: (&KnownBy, &Row)) -> Option<Row> {
        let known_by = &self.known_by;
        self.waiting.take(number, |row| known_by.is_same(row, other))
    }

    /// Divides what waits and what has not come by what it is known by, into files of a folder.
    fn divide(&mut self, folder: &Path, name: &str, parts: u64) -> Result<Vec<PathBuf>, Error> {
        let mut files = PartFiles::create(folder, name, parts)?;
        for row in self.waiting.take_all() {
            files.write(self.known_by.number(&row), &row)?;
        }
        while let Some(row) = self.next()? {
            files.write(self.known_by.number(&row), &row)?;
        }
        files.close()
    }
}

/// The pairs of two records.
pub(crate) struct Pairs<'f> {
    a: Side<'f>,
    b: Side<'f>,
    at_once: usize,
    /// What is left, where it was divided.
    divided: Option<Divided>,
}

impl Pairs<'_> {
    /// The next pairs; none at the end.
    ///
    /// # Errors
    /// A record is damaged; a part of one cannot be written on the disk.
    pub(crate) fn next_batch(&mut self) -> Result<Option<Vec<Pair>>, Error> {
        let mut pairs = Vec::with_capacity(BATCH);
        while pairs.len() < BATCH && self.divided.is_none() {
            match (self.a.next()?, self.b.next()?) {
                (None, None) => {
                    pairs.extend(self.a.waiting.take_all().into_iter().map(Pair::Gone));
                    pairs.extend(self.b.waiting.take_all().into_iter().map(Pair::New));
                    break;
                }
                (Some(before), Some(now)) if self.are_same(&before, &now) => {
                    pairs.push(Pair::Both(before, now));
                }
                (before, now) => {
                    if let Some(row) = before {
                        let number = self.a.known_by.number(&row);
                        match self.b.take(number, (&self.a.known_by, &row)) {
                            Some(now) => pairs.push(Pair::Both(row, now)),
                            None => self.a.waiting.hold(number, row.alone()),
                        }
                    }
                    if let Some(row) = now {
                        let number = self.b.known_by.number(&row);
                        match self.a.take(number, (&self.b.known_by, &row)) {
                            Some(before) => pairs.push(Pair::Both(before, row)),
                            None => self.b.waiting.hold(number, row.alone()),
                        }
                    }
                    if self.a.waiting.len() + self.b.waiting.len() > self.at_once {
                        self.divide()?;
                    }
                }
            }
        }
        if let Some(divided) = self.divided.as_mut().filter(|_| pairs.is_empty()) {
            return divided.next_part(&self.a.known_by, &self.b.known_by);
        }
        Ok(Some(pairs).filter(|pairs| !pairs.is_empty()))
    }

    /// Whether two rows are the same line. Where lines share what they are known by, they are alike, and any of them will do.
    fn are_same(&self, before: &Row, now: &Row) -> bool {
        self.a.known_by.is_same(before, (&self.b.known_by, now))
    }

    fn divide(&mut self) -> Result<(), Error> {
        let folder =
            TempDir::new().map_err(|error| Error::output(&std::env::temp_dir(), &error))?;
        let lines = self.a.fact.lines() + self.b.fact.lines();
        let parts = lines.div_ceil(self.at_once.max(1) as u64).max(1);
        let a = self.a.divide(folder.path(), "a", parts)?;
        let b = self.b.divide(folder.path(), "b", parts)?;
        let parts = a.into_iter().zip(b).collect::<Vec<_>>().into_iter();
        self.divided = Some(Divided { parts, _folder: folder });
        Ok(())
    }
}

/// What is left of two records, in parts on the disk.
struct Divided {
    parts: std::vec::IntoIter<(PathBuf, PathBuf)>,
    _folder: TempDir,
}

impl Divided {
    /// The pairs of the next part that has any.
    fn next_part(&mut self, a: &KnownBy, b: &KnownBy) -> Result<Option<Vec<Pair>>, Error> {
        for (of_a, of_b) in self.parts.by_ref() {
            let (mut open, mut pairs) = (Waiting::default(), Vec::new());
            each_row_of(&of_a, |row| open.hold(a.number(&row), row))?;
            each_row_of(&of_b, |row| {
                let before = open.take(b.number(&row), |own| a.is_same(own, (b, &row)));
                pairs.push(match before {
                    Some(before) => Pair::Both(before, row),
                    None => Pair::New(row),
                });
            })?;
            pairs.extend(open.take_all().into_iter().map(Pair::Gone));
            if !pairs.is_empty() {
                return Ok(Some(pairs));
            }
        }
        Ok(None)
    }
}

/// The files of parts, while they are written.
struct PartFiles {
    paths: Vec<PathBuf>,
    files: Vec<BufWriter<File>>,
}

impl PartFiles {
    fn create(folder: &Path, name: &str, parts: u64) -> Result<PartFiles, Error> {
        let paths: Vec<_> = (0..parts).map(|part| folder.join(format!("{name}-{part}"))).collect();
        let mut files = Vec::new();
        for path in &paths {
            let file = File::create(path).map_err(|error| Error::output(path, &error))?;
            files.push(BufWriter::new(file));
        }
        Ok(PartFiles { paths, files })
    }

    fn write(&mut self, number: u64, row: &Row) -> Result<(), Error> {
        let part = (number % self.files.len() as u64) as usize;
        row.write(&mut self.files[part]).map_err(|error| Error::output(&self.paths[part], &error))
    }

    fn close(mut self) -> Result<Vec<PathBuf>, Error> {
        for (file, path) in self.files.iter_mut().zip(&self.paths) {
            file.flush().map_err(|error| Error::output(path, &error))?;
        }
        Ok(self.paths)
    }
}

/// Hands over the rows of such a file.
fn each_row_of(path: &Path, mut each: impl FnMut(Row)) -> Result<(), Error> {
    let failed = |error: std::io::Error| Error::output(path, &error);
    let mut file = BufReader::new(File::open(path).map_err(failed)?);
    while !file.fill_buf().map_err(failed)?.is_empty() {
        each(Row::read(&mut file).map_err(failed)?);
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
        self.each_block(|block| block.into_rows().try_for_each(|row| each(&row)))
    }

    /// Hands over the lines of the record, some at a time.
    fn each_block(&self, mut each: impl FnMut(RowBlock) -> Result<(), Error>) -> Result<(), Error> {
        let width = self.width();
        let mut block = RowBlock::new(width);
        let rows = read_rows(self.folder(), self.file(), |row| {
            if row.len() != width {
                let why = format!("{} columns are there of {width}", row.len());
                return Err(self.damaged(&why).into());
            }
            if self.counts(row) {
                block.push(row.iter());
            }
            if !block.is_full(BATCH) {
                return Ok(());
            }
            each(std::mem::replace(&mut block, RowBlock::new(width)))
        })?;
        each(block)?;
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
            up_to: None,
            totals: Vec::new(),
        };
        RecordedFact::read(folder, &record).unwrap()
    }

    /// Lines that are in both, gone, and new, as texts in an order of their own.
    fn paired(at_once: usize, a: &RecordedFact, b: &RecordedFact) -> Vec<String> {
        let shown = |row: &Row| row.iter().collect::<Vec<_>>().join("\u{1f}");
        let mut all = Vec::new();
        with_pairs_in(at_once, (a, b), |pairs| {
            while let Some(batch) = pairs.next_batch()? {
                for pair in batch {
                    all.push(match pair {
                        Pair::Both(before, now) => format!("{} -> {}", shown(&before), shown(&now)),
                        Pair::Gone(row) => format!("gone {}", shown(&row)),
                        Pair::New(row) => format!("new {}", shown(&row)),
                    });
                }
            }
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
        /// A row is read as it was written, whatever rows are beside it in its block.
        #[test]
        fn rows_are_read_as_they_were_written(
            rows in prop::collection::vec(prop::collection::vec("\\PC{0,4}", 3), 0..5),
        ) {
            let mut block = RowBlock::new(3);
            rows.iter().for_each(|row| block.push(row.iter().map(String::as_str)));
            let mut written = Vec::new();
            block.into_rows().for_each(|row| row.write(&mut written).unwrap());
            let mut from = written.as_slice();
            for row in &rows {
                let read = Row::read(&mut from).unwrap();
                prop_assert_eq!(read.iter().collect::<Vec<_>>(), row.iter().collect::<Vec<_>>());
            }
            prop_assert!(from.is_empty() && Row::read(&mut from).is_err());
        }

        /// Lines divided on the disk meet as they do in memory, whatever is in their texts and whether they share keys.
        #[test]
        fn divided_lines_meet_the_same(a in lines(), b in lines(), at_once in 0usize..8) {
            let is_unique = [&a, &b].iter().all(|lines| {
                let mut keys: Vec<u8> = lines.iter().map(|line| line.0).collect();
                keys.sort_unstable();
                keys.windows(2).all(|pair| pair[0] != pair[1])
            });
            let folder = TempDir::new().unwrap();
            let of_a = recorded(&folder.path().join("a"), &a, is_unique);
            let of_b = recorded(&folder.path().join("b"), &b, is_unique);
            let whole = paired(usize::MAX, &of_a, &of_b);
            prop_assert_eq!(&paired(at_once, &of_a, &of_b), &whole);
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
