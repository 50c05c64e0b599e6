//! Output files: written beside their place and moved there when the run is whole.

use std::io::{BufWriter, Write};
use std::path::{Path, PathBuf};

use tempfile::{Builder, NamedTempFile};

use crate::error::Error;

/// Writes a file whole or not at all.
///
/// # Errors
/// It cannot be written.
pub fn write_whole(path: &Path, bytes: &[u8]) -> Result<(), Error> {
    let mut file = OutputFile::create(path)?;
    file.write(bytes)?;
    file.flush()?;
    file.appear()
}

/// A file that appears whole or not at all.
pub(crate) struct OutputFile {
    path: PathBuf,
    file: BufWriter<NamedTempFile>,
}

impl OutputFile {
    /// Starts a file that will be at `path`. Its folder is made if it is missing.
    pub(crate) fn create(path: &Path) -> Result<OutputFile, Error> {
        let failed = |error: std::io::Error| Error::output(path, &error);
        if path.is_dir() {
            return Err(Error::Output {
                path: path.to_owned(),
                reason: "it is a folder".to_owned(),
                help: Some("name a file in `to`".to_owned()),
            });
        }
        // It would be moved away by the file that takes its place.
        if path.exists() && !path.is_file() {
            return Err(Error::Output {
                path: path.to_owned(),
                reason: "it is no file but a device or pipe".to_owned(),
                help: Some("name a file; what is printed can be sent there".to_owned()),
            });
        }
        let folder = path.parent().unwrap_or(Path::new("."));
        std::fs::create_dir_all(folder).map_err(failed)?;
        let mut builder = Builder::new();
        builder.prefix(".interligo-").suffix(".part");
        #[cfg(unix)]
        {
            use std::os::unix::fs::PermissionsExt;
            // What the user's mask leaves of it, as for any other file.
            builder.permissions(std::fs::Permissions::from_mode(0o666));
        }
        let file = builder.tempfile_in(folder).map_err(failed)?;
        Ok(OutputFile { path: path.to_owned(), file: BufWriter::new(file) })
    }

    pub(crate) fn write(&mut self, bytes: &[u8]) -> Result<(), Error> {
        self.file.write_all(bytes).map_err(|error| Error::output(&self.path, &error))
    }

    /// Writes out what is held back, so that a full disk shows before any file appears.
    pub(crate) fn flush(&mut self) -> Result<(), Error> {
        self.file.flush().map_err(|error| Error::output(&self.path, &error))
    }

    /// Moves the file to its place.
    pub(crate) fn appear(self) -> Result<(), Error> {
        let OutputFile { path, file } = self;
        let file = file.into_inner().map_err(|error| Error::output(&path, error.error()))?;
        file.persist(&path).map_err(|error| Error::output(&path, &error.error))?;
        Ok(())
    }
}
