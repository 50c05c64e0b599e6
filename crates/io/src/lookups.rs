//! Lookups: read whole into memory, all columns as text.

use arrow_array::StringViewArray;
use arrow_buffer::{Buffer, ScalarBuffer};

use interligo_core::lookup::RawTable;

use crate::error::Error;
use crate::parts::{Part, Source, Table, block_not_utf8, skip_heading, split};
use crate::text::same_text;

const BLOCK: usize = 1 << 20;

/// Reads a table whole.
///
/// # Errors
/// A file that cannot be read, or a row that has not the heading's number of fields: its values could
/// stand in any column.
pub(crate) fn read(table: &Table) -> Result<RawTable, Error> {
    let mut raw = RawTable {
        parts: Vec::new(),
        styles: Vec::new(),
        first_rows: Vec::new(),
        rows: Vec::new(),
        columns: Vec::new(),
        blank_rows: 0,
    };
    let mut columns: Vec<Stacked> =
        table.columns.names.iter().map(|_| Stacked::default()).collect();
    for part in &table.parts {
        raw.parts.push(part.shown.clone());
        raw.styles.push(part.found.style);
        raw.first_rows.push(raw.rows.len());
        read_part(table, part, &mut raw, &mut columns)?;
    }
    raw.columns = columns.into_iter().map(Stacked::finish).collect();
    Ok(raw)
}

fn read_part(
    table: &Table,
    part: &Part,
    raw: &mut RawTable,
    columns: &mut [Stacked],
) -> Result<(), Error> {
    let mut reader = part.open()?;
    while let Some(block) = reader.next(BLOCK)? {
        let block = skip_heading(block);
        if let Err(error) = std::str::from_utf8(&block.bytes) {
            return Err(block_not_utf8(&block, table, part, error.valid_up_to()));
        }
        let fields = split(&block, part);
        if let Some(ragged) = fields.ragged.first() {
            let message =
                format!("has {}, its heading has {}", count(ragged.fields), count(part.width));
            return Err(Error::input(&part.shown, message)
                .at_row(block.row_of(ragged.start as usize))
                .help("a field that holds a comma stands in double quotes"));
        }
        raw.blank_rows += fields.blank;
        let mut row_numbers = RowNumbers::new(&block.bytes, block.first_row);
        raw.rows.extend((0..fields.rows()).map(|row| row_numbers.of(fields.start(row)) as u32));
        let buffer = Buffer::from_vec(block.bytes);
        for (column, source) in columns.iter_mut().zip(&part.sources) {
            column.push(match source {
                Source::Field(field) => fields.column(&buffer, *field),
                Source::Slot(text) => same_text(text, fields.rows()),
                Source::Absent => same_text("", fields.rows()),
            });
        }
    }
    Ok(())
}

fn count(fields: usize) -> String {
    if fields == 1 { "1 field".to_owned() } else { format!("{fields} fields") }
}

/// The rows of the file for ascending places of a block, counted once through.
pub(crate) struct RowNumbers<'b> {
    bytes: &'b [u8],
    counted: usize,
    row: u64,
}

impl<'b> RowNumbers<'b> {
    pub(crate) fn new(bytes: &'b [u8], first: u64) -> RowNumbers<'b> {
        RowNumbers { bytes, counted: 0, row: first }
    }

    pub(crate) fn of(&mut self, byte: usize) -> u64 {
        self.row += memchr::memchr_iter(b'\n', &self.bytes[self.counted..byte]).count() as u64;
        self.counted = byte;
        self.row
    }
}

/// Text columns put one below the other.
#[derive(Default)]
struct Stacked {
    views: Vec<u128>,
    buffers: Vec<Buffer>,
}

impl Stacked {
    fn push(&mut self, texts: StringViewArray) {
        let base = (self.buffers.len() as u128) << 64;
        // A text of up to 12 bytes lies in its view; of a longer one the third word names the buffer.
        let moved =
            texts.views().iter().map(|view| if *view as u32 <= 12 { *view } else { view + base });
        self.views.extend(moved);
        self.buffers.extend(texts.data_buffers().iter().cloned());
    }

    fn finish(self) -> StringViewArray {
        // SAFETY: the views were valid in their own columns, and their buffers moved along with them.
        #[allow(unsafe_code)]
        unsafe {
            StringViewArray::new_unchecked(
                ScalarBuffer::from(self.views),
                self.buffers.into(),
                None,
            )
        }
    }
}
