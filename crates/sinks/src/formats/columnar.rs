//! Columnar files, Parquet and Arrow: numbers as DECIMAL, days as DATE, yes and no as BOOLEAN, all else as UTF8; unknown
//! values are null.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use arrow_array::{
    ArrayRef, BooleanArray, Date32Array, Decimal128Array, RecordBatch, StringArray, new_null_array,
};
use arrow_ipc::writer::FileWriter;
use arrow_schema::{ArrowError, DataType, Field, Schema, SchemaRef};
use interligo_model::values::column::{
    Column, ColumnKind, NumberColumn, Numbers, is_blank_at, is_blank_text, is_known,
};
use interligo_model::values::date::Period;
use interligo_model::values::decimal::Decimal;
use parquet::arrow::ArrowWriter;
use parquet::arrow::arrow_writer::{
    ArrowColumnChunk, ArrowColumnWriter, ArrowRowGroupWriterFactory, compute_leaves,
};
use parquet::basic::{Compression, ZstdLevel};
use parquet::file::properties::{EnabledStatistics, WriterProperties};
use parquet::file::writer::SerializedFileWriter;
use parquet::schema::types::ColumnPath;

use super::typed::refuse_names;
use crate::background::Background;
use crate::error::Error;
use crate::format::{OutputFormat, Piece, RowColumn, Target, WriteRows};
use crate::output_file::{OutputFile, Through};

/// Digits of a decimal.
const DIGITS: u8 = 38;

/// Rows that make a row group.
const GROUP: usize = 64 * 1024;

/// Threads that encode the columns of a row group.
const THREADS: usize = 2;

/// Parquet, compressed by zstd.
pub(super) struct Parquet;

/// The Arrow file format.
pub(super) struct ArrowFile;

impl OutputFormat for Parquet {
    fn begin(
        &self,
        target: &Target<'_>,
        columns: &[RowColumn],
    ) -> Result<Box<dyn WriteRows>, Error> {
        begin(target, columns, |file, schema| {
            let mut properties = WriterProperties::builder();
            for column in columns {
                let path = ColumnPath::from(vec![column.name.clone()]);
                if column.shown.is_amount() {
                    // Nearly every one is another: a dictionary would only be tried in vain.
                    properties = properties.set_column_dictionary_enabled(path.clone(), false);
                }
                // Comparing every text for the smallest and the largest takes a tenth of the time. The smallest and the largest
                // number of a row group would hold all its numbers in memory up to the end: they are slices of them.
                let kept = matches!(column.kind, ColumnKind::Date | ColumnKind::YesNo);
                if !kept {
                    let none = EnabledStatistics::None;
                    properties = properties.set_column_statistics_enabled(path, none);
                }
            }
            let properties = properties
                .set_compression(Compression::ZSTD(ZstdLevel::try_new(1)?))
                .set_statistics_enabled(EnabledStatistics::Chunk)
                .build();
            let writer = ArrowWriter::try_new(file, schema, Some(properties))?;
            let (file, factory) = writer.into_serialized_writer()?;
            Ok(Sink::Parquet(Box::new(RowGroups {
                file,
                factory,
                groups: 0,
                held: Vec::new(),
                rows: 0,
            })))
        })
    }
}

impl OutputFormat for ArrowFile {
    fn begin(
        &self,
        target: &Target<'_>,
        columns: &[RowColumn],
    ) -> Result<Box<dyn WriteRows>, Error> {
        begin(target, columns, |file, schema| {
            Ok(Sink::Arrow(Box::new(FileWriter::try_new(file, &schema)?)))
        })
    }
}

fn begin(
    target: &Target<'_>,
    columns: &[RowColumn],
    sink: impl FnOnce(Written, SchemaRef) -> Result<Sink, ArrowError>,
) -> Result<Box<dyn WriteRows>, Error> {
    refuse_names(target.path, columns)?;
    let schema = schema_of(columns);
    let path = target.path.to_owned();
    let sink = sink(Through(target.file()?), schema.clone()).map_err(|e| failed(&path, &e))?;
    let rows = ColumnarRows { path, columns: columns.to_vec(), schema, sink, rows: 0 };
    Background::of(Box::new(rows), target.path)
}

fn failed(path: &Path, error: &dyn std::fmt::Display) -> Error {
    Error::told(path, &error.to_string())
}

/// A file that is written through.
type Written = Through<OutputFile>;

/// What writes batches.
enum Sink {
    Parquet(Box<RowGroups>),
    Arrow(Box<FileWriter<Written>>),
}

/// A columnar file that takes rows.
struct ColumnarRows {
    path: PathBuf,
    columns: Vec<RowColumn>,
    schema: SchemaRef,
    sink: Sink,
    rows: u64,
}

impl WriteRows for ColumnarRows {
    fn write(&mut self, piece: Piece) -> Result<(), Error> {
        if let Sink::Parquet(groups) = &mut self.sink {
            self.rows += piece.as_columns().first().map_or(0, Column::len) as u64;
            return groups.add(piece, &self.columns, &self.schema, &self.path);
        }
        let arrays = piece.as_columns().iter().zip(&self.columns);
        let arrays: Result<Vec<ArrayRef>, Error> =
            arrays.map(|(column, own)| array_of(column, own, &self.path)).collect();
        let batch = RecordBatch::try_new(self.schema.clone(), arrays?);
        let batch = batch.map_err(|error| failed(&self.path, &error))?;
        self.rows += batch.num_rows() as u64;
        match &mut self.sink {
            Sink::Parquet(_) => Ok(()),
            Sink::Arrow(writer) => writer.write(&batch).map_err(|e| failed(&self.path, &e)),
        }
    }

    fn rows(&mut self) -> Result<u64, Error> {
        Ok(self.rows)
    }

    fn finish(self: Box<Self>) -> Result<Option<OutputFile>, Error> {
        let ColumnarRows { path, sink, columns, schema, .. } = *self;
        let file = match sink {
            Sink::Parquet(mut groups) => {
                groups.end_group(&columns, &schema, &path)?;
                groups.file.into_inner().map_err(|e| failed(&path, &e))?
            }
            Sink::Arrow(writer) => writer.into_inner().map_err(|e| failed(&path, &e))?,
        };
        Ok(Some(file.0))
    }
}

/// A Parquet file, whose row groups are encoded column by column, by several threads.
struct RowGroups {
    file: SerializedFileWriter<Written>,
    factory: ArrowRowGroupWriterFactory,
    /// Row groups that are written.
    groups: usize,
    /// The rows of the next one.
    held: Vec<Piece>,
    rows: usize,
}

impl RowGroups {
    fn add(
        &mut self,
        piece: Piece,
        columns: &[RowColumn],
        schema: &Schema,
        path: &Path,
    ) -> Result<(), Error> {
        self.rows += piece.as_columns().first().map_or(0, Column::len);
        self.held.push(piece);
        if self.rows < GROUP { Ok(()) } else { self.end_group(columns, schema, path) }
    }

    /// Encodes and writes what is held as a row group.
    fn end_group(
        &mut self,
        columns: &[RowColumn],
        schema: &Schema,
        path: &Path,
    ) -> Result<(), Error> {
        let held = std::mem::take(&mut self.held);
        if std::mem::take(&mut self.rows) == 0 {
            return Ok(());
        }
        let wrong = |error: &dyn std::fmt::Display| failed(path, error);
        let writers = self.factory.create_column_writers(self.groups).map_err(|e| wrong(&e))?;
        self.groups += 1;
        let encode = |(number, mut writer): (usize, ArrowColumnWriter)| {
            for piece in &held {
                let array = array_of(&piece.as_columns()[number], &columns[number], path)?;
                let leaves = compute_leaves(schema.field(number), &array).map_err(|e| wrong(&e))?;
                for leaf in leaves {
                    writer.write(&leaf).map_err(|e| wrong(&e))?;
                }
            }
            Ok((number, writer.close().map_err(|e| wrong(&e))?))
        };
        let mut shares: Vec<Vec<(usize, ArrowColumnWriter)>> = Vec::new();
        shares.resize_with(THREADS, Vec::new);
        for (number, writer) in writers.into_iter().enumerate() {
            shares[number % THREADS].push((number, writer));
        }
        let mut chunks: Vec<(usize, ArrowColumnChunk)> = std::thread::scope(|scope| {
            let work = |share: Vec<(usize, ArrowColumnWriter)>| {
                share.into_iter().map(encode).collect::<Result<Vec<_>, Error>>()
            };
            let threads: Vec<_> =
                shares.into_iter().map(|share| scope.spawn(move || work(share))).collect();
            let broken = || wrong(&"it could not be encoded");
            let ended = threads.into_iter().map(|thread| thread.join().map_err(|_| broken())?);
            ended.collect::<Result<Vec<_>, Error>>().map(|all| all.into_iter().flatten().collect())
        })?;
        chunks.sort_by_key(|(number, _)| *number);
        let mut group = self.file.next_row_group().map_err(|e| wrong(&e))?;
        for (_, chunk) in chunks {
            chunk.append_to_row_group(&mut group).map_err(|e| wrong(&e))?;
        }
        group.close().map_err(|e| wrong(&e))?;
        Ok(())
    }
}

/// A column as an array of its type.
fn array_of(column: &Column, own: &RowColumn, path: &Path) -> Result<ArrayRef, Error> {
    Ok(match (column, own.kind) {
        (Column::Number(numbers), ColumnKind::Number(places)) => {
            let array = decimals(numbers, column.len(), places).ok_or_else(|| {
                failed(path, &format_args!(
                    "a number of `{}` with {places} decimal places has more than {DIGITS} digits",
                    own.name
                ))
            })?;
            Arc::new(array)
        }
        (Column::Date(dates), ColumnKind::Date) => {
            Arc::new(Date32Array::new(dates.days.clone().into(), dates.known.clone()))
        }
        (Column::YesNo(values), ColumnKind::YesNo) => Arc::new(BooleanArray::from(values.clone())),
        (Column::Text(texts), _) => {
            let text = |row: usize| {
                let known = !is_blank_at(texts, row) && !is_blank_text(texts.value(row));
                known.then(|| texts.value(row))
            };
            Arc::new((0..column.len()).map(text).collect::<StringArray>())
        }
        (Column::Period(unit, periods), _) => {
            let text = |row: usize| {
                let known = is_known(periods.known.as_ref(), row);
                let ordinal = periods.days[row];
                known.then(|| Period { unit: *unit, ordinal }.to_string())
            };
            Arc::new((0..column.len()).map(text).collect::<StringArray>())
        }
        // A column that holds nothing known may be of another kind than was foreseen.
        _ => new_null_array(&data_type(own.kind), column.len()),
    })
}

/// Numbers with this many places; none where one of them has too many digits.
fn decimals(column: &NumberColumn, rows: usize, places: u8) -> Option<Decimal128Array> {
    let numbers: Vec<i128> = match &column.numbers {
        Numbers::Fixed { mantissas, places: own } if *own <= places => {
            let factor = 10_i128.checked_pow(u32::from(places - own))?;
            mantissas.iter().map(|m| i128::from(*m).checked_mul(factor)).collect::<Option<_>>()?
        }
        _ => {
            let number = |row| match column.get(row) {
                None => Some(0),
                Some(number) => number.trimmed(0).with_places(places).map(Decimal::mantissa),
            };
            (0..rows).map(number).collect::<Option<_>>()?
        }
    };
    let array = Decimal128Array::new(numbers.into(), column.known.clone());
    let array = array.with_precision_and_scale(DIGITS, places as i8).ok()?;
    array.validate_decimal_precision(DIGITS).is_ok().then_some(array)
}

/// The types of the columns.
fn schema_of(columns: &[RowColumn]) -> SchemaRef {
    let field = |column: &RowColumn| Field::new(&column.name, data_type(column.kind), true);
    Arc::new(Schema::new(columns.iter().map(field).collect::<Vec<_>>()))
}

fn data_type(kind: ColumnKind) -> DataType {
    match kind {
        ColumnKind::Number(places) => DataType::Decimal128(DIGITS, places as i8),
        ColumnKind::Date => DataType::Date32,
        ColumnKind::YesNo => DataType::Boolean,
        ColumnKind::Text | ColumnKind::Period(_) => DataType::Utf8,
    }
}
