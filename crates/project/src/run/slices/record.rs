//! What a slice came to, and how files of items are written and read.

use std::fs::File;
use std::io::{BufReader, BufWriter, Write};
use std::path::{Path, PathBuf};

use interligo_engine::proof::findings::Findings;
use interligo_engine::proof::tieout::ReadSide;
use interligo_engine::proof::usage::Usage;
use interligo_engine::totals::KeptCube;
use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};

use super::error::SlicesError;
use super::own_files::OwnFile;
use crate::run::stream::PartStretch;

/// Of what a record is: the first item of its file.
#[derive(Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub(super) struct RecordOf {
    /// The division.
    pub(super) division: u64,
    /// The number of the slice, from 1.
    pub(super) slice: usize,
}

/// What a slice came to: the second item.
#[derive(Serialize, Deserialize)]
pub(super) struct SliceRecord {
    pub(super) facts: Vec<FactRecord>,
    /// What was summed for each table of totals, by its name.
    pub(super) cubes: Vec<(String, KeptCube)>,
}

/// What the lines of a fact in a slice came to.
#[derive(Serialize, Deserialize)]
pub(super) struct FactRecord {
    /// The rows that were read.
    pub(super) stretches: Vec<PartStretch>,
    /// The files in which it left lines.
    pub(super) own_files: Vec<OwnFile>,
    /// How many blocks of them are in the file with the rows of outputs.
    pub(super) blocks: u64,
    pub(super) findings: Findings,
    pub(super) read: ReadSide,
    pub(super) usage: Option<Usage>,
}

/// The file with all of a slice but the rows of outputs.
pub(super) fn record_file(slice: &Path) -> PathBuf {
    slice.join("record.cbor")
}

/// A file to which items are written one after the other.
pub(super) struct ItemFile {
    path: PathBuf,
    file: BufWriter<File>,
}

impl ItemFile {
    pub(super) fn create(path: PathBuf) -> Result<ItemFile, SlicesError> {
        let file = File::create(&path).map_err(|error| SlicesError::unwritable(&path, &error))?;
        Ok(ItemFile { path, file: BufWriter::with_capacity(1 << 20, file) })
    }

    pub(super) fn write(&mut self, item: &impl Serialize) -> Result<(), SlicesError> {
        ciborium::into_writer(item, &mut self.file).map_err(|error| match error {
            ciborium::ser::Error::Io(error) => SlicesError::unwritable(&self.path, &error),
            other => SlicesError::Unwritable { path: self.path.clone(), why: other.to_string() },
        })
    }

    /// Writes bytes that are no item.
    pub(super) fn write_bytes(&mut self, bytes: &[u8]) -> Result<(), SlicesError> {
        self.file.write_all(bytes).map_err(|error| SlicesError::unwritable(&self.path, &error))
    }

    /// Writes what is left, and lets the disk have it.
    pub(super) fn finish(mut self) -> Result<(), SlicesError> {
        let done = self.file.flush().and_then(|()| self.file.get_ref().sync_all());
        done.map_err(|error| SlicesError::unwritable(&self.path, &error))
    }
}

/// Writes a file of one item.
pub(super) fn write_item(path: &Path, item: &impl Serialize) -> Result<(), SlicesError> {
    let mut file = ItemFile::create(path.to_owned())?;
    file.write(item)?;
    file.finish()
}

/// Opens a file with items, to be read one by one.
pub(super) fn items(path: &Path) -> Result<BufReader<File>, String> {
    let file = File::open(path).map_err(|error| lacks(path, &error))?;
    Ok(BufReader::with_capacity(1 << 20, file))
}

/// What is wrong with a slice one of whose files cannot be opened.
pub(super) fn lacks(path: &Path, error: &std::io::Error) -> String {
    let name = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
    format!("lacks `{name}` ({})", interligo_sources::refusal::refusal(error))
}

/// What is wrong with a slice one of whose files is too short.
pub(super) const CUT_OFF: &str = "was cut off";

/// What is wrong with a slice one of whose files is not as it was written.
pub(super) const DAMAGED: &str = "is damaged";

/// Reads the next item.
pub(super) fn item<T: DeserializeOwned>(file: &mut BufReader<File>) -> Result<T, String> {
    ciborium::from_reader(file).map_err(|error| match error {
        ciborium::de::Error::Io(_) => CUT_OFF.to_owned(),
        _ => DAMAGED.to_owned(),
    })
}
