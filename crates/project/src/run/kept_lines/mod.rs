//! Lines as the last run computed them, kept so that the next question about them is answered without reading them again.
//!
//! Where the plan says so, a run keeps in `.interligo/PLAN/lines` its columns of lines, the rows that links found, and the
//! figures ([`write`]). Totals over the same files by the same plan are summed from these ([`answer`]), by the code that
//! sums them in a run, and proved by the same counts. Whether the files and the plan are the same is looked at first
//! ([`origin`]); where anything differs, or what is asked for is not there, the files are read.

mod answer;
mod origin;
mod write;

use std::hash::BuildHasher;
use std::path::PathBuf;

use foldhash::quality::FixedState;
use interligo_engine::lookup::LookupShape;
use interligo_engine::proof::findings::{Aside, Findings};
use interligo_engine::proof::tieout::ReadSide;
use interligo_engine::proof::usage::Usage;
use serde::{Deserialize, Serialize};

pub use answer::{KeptAnswer, KeptLines};
use origin::Origin;
pub(super) use write::{KeptBlock, KeptFile, PartsKept, PendingLines};

use crate::project::Project;

/// The form of what is kept; another is not read.
const FORM: u32 = 1;

/// What is known of the lines. Its file has the form, a checksum of what follows, this, how many facts there are, and each.
#[derive(Serialize, Deserialize)]
struct LinesAbout {
    /// When the run was, in seconds since 1970.
    at: u64,
    /// What the lines were made of.
    of: Origin,
    /// How many duplicate lines were looked up again.
    copies: usize,
}

/// What is kept of a fact, besides the columns.
#[derive(Serialize, Deserialize)]
struct FactLines {
    /// The name of the table.
    table: String,
    /// The parts of lines that are there, by the names that the engine has for them.
    parts: Vec<String>,
    /// Whether links were taken the other way round, which is seen by the rows of lookups alone.
    has_turned: bool,
    /// Its lookups, without their rows.
    lookups: Vec<LookupShape>,
    /// What is summed for the tie-out, by name.
    measures: Vec<String>,
    blocks: Vec<BlockPlace>,
    findings: Findings,
    read: ReadSide,
    /// Which rows of lookups were found, where that was looked at.
    usage: Option<Usage>,
}

/// Where the columns of some lines are.
#[derive(Serialize, Deserialize)]
struct BlockPlace {
    lines: usize,
    aside: Vec<(u32, Aside)>,
    /// Where the first of its columns begins in the file of the fact.
    at: u64,
    /// Of each part how many bytes, and their checksum.
    columns: Vec<(u32, u64)>,
}

/// A number that is another, as good as always, where some of the bytes are others.
fn checksum(bytes: &[u8]) -> u64 {
    FixedState::with_seed(0x6b65_7074).hash_one(bytes)
}

/// Whether lines of a project are kept: where the plan says so, and not where they come from what may change unseen.
pub(super) fn are_kept(project: &Project) -> bool {
    project.plan.plan.keep_lines && Origin::of(project).is_some()
}

/// Forgets the lines of a run before, where none are kept any more.
pub(super) fn forget(project: &Project) {
    if !are_kept(project) {
        let _ = std::fs::remove_dir_all(project.lines_folder());
    }
}

/// The file that says what is in the others.
fn about_path(project: &Project) -> PathBuf {
    project.lines_folder().join("about.cbor")
}

/// The file with the columns of a fact, by its number.
fn columns_path(project: &Project, fact: usize) -> PathBuf {
    project.lines_folder().join(format!("fact-{fact}.columns"))
}
