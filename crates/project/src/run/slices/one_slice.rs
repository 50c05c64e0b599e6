//! One slice of a run: its lines through the engine, and what came of them kept in the folder.

use std::path::{Path, PathBuf};
use std::time::{SystemTime, UNIX_EPOCH};

use interligo_engine::proof::findings::Findings;

use super::division::{DividedFact, Division, repeats_file, slice_folder};
use super::error::SlicesError;
use super::kept_rows::RowsKept;
use super::own_files::OwnFiles;
use super::record::{FactRecord, ItemFile, RecordOf, SliceRecord, item, items, record_file};
use crate::error::Error;
use crate::parallelism::Parallelism;
use crate::prepare::Job;
use crate::project::Project;
use crate::run::repeated_lines::{SettledRepeats, Watch};
use crate::run::worker::Done;
use crate::run::{Cubes, Inspection, Pass};

/// Runs a slice of a division, by its number from 1. A slice that has its result already is not run again; the answer is
/// whether it was run.
///
/// # Errors
/// There is no such slice; an input cannot be read; the folder cannot be written.
pub fn run_slice(
    project: &Project,
    job: &Job,
    division: &Division,
    (folder, slice): (&Path, usize),
    parallelism: Parallelism,
    progress: &(dyn Fn(u64, u64) + Sync),
) -> Result<bool, Error> {
    division.refuse_no_slice(slice)?;
    let (place, of) = (slice_folder(folder, slice), RecordOf { division: division.id(), slice });
    if is_of(&place, of) {
        return Ok(false);
    }
    let inspection = Inspection::of(project, job);
    let plan = &division.output_plan(project, job)?;
    let pass = Pass { inspection, progress, ..Pass::over(project, job, plan, parallelism) };
    let attempt = Attempt::begin(folder, slice)?;
    let mut cubes = pass.empty_cubes();
    let mut facts = Vec::new();
    for (number, fact) in division.facts.iter().enumerate() {
        facts.push(pass.slice_of_fact((number, fact), slice, folder, &attempt.0, &mut cubes)?);
    }
    let cubes = cubes.into_iter().map(|(name, cube)| (name, cube.keep())).collect();
    let mut record = ItemFile::create(record_file(&attempt.0))?;
    record.write(&of)?;
    record.write(&SliceRecord { facts, cubes })?;
    record.finish()?;
    attempt.take_place(&place, of)?;
    Ok(true)
}

/// Whether a folder has the result of a slice.
pub(super) fn is_of(place: &Path, of: RecordOf) -> bool {
    let found = items(&record_file(place)).and_then(|mut file| item::<RecordOf>(&mut file));
    found.is_ok_and(|found| found == of)
}

/// The folder of a slice that is at work: several may be at the same slice, and none sees what another writes.
struct Attempt(PathBuf);

impl Attempt {
    fn begin(folder: &Path, slice: usize) -> Result<Attempt, SlicesError> {
        let now = SystemTime::now().duration_since(UNIX_EPOCH).map_or(0, |now| now.as_nanos());
        let own = folder.join(format!(".slice-{slice:03}-{}-{now}", std::process::id()));
        std::fs::create_dir_all(&own).map_err(|error| SlicesError::unwritable(&own, &error))?;
        Ok(Attempt(own))
    }

    /// Puts the result in its place, unless another attempt was there first.
    fn take_place(self, place: &Path, of: RecordOf) -> Result<(), SlicesError> {
        // What is there without being a result of this division is of a former one.
        if place.exists() && !is_of(place, of) {
            let former = self.0.with_extension("former");
            let _ = std::fs::rename(place, &former);
            let _ = std::fs::remove_dir_all(&former);
        }
        match std::fs::rename(&self.0, place) {
            Ok(()) => Ok(()),
            Err(_) if is_of(place, of) => Ok(()),
            Err(error) => Err(SlicesError::unwritable(place, &error)),
        }
    }
}

impl Drop for Attempt {
    fn drop(&mut self) {
        let _ = std::fs::remove_dir_all(&self.0);
    }
}

impl Pass<'_> {
    /// Passes the rows of a fact in a slice through its engine.
    fn slice_of_fact(
        &self,
        (number, fact): (usize, &DividedFact),
        slice: usize,
        folder: &Path,
        into: &Path,
        cubes: &mut Cubes,
    ) -> Result<FactRecord, Error> {
        let (engine, outputs) = (&self.job.engines[number], self.job.outputs[number].as_slice());
        let table = self.project.table(&engine.bound.fact.name);
        let own = &fact.slices[slice - 1];
        let watch = match fact.has_repeats {
            true => {
                let repeats = read_repeats(folder, number)?;
                Watch::settled(engine, table, repeats, own.lines_before)
            }
            false => None,
        };
        let mut own_files = OwnFiles::begin(self.plan, number, (engine, outputs), table, into)?;
        let mut rows = RowsKept::create(into, number)?;
        let (mut findings, mut blocks) = (Findings::default(), 0);
        let stretches = own.stretches.clone();
        let through =
            self.through(number, watch.as_ref(), stretches.clone(), |mut done: Done| {
                own_files.take(&mut done.lines)?;
                rows.write(done.lines, done.aside)?;
                findings.absorb(done.findings);
                blocks += 1;
                Ok(())
            })?;
        rows.finish()?;
        let own_files = own_files.finish()?;
        let (read, usage) = through.gathered(outputs, cubes);
        Ok(FactRecord { stretches, own_files, blocks, findings, read, usage })
    }
}

/// The lines of a fact that do not hold.
pub(super) fn read_repeats(folder: &Path, fact: usize) -> Result<SettledRepeats, SlicesError> {
    let read = items(&repeats_file(folder, fact)).and_then(|mut file| item(&mut file));
    read.map_err(|why| SlicesError::NoDivision {
        folder: folder.to_owned(),
        why: Some(format!("the file of repeated lines {why}")),
    })
}
