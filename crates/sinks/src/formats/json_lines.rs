//! JSON lines: an object per row, its members in the order of the columns. Numbers have all their digits, days and
//! periods are texts, unknown values are `null`.

use interligo_engine::links::LinkStatus;
use interligo_engine::outputs::OutputColumn;
use interligo_model::values::column::{Column, Numbers, is_known};
use interligo_model::values::date::Day;
use interligo_model::values::decimal::write_fixed;
use interligo_model::values::value::Value;

use super::status_text;
use crate::format::{EncodeLines, LinesShape, OutputFormat, Piece, RowColumn, Unfit};
use crate::raw_lines::LinesBatch;

/// JSON lines.
pub struct JsonLines;

impl OutputFormat for JsonLines {
    fn encode_lines(&self, shape: &LinesShape<'_>) -> Box<dyn EncodeLines> {
        let members = shape.row_columns().iter().map(|own| member(&own.name)).collect();
        let columns = shape.columns.iter().map(|column| match column {
            OutputColumn::Value { value, least_places, .. } => {
                JsonColumn::Value { value: *value, least_places: *least_places }
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
        Box::new(JsonObjects { members, columns: columns.collect() })
    }

    fn encode_rows(&self, columns: &[RowColumn], rows: &[Vec<Value<'_>>]) -> Result<Piece, Unfit> {
        let members: Vec<Vec<u8>> = columns.iter().map(|own| member(&own.name)).collect();
        let mut bytes = Vec::new();
        for row in rows {
            write_object(&mut bytes, &members, row.len(), |bytes, column| {
                write_value(bytes, &row[column], 0);
            });
        }
        Ok(counted(bytes))
    }
}

/// A member's name with its colon.
fn member(name: &str) -> Vec<u8> {
    let mut bytes = Vec::new();
    write_text(&mut bytes, name);
    bytes.push(b':');
    bytes
}

/// Line ends within texts are escaped, so that every other one ends a row.
fn counted(bytes: Vec<u8>) -> Piece {
    let rows = memchr::memchr_iter(b'\n', &bytes).count() as u64;
    Piece::bytes(bytes, rows)
}

fn write_object(
    bytes: &mut Vec<u8>,
    members: &[Vec<u8>],
    columns: usize,
    mut write: impl FnMut(&mut Vec<u8>, usize),
) {
    bytes.push(b'{');
    for (column, name) in members.iter().enumerate().take(columns) {
        if column > 0 {
            bytes.push(b',');
        }
        bytes.extend_from_slice(name);
        write(bytes, column);
    }
    bytes.extend_from_slice(b"}\n");
}

fn write_text(bytes: &mut Vec<u8>, text: &str) {
    // Most texts have nothing to be escaped.
    if !text.bytes().any(|byte| byte < b' ' || matches!(byte, b'"' | b'\\')) {
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
        _ => write_value(bytes, &column.value(row), least_places),
    }
}

/// Lines as objects.
struct JsonObjects {
    members: Vec<Vec<u8>>,
    columns: Vec<JsonColumn>,
}

enum JsonColumn {
    Value {
        value: usize,
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
        let statuses = |column: &JsonColumn| match column {
            JsonColumn::Status(link) => batch.lines.statuses(*link),
            _ => Vec::new(),
        };
        let statuses: Vec<Vec<(LinkStatus, u32)>> = self.columns.iter().map(statuses).collect();
        let mut bytes = Vec::with_capacity(batch.bytes * 4);
        for line in lines {
            let row = *line as usize;
            let write = |bytes: &mut Vec<u8>, column: usize| match &self.columns[column] {
                JsonColumn::Value { value, least_places } => {
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
            write_object(&mut bytes, &self.members, self.columns.len(), write);
        }
        Ok(counted(bytes))
    }
}
