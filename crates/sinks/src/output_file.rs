//! Files that appear whole or not at all: written beside their place, under a name of their own, and moved there when all
//! is well.
//!
//! What is written is known by its lock, which ends with the process: a file that nobody has locked was left by a run that
//! died, and the next one removes it. A signal removes what is being written at once.

use std::borrow::BorrowMut;
use std::collections::BTreeSet;
use std::fs::File;
use std::io::{BufWriter, Write};
use std::path::{Path, PathBuf};
use std::sync::{Mutex, MutexGuard, PoisonError};

use tempfile::{Builder, NamedTempFile};

use crate::error::{Error, OutputErrorKind};
use crate::format::Stretch;
use interligo_sources::same_file::{is_stream, real_path};
use interligo_sources::text::rows_in;

/// Writes a file whole or not at all. A link is written through, a device or pipe is written to, and the rights of a file
/// that is there are kept.
///
/// # Errors
/// It cannot be written.
pub fn write_whole(path: &Path, bytes: &[u8]) -> Result<(), Error> {
    let mut file = OutputFile::create(path, "file")?;
    file.write(bytes)?;
    file.complete()?;
    file.appear()
}

/// The files that are being written by this process.
static BEING_WRITTEN: Mutex<BTreeSet<PathBuf>> = Mutex::new(BTreeSet::new());

/// Held while files are moved to their places, which is not to be broken off.
static APPEARING: Mutex<()> = Mutex::new(());

fn locked<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

/// Removes what is being written, because the process is about to end. Files that are being moved to their places are
/// waited for.
pub fn abandon_outputs() {
    // Both are held until the end, so that nothing is begun any more.
    std::mem::forget(locked(&APPEARING));
    let files = locked(&BEING_WRITTEN);
    for path in files.iter() {
        let _ = std::fs::remove_file(path);
    }
    std::mem::forget(files);
}

/// Nobody breaks off while this is held.
pub fn appearing() -> MutexGuard<'static, ()> {
    locked(&APPEARING)
}

/// A file that appears whole or not at all.
pub struct OutputFile {
    /// As it was named.
    path: PathBuf,
    /// Where it goes, links followed.
    target: PathBuf,
    /// Whether it is written to and not replaced.
    stream: bool,
    file: BufWriter<NamedTempFile>,
    /// Bytes that were handed over.
    written: u64,
    /// Rows that were counted in them.
    rows: u64,
}

impl OutputFile {
    /// Starts a file that will be at `path`, as part of the plan called `plan`. Its folder is made if it is missing.
    pub fn create(path: &Path, plan: &str) -> Result<OutputFile, Error> {
        let failed = |error: std::io::Error| Error::io(path, &error);
        if path.is_dir() {
            return Err(Error::new(OutputErrorKind::IsFolder, path, "it is a folder"));
        }
        let (stream, target) = (is_stream(path), real_path(path));
        let folder = match stream {
            true => std::env::temp_dir(),
            false => target.parent().map_or_else(|| PathBuf::from("."), Path::to_owned),
        };
        std::fs::create_dir_all(&folder).map_err(failed)?;
        let mut builder = Builder::new();
        let prefix = part_prefix(plan);
        builder.prefix(&prefix).suffix(PART);
        #[cfg(unix)]
        {
            use std::os::unix::fs::PermissionsExt;
            // What the user's mask leaves of it, as for any other file.
            builder.permissions(std::fs::Permissions::from_mode(0o666));
        }
        let file = builder.tempfile_in(&folder).map_err(failed)?;
        locked(&BEING_WRITTEN).insert(file.path().to_owned());
        // Where a system has no locks, parts of runs that died stay.
        let _ = file.as_file().try_lock();
        if let Ok(known) = target.metadata()
            && known.is_file()
            && !stream
        {
            file.as_file().set_permissions(known.permissions()).map_err(failed)?;
        }
        let (path, file) = (path.to_owned(), BufWriter::new(file));
        Ok(OutputFile { path, target, stream, file, written: 0, rows: 0 })
    }

    /// Takes a file that is whole already, which stays where it is too: where the disk can, as another name of the same bytes.
    ///
    /// # Errors
    /// It is not there, or cannot be copied.
    pub fn of_file(from: &Path, path: &Path, plan: &str) -> Result<OutputFile, Error> {
        let mut file = OutputFile::create(path, plan)?;
        let failed = |error: std::io::Error| Error::io(path, &error);
        file.written = from.metadata().map_err(failed)?.len();
        let part = file.part().to_owned();
        std::fs::remove_file(&part).map_err(failed)?;
        if std::fs::hard_link(from, &part).is_err() {
            std::fs::copy(from, &part).map_err(failed)?;
        }
        let whole = File::options().read(true).write(true).open(&part).map_err(failed)?;
        let _ = whole.try_lock();
        *file.file.get_mut().as_file_mut() = whole;
        Ok(file)
    }

    /// Writes some bytes.
    ///
    /// # Errors
    /// They cannot be written.
    pub fn write(&mut self, bytes: &[u8]) -> Result<(), Error> {
        self.written += bytes.len() as u64;
        self.file.write_all(bytes).map_err(|error| Error::io(&self.path, &error))
    }

    /// Writes bytes of another file.
    ///
    /// # Errors
    /// They are not all there, or cannot be written.
    pub fn write_stretch(&mut self, stretch: &Stretch) -> Result<(), Error> {
        self.written += stretch.bytes;
        self.file.flush().map_err(|error| Error::io(&self.path, &error))?;
        // Past the buffer: the system can only copy to a file as such.
        stretch.copy_to(self.file.get_mut().as_file_mut(), &self.path)
    }

    /// Writes rows of cells, and counts them.
    pub fn write_rows(&mut self, text: &[u8]) -> Result<(), Error> {
        self.write_counted(text, rows_in(text))
    }

    /// Writes rows of cells that were counted.
    pub fn write_counted(&mut self, text: &[u8], rows: u64) -> Result<(), Error> {
        self.rows += rows;
        self.write(text)
    }

    /// Rows that were written.
    pub fn rows(&self) -> u64 {
        self.rows
    }

    /// Writes out what is held back and lets the disk take it, so that a full one shows before any file appears. What is
    /// there must be all that was handed over.
    pub fn complete(&mut self) -> Result<(), Error> {
        let failed = |error: std::io::Error| Error::io(&self.path, &error);
        self.file.flush().map_err(failed)?;
        let file = self.file.get_ref().as_file();
        file.sync_all().map_err(failed)?;
        let there = file.metadata().map_err(failed)?.len();
        if there != self.written {
            let reason = format!("{} bytes were written, and {there} are there", self.written);
            return Err(Error::new(OutputErrorKind::Incomplete, &self.path, reason));
        }
        Ok(())
    }

    /// Counts all that is in the file as handed over; for what goes back in it to complete what came before.
    ///
    /// # Errors
    /// It cannot be written.
    pub(crate) fn account_for_all(&mut self) -> Result<(), Error> {
        let failed = |error: std::io::Error| Error::io(&self.path, &error);
        self.file.flush().map_err(failed)?;
        self.written = self.file.get_ref().as_file().metadata().map_err(failed)?.len();
        Ok(())
    }

    /// As it was named.
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// Where it goes; nowhere, where it is written to a device or pipe.
    pub fn target(&self) -> Option<&Path> {
        (!self.stream).then_some(&*self.target)
    }

    /// Where it is until then.
    pub fn part(&self) -> &Path {
        self.file.get_ref().path()
    }

    /// The size of what was written, and when.
    pub fn metadata(&self) -> std::io::Result<std::fs::Metadata> {
        self.file.get_ref().as_file().metadata()
    }

    /// Leaves the file where it is, for the next command to move or to remove.
    pub(crate) fn leave(self) {
        locked(&BEING_WRITTEN).remove(self.part());
        std::mem::forget(self);
    }

    /// Moves the file to its place.
    pub fn appear(self) -> Result<(), Error> {
        if self.stream {
            return self.pour();
        }
        std::fs::rename(self.part(), &self.target).map_err(|error| Error::io(&self.path, &error))
    }

    /// Writes the bytes to a device or pipe.
    pub fn pour(self) -> Result<(), Error> {
        let failed = |error: std::io::Error| Error::io(&self.path, &error);
        let mut from = File::open(self.part()).map_err(failed)?;
        let mut to = File::options().write(true).open(&self.path).map_err(failed)?;
        std::io::copy(&mut from, &mut to).map_err(failed)?;
        Ok(())
    }
}

/// An output as libraries write to it.
pub(crate) struct Through<F>(pub(crate) F);

impl<F: BorrowMut<OutputFile>> Write for Through<F> {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        let written = self.0.borrow_mut().write(bytes);
        written.map_err(|error| std::io::Error::other(error.reason))?;
        Ok(bytes.len())
    }

    /// What is held back is written when the file is complete.
    fn flush(&mut self) -> std::io::Result<()> {
        Ok(())
    }
}

impl Drop for OutputFile {
    fn drop(&mut self) {
        locked(&BEING_WRITTEN).remove(self.file.get_ref().path());
    }
}

/// How the name of the file ends in which a database notes what it is about to change.
const JOURNAL: &str = "-journal";

/// How the names of files end that are being written.
const PART: &str = ".part";

fn part_prefix(plan: &str) -> String {
    format!(".interligo-{plan}.")
}

/// Removes from a folder what runs of a plan left that died.
pub fn remove_abandoned(folder: &Path, plan: &str) {
    let prefix = part_prefix(plan);
    for entry in std::fs::read_dir(folder).into_iter().flatten().flatten() {
        let name = entry.file_name();
        let Some(name) = name.to_str() else { continue };
        // A database leaves its journal beside it; while it has it, the part is there.
        let part = name.strip_suffix(JOURNAL).unwrap_or(name);
        let rest = part.strip_prefix(&prefix).and_then(|part| part.strip_suffix(PART));
        // Plans whose names begin alike have parts of their own.
        if rest.is_none_or(|rest| rest.contains('.')) {
            continue;
        }
        let is_free = |path: &Path| {
            let file = File::options().write(true).open(path);
            file.is_ok_and(|file| file.try_lock().is_ok())
        };
        let (path, part) = (entry.path(), folder.join(part));
        let is_left = is_free(&part) || part != path && !part.exists();
        if is_left {
            let _ = std::fs::remove_file(&path);
        }
    }
}
