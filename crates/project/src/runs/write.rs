//! Writing a record: its lines are an output like others, filled while they pass; here is the rest.

use std::collections::BTreeMap;
use std::hash::{BuildHasher, Hasher};
use std::io::Read;
use std::path::{Path, PathBuf};

use foldhash::quality::FixedState;
use interligo_engine::bind::{Home, KeyPart};
use interligo_engine::engine::Engine;
use interligo_engine::outputs::{Output, OutputColumn, OutputContent};
use interligo_engine::proof::tally::Measured;
use interligo_model::plan::Repeats;
use interligo_sinks::formats::compressed::Compression;
use interligo_sinks::output_file::OutputFile;
use interligo_sources::text::write_cell;

use super::record::{FactRecord, InputRecord, LinkRecord, LookupRecord, RunRecord, kind_name};
use super::{ABOUT, is_record, now};
use crate::error::Error;
use crate::outcome::Outcome;
use crate::prepare::Job;
use crate::project::Project;

/// A record that is about to appear.
pub(crate) struct PendingRecord {
    /// What it says of itself.
    pub(crate) record: RunRecord,
    /// Its folder.
    pub(crate) folder: PathBuf,
    /// Its files besides those with lines.
    pub(crate) files: Vec<OutputFile>,
}

impl PendingRecord {
    /// The record with its files where they are until they appear; `files` has those with lines.
    pub(crate) fn readable(&self, files: &[OutputFile]) -> RunRecord {
        let mut record = self.record.clone();
        for fact in &mut record.facts {
            fact.file = part_of(&self.folder.join(&fact.file), files);
            for lookup in &mut fact.lookups {
                lookup.file = part_of(&self.folder.join(&lookup.file), &self.files);
            }
        }
        record
    }
}

/// Where a file is until it appears.
fn part_of(target: &Path, files: &[OutputFile]) -> String {
    let own = files.iter().find(|file| file.path() == target);
    own.map_or(target, OutputFile::part).to_string_lossy().into_owned()
}

/// The record of a run, where one is asked for.
///
/// # Errors
/// A file of it cannot be written.
pub(crate) fn pending_record(
    project: &Project,
    job: &Job,
    outcomes: &[Outcome],
) -> Result<Option<PendingRecord>, Error> {
    let mut files = Vec::new();
    let is_own = |output: &&Output| is_record(&output.name);
    let first = job.outputs.iter().flatten().find(is_own);
    let Some(to) = first.and_then(|output| output.to.as_ref()) else { return Ok(None) };
    let lines = project.folder().join(&to.text);
    let Some(folder) = lines.parent() else { return Ok(None) };
    let mut record = RunRecord::new(now(), project.plan.file_stem(), &project.plan.source);
    for (fact, engine) in job.engines.iter().enumerate() {
        let corrections = engine.bound.corrections.iter();
        if fact == 0 {
            record.corrections = corrections
                .map(|own| [own.link.clone(), own.found.clone(), own.used.clone()])
                .collect();
        }
        let Some(output) = job.outputs[fact].iter().find(is_own) else { continue };
        let mut own = of_fact(engine, output, &outcomes[fact]);
        for (number, lookup) in engine.lookups.iter().enumerate() {
            let file = format!("fact-{fact}-lookup-{number}.csv.zst");
            let (text, columns) = lookup_text(engine, number);
            files.push(compressed(folder, &file, &text, project)?);
            own.lookups.push(LookupRecord { name: lookup.name.clone(), file, columns });
        }
        record.facts.push(own);
    }
    // A workbook is read once, however many sheets it has.
    let mut contents: BTreeMap<String, Option<String>> = BTreeMap::new();
    for table in project.tables() {
        for part in &table.parts {
            let file = file_of(&part.name.shown);
            let read = || fingerprint(&project.folder().join(file));
            record.inputs.push(InputRecord {
                table: table.name.clone(),
                file: part.name.shown.to_string(),
                contents: contents.entry(file.to_owned()).or_insert_with(read).clone(),
            });
        }
    }
    files.push(about_file(&record, folder, project)?);
    Ok(Some(PendingRecord { record, folder: folder.to_owned(), files }))
}

/// What a record says of itself, as its file.
pub(crate) fn about_file(
    record: &RunRecord,
    folder: &Path,
    project: &Project,
) -> Result<OutputFile, Error> {
    let mut text = serde_json::to_vec_pretty(record).unwrap_or_default();
    text.push(b'\n');
    let mut about = OutputFile::create(&folder.join(ABOUT), project.plan.file_stem())?;
    about.write(&text)?;
    Ok(about)
}

/// The file in which a part is: a sheet or table is in one.
pub(crate) fn file_of(shown: &str) -> &str {
    shown.split('#').next().unwrap_or(shown)
}

/// A fingerprint of the contents of a file.
fn fingerprint(path: &Path) -> Option<String> {
    let mut file = std::fs::File::open(path).ok()?;
    let mut hasher = FixedState::with_seed(0x7275_6e73).build_hasher();
    let (mut buffer, mut bytes) = (vec![0; 1 << 18], 0_u64);
    loop {
        let read = file.read(&mut buffer).ok()?;
        if read == 0 {
            return Some(format!("{bytes}-{:016x}", hasher.finish()));
        }
        hasher.write(&buffer[..read]);
        bytes += read as u64;
    }
}

fn of_fact(engine: &Engine, output: &Output, outcome: &Outcome) -> FactRecord {
    let fact = &engine.bound.fact;
    let (mut columns, mut links) = (Vec::new(), Vec::new());
    if let OutputContent::Lines { columns: all, .. } = &output.content {
        for column in all {
            match column {
                OutputColumn::Value { column_name, kind, .. } => {
                    columns.push((column_name.clone(), kind_name(*kind).to_owned()));
                }
                OutputColumn::LinkRow { link, .. } => links.push(of_link(engine, *link)),
                _ => {}
            }
        }
    }
    let kept = &outcome.findings.ends.kept;
    let totals = engine.measured().iter().enumerate().filter_map(|(number, measured)| {
        let Measured::Figure(_) = measured else { return None };
        let sum = kept.sum(number)?.value()?;
        Some((engine.measure_name(number).to_owned(), sum.to_string()))
    });
    let key = fact.key.as_ref();
    FactRecord {
        name: fact.name.clone(),
        file: output
            .to
            .as_ref()
            .map_or(String::new(), |to| to.text.rsplit('/').next().unwrap_or_default().to_owned()),
        lines: kept.lines,
        key: key.map_or_else(Vec::new, |key| {
            key.columns.iter().map(|column| fact.columns[*column].clone()).collect()
        }),
        is_unique: key.is_some_and(|key| key.repeats != Repeats::Keep),
        columns,
        links,
        lookups: Vec::new(),
        figures: Vec::new(),
        attributes: Vec::new(),
        up_to: None,
        totals: totals.collect(),
    }
}

fn of_link(engine: &Engine, link: usize) -> LinkRecord {
    let route = &engine.bound.routes[link];
    let bound = &engine.bound.lookups[route.lookup];
    let parts: Vec<&KeyPart> = route.candidates.iter().flatten().chain(&route.as_of).collect();
    let is_of_fact = route.home == Home::Fact;
    let name = |part: &&KeyPart| {
        let own = part.route.is_none() && is_of_fact;
        own.then(|| engine.bound.fact.columns[part.column].clone())
    };
    let mut builds_on: Vec<usize> = parts.iter().filter_map(|part| part.route).collect();
    builds_on.extend(engine.chained_to(link));
    LinkRecord {
        name: route.name.clone(),
        lookup: route.lookup,
        key: bound
            .key_columns(route.key)
            .iter()
            .map(|column| bound.columns[*column].clone())
            .collect(),
        own: parts.iter().filter_map(name).collect(),
        day: route.as_of.as_ref().and_then(|part| name(&part)),
        builds_on,
    }
}

/// The rows of a lookup as text, with the days on which each is valid; and its columns.
fn lookup_text(engine: &Engine, number: usize) -> (Vec<u8>, Vec<(String, String)>) {
    let lookup = &engine.lookups[number];
    let held = lookup.held_columns();
    let columns: Vec<(String, String)> = held
        .iter()
        .map(|(column, kind)| (lookup.columns[*column].name.clone(), kind_name(*kind).to_owned()))
        .collect();
    let mut text = Vec::new();
    let names = columns.iter().map(|(name, _)| name.as_str()).chain(["from", "until"]);
    write_row(&mut text, names);
    let valid = lookup.valid_days();
    for row in 0..lookup.rows_with_fill() {
        let values: Vec<String> =
            held.iter().map(|(column, _)| lookup.value(*column, row).to_string()).collect();
        let (from, until) = valid.get(row as usize).copied().unwrap_or_default();
        let day = |day: Option<interligo_model::values::date::Day>| {
            day.map_or(String::new(), |day| day.to_string())
        };
        let days = [day(from), day(until)];
        write_row(&mut text, values.iter().chain(&days).map(String::as_str));
    }
    (text, columns)
}

pub(crate) fn write_row<'c>(text: &mut Vec<u8>, cells: impl Iterator<Item = &'c str>) {
    for (number, cell) in cells.enumerate() {
        if number > 0 {
            text.push(b',');
        }
        write_cell(text, cell);
    }
    text.push(b'\n');
}

/// A compressed file of a record.
fn compressed(
    folder: &Path,
    name: &str,
    text: &[u8],
    project: &Project,
) -> Result<OutputFile, Error> {
    let path = folder.join(name);
    let mut file = OutputFile::create(&path, project.plan.file_stem())?;
    file.write(&Compression::Zstd.compress(text))?;
    Ok(file)
}
