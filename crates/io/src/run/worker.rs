//! What a worker does with a block of a fact's files: rows, lines, totals, and what is written of them.

use interligo_core::engine::Engine;
use interligo_core::findings::{Aside, Findings, PLACES_KEPT, Parts, Spot};
use interligo_core::lines::{DoesNotFit, LineBatch, Lines};
use interligo_core::tieout::aside_words;
use interligo_core::totals::Groups;
use interligo_core::usage::Usage;

use super::Item;
use crate::error::Error;
use crate::grid::Grid;
use crate::lines_out::{Change, LinesOutput, RawLines, write_own};
use crate::parts::Table;
use crate::repeats::Watch;
use crate::rows::Rows;
use crate::text::write_cell;

/// What a worker gathers over its blocks.
pub(super) struct Gathered<'e> {
    pub(super) groups: Vec<Groups<'e>>,
    pub(super) usage: Option<Usage>,
}

/// What a block came to.
pub(super) struct Done {
    pub(super) findings: Findings,
    /// Of each output of lines, its bytes and how many lines they are.
    pub(super) lines: Vec<(Vec<u8>, u64)>,
    pub(super) aside: (Vec<u8>, u64),
}

/// What all workers share.
pub(super) struct Worker<'a> {
    pub(super) engine: &'a Engine,
    pub(super) fact: &'a Table,
    pub(super) lines: &'a [LinesOutput],
    /// Whether there is a file for what is set aside.
    pub(super) aside: bool,
    /// Of each part, what happens to its columns on the way to an output.
    pub(super) changes: Vec<Vec<Change>>,
    /// Looks for lines that came before.
    pub(super) watch: Option<&'a Watch<'a>>,
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

    pub(super) fn work(&self, item: Item, gathered: &mut Gathered<'_>) -> Result<Done, Error> {
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

    pub(super) fn parts(&self) -> Parts {
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
