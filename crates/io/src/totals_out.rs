//! Totals as text files: one row per group, every figure in full.

use interligo_core::totals::TotalsTable;

use crate::text::write_cell;

/// A table of totals as comma-separated text.
pub fn csv(table: &TotalsTable) -> Vec<u8> {
    let mut out = Vec::new();
    let headings = table.by.iter().chain(&table.measures);
    write_row(&mut out, headings.map(String::as_str));
    for row in &table.rows {
        let key = row.key.iter().map(ToString::to_string);
        let values = row.values.iter().map(|value| value.map_or(String::new(), |v| v.to_string()));
        let cells: Vec<String> = key.chain(values).collect();
        write_row(&mut out, cells.iter().map(String::as_str));
    }
    out
}

fn write_row<'c>(out: &mut Vec<u8>, cells: impl Iterator<Item = &'c str>) {
    for (number, cell) in cells.enumerate() {
        if number > 0 {
            out.push(b',');
        }
        write_cell(out, cell);
    }
    out.push(b'\n');
}
