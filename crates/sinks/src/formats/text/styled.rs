//! Text in another style than the usual: separator, numbers, days, encoding and line ends as the plan says. Own columns are
//! written as values here.

use interligo_engine::eval::ExprKind;
use interligo_engine::outputs::OutputColumn;
use interligo_engine::totals::MeasureKind;
use interligo_model::reading::date_style::DateStyle;
use interligo_model::reading::style::NumberStyle;
use interligo_model::values::column::{Column, ColumnKind};
use interligo_model::values::decimal::{Decimal, Rounding};
use interligo_model::values::value::Value;
use interligo_sources::text::rows_in;

use super::super::typed::{typed_lines, typed_rows};
use crate::format::{EncodeLines, LinesShape, OutputFormat, Piece, RowColumn, Unfit, UnfitReason};
use crate::raw_lines::LinesBatch;

/// How a text file is to be written.
#[derive(Clone, Copy, Debug)]
pub struct TextStyle {
    /// Between fields.
    pub separator: char,
    /// Numbers.
    pub numbers: NumberStyle,
    /// Days.
    pub dates: DateStyle,
    /// The decimal places of numbers; those they have where it is none. A number with more is rounded.
    pub places: Option<u8>,
    /// The encoding.
    pub encoding: &'static encoding_rs::Encoding,
    /// Whether lines end as in DOS.
    pub carriage_return: bool,
    /// Whether an apostrophe comes before texts that a spreadsheet takes for formulas.
    pub guard: bool,
}

impl Default for TextStyle {
    fn default() -> TextStyle {
        TextStyle {
            separator: ',',
            numbers: NumberStyle::PLAIN,
            dates: DateStyle::ISO,
            places: None,
            encoding: encoding_rs::UTF_8,
            carriage_return: false,
            guard: false,
        }
    }
}

/// Text in a style of its own.
pub struct StyledText(pub TextStyle);

impl OutputFormat for StyledText {
    fn encode_lines(&self, shape: &LinesShape<'_>) -> Box<dyn EncodeLines> {
        Box::new(StyledLines {
            style: self.0,
            typed: typed_lines(shape),
            columns: shape.row_columns(),
            percents: shape.columns.iter().map(|column| is_own_percent(shape, column)).collect(),
        })
    }

    fn encode_rows(&self, columns: &[RowColumn], rows: &[Vec<Value<'_>>]) -> Result<Piece, Unfit> {
        let mut own = columns.to_vec();
        own.resize(rows.first().map_or(0, Vec::len), RowColumn::text(""));
        self.0.rows(typed_rows(&own, rows).as_columns(), &own, &[])
    }

    fn head(&self, columns: &[RowColumn]) -> Vec<u8> {
        let mut text = String::new();
        for (number, column) in columns.iter().enumerate() {
            if number > 0 {
                text.push(self.0.separator);
            }
            self.0.write_cell(&column.name, &mut text);
        }
        self.0.end_line(text.is_empty(), &mut text);
        // A name that cannot be written so is that of a column; the plan has it, and can give another.
        let plain = text.clone();
        self.0.encoded(text).unwrap_or_else(|| self.0.encoding.encode(&plain).0.into_owned())
    }
}

struct StyledLines {
    style: TextStyle,
    typed: Box<dyn EncodeLines>,
    columns: Vec<RowColumn>,
    /// Of each column, whether its values are written in percent.
    percents: Vec<bool>,
}

/// Whether a column is one of percents in the fact, which stay as they are.
fn is_own_percent(shape: &LinesShape<'_>, column: &OutputColumn) -> bool {
    match column {
        OutputColumn::Value { value, shown: MeasureKind::Percent(_), .. } => {
            matches!(shape.engine.value_expr(*value).kind, ExprKind::Column(_))
        }
        _ => false,
    }
}

impl EncodeLines for StyledLines {
    fn encode(&self, batch: &LinesBatch<'_>, lines: &[u32]) -> Result<Piece, Unfit> {
        let typed = self.typed.encode(batch, lines)?;
        let placed = |unfit: Unfit| Unfit { line: lines[unfit.line as usize], ..unfit };
        self.style.rows(typed.as_columns(), &self.columns, &self.percents).map_err(placed)
    }
}

impl TextStyle {
    fn rows(
        &self,
        columns: &[Column],
        own: &[RowColumn],
        percents: &[bool],
    ) -> Result<Piece, Unfit> {
        let mut text = String::new();
        for row in 0..columns.first().map_or(0, Column::len) {
            let start = text.len();
            for (number, (column, own)) in columns.iter().zip(own).enumerate() {
                if number > 0 {
                    text.push(self.separator);
                }
                let value = column.value(row);
                match (&value, percents.get(number)) {
                    (Value::Number(share), Some(true)) => {
                        self.write_percent(*share, own.kind, &mut text);
                    }
                    _ => self.write_value(&value, own.kind, &mut text),
                }
            }
            let blank = text.len() == start;
            self.end_line(blank, &mut text);
        }
        let rows = rows_in(text.as_bytes());
        match self.encoded(text) {
            Some(bytes) => Ok(Piece::bytes(bytes, rows)),
            None => Err(self.first_unfit(columns, own)),
        }
    }

    fn write_value(&self, value: &Value<'_>, kind: ColumnKind, text: &mut String) {
        match value {
            Value::Blank => {}
            Value::Number(number) => self.write_number(*number, kind, text),
            Value::Date(day) => {
                let mut written = String::new();
                self.dates.write(*day, 0, &mut written);
                self.write_cell(&written, text);
            }
            Value::Text(own) => self.write_cell(&self.guarded(own), text),
            other => self.write_cell(&other.to_string(), text),
        }
    }

    /// `12,5 %`, with no more places than the others have.
    fn write_percent(&self, number: Decimal, kind: ColumnKind, text: &mut String) {
        let Some(percent) = number.checked_mul(Decimal::from(100)) else {
            return self.write_number(number, kind, text);
        };
        let most = self.places.unwrap_or(u8::MAX).min(percent.places());
        let percent = percent.round(most, Rounding::HalfEven).unwrap_or(percent).trimmed(0);
        let mut written = String::new();
        TextStyle { places: None, ..*self }.write_number(percent, kind, &mut written);
        self.write_cell(&format!("{} %", written.trim_matches('"')), text);
    }

    fn write_number(&self, number: Decimal, kind: ColumnKind, text: &mut String) {
        // Whole numbers may be codes, which stay as they are.
        let has_places = matches!(kind, ColumnKind::Number(1..));
        let number = match self.places.filter(|_| has_places) {
            Some(places) => {
                let rounded = number.round(places, Rounding::HalfEven).unwrap_or(number);
                rounded.with_places(places).unwrap_or(rounded)
            }
            None => number,
        };
        let mut plain = number.to_string();
        if let Some(mark) = self.numbers.thousands.filter(|_| has_places) {
            mark_thousands(&mut plain, mark);
        }
        if self.numbers.decimal != '.' {
            // The mark between thousands may be a point.
            if let Some(point) = plain.rfind('.').filter(|_| number.places() > 0) {
                plain.replace_range(point..=point, self.numbers.decimal.encode_utf8(&mut [0; 4]));
            }
        }
        self.write_cell(&plain, text);
    }

    /// A text that no spreadsheet takes for a formula.
    fn guarded<'t>(&self, text: &'t str) -> std::borrow::Cow<'t, str> {
        let dangerous = text.starts_with(['=', '+', '-', '@', '\t', '\r']);
        if self.guard && dangerous && Decimal::parse(text.as_bytes()).is_none() {
            return format!("'{text}").into();
        }
        text.into()
    }

    fn write_cell(&self, cell: &str, text: &mut String) {
        let special = |c: char| c == self.separator || matches!(c, '"' | '\n' | '\r');
        if !cell.contains(special) && cell.trim() == cell {
            text.push_str(cell);
            return;
        }
        text.push('"');
        text.push_str(&cell.replace('"', "\"\""));
        text.push('"');
    }

    fn end_line(&self, blank: bool, text: &mut String) {
        if blank {
            // A row of a single blank cell would be no row to whatever reads it.
            text.push_str("\"\"");
        }
        text.push_str(if self.carriage_return { "\r\n" } else { "\n" });
    }

    /// The text in the encoding; none where it does not have one of its characters.
    fn encoded(&self, text: String) -> Option<Vec<u8>> {
        if self.encoding == encoding_rs::UTF_8 {
            return Some(text.into_bytes());
        }
        let (bytes, _, unmappable) = self.encoding.encode(&text);
        (!unmappable).then(|| bytes.into_owned())
    }

    /// The first text with a character that the encoding does not have.
    fn first_unfit(&self, columns: &[Column], own: &[RowColumn]) -> Unfit {
        let rows = 0..columns.first().map_or(0, Column::len);
        let cells = rows.flat_map(|row| columns.iter().zip(own).map(move |c| (row, c)));
        let mut unfit = cells.filter_map(|(row, (column, own))| {
            let value = column.value(row).to_string();
            let cannot = self.encoded(value.clone()).is_none();
            cannot.then(|| (row, own.name.clone(), value))
        });
        let (row, column, value) = unfit.next().unwrap_or_default();
        let why = UnfitReason::Encoding(self.encoding.name());
        Unfit { column, value, why, line: row as u32 }
    }
}

/// Puts a mark between the thousands of a plain number.
fn mark_thousands(plain: &mut String, mark: char) {
    let end = plain.find('.').unwrap_or(plain.len());
    let start = usize::from(plain.starts_with('-'));
    let mut at = end;
    while at > start + 3 {
        at -= 3;
        plain.insert(at, mark);
    }
}
