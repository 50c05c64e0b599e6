//! Rows of cells as comma-separated text.

use std::io::Write;

use interligo_model::values::value::Value;
use interligo_sources::text::write_cell;

/// A row of a single blank cell; without the quotes it would be no row to whatever reads it.
pub(super) const BLANK_ROW: &[u8] = b"\"\"";

/// A row of comma-separated text, with its line end.
pub fn csv_row<'c>(cells: impl IntoIterator<Item = &'c str>) -> Vec<u8> {
    let mut out = Vec::new();
    add_row(&mut out, cells, write_cell);
    out
}

/// Adds a row of values.
pub(crate) fn write_row(out: &mut Vec<u8>, row: &[Value<'_>]) {
    add_row(out, row, |out, value| match value {
        Value::Text(text) => write_cell(out, text),
        Value::Number(number) => number.write_to(out),
        // What is no text has nothing that wants quotes, and memory takes what is written.
        other => write!(out, "{other}").unwrap_or_default(),
    });
}

fn add_row<C>(
    out: &mut Vec<u8>,
    cells: impl IntoIterator<Item = C>,
    write: impl Fn(&mut Vec<u8>, C),
) {
    let start = out.len();
    for (number, cell) in cells.into_iter().enumerate() {
        if number > 0 {
            out.push(b',');
        }
        write(out, cell);
    }
    if out.len() == start {
        out.extend_from_slice(BLANK_ROW);
    }
    out.push(b'\n');
}
