//! The copies of what outputs said: as text, in the order of the run.

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};

use interligo_engine::bind::{Content, Request, slots_of};
use interligo_engine::engine::Engine;
use interligo_engine::outputs::{Output, OutputColumn, OutputContent};
use interligo_model::plan::{
    ListKind, Mistake, MistakeKind, OutputEntry, Plan, Repeats, WhenThere, Written,
};
use interligo_sinks::format::LinesShape;
use interligo_sinks::formats::text_separator;
use interligo_sinks::output_file::OutputFile;
use interligo_sources::formats::is_address;
use interligo_sources::same_file::{is_stream, real_path};
use serde::{Deserialize, Serialize};

use super::write::file_of;
use super::{RecordError, is_record, now, shown};
use crate::error::Error;
use crate::outcome::Outcome;
use crate::prepare::Job;
use crate::project::{Project, notes_of};
use crate::run::output_plan::OutputPlan;
use interligo_sinks::formats::{file_and_table, holds_several};

/// The file that says which copies there are.
const ABOUT: &str = "copies.json";

/// The form of copies that this program writes; it reads no other.
const VERSION: u32 = 1;

/// How the outputs are called that are copies.
const NAME: &str = "copy of ";

/// What a run said, and what it was made of.
#[derive(Debug, Serialize, Deserialize)]
pub(crate) struct Copies {
    version: u32,
    /// When the run was, in seconds since 1970.
    pub(crate) at: u64,
    /// The tables that were read, each with its files and databases.
    pub(crate) made_of: Vec<(String, Vec<String>)>,
    pub(crate) outputs: Vec<CopiedOutput>,
}

/// An output with its copy.
#[derive(Debug, Serialize, Deserialize)]
pub(crate) struct CopiedOutput {
    pub(crate) output: String,
    /// Where it goes, as the plan says it.
    pub(crate) to: String,
    /// The file or database.
    pub(crate) file: String,
    /// The sheet or table in it.
    pub(crate) table: Option<String>,
    /// Whether there is a file for each value of some attributes.
    pub(crate) is_split: bool,
    /// Whether it is on a server.
    pub(crate) is_server: bool,
    /// Whether there may be rows of other runs.
    pub(crate) is_added_to: bool,
    /// Whether other columns may stand beside: a sheet with formulas has some.
    pub(crate) has_more_columns: bool,
    /// How many rows were written.
    pub(crate) rows: u64,
    /// The columns by which a row is known; none where no columns are.
    pub(crate) key: Vec<String>,
    /// The file of the copy.
    pub(crate) copy: String,
    /// How both are read, where they are text.
    pub(crate) text: TextSettings,
}

/// How text is read.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct TextSettings {
    /// What is between fields; none where it is no such text.
    pub(crate) separator: Option<char>,
    pub(crate) encoding: Option<String>,
}

impl CopiedOutput {
    /// How the copy is read.
    pub(crate) fn copy_text(&self) -> TextSettings {
        match self.text.separator {
            Some(_) => self.text.clone(),
            None => TextSettings { separator: text_separator(&self.copy), encoding: None },
        }
    }
}

impl Copies {
    /// Reads what the last run said.
    pub(crate) fn read(project: &Project) -> Result<Copies, Error> {
        let folder = project.copies_folder();
        let Ok(text) = std::fs::read(folder.join(ABOUT)) else { return Err(no_copies().into()) };
        let damaged = |why: String| RecordError::Damaged { folder: shown(&folder), why };
        let copies: Copies =
            serde_json::from_slice(&text).map_err(|error| damaged(error.to_string()))?;
        if copies.version != VERSION {
            let folder = shown(&folder);
            return Err(RecordError::OtherVersion { folder, version: copies.version }.into());
        }
        Ok(copies)
    }
}

/// Whether an output is a copy of another.
pub(crate) fn is_copy(output: &str) -> bool {
    output.starts_with(NAME)
}

/// The output of which this is a copy, or itself.
pub(crate) fn copied_output(output: &str) -> &str {
    output.strip_prefix(NAME).unwrap_or(output)
}

/// The copies of what these outputs say.
pub(crate) fn copy_requests(plan: &Plan, requests: &[Request]) -> Vec<Request> {
    let mut copies = Vec::new();
    for request in requests {
        let has_none = matches!(request.content, Content::List(ListKind::SetAside) | Content::Page);
        let Some(to) = request.to.as_ref().filter(|_| !has_none) else { continue };
        let (file, _) = file_and_table(&to.text);
        if is_stream(Path::new(&file)) || is_record(&request.name) {
            continue;
        }
        // Text in the style of the output; typed values of anything else.
        let ending = match (text_separator(&file), file.to_lowercase().contains(".jsonl")) {
            (Some(','), _) => "csv",
            (None, true) => "jsonl",
            _ => "tsv",
        };
        let path = format!("{}/copies/{}.{ending}.zst", notes_of(plan), copies.len());
        copies.push(Request {
            name: format!("{NAME}{}", request.name),
            to: Some(Written::in_option("verify", &path, 0..path.len())),
            workbook: None,
            ..request.clone()
        });
    }
    copies
}

/// What says which copies a run made; none where it made none.
///
/// # Errors
/// It cannot be written.
pub(crate) fn copies_made(
    project: &Project,
    job: &Job,
    plan: &OutputPlan,
    outcomes: &[Outcome],
) -> Result<Option<OutputFile>, Error> {
    let mut outputs = Vec::new();
    for (fact, all) in job.outputs.iter().enumerate() {
        let written = &outcomes[fact].tie_out.written;
        for copy in all.iter().filter(|output| is_copy(&output.name)) {
            let name = copied_output(&copy.name);
            let original = all.iter().position(|own| own.name == name);
            let to = original.and_then(|at| Some(plan.of(fact, at)?.to()));
            let original = original.map(|at| &all[at]);
            // A table of totals over several facts is written by one of them.
            let tally = written.iter().find(|own| own.output == name && !own.beside);
            let (Some(original), Some(to), Some(tally)) = (original, to, tally) else { continue };
            let rows = tally.groups.unwrap_or(tally.tally.lines);
            let own = CopiedOutput::of(project, &job.engines[fact], (original, to, copy), rows);
            outputs.extend(own);
        }
    }
    if outputs.is_empty() {
        return Ok(None);
    }
    let made_of = project.tables().iter().map(|table| {
        let files: BTreeSet<&str> =
            table.parts.iter().map(|part| file_of(&part.name.shown)).collect();
        (table.name.clone(), files.into_iter().map(str::to_owned).collect())
    });
    let copies = Copies { version: VERSION, at: now(), made_of: made_of.collect(), outputs };
    let path = project.copies_folder().join(ABOUT);
    let mut file = OutputFile::create(&path, project.plan.file_stem())?;
    file.write(&serde_json::to_vec_pretty(&copies).unwrap_or_default())?;
    Ok(Some(file))
}

impl CopiedOutput {
    /// An output with its copy; none where it goes nowhere.
    fn of(
        project: &Project,
        engine: &Engine,
        (original, to, copy): (&Output, &str, &Output),
        rows: u64,
    ) -> Option<CopiedOutput> {
        let copy_to = copy.to.as_ref()?;
        let (file, table) = file_and_table(to);
        let entry = project.plan.outputs.get(&original.name).map(|entry| &entry.value);
        let when_there = entry.and_then(|entry| Some(*entry.when_there.as_ref()?.get_ref()));
        let key = match &copy.content {
            OutputContent::Lines { columns, .. } => key_among(project, engine, columns),
            _ => Vec::new(),
        };
        let own_table = || holds_several(&file).then(|| original.name.clone());
        Some(CopiedOutput {
            output: original.name.clone(),
            to: to.to_owned(),
            table: table.or_else(own_table),
            is_split: !slots_of(to).is_empty(),
            is_server: is_address(&file),
            is_added_to: when_there == Some(WhenThere::Append),
            has_more_columns: original.workbook.is_some(),
            rows,
            key,
            copy: copy_to.text.rsplit('/').next().unwrap_or_default().to_owned(),
            text: TextSettings::of(&file, entry),
            file,
        })
    }
}

impl TextSettings {
    /// How an output is read that its plan says to write so.
    fn of(file: &str, entry: Option<&OutputEntry>) -> TextSettings {
        let write = entry.and_then(|entry| Some(entry.write.as_ref()?.get_ref()));
        let encoding = write.and_then(|write| Some(write.encoding.as_ref()?.get_ref().clone()));
        let separator = text_separator(file).map(|usual| {
            let own = write.and_then(|write| write.separator.as_ref());
            own.map_or(usual, |own| match own.get_ref().as_str() {
                "tab" => '\t',
                own => own.chars().next().unwrap_or(usual),
            })
        });
        TextSettings { separator, encoding }
    }
}

/// The names of the columns that are the key of a fact, if lines are known by it and all of them are there.
fn key_among(project: &Project, engine: &Engine, columns: &[OutputColumn]) -> Vec<String> {
    let fact = &engine.bound.fact;
    let Some(key) = fact.key.as_ref().filter(|key| key.repeats != Repeats::Keep) else {
        return Vec::new();
    };
    let shape = LinesShape { columns, engine, fact: project.table(&fact.name), live: None };
    let there = shape.row_columns();
    let names: Vec<String> = key.columns.iter().map(|at| fact.columns[*at].clone()).collect();
    let has = |name: &String| there.iter().any(|column| column.name == *name);
    if names.iter().all(has) { names } else { Vec::new() }
}

impl Project {
    /// Copies of an earlier run that this one, with these files, has not written.
    pub(crate) fn stale_copies(&self, written: &[PathBuf]) -> Vec<PathBuf> {
        let folder = real_path(&self.copies_folder());
        let entries = std::fs::read_dir(folder).into_iter().flatten().flatten();
        let files = entries.map(|entry| entry.path()).filter(|path| path.is_file());
        files.filter(|path| !written.contains(path)).collect()
    }
}

/// That there is nothing to verify by.
fn no_copies() -> Mistake {
    let message = "the last run kept no copies of what its outputs said";
    let help = "run it with `interligo run --verify`, or add verify = true to [plan]: then each run keeps them";
    Mistake::of_plan(MistakeKind::MissingSetting, message).help(help)
}
