//! Text tables: fields by commas, quotes where a field holds a comma, quote or line end (RFC 4180).
//!
//! [`BlockReader`] cuts a file into blocks of whole rows, one after the other; [`Fields`] splits a block
//! into fields, on any core; [`Fields::column`] makes text columns of them without copying.
//! [`write_cell`] is the way back.

mod blocks;
mod fields;

pub(crate) use blocks::{Block, BlockReader, PADDING};
pub(crate) use fields::{Fields, first_row, same_text};

/// The sign between two fields.
pub(crate) const SEPARATOR: u8 = b',';

/// Appends a cell, in quotes if it needs them.
pub(crate) fn write_cell(out: &mut Vec<u8>, text: &str) {
    let bytes = text.as_bytes();
    if !bytes.iter().any(|b| matches!(b, b'"' | b'\n' | b'\r' | &SEPARATOR)) {
        out.extend_from_slice(bytes);
        return;
    }
    out.push(b'"');
    for byte in bytes {
        if *byte == b'"' {
            out.push(b'"');
        }
        out.push(*byte);
    }
    out.push(b'"');
}

/// The text of a field as it stands in the file: without its quotes, doubled quotes as one.
pub(crate) fn unquoted(field: &str) -> std::borrow::Cow<'_, str> {
    match field.strip_prefix('"').and_then(|rest| rest.strip_suffix('"')) {
        Some(inner) if inner.contains('"') => inner.replace("\"\"", "\"").into(),
        Some(inner) => inner.into(),
        None => field.into(),
    }
}
