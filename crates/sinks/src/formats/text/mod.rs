//! Comma-separated text: own columns as they were read, numbers as 1234.56, days as 2025-12-31, unknown values as nothing.

pub(crate) mod lines;
mod rows;
pub mod styled;

use interligo_model::values::value::Value;
use interligo_sources::text::{rows_in, write_cell};

pub use rows::csv_row;
pub(crate) use rows::write_row;

use crate::format::{EncodeLines, LinesShape, OutputFormat, Piece, RowColumn, Takes, Unfit};
use crate::raw_lines::{RawLines, write_own};
use crate::set_aside::{AsideEntry, AsideRow};
use lines::TextLines;

/// Comma-separated text.
pub struct Text;

impl OutputFormat for Text {
    fn takes(&self) -> Takes {
        Takes::AsRead
    }

    fn encode_lines(&self, lines: &LinesShape<'_>) -> Box<dyn EncodeLines> {
        Box::new(TextLines::new(lines))
    }

    fn encode_rows(&self, _: &[RowColumn], rows: &[Vec<Value<'_>>]) -> Result<Piece, Unfit> {
        let mut bytes = Vec::new();
        for row in rows {
            write_row(&mut bytes, row);
        }
        Ok(counted(bytes))
    }

    /// Lines stand here as in their file, quotes and all.
    fn encode_aside(
        &self,
        _: &[RowColumn],
        raw: &RawLines<'_>,
        rows: &[AsideRow],
    ) -> Result<Piece, Unfit> {
        let mut bytes = Vec::new();
        for AsideRow { reason, row, entry } in rows {
            write_cell(&mut bytes, reason);
            bytes.push(b',');
            write_cell(&mut bytes, &raw.part.name.shown);
            bytes.extend_from_slice(format!(",{row},").as_bytes());
            match entry {
                AsideEntry::Line(line) => {
                    write_own(raw, *line, &mut bytes);
                    bytes.push(b',');
                }
                AsideEntry::Row(written) => {
                    bytes.extend(std::iter::repeat_n(b',', raw.part.sources.len()));
                    write_cell(&mut bytes, written);
                }
            }
            bytes.push(b'\n');
        }
        Ok(counted(bytes))
    }

    fn head(&self, columns: &[RowColumn]) -> Vec<u8> {
        csv_row(columns.iter().map(|column| column.name.as_str()))
    }
}

fn counted(bytes: Vec<u8>) -> Piece {
    let rows = rows_in(&bytes);
    Piece::bytes(bytes, rows)
}
