//! Rows written by a thread of their own, while workers compute the next ones: for forms that take long to encode in order.

use std::sync::mpsc::{SyncSender, sync_channel};
use std::thread::JoinHandle;

use interligo_sources::formats::caught;

use crate::error::{Error, OutputErrorKind};
use crate::format::{Piece, WriteRows};
use crate::output_file::OutputFile;

/// Pieces that wait before whoever brings one waits too.
const AHEAD: usize = 4;

type Written = Result<Box<dyn WriteRows>, Error>;

/// A file, sheet or table that another thread writes.
pub(crate) struct Background {
    name: std::path::PathBuf,
    pieces: Option<SyncSender<Piece>>,
    thread: Option<JoinHandle<Written>>,
    /// Once the thread has ended.
    inner: Option<Box<dyn WriteRows>>,
}

impl Background {
    /// Lets a thread of its own write what `inner` takes.
    ///
    /// # Errors
    /// The system gives no thread.
    pub(crate) fn of(mut inner: Box<dyn WriteRows>, path: &std::path::Path) -> Written {
        let (sender, pieces) = sync_channel::<Piece>(AHEAD);
        let named = path.to_owned();
        let work = move || {
            let all = || {
                for piece in pieces {
                    inner.write(piece)?;
                }
                Ok(inner)
            };
            caught(all).unwrap_or_else(|why| Err(Error::broken(&named, &why)))
        };
        let thread = std::thread::Builder::new().name("interligo output".to_owned()).spawn(work);
        let thread = thread.map_err(|error| Error::io(path, &error))?;
        let (pieces, thread) = (Some(sender), Some(thread));
        Ok(Box::new(Background { name: path.to_owned(), pieces, thread, inner: None }))
    }

    /// Waits until all is written.
    fn join(&mut self) -> Result<&mut Box<dyn WriteRows>, Error> {
        drop(self.pieces.take());
        let broken = || Error::new(OutputErrorKind::Failed, &self.name, "it could not be encoded");
        if let Some(thread) = self.thread.take() {
            self.inner = Some(thread.join().map_err(|_| broken())??);
        }
        self.inner.as_mut().ok_or_else(broken)
    }
}

impl Drop for Background {
    /// What is given up goes before the process ends, or its part would stay.
    fn drop(&mut self) {
        drop(self.pieces.take());
        if let Some(thread) = self.thread.take() {
            let _ = thread.join();
        }
    }
}

impl WriteRows for Background {
    fn write(&mut self, piece: Piece) -> Result<(), Error> {
        let sent = self.pieces.as_ref().is_some_and(|pieces| pieces.send(piece).is_ok());
        // The thread has ended with an error.
        if sent { Ok(()) } else { self.join().map(|_| ()) }
    }

    fn rows(&mut self) -> Result<u64, Error> {
        self.join()?.rows()
    }

    fn finish(mut self: Box<Self>) -> Result<Option<OutputFile>, Error> {
        self.join()?;
        match self.inner.take() {
            Some(inner) => inner.finish(),
            None => Ok(None),
        }
    }
}
