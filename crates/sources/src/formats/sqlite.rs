//! SQLite databases, by the rusqlite crate: tables, views, and answers to queries, in one read transaction
//! each.
//!
//! | value | text that is made of it |
//! |---|---|
//! | integer | `388` |
//! | real | its shortest decimal text, of 15 digits at most: `0.1` |
//! | text | as it is |
//! | blob | its bytes: `x'0aff'` |
//! | null | blank |
//!
//! Numbers in a column that also holds numbers as text are written in the style of these.

use std::collections::BTreeMap;
use std::fmt::Write;
use std::path::PathBuf;
use std::sync::Arc;
use std::time::Duration;

use arrow_array::builder::StringViewBuilder;
use interligo_engine::proof::findings::Noted;
use interligo_model::place::PartName;
use interligo_model::reading::style::{NumberStyle, Style};
use interligo_model::values::cells::{Cells, shortest_number};
use rusqlite::limits::Limit;
use rusqlite::types::ValueRef;
use rusqlite::{Connection, ErrorCode, OpenFlags, Row};

use super::threaded::Threaded;
use super::{
    Address, Block, Container, Format, Limits, OwnTables, Reader, Source, Wanted, What, is_sqlite,
    not_finite, quoted_name,
};
use crate::error::{Error, InputKind};
use crate::formats::declared_keys::{ForeignKey, KeysStated};
use crate::formats::head::{Head, Typed};
use crate::grid::{CellGrid, Grid};
use crate::table::path_pattern::natural_order;
use crate::table::settings::TableSettings;

/// How long another program may hold the database.
const PATIENCE: Duration = Duration::from_secs(3);

/// Rows of a block.
const BATCH: usize = 8192;

/// Rows that are looked at.
const SAMPLE: usize = 1000;

/// SQLite databases.
pub(super) struct SqliteFormat;

impl Format for SqliteFormat {
    fn takes(&self, name: &str) -> bool {
        is_sqlite(name)
    }

    fn open(&self, at: &Address, _: &Limits, _: &OwnTables) -> Result<Arc<dyn Container>, Error> {
        Ok(Arc::new(SqliteFile { path: at.path.clone(), shown: at.shown.clone() }))
    }
}

struct SqliteFile {
    path: PathBuf,
    shown: Arc<str>,
}

/// No value has more bytes than this; a query can make one of any length out of nothing.
const LONGEST_VALUE: i32 = 64 << 20;

fn connect(path: &std::path::Path, name: &PartName) -> Result<Connection, Error> {
    // A path that is none gives a clearer message from the file system.
    std::fs::File::open(path).map_err(|error| Error::cannot_read(&name.shown, path, error))?;
    let flags = OpenFlags::SQLITE_OPEN_READ_ONLY | OpenFlags::SQLITE_OPEN_NO_MUTEX;
    let connect = || {
        let connection = Connection::open_with_flags(path, flags)?;
        connection.set_limit(Limit::SQLITE_LIMIT_LENGTH, LONGEST_VALUE)?;
        connection.busy_timeout(PATIENCE)?;
        connection.execute_batch("PRAGMA query_only = 1; BEGIN")?;
        Ok(connection)
    };
    connect().map_err(|error| failed(name, &error))
}

fn failed(name: &PartName, error: &rusqlite::Error) -> Error {
    match error.sqlite_error_code() {
        Some(ErrorCode::DatabaseBusy | ErrorCode::DatabaseLocked) => {
            Error::input(InputKind::Locked, name, "is locked by another program")
                .help("run again when that has ended what it is writing")
        }
        Some(ErrorCode::NotADatabase) => {
            Error::input(InputKind::Damaged, name, "is no SQLite database")
                .help("check the file; it may also be damaged, or encrypted")
        }
        Some(ErrorCode::DatabaseCorrupt) => Error::input(InputKind::Damaged, name, "is damaged")
            .help("restore it from a copy; what can be read of it is not passed off as whole"),
        _ => Error::input(InputKind::Unreadable, name, format!("cannot be read: {error}")),
    }
}

impl Container for SqliteFile {
    fn tables(&self) -> Result<Option<Vec<String>>, Error> {
        let name = PartName::from(&self.shown);
        let connection = connect(&self.path, &name)?;
        let names = || {
            let mut statement = connection.prepare(
                "SELECT name FROM sqlite_schema WHERE type IN ('table', 'view') AND name NOT LIKE 'sqlite\\_%' ESCAPE '\\'",
            )?;
            let names = statement.query_map([], |row| row.get(0))?;
            names.collect::<Result<Vec<String>, _>>()
        };
        let mut names = names().map_err(|error| failed(&name, &error))?;
        names.sort_by(|a, b| natural_order(a, b));
        Ok(Some(names))
    }

    fn keys_stated(&self) -> Result<KeysStated, Error> {
        let name = PartName::from(&self.shown);
        let connection = connect(&self.path, &name)?;
        let read = || {
            let mut stated = KeysStated::default();
            for table in self.tables().ok().flatten().unwrap_or_default() {
                let mut statement = connection
                    .prepare("SELECT name FROM pragma_table_info(?1) WHERE pk > 0 ORDER BY pk")?;
                let key: Vec<String> =
                    statement.query_map([&table], |row| row.get(0))?.collect::<Result<_, _>>()?;
                let mut statement = connection.prepare(
                    "SELECT id, \"table\", \"from\", \"to\" FROM pragma_foreign_key_list(?1) ORDER BY id, seq",
                )?;
                let links = statement.query_map([&table], |row| {
                    let to: Option<String> = row.get(3)?;
                    Ok((
                        row.get::<_, i64>(0)?,
                        row.get::<_, String>(1)?,
                        row.get::<_, String>(2)?,
                        to,
                    ))
                })?;
                let mut by_id: BTreeMap<i64, ForeignKey> = BTreeMap::new();
                for link in links {
                    let (id, other, from, to) = link?;
                    let entry = by_id.entry(id).or_insert_with(|| ForeignKey {
                        from: (table.clone(), Vec::new()),
                        to: (other, Vec::new()),
                    });
                    entry.from.1.push(from);
                    // Without a column, it is the key of that table.
                    entry.to.1.extend(to);
                }
                stated.links.extend(by_id.into_values());
                if !key.is_empty() {
                    stated.keys.push((table, key));
                }
            }
            for link in stated.links.iter_mut().filter(|link| link.to.1.is_empty()) {
                let key = stated.keys.iter().find(|(table, _)| *table == link.to.0);
                link.to.1 = key.map_or_else(Vec::new, |(_, key)| key.clone());
            }
            stated.links.retain(|link| link.from.1.len() == link.to.1.len());
            Ok(stated)
        };
        read().map_err(|error: rusqlite::Error| failed(&name, &error))
    }

    fn answers(&self) -> bool {
        true
    }

    fn look(&self, what: &What, name: &PartName, given: TableSettings) -> Result<Head, Error> {
        let connection = connect(&self.path, name)?;
        let query = match what {
            What::Query(query) => query.clone(),
            What::Table(table) => format!("SELECT * FROM {}", quoted_name(table)),
            What::Whole => {
                return Err(Error::input(
                    InputKind::TableNotNamed,
                    name,
                    "is a database, and no table of it is named",
                ));
            }
        };
        let wrong = |error: rusqlite::Error| match what {
            What::Query(_) if error.sqlite_error_code().is_none_or(|c| c == ErrorCode::Unknown) => {
                Error::input(InputKind::QueryFailed, name, format!("cannot be answered: {error}"))
                    .help("correct the `query` in the plan")
            }
            _ => failed(name, &error),
        };
        let mut statement = connection.prepare(&query).map_err(wrong)?;
        if !statement.readonly() {
            return Err(Error::input(InputKind::WouldWrite, name, "would change the database")
                .help("a `query` only reads: SELECT …"));
        }
        let column_names: Vec<String> = statement.column_names().map(str::to_owned).collect();
        let mut typed = vec![Typed::default(); column_names.len()];
        let mut columns = Columns::new(column_names.len(), &Wanted::All, Vec::new());
        let mut rows = statement.query([]).map_err(wrong)?;
        while let Some(row) = rows.next().map_err(wrong)?.filter(|_| columns.rows < SAMPLE) {
            for (field, typed) in typed.iter_mut().enumerate() {
                let value = row.get_ref(field).map_err(wrong)?;
                typed.rows.push(matches!(value, ValueRef::Integer(_) | ValueRef::Real(_)));
            }
            columns.add(row, name).map_err(wrong)??;
        }
        let source = SqliteSource {
            path: self.path.clone(),
            name: name.clone(),
            query,
            styles: vec![NumberStyle::PLAIN; column_names.len()],
        };
        let sample = columns.texts.iter_mut().map(StringViewBuilder::finish).collect();
        Ok(Head::of_fields(Arc::new(source), column_names, sample, typed, given))
    }
}

/// A table or query.
#[derive(Clone)]
struct SqliteSource {
    path: PathBuf,
    name: PartName,
    query: String,
    /// How numbers are written, by field.
    styles: Vec<NumberStyle>,
}

impl Source for SqliteSource {
    fn open(&self, wanted: &Wanted) -> Result<Box<dyn Reader>, Error> {
        let (own, wanted) = (self.clone(), wanted.clone());
        Ok(Threaded::start(&self.name, move |send| {
            let connection = connect(&own.path, &own.name)?;
            own.read(&connection, &wanted, send).map_err(|error| failed(&own.name, &error))?
        }))
    }

    fn in_words(&self) -> Vec<String> {
        vec!["SQLite".to_owned()]
    }

    fn styled(&self, styles: &[Style]) -> Option<Arc<dyn Source>> {
        let styles = styles.iter().map(|style| style.numbers).collect();
        Some(Arc::new(SqliteSource { styles, ..self.clone() }))
    }
}

impl SqliteSource {
    /// Hands on all rows; the inner result is about what they hold.
    fn read(
        &self,
        connection: &Connection,
        wanted: &Wanted,
        send: &mut dyn FnMut(Block) -> bool,
    ) -> rusqlite::Result<Result<(), Error>> {
        let mut statement = connection.prepare(&self.query)?;
        let mut rows = statement.query([])?;
        let mut columns = Columns::new(self.styles.len(), wanted, self.styles.clone());
        while let Some(row) = rows.next()? {
            if let Err(error) = columns.add(row, &self.name)? {
                return Ok(Err(error));
            }
            if columns.rows == BATCH && !send(columns.take()) {
                return Ok(Ok(()));
            }
        }
        if columns.rows > 0 {
            send(columns.take());
        }
        Ok(Ok(()))
    }
}

/// Rows as they come in.
struct Columns {
    texts: Vec<StringViewBuilder>,
    wanted: Vec<bool>,
    styles: Vec<NumberStyle>,
    rows: usize,
    first_row: u64,
    noted: Vec<(Noted, u64, String)>,
}

impl Columns {
    fn new(width: usize, wanted: &Wanted, styles: Vec<NumberStyle>) -> Columns {
        Columns {
            texts: (0..width).map(|_| StringViewBuilder::new()).collect(),
            wanted: (0..width).map(|field| wanted.has(field)).collect(),
            styles,
            rows: 0,
            first_row: 1,
            noted: Vec::new(),
        }
    }

    fn add(&mut self, row: &Row<'_>, name: &PartName) -> rusqlite::Result<Result<(), Error>> {
        let mut text = String::new();
        for (field, column) in self.texts.iter_mut().enumerate() {
            if !self.wanted[field] {
                continue;
            }
            text.clear();
            match row.get_ref(field)? {
                ValueRef::Null => {}
                ValueRef::Text(bytes) => match std::str::from_utf8(bytes) {
                    Ok(own) => {
                        column.append_value(own);
                        continue;
                    }
                    Err(_) => {
                        let message =
                            format!("contains bytes that are not UTF-8 in column {}", field + 1);
                        return Ok(Err(Error::input(InputKind::Encoding, name, message)
                            .at_row(self.first_row + self.rows as u64)
                            .help("write that text again, as text")));
                    }
                },
                ValueRef::Integer(number) => {
                    // Writing into a String does not fail.
                    let _ = write!(text, "{number}");
                }
                ValueRef::Real(number) => {
                    if !number.is_finite() {
                        let row = self.first_row + self.rows as u64;
                        self.noted.push((Noted::NotFinite, row, not_finite(number, row, field)));
                    }
                    shortest_number(number, &mut text);
                    self.styles.get(field).copied().unwrap_or_default().rewrite(&mut text);
                }
                ValueRef::Blob(bytes) => {
                    text.push_str("x'");
                    for byte in bytes {
                        let _ = write!(text, "{byte:02x}");
                    }
                    text.push('\'');
                }
            }
            column.append_value(&text);
        }
        self.rows += 1;
        Ok(Ok(()))
    }

    fn take(&mut self) -> Block {
        let rows = std::mem::take(&mut self.rows);
        let texts = self.texts.iter_mut().zip(&self.wanted);
        let columns = texts.map(|(texts, wanted)| wanted.then(|| Cells::Texts(texts.finish())));
        let mut grid = CellGrid::new(rows, columns.collect(), self.first_row);
        grid.noted = std::mem::take(&mut self.noted);
        let (first, lines) = (self.first_row == 1, rows as u64);
        self.first_row += lines;
        Block {
            bytes: 0,
            lines,
            extent: lines,
            first,
            last: false,
            rows: Box::new(Grid::Cells(grid)),
        }
    }
}
