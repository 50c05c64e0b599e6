//! What COPY sends: rows of text, gathered to blocks and split like those of a text file.

use std::io::BufRead;

use interligo_model::place::PartName;

use super::super::Unsplit;
use crate::error::Error;
use crate::grid::Grid;
use crate::text::{PADDING, TextBlock, write_cell};

/// Bytes of a block.
pub(super) const BLOCK: usize = 1 << 19;

/// CopyRows in the text format of COPY, which a server writes in half the time of CSV: fields between commas,
/// characters with a meaning behind a backslash, no quotes.
pub(super) struct Copied(pub(super) TextBlock);

impl Unsplit for Copied {
    fn split(self: Box<Self>, name: &PartName, column_names: &[String]) -> Result<Grid, Error> {
        // Mostly there is nothing that CSV would write otherwise.
        match memchr::memchr2(b'\\', b'"', self.0.rows()) {
            None => Box::new(self.0).split(name, column_names),
            Some(_) => Box::new(quoted(self.0)).split(name, column_names),
        }
    }
}

/// The same rows as CSV.
fn quoted(block: TextBlock) -> TextBlock {
    let mut bytes = Vec::with_capacity(block.bytes.len() + block.length / 8);
    let mut starts = Vec::with_capacity(block.lines as usize);
    let mut field = String::new();
    let mut signs = String::from_utf8_lossy(block.rows()).into_owned();
    // The last row may come without its end.
    if !signs.ends_with('\n') {
        signs.push('\n');
    }
    let mut signs = signs.chars();
    starts.push(0);
    while let Some(sign) = signs.next() {
        match sign {
            ',' | '\n' => {
                write_cell(&mut bytes, &field);
                field.clear();
                bytes.push(sign as u8);
                if sign == '\n' {
                    starts.push(bytes.len() as u32);
                }
            }
            '\\' => field.extend(signs.next().map(unescaped)),
            sign => field.push(sign),
        }
    }
    starts.pop();
    let length = bytes.len();
    bytes.resize(length + PADDING, 0);
    TextBlock { bytes, length, row_starts: Some(starts), ..block }
}

/// What a character behind a backslash means.
fn unescaped(sign: char) -> char {
    match sign {
        'n' => '\n',
        'r' => '\r',
        't' => '\t',
        'b' => '\u{8}',
        'f' => '\u{c}',
        'v' => '\u{b}',
        other => other,
    }
}

/// CopyRows as the server sends them: each in a message of its own.
pub(super) struct CopyRows {
    bytes: Vec<u8>,
    starts: Vec<u32>,
    next_row: u64,
}

impl CopyRows {
    pub(super) fn new() -> CopyRows {
        CopyRows { bytes: Vec::new(), starts: Vec::new(), next_row: 1 }
    }

    pub(super) fn is_empty(&self) -> bool {
        self.starts.is_empty()
    }

    /// Takes rows until there are `size` bytes; `false` at the end.
    pub(super) fn fill(&mut self, reader: &mut impl BufRead, size: usize) -> std::io::Result<bool> {
        self.bytes.reserve(size.min(BLOCK) + PADDING + (1 << 12));
        while self.bytes.len() < size {
            let row = reader.fill_buf()?;
            if row.is_empty() {
                return Ok(false);
            }
            self.starts.push(self.bytes.len() as u32);
            self.bytes.extend_from_slice(row);
            let length = row.len();
            reader.consume(length);
        }
        Ok(true)
    }

    pub(super) fn take(&mut self) -> TextBlock {
        let starts = std::mem::take(&mut self.starts);
        let mut bytes = std::mem::take(&mut self.bytes);
        let (length, lines, first_row) = (bytes.len(), starts.len() as u64, self.next_row);
        bytes.resize(length + PADDING, 0);
        self.next_row += lines;
        TextBlock {
            bytes,
            length,
            first_row,
            lines,
            separator: b',',
            first: first_row == 1,
            last: false,
            row_starts: Some(starts),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// A field as COPY writes it.
    fn copied(text: &str) -> String {
        let mut written = String::new();
        for sign in text.chars() {
            match sign {
                '\n' => written.push_str("\\n"),
                '\r' => written.push_str("\\r"),
                '\t' => written.push_str("\\t"),
                ',' | '\\' => written.extend(['\\', sign]),
                sign => written.push(sign),
            }
        }
        written
    }

    proptest! {
        #[test]
        fn prop_rows_of_a_copy_hold_what_the_table_held(
            cells in prop::collection::vec(prop::collection::vec("[aé,\"\\\\\n\t ]{0,6}", 3), 1..8),
        ) {
            let mut rows = CopyRows::new();
            for row in &cells {
                let fields: Vec<String> = row.iter().map(|cell| copied(cell)).collect();
                rows.starts.push(rows.bytes.len() as u32);
                rows.bytes.extend_from_slice((fields.join(",") + "\n").as_bytes());
            }
            let column_names = ["a", "b", "c"].map(str::to_owned);
            let name = PartName::from("postgres:///shop#t");
            let grid = Box::new(Copied(rows.take())).split(&name, &column_names).unwrap();
            prop_assert_eq!(grid.rows(), cells.len());
            for (number, row) in cells.iter().enumerate() {
                let found: Vec<_> = (0..3).map(|field| grid.cell(number, field).into_owned()).collect();
                prop_assert_eq!(&found, row);
                prop_assert_eq!(grid.row_number(number), number as u64 + 1);
            }
        }
    }
}
