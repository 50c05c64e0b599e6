//! Rows of cells as comma-separated text.

use interligo_sources::text::write_cell;

/// A row of a single blank cell; without the quotes it would be no row to whatever reads it.
pub(super) const BLANK_ROW: &[u8] = b"\"\"";

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
