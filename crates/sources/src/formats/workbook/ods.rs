//! ODS, by the calamine crate, which reads such a workbook at once.

use std::fs::File;
use std::io::BufReader;
use std::path::Path;

use calamine::{Data, Ods, Reader as _, SheetType, SheetVisible};

use super::error::WorkbookError;
use super::marks;
use super::xlsx::{with_iso, with_serial};
use super::{Area, Cell, Opened};

pub(super) struct OdsBook {
    ods: Ods<BufReader<File>>,
}

pub(super) fn open(path: &Path, reader: BufReader<File>) -> Result<OdsBook, WorkbookError> {
    // What ends too early would be read forever.
    marks::refuse_cut_ods(path)?;
    let ods = Ods::new(reader)?;
    Ok(OdsBook { ods })
}

impl Opened for OdsBook {
    fn sheets(&self) -> Vec<(String, bool)> {
        let sheets = self.ods.sheets_metadata().iter();
        let sheets = sheets.filter(|sheet| sheet.typ == SheetType::WorkSheet);
        sheets.map(|sheet| (sheet.name.clone(), sheet.visible != SheetVisible::Visible)).collect()
    }

    fn named(&mut self, name: &str) -> Option<(String, Area)> {
        let names = self.ods.defined_names();
        let (_, range) = names.iter().find(|(known, _)| known == name)?;
        marks::sheet_and_area(range)
    }

    fn walk(
        &mut self,
        sheet: &str,
        each: &mut dyn FnMut(u32, u32, Option<Cell<'_>>) -> bool,
    ) -> Result<(), WorkbookError> {
        let range = self.ods.worksheet_range(sheet)?;
        let (first_row, first_column) = range.start().unwrap_or((0, 0));
        for (row, cells) in (first_row..).zip(range.rows()) {
            for (column, cell) in (first_column..).zip(cells) {
                let more = match cell {
                    Data::Empty => continue,
                    Data::String(text) => each(row, column, Some(Cell::Text(text))),
                    Data::Float(number) => each(row, column, Some(Cell::Number(*number))),
                    Data::Int(number) => each(row, column, Some(Cell::Text(&number.to_string()))),
                    Data::Bool(yes) => each(row, column, Some(Cell::Yes(*yes))),
                    Data::Error(error) => each(row, column, Some(Cell::Error(error.to_string()))),
                    Data::DateTime(serial) => {
                        with_serial(serial, |cell| each(row, column, Some(cell)))
                    }
                    Data::DateTimeIso(text) | Data::DurationIso(text) => {
                        with_iso(text, |cell| each(row, column, Some(cell)))
                    }
                };
                if !more {
                    return Ok(());
                }
            }
        }
        Ok(())
    }
}
