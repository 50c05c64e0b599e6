//! Lines as text.
//!
//! What only passes through is copied as it is in the file. The cells of lookups are written once per row of the
//! lookup; neighbouring attributes of one link are one piece of text.

use interligo_engine::engine::Engine;
use interligo_engine::lines::Lines;
use interligo_engine::links::LinkStatus;
use interligo_engine::outputs::OutputColumn;
use interligo_engine::proof::faults::{Fault, strikes};
use interligo_model::values::decimal::write_fixed;
use interligo_sources::text::{rows_in, write_cell};

use super::super::status_text;
use super::rows::BLANK_ROW;
use crate::format::{EncodeLines, LinesShape, Piece, Unfit};
use crate::raw_lines::{LinesBatch, write_own, write_source, write_value};

/// Lookups with more rows than this keep the cells of each attribute apart, to save memory.
const JOINED_ROWS: usize = 1 << 20;

/// An output of lines as text.
pub(super) struct TextLines {
    columns: Vec<TextColumns>,
}

/// A column of text, or several.
enum TextColumns {
    /// All of the fact's own columns.
    Own,
    /// One of them.
    Cell(usize),
    /// The cells of attributes by the row that a link from the fact found.
    Attributes { link: usize, cells: Cells },
    /// How a link came out.
    Status(usize),
    /// The row that a link found, by number.
    Row(usize),
    /// The key of the row that a link found.
    Key { link: usize, cells: Cells },
    /// A value that was computed.
    Value { value: usize, least_places: u8 },
}

/// A stretch of cells per row of a lookup; the last is that of lines without a row.
struct Cells {
    /// The stretches, and [`HEAD`] bytes behind them.
    bytes: Vec<u8>,
    ends: Vec<u32>,
}

/// This many bytes of a stretch are read before others are written.
const HEAD: usize = 16;

/// Lines that are written together.
const GROUP: usize = 64;

/// A stretch of cells as far as it was read.
#[derive(Clone, Copy, Default)]
struct Stretch {
    start: u32,
    end: u32,
    head: [u8; HEAD],
}

impl Cells {
    /// Adds nothing more.
    fn finished(mut self) -> Cells {
        self.bytes.extend_from_slice(&[0; HEAD]);
        self
    }

    /// The stretches of the rows of some lines. First all places are read, then all beginnings: so the reads that miss the cache do
    /// not wait for each other. Against one after the other: 1.15 of a whole run with lines.
    fn read(&self, rows: &[u32], lines: &[u32], stretches: &mut Vec<Stretch>) {
        stretches.clear();
        let last = self.ends.len() - 1;
        stretches.extend(lines.iter().map(|line| {
            let row = (rows[*line as usize] as usize).min(last);
            let start = row.checked_sub(1).map_or(0, |before| self.ends[before]);
            Stretch { start, end: self.ends[row], head: [0; HEAD] }
        }));
        for stretch in stretches {
            let start = stretch.start as usize;
            stretch.head.copy_from_slice(&self.bytes[start..start + HEAD]);
        }
    }

    fn write(&self, stretch: &Stretch, out: &mut Vec<u8>) {
        let length = (stretch.end - stretch.start) as usize;
        let at = out.len();
        out.extend_from_slice(&stretch.head);
        match length.checked_sub(HEAD) {
            Some(more @ 1..) => {
                let rest = stretch.start as usize + HEAD;
                out.extend_from_slice(&self.bytes[rest..rest + more]);
            }
            _ => out.truncate(at + length),
        }
    }
}

impl TextLines {
    /// Prepares the cells of an output.
    pub(super) fn new(shape: &LinesShape<'_>) -> TextLines {
        let engine = shape.engine;
        let mut text = TextLines { columns: Vec::new() };
        let mut attributes: Vec<(usize, usize)> = Vec::new();
        for column in shape.columns {
            if let OutputColumn::Attribute { link, column, .. } = column {
                let joins = attributes.first().is_none_or(|(first, _)| {
                    engine.anchor(*first) == engine.anchor(*link)
                        && engine.lookup_rows(engine.anchor(*link)) <= JOINED_ROWS
                });
                if !joins {
                    text.end_attributes(&mut attributes, engine);
                }
                attributes.push((*link, *column));
                continue;
            }
            text.end_attributes(&mut attributes, engine);
            text.columns.push(match column {
                OutputColumn::Own => TextColumns::Own,
                OutputColumn::Cell { column, .. } => TextColumns::Cell(*column),
                OutputColumn::LinkStatus { link, .. } => TextColumns::Status(*link),
                OutputColumn::LinkKey { link, .. } => {
                    TextColumns::Key { link: *link, cells: keys_of_rows(*link, engine) }
                }
                OutputColumn::Value { value, least_places, .. } => {
                    TextColumns::Value { value: *value, least_places: *least_places }
                }
                OutputColumn::Attribute { .. } => unreachable!("attributes are gathered above"),
                OutputColumn::LinkRow { link, .. } => TextColumns::Row(*link),
            });
        }
        text.end_attributes(&mut attributes, engine);
        text
    }

    fn end_attributes(&mut self, attributes: &mut Vec<(usize, usize)>, engine: &Engine) {
        let Some((first, _)) = attributes.first() else { return };
        let link = engine.anchor(*first);
        let rows = engine.lookup_rows(link) as u32;
        let mut cells = Cells { bytes: Vec::new(), ends: Vec::with_capacity(rows as usize + 1) };
        for row in (0..rows).map(Some).chain([None]) {
            for (number, (attribute, column)) in attributes.iter().enumerate() {
                if number > 0 {
                    cells.bytes.push(b',');
                }
                write_cell(&mut cells.bytes, &engine.attribute_text(*attribute, *column, row));
            }
            cells.ends.push(cells.bytes.len() as u32);
        }
        self.columns.push(TextColumns::Attributes { link, cells: cells.finished() });
        attributes.clear();
    }

    fn write_line(
        &self,
        (at, row): (usize, usize),
        LinesBatch { lines, raw, .. }: &LinesBatch<'_>,
        statuses: &[Vec<(LinkStatus, u32)>],
        stretches: &[Vec<Stretch>],
        out: &mut Vec<u8>,
    ) {
        let start = out.len();
        for (number, columns) in self.columns.iter().enumerate() {
            if number > 0 {
                out.push(b',');
            }
            match columns {
                TextColumns::Own => write_own(raw, row, out),
                TextColumns::Cell(column) => write_source(raw, row, *column, out),
                TextColumns::Attributes { cells, .. } | TextColumns::Key { cells, .. } => {
                    cells.write(&stretches[number][at], out);
                }
                TextColumns::Row(link) => {
                    let row = lines.link_rows(*link)[row];
                    if Lines::is_row(row) {
                        write_fixed(out, i64::from(row), 0, 0);
                    }
                }
                TextColumns::Status(_) => {
                    out.extend_from_slice(status_text(statuses[number][row]).as_bytes());
                }
                TextColumns::Value { value, least_places } => {
                    write_value(&lines.values[*value], row, *least_places, out);
                }
            }
        }
        if out.len() == start {
            out.extend_from_slice(BLANK_ROW);
        }
        out.push(b'\n');
    }
}

impl EncodeLines for TextLines {
    fn encode(&self, batch: &LinesBatch<'_>, lines: &[u32]) -> Result<Piece, Unfit> {
        let mut bytes = Vec::with_capacity(batch.bytes * 3);
        let statuses = |columns: &TextColumns| match columns {
            TextColumns::Status(link) => batch.lines.statuses(*link),
            _ => Vec::new(),
        };
        let statuses: Vec<_> = self.columns.iter().map(statuses).collect();
        let mut stretches: Vec<Vec<Stretch>> = vec![Vec::new(); self.columns.len()];
        for group in lines.chunks(GROUP) {
            for (columns, stretches) in self.columns.iter().zip(&mut stretches) {
                if let TextColumns::Attributes { link, cells } | TextColumns::Key { link, cells } =
                    columns
                {
                    cells.read(batch.lines.link_rows(*link), group, stretches);
                }
            }
            for (at, row) in group.iter().enumerate() {
                self.write_line((at, *row as usize), batch, &statuses, &stretches, &mut bytes);
            }
        }
        if !lines.is_empty() && strikes(Fault::TextCutShort) {
            let end = bytes.len() - 1;
            bytes.truncate(memchr::memrchr(b'\n', &bytes[..end]).map_or(0, |end| end + 1));
        }
        let rows = rows_in(&bytes);
        Ok(Piece::bytes(bytes, rows))
    }
}

/// The key of each row of a link's lookup; a row of `fill` has none.
fn keys_of_rows(link: usize, engine: &Engine) -> Cells {
    let mut cells = Cells { bytes: Vec::new(), ends: Vec::new() };
    let rows = engine.lookups[engine.bound.routes[link].lookup].rows;
    for row in 0..rows {
        write_cell(&mut cells.bytes, &engine.key_of_row(link, row));
        cells.ends.push(cells.bytes.len() as u32);
    }
    cells.ends.push(cells.bytes.len() as u32);
    cells.finished()
}
