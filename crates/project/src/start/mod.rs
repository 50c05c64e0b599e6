//! From a folder of files to a plan: what lies there, which tables are linked by what, and the figures that
//! can be computed of it, written as a plan with the reasons.

mod draft;
mod gather;
mod names;
mod sample;
mod stated;
pub(crate) mod unlinked;

use std::collections::HashSet;
use std::path::Path;

use crate::error::Error;
use arrow_array::Array;
use interligo_discover::propose::{
    FigureProposal, LinkProposal, Proposal, Seen, TableProposal, Twin, copies, figures, propose,
    twins,
};
use interligo_engine::bind::{Request, slots_of};
use interligo_engine::engine::Extent;
use interligo_engine::links::lines_found;
use interligo_model::plan::{Plan, Role, key};
use interligo_sources::table::parts::Table;
use interligo_sources::table::questions::Question;

use crate::parallelism::Parallelism;
use crate::prepare::OnDuplicates;
use crate::project::Project;
use crate::run::link_use;
use gather::{Gathered, Joined, RenamedPart, Stack, gather};
use sample::{Sampled, look_up, sample};
use stated::stated;

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
    pub decisions: Vec<String>,
    /// Files that could not be read, with the reason.
    pub unread: Vec<(String, String)>,
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

/// Drafts a plan for what lies in `folder`, or for the files and databases that are named. The plan is to lie
/// in `folder`. `progress` is told how many bytes and lines were read.
///
/// # Errors
/// Nothing that can be read is a table.
pub fn start(
    folder: &Path,
    named: &[String],
    parallelism: Parallelism,
    progress: &(dyn Fn(u64, u64) + Sync),
) -> Result<Started, Error> {
    let mut gathered = gather(folder, named)?;
    let opened = open(folder, &mut gathered)?;
    if gathered.stacks.is_empty() {
        return Err(nothing_to_read(&gathered));
    }
    let (opened, mut sampled) = put_together(folder, &mut gathered, opened, progress)?;
    let tables: Vec<&Table> =
        gathered.stacks.iter().map(|stack| opened.table(&stack.name)).collect();
    let known = stated(folder, &gathered, &tables, &mut sampled);
    widen(&mut sampled, &tables)?;
    let whole: Vec<bool> = sampled.iter().map(|table| table.is_whole).collect();
    let seen: Vec<Seen> = sampled.into_iter().map(|table| table.seen).collect();
    let proposal = propose(&seen, &known);
    let figures = figures(&seen, &proposal);
    let mut material =
        Material { stacks: &gathered.stacks, tables, seen: &seen, proposal, figures };
    let mut started = Started {
        plan: String::new(),
        tables: Vec::new(),
        links: Vec::new(),
        doubts: Vec::new(),
        figures: Vec::new(),
        decisions: decisions(&material, &gathered),
        unread: gathered.unread.clone(),
    };
    started.tables = started_tables(&material, &whole);
    verify(folder, &mut material, &mut started, parallelism, progress);
    started.figures = material.figures.clone();
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
    if let Some(failed) = failed.filter(|failed| !started.decisions.contains(failed)) {
        started.decisions.push(failed);
        started.plan = draft::plan(&material, &started, true);
    }
    Ok(started)
}

/// The tables with the rows that were looked at: those that are one table under other names are put together, and files
/// that have rows of each other are no longer told apart by their names.
fn put_together(
    folder: &Path,
    gathered: &mut Gathered,
    opened: Project,
    progress: &(dyn Fn(u64, u64) + Sync),
) -> Result<(Project, Vec<Sampled>), Error> {
    let read_all = |stacks: &[Stack], opened: &Project| {
        let tables: Vec<&Table> = stacks.iter().map(|stack| opened.table(&stack.name)).collect();
        read(stacks, &tables, progress)
    };
    let sampled = read_all(&gathered.stacks, &opened)?;
    let seen: Vec<&Seen> = sampled.iter().map(|own| &own.seen).collect();
    let mut is_changed = false;
    for (stack, seen) in gathered.stacks.iter_mut().zip(&seen) {
        is_changed |= forget_slots(stack, seen);
    }
    let found = twins(&seen);
    for twin in &found {
        join(gathered, &seen, twin);
    }
    if !is_changed && found.is_empty() {
        return Ok((opened, sampled));
    }
    let mut number = 0;
    gathered.stacks.retain(|_| {
        number += 1;
        found.iter().all(|twin| twin.other != number - 1)
    });
    let opened = open(folder, gathered)?;
    let sampled = read_all(&gathered.stacks, &opened)?;
    Ok((opened, sampled))
}

/// Makes one table a part of another.
fn join(gathered: &mut Gathered, seen: &[&Seen], twin: &Twin) {
    let name = |table: usize, column: usize| seen[table].columns[column].name.clone();
    let pairs = twin.columns.iter();
    let columns = pairs.map(|(own, other)| (name(twin.other, *other), name(twin.main, *own)));
    let columns: Vec<(String, String)> = columns.filter(|(other, own)| other != own).collect();
    gathered.joined.push(Joined {
        table: seen[twin.other].name.clone(),
        main: seen[twin.main].name.clone(),
        columns: columns.clone(),
    });
    let other = &gathered.stacks[twin.other];
    let part = RenamedPart { from: other.from.clone(), encoding: other.encoding, columns };
    let pieces = other.pieces;
    let main = &mut gathered.stacks[twin.main];
    main.renamed.push(part);
    main.pieces += pieces;
}

/// Leaves out what the names of files say, where files have rows of each other: an extract that overlaps another has the
/// same lines under another name. The answer is whether that is so.
fn forget_slots(stack: &mut Stack, seen: &Seen) -> bool {
    let slots = |pattern: &String| -> Vec<String> {
        slots_of(pattern).into_iter().map(|slot| pattern[slot].to_owned()).collect()
    };
    let names: Vec<String> = stack.from.iter().flat_map(slots).collect();
    let columns = seen.columns.iter().enumerate();
    let columns: Vec<usize> =
        columns.filter(|(_, own)| names.contains(&own.name)).map(|(at, _)| at).collect();
    let count = |without: &[usize]| copies(seen, without).into_iter().filter(|own| *own).count();
    if columns.is_empty() || count(&columns) == count(&[]) {
        return false;
    }
    for pattern in &mut stack.from {
        for slot in slots_of(pattern).into_iter().rev() {
            pattern.replace_range(slot.start - 1..=slot.end, "*");
        }
    }
    true
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
            parts: stack.pieces,
            rows: seen.rows,
            looked_at: (!whole[number])
                .then(|| seen.columns.first().map_or(0, |c| c.texts.len() as u64)),
            key: proposed.key.iter().map(|column| seen.columns[*column].name.clone()).collect(),
        }
    };
    material.stacks.iter().enumerate().map(of).collect()
}

/// What the tables leave open.
fn decisions(material: &Material<'_>, gathered: &Gathered) -> Vec<String> {
    let mut open = Vec::new();
    for (table, stack) in material.tables.iter().zip(material.stacks) {
        let all: Vec<usize> = (0..table.columns.names.len()).collect();
        let questions: Vec<Question> = table.questions(&all);
        open.extend(questions.into_iter().take(1).map(|q| format!("{}: {}", q.message, q.fix)));
        open.extend(lists(table, material, &stack.name));
        open.extend(periods_as_columns(table, &stack.name));
    }
    for Joined { table, main, columns } in &gathered.joined {
        let pairs: Vec<String> =
            columns.iter().map(|(other, own)| format!("`{other}` is `{own}`")).collect();
        open.push(format!(
            "`{table}` seems to have the lines of `{main}` under other names, by its values: the plan takes them for one table. Check that {}",
            pairs.join(", ")
        ));
    }
    for stack in material.stacks {
        open.extend(stack.encoding.map(|encoding| {
            format!("the files of `{}` are not UTF-8: the plan reads them as {encoding}, which is likely and not certain", stack.name)
        }));
        open.extend(stack.tall.as_ref().map(|tall| {
            format!("the column names of `{}` are periods: the plan makes rows of them, and calls what is in the cells `{}`", stack.name, tall.value)
        }));
    }
    for (number, proposed) in material.proposal.tables.iter().enumerate() {
        open.extend(copied_lines(&material.seen[number], proposed));
    }
    for (link, taken) in &material.proposal.equals {
        let (other, taken) = (&material.seen[link.to_table].name, &material.seen[*taken].name);
        open.push(format!(
            "`{taken}` and `{other}` have the same columns and match {} equally well: the plan takes `{taken}`, and has `{other}` as a comment",
            draft::path(material, link).split(" -> ").next().unwrap_or_default()
        ));
    }
    if gathered.left_out > 0 {
        open.push(format!(
            "{} files were not looked at: name the folder of those that are meant",
            gathered.left_out
        ));
    }
    open
}

/// Lines that are there again with all their values: a file that is there twice, or an extract that overlaps another.
fn copied_lines(seen: &Seen, proposed: &TableProposal) -> Option<String> {
    if proposed.copies == 0 {
        return None;
    }
    let key: Vec<&str> =
        proposed.key.iter().map(|column| seen.columns[*column].name.as_str()).collect();
    let what = match key.is_empty() {
        true => "each counts. If they are the same lines, add the `key` that tells lines apart"
            .to_owned(),
        false => format!(
            "by the key {} each counts once; without it they would be added up",
            key.join(" + ")
        ),
    };
    let (copies, rows) = (proposed.copies, seen.rows);
    Some(format!(
        "{copies} of {rows} rows of `{}` are there twice with all their values: {what}",
        seen.name
    ))
}

/// Columns whose cells hold several values of a key.
fn lists(table: &Table, material: &Material<'_>, name: &str) -> Vec<String> {
    let Some(number) = material.stacks.iter().position(|stack| stack.name == name) else {
        return Vec::new();
    };
    let columns = interligo_discover::propose::lists(&material.seen[number]);
    let Some((separator, columns)) = columns else { return Vec::new() };
    let names: Vec<String> =
        columns.iter().map(|column| format!("\"{}\"", table.columns.names[*column])).collect();
    vec![format!(
        "the cells of {} in `{name}` have several values: add unpack = {{ columns = [{}], separator = \"{separator}\" }} to [tables.{}]",
        names.join(", ").replace('"', "`"),
        names.join(", "),
        key(name)
    )]
}

/// Columns that are headed by periods, as price lists have that are made for reading.
fn periods_as_columns(table: &Table, name: &str) -> Option<String> {
    let mut patterns: Vec<(String, usize)> = Vec::new();
    for pattern in
        table.columns.names.iter().filter_map(|column_name| names::period_pattern(column_name))
    {
        match patterns.iter_mut().find(|(known, _)| *known == pattern) {
            Some((_, count)) => *count += 1,
            None => patterns.push((pattern, 1)),
        }
    }
    let (pattern, _) = patterns.into_iter().find(|(_, count)| *count >= 3)?;
    Some(format!(
        "the column names of `{name}` are periods: if its columns are to become rows, add tall = {{ \"{pattern}\" = \"price\" }} to [tables.{}]",
        key(name)
    ))
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
                for stop in stops {
                    started.decisions.push(format!("{}: {}", stop.message, stop.help));
                }
            }
        }
        Err(error) => started.decisions.push(error.to_string()),
    }
    let links = material.proposal.links.iter().zip(&counts);
    started.links = links.map(|(link, counts)| shown(material, link, Some(*counts))).collect();
    let doubts = material.proposal.doubts.iter();
    started.doubts = doubts.map(|link| shown(material, link, None)).collect();
}
