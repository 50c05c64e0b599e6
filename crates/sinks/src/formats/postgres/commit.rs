//! How the transactions of a run end: one decides by its commit, others follow it.

use std::path::Path;

use postgres::Client;

use super::server::{Server, connected, failed};
use crate::crash::step;
use crate::error::Error;
use crate::transactions::{Decide, Decision, Follow, Following, Servers, Undecided};

/// The commit of a run's transaction.
pub(super) struct Commit {
    pub(super) client: Client,
    pub(super) decision: Decision,
}

impl Decide for Commit {
    fn decision(&self) -> &Decision {
        &self.decision
    }

    fn decide(&mut self) -> Result<(), Undecided> {
        let Decision { address, table, plan, mark } = &self.decision;
        let path = Path::new(address);
        let marked = self.client.execute(&insert_mark(table), &[plan, mark]);
        marked.map_err(|error| Undecided::Refused(failed(path, &error)))?;
        step("marked");
        self.client.batch_execute("COMMIT").map_err(|error| match error.as_db_error() {
            Some(_) => Undecided::Refused(failed(path, &error)),
            // The connection broke: whether the server had it is not known.
            None => Undecided::Unknown(failed(path, &error)),
        })
    }
}

fn insert_mark(table: &str) -> String {
    format!("INSERT INTO {table} VALUES ($1, $2) ON CONFLICT (plan) DO UPDATE SET mark = $2")
}

/// The transaction that fills tables beside their places, and the way from there.
pub(super) struct FollowingCommit {
    pub(super) client: Client,
    pub(super) following: Following,
}

impl Follow for FollowingCommit {
    fn following(&self) -> &Following {
        &self.following
    }

    fn commit_beside(&mut self) -> Result<(), Error> {
        let path = Path::new(&self.following.by.address);
        self.client.batch_execute("COMMIT").map_err(|error| failed(path, &error))
    }
}

/// PostgreSQL servers, asked again over connections of their own.
pub(crate) struct PostgresServers;

impl Servers for PostgresServers {
    /// Whether the transaction of a run was committed. A commit that is under way is waited for.
    fn was_decided(&self, decision: &Decision) -> Result<bool, Error> {
        let path = Path::new(&decision.address);
        let mut client = connected(path)?;
        is_marked(&mut client, decision).map_err(|error| failed(path, &error))
    }

    fn swap(&self, following: &Following) -> Result<(), Error> {
        let Following { by, tables } = following;
        let path = Path::new(&by.address);
        let Some(first) = tables.first() else { return Ok(()) };
        let mut server = Server::open(path, &first.schema, &by.plan, true)?;
        let failed = |error: postgres::Error| failed(path, &error);
        let client = server.client()?;
        if is_marked(client, by).map_err(failed)? {
            return Ok(());
        }
        tables.iter().try_for_each(|table| server.swap(table))?;
        let client = server.client()?;
        client.execute(&insert_mark(&by.table), &[&by.plan, &by.mark]).map_err(failed)?;
        client.batch_execute("COMMIT").map_err(failed)
    }

    fn discard(&self, following: &Following) -> Result<(), Error> {
        let path = Path::new(&following.by.address);
        let mut client = connected(path)?;
        let all: Vec<String> = following.tables.iter().map(|table| table.discard()).collect();
        client.batch_execute(&all.join("; ")).map_err(|error| failed(path, &error))
    }
}

/// Whether the mark of a run is there. Whoever is about to leave one is waited for.
fn is_marked(client: &mut Client, decision: &Decision) -> Result<bool, postgres::Error> {
    let table = &decision.table;
    client.batch_execute(&format!("BEGIN; LOCK TABLE {table} IN SHARE ROW EXCLUSIVE MODE"))?;
    let select = format!("SELECT FROM {table} WHERE plan = $1 AND mark = $2");
    Ok(client.query_opt(&select, &[&decision.plan, &decision.mark])?.is_some())
}
