//! What a worker does with a block of a fact's files: rows, lines, totals, and what is written of them.

use std::borrow::Cow;

use crate::error::Error;
use interligo_engine::engine::Engine;
use interligo_engine::lines::{DoesNotFit, LineBatch, Lines, Overflow};
use interligo_engine::proof::faults::{Fault, strikes};
use interligo_engine::proof::findings::{Aside, Ends, Findings, PLACES_KEPT};
use interligo_engine::proof::tally::{Tally, mark_of};
use interligo_engine::proof::tieout::{ReadSide, aside_words};
use interligo_engine::proof::usage::Usage;
use interligo_engine::totals::Groups;
use interligo_model::place::{Parts, Spot};
use interligo_sinks::format::{OutputFormat, RowColumn};
use interligo_sinks::lines::{LinesOutput, PutOut};
use interligo_sinks::raw_lines::{Change, LinesBatch, RawLines};
use interligo_sinks::set_aside::{AsideEntry, AsideRow};
use interligo_sources::grid::Grid;
use interligo_sources::table::parts::{Part, Table};
use interligo_sources::table::rows::Rows;
use interligo_sources::text::write_cell;

use crate::run::kept_lines::{KeptBlock, PartsKept};
use crate::run::repeated_lines::Watch;
use crate::run::stream::Item;

/// What a worker gathers over its blocks.
pub(super) struct WorkerState<'e> {
    pub(super) groups: Vec<Groups<'e>>,
    pub(super) usage: Option<Usage>,
    /// What came out of the readers. It goes another way than what is made of it, so that each can prove the other.
    pub(super) read: ReadSide,
}

/// What a block came to.
#[derive(Clone)]
pub(super) struct Done {
    pub(super) findings: Findings,
    /// What each output of lines is to write.
    pub(super) lines: Vec<PutOut>,
    pub(super) aside: PutOut,
    /// What is kept of the lines, where they are.
    pub(super) kept: Option<KeptBlock>,
}

/// What all workers share.
pub(super) struct Worker<'a> {
    pub(super) engine: &'a Engine,
    pub(super) fact: &'a Table,
    pub(super) lines: &'a [LinesOutput],
    /// The form of the file for what is set aside, where there is one.
    pub(super) aside: Option<&'a dyn OutputFormat>,
    /// The columns of that file.
    pub(super) aside_columns: &'a [RowColumn],
    /// What is kept of lines, where they are.
    pub(super) kept: Option<PartsKept>,
    /// Of each part, what happens to its columns on the way to an output.
    pub(super) changes: Vec<Vec<Change>>,
    /// Looks for lines that came before.
    pub(super) watch: Option<&'a Watch<'a>>,
}

impl Worker<'_> {
    /// The rows of a block that are lines and did not come before; where the others ended goes to `ends`.
    fn rows(&self, item: Item, read: &mut ReadSide, ends: &mut Ends) -> Result<Rows, Error> {
        let (number, part_number) = (item.0, item.1);
        let part = &self.fact.parts[part_number];
        let rows = self.rows_of(item, part, read, ends);
        let Some(watch) = self.watch else { return rows };
        let mut rows = rows.inspect_err(|_| watch.fail(number))?;
        let sifted = match watch.sift(number, part_number, &rows) {
            Some(Ok(sifted)) => sifted,
            Some(Err(error)) => {
                watch.fail(number);
                return Err(error);
            }
            // An earlier block has failed, and its error is the one that is told.
            None => return Err(Error::stopped(Vec::new())),
        };
        rows.counts.identical = sifted.identical.len() as u64;
        rows.counts.dropped = sifted.dropped.len() as u64;
        if rows.counts.identical > 0 && strikes(Fault::CopyNotCounted) {
            rows.counts.identical -= 1;
        }
        if !sifted.identical.is_empty() || !sifted.dropped.is_empty() {
            ends.identical.merge(&self.tally(&rows, part, number, Some(&sifted.identical)));
            ends.dropped.merge(&self.tally(&rows, part, number, Some(&sifted.dropped)));
            let mut holds = vec![true; rows.len()];
            for line in sifted.identical.iter().chain(&sifted.dropped) {
                holds[*line as usize] = false;
            }
            rows.keep(|line| holds[line]);
        }
        Ok(rows)
    }

    /// The rows of a block that are lines. What came out of the reader is counted before any is left out.
    fn rows_of(
        &self,
        (number, _, block): Item,
        part: &Part,
        read: &mut ReadSide,
        ends: &mut Ends,
    ) -> Result<Rows, Error> {
        let last = block.last;
        let mut rows = Rows::whole(block, part)?;
        read.taken.0 += 1;
        read.taken.1 += rows.grid.covered();
        read.rows += rows.counts.read;
        read.lines.merge(&self.tally(&rows, part, number, None));
        rows.leave_out(self.fact, part, last, |rows, lines| {
            ends.left_out.merge(&self.tally(rows, part, number, Some(lines)));
        })?;
        Ok(rows)
    }

    /// Some lines of a block, or all, with what they amount to as their source delivers it.
    fn tally(&self, rows: &Rows, part: &Part, block: u64, lines: Option<&[u32]>) -> Tally {
        let cells = |column: usize| {
            let cells = rows.cells(part, column);
            match lines {
                None => cells,
                Some(lines) => Cow::Owned(cells.gathered(lines)),
            }
        };
        let sums = self.engine.sums_of_cells(cells, &part.style);
        let (lines, marks) = match lines {
            None => (rows.len(), marks(rows, block, 0..rows.len() as u32)),
            Some(lines) => (lines.len(), marks(rows, block, lines.iter().copied())),
        };
        Tally { lines: lines as u64, marks, sums }
    }

    pub(super) fn work(&self, item: Item, gathered: &mut WorkerState<'_>) -> Result<Done, Error> {
        let (block, number, size) = (item.0, item.1, item.2.bytes as usize);
        let part = &self.fact.parts[number];
        let mut ends = Ends::default();
        let rows = self.rows(item, &mut gathered.read, &mut ends)?;
        let columns = self.engine.read_columns().iter().map(|column| rows.cells(part, *column));
        let row_of = |line: u32| rows.row_of(line as usize);
        let batch = LineBatch {
            rows: rows.len(),
            columns: columns.collect(),
            part: number,
            style: &part.style,
            row_of: &row_of,
        };
        let unfit = |unfit| Error::overflow(unfit, &self.parts());
        let mut lines = self.engine.work_out(&batch).map_err(unfit)?;
        if let Some(usage) = &mut gathered.usage {
            usage.add(&lines);
        }
        for groups in &mut gathered.groups {
            groups.add(&lines).map_err(|row| {
                let spot = Spot { part: number, row: row_of(row as u32) };
                unfit(DoesNotFit { why: Overflow::Digits, what: "totals".to_owned(), spot })
            })?;
        }
        let mut findings = std::mem::take(&mut lines.findings);
        let aside = lines.aside.iter().map(|(line, _)| *line);
        findings.ends.aside.marks = marks(&rows, block, aside);
        let kept =
            (0..rows.len() as u32).filter(|line| lines.aside.is_empty() || !lines.is_aside(*line));
        findings.ends.kept.marks = marks(&rows, block, kept);
        findings.ends.merge(&ends);
        note_rows(&mut findings, &rows, number);
        for (column, mark, row) in rows.currencies(part) {
            self.engine.note_currency(&mut findings, column, (mark, Spot { part: number, row }));
        }
        let raw = &RawLines::new(&rows, part, &self.changes[number], &lines, self.engine);
        let line_batch = LinesBatch { lines: &lines, raw, bytes: size };
        let write = |output: &LinesOutput| {
            let (pieces, put_out) = output.write(&line_batch).map_err(|unfit| {
                let spot = Spot { part: number, row: row_of(unfit.line) };
                Error::unfit(unfit, Some(self.parts().place(spot)))
            })?;
            let tally = Tally {
                lines: put_out.len() as u64,
                marks: marks(&rows, block, put_out.iter().copied()),
                sums: lines.sums_put_out(&put_out, &output.figures),
            };
            Ok(PutOut { pieces, tally })
        };
        let written = self.lines.iter().map(write).collect::<Result<_, Error>>()?;
        let mut aside = PutOut::default();
        if let Some(format) = self.aside.filter(|_| findings.lines_aside() > 0) {
            aside = self.write_aside(format, &lines, raw, block)?;
        }
        let kept = self.kept.as_ref().map(|parts| parts.of_lines(&lines));
        Ok(Done { findings, lines: written, aside, kept })
    }

    pub(super) fn parts(&self) -> Parts {
        Parts(self.fact.parts.iter().map(|p| p.name.clone()).collect())
    }

    /// The lines of a block that are set aside, in their order: why, where, and as they were read.
    fn write_aside(
        &self,
        format: &dyn OutputFormat,
        lines: &Lines<'_>,
        raw: &RawLines<'_>,
        block: u64,
    ) -> Result<PutOut, Error> {
        let rows = raw.rows;
        let reason = |why: Aside| aside_words(self.engine, why);
        let mut all: Vec<AsideRow> = Vec::new();
        all.extend(lines.aside.iter().map(|(line, why)| AsideRow {
            reason: reason(*why),
            row: rows.row_of(*line as usize),
            entry: AsideEntry::Line(*line as usize),
        }));
        all.extend(rows.uneven().iter().map(|row| AsideRow {
            reason: reason(Aside::Uneven),
            row: rows.number_of(*row as usize),
            entry: AsideEntry::Row(row_text(&rows.grid, *row as usize)),
        }));
        if let Some(text) = rows.grid.text() {
            let mut numbers = text.counting();
            all.extend(text.fields.ragged.iter().map(|ragged| {
                let (start, end) = (ragged.start as usize, ragged.end as usize);
                let written = String::from_utf8_lossy(&text.buffer[start..end]).into_owned();
                let (row, entry) = (numbers.of(start), AsideEntry::Row(written));
                AsideRow { reason: reason(Aside::Fields), row, entry }
            }));
        }
        all.sort_by_key(|aside| aside.row);
        if strikes(Fault::AsideLost) {
            all.pop();
        }
        let put_out: Vec<u32> = all
            .iter()
            .filter_map(|aside| match aside.entry {
                AsideEntry::Line(line) => Some(line as u32),
                AsideEntry::Row(_) => None,
            })
            .collect();
        let tally = Tally {
            lines: put_out.len() as u64,
            marks: marks(rows, block, put_out.iter().copied()),
            sums: lines.sums_over(Some(&put_out)),
        };
        let piece = format.encode_aside(self.aside_columns, raw, &all);
        let piece = piece.map_err(|unfit| Error::unfit(unfit, None))?;
        Ok(PutOut { pieces: vec![(Vec::new(), piece)], tally })
    }
}

/// The sum of the marks of some lines.
fn marks(rows: &Rows, block: u64, lines: impl Iterator<Item = u32>) -> u64 {
    let mark = |line| mark_of(block, rows.number_in_block(line));
    lines.map(mark).fold(0, u64::wrapping_add)
}

/// A row as it is in its file, or as a text file would have it.
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
    let mut malformed: Vec<u64> = first.collect();
    let first = rows.uneven().iter().take(PLACES_KEPT);
    malformed.extend(first.map(|row| rows.number_of(*row as usize)));
    malformed.sort_unstable();
    let named = malformed.into_iter().take(PLACES_KEPT);
    findings.malformed.first = named.map(|row| (Spot { part, row }, String::new())).collect();
    findings.malformed.count = ragged + uneven;
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
