//! Duplicate lines of the fact: recognised while the lines stream by, and read again
//! from their place where two of them differ.

use std::collections::HashMap;
use std::hash::{BuildHasher, Hash, Hasher};
use std::sync::Arc;

use crate::error::Error;
use arrow_array::{Array, StringViewArray};
use foldhash::quality::FixedState;
use interligo_engine::bind::FactKey;
use interligo_engine::engine::Engine;
use interligo_engine::proof::exact_sum::ExactSum;
use interligo_engine::proof::findings::{Findings, Repeat};
use interligo_engine::proof::tally::Tally;
use interligo_engine::rows::repeated_lines::{
    Copy, KeysSeen, LineHash, LineHasher, Pair, Seen, Settled, settle,
};
use interligo_model::place::Spot;
use interligo_model::plan::{ColumnType, Repeats, Rule};
use interligo_model::plan::{Mistake, MistakeKind};
use interligo_model::reading::column_reader::Reading;
use interligo_model::reading::date_style::moment;
use interligo_model::reading::evidence::Evidence;
use interligo_model::values::texts::gathered;
use interligo_model::values::value::Value;
use interligo_sinks::raw_lines::raw_text;
use interligo_sources::formats::{Block, RowStart, Wanted};
use interligo_sources::in_order::{Turns, in_order};
use interligo_sources::table::parts::{ColumnSource, Part, Table, WantedColumns, changed};
use interligo_sources::table::rows::Rows;
use serde::{Deserialize, Serialize};

use crate::parallelism::Parallelism;
use crate::run::stream::Stream;

/// How many bytes are read at a time when lines are read again.
const BLOCK: usize = 1 << 19;

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
        let state = self.scan(parallelism, |_| {})?;
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
        mut meet: impl FnMut(BlockMet) + Send,
    ) -> Result<State, Error> {
        let mut state = State::default();
        let mut stream =
            Stream::new(self.table, parallelism.block, &WantedColumns::All, &|_, _| {});
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
        if let Some(text) = raw_text(rows) {
            let bytes = |line| text.fields.row(&text.buffer, line);
            let rest = |line| self.hasher.bytes(bytes(line), layout);
            return (0..rows.len()).map(|line| self.hasher.line(&key, line, rest(line))).collect();
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
        (0..rows.len()).map(|line| self.hasher.line(&key, line, rest(line))).collect()
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
    identical: Vec<Pair>,
    /// Lines in the place of which another holds, with that; ascending.
    dropped: Vec<Pair>,
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
        engine: &Engine,
        table: &Table,
        parallelism: Parallelism,
        copies: usize,
        meet: impl FnMut(BlockMet) + Send,
    ) -> Result<Option<SettledRepeats>, Error> {
        let Some(watch) = Watch::unsettled(engine, table) else { return Ok(None) };
        let state = watch.scan(parallelism, meet)?;
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

/// Reads lines again, in their order; `each` gets the rows of a block, the line of the block and its number.
fn read_again(
    table: &Table,
    state: &State,
    wanted: &[u32],
    mut each: impl FnMut(&Rows, &Part, &[(usize, u32)]),
) -> Result<(), Error> {
    let mut wanted = wanted.iter().copied().peekable();
    if wanted.peek().is_none() {
        return Ok(());
    }
    for (number, part) in table.parts.iter().enumerate() {
        let Some(start) = state.starts.get(number).copied() else { break };
        let end = state.starts.get(number + 1).copied().unwrap_or(state.lines);
        if wanted.peek().is_none_or(|line| u64::from(*line) >= end) {
            continue;
        }
        let mut reader = part.open(&Wanted::All)?;
        let mut first = start;
        while let Some(block) = reader.next(BLOCK)? {
            let rows = Rows::of(block, table, part)?;
            let next = first + rows.len() as u64;
            let mut here = Vec::new();
            while let Some(line) = wanted.next_if(|line| u64::from(*line) < next) {
                here.push(((u64::from(line) - first) as usize, line));
            }
            if !here.is_empty() {
                each(&rows, part, &here);
            }
            first = next;
            if wanted.peek().is_none_or(|line| u64::from(*line) >= end) {
                break;
            }
        }
        if first > end || wanted.peek().is_some_and(|line| u64::from(*line) < end) {
            return Err(changed(&part.name).into());
        }
    }
    Ok(())
}

/// The sums of single lines, by measure.
type Amounts = HashMap<u32, Vec<Option<ExactSum>>>;

/// The lines that share keys, with what they hold, those of one key together; and what each amounts to.
fn fetch(
    engine: &Engine,
    table: &Table,
    state: &State,
) -> Result<(Vec<Vec<Copy>>, Amounts), Error> {
    let groups = state.groups();
    let comparing = Comparing::new(engine, table);
    // Of each line, the columns in which its group is compared.
    let mut compared: HashMap<u32, Arc<Vec<usize>>> = HashMap::new();
    let mut known: HashMap<Vec<usize>, Arc<Vec<usize>>> = HashMap::new();
    for group in &groups {
        let mut parts: Vec<usize> = group.iter().map(|line| state.part_of(*line)).collect();
        parts.sort_unstable();
        parts.dedup();
        let columns = match known.get(&parts) {
            Some(columns) => columns.clone(),
            None => {
                let columns = Arc::new(comparing.common(&parts));
                known.insert(parts, columns.clone());
                columns
            }
        };
        compared.extend(group.iter().map(|line| (*line, columns.clone())));
    }
    let mut wanted: Vec<u32> = compared.keys().copied().collect();
    wanted.sort_unstable();
    let mut copies: HashMap<u32, Copy> = HashMap::with_capacity(wanted.len());
    let mut amounts = Amounts::new();
    read_again(table, state, &wanted, |rows, part, here| {
        let values = comparing.values(rows, part, here);
        for (at, (_, line)) in here.iter().enumerate() {
            let mut hasher = FixedState::with_seed(0x6f72_6465).build_hasher();
            for column in compared[line].iter() {
                values[*column][at].hash(&mut hasher);
            }
            let decides = comparing.decides.map_or(Value::Blank, |c| values[c][at].1.clone());
            copies.insert(*line, Copy { line: *line, values: hasher.finish(), decides });
            let sum = |column: Option<usize>| {
                Some(values[column?][at].1.number().map_or_else(ExactSum::default, ExactSum::from))
            };
            amounts.insert(*line, engine.measured_columns().map(sum).collect());
        }
    })?;
    let mut copy = |line: u32| copies.remove(&line);
    let copies = groups.into_iter().map(|group| group.into_iter().filter_map(&mut copy).collect());
    Ok((copies.collect(), amounts))
}

/// How the values of lines are compared: numbers as numbers, days as days, whatever their style.
struct Comparing<'a> {
    table: &'a Table,
    types: Vec<ColumnType>,
    decides: Option<usize>,
}

impl Comparing<'_> {
    fn new<'a>(engine: &Engine, table: &'a Table) -> Comparing<'a> {
        let column_use = &engine.bound.fact.column_use;
        let column_type = |column: usize| {
            let mut evidence = Evidence::default();
            table.parts.iter().for_each(|part| evidence.merge(&part.evidence_of(column)));
            let found = || match column_use.is_text(column) || column_use.keys().contains(&column) {
                true => ColumnType::Text,
                false => evidence.found_type(),
            };
            engine.column_type(column).unwrap_or_else(found)
        };
        let types = (0..table.columns.names.len()).map(column_type).collect();
        let decides = engine.bound.fact.key.as_ref().and_then(|key| key.decides);
        Comparing { table, types, decides }
    }

    /// The columns that all of these parts have from their rows.
    fn common(&self, parts: &[usize]) -> Vec<usize> {
        let has = |part: &usize, column: usize| {
            matches!(
                self.table.parts[*part].sources[column],
                ColumnSource::Field(_) | ColumnSource::Made(_)
            )
        };
        let all = 0..self.table.columns.names.len();
        all.filter(|column| parts.iter().all(|part| has(part, *column))).collect()
    }

    /// By column, what some lines hold: the text where it cannot be read, and the value.
    fn values(
        &self,
        rows: &Rows,
        part: &Part,
        lines: &[(usize, u32)],
    ) -> Vec<Vec<(String, Value<'static>)>> {
        let column = |(column, column_type): (usize, &ColumnType)| {
            let texts = rows.values(part, column);
            let texts = gathered(&texts, lines.iter().map(|(line, _)| Some(*line as u32)));
            let read = Reading::of(*column_type).read_part(&texts, &part.style, column);
            let value = |row: usize| match (read.column.value(row), column_type) {
                (Value::Text(text), _) => (text.trim().to_owned(), Value::Blank),
                (Value::Blank, _) => (texts.value(row).trim().to_owned(), Value::Blank),
                // Two moments of one day are two values.
                (value, _) => (String::new(), moment(value, texts.value(row)).into_owned()),
            };
            (0..texts.len()).map(value).collect()
        };
        self.types.iter().enumerate().map(column).collect()
    }
}

/// Lines that share a key and differ, as they are in their files.
fn show(
    engine: &Engine,
    table: &Table,
    state: &State,
    pairs: &[Pair],
) -> Result<Vec<Repeat>, Error> {
    let mut wanted: Vec<u32> = pairs.iter().flat_map(|(first, later)| [*first, *later]).collect();
    wanted.sort_unstable();
    wanted.dedup();
    let comparing = Comparing::new(engine, table);
    type Shown = (Spot, Vec<String>, Vec<(String, Value<'static>)>);
    let mut lines: HashMap<u32, Shown> = HashMap::new();
    read_again(table, state, &wanted, |rows, part, here| {
        let values = comparing.values(rows, part, here);
        let texts: Vec<StringViewArray> =
            (0..values.len()).map(|column| rows.texts(part, column)).collect();
        for (at, (line, number)) in here.iter().enumerate() {
            let spot = Spot { part: state.part_of(*number), row: rows.row_of(*line) };
            let cells = texts.iter().map(|texts| texts.value(*line).trim().to_owned()).collect();
            let values = values.iter().map(|column| column[at].clone()).collect();
            lines.insert(*number, (spot, cells, values));
        }
    })?;
    let key = engine.bound.fact.key.as_ref().map_or(&[][..], |key| &key.columns);
    let repeat = |(first, later): &Pair| {
        let ((one, cells, values), (other, others, other_values)) =
            (lines.get(first)?, lines.get(later)?);
        let common = comparing.common(&[one.part, other.part]);
        let differing =
            common.into_iter().filter(|column| values[*column] != other_values[*column]);
        let name = |column: usize| table.columns.names[column].clone();
        Some(Repeat {
            key: key
                .iter()
                .map(|c| format!("{} {}", name(*c), cells[*c]))
                .collect::<Vec<_>>()
                .join(", "),
            first: *one,
            other: *other,
            differing: differing
                .map(|column| (name(column), cells[column].clone(), others[column].clone()))
                .collect(),
        })
    };
    Ok(pairs.iter().filter_map(repeat).collect())
}
