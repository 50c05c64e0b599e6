//! The first sheet of a workbook: what it is of, what closes, what to know.

use interligo_model::values::value::Value;
use rust_xlsxwriter::{Format, FormatAlign, Worksheet, XlsxError};

use super::marks::counted;
use super::{BookSheet, styles};
use crate::run_facts::RunFacts;

/// What the sheet is called.
pub(super) const NAME: &str = "About";

/// Writes it.
pub(super) fn write<'n>(
    sheet: &mut Worksheet,
    facts: &RunFacts,
    notes: impl Iterator<Item = &'n String>,
    sheets: &[BookSheet],
) -> Result<(), XlsxError> {
    let mut row = 0;
    sheet.write_string_with_format(row, 0, &facts.title, &styles::title())?;
    let notes = notes.cloned().chain(sheets.iter().filter_map(BookSheet::note));
    for note in notes {
        row += 1;
        sheet.write_string(row, 0, note)?;
    }
    let mut widths = vec![24_usize];
    for section in &facts.sections {
        row += 2;
        for (at, name) in section.columns.iter().enumerate() {
            let number = section.rows.iter().any(|cells| cells[at].number().is_some());
            sheet.write_string_with_format(
                row,
                at as u16,
                name,
                &styles::section(number, at > 0),
            )?;
            widths.resize(widths.len().max(at + 1), 10);
            widths[at] = widths[at].max(name.chars().count() + 2);
        }
        for cells in &section.rows {
            row += 1;
            for (at, cell) in cells.iter().enumerate() {
                write_cell(sheet, (row, at as u16), cell)?;
                // A text at the end of a row goes on over the cells beside it.
                let goes_on = at + 1 == cells.len() && cell.number().is_none();
                if let Some(width) = widths.get_mut(at).filter(|_| !goes_on) {
                    *width = (*width).max(cell.to_string().chars().count() + 2);
                }
            }
        }
    }
    for (at, width) in widths.iter().enumerate() {
        sheet.set_column_width(at as u16, (*width).min(70) as f64)?;
    }
    sheet.set_screen_gridlines(false);
    sheet.set_landscape().set_print_fit_to_pages(1, 0);
    sheet.set_active(true);
    Ok(())
}

fn write_cell(
    sheet: &mut Worksheet,
    (row, column): (u32, u16),
    value: &Value<'_>,
) -> Result<(), XlsxError> {
    let number = value.number().and_then(|number| {
        let short = number.trimmed(0);
        let cell = short.to_string().parse::<f64>().ok()?;
        (short.mantissa().abs() < 1_000_000_000_000_000).then_some((cell, short.places()))
    });
    match (number, value) {
        (Some((cell, places)), _) => {
            let decimals = if places == 0 { "" } else { ".00" };
            let format = Format::new().set_num_format(format!("#,##0{decimals}"));
            sheet.write_number_with_format(row, column, cell, &format)?;
        }
        (None, Value::Blank) => {}
        (None, text) => {
            let format =
                Format::new().set_align(FormatAlign::Left).set_indent(u8::from(column > 0));
            sheet.write_string_with_format(row, column, text.to_string(), &format)?;
        }
    }
    Ok(())
}

impl BookSheet {
    /// What to know of the sheet.
    fn note(&self) -> Option<String> {
        let mut notes = Vec::new();
        if self.as_text > 0 {
            notes.push(format!(
                "{} numbers have more than the 15 digits of a cell and are kept as text.",
                self.as_text
            ));
        }
        if self.marked > 0 {
            let rows = counted(self.marked as u64, "row");
            let have = if self.marked == 1 { "has" } else { "have" };
            notes.push(format!("{rows} {have} sums over different lines, as the note there says."));
        }
        if !self.kept.is_empty() {
            let columns = self.kept.iter().map(|(name, cells)| format!("{cells} of {name}"));
            notes.push(format!(
                "some cells are values and no formulas, since they are texts that look like numbers, or have more than 15 digits: {}.",
                columns.collect::<Vec<_>>().join(", ")
            ));
        }
        (!notes.is_empty()).then(|| format!("Sheet {}: {}", self.name, notes.join(" ")))
    }
}
