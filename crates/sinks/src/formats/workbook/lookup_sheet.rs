//! A lookup as a sheet: its rows as they are settled, each with the file and row it was read from, and the rows of other
//! lookups to which it leads.

use std::collections::BTreeMap;

use interligo_engine::engine::Engine;
use interligo_engine::lookup::Lookup;
use interligo_engine::totals::MeasureKind;
use interligo_model::values::column::ColumnKind;
use interligo_model::values::value::Value;
use rust_xlsxwriter::{Worksheet, XlsxError};

use super::cell::Cell;
use super::cell_formula::{column_name, sheet_name};
use super::styles;
use crate::format::RowColumn;

/// A sheet with a lookup, as formulas of other sheets see it.
pub(super) struct LookupSheet {
    name: String,
    rows: u32,
    /// By column of the lookup, that of the sheet.
    columns: BTreeMap<usize, usize>,
    /// By link, the column with the rows to which it leads.
    next: BTreeMap<usize, usize>,
}

impl LookupSheet {
    /// How a lookup is laid out in a sheet of this name. `links` are those that are taken from it.
    pub(super) fn new(name: &str, lookup: &Lookup, links: &[usize]) -> LookupSheet {
        let held = lookup.held_columns();
        let columns = held.iter().enumerate().map(|(at, (column, _))| (*column, at));
        let next = links.iter().enumerate().map(|(at, link)| (*link, held.len() + at));
        LookupSheet {
            name: name.to_owned(),
            rows: lookup.rows_with_fill(),
            columns: columns.collect(),
            next: next.collect(),
        }
    }

    /// What it is called.
    pub(super) fn name(&self) -> &str {
        &self.name
    }

    /// The cells of a column, with its header, so that a row of the sheet is a row of the range.
    fn range(&self, column: usize) -> String {
        let letters = column_name(column);
        format!("{}!${letters}$1:${letters}${}", sheet_name(&self.name), self.rows + 1)
    }

    /// The cells of a column of the lookup.
    pub(super) fn column(&self, column: usize) -> Option<String> {
        self.columns.get(&column).map(|at| self.range(*at))
    }

    /// The cells with the rows to which a link leads.
    pub(super) fn next(&self, link: usize) -> Option<String> {
        self.next.get(&link).map(|at| self.range(*at))
    }

    /// Writes it, row by row.
    pub(super) fn write(
        &self,
        sheet: &mut Worksheet,
        engine: &Engine,
        lookup: &Lookup,
    ) -> Result<(), XlsxError> {
        let mut columns: Vec<RowColumn> = lookup
            .held_columns()
            .into_iter()
            .map(|(column, kind)| RowColumn {
                name: lookup.columns[column].name.clone(),
                kind,
                shown: MeasureKind::Other,
            })
            .collect();
        let number = |name: String| RowColumn {
            name,
            kind: ColumnKind::Number(0),
            shown: MeasureKind::Other,
        };
        let name = |link: &usize| format!("{} row", engine.bound.routes[*link].name);
        columns.extend(self.next.keys().map(|link| number(name(link))));
        columns.push(RowColumn::text("read from"));
        columns.push(number("row".to_owned()));
        let formats: Vec<_> = columns.iter().map(styles::cells).collect();
        let mut widths: Vec<usize> = columns.iter().map(|c| c.name.chars().count() + 4).collect();
        for (at, column) in columns.iter().enumerate() {
            let header = styles::header(column.kind);
            sheet.write_string_with_format(0, at as u16, &column.name, &header)?;
        }
        for row in 0..self.rows {
            for (at, value) in self.values(engine, lookup, row).iter().enumerate() {
                let cell = Cell::of(value, columns[at].shown);
                widths[at] = widths[at].max(cell.width(columns[at].shown) + 2);
                cell.write(sheet, (row + 1, at as u16), &formats[at], false)?;
            }
        }
        for (at, width) in widths.iter().enumerate() {
            sheet.set_column_width(at as u16, (*width).min(40) as f64)?;
        }
        sheet.set_freeze_panes(1, 0)?;
        sheet.autofilter(0, 0, self.rows, columns.len() as u16 - 1)?;
        sheet.set_landscape().set_print_fit_to_pages(1, 0);
        Ok(())
    }

    fn values<'l>(&self, engine: &Engine, lookup: &'l Lookup, row: u32) -> Vec<Value<'l>> {
        let mut values: Vec<Value<'l>> =
            self.columns.keys().map(|column| lookup.value(*column, row)).collect();
        let number = |number: Option<u64>| match number.and_then(|n| i64::try_from(n).ok()) {
            Some(number) => Value::Number(number.into()),
            None => Value::Blank,
        };
        let next = |link: &usize| engine.row_behind(*link, row).map(|row| u64::from(row) + 2);
        values.extend(self.next.keys().map(|link| number(next(link))));
        let place = lookup.place_of(row);
        let from = place.as_ref().map_or("the plan, by `fill`", |place| &place.part.shown);
        values.push(Value::Text(from.to_owned().into()));
        values.push(number(place.and_then(|place| place.row)));
        values
    }
}
