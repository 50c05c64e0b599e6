//! Lines on their way to outputs: as they were read, and as they were computed.
//!
//! Outputs write numbers as 1234.56 and days as 2025-12-31, whatever the files do; what else passes through is copied as
//! it stands.

use std::cell::OnceCell;
use std::collections::BTreeMap;

use arrow_array::StringViewArray;
use interligo_engine::engine::Engine;
use interligo_engine::lines::Lines;
use interligo_engine::outputs::OutputColumn;
use interligo_engine::proof::faults::{Fault, strikes};
use interligo_engine::proof::tally::Tally;
use interligo_model::plan::ColumnType;
use interligo_model::reading::date_style::DateStyle;
use interligo_model::reading::style::NumberStyle;
use interligo_model::values::column::Column;
use interligo_sources::grid::TextGrid;
use interligo_sources::table::parts::Part;
use interligo_sources::table::rows::Rows;
use interligo_sources::text::unquoted;

use crate::format::{EncodeLines, LinesShape, OutputFormat, Piece};
use crate::formats::text::lines::write_source;

/// An output of lines, ready for all workers.
pub struct LinesOutput {
    encoder: Box<dyn EncodeLines>,
    /// The figures that it holds, each with the number of its value.
    pub figures: BTreeMap<usize, usize>,
}

/// Rows that an output puts out, with the lines that they hold.
#[derive(Clone, Default)]
pub struct PutOut {
    /// The rows.
    pub piece: Piece,
    /// The lines that they hold.
    pub tally: Tally,
}

/// A batch of lines, as computed and as read.
pub struct LinesBatch<'a> {
    /// What was computed.
    pub lines: &'a Lines<'a>,
    /// What was read.
    pub raw: &'a RawLines<'a>,
    /// How many bytes it took as text.
    pub bytes: usize,
}

impl LinesOutput {
    /// Prepares an output in a form.
    pub fn new(format: &dyn OutputFormat, shape: &LinesShape<'_>) -> LinesOutput {
        let figure = |column: &OutputColumn| match column {
            OutputColumn::Value { value, .. } => {
                Some((shape.engine.figure_of_value(*value)?, *value))
            }
            _ => None,
        };
        let figures = shape.columns.iter().filter_map(figure).collect();
        LinesOutput { encoder: format.encode_lines(shape), figures }
    }

    /// Encodes the lines of a batch that are not set aside; the answer has those that were put out, one for each row.
    pub fn write(&self, batch: &LinesBatch<'_>) -> (Piece, Vec<u32>) {
        let lines = batch.lines;
        let mut kept: Vec<u32> = (0..lines.rows as u32)
            .filter(|row| lines.aside.is_empty() || !lines.is_aside(*row))
            .collect();
        go_wrong(&mut kept);
        (self.encoder.encode(batch, &kept), kept)
    }
}

/// Faults on purpose: lines that are written twice, or not at all.
fn go_wrong(lines: &mut Vec<u32>) {
    if !lines.is_empty() && strikes(Fault::LineTwice) {
        lines.insert(0, lines[0]);
    }
    if !lines.is_empty() && strikes(Fault::LineNotWritten) {
        lines.pop();
    }
    if lines.len() > 1 && strikes(Fault::LineInPlaceOfNext) {
        lines[1] = lines[0];
    }
}

/// The lines of a batch as they stand in their file.
pub struct RawLines<'a> {
    /// The rows.
    pub rows: &'a Rows,
    /// The part that they are of.
    pub part: &'a Part,
    /// What happens to each column.
    pub changes: &'a [Change],
    /// The texts of the columns, where lines are not rows as they stand; made when they are asked for.
    texts: Vec<OnceCell<StringViewArray>>,
    /// Of each column that is worked out, its values.
    pub(crate) computed: Vec<Option<&'a Column>>,
}

impl<'a> RawLines<'a> {
    /// Nothing is written yet.
    pub fn new(
        rows: &'a Rows,
        part: &'a Part,
        changes: &'a [Change],
        lines: &'a Lines<'_>,
        engine: &Engine,
    ) -> RawLines<'a> {
        let columns = 0..part.sources.len();
        let texts = columns.clone().map(|_| OnceCell::new()).collect();
        let computed = columns.map(|column| Some(lines.column(engine.computed_column(column)?)));
        RawLines { rows, part, changes, texts, computed: computed.collect() }
    }
}

impl RawLines<'_> {
    /// A cell as text, its numbers and days written as outputs write them.
    pub(crate) fn cell(&self, row: usize, column: usize) -> String {
        let mut cell = Vec::new();
        write_source(self, row, column, &mut cell);
        let cell = String::from_utf8_lossy(&cell).into_owned();
        unquoted(&cell).into_owned()
    }

    pub(crate) fn text(&self, column: usize, row: usize) -> &str {
        self.texts[column].get_or_init(|| self.rows.texts(self.part, column)).value(row)
    }
}

/// The rows as they stand in their file, where lines are just these.
pub fn raw_text(rows: &Rows) -> Option<&TextGrid> {
    rows.grid.text().filter(|_| rows.is_plain())
}

/// What happens to a column of the fact on its way to an output. Outputs write numbers as 1234.56 and days
/// as 2025-12-31, whatever the files do; the unit stays.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Change {
    /// It is copied as it stands.
    None,
    /// It is copied; it may hold a comma that means nothing in its file.
    Comma,
    /// Its numbers are written anew.
    Number,
    /// Its days are.
    Date,
}

/// The changes for the columns of a part.
pub fn changes(engine: &Engine, part: &Part) -> Vec<Change> {
    let copied = if part.source.separator().is_none_or(|sign| sign == b',') {
        Change::None
    } else {
        Change::Comma
    };
    let change = |column: usize| {
        let style = part.style.of(column);
        let column_use = &engine.bound.fact.column_use;
        let found = if column_use.is_text(column) || column_use.keys().contains(&column) {
            ColumnType::Text
        } else {
            part.looks_like(column)
        };
        match engine.column_type(column).unwrap_or(found) {
            ColumnType::Number | ColumnType::Integer | ColumnType::Percent
                if style.numbers != NumberStyle::PLAIN =>
            {
                Change::Number
            }
            ColumnType::Date if style.dates != DateStyle::ISO => Change::Date,
            _ => copied,
        }
    };
    (0..part.sources.len()).map(change).collect()
}
