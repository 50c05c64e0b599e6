//! The commands: each opens a project, lets it work, and shows what came of it.

mod answering;
mod calendar;
mod check;
mod compare;
mod completions;
#[cfg(all(feature = "sqlite", feature = "workbook"))]
mod demo;
mod help;
mod link;
mod look;
mod mend;
#[cfg(not(all(feature = "sqlite", feature = "workbook")))]
mod no_demo;
mod report;
mod run;
mod slices;
mod start;
mod totals;
mod trace;
mod verify;
mod watch;

pub(crate) use calendar::calendar;
pub(crate) use check::check;
pub(crate) use compare::{compare, runs};
pub(crate) use completions::{ASKS, completions};
#[cfg(all(feature = "sqlite", feature = "workbook"))]
pub(crate) use demo::demo;
pub(crate) use help::help;
pub(crate) use link::link;
pub(crate) use look::look;
pub(crate) use mend::mend;
#[cfg(not(all(feature = "sqlite", feature = "workbook")))]
pub(crate) use no_demo::demo;
pub(crate) use report::report;
pub(crate) use run::run;
pub(crate) use slices::{join, slices};
pub(crate) use start::start;
pub(crate) use totals::totals;
pub(crate) use trace::trace;
pub(crate) use verify::verify;

use std::path::{Path, PathBuf};

use interligo_engine::bind::Request;
use interligo_engine::engine::Extent;
use interligo_model::plan::Plan;
use interligo_project::{
    Error, Job, KeptAnswer, OnDuplicates, PLAN_FILE, Parallelism, Project, RunResult, RunRules,
    read_plan_given, with_likely_link, write_whole,
};
use interligo_report::text::{self, NamedPlan};

use crate::args::{Arguments, PlanOptions};
use crate::failure::Failure;
use crate::progress::Progress;

/// What commands print to.
pub(crate) type Out<'a> = &'a mut crate::printed::Printed;

/// A project with what its messages need.
pub(crate) struct Opened {
    project: Project,
    plan: PathBuf,
    parallelism: Parallelism,
}

/// A condition of an option, with the values of the plan in their places.
fn condition_in(plan: &Plan, condition: Option<&String>) -> Option<String> {
    condition.map(|condition| plan.filled(condition))
}

impl Opened {
    fn open(options: &PlanOptions) -> Result<Opened, Failure> {
        Ok(Opened::open_quietly(options)?.counted_told())
    }

    /// Says what periods came to.
    fn counted_told(self) -> Opened {
        let counted = self.project.plan.counted.iter();
        crate::printed::say_all(counted.map(|told| format!("Note: {told}")));
        self
    }

    /// The same without a word of what periods came to.
    fn open_quietly(options: &PlanOptions) -> Result<Opened, Failure> {
        Opened::of_options(options, Project::open)
    }

    /// The same as a part of a run that was divided into a folder.
    fn divided(options: &PlanOptions, division: &Path) -> Result<Opened, Failure> {
        Opened::of_options(options, |plan, folder| Project::open_divided(plan, folder, division))
    }

    fn of_options(
        options: &PlanOptions,
        open: impl Fn(Plan, &Path) -> Result<Project, Error>,
    ) -> Result<Opened, Failure> {
        let (plan, parallelism) = (plan_path(options)?, parallelism(options));
        let parsed = parsed(&plan, &options.set)?;
        Opened::with(open, parsed, plan, parallelism)
    }

    /// The plan of a folder, as it is.
    #[cfg(all(feature = "sqlite", feature = "workbook"))]
    fn at(plan: PathBuf, parallelism: Parallelism) -> Result<Opened, Failure> {
        let parsed = parsed(&plan, &[])?;
        Opened::with(Project::open, parsed, plan, parallelism)
    }

    fn with(
        open: impl Fn(Plan, &Path) -> Result<Project, Error>,
        parsed: Plan,
        plan: PathBuf,
        parallelism: Parallelism,
    ) -> Result<Opened, Failure> {
        let source = parsed.source.clone();
        let mut project = open(parsed, folder_of(&plan)).map_err(|error| Failure::Work {
            error,
            plan: plan.clone(),
            text: source,
        })?;
        project.draw_pages_with(interligo_report::html::page);
        if let Some(recovered) = project.recovered.clone() {
            crate::printed::say_all(text::recovered(recovered));
        }
        Ok(Opened { project, plan, parallelism })
    }

    fn failure(&self, error: impl Into<Error>) -> Failure {
        let text = self.project.plan.source.clone();
        Failure::Work { error: error.into(), plan: self.plan.clone(), text }
    }

    /// Writes a picture or page to the file that an option names.
    fn write_picture(
        &self,
        option: &'static str,
        path: &Path,
        picture: &[u8],
    ) -> Result<(), Failure> {
        let written = self
            .project
            .refuse_overwriting(option, path)
            .and_then(|()| Ok(write_whole(path, picture)?));
        written.map_err(|error| self.failure(error))
    }

    fn prepare(
        &self,
        requests: &[Request],
        extent: Extent,
        on_duplicates: OnDuplicates,
    ) -> Result<Job, Failure> {
        let job = self.project.prepare(requests, extent, on_duplicates);
        job.map_err(|error| self.failure(with_likely_link(&self.project, error)))
    }

    /// What requests come to by the lines that the last run kept, where they say it and may be asked.
    fn ask_kept(&self, requests: &[Request], fresh: bool) -> Option<(Job, RunResult)> {
        let kept = if fresh { None } else { self.project.kept_lines() }?;
        // What is wrong with a request is said by the way that reads the files.
        let job = kept.prepare(&self.project, requests).ok()?;
        let at = kept.at();
        let (ran, told) = match kept.answer(&self.project, &job, self.parallelism) {
            KeptAnswer::Told(ran) => (Some(*ran), text::from_kept(at)),
            KeptAnswer::NotKept => return None,
            KeptAnswer::Damaged(why) => (None, text::kept_damaged(&why)),
        };
        crate::printed::say_all([told]);
        Some((job, ran?))
    }

    fn run(&self, job: &Job, rules: impl Into<RunRules>) -> Result<RunResult, Failure> {
        let bytes = job.engines.iter().map(|engine| self.project.fact_bytes(engine)).sum();
        let progress = Progress::new(bytes);
        let ran =
            interligo_project::run(&self.project, job, self.parallelism, rules, &|bytes, lines| {
                progress.advance(bytes, lines)
            });
        progress.finish();
        ran.map_err(|error| self.failure(error))
    }
}

/// The plan that options name, or the nearest.
fn plan_path(options: &PlanOptions) -> Result<PathBuf, Failure> {
    options.plan.clone().or_else(nearest_plan).ok_or(Failure::NoPlan)
}

/// Lets the commands that messages propose from now on reach this plan, with these texts in the place of its values.
pub(crate) fn propose_with(plan: Option<&Path>, set: &[(String, String)]) {
    let whole = |plan: &Path| plan.canonicalize().ok();
    // The plan that is taken without the option need not be named.
    let taken = nearest_plan().and_then(|plan| whole(&plan));
    let named = plan.filter(|plan| taken.is_none() || whole(plan) != taken);
    if named.is_some() || !set.is_empty() {
        NamedPlan::new(named, set, Arguments::commands_by_plan()).propose();
    }
}

/// How the machine is used.
fn parallelism(options: &PlanOptions) -> Parallelism {
    let mut parallelism = Parallelism::default();
    if let Some(block) = options.block {
        parallelism.block = block;
    }
    parallelism
}

fn parsed(plan: &Path, set: &[(String, String)]) -> Result<Plan, Failure> {
    read_plan_given(plan, set).map_err(|(error, text)| Failure::Work {
        error,
        plan: plan.to_owned(),
        text,
    })
}

fn folder_of(plan: &Path) -> &Path {
    plan.parent().filter(|folder| *folder != Path::new("")).unwrap_or(Path::new("."))
}

/// The plan in this folder or the nearest one above.
pub(crate) fn nearest_plan() -> Option<PathBuf> {
    let here = std::env::current_dir().ok()?;
    let above =
        here.ancestors().map(|folder| folder.join(PLAN_FILE)).find(|plan| plan.is_file())?;
    // The short form, where it is the same.
    Some(if above.parent() == Some(here.as_path()) { PathBuf::from(PLAN_FILE) } else { above })
}
