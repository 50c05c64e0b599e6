//! Why a run in slices cannot go on.

use std::path::{Path, PathBuf};

/// Why a run in slices cannot go on.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum SlicesError {
    /// The folder has no division, or one that cannot be read.
    #[error("`{}` holds no division of a run{}", folder.display(), why.as_ref().map_or(String::new(), |why| format!(": {why}")))]
    NoDivision {
        /// The folder.
        folder: PathBuf,
        /// What is wrong with it; none where it is not there.
        why: Option<String>,
    },
    /// The division was made by another version of the program.
    #[error("the run was divided by Interligo {by}, and this is {own}")]
    OtherVersion {
        /// That version.
        by: String,
        /// This one.
        own: String,
    },
    /// The plan, or its corrections, are not those that were divided.
    #[error("the plan has changed since the run was divided")]
    OtherPlan,
    /// An input is not as it was when the run was divided.
    #[error("`{input}` has changed since the run was divided")]
    OtherInput {
        /// Its name.
        input: String,
    },
    /// There is no such slice.
    #[error("there is no slice {slice}: the run was divided into {slices}")]
    NoSuchSlice {
        /// The number asked for, from 1.
        slice: usize,
        /// How many there are.
        slices: usize,
    },
    /// Slices have no result yet.
    #[error("{} of {slices} slices {} not there: {}", missing.len(), if missing.len() == 1 { "is" } else { "are" }, listed(missing))]
    Missing {
        /// Their numbers, from 1.
        missing: Vec<usize>,
        /// How many there are.
        slices: usize,
    },
    /// The result of a slice is of another division, or cannot be read.
    #[error("the result of slice {slice} {why}")]
    Damaged {
        /// Its number, from 1.
        slice: usize,
        /// What is wrong with it.
        why: String,
    },
    /// The program that submits work to Spark is not there.
    #[error("`spark-submit` was not found")]
    NoSpark,
    /// Spark gave up, or did not begin.
    #[error("Spark did not run the slices: {why} (all that it said is in `{}`)", log.display())]
    Spark {
        /// Why.
        why: String,
        /// Where all is that it said.
        log: PathBuf,
    },
    /// A slice ended with a message.
    #[error("slice {slice} ended with this:\n{}", said.trim_end())]
    Failed {
        /// Its number, from 1.
        slice: usize,
        /// What it said.
        said: String,
    },
    /// A file of the folder cannot be written.
    #[error("`{}` cannot be written: {why}", path.display())]
    Unwritable {
        /// The file.
        path: PathBuf,
        /// Why.
        why: String,
    },
}

/// The first numbers of a list.
fn listed(numbers: &[usize]) -> String {
    const SHOWN: usize = 12;
    let shown: Vec<String> = numbers.iter().take(SHOWN).map(usize::to_string).collect();
    let more = numbers.len().saturating_sub(SHOWN);
    let more = if more > 0 { format!(" and {more} more") } else { String::new() };
    format!("{}{more}", shown.join(", "))
}

impl SlicesError {
    /// The name of the error, which stays.
    pub fn code(&self) -> &'static str {
        match self {
            SlicesError::NoDivision { .. } => "slices.no-division",
            SlicesError::OtherVersion { .. } => "slices.other-version",
            SlicesError::OtherPlan => "slices.other-plan",
            SlicesError::OtherInput { .. } => "slices.other-input",
            SlicesError::NoSuchSlice { .. } => "slices.no-such-slice",
            SlicesError::Missing { .. } => "slices.missing",
            SlicesError::Damaged { .. } => "slices.damaged",
            SlicesError::NoSpark => "slices.no-spark",
            SlicesError::Spark { .. } => "slices.spark",
            SlicesError::Failed { .. } => "slices.failed",
            SlicesError::Unwritable { .. } => "slices.unwritable",
        }
    }

    /// What to do.
    pub fn help(&self) -> &'static str {
        match self {
            SlicesError::NoDivision { .. } => {
                "divide the run first: interligo slices N --into FOLDER"
            }
            SlicesError::OtherVersion { .. } => {
                "use one version on all machines, or divide the run again: interligo slices"
            }
            SlicesError::OtherPlan | SlicesError::OtherInput { .. } => {
                "divide the run again: interligo slices; results of slices so far are of the former one"
            }
            SlicesError::NoSuchSlice { .. } => "slices are counted from 1",
            SlicesError::Missing { .. } => "run them: interligo run --slice K/N --into FOLDER",
            SlicesError::Damaged { .. } => {
                "remove its folder, and run it again: interligo run --slice K/N --into FOLDER"
            }
            SlicesError::NoSpark => {
                "install Spark, and let SPARK_HOME be its folder, or its folder `bin` be on the PATH"
            }
            SlicesError::Spark { .. } => {
                "slices that are done stay so: the same command goes on where it was"
            }
            SlicesError::Failed { .. } => {
                "when that is settled, the same command goes on where it was"
            }
            SlicesError::Unwritable { .. } => {
                "take a folder that can be written, on a disk with room"
            }
        }
    }

    pub(super) fn unwritable(path: &Path, error: &std::io::Error) -> SlicesError {
        SlicesError::Unwritable {
            path: path.to_owned(),
            why: interligo_sources::refusal::refusal(error),
        }
    }
}
