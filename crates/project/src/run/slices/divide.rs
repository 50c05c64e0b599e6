//! Divides a run: finds rows at which slices can begin, so that each slice has about as many bytes.
//!
//! All facts are read once, for where their rows begin and, where they have a key, for the lines that do not hold. Whether a quote
//! opens a field depends on all that comes before it; so a place in the middle of a file is known to begin a row only by whoever has
//! read up to it.

use std::path::Path;

use interligo_sources::formats::Stretch;
use interligo_sources::table::parts::{Table, WantedColumns};

use super::division::{DividedFact, Division, FactSlice, Slices, repeats_file};
use super::handed_on::hand_on;
use super::record::write_item;
use crate::error::Error;
use crate::parallelism::Parallelism;
use crate::prepare::Job;
use crate::project::Project;
use crate::run::Inspection;
use crate::run::repeated_lines::{BlockMet, SettledRepeats, bytes_of};
use crate::run::stream::{PartStretch, Stream};

/// Divides a run into slices, and writes into a folder what each takes. Results of slices of a former division stay there
/// and are not taken for those of this one. `progress` is told how many bytes and lines were read.
///
/// # Errors
/// An input cannot be read; the folder cannot be written.
pub fn divide(
    project: &Project,
    job: &Job,
    into: Slices,
    folder: &Path,
    parallelism: Parallelism,
    progress: &(dyn Fn(u64, u64) + Sync),
) -> Result<Division, Error> {
    let copies = Inspection::of(project, job).copies;
    let mut facts = Vec::new();
    for (number, engine) in job.engines.iter().enumerate() {
        let table = project.table(&engine.bound.fact.name);
        let mut met: Vec<BlockMet> = Vec::new();
        let meet = |block| met.push(block);
        let repeats = SettledRepeats::of((engine, table), parallelism, copies, progress, meet)?;
        match &repeats {
            Some(repeats) => {
                std::fs::create_dir_all(folder)
                    .map_err(|e| super::SlicesError::unwritable(folder, &e))?;
                write_item(&repeats_file(folder, number), repeats)?;
            }
            None => met = blocks_met(table, parallelism, progress)?,
        }
        facts.push(DividedFact {
            table: table.name.clone(),
            has_repeats: repeats.is_some(),
            slices: divided(table, &met, into.slices),
        });
    }
    let handed_on = hand_on(project, job, folder)?;
    let division = Division::new(project, into, facts, handed_on);
    division.write(folder)?;
    Ok(division)
}

/// The blocks of a fact's files.
fn blocks_met(
    table: &Table,
    parallelism: Parallelism,
    progress: &(dyn Fn(u64, u64) + Sync),
) -> Result<Vec<BlockMet>, Error> {
    // Formats that have their columns apart need read none of them.
    let none = WantedColumns::Some(Vec::new());
    let mut stream = Stream::new(table, parallelism.block, &none, progress);
    let mut met = Vec::new();
    while let Some((_, part, block)) = stream.next()? {
        let (start, bytes) = (stream.block_start(), bytes_of(&block));
        met.push(BlockMet { part, start, bytes, before: 0 });
    }
    Ok(met)
}

/// Divides the blocks of a fact into slices of about as many bytes. A slice begins with a file, or at a block of one at which
/// reading can begin.
fn divided(table: &Table, met: &[BlockMet], slices: usize) -> Vec<FactSlice> {
    let all: u128 = met.iter().map(|block| u128::from(block.bytes)).sum();
    let mut divided: Vec<FactSlice> = (0..slices).map(|_| FactSlice::default()).collect();
    let (mut slice, mut passed) = (0, 0u128);
    // Files without a block belong to the slice of the next one.
    let mut next_part = 0;
    for (at, block) in met.iter().enumerate() {
        let begins_part = at == 0 || met[at - 1].part != block.part;
        // The middle of the block decides, so that no slice is empty for a hair.
        let wanted = (passed + u128::from(block.bytes) / 2) * slices as u128 / all.max(1);
        let wanted = usize::try_from(wanted).unwrap_or(slices - 1).min(slices - 1);
        if wanted > slice && (begins_part || block.start.is_some()) {
            slice = wanted;
            divided[slice].lines_before = block.before;
            if let Some(start) = block.start.filter(|_| !begins_part) {
                let before = divided[..slice].iter_mut().rev();
                let last = before.filter_map(|own| own.stretches.last_mut()).next();
                last.into_iter().for_each(|last| last.rows.to = Some(start.at));
                let rows = Stretch { from: Some(start), to: None };
                divided[slice].stretches.push(PartStretch { part: block.part, rows });
            }
        }
        if begins_part {
            let parts = next_part..=block.part;
            divided[slice].stretches.extend(parts.map(whole));
            next_part = block.part + 1;
        }
        divided[slice].bytes += block.bytes;
        passed += u128::from(block.bytes);
    }
    divided[slice].stretches.extend((next_part..table.parts.len()).map(whole));
    divided
}

fn whole(part: usize) -> PartStretch {
    PartStretch { part, rows: Stretch { from: None, to: None } }
}
