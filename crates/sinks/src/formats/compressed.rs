//! Text and JSON lines, compressed by gzip or zstd. Workers compress what they encode, each as a stretch of its own, which
//! both formats allow.

use std::io::Write;
use std::sync::Arc;

use interligo_model::values::value::Value;

use crate::format::{
    Content, EncodeLines, LinesShape, OutputFormat, Piece, RowColumn, Takes, Unfit,
};
use crate::raw_lines::{LinesBatch, RawLines};
use crate::set_aside::AsideRow;

/// How a file is compressed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Compression {
    /// gzip, RFC 1952.
    Gzip,
    /// Zstandard, RFC 8878.
    Zstd,
}

/// The level of Zstandard. Sales lines take a thirtieth more room than at its usual level 3, and half the time.
const ZSTD_LEVEL: i32 = 1;

impl Compression {
    /// The bytes, compressed; nothing for none.
    pub fn compress(self, bytes: &[u8]) -> Vec<u8> {
        if bytes.is_empty() {
            return Vec::new();
        }
        let compressed = match self {
            Compression::Gzip => {
                let mut gzip =
                    flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::default());
                gzip.write_all(bytes).and_then(|()| gzip.finish())
            }
            Compression::Zstd => zstd::encode_all(bytes, ZSTD_LEVEL),
        };
        compressed.expect("memory takes what is written")
    }

    fn piece(self, piece: Piece) -> Piece {
        Piece { content: Content::Bytes(self.compress(piece.as_bytes())), rows: piece.rows }
    }
}

/// A form whose bytes are compressed.
pub(super) struct Compressed {
    pub(super) inner: Arc<dyn OutputFormat>,
    pub(super) how: Compression,
}

impl OutputFormat for Compressed {
    fn takes(&self) -> Takes {
        self.inner.takes()
    }

    fn encode_lines(&self, shape: &LinesShape<'_>) -> Box<dyn EncodeLines> {
        Box::new(CompressedLines { inner: self.inner.encode_lines(shape), how: self.how })
    }

    fn encode_rows(&self, columns: &[RowColumn], rows: &[Vec<Value<'_>>]) -> Result<Piece, Unfit> {
        Ok(self.how.piece(self.inner.encode_rows(columns, rows)?))
    }

    fn encode_aside(
        &self,
        columns: &[RowColumn],
        raw: &RawLines<'_>,
        rows: &[AsideRow],
    ) -> Result<Piece, Unfit> {
        Ok(self.how.piece(self.inner.encode_aside(columns, raw, rows)?))
    }

    fn head(&self, columns: &[RowColumn]) -> Vec<u8> {
        self.how.compress(&self.inner.head(columns))
    }
}

struct CompressedLines {
    inner: Box<dyn EncodeLines>,
    how: Compression,
}

impl EncodeLines for CompressedLines {
    fn encode(&self, batch: &LinesBatch<'_>, lines: &[u32]) -> Result<Piece, Unfit> {
        Ok(self.how.piece(self.inner.encode(batch, lines)?))
    }
}
