//! Tables of PostgreSQL, filled by COPY in one transaction, which stays open until all is well. That it commits decides
//! over the other outputs of the run, too.
//!
//! A table of an earlier run is emptied and filled: it keeps its rights, indexes and views, and its readers see the former
//! rows until the commit. Tables of others are left alone.

use std::io::Write;
use std::path::{Path, PathBuf};

use interligo_model::values::column::{Column, ColumnKind};
use interligo_model::values::value::Value;
use interligo_sources::formats::{connect_to_server, quoted_name, shown_address};
use postgres::Client;

use super::append::Append;
use super::typed::{refuse_names, typed_lines, typed_rows};
use crate::background::Background;
use crate::containers::{Container, Finished, Shared, with};
use crate::error::{Error, OutputErrorKind};
use crate::format::{
    EncodeLines, IfThere, LinesShape, OutputFormat, Piece, RowColumn, Target, Unfit, UnfitReason,
    WriteRows,
};
use crate::output_file::OutputFile;
use crate::publish::{Decide, Decision, Undecided};
use crate::raw_lines::LinesBatch;
use crate::run_facts::RunFacts;

/// The schema of a table that names none.
const SCHEMA: &str = "public";

/// The longest name of a column, in bytes.
const LONGEST: usize = 63;

/// PostgreSQL.
pub(super) struct Postgres;

impl OutputFormat for Postgres {
    fn holds_several(&self) -> bool {
        true
    }

    fn can_append(&self) -> bool {
        true
    }

    fn refuse_table(&self, name: &str) -> Option<String> {
        let (schema, table) = schema_and_table(name);
        let unfit = |name: &str| name.is_empty() || name.len() > LONGEST || name.contains('\0');
        (unfit(schema) || unfit(table))
            .then(|| format!("the name of a table has 1 to {LONGEST} bytes"))
    }

    fn encode_lines(&self, shape: &LinesShape<'_>) -> Box<dyn EncodeLines> {
        Box::new(CopyLines { typed: typed_lines(shape), columns: shape.row_columns() })
    }

    fn encode_rows(&self, columns: &[RowColumn], rows: &[Vec<Value<'_>>]) -> Result<Piece, Unfit> {
        copy_text(typed_rows(columns, rows).as_columns(), columns)
    }

    fn begin(
        &self,
        target: &Target<'_>,
        columns: &[RowColumn],
    ) -> Result<Box<dyn WriteRows>, Error> {
        refuse_names(target.path, columns)?;
        if let Some(long) = columns.iter().find(|column| column.name.len() > LONGEST) {
            let reason = format!("`{}` is longer than the {LONGEST} bytes of a name", long.name);
            return Err(Error::new(OutputErrorKind::BadColumn, target.path, reason));
        }
        let (schema, table) = schema_and_table(target.table);
        let server = target.containers.at(target.path, || {
            Ok(Box::new(Server::open(target.path, schema, target.plan)?) as Box<dyn Container>)
        })?;
        let append = with(&server, |server: &mut Server| {
            server.table((schema, table), columns, &target.if_there)
        })?;
        let names: Vec<String> = columns.iter().map(|column| quoted_name(&column.name)).collect();
        let own = format!("{}.{}", quoted_name(schema), quoted_name(table));
        let into = append.as_ref().map_or(&own, |append| &append.beside);
        let copy = format!("COPY {into} ({}) FROM STDIN", names.join(", "));
        Background::of(Box::new(TableRows { server, copy, append, rows: 0 }), target.path)
    }
}

fn schema_and_table(name: &str) -> (&str, &str) {
    name.split_once('.').unwrap_or((SCHEMA, name))
}

/// A server with the transaction of a run.
struct Server {
    address: PathBuf,
    client: Option<Client>,
    /// The tables that say what runs wrote, in the schema of the first output.
    tables: String,
    runs: String,
    plan: String,
    /// How many tables lines are added to.
    appends: usize,
    notes: Vec<String>,
}

impl Server {
    fn open(address: &Path, schema: &str, plan: &str) -> Result<Server, Error> {
        let mut client = connected(address)?;
        let own = |table: &str| format!("{}.{}", quoted_name(schema), quoted_name(table));
        let (tables, runs) = (own("interligo_tables"), own("interligo_runs"));
        // They are there before the transaction, so that whoever looks for its mark can wait for it.
        let make = format!(
            "SET client_min_messages = warning; SET datestyle = 'ISO'; \
             CREATE TABLE IF NOT EXISTS {tables} (name text PRIMARY KEY, plan text); \
             CREATE TABLE IF NOT EXISTS {runs} (plan text PRIMARY KEY, mark text); BEGIN; \
             SET LOCAL idle_in_transaction_session_timeout = 0; SET LOCAL lock_timeout = '60s'"
        );
        client.batch_execute(&make).map_err(|error| failed(address, &error))?;
        let (address, plan) = (address.to_owned(), plan.to_owned());
        Ok(Server {
            address,
            client: Some(client),
            tables,
            runs,
            plan,
            appends: 0,
            notes: Vec::new(),
        })
    }

    fn client(&mut self) -> Result<&mut Client, Error> {
        let address = &self.address;
        let over = || Error::new(OutputErrorKind::Failed, address, "its transaction is over");
        self.client.as_mut().ok_or_else(over)
    }

    /// Makes a table, or empties one of an earlier run. Where lines are added to one, how.
    fn table(
        &mut self,
        (schema, table): (&str, &str),
        columns: &[RowColumn],
        if_there: &IfThere,
    ) -> Result<Option<Append>, Error> {
        let (address, marks, plan) = (self.address.clone(), self.tables.clone(), self.plan.clone());
        let failed = |error: postgres::Error| failed(&address, &error);
        let client = self.client()?;
        let known = client
            .query(
                "SELECT attribute.attname::text, format_type(atttypid, atttypmod) \
                 FROM pg_class class JOIN pg_namespace space ON space.oid = relnamespace \
                 JOIN pg_attribute attribute ON attrelid = class.oid AND attnum > 0 AND NOT attisdropped \
                 WHERE nspname = $1 AND relname = $2 ORDER BY attnum",
                &[&schema, &table],
            )
            .map_err(failed)?;
        let name = format!("{schema}.{table}");
        let marked = client
            .query_opt(&format!("SELECT FROM {marks} WHERE name = $1"), &[&name])
            .map_err(failed)?;
        let wanted: Vec<(String, String)> = columns
            .iter()
            .map(|column| (column.name.clone(), type_of(column.kind).to_owned()))
            .collect();
        let of_column = |(name, sql): &(String, String)| format!("{} {sql}", quoted_name(name));
        let listed: Vec<String> = wanted.iter().map(of_column).collect();
        let target = format!("{}.{}", quoted_name(schema), quoted_name(table));
        let create = format!("CREATE TABLE {target} ({})", listed.join(", "));
        if let (IfThere::Append(key), false) = (if_there, known.is_empty()) {
            let known: Vec<(String, String)> =
                known.iter().map(|row| (row.get(0), row.get(1))).collect();
            return self.beside((&target, &name), &known, (&wanted, key)).map(Some);
        }
        if known.is_empty() {
            client.batch_execute(&create).map_err(failed)?;
        } else if *if_there == IfThere::Stop {
            return Err(Error::is_there(&address, &name));
        } else if marked.is_none() {
            let reason = format!("its table `{name}` was not made by Interligo");
            return Err(Error::new(OutputErrorKind::NotOwn, &address, reason));
        } else {
            // Another run that fills the table is waited for: its rows, too, are to go. Readers are not held up.
            let alone = format!("LOCK TABLE {target} IN SHARE ROW EXCLUSIVE MODE");
            client.batch_execute(&alone).map_err(failed)?;
            let former = known.iter().map(|row| (row.get::<_, String>(0), row.get::<_, String>(1)));
            let change = match former.eq(wanted) {
                true => format!("DELETE FROM {target}"),
                false => format!("DROP TABLE {target}; {create}"),
            };
            client.batch_execute(&change).map_err(failed)?;
        }
        let mark = format!(
            "INSERT INTO {marks} VALUES ($1, $2) ON CONFLICT (name) DO UPDATE SET plan = $2"
        );
        client.execute(&mark, &[&name, &plan]).map_err(failed)?;
        Ok(None)
    }

    /// Makes a table beside one that lines are added to. Its columns have the same types: what is copied from one to the
    /// other is not changed.
    fn beside(
        &mut self,
        (target, name): (&str, &str),
        known: &[(String, String)],
        (wanted, key): (&[(String, String)], &[String]),
    ) -> Result<Append, Error> {
        let address = self.address.clone();
        for (column, sql) in wanted {
            match known.iter().find(|(name, _)| name == column) {
                None => return Err(Error::lacks_column(&address, name, column)),
                Some((_, there)) if there != sql => {
                    let reason = format!(
                        "the column `{column}` of its table `{name}` is {there}, and the output has {sql}"
                    );
                    return Err(Error::new(OutputErrorKind::BadColumn, &address, reason));
                }
                Some(_) => {}
            }
        }
        let of_column = |(name, sql): &(String, String)| format!("{} {sql}", quoted_name(name));
        let listed: Vec<String> = wanted.iter().map(of_column).collect();
        self.appends += 1;
        let beside = format!("pg_temp.interligo_added_{}", self.appends);
        // Another run that adds to the table is waited for. Readers are not held up.
        let make = format!(
            "LOCK TABLE {target} IN SHARE ROW EXCLUSIVE MODE; CREATE TEMP TABLE {} ({}) ON COMMIT DROP",
            &beside[8..],
            listed.join(", ")
        );
        self.client()?.batch_execute(&make).map_err(|error| failed(&address, &error))?;
        Ok(Append {
            table: target.to_owned(),
            shown: name.to_owned(),
            beside,
            columns: wanted.iter().map(|(name, _)| name.clone()).collect(),
            key: key.to_vec(),
            same: "IS NOT DISTINCT FROM",
        })
    }

    /// Merges the lines beside a table into it.
    fn merge(&mut self, append: &Append) -> Result<(), Error> {
        let address = self.address.clone();
        let failed = |error: postgres::Error| failed(&address, &error);
        let client = self.client()?;
        let mut first = |sql: &str| -> Result<Option<Vec<Option<String>>>, Error> {
            let row = client.query_opt(sql, &[]).map_err(failed)?;
            Ok(row.map(|row| (0..row.len()).map(|at| row.get(at)).collect()))
        };
        if let Some(key) = first(&append.without_key())? {
            return Err(append.unclear(&address, &key, "has no whole key"));
        }
        if let Some(key) = first(&append.twice())? {
            return Err(append.unclear(&address, &key, "comes twice"));
        }
        if let Some(values) = first(&append.differing())? {
            return Err(append.refused(&address, &values));
        }
        let there: i64 = client.query_one(&append.already_there(), &[]).map_err(failed)?.get(0);
        client.batch_execute(&append.add()).map_err(failed)?;
        self.notes.extend(append.note(there.unsigned_abs()));
        Ok(())
    }
}

impl Container for Server {
    fn finish(&mut self, _: &RunFacts) -> Result<Finished, Error> {
        let address = self.address.clone();
        let over = || Error::new(OutputErrorKind::Failed, &address, "its transaction is over");
        let client = self.client.take().ok_or_else(over)?;
        let now = std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH);
        let moment = now.map_or(0, |now| now.as_nanos());
        let decision = Decision {
            address: self.address.to_string_lossy().into_owned(),
            table: self.runs.clone(),
            plan: self.plan.clone(),
            mark: format!("{}-{moment}", std::process::id()),
        };
        Ok(Finished::Decides(Box::new(Commit { client, decision })))
    }

    fn notes(&mut self) -> Vec<String> {
        std::mem::take(&mut self.notes)
    }

    fn as_any(&mut self) -> &mut dyn std::any::Any {
        self
    }
}

/// The commit of a run's transaction.
struct Commit {
    client: Client,
    decision: Decision,
}

impl Decide for Commit {
    fn decision(&self) -> &Decision {
        &self.decision
    }

    fn decide(&mut self) -> Result<(), Undecided> {
        let Decision { address, table, plan, mark } = &self.decision;
        let path = Path::new(address);
        let insert = format!(
            "INSERT INTO {table} VALUES ($1, $2) ON CONFLICT (plan) DO UPDATE SET mark = $2"
        );
        let marked = self.client.execute(&insert, &[plan, mark]);
        marked.map_err(|error| Undecided::Refused(failed(path, &error)))?;
        crate::crash::step("marked");
        self.client.batch_execute("COMMIT").map_err(|error| match error.as_db_error() {
            Some(_) => Undecided::Refused(failed(path, &error)),
            // The connection broke: whether the server had it is not known.
            None => Undecided::Unknown(failed(path, &error)),
        })
    }
}

/// Whether the transaction of a run was committed. A commit that is under way is waited for.
///
/// # Errors
/// The server does not answer.
pub fn was_decided(decision: &Decision) -> Result<bool, Error> {
    let path = Path::new(&decision.address);
    let mut client = connected(path)?;
    let table = &decision.table;
    let found = client
        .batch_execute(&format!("BEGIN; LOCK TABLE {table} IN SHARE ROW EXCLUSIVE MODE"))
        .and_then(|()| {
            let select = format!("SELECT FROM {table} WHERE plan = $1 AND mark = $2");
            client.query_opt(&select, &[&decision.plan, &decision.mark])
        });
    found.map(|row| row.is_some()).map_err(|error| failed(path, &error))
}

fn connected(address: &Path) -> Result<Client, Error> {
    connect_to_server(&address.to_string_lossy()).map_err(|error| {
        let text = error.to_string();
        let why = text.split_once("cannot be reached: ").map_or(&*text, |(_, why)| why);
        Error::new(OutputErrorKind::Unreachable, address, format!("no connection: {why}"))
    })
}

/// A table that takes rows.
struct TableRows {
    server: Shared,
    copy: String,
    /// How its lines are merged into a table that is there.
    append: Option<Append>,
    rows: u64,
}

impl WriteRows for TableRows {
    fn write(&mut self, piece: Piece) -> Result<(), Error> {
        let copied = with(&self.server, |server: &mut Server| {
            let address = server.address.clone();
            let failed = |error: postgres::Error| failed(&address, &error);
            let mut copy = server.client()?.copy_in(&self.copy).map_err(failed)?;
            let broken = |error: std::io::Error| Error::io(&address, &error);
            copy.write_all(piece.as_bytes()).map_err(broken)?;
            copy.finish().map_err(failed)
        })?;
        self.rows += copied;
        Ok(())
    }

    fn rows(&mut self) -> Result<u64, Error> {
        Ok(self.rows)
    }

    fn finish(self: Box<Self>) -> Result<Option<OutputFile>, Error> {
        if let Some(append) = &self.append {
            with(&self.server, |server: &mut Server| server.merge(append))?;
        }
        Ok(None)
    }
}

struct CopyLines {
    typed: Box<dyn EncodeLines>,
    columns: Vec<RowColumn>,
}

impl EncodeLines for CopyLines {
    fn encode(&self, batch: &LinesBatch<'_>, lines: &[u32]) -> Result<Piece, Unfit> {
        let typed = self.typed.encode(batch, lines)?;
        let placed = |unfit: Unfit| Unfit { line: lines[unfit.line as usize], ..unfit };
        copy_text(typed.as_columns(), &self.columns).map_err(placed)
    }
}

/// Rows in the text form of COPY.
fn copy_text(columns: &[Column], own: &[RowColumn]) -> Result<Piece, Unfit> {
    let rows = columns.first().map_or(0, Column::len);
    let mut bytes = Vec::new();
    for row in 0..rows {
        for (number, (column, own)) in columns.iter().zip(own).enumerate() {
            if number > 0 {
                bytes.push(b'\t');
            }
            match column.value(row) {
                Value::Blank => bytes.extend_from_slice(b"\\N"),
                Value::Text(text) if text.trim().is_empty() => bytes.extend_from_slice(b"\\N"),
                Value::Text(text) => {
                    if text.contains('\0') {
                        let value = text.replace('\0', "\\0");
                        let (column, why) = (own.name.clone(), UnfitReason::Nul);
                        return Err(Unfit { column, value, why, line: row as u32 });
                    }
                    write_escaped(&text, &mut bytes);
                }
                Value::YesNo(yes) => bytes.push(if yes { b't' } else { b'f' }),
                other => bytes.extend_from_slice(other.to_string().as_bytes()),
            }
        }
        bytes.push(b'\n');
    }
    Ok(Piece::bytes(bytes, rows as u64))
}

fn write_escaped(text: &str, bytes: &mut Vec<u8>) {
    for byte in text.bytes() {
        match byte {
            b'\\' => bytes.extend_from_slice(b"\\\\"),
            b'\t' => bytes.extend_from_slice(b"\\t"),
            b'\n' => bytes.extend_from_slice(b"\\n"),
            b'\r' => bytes.extend_from_slice(b"\\r"),
            other => bytes.push(other),
        }
    }
}

fn type_of(kind: ColumnKind) -> &'static str {
    match kind {
        ColumnKind::Number(_) => "numeric",
        ColumnKind::Date => "date",
        ColumnKind::YesNo => "boolean",
        ColumnKind::Text | ColumnKind::Period(_) => "text",
    }
}

fn failed(address: &Path, error: &postgres::Error) -> Error {
    let shown = shown_address(&address.to_string_lossy());
    let path = shown.map_or_else(|_| address.to_owned(), |shown| PathBuf::from(&*shown));
    match error.as_db_error() {
        Some(error) => Error::new(OutputErrorKind::Failed, &path, error.message()),
        None => Error::new(OutputErrorKind::Failed, &path, format!("the server: {error}")),
    }
}
