//! Files of the Arrow format, by the arrow-ipc crate. What is made of each type is as with Parquet.

use std::fs::File;
use std::io::BufReader;
use std::path::PathBuf;
use std::sync::Arc;

use arrow_ipc::reader::FileReader;
use interligo_model::place::PartName;

use super::record_batches::{Batch, columns_and_notes, head_of};
use super::{
    Address, Block, Container, Format, Limits, OwnTables, Reader, RowStart, Source, Stretch,
    Wanted, What, file_bytes, is_arrow,
};
use crate::error::{Error, InputKind};
use crate::formats::head::Head;
use crate::table::settings::TableSettings;

/// Arrow files.
pub(super) struct ArrowFormat;

impl Format for ArrowFormat {
    fn takes(&self, name: &str) -> bool {
        is_arrow(name)
    }

    fn open(&self, at: &Address, _: &Limits, _: &OwnTables) -> Result<Arc<dyn Container>, Error> {
        Ok(Arc::new(ArrowContainer { path: at.path.clone() }))
    }
}

struct ArrowContainer {
    path: PathBuf,
}

/// A file with its columns.
#[derive(Clone)]
struct ArrowSource {
    path: PathBuf,
    name: PartName,
    /// The number of each field among the columns of the file.
    columns: Vec<usize>,
}

type Batches = FileReader<BufReader<File>>;

impl Container for ArrowContainer {
    fn look(&self, _: &What, name: &PartName, given: TableSettings) -> Result<Head, Error> {
        let whole =
            ArrowSource { path: self.path.clone(), name: name.clone(), columns: Vec::new() };
        let schema = whole.batches(None)?.schema();
        let (columns, notes) = columns_and_notes(&schema);
        let column_names: Vec<String> =
            columns.iter().map(|column| schema.field(*column).name().clone()).collect();
        let source = ArrowSource { columns, ..whole };
        let first = source.batches(Some(source.columns.clone()))?.next();
        let first = first.transpose().map_err(|error| damaged(name, &error.to_string()))?;
        let head = head_of(Arc::new(source), column_names, first.as_ref(), given);
        Ok(Head { notes, ..head })
    }
}

impl ArrowSource {
    /// The batches of the file, with some of its columns.
    fn batches(&self, columns: Option<Vec<usize>>) -> Result<Batches, Error> {
        let file = File::open(&self.path)
            .map_err(|error| Error::cannot_read(&self.name.shown, &self.path, error))?;
        FileReader::try_new_buffered(file, columns)
            .map_err(|error| damaged(&self.name, &error.to_string()))
    }
}

impl ArrowSource {
    /// Reads some batches; a stretch counts these.
    fn reader(&self, wanted: &Wanted, stretch: Stretch) -> Result<ArrowReader, Error> {
        let fields = self.columns.iter().enumerate().filter(|(field, _)| wanted.has(*field));
        let mut batches = self.batches(Some(fields.map(|(_, column)| *column).collect()))?;
        let count = batches.num_batches() as u64;
        let from = stretch.from.unwrap_or(RowStart { at: 0, row: 1 });
        if from.at > 0 && from.at < count {
            let moved = batches.set_index(from.at as usize);
            moved.map_err(|error| damaged(&self.name, &error.to_string()))?;
        }
        Ok(ArrowReader {
            batches,
            name: self.name.clone(),
            wanted: (0..self.columns.len()).map(|field| wanted.has(field)).collect(),
            bytes_a_batch: self.bytes().unwrap_or(0).checked_div(count).unwrap_or(0),
            next: from,
            end: stretch.to.unwrap_or(count).min(count),
        })
    }
}

fn damaged(name: &PartName, why: &str) -> Error {
    Error::input(InputKind::Damaged, name, format!("cannot be read as an Arrow file: {why}"))
        .help("the file may be damaged or cut off; fetch it again")
}

impl Source for ArrowSource {
    fn open(&self, wanted: &Wanted) -> Result<Box<dyn Reader>, Error> {
        Ok(Box::new(self.reader(wanted, Stretch { from: None, to: None })?))
    }

    fn open_stretch(
        &self,
        wanted: &Wanted,
        stretch: Stretch,
    ) -> Result<Option<Box<dyn Reader>>, Error> {
        Ok(Some(Box::new(self.reader(wanted, stretch)?)))
    }

    fn in_words(&self) -> Vec<String> {
        vec!["Arrow file".to_owned()]
    }

    fn bytes(&self) -> Option<u64> {
        file_bytes(&self.path)
    }
}

struct ArrowReader {
    batches: Batches,
    name: PartName,
    /// By field.
    wanted: Vec<bool>,
    bytes_a_batch: u64,
    /// The next batch, and the row with which it begins.
    next: RowStart,
    /// Batches from this one on are not read.
    end: u64,
}

impl Reader for ArrowReader {
    fn next(&mut self, _: usize) -> Result<Option<Block>, Error> {
        let more = self.next.at < self.end;
        let Some(batch) = more.then(|| self.batches.next()).flatten() else { return Ok(None) };
        let batch = batch.map_err(|error| damaged(&self.name, &error.to_string()))?;
        let (first_row, lines) = (self.next.row, batch.num_rows() as u64);
        self.next = RowStart { at: self.next.at + 1, row: first_row + lines };
        let rows = Box::new(Batch { batch, wanted: self.wanted.clone(), first_row });
        // Its rows have no foot: what wrote the file knew what a row is.
        Ok(Some(Block {
            bytes: self.bytes_a_batch,
            lines,
            extent: lines,
            first: first_row == 1,
            last: false,
            rows,
        }))
    }
    fn row_start(&self) -> Option<RowStart> {
        Some(self.next)
    }
}

#[cfg(test)]
mod tests {
    use super::super::record_batches::read_through;
    use super::*;
    use arrow_array::{Int64Array, RecordBatch};
    use arrow_ipc::writer::FileWriter;
    use proptest::prelude::*;

    /// A file of rows that are numbered, in batches of these many.
    fn numbered(batches: &[usize]) -> (tempfile::TempDir, Arc<dyn Source>) {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("rows.arrow");
        let mut next = 0;
        let mut batch = |rows: usize| {
            let column = Arc::new(Int64Array::from_iter_values(next..next + rows as i64));
            next += rows as i64;
            RecordBatch::try_from_iter([("no", column as _)]).unwrap()
        };
        let file = File::create(&path).unwrap();
        let mut writer = FileWriter::try_new(file, &batch(0).schema()).unwrap();
        batches.iter().for_each(|rows| writer.write(&batch(*rows)).unwrap());
        writer.finish().unwrap();
        let file = ArrowContainer { path };
        let head = file.look(&What::Whole, &"rows.arrow".into(), TableSettings::default());
        (folder, head.unwrap().source)
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(40))]
        /// Stretches between any batches are the whole file.
        #[test]
        fn prop_stretches_are_the_file(
            batches in prop::collection::vec(0usize..9, 0..7), cuts in prop::collection::vec(any::<bool>(), 7),
        ) {
            let (_folder, source) = numbered(&batches);
            let (whole, starts) = read_through(source.open(&Wanted::All).unwrap());
            let rows = batches.iter().sum::<usize>();
            let expected: Vec<String> = (0..rows).map(|row| row.to_string()).collect();
            prop_assert_eq!(&whole, &expected);
            prop_assert_eq!(starts.len(), batches.len());
            let cut = |(start, cut): (RowStart, bool)| cut.then_some(Some(start));
            let cuts: Vec<Option<RowStart>> = starts.into_iter().zip(cuts).filter_map(cut).collect();
            let begins = [None].into_iter().chain(cuts.iter().copied());
            let ends = cuts.iter().map(|cut| cut.map(|start| start.at)).chain([None]);
            let mut all = Vec::new();
            for (from, to) in begins.zip(ends) {
                let reader = source.open_stretch(&Wanted::All, Stretch { from, to }).unwrap();
                all.extend(read_through(reader.unwrap()).0);
            }
            prop_assert_eq!(all, expected);
        }
    }
}
