//! From cells to rows: the column names of a sheet, and the rows below them column by column.

use arrow_array::StringViewArray;
use arrow_array::builder::StringViewBuilder;

use interligo_engine::proof::findings::Noted;
use interligo_model::place::{PartName, letters};
use interligo_model::reading::date_style::DateStyle;
use interligo_model::reading::style::{NumberStyle, Style};
use interligo_model::values::cells::{Cells, shown_number};
use interligo_model::values::decimal::Decimal;
use interligo_model::values::texts::TextBuilder;

use super::marks::Marks;
use super::{Area, Cell};
use crate::error::{Error, InputKind};
use crate::formats::Block;
use crate::formats::head::Typed;
use crate::grid::{CellGrid, Grid, TAIL_ROWS};
use crate::table::header_row::{self, ROWS};
use crate::table::settings::TableSettings;

/// How many rows of a sheet are looked at.
const SAMPLE: usize = 1000;

/// How many rows the first block has; each next one has twice as many. Often only the first rows are asked for.
const FIRST_ROWS: usize = 256;

/// How many rows a block has at most.
const BLOCK_ROWS: usize = 4096;

/// Where the rows of a table are in a sheet, and how its typed cells are written.
#[derive(Clone, Debug)]
pub(super) struct SheetLayout {
    pub(super) area: Area,
    /// The first row below the column names, from 0.
    pub(super) first_row: u32,
    /// The column of the first field.
    pub(super) first_column: u32,
    pub(super) width: usize,
    /// By field.
    pub(super) styles: Vec<Style>,
}

/// The first rows of a sheet.
pub(super) struct Sample {
    area: Area,
    rows: Vec<SampleRow>,
}

struct SampleRow {
    row: u32,
    cells: Vec<SampleCell>,
}

struct SampleCell {
    column: u32,
    text: String,
    typed: bool,
    time: bool,
}

/// What the first rows of a sheet showed.
pub(super) struct SheetHead {
    pub(super) layout: SheetLayout,
    pub(super) above: u64,
    pub(super) column_names: Vec<String>,
    pub(super) sample: Vec<StringViewArray>,
    pub(super) typed: Vec<Typed>,
}

impl Sample {
    pub(super) fn new(area: Area) -> Sample {
        Sample { area, rows: Vec::new() }
    }

    /// Takes a cell; `false` when there are enough rows.
    pub(super) fn add(&mut self, row: u32, column: u32, cell: Option<Cell<'_>>) -> bool {
        if !self.area.has(row, column) {
            return row <= self.area.rows.1;
        }
        let Some(cell) = cell else { return true };
        if self.rows.last().is_none_or(|last| last.row != row) {
            if self.rows.len() == SAMPLE {
                return false;
            }
            self.rows.push(SampleRow { row, cells: Vec::new() });
        }
        let time = matches!(cell, Cell::Day(_, seconds) if seconds > 0);
        let typed =
            matches!(cell, Cell::Day(..) | Cell::Number(_) | Cell::Money(..) | Cell::Percent(_));
        let mut text = String::new();
        let style = Style {
            dates: if time { DateStyle::iso_with_time() } else { DateStyle::ISO },
            ..Style::default()
        };
        write(&cell, &style, &mut text);
        if let Some(row) = self.rows.last_mut() {
            row.cells.push(SampleCell { column, text, typed, time });
        }
        true
    }

    /// Finds the column names, and where the rows below them are.
    pub(super) fn finish(
        mut self,
        marks: impl FnOnce() -> Result<Marks, Error>,
        given: &TableSettings,
        name: &PartName,
    ) -> Result<SheetHead, Error> {
        let empty = || {
            Error::input(InputKind::Empty, name, "is empty: it has no header row")
                .help("the first row of a table has the names of its columns")
        };
        let first_row = match self.area {
            Area { rows: (first, _), .. } if self.area != Area::ALL => first,
            _ => 0,
        };
        let first = self.rows.first().ok_or_else(empty)?.row;
        let (header, below) = match given.header_row {
            Some(0) => (None, first_row),
            Some(row) => (Some(row - 1), row),
            None if self.area == Area::ALL => {
                let header = self.header_row(first);
                (Some(header), header + 1)
            }
            None => (Some(first_row), first_row + 1),
        };
        // Cells that are merged leave gaps in the row of the column names; without gaps nobody need look for them.
        let has_gaps = |row: Option<u32>| row.is_some_and(|row| self.has_gaps(row));
        let above = header.and_then(|header| header.checked_sub(1)).filter(|row| *row >= first_row);
        let marks = match has_gaps(header) || has_gaps(above) {
            true => marks()?,
            false => Marks::default(),
        };
        // Where the plan does not say it, names may begin in the row above.
        let is_found = given.header_row.is_none() && self.area == Area::ALL;
        let begins = above.filter(|row| is_found && self.names_groups(*row, &marks));
        let mut last_header = header.map_or(0, |header| marks.last_header_row(header));
        if let Some(row) = header.filter(|row| is_found && self.names_groups(*row, &marks)) {
            last_header = last_header.max(row + 1);
        }
        let header = begins.or(header);
        let below = if header.is_some() { below.max(last_header + 1) } else { below };
        let header_rows = header.map(|header| header..below);
        let (left, right) = self.columns(header_rows.clone(), below).ok_or_else(empty)?;
        let width = (right - left + 1) as usize;
        let column_names = match header_rows {
            None => vec![String::new(); width],
            Some(rows) => {
                if !self.rows.iter().any(|row| rows.contains(&row.row)) {
                    let message = format!("has nothing in row {}", rows.start + 1);
                    return Err(Error::input(InputKind::Header, name, message)
                        .help("`header-row` counts the rows of the sheet from 1"));
                }
                self.column_names(rows, left, width, &marks)
            }
        };
        self.rows.retain(|row| row.row >= below);
        let layout = SheetLayout {
            area: self.area,
            first_row: below,
            first_column: left,
            width,
            styles: vec![Style::default(); width],
        };
        let above = header.map_or(0, |header| u64::from(header - first_row));
        let (sample, typed) = self.values(left, width);
        Ok(SheetHead { layout, above, column_names, sample, typed })
    }

    /// The row of the column names, as in a text file.
    fn header_row(&self, first: u32) -> u32 {
        let rows: Vec<Vec<&[u8]>> = self
            .rows
            .iter()
            .take(ROWS)
            .map(|row| {
                let last = row.cells.last().map_or(0, |cell| cell.column as usize + 1);
                let mut cells: Vec<&[u8]> = vec![b""; last.min(20_000)];
                for cell in &row.cells {
                    if let Some(place) = cells.get_mut(cell.column as usize) {
                        *place = cell.text.as_bytes();
                    }
                }
                cells
            })
            .collect();
        self.rows.get(header_row::found(&rows)).map_or(first, |row| row.row)
    }

    /// Whether a row names groups of columns, whose own names are in the next: some of its cells are merged over several
    /// columns, below each of which there is a name, and it is no title, which stands alone.
    fn names_groups(&self, row: u32, marks: &Marks) -> bool {
        let of = |number: u32| self.rows.iter().find(|known| known.row == number);
        let (Some(own), Some(next)) = (of(row), of(row + 1)) else { return false };
        let is_name = |column: u32| {
            let cell = next.cells.iter().find(|cell| cell.column == column);
            cell.is_some_and(|cell| !cell.typed && !cell.text.trim().is_empty())
        };
        let mut wide = marks.wide(row).peekable();
        own.cells.len() > 1
            && wide.peek().is_some()
            && wide.all(|(first, last)| (first..=last).all(is_name))
    }

    /// Whether cells are missing between those of a row, or to the right of them where other rows have some.
    fn has_gaps(&self, row: u32) -> bool {
        let ends = |row: &SampleRow| Some((row.cells.first()?.column, row.cells.last()?.column));
        let Some(found) = self.rows.iter().find(|known| known.row == row) else { return false };
        let Some((left, right)) = ends(found) else { return false };
        let next = self.rows.iter().find(|known| known.row > row).and_then(ends);
        found.cells.len() < (right - left + 1) as usize || next.is_some_and(|(_, r)| r > right)
    }

    /// The first and the last column of the table: those that have a column name, or, without any, a value.
    fn columns(&self, header: Option<std::ops::Range<u32>>, below: u32) -> Option<(u32, u32)> {
        if self.area.columns.1 != u32::MAX {
            return Some(self.area.columns);
        }
        let rows = self.rows.iter().filter(|row| match &header {
            Some(rows) => rows.contains(&row.row),
            None => row.row >= below,
        });
        let columns = || rows.clone().flat_map(|row| row.cells.iter().map(|cell| cell.column));
        Some((columns().min()?, columns().max()?))
    }

    /// The column names, of one row or, where cells are merged over several, of these: what is above
    /// several columns belongs to each of them.
    fn column_names(
        &self,
        rows: std::ops::Range<u32>,
        left: u32,
        width: usize,
        marks: &Marks,
    ) -> Vec<String> {
        let text = |row: u32, column: u32| {
            let (row, column) = marks.origin(row, column);
            let found = self.rows.iter().find(|known| known.row == row)?;
            let cell = found.cells.iter().find(|cell| cell.column == column)?;
            Some(cell.text.trim().to_owned())
        };
        let of = |column: u32| {
            let mut words: Vec<String> = Vec::new();
            for row in rows.clone() {
                let word = text(row, column).filter(|word| !word.is_empty());
                words.extend(word.filter(|word| words.last() != Some(word)));
            }
            words.join(" ")
        };
        (left..left + width as u32).map(of).collect()
    }

    /// The values of the rows below the column names, by field.
    fn values(&self, left: u32, width: usize) -> (Vec<StringViewArray>, Vec<Typed>) {
        let mut texts: Vec<StringViewBuilder> =
            (0..width).map(|_| StringViewBuilder::new()).collect();
        let mut typed = vec![Typed::default(); width];
        for row in &self.rows {
            let mut cells = row.cells.iter().filter(|cell| cell.column >= left).peekable();
            for field in 0..width {
                let column = left + field as u32;
                let cell = cells.next_if(|cell| cell.column == column);
                texts[field].append_value(cell.map_or("", |cell| &cell.text));
                typed[field].rows.push(cell.is_some_and(|cell| cell.typed));
                typed[field].times |= cell.is_some_and(|cell| cell.time);
            }
        }
        (texts.iter_mut().map(StringViewBuilder::finish).collect(), typed)
    }
}

/// The text of a cell; numbers and days in a style.
fn write(cell: &Cell<'_>, style: &Style, text: &mut String) {
    match cell {
        Cell::Text(written) => text.push_str(written),
        Cell::Number(number) | Cell::Money(number, _) => {
            shown_number(*number, text);
            style.numbers.rewrite(text);
        }
        Cell::Percent(fraction) => {
            shown_number(*fraction, text);
            let percent = Decimal::parse(text.as_bytes())
                .and_then(|number| number.checked_mul(Decimal::new(100, 0)?));
            if let Some(percent) = percent {
                *text = percent.trimmed(0).to_string();
                style.numbers.rewrite(text);
                text.push('%');
            }
        }
        Cell::Day(day, seconds) => style.dates.write(*day, *seconds, text),
        Cell::Yes(yes) => text.push_str(if *yes { "true" } else { "false" }),
        Cell::Error(error) => text.push_str(error),
    }
}

/// Gathers cells to blocks of rows and hands these on.
pub(super) struct SheetRows<'a, F> {
    layout: &'a SheetLayout,
    /// Takes a block; `false` when no more are wanted.
    send: F,
    columns: Vec<StringViewBuilder>,
    /// The row that is being filled, from 0, and its cells.
    row: Option<u32>,
    texts: Vec<String>,
    /// The row at which the block begins, and how far its rows are from there.
    first_row: u32,
    offsets: Vec<u32>,
    /// The row that comes next if none is blank.
    next_row: u32,
    blank: u64,
    noted: Vec<(Noted, u64, String)>,
    /// The currencies that the formats of cells show, by field, with the first row that has each.
    currencies: Vec<(usize, String, u64)>,
    /// A block that waits until it is clear that it is not the last.
    waiting: Option<Waiting>,
    /// How many rows the block that is being filled gets.
    size: usize,
    sent: bool,
    open: bool,
}

struct Waiting {
    columns: Vec<StringViewArray>,
    first_row: u32,
    offsets: Vec<u32>,
    blank: u64,
    noted: Vec<(Noted, u64, String)>,
    currencies: Vec<(usize, String, u64)>,
}

impl<'a, F: FnMut(Block) -> bool> SheetRows<'a, F> {
    pub(super) fn new(layout: &'a SheetLayout, send: F) -> SheetRows<'a, F> {
        SheetRows {
            send,
            columns: (0..layout.width).map(|_| StringViewBuilder::new()).collect(),
            row: None,
            texts: vec![String::new(); layout.width],
            first_row: layout.first_row,
            offsets: Vec::new(),
            next_row: layout.first_row,
            blank: 0,
            noted: Vec::new(),
            currencies: Vec::new(),
            waiting: None,
            size: FIRST_ROWS,
            sent: false,
            open: true,
            layout,
        }
    }

    /// Takes the next cell; `false` when no more are wanted.
    pub(super) fn add(&mut self, row: u32, column: u32, cell: Option<Cell<'_>>) -> bool {
        let SheetLayout { area, first_row, first_column, width, .. } = *self.layout;
        if row < first_row || row > area.rows.1 {
            return row <= area.rows.1;
        }
        if self.row != Some(row) {
            self.end_row();
            self.row = Some(row);
        }
        let Some(cell) = cell else { return self.open };
        let field = column.checked_sub(first_column).map(|field| field as usize);
        let Some(field) = field.filter(|field| *field < width) else {
            if area == Area::ALL {
                let mut text = String::new();
                write(
                    &cell,
                    &Style { numbers: NumberStyle::PLAIN, dates: DateStyle::ISO },
                    &mut text,
                );
                if !text.trim().is_empty() {
                    let words = format!("!{}{} {text}", letters(column), row + 1);
                    self.noted.push((Noted::BesideTable, u64::from(row) + 1, words));
                }
            }
            return self.open;
        };
        if let Cell::Error(error) = &cell {
            let words = format!("!{}{} {error}", letters(column), row + 1);
            self.noted.push((Noted::ErrorCell, u64::from(row) + 1, words));
        }
        if let Cell::Money(_, currency) = &cell
            && !self.currencies.iter().any(|(own, known, _)| *own == field && known == currency)
        {
            self.currencies.push((field, (*currency).to_owned(), u64::from(row) + 1));
        }
        let text = &mut self.texts[field];
        text.clear();
        write(&cell, &self.layout.styles[field], text);
        self.open
    }

    /// Whether anybody waits for more.
    pub(super) fn wanted(&self) -> bool {
        self.open
    }

    fn end_row(&mut self) {
        let Some(row) = self.row.take() else { return };
        // Rows that the file leaves out are blank.
        self.blank += u64::from(row - self.next_row);
        self.next_row = row + 1;
        if self.texts.iter().all(|text| text.trim().is_empty()) {
            self.blank += 1;
            self.texts.iter_mut().for_each(String::clear);
            return;
        }
        if self.offsets.is_empty() {
            self.first_row = row;
        }
        self.offsets.push(row - self.first_row);
        for (column, text) in self.columns.iter_mut().zip(&mut self.texts) {
            column.append_value(&text);
            text.clear();
        }
        if self.offsets.len() == self.size {
            self.end_block();
        }
    }

    fn end_block(&mut self) {
        self.size = (self.size * 2).min(BLOCK_ROWS);
        let block = Waiting {
            columns: self.columns.iter_mut().map(StringViewBuilder::finish).collect(),
            first_row: self.first_row,
            offsets: std::mem::take(&mut self.offsets),
            blank: std::mem::take(&mut self.blank),
            noted: std::mem::take(&mut self.noted),
            currencies: std::mem::take(&mut self.currencies),
        };
        if let Some(before) = self.waiting.replace(block) {
            self.hand_on(before, false);
        }
    }

    fn hand_on(&mut self, block: Waiting, last: bool) {
        let rows = block.offsets.len();
        let columns = block.columns.into_iter().map(|texts| Some(Cells::Texts(texts))).collect();
        let mut grid = CellGrid::new(rows, columns, u64::from(block.first_row) + 1);
        if block.offsets.last().is_some_and(|last| *last as usize != rows - 1) {
            grid = grid.apart(block.offsets);
        }
        grid.blank = block.blank;
        grid.noted = block.noted;
        grid.currencies = block.currencies;
        let lines = rows as u64 + grid.blank;
        let first = !std::mem::replace(&mut self.sent, true);
        let rows = Box::new(Grid::Cells(grid));
        self.open =
            self.open && (self.send)(Block { bytes: 0, lines, extent: lines, first, last, rows });
    }

    /// Hands on what is left, with what was noted of the sheet. The last block has the foot of the table
    /// whole.
    pub(super) fn finish(mut self, notes: Vec<(Noted, u64, String)>) {
        self.end_row();
        self.noted.extend(notes);
        let before = self.waiting.take();
        let small = self.offsets.len() < TAIL_ROWS;
        self.end_block();
        let Some(last) = self.waiting.take() else { return };
        match before {
            Some(before) if small => {
                let joined = joined(before, last);
                self.hand_on(joined, true);
            }
            before => {
                if let Some(before) = before {
                    self.hand_on(before, false);
                }
                self.hand_on(last, true);
            }
        }
    }
}

fn joined(before: Waiting, last: Waiting) -> Waiting {
    let columns = before.columns.iter().zip(&last.columns).map(|(one, other)| {
        let mut texts = TextBuilder::default();
        texts.push(one);
        texts.push(other);
        texts.finish()
    });
    let moved = last.first_row.saturating_sub(before.first_row);
    let offsets = last.offsets.iter().map(|offset| offset + moved);
    Waiting {
        columns: columns.collect(),
        first_row: before.first_row,
        offsets: before.offsets.iter().copied().chain(offsets).collect(),
        blank: before.blank + last.blank,
        noted: before.noted.into_iter().chain(last.noted).collect(),
        currencies: before.currencies.into_iter().chain(last.currencies).collect(),
    }
}
