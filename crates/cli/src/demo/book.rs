//! The workbooks of the demo: a depot's sales with a sheet for each quarter, and the catalogue.

use std::io;
use std::path::{Path, PathBuf};

use rust_xlsxwriter::{DocProperties, ExcelDateTime, Format, Workbook, Worksheet, XlsxError};

use super::line::{Line, Order};

fn failed(error: XlsxError) -> io::Error {
    match error {
        XlsxError::IoError(error) => error,
        error => io::Error::other(error),
    }
}

/// A workbook that is the same whenever it is written.
fn workbook() -> io::Result<Workbook> {
    let mut workbook = Workbook::new();
    let day = ExcelDateTime::from_ymd(2026, 1, 5).map_err(failed)?;
    workbook.set_properties(&DocProperties::new().set_creation_datetime(&day));
    Ok(workbook)
}

/// The sales of a depot in a year.
pub(super) struct Book {
    path: PathBuf,
    quarters: Vec<Worksheet>,
    /// The next row of each.
    rows: Vec<u32>,
}

impl Book {
    pub(super) fn new(path: &Path, column_names: &[&str]) -> io::Result<Book> {
        let sheet = |number: u32| {
            let mut sheet = Worksheet::new();
            sheet.set_name(format!("Q{number}"))?;
            for (column, column_name) in (0..).zip(column_names) {
                sheet.write(0, column, *column_name)?;
            }
            Ok(sheet)
        };
        let quarters = (1..=4).map(sheet).collect::<Result<_, _>>().map_err(failed)?;
        Ok(Book { path: path.to_owned(), quarters, rows: vec![1; 4] })
    }

    pub(super) fn order(&mut self, order: &Order<'_>, lines: &[Line]) -> io::Result<()> {
        let quarter = (order.day.1 as usize - 1) / 3;
        for (position, line) in (1u32..).zip(lines) {
            let row = self.rows[quarter];
            self.rows[quarter] += 1;
            write_line(&mut self.quarters[quarter], row, order, position, line).map_err(failed)?;
        }
        Ok(())
    }

    /// Writes the file, with a sheet that does not belong.
    pub(super) fn end(self) -> io::Result<()> {
        let mut workbook = workbook()?;
        self.quarters.into_iter().for_each(|sheet| {
            workbook.push_worksheet(sheet);
        });
        let notes = workbook.add_worksheet();
        let written = notes.set_name("Notes").and_then(|notes| {
            notes.write(0, 0, "Call the carpenter about the brood boxes")?;
            notes.write(2, 0, "Counted twice, agrees with the till")
        });
        written.map_err(failed)?;
        workbook.save(&self.path).map_err(failed)
    }
}

fn write_line(
    sheet: &mut Worksheet,
    row: u32,
    order: &Order<'_>,
    position: u32,
    line: &Line,
) -> Result<(), XlsxError> {
    let (year, month, day) = order.day;
    let day = ExcelDateTime::from_ymd(year as u16, month as u8, day as u8)?;
    sheet.write(row, 0, &order.number)?;
    sheet.write(row, 1, position)?;
    sheet.write_with_format(row, 2, &day, &Format::new().set_num_format("dd/mm/yyyy"))?;
    sheet.write(row, 3, &line.item)?;
    // Some of the customers' numbers are numbers, others are text.
    match order.customer.parse::<u32>() {
        Ok(number) if number.is_multiple_of(2) => sheet.write(row, 4, number)?,
        _ => sheet.write(row, 4, order.customer)?,
    };
    sheet.write(row, 5, line.quantity)?;
    let percent = line.discount.trim_end_matches([' ', '%']).parse::<f64>().unwrap_or_default();
    let format = Format::new().set_num_format("0.0%");
    // A fraction is what a workbook keeps of a percentage.
    #[allow(clippy::float_arithmetic)]
    sheet.write_with_format(row, 6, percent / 100.0, &format)?;
    Ok(())
}

/// Writes tables, each with its name and its title, as the sheets of one workbook.
pub(super) fn write_tables(path: &Path, tables: &[(&str, &str, &str)]) -> io::Result<()> {
    let mut workbook = workbook()?;
    for (name, title, csv) in tables {
        write_table(workbook.add_worksheet(), name, title, csv).map_err(failed)?;
    }
    workbook.save(path).map_err(failed)
}

fn write_table(sheet: &mut Worksheet, name: &str, title: &str, csv: &str) -> Result<(), XlsxError> {
    sheet.set_name(name)?;
    sheet.write_with_format(0, 0, title, &Format::new().set_bold())?;
    for (row, line) in (2..).zip(csv.lines()) {
        for (column, cell) in (0..).zip(cells(line)) {
            match cell.parse::<f64>() {
                Ok(number) if row > 2 => sheet.write(row, column, number)?,
                _ => sheet.write(row, column, cell)?,
            };
        }
    }
    Ok(())
}

/// The cells of a row; in quotes where they hold commas.
pub(super) fn cells(line: &str) -> Vec<&str> {
    let mut cells = Vec::new();
    let mut rest = line;
    loop {
        let (cell, behind) = match rest.strip_prefix('"').and_then(|quoted| quoted.split_once('"'))
        {
            Some(parts) => parts,
            None => rest.split_at(rest.find(',').unwrap_or(rest.len())),
        };
        cells.push(cell);
        match behind.strip_prefix(',') {
            Some(behind) => rest = behind,
            None => return cells,
        }
    }
}
