//! A PostgreSQL server for the tests: the one that is named, or one of its own.

use std::io::{BufRead, BufReader};
use std::process::{Child, Command, Output, Stdio};
use std::sync::OnceLock;

use crate::support::Folder;

/// The address of a server that the tests may use.
const NAMED: &str = "INTERLIGO_TEST_POSTGRES";

/// A server on a socket of this machine.
pub(crate) struct Server {
    pub(crate) folder: String,
    pub(crate) port: String,
    /// It ends when its standard input does.
    _own: Option<Child>,
}

impl Server {
    /// The server; `None` where there is none and its programs are not to be found, which is reported once.
    pub(crate) fn get() -> Option<&'static Server> {
        static SERVER: OnceLock<Option<Server>> = OnceLock::new();
        SERVER.get_or_init(Server::start).as_ref()
    }

    fn start() -> Option<Server> {
        if let Ok(address) = std::env::var(NAMED) {
            return Some(Server::at(&address, None));
        }
        let script = concat!(env!("CARGO_MANIFEST_DIR"), "/../../.ci/postgres");
        let started = Command::new(script).stdin(Stdio::piped()).stdout(Stdio::piped()).spawn();
        let mut own = started.ok()?;
        let mut address = String::new();
        BufReader::new(own.stdout.take()?).read_line(&mut address).ok()?;
        if address.is_empty() {
            eprintln!(
                "The tests against PostgreSQL are left out: its programs are not to be found."
            );
            return None;
        }
        Some(Server::at(address.trim(), Some(own)))
    }

    fn at(address: &str, own: Option<Child>) -> Server {
        let setting = |name: &str| {
            let settings = address.split_once('?').map_or("", |(_, settings)| settings);
            let found = settings.split('&').find_map(|s| s.strip_prefix(name)?.strip_prefix('='));
            found.unwrap_or_else(|| panic!("{NAMED} has no `{name}`")).to_owned()
        };
        Server { folder: setting("host"), port: setting("port"), _own: own }
    }

    /// A connection, to prepare what is read.
    pub(crate) fn client(&self) -> postgres::Client {
        let login = format!("host={} port={} user=mielo dbname=postgres", self.folder, self.port);
        postgres::Client::connect(&login, postgres::NoTls).unwrap()
    }

    /// The environment in which the program finds the server on its socket.
    pub(crate) fn environment(&self) -> [(&'static str, String); 3] {
        let (folder, port) = (self.folder.clone(), self.port.clone());
        [("PGHOST", folder), ("PGPORT", port), ("PGUSER", "mielo".to_owned())]
    }
}

/// A schema of its own for a test, which goes with it.
pub(crate) struct Schema {
    pub(crate) server: &'static Server,
    name: &'static str,
}

impl Schema {
    /// None where there is no server, which is reported.
    pub(crate) fn new(name: &'static str) -> Option<Schema> {
        let server = Server::get()?;
        let fresh = format!("DROP SCHEMA IF EXISTS {name} CASCADE; CREATE SCHEMA {name}");
        server.client().batch_execute(&fresh).unwrap();
        Some(Schema { server, name })
    }

    pub(crate) fn run(&self, folder: &Folder, arguments: &[&str], more: &[(&str, &str)]) -> Output {
        let mut command = folder.command(arguments);
        command.envs(self.server.environment()).envs(more.iter().copied()).output().unwrap()
    }

    /// What a query answers, as texts.
    pub(crate) fn ask(&self, query: &str) -> Option<String> {
        let row = self.server.client().query_opt(query, &[]).ok()??;
        row.get(0)
    }

    /// The socket of the server.
    pub(crate) fn socket(&self) -> std::path::PathBuf {
        std::path::Path::new(&self.server.folder).join(format!(".s.PGSQL.{}", self.server.port))
    }

    pub(crate) fn quantity(&self) -> Option<String> {
        self.ask(&format!("SELECT sum(quantity)::text FROM {}.lines", self.name))
    }
}

impl Drop for Schema {
    fn drop(&mut self) {
        let gone = format!("DROP SCHEMA IF EXISTS {} CASCADE", self.name);
        let _ = self.server.client().batch_execute(&gone);
    }
}
