//! XLSX, by the calamine crate.

use std::fs::File;
use std::io::BufReader;

use calamine::{DataRef, ExcelDateTime, Reader as _, SheetType, SheetVisible, Xlsx};
use interligo_model::values::amount::currency_of_format;
use interligo_model::values::date::Day;

use super::error::WorkbookError;
use super::marks;
use super::{Area, Cell, Opened};

pub(super) struct XlsxBook {
    xlsx: Xlsx<BufReader<File>>,
    tables: bool,
}

pub(super) fn open(reader: BufReader<File>) -> Result<XlsxBook, WorkbookError> {
    let xlsx = Xlsx::new(reader)?;
    Ok(XlsxBook { xlsx, tables: false })
}

impl Opened for XlsxBook {
    fn sheets(&self) -> Vec<(String, bool)> {
        let sheets = self.xlsx.sheets_metadata().iter();
        let sheets = sheets.filter(|sheet| sheet.typ == SheetType::WorkSheet);
        sheets.map(|sheet| (sheet.name.clone(), sheet.visible != SheetVisible::Visible)).collect()
    }

    fn named(&mut self, name: &str) -> Option<(String, Area)> {
        let names = self.xlsx.defined_names();
        if let Some((_, formula)) = names.iter().find(|(known, _)| known == name) {
            return marks::sheet_and_area(formula);
        }
        if !std::mem::replace(&mut self.tables, true) {
            self.xlsx.load_tables().ok()?;
        }
        let table = self.xlsx.table_by_name(name).ok()?;
        // The data begin below the row of the column names.
        let (first, last) = (table.data().start()?, table.data().end()?);
        let area = Area { rows: (first.0.checked_sub(1)?, last.0), columns: (first.1, last.1) };
        Some((table.sheet_name().to_owned(), area))
    }

    fn walk(
        &mut self,
        sheet: &str,
        each: &mut dyn FnMut(u32, u32, Option<Cell<'_>>) -> bool,
    ) -> Result<(), WorkbookError> {
        let mut cells = self.xlsx.worksheet_cells_reader(sheet)?;
        let in_percent: Vec<bool> = cells
            .styles()
            .iter()
            .map(|style| {
                let format = style.number_format.as_ref();
                format.is_some_and(|format| {
                    matches!(format.format_id, Some(9 | 10)) || format.format_code.contains('%')
                })
            })
            .collect();
        let currencies: Vec<Option<String>> = cells
            .styles()
            .iter()
            .map(|style| currency_of_format(&style.number_format.as_ref()?.format_code))
            .collect();
        while let Some((cell, style)) = cells.next_cell_with_style_id()? {
            let (row, column) = cell.get_position();
            let percent = in_percent.get(style).copied().unwrap_or(false);
            let more = match cell.get_value() {
                DataRef::Empty => each(row, column, None),
                DataRef::String(text) => each(row, column, Some(Cell::Text(text))),
                DataRef::SharedString(text) => each(row, column, Some(Cell::Text(text))),
                DataRef::Float(number) if percent => {
                    each(row, column, Some(Cell::Percent(*number)))
                }
                DataRef::Float(number) => {
                    let cell = match currencies.get(style) {
                        Some(Some(currency)) => Cell::Money(*number, currency),
                        _ => Cell::Number(*number),
                    };
                    each(row, column, Some(cell))
                }
                DataRef::Int(number) => each(row, column, Some(Cell::Text(&number.to_string()))),
                DataRef::Bool(yes) => each(row, column, Some(Cell::Yes(*yes))),
                DataRef::Error(error) => each(row, column, Some(Cell::Error(error.to_string()))),
                DataRef::DateTime(serial) => {
                    with_serial(serial, |cell| each(row, column, Some(cell)))
                }
                DataRef::DateTimeIso(text) | DataRef::DurationIso(text) => {
                    with_iso(text, |cell| each(row, column, Some(cell)))
                }
            };
            if !more {
                return Ok(());
            }
        }
        Ok(())
    }
}

/// A day, time or duration that is kept as a number of days.
pub(super) fn with_serial<R>(serial: &ExcelDateTime, each: impl FnOnce(Cell<'_>) -> R) -> R {
    let (year, month, day, hours, minutes, seconds, millis) = serial.to_ymd_hms_milli();
    let rest = u32::from(millis >= 500);
    let time = u32::from(hours) * 3600 + u32::from(minutes) * 60 + u32::from(seconds) + rest;
    if serial.is_duration() || serial.as_f64() < 1.0 {
        // Whole days of a duration are hours.
        let hours = if serial.as_f64() >= 1.0 { serial.as_f64() as u32 * 24 } else { 0 };
        let text = format!("{:02}:{:02}:{:02}", hours + time / 3600, time / 60 % 60, time % 60);
        return each(Cell::Text(&text));
    }
    match Day::from_civil(i32::from(year), u32::from(month), u32::from(day)) {
        Some(day) => each(Cell::Day(day, time)),
        // The 29th of February 1900, which some programs count and which was none.
        None => each(Cell::Number(serial.as_f64())),
    }
}

/// A day with or without time, as ISO 8601 has it; anything else is text.
pub(super) fn with_iso<R>(text: &str, each: impl FnOnce(Cell<'_>) -> R) -> R {
    let (day, time) = text.split_once('T').unwrap_or((text, ""));
    let mut parts = time.split([':', '.', 'Z']).map(|part| part.parse::<u32>().unwrap_or(0));
    let mut next = || parts.next().unwrap_or(0);
    let seconds = next() * 3600 + next() * 60 + next();
    match Day::parse(day.as_bytes()) {
        Some(day) => each(Cell::Day(day, seconds)),
        None => each(Cell::Text(text)),
    }
}
