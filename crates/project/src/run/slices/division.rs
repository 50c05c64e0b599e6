//! How a run is divided: written down once, and held against what each slice and the join meet.

use std::path::{Path, PathBuf};
use std::time::UNIX_EPOCH;

use foldhash::quality::FixedState;
use interligo_model::place::Place;
use interligo_sinks::output_file::write_whole;
use interligo_sources::formats::handed_on::HandedOn;
use serde::{Deserialize, Serialize};
use std::hash::BuildHasher;

use super::error::SlicesError;
use super::handed_on::hand_on;
use crate::error::Error;
use crate::prepare::Job;
use crate::project::Project;
use crate::run::output_plan::OutputPlan;
use crate::run::stream::PartStretch;

/// The version of the form of all files in the folder.
const FORM: u32 = 7;

/// The name of the file of a division.
const FILE: &str = "slices.json";

/// Into what a run is divided.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Slices {
    /// How many slices there are.
    pub slices: usize,
    /// Whether each leaves its lines in files of its own, `lines/slice-003.csv` for `lines.csv`, and so nobody writes
    /// them again.
    pub lines_by_slice: bool,
}

/// How a run is divided into slices.
#[derive(Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Division {
    /// The version of the form.
    form: u32,
    /// The version of the program.
    program: String,
    /// A fingerprint of the plan and its corrections.
    plan: u64,
    /// The files that are read, as they were.
    inputs: Vec<Input>,
    /// How many slices there are.
    pub slices: usize,
    /// Whether each slice leaves its lines in files of its own.
    lines_by_slice: bool,
    /// The facts, in the order of the plan.
    pub(super) facts: Vec<DividedFact>,
    /// Lookups that are on servers, as they were when the run was divided.
    pub handed_on: HandedOn,
}

/// A file that is read, as it was when the run was divided.
#[derive(Debug, PartialEq, Eq, Serialize, Deserialize)]
struct Input {
    name: String,
    bytes: u64,
    /// When it was changed last, in nanoseconds since 1970.
    modified: u64,
}

/// A fact, and what of it is in each slice.
#[derive(Debug, PartialEq, Eq, Serialize, Deserialize)]
pub(super) struct DividedFact {
    pub(super) table: String,
    /// Whether it has a key, and a file says which lines do not hold.
    pub(super) has_repeats: bool,
    /// By slice.
    pub(super) slices: Vec<FactSlice>,
}

/// What of a fact is in a slice.
#[derive(Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub(super) struct FactSlice {
    /// Its rows, in their order.
    pub(super) stretches: Vec<PartStretch>,
    /// How many bytes they have, as far as that is known.
    pub(super) bytes: u64,
    /// How many lines of a fact with a key come before them.
    pub(super) lines_before: u64,
}

impl Division {
    pub(super) fn new(
        project: &Project,
        into: Slices,
        facts: Vec<DividedFact>,
        handed_on: HandedOn,
    ) -> Division {
        let Slices { slices, lines_by_slice } = into;
        Division {
            form: FORM,
            program: env!("CARGO_PKG_VERSION").to_owned(),
            plan: fingerprint(project),
            inputs: inputs(project),
            slices,
            lines_by_slice,
            facts,
            handed_on,
        }
    }

    /// Whether a run was divided in this way.
    pub fn is_into(&self, into: Slices) -> bool {
        (self.slices, self.lines_by_slice) == (into.slices, into.lines_by_slice)
    }

    /// Whether lookups on servers still are what was handed on: nothing but reading them again tells.
    ///
    /// # Errors
    /// One cannot be read, or its file cannot be written.
    pub fn hands_on_the_same(
        &self,
        project: &Project,
        job: &Job,
        folder: &Path,
    ) -> Result<bool, Error> {
        Ok(hand_on(project, job, folder)?.in_folder(Path::new("")) == self.handed_on)
    }

    /// Where the outputs of the run go.
    ///
    /// # Errors
    /// An output that would be written over an input or over another output.
    pub(super) fn output_plan(&self, project: &Project, job: &Job) -> Result<OutputPlan, Error> {
        let mut plan = OutputPlan::resolve(project, job)?;
        if self.lines_by_slice {
            plan.let_lines_go_by_slice(job);
        }
        Ok(plan)
    }

    /// How many bytes of facts a slice has, by its number from 0.
    pub fn bytes(&self, slice: usize) -> u64 {
        self.facts.iter().filter_map(|fact| fact.slices.get(slice)).map(|own| own.bytes).sum()
    }

    /// Of each slice, where its first rows are.
    pub fn begins(&self, project: &Project) -> Vec<Option<Place>> {
        let first = |slice: usize| {
            let facts = self.facts.iter();
            let mut all = facts.flat_map(|fact| {
                fact.slices[slice].stretches.iter().map(|own| (fact.table.as_str(), own))
            });
            all.next().map(|(table, own)| {
                let part = project.table(table).parts[own.part].name.clone();
                match own.rows.from {
                    Some(from) => Place::row(part, from.row),
                    None => Place { part, ..Place::default() },
                }
            })
        };
        (0..self.slices).map(first).collect()
    }

    /// A number by which results of other divisions are known.
    pub(super) fn id(&self) -> u64 {
        let text = serde_json::to_vec(self).unwrap_or_default();
        FixedState::with_seed(0x736c_6963).hash_one(text)
    }

    pub(super) fn write(&self, folder: &Path) -> Result<(), Error> {
        std::fs::create_dir_all(folder).map_err(|e| SlicesError::unwritable(folder, &e))?;
        let text = serde_json::to_vec_pretty(self).unwrap_or_default();
        Ok(write_whole(&division_file(folder), &text)?)
    }

    /// Reads the division in a folder.
    ///
    /// # Errors
    /// There is none; it is of another version, plan or state of the inputs.
    pub fn read(folder: &Path, project: &Project) -> Result<Division, Error> {
        let none = |why: Option<String>| SlicesError::NoDivision { folder: folder.to_owned(), why };
        let text = match std::fs::read(division_file(folder)) {
            Ok(text) => text,
            Err(error) if error.kind() == std::io::ErrorKind::NotFound => {
                return Err(none(None).into());
            }
            Err(error) => {
                return Err(none(Some(interligo_sources::refusal::refusal(&error))).into());
            }
        };
        let division: Division = serde_json::from_slice(&text)
            .map_err(|error| none(Some(format!("{FILE} is damaged ({error})"))))?;
        division.refuse_other(project)?;
        Ok(division)
    }

    fn refuse_other(&self, project: &Project) -> Result<(), SlicesError> {
        let own = env!("CARGO_PKG_VERSION");
        if self.form != FORM || self.program != own {
            let (by, own) = (self.program.clone(), own.to_owned());
            return Err(SlicesError::OtherVersion { by, own });
        }
        if self.plan != fingerprint(project) {
            return Err(SlicesError::OtherPlan);
        }
        let now = inputs(project);
        let others = self.inputs.iter().filter(|input| !now.contains(input));
        let more = now.iter().filter(|input| !self.inputs.contains(input));
        match others.chain(more).next() {
            Some(input) => Err(SlicesError::OtherInput { input: input.name.clone() }),
            None => Ok(()),
        }
    }

    pub(super) fn refuse_no_slice(&self, slice: usize) -> Result<(), SlicesError> {
        match (1..=self.slices).contains(&slice) {
            true => Ok(()),
            false => Err(SlicesError::NoSuchSlice { slice, slices: self.slices }),
        }
    }
}

/// The file of a division in its folder.
pub(super) fn division_file(folder: &Path) -> PathBuf {
    folder.join(FILE)
}

/// The folder of a slice, by its number from 1.
pub(super) fn slice_folder(folder: &Path, slice: usize) -> PathBuf {
    folder.join(format!("slice-{slice:03}"))
}

/// The file with the lines of a fact that do not hold.
pub(super) fn repeats_file(folder: &Path, fact: usize) -> PathBuf {
    folder.join(format!("repeats-{fact}.cbor"))
}

/// A fingerprint of the plan and its corrections.
fn fingerprint(project: &Project) -> u64 {
    let corrections = project.corrections_file();
    let corrections = corrections.map(|file| std::fs::read(&file.path).unwrap_or_default());
    FixedState::with_seed(0x706c_616e).hash_one((&project.plan.source, corrections))
}

/// The files that are read.
fn inputs(project: &Project) -> Vec<Input> {
    let tables = project.tables().iter().filter(|table| !project.is_made(&table.name));
    let parts = tables.flat_map(|table| &table.parts);
    let mut all: Vec<Input> = parts
        .filter_map(|part| {
            let metadata = part.path.as_ref()?.metadata().ok()?;
            let modified = metadata.modified().ok()?.duration_since(UNIX_EPOCH).ok()?;
            Some(Input {
                name: part.name.to_string(),
                bytes: metadata.len(),
                modified: modified.as_nanos() as u64,
            })
        })
        .collect();
    all.sort_by(|a, b| a.name.cmp(&b.name));
    all.dedup();
    all
}
