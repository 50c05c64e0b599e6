//! The rows that a slice puts into outputs, block by block. Long stretches of bytes are in a file of their own, from which the join
//! lets the system copy them into the output: they need not pass through memory.

use std::fs::File;
use std::io::BufReader;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use interligo_engine::proof::tally::Tally;
use interligo_model::values::column::Column;
use interligo_sinks::format::{Content, Piece, Stretch};
use interligo_sinks::lines::{PutOut, SlotKey};
use serde::{Deserialize, Serialize};

use super::error::SlicesError;
use super::record::{CUT_OFF, DAMAGED, ItemFile, item, items, lacks};

/// From how many bytes on rows are kept apart: to copy fewer costs more by itself than to read them.
const APART: usize = 1 << 16;

/// What a block puts into outputs.
#[derive(Serialize, Deserialize)]
struct BlockRows {
    /// By output of lines.
    lines: Vec<KeptRows>,
    aside: KeptRows,
}

#[derive(Serialize, Deserialize)]
struct KeptRows {
    pieces: Vec<(SlotKey, KeptPiece)>,
    tally: Tally,
}

#[derive(Serialize, Deserialize)]
struct KeptPiece {
    rows: u64,
    content: KeptContent,
}

#[derive(Serialize, Deserialize)]
enum KeptContent {
    Bytes(#[serde(with = "serde_bytes")] Vec<u8>),
    Columns(Vec<Column>),
    /// The next of the bytes that are kept apart: how many.
    Apart(u64),
}

/// The file with the blocks of a fact.
fn blocks_file(slice: &Path, fact: usize) -> PathBuf {
    slice.join(format!("lines-{fact}.cbor"))
}

/// The file with the bytes of a fact that are kept apart.
fn apart_file(slice: &Path, fact: usize) -> PathBuf {
    slice.join(format!("lines-{fact}.bytes"))
}

/// Keeps the rows of a fact in a slice.
pub(super) struct RowsKept {
    blocks: ItemFile,
    apart: ItemFile,
}

impl RowsKept {
    pub(super) fn create(slice: &Path, fact: usize) -> Result<RowsKept, SlicesError> {
        let blocks = ItemFile::create(blocks_file(slice, fact))?;
        Ok(RowsKept { blocks, apart: ItemFile::create(apart_file(slice, fact))? })
    }

    /// Keeps what a block puts into outputs of lines, and into the file for what is set aside.
    pub(super) fn write(&mut self, lines: Vec<PutOut>, aside: PutOut) -> Result<(), SlicesError> {
        let lines =
            lines.into_iter().map(|put_out| self.rows(put_out)).collect::<Result<_, _>>()?;
        let aside = self.rows(aside)?;
        self.blocks.write(&BlockRows { lines, aside })
    }

    fn rows(&mut self, PutOut { pieces, tally }: PutOut) -> Result<KeptRows, SlicesError> {
        let mut kept = Vec::with_capacity(pieces.len());
        for (key, Piece { content, rows }) in pieces {
            let content = match content {
                Content::Bytes(bytes) if bytes.len() >= APART => {
                    self.apart.write_bytes(&bytes)?;
                    KeptContent::Apart(bytes.len() as u64)
                }
                Content::Bytes(bytes) => KeptContent::Bytes(bytes),
                Content::Columns(columns) => KeptContent::Columns(columns),
                Content::InFile(_) => unreachable!("what was just encoded is in memory"),
            };
            kept.push((key, KeptPiece { rows, content }));
        }
        Ok(KeptRows { pieces: kept, tally })
    }

    /// Writes what is left, and lets the disk have it.
    pub(super) fn finish(self) -> Result<(), SlicesError> {
        self.apart.finish()?;
        self.blocks.finish()
    }
}

/// Reads the rows of a fact in a slice as they were kept.
pub(super) struct KeptBlocks {
    blocks: BufReader<File>,
    apart: Arc<Path>,
    /// Where the next bytes begin that are kept apart.
    at: u64,
    /// How many there are.
    end: u64,
}

impl KeptBlocks {
    /// The files of a slice; what is wrong with it where one is not there.
    pub(super) fn open(slice: &Path, fact: usize) -> Result<KeptBlocks, String> {
        let blocks = items(&blocks_file(slice, fact))?;
        let apart = apart_file(slice, fact);
        let end = apart.metadata().map_err(|error| lacks(&apart, &error))?.len();
        Ok(KeptBlocks { blocks, apart: apart.into(), at: 0, end })
    }

    /// What the next block puts into outputs of lines, and into the file for what is set aside.
    pub(super) fn next_block(&mut self) -> Result<(Vec<PutOut>, PutOut), String> {
        let BlockRows { lines, aside } = item(&mut self.blocks)?;
        let lines = lines.into_iter().map(|kept| self.put_out(kept)).collect::<Result<_, _>>()?;
        Ok((lines, self.put_out(aside)?))
    }

    /// All blocks were read: no bytes may be left that none of them has, as in the file of another slice.
    pub(super) fn finish(self) -> Result<(), String> {
        if self.at == self.end { Ok(()) } else { Err(DAMAGED.to_owned()) }
    }

    fn put_out(&mut self, KeptRows { pieces, tally }: KeptRows) -> Result<PutOut, String> {
        let mut all = Vec::with_capacity(pieces.len());
        for (key, KeptPiece { rows, content }) in pieces {
            let content = match content {
                KeptContent::Bytes(bytes) => Content::Bytes(bytes),
                KeptContent::Columns(columns) => Content::Columns(columns),
                KeptContent::Apart(bytes) => Content::InFile(self.stretch(bytes)?),
            };
            all.push((key, Piece { content, rows }));
        }
        Ok(PutOut { pieces: all, tally })
    }

    fn stretch(&mut self, bytes: u64) -> Result<Stretch, String> {
        let from = self.at;
        self.at = from.checked_add(bytes).filter(|to| *to <= self.end).ok_or(CUT_OFF)?;
        Ok(Stretch { file: self.apart.clone(), from, bytes })
    }
}
