//! Text tables: fields by commas or another character, quotes where a field holds that character, a quote or a
//! line end (RFC 4180).
//!
//! [`BlockReader`] cuts a file into blocks of whole rows, one after the other; [`Fields`] splits a block
//! into fields, on any core; [`Fields::column`] makes text columns of them without copying.
//! [`write_cell`] is the way back.

mod blocks;
mod fields;
mod source;

pub use blocks::{BlockReader, PADDING, TAIL, TextBlock};
pub use fields::{Fields, Ragged, first_row, same_text};
pub use source::{Dialect, Input, decoded};

/// Appends a cell, in quotes if it needs them.
pub fn write_cell(out: &mut Vec<u8>, text: &str) {
    let bytes = text.as_bytes();
    if !bytes.iter().any(|b| matches!(b, b'"' | b'\n' | b'\r' | b',')) {
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

/// How many rows of cells a text has, counted by their ends; a line end in quotes ends none.
pub fn rows_in(text: &[u8]) -> u64 {
    if memchr::memchr(b'"', text).is_none() {
        return memchr::memchr_iter(b'\n', text).count() as u64;
    }
    let (mut rows, mut quoted) = (0, false);
    for at in memchr::memchr2_iter(b'"', b'\n', text) {
        match text[at] {
            b'"' => quoted = !quoted,
            _ => rows += u64::from(!quoted),
        }
    }
    rows
}

/// The text of a field as it is in the file: without its quotes, doubled quotes as one.
pub fn unquoted(field: &str) -> std::borrow::Cow<'_, str> {
    match field.strip_prefix('"').and_then(|rest| rest.strip_suffix('"')) {
        Some(inner) if inner.contains('"') => inner.replace("\"\"", "\"").into(),
        Some(inner) => inner.into(),
        None => field.into(),
    }
}
