//! What comes of a run or a check.

use std::collections::BTreeMap;

use interligo_engine::proof::findings::Findings;
use interligo_engine::proof::tieout::TieOut;
use interligo_engine::totals::TotalsTable;

use crate::check::Code;

/// What a run came to.
pub struct Outcome {
    /// What was met in the data.
    pub findings: Findings,
    /// The totals among the outputs, by name.
    pub totals: Vec<(String, TotalsTable)>,
    /// The statement that closes the counts.
    pub tie_out: TieOut,
    /// Files that came or went since the last run.
    pub since: FilesSince,
}

/// How the files of a table differ from those of the last run.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct FilesSince {
    /// Files that the last run did not read.
    pub new: Vec<String>,
    /// Files that it read and that are not there any more.
    pub gone: Vec<String>,
}

/// How the findings differ from those of the last run, by kind and where.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct FindingsSince {
    /// Of the kinds that there are, how many lines, rows or values the last run found, and the keys that it did not
    /// have.
    pub now: BTreeMap<(Code, String), (u64, Vec<String>)>,
    /// The kinds that are gone, with how many there were.
    pub gone: Vec<(Code, String, u64)>,
}
