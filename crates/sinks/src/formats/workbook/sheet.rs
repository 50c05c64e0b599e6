//! An output as a sheet: a header row that stays in view, typed cells, columns as wide as what is in them, a chart.

use std::path::PathBuf;

use interligo_model::values::column::{Column, ColumnKind};
use interligo_model::values::value::Value;
use rust_xlsxwriter::{Chart, ChartType, Format, Worksheet, XlsxError};

use super::cell::Cell;
use super::formulas::Formulas;
use super::marks::Marks;
use super::{Book, MOST_ROWS, Workbook, styles};
use crate::containers::{Shared, with};
use crate::error::{Error, OutputErrorKind};
use crate::format::{GroupsShape, Piece, RowColumn, RowsOf, Target, WriteRows};
use crate::output_file::OutputFile;
use crate::totals::groups_shape;

/// The widest column, in characters.
const WIDEST: usize = 60;

/// Rows of which the widths are measured.
const MEASURED: u64 = 1_000;

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
    charts: bool,
    formulas: Formulas,
    marks: Marks,
    rows: u64,
    as_text: u64,
}

struct SheetColumn {
    own: RowColumn,
    cells: Format,
    /// The same for a formula.
    live: Format,
    subtotal: Format,
    width: usize,
}

impl SheetRows {
    /// Begins a sheet with its header row.
    pub(super) fn new(
        book: Shared,
        settings: &Workbook,
        target: &Target<'_>,
        columns: &[RowColumn],
    ) -> Result<SheetRows, Error> {
        let (groups, marks) = match target.of {
            RowsOf::Totals(totals) => (groups_shape(totals.table), Marks::of(totals.table)),
            _ => (GroupsShape::default(), Marks::default()),
        };
        let (number, formulas) = with(&book, |book: &mut Book| {
            // The library writes levels of rows only of sheets that it keeps in memory, as totals are anyway.
            let number = book.add(target.table, groups.levels > 1)?;
            Ok::<_, Error>((number, Formulas::of(book, settings, target)?))
        })?;
        let column = |own: &RowColumn| SheetColumn {
            cells: styles::cells(own),
            live: styles::live(own),
            subtotal: styles::subtotal(own),
            width: own.name.chars().count() + 4,
            own: own.clone(),
        };
        let rows = SheetRows {
            book,
            number,
            path: target.path.to_owned(),
            groups,
            charts: settings.charts,
            formulas,
            marks,
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
        let (formulas, marks) = (&mut self.formulas, &self.marks);
        with(&book, |book: &mut Book| {
            book.on_sheet(number, |sheet| {
                for row in 0..rows {
                    let level = level_of(columns, row, deepest);
                    let bold = level < deepest;
                    let values: Vec<Value<'_>> = columns.iter().map(|c| c.value(row)).collect();
                    let cells: Vec<Cell<'_>> = values
                        .iter()
                        .zip(own.iter())
                        .map(|(v, c)| Cell::of(v, c.own.shown))
                        .collect();
                    let live = formulas.of_row(first + row as u32, &values, &cells);
                    for (at, (cell, own)) in cells.iter().zip(own.iter_mut()).enumerate() {
                        let place = (first + row as u32, at as u16);
                        if measured {
                            own.width = own.width.max(cell.width(own.own.shown) + 2);
                        }
                        as_text += u64::from(matches!(cell, Cell::Digits(_)));
                        let marked;
                        let format = match (bold, live.get(at)) {
                            _ if marks.is_on(place.0 as usize - 1, at) => {
                                marked =
                                    styles::marked(if bold { &own.subtotal } else { &own.cells });
                                &marked
                            }
                            (true, _) => &own.subtotal,
                            (false, Some(Some(_))) => &own.live,
                            _ => &own.cells,
                        };
                        let is_live = match live.get(at) {
                            Some(Some(formula)) => {
                                cell.write_live(sheet, place, format, formula)?
                            }
                            _ => false,
                        };
                        if !is_live {
                            formulas.note_kept(at);
                            cell.write(sheet, place, format, bold)?;
                        }
                    }
                    formulas.write_groups(sheet, first + row as u32, &values)?;
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
        if let Formulas::Lines { fact, .. } = &self.formulas {
            with(&self.book, |book: &mut Book| {
                let sheet = book.lines.get_mut(fact);
                sheet.into_iter().for_each(|sheet| sheet.take(rows as u32, columns));
            });
        }
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
            let sheet = &mut book.sheets[self.number];
            (sheet.as_text, sheet.marked) = (as_text, self.marks.count());
            if let Formulas::Lines { columns: live, .. } = &self.formulas {
                let named = self.columns.iter().map(|column| column.own.name.clone());
                let kept = named.zip(live.kept.iter().copied());
                sheet.kept = kept.filter(|(_, cells)| *cells > 0).collect();
                book.on_sheet(self.number, |sheet| live.collapse(sheet))?;
            }
            book.on_sheet(self.number, |sheet| {
                self.marks.write(sheet)?;
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
        let (label, value) = (self.columns.first()?, self.groups.drawn.filter(|_| self.charts)?);
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
