//! Records of runs, by which two of them can be compared: what was read, and what figures were made of.
//!
//! A record lies in `.interligo/PLAN/runs/N` and appears together with the outputs of its run. It has the plan and its
//! corrections; of each line its key, the columns that figures and links use, and the row that each link found; of each lookup
//! its rows. What figures come to is not in it: they are computed again from this, by the same engine.

mod copies;
mod pairs;
mod record;
mod recorded_fact;
mod recorded_line;
mod rows;
mod waiting;
mod write;

use std::path::{Path, PathBuf};
use std::time::{SystemTime, UNIX_EPOCH};

use interligo_engine::bind::{Content, LinesRequest, Request, TotalsRequest};
use interligo_model::plan::{Mistake, MistakeKind, Written};

pub(crate) use copies::{
    CopiedOutput, Copies, TextSettings, copied_output, copies_made, copy_requests, is_copy,
};
pub(crate) use pairs::{Pair, with_pairs};
pub use record::RecordError;
pub(crate) use record::{FactRecord, InputRecord, RunRecord, shown};
pub(crate) use recorded_fact::RecordedFact;
pub(crate) use recorded_line::{Needs, Places, RecordedLine};
pub(crate) use rows::Row;
pub(crate) use waiting::Waiting;
pub(crate) use write::{PendingRecord, about_file, pending_record, write_row};

use crate::error::Error;
use crate::project::{Project, notes_of};

/// The file of a record that says what is in it.
pub(crate) const ABOUT: &str = "run.json";

/// How the outputs are called that are records.
const NAME: &str = "record of ";

/// A run that a record is kept of.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct KeptRun {
    /// Its number.
    pub number: u32,
    /// When it was, in seconds since 1970.
    pub at: u64,
    /// Of each fact, how many lines it had.
    pub lines: Vec<(String, u64)>,
    /// Of each fact, what its figures came to, as texts with every digit.
    pub totals: Vec<(String, Vec<(String, String)>)>,
    /// How many bytes the record takes.
    pub bytes: u64,
}

/// Whether an output is a record.
pub(crate) fn is_record(output: &str) -> bool {
    output.starts_with(NAME)
}

impl Project {
    /// What a run of the plan writes: its outputs that go somewhere, and a record where one is kept.
    ///
    /// # Errors
    /// A mistake in the outputs of the plan.
    pub fn run_requests(&self) -> Result<Vec<Request>, Error> {
        let mut requests = Request::of_plan(&self.plan)?;
        // Totals without a file are asked for by name.
        requests.retain(|request| request.to.is_some());
        if requests.iter().any(|request| request.content.is_page()) {
            // A page marks rows whose amounts are known on different lines.
            for request in &mut requests {
                if let Content::Totals(totals) = &mut request.content {
                    totals.compare_known = true;
                }
            }
            requests.extend(self.page_parts(&requests)?);
        }
        if let Some(keep) = self.plan.plan.keep_runs.as_ref().filter(|keep| *keep.get_ref() == 0) {
            let message = "a record is kept of no run";
            let help = "write how many, or leave `keep-runs` out";
            return Err(Mistake::in_plan(MistakeKind::WrongValue, keep.span(), message)
                .help(help)
                .into());
        }
        if self.plan.plan.verify {
            requests.extend(copy_requests(&self.plan, &requests));
        }
        // What closed periods are held against is read off the record, which goes if it is not kept.
        if self.plan.plan.keep_runs.is_none() && self.closed_periods()?.is_none() {
            return Ok(requests);
        }
        let number = self.run_numbers().last().map_or(1, |last| last + 1);
        let notes = notes_of(&self.plan);
        for (at, fact) in self.plan.facts().enumerate() {
            let path = format!("{notes}/runs/{number}/fact-{at}.csv.zst");
            let written = |text: &str| Written::in_option("keep-runs", text, 0..text.len());
            let lines = LinesRequest { record: true, ..LinesRequest::default() };
            requests.push(Request {
                to: Some(written(&path)),
                of: Some(written(&fact.name)),
                content: Content::Lines(lines),
                ..Request::of_totals(format!("{NAME}{}", fact.name), TotalsRequest::default())
            });
        }
        Ok(requests)
    }

    /// The same requests, with a copy of what each output says, by which it can be verified.
    pub fn verified(&self, requests: Vec<Request>) -> Vec<Request> {
        let copies = match self.plan.plan.verify {
            // They are among them.
            true => Vec::new(),
            false => copy_requests(&self.plan, &requests),
        };
        requests.into_iter().chain(copies).collect()
    }

    /// The numbers of the runs that a record is kept of, ascending.
    pub(crate) fn run_numbers(&self) -> Vec<u32> {
        numbers_in(&self.runs_folder())
    }

    /// The runs that a record is kept of, the last one last; of each, or why its record cannot be read.
    pub fn kept_runs(&self) -> Vec<Result<KeptRun, RecordError>> {
        let run = |number: u32| {
            let folder = self.runs_folder().join(number.to_string());
            let record = RunRecord::read(&folder)?;
            let facts = record.facts.iter();
            Ok(KeptRun {
                number,
                at: record.at,
                lines: facts.clone().map(|fact| (fact.name.clone(), fact.lines)).collect(),
                totals: facts.map(|fact| (fact.name.clone(), fact.totals.clone())).collect(),
                bytes: size_of(&folder),
            })
        };
        self.run_numbers().into_iter().map(run).collect()
    }

    /// Removes the records of runs before the last that are kept.
    pub(crate) fn forget_runs(&self) {
        let Some(keep) = &self.plan.plan.keep_runs else { return };
        let numbers = self.run_numbers();
        let gone = numbers.len().saturating_sub(*keep.get_ref() as usize);
        for number in &numbers[..gone] {
            let _ = std::fs::remove_dir_all(self.runs_folder().join(number.to_string()));
        }
    }

    /// The folder of a record: a number of a run, or a folder.
    ///
    /// # Errors
    /// There is no such record.
    pub(crate) fn record_at(&self, named: &str) -> Result<PathBuf, Mistake> {
        let own = self.runs_folder().join(named);
        let is_number = named.parse::<u32>().is_ok();
        let folder = if is_number { own } else { PathBuf::from(named) };
        if folder.join(ABOUT).is_file() {
            return Ok(folder);
        }
        let written = Written::in_option("compare", named, 0..named.len());
        let known: Vec<String> = self.run_numbers().iter().map(u32::to_string).collect();
        let message = match is_number {
            true => format!("no record is kept of run {named}"),
            false => format!("there is no record of a run in `{named}`"),
        };
        let help = match known.is_empty() {
            true => "add keep-runs = 3 to [plan]: a record is kept from the next run on".to_owned(),
            false => format!("records are kept of the runs {}", known.join(", ")),
        };
        Err(written.mistaken(MistakeKind::UnknownName, message).help(help))
    }
}

/// The numbers of the records in a folder, ascending.
pub(crate) fn numbers_in(folder: &Path) -> Vec<u32> {
    let entries = std::fs::read_dir(folder).into_iter().flatten().flatten();
    let number = |entry: std::fs::DirEntry| {
        let whole = entry.path().join(ABOUT).is_file();
        entry.file_name().to_str()?.parse().ok().filter(|_| whole)
    };
    let mut numbers: Vec<u32> = entries.filter_map(number).collect();
    numbers.sort_unstable();
    numbers
}

/// Now, in seconds since 1970.
pub(crate) fn now() -> u64 {
    SystemTime::now().duration_since(UNIX_EPOCH).map_or(0, |now| now.as_secs())
}

fn size_of(folder: &Path) -> u64 {
    let entries = std::fs::read_dir(folder).into_iter().flatten().flatten();
    entries.filter_map(|entry| Some(entry.metadata().ok()?.len())).sum()
}
