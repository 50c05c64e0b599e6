//! Files of the Arrow format, by the arrow-ipc crate. What is made of each type is as with Parquet.

use std::fs::File;
use std::io::BufReader;
use std::path::PathBuf;
use std::sync::Arc;

use arrow_ipc::reader::FileReader;
use interligo_model::place::PartName;

use super::record_batches::{Batch, columns_and_notes, head_of};
use super::{
    Address, Block, Container, Format, Limits, OwnTables, Reader, Source, Wanted, What, file_bytes,
    is_arrow,
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

fn damaged(name: &PartName, why: &str) -> Error {
    Error::input(InputKind::Damaged, name, format!("cannot be read as an Arrow file: {why}"))
        .help("the file may be damaged or cut off; fetch it again")
}

impl Source for ArrowSource {
    fn open(&self, wanted: &Wanted) -> Result<Box<dyn Reader>, Error> {
        let fields = self.columns.iter().enumerate().filter(|(field, _)| wanted.has(*field));
        let batches = self.batches(Some(fields.map(|(_, column)| *column).collect()))?;
        let count = batches.num_batches() as u64;
        Ok(Box::new(ArrowReader {
            batches,
            name: self.name.clone(),
            wanted: (0..self.columns.len()).map(|field| wanted.has(field)).collect(),
            bytes_a_batch: self.bytes().unwrap_or(0).checked_div(count).unwrap_or(0),
            next_row: 1,
        }))
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
    next_row: u64,
}

impl Reader for ArrowReader {
    fn next(&mut self, _: usize) -> Result<Option<Block>, Error> {
        let Some(batch) = self.batches.next() else { return Ok(None) };
        let batch = batch.map_err(|error| damaged(&self.name, &error.to_string()))?;
        let (first_row, lines) = (self.next_row, batch.num_rows() as u64);
        self.next_row += lines;
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
}
