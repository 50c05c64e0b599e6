//! A PostgreSQL server for the tests: the one that is named, or one of its own.

use std::io::{BufRead, BufReader};
use std::process::{Child, Command, Stdio};
use std::sync::OnceLock;

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
