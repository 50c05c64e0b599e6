//! A run: the fact's files block by block through the engine, over all cores, into the outputs.

mod worker;

use std::collections::BTreeMap;

use interligo_core::engine::{Engine, OutputContent};
use interligo_core::findings::Findings;
use interligo_core::plan::ListKind;
use interligo_core::tieout::TieOut;
use interligo_core::totals::{Cube, Groups, TotalsPlan, TotalsTable};
use interligo_core::usage::Usage;

use crate::check::{Checked, Code, FactRun};
use crate::error::Error;
use crate::last_run::{FilesSince, FindingsSince};
use crate::lines_out::changes;
use crate::ordered::in_order;
use crate::outputs::{Sinks, Whole, appear};
use crate::parts::{Table, WantedColumns};
use crate::project::Project;
use crate::repeats::{COPIES_KEPT, Watch};
use crate::source::{Block, Reader};
use crate::stops::stops;
use worker::{Done, Gathered, Worker};

/// How a run uses the machine; no result depends on it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Pace {
    /// Workers.
    pub threads: usize,
    /// Bytes of text that a worker takes at a time.
    pub block: usize,
}

impl Default for Pace {
    /// All cores, blocks that stay in their caches.
    fn default() -> Pace {
        Pace { threads: std::thread::available_parallelism().map_or(1, Into::into), block: 1 << 19 }
    }
}

/// What a run came to.
pub struct Outcome {
    /// What was met in the data.
    pub findings: Findings,
    /// The totals among the outputs, by name.
    pub totals: Vec<(String, TotalsTable)>,
    /// The statement that closes the counts.
    pub tie_out: TieOut,
    /// Files that came or went since the last run.
    pub since: FilesSince,
}

/// What happens where the plan says that a finding stops the run.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum OnStop {
    /// The run ends and leaves no output.
    Stop,
    /// The run goes on; the caller reports.
    Report,
}

/// What a run came to over all facts.
pub struct Ran {
    /// Of each fact.
    pub outcomes: Vec<Outcome>,
    /// What was found; nothing where only what outputs need is worked out.
    pub checked: Checked,
    /// What was found and was not there in the last run; none where there was none.
    pub since: Option<FindingsSince>,
}

/// How closely a run looks.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Depth {
    /// Whether it is noted which rows of lookups are used.
    pub usage: bool,
    /// How many lines that were delivered twice are looked up again.
    pub copies: usize,
}

impl Depth {
    /// As closely as the outputs of a plan need.
    fn of(project: &Project, engines: &[Engine]) -> Depth {
        let outputs = || engines.iter().flat_map(|engine| &engine.outputs);
        let lists =
            |kind| outputs().any(|o| matches!(&o.content, OutputContent::List(k) if *k == kind));
        let findings = lists(ListKind::Findings);
        Depth {
            usage: findings || project.stop_on().contains(&Code::UnusedRow),
            copies: match (lists(ListKind::Repeats), findings) {
                (true, _) => COPIES_KEPT,
                (_, true) => COPIES_LISTED,
                _ => 0,
            },
        }
    }
}

/// How many lines that were delivered twice are listed among the findings.
const COPIES_LISTED: usize = 1_000;

/// Runs the engines of a project, each over its fact. `progress` is told how many bytes and lines were read.
///
/// # Errors
/// Input that cannot be read, output that cannot be written, a number that does not fit, a finding
/// that the plan says must stop; then no output appears.
pub fn run(
    project: &Project,
    engines: &[Engine],
    pace: Pace,
    on_stop: OnStop,
    progress: &(dyn Fn(u64, u64) + Sync),
) -> Result<Ran, Error> {
    let depth = Depth::of(project, engines);
    let whole = run_all(project, engines, pace, on_stop, progress, depth)?;
    let checked = checked(project, engines, &whole);
    if on_stop == OnStop::Stop {
        let stops = checked.stops(project);
        if !stops.is_empty() {
            return Err(Error::Stopped(stops));
        }
    }
    let mut facts: Vec<Whole> = whole.into_iter().map(|(fact, _)| fact).collect();
    for (engine, fact) in engines.iter().zip(&mut facts) {
        fact.write_lists(project, engine, &checked)?;
    }
    let (outcomes, since) = appear(project, facts, writes(engines), &checked)?;
    Ok(Ran { outcomes, checked, since })
}

/// The same without any output, and with a closer look.
///
/// # Errors
/// As for a run; findings do not stop it.
pub fn check(
    project: &Project,
    engines: &[Engine],
    pace: Pace,
    depth: Depth,
    progress: &(dyn Fn(u64, u64) + Sync),
) -> Result<Ran, Error> {
    let whole = run_all(project, engines, pace, OnStop::Report, progress, depth)?;
    let checked = checked(project, engines, &whole);
    let outcomes = whole.into_iter().map(|(fact, _)| fact.outcome).collect();
    Ok(Ran { outcomes, checked, since: None })
}

fn checked(project: &Project, engines: &[Engine], whole: &[(Whole, Option<Usage>)]) -> Checked {
    if !engines.iter().all(Engine::looks_into_all) {
        return Checked::default();
    }
    let facts = engines.iter().zip(whole).map(|(engine, (fact, usage))| FactRun {
        engine,
        outcome: &fact.outcome,
        usage: usage.as_ref(),
    });
    Checked::over(project, &facts.collect::<Vec<_>>())
}

/// The same without any output, for how the links fare: of each fact, what was met and which rows of the lookups
/// were found.
///
/// # Errors
/// As for a run; findings do not stop it.
pub fn link_use(
    project: &Project,
    engines: &[Engine],
    pace: Pace,
    progress: &(dyn Fn(u64, u64) + Sync),
) -> Result<Vec<(Outcome, Usage)>, Error> {
    let depth = Depth { usage: true, copies: 0 };
    let whole = run_all(project, engines, pace, OnStop::Report, progress, depth)?;
    let usage = |(fact, usage): (Whole, Option<Usage>)| usage.map(|usage| (fact.outcome, usage));
    Ok(whole.into_iter().filter_map(usage).collect())
}

/// Whether any output goes to a file.
fn writes(engines: &[Engine]) -> bool {
    engines.iter().flat_map(|engine| &engine.outputs).any(|output| output.to.is_some())
}

fn run_all(
    project: &Project,
    engines: &[Engine],
    pace: Pace,
    on_stop: OnStop,
    progress: &(dyn Fn(u64, u64) + Sync),
    depth: Depth,
) -> Result<Vec<(Whole, Option<Usage>)>, Error> {
    let writes = writes(engines);
    let mut known = Vec::new();
    let mut facts = Vec::new();
    let mut cubes: Cubes = engines
        .iter()
        .flat_map(totals_of)
        .filter(|(_, plan)| plan.layout.is_some())
        .map(|(name, plan)| (name.to_owned(), Cube::new(plan)))
        .collect();
    for engine in engines {
        let fact = project.table(&engine.bound.fact.name);
        let sinks = Sinks::create(project, engine, fact, writes, &mut known)?;
        let how = (pace, on_stop, depth);
        facts.push(run_fact(project, engine, sinks, how, &mut cubes, progress)?);
    }
    // A table may show several facts.
    for (fact, _) in &mut facts {
        fact.make_totals(|name| {
            let mut plans: Vec<&TotalsPlan> = engines
                .iter()
                .flat_map(totals_of)
                .filter(|(of, _)| *of == name)
                .map(|(_, plan)| plan)
                .collect();
            plans.sort_by_key(|plan| plan.source());
            let first = plans.first().and_then(|plan| plan.layout.as_ref());
            match (first, cubes.remove(name)) {
                (Some(layout), Some(cube)) => Ok(Some(layout.table(&plans, cube)?)),
                _ => Ok(None),
            }
        })?;
    }
    Ok(facts)
}

/// What was summed for each table of totals, by its name.
type Cubes = BTreeMap<String, Cube>;

fn run_fact(
    project: &Project,
    engine: &Engine,
    mut sinks: Sinks,
    (pace, on_stop, depth): (Pace, OnStop, Depth),
    cubes: &mut Cubes,
    progress: &(dyn Fn(u64, u64) + Sync),
) -> Result<(Whole, Option<Usage>), Error> {
    let fact = project.table(&engine.bound.fact.name);
    let usage_before = depth.usage.then(|| Usage::new(engine));
    let worker = Worker {
        engine,
        fact,
        lines: &sinks.lines,
        aside: sinks.keeps_aside,
        changes: fact.parts.iter().map(|part| changes(engine, part)).collect(),
        watch: None,
    };
    let watch = Watch::new(engine, fact, pace)?;
    let worker = Worker { watch: watch.as_ref(), ..worker };
    let wanted = wanted(engine, &sinks, watch.is_some());
    let mut stream = Stream::new(fact, pace.block, &wanted, progress);
    let mut findings = Findings::default();
    let files = &mut sinks.files;
    let workers = in_order(
        pace.threads,
        || stream.next(),
        || Gathered {
            groups: totals_of(engine).map(|(_, plan)| Groups::new(plan)).collect(),
            usage: usage_before.clone(),
        },
        |gathered: &mut Gathered<'_>, item| worker.work(item, gathered),
        |done: Done| {
            findings.absorb(done.findings);
            files.write(&done.lines, &done.aside)
        },
    )?;
    if let Some(watch) = watch {
        watch.finish(engine, &mut findings, depth.copies)?;
    }
    let stops =
        if on_stop == OnStop::Stop { stops(project, engine, &findings) } else { Vec::new() };
    if !stops.is_empty() {
        return Err(Error::Stopped(stops));
    }
    let mut uses = Vec::new();
    for gathered in workers {
        uses.push(gathered.usage);
        for ((name, plan), groups) in totals_of(engine).zip(gathered.groups) {
            if let Some(cube) = cubes.get_mut(name) {
                cube.absorb(plan, groups);
            }
        }
    }
    let usage = uses.into_iter().flatten().reduce(|mut all, other| {
        all.merge(&other);
        all
    });
    let parts = project.fact_parts(engine);
    let counted =
        |name: &str, source: usize| cubes.get(name).map_or((0, 0), |cube| cube.lines(source));
    Ok((sinks.finish(project, engine, findings, &counted, &parts)?, usage.or(usage_before)))
}

/// The columns of the fact that a run reads.
fn wanted(engine: &Engine, sinks: &Sinks, watches: bool) -> WantedColumns {
    if watches || sinks.keeps_aside || !sinks.lines.is_empty() {
        return WantedColumns::All;
    }
    WantedColumns::Some(engine.read_columns().to_vec())
}

/// The totals that a fact contributes to, with their names.
fn totals_of(engine: &Engine) -> impl Iterator<Item = (&str, &TotalsPlan)> {
    engine.outputs.iter().filter_map(|output| match &output.content {
        OutputContent::Totals(totals) => Some((output.name.as_str(), totals.as_ref())),
        OutputContent::Lines(_) | OutputContent::List(_) => None,
    })
}

/// A block of a fact's files: its number, that of its file, and its rows.
pub(crate) type Item = (u64, usize, Block);

/// The fact's files as one stream of blocks.
pub(crate) struct Stream<'a> {
    fact: &'a Table,
    next_part: usize,
    next_item: u64,
    reader: Option<Box<dyn Reader>>,
    block: usize,
    wanted: &'a WantedColumns,
    progress: &'a (dyn Fn(u64, u64) + Sync),
}

impl<'a> Stream<'a> {
    pub(crate) fn new(
        fact: &'a Table,
        block: usize,
        wanted: &'a WantedColumns,
        progress: &'a (dyn Fn(u64, u64) + Sync),
    ) -> Stream<'a> {
        Stream { fact, next_part: 0, next_item: 0, reader: None, block, wanted, progress }
    }

    pub(crate) fn next(&mut self) -> Result<Option<Item>, Error> {
        loop {
            if let Some(reader) = &mut self.reader {
                if let Some(block) = reader.next(self.block)? {
                    (self.progress)(block.bytes, block.lines);
                    self.next_item += 1;
                    return Ok(Some((self.next_item - 1, self.next_part - 1, block)));
                }
                self.reader = None;
            }
            let Some(part) = self.fact.parts.get(self.next_part) else { return Ok(None) };
            self.reader = Some(part.open(&self.wanted.of(part))?);
            self.next_part += 1;
        }
    }
}
