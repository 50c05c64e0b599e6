//! A fact's files as one stream of blocks.

use crate::error::Error;
use interligo_engine::proof::faults::{Fault, strikes};
use interligo_engine::proof::tieout::ReadSide;
use interligo_sources::formats::{Block, Reader};
use interligo_sources::table::parts::{Table, WantedColumns};

/// A block of a fact's files: its number, that of its file, and its rows.
pub(crate) type Item = (u64, usize, Block);

/// The fact's files as one stream of blocks.
pub(crate) struct Stream<'a> {
    fact: &'a Table,
    next_part: usize,
    next_item: u64,
    reader: Option<Box<dyn Reader>>,
    block: usize,
    wanted: &'a WantedColumns,
    progress: &'a (dyn Fn(u64, u64) + Sync),
    /// Which parts were read to their end.
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
        let (ended, read) = (vec![false; fact.parts.len()], ReadSide::default());
        Stream {
            fact,
            next_part: 0,
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
                if let Some(block) = reader.next(self.block)? {
                    (self.progress)(block.bytes, block.lines);
                    self.read.handed.0 += 1;
                    self.read.handed.1 += block.extent;
                    if strikes(Fault::BlockLost) {
                        continue;
                    }
                    self.next_item += 1;
                    return Ok(Some((self.next_item - 1, self.next_part - 1, block)));
                }
                let part = &self.fact.parts[self.next_part - 1];
                part.refuse_changed()?;
                self.ended[self.next_part - 1] = true;
                if !reader.is_whole() {
                    self.read.cut.push(part.name.to_string());
                }
                self.reader = None;
            }
            if self.next_part < self.fact.parts.len() && strikes(Fault::PartSkipped) {
                self.next_part += 1;
            }
            let Some(part) = self.fact.parts.get(self.next_part) else { return Ok(None) };
            self.reader = Some(part.open(&self.wanted.of(part))?);
            self.next_part += 1;
        }
    }

    /// What the readers handed out, once they are at their end.
    pub(crate) fn read_side(self) -> ReadSide {
        let mut read = self.read;
        let unread = self.fact.parts.iter().zip(&self.ended).filter(|(_, ended)| !**ended);
        read.unread.extend(unread.map(|(part, _)| part.name.to_string()));
        read
    }
}
