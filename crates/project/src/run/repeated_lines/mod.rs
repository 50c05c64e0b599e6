//! Duplicate lines of the fact: recognised while the lines stream by, and read again
//! from their place where two of them differ.

mod read_again;
mod settled;

use std::hash::{BuildHasher, Hash, Hasher};

use arrow_array::StringViewArray;
use foldhash::quality::FixedState;
use interligo_engine::bind::FactKey;
use interligo_engine::engine::Engine;
use interligo_engine::proof::findings::Findings;
use interligo_engine::proof::tally::Tally;
use interligo_engine::rows::line_keys::{KeysSeen, LineHash, LineHasher, Seen};
use interligo_engine::rows::repeated_lines::{Pair, Settled, settle};
use interligo_model::plan::{Mistake, MistakeKind, Repeats, Rule};
use interligo_sinks::raw_lines::raw_text;
use interligo_sources::in_order::{Turns, in_order};
use interligo_sources::table::parts::{ColumnSource, Part, Table, WantedColumns};
use interligo_sources::table::rows::Rows;

use crate::error::Error;
use crate::parallelism::Parallelism;
use crate::run::stream::Stream;
use read_again::{fetch, show};
pub(crate) use settled::{BlockMet, SettledRepeats, bytes_of};

/// How many keys with lines that differ are shown.
const SHOWN: usize = 10;

/// Watches the lines of a run for keys that came before.
pub(crate) struct Watch<'a> {
    table: &'a Table,
    key: &'a FactKey,
    rule: &'a Rule,
    hasher: LineHasher,
    /// Of each part, what tells its rows apart from those of parts that are laid out otherwise.
    layouts: Vec<u64>,
    /// How many bytes all files have, as far as that is known.
    bytes: u64,
    turns: Turns<State>,
    /// Lines that do not hold, where that was settled before the run.
    settled: Option<Settled>,
}

#[derive(Default)]
struct State {
    seen: KeysSeen,
    /// How many lines came so far.
    lines: u64,
    /// Of each part, the number of its first line.
    starts: Vec<u64>,
    /// Lines whose key came before on a line that is not the same byte for byte.
    pairs: Vec<Pair>,
    /// Lines that are the same as another byte for byte, with that.
    identical: Vec<Pair>,
    /// Lines without a key.
    unkeyed: u64,
}

/// The lines of a block that do not hold, ascending.
pub(crate) struct Sifted {
    /// Copies of a line that came before.
    pub(crate) identical: Vec<u32>,
    /// Lines in the place of which another holds.
    pub(crate) dropped: Vec<u32>,
}

/// Room is made for this many lines at most before they come.
const LIKELY: u64 = 1 << 28;

/// How many copies are known by their place.
pub(crate) const COPIES_KEPT: usize = 200_000;

/// The hashes of the lines of a block; none for a line without a key.
type Hashes = Vec<Option<LineHash>>;

impl<'a> Watch<'a> {
    /// A watch for the fact of an engine; `None` when it has no key, or keeps all lines. Where a later
    /// line may hold, all lines are scanned first.
    pub(crate) fn new(
        engine: &'a Engine,
        table: &'a Table,
        parallelism: Parallelism,
    ) -> Result<Option<Watch<'a>>, Error> {
        let Some(mut watch) = Watch::unsettled(engine, table) else { return Ok(None) };
        if !watch.streams() {
            watch.settled = Some(watch.settle_before(engine, parallelism)?);
        }
        Ok(Some(watch))
    }

    /// A watch over lines of which it is known which ones do not hold; `before` come before the first of them.
    pub(crate) fn settled(
        engine: &'a Engine,
        table: &'a Table,
        repeats: SettledRepeats,
        before: u64,
    ) -> Option<Watch<'a>> {
        let mut watch = Watch::unsettled(engine, table)?;
        let SettledRepeats { identical, dropped, .. } = repeats;
        watch.settled = Some(Settled { identical, dropped, open: Vec::new() });
        watch.turns = Turns::new(State { lines: before, ..State::default() });
        Some(watch)
    }

    /// A watch that has not settled anything; `None` when the fact has no key, or keeps all lines.
    fn unsettled(engine: &'a Engine, table: &'a Table) -> Option<Watch<'a>> {
        let key = engine.bound.fact.key.as_ref()?;
        let Repeats::Rule(rule) = &key.repeats else { return None };
        Some(Watch {
            table,
            key,
            rule,
            hasher: LineHasher::default(),
            layouts: table.parts.iter().map(layout).collect(),
            bytes: table.parts.iter().filter_map(|part| part.source.bytes()).sum(),
            turns: Turns::new(State::default()),
            settled: None,
        })
    }

    /// The lines in which a later one may be used: reads all of them, then those that share
    /// a key.
    fn settle_before(&self, engine: &Engine, parallelism: Parallelism) -> Result<Settled, Error> {
        let state = self.scan(parallelism, &|_, _| {}, |_| {})?;
        let (groups, _) = fetch(engine, self.table, &state)?;
        Ok(settle(self.rule, groups.iter().map(Vec::as_slice)))
    }

    /// Whether which lines hold is known while they come.
    fn streams(&self) -> bool {
        matches!(self.rule, Rule::Stop | Rule::First)
    }

    /// Reads all lines for their keys; `meet` is told of each block, in their order.
    fn scan(
        &self,
        parallelism: Parallelism,
        progress: &(dyn Fn(u64, u64) + Sync),
        mut meet: impl FnMut(BlockMet) + Send,
    ) -> Result<State, Error> {
        let mut state = State::default();
        let mut stream = Stream::new(self.table, parallelism.block, &WantedColumns::All, progress);
        in_order(
            parallelism.threads,
            || -> Result<_, Error> { Ok(stream.next()?.map(|item| (item, stream.block_start()))) },
            || (),
            |(), ((_, part, block), start)| {
                let bytes = bytes_of(&block);
                let rows = Rows::of(block, self.table, &self.table.parts[part])?;
                Ok((BlockMet { part, start, bytes, before: 0 }, self.hashes(&rows, part)))
            },
            |(met, hashes): (BlockMet, Hashes)| {
                state.start(met.part);
                meet(BlockMet { before: state.lines, ..met });
                for hash in &hashes {
                    match state.note(*hash)? {
                        None => {}
                        // Which of several lines holds is known at the end, unless it is the first.
                        Some((first, line, true)) if self.streams() => {
                            state.identical.push((first, line));
                        }
                        Some((first, line, _)) => state.pairs.push((first, line)),
                    }
                }
                Ok(())
            },
        )?;
        Ok(state)
    }

    /// Which lines of a block do not hold. `None` when an earlier block has failed.
    pub(crate) fn sift(
        &self,
        item: u64,
        number: usize,
        rows: &Rows,
    ) -> Option<Result<Sifted, Error>> {
        let hashes = self.hashes(rows, number);
        let likely = self.lines_likely(rows);
        let outcome = self.turns.take(item, |state| {
            if state.lines == 0 && self.settled.is_none() {
                state.seen.reserve(likely);
            }
            self.mark(state, number, &hashes)
        })?;
        Some(outcome.map(|marks| {
            let lines = |wanted: Mark| -> Vec<u32> {
                let marked = marks.iter().enumerate().filter(|(_, mark)| **mark == wanted);
                marked.map(|(line, _)| line as u32).collect()
            };
            Sifted { identical: lines(Mark::Identical), dropped: lines(Mark::Dropped) }
        }))
    }

    /// How many lines all files have, should they be as long as those of a block.
    fn lines_likely(&self, rows: &Rows) -> u64 {
        let covered = if raw_text(rows).is_some() { rows.grid.covered() } else { 0 };
        let lines = u128::from(self.bytes) * rows.len() as u128;
        let likely = lines.checked_div(u128::from(covered)).unwrap_or(0);
        u64::try_from(likely).unwrap_or(u64::MAX).min(LIKELY)
    }

    /// A block failed before its turn.
    pub(crate) fn fail(&self, item: u64) {
        self.turns.fail(item);
    }

    fn mark(&self, state: &mut State, part: usize, hashes: &Hashes) -> Result<Vec<Mark>, Error> {
        state.start(part);
        let Some(settled) = &self.settled else {
            std::hint::black_box(state.seen.approach(hashes.iter().flatten()));
            return hashes.iter().map(|hash| state.mark(*hash)).collect();
        };
        Ok(hashes
            .iter()
            .map(|hash| {
                let line = state.lines;
                state.lines += 1;
                state.unkeyed += u64::from(hash.is_none());
                if is_among(&settled.identical, line) {
                    Mark::Identical
                } else if is_among(&settled.dropped, line) {
                    Mark::Dropped
                } else {
                    Mark::Holds
                }
            })
            .collect())
    }

    fn hashes(&self, rows: &Rows, part: usize) -> Hashes {
        let columns = &self.table.parts[part];
        let key: Vec<StringViewArray> =
            self.key.columns.iter().map(|column| rows.values(columns, *column)).collect();
        let layout = self.layouts[part];
        let mut lines = self.hasher.lines();
        if let Some(text) = raw_text(rows) {
            let bytes = |line| text.fields.row(&text.buffer, line);
            let rest = |line| self.hasher.bytes(bytes(line), layout);
            return (0..rows.len()).map(|line| lines.line(&key, line, rest(line))).collect();
        }
        let own = |column: &usize| {
            matches!(columns.sources[*column], ColumnSource::Made(_) | ColumnSource::Field(_))
        };
        let texts: Vec<StringViewArray> =
            (0..columns.sources.len()).filter(own).map(|c| rows.texts(columns, c)).collect();
        let rest = |line| {
            texts
                .iter()
                .fold(layout, |hash, text| self.hasher.bytes(text.value(line).as_bytes(), hash))
        };
        (0..rows.len()).map(|line| lines.line(&key, line, rest(line))).collect()
    }

    /// Ends the watch: looks again at lines that share a key and differ, corrects the counts, and notes
    /// what it found, with the places of this many copies.
    pub(crate) fn finish(
        self,
        engine: &Engine,
        findings: &mut Findings,
        copies: usize,
    ) -> Result<(), Error> {
        let (table, rule) = (self.table, self.rule);
        let mut state = self.turns.finish();
        findings.unkeyed = state.unkeyed;
        let mut identical = std::mem::take(&mut state.identical);
        let settled = match self.settled {
            Some(settled) => Some(settled),
            None if state.pairs.is_empty() => None,
            None => {
                let (groups, amounts) = fetch(engine, table, &state)?;
                let settled = settle(rule, groups.iter().map(Vec::as_slice));
                // They were counted as dropped, byte for byte as they differ.
                for (_, line) in &settled.identical {
                    let counts = findings.parts.entry(state.part_of(*line)).or_default();
                    counts.dropped -= 1;
                    counts.identical += 1;
                    let sums = amounts.get(line).cloned().unwrap_or_default();
                    let tally = Tally { lines: 1, marks: 0, sums };
                    findings.ends.dropped.take(&tally);
                    findings.ends.identical.merge(&tally);
                }
                Some(settled)
            }
        };
        findings.read_again = settled.is_some();
        let Settled { identical: equal, dropped, mut open } = settled.unwrap_or_default();
        findings.repeats_open = open.len() as u64;
        identical.extend(equal);
        if !matches!(rule, Rule::Stop) {
            open.extend(dropped);
        }
        let most = copies.max(SHOWN);
        findings.repeats = show(engine, table, &state, &open[..open.len().min(most)])?;
        identical.sort_unstable_by_key(|(_, later)| *later);
        identical.truncate(copies);
        findings.copies = show(engine, table, &state, &identical)?;
        Ok(())
    }
}

/// Whether a line is the second of one of these pairs, which ascend by it.
fn is_among(pairs: &[Pair], line: u64) -> bool {
    let found = |line: u32| pairs.binary_search_by_key(&line, |(_, own)| *own).is_ok();
    u32::try_from(line).is_ok_and(found)
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Mark {
    Holds,
    Identical,
    Dropped,
}

impl State {
    /// The next line is of this part.
    fn start(&mut self, part: usize) {
        while self.starts.len() <= part {
            self.starts.push(self.lines);
        }
    }

    /// Notes a line; the answer is the line on which its key came before, its own number, and whether
    /// both are the same byte for byte.
    fn note(&mut self, hash: Option<LineHash>) -> Result<Option<(u32, u32, bool)>, Error> {
        let number = self.lines;
        self.lines += 1;
        let Some(hash) = hash else {
            self.unkeyed += 1;
            return Ok(None);
        };
        let line = u32::try_from(number).ok().filter(|line| *line != u32::MAX);
        let line = line.ok_or_else(|| {
            let message = "repeated lines can be looked for among 4,294,967,294 lines at most";
            Mistake::of_plan(MistakeKind::TooLarge, message)
                .help("leave out the `key` of the fact, or add repeats = \"keep\"")
        })?;
        Ok(match self.seen.note(hash, line) {
            Seen::New => None,
            Seen::Before(first, same) => Some((first, line, same)),
        })
    }

    fn mark(&mut self, hash: Option<LineHash>) -> Result<Mark, Error> {
        Ok(match self.note(hash)? {
            None => Mark::Holds,
            Some((first, line, true)) => {
                if self.identical.len() < COPIES_KEPT {
                    self.identical.push((first, line));
                }
                Mark::Identical
            }
            Some((first, line, false)) => {
                self.pairs.push((first, line));
                Mark::Dropped
            }
        })
    }

    fn part_of(&self, line: u32) -> usize {
        // Parts without lines start where the next one does.
        self.starts.partition_point(|start| *start <= u64::from(line)) - 1
    }

    /// The lines that share keys, those of one key together: by the first, ascending.
    fn groups(&self) -> Vec<Vec<u32>> {
        let mut pairs = self.pairs.clone();
        pairs.sort_unstable();
        let group = |pairs: &[Pair]| {
            std::iter::once(pairs[0].0).chain(pairs.iter().map(|(_, later)| *later)).collect()
        };
        pairs.chunk_by(|a, b| a.0 == b.0).map(group).collect()
    }
}

/// What tells the rows of a part apart from those of parts that are laid out otherwise.
fn layout(part: &Part) -> u64 {
    let mut hasher = FixedState::with_seed(0x7469_6c69).build_hasher();
    part.column_names.hash(&mut hasher);
    format!("{} {:?} {:?}", part.source.layout(), part.style, part.columns.names).hash(&mut hasher);
    hasher.finish()
}
