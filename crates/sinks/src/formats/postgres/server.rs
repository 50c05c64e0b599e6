//! A server with the open transaction of a run, and the tables that it fills.

use std::path::{Path, PathBuf};

use interligo_model::values::column::ColumnKind;
use interligo_sources::formats::{connect_to_server, quoted_name, shown_address};
use postgres::Client;

use super::SCHEMA;
use super::commit::{Commit, FollowingCommit};
use crate::containers::{Container, Finished};
use crate::error::{Error, OutputErrorKind};
use crate::format::{IfThere, RowColumn};
use crate::formats::append::Append;
use crate::run_facts::RunFacts;
use crate::transactions::{Decision, Following, ServerTable};

impl ServerTable {
    pub(super) fn new(name: &str, columns: &[RowColumn]) -> ServerTable {
        let (schema, table) = schema_and_table(name);
        let column = |column: &RowColumn| (column.name.clone(), sql_type(column.kind).to_owned());
        ServerTable {
            schema: schema.to_owned(),
            table: table.to_owned(),
            columns: columns.iter().map(column).collect(),
            beside: String::new(),
        }
    }

    /// Its name in SQL.
    fn quoted(&self) -> String {
        self.within(&self.table)
    }

    /// Another name of its schema in SQL.
    fn within(&self, name: &str) -> String {
        format!("{}.{}", quoted_name(&self.schema), quoted_name(name))
    }

    /// Its name in words.
    fn shown(&self) -> String {
        format!("{}.{}", self.schema, self.table)
    }

    /// Its columns, as COPY and INSERT take them.
    fn listed(&self) -> String {
        let names: Vec<String> = self.columns.iter().map(|(name, _)| quoted_name(name)).collect();
        names.join(", ")
    }

    /// How a table with its columns is made.
    fn create(&self, name: &str) -> String {
        format!("CREATE TABLE {name} ({})", self.with_types())
    }

    fn with_types(&self) -> String {
        let column = |(name, sql): &(String, String)| format!("{} {sql}", quoted_name(name));
        self.columns.iter().map(column).collect::<Vec<_>>().join(", ")
    }

    /// Puts the rows that are beside it into it.
    pub(super) fn take_over(&self) -> String {
        let (listed, beside) = (self.listed(), self.within(&self.beside));
        let into = self.quoted();
        format!("INSERT INTO {into} ({listed}) SELECT {listed} FROM {beside}; DROP TABLE {beside}")
    }

    /// Removes the rows that are beside it.
    pub(super) fn discard(&self) -> String {
        format!("DROP TABLE IF EXISTS {}", self.within(&self.beside))
    }
}

pub(super) fn schema_and_table(name: &str) -> (&str, &str) {
    name.split_once('.').unwrap_or((SCHEMA, name))
}

/// What is in the place of a table.
struct Known {
    /// Columns and their types; none where there is no such table.
    columns: Vec<(String, String)>,
    /// Whether a run made it.
    is_own: bool,
}

/// Where the rows of a table are copied to.
pub(super) struct Filling {
    pub(super) copy: String,
    /// How its lines are merged into a table that is there.
    pub(super) append: Option<Append>,
}

/// A server with the transaction of a run.
pub(super) struct Server {
    pub(super) address: PathBuf,
    client: Option<Client>,
    /// The tables that say what runs wrote, in the schema of the first output.
    tables: String,
    runs: String,
    plan: String,
    /// Tables that are filled beside their places, where another database decides.
    follows: Option<Vec<ServerTable>>,
    /// How many tables lines are added to.
    appends: usize,
    pub(super) notes: Vec<String>,
}

/// The tables that say what runs wrote, by the schema they are in: of the tables, and of the runs.
pub(super) fn mark_tables(schema: &str) -> (String, String) {
    let own = |table: &str| format!("{}.{}", quoted_name(schema), quoted_name(table));
    (own("interligo_tables"), own("interligo_runs"))
}

impl Server {
    /// Begins a transaction. It decides over the outputs of the run, or follows the one that does.
    pub(super) fn open(
        address: &Path,
        schema: &str,
        plan: &str,
        decides: bool,
    ) -> Result<Server, Error> {
        let mut client = connected(address)?;
        let (tables, runs) = mark_tables(schema);
        // They are there before the transaction, so that whoever looks for its mark can wait for it.
        let make = format!(
            "SET client_min_messages = warning; SET datestyle = 'ISO'; \
             CREATE TABLE IF NOT EXISTS {tables} (name text PRIMARY KEY, plan text); \
             CREATE TABLE IF NOT EXISTS {runs} (plan text PRIMARY KEY, mark text); BEGIN; \
             SET LOCAL idle_in_transaction_session_timeout = 0; SET LOCAL lock_timeout = '60s'"
        );
        client.batch_execute(&make).map_err(|error| failed(address, &error))?;
        Ok(Server {
            address: address.to_owned(),
            client: Some(client),
            tables,
            runs,
            plan: plan.to_owned(),
            follows: (!decides).then(Vec::new),
            appends: 0,
            notes: Vec::new(),
        })
    }

    pub(super) fn client(&mut self) -> Result<&mut Client, Error> {
        let address = &self.address;
        let over = || Error::new(OutputErrorKind::Failed, address, "its transaction is over");
        self.client.as_mut().ok_or_else(over)
    }

    /// Prepares a table for its rows: it is made, or one of an earlier run is emptied.
    pub(super) fn table(
        &mut self,
        mut own: ServerTable,
        if_there: &IfThere,
    ) -> Result<Filling, Error> {
        let known = self.known(&own)?;
        if let (IfThere::Append(key), false) = (if_there, known.columns.is_empty()) {
            let append = self.beside(&own, &known, key)?;
            let copy = format!("COPY {} ({}) FROM STDIN", append.beside, own.listed());
            return Ok(Filling { copy, append: Some(append) });
        }
        self.refuse(&own, &known, *if_there == IfThere::Stop)?;
        let address = self.address.clone();
        let into = match &mut self.follows {
            Some(follows) => {
                own.beside = format!("interligo_{}_{}", moment(), follows.len());
                let beside = own.within(&own.beside);
                let create = own.create(&beside);
                follows.push(own.clone());
                let made = self.client()?.batch_execute(&create);
                made.map_err(|error| failed(&address, &error))?;
                beside
            }
            None => {
                self.make_way(&own, &known)?;
                own.quoted()
            }
        };
        Ok(Filling { copy: format!("COPY {into} ({}) FROM STDIN", own.listed()), append: None })
    }

    /// What is in the place of a table.
    fn known(&mut self, own: &ServerTable) -> Result<Known, Error> {
        let (address, marks) = (self.address.clone(), self.tables.clone());
        let failed = |error: postgres::Error| failed(&address, &error);
        let client = self.client()?;
        let columns = client
            .query(
                "SELECT attribute.attname::text, format_type(atttypid, atttypmod) \
                 FROM pg_class class JOIN pg_namespace space ON space.oid = relnamespace \
                 JOIN pg_attribute attribute ON attrelid = class.oid AND attnum > 0 AND NOT attisdropped \
                 WHERE nspname = $1 AND relname = $2 ORDER BY attnum",
                &[&own.schema, &own.table],
            )
            .map_err(failed)?;
        let marked = client
            .query_opt(&format!("SELECT FROM {marks} WHERE name = $1"), &[&own.shown()])
            .map_err(failed)?;
        let column = |row: &postgres::Row| (row.get(0), row.get(1));
        Ok(Known { columns: columns.iter().map(column).collect(), is_own: marked.is_some() })
    }

    /// Refuses a table that is there and not to be replaced.
    fn refuse(&self, own: &ServerTable, known: &Known, stop: bool) -> Result<(), Error> {
        let name = own.shown();
        if known.columns.is_empty() {
            return Ok(());
        }
        if stop {
            return Err(Error::is_there(&self.address, &name));
        }
        if !known.is_own {
            let reason = format!("its table `{name}` was not made by Interligo");
            return Err(Error::new(OutputErrorKind::NotOwn, &self.address, reason));
        }
        Ok(())
    }

    /// Makes a table, or empties one of an earlier run, and leaves the mark of the plan.
    fn make_way(&mut self, own: &ServerTable, known: &Known) -> Result<(), Error> {
        let (address, marks, plan) = (self.address.clone(), self.tables.clone(), self.plan.clone());
        let failed = |error: postgres::Error| failed(&address, &error);
        let (target, client) = (own.quoted(), self.client()?);
        let create = own.create(&target);
        if known.columns.is_empty() {
            client.batch_execute(&create).map_err(failed)?;
        } else {
            // Another run that fills the table is waited for: its rows, too, are to go. Readers are not held up.
            let alone = format!("LOCK TABLE {target} IN SHARE ROW EXCLUSIVE MODE");
            client.batch_execute(&alone).map_err(failed)?;
            let change = match known.columns == own.columns {
                true => format!("DELETE FROM {target}"),
                false => format!("DROP TABLE {target}; {create}"),
            };
            client.batch_execute(&change).map_err(failed)?;
        }
        let mark = format!(
            "INSERT INTO {marks} VALUES ($1, $2) ON CONFLICT (name) DO UPDATE SET plan = $2"
        );
        client.execute(&mark, &[&own.shown(), &plan]).map_err(failed)?;
        Ok(())
    }

    /// Puts rows that were committed beside a table into it, unless somebody else has one there by now.
    pub(super) fn swap(&mut self, own: &ServerTable) -> Result<(), Error> {
        let known = self.known(own)?;
        self.refuse(own, &known, false)?;
        self.make_way(own, &known)?;
        let address = self.address.clone();
        let taken = self.client()?.batch_execute(&own.take_over());
        taken.map_err(|error| failed(&address, &error))
    }

    /// Makes a table beside one that lines are added to. Its columns have the same types: what is copied from one to the
    /// other is not changed.
    fn beside(
        &mut self,
        own: &ServerTable,
        known: &Known,
        key: &[String],
    ) -> Result<Append, Error> {
        let (address, name, target) = (self.address.clone(), own.shown(), own.quoted());
        for (column, sql) in &own.columns {
            match known.columns.iter().find(|(name, _)| name == column) {
                None => return Err(Error::lacks_column(&address, &name, column)),
                Some((_, there)) if there != sql => {
                    let reason = format!(
                        "the column `{column}` of its table `{name}` is {there}, and the output has {sql}"
                    );
                    return Err(Error::new(OutputErrorKind::BadColumn, &address, reason));
                }
                Some(_) => {}
            }
        }
        self.appends += 1;
        let beside = format!("interligo_added_{}", self.appends);
        // Another run that adds to the table is waited for. Readers are not held up.
        let make = format!(
            "LOCK TABLE {target} IN SHARE ROW EXCLUSIVE MODE; CREATE TEMP TABLE {beside} ({}) ON COMMIT DROP",
            own.with_types()
        );
        self.client()?.batch_execute(&make).map_err(|error| failed(&address, &error))?;
        Ok(Append {
            table: target,
            shown: name,
            beside: format!("pg_temp.{beside}"),
            columns: own.columns.iter().map(|(name, _)| name.clone()).collect(),
            key: key.to_vec(),
            same: "IS NOT DISTINCT FROM",
        })
    }

    /// Merges the lines beside a table into it.
    pub(super) fn merge(&mut self, append: &Append) -> Result<(), Error> {
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
        let address = &self.address;
        let over = || Error::new(OutputErrorKind::Failed, address, "its transaction is over");
        let client = self.client.take().ok_or_else(over)?;
        let decision = Decision {
            address: self.address.to_string_lossy().into_owned(),
            table: self.runs.clone(),
            plan: self.plan.clone(),
            mark: moment(),
        };
        Ok(match self.follows.take() {
            None => Finished::Decides(Box::new(Commit { client, decision })),
            Some(tables) => {
                let following = Following { by: decision, tables };
                Finished::Follows(Box::new(FollowingCommit { client, following }))
            }
        })
    }

    fn notes(&mut self) -> Vec<String> {
        std::mem::take(&mut self.notes)
    }

    fn as_any(&mut self) -> &mut dyn std::any::Any {
        self
    }
}

/// A name that no other run has.
fn moment() -> String {
    let now = std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH);
    format!("{}_{}", std::process::id(), now.map_or(0, |now| now.as_nanos()))
}

pub(super) fn connected(address: &Path) -> Result<Client, Error> {
    connect_to_server(&address.to_string_lossy()).map_err(|error| {
        let text = error.to_string();
        let why = text.split_once("cannot be reached: ").map_or(&*text, |(_, why)| why);
        Error::new(OutputErrorKind::Unreachable, address, format!("no connection: {why}"))
    })
}

fn sql_type(kind: ColumnKind) -> &'static str {
    match kind {
        ColumnKind::Number(_) => "numeric",
        ColumnKind::Date => "date",
        ColumnKind::YesNo => "boolean",
        ColumnKind::Text | ColumnKind::Period(_) => "text",
    }
}

pub(super) fn failed(address: &Path, error: &postgres::Error) -> Error {
    let shown = shown_address(&address.to_string_lossy());
    let path = shown.map_or_else(|_| address.to_owned(), |shown| PathBuf::from(&*shown));
    match error.as_db_error() {
        Some(error) => Error::new(OutputErrorKind::Failed, &path, error.message()),
        None => Error::new(OutputErrorKind::Failed, &path, format!("the server: {error}")),
    }
}
