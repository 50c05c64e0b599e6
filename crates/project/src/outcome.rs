//! What comes of a run or a check.

use std::collections::BTreeMap;

use interligo_engine::proof::findings::Findings;
use interligo_engine::proof::tieout::TieOut;
use interligo_engine::totals::TotalsTable;

use crate::check::{Checked, Code};

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

/// What a run came to over all facts.
pub struct RunResult {
    /// Of each fact.
    pub outcomes: Vec<Outcome>,
    /// What was found; nothing where only what outputs need is worked out.
    pub checked: Checked,
    /// What was found and was not there in the last run; none where there was none.
    pub since: Option<FindingsSince>,
    /// What went otherwise than usual when outputs were written, in words.
    pub notes: Vec<String>,
}
