//! Where tables come from. A [`Format`] is a kind of file or database; a [`Container`] is one such file or
//! database, with the tables in it; a [`Source`] is one table, found and looked at, which can be read from its
//! first row below the column names.
//!
//! Each format is one module, and is in the list of `FORMATS`. All that is done with rows once they
//! are read is done elsewhere, by the same code for all formats.

#[cfg(not(all(
    feature = "parquet",
    feature = "postgres",
    feature = "sqlite",
    feature = "workbook"
)))]
mod absent;
#[cfg(feature = "parquet")]
mod arrow_file;
pub mod declared_keys;
mod guarded;
#[cfg_attr(not(feature = "parquet"), path = "never_handed_on.rs")]
pub mod handed_on;
pub mod head;
mod json;
#[cfg(feature = "parquet")]
mod parquet;
#[cfg(feature = "postgres")]
mod postgres;
mod program;
#[cfg(feature = "parquet")]
mod record_batches;
mod server_address;
#[cfg(feature = "sqlite")]
mod sqlite;
mod text;
mod threaded;
#[cfg(feature = "workbook")]
mod workbook;

use std::collections::HashMap;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError};

use interligo_engine::proof::findings::Noted;
use interligo_model::place::PartName;
use interligo_model::plan::{ByteSize, Plan};
use interligo_model::reading::style::Style;
use serde::{Deserialize, Serialize};

use crate::error::{Error, InputKind};
use crate::formats::declared_keys::KeysStated;
use crate::formats::handed_on::HandedOn;
use crate::formats::head::Head;
use crate::grid::Grid;
use crate::table::settings::TableSettings;

use guarded::GuardedContainer;
pub use guarded::is_guarded;
pub use guarded::{Guarded, caught, guarded};
pub use program::{MemoryTable, OwnTable, OwnTables};

/// The formats, text last: it takes what no other does.
const FORMATS: [&dyn Format; 8] = [
    &program::ProgramFormat,
    #[cfg(feature = "postgres")]
    &postgres::PostgresFormat,
    #[cfg(not(feature = "postgres"))]
    &absent::Absent { takes: server_address::is_address, name: "PostgreSQL", feature: "postgres" },
    #[cfg(feature = "workbook")]
    &workbook::WorkbookFormat,
    #[cfg(not(feature = "workbook"))]
    &absent::Absent { takes: is_workbook, name: "workbooks", feature: "workbook" },
    #[cfg(feature = "parquet")]
    &parquet::ParquetFormat,
    #[cfg(not(feature = "parquet"))]
    &absent::Absent { takes: is_parquet, name: "Parquet", feature: "parquet" },
    #[cfg(feature = "parquet")]
    &arrow_file::ArrowFormat,
    #[cfg(not(feature = "parquet"))]
    &absent::Absent { takes: is_arrow, name: "Arrow files", feature: "parquet" },
    &json::JsonFormat,
    #[cfg(feature = "sqlite")]
    &sqlite::SqliteFormat,
    #[cfg(not(feature = "sqlite"))]
    &absent::Absent { takes: is_sqlite, name: "SQLite", feature: "sqlite" },
    &text::TextFormat,
];

fn is_workbook(name: &str) -> bool {
    ends_with(name, &[".xlsx", ".xlsm", ".ods"])
}

/// Whether a name is that of an Arrow file.
fn is_arrow(name: &str) -> bool {
    ends_with(name, &[".arrow"])
}

fn is_parquet(name: &str) -> bool {
    ends_with(name, &[".parquet"])
}

fn is_sqlite(name: &str) -> bool {
    ends_with(name, &[".sqlite", ".sqlite3", ".db"])
}

/// A kind of file or database that holds tables.
pub trait Format: Sync {
    /// Whether what is named so is of this format; the name is without the part behind `#`.
    fn takes(&self, name: &str) -> bool;

    /// Whether a name is an address, and no path in the folder of the plan.
    fn is_address(&self) -> bool {
        false
    }

    /// An address as messages show it.
    ///
    /// # Errors
    /// It is none, or holds what must not be in a plan.
    fn shown(&self, address: &str) -> Result<Arc<str>, Error> {
        Ok(address.into())
    }

    /// Opens a file or database, or a table among the program's own.
    ///
    /// # Errors
    /// It cannot be read.
    fn open(
        &self,
        at: &Address,
        limits: &Limits,
        own: &OwnTables,
    ) -> Result<Arc<dyn Container>, Error>;
}

/// What is read at most, so that a small file cannot fill the memory.
#[derive(Clone, Copy, Debug)]
pub struct Limits {
    /// The bytes that a sheet of a workbook unpacks to.
    pub sheet: u64,
    /// The bytes of one of its cells.
    pub cell: u64,
}

impl Default for Limits {
    fn default() -> Limits {
        Limits { sheet: 2 << 30, cell: 16 << 20 }
    }
}

impl Limits {
    /// What the plan says of them.
    pub fn of(plan: &Plan) -> Limits {
        let usual = Limits::default();
        let own = |size: Option<ByteSize>, usual| size.map_or(usual, |ByteSize(bytes)| bytes);
        Limits {
            sheet: own(plan.reading.largest_sheet, usual.sheet),
            cell: own(plan.reading.largest_cell, usual.cell),
        }
    }
}

/// Where a file or database is.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct Address {
    /// Its path; for a database, its address.
    pub path: PathBuf,
    /// As messages show it; without any secret.
    pub shown: Arc<str>,
}

/// A file or database, with the tables in it.
pub trait Container: Send + Sync {
    /// The names of the tables in it, in their order; `None` where the file is the table.
    ///
    /// # Errors
    /// The file or database cannot be read.
    fn tables(&self) -> Result<Option<Vec<String>>, Error> {
        Ok(None)
    }

    /// What a table in it is called.
    fn noun(&self) -> &'static str {
        "table"
    }

    /// Whether something in it other than its tables has this name, and is a table too.
    fn has(&self, _name: &str) -> bool {
        false
    }

    /// The name of a part of it.
    fn name(&self, _what: &What, shown: Arc<str>) -> PartName {
        shown.into()
    }

    /// The server that it is on, as messages show it; what it holds may change unseen.
    fn server(&self) -> Option<&str> {
        None
    }

    /// Whether it answers queries.
    fn answers(&self) -> bool {
        false
    }

    /// What it states of keys and links between its tables.
    ///
    /// # Errors
    /// It cannot be read.
    fn keys_stated(&self) -> Result<KeysStated, Error> {
        Ok(KeysStated::default())
    }

    /// Looks at the head of a table.
    ///
    /// # Errors
    /// It is empty or damaged, or is no table.
    fn look(&self, what: &What, name: &PartName, given: TableSettings) -> Result<Head, Error>;
}

/// What is read of a container.
#[derive(Clone, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub enum What {
    /// The file, which is a table.
    Whole,
    /// One of its tables.
    Table(String),
    /// The answer to a query.
    Query(String),
}

/// A table that was found and looked at.
pub trait Source: Send + Sync {
    /// Opens it at its first row below the column names.
    ///
    /// # Errors
    /// It cannot be read.
    fn open(&self, wanted: &Wanted) -> Result<Box<dyn Reader>, Error>;

    /// Opens some of its rows; `None` where it can only be read from its first one.
    ///
    /// # Errors
    /// It cannot be read.
    fn open_stretch(&self, _: &Wanted, _: Stretch) -> Result<Option<Box<dyn Reader>>, Error> {
        Ok(None)
    }

    /// How it is written, in words; nothing where it is as outputs are.
    fn in_words(&self) -> Vec<String>;

    /// How many bytes there are to read, where that is known.
    fn bytes(&self) -> Option<u64> {
        None
    }

    /// The character between the fields of a row, where rows are text that outputs can copy.
    fn separator(&self) -> Option<u8> {
        None
    }

    /// What tells its rows apart, byte for byte, from those of sources that are written otherwise.
    fn layout(&self) -> String {
        String::new()
    }

    /// The same source, writing the values of typed cells in these styles, by field.
    fn styled(&self, _styles: &[Style]) -> Option<Arc<dyn Source>> {
        None
    }
}

/// The fields that are asked for.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Wanted {
    /// All of them.
    All,
    /// By number of the field.
    Fields(Vec<bool>),
}

impl Wanted {
    /// Whether a field is asked for.
    pub fn has(&self, field: usize) -> bool {
        match self {
            Wanted::All => true,
            Wanted::Fields(fields) => fields.get(field).copied().unwrap_or(false),
        }
    }
}

/// Where a row begins.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct RowStart {
    /// How far into the source: in bytes of text, in rows of a file whose rows can be counted off.
    pub at: u64,
    /// The number of the row, as places name it.
    pub row: u64,
}

/// Rows of a source from one on, up to where another begins or the source ends.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Stretch {
    /// Where it begins; none at the first row.
    pub from: Option<RowStart>,
    /// How far into the source it ends; none at the last row.
    pub to: Option<u64>,
}

/// Reads a table, some rows at a time.
pub trait Reader: Send {
    /// The next rows, of about `size` bytes; `None` at the end.
    ///
    /// # Errors
    /// It cannot be read further.
    fn next(&mut self, size: usize) -> Result<Option<Block>, Error>;

    /// Where the next row begins, should the source be able to begin there.
    fn row_start(&self) -> Option<RowStart> {
        None
    }

    /// Whether all that it has read is in the blocks that it has handed out; asked at the end.
    fn is_whole(&self) -> bool {
        true
    }
}

/// Some rows of a part, one after the other, as they were read.
pub struct Block {
    /// How many bytes were read for it.
    pub bytes: u64,
    /// How many rows it has, or lines of text.
    pub lines: u64,
    /// How much its rows must cover, see [`Grid::covered`].
    pub extent: u64,
    /// Whether the rows are the first of the part.
    pub first: bool,
    /// Whether they are the last, of a part whose rows have an order.
    pub last: bool,
    /// The rows.
    pub rows: Box<dyn Unsplit>,
}

/// Rows that are still to be split into fields, which any core can do.
pub trait Unsplit: Send {
    /// Splits the rows of a part with these column names.
    ///
    /// # Errors
    /// A row is not what the format says.
    fn split(self: Box<Self>, name: &PartName, column_names: &[String]) -> Result<Grid, Error>;

    /// Whether a cell may have this text, which is ASCII without quotes; who cannot tell says yes.
    fn may_have(&self, _text: &str) -> bool {
        true
    }
}

impl Unsplit for Grid {
    fn split(self: Box<Self>, _: &PartName, _: &[String]) -> Result<Grid, Error> {
        Ok(*self)
    }
}

/// What was noted of a part as a whole: what it is, and in words.
pub type PartNote = (Noted, String);

/// Where tables come from besides files and servers.
#[derive(Clone, Default)]
pub struct Given {
    /// Tables of the program.
    pub own: OwnTables,
    /// Tables of servers that were handed on, and are read as they were then.
    pub handed_on: HandedOn,
}

impl From<&OwnTables> for Given {
    fn from(own: &OwnTables) -> Given {
        Given { own: own.clone(), ..Given::default() }
    }
}

/// The files and databases that were opened, each once.
#[derive(Default)]
pub struct Containers {
    limits: Limits,
    given: Given,
    known: Mutex<HashMap<Address, Arc<dyn Container>>>,
}

impl Containers {
    /// None is open yet.
    pub fn new(limits: Limits, given: Given) -> Containers {
        Containers { limits, given, ..Containers::default() }
    }

    /// Opens a file or database, or takes the one that is open.
    pub fn open(&self, at: &Address) -> Result<Arc<dyn Container>, Error> {
        let mut known = self.known.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(container) = known.get(at) {
            return Ok(container.clone());
        }
        refuse_pipe(at)?;
        let Given { own, handed_on } = &self.given;
        let open = || format_of(&at.path.to_string_lossy()).open(at, &self.limits, own);
        let shown = PartName::from(&*at.shown);
        let container = handed_on.over(guarded(&shown, open)?);
        let container: Arc<dyn Container> = Arc::new(GuardedContainer { container, shown });
        known.insert(at.clone(), container.clone());
        Ok(container)
    }
}

/// Refuses what is neither a file nor a folder: it could be read once only, or never end.
fn refuse_pipe(at: &Address) -> Result<(), Error> {
    match std::fs::metadata(&at.path) {
        Ok(there) if !there.is_file() && !there.is_dir() => Err(Error::input(
            InputKind::Device,
            &at.shown,
            "is a pipe or a device, and tables are read more than once",
        )
        .help("write what comes from it into a file first")),
        _ => Ok(()),
    }
}

/// The format of what is named so.
fn format_of(name: &str) -> &'static dyn Format {
    let found = FORMATS.into_iter().find(|format| format.takes(name));
    found.expect("text takes everything")
}

/// Whether a name is the address of a database, and no path.
pub fn is_address(name: &str) -> bool {
    format_of(name).is_address()
}

/// What a command line names, as messages show it: an address without its login.
pub fn named_on_command_line(name: &str) -> String {
    if !is_address(name) {
        return name.to_owned();
    }
    let (address, table) = name.split_once('#').unwrap_or((name, ""));
    let separator = if table.is_empty() { "" } else { "#" };
    format!("{}{separator}{table}", server_address::without_login(address).1)
}

/// An address as messages show it: without any secret.
pub fn shown_address(address: &str) -> Result<Arc<str>, Error> {
    format_of(address).shown(address)
}

/// A connection to a server, to write to.
///
/// # Errors
/// The address is none, or the server does not let us in.
#[cfg(feature = "postgres")]
pub fn connect_to_server(address: &str) -> Result<::postgres::Client, Error> {
    postgres::connect(address)
}

/// Whether the name ends so, in whatever case.
fn ends_with(name: &str, endings: &[&str]) -> bool {
    let lower = name.to_lowercase();
    endings.iter().any(|ending| lower.ends_with(ending))
}

/// A name as SQL quotes it.
#[cfg(any(feature = "postgres", feature = "sqlite"))]
pub fn quoted_name(name: &str) -> String {
    format!("\"{}\"", name.replace('"', "\"\""))
}

/// A number that is none, in words: the row, the field and what it is.
#[cfg(any(feature = "parquet", feature = "sqlite"))]
fn not_finite(number: f64, row: u64, field: usize) -> String {
    format!(":{row} column {} {number}", field + 1)
}

/// How many bytes a file has.
fn file_bytes(path: &Path) -> Option<u64> {
    std::fs::metadata(path).ok().map(|file| file.len())
}
