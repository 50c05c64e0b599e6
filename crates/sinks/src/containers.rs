//! Files that hold several outputs of a run: workbooks, and databases that are files. They are opened by the first output
//! that goes into them, and finished when all are through.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, MutexGuard, OnceLock, PoisonError};

use interligo_sources::formats::caught;

use crate::error::Error;
use crate::output_file::OutputFile;
use crate::run_facts::RunFacts;
use crate::transactions::{Decider, Follow, Transactions};

/// A file that holds several sheets or tables.
pub(crate) trait Container: Send {
    /// Writes it; nothing is added any more.
    fn finish(&mut self, facts: &RunFacts) -> Result<Finished, Error>;

    /// What went otherwise than usual, in words.
    fn notes(&mut self) -> Vec<String> {
        Vec::new()
    }

    /// Itself, to be taken for what it is.
    fn as_any(&mut self) -> &mut dyn std::any::Any;
}

/// What a container has come to.
pub(crate) enum Finished {
    /// A file, to be put in its place with the others.
    File(OutputFile),
    /// A transaction, whose commit decides over all.
    Decides(Decider),
    /// A transaction that follows the one that decides.
    Follows(Box<dyn Follow>),
}

/// What all containers have come to.
#[derive(Default)]
pub struct FinishedAll {
    /// Files, to be put in their places with the others.
    pub files: Vec<OutputFile>,
    /// The transactions of the run.
    pub transactions: Transactions,
    /// What went otherwise than usual, in words.
    pub notes: Vec<String>,
}

/// A container that several outputs share.
pub(crate) type Shared = Arc<Mutex<Box<dyn Container>>>;

/// The containers of a run, by where they go.
#[derive(Default)]
pub struct Containers {
    open: Mutex<BTreeMap<PathBuf, Shared>>,
    /// The server whose commit decides over the outputs of the run.
    decides: OnceLock<PathBuf>,
}

impl Containers {
    /// The container at a path, made if it is not open yet.
    pub(crate) fn at(
        &self,
        path: &Path,
        make: impl FnOnce() -> Result<Box<dyn Container>, Error>,
    ) -> Result<Shared, Error> {
        let mut open = locked(&self.open);
        if let Some(known) = open.get(path) {
            return Ok(known.clone());
        }
        let made = Arc::new(Mutex::new(make()?));
        open.insert(path.to_owned(), made.clone());
        Ok(made)
    }

    /// Whether the commit of a server decides over the outputs of the run: that of the first one does.
    #[cfg(feature = "postgres")]
    pub(crate) fn decides(&self, server: &Path) -> bool {
        self.decides.get_or_init(|| server.to_owned()) == server
    }

    /// Settles which server decides, before any is opened.
    pub fn decided_by(&self, server: &Path) {
        let _ = self.decides.set(server.to_owned());
    }

    /// Writes all containers.
    ///
    /// # Errors
    /// One cannot be written.
    pub fn finish(&self, facts: &RunFacts) -> Result<FinishedAll, Error> {
        let open = std::mem::take(&mut *locked(&self.open));
        let mut all = FinishedAll::default();
        for (path, container) in open {
            all.notes.extend(locked(&container).notes());
            let finished = caught(|| locked(&container).finish(facts));
            match finished.unwrap_or_else(|why| Err(Error::broken(&path, &why)))? {
                Finished::File(file) => all.files.push(file),
                Finished::Decides(own) => all.transactions.decides = Some(own),
                Finished::Follows(own) => all.transactions.follow.push(own),
            }
        }
        Ok(all)
    }
}

/// A lock, also after a panic of whoever held it.
pub(crate) fn locked<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

/// Works on a container as what it is.
pub(crate) fn with<C: 'static, R>(shared: &Shared, work: impl FnOnce(&mut C) -> R) -> R {
    let mut container = locked(shared);
    let container = container.as_any().downcast_mut::<C>();
    work(container.expect("a path has one form, which is that of its container"))
}
