//! JSON lines: an object per row, its members in the order of the columns. Numbers have all their digits, days and
//! periods are texts, unknown values are `null`.

use interligo_engine::links::LinkStatus;
use interligo_engine::outputs::OutputColumn;
use interligo_model::values::column::{Column, Numbers, is_blank_at, is_known};
use interligo_model::values::date::Day;
use interligo_model::values::decimal::write_fixed;
use interligo_model::values::value::Value;

use super::status_text;
use super::typed::refuse_times;
use crate::format::{EncodeLines, LinesShape, OutputFormat, Piece, RowColumn, Unfit};
use crate::raw_lines::LinesBatch;

/// JSON lines.
pub struct JsonLines;

impl OutputFormat for JsonLines {
    fn encode_lines(&self, shape: &LinesShape<'_>) -> Box<dyn EncodeLines> {
        let names: Vec<String> = shape.row_columns().into_iter().map(|own| own.name).collect();
        let members = members(names.iter().map(String::as_str));
        let columns = shape.columns.iter().map(|column| match column {
            OutputColumn::Value { value, least_places, .. } => {
                let day = shape.engine.day_column(*value);
                JsonColumn::Value { value: *value, day, least_places: *least_places }
            }
            OutputColumn::LinkStatus { link, .. } => JsonColumn::Status(*link),
            OutputColumn::LinkKey { link, .. } => {
                let lookup = &shape.engine.lookups[shape.engine.bound.routes[*link].lookup];
                let key = |row| shape.engine.key_of_row(*link, row);
                JsonColumn::Key { link: *link, keys: (0..lookup.rows).map(key).collect() }
            }
            OutputColumn::LinkRow { .. } => unreachable!("only workbooks have such a column"),
            OutputColumn::Cell { column, .. } => JsonColumn::AsRead(*column),
            OutputColumn::Own | OutputColumn::Attribute { .. } => {
                unreachable!("forms that take values are given values")
            }
        });
        Box::new(JsonObjects { columns: columns.collect(), members, names })
    }

    fn encode_rows(&self, columns: &[RowColumn], rows: &[Vec<Value<'_>>]) -> Result<Piece, Unfit> {
        let members = members(columns.iter().map(|own| own.name.as_str()));
        let mut bytes = Vec::new();
        for row in rows {
            write_object(&mut bytes, &members, |bytes, column| {
                write_value(bytes, &row[column], 0);
            });
        }
        Ok(Piece::bytes(bytes, rows.len() as u64))
    }
}

/// The names of members with all that comes before each and between it and its value.
fn members<'n>(names: impl Iterator<Item = &'n str>) -> Vec<Vec<u8>> {
    let member = |(number, name): (usize, &str)| {
        let mut bytes = vec![if number == 0 { b'{' } else { b',' }];
        write_text(&mut bytes, name);
        bytes.push(b':');
        bytes
    };
    names.enumerate().map(member).collect()
}

fn write_object(
    bytes: &mut Vec<u8>,
    members: &[Vec<u8>],
    mut write: impl FnMut(&mut Vec<u8>, usize),
) {
    for (column, member) in members.iter().enumerate() {
        bytes.extend_from_slice(member);
        write(bytes, column);
    }
    bytes.extend_from_slice(if members.is_empty() { b"{}\n" } else { b"}\n" });
}

fn write_text(bytes: &mut Vec<u8>, text: &str) {
    // Most texts have nothing to be escaped; all bytes are looked at together.
    let is_escaped = |byte: u8| byte < b' ' || byte == b'"' || byte == b'\\';
    if !text.bytes().fold(false, |any, byte| any | is_escaped(byte)) {
        bytes.push(b'"');
        bytes.extend_from_slice(text.as_bytes());
        bytes.push(b'"');
        return;
    }
    serde_json::to_writer(bytes, text).expect("a text can be written to memory");
}

fn write_value(bytes: &mut Vec<u8>, value: &Value<'_>, least_places: u8) {
    match value {
        value if value.is_blank() => bytes.extend_from_slice(b"null"),
        Value::Text(text) if text.trim().is_empty() => bytes.extend_from_slice(b"null"),
        Value::Number(number) => {
            bytes.extend_from_slice(number.at_least(least_places).to_string().as_bytes());
        }
        Value::YesNo(yes) => bytes.extend_from_slice(if *yes { b"true" } else { b"false" }),
        Value::Text(text) => write_text(bytes, text),
        other => write_text(bytes, &other.to_string()),
    }
}

/// A value of a column; numbers of the usual kind and days without a detour over a text.
fn write_cell(bytes: &mut Vec<u8>, column: &Column, row: usize, least_places: u8) {
    match column {
        Column::Number(numbers) => match &numbers.numbers {
            Numbers::Fixed { mantissas, places } if is_known(numbers.known.as_ref(), row) => {
                write_fixed(bytes, mantissas[row], *places, least_places);
            }
            _ => write_value(bytes, &column.value(row), least_places),
        },
        Column::Date(days) if is_known(days.known.as_ref(), row) => {
            bytes.push(b'"');
            Day(days.days[row]).write(bytes);
            bytes.push(b'"');
        }
        Column::Text(texts) if !is_blank_at(texts, row) => write_text(bytes, texts.value(row)),
        _ => write_value(bytes, &column.value(row), least_places),
    }
}

/// Lines as objects.
struct JsonObjects {
    members: Vec<Vec<u8>>,
    names: Vec<String>,
    columns: Vec<JsonColumn>,
}

enum JsonColumn {
    /// A value, and the column of the fact where it is just the day in that.
    Value {
        value: usize,
        day: Option<usize>,
        least_places: u8,
    },
    Status(usize),
    /// A column of the fact with times of the day, which no value has.
    AsRead(usize),
    Key {
        link: usize,
        keys: Vec<String>,
    },
}

impl EncodeLines for JsonObjects {
    fn encode(&self, batch: &LinesBatch<'_>, lines: &[u32]) -> Result<Piece, Unfit> {
        for (column, name) in self.columns.iter().zip(&self.names) {
            if let JsonColumn::Value { day: Some(day), .. } = column {
                refuse_times(batch, lines, *day, name)?;
            }
        }
        let statuses = |column: &JsonColumn| match column {
            JsonColumn::Status(link) => batch.lines.statuses(*link),
            _ => Vec::new(),
        };
        let statuses: Vec<Vec<(LinkStatus, u32)>> = self.columns.iter().map(statuses).collect();
        let mut bytes = Vec::with_capacity(batch.bytes * 4);
        for line in lines {
            let row = *line as usize;
            let write = |bytes: &mut Vec<u8>, column: usize| match &self.columns[column] {
                JsonColumn::Value { value, least_places, .. } => {
                    write_cell(bytes, &batch.lines.values[*value], row, *least_places);
                }
                JsonColumn::AsRead(column) => {
                    write_value(bytes, &Value::Text(batch.raw.cell(row, *column).into()), 0);
                }
                JsonColumn::Status(_) => write_text(bytes, &status_text(statuses[column][row])),
                JsonColumn::Key { link, keys } => {
                    match keys.get(batch.lines.link_rows(*link)[row] as usize) {
                        Some(key) => write_text(bytes, key),
                        None => bytes.extend_from_slice(b"null"),
                    }
                }
            };
            write_object(&mut bytes, &self.members, write);
        }
        Ok(Piece::bytes(bytes, lines.len() as u64))
    }
}
