//! Parquet files, by the parquet crate: only the columns that are asked for are read, some rows at a time.
//!
//! | column | what is made of it |
//! |---|---|
//! | text, also by dictionary | text |
//! | whole numbers, decimals | exact numbers, without a detour over text |
//! | binary floating point | its shortest decimal text, of 15 digits at most |
//! | date | days |
//! | timestamp | the day, in UTC where it has a zone |
//! | time | `08:30:00` |
//! | yes-no | `true`, `false` |
//! | bytes, lists, records, maps | not read; noted |

use std::fs::File;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use interligo_model::place::PartName;
use parquet::arrow::ProjectionMask;
use parquet::arrow::arrow_reader::{
    ArrowReaderMetadata, ArrowReaderOptions, ParquetRecordBatchReader,
    ParquetRecordBatchReaderBuilder,
};

use super::record_batches::{BATCH, Batch, SAMPLE, columns_and_notes, head_of, with_views};
use super::{
    Address, Block, Container, Format, Limits, OwnTables, Reader, Source, Wanted, What, file_bytes,
    is_parquet,
};
use crate::error::{Error, InputKind};
use crate::formats::head::Head;
use crate::table::settings::TableSettings;

/// Parquet files.
pub(super) struct ParquetFormat;

impl Format for ParquetFormat {
    fn takes(&self, name: &str) -> bool {
        is_parquet(name)
    }

    fn open(&self, at: &Address, _: &Limits, _: &OwnTables) -> Result<Arc<dyn Container>, Error> {
        Ok(Arc::new(ParquetFile { path: at.path.clone() }))
    }
}

pub(super) struct ParquetFile {
    pub(super) path: PathBuf,
}

/// A file with its columns.
struct ParquetSource {
    path: PathBuf,
    name: PartName,
    metadata: ArrowReaderMetadata,
    /// The number of each field among the columns of the file.
    columns: Vec<usize>,
}

impl Container for ParquetFile {
    fn look(&self, _: &What, name: &PartName, given: TableSettings) -> Result<Head, Error> {
        let file = open(&self.path, name)?;
        let metadata = ArrowReaderMetadata::load(&file, ArrowReaderOptions::new());
        let metadata = metadata.map_err(|error| damaged(name, &error.to_string()))?;
        let schema = metadata.schema().clone();
        let (columns, notes) = columns_and_notes(&schema);
        // Texts are read as views, which need not be copied.
        let options = ArrowReaderOptions::new().with_schema(with_views(&schema));
        let metadata = ArrowReaderMetadata::try_new(metadata.metadata().clone(), options)
            .map_err(|error| damaged(name, &error.to_string()))?;
        let column_names: Vec<String> =
            columns.iter().map(|column| schema.field(*column).name().clone()).collect();
        let source =
            ParquetSource { path: self.path.clone(), name: name.clone(), metadata, columns };
        let mut reader = source.reader(&Wanted::All, SAMPLE)?;
        let first = reader.next().transpose().map_err(|e| damaged(name, &e.to_string()))?;
        let head = head_of(Arc::new(source), column_names, first.as_ref(), given);
        Ok(Head { notes, ..head })
    }
}

fn open(path: &Path, name: &PartName) -> Result<File, Error> {
    File::open(path).map_err(|error| Error::cannot_read(&name.shown, path, error))
}

fn damaged(name: &PartName, why: &str) -> Error {
    Error::input(InputKind::Damaged, name, format!("cannot be read as Parquet: {why}"))
        .help("the file may be damaged or cut off; fetch it again")
}

impl ParquetSource {
    fn reader(&self, wanted: &Wanted, rows: usize) -> Result<ParquetRecordBatchReader, Error> {
        let file = open(&self.path, &self.name)?;
        let builder =
            ParquetRecordBatchReaderBuilder::new_with_metadata(file, self.metadata.clone());
        let fields = self.columns.iter().enumerate().filter(|(field, _)| wanted.has(*field));
        let mask =
            ProjectionMask::roots(builder.parquet_schema(), fields.map(|(_, column)| *column));
        let reader = builder.with_projection(mask).with_batch_size(rows).build();
        reader.map_err(|error| damaged(&self.name, &error.to_string()))
    }
}

impl Source for ParquetSource {
    fn open(&self, wanted: &Wanted) -> Result<Box<dyn Reader>, Error> {
        let rows = self.metadata.metadata().file_metadata().num_rows();
        Ok(Box::new(ParquetReader {
            batches: self.reader(wanted, BATCH)?,
            name: self.name.clone(),
            wanted: (0..self.columns.len()).map(|field| wanted.has(field)).collect(),
            bytes_a_row: self.bytes().unwrap_or(0).checked_div(rows as u64).unwrap_or(0),
            next_row: 1,
        }))
    }

    fn in_words(&self) -> Vec<String> {
        vec!["Parquet".to_owned()]
    }

    fn bytes(&self) -> Option<u64> {
        file_bytes(&self.path)
    }
}

struct ParquetReader {
    batches: ParquetRecordBatchReader,
    name: PartName,
    /// By field.
    wanted: Vec<bool>,
    bytes_a_row: u64,
    next_row: u64,
}

impl Reader for ParquetReader {
    fn next(&mut self, _: usize) -> Result<Option<Block>, Error> {
        let Some(batch) = self.batches.next() else { return Ok(None) };
        let batch = batch.map_err(|error| damaged(&self.name, &error.to_string()))?;
        let (first_row, lines) = (self.next_row, batch.num_rows() as u64);
        self.next_row += lines;
        let rows = Box::new(Batch { batch, wanted: self.wanted.clone(), first_row });
        let bytes = lines * self.bytes_a_row;
        // Its rows have no foot: what wrote the file knew what a row is.
        Ok(Some(Block { bytes, lines, extent: lines, first: first_row == 1, last: false, rows }))
    }
}
