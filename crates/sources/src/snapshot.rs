//! Whether a file is still the one that was looked at: what is decided by its head must hold for its rows.

use std::fs::{File, Metadata};
use std::io::Read;
use std::path::{Path, PathBuf};
use std::time::SystemTime;

/// How much of the head of a file is compared: its column names, whatever its time and size say.
const HEAD: u64 = 4096;

/// A file as it was when it was first looked at.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Snapshot {
    path: PathBuf,
    bytes: u64,
    modified: Option<SystemTime>,
    head: Vec<u8>,
}

impl Snapshot {
    /// The file as it is now; none of what is no file, such as a pipe.
    pub fn take(path: &Path) -> Option<Snapshot> {
        // A pipe would wait for somebody to write.
        path.metadata().ok().filter(Metadata::is_file)?;
        let mut file = File::open(path).ok()?;
        let metadata = file.metadata().ok()?;
        let mut head = Vec::new();
        file.by_ref().take(HEAD).read_to_end(&mut head).ok()?;
        let (bytes, modified) = (metadata.len(), metadata.modified().ok());
        Some(Snapshot { path: path.to_owned(), bytes, modified, head })
    }

    /// Whether the file is another by now, or gone.
    pub fn has_changed(&self) -> bool {
        Snapshot::take(&self.path).as_ref() != Some(self)
    }
}
