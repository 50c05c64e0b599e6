//! A run: the fact's files block by block through the engine, over all cores, into the outputs.

pub(crate) mod last_run;
mod outputs;
mod repeated_lines;
pub(crate) mod stop_rules;
pub(crate) mod sums;
mod worker;

use std::collections::BTreeMap;

use interligo_engine::engine::{Engine, OutputContent};
use interligo_engine::proof::faults::{Fault, begin, strikes};
use interligo_engine::proof::findings::Findings;
use interligo_engine::proof::tieout::{ReadSide, TieOut};
use interligo_engine::proof::usage::Usage;
use interligo_engine::totals::{Cube, Groups, TotalsPlan, TotalsTable};
use interligo_model::plan::ListKind;
use interligo_sinks::lines::changes;
use interligo_sources::error::Error;
use interligo_sources::formats::{Block, Reader};
use interligo_sources::in_order::in_order;
use interligo_sources::table::parts::{Table, WantedColumns};

use crate::check::{Checked, Code, FactRun};
use crate::destinations::Destinations;
use crate::project::Project;
use crate::run::last_run::{FilesSince, FindingsSince};
use crate::run::outputs::{Appeared, FactOutputs, Finished, Sinks, Whole, appear};
use crate::run::repeated_lines::{COPIES_KEPT, Watch};
use crate::run::stop_rules::stops;
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
    /// What went otherwise than usual when outputs were written, in words.
    pub notes: Vec<String>,
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
            |kind| outputs().any(|o| matches!(&o.content, OutputContent::List(k, _) if *k == kind));
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
    let destinations = Destinations::resolve(project, engines)?;
    let how = How { pace, on_stop, depth };
    let whole = run_all(project, engines, &how, &destinations, progress)?;
    let checked = checked(project, engines, &whole);
    if on_stop == OnStop::Stop {
        let stops = checked.stops(project);
        if !stops.is_empty() {
            return Err(Error::Stopped(stops));
        }
    }
    let mut facts: Vec<Whole> = whole.into_iter().map(|(fact, _)| fact).collect();
    for (fact, engine) in engines.iter().enumerate() {
        let outputs = FactOutputs { project, engine, destinations: &destinations, fact };
        let all = engines.iter().zip(facts.iter().map(|fact| &fact.outcome.findings));
        let lists = outputs.write_lists(&all.collect::<Vec<_>>(), &checked)?;
        facts[fact].take_lists(lists)?;
    }
    let Appeared { outcomes, since, notes } = appear(project, facts, &destinations, &checked)?;
    Ok(Ran { outcomes, checked, since, notes })
}

/// How a run is made.
struct How {
    pace: Pace,
    on_stop: OnStop,
    depth: Depth,
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
    let how = How { pace, on_stop: OnStop::Report, depth };
    let nowhere = Destinations::resolve(project, engines)?;
    let whole = run_all(project, engines, &how, &nowhere, progress)?;
    let checked = checked(project, engines, &whole);
    let outcomes = whole.into_iter().map(|(fact, _)| fact.outcome).collect();
    Ok(Ran { outcomes, checked, since: None, notes: Vec::new() })
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

/// The same without any output, for match rates: of each fact, what was met and which rows of the lookups
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
    let how = How { pace, on_stop: OnStop::Report, depth };
    let nowhere = Destinations::resolve(project, engines)?;
    let whole = run_all(project, engines, &how, &nowhere, progress)?;
    let usage = |(fact, usage): (Whole, Option<Usage>)| usage.map(|usage| (fact.outcome, usage));
    Ok(whole.into_iter().filter_map(usage).collect())
}

fn run_all(
    project: &Project,
    engines: &[Engine],
    how: &How,
    destinations: &Destinations,
    progress: &(dyn Fn(u64, u64) + Sync),
) -> Result<Vec<(Whole, Option<Usage>)>, Error> {
    let mut facts = Vec::new();
    let mut cubes: Cubes = engines
        .iter()
        .flat_map(totals_of)
        .filter(|(_, plan)| plan.layout.is_some())
        .map(|(name, plan)| (name.to_owned(), Cube::new(plan)))
        .collect();
    for (fact, engine) in engines.iter().enumerate() {
        let table = project.table(&engine.bound.fact.name);
        let sinks = Sinks::create(project, engine, table, destinations, fact)?;
        facts.push(run_fact(project, engine, sinks, how, &mut cubes, progress)?);
    }
    // A table may show several facts.
    let mut tables = BTreeMap::new();
    for (name, cube) in cubes {
        let all = engines.iter().flat_map(totals_of).filter(|(of, _)| *of == name);
        let mut plans: Vec<&TotalsPlan> = all.map(|(_, plan)| plan).collect();
        plans.sort_by_key(|plan| plan.source());
        if let Some(layout) = plans.first().and_then(|plan| plan.layout.as_ref()) {
            let table = layout.table(&plans, cube)?;
            tables.insert(name, table);
        }
    }
    let mut whole = Vec::new();
    for (fact, ((finished, usage), engine)) in facts.into_iter().zip(engines).enumerate() {
        let outputs = FactOutputs { project, engine, destinations, fact };
        whole.push((outputs.finish(finished, &tables)?, usage));
    }
    whole.iter_mut().for_each(|(fact, _)| fact.take_totals(&mut tables));
    Ok(whole)
}

/// What was summed for each table of totals, by its name.
type Cubes = BTreeMap<String, Cube>;

fn run_fact(
    project: &Project,
    engine: &Engine,
    mut sinks: Sinks,
    how: &How,
    cubes: &mut Cubes,
    progress: &(dyn Fn(u64, u64) + Sync),
) -> Result<(Finished, Option<Usage>), Error> {
    let fact = project.table(&engine.bound.fact.name);
    let usage_before = how.depth.usage.then(|| Usage::new(engine));
    let watch = Watch::new(engine, fact, how.pace)?;
    let worker = Worker {
        engine,
        fact,
        lines: &sinks.lines,
        aside: sinks.keeps_aside,
        changes: fact.parts.iter().map(|part| changes(engine, part)).collect(),
        watch: watch.as_ref(),
    };
    let wanted = wanted(engine, &sinks, watch.is_some());
    let mut stream = Stream::new(fact, how.pace.block, &wanted, progress);
    begin();
    let mut findings = Findings::default();
    let files = &mut sinks.files;
    let workers = in_order(
        how.pace.threads,
        || stream.next(),
        || Gathered {
            groups: totals_of(engine).map(|(_, plan)| Groups::new(plan)).collect(),
            usage: usage_before.clone(),
            read: ReadSide::default(),
        },
        |gathered: &mut Gathered<'_>, item| worker.work(item, gathered),
        |done: Done| {
            if strikes(Fault::BatchLost) {
                return Ok(());
            }
            let again = strikes(Fault::BatchTwice).then(|| done.clone());
            for done in [Some(done), again].into_iter().flatten() {
                files.write(&done.lines, &done.aside)?;
                findings.absorb(done.findings);
            }
            Ok(())
        },
    )?;
    if let Some(watch) = watch {
        watch.finish(engine, &mut findings, how.depth.copies)?;
    }
    let parts = project.fact_parts(engine);
    fact.refuse_doubtful(&findings.doubts, |spot| parts.place(*spot).to_string())?;
    let stops = match how.on_stop {
        OnStop::Stop => stops(project, engine, &findings),
        OnStop::Report => Vec::new(),
    };
    if !stops.is_empty() {
        return Err(Error::Stopped(stops));
    }
    let mut read = stream.read_side();
    let mut uses = Vec::new();
    for gathered in workers {
        uses.push(gathered.usage);
        read.merge(&gathered.read);
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
    Ok((Finished { findings, read, sinks }, usage.or(usage_before)))
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
        OutputContent::Lines(_) | OutputContent::List(..) => None,
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
    /// Which parts were read to their end.
    ended: Vec<bool>,
    /// What was handed out.
    read: ReadSide,
}

impl<'a> Stream<'a> {
    pub(crate) fn new(
        fact: &'a Table,
        block: usize,
        wanted: &'a WantedColumns,
        progress: &'a (dyn Fn(u64, u64) + Sync),
    ) -> Stream<'a> {
        let (ended, read) = (vec![false; fact.parts.len()], ReadSide::default());
        Stream {
            fact,
            next_part: 0,
            next_item: 0,
            reader: None,
            block,
            wanted,
            progress,
            ended,
            read,
        }
    }

    pub(crate) fn next(&mut self) -> Result<Option<Item>, Error> {
        loop {
            if let Some(reader) = &mut self.reader {
                if let Some(block) = reader.next(self.block)? {
                    (self.progress)(block.bytes, block.lines);
                    self.read.handed.0 += 1;
                    self.read.handed.1 += block.extent;
                    if strikes(Fault::BlockLost) {
                        continue;
                    }
                    self.next_item += 1;
                    return Ok(Some((self.next_item - 1, self.next_part - 1, block)));
                }
                let part = &self.fact.parts[self.next_part - 1];
                part.refuse_changed()?;
                self.ended[self.next_part - 1] = true;
                if !reader.is_whole() {
                    self.read.cut.push(part.name.to_string());
                }
                self.reader = None;
            }
            if self.next_part < self.fact.parts.len() && strikes(Fault::PartSkipped) {
                self.next_part += 1;
            }
            let Some(part) = self.fact.parts.get(self.next_part) else { return Ok(None) };
            self.reader = Some(part.open(&self.wanted.of(part))?);
            self.next_part += 1;
        }
    }

    /// What the readers handed out, once they are at their end.
    pub(crate) fn read_side(self) -> ReadSide {
        let mut read = self.read;
        let unread = self.fact.parts.iter().zip(&self.ended).filter(|(_, ended)| !**ended);
        read.unread.extend(unread.map(|(part, _)| part.name.to_string()));
        read
    }
}
