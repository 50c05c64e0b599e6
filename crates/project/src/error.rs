//! What ends a piece of work on a project.

use std::path::Path;

use interligo_engine::lines::{DoesNotFit, Overflow};
use interligo_engine::proof::tieout::TieOut;
use interligo_engine::totals::TotalsError;
use interligo_model::place::{Parts, Place};
use interligo_model::plan::{Mistake, MistakeKind};
use interligo_sinks::format::{Unfit, UnfitReason};

use crate::closed::{ClosedChanges, ClosedError};
use crate::run::slices::SlicesError;

/// Why a piece of work on a project ended without its result.
///
/// [`Display`](std::fmt::Display) is one plain sentence; [`Error::code`] is a name that stays, for programs;
/// [`Error::mistakes`], [`Error::stops`], [`Error::place`] and [`Error::help`] have the rest.
#[derive(Debug, thiserror::Error)]
#[error("{kind}")]
pub struct Error {
    kind: Box<Kind>,
}

#[derive(Debug, thiserror::Error)]
enum Kind {
    #[error("{}", .0.first().map_or("the plan is wrong", |mistake| mistake.message.as_str()))]
    Plan(Vec<Mistake>),
    #[error("{0}")]
    Input(interligo_sources::error::InputError),
    #[error("{0}")]
    Output(interligo_sinks::error::Error),
    #[error("{}", .0.first().map_or("the run was stopped", |stop| stop.message.as_str()))]
    Stopped(Vec<Stop>),
    #[error("{what} {}{}", left(*why), at.as_ref().map_or(String::new(), |p| format!(" at {p}")))]
    Overflow { why: Overflow, what: String, at: Option<Place> },
    #[error(
        "`{}` of `{}`{} {}",
        unfit.value, unfit.column, at.as_ref().map_or(String::new(), |p| format!(" at {p}")), unfit.why
    )]
    Unfit { unfit: Unfit, at: Option<Place> },
    #[error("{0}")]
    Record(crate::runs::RecordError),
    #[error("{0}")]
    Copies(crate::runs::RecordError),
    #[error("{0}")]
    Closed(ClosedError),
    #[error("{0}")]
    Slices(SlicesError),
    #[error("the tie-out does not close: some rows of `{file}` were lost while reading")]
    LostInReading { file: String },
    #[error("the tie-out does not close: {}", .0.open().join("; "))]
    NotClosed(Box<TieOut>),
}

/// What an error is about, as the exit status tells it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ErrorClass {
    /// The plan, or an option in the place of a part of it, is wrong.
    Plan,
    /// An input cannot be read.
    Input,
    /// An output cannot be written.
    Output,
    /// The data must stop the work, or the counts do not close.
    Data,
}

fn left(why: Overflow) -> &'static str {
    match why {
        Overflow::Digits => "overflows: it needs more than 38 digits",
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
    /// The fixes.
    pub help: String,
    /// Settings of the plan that settle it, the likeliest first.
    pub settings: Vec<Setting>,
}

/// A line of a table's section, and what comes of it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Setting {
    /// The table.
    pub table: String,
    /// The line.
    pub line: &'static str,
    /// What comes of it.
    pub words: &'static str,
}

impl Setting {
    pub(crate) fn of(table: &str, lines: &[(&'static str, &'static str)]) -> Vec<Setting> {
        let of = |(line, words): &(&'static str, &'static str)| Setting {
            table: table.to_owned(),
            line,
            words,
        };
        lines.iter().map(of).collect()
    }
}

impl Error {
    fn of(kind: Kind) -> Error {
        Error { kind: Box::new(kind) }
    }

    /// The data holds what the plan says must stop the run.
    pub(crate) fn stopped(stops: Vec<Stop>) -> Error {
        Error::of(Kind::Stopped(stops))
    }

    /// The counts of a run do not close.
    pub(crate) fn not_closed(tie_out: TieOut) -> Error {
        Error::of(Kind::NotClosed(Box::new(tie_out)))
    }

    /// A number or day that overflows, at its line.
    pub(crate) fn overflow(unfit: DoesNotFit, parts: &Parts) -> Error {
        Error::of(Kind::Overflow {
            why: unfit.why,
            what: format!("`{}`", unfit.what),
            at: Some(parts.place(unfit.spot)),
        })
    }

    /// A value that an output cannot hold.
    pub(crate) fn unfit(unfit: Unfit, at: Option<Place>) -> Error {
        Error::of(Kind::Unfit { unfit, at })
    }

    /// The system refuses to write a file.
    pub(crate) fn output(path: &Path, error: &std::io::Error) -> Error {
        interligo_sinks::error::Error::io(path, error).into()
    }

    /// What the error is about.
    pub fn class(&self) -> ErrorClass {
        match &*self.kind {
            Kind::Plan(_) => ErrorClass::Plan,
            Kind::Input(_) | Kind::Record(_) | Kind::Copies(_) => ErrorClass::Input,
            Kind::Output(_) | Kind::Slices(SlicesError::Unwritable { .. }) => ErrorClass::Output,
            Kind::Slices(SlicesError::NoSuchSlice { .. }) => ErrorClass::Plan,
            Kind::Slices(_) => ErrorClass::Input,
            _ => ErrorClass::Data,
        }
    }

    /// The name of the error, which stays.
    pub fn code(&self) -> &'static str {
        match &*self.kind {
            Kind::Plan(mistakes) => mistakes.first().map_or("plan.syntax", Mistake::code),
            Kind::Input(input) => input.kind.code(),
            Kind::Output(output) => output.kind.code(),
            Kind::Stopped(_) => "data.stopped",
            Kind::Overflow { .. } => "data.overflow",
            Kind::Unfit { .. } => "data.unfit",
            Kind::Record(error) | Kind::Copies(error) => error.code(),
            Kind::Closed(error) => error.code(),
            Kind::Slices(error) => error.code(),
            Kind::LostInReading { .. } => "proof.lost-in-reading",
            Kind::NotClosed(_) => "proof.not-closed",
        }
    }

    /// The mistakes of the plan; none where the error is another.
    pub fn mistakes(&self) -> &[Mistake] {
        match &*self.kind {
            Kind::Plan(mistakes) => mistakes,
            _ => &[],
        }
    }

    /// What must stop the run; nothing where the error is another.
    pub fn stops(&self) -> &[Stop] {
        match &*self.kind {
            Kind::Stopped(stops) => stops,
            _ => &[],
        }
    }

    /// How closed lines differ from what they were, where that ended the run.
    pub fn closed_changes(&self) -> Option<&ClosedChanges> {
        match &*self.kind {
            Kind::Closed(ClosedError::Changed(changes)) => Some(changes),
            _ => None,
        }
    }

    /// The place in the data.
    pub fn place(&self) -> Option<&Place> {
        match &*self.kind {
            Kind::Input(input) => Some(&input.place),
            Kind::Overflow { at, .. } => at.as_ref(),
            Kind::Unfit { at, .. } => at.as_ref(),
            _ => None,
        }
    }

    /// What to do, where that is one thing; mistakes and stops have their own.
    pub fn help(&self) -> Option<&str> {
        match &*self.kind {
            Kind::Input(input) => input.help.as_deref(),
            Kind::Output(output) => output.help,
            Kind::Overflow { why: Overflow::Days, .. } => Some(
                "days go from 0001-01-01 to 9999-12-31; look at the dates of that line, an open end perhaps: \
                 if day < '9999-01-01' then day + 1",
            ),
            Kind::Overflow { .. } => Some(
                "numbers have up to 38 digits; look at the values of that line, or round in the formula",
            ),
            Kind::Unfit { unfit, .. } => Some(match unfit.why {
                UnfitReason::Places(_) => {
                    "give the column more places, or round: round(…, 2) in `columns`"
                }
                UnfitReason::TimeOfDay => {
                    "say in its table that its days have times: type = \"date\", like = \"2025-12-31 23:59\" of the column"
                }
                UnfitReason::Nul => "replace it: replace(…) in `columns`, or correct the file",
                UnfitReason::Encoding(_) => "leave out `encoding`: UTF-8 has all characters",
            }),
            Kind::Record(crate::runs::RecordError::NotKept { .. }) => Some(
                "a record has what figures and outputs use: add an output by it, and run again",
            ),
            Kind::Closed(error) => Some(error.help()),
            Kind::Slices(error) => Some(error.help()),
            Kind::Copies(_) => Some("run again with `interligo run --verify`: it keeps new copies"),
            Kind::Record(_) => Some("compare other runs: `interligo runs` lists them"),
            Kind::LostInReading { .. } | Kind::NotClosed(_) => {
                Some("this is a fault of Interligo itself; nothing was written")
            }
            Kind::Plan(_) | Kind::Stopped(_) => None,
        }
    }

    /// The same error, where the record is one of closed periods.
    pub(crate) fn of_closed(self) -> Error {
        match *self.kind {
            Kind::Record(error) => Error::of(Kind::Closed(ClosedError::Unreadable(error))),
            kind => Error::of(kind),
        }
    }

    /// The same error, where the record is of what outputs said.
    pub(crate) fn of_copies(self) -> Error {
        match *self.kind {
            Kind::Record(error) => Error::of(Kind::Copies(error)),
            kind => Error::of(kind),
        }
    }

    /// The same error with its mistakes changed.
    pub(crate) fn map_mistakes(self, change: impl FnMut(&mut Mistake)) -> Error {
        match *self.kind {
            Kind::Plan(mut mistakes) => {
                mistakes.iter_mut().for_each(change);
                Error::of(Kind::Plan(mistakes))
            }
            kind => Error::of(kind),
        }
    }
}

impl From<Mistake> for Error {
    fn from(mistake: Mistake) -> Error {
        Error::of(Kind::Plan(vec![mistake]))
    }
}

impl From<SlicesError> for Error {
    fn from(error: SlicesError) -> Error {
        Error::of(Kind::Slices(error))
    }
}

impl From<Vec<Mistake>> for Error {
    fn from(mistakes: Vec<Mistake>) -> Error {
        Error::of(Kind::Plan(mistakes))
    }
}

impl From<interligo_sources::error::Error> for Error {
    fn from(error: interligo_sources::error::Error) -> Error {
        use interligo_sources::error::Error as Read;
        Error::of(match error {
            Read::Plan(mistakes) => Kind::Plan(mistakes),
            Read::Input(input) => Kind::Input(*input),
            Read::LostInReading { file } => Kind::LostInReading { file },
            other => Kind::LostInReading { file: other.to_string() },
        })
    }
}

impl From<crate::runs::RecordError> for Error {
    fn from(error: crate::runs::RecordError) -> Error {
        Error::of(Kind::Record(error))
    }
}

impl From<ClosedError> for Error {
    fn from(error: ClosedError) -> Error {
        Error::of(Kind::Closed(error))
    }
}

impl From<interligo_sinks::error::Error> for Error {
    fn from(error: interligo_sinks::error::Error) -> Error {
        Error::of(Kind::Output(error))
    }
}

impl From<TotalsError> for Error {
    fn from(error: TotalsError) -> Error {
        match error {
            TotalsError::DoesNotFit { measure } => Error::of(Kind::Overflow {
                why: Overflow::Digits,
                what: format!("the total of `{measure}`"),
                at: None,
            }),
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
