//! Tables of SQLite files.
//!
//! A database that is there is copied with all that is in it, the copy is changed, and takes its place with the other files
//! of the run. SQLite has no decimals: columns have no declared type, numbers of up to 15 digits are numbers, longer ones
//! texts. Days are texts, 2025-12-31; yes and no are texts too.

use std::path::{Path, PathBuf};

use interligo_model::values::column::Column;
use interligo_model::values::decimal::Decimal;
use interligo_model::values::value::Value;
use interligo_sources::formats::quoted_name;
use rusqlite::types::{ToSqlOutput, ValueRef};
use rusqlite::{Connection, OpenFlags, OptionalExtension, ToSql};

use super::append::Append;
use super::typed::refuse_names;
use crate::background::Background;
use crate::containers::{Container, Finished, Shared, with};
use crate::error::{Error, OutputErrorKind};
use crate::format::{IfThere, OutputFormat, Piece, RowColumn, Target, WriteRows};
use crate::output_file::OutputFile;
use crate::run_facts::RunFacts;

/// The table that lists the tables which runs have written.
const MARKS: &str = "interligo_tables";

/// Numbers from here on have more digits than a double keeps.
const DIGITS: i128 = 1_000_000_000_000_000;

/// SQLite.
pub(super) struct Sqlite;

impl OutputFormat for Sqlite {
    fn holds_several(&self) -> bool {
        true
    }

    fn can_append(&self) -> bool {
        true
    }

    fn refuse_table(&self, name: &str) -> Option<String> {
        let lower = name.to_lowercase();
        let taken = name.is_empty() || lower.starts_with("sqlite_") || lower == MARKS;
        taken.then(|| format!("a table cannot be called `{name}`"))
    }

    fn begin(
        &self,
        target: &Target<'_>,
        columns: &[RowColumn],
    ) -> Result<Box<dyn WriteRows>, Error> {
        refuse_names(target.path, columns)?;
        let database = target.containers.at(target.path, || {
            Ok(Box::new(Database::open(target.path, target.file()?)?) as Box<dyn Container>)
        })?;
        let append = with(&database, |database: &mut Database| database.table(target, columns))?;
        let marks = vec!["?"; columns.len()].join(", ");
        let own = quoted_name(target.table);
        let table = append.as_ref().map_or(&own, |append| &append.beside);
        let insert = format!("INSERT INTO {table} VALUES ({marks})");
        Background::of(Box::new(TableRows { database, insert, append, rows: 0 }), target.path)
    }
}

/// A database that is being written.
struct Database {
    path: PathBuf,
    file: Option<OutputFile>,
    copy: Option<Connection>,
    former: Option<Former>,
    notes: Vec<String>,
}

/// The database that is there, held while its copy is changed.
struct Former {
    connection: Connection,
    /// Changes when another program writes to it.
    version: i64,
}

impl Database {
    fn open(path: &Path, file: OutputFile) -> Result<Database, Error> {
        let failed = |error: rusqlite::Error| failed(path, &error);
        let mut copy = Connection::open(file.part()).map_err(failed)?;
        let former = match path.metadata().is_ok_and(|known| known.len() > 0) {
            true => Some(Former::copied(path, &mut copy)?),
            false => None,
        };
        // The file is on the disk before it takes its place; until then nobody else knows it.
        copy.execute_batch("PRAGMA journal_mode = OFF; PRAGMA synchronous = OFF; BEGIN;")
            .map_err(failed)?;
        let marks =
            format!("CREATE TABLE IF NOT EXISTS {MARKS} (name TEXT PRIMARY KEY, plan TEXT)");
        copy.execute_batch(&marks).map_err(failed)?;
        let (path, notes) = (path.to_owned(), Vec::new());
        Ok(Database { path, file: Some(file), copy: Some(copy), former, notes })
    }

    fn copy(&self) -> Result<&Connection, Error> {
        self.copy.as_ref().ok_or_else(|| {
            Error::new(OutputErrorKind::Failed, &self.path, "it was written already")
        })
    }

    /// Makes a table, or empties one that a run of a plan has made; its indexes stay where its columns do. Where lines are
    /// added to one, how.
    fn table(&self, target: &Target<'_>, columns: &[RowColumn]) -> Result<Option<Append>, Error> {
        let (name, plan) = (target.table, target.plan);
        let failed = |error: rusqlite::Error| failed(&self.path, &error);
        let copy = self.copy()?;
        let known: Option<String> = copy
            .query_row(
                "SELECT name FROM sqlite_schema WHERE lower(name) = lower(?1) AND type IN ('table', 'view')",
                [name],
                |row| row.get(0),
            )
            .optional()
            .map_err(failed)?;
        let names: Vec<String> = columns.iter().map(|column| quoted_name(&column.name)).collect();
        let create = format!("CREATE TABLE {} ({})", quoted_name(name), names.join(", "));
        match known {
            None => copy.execute_batch(&create).map_err(failed)?,
            Some(known) if target.if_there == IfThere::Stop => {
                return Err(Error::is_there(&self.path, &known));
            }
            Some(known) if matches!(target.if_there, IfThere::Append(_)) => {
                let IfThere::Append(key) = &target.if_there else { return Ok(None) };
                return self.beside(&known, columns, key).map(Some);
            }
            Some(known) => {
                let marked = copy
                    .query_row(
                        &format!("SELECT 1 FROM {MARKS} WHERE lower(name) = lower(?1)"),
                        [&known],
                        |_| Ok(()),
                    )
                    .optional()
                    .map_err(failed)?;
                if marked.is_none() {
                    let reason = format!("its table `{known}` was not made by Interligo");
                    return Err(Error::new(OutputErrorKind::NotOwn, &self.path, reason));
                }
                let former = columns_of(copy, &known).map_err(failed)?;
                let same = former.iter().eq(columns.iter().map(|column| &column.name));
                let table = quoted_name(&known);
                let change = match same {
                    true => format!("DELETE FROM {table}"),
                    false => format!("DROP TABLE {table}; {create}"),
                };
                copy.execute_batch(&change).map_err(failed)?;
            }
        }
        let mark = format!("INSERT OR REPLACE INTO {MARKS} VALUES (?1, ?2)");
        copy.execute(&mark, [name, plan]).map_err(failed)?;
        Ok(None)
    }

    /// Makes a table beside one that lines are added to.
    fn beside(&self, known: &str, columns: &[RowColumn], key: &[String]) -> Result<Append, Error> {
        let failed = |error: rusqlite::Error| failed(&self.path, &error);
        let copy = self.copy()?;
        let there = columns_of(copy, known).map_err(failed)?;
        if let Some(missing) = columns.iter().find(|column| !there.contains(&column.name)) {
            return Err(Error::lacks_column(&self.path, known, &missing.name));
        }
        let columns: Vec<String> = columns.iter().map(|column| column.name.clone()).collect();
        let names: Vec<String> = columns.iter().map(|name| quoted_name(name)).collect();
        let beside = format!("temp.{}", quoted_name(&format!("{known} interligo added")));
        let create = format!("CREATE TEMP TABLE {} ({})", &beside[5..], names.join(", "));
        copy.execute_batch(&create).map_err(failed)?;
        Ok(Append {
            table: format!("main.{}", quoted_name(known)),
            shown: known.to_owned(),
            beside,
            columns,
            key: key.to_vec(),
            same: "IS",
        })
    }

    /// Merges the lines beside a table into it.
    fn merge(&mut self, append: &Append) -> Result<(), Error> {
        let path = self.path.clone();
        let failed = |error: rusqlite::Error| failed(&path, &error);
        let copy = self.copy()?;
        let first = |sql: &str| -> Result<Option<Vec<Option<String>>>, Error> {
            let mut statement = copy.prepare(sql).map_err(failed)?;
            let columns = statement.column_count();
            let row = |row: &rusqlite::Row<'_>| (0..columns).map(|at| row.get(at)).collect();
            statement.query_row([], row).optional().map_err(failed)
        };
        if let Some(key) = first(&append.without_key())? {
            return Err(append.unclear(&path, &key, "has no whole key"));
        }
        if let Some(key) = first(&append.twice())? {
            return Err(append.unclear(&path, &key, "comes twice"));
        }
        if let Some(values) = first(&append.differing())? {
            return Err(append.refused(&path, &values));
        }
        let there: i64 =
            copy.query_row(&append.already_there(), [], |row| row.get(0)).map_err(failed)?;
        copy.execute_batch(&append.add()).map_err(failed)?;
        self.notes.extend(append.note(there.unsigned_abs()));
        Ok(())
    }
}

impl Former {
    /// Copies the database, and holds it so that nobody changes it unnoticed.
    fn copied(path: &Path, copy: &mut Connection) -> Result<Former, Error> {
        let failed = |error: rusqlite::Error| failed(path, &error);
        let flags = OpenFlags::SQLITE_OPEN_READ_WRITE | OpenFlags::SQLITE_OPEN_URI;
        let connection = Connection::open_with_flags(path, flags).map_err(failed)?;
        connection.busy_timeout(std::time::Duration::from_secs(5)).map_err(failed)?;
        // A log beside the file would be taken for that of the file which takes its place.
        let mode: String = connection
            .query_row("PRAGMA journal_mode = DELETE", [], |row| row.get(0))
            .map_err(failed)?;
        if mode.eq_ignore_ascii_case("wal") {
            return Err(Error::new(OutputErrorKind::InUse, path, "another program has it open"));
        }
        rusqlite::backup::Backup::new(&connection, copy)
            .and_then(|backup| backup.run_to_completion(1_000, std::time::Duration::ZERO, None))
            .map_err(failed)?;
        let version = data_version(&connection).map_err(failed)?;
        Ok(Former { connection, version })
    }
}

fn data_version(connection: &Connection) -> Result<i64, rusqlite::Error> {
    connection.query_row("PRAGMA data_version", [], |row| row.get(0))
}

fn columns_of(connection: &Connection, table: &str) -> Result<Vec<String>, rusqlite::Error> {
    let mut statement =
        connection.prepare("SELECT name FROM pragma_table_info(?1) ORDER BY cid")?;
    let names = statement.query_map([table], |row| row.get(0))?;
    names.collect()
}

impl Container for Database {
    fn finish(&mut self, _: &RunFacts) -> Result<Finished, Error> {
        let failed = |error: rusqlite::Error| failed(&self.path, &error);
        if let Some(copy) = self.copy.take() {
            copy.execute_batch("COMMIT").map_err(failed)?;
            copy.close().map_err(|(_, error)| failed(error))?;
        }
        if let Some(former) = self.former.take()
            && data_version(&former.connection).map_err(failed)? != former.version
        {
            let reason = "another program changed it during the run";
            return Err(Error::new(OutputErrorKind::InUse, &self.path, reason));
        }
        let mut file = self.file.take().ok_or_else(|| {
            Error::new(OutputErrorKind::Failed, &self.path, "it was written already")
        })?;
        file.account_for_all()?;
        Ok(Finished::File(file))
    }

    fn notes(&mut self) -> Vec<String> {
        std::mem::take(&mut self.notes)
    }

    fn as_any(&mut self) -> &mut dyn std::any::Any {
        self
    }
}

/// A table that takes rows.
struct TableRows {
    database: Shared,
    insert: String,
    /// How its lines are merged into a table that is there.
    append: Option<Append>,
    rows: u64,
}

impl WriteRows for TableRows {
    fn write(&mut self, piece: Piece) -> Result<(), Error> {
        let columns = piece.as_columns();
        let rows = columns.first().map_or(0, Column::len);
        let inserted = with(&self.database, |database: &mut Database| {
            let failed = |error: rusqlite::Error| failed(&database.path, &error);
            let mut insert = database.copy()?.prepare_cached(&self.insert).map_err(failed)?;
            let mut inserted = 0;
            for row in 0..rows {
                for (at, column) in columns.iter().enumerate() {
                    let cell = Cell::of(&column.value(row));
                    insert.raw_bind_parameter(at + 1, cell).map_err(failed)?;
                }
                inserted += insert.raw_execute().map_err(failed)?;
            }
            Ok::<usize, Error>(inserted)
        })?;
        self.rows += inserted as u64;
        Ok(())
    }

    fn rows(&mut self) -> Result<u64, Error> {
        Ok(self.rows)
    }

    fn finish(self: Box<Self>) -> Result<Option<OutputFile>, Error> {
        if let Some(append) = &self.append {
            with(&self.database, |database: &mut Database| database.merge(append))?;
        }
        Ok(None)
    }
}

/// A value as SQLite has it.
enum Cell<'v> {
    Null,
    Integer(i64),
    Real(f64),
    Text(std::borrow::Cow<'v, str>),
}

impl<'v> Cell<'v> {
    fn of(value: &Value<'v>) -> Cell<'v> {
        match value {
            Value::Blank => Cell::Null,
            Value::Text(text) if text.trim().is_empty() => Cell::Null,
            Value::Text(text) => Cell::Text(text.clone()),
            Value::Number(number) => Cell::of_number(number.trimmed(0)),
            other => Cell::Text(other.to_string().into()),
        }
    }

    fn of_number(number: Decimal) -> Cell<'v> {
        let text = number.to_string();
        if number.mantissa().abs() >= DIGITS {
            return Cell::Text(text.into());
        }
        match (number.places(), text.parse::<i64>(), text.parse::<f64>()) {
            (0, Ok(whole), _) => Cell::Integer(whole),
            // The nearest double reads back as the same digits.
            (_, _, Ok(real)) => Cell::Real(real),
            _ => Cell::Text(text.into()),
        }
    }
}

impl ToSql for Cell<'_> {
    fn to_sql(&self) -> rusqlite::Result<ToSqlOutput<'_>> {
        Ok(match self {
            Cell::Null => ToSqlOutput::Borrowed(ValueRef::Null),
            Cell::Integer(whole) => ToSqlOutput::Borrowed(ValueRef::Integer(*whole)),
            Cell::Real(real) => ToSqlOutput::Borrowed(ValueRef::Real(*real)),
            Cell::Text(text) => ToSqlOutput::Borrowed(ValueRef::Text(text.as_bytes())),
        })
    }
}

fn failed(path: &Path, error: &rusqlite::Error) -> Error {
    use rusqlite::ErrorCode;
    let (kind, reason) = match error.sqlite_error_code() {
        Some(ErrorCode::DiskFull) => (OutputErrorKind::DiskFull, "the disk is full".to_owned()),
        Some(ErrorCode::DatabaseBusy | ErrorCode::DatabaseLocked) => {
            (OutputErrorKind::InUse, "another program has it open".to_owned())
        }
        Some(ErrorCode::NotADatabase) => {
            (OutputErrorKind::NotOwn, "it is not a SQLite database".to_owned())
        }
        _ => (OutputErrorKind::Failed, error.to_string()),
    };
    Error::new(kind, path, reason)
}
