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

use arrow_array::builder::StringViewBuilder;
use arrow_array::cast::AsArray;
use arrow_array::types::{
    Date32Type, Date64Type, Decimal128Type, Float32Type, Float64Type, Int32Type, Int64Type,
    TimestampMicrosecondType,
};
use arrow_array::{Array, ArrayRef, RecordBatch, StringViewArray};
use arrow_cast::cast;
use arrow_schema::{DataType, Field, Schema, SchemaRef, TimeUnit};
use parquet::arrow::ProjectionMask;
use parquet::arrow::arrow_reader::{
    ArrowReaderMetadata, ArrowReaderOptions, ParquetRecordBatchReader,
    ParquetRecordBatchReaderBuilder,
};

use interligo_engine::proof::findings::Noted;
use interligo_model::place::PartName;
use interligo_model::values::cells::{Cells, shortest_number};
use interligo_model::values::column::{DateColumn, NumberColumn, Numbers};
use interligo_model::values::decimal::Decimal;
use interligo_model::values::texts::gathered;
use jiff::Timestamp;
use jiff::tz::{Offset, TimeZone};

use super::{
    Address, Block, Container, Format, Limits, OwnTables, Reader, Source, Unsplit, Wanted, What,
    file_bytes, is_parquet, not_finite,
};
use crate::error::{Error, InputKind};
use crate::formats::head::{Head, Typed};
use crate::grid::{CellGrid, Grid};
use crate::table::settings::TableSettings;

/// Rows of a block.
const BATCH: usize = 16_384;

/// Rows that are looked at.
const SAMPLE: usize = 1000;

const MICROSECONDS_A_DAY: i64 = 86_400_000_000;
const MILLISECONDS_A_DAY: i64 = 86_400_000;

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

struct ParquetFile {
    path: PathBuf,
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
        let numbered = || schema.fields().iter().enumerate();
        let columns: Vec<usize> =
            numbered().filter(|(_, field)| is_value(field.data_type())).map(|(n, _)| n).collect();
        let nested = numbered().filter(|(_, field)| !is_value(field.data_type()));
        let notes = nested.map(|(_, field)| {
            let holds = match field.data_type() {
                DataType::Struct(_) => "records",
                DataType::Map(..) => "maps",
                DataType::Binary | DataType::LargeBinary | DataType::FixedSizeBinary(_) => "bytes",
                _ => "lists",
            };
            (Noted::NestedColumn, format!("`{}` holds {holds}", field.name()))
        });
        let notes = notes.collect();
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
        let fields: Vec<Cells> = match &first {
            Some(batch) => batch.columns().iter().map(cells).collect(),
            None => {
                column_names.iter().map(|_| Cells::Texts(StringViewArray::new_null(0))).collect()
            }
        };
        let typed = fields.iter().map(|cells| Typed {
            rows: vec![!matches!(cells, Cells::Texts(_)); cells.len()],
            times: false,
        });
        let typed = typed.collect();
        let sample = fields.iter().map(Cells::texts).collect();
        let head = Head::of_fields(Arc::new(source), column_names, sample, typed, given);
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

/// Whether a column holds single values.
fn is_value(data_type: &DataType) -> bool {
    match data_type {
        DataType::Dictionary(_, values) => is_value(values),
        DataType::Binary | DataType::LargeBinary | DataType::BinaryView => false,
        DataType::FixedSizeBinary(_) | DataType::Interval(_) | DataType::Duration(_) => false,
        other => !other.is_nested(),
    }
}

fn with_views(schema: &Schema) -> SchemaRef {
    let field = |field: &Arc<Field>| match field.data_type() {
        DataType::Utf8 | DataType::LargeUtf8 => {
            Arc::new(field.as_ref().clone().with_data_type(DataType::Utf8View))
        }
        _ => field.clone(),
    };
    let fields: Vec<Arc<Field>> = schema.fields().iter().map(field).collect();
    Arc::new(Schema::new_with_metadata(fields, schema.metadata().clone()))
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

/// Rows whose values are still in the form of the file.
struct Batch {
    batch: RecordBatch,
    wanted: Vec<bool>,
    first_row: u64,
}

impl Unsplit for Batch {
    fn split(self: Box<Self>, _: &PartName, _: &[String]) -> Result<Grid, Error> {
        let mut arrays = self.batch.columns().iter();
        let (mut columns, mut noted) = (Vec::new(), Vec::new());
        for (field, wanted) in self.wanted.iter().enumerate() {
            let array = if *wanted { arrays.next() } else { None };
            columns.push(array.map(cells));
            let odd = array.into_iter().flat_map(numbers_that_are_none);
            noted.extend(odd.map(|(row, number)| {
                let row = self.first_row + row as u64;
                (Noted::NotFinite, row, not_finite(number, row, field))
            }));
        }
        let mut grid = CellGrid::new(self.batch.num_rows(), columns, self.first_row);
        grid.noted = noted;
        Ok(Grid::Cells(grid))
    }
}

/// The values of a column.
fn cells(array: &ArrayRef) -> Cells {
    let known = array.logical_nulls().filter(|nulls| nulls.null_count() > 0);
    let fixed = |mantissas: Vec<i64>, places: u8| {
        let numbers = Numbers::Fixed { mantissas, places };
        Cells::Numbers(NumberColumn { numbers, known: known.clone() })
    };
    let days = |days: Vec<i32>| Cells::Days(DateColumn { days, known: known.clone() });
    let as_type = |wanted: &DataType| cast(array, wanted).unwrap_or_else(|_| array.clone());
    match array.data_type() {
        DataType::Int64 => fixed(array.as_primitive::<Int64Type>().values().to_vec(), 0),
        DataType::Int32 => {
            let values = array.as_primitive::<Int32Type>().values().iter();
            fixed(values.map(|value| i64::from(*value)).collect(), 0)
        }
        whole if whole.is_integer() && *whole != DataType::UInt64 => {
            fixed(as_type(&DataType::Int64).as_primitive::<Int64Type>().values().to_vec(), 0)
        }
        DataType::Decimal32(_, scale @ 0..) | DataType::Decimal64(_, scale @ 0..) => {
            let wide = as_type(&DataType::Decimal128(38, *scale));
            decimals(wide.as_primitive::<Decimal128Type>().values(), *scale as u8, known)
        }
        DataType::Decimal128(_, scale @ 0..) => {
            decimals(array.as_primitive::<Decimal128Type>().values(), *scale as u8, known)
        }
        DataType::Date32 => days(array.as_primitive::<Date32Type>().values().to_vec()),
        DataType::Date64 => {
            let millis = array.as_primitive::<Date64Type>().values().iter();
            days(millis.map(|millis| millis.div_euclid(MILLISECONDS_A_DAY) as i32).collect())
        }
        DataType::Timestamp(_, zone) => {
            let unit = DataType::Timestamp(TimeUnit::Microsecond, zone.clone());
            let micros = as_type(&unit);
            let micros = micros.as_primitive::<TimestampMicrosecondType>().values().iter();
            let zone = zone.as_deref().and_then(zone_called);
            days(micros.map(|micros| day_in(zone.as_ref(), *micros)).collect())
        }
        DataType::Float64 => shown(array, |row| array.as_primitive::<Float64Type>().value(row)),
        DataType::Float16 | DataType::Float32 => {
            // The decimal that represents it in 32 bits, not that of its neighbour in 64.
            let narrow = as_type(&DataType::Float32);
            let texts = narrow.as_primitive::<Float32Type>();
            shown(array, |row| texts.value(row).to_string().parse().unwrap_or(f64::NAN))
        }
        _ => Cells::Texts(without_nulls(&as_type(&DataType::Utf8View))),
    }
}

/// A zone by its name or offset; none for UTC, and for points in time that have none.
fn zone_called(name: &str) -> Option<TimeZone> {
    let offset = || {
        let (hours, minutes) =
            name.get(1..)?.split_once(':').or_else(|| name.get(1..)?.split_at_checked(2))?;
        let (hours, minutes): (i32, i32) = (hours.parse().ok()?, minutes.parse().ok()?);
        let seconds = (hours * 60 + minutes) * 60;
        let sign = if name.starts_with('-') { -1 } else { 1 };
        Offset::from_seconds(sign * seconds).ok().map(TimeZone::fixed)
    };
    match name {
        "UTC" | "Z" | "" => None,
        _ if name.starts_with(['+', '-']) => offset(),
        _ => TimeZone::get(name).ok(),
    }
}

/// The day of a point in time, as it is where its zone holds.
fn day_in(zone: Option<&TimeZone>, micros: i64) -> i32 {
    let shift = zone.and_then(|zone| {
        let at = Timestamp::from_microsecond(micros).ok()?;
        Some(i64::from(zone.to_offset(at).seconds()) * 1_000_000)
    });
    micros.saturating_add(shift.unwrap_or(0)).div_euclid(MICROSECONDS_A_DAY) as i32
}

/// Decimals in 64 bits where all of them fit.
fn decimals(values: &[i128], places: u8, known: Option<arrow_buffer::NullBuffer>) -> Cells {
    let is_known = |row: usize| known.as_ref().is_none_or(|known| known.is_valid(row));
    // What is null may be anything.
    let fits = |(row, value): (usize, &i128)| i64::try_from(*value).is_ok() || !is_known(row);
    if values.iter().enumerate().all(fits) {
        let mantissas = values.iter().map(|value| *value as i64).collect();
        let numbers = Numbers::Fixed { mantissas, places };
        return Cells::Numbers(NumberColumn { numbers, known });
    }
    let numbers: Option<Vec<Decimal>> = values
        .iter()
        .enumerate()
        .map(|(row, v)| Decimal::new(if is_known(row) { *v } else { 0 }, places))
        .collect();
    match numbers {
        Some(numbers) => Cells::Numbers(NumberColumn { numbers: Numbers::Wide(numbers), known }),
        // More digits than exact arithmetic has: text that cannot be read as a number.
        None => {
            let text = |(row, v): (usize, &i128)| {
                if is_known(row) { format!("{v}e-{places}") } else { String::new() }
            };
            let texts = values.iter().enumerate().map(text);
            Cells::Texts(StringViewArray::from_iter_values(texts))
        }
    }
}

fn shown(array: &ArrayRef, value: impl Fn(usize) -> f64) -> Cells {
    let mut texts = StringViewBuilder::with_capacity(array.len());
    let mut text = String::new();
    for row in 0..array.len() {
        text.clear();
        if array.is_valid(row) {
            shortest_number(value(row), &mut text);
        }
        texts.append_value(&text);
    }
    Cells::Texts(texts.finish())
}

/// Infinite numbers, and those that are none, with their rows.
fn numbers_that_are_none(array: &ArrayRef) -> Vec<(usize, f64)> {
    if !matches!(array.data_type(), DataType::Float64 | DataType::Float32 | DataType::Float16) {
        return Vec::new();
    }
    let wide = cast(array, &DataType::Float64).unwrap_or_else(|_| array.clone());
    let Some(numbers) = wide.as_primitive_opt::<Float64Type>() else { return Vec::new() };
    let found = numbers.iter().enumerate().filter_map(|(row, number)| Some((row, number?)));
    found.filter(|(_, number)| !number.is_finite()).collect()
}

/// Texts with a blank where there is none.
fn without_nulls(array: &ArrayRef) -> StringViewArray {
    let Some(texts) = array.as_string_view_opt() else {
        return StringViewArray::from(vec![""; array.len()]);
    };
    if texts.null_count() == 0 {
        return texts.clone();
    }
    // What is in a view that is null has no meaning.
    gathered(texts, (0..texts.len()).map(|row| texts.is_valid(row).then_some(row as u32)))
}
