//! A run: the facts' files block by block through their engines, over all cores, into the outputs.
//!
//! It goes in steps: every destination is resolved ([`output_plan`]); the outputs of lines are opened and filled
//! ([`open_outputs`]); totals and lists are written and the counts proved ([`close`]); all files appear together
//! ([`publish`]).

mod close;
mod destination;
mod facts_of;
pub(crate) mod kept_lines;
mod open_outputs;
pub(crate) mod output_form;
pub(crate) mod output_plan;
mod publish;
pub(crate) mod repeated_lines;
mod schema;
pub(crate) mod slices;
pub(crate) mod slots;
pub(crate) mod stop_rules;
pub(crate) mod stream;
mod worker;

use std::collections::BTreeMap;

use crate::error::Error;
use interligo_engine::engine::Engine;
use interligo_engine::outputs::{Output, OutputContent};
use interligo_engine::proof::faults::{Fault, begin, strikes};
use interligo_engine::proof::findings::Findings;
use interligo_engine::proof::tieout::ReadSide;
use interligo_engine::proof::usage::Usage;
use interligo_engine::totals::{Cube, Groups, Layout, TotalsPlan, TotalsTable};
use interligo_model::plan::ListKind;
use interligo_sinks::raw_lines::changes;
use interligo_sources::in_order::in_order;
use interligo_sources::table::parts::WantedColumns;

use crate::check::{Checked, Code, FactRun};
use crate::closed::{Guard, OnClosed};
use crate::link_map::LinkMap;
use crate::outcome::{FindingsSince, Outcome};
use crate::page::is_page_part;
use crate::parallelism::Parallelism;
use crate::prepare::Job;
use crate::project::Project;
use crate::run::repeated_lines::{COPIES_KEPT, Watch};
use crate::run::stop_rules::stops;
use crate::run::stream::{PartStretch, Stream};
use close::{Closed, Closing, Passed, write_lists};
use kept_lines::{KeptFile, PartsKept, are_kept};
use open_outputs::{OpenFiles, Places, columns_aside, lines_outputs};
use output_plan::OutputPlan;
use publish::{Found, Published, publish_all};
use worker::{Done, Worker, WorkerState};

/// What happens where the plan says that a finding stops the run.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum OnStop {
    /// The run ends and leaves no output.
    Stop,
    /// The run goes on; the caller reports.
    Report,
}

/// What becomes of a run that meets what it should not.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct RunRules {
    /// Where the plan says that a finding stops it.
    pub on_stop: OnStop,
    /// Where it changes lines of closed periods.
    pub on_closed: OnClosed,
}

impl From<OnStop> for RunRules {
    fn from(on_stop: OnStop) -> RunRules {
        RunRules { on_stop, on_closed: OnClosed::Refuse }
    }
}

/// How closely a run looks.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Inspection {
    /// Whether it is noted which rows of lookups are used.
    pub usage: bool,
    /// How many duplicate lines are looked up again.
    pub copies: usize,
}

impl Inspection {
    /// As closely as the outputs of a plan need.
    fn of(project: &Project, job: &Job) -> Inspection {
        let outputs = || job.outputs.iter().flatten();
        let lists =
            |kind| outputs().any(|o| matches!(&o.content, OutputContent::List(k, _) if *k == kind));
        let findings = lists(ListKind::Findings);
        let has_page = has_page(job);
        Inspection {
            usage: findings || has_page || project.stop_on().contains(&Code::UnusedRow),
            copies: match (lists(ListKind::Repeats), findings) {
                (true, _) => COPIES_KEPT,
                (_, true) => COPIES_LISTED,
                _ if has_page => COPIES_LISTED,
                _ => 0,
            },
        }
    }
}

/// Whether a page is made of what a job comes to.
fn has_page(job: &Job) -> bool {
    job.outputs.iter().flatten().any(|output| is_page_part(&output.name))
}

/// How many duplicate lines are listed among the findings.
const COPIES_LISTED: usize = 1_000;

/// What a run came to over all facts.
pub struct RunResult {
    /// Of each fact.
    pub outcomes: Vec<Outcome>,
    /// What was found; nothing where only what outputs need is computed.
    pub checked: Checked,
    /// What was found and was not there in the last run; none where there was none.
    pub since: Option<FindingsSince>,
    /// The tables and links with their match rates, where a page shows them.
    pub map: Option<LinkMap>,
    /// What went otherwise than usual when outputs were written, in words.
    pub notes: Vec<String>,
}

/// How the lines of a job are passed through.
struct Pass<'a> {
    project: &'a Project,
    job: &'a Job,
    plan: &'a OutputPlan,
    parallelism: Parallelism,
    on_stop: OnStop,
    inspection: Inspection,
    progress: &'a (dyn Fn(u64, u64) + Sync),
    /// Whether lines are kept for later questions.
    keeps_lines: bool,
}

/// Runs a job. `progress` is told how many bytes and lines were read.
///
/// # Errors
/// Input that cannot be read, output that cannot be written, a number that overflows, a finding
/// that the plan says must stop; then no output appears.
pub fn run(
    project: &Project,
    job: &Job,
    parallelism: Parallelism,
    rules: impl Into<RunRules>,
    progress: &(dyn Fn(u64, u64) + Sync),
) -> Result<RunResult, Error> {
    let RunRules { on_stop, on_closed } = rules.into();
    let inspection = Inspection::of(project, job);
    let plan = &OutputPlan::resolve(project, job)?;
    let guard = Guard::of(project, job, on_closed)?;
    let keeps_lines = plan.writes && are_kept(project);
    let pass = Pass {
        on_stop,
        inspection,
        progress,
        keeps_lines,
        ..Pass::over(project, job, plan, parallelism)
    };
    let facts = pass.all_facts()?;
    pass.end(facts, guard.as_ref())
}

impl<'a> Pass<'a> {
    /// Passes lines to no end but their totals: nothing stops, nothing else is looked at.
    fn over(
        project: &'a Project,
        job: &'a Job,
        plan: &'a OutputPlan,
        parallelism: Parallelism,
    ) -> Pass<'a> {
        Pass {
            project,
            job,
            plan,
            parallelism,
            on_stop: OnStop::Report,
            inspection: Inspection::default(),
            progress: &|_, _| {},
            keeps_lines: false,
        }
    }

    /// Ends a run whose facts are closed: lists are written, and all outputs appear.
    fn end(&self, mut facts: Vec<Closed>, guard: Option<&Guard<'_>>) -> Result<RunResult, Error> {
        let Pass { project, job, plan, on_stop, .. } = *self;
        let checked = self.checked(&facts);
        if on_stop == OnStop::Stop {
            let stops = checked.stops(project);
            if !stops.is_empty() {
                return Err(Error::stopped(stops));
            }
        }
        let map = has_page(job).then(|| self.map(&facts));
        write_lists(project, job, plan, &mut facts, &checked)?;
        let found = Found { checked: &checked, map: map.as_ref() };
        let Published { outcomes, since, notes } =
            publish_all(project, job, facts, plan, found, guard)?;
        Ok(RunResult { outcomes, checked, since, map, notes })
    }
}

/// The same without any output, and with a closer look.
///
/// # Errors
/// As for a run; findings do not stop it.
pub fn check(
    project: &Project,
    job: &Job,
    parallelism: Parallelism,
    inspection: Inspection,
    progress: &(dyn Fn(u64, u64) + Sync),
) -> Result<RunResult, Error> {
    let plan = &OutputPlan::without_outputs(project, job)?;
    let pass = Pass { inspection, progress, ..Pass::over(project, job, plan, parallelism) };
    let facts = pass.all_facts()?;
    let checked = pass.checked(&facts);
    let outcomes = facts.into_iter().map(|fact| fact.outcome).collect();
    Ok(RunResult { outcomes, checked, since: None, map: None, notes: Vec::new() })
}

/// The same without any output, for match rates: of each fact, what was met and which rows of the lookups
/// were found.
///
/// # Errors
/// As for a run; findings do not stop it.
pub fn link_use(
    project: &Project,
    job: &Job,
    parallelism: Parallelism,
    progress: &(dyn Fn(u64, u64) + Sync),
) -> Result<Vec<(Outcome, Usage)>, Error> {
    let plan = &OutputPlan::without_outputs(project, job)?;
    let inspection = Inspection { usage: true, copies: 0 };
    let pass = Pass { inspection, progress, ..Pass::over(project, job, plan, parallelism) };
    let facts = pass.all_facts()?.into_iter();
    Ok(facts.filter_map(|fact| Some((fact.outcome, fact.usage?))).collect())
}

/// What was summed for each table of totals, by its name.
type Cubes = BTreeMap<String, Cube>;

impl Pass<'_> {
    /// What was found over all facts; nothing where only what outputs need is computed.
    fn checked(&self, facts: &[Closed]) -> Checked {
        if !self.job.engines.iter().all(Engine::looks_into_all) {
            return Checked::default();
        }
        let runs = self.job.engines.iter().zip(facts).map(|(engine, fact)| FactRun {
            engine,
            outcome: &fact.outcome,
            usage: fact.usage.as_ref(),
        });
        Checked::over(self.project, &runs.collect::<Vec<_>>())
    }

    /// The tables and links, as the lines used them.
    fn map(&self, facts: &[Closed]) -> LinkMap {
        let used = self.job.engines.iter().zip(facts);
        let used =
            used.filter_map(|(engine, fact)| Some((engine, &fact.outcome, fact.usage.as_ref()?)));
        LinkMap::over(self.project, &used.collect::<Vec<_>>())
    }

    fn all_facts(&self) -> Result<Vec<Closed>, Error> {
        let (mut cubes, mut passed) = (self.empty_cubes(), Vec::new());
        for fact in 0..self.job.engines.len() {
            passed.push(self.fact(fact, &mut cubes)?);
        }
        self.close_all(passed, cubes)
    }

    /// Closes the outputs of facts whose lines are through.
    fn close_all(&self, passed: Vec<Passed>, cubes: Cubes) -> Result<Vec<Closed>, Error> {
        let job = self.job;
        let mut tables = self.tables(cubes)?;
        let mut closed = Vec::new();
        for (fact, passed) in passed.into_iter().enumerate() {
            let closing = Closing {
                project: self.project,
                plan: self.plan,
                fact,
                engine: &job.engines[fact],
                outputs: &job.outputs[fact],
            };
            closed.push(closing.close(passed, &tables)?);
        }
        for (closed, outputs) in closed.iter_mut().zip(&job.outputs) {
            closed.take_totals(outputs, &mut tables);
        }
        Ok(closed)
    }

    fn empty_cubes(&self) -> Cubes {
        let all = self.job.outputs.iter().flat_map(|outputs| totals_of(outputs));
        let first = all.filter_map(|totals| Some((totals.name, totals.plan, totals.layout?)));
        first.map(|(name, plan, layout)| (name.to_owned(), Cube::new(plan, layout))).collect()
    }

    /// The tables of totals, by name. One may show several facts.
    fn tables(&self, cubes: Cubes) -> Result<BTreeMap<String, TotalsTable>, Error> {
        let mut tables = BTreeMap::new();
        for (name, cube) in cubes {
            let all = self.job.outputs.iter().flat_map(|outputs| totals_of(outputs));
            let own: Vec<Totals<'_>> = all.filter(|totals| totals.name == name).collect();
            let Some(layout) = own.iter().find_map(|totals| totals.layout) else { continue };
            let mut plans: Vec<&TotalsPlan> = own.iter().map(|totals| totals.plan).collect();
            plans.sort_by_key(|plan| plan.source());
            tables.insert(name, layout.table(&plans, cube)?);
        }
        Ok(tables)
    }

    /// Passes the lines of a fact through its engine, into its outputs and the totals.
    fn fact(&self, number: usize, cubes: &mut Cubes) -> Result<Passed, Error> {
        let (engine, outputs) = (&self.job.engines[number], self.job.outputs[number].as_slice());
        let fact = self.project.table(&engine.bound.fact.name);
        let mut files = OpenFiles::open(self.plan, number, (engine, outputs), fact)?;
        let watch = Watch::new(engine, fact, self.parallelism)?;
        let places = Places { project: self.project, plan: self.plan };
        let mut findings = Findings::default();
        let mut kept =
            self.keeps_lines.then(|| KeptFile::create(self.project, number)).transpose()?;
        let through =
            self.through(number, watch.as_ref(), PartStretch::whole(fact), |done: Done| {
                files.write(done.lines, done.aside, &places)?;
                if let (Some(file), Some(block)) = (&mut kept, done.kept) {
                    file.write(block)?;
                }
                findings.absorb(done.findings);
                Ok(())
            })?;
        if let Some(watch) = watch {
            watch.finish(engine, &mut findings, self.inspection.copies)?;
        }
        self.refuse(engine, &findings)?;
        let (read, usage) = through.gathered(outputs, cubes);
        let found = (&findings, &read, usage.as_ref());
        let kept = kept.map(|file| file.end(engine, PartsKept::of(engine), found));
        let kept = kept.transpose()?;
        Ok(Passed { findings, read, usage, files, keeps_aside: self.plan.writes, kept })
    }

    /// Passes some rows of a fact through its engine; `take` gets what each block came to, in their order.
    fn through(
        &self,
        number: usize,
        watch: Option<&Watch<'_>>,
        stretches: Vec<PartStretch>,
        mut take: impl FnMut(Done) -> Result<(), Error> + Send,
    ) -> Result<Through<'_>, Error> {
        let (engine, outputs) = (&self.job.engines[number], self.job.outputs[number].as_slice());
        let fact = self.project.table(&engine.bound.fact.name);
        let lines = lines_outputs(self.plan, number, (engine, outputs), fact);
        // There is a file for what is set aside, where anything is written.
        let keeps_aside = self.plan.writes;
        let usage = self.inspection.usage.then(|| Usage::new(engine));
        let worker = Worker {
            engine,
            fact,
            lines: &lines,
            aside: keeps_aside.then(|| &*self.plan.aside(number).format),
            aside_columns: &columns_aside(fact),
            kept: self.keeps_lines.then(|| PartsKept::of(engine)),
            changes: fact.parts.iter().map(|part| changes(engine, part)).collect(),
            watch,
        };
        let reads_all = watch.is_some() || keeps_aside || !lines.is_empty();
        let wanted = match reads_all {
            true => WantedColumns::All,
            false => WantedColumns::Some(engine.read_columns().to_vec()),
        };
        let block = self.parallelism.block;
        let mut stream = Stream::over(fact, stretches, block, &wanted, self.progress);
        begin();
        let workers = in_order(
            self.parallelism.threads,
            || stream.next(),
            || WorkerState {
                groups: totals_of(outputs).map(|totals| Groups::new(totals.plan)).collect(),
                usage: usage.clone(),
                read: ReadSide::default(),
            },
            |gathered: &mut WorkerState<'_>, item| worker.work(item, gathered),
            |done: Done| {
                if strikes(Fault::BatchLost) {
                    return Ok(());
                }
                let again = strikes(Fault::BatchTwice).then(|| done.clone());
                [Some(done), again].into_iter().flatten().try_for_each(&mut take)
            },
        )?;
        Ok(Through { workers, read: stream.read_side(), usage })
    }

    /// Ends the run over what was met in the lines of a fact.
    fn refuse(&self, engine: &Engine, findings: &Findings) -> Result<(), Error> {
        let fact = self.project.table(&engine.bound.fact.name);
        let parts = self.project.fact_parts(engine);
        fact.refuse_doubtful(&findings.doubts, |spot| parts.place(*spot).to_string())?;
        let stops = match self.on_stop {
            OnStop::Stop => stops(self.project, engine, findings),
            OnStop::Report => Vec::new(),
        };
        if stops.is_empty() { Ok(()) } else { Err(Error::stopped(stops)) }
    }
}

/// What passed through an engine, apart from what came of each block.
struct Through<'j> {
    workers: Vec<WorkerState<'j>>,
    read: ReadSide,
    usage: Option<Usage>,
}

impl Through<'_> {
    /// Brings together what the workers gathered; what they summed goes to the totals of the fact's outputs.
    fn gathered(self, outputs: &[Output], cubes: &mut Cubes) -> (ReadSide, Option<Usage>) {
        let Through { workers, mut read, mut usage } = self;
        for gathered in workers {
            if let (Some(all), Some(own)) = (&mut usage, &gathered.usage) {
                all.merge(own);
            }
            read.merge(&gathered.read);
            for (totals, groups) in totals_of(outputs).zip(gathered.groups) {
                if let Some(cube) = cubes.get_mut(totals.name) {
                    cube.absorb(totals.plan, groups);
                }
            }
        }
        (read, usage)
    }
}

/// Totals that a fact contributes to.
struct Totals<'j> {
    name: &'j str,
    plan: &'j TotalsPlan,
    /// None, where it adds to the table of another fact.
    layout: Option<&'j Layout>,
}

fn totals_of(outputs: &[Output]) -> impl Iterator<Item = Totals<'_>> {
    outputs.iter().filter_map(|output| match &output.content {
        OutputContent::Totals { plan, layout } => {
            Some(Totals { name: &output.name, plan, layout: layout.as_deref() })
        }
        _ => None,
    })
}
