//! Rows of a part, a block at a time, in the columns of its table: without the rows that are left out,
//! and with those that are made by unpacking and by columns that become rows.

use std::borrow::Cow;

use arrow_array::{Array, StringViewArray};

use interligo_engine::proof::faults::{Fault, strikes};
use interligo_engine::proof::findings::Noted;
use interligo_engine::rows::Made;
use interligo_model::plan::TotalRows;
use interligo_model::row_counts::{RowCounts, RowLeftOut};
use interligo_model::values::cells::Cells;
use interligo_model::values::texts::{gathered, without_marks};

use crate::error::{Error, InputKind};
use crate::formats::Block;
use crate::grid::Grid;
use crate::table::parts::{ColumnSource, Part, Table};
use crate::table::total_rows::{Candidate, candidates, judge};
use crate::text::same_text;

/// Some rows of a part.
pub struct Rows {
    /// The rows of the part that became lines.
    pub grid: Grid,
    /// The lines, where they are not these rows.
    made: Option<Made>,
    /// What became of the rows.
    pub counts: RowCounts,
    /// Rows that were left out as totals, by row of the file, with what they hold.
    pub totals: Vec<(u64, String)>,
    /// Rows that look like totals and are not proved to be any.
    pub suspects: Vec<(u64, String)>,
    /// Of each line, its number among those of all rows of the block; none where none was left out.
    numbers: Option<Vec<u32>>,
}

impl Rows {
    /// The rows of a block that are rows of the table.
    ///
    /// # Errors
    /// The block is not what its format says; a value stands under no column name.
    pub fn of(block: Block, table: &Table, part: &Part) -> Result<Rows, Error> {
        let last = block.last;
        let mut rows = Rows::whole(block, part)?;
        rows.leave_out(table, part, last, |_, _| {})?;
        Ok(rows)
    }

    /// All rows of a block, and the lines that they make, before any is left out.
    ///
    /// # Errors
    /// The block is not what its format says; a value stands under no column name.
    pub fn whole(block: Block, part: &Part) -> Result<Rows, Error> {
        let Block { first, rows, .. } = block;
        let grid = rows.split(&part.name, &part.column_names)?;
        refuse_values_without_column_name(&grid, part)?;
        let mut rows = Rows {
            counts: RowCounts::default(),
            made: None,
            totals: Vec::new(),
            suspects: Vec::new(),
            numbers: None,
            grid,
        };
        rows.counts.read = rows.grid.rows() as u64
            + rows.grid.blank()
            + rows.grid.ragged().len() as u64
            + if first { part.above } else { 0 };
        if first {
            rows.counts.leave_out(RowLeftOut::AboveHeader, part.above);
        }
        rows.counts.leave_out(RowLeftOut::Blank, rows.grid.blank());
        rows.make_lines(part);
        Ok(rows)
    }

    /// Leaves out rows by the plan's rule, and totals. `note` is told the lines of the rows that
    /// are left out, while they are there.
    ///
    /// # Errors
    /// The part cannot be read again.
    pub fn leave_out(
        &mut self,
        table: &Table,
        part: &Part,
        last: bool,
        mut note: impl FnMut(&Rows, &[u32]),
    ) -> Result<(), Error> {
        if let Some(filter) = &part.columns.filter {
            let out = filter.left_out(self.grid.rows(), |field| self.grid.column(field));
            self.leave_out_rows(part, RowLeftOut::ByRule, |row| out[row], &mut note);
        }
        if part.total_rows != Some(TotalRows::Keep) {
            let totals = self.totals(table, part, last)?;
            self.leave_out_rows(part, RowLeftOut::Total, |row| totals.contains(&row), &mut note);
        }
        Ok(())
    }

    fn leave_out_rows(
        &mut self,
        part: &Part,
        why: RowLeftOut,
        out: impl Fn(usize) -> bool,
        note: &mut impl FnMut(&Rows, &[u32]),
    ) {
        let rows = (0..self.grid.rows()).filter(|row| out(*row)).count() as u64;
        if rows == 0 {
            return;
        }
        let (lines, kept): (Vec<u32>, Vec<u32>) =
            (0..self.len() as u32).partition(|line| out(self.origin(*line as usize)));
        note(self, &lines);
        let number = |line: u32| self.number_in_block(line);
        self.numbers = Some(kept.into_iter().map(number).collect());
        if !strikes(Fault::RowLeftOutNotCounted) {
            self.counts.leave_out(why, rows);
        }
        self.grid.keep(|row| !out(row));
        self.make_lines(part);
    }

    /// Makes the lines of the rows that there are, where they are not these rows themselves.
    fn make_lines(&mut self, part: &Part) {
        if part.columns.is_plain() {
            return;
        }
        let made = part.columns.make(self.grid.rows(), |field| self.grid.column(field));
        let sources = self.grid.rows() - made.uneven.len();
        self.counts.made = (made.origin.len() - sources) as u64;
        self.made = Some(made);
    }

    /// The number of a line among those of all rows of its block.
    pub fn number_in_block(&self, line: u32) -> u32 {
        self.numbers.as_ref().map_or(line, |numbers| numbers[line as usize])
    }

    /// The rows that are totals; those that merely look like it are noted.
    fn totals(&mut self, table: &Table, part: &Part, last: bool) -> Result<Vec<usize>, Error> {
        let looking = candidates(self, part, last);
        if looking.is_empty() {
            return Ok(Vec::new());
        }
        let judged = judge(&looking, self, table, part)?;
        let mut left_out = Vec::new();
        for (Candidate { row, .. }, is_total) in looking.into_iter().zip(judged) {
            let cells = self.cells_of(row);
            let shown: Vec<&str> =
                cells.iter().map(|cell| cell.trim()).filter(|cell| !cell.is_empty()).collect();
            let noted = (self.number_of(row), shown.join(" · "));
            if is_total {
                self.totals.push(noted);
                left_out.push(row);
            } else {
                self.suspects.push(noted);
            }
        }
        Ok(left_out)
    }

    /// The texts of a row.
    pub fn cells_of(&self, row: usize) -> Vec<String> {
        (0..self.grid.width()).map(|field| self.grid.cell(row, field).into_owned()).collect()
    }

    /// Whether there are no lines.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// How many lines there are.
    pub fn len(&self) -> usize {
        self.made.as_ref().map_or(self.grid.rows(), |made| made.origin.len())
    }

    /// Rows whose cells could not be unpacked, by number among those of the grid.
    pub fn uneven(&self) -> &[u32] {
        self.made.as_ref().map_or(&[], |made| &made.uneven)
    }

    /// The row of the grid of which a line was made.
    pub fn origin(&self, line: usize) -> usize {
        self.made.as_ref().map_or(line, |made| made.origin[line] as usize)
    }

    /// The row of the file in which a line stands.
    pub fn row_of(&self, line: usize) -> u64 {
        self.number_of(self.origin(line))
    }

    /// The row of the file of a row of the grid.
    pub fn number_of(&self, row: usize) -> u64 {
        self.grid.row_number(row)
    }

    /// What was noted of cells: what it is, the row, and the cell in words.
    pub fn noted(&self) -> &[(Noted, u64, String)] {
        match &self.grid {
            Grid::Text(_) => &[],
            Grid::Cells(cells) => &cells.noted,
        }
    }

    /// The currencies that the formats of cells show: the column of the table, the currency, the first row.
    pub fn currencies(&self, part: &Part) -> Vec<(usize, String, u64)> {
        let Grid::Cells(cells) = &self.grid else { return Vec::new() };
        let column =
            |field: usize| part.sources.iter().position(|s| *s == ColumnSource::Field(field));
        let named = cells.currencies.iter();
        named.filter_map(|(field, mark, row)| Some((column(*field)?, mark.clone(), *row))).collect()
    }

    /// The texts of a column of the table, as they were read.
    pub fn texts(&self, part: &Part, column: usize) -> StringViewArray {
        match &part.sources[column] {
            ColumnSource::Field(field) => self.grid.column(*field),
            ColumnSource::Made(number) => {
                let made = self.made.as_ref().expect("parts with such columns make rows");
                made.columns[*number].clone()
            }
            ColumnSource::Same(text) => same_text(text, self.len()),
            ColumnSource::Computed | ColumnSource::Absent => same_text("", self.len()),
        }
    }

    /// The same with blanks where the plan says that a text means blank.
    pub fn values(&self, part: &Part, column: usize) -> StringViewArray {
        without_marks(&self.texts(part, column), &part.blank)
    }

    /// The same as they were delivered, which may be as values.
    pub fn cells(&self, part: &Part, column: usize) -> Cow<'_, Cells> {
        match &part.sources[column] {
            ColumnSource::Field(field) if self.made.is_none() && part.blank.is_empty() => {
                self.grid.cells(*field)
            }
            _ => Cow::Owned(Cells::Texts(self.values(part, column))),
        }
    }

    /// Whether lines are rows as they are in the block.
    pub fn is_plain(&self) -> bool {
        self.made.is_none()
    }

    /// Leaves out lines.
    pub fn keep(&mut self, keep: impl Fn(usize) -> bool) {
        let kept = (0..self.len()).filter(|line| keep(*line)).map(|line| line as u32);
        self.numbers = Some(kept.map(|line| self.number_in_block(line)).collect());
        match &mut self.made {
            None => self.grid.keep(keep),
            Some(made) => {
                let kept: Vec<u32> = (0..made.origin.len())
                    .filter(|line| keep(*line))
                    .map(|line| line as u32)
                    .collect();
                for column in &mut made.columns {
                    *column = gathered(column, kept.iter().map(|line| Some(*line)));
                }
                made.origin = kept.iter().map(|line| made.origin[*line as usize]).collect();
            }
        }
    }
}

/// A column that has no column name and had no value in the rows that were looked at must have none at all.
fn refuse_values_without_column_name(grid: &Grid, part: &Part) -> Result<(), Error> {
    for field in &part.empty {
        let texts = grid.column(*field);
        let filled = |row: &usize| !texts.value(*row).trim_matches(['"', ' ', '\t']).is_empty();
        if let Some(row) = (0..texts.len()).find(filled) {
            let message = format!(
                "has `{}` in its column {}, which has no name",
                texts.value(row).trim(),
                field + 1
            );
            return Err(Error::input(InputKind::Header, &part.name, message)
                .at_row(grid.row_number(row))
                .help("give the column a name, or clear the cell"));
        }
    }
    Ok(())
}
