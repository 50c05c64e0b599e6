//! An output as a sheet: a header row that stays in view, typed cells, columns as wide as what is in them, a chart.

use std::path::PathBuf;

use interligo_engine::totals::MeasureKind;
use interligo_model::values::column::{Column, ColumnKind};
use interligo_model::values::decimal::{Decimal, Rounding};
use interligo_model::values::value::Value;
use rust_xlsxwriter::{Chart, ChartType, ExcelDateTime, Format, Worksheet, XlsxError};

use super::{Book, MOST_ROWS, styles};
use crate::containers::{Shared, with};
use crate::error::{Error, OutputErrorKind};
use crate::format::{GroupsShape, Piece, RowColumn, Target, WriteRows};
use crate::output_file::OutputFile;

/// The widest column, in characters.
const WIDEST: usize = 60;

/// Rows of which the widths are measured.
const MEASURED: u64 = 1_000;

/// Digits that a cell can show.
const DIGITS: i128 = 1_000_000_000_000_000;

/// Days of a workbook before 1970-01-01.
const EPOCH: i32 = 25_569;

/// The most groups that a chart shows.
const CHARTED: u64 = 60;

/// A sheet that takes rows.
pub(super) struct SheetRows {
    book: Shared,
    number: usize,
    path: PathBuf,
    columns: Vec<SheetColumn>,
    /// Of a table of totals, how its rows belong together.
    groups: GroupsShape,
    rows: u64,
    as_text: u64,
}

struct SheetColumn {
    own: RowColumn,
    cells: Format,
    subtotal: Format,
    width: usize,
}

impl SheetRows {
    /// Begins a sheet with its header row.
    pub(super) fn new(
        book: Shared,
        number: usize,
        target: &Target<'_>,
        columns: &[RowColumn],
    ) -> Result<SheetRows, Error> {
        let column = |own: &RowColumn| SheetColumn {
            cells: styles::cells(own),
            subtotal: styles::subtotal(own),
            width: own.name.chars().count() + 4,
            own: own.clone(),
        };
        let rows = SheetRows {
            book,
            number,
            path: target.path.to_owned(),
            groups: target.groups.unwrap_or_default(),
            columns: columns.iter().map(column).collect(),
            rows: 0,
            as_text: 0,
        };
        rows.on_sheet(|sheet| {
            sheet.set_row_height(0, 20)?;
            for (number, column) in columns.iter().enumerate() {
                let header = styles::header(column.kind);
                sheet.write_string_with_format(0, number as u16, &column.name, &header)?;
            }
            sheet.group_symbols_above(true);
            sheet.set_freeze_panes(1, 0)?;
            sheet.set_repeat_rows(0, 0)?;
            sheet.set_landscape().set_print_fit_to_pages(1, 0);
            Ok(())
        })?;
        Ok(rows)
    }

    fn on_sheet<R>(
        &self,
        work: impl FnOnce(&mut Worksheet) -> Result<R, XlsxError>,
    ) -> Result<R, Error> {
        with(&self.book, |book: &mut Book| book.on_sheet(self.number, work))
    }
}

impl WriteRows for SheetRows {
    fn write(&mut self, piece: Piece) -> Result<(), Error> {
        let columns = piece.as_columns();
        let rows = columns.first().map_or(0, Column::len);
        if self.rows + rows as u64 >= u64::from(MOST_ROWS) {
            let reason = format!(
                "a sheet has {MOST_ROWS} rows at most; write the lines as Parquet or text instead"
            );
            return Err(Error::new(OutputErrorKind::TooLarge, &self.path, reason));
        }
        let (first, measured) = (self.rows as u32 + 1, self.rows < MEASURED);
        let mut as_text = 0;
        let book = self.book.clone();
        let (number, own) = (self.number, &mut self.columns);
        let deepest = self.groups.levels;
        with(&book, |book: &mut Book| {
            book.on_sheet(number, |sheet| {
                for row in 0..rows {
                    let level = level_of(columns, row, deepest);
                    let bold = level < deepest;
                    for (at, (column, own)) in columns.iter().zip(own.iter_mut()).enumerate() {
                        let format = if bold { &own.subtotal } else { &own.cells };
                        let place = (first + row as u32, at as u16);
                        let cell = Cell::of(&column.value(row), own.own.shown);
                        if measured {
                            own.width = own.width.max(cell.width(own.own.shown) + 2);
                        }
                        as_text += u64::from(matches!(cell, Cell::Digits(_)));
                        cell.write(sheet, place, format, bold)?;
                    }
                    for _ in 1..level {
                        let row = first + row as u32;
                        sheet.group_rows(row, row)?;
                    }
                }
                Ok(())
            })
        })?;
        self.rows += rows as u64;
        self.as_text += as_text;
        Ok(())
    }

    fn rows(&mut self) -> Result<u64, Error> {
        Ok(self.rows)
    }

    fn finish(self: Box<Self>) -> Result<Option<OutputFile>, Error> {
        let last = self.rows as u32;
        let widths: Vec<usize> = self.columns.iter().map(|c| c.width.min(WIDEST)).collect();
        let chart = self.chart();
        let columns = self.columns.len() as u16;
        let as_text = self.as_text;
        with(&self.book, |book: &mut Book| {
            book.sheets[self.number].as_text = as_text;
            book.on_sheet(self.number, |sheet| {
                for (at, width) in widths.iter().enumerate() {
                    sheet.set_column_width(at as u16, *width as f64)?;
                }
                if columns > 0 {
                    sheet.autofilter(0, 0, last, columns - 1)?;
                }
                if let Some(chart) = chart {
                    sheet.insert_chart_with_offset(1, columns, &chart, 24, 0)?;
                }
                Ok(())
            })
        })?;
        Ok(None)
    }
}

impl SheetRows {
    /// A chart of an amount by the first attribute: columns over periods, else bars.
    fn chart(&self) -> Option<Chart> {
        let (label, value) = (self.columns.first()?, self.groups.drawn?);
        if self.rows == 0 || self.rows > CHARTED || self.groups.levels > 1 {
            return None;
        }
        let over_time = matches!(label.own.kind, ColumnKind::Period(_) | ColumnKind::Date);
        let mut chart = Chart::new(if over_time { ChartType::Column } else { ChartType::Bar });
        // What brings many groups together would dwarf all others.
        let last = self.rows as u32 - u32::from(self.groups.has_rest);
        let name = &self.columns[value].own.name;
        let sheet = with(&self.book, |book: &mut Book| book.sheets[self.number].name.clone());
        chart
            .add_series()
            .set_name(name)
            .set_categories((&*sheet, 1, 0, last, 0))
            .set_values((&*sheet, 1, value as u16, last, value as u16))
            .set_format(
                rust_xlsxwriter::ChartFormat::new()
                    .set_solid_fill(rust_xlsxwriter::ChartSolidFill::new().set_color(styles::WELL)),
            );
        chart.title().set_name(&format!("{name} by {}", label.own.name));
        chart.legend().set_hidden();
        if !over_time {
            // The first group at the top, as in the sheet.
            chart.y_axis().set_reverse();
        }
        chart.set_width(640).set_height(360);
        Some(chart)
    }
}

/// The level of a row among this many; the first, where there is only one.
fn level_of(columns: &[Column], row: usize, levels: usize) -> usize {
    let level = columns.first().filter(|_| levels > 1).map(|column| column.value(row));
    let whole = level.and_then(|level| level.number()?.whole());
    whole.and_then(|level| usize::try_from(level).ok()).unwrap_or(1)
}

/// A value as a cell has it.
enum Cell<'v> {
    Blank,
    Number(f64, Decimal),
    /// A number of more digits than a cell can show.
    Digits(String),
    Text(std::borrow::Cow<'v, str>),
    Day(i32),
    YesNo(bool),
}

impl<'v> Cell<'v> {
    fn of(value: &Value<'v>, shown: MeasureKind) -> Cell<'v> {
        match value {
            Value::Blank => Cell::Blank,
            Value::Text(text) if text.trim().is_empty() => Cell::Blank,
            Value::Text(text) => Cell::Text(text.clone()),
            Value::Number(number) => Cell::of_number(*number, shown),
            // Days before 1900-03-01 are others in some programs.
            Value::Date(day) if day.0 + EPOCH > 60 => Cell::Day(day.0 + EPOCH),
            other => Cell::Text(other.to_string().into()),
        }
        .or_yes_no(value)
    }

    fn or_yes_no(self, value: &Value<'_>) -> Cell<'v> {
        if let Value::YesNo(yes) = value { Cell::YesNo(*yes) } else { self }
    }

    fn of_number(number: Decimal, shown: MeasureKind) -> Cell<'v> {
        let is_ratio = matches!(shown, MeasureKind::Ratio | MeasureKind::Percent(_));
        let mut number = number.trimmed(0);
        while is_ratio && number.mantissa().abs() >= DIGITS && number.places() > 0 {
            match number.round(number.places() - 1, Rounding::HalfEven) {
                Some(shorter) => number = shorter,
                None => break,
            }
        }
        // The nearest that the cell can hold reads back as the same digits.
        match number.to_string().parse::<f64>() {
            Ok(cell) if number.mantissa().abs() < DIGITS => Cell::Number(cell, number),
            _ => Cell::Digits(number.to_string()),
        }
    }

    /// How many characters it takes, as it is shown.
    fn width(&self, shown: MeasureKind) -> usize {
        match self {
            Cell::Blank => 0,
            Cell::Number(_, number) => {
                let whole = number.round(0, Rounding::HalfEven).unwrap_or(*number);
                let digits = whole.to_string().chars().count();
                let places = match shown {
                    MeasureKind::Money(places) | MeasureKind::Number(places) => usize::from(places),
                    MeasureKind::Amount(places) => usize::from(places.min(2)),
                    MeasureKind::Percent(places) => usize::from(places) + 3,
                    MeasureKind::Ratio => 4,
                    MeasureKind::Count => 0,
                    MeasureKind::Other => usize::from(number.places()),
                };
                digits + digits / 3 + places + 1
            }
            Cell::Digits(text) => text.len(),
            Cell::Text(text) => text.chars().count(),
            Cell::Day(_) => 10,
            Cell::YesNo(_) => 5,
        }
    }

    fn write(
        &self,
        sheet: &mut Worksheet,
        (row, column): (u32, u16),
        format: &Format,
        filled: bool,
    ) -> Result<(), XlsxError> {
        match self {
            Cell::Blank if filled => sheet.write_blank(row, column, format).map(|_| ()),
            Cell::Blank => Ok(()),
            Cell::Number(number, _) => {
                sheet.write_number_with_format(row, column, *number, format).map(|_| ())
            }
            Cell::Digits(text) => {
                sheet.write_string_with_format(row, column, text, format).map(|_| ())
            }
            Cell::Text(text) => {
                sheet.write_string_with_format(row, column, text.as_ref(), format).map(|_| ())
            }
            Cell::Day(day) => {
                let day = ExcelDateTime::from_serial_datetime(f64::from(*day))?;
                sheet.write_datetime_with_format(row, column, &day, format).map(|_| ())
            }
            Cell::YesNo(yes) => {
                sheet.write_boolean_with_format(row, column, *yes, format).map(|_| ())
            }
        }
    }
}
