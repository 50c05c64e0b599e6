//! Lines as they were read, on their way to outputs: numbers as 1234.56 and days as 2025-12-31, whatever the files do; what
//! else passes through is copied as it is.

use std::borrow::Cow;
use std::cell::OnceCell;

use arrow_array::StringViewArray;
use interligo_engine::engine::Engine;
use interligo_engine::lines::Lines;
use interligo_model::plan::ColumnType;
use interligo_model::reading::date_style::{DateStyle, millis_of_day};
use interligo_model::reading::style::NumberStyle;
use interligo_model::values::amount::{self, Amount};
use interligo_model::values::column::{Column, Numbers};
use interligo_model::values::decimal::write_fixed;
use interligo_sources::grid::TextGrid;
use interligo_sources::table::parts::{ColumnSource, Part};
use interligo_sources::table::rows::Rows;
use interligo_sources::text::{unquoted, write_cell};

/// A batch of lines, as computed and as read.
pub struct LinesBatch<'a> {
    /// What was computed.
    pub lines: &'a Lines<'a>,
    /// What was read.
    pub raw: &'a RawLines<'a>,
    /// How many bytes it took as text.
    pub bytes: usize,
}

/// The lines of a batch as they are in their file.
pub struct RawLines<'a> {
    /// The rows.
    pub rows: &'a Rows,
    /// The part that they are of.
    pub part: &'a Part,
    /// What happens to each column.
    pub changes: &'a [Change],
    /// The texts of the columns, where lines are not rows as they are; made when they are asked for.
    texts: Vec<OnceCell<StringViewArray>>,
    /// Of each column that is computed, its values.
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

/// The rows as they are in their file, where lines are just these.
pub fn raw_text(rows: &Rows) -> Option<&TextGrid> {
    rows.grid.text().filter(|_| rows.is_plain())
}

/// What happens to a column of the fact on its way to an output. Outputs write numbers as 1234.56 and days
/// as 2025-12-31, whatever the files do; the unit stays.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Change {
    /// It is copied as it is.
    None,
    /// It is copied; it may hold a comma that means nothing in its file.
    Comma,
    /// Its numbers are written again.
    Number,
    /// Its days are.
    Date,
}

/// What a column of the fact is, where it passes through as it was read.
pub fn type_as_read(engine: &Engine, part: &Part, column: usize) -> ColumnType {
    let column_use = &engine.bound.fact.column_use;
    let is_text = column_use.is_text(column) || column_use.keys().contains(&column);
    let found = || if is_text { ColumnType::Text } else { part.looks_like(column) };
    engine.column_type(column).unwrap_or_else(found)
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
        match type_as_read(engine, part, column) {
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
/// The fact's own columns of a row.
pub(crate) fn write_own(raw: &RawLines<'_>, row: usize, out: &mut Vec<u8>) {
    let mut columns = 0..raw.part.sources.len();
    let fields = &raw.changes[..raw.part.sources.len().min(raw.part.width())];
    if let Some(text) = raw_text(raw.rows).filter(|_| raw.part.in_order)
        && text.fields.is_regular()
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

pub(crate) fn write_source(raw: &RawLines<'_>, row: usize, column: usize, out: &mut Vec<u8>) {
    let change = raw.changes[column];
    let text: Cow<'_, str> = match &raw.part.sources[column] {
        ColumnSource::Field(field) if let Some(text) = raw_text(raw.rows) => {
            let field = text.fields.field(&text.buffer, row, *field);
            if change == Change::None && text.fields.is_regular() {
                return out.extend_from_slice(field);
            }
            unquoted(std::str::from_utf8(field).expect("blocks are checked to be UTF-8"))
        }
        ColumnSource::Field(_) | ColumnSource::Made(_) => raw.text(column, row).into(),
        ColumnSource::Same(text) => return write_cell(out, text),
        ColumnSource::Computed => {
            if let Some(values) = raw.computed[column] {
                write_value(values, row, 0, out);
            }
            return;
        }
        ColumnSource::Absent => return,
    };
    let style = raw.part.style.of(column);
    match change {
        Change::Number if write_plain_number(text.trim(), style.numbers, out) => {}
        Change::Date => match style.dates.read(text.trim()) {
            Some(day) => {
                day.write(out);
                write_time(&text, out);
            }
            None => write_cell(out, &text),
        },
        _ => write_cell(out, &text),
    }
}

/// Appends the time of the day that a text has, other than its begin: ` 14:30`, ` 14:30:15`, ` 14:30:15.250`.
fn write_time(text: &str, out: &mut Vec<u8>) {
    let Some(millis) = millis_of_day(text).filter(|millis| *millis > 0) else { return };
    let (minutes, seconds, rest) = (millis / 60_000, millis / 1_000 % 60, millis % 1_000);
    let mut time = format!(" {:02}:{:02}", minutes / 60, minutes % 60);
    if seconds > 0 || rest > 0 {
        time += &format!(":{seconds:02}");
    }
    if rest > 0 {
        time += &format!(".{rest:03}");
    }
    out.extend_from_slice(time.as_bytes());
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

pub(crate) fn write_value(column: &Column, row: usize, least_places: u8, out: &mut Vec<u8>) {
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
