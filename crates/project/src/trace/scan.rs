//! Finding the lines that are traced, and passing them through the engine.

use std::borrow::Cow;

use arrow_array::Array;
use interligo_engine::engine::Engine;
use interligo_engine::lines::{LineBatch, Lines};
use interligo_engine::outputs::{Output, OutputColumn, OutputContent};
use interligo_model::place::{Parts, Place, Spot};
use interligo_model::plan::{Mistake, MistakeKind, Repeats, Written};
use interligo_model::values::value::Value;
use interligo_sources::formats::Unsplit;
use interligo_sources::in_order::in_order;
use interligo_sources::table::parts::{ColumnSource, Part, Table, WantedColumns};
use interligo_sources::table::rows::Rows;
use unicode_normalization::UnicodeNormalization;

use super::{NAME, Traced, TracedLine};
use crate::error::Error;
use crate::parallelism::Parallelism;
use crate::project::Project;
use crate::run::repeated_lines::Watch;
use crate::run::stream::{Item, Stream};

/// How many bytes are read at a time on the way to a place.
const BLOCK: usize = 1 << 19;

/// Rows that a block is looked into before its place must come: those above the header row are not counted with it.
const MARGIN: u64 = 1_000;

/// Passes lines of a fact through its engine.
pub(super) struct Scan<'a> {
    pub(super) project: &'a Project,
    pub(super) engine: &'a Engine,
    pub(super) fact: &'a Table,
    parallelism: Parallelism,
    progress: &'a (dyn Fn(u64, u64) + Sync),
}

/// Lines of a block that went through the engine, with their rows.
pub(super) struct Passed<'l> {
    pub(super) rows: &'l Rows,
    pub(super) part: &'l Part,
    pub(super) number: usize,
    pub(super) lines: &'l Lines<'l>,
}

impl<'a> Scan<'a> {
    pub(super) fn new(
        project: &'a Project,
        engine: &'a Engine,
        parallelism: Parallelism,
        progress: &'a (dyn Fn(u64, u64) + Sync),
    ) -> Scan<'a> {
        let fact = project.table(&engine.bound.fact.name);
        Scan { project, engine, fact, parallelism, progress }
    }

    /// The lines with a key.
    pub(super) fn by_key(&self, key: &[String], most: usize) -> Result<Traced, Error> {
        let wanted: Vec<String> = key.iter().map(|text| plain(text).into_owned()).collect();
        let columns = self.key_columns();
        // Nearly all blocks are told from their bytes not to have it, which is faster than splitting them.
        let may_have = |part: &Part, rows: &dyn Unsplit| {
            columns.iter().zip(&wanted).all(|(column, text)| {
                let is_read = matches!(part.sources[*column], ColumnSource::Field(_));
                !is_read || !text.is_ascii() || text.contains('"') || rows.may_have(text)
            })
        };
        let found = self.over_all(most, may_have, |rows, part| {
            let texts: Vec<_> = columns.iter().map(|column| rows.texts(part, *column)).collect();
            let has = |line: usize| {
                texts.iter().zip(&wanted).all(|(texts, wanted)| plain(texts.value(line)) == *wanted)
            };
            Ok((0..rows.len()).filter(|line| has(*line)).collect())
        })?;
        if found.lines.is_empty() {
            return Err(self.no_such_key(key)?.into());
        }
        let mut found = found;
        let lines = found.lines.len() as u64 + found.more;
        if lines > 1 {
            let rule = self.engine.bound.fact.key.as_ref().map(|key| &key.repeats);
            let rule = match rule {
                Some(Repeats::Keep) => "all are kept: repeats = \"keep\"",
                Some(Repeats::Rule(_)) => "the rule of `repeats` keeps one of them",
                _ => "identical copies count once, and others stop a run",
            };
            found.notes.push(format!("{lines} lines have this key; {rule}"));
        }
        Ok(found)
    }

    fn key_columns(&self) -> &[usize] {
        self.engine.bound.fact.key.as_ref().map_or(&[], |key| &key.columns)
    }

    /// That there is no such key, with the nearest.
    fn no_such_key(&self, key: &[String]) -> Result<Mistake, Error> {
        let shown = key.join(",");
        let wanted = plain(&shown).to_lowercase();
        let columns = self.key_columns();
        let mut nearest: Option<(usize, String)> = None;
        let wanted_columns = WantedColumns::Some(columns.to_vec());
        let mut stream =
            Stream::new(self.fact, self.parallelism.block, &wanted_columns, self.progress);
        while let Some((_, number, block)) = stream.next()? {
            let part = &self.fact.parts[number];
            let rows = Rows::of(block, self.fact, part)?;
            let texts: Vec<_> = columns.iter().map(|column| rows.texts(part, *column)).collect();
            for line in 0..rows.len() {
                let own: Vec<&str> = texts.iter().map(|texts| texts.value(line).trim()).collect();
                let own = own.join(",");
                if own.len().abs_diff(wanted.len()) > 2 {
                    continue;
                }
                let distance = differing(&own.to_lowercase(), &wanted);
                if nearest.as_ref().is_none_or(|(best, _)| distance < *best) {
                    nearest = Some((distance, own));
                }
            }
        }
        let written = Written::in_option("trace", &shown, 0..shown.len());
        let message = format!("no line of `{}` has the key `{shown}`", self.fact.name);
        let mistake = written.mistaken(MistakeKind::UnknownName, message);
        Ok(match nearest.filter(|(distance, _)| *distance <= 2) {
            Some((_, near)) => mistake.help(format!("did you mean `{near}`?")),
            None => mistake.help("`interligo look` shows rows; --where finds lines by a condition"),
        })
    }

    /// The lines that meet the condition, which is the only column of the request.
    pub(super) fn by_condition(&self, outputs: &[Output], most: usize) -> Result<Traced, Error> {
        let condition = outputs.iter().find_map(condition_of);
        self.over_all_lines(most, |lines| {
            let meets = |line: &usize| {
                condition
                    .is_some_and(|value| lines.values[value].value(*line) == Value::YesNo(true))
            };
            (0..lines.rows).filter(meets).collect()
        })
    }

    /// The lines of a row, or what became of it.
    pub(super) fn at_place(
        &self,
        number: usize,
        row: u64,
        nth: Option<usize>,
    ) -> Result<Traced, Error> {
        let part = &self.fact.parts[number];
        let mut reader = part.open(&WantedColumns::All.of(part))?;
        let (mut before, mut last, mut first) = (0, 0, None);
        while let Some(block) = reader.next(BLOCK)? {
            (self.progress)(block.bytes, block.lines);
            before += block.lines;
            // In a file of text a row is at least as far down as there are lines before it.
            if before + part.above + MARGIN < row && !part.name.shown.contains('#') {
                last = before;
                continue;
            }
            let is_last = block.last;
            let mut rows = Rows::whole(block, part)?;
            let all: Vec<usize> =
                (0..rows.len()).filter(|line| rows.row_of(*line) == row).collect();
            if let Some(line) = rows.len().checked_sub(1) {
                last = last.max(rows.row_of(line));
                first.get_or_insert(rows.row_of(0));
            }
            if first.is_some_and(|first| row < first) {
                let why = "is the header row, or above it, or blank";
                return Ok(self.no_line(number, row, why));
            }
            let malformed = rows.grid.ragged().iter().any(|r| rows.grid.row_at(r) == row)
                || rows.uneven().iter().any(|uneven| rows.number_of(*uneven as usize) == row);
            if malformed {
                return Ok(self.no_line(number, row, "is set aside: it has too few or too many cells, or cells that cannot be split in step"));
            }
            if all.is_empty() {
                if last >= row {
                    return Ok(self.no_line(number, row, "is blank"));
                }
                continue;
            }
            rows.leave_out(self.fact, part, is_last, |_, _| {})?;
            if rows.totals.iter().any(|(total, _)| *total == row) {
                return Ok(self.no_line(
                    number,
                    row,
                    "is left out: it is the sum of the rows above it",
                ));
            }
            let several = (0..rows.len()).filter(|line| rows.row_of(*line) == row).count();
            if several == 0 {
                return Ok(self.no_line(number, row, "is left out by `leave-out-rows`"));
            }
            if let Some(nth) = nth.filter(|nth| *nth == 0 || *nth > several) {
                let why = format!("became {several} lines, and has no line {nth}");
                return Ok(self.no_line(number, row, &why));
            }
            let mut seen = 0;
            let wanted: Vec<bool> = (0..rows.len())
                .map(|line| {
                    let here = rows.row_of(line) == row;
                    seen += usize::from(here);
                    here && nth.is_none_or(|nth| nth == seen)
                })
                .collect();
            let first = nth.map_or(0, |nth| nth - 1);
            rows.keep(|line| wanted[line]);
            let mut found = Traced::default();
            self.pass(&rows, part, number, |passed| {
                for line in 0..rows.len() {
                    found.lines.push(self.traced(passed, line, Some((first + line, several))));
                }
                Ok(())
            })?;
            return Ok(found);
        }
        Ok(self.no_line(number, row, "is behind the last row"))
    }

    fn no_line(&self, number: usize, row: u64, why: &str) -> Traced {
        let place = Place::row(self.fact.parts[number].name.clone(), row);
        Traced { no_line: Some(format!("{place} {why}")), ..Traced::default() }
    }

    /// Traces the lines of each block that `wanted` names, if it `may_have` any, without passing the others through the engine.
    fn over_all(
        &self,
        most: usize,
        may_have: impl Fn(&Part, &dyn Unsplit) -> bool + Sync,
        wanted: impl Fn(&Rows, &Part) -> Result<Vec<usize>, Error> + Sync,
    ) -> Result<Traced, Error> {
        self.each_block(most, |(_, number, block)| {
            let part = &self.fact.parts[number];
            if !may_have(part, &*block.rows) {
                return Ok((Vec::new(), 0));
            }
            let mut rows = Rows::of(block, self.fact, part)?;
            let lines = wanted(&rows, part)?;
            let of_rows: Vec<_> = lines.iter().map(|line| of_row(&rows, *line)).collect();
            let mut holds = vec![false; rows.len()];
            lines.iter().for_each(|line| holds[*line] = true);
            if lines.is_empty() {
                return Ok((Vec::new(), 0));
            }
            rows.keep(|line| holds[line]);
            let mut traced = Vec::new();
            self.pass(&rows, part, number, |passed| {
                for (line, of_row) in of_rows.into_iter().enumerate().take(most) {
                    traced.push(self.traced(passed, line, Some(of_row)));
                }
                Ok(())
            })?;
            Ok((traced, lines.len() as u64))
        })
    }

    /// Traces the lines of each block that `wanted` names when all have passed through the engine.
    fn over_all_lines(
        &self,
        most: usize,
        wanted: impl Fn(&Lines<'_>) -> Vec<usize> + Sync,
    ) -> Result<Traced, Error> {
        let watch = Watch::new(self.engine, self.fact, self.parallelism)?;
        self.each_block(most, |item| {
            let number = item.1;
            let part = &self.fact.parts[number];
            let rows = self.counting(item, watch.as_ref())?;
            let (mut traced, mut found) = (Vec::new(), 0);
            self.pass(&rows, part, number, |passed| {
                let lines = wanted(passed.lines);
                found = lines.len() as u64;
                for line in lines.into_iter().take(most) {
                    traced.push(self.traced(passed, line, Some(of_row(&rows, line))));
                }
                Ok(())
            })?;
            Ok((traced, found))
        })
    }

    fn each_block(
        &self,
        most: usize,
        work: impl Fn(Item) -> Result<(Vec<TracedLine>, u64), Error> + Sync,
    ) -> Result<Traced, Error> {
        let mut found = Traced::default();
        let mut stream =
            Stream::new(self.fact, self.parallelism.block, &WantedColumns::All, self.progress);
        in_order(
            self.parallelism.threads,
            || stream.next(),
            || (),
            |(), item| work(item),
            |(lines, count): (Vec<TracedLine>, u64)| {
                let taken = lines.into_iter().take(most - found.lines.len()).collect::<Vec<_>>();
                found.more += count - taken.len() as u64;
                found.lines.extend(taken);
                Ok(())
            },
        )?;
        Ok(found)
    }

    /// Passes the lines of some rows through the engine.
    pub(super) fn pass(
        &self,
        rows: &Rows,
        part: &Part,
        number: usize,
        then: impl FnOnce(&Passed<'_>) -> Result<(), Error>,
    ) -> Result<(), Error> {
        let columns = self.engine.read_columns().iter().map(|column| rows.cells(part, *column));
        let row_of = |line: u32| rows.row_of(line as usize);
        let batch = LineBatch {
            rows: rows.len(),
            columns: columns.collect(),
            part: number,
            style: &part.style,
            row_of: &row_of,
        };
        let lines = self.engine.work_out(&batch);
        let lines = lines.map_err(|unfit| Error::overflow(unfit, &self.parts()))?;
        then(&Passed { rows, part, number, lines: &lines })
    }

    fn parts(&self) -> Parts {
        self.project.fact_parts(self.engine)
    }

    /// A line of those that were passed; `of_row` has which of the lines of its row it is.
    fn traced(
        &self,
        passed: &Passed<'_>,
        line: usize,
        of_row: Option<(usize, usize)>,
    ) -> TracedLine {
        let Passed { rows, part, number, lines } = passed;
        let row = rows.origin(line);
        let spot = Spot { part: *number, row: rows.row_of(line) };
        let several = of_row.filter(|(_, of)| *of > 1);
        let mut place = self.parts().place(spot).to_string();
        if let Some((at, _)) = several {
            place += &format!(":{}", at + 1);
        }
        let text = |column: usize| {
            let texts = rows.texts(part, column);
            if texts.is_empty() { String::new() } else { texts.value(line).to_owned() }
        };
        let key: Vec<String> =
            self.key_columns().iter().map(|column| text(*column).trim().to_owned()).collect();
        let cells = rows.cells_of(row);
        let as_read = part.column_names.iter().cloned().zip(cells).collect();
        let columns = self.fact.columns.names.iter().enumerate();
        let columns = columns.filter(|(at, _)| !matches!(part.sources[*at], ColumnSource::Absent));
        TracedLine {
            place,
            key: key.join(","),
            of_row: several.map(|(at, of)| (at + 1, of)),
            as_read,
            columns: columns.map(|(at, name)| (name.clone(), text(at))).collect(),
            trace: lines.trace(line),
        }
    }

    /// The rows of a block that count: without those that are left out, and without duplicate lines.
    fn counting(
        &self,
        (item, number, block): Item,
        watch: Option<&Watch<'_>>,
    ) -> Result<Rows, Error> {
        let mut rows = Rows::of(block, self.fact, &self.fact.parts[number])?;
        let Some(watch) = watch else { return Ok(rows) };
        match watch.sift(item, number, &rows) {
            Some(Ok(sifted)) => {
                let mut holds = vec![true; rows.len()];
                for line in sifted.identical.iter().chain(&sifted.dropped) {
                    holds[*line as usize] = false;
                }
                rows.keep(|line| holds[line]);
                Ok(rows)
            }
            Some(Err(error)) => {
                watch.fail(item);
                Err(error)
            }
            None => Err(Error::stopped(Vec::new())),
        }
    }

    /// The lines of all blocks that count, each block worked on by any core, with what that core gathers; results in order.
    pub(super) fn blocks<S: Send, R: Send>(
        &self,
        state: impl Fn() -> S + Sync,
        work: impl Fn(&mut S, Rows, usize) -> Result<R, Error> + Sync,
        emit: impl FnMut(R) -> Result<(), Error> + Send,
    ) -> Result<Vec<S>, Error> {
        let watch = Watch::new(self.engine, self.fact, self.parallelism)?;
        let mut stream =
            Stream::new(self.fact, self.parallelism.block, &WantedColumns::All, self.progress);
        let work = |state: &mut S, item: Item| {
            let number = item.1;
            work(state, self.counting(item, watch.as_ref())?, number)
        };
        in_order(self.parallelism.threads, || stream.next(), state, work, emit)
    }
}

/// The number of the value that is the condition of a trace.
pub(super) fn condition_of(output: &Output) -> Option<usize> {
    let OutputContent::Lines { columns, .. } = &output.content else { return None };
    if output.name != NAME {
        return None;
    }
    match columns.first() {
        Some(OutputColumn::Value { value, .. }) => Some(*value),
        _ => None,
    }
}

/// Which of the lines of its row a line is, and how many these are.
pub(super) fn of_row(rows: &Rows, line: usize) -> (usize, usize) {
    let row = rows.origin(line);
    let before = (0..line).rev().take_while(|other| rows.origin(*other) == row).count();
    let behind = (line + 1..rows.len()).take_while(|other| rows.origin(*other) == row).count();
    (before, before + behind + 1)
}

/// A text of a key as lines are compared by it: trimmed, in composed form.
fn plain(text: &str) -> Cow<'_, str> {
    let text = text.trim();
    if text.is_ascii() { Cow::Borrowed(text) } else { Cow::Owned(text.nfc().collect()) }
}

/// In how many characters two texts differ at least: what is left when what they have in common at both ends is gone.
fn differing(one: &str, other: &str) -> usize {
    let (one, other): (Vec<char>, Vec<char>) = (one.chars().collect(), other.chars().collect());
    let front = one.iter().zip(&other).take_while(|(a, b)| a == b).count();
    let room = one.len().min(other.len()) - front;
    let back = one.iter().rev().zip(other.iter().rev()).take(room).take_while(|(a, b)| a == b);
    one.len().max(other.len()) - front - back.count()
}
