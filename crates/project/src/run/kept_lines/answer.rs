//! Totals from lines that were kept.

use std::collections::BTreeMap;
use std::fs::File;
use std::io::{Read, Seek, SeekFrom};

use interligo_engine::bind::Request;
use interligo_engine::engine::{Engine, Extent};
use interligo_engine::lines::LinePart;
use interligo_engine::outputs::Output;
use interligo_engine::proof::findings::Findings;
use interligo_engine::proof::tieout::ReadSide;
use interligo_engine::totals::Groups;
use interligo_model::values::column::Column;
use interligo_sources::in_order::in_order;
use interligo_sources::table::parts::Table;
use serde::de::DeserializeOwned;

use super::origin::Origin;
use super::{BlockPlace, FORM, FactLines, LinesAbout, about_path, checksum, columns_path};
use crate::check::Checked;
use crate::error::Error;
use crate::page::is_page_part;
use crate::parallelism::Parallelism;
use crate::prepare::{Job, OnDuplicates};
use crate::project::Project;
use crate::run::close::Passed;
use crate::run::open_outputs::OpenFiles;
use crate::run::output_plan::OutputPlan;
use crate::run::{Cubes, Inspection, Pass, RunResult, Through, WorkerState, has_page, totals_of};

/// Lines of the last run that were made of the files and the plan as they are now.
pub struct KeptLines {
    at: u64,
    copies: usize,
    facts: Vec<FactLines>,
}

/// What comes of a question to lines that were kept.
pub enum KeptAnswer {
    /// Totals, as a run over the files would have them.
    Told(Box<RunResult>),
    /// What is asked for was not kept.
    NotKept,
    /// What was kept is damaged, in words.
    Damaged(String),
}

/// Why lines that were kept do not tell what they are asked for.
enum Silence {
    NotKept,
    Damaged(String),
}

impl Project {
    /// The lines of the last run, where they were kept and made of what the files and the plan are now.
    pub fn kept_lines(&self) -> Option<KeptLines> {
        let bytes = std::fs::read(about_path(self)).ok()?;
        let known = &mut bytes.as_slice();
        if item::<u32>(known)? != FORM || item::<u64>(known)? != checksum(known) {
            return None;
        }
        let LinesAbout { at, of, copies } = item(known)?;
        if Origin::of(self)? != of {
            return None;
        }
        let facts = (0..item::<usize>(known)?).map(|_| item(known)).collect::<Option<_>>()?;
        Some(KeptLines { at, copies, facts })
    }
}

/// Reads the next item.
fn item<T: DeserializeOwned>(bytes: &mut &[u8]) -> Option<T> {
    ciborium::from_reader(bytes).ok()
}

impl KeptLines {
    /// When the run was, in seconds since 1970.
    pub fn at(&self) -> u64 {
        self.at
    }

    /// Prepares what is asked for. Lookups are read where totals name their attributes; all of them for a page.
    ///
    /// # Errors
    /// As for [`Project::prepare`].
    pub fn prepare(&self, project: &Project, requests: &[Request]) -> Result<Job, Error> {
        let is_page = requests.iter().any(|request| is_page_part(&request.name));
        if is_page || self.facts.iter().any(|fact| fact.has_turned) {
            return project.prepare(requests, Extent::Everything, OnDuplicates::Stop);
        }
        let shapes = self.facts.iter().map(|fact| (fact.table.as_str(), fact.lookups.as_slice()));
        project.prepare_linked(requests, &shapes.collect())
    }

    /// Answers what a job asks for. It must be [prepared](KeptLines::prepare) from this, or with all links and figures.
    pub fn answer(self, project: &Project, job: &Job, parallelism: Parallelism) -> KeptAnswer {
        match self.totals(project, job, parallelism) {
            Ok(ran) => KeptAnswer::Told(Box::new(ran)),
            Err(Silence::NotKept) => KeptAnswer::NotKept,
            Err(Silence::Damaged(why)) => KeptAnswer::Damaged(why),
        }
    }

    fn totals(
        self,
        project: &Project,
        job: &Job,
        parallelism: Parallelism,
    ) -> Result<RunResult, Silence> {
        let damaged = |error: Error| Silence::Damaged(error.to_string());
        let plan = &OutputPlan::without_outputs(project, job).map_err(damaged)?;
        let pass = Pass::over(project, job, plan, parallelism);
        // A page shows what was found, and how closely was looked must be the same.
        let has_page = has_page(job);
        if has_page && Inspection::of(project, job).copies != self.copies {
            return Err(Silence::NotKept);
        }
        let (mut cubes, mut passed) = (pass.empty_cubes(), Vec::new());
        let mut facts: BTreeMap<String, (usize, FactLines)> =
            self.facts.into_iter().enumerate().map(|kept| (kept.1.table.clone(), kept)).collect();
        for (number, engine) in job.engines.iter().enumerate() {
            let kept = facts.remove(&engine.bound.fact.name).ok_or(Silence::NotKept)?;
            passed.push(pass.fact_kept(number, kept, has_page, &mut cubes)?);
        }
        let closed = pass.close_all(passed, cubes).map_err(damaged)?;
        Ok(RunResult {
            checked: if has_page { pass.checked(&closed) } else { Checked::default() },
            map: has_page.then(|| pass.map(&closed)),
            outcomes: closed.into_iter().map(|fact| fact.outcome).collect(),
            since: None,
            notes: Vec::new(),
        })
    }
}

impl Pass<'_> {
    /// Takes the lines of a fact from what was kept of them, into the totals.
    fn fact_kept(
        &self,
        number: usize,
        (place, kept): (usize, FactLines),
        needs_usage: bool,
        cubes: &mut Cubes,
    ) -> Result<Passed, Silence> {
        let (engine, outputs) = (&self.job.engines[number], self.job.outputs[number].as_slice());
        let columns = KeptColumns::of(engine, outputs, &kept).ok_or(Silence::NotKept)?;
        let measures = measures_kept(engine, &kept).ok_or(Silence::NotKept)?;
        if needs_usage && kept.usage.is_none() {
            return Err(Silence::NotKept);
        }
        let path = columns_path(self.project, place);
        let mut blocks = kept.blocks.iter();
        let workers = in_order(
            self.parallelism.threads,
            || Ok(blocks.next()),
            || WorkerKept {
                file: File::open(&path).ok(),
                groups: totals_of(outputs).map(|totals| Groups::new(totals.plan)).collect(),
            },
            |worker: &mut WorkerKept<'_>, block| worker.add(engine, &columns, block),
            |()| Ok(()),
        )
        .map_err(Silence::Damaged)?;
        let states = workers.into_iter().map(|worker| WorkerState {
            groups: worker.groups,
            usage: None,
            read: ReadSide::default(),
        });
        let findings = found(engine, kept.findings, &kept.parts, &measures);
        let read = kept.read.of_measures(&measures);
        let through = Through { workers: states.collect(), read, usage: kept.usage };
        let (read, usage) = through.gathered(outputs, cubes);
        let fact: &Table = self.project.table(&engine.bound.fact.name);
        let files = OpenFiles::open(self.plan, number, (engine, outputs), fact)
            .map_err(|error| Silence::Damaged(error.to_string()))?;
        Ok(Passed { findings, read, usage, files, keeps_aside: false, kept: None })
    }
}

/// Which of the columns that were kept are wanted.
struct KeptColumns(Vec<(LinePart, usize)>);

impl KeptColumns {
    /// Those that totals are summed from; none where one of them was not kept.
    fn of(engine: &Engine, outputs: &[Output], kept: &FactLines) -> Option<KeptColumns> {
        let own: BTreeMap<LinePart, String> = engine.line_parts().into_iter().collect();
        let wanted = engine.parts_of_totals(outputs).into_iter();
        let place = |part: LinePart| {
            let name = own.get(&part)?;
            Some((part, kept.parts.iter().position(|kept| kept == name)?))
        };
        wanted.map(place).collect::<Option<_>>().map(KeptColumns)
    }
}

/// Of each measure of an engine its number among those of the run; none where that did not have it.
fn measures_kept(engine: &Engine, kept: &FactLines) -> Option<Vec<usize>> {
    let own = engine.measure_names().into_iter();
    own.map(|name| kept.measures.iter().position(|kept| *kept == name)).collect()
}

/// What was found, by the numbers that an engine has for columns and measures.
fn found(engine: &Engine, kept: Findings, parts_kept: &[String], measures: &[usize]) -> Findings {
    let names = parts_kept.iter().enumerate();
    let names: BTreeMap<&str, usize> = names.map(|(at, name)| (name.as_str(), at)).collect();
    // The columns come first, so that their places are their numbers.
    let parts = engine.line_parts().into_iter();
    let columns = parts.filter_map(|(part, name)| match part {
        LinePart::Column(own) => Some((*names.get(name.as_str())?, own)),
        _ => None,
    });
    kept.seen_with(&columns.collect(), measures)
}

/// What a worker has at hand, and what it gathers.
struct WorkerKept<'p> {
    file: Option<File>,
    groups: Vec<Groups<'p>>,
}

impl WorkerKept<'_> {
    fn add(
        &mut self,
        engine: &Engine,
        columns: &KeptColumns,
        block: &BlockPlace,
    ) -> Result<(), String> {
        let file = self.file.as_mut().ok_or("its columns cannot be read")?;
        let mut parts = BTreeMap::new();
        for (part, place) in &columns.0 {
            parts.insert(*part, column(file, block, *place)?);
        }
        let lines = engine.restored(block.lines, parts, block.aside.clone())?;
        for groups in &mut self.groups {
            groups.add(&lines).map_err(|row| format!("line {row} of a block overflows"))?;
        }
        Ok(())
    }
}

/// Reads a column of a block.
fn column(file: &mut File, block: &BlockPlace, place: usize) -> Result<Column, String> {
    let before: u64 = block.columns.iter().take(place).map(|(length, _)| u64::from(*length)).sum();
    let (length, sum) = *block.columns.get(place).ok_or("a block lacks a column")?;
    let mut bytes = vec![0; length as usize];
    file.seek(SeekFrom::Start(block.at + before))
        .and_then(|_| file.read_exact(&mut bytes))
        .map_err(|error| error.to_string())?;
    if checksum(&bytes) != sum {
        return Err("a column is not as it was written".to_owned());
    }
    ciborium::from_reader(bytes.as_slice()).map_err(|_| "a column cannot be read".to_owned())
}
