//! Readers that work on a thread of their own and hand on their blocks: what reads a sheet or the answer of
//! a database stays with its book or connection, and goes on reading while others work on what was read.

use std::sync::mpsc::{Receiver, sync_channel};

use interligo_model::place::PartName;

use super::{Block, Reader, guarded};
use crate::error::{Error, InputKind};

/// Blocks that wait for those who work on them.
const AHEAD: usize = 2;

pub(super) struct Threaded {
    blocks: Receiver<Result<Option<Block>, Error>>,
    name: PartName,
}

impl Threaded {
    /// Starts a reader. `read` hands its blocks to what it is given, which answers `false` when nobody takes
    /// them any more.
    pub(super) fn start(
        name: &PartName,
        read: impl FnOnce(&mut dyn FnMut(Block) -> bool) -> Result<(), Error> + Send + 'static,
    ) -> Box<dyn Reader> {
        let (send, blocks) = sync_channel(AHEAD);
        let own = name.clone();
        // It ends by itself: when its rows do, or when nobody waits for them.
        let apart = std::thread::Builder::new().spawn(move || {
            let end = guarded(&own, || read(&mut |block| send.send(Ok(Some(block))).is_ok()));
            let _ = send.send(end.map(|()| None));
        });
        // Where the system gives no thread, the channel is closed, and whoever waits for blocks hears of it.
        drop(apart);
        Box::new(Threaded { blocks, name: name.clone() })
    }
}

impl Reader for Threaded {
    fn next(&mut self, _: usize) -> Result<Option<Block>, Error> {
        // A reader that is gone without a word has failed.
        self.blocks.recv().unwrap_or_else(|_| {
            Err(Error::input(
                InputKind::Damaged,
                &self.name,
                "cannot be read further: its reader broke off",
            ))
        })
    }
}
