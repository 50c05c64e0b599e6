//! `interligo slices`, `interligo run --slice`, `interligo join`.

use std::path::Path;

use interligo_engine::engine::Extent;
use interligo_project::{
    Division, Error, Job, OnClosed, OnDuplicates, OnSpark, OnStop, RunResult, RunRules, Slices,
    SlicesError,
};
use interligo_report::text;

use super::run::print_run;
use super::{Opened, Out};
use crate::args::{JoinOptions, PlanOptions, RunOptions, SliceNumber, SlicesOptions};
use crate::failure::Failure;
use crate::progress::{Progress, SlicesProgress};

pub(crate) fn slices(options: &SlicesOptions, out: Out<'_>) -> Result<(), Failure> {
    let (opened, job) = prepared(Opened::open(&options.plan)?)?;
    let into = Slices { slices: options.slices, lines_by_slice: options.lines_by_slice };
    let division = divided(&opened, &job, into, &options.into)?;
    text::division(out, &opened.project, &division, &options.into)?;
    Ok(())
}

/// Divides a run, with a progress bar.
fn divided(opened: &Opened, job: &Job, into: Slices, folder: &Path) -> Result<Division, Failure> {
    let (project, parallelism) = (&opened.project, opened.parallelism);
    let progress = Progress::new(project.bytes_of_facts());
    let advance = |bytes, lines| progress.advance(bytes, lines);
    let division = interligo_project::divide(project, job, into, folder, parallelism, &advance);
    progress.finish();
    division.map_err(|error| opened.failure(error))
}

/// A plan with all that a run of it needs.
fn prepared(opened: Opened) -> Result<(Opened, Job), Failure> {
    let requests = opened.project.run_requests().map_err(|error| opened.failure(error))?;
    let job = opened.prepare(&requests, Extent::Everything, OnDuplicates::Stop)?;
    Ok((opened, job))
}

/// Runs one slice.
pub(super) fn slice(
    plan: &PlanOptions,
    folder: &Path,
    SliceNumber { slice, of }: SliceNumber,
    out: Out<'_>,
) -> Result<(), Failure> {
    let (opened, job) = prepared(Opened::divided(plan, folder)?.counted_told())?;
    let division =
        Division::read(folder, &opened.project).map_err(|error| opened.failure(error))?;
    if division.slices != of {
        let error: Error = SlicesError::NoSuchSlice { slice: of, slices: division.slices }.into();
        return Err(opened.failure(error));
    }
    let progress = Progress::new(division.bytes(slice - 1));
    let ran = interligo_project::run_slice(
        &opened.project,
        &job,
        &division,
        (folder, slice),
        opened.parallelism,
        &|bytes, lines| progress.advance(bytes, lines),
    );
    progress.finish();
    match ran.map_err(|error| opened.failure(error))? {
        true => writeln!(out, "slice {slice} of {of} is done")?,
        false => writeln!(out, "slice {slice} of {of} was done before")?,
    }
    Ok(())
}

pub(crate) fn join(options: &JoinOptions, out: Out<'_>) -> Result<(), Failure> {
    let (opened, job) = prepared(Opened::divided(&options.plan, &options.folder)?.counted_told())?;
    let ran = joined(&opened, &job, &options.folder, options.end.reopen)?;
    print_run(&opened, &ran, &options.end, out)
}

/// Joins the slices in a folder.
fn joined(opened: &Opened, job: &Job, folder: &Path, reopen: bool) -> Result<RunResult, Failure> {
    let on_closed = if reopen { OnClosed::Reopen } else { OnClosed::Refuse };
    let rules = RunRules { on_closed, ..OnStop::Stop.into() };
    let progress = Progress::new(0);
    let advance = |bytes, lines| progress.advance(bytes, lines);
    let (project, parallelism) = (&opened.project, opened.parallelism);
    let joined = interligo_project::join(project, job, folder, parallelism, rules, &advance);
    progress.finish();
    joined.map_err(|error| opened.failure(error))
}

/// Divides a run, has Spark run the slices, and joins them. What an earlier attempt came to is taken.
pub(super) fn on_spark(
    options: &RunOptions,
    master: &str,
    folder: &Path,
    out: Out<'_>,
) -> Result<(), Failure> {
    let (opened, job) = prepared(Opened::open(&options.plan)?)?;
    let failed = |error: Error| opened.failure(error);
    let project = &opened.project;
    let into = Slices { slices: options.slices, lines_by_slice: options.lines_by_slice };
    let known = Division::read(folder, project).ok().filter(|own| own.is_into(into));
    let hands_on_the_same =
        |own: &Division| own.hands_on_the_same(project, &job, folder).map_err(failed);
    if !known.as_ref().map(hands_on_the_same).transpose()?.unwrap_or(false) {
        divided(&opened, &job, into, folder)?;
    }
    // Machines of the cluster are in folders of their own.
    let absolute = |path: &Path| std::path::absolute(path).unwrap_or_else(|_| path.to_owned());
    let (plan, folder) = (absolute(&opened.plan), absolute(folder));
    let progress = SlicesProgress::new(options.slices);
    let set = options.plan.set.iter().map(|(name, value)| format!("{name}={value}"));
    let set: Vec<String> = set.flat_map(|set| ["--set".to_owned(), set]).collect();
    let spark = OnSpark { master, plan: &plan, options: &set, folder: &folder };
    let ran = spark.run_slices(project, &|done| progress.done(done));
    progress.finish();
    ran.map_err(failed)?;
    let (opened, job) = prepared(Opened::divided(&options.plan, &folder)?)?;
    let ran = joined(&opened, &job, &folder, options.end.reopen)?;
    print_run(&opened, &ran, &options.end, out)
}
