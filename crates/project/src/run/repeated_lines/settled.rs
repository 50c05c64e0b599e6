//! Repeats that are settled before a run, by reading all of a fact: for slices, of which none sees the lines of the others.

use interligo_engine::engine::Engine;
use interligo_engine::proof::findings::{Findings, Repeat};
use interligo_engine::rows::repeated_lines::{Pair, Settled, settle};
use interligo_model::plan::Rule;
use interligo_sources::formats::{Block, RowStart};
use interligo_sources::table::parts::Table;
use serde::{Deserialize, Serialize};

use super::read_again::{fetch, show};
use super::{SHOWN, Watch, is_among};
use crate::error::Error;
use crate::parallelism::Parallelism;

/// A block of a fact's files whose lines were read.
#[derive(Clone, Copy, Debug)]
pub(crate) struct BlockMet {
    /// The file, by number.
    pub(crate) part: usize,
    /// Where it begins; none where reading cannot begin there.
    pub(crate) start: Option<RowStart>,
    /// Its bytes; of rows that are no text, about as many.
    pub(crate) bytes: u64,
    /// How many lines come before it.
    pub(crate) before: u64,
}

/// The bytes of a block; of rows that are no text, about as many as they would have.
pub(crate) fn bytes_of(block: &Block) -> u64 {
    const OF_A_ROW: u64 = 64;
    if block.bytes > 0 { block.bytes } else { block.lines * OF_A_ROW }
}

/// Which lines of a fact do not hold, and what is to be said of them.
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
pub(crate) struct SettledRepeats {
    /// Copies of another line, with that; ascending.
    pub(super) identical: Vec<Pair>,
    /// Lines in the place of which another holds, with that; ascending.
    pub(super) dropped: Vec<Pair>,
    unkeyed: u64,
    read_again: bool,
    open: u64,
    repeats: Vec<Repeat>,
    copies: Vec<Repeat>,
}

impl SettledRepeats {
    /// Settles the repeats of a fact by reading all of it; `None` when it has no key, or keeps all lines. `copies` are shown
    /// with their places.
    pub(crate) fn of(
        (engine, table): (&Engine, &Table),
        parallelism: Parallelism,
        copies: usize,
        progress: &(dyn Fn(u64, u64) + Sync),
        meet: impl FnMut(BlockMet) + Send,
    ) -> Result<Option<SettledRepeats>, Error> {
        let Some(watch) = Watch::unsettled(engine, table) else { return Ok(None) };
        let state = watch.scan(parallelism, progress, meet)?;
        let read_again = !watch.streams() || !state.pairs.is_empty();
        let (groups, _) = fetch(engine, table, &state)?;
        let Settled { identical: equal, dropped, open } =
            settle(watch.rule, groups.iter().map(Vec::as_slice));
        let mut identical = state.identical.clone();
        identical.extend(equal);
        identical.sort_unstable_by_key(|(_, later)| *later);
        let mut shown = open.clone();
        if !matches!(watch.rule, Rule::Stop) {
            shown.extend(&dropped);
        }
        let (most, kept) = (copies.max(SHOWN), identical.len().min(copies));
        // With a rule that stops, the lines that are open are counted as dropped until it does.
        let mut all_dropped = dropped;
        if watch.streams() {
            let is_equal = |line: u32| is_among(&identical, u64::from(line));
            all_dropped =
                state.pairs.iter().copied().filter(|(_, line)| !is_equal(*line)).collect();
        }
        all_dropped.sort_unstable_by_key(|(_, later)| *later);
        Ok(Some(SettledRepeats {
            unkeyed: state.unkeyed,
            read_again,
            open: open.len() as u64,
            repeats: show(engine, table, &state, &shown[..shown.len().min(most)])?,
            copies: show(engine, table, &state, &identical[..kept])?,
            identical,
            dropped: all_dropped,
        }))
    }

    /// Adds what is to be said of them to what was found in the lines.
    pub(crate) fn note(self, findings: &mut Findings) {
        findings.unkeyed = self.unkeyed;
        findings.read_again = self.read_again;
        findings.repeats_open = self.open;
        findings.repeats = self.repeats;
        findings.copies = self.copies;
    }
}
