//! Tables that are one, by what is in them: under other names of columns, or in extracts that overlap.

use std::path::Path;

use interligo_discover::propose::{Seen, Twin, are_told_apart, copies, twins};
use interligo_engine::bind::slots_of;
use interligo_sources::table::parts::Table;

use super::answers::Answers;
use super::gather::{Gathered, Joined, RenamedPart, Stack};
use super::sample::Sampled;
use super::{open, read};
use crate::error::Error;
use crate::project::Project;

/// The tables with the rows that were looked at: those that are one table under other names are put together, and files
/// that have rows of each other are no longer kept apart by their names.
pub(super) fn put_together(
    folder: &Path,
    gathered: &mut Gathered,
    opened: Project,
    answers: &Answers,
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
    let mut found = twins(&seen);
    found.retain(|twin| !answers.is_apart(&seen[twin.other].name));
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
    let (from, leave_out) = (other.from.clone(), other.leave_out.clone());
    let part = RenamedPart { from, leave_out, encoding: other.encoding, columns };
    let files = other.files.clone();
    let main = &mut gathered.stacks[twin.main];
    main.renamed.push(part);
    main.files.extend(files);
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
    if columns.is_empty() || count(&columns) == count(&[]) || !are_told_apart(seen, &columns) {
        return false;
    }
    for pattern in &mut stack.from {
        for slot in slots_of(pattern).into_iter().rev() {
            pattern.replace_range(slot.start - 1..=slot.end, "*");
        }
    }
    true
}
