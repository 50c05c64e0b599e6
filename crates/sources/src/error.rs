//! What can go wrong between the plan and its files, each with its place and a way out.

use std::fmt;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use interligo_engine::lines::{DoesNotFit, Overflow};
use interligo_engine::proof::tieout::TieOut;
use interligo_engine::totals::TotalsError;
use interligo_model::place::Parts;
use interligo_model::place::{PartName, Place};
use interligo_model::plan::{Mistake, MistakeKind};

/// An error of reading, running or writing.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum Error {
    /// The plan, or an option that stands for a part of it, is wrong.
    #[error("{}", .0.first().map_or("the plan is wrong", |mistake| mistake.message.as_str()))]
    Plan(Vec<Mistake>),
    /// An input cannot be read.
    #[error("{0}")]
    Input(Box<InputError>),
    /// An output cannot be written.
    #[error("`{}` cannot be written: {reason}", path.display())]
    Output {
        /// The file.
        path: PathBuf,
        /// Why.
        reason: String,
        /// The way out.
        help: Option<String>,
    },
    /// The data holds what the plan says must stop the run.
    #[error("{}", .0.first().map_or("the run was stopped", |stop| stop.message.as_str()))]
    Stopped(Vec<Stop>),
    /// A number does not fit.
    #[error("{what} {}{}", left(*why), at.as_ref().map_or(String::new(), |p| format!(" at {p}")))]
    DoesNotFit {
        /// What it leaves.
        why: Overflow,
        /// The figure or total.
        what: String,
        /// The line.
        at: Option<Box<Place>>,
    },
    /// Rows of a file were lost on the way from it.
    #[error("the tie-out does not close: a part of `{file}` was lost in reading")]
    LostInReading {
        /// The file.
        file: String,
    },
    /// The counts of a run do not close.
    #[error("the tie-out does not close: {}", .0.open().join("; "))]
    NotClosed(Box<TieOut>),
}

fn left(why: Overflow) -> &'static str {
    match why {
        Overflow::Digits => "does not fit exact arithmetic",
        Overflow::Days => "is a day outside of the calendar",
    }
}

/// Something in the data that the plan says must stop the run.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Stop {
    /// What was found.
    pub message: String,
    /// Where, the first of them.
    pub places: Vec<String>,
    /// The ways out.
    pub help: String,
}

/// An input that cannot be read.
#[derive(Debug)]
pub struct InputError {
    /// Where.
    pub place: Place,
    /// What is wrong with it, as the rest of a sentence.
    pub message: String,
    /// The way out.
    pub help: Option<String>,
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
    pub fn input(part: impl Into<PartName>, message: impl Into<String>) -> Error {
        let place = Place { part: part.into(), ..Place::default() };
        Error::Input(Box::new(InputError { place, message: message.into(), help: None }))
    }

    /// At a row of the part.
    pub fn at_row(mut self, row: u64) -> Error {
        if let Error::Input(input) = &mut self {
            input.place.row = Some(row);
        }
        self
    }

    /// What to do about it.
    pub fn help(mut self, way_out: impl Into<String>) -> Error {
        match &mut self {
            Error::Input(input) => input.help = Some(way_out.into()),
            Error::Output { help, .. } => *help = Some(way_out.into()),
            _ => {}
        }
        self
    }

    /// A file that cannot be opened, with the name in its folder that was perhaps meant.
    pub fn cannot_read(shown: &Arc<str>, path: &Path, error: io::Error) -> Error {
        if error.kind() != io::ErrorKind::NotFound {
            return Error::input(shown, format!("cannot be read: {error}"));
        }
        let missing = Error::input(shown, "does not exist");
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
            None => missing.help("paths are relative to the folder of the plan"),
        }
    }

    /// An output cannot be written.
    pub fn output(path: &Path, error: &io::Error) -> Error {
        let help = match error.kind() {
            io::ErrorKind::StorageFull => Some(
                "free some space, or write to another disk; nothing was half written".to_owned(),
            ),
            io::ErrorKind::NotFound | io::ErrorKind::NotADirectory => {
                Some("check the folder in `to`".to_owned())
            }
            io::ErrorKind::PermissionDenied => Some("check the rights of the folder".to_owned()),
            _ => None,
        };
        let reason = match error.kind() {
            io::ErrorKind::StorageFull => "the disk is full".to_owned(),
            _ => error.to_string(),
        };
        Error::Output { path: path.to_owned(), reason, help }
    }

    /// A number or day that does not fit, at its line.
    pub fn does_not_fit(unfit: DoesNotFit, parts: &Parts) -> Error {
        Error::DoesNotFit {
            why: unfit.why,
            what: format!("`{}`", unfit.what),
            at: Some(Box::new(parts.place(unfit.spot))),
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

impl From<TotalsError> for Error {
    fn from(error: TotalsError) -> Error {
        match error {
            TotalsError::DoesNotFit { measure } => Error::DoesNotFit {
                why: Overflow::Digits,
                what: format!("the total of `{measure}`"),
                at: None,
            },
            TotalsError::TooWide { across, columns, most } => {
                let message = format!(
                    "`{across}` across would make {columns} columns, and {most} are the most"
                );
                Mistake::of_plan(MistakeKind::TooLarge, message)
                    .help(
                        "put it into `by`, show less of each group, or let a condition choose some",
                    )
                    .into()
            }
            TotalsError::TooLong { rows, most } => {
                let message = format!(
                    "the periods without lines would make {rows} rows, and {most} are the most"
                );
                Mistake::of_plan(MistakeKind::TooLarge, message)
                    .help("take longer periods or fewer attributes, or leave out `all-periods`")
                    .into()
            }
            other => Mistake::of_plan(
                MistakeKind::TooLarge,
                format!("the totals cannot be made: {other:?}"),
            )
            .into(),
        }
    }
}
