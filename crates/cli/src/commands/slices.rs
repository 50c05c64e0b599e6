//! `interligo slices`, `interligo run --slice`, `interligo join`.

use std::path::Path;

use interligo_engine::engine::Extent;
use interligo_project::{Division, Error, OnClosed, OnDuplicates, OnStop, RunRules, SlicesError};
use interligo_report::text;

use super::run::print_run;
use super::{Opened, Out};
use crate::args::{JoinOptions, PlanOptions, SliceNumber, SlicesOptions};
use crate::failure::Failure;
use crate::progress::Progress;

pub(crate) fn slices(options: &SlicesOptions, out: Out<'_>) -> Result<(), Failure> {
    let (opened, job) = prepared(&options.plan)?;
    let divided = interligo_project::divide(
        &opened.project,
        &job,
        options.slices,
        &options.into,
        opened.parallelism,
    );
    let division = divided.map_err(|error| opened.failure(error))?;
    text::division(out, &opened.project, &division, &options.into)?;
    Ok(())
}

/// A plan with all that a run of it needs.
fn prepared(options: &PlanOptions) -> Result<(Opened, interligo_project::Job), Failure> {
    let opened = Opened::open(options)?;
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
    let (opened, job) = prepared(plan)?;
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
    let (opened, job) = prepared(&options.plan)?;
    let on_closed = if options.reopen { OnClosed::Reopen } else { OnClosed::Refuse };
    let rules = RunRules { on_closed, ..OnStop::Stop.into() };
    let progress = Progress::new(0);
    let joined = interligo_project::join(
        &opened.project,
        &job,
        &options.folder,
        opened.parallelism,
        rules,
        &|bytes, lines| progress.advance(bytes, lines),
    );
    progress.finish();
    let ran = joined.map_err(|error| opened.failure(error))?;
    print_run(&opened, &ran, (options.format, options.full), out)
}
