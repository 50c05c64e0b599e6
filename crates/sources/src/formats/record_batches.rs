//! Batches of the Arrow format, as Parquet and Arrow files give them, on their way to grids.

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
use interligo_engine::proof::findings::Noted;
use interligo_model::place::PartName;
use interligo_model::values::cells::{Cells, shortest_number};
use interligo_model::values::column::{DateColumn, NumberColumn, Numbers};
use interligo_model::values::decimal::Decimal;
use interligo_model::values::texts::gathered;
use jiff::Timestamp;
use jiff::tz::{Offset, TimeZone};

use super::{Source, Unsplit, not_finite};
use crate::error::Error;
use crate::formats::head::{Head, Typed};
use crate::grid::{CellGrid, Grid};
use crate::table::settings::TableSettings;

/// Rows of a block.
pub(super) const BATCH: usize = 16_384;

/// Rows that are looked at.
pub(super) const SAMPLE: usize = 1000;

const MICROSECONDS_A_DAY: i64 = 86_400_000_000;
const MILLISECONDS_A_DAY: i64 = 86_400_000;

/// The columns that hold single values, by number, and what is to be known of the others.
pub(super) fn columns_and_notes(schema: &Schema) -> (Vec<usize>, Vec<(Noted, String)>) {
    let numbered = || schema.fields().iter().enumerate();
    let columns =
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
    (columns, notes.collect())
}

/// What is known of a table from its first batch.
pub(super) fn head_of(
    source: Arc<dyn Source>,
    column_names: Vec<String>,
    first: Option<&RecordBatch>,
    given: TableSettings,
) -> Head {
    let fields: Vec<Cells> = match first {
        Some(batch) => batch.columns().iter().map(cells).collect(),
        None => column_names.iter().map(|_| Cells::Texts(StringViewArray::new_null(0))).collect(),
    };
    let typed = fields.iter().map(|cells| Typed {
        rows: vec![!matches!(cells, Cells::Texts(_)); cells.len()],
        times: false,
    });
    let typed = typed.collect();
    let sample = fields.iter().map(Cells::texts).collect();
    Head::of_fields(source, column_names, sample, typed, given)
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

/// The same with texts as views, which need not be copied.
pub(super) fn with_views(schema: &Schema) -> SchemaRef {
    let field = |field: &Arc<Field>| match field.data_type() {
        DataType::Utf8 | DataType::LargeUtf8 => {
            Arc::new(field.as_ref().clone().with_data_type(DataType::Utf8View))
        }
        _ => field.clone(),
    };
    let fields: Vec<Arc<Field>> = schema.fields().iter().map(field).collect();
    Arc::new(Schema::new_with_metadata(fields, schema.metadata().clone()))
}

/// Rows whose values are still in the form of the file.
pub(super) struct Batch {
    pub(super) batch: RecordBatch,
    /// By field.
    pub(super) wanted: Vec<bool>,
    pub(super) first_row: u64,
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

/// The values of the first column of all rows of a reader, with where each block begins; rows are counted on from block to block.
#[cfg(test)]
pub(super) fn read_through(
    mut reader: Box<dyn super::Reader>,
) -> (Vec<String>, Vec<super::RowStart>) {
    let (mut values, mut starts) = (Vec::new(), Vec::new());
    let first = reader.row_start().unwrap().row;
    loop {
        let start = reader.row_start().unwrap();
        assert_eq!(start.row, first + values.len() as u64);
        let Some(block) = reader.next(1).unwrap() else { return (values, starts) };
        let lines = block.lines;
        let grid = block.rows.split(&"rows".into(), &["no".to_owned()]).unwrap();
        if lines > 0 {
            assert_eq!(grid.row_number(0), start.row);
        }
        starts.push(start);
        values.extend(grid.column(0).iter().map(|text| text.unwrap_or("").to_owned()));
    }
}
