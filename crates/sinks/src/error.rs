//! Why an output cannot be written.

use interligo_sources::refusal::refusal;
use std::io;
use std::path::{Path, PathBuf};

/// An output that cannot be written.
#[derive(Debug, thiserror::Error)]
#[error("`{}` cannot be written: {reason}", path.display())]
pub struct Error {
    /// What kind of error it is.
    pub kind: OutputErrorKind,
    /// The file.
    pub path: PathBuf,
    /// Why.
    pub reason: String,
    /// What to do.
    pub help: Option<&'static str>,
}

/// What kind of error an output has.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum OutputErrorKind {
    /// A folder is in its place.
    IsFolder,
    /// The disk is full.
    DiskFull,
    /// Its folder is not there, or is no folder.
    NoFolder,
    /// The system does not allow it.
    Denied,
    /// Less is on the disk than was written.
    Incomplete,
    /// More rows or columns than its form allows.
    TooLarge,
    /// It is there, and somebody else's.
    NotOwn,
    /// A line is there with other values.
    Differs,
    /// A server does not let us in.
    Unreachable,
    /// The database has its part of the run, and a file could not follow.
    HalfDone,
    /// An earlier run is in doubt.
    InDoubt,
    /// Another program uses it.
    InUse,
    /// Its columns cannot be distinguished.
    BadColumn,
    /// Whatever else the system says.
    Failed,
}

impl OutputErrorKind {
    /// The name, which stays: `output.` and the kind.
    pub fn code(self) -> &'static str {
        match self {
            OutputErrorKind::IsFolder => "output.is-folder",
            OutputErrorKind::DiskFull => "output.disk-full",
            OutputErrorKind::NoFolder => "output.no-folder",
            OutputErrorKind::Denied => "output.denied",
            OutputErrorKind::Incomplete => "output.incomplete",
            OutputErrorKind::TooLarge => "output.too-large",
            OutputErrorKind::NotOwn => "output.not-own",
            OutputErrorKind::Differs => "output.differs",
            OutputErrorKind::Unreachable => "output.unreachable",
            OutputErrorKind::HalfDone => "output.half-done",
            OutputErrorKind::InDoubt => "output.in-doubt",
            OutputErrorKind::InUse => "output.in-use",
            OutputErrorKind::BadColumn => "output.bad-column",
            OutputErrorKind::Failed => "output.failed",
        }
    }

    fn help(self) -> Option<&'static str> {
        match self {
            OutputErrorKind::IsFolder => Some("name a file in `to`"),
            OutputErrorKind::DiskFull => {
                Some("free some space, or write to another disk; nothing was half written")
            }
            OutputErrorKind::NoFolder => Some("check the folder in `to`"),
            OutputErrorKind::Denied => Some("check the rights of the folder"),
            OutputErrorKind::NotOwn => {
                Some("give the output another name, or move away what is there")
            }
            OutputErrorKind::Differs => Some(
                "correct the line here or there, or replace the table: when-there = \"replace\"",
            ),
            OutputErrorKind::Unreachable => {
                Some("check the address and the login, and that the server runs")
            }
            OutputErrorKind::HalfDone => {
                Some("clear the way, and then start any command of the plan: it moves the files")
            }
            OutputErrorKind::InDoubt => Some("start the server again, and then any command"),
            OutputErrorKind::InUse => Some("close the other program, and run again"),
            OutputErrorKind::BadColumn => Some("give the columns names of their own in `columns`"),
            OutputErrorKind::Incomplete | OutputErrorKind::TooLarge | OutputErrorKind::Failed => {
                None
            }
        }
    }
}

impl Error {
    /// An output cannot be written.
    pub fn new(kind: OutputErrorKind, path: &Path, reason: impl Into<String>) -> Error {
        Error { kind, path: path.to_owned(), reason: reason.into(), help: kind.help() }
    }

    /// A table is there that the plan wants to stay.
    #[cfg(any(feature = "sqlite", feature = "postgres"))]
    pub(crate) fn is_there(path: &Path, table: &str) -> Error {
        let reason = format!("its table `{table}` is there, and `when-there` is \"stop\"");
        Error::new(OutputErrorKind::NotOwn, path, reason)
    }

    /// A table has no column for what is added to it.
    #[cfg(any(feature = "sqlite", feature = "postgres"))]
    pub(crate) fn lacks_column(path: &Path, table: &str, column: &str) -> Error {
        let reason = format!("its table `{table}` has no column `{column}`");
        Error::new(OutputErrorKind::BadColumn, path, reason)
    }

    /// A library broke off while it wrote an output.
    pub(crate) fn broken(path: &Path, why: &str) -> Error {
        Error::told(path, &format!("it could not be written ({why})"))
    }

    /// A library cannot write an output, and says why in words of its own; a full disk is known by them.
    pub(crate) fn told(path: &Path, why: &str) -> Error {
        let full = ["the disk is full", "No space left", "StorageFull"];
        match full.iter().any(|words| why.contains(words)) {
            true => Error::new(OutputErrorKind::DiskFull, path, "the disk is full"),
            false => Error::new(OutputErrorKind::Failed, path, why),
        }
    }

    /// The system refuses to write an output.
    pub fn io(path: &Path, error: &io::Error) -> Error {
        let kind = match error.kind() {
            io::ErrorKind::StorageFull => OutputErrorKind::DiskFull,
            io::ErrorKind::NotFound | io::ErrorKind::NotADirectory => OutputErrorKind::NoFolder,
            io::ErrorKind::PermissionDenied => OutputErrorKind::Denied,
            _ => OutputErrorKind::Failed,
        };
        Error::new(kind, path, refusal(error))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_full_disk_is_known_in_whatever_words() {
        let path = Path::new("l.xlsx");
        for why in [
            "Io error: the disk is full",
            "called `Result::unwrap()` on an `Err` value: Os { code: 28, kind: StorageFull }",
            "No space left on device (os error 28)",
        ] {
            assert_eq!(Error::told(path, why).kind, OutputErrorKind::DiskFull, "{why}");
            assert_eq!(
                Error::broken(path, why).to_string(),
                "`l.xlsx` cannot be written: the disk is full"
            );
        }
        let other = Error::broken(path, "index out of bounds");
        assert_eq!(other.kind, OutputErrorKind::Failed);
        let words = "`l.xlsx` cannot be written: it could not be written (index out of bounds)";
        assert_eq!(other.to_string(), words);
    }
}
