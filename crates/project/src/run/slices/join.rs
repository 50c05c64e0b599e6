//! Puts the results of all slices together, and ends the run as a single one ends.

use std::path::Path;

use interligo_engine::proof::findings::Findings;
use interligo_engine::proof::tieout::ReadSide;
use interligo_engine::proof::usage::Usage;
use interligo_engine::totals::{KeptCube, TotalsPlan};
use interligo_sources::in_order::in_order;

use super::division::{DividedFact, Division, slice_folder};
use super::error::SlicesError;
use super::kept_rows::KeptBlocks;
use super::one_slice::read_repeats;
use super::own_files::OwnFile;
use super::record::{FactRecord, RecordOf, SliceRecord, item, items, record_file};
use crate::closed::Guard;
use crate::error::Error;
use crate::parallelism::Parallelism;
use crate::prepare::Job;
use crate::project::Project;
use crate::run::close::Passed;
use crate::run::open_outputs::{OpenFiles, Places};
use crate::run::{Cubes, Inspection, Pass, RunResult, RunRules, totals_of};

/// Joins the slices of a division: the tie-out closes over all of them, and the outputs appear as those of a single run.
///
/// # Errors
/// A slice has no result, or one of another division; what ends a single run.
pub fn join(
    project: &Project,
    job: &Job,
    folder: &Path,
    parallelism: Parallelism,
    rules: impl Into<RunRules>,
    progress: &(dyn Fn(u64, u64) + Sync),
) -> Result<RunResult, Error> {
    let RunRules { on_stop, on_closed } = rules.into();
    let division = Division::read(folder, project)?;
    let inspection = Inspection::of(project, job);
    let plan = &division.output_plan(project, job)?;
    let guard = Guard::of(project, job, on_closed)?;
    let pass =
        Pass { on_stop, inspection, progress, ..Pass::over(project, job, plan, parallelism) };
    refuse_missing(folder, &division)?;
    let mut cubes = pass.empty_cubes();
    let mut gathered: Vec<Gathered> = division.facts.iter().map(|_| Gathered::default()).collect();
    let id = division.id();
    let mut slices = 1..=division.slices;
    in_order(
        parallelism.threads,
        || Ok::<_, SlicesError>(slices.next()),
        || (),
        |(), slice| Ok((slice, record_of(folder, (&division, id), slice)?)),
        |(slice, record)| {
            pass.take_sums(slice, record.cubes, &mut cubes)?;
            gathered.iter_mut().zip(record.facts).for_each(|(all, own)| all.absorb(own));
            Ok(())
        },
    )?;
    let mut passed = Vec::new();
    for (number, (fact, gathered)) in division.facts.iter().zip(gathered).enumerate() {
        passed.push(pass.fact_of_slices((number, fact), gathered, folder)?);
    }
    let facts = pass.close_all(passed, cubes)?;
    pass.end(facts, guard.as_ref())
}

fn damaged(slice: usize, why: impl Into<String>) -> SlicesError {
    SlicesError::Damaged { slice, why: why.into() }
}

/// Refuses a division of which a slice has no result.
fn refuse_missing(folder: &Path, division: &Division) -> Result<(), SlicesError> {
    let is_missing = |slice: &usize| !record_file(&slice_folder(folder, *slice)).is_file();
    let missing: Vec<usize> = (1..=division.slices).filter(is_missing).collect();
    match missing.is_empty() {
        true => Ok(()),
        false => Err(SlicesError::Missing { missing, slices: division.slices }),
    }
}

/// The record of a slice, which read just the rows that it was to read: where one slice ends the next begins.
fn record_of(
    folder: &Path,
    (division, id): (&Division, u64),
    slice: usize,
) -> Result<SliceRecord, SlicesError> {
    let wrong = |why: String| damaged(slice, why);
    let mut file = items(&record_file(&slice_folder(folder, slice))).map_err(wrong)?;
    let of: RecordOf = item(&mut file).map_err(wrong)?;
    if of != (RecordOf { division: id, slice }) {
        return Err(damaged(slice, "is of another division of the run"));
    }
    let record: SliceRecord = item(&mut file).map_err(wrong)?;
    let planned = division.facts.iter().map(|fact| &fact.slices[slice - 1].stretches);
    if !record.facts.iter().map(|fact| &fact.stretches).eq(planned) {
        return Err(damaged(slice, "is of other rows than its own"));
    }
    Ok(record)
}

/// What the slices of a fact found, in their order.
#[derive(Default)]
struct Gathered {
    findings: Findings,
    read: ReadSide,
    usage: Option<Usage>,
    /// By slice, how many blocks it put into outputs, and the files that it left.
    slices: Vec<(u64, Vec<OwnFile>)>,
}

impl Gathered {
    fn absorb(&mut self, record: FactRecord) {
        self.findings.absorb(record.findings);
        self.read.merge(&record.read);
        self.slices.push((record.blocks, record.own_files));
        match (&mut self.usage, record.usage) {
            (Some(all), Some(own)) => all.merge(&own),
            (none, own) => *none = own,
        }
    }
}

impl Pass<'_> {
    /// Takes in what a slice summed.
    fn take_sums(
        &self,
        slice: usize,
        kept: Vec<(String, KeptCube)>,
        cubes: &mut Cubes,
    ) -> Result<(), SlicesError> {
        for (name, kept) in kept {
            let all = self.job.outputs.iter().flat_map(|outputs| totals_of(outputs));
            let own = all.filter(|totals| totals.name == name);
            let plans: Vec<&TotalsPlan> = own.map(|totals| totals.plan).collect();
            let taken = cubes.get_mut(&name).is_some_and(|cube| cube.absorb_kept(&plans, kept));
            if !taken {
                return Err(damaged(slice, "has totals that the plan does not have"));
            }
        }
        Ok(())
    }

    /// Writes the rows that the slices of a fact put into outputs.
    fn fact_of_slices(
        &self,
        (number, fact): (usize, &DividedFact),
        gathered: Gathered,
        folder: &Path,
    ) -> Result<Passed, Error> {
        let Gathered { mut findings, read, usage, slices } = gathered;
        let (engine, outputs) = (&self.job.engines[number], self.job.outputs[number].as_slice());
        let table = self.project.table(&engine.bound.fact.name);
        if fact.has_repeats {
            read_repeats(folder, number)?.note(&mut findings);
        }
        self.refuse(engine, &findings)?;
        let mut files = OpenFiles::open(self.plan, number, (engine, outputs), table)?;
        let places = Places { project: self.project, plan: self.plan };
        for (at, (blocks, own_files)) in slices.into_iter().enumerate() {
            let (slice, own_folder) = (at + 1, slice_folder(folder, at + 1));
            let wrong = |why: String| damaged(slice, why);
            for own in own_files {
                let changed = || damaged(slice, "lacks a file of lines, or it was changed");
                let file = own.in_folder(&own_folder).ok_or_else(changed)?;
                files.take_file(own.output, slice, (&file, own.rows), &places)?;
            }
            let mut kept = KeptBlocks::open(&own_folder, number).map_err(wrong)?;
            for _ in 0..blocks {
                let (lines, aside) = kept.next_block().map_err(wrong)?;
                files.write(lines, aside, &places)?;
            }
            kept.finish().map_err(wrong)?;
            (self.progress)(fact.slices[at].bytes, 0);
        }
        Ok(Passed { findings, read, usage, files, keeps_aside: self.plan.writes, kept: None })
    }
}
