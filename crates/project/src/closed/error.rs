//! Why closed periods end a run.

use super::differences::ClosedChanges;
use crate::runs::RecordError;

/// Why closed periods end a run.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum ClosedError {
    /// There was a record of them, and it is not there.
    #[error("the record of closed periods, `{folder}`, is missing")]
    Missing {
        /// Where it was.
        folder: String,
    },
    /// It is there and cannot be read.
    #[error("{0}")]
    Unreadable(RecordError),
    /// The plan does not have any more what the record is about.
    #[error("{what} is in the record of closed periods, and the plan does not have it any more")]
    Lost {
        /// A fact or figure.
        what: String,
    },
    /// More is closed than the plan says.
    #[error("periods are closed up to {was}, and the plan says up to {is} only")]
    Shorter {
        /// The last closed period.
        was: String,
        /// The last one that the plan says.
        is: String,
    },
    /// Lines are not as they were.
    #[error("{0}")]
    Changed(Box<ClosedChanges>),
}

impl ClosedError {
    /// The name, which stays.
    pub fn code(&self) -> &'static str {
        match self {
            ClosedError::Missing { .. } => "closed.missing",
            ClosedError::Unreadable(error) => error.code(),
            ClosedError::Lost { .. } => "closed.lost",
            ClosedError::Shorter { .. } => "closed.shorter",
            ClosedError::Changed(_) => "closed.changed",
        }
    }

    /// What to do.
    pub(crate) fn help(&self) -> &'static str {
        match self {
            ClosedError::Missing { .. } | ClosedError::Unreadable(_) => {
                "bring it back: it is kept like the plan; `interligo run --reopen` makes one of the data as they are now"
            }
            ClosedError::Lost { .. } => {
                "bring it back into the plan; `interligo run --reopen` makes a new record, and the former stays"
            }
            ClosedError::Shorter { .. } => {
                "write the former period; `interligo run --reopen` opens those behind it, and the former record stays"
            }
            ClosedError::Changed(_) => {
                "put the data back; `interligo run --reopen` accepts them, and the former record stays"
            }
        }
    }
}
