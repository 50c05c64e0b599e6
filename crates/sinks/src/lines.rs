//! Outputs of lines: which columns there are, and how the lines of a batch are written.
//!
//! What only passes through is copied as it stands in the file. The cells of lookups are written once
//! per row of the lookup; neighbouring attributes that hang on one link are one piece of text.

use std::borrow::Cow;
use std::cell::OnceCell;
use std::collections::BTreeMap;

use arrow_array::StringViewArray;
use interligo_engine::engine::{Engine, OutputColumn};
use interligo_engine::lines::Lines;
use interligo_engine::links::LinkStatus;
use interligo_engine::proof::faults::{Fault, strikes};
use interligo_engine::proof::tally::Tally;
use interligo_model::plan::ColumnType;
use interligo_model::reading::date_style::DateStyle;
use interligo_model::reading::style::NumberStyle;
use interligo_model::values::amount::{self, Amount};
use interligo_model::values::column::{Column, Numbers};
use interligo_model::values::decimal::write_fixed;
use interligo_sources::grid::TextGrid;
use interligo_sources::table::parts::{Part, Source, Table};
use interligo_sources::table::rows::Rows;
use interligo_sources::text::{unquoted, write_cell};

use crate::formats::csv::BLANK_ROW;

/// Lookups with more rows than this keep the cells of each attribute apart, to save memory.
const JOINED_ROWS: usize = 1 << 20;

/// An output of lines, ready to write.
pub struct LinesOutput {
    pieces: Vec<Piece>,
    heading: Vec<u8>,
    /// The figures that it holds, each with the number of its value.
    pub figures: BTreeMap<usize, usize>,
}

/// Text that an output puts out.
#[derive(Clone, Default)]
pub struct PutOut {
    /// Their text.
    pub text: Vec<u8>,
    /// How many rows were counted in it.
    pub rows: u64,
    /// The lines that it holds.
    pub tally: Tally,
}

enum Piece {
    /// All of the fact's own columns.
    Own,
    /// One of them.
    Cell(usize),
    /// The cells of attributes by the row that a link from the fact found.
    Attributes { link: usize, cells: Cells },
    /// How a link came out.
    Status(usize),
    /// The key of the row that a link found.
    Key { link: usize, cells: Cells },
    /// A value that was worked out.
    Value { value: usize, least_places: u8 },
}

/// A stretch of cells per row of a lookup; the last is that of lines without a row.
struct Cells {
    bytes: Vec<u8>,
    ends: Vec<u32>,
}

impl Cells {
    fn of(&self, row: u32) -> &[u8] {
        let row = (row as usize).min(self.ends.len() - 1);
        let start = row.checked_sub(1).map_or(0, |before| self.ends[before] as usize);
        &self.bytes[start..self.ends[row] as usize]
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
    computed: Vec<Option<&'a Column>>,
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
    fn text(&self, column: usize, row: usize) -> &str {
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
        let wishes = &engine.bound.fact.wishes;
        let found = if wishes.is_text(column) || wishes.keys().contains(&column) {
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

impl LinesOutput {
    /// Prepares the cells of an output.
    pub fn new(columns: &[OutputColumn], engine: &Engine, fact: &Table) -> LinesOutput {
        let mut output =
            LinesOutput { pieces: Vec::new(), heading: Vec::new(), figures: BTreeMap::new() };
        let mut attributes: Vec<(usize, usize)> = Vec::new();
        let mut headings: Vec<&str> = Vec::new();
        for column in columns {
            if let OutputColumn::Attribute { heading, link, column } = column {
                headings.push(heading);
                let joins = attributes.first().is_none_or(|(first, _)| {
                    engine.anchor(*first) == engine.anchor(*link)
                        && engine.lookup_rows(engine.anchor(*link)) <= JOINED_ROWS
                });
                if !joins {
                    output.end_attributes(&mut attributes, engine);
                }
                attributes.push((*link, *column));
                continue;
            }
            output.end_attributes(&mut attributes, engine);
            output.pieces.push(match column {
                OutputColumn::Own => {
                    headings.extend(fact.columns.names.iter().map(String::as_str));
                    Piece::Own
                }
                OutputColumn::Cell(column) => {
                    headings.push(&fact.columns.names[*column]);
                    Piece::Cell(*column)
                }
                OutputColumn::LinkStatus { heading, link } => {
                    headings.push(heading);
                    Piece::Status(*link)
                }
                OutputColumn::LinkKey { heading, link } => {
                    headings.push(heading);
                    Piece::Key { link: *link, cells: keys_of_rows(*link, engine) }
                }
                OutputColumn::Value { heading, value, least_places } => {
                    headings.push(heading);
                    if let Some(figure) = engine.figure_of_value(*value) {
                        output.figures.insert(figure, *value);
                    }
                    Piece::Value { value: *value, least_places: *least_places }
                }
                OutputColumn::Attribute { .. } => unreachable!("attributes are gathered above"),
            });
        }
        output.end_attributes(&mut attributes, engine);
        for (number, heading) in headings.iter().enumerate() {
            if number > 0 {
                output.heading.push(b',');
            }
            write_cell(&mut output.heading, heading);
        }
        output.heading.push(b'\n');
        output
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
        self.pieces.push(Piece::Attributes { link, cells });
        attributes.clear();
    }

    /// The heading row.
    pub fn heading(&self) -> &[u8] {
        &self.heading
    }

    /// Appends the lines of a batch that are not set aside; the answer has those that it has put out, one for each row of
    /// text.
    pub fn write(&self, lines: &Lines<'_>, raw: &RawLines<'_>, out: &mut Vec<u8>) -> Vec<u32> {
        let mut put_out = Vec::with_capacity(lines.rows);
        let statuses = |piece: &Piece| match piece {
            Piece::Status(link) => lines.statuses(*link),
            _ => Vec::new(),
        };
        let statuses: Vec<_> = self.pieces.iter().map(statuses).collect();
        let mut kept: Vec<u32> = (0..lines.rows as u32)
            .filter(|row| lines.aside.is_empty() || !lines.is_aside(*row))
            .collect();
        go_wrong(&mut kept);
        for row in kept {
            self.write_line(row as usize, lines, raw, &statuses, out);
            put_out.push(row);
        }
        if !put_out.is_empty() && strikes(Fault::TextCutShort) {
            let before = memchr::memrchr(b'\n', &out[..out.len() - 1]).map_or(0, |end| end + 1);
            out.truncate(before);
        }
        put_out
    }

    fn write_line(
        &self,
        row: usize,
        lines: &Lines<'_>,
        raw: &RawLines<'_>,
        statuses: &[Vec<(LinkStatus, u32)>],
        out: &mut Vec<u8>,
    ) {
        let start = out.len();
        for (number, piece) in self.pieces.iter().enumerate() {
            if number > 0 {
                out.push(b',');
            }
            match piece {
                Piece::Own => write_own(raw, row, out),
                Piece::Cell(column) => write_source(raw, row, *column, out),
                Piece::Attributes { link, cells } | Piece::Key { link, cells } => {
                    out.extend_from_slice(cells.of(lines.link_rows(*link)[row]));
                }
                Piece::Status(_) => write_status(&statuses[number], row, out),
                Piece::Value { value, least_places } => {
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

/// The key of each row of a link's lookup; a row of `fill` has none.
fn keys_of_rows(link: usize, engine: &Engine) -> Cells {
    let mut cells = Cells { bytes: Vec::new(), ends: Vec::new() };
    let rows = engine.lookups[engine.bound.routes[link].lookup].rows;
    for row in 0..rows {
        write_cell(&mut cells.bytes, &engine.key_of_row(link, row));
        cells.ends.push(cells.bytes.len() as u32);
    }
    cells.ends.push(cells.bytes.len() as u32);
    cells
}

/// How a link came out on a row; of an alternative, which candidate was found;
/// of a row of another day, over how many days.
fn write_status(statuses: &[(LinkStatus, u32)], row: usize, out: &mut Vec<u8>) {
    let (status, by) = statuses[row];
    out.extend_from_slice(status.name().as_bytes());
    match status {
        LinkStatus::Alternate => out.extend_from_slice(format!(" {}", by + 1).as_bytes()),
        LinkStatus::Carried => {
            let days = if by == 1 { "1 day".to_owned() } else { format!("{by} days") };
            out.extend_from_slice(format!(" {days}").as_bytes());
        }
        _ => {}
    }
}

/// The fact's own columns of a row.
pub fn write_own(raw: &RawLines<'_>, row: usize, out: &mut Vec<u8>) {
    let mut columns = 0..raw.part.sources.len();
    let fields = &raw.changes[..raw.part.sources.len().min(raw.part.width())];
    if let Some(text) = raw_text(raw.rows).filter(|_| raw.part.in_order)
        && fields.iter().all(|change| *change == Change::None)
    {
        out.extend_from_slice(text.fields.row(&text.buffer, row));
        columns.start = raw.part.width();
    }
    for column in columns {
        if column > 0 {
            out.push(b',');
        }
        write_source(raw, row, column, out);
    }
}

fn write_source(raw: &RawLines<'_>, row: usize, column: usize, out: &mut Vec<u8>) {
    let change = raw.changes[column];
    let text: Cow<'_, str> = match &raw.part.sources[column] {
        Source::Field(field) if let Some(text) = raw_text(raw.rows) => {
            let field = text.fields.field(&text.buffer, row, *field);
            if change == Change::None {
                return out.extend_from_slice(field);
            }
            unquoted(std::str::from_utf8(field).expect("blocks are checked to be UTF-8"))
        }
        Source::Field(_) | Source::Made(_) => raw.text(column, row).into(),
        Source::Same(text) => return write_cell(out, text),
        Source::Computed => {
            if let Some(values) = raw.computed[column] {
                write_value(values, row, 0, out);
            }
            return;
        }
        Source::Absent => return,
    };
    let style = raw.part.style.of(column);
    match change {
        Change::Number if write_plain_number(text.trim(), style.numbers, out) => {}
        Change::Date => match style.dates.read(text.trim()) {
            Some(day) => day.write(out),
            None => write_cell(out, &text),
        },
        _ => write_cell(out, &text),
    }
}

/// Appends a number as 1234.56, with its percent sign if it has one; false when it is no number. A
/// currency mark is dropped.
fn write_plain_number(text: &str, style: NumberStyle, out: &mut Vec<u8>) -> bool {
    let number = text.strip_suffix('%').map_or(text, str::trim_end);
    let Some(Amount { number: value, .. }) = amount::read(number, style) else { return false };
    match i64::try_from(value.mantissa()) {
        Ok(mantissa) => write_fixed(out, mantissa, value.places(), value.places()),
        Err(_) => out.extend_from_slice(value.to_string().as_bytes()),
    }
    out.extend_from_slice(&text.as_bytes()[number.len()..]);
    true
}

fn write_value(column: &Column, row: usize, least_places: u8, out: &mut Vec<u8>) {
    if let Column::Number(numbers) = column
        && let Numbers::Fixed { mantissas, places } = &numbers.numbers
    {
        if numbers.known.as_ref().is_none_or(|known| known.is_valid(row)) {
            write_fixed(out, mantissas[row], *places, least_places);
        }
        return;
    }
    let value = column.value(row);
    match value.number() {
        Some(number) => out.extend_from_slice(number.at_least(least_places).to_string().as_bytes()),
        None => write_cell(out, &value.to_string()),
    }
}
