//! What a form of output has to be able to do. A form is one module in `formats`, with an entry in the list there.

use interligo_engine::engine::Engine;
use interligo_engine::outputs::OutputColumn;
use interligo_model::values::value::Value;
use interligo_sources::table::parts::Table;

use crate::error::Error;
use crate::output_file::OutputFile;
use crate::raw_lines::{LinesBatch, RawLines};
use crate::set_aside::{AsideRow, aside_values};

/// A form in which lines, totals and lists are written.
///
/// Lines are encoded by all workers at once ([`OutputFormat::encode_lines`]) and written by one, in their order
/// ([`OutputFormat::begin`]).
pub trait OutputFormat: Sync {
    /// How the names of its files end, in lowercase, with the dot.
    fn endings(&self) -> &'static [&'static str];

    /// What it wants to know of lines.
    fn takes(&self) -> Takes;

    /// What encodes lines with these columns.
    fn encode_lines(&self, lines: &LinesShape<'_>) -> Box<dyn EncodeLines>;

    /// Encodes rows of values that have these columns.
    fn encode_rows(&self, columns: &[String], rows: &[Vec<Value<'_>>]) -> Piece;

    /// Encodes rows that are set aside; `columns` are those of [`crate::set_aside::aside_columns`].
    fn encode_aside(&self, columns: &[String], raw: &RawLines<'_>, rows: &[AsideRow]) -> Piece {
        let values: Vec<_> = rows.iter().map(|row| aside_values(raw, row)).collect();
        self.encode_rows(columns, &values)
    }

    /// Begins a file with these columns.
    ///
    /// # Errors
    /// It cannot be written.
    fn begin(&self, file: OutputFile, columns: &[String]) -> Result<Box<dyn WriteRows>, Error>;
}

/// In which form a format takes the columns of lines.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Takes {
    /// Own columns and attributes as their sources write them.
    AsRead,
    /// All columns as typed values.
    Values,
}

/// The columns of an output of lines, with what they are made of.
pub struct LinesShape<'a> {
    /// The columns, as the output asks for them.
    pub columns: &'a [OutputColumn],
    /// The engine that the lines go through.
    pub engine: &'a Engine,
    /// The table of the fact.
    pub fact: &'a Table,
}

impl LinesShape<'_> {
    /// The names of the columns, in their order.
    pub fn names(&self) -> Vec<String> {
        let mut names = Vec::new();
        for column in self.columns {
            match column {
                OutputColumn::Own => names.extend(self.fact.columns.names.iter().cloned()),
                OutputColumn::Cell(column) => names.push(self.fact.columns.names[*column].clone()),
                OutputColumn::Attribute { column_name, .. }
                | OutputColumn::LinkStatus { column_name, .. }
                | OutputColumn::LinkKey { column_name, .. }
                | OutputColumn::Value { column_name, .. } => names.push(column_name.clone()),
            }
        }
        names
    }
}

/// Encodes lines; shared by all workers.
pub trait EncodeLines: Send + Sync {
    /// Encodes these lines of a batch, in this order.
    fn encode(&self, batch: &LinesBatch<'_>, lines: &[u32]) -> Piece;
}

/// Encoded rows.
#[derive(Clone, Debug, Default)]
pub struct Piece {
    /// The rows, as they go into the file.
    pub bytes: Vec<u8>,
    /// How many there are, counted in the bytes.
    pub rows: u64,
}

/// A file that takes rows, and counts them.
pub trait WriteRows: Send {
    /// Adds rows.
    ///
    /// # Errors
    /// They cannot be written.
    fn write(&mut self, piece: &Piece) -> Result<(), Error>;

    /// Rows that were written.
    fn rows(&self) -> u64;

    /// Writes what is held back; nothing is added any more.
    ///
    /// # Errors
    /// It cannot be written.
    fn finish(self: Box<Self>) -> Result<OutputFile, Error>;
}

/// A file whose rows follow each other as they are encoded.
pub(crate) struct PlainRows {
    file: OutputFile,
    rows: u64,
}

impl PlainRows {
    /// Begins with these bytes, which are no row.
    pub(crate) fn begin(mut file: OutputFile, head: &[u8]) -> Result<Box<dyn WriteRows>, Error> {
        file.write(head)?;
        Ok(Box::new(PlainRows { file, rows: 0 }))
    }
}

impl WriteRows for PlainRows {
    fn write(&mut self, piece: &Piece) -> Result<(), Error> {
        self.rows += piece.rows;
        self.file.write(&piece.bytes)
    }

    fn rows(&self) -> u64 {
        self.rows
    }

    fn finish(self: Box<Self>) -> Result<OutputFile, Error> {
        Ok(self.file)
    }
}
