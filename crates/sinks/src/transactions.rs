//! What databases have to do with the end of a run: the transaction whose commit decides over its outputs, and the rows on
//! other servers that follow it.

use serde::{Deserialize, Serialize};

use crate::error::Error;

/// The transaction of a run on a server, by the mark that it leaves.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Decision {
    /// The server and database.
    pub address: String,
    /// The table in which the mark is.
    pub table: String,
    /// The plan.
    pub plan: String,
    /// The mark.
    pub mark: String,
}

/// What decides over the outputs of a run.
pub trait Decide: Send {
    /// What is left of it.
    fn decision(&self) -> &Decision;

    /// Commits.
    ///
    /// # Errors
    /// It was refused, or it is not known whether it was.
    fn decide(&mut self) -> Result<(), Undecided>;
}

/// Why a commit is not there.
#[derive(Debug)]
pub enum Undecided {
    /// The server refused it.
    Refused(Error),
    /// The server did not answer; it may have it.
    Unknown(Error),
}

/// The rows of a run on a server that does not decide.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Following {
    /// The server, and the mark that is there once its tables are.
    pub by: Decision,
    /// The tables, with the places of their rows until then.
    pub tables: Vec<ServerTable>,
}

/// A table of a server as a run wants it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct ServerTable {
    /// The schema.
    pub schema: String,
    /// The table in it.
    pub table: String,
    /// Its columns and their SQL types.
    pub columns: Vec<(String, String)>,
    /// The table with its rows until another database has decided; empty where they are in their place at once.
    pub beside: String,
}

/// A transaction that fills tables beside their places.
pub trait Follow: Send {
    /// What is left of it.
    fn following(&self) -> &Following;

    /// Commits the rows beside their places.
    ///
    /// # Errors
    /// It was refused, or the server does not answer.
    fn commit_beside(&mut self) -> Result<(), Error>;
}

/// The transaction that decides over the outputs of a run.
pub type Decider = Box<dyn Decide>;

/// The transactions of a run.
#[derive(Default)]
pub struct Transactions {
    /// The one that decides.
    pub decides: Option<Decider>,
    /// Those that follow it.
    pub follow: Vec<Box<dyn Follow>>,
}

/// The servers that runs write to, as whoever completes a run meets them again.
pub trait Servers {
    /// Whether a decision was made.
    ///
    /// # Errors
    /// Nobody knows: the server does not answer.
    fn was_decided(&self, decision: &Decision) -> Result<bool, Error>;

    /// Puts rows that are beside their tables into them, unless that was done.
    ///
    /// # Errors
    /// The server does not answer, or refuses it.
    fn swap(&self, following: &Following) -> Result<(), Error>;

    /// Removes rows that are beside their tables.
    ///
    /// # Errors
    /// The server does not answer, or refuses it.
    fn discard(&self, following: &Following) -> Result<(), Error>;
}

/// The servers of a build that reaches none.
#[cfg(not(feature = "postgres"))]
struct NoServers;

#[cfg(not(feature = "postgres"))]
impl NoServers {
    fn unreachable<T>(decision: &Decision) -> Result<T, Error> {
        let reason = "this build cannot ask a PostgreSQL server";
        let path = std::path::Path::new(&decision.address);
        Err(Error::new(crate::error::OutputErrorKind::Failed, path, reason))
    }
}

#[cfg(not(feature = "postgres"))]
impl Servers for NoServers {
    fn was_decided(&self, decision: &Decision) -> Result<bool, Error> {
        NoServers::unreachable(decision)
    }

    fn swap(&self, following: &Following) -> Result<(), Error> {
        NoServers::unreachable(&following.by)
    }

    fn discard(&self, following: &Following) -> Result<(), Error> {
        NoServers::unreachable(&following.by)
    }
}

/// The servers that this build can write to.
pub fn servers() -> &'static dyn Servers {
    #[cfg(feature = "postgres")]
    return &crate::formats::postgres::PostgresServers;
    #[cfg(not(feature = "postgres"))]
    return &NoServers;
}
