//! What a form of output has to be able to do. A form is one module in `formats`, with an entry in the list there.

use std::fs::File;
use std::io::{Read, Seek, SeekFrom, Write};
use std::path::Path;
use std::sync::Arc;

use interligo_engine::engine::Engine;
use interligo_engine::live::{LiveLines, LiveTotals, NotLive};
use interligo_engine::outputs::OutputColumn;
use interligo_engine::totals::{MeasureKind, TotalsTable};
use interligo_model::values::column::{Column, ColumnKind};
use interligo_model::values::value::Value;
use interligo_sources::table::parts::Table;

use crate::containers::Containers;
use crate::error::{Error, OutputErrorKind};
use crate::formats::typed::{typed_lines, typed_rows};
use crate::output_file::OutputFile;
use crate::raw_lines::{LinesBatch, RawLines};
use crate::set_aside::{AsideRow, aside_values};

/// A form in which lines, totals and lists are written.
///
/// Lines are encoded by all workers at once ([`OutputFormat::encode_lines`]) and written by one, in their order
/// ([`OutputFormat::begin`]). A form that says no more takes columns of typed values.
pub trait OutputFormat: Send + Sync {
    /// What it wants to know of lines.
    fn takes(&self) -> Takes {
        Takes::Values
    }

    /// Whether a file holds several sheets or tables, which are named after `#`.
    fn holds_several(&self) -> bool {
        false
    }

    /// Whether its tables can take rows beside those that are there.
    fn can_append(&self) -> bool {
        false
    }

    /// Whether it has notes on cells.
    fn has_notes(&self) -> bool {
        false
    }

    /// Why a sheet or table cannot have this name, if so.
    fn refuse_table(&self, _name: &str) -> Option<String> {
        None
    }

    /// Whether a file that is there, and that no run is known to have written, may be replaced.
    fn may_replace(&self, _path: &Path) -> bool {
        true
    }

    /// Whether people change such files by hand, so that one that was changed is not replaced.
    fn is_edited(&self) -> bool {
        false
    }

    /// What encodes lines with these columns.
    fn encode_lines(&self, lines: &LinesShape<'_>) -> Box<dyn EncodeLines> {
        typed_lines(lines)
    }

    /// Encodes rows of values that have these columns.
    ///
    /// # Errors
    /// A value that the form cannot hold.
    fn encode_rows(&self, columns: &[RowColumn], rows: &[Vec<Value<'_>>]) -> Result<Piece, Unfit> {
        Ok(typed_rows(columns, rows))
    }

    /// Encodes rows that are set aside; `columns` are those of [`crate::set_aside::aside_columns`].
    ///
    /// # Errors
    /// A value that the form cannot hold.
    fn encode_aside(
        &self,
        columns: &[RowColumn],
        raw: &RawLines<'_>,
        rows: &[AsideRow],
    ) -> Result<Piece, Unfit> {
        let values: Vec<_> = rows.iter().map(|row| aside_values(raw, row)).collect();
        self.encode_rows(columns, &values)
    }

    /// What comes before the first row of a file.
    fn head(&self, _columns: &[RowColumn]) -> Vec<u8> {
        Vec::new()
    }

    /// Begins a file, sheet or table with these columns; without more, a file whose rows follow its head.
    ///
    /// # Errors
    /// It cannot be written.
    fn begin(
        &self,
        target: &Target<'_>,
        columns: &[RowColumn],
    ) -> Result<Box<dyn WriteRows>, Error> {
        PlainRows::begin(target.file()?, &self.head(columns))
    }
}

/// Where rows go.
pub struct Target<'a> {
    /// The file.
    pub path: &'a Path,
    /// The sheet or table in it.
    pub table: &'a str,
    /// The plan, by which unfinished files are known.
    pub plan: &'a str,
    /// What its rows are.
    pub of: RowsOf<'a>,
    /// What happens to a table that is there.
    pub if_there: IfThere,
    /// Files that hold several sheets or tables.
    pub containers: &'a Containers,
}

/// What happens to a table that is there already.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub enum IfThere {
    /// It is emptied and filled, if a run has made it.
    #[default]
    Replace,
    /// Rows are added whose key it does not have, by these columns.
    Append(Vec<String>),
    /// Nothing is written.
    Stop,
}

/// What the rows of an output are.
#[derive(Clone, Copy)]
pub enum RowsOf<'a> {
    /// Lines, all in one file.
    Lines(&'a LinesShape<'a>),
    /// A table of totals.
    Totals(&'a TotalsOf<'a>),
    /// Others.
    Others,
}

/// A table of totals that is written.
pub struct TotalsOf<'a> {
    /// The table.
    pub table: &'a TotalsTable,
    /// The engine of its first fact.
    pub engine: &'a Engine,
    /// What it is made of, where a workbook computes it from lines.
    pub live: Option<Result<LiveTotals, NotLive>>,
}

/// How the rows of a table of totals belong together.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct GroupsShape {
    /// How many levels of rows there are, each of which sums up those below it; the first column has the level of a row,
    /// where there are several.
    pub levels: usize,
    /// Whether the last row brings the groups together that are not shown.
    pub has_rest: bool,
    /// The column with the amount that is drawn, if one is.
    pub drawn: Option<usize>,
}

impl Target<'_> {
    /// A file of its own.
    ///
    /// # Errors
    /// It cannot be written.
    pub fn file(&self) -> Result<OutputFile, Error> {
        OutputFile::create(self.path, self.plan)
    }
}

/// A column of an output.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct RowColumn {
    /// Its name.
    pub name: String,
    /// What its values are; a number has no more places than this says.
    pub kind: ColumnKind,
    /// How it is best shown.
    pub shown: MeasureKind,
}

impl RowColumn {
    /// A column of texts.
    pub fn text(name: impl Into<String>) -> RowColumn {
        RowColumn { name: name.into(), kind: ColumnKind::Text, shown: MeasureKind::Other }
    }
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
    /// What more a sheet with formulas has.
    pub live: Option<&'a LiveLines>,
}

impl LinesShape<'_> {
    /// The columns, in their order; those that are taken as they were read are texts.
    pub fn row_columns(&self) -> Vec<RowColumn> {
        let own = |column: usize| RowColumn::text(&self.fact.columns.names[column]);
        let mut columns = Vec::new();
        for column in self.columns {
            match column {
                OutputColumn::Own => columns.extend((0..self.fact.columns.names.len()).map(own)),
                OutputColumn::Cell { column_name, .. }
                | OutputColumn::Attribute { column_name, .. }
                | OutputColumn::LinkStatus { column_name, .. }
                | OutputColumn::LinkKey { column_name, .. } => {
                    columns.push(RowColumn::text(column_name));
                }
                OutputColumn::LinkRow { column_name, .. } => columns.push(RowColumn {
                    name: column_name.clone(),
                    kind: ColumnKind::Number(0),
                    shown: MeasureKind::Other,
                }),
                OutputColumn::Value { column_name, kind, shown, .. } => columns.push(RowColumn {
                    name: column_name.clone(),
                    kind: *kind,
                    shown: *shown,
                }),
            }
        }
        columns
    }
}

/// Encodes lines; shared by all workers.
pub trait EncodeLines: Send + Sync {
    /// Encodes these lines of a batch, in this order.
    ///
    /// # Errors
    /// A value that its column cannot hold.
    fn encode(&self, batch: &LinesBatch<'_>, lines: &[u32]) -> Result<Piece, Unfit>;
}

/// A value that an output cannot hold.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Unfit {
    /// The column.
    pub column: String,
    /// The value.
    pub value: String,
    /// Why.
    pub why: UnfitReason,
    /// The line of the batch, or the row of those that are encoded.
    pub line: u32,
}

/// Why an output cannot hold a value.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum UnfitReason {
    /// It has more decimal places than its column, which has these.
    Places(u8),
    /// It has a time of the day, and its column days alone.
    TimeOfDay,
    /// It has a NUL character, which no database takes.
    Nul,
    /// A character is not in the encoding.
    Encoding(&'static str),
}

impl std::fmt::Display for UnfitReason {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            UnfitReason::Places(places) => {
                write!(f, "has more decimal places than the {places} of its column")
            }
            UnfitReason::TimeOfDay => {
                f.write_str("has a time of the day, and its column takes days alone")
            }
            UnfitReason::Nul => {
                f.write_str("has a NUL character, which the database does not take")
            }
            UnfitReason::Encoding(encoding) => {
                write!(f, "has a character that {encoding} does not have")
            }
        }
    }
}

/// Encoded rows.
#[derive(Clone, Debug, Default)]
pub struct Piece {
    /// The rows.
    pub content: Content,
    /// How many there are, counted in the content.
    pub rows: u64,
}

/// Rows as a form takes them.
#[derive(Clone, Debug)]
pub enum Content {
    /// As they go into the file.
    Bytes(Vec<u8>),
    /// As columns of typed values.
    Columns(Vec<Column>),
    /// Bytes as they go into the file, which are in another.
    InFile(Stretch),
}

/// Bytes of a file.
#[derive(Clone, Debug)]
pub struct Stretch {
    /// The file.
    pub file: Arc<Path>,
    /// Where they begin.
    pub from: u64,
    /// How many there are.
    pub bytes: u64,
}

impl Stretch {
    /// Writes the bytes to `to`, which is at `path`; from file to file the system copies them, where it can.
    ///
    /// # Errors
    /// They are not all there, or cannot be written.
    pub(crate) fn copy_to(&self, to: &mut impl Write, path: &Path) -> Result<(), Error> {
        let failed = |error: std::io::Error| Error::io(&self.file, &error);
        let mut file = File::open(&self.file).map_err(failed)?;
        file.seek(SeekFrom::Start(self.from)).map_err(failed)?;
        let copied = std::io::copy(&mut file.take(self.bytes), to);
        let copied = copied.map_err(|error| Error::io(path, &error))?;
        if copied == self.bytes {
            return Ok(());
        }
        let reason = format!("{} bytes of it were to be read, and {copied} are there", self.bytes);
        Err(Error::new(OutputErrorKind::Incomplete, &self.file, reason))
    }
}

impl Default for Content {
    fn default() -> Content {
        Content::Bytes(Vec::new())
    }
}

impl Piece {
    /// Rows in bytes.
    pub fn bytes(bytes: Vec<u8>, rows: u64) -> Piece {
        Piece { content: Content::Bytes(bytes), rows }
    }

    /// The bytes that it holds itself.
    pub fn as_bytes(&self) -> &[u8] {
        match &self.content {
            Content::Bytes(bytes) => bytes,
            Content::Columns(_) | Content::InFile(_) => &[],
        }
    }

    /// The columns; none where it has bytes.
    pub fn as_columns(&self) -> &[Column] {
        match &self.content {
            Content::Columns(columns) => columns,
            Content::Bytes(_) | Content::InFile(_) => &[],
        }
    }
}

/// A file, sheet or table that takes rows, and counts them.
pub trait WriteRows: Send {
    /// Adds rows.
    ///
    /// # Errors
    /// They cannot be written.
    fn write(&mut self, piece: Piece) -> Result<(), Error>;

    /// Rows that were written; nothing is added any more.
    ///
    /// # Errors
    /// They could not be written.
    fn rows(&mut self) -> Result<u64, Error>;

    /// Writes what is held back. The file, if it is one of its own.
    ///
    /// # Errors
    /// It cannot be written.
    fn finish(self: Box<Self>) -> Result<Option<OutputFile>, Error>;
}

/// A file that is whole already, with this many rows.
pub fn whole_file(file: OutputFile, rows: u64) -> Box<dyn WriteRows> {
    Box::new(PlainRows { file, rows })
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
    fn write(&mut self, piece: Piece) -> Result<(), Error> {
        self.rows += piece.rows;
        match &piece.content {
            Content::InFile(stretch) => self.file.write_stretch(stretch),
            _ => self.file.write(piece.as_bytes()),
        }
    }

    fn rows(&mut self) -> Result<u64, Error> {
        Ok(self.rows)
    }

    fn finish(self: Box<Self>) -> Result<Option<OutputFile>, Error> {
        Ok(Some(self.file))
    }
}
