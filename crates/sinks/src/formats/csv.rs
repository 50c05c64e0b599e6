//! Tables as text files: totals with every figure in full, and single rows for other lists.

use interligo_engine::totals::{TotalsRow, TotalsTable};
use interligo_model::values::value::Value;

use interligo_sources::text::write_cell;

/// A table of totals as comma-separated text, one row per group. Where there are subtotals, the first column says the
/// level of a row, so that no sum takes a line in twice.
pub fn totals_csv(table: &TotalsTable) -> Vec<u8> {
    [totals_heading(table), totals_rows(table)].concat()
}

/// The row of headings.
pub fn totals_heading(table: &TotalsTable) -> Vec<u8> {
    let values = table.columns.iter().map(|column| table.heading_of(column));
    let level = is_leveled(table).then(|| "level".to_owned());
    let headings: Vec<String> =
        level.into_iter().chain(table.by.iter().cloned()).chain(values).collect();
    csv_row(headings.iter().map(String::as_str))
}

/// The rows below the headings.
pub fn totals_rows(table: &TotalsTable) -> Vec<u8> {
    let mut out = Vec::new();
    let whole = table.by.is_empty().then_some(&table.whole);
    for row in table.rows.iter().chain(whole) {
        let mut cells = Vec::new();
        if is_leveled(table) {
            cells.push((row.level + 1).to_string());
        }
        cells.extend(row_labels(table, row, ToString::to_string));
        cells.extend(row.values.iter().map(ToString::to_string));
        out.extend(csv_row(cells.iter().map(String::as_str)));
    }
    out
}

fn is_leveled(table: &TotalsTable) -> bool {
    table.levels.len() > 1
}

/// The attributes of a row as texts, blank below its level; the rest is named where its first attribute would stand.
pub fn row_labels(
    table: &TotalsTable,
    row: &TotalsRow,
    text: impl Fn(&Value<'static>) -> String,
) -> Vec<String> {
    let mut labels: Vec<String> = row.key.iter().map(text).collect();
    labels.extend(row.rest.map(|rest| format!("(the other {rest})")));
    labels.resize(table.by.len(), String::new());
    labels
}

/// A row of a single blank cell; without the quotes it would be no row to whatever reads it.
pub const BLANK_ROW: &[u8] = b"\"\"";

/// A row of comma-separated text, with its line end.
pub fn csv_row<'c>(cells: impl IntoIterator<Item = &'c str>) -> Vec<u8> {
    let mut out = Vec::new();
    for (number, cell) in cells.into_iter().enumerate() {
        if number > 0 {
            out.push(b',');
        }
        write_cell(&mut out, cell);
    }
    if out.is_empty() {
        out.extend_from_slice(BLANK_ROW);
    }
    out.push(b'\n');
    out
}
