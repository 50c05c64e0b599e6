//! A run: the fact's files block by block through the engine, over all cores, into the outputs.

use std::collections::BTreeMap;

use interligo_core::engine::{Engine, OutputContent};
use interligo_core::findings::{Aside, Findings, PLACES_KEPT, Parts, Spot};
use interligo_core::lines::{DoesNotFit, LineBatch, Lines};
use interligo_core::plan::ListKind;
use interligo_core::tieout::{TieOut, aside_words};
use interligo_core::totals::{Cube, Groups, TotalsPlan, TotalsTable};
use interligo_core::usage::Usage;

use crate::check::{Checked, Code, FactRun};
use crate::error::Error;
use crate::grid::Grid;
use crate::last_run::{FilesSince, FindingsSince};
use crate::lines_out::{Change, LinesOutput, RawLines, changes, write_own};
use crate::ordered::in_order;
use crate::outputs::{Sinks, Whole, appear};
use crate::parts::{Table, WantedColumns};
use crate::project::Project;
use crate::repeats::{COPIES_KEPT, Watch};
use crate::rows::Rows;
use crate::source::{Block, Reader};
use crate::stops::stops;
use crate::text::write_cell;

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

/// What a worker gathers over its blocks.
struct Gathered<'e> {
    groups: Vec<Groups<'e>>,
    usage: Option<Usage>,
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

/// What a block came to.
struct Done {
    findings: Findings,
    /// Of each output of lines, its bytes and how many lines they are.
    lines: Vec<(Vec<u8>, u64)>,
    aside: (Vec<u8>, u64),
}

struct Worker<'a> {
    engine: &'a Engine,
    fact: &'a Table,
    lines: &'a [LinesOutput],
    /// Whether there is a file for what is set aside.
    aside: bool,
    /// Of each part, what happens to its columns on the way to an output.
    changes: Vec<Vec<Change>>,
    /// Looks for lines that came before.
    watch: Option<&'a Watch<'a>>,
}

impl Worker<'_> {
    /// The rows of a block that are lines and did not come before.
    fn rows(&self, (item, number, block): Item) -> Result<Rows, Error> {
        let rows = Rows::of(block, self.fact, &self.fact.parts[number]);
        let Some(watch) = self.watch else { return rows };
        let mut rows = rows.inspect_err(|_| watch.fail(item))?;
        match watch.sift(item, number, &mut rows) {
            Some(Ok(())) => Ok(rows),
            Some(Err(error)) => {
                watch.fail(item);
                Err(error)
            }
            // An earlier block has failed, and its error is the one that is told.
            None => Err(Error::Stopped(Vec::new())),
        }
    }

    fn work(&self, item: Item, gathered: &mut Gathered<'_>) -> Result<Done, Error> {
        let (number, size) = (item.1, item.2.bytes as usize);
        let part = &self.fact.parts[number];
        let rows = self.rows(item)?;
        let columns = self.engine.read_columns().iter().map(|column| rows.cells(part, *column));
        let row_of = |line: u32| rows.row_of(line as usize);
        let batch = LineBatch {
            rows: rows.len(),
            columns: columns.collect(),
            part: number,
            style: &part.style,
            row_of: &row_of,
        };
        let unfit = |unfit| Error::does_not_fit(unfit, &self.parts());
        let mut lines = self.engine.work_out(&batch).map_err(unfit)?;
        if let Some(usage) = &mut gathered.usage {
            usage.add(&lines);
        }
        for groups in &mut gathered.groups {
            groups.add(&lines).map_err(|row| {
                let spot = Spot { part: number, row: row_of(row as u32) };
                unfit(DoesNotFit { what: "totals".to_owned(), spot })
            })?;
        }
        let mut findings = std::mem::take(&mut lines.findings);
        note_rows(&mut findings, &rows, number);
        let raw = RawLines::new(&rows, part, &self.changes[number], &lines, self.engine);
        let write = |output: &LinesOutput| {
            let mut bytes = Vec::with_capacity(size * 3);
            let written = output.write(&lines, &raw, &mut bytes);
            (bytes, written)
        };
        let written = self.lines.iter().map(write).collect();
        let mut aside = (Vec::new(), 0);
        if self.aside && findings.lines_aside() > 0 {
            aside = self.write_aside(&lines, &raw);
        }
        Ok(Done { findings, lines: written, aside })
    }

    fn parts(&self) -> Parts {
        Parts(self.fact.parts.iter().map(|p| p.name.clone()).collect())
    }

    /// The lines of a block that are set aside, in their order: why, where, and as they were read.
    fn write_aside(&self, lines: &Lines<'_>, raw: &RawLines<'_>) -> (Vec<u8>, u64) {
        let rows = raw.rows;
        let regular = lines.aside.iter().map(|(line, why)| {
            let line = *line as usize;
            (rows.row_of(line), *why, Entry::Line(line))
        });
        let uneven = rows.uneven().iter().map(|row| {
            let row = *row as usize;
            (rows.number_of(row), Aside::Uneven, Entry::Row(row_text(&rows.grid, row)))
        });
        let mut all: Vec<_> = regular.chain(uneven).collect();
        if let Some(text) = rows.grid.text() {
            let mut numbers = text.counting();
            all.extend(text.fields.ragged.iter().map(|ragged| {
                let (start, end) = (ragged.start as usize, ragged.end as usize);
                let written = String::from_utf8_lossy(&text.buffer[start..end]).into_owned();
                (numbers.of(start), Aside::Fields, Entry::Row(written))
            }));
        }
        all.sort_by_key(|(row, ..)| *row);
        let mut out = Vec::new();
        let count = all.len() as u64;
        for (row, why, entry) in all {
            write_cell(&mut out, &aside_words(self.engine, why));
            out.push(b',');
            write_cell(&mut out, &raw.part.name.shown);
            out.extend_from_slice(format!(",{row},").as_bytes());
            match entry {
                Entry::Line(line) => {
                    write_own(raw, line, &mut out);
                    out.push(b',');
                }
                Entry::Row(written) => {
                    out.extend(std::iter::repeat_n(b',', raw.part.sources.len()));
                    write_cell(&mut out, &written);
                }
            }
            out.push(b'\n');
        }
        (out, count)
    }
}

/// What is set aside: a line, or a row that is none.
enum Entry {
    Line(usize),
    /// The row as it was read.
    Row(String),
}

/// A row as it stands in its file, or as a text file would have it.
fn row_text(grid: &Grid, row: usize) -> String {
    if let Some(text) = grid.text() {
        return String::from_utf8_lossy(text.fields.row(&text.buffer, row)).into_owned();
    }
    let mut written = Vec::new();
    for field in 0..grid.width() {
        if field > 0 {
            written.push(b',');
        }
        write_cell(&mut written, &grid.cell(row, field));
    }
    String::from_utf8_lossy(&written).into_owned()
}

/// Adds what became of the rows of a block to the findings of its lines.
fn note_rows(findings: &mut Findings, rows: &Rows, part: usize) {
    let (ragged, uneven) = (rows.grid.ragged().len() as u64, rows.uneven().len() as u64);
    findings.lines += ragged + uneven;
    // The number of such a row is counted from the start of its block; only the first are named.
    let first = rows.grid.ragged().iter().take(PLACES_KEPT).map(|ragged| rows.grid.row_at(ragged));
    let mut misfits: Vec<u64> = first.collect();
    let first = rows.uneven().iter().take(PLACES_KEPT);
    misfits.extend(first.map(|row| rows.number_of(*row as usize)));
    misfits.sort_unstable();
    let named = misfits.into_iter().take(PLACES_KEPT);
    findings.misfits.first = named.map(|row| (Spot { part, row }, String::new())).collect();
    findings.misfits.count = ragged + uneven;
    for (why, count) in [(Aside::Fields, ragged), (Aside::Uneven, uneven)] {
        if count > 0 {
            findings.aside.insert(why, count);
        }
    }
    let spots = |rows: &[(u64, String)]| -> Vec<(Spot, String)> {
        rows.iter().map(|(row, cells)| (Spot { part, row: *row }, cells.clone())).collect()
    };
    findings.total_rows = spots(&rows.totals);
    findings.suspects = spots(&rows.suspects);
    for (what, row, cell) in rows.noted() {
        let spot = Spot { part, row: *row };
        findings.noted.entry(*what).or_default().note(spot, || cell.clone());
    }
    findings.parts.insert(part, rows.counts.clone());
}
