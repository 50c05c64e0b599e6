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
use std::ops::Range;
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
    Address, Block, Container, Format, Limits, OwnTables, Reader, RowStart, Source, Stretch,
    Wanted, What, file_bytes, is_parquet,
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
        let mut reader = source.reader(&Wanted::All, 0..SAMPLE, SAMPLE)?;
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
    /// Reads some rows, in batches of this many. Row groups that have none of these are left alone.
    fn reader(
        &self,
        wanted: &Wanted,
        rows: Range<usize>,
        batch: usize,
    ) -> Result<ParquetRecordBatchReader, Error> {
        let file = open(&self.path, &self.name)?;
        let builder =
            ParquetRecordBatchReaderBuilder::new_with_metadata(file, self.metadata.clone());
        let fields = self.columns.iter().enumerate().filter(|(field, _)| wanted.has(*field));
        let mask =
            ProjectionMask::roots(builder.parquet_schema(), fields.map(|(_, column)| *column));
        let (groups, before) = self.groups_with(&rows);
        let reader = builder
            .with_projection(mask)
            .with_batch_size(batch)
            .with_row_groups(groups)
            .with_offset(rows.start - before)
            .with_limit(rows.len())
            .build();
        reader.map_err(|error| damaged(&self.name, &error.to_string()))
    }

    /// The row groups in which some rows are, and how many rows come before these groups.
    fn groups_with(&self, rows: &Range<usize>) -> (Vec<usize>, usize) {
        let (mut groups, mut before, mut first) = (Vec::new(), rows.start, 0usize);
        for (group, metadata) in self.metadata.metadata().row_groups().iter().enumerate() {
            // What a damaged file says of itself may be any number.
            let next = first.saturating_add(usize::try_from(metadata.num_rows()).unwrap_or(0));
            if first < rows.end && rows.start < next {
                if groups.is_empty() {
                    before = first;
                }
                groups.push(group);
            }
            first = next;
        }
        (groups, before)
    }

    /// How many rows the file says that it has.
    fn rows(&self) -> usize {
        usize::try_from(self.metadata.metadata().file_metadata().num_rows()).unwrap_or(0)
    }

    fn opened(&self, wanted: &Wanted, rows: Range<usize>) -> Result<Box<dyn Reader>, Error> {
        let bytes_a_row = self.bytes().unwrap_or(0).checked_div(self.rows() as u64).unwrap_or(0);
        let next_row = rows.start as u64 + 1;
        Ok(Box::new(ParquetReader {
            batches: self.reader(wanted, rows, BATCH)?,
            name: self.name.clone(),
            wanted: (0..self.columns.len()).map(|field| wanted.has(field)).collect(),
            bytes_a_row,
            next_row,
        }))
    }
}

impl Source for ParquetSource {
    fn open(&self, wanted: &Wanted) -> Result<Box<dyn Reader>, Error> {
        self.opened(wanted, 0..usize::MAX)
    }

    fn open_stretch(
        &self,
        wanted: &Wanted,
        stretch: Stretch,
    ) -> Result<Option<Box<dyn Reader>>, Error> {
        let row = |at: u64| usize::try_from(at).unwrap_or(usize::MAX);
        let from = stretch.from.map_or(0, |from| row(from.at));
        let to = stretch.to.map_or(usize::MAX, row);
        Ok(Some(self.opened(wanted, from..to.max(from))?))
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

    fn row_start(&self) -> Option<RowStart> {
        Some(RowStart { at: self.next_row - 1, row: self.next_row })
    }
}

#[cfg(test)]
mod tests {
    use super::super::record_batches::read_through;
    use super::*;
    use arrow_array::{Int64Array, RecordBatch};
    use parquet::arrow::ArrowWriter;
    use parquet::file::properties::WriterProperties;
    use proptest::prelude::*;

    /// A file of rows that are numbered, in groups of this many.
    fn numbered(rows: i64, group: usize) -> (tempfile::TempDir, Arc<dyn Source>) {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("rows.parquet");
        let column = Arc::new(Int64Array::from_iter_values(0..rows));
        let batch = RecordBatch::try_from_iter([("no", column as _)]).unwrap();
        let properties =
            WriterProperties::builder().set_max_row_group_row_count(Some(group)).build();
        let file = File::create(&path).unwrap();
        let mut writer = ArrowWriter::try_new(file, batch.schema(), Some(properties)).unwrap();
        writer.write(&batch).unwrap();
        writer.close().unwrap();
        let file = ParquetFile { path };
        let head = file.look(&What::Whole, &"rows.parquet".into(), TableSettings::default());
        (folder, head.unwrap().source)
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(40))]
        /// Stretches of which each ends where the next begins are the whole file, however its rows are grouped.
        #[test]
        fn prop_stretches_are_the_file(
            rows in 0i64..40, group in 1usize..12, cuts in prop::collection::vec(0u64..45, 0..4),
        ) {
            let (_folder, source) = numbered(rows, group);
            let whole = read_through(source.open(&Wanted::All).unwrap()).0;
            let expected: Vec<String> = (0..rows).map(|row| row.to_string()).collect();
            prop_assert_eq!(&whole, &expected);
            let mut cuts = cuts;
            cuts.sort_unstable();
            let starts = [None].into_iter().chain(cuts.iter().map(|at| Some(RowStart { at: *at, row: at + 1 })));
            let ends = cuts.iter().copied().map(Some).chain([None]);
            let mut all = Vec::new();
            for (from, to) in starts.zip(ends) {
                let reader = source.open_stretch(&Wanted::All, Stretch { from, to }).unwrap();
                all.extend(read_through(reader.unwrap()).0);
            }
            prop_assert_eq!(all, expected);
        }
    }

    #[test]
    fn a_stretch_begins_where_a_block_of_the_file_does() {
        let (_folder, source) = numbered(40_000, 9_000);
        let starts = read_through(source.open(&Wanted::All).unwrap()).1;
        assert_eq!(starts.iter().map(|start| start.at).collect::<Vec<_>>(), [0, 16_384, 32_768]);
        let last = Stretch { from: Some(starts[2]), to: None };
        let (values, _) = read_through(source.open_stretch(&Wanted::All, last).unwrap().unwrap());
        assert_eq!((values.len(), values[0].as_str()), (40_000 - 32_768, "32768"));
    }
}
