//! PostgreSQL: tables, views and answers to queries, streamed by COPY, in read-only transactions that all
//! see the database as it was at one moment.
//!
//! COPY writes every value as exact text, which goes straight into the splitter of text files. Rows come in
//! the order in which the server has them; it is kept for the whole run.
//!
//! | type | text that is made of it |
//! |---|---|
//! | whole numbers, `numeric` | exact, with the places of the type |
//! | `real`, `double precision` | as `numeric`, of 15 digits at most |
//! | `money` | as `numeric` |
//! | `date` | `2025-12-31` |
//! | `timestamp`, with time zone in that of the session | `2025-12-31 08:30:00` |
//! | `boolean` | `true`, `false` |
//! | anything else | as the server writes it |
//! | null | blank |

mod address;
mod copy;
mod tls;

use std::sync::{Arc, Mutex, PoisonError};

use arrow_array::{Array, StringViewArray};
use interligo_model::place::PartName;
use postgres::error::SqlState;
use postgres::types::Type;
use postgres::{Client, NoTls};

use self::address::{Encryption, Login, OwnEnvironment};
use self::copy::{BLOCK, Copied, CopyRows};
use super::server_address;
use super::threaded::Threaded;
use super::{
    Address, Block, Container, Format, Limits, OwnTables, Reader, Source, Unsplit, Wanted, What,
    quoted_name,
};
use crate::error::{Error, InputKind};
use crate::formats::declared_keys::{ForeignKey, KeysStated};
use crate::formats::head::{Head, Typed};
use crate::table::settings::TableSettings;

/// Rows that are looked at.
const SAMPLE: usize = 1000;

/// PostgreSQL databases.
pub(super) struct PostgresFormat;

impl Format for PostgresFormat {
    fn takes(&self, name: &str) -> bool {
        server_address::is_address(name)
    }

    fn is_address(&self) -> bool {
        true
    }

    fn shown(&self, address: &str) -> Result<Arc<str>, Error> {
        server_address::shown(address)
    }

    fn open(&self, at: &Address, _: &Limits, _: &OwnTables) -> Result<Arc<dyn Container>, Error> {
        let login = Login::new(&at.path.to_string_lossy(), &OwnEnvironment).map_err(|why| {
            Error::input(InputKind::Address, &at.shown, why.to_string())
                .help("write for instance postgres://db.example/shop")
        })?;
        let server = Arc::new(Server { login, shown: at.shown.clone(), keeper: Mutex::new(None) });
        Ok(Arc::new(Database(server)))
    }
}

/// A connection that may write.
pub(super) fn connect(address: &str) -> Result<Client, Error> {
    let shown = server_address::shown(address)?;
    let login = Login::new(address, &OwnEnvironment)
        .map_err(|why| Error::input(InputKind::Address, &shown, why.to_string()))?;
    let name = PartName::from(&shown);
    Server { login, shown, keeper: Mutex::new(None) }.connect(&name)
}

/// A server with a database.
struct Server {
    login: Login,
    shown: Arc<str>,
    /// The connection whose transaction says what all others see.
    keeper: Mutex<Option<Keeper>>,
}

struct Keeper {
    client: Client,
    /// What others name to see the same; `None` where the server cannot share it.
    snapshot: Option<String>,
}

struct Database(Arc<Server>);

/// A column of a table or answer.
struct Column {
    name: String,
    type_of: Type,
}

impl Server {
    fn connect(&self, name: &PartName) -> Result<Client, Error> {
        let failed = |error: postgres::Error| self.unreachable(name, &error);
        let tls = tls::connector(&self.login.encryption).map_err(|why| {
            Error::input(InputKind::Unreachable, name, format!("cannot be reached: {why}"))
        })?;
        let plain = || {
            let mut config = self.login.config.clone();
            config.ssl_mode(postgres::config::SslMode::Disable);
            config.connect(NoTls)
        };
        let client = match tls {
            None => plain().map_err(failed)?,
            Some(tls) => match self.login.config.connect(tls) {
                Ok(client) => client,
                // What is only offered need not succeed.
                Err(error)
                    if self.login.encryption == Encryption::Offered && error.code().is_none() =>
                {
                    plain().map_err(|_| failed(error))?
                }
                Err(error) => return Err(failed(error)),
            },
        };
        Ok(client)
    }

    /// A connection that sees what the keeper sees.
    fn reader(&self, name: &PartName) -> Result<Client, Error> {
        let snapshot = self.with_keeper(name, |keeper| Ok(keeper.snapshot.clone()))?;
        let mut client = self.connect(name)?;
        let see = snapshot.map_or(String::new(), |id| format!("; SET TRANSACTION SNAPSHOT '{id}'"));
        let begin = format!("{BEGIN}{see}; {SETTINGS}");
        client.batch_execute(&begin).map_err(|error| self.failed(name, &error))?;
        Ok(client)
    }

    fn with_keeper<R>(
        &self,
        name: &PartName,
        work: impl FnOnce(&mut Keeper) -> Result<R, postgres::Error>,
    ) -> Result<R, Error> {
        let mut keeper = self.keeper.lock().unwrap_or_else(PoisonError::into_inner);
        let keeper = match &mut *keeper {
            Some(keeper) => keeper,
            none => none.insert(self.keep(name)?),
        };
        // No table stays locked for what was only looked at: others could wait for it, and readers behind them.
        let mut step = |sql: &str| keeper.client.batch_execute(sql);
        let done = step("SAVEPOINT look").and_then(|()| work(keeper));
        let over = keeper.client.batch_execute("ROLLBACK TO look");
        done.and_then(|done| over.map(|()| done)).map_err(|error| self.failed(name, &error))
    }

    fn keep(&self, name: &PartName) -> Result<Keeper, Error> {
        let mut client = self.connect(name)?;
        let mut begin = || {
            client.batch_execute(&format!("{BEGIN}; {SETTINGS}"))?;
            // A standby cannot share what it sees; each transaction is consistent by itself then.
            let standby: bool = client.query_one("SELECT pg_is_in_recovery()", &[])?.get(0);
            let share = "SELECT pg_export_snapshot()";
            if standby { Ok(None) } else { Ok(Some(client.query_one(share, &[])?.get(0))) }
        };
        let snapshot = begin().map_err(|error: postgres::Error| self.failed(name, &error))?;
        Ok(Keeper { client, snapshot })
    }

    fn unreachable(&self, name: &PartName, error: &postgres::Error) -> Error {
        let user = self.login.user();
        match error.code() {
            Some(code) if *code == SqlState::INVALID_PASSWORD || *code == SqlState::INVALID_AUTHORIZATION_SPECIFICATION => {
                Error::input(InputKind::Denied, name, format!("does not let `{user}` in: {}", message(error)))
                    .help("check PGUSER, and the password in PGPASSWORD or in the password file (~/.pgpass)")
            }
            Some(_) => Error::input(InputKind::Denied, name, format!("cannot be opened: {}", message(error)))
                .help("check the name of the database in the address"),
            None if message(error).contains("password missing") => {
                Error::input(InputKind::Denied, name, format!("asks `{user}` for a password, and none is given"))
                    .help("give it in PGPASSWORD or in the password file (~/.pgpass)")
            }
            None => Error::input(InputKind::Unreachable, name, format!("cannot be reached: {}", message(error)))
                .help("check the address, and that the server runs and can be reached from here"),
        }
    }

    fn failed(&self, name: &PartName, error: &postgres::Error) -> Error {
        let user = self.login.user();
        match error.code() {
            Some(code) if *code == SqlState::INSUFFICIENT_PRIVILEGE => {
                Error::input(InputKind::Denied, name, format!("may not be read by `{user}`: {}", message(error)))
                    .help("ask its owner for the right: GRANT SELECT; the query of a superuser runs with the rights of pg_read_all_data")
            }
            Some(code) if code.code().starts_with("42") => {
                Error::input(InputKind::QueryFailed, name, format!("cannot be answered: {}", message(error)))
                    .help("correct the table or the `query` in the plan")
            }
            Some(code) if *code == SqlState::LOCK_NOT_AVAILABLE => {
                Error::input(InputKind::Locked, name, "is locked by another session")
                    .help("run again when that has ended what it is changing")
            }
            Some(code) if *code == SqlState::READ_ONLY_SQL_TRANSACTION => {
                Error::input(InputKind::WouldWrite, name, "would change the database")
                    .help("a `query` only reads: SELECT …")
            }
            Some(code) if code.code().starts_with("57") || code.code().starts_with("08") => {
                broken_off(name, &message(error))
            }
            Some(_) => Error::input(InputKind::Unreadable, name, format!("cannot be read: {}", message(error))),
            None => broken_off(name, &message(error)),
        }
    }
}

/// Reads only, and sees one moment.
const BEGIN: &str = "BEGIN ISOLATION LEVEL REPEATABLE READ READ ONLY";

/// One way of writing, and one order of rows, whatever the server is set to.
const SETTINGS: &str = "SET LOCAL datestyle = 'ISO'; SET LOCAL intervalstyle = 'iso_8601'; \
    SET LOCAL synchronize_seqscans = off; SET LOCAL max_parallel_workers_per_gather = 0; \
    SET LOCAL idle_in_transaction_session_timeout = 0; SET LOCAL lock_timeout = '30s'";

/// For the rest of the transaction, a login that may do everything is one that may read all tables: what a query calls
/// reaches no files of the server. Tables are found where they were, and rows that a policy would hide end the query.
fn only_read(client: &mut Client) -> Result<(), postgres::Error> {
    let may_do_all = client.query_opt(
        "SELECT FROM pg_roles own, pg_roles other \
         WHERE own.rolname = current_user AND own.rolsuper AND other.rolname = 'pg_read_all_data'",
        &[],
    )?;
    match may_do_all {
        None => Ok(()),
        Some(_) => client.batch_execute(
            "SELECT set_config('search_path', string_agg(quote_ident(name), ', '), true) \
             FROM unnest(current_schemas(false)) AS name; \
             SET LOCAL row_security = off; SET LOCAL ROLE pg_read_all_data",
        ),
    }
}

fn broken_off(name: &PartName, why: &str) -> Error {
    Error::input(InputKind::BrokenOff, name, format!("broke off the connection: {why}"))
        .help("run again; nothing of what was read is passed off as whole")
}

/// What the server or the connection says.
fn message(error: &postgres::Error) -> String {
    if let Some(error) = error.as_db_error() {
        return error.message().to_owned();
    }
    let source = std::error::Error::source(error).map(ToString::to_string);
    source.unwrap_or_else(|| error.to_string())
}

impl Container for Database {
    fn tables(&self) -> Result<Option<Vec<String>>, Error> {
        let name = PartName::from(&self.0.shown);
        let rows = self.0.with_keeper(&name, |keeper| keeper.client.query(TABLES, &[]))?;
        Ok(Some(rows.iter().map(|row| row.get(0)).collect()))
    }

    fn has(&self, name: &str) -> bool {
        self.quoted(name, &PartName::from(&self.0.shown)).is_ok_and(|found| found.is_some())
    }

    fn keys_stated(&self) -> Result<KeysStated, Error> {
        let name = PartName::from(&self.0.shown);
        let rows = self.0.with_keeper(&name, |keeper| keeper.client.query(CONSTRAINTS, &[]))?;
        let mut stated = KeysStated::default();
        for row in &rows {
            let from = (row.get::<_, String>(1), row.get::<_, Vec<String>>(2));
            match (row.get::<_, Option<String>>(3), row.get::<_, Vec<String>>(4)) {
                (Some(to), columns) => {
                    stated.links.push(ForeignKey { from, to: (to, columns) });
                }
                (None, _) => stated.keys.push(from),
            }
        }
        Ok(stated)
    }

    fn server(&self) -> Option<&str> {
        Some(&self.0.shown)
    }

    fn answers(&self) -> bool {
        true
    }

    fn look(&self, what: &What, name: &PartName, given: TableSettings) -> Result<Head, Error> {
        let from = match what {
            What::Query(query) => format!("({}) AS answer", query.trim().trim_end_matches(';')),
            What::Table(table) => match self.quoted(table, name)? {
                Some(quoted) => quoted,
                None => {
                    return Err(Error::input(InputKind::NoSuchTable, name, "is no table or view"));
                }
            },
            What::Whole => {
                return Err(Error::input(
                    InputKind::TableNotNamed,
                    name,
                    "is a database, and no table of it is named",
                ));
            }
        };
        let is_query = matches!(what, What::Query(_));
        let columns = self.0.with_keeper(name, |keeper| {
            if is_query {
                only_read(&mut keeper.client)?;
            }
            let statement = keeper.client.prepare(&format!("SELECT * FROM {from} LIMIT 0"))?;
            let column = |column: &postgres::Column| Column {
                name: column.name().to_owned(),
                type_of: column.type_().clone(),
            };
            Ok(statement.columns().iter().map(column).collect::<Vec<_>>())
        })?;
        let column_names: Vec<String> = columns.iter().map(|column| column.name.clone()).collect();
        let source = PostgresSource {
            server: self.0.clone(),
            name: name.clone(),
            from,
            is_query,
            selected: Arc::new(columns.iter().map(Column::selected).collect()),
        };
        let sample = source.sample(&column_names)?;
        let typed = columns.iter().zip(&sample);
        let typed = typed.map(|(column, texts)| column.typed(texts)).collect();
        Ok(Head::of_fields(Arc::new(source), column_names, sample, typed, given))
    }
}

/// Tables and views that are not the server's own; those that need no schema in their name without it.
const TABLES: &str = "\
    SELECT CASE WHEN n.nspname = ANY (current_schemas(false)) THEN c.relname::text \
           ELSE n.nspname || '.' || c.relname END AS name \
    FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace \
    WHERE c.relkind IN ('r', 'v', 'm', 'p', 'f') AND NOT c.relispartition \
      AND n.nspname NOT IN ('pg_catalog', 'information_schema') AND n.nspname NOT LIKE 'pg\\_%' \
    ORDER BY 1";

/// Primary and foreign keys: the table with its columns, and the table that it refers to with its columns.
const CONSTRAINTS: &str = "\
    WITH named AS (SELECT c.oid, CASE WHEN n.nspname = ANY (current_schemas(false)) THEN c.relname::text \
                          ELSE n.nspname || '.' || c.relname END AS name \
                   FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace) \
    SELECT k.contype::text, own.name, \
           ARRAY(SELECT a.attname::text FROM unnest(k.conkey) WITH ORDINALITY AS u(number, place) \
                 JOIN pg_attribute a ON a.attrelid = k.conrelid AND a.attnum = u.number ORDER BY u.place), \
           other.name, \
           ARRAY(SELECT a.attname::text FROM unnest(k.confkey) WITH ORDINALITY AS u(number, place) \
                 JOIN pg_attribute a ON a.attrelid = k.confrelid AND a.attnum = u.number ORDER BY u.place) \
    FROM pg_constraint k JOIN named own ON own.oid = k.conrelid LEFT JOIN named other ON other.oid = k.confrelid \
    WHERE k.contype IN ('p', 'f') ORDER BY k.contype DESC, own.name, k.conname";

/// The schema and the name of the table that is called so, with or without its schema.
const FIND: &str = "\
    SELECT n.nspname::text, c.relname::text \
    FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace \
    WHERE c.relkind IN ('r', 'v', 'm', 'p', 'f') \
      AND (n.nspname || '.' || c.relname = $1 \
           OR (c.relname = $1 AND n.nspname = ANY (current_schemas(true)))) \
    ORDER BY array_position(current_schemas(true), n.nspname) LIMIT 1";

impl Database {
    /// The name of a table as SQL quotes it.
    fn quoted(&self, table: &str, name: &PartName) -> Result<Option<String>, Error> {
        let row = self.0.with_keeper(name, |keeper| keeper.client.query_opt(FIND, &[&table]))?;
        let quoted = |row: postgres::Row| {
            let (schema, table): (String, String) = (row.get(0), row.get(1));
            format!("{}.{}", quoted_name(&schema), quoted_name(&table))
        };
        Ok(row.map(quoted))
    }
}

impl Column {
    /// How it is asked for.
    fn selected(&self) -> String {
        let name = quoted_name(&self.name);
        match self.type_of {
            Type::BOOL => format!("{name}::text"),
            Type::FLOAT4 | Type::FLOAT8 | Type::MONEY => format!("{name}::numeric"),
            Type::TIMESTAMP | Type::TIMESTAMPTZ => {
                format!("date_trunc('second', {name})::timestamp")
            }
            _ => name,
        }
    }

    /// Which of its values are numbers or days by themselves.
    fn typed(&self, texts: &StringViewArray) -> Typed {
        let times = matches!(self.type_of, Type::TIMESTAMP | Type::TIMESTAMPTZ);
        let numbers = matches!(
            self.type_of,
            Type::INT2
                | Type::INT4
                | Type::INT8
                | Type::NUMERIC
                | Type::FLOAT4
                | Type::FLOAT8
                | Type::MONEY
        );
        let typed = times || numbers || self.type_of == Type::DATE;
        // Also where all that was looked at is blank: the type holds for every row.
        Typed { rows: vec![typed; texts.len()], times }
    }
}

/// A table or query.
struct PostgresSource {
    server: Arc<Server>,
    name: PartName,
    /// What comes after FROM.
    from: String,
    is_query: bool,
    /// How each column is asked for.
    selected: Arc<Vec<String>>,
}

impl PostgresSource {
    fn copy(&self, wanted: &Wanted, limit: Option<usize>) -> String {
        // A column that nobody asked for keeps its place.
        let column = |(field, selected): (usize, &String)| match wanted.has(field) {
            true => selected.clone(),
            false => "NULL".to_owned(),
        };
        let columns: Vec<String> = self.selected.iter().enumerate().map(column).collect();
        let limit = limit.map_or(String::new(), |rows| format!(" LIMIT {rows}"));
        format!(
            "COPY (SELECT {} FROM {}{limit}) TO STDOUT (DELIMITER ',', NULL '', ENCODING 'UTF8')",
            columns.join(", "),
            self.from
        )
    }

    /// The first rows, by field.
    fn sample(&self, column_names: &[String]) -> Result<Vec<StringViewArray>, Error> {
        let copy = self.copy(&Wanted::All, Some(SAMPLE));
        let mut rows = CopyRows::new();
        let read = self.server.with_keeper(&self.name, |keeper| {
            if self.is_query {
                only_read(&mut keeper.client)?;
            }
            let mut reader = keeper.client.copy_out(&copy)?;
            Ok(rows.fill(&mut reader, usize::MAX))
        })?;
        read.map_err(|error| self.broken(error))?;
        let grid = Box::new(Copied(rows.take())).split(&self.name, column_names)?;
        Ok((0..column_names.len()).map(|field| grid.column(field)).collect())
    }

    fn broken(&self, error: std::io::Error) -> Error {
        match error.downcast::<postgres::Error>() {
            Ok(error) => self.server.failed(&self.name, &error),
            Err(error) => broken_off(&self.name, &error.to_string()),
        }
    }
}

impl Source for PostgresSource {
    fn open(&self, wanted: &Wanted) -> Result<Box<dyn Reader>, Error> {
        let copy = self.copy(wanted, None);
        let own = PostgresSource {
            server: self.server.clone(),
            name: self.name.clone(),
            from: self.from.clone(),
            is_query: self.is_query,
            selected: self.selected.clone(),
        };
        Ok(Threaded::start(&self.name, move |send| own.read(&copy, send)))
    }

    fn in_words(&self) -> Vec<String> {
        vec!["PostgreSQL".to_owned()]
    }

    fn separator(&self) -> Option<u8> {
        Some(b',')
    }
}

impl PostgresSource {
    fn read(&self, copy: &str, send: &mut dyn FnMut(Block) -> bool) -> Result<(), Error> {
        let mut client = self.server.reader(&self.name)?;
        if self.is_query {
            only_read(&mut client).map_err(|error| self.server.failed(&self.name, &error))?;
        }
        let mut reader =
            client.copy_out(copy).map_err(|error| self.server.failed(&self.name, &error))?;
        let mut rows = CopyRows::new();
        loop {
            let more = rows.fill(&mut reader, BLOCK).map_err(|error| self.broken(error))?;
            if !rows.is_empty() {
                let text = rows.take();
                let (bytes, lines, first) = (text.length as u64, text.lines, text.first);
                let block = Block {
                    bytes,
                    lines,
                    extent: lines,
                    first,
                    last: false,
                    rows: Box::new(Copied(text)),
                };
                if !send(block) {
                    return Ok(());
                }
            }
            if !more {
                return Ok(());
            }
        }
    }
}
