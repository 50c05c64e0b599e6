//! Lines that each slice leaves in a file of its own, encoded where they were computed: the join only gives it its place.

use std::path::{Path, PathBuf};
use std::time::UNIX_EPOCH;

use interligo_engine::engine::Engine;
use interligo_engine::outputs::{Output, OutputContent};
use interligo_sinks::format::{LinesShape, RowsOf, WriteRows};
use interligo_sinks::lines::PutOut;
use interligo_sources::table::parts::Table;
use serde::{Deserialize, Serialize};

use crate::error::Error;
use crate::run::output_plan::OutputPlan;

/// A file that a slice has written.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub(super) struct OwnFile {
    /// Which of the outputs of lines it is of, by number.
    pub(super) output: usize,
    /// Its name in the folder of the slice.
    name: String,
    pub(super) rows: u64,
    state: FileState,
}

/// By what it is known that a file is as it was.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
struct FileState {
    bytes: u64,
    /// When it was changed last, in nanoseconds since 1970.
    modified: u64,
}

impl FileState {
    fn of(path: &Path) -> Option<FileState> {
        let metadata = path.metadata().ok()?;
        let modified = metadata.modified().ok()?.duration_since(UNIX_EPOCH).ok()?;
        Some(FileState { bytes: metadata.len(), modified: modified.as_nanos() as u64 })
    }
}

impl OwnFile {
    /// The file in the folder of its slice; none where it is gone or was changed.
    pub(super) fn in_folder(&self, slice: &Path) -> Option<PathBuf> {
        let path = slice.join(&self.name);
        (FileState::of(&path).as_ref() == Some(&self.state)).then_some(path)
    }
}

/// The files of a slice while its lines pass.
pub(super) struct OwnFiles {
    /// By output of lines; none for one whose rows the join writes.
    files: Vec<Option<Box<dyn WriteRows>>>,
}

impl OwnFiles {
    /// Begins the files of a fact, by its number.
    ///
    /// # Errors
    /// One cannot be written.
    pub(super) fn begin(
        plan: &OutputPlan,
        number: usize,
        (engine, outputs): (&Engine, &[Output]),
        fact: &Table,
        slice: &Path,
    ) -> Result<OwnFiles, Error> {
        let mut files = Vec::new();
        for (output, asked) in outputs.iter().enumerate() {
            let OutputContent::Lines { columns, live, .. } = &asked.content else { continue };
            let Some(destination) = plan.of(number, output) else { continue };
            // The name ends as that of the output does, by which its form is known.
            let Some(ending) = destination.ending_by_slice() else {
                files.push(None);
                continue;
            };
            let shape = LinesShape { columns, engine, fact, live: live.as_ref() };
            let own = destination.moved_to(slice.join(format!("fact-{number}-{output}{ending}")));
            let file = own.begin(&shape.row_columns(), RowsOf::Lines(&shape), &plan.containers)?;
            files.push(Some(file));
        }
        Ok(OwnFiles { files })
    }

    /// Takes the rows of a block that go to one of the files out of what is kept for the join.
    ///
    /// # Errors
    /// They cannot be written.
    pub(super) fn take(&mut self, lines: &mut [PutOut]) -> Result<(), Error> {
        for (file, put_out) in self.files.iter_mut().zip(lines) {
            let Some(file) = file else { continue };
            for (_, piece) in std::mem::take(&mut put_out.pieces) {
                file.write(piece)?;
            }
        }
        Ok(())
    }

    /// Lets the files appear in the folder.
    ///
    /// # Errors
    /// One could not be written.
    pub(super) fn finish(self) -> Result<Vec<OwnFile>, Error> {
        let mut finished = Vec::new();
        for (output, file) in self.files.into_iter().enumerate() {
            let Some(mut file) = file else { continue };
            let rows = file.rows()?;
            let Some(mut file) = file.finish()? else { continue };
            file.complete()?;
            let path = file.path().to_owned();
            let name = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
            file.appear()?;
            let state = FileState::of(&path).unwrap_or(FileState { bytes: 0, modified: 0 });
            finished.push(OwnFile { output, name, rows, state });
        }
        Ok(finished)
    }
}
