//! Tables as text files: totals with every figure in full, and single rows for other lists.

use interligo_core::totals::TotalsTable;

use crate::text::write_cell;

/// A table of totals as comma-separated text, one row per group.
pub fn totals_csv(table: &TotalsTable) -> Vec<u8> {
    let headings = table.by.iter().chain(&table.measures);
    let mut out = csv_row(headings.map(String::as_str));
    for row in &table.rows {
        let key = row.key.iter().map(ToString::to_string);
        let values = row.values.iter().map(|value| value.map_or(String::new(), |v| v.to_string()));
        let cells: Vec<String> = key.chain(values).collect();
        out.extend(csv_row(cells.iter().map(String::as_str)));
    }
    out
}

/// A row of comma-separated text, with its line end.
pub fn csv_row<'c>(cells: impl IntoIterator<Item = &'c str>) -> Vec<u8> {
    let mut out = Vec::new();
    for (number, cell) in cells.into_iter().enumerate() {
        if number > 0 {
            out.push(b',');
        }
        write_cell(&mut out, cell);
    }
    out.push(b'\n');
    out
}
