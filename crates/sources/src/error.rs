//! What can go wrong between the plan and its inputs, each with its kind, its place and what to do.

use std::fmt;
use std::io;
use std::path::Path;
use std::sync::Arc;

use crate::refusal::refusal;
use interligo_model::place::{PartName, Place};
use interligo_model::plan::Mistake;

/// An error of reading.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum Error {
    /// The plan is wrong, as its files show.
    #[error("{}", .0.first().map_or("the plan is wrong", |mistake| mistake.message.as_str()))]
    Plan(Vec<Mistake>),
    /// An input cannot be read.
    #[error("{0}")]
    Input(Box<InputError>),
    /// Rows of a file were lost on the way from it.
    #[error("the tie-out does not close: some rows of `{file}` were lost while reading")]
    LostInReading {
        /// The file.
        file: String,
    },
}

/// An input that cannot be read.
#[derive(Debug)]
pub struct InputError {
    /// What kind of error it is.
    pub kind: InputKind,
    /// Where.
    pub place: Place,
    /// What is wrong with it, as the rest of a sentence.
    pub message: String,
    /// What to do.
    pub help: Option<String>,
}

/// What kind of error an input has.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum InputKind {
    /// There is no such file.
    Missing,
    /// It is a folder.
    Folder,
    /// It is a pipe or a device, which can be read once only.
    Device,
    /// The system does not let it be read.
    Unreadable,
    /// It has no rows at all.
    Empty,
    /// It is not what its format says, or breaks off.
    Damaged,
    /// The program was built without its format.
    NotBuilt,
    /// It is protected with a password.
    Protected,
    /// It is no text, where text is read.
    NotText,
    /// It holds bytes that its encoding does not know.
    Encoding,
    /// It can be split at several separators.
    OpenSeparator,
    /// A row is not written as rows are.
    Malformed,
    /// Its header row lacks a column, or has one twice.
    Header,
    /// It changed while it was read.
    Changed,
    /// It is larger than the plan allows.
    TooLarge,
    /// The file has no such sheet or table.
    NoSuchTable,
    /// The file has several tables, and none is named.
    TableNotNamed,
    /// The address of a database is no address.
    Address,
    /// A server cannot be reached.
    Unreachable,
    /// A server refuses access.
    Denied,
    /// A database is locked.
    Locked,
    /// A query fails.
    QueryFailed,
    /// A query would change the database.
    WouldWrite,
    /// A server broke off the connection.
    BrokenOff,
}

impl InputKind {
    /// The name, which stays: `input.` and the kind.
    pub fn code(self) -> &'static str {
        match self {
            InputKind::Missing => "input.missing",
            InputKind::Folder => "input.folder",
            InputKind::Device => "input.device",
            InputKind::Unreadable => "input.unreadable",
            InputKind::Empty => "input.empty",
            InputKind::Damaged => "input.damaged",
            InputKind::NotBuilt => "input.not-built",
            InputKind::Protected => "input.protected",
            InputKind::NotText => "input.not-text",
            InputKind::Encoding => "input.encoding",
            InputKind::OpenSeparator => "input.open-separator",
            InputKind::Malformed => "input.malformed",
            InputKind::Header => "input.header",
            InputKind::Changed => "input.changed",
            InputKind::TooLarge => "input.too-large",
            InputKind::NoSuchTable => "input.no-such-table",
            InputKind::TableNotNamed => "input.table-not-named",
            InputKind::Address => "input.address",
            InputKind::Unreachable => "input.unreachable",
            InputKind::Denied => "input.denied",
            InputKind::Locked => "input.locked",
            InputKind::QueryFailed => "input.query-failed",
            InputKind::WouldWrite => "input.would-write",
            InputKind::BrokenOff => "input.broken-off",
        }
    }
}

impl fmt::Display for InputError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.place.row {
            Some(_) => write!(f, "{} {}", self.place, self.message),
            None => write!(f, "`{}` {}", self.place, self.message),
        }
    }
}

impl Error {
    /// Something is wrong with a part.
    pub fn input(kind: InputKind, part: impl Into<PartName>, message: impl Into<String>) -> Error {
        let place = Place { part: part.into(), ..Place::default() };
        Error::Input(Box::new(InputError { kind, place, message: message.into(), help: None }))
    }

    /// At a row of the part.
    pub fn at_row(mut self, row: u64) -> Error {
        if let Error::Input(input) = &mut self {
            input.place.row = Some(row);
        }
        self
    }

    /// What to do about it.
    pub fn help(mut self, help: impl Into<String>) -> Error {
        if let Error::Input(input) = &mut self {
            input.help = Some(help.into());
        }
        self
    }

    /// A file that cannot be opened, with the name in its folder that was perhaps meant.
    pub fn cannot_read(shown: &Arc<str>, path: &Path, error: io::Error) -> Error {
        let help = "paths are relative to the folder of the plan";
        Error::cannot_read_or(shown, path, error, help)
    }

    /// The same with what to do where there is no such file and none with a name like it.
    pub fn cannot_read_or(
        shown: &Arc<str>,
        path: &Path,
        error: io::Error,
        help: &'static str,
    ) -> Error {
        if error.kind() != io::ErrorKind::NotFound {
            return Error::input(
                InputKind::Unreadable,
                shown,
                format!("cannot be read: {}", refusal(&error)),
            );
        }
        let missing = Error::input(InputKind::Missing, shown, "does not exist");
        let folder = path.parent().filter(|folder| *folder != Path::new(""));
        let folder = folder.unwrap_or(Path::new("."));
        let names: Vec<String> = std::fs::read_dir(folder)
            .map(|entries| {
                entries.flatten().map(|e| e.file_name().to_string_lossy().into_owned()).collect()
            })
            .unwrap_or_default();
        let wanted = path.file_name().unwrap_or_default().to_string_lossy();
        let names: Vec<&str> = names.iter().map(String::as_str).collect();
        match interligo_model::plan::nearest_name(&wanted, &names) {
            Some(near) => missing.help(format!("did you mean `{near}`?")),
            None if !folder.exists() => missing.help("the folder does not exist either"),
            None => missing.help(help),
        }
    }
}

impl From<Mistake> for Error {
    fn from(mistake: Mistake) -> Error {
        Error::Plan(vec![mistake])
    }
}

impl From<Vec<Mistake>> for Error {
    fn from(mistakes: Vec<Mistake>) -> Error {
        Error::Plan(mistakes)
    }
}
