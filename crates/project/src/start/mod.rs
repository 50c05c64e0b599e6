//! From a folder of files to a plan: what lies there, which tables are linked by what, and the figures that
//! can be computed of it, written as a plan with the reasons.

mod additions;
mod answers;
mod decisions;
mod draft;
mod explain;
mod gather;
mod names;
mod sample;
mod stated;
mod together;
pub(crate) mod unlinked;

use std::collections::HashSet;
use std::path::Path;

use crate::error::Error;
use arrow_array::Array;
use interligo_discover::propose::{
    FigureProposal, LinkProposal, Proposal, Seen, Stated, figures, propose, settle_again,
};
use interligo_engine::bind::Request;
use interligo_engine::engine::Extent;
use interligo_engine::links::lines_found;
use interligo_model::plan::{Plan, Role};
use interligo_sources::table::parts::Table;

use crate::parallelism::Parallelism;
use crate::prepare::OnDuplicates;
use crate::project::Project;
use crate::run::link_use;
pub use additions::{Addition, Additions, additions, with_additions};
pub use answers::{Answer, Answers, Decision};
use decisions::{decisions, doubtful_links, found_by_few, of_stop};
pub use explain::{ExplainedCandidate, ExplainedColumn, explain_column};
use gather::{Gathered, Stack, gather};
use sample::{Sampled, look_up, sample};
use stated::stated;
use together::put_together;

/// A lookup of this many rows takes seconds to load.
const LARGE: u64 = 1_000_000;

/// What came of looking at a folder.
pub struct Started {
    /// The plan.
    pub plan: String,
    /// The tables.
    pub tables: Vec<StartedTable>,
    /// The links.
    pub links: Vec<StartedLink>,
    /// Possible links, which are in the plan as comments.
    pub doubts: Vec<StartedLink>,
    /// The figures.
    pub figures: Vec<FigureProposal>,
    /// What must be decided before a run, or should be.
    pub decisions: Vec<Decision>,
    /// Whether possible links hold.
    pub doubtful: Vec<Decision>,
    /// What was decided, each with its answer.
    pub decided: Vec<(String, String)>,
    /// Files that could not be read, with the reason.
    pub unread: Vec<(String, String)>,
}

impl Started {
    /// What can be answered.
    pub fn questions(&self) -> impl Iterator<Item = &Decision> {
        let all = self.decisions.iter().chain(&self.doubtful);
        all.filter(|decision| !decision.answers.is_empty())
    }
}

/// A table that was found.
pub struct StartedTable {
    /// Its name in the plan.
    pub name: String,
    /// What it is for; none when nothing links it to the others.
    pub role: Option<Role>,
    /// Its patterns.
    pub from: Vec<String>,
    /// How many files or sheets it has.
    pub parts: usize,
    /// About how many rows.
    pub rows: u64,
    /// How many of them were looked at, where not all were.
    pub looked_at: Option<u64>,
    /// The columns of its key.
    pub key: Vec<String>,
}

/// A link that was found.
pub struct StartedLink {
    /// Its path in the plan.
    pub path: String,
    /// The evidence for it, in a line.
    pub why: String,
    /// What came next for the same column, in a line.
    pub runner_up: Option<String>,
    /// Of all lines, how many match, once all were looked at.
    pub lines: Option<(u64, u64)>,
    /// The table that it starts from.
    pub from: String,
    /// The table that it leads to.
    pub to: String,
}

/// All that the plan is drawn from.
struct Material<'a> {
    stacks: &'a [Stack],
    tables: Vec<&'a Table>,
    seen: &'a [Seen],
    proposal: Proposal,
    pub(crate) figures: Vec<FigureProposal>,
}

/// Drafts a plan for what lies in `folder`, or for the files and databases that are named, by the answers that were
/// given. The plan is to lie in `folder`. `progress` is told how many bytes and lines were read.
///
/// # Errors
/// Nothing that can be read is a table.
pub fn start(
    folder: &Path,
    named: &[String],
    answers: &Answers,
    parallelism: Parallelism,
    progress: &(dyn Fn(u64, u64) + Sync),
) -> Result<Started, Error> {
    let Looked { gathered, opened, seen, whole, known } = look(folder, named, answers, progress)?;
    let tables: Vec<&Table> =
        gathered.stacks.iter().map(|stack| opened.table(&stack.name)).collect();
    let proposal = propose(&seen, &known);
    let mut material =
        Material { stacks: &gathered.stacks, tables, seen: &seen, proposal, figures: Vec::new() };
    settle(&mut material, answers);
    material.figures = figures(&seen, &material.proposal);
    let mut started = Started {
        plan: String::new(),
        tables: Vec::new(),
        links: Vec::new(),
        doubts: Vec::new(),
        figures: Vec::new(),
        decisions: decisions(&material, &gathered),
        doubtful: Vec::new(),
        decided: answers.decided(),
        unread: gathered.unread.clone(),
    };
    started.tables = started_tables(&material, &whole);
    verify(folder, &mut material, &mut started, parallelism, progress);
    started.figures = material.figures.clone();
    started.doubtful = doubtful_links(&started.doubts).collect();
    for open in [&mut started.decisions, &mut started.doubtful] {
        open.retain(|decision| !answers.settle(decision));
    }
    started.plan = draft::plan(&material, &started, true);
    // Lookups of millions of rows are not loaded once more for it.
    let is_large = material
        .proposal
        .tables
        .iter()
        .zip(&seen)
        .any(|(table, seen)| table.role == Some(Role::Lookup) && seen.rows >= LARGE);
    let failed = (!is_large)
        .then(|| try_whole(folder, &started.plan).err())
        .flatten()
        .map(|error| error.to_string());
    let is_known = |failed: &String| started.decisions.iter().any(|own| own.text == *failed);
    if let Some(failed) = failed.filter(|failed| !is_known(failed)) {
        started.decisions.push(Decision::note(failed));
        started.plan = draft::plan(&material, &started, true);
    }
    Ok(started)
}

/// Changes a proposal by what was decided of it.
fn settle(material: &mut Material<'_>, answers: &Answers) {
    for (taken, instead_of) in answers.links() {
        let is = |link: &LinkProposal, path: &str| draft::path(material, link) == path;
        let links = material.proposal.links.iter();
        let dropped = instead_of.and_then(|path| links.clone().position(|link| is(link, path)));
        let doubt = material.proposal.doubts.iter().position(|link| is(link, taken));
        let Some(doubt) = doubt else { continue };
        let proposal = &mut material.proposal;
        let link = proposal.doubts.remove(doubt);
        proposal.equals.retain(|(other, _)| *other != link);
        match dropped {
            Some(at) => proposal.doubts.push(std::mem::replace(&mut proposal.links[at], link)),
            None => proposal.links.push(link),
        }
    }
    if answers.links().next().is_some() {
        settle_again(material.seen, &mut material.proposal);
    }
    for (number, stack) in material.stacks.iter().enumerate() {
        if answers.is_without_key(&stack.name) {
            let own = &mut material.proposal.tables[number];
            (own.key, own.copies) = (Vec::new(), 0);
        }
    }
}

/// What was looked at of a folder.
struct Looked {
    gathered: Gathered,
    opened: Project,
    seen: Vec<Seen>,
    /// Of each table, whether all of its rows were looked at.
    whole: Vec<bool>,
    /// Links that are stated somewhere.
    known: Vec<Stated>,
}

/// Finds the tables of a folder and looks at their rows.
fn look(
    folder: &Path,
    named: &[String],
    answers: &Answers,
    progress: &(dyn Fn(u64, u64) + Sync),
) -> Result<Looked, Error> {
    let mut gathered = gather(folder, named)?;
    answers.settle_tables(&mut gathered.stacks);
    let opened = open(folder, &mut gathered)?;
    if gathered.stacks.is_empty() {
        return Err(nothing_to_read(&gathered));
    }
    let (opened, mut sampled) = put_together(folder, &mut gathered, opened, answers, progress)?;
    let tables: Vec<&Table> =
        gathered.stacks.iter().map(|stack| opened.table(&stack.name)).collect();
    let known = stated(folder, &gathered, &tables, &mut sampled);
    widen(&mut sampled, &tables)?;
    let whole: Vec<bool> = sampled.iter().map(|table| table.is_whole).collect();
    let seen: Vec<Seen> = sampled.into_iter().map(|table| table.seen).collect();
    Ok(Looked { gathered, opened, seen, whole, known })
}

/// Links between the tables of a plan that it does not have yet: those that hold, and those that may.
///
/// # Errors
/// A file that cannot be read.
pub fn find_links(project: &Project) -> Result<(Vec<StartedLink>, Vec<StartedLink>), Error> {
    let tables = project.tables();
    let sampled: Result<Vec<Sampled>, Error> =
        tables.iter().map(|table| sample(&table.name, table)).collect();
    let mut sampled = sampled?;
    widen(&mut sampled, &tables.iter().collect::<Vec<_>>())?;
    let seen: Vec<Seen> = sampled.into_iter().map(|table| table.seen).collect();
    let known = interligo_discover::propose::links_of_plan(&project.plan, &seen);
    let proposal = propose(&seen, &known);
    let material = Material {
        stacks: &[],
        tables: tables.iter().collect(),
        seen: &seen,
        proposal,
        figures: Vec::new(),
    };
    let new = |links: &[LinkProposal]| {
        let new = links.iter().filter(|link| link.stated.is_none());
        new.map(|link| shown(&material, link, None)).collect::<Vec<_>>()
    };
    Ok((new(&material.proposal.links), new(&material.proposal.doubts)))
}

/// A link with the evidence for it.
fn shown(material: &Material<'_>, link: &LinkProposal, lines: Option<(u64, u64)>) -> StartedLink {
    StartedLink {
        path: draft::path(material, link),
        why: draft::why(material, link),
        runner_up: draft::runner_up(material, link),
        lines: lines.filter(|(_, all)| *all > 0),
        from: material.seen[link.from[0].table].name.clone(),
        to: material.seen[link.to_table].name.clone(),
    }
}

/// Opens the tables; those that cannot be opened are left out.
fn open(folder: &Path, gathered: &mut Gathered) -> Result<Project, Error> {
    let opens = |stacks: &[Stack]| {
        let plan = Plan::parse(&draft::tables_only(stacks))?;
        Project::open_tables(plan, folder, |_| true)
    };
    if let Ok(project) = opens(&gathered.stacks) {
        return Ok(project);
    }
    let mut stacks = Vec::new();
    for stack in std::mem::take(&mut gathered.stacks) {
        match opens(std::slice::from_ref(&stack)) {
            Ok(_) => stacks.push(stack),
            Err(error) => gathered.unread.push((stack.name, error.to_string())),
        }
    }
    gathered.stacks = stacks;
    opens(&gathered.stacks)
}

fn nothing_to_read(gathered: &Gathered) -> Error {
    let mut message = "there is no table to start from".to_owned();
    if let Some((file, why)) = gathered.unread.first() {
        message = format!("{message}: {file}: {why}");
    }
    interligo_model::plan::Mistake::of_plan(interligo_model::plan::MistakeKind::NoTables, message)
        .help("name the folder or the files with your tables: text, workbooks, Parquet, JSON lines, SQLite; or a database")
        .into()
}

fn read(
    stacks: &[Stack],
    tables: &[&Table],
    progress: &(dyn Fn(u64, u64) + Sync),
) -> Result<Vec<Sampled>, Error> {
    let mut sampled = Vec::new();
    for (stack, table) in stacks.iter().zip(tables) {
        let read = sample(&stack.name, table)?;
        progress(0, read.seen.rows);
        sampled.push(read);
    }
    Ok(sampled)
}

/// Of tables that were not read whole and that others may look their values up in, the rows with these values.
fn widen(sampled: &mut [Sampled], tables: &[&Table]) -> Result<(), Error> {
    for number in 0..sampled.len() {
        if sampled[number].is_whole {
            continue;
        }
        let (own, values) = interligo_discover::propose::looked_for(
            &sampled.iter().map(|table| &table.seen).collect::<Vec<_>>(),
            number,
        );
        if !own.is_empty() {
            let values: HashSet<String> = values.into_iter().collect();
            look_up(&mut sampled[number], tables[number], &own, &values)?;
        }
    }
    Ok(())
}

fn started_tables(material: &Material<'_>, whole: &[bool]) -> Vec<StartedTable> {
    let of = |(number, stack): (usize, &Stack)| {
        let proposed = &material.proposal.tables[number];
        let seen = &material.seen[number];
        StartedTable {
            name: stack.name.clone(),
            role: proposed.role,
            from: stack.from.clone(),
            parts: stack.files.len(),
            rows: seen.rows,
            looked_at: (!whole[number])
                .then(|| seen.columns.first().map_or(0, |c| c.texts.len() as u64)),
            key: proposed.key.iter().map(|column| seen.columns[*column].name.clone()).collect(),
        }
    };
    material.stacks.iter().enumerate().map(of).collect()
}

/// Whether the whole plan holds, figures and outputs included.
fn try_whole(folder: &Path, plan: &str) -> Result<(), Error> {
    let plan = Plan::parse(plan)?;
    let requests = Request::of_plan(&plan)?;
    let project = Project::open(plan, folder)?;
    project.prepare(&requests, Extent::Everything, OnDuplicates::Report).map(drop)
}

/// Runs the draft over all lines, without writing anything, and notes how many match. A link that does
/// not hold is left to the reader.
fn verify(
    folder: &Path,
    material: &mut Material<'_>,
    started: &mut Started,
    parallelism: Parallelism,
    progress: &(dyn Fn(u64, u64) + Sync),
) {
    let text = draft::plan(material, started, false);
    let outcome = Plan::parse(&text).map_err(Error::from).and_then(|plan| {
        let project = Project::open(plan, folder)?;
        let job = project.prepare(&[] as &[Request], Extent::Everything, OnDuplicates::Report)?;
        let outcomes = link_use(&project, &job, parallelism, progress)?;
        Ok((project, job, outcomes))
    });
    let mut counts: Vec<(u64, u64)> = vec![(0, 0); material.proposal.links.len()];
    match outcome {
        Ok((project, job, outcomes)) => {
            for (engine, (outcome, _)) in job.engines.iter().zip(&outcomes) {
                for (route, link) in engine.bound.routes.iter().zip(&outcome.tie_out.links) {
                    let count = &mut counts[route.link];
                    count.0 += lines_found(&link.counts);
                    count.1 += link.counts.iter().sum::<u64>();
                }
                let stops = crate::run::stop_rules::duplicate_stops(&engine.bound, &engine.lookups);
                let stops = stops.into_iter().chain(crate::run::stop_rules::stops(
                    &project,
                    engine,
                    &outcome.findings,
                ));
                for decision in stops.map(of_stop) {
                    // Two facts may come upon the same.
                    if !started.decisions.contains(&decision) {
                        started.decisions.push(decision);
                    }
                }
            }
        }
        Err(error) => started.decisions.push(Decision::note(error.to_string())),
    }
    let few = material.proposal.links.iter().zip(&counts);
    started
        .decisions
        .extend(few.filter_map(|(link, counts)| found_by_few(material, link, *counts)));
    let links = material.proposal.links.iter().zip(&counts);
    started.links = links.map(|(link, counts)| shown(material, link, Some(*counts))).collect();
    let doubts = material.proposal.doubts.iter();
    started.doubts = doubts.map(|link| shown(material, link, None)).collect();
}
