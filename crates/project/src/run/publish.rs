//! The end of a run: all its files appear together, and it is noted which files were read and written.

use crate::error::Error;
use std::path::PathBuf;

use interligo_engine::outputs::Output;
use interligo_sinks::format::{Piece, RowsOf};
use interligo_sinks::output_file::OutputFile;
use interligo_sinks::publish::publish;
use interligo_sinks::transactions::servers;
use interligo_sources::same_file::real_path;

use super::close::Closed;
use super::facts_of::facts_of;
use super::kept_lines::{PendingLines, forget};
use super::output_plan::OutputPlan;
use super::schema::schema_files;
use super::slots::gone as gone_files;
use crate::check::Checked;
use crate::closed::Guard;
use crate::compare::Comparison;
use crate::last_run::LastRun;
use crate::link_map::LinkMap;
use crate::outcome::{FindingsSince, Outcome};
use crate::page::PageSources;
use crate::prepare::Job;
use crate::project::Project;
use crate::run::Inspection;
use crate::runs::copies_made;
use crate::runs::pending_record;

/// What is known once the files are there.
pub(super) struct Published {
    pub(super) outcomes: Vec<Outcome>,
    pub(super) since: Option<FindingsSince>,
    /// What went otherwise than usual, in words.
    pub(super) notes: Vec<String>,
}

/// What was found in the lines of all facts.
#[derive(Clone, Copy)]
pub(super) struct Found<'a> {
    pub(super) checked: &'a Checked,
    pub(super) map: Option<&'a LinkMap>,
}

/// Lets the files of all facts appear.
///
/// # Errors
/// A file cannot be written or moved to its place; none has appeared then.
pub(super) fn publish_all(
    project: &Project,
    job: &Job,
    facts: Vec<Closed>,
    plan: &OutputPlan,
    found: Found<'_>,
    guard: Option<&Guard<'_>>,
) -> Result<Published, Error> {
    let checked = found.checked;
    let mut published = Published { outcomes: Vec::new(), since: None, notes: Vec::new() };
    let (mut files, mut gone) = (Vec::new(), Vec::new());
    let mut kept = Vec::new();
    for mut fact in facts {
        kept.extend(fact.take_kept());
        let (outcome, own, stale) = fact.finish()?;
        published.outcomes.push(outcome);
        files.extend(own);
        gone.extend(stale);
    }
    if !plan.writes {
        return Ok(published);
    }
    let facts = facts_of(project, plan, &published.outcomes, checked);
    let finished = plan.containers.finish(&facts)?;
    files.extend(finished.files);
    published.notes.extend(finished.notes);
    if project.plan.plan.schema {
        files.extend(schema_files(project, job, plan, &published.outcomes, &files)?);
    }
    let Recorded { closed, bridge } =
        keep_record(project, job, guard, (&mut published, &mut files))?;
    files.extend(draw_pages(project, job, plan, &published.outcomes, found, bridge.as_ref())?);
    files.extend(copies_made(project, job, plan, &published.outcomes)?);
    let written: Vec<PathBuf> =
        files.iter().filter_map(|file| Some(file.target()?.to_owned())).collect();
    let last = project.written_before();
    for to in plan.split_up() {
        for path in gone_files(&real_path(to), &last, &written) {
            match project.wrote(&path) {
                true => gone.push(path),
                false => published.notes.push(format!(
                    "`{}` is of a value that is gone, and stays: it was changed since the last run wrote it",
                    path.strip_prefix(real_path(project.folder())).unwrap_or(&path).display()
                )),
            }
        }
    }
    gone.extend(project.stale_copies(&written));
    files.extend(PendingLines::files(project, kept, Inspection::of(project, job).copies)?);
    project.refuse_changed()?;
    files.iter_mut().try_for_each(OutputFile::complete)?;
    let run = LastRun::of(published.outcomes.iter().map(|outcome| {
        let lines = outcome.tie_out.parts.iter().map(|(part, rows)| (&**part, rows.lines()));
        (outcome.tie_out.fact.table.as_str(), lines)
    }));
    let mut run = run.with_files(files.iter(), project.folder());
    for (finding, place) in checked.findings.iter().zip(checked.places()) {
        run.note_finding(finding.code, &place, finding.count, &finding.subject);
    }
    run.closed = closed.or_else(|| project.last_run()?.closed);
    if let Some(earlier) = project.last_run() {
        if let Some(first) = published.outcomes.first_mut() {
            first.since = run.since(earlier);
        }
        published.since = run.findings_since(earlier);
    }
    let notes = project.make_notes_folder();
    let record = notes.and_then(|()| {
        let mut file = OutputFile::create(&project.last_run_path(), project.plan.file_stem())?;
        file.write(&run.to_json())?;
        Ok(file)
    });
    let (journal, lock) = match &record {
        Ok(_) => (project.journal_path(None), Some(project.lock_path())),
        Err(_) => (project.journal_path(plan.first_folder().as_deref()), None),
    };
    match record {
        Ok(file) => files.push(file),
        Err(error) => published.notes.push(format!(
            "{error}; so the next run cannot report what is new, and does not recognize files of this run"
        )),
    }
    publish(files, &gone, &journal, lock.as_deref(), finished.transactions, servers())?;
    project.forget_runs();
    forget(project);
    Ok(published)
}

/// Draws the pages of the plan; the answer is their files.
///
/// # Errors
/// A file cannot be written; nobody has said how pages are drawn.
fn draw_pages(
    project: &Project,
    job: &Job,
    plan: &OutputPlan,
    outcomes: &[Outcome],
    found: Found<'_>,
    bridge: Option<&Comparison>,
) -> Result<Vec<OutputFile>, Error> {
    let mut files = Vec::new();
    for (fact, outputs) in job.outputs.iter().enumerate() {
        for (number, output) in outputs.iter().enumerate() {
            let destination = plan.of(fact, number).filter(|_| output.is_page());
            let Some(destination) = destination else { continue };
            let totals = outcomes.iter().flat_map(|outcome| &outcome.totals);
            let sources = PageSources {
                job,
                ties: outcomes.iter().map(|outcome| &outcome.tie_out).collect(),
                totals: totals.map(|(name, table)| (name.as_str(), table)).collect(),
                checked: found.checked,
                map: found.map,
                bridge,
            };
            let title = project.plan.outputs.get(&output.name);
            let title = title.and_then(|entry| entry.value.title.as_deref());
            let page = project.drawn(&project.page_from(sources, title))?;
            let mut file = destination.begin(&[], RowsOf::Others, &plan.containers)?;
            file.write(Piece::bytes(page, 0))?;
            files.extend(file.finish()?);
        }
    }
    Ok(files)
}

/// What became of the record of a run.
#[derive(Default)]
struct Recorded {
    /// The number of the record of closed periods, where there is one.
    closed: Option<u32>,
    /// What changed since the last run that a record is kept of, where a page shows it.
    bridge: Option<Comparison>,
}

/// Adds the record of the run to its files, where one is kept, and holds closed periods against theirs.
///
/// # Errors
/// A file cannot be written; lines of closed periods are not as they were.
fn keep_record(
    project: &Project,
    job: &Job,
    guard: Option<&Guard<'_>>,
    (published, files): (&mut Published, &mut Vec<OutputFile>),
) -> Result<Recorded, Error> {
    let Some(mut pending) = pending_record(project, job, &published.outcomes)? else {
        return Ok(Recorded::default());
    };
    // They are read again before they appear.
    let mut all = files.iter_mut().chain(&mut pending.files);
    all.try_for_each(OutputFile::complete)?;
    let guarded = guard.map(|guard| guard.hold(job, &pending, files)).transpose()?;
    let guarded = guarded.unwrap_or_default();
    published.notes.extend(guarded.notes);
    let has_page = job.outputs.iter().flatten().any(Output::is_page);
    let bridge = (has_page && project.plan.plan.keep_runs.is_some())
        .then(|| project.pending_bridge((&pending.folder, &pending.readable(files))))
        .flatten();
    match project.plan.plan.keep_runs {
        Some(_) => files.extend(pending.files),
        None => files.retain(|file| !file.path().starts_with(&pending.folder)),
    }
    files.extend(guarded.files);
    Ok(Recorded { closed: guarded.number, bridge })
}
