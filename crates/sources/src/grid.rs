//! Rows of a part as they were read: a stretch of text that is split into fields, or columns of cells.

use std::borrow::Cow;
use std::cell::OnceCell;

use arrow_array::StringViewArray;
use arrow_buffer::Buffer;

use interligo_engine::proof::findings::Noted;
use interligo_model::values::cells::Cells;

use crate::text::{Fields, Ragged, TAIL, unquoted};

/// How many rows of cells at the end of a part are in its last block at least: what is at the end is
/// looked at in one piece.
pub const TAIL_ROWS: usize = 64;

/// Some rows of a part.
pub enum Grid {
    /// Of text.
    Text(TextGrid),
    /// Of cells.
    Cells(CellGrid),
}

/// Rows of text, as they are in the file.
pub struct TextGrid {
    /// The block, with its padding.
    pub buffer: Buffer,
    /// Where its fields are.
    pub fields: Fields,
    /// The row of the file at which the block begins.
    pub first_row: u64,
    /// Where rows start, should they be counted one by one and not by line ends.
    pub row_starts: Option<Vec<u32>>,
    /// The numbers of its rows, once they were asked for.
    pub row_numbers: OnceCell<Vec<u64>>,
}

/// Rows of cells, column by column.
#[derive(Default)]
pub struct CellGrid {
    rows: usize,
    /// The columns; `None` for those that nobody asked for.
    columns: Vec<Option<Cells>>,
    first_row: u64,
    /// How far each row is from the first, unless they follow each other.
    offsets: Option<Vec<u32>>,
    /// Rows without any value, which are not among the rows.
    pub blank: u64,
    /// What was noted of cells: what it is, the row, and the cell in words.
    pub noted: Vec<(Noted, u64, String)>,
    /// The currencies that the formats of cells show, by field, with the first row that has each.
    pub currencies: Vec<(usize, String, u64)>,
}

impl Grid {
    /// How many rows there are.
    pub fn rows(&self) -> usize {
        match self {
            Grid::Text(text) => text.fields.rows(),
            Grid::Cells(cells) => cells.rows,
        }
    }

    /// How many fields a row has.
    pub fn width(&self) -> usize {
        match self {
            Grid::Text(text) => text.fields.width(),
            Grid::Cells(cells) => cells.columns.len(),
        }
    }

    /// Rows without any value.
    pub fn blank(&self) -> u64 {
        match self {
            Grid::Text(text) => text.fields.blank,
            Grid::Cells(cells) => cells.blank,
        }
    }

    /// How much of the block its rows cover, before any is left out: bytes of a text that is split at line ends, else
    /// rows. It must be all of it.
    pub fn covered(&self) -> u64 {
        match self {
            Grid::Text(TextGrid { row_starts: None, fields, .. }) => fields.covered(),
            _ => self.rows() as u64 + self.blank() + self.ragged().len() as u64,
        }
    }

    /// Rows with another number of fields than the header row.
    pub fn ragged(&self) -> &[Ragged] {
        match self {
            Grid::Text(text) => &text.fields.ragged,
            Grid::Cells(_) => &[],
        }
    }

    /// The rows as text, where they are text.
    pub fn text(&self) -> Option<&TextGrid> {
        match self {
            Grid::Text(text) => Some(text),
            Grid::Cells(_) => None,
        }
    }

    /// A field of all rows, as it was delivered.
    pub fn cells(&self, field: usize) -> Cow<'_, Cells> {
        match self {
            Grid::Text(text) => Cow::Owned(Cells::Texts(text.fields.column(&text.buffer, field))),
            Grid::Cells(cells) => match &cells.columns[field] {
                Some(column) => Cow::Borrowed(column),
                None => Cow::Owned(Cells::Texts(crate::text::same_text("", cells.rows))),
            },
        }
    }

    /// The texts of a field in all rows.
    pub fn column(&self, field: usize) -> StringViewArray {
        match self {
            Grid::Text(text) => text.fields.column(&text.buffer, field),
            Grid::Cells(_) => self.cells(field).texts(),
        }
    }

    /// The text of one field.
    pub fn cell(&self, row: usize, field: usize) -> Cow<'_, str> {
        match self {
            Grid::Text(text) => {
                let bytes = text.fields.field(&text.buffer, row, field);
                unquoted(std::str::from_utf8(bytes).expect("blocks are checked to be UTF-8"))
            }
            Grid::Cells(cells) => match &cells.columns[field] {
                Some(Cells::Texts(texts)) => texts.value(row).into(),
                Some(column) => column.gathered(&[row as u32]).texts().value(0).to_owned().into(),
                None => "".into(),
            },
        }
    }

    /// The row of the file in which a row stands.
    pub fn row_number(&self, row: usize) -> u64 {
        match self {
            // Counted once for all, where it must be.
            Grid::Text(text) if text.fields.is_line_by_line() => text.first_row + row as u64,
            Grid::Text(text) => {
                let numbers = text.row_numbers.get_or_init(|| {
                    let mut numbers = text.counting();
                    let starts = (0..text.fields.rows()).map(|row| text.fields.start(row));
                    starts.map(|start| numbers.of(start)).collect()
                });
                numbers[row]
            }
            Grid::Cells(cells) => cells.row_number(row),
        }
    }

    /// The row of the file of a row with another number of fields.
    pub fn row_at(&self, ragged: &Ragged) -> u64 {
        self.text().map_or(0, |text| text.counting().of(ragged.start as usize))
    }

    /// The first of the rows at the end that are looked at for totals; the same whatever the blocks are,
    /// should these be the last rows of the part.
    pub fn foot(&self) -> usize {
        match self {
            Grid::Text(text) => {
                let fields = &text.fields;
                let end = fields.rows().checked_sub(1).map_or(0, |last| fields.start(last));
                let near = |row: &usize| end - fields.start(*row) <= TAIL / 2;
                (0..fields.rows()).rev().take_while(near).last().unwrap_or(0)
            }
            Grid::Cells(cells) => cells.rows.saturating_sub(TAIL_ROWS / 2),
        }
    }

    /// Leaves out rows.
    pub fn keep(&mut self, keep: impl Fn(usize) -> bool) {
        match self {
            Grid::Text(text) => {
                text.fields.keep(keep);
                text.row_numbers = OnceCell::new();
            }
            Grid::Cells(cells) => cells.keep(keep),
        }
    }
}

impl TextGrid {
    /// Counts the rows of the file from the start of the block.
    pub fn counting(&self) -> RowNumbers<'_> {
        RowNumbers { text: self, counted: 0, row: self.first_row }
    }
}

/// The rows of the file for ascending places of a block, counted once through.
pub struct RowNumbers<'b> {
    text: &'b TextGrid,
    counted: usize,
    row: u64,
}

impl RowNumbers<'_> {
    /// The number of the row in which a byte lies.
    pub fn of(&mut self, byte: usize) -> u64 {
        if let Some(starts) = &self.text.row_starts {
            let before = starts.partition_point(|start| *start as usize <= byte);
            return self.row + before.saturating_sub(1) as u64;
        }
        let bytes = &self.text.buffer.as_slice()[self.counted..byte];
        self.row += memchr::memchr_iter(b'\n', bytes).count() as u64;
        self.counted = byte;
        self.row
    }
}

impl CellGrid {
    /// Rows that follow each other in the part.
    pub fn new(rows: usize, columns: Vec<Option<Cells>>, first_row: u64) -> CellGrid {
        CellGrid { rows, columns, first_row, ..CellGrid::default() }
    }

    /// The same rows where they stand apart, each so far from the first.
    pub fn apart(mut self, offsets: Vec<u32>) -> CellGrid {
        self.offsets = Some(offsets);
        self
    }

    fn row_number(&self, row: usize) -> u64 {
        self.first_row + self.offsets.as_ref().map_or(row as u64, |o| u64::from(o[row]))
    }

    fn keep(&mut self, keep: impl Fn(usize) -> bool) {
        let kept: Vec<u32> =
            (0..self.rows).filter(|row| keep(*row)).map(|row| row as u32).collect();
        if kept.len() == self.rows {
            return;
        }
        let offset = |row: &u32| self.offsets.as_ref().map_or(*row, |o| o[*row as usize]);
        self.offsets = Some(kept.iter().map(offset).collect());
        for column in self.columns.iter_mut().flatten() {
            *column = column.gathered(&kept);
        }
        self.rows = kept.len();
    }
}
