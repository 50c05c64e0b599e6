//! A fact's files as one stream of blocks.

use crate::error::Error;
use interligo_engine::proof::faults::{Fault, strikes};
use interligo_engine::proof::tieout::ReadSide;
use interligo_sources::formats::{Block, Reader, RowStart, Stretch};
use interligo_sources::table::parts::{Table, WantedColumns};
use serde::{Deserialize, Serialize};

/// A block of a fact's files: its number, that of its file, and its rows.
pub(crate) type Item = (u64, usize, Block);

/// Rows of one of a fact's files, by its number.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct PartStretch {
    pub(crate) part: usize,
    pub(crate) rows: Stretch,
}

impl PartStretch {
    /// All rows of all files.
    pub(crate) fn whole(fact: &Table) -> Vec<PartStretch> {
        let all = Stretch { from: None, to: None };
        (0..fact.parts.len()).map(|part| PartStretch { part, rows: all }).collect()
    }
}

/// The fact's files as one stream of blocks.
pub(crate) struct Stream<'a> {
    fact: &'a Table,
    stretches: Vec<PartStretch>,
    /// How many of the stretches were begun.
    begun: usize,
    next_item: u64,
    reader: Option<Box<dyn Reader>>,
    block: usize,
    wanted: &'a WantedColumns,
    progress: &'a (dyn Fn(u64, u64) + Sync),
    /// Where the block that was handed out last begins, should a stretch be able to begin there.
    block_start: Option<RowStart>,
    /// Which stretches were read to their end.
    ended: Vec<bool>,
    /// What was handed out.
    read: ReadSide,
}

impl<'a> Stream<'a> {
    pub(crate) fn new(
        fact: &'a Table,
        block: usize,
        wanted: &'a WantedColumns,
        progress: &'a (dyn Fn(u64, u64) + Sync),
    ) -> Stream<'a> {
        Stream::over(fact, PartStretch::whole(fact), block, wanted, progress)
    }

    /// The same over some rows of the files.
    pub(crate) fn over(
        fact: &'a Table,
        stretches: Vec<PartStretch>,
        block: usize,
        wanted: &'a WantedColumns,
        progress: &'a (dyn Fn(u64, u64) + Sync),
    ) -> Stream<'a> {
        let (ended, read) = (vec![false; stretches.len()], ReadSide::default());
        Stream {
            fact,
            stretches,
            begun: 0,
            block_start: None,
            next_item: 0,
            reader: None,
            block,
            wanted,
            progress,
            ended,
            read,
        }
    }

    pub(crate) fn next(&mut self) -> Result<Option<Item>, Error> {
        loop {
            if let Some(reader) = &mut self.reader {
                let part = self.stretches[self.begun - 1].part;
                let start = reader.row_start();
                if let Some(block) = reader.next(self.block)? {
                    (self.progress)(block.bytes, block.lines);
                    self.read.handed.0 += 1;
                    self.read.handed.1 += block.extent;
                    if strikes(Fault::BlockLost) {
                        continue;
                    }
                    self.next_item += 1;
                    self.block_start = start.filter(|_| !block.first);
                    return Ok(Some((self.next_item - 1, part, block)));
                }
                let part = &self.fact.parts[part];
                part.refuse_changed()?;
                self.ended[self.begun - 1] = true;
                if !reader.is_whole() {
                    self.read.cut.push(part.name.to_string());
                }
                self.reader = None;
            }
            if self.begun < self.stretches.len() && strikes(Fault::PartSkipped) {
                self.begun += 1;
            }
            let Some(PartStretch { part, rows }) = self.stretches.get(self.begun).copied() else {
                return Ok(None);
            };
            let part = &self.fact.parts[part];
            let wanted = self.wanted.of(part);
            let is_whole = rows.from.is_none() && rows.to.is_none();
            self.reader = Some(match is_whole {
                true => part.open(&wanted)?,
                false => part.open_stretch(&wanted, rows)?,
            });
            self.begun += 1;
        }
    }

    /// Where the block that was handed out last begins; none where no stretch can begin there.
    pub(crate) fn block_start(&self) -> Option<RowStart> {
        self.block_start
    }

    /// What the readers handed out, once they are at their end.
    pub(crate) fn read_side(self) -> ReadSide {
        let mut read = self.read;
        let unread = self.stretches.iter().zip(&self.ended).filter(|(_, ended)| !**ended);
        let name = |part: usize| self.fact.parts[part].name.to_string();
        read.unread.extend(unread.map(|(stretch, _)| name(stretch.part)));
        read
    }
}
