//! Rows of a part, a block at a time, in the columns of its table: without the rows that are left out,
//! and with those that are made by unpacking and by columns that become rows.

use std::cell::OnceCell;

use arrow_array::StringViewArray;
use arrow_buffer::Buffer;

use interligo_core::foot::{FieldSums, looks_like_total};
use interligo_core::plan::TotalRows;
use interligo_core::rows::{RowCounts, RowLeftOut};
use interligo_core::shape::Made;
use interligo_core::texts::{gathered, without_marks};

use crate::error::Error;
use crate::parts::{Part, Source, Table, block_not_utf8};
use crate::text::{Block, Fields, TAIL, same_text, unquoted};

/// How many bytes are read at a time where a part is gone through for itself.
const BLOCK: usize = 1 << 19;

/// Some rows of a part.
pub(crate) struct Rows {
    /// The block, with its padding.
    pub(crate) buffer: Buffer,
    /// How many bytes of it are rows.
    pub(crate) length: usize,
    /// The rows of the file that became lines.
    pub(crate) fields: Fields,
    /// The lines, where they are not these rows.
    made: Option<Made>,
    /// What became of the rows.
    pub(crate) counts: RowCounts,
    /// Rows that were left out as totals, by row of the file, with what they hold.
    pub(crate) totals: Vec<(u64, String)>,
    /// Rows that look like totals and are not proved to be any.
    pub(crate) suspects: Vec<(u64, String)>,
    first_row: u64,
    row_numbers: OnceCell<Vec<u64>>,
}

impl Rows {
    /// The rows of a block.
    ///
    /// # Errors
    /// The block is not UTF-8; a value stands under no heading.
    pub(crate) fn of(block: Block, table: &Table, part: &Part) -> Result<Rows, Error> {
        if let Err(error) = std::str::from_utf8(&block.bytes) {
            return Err(block_not_utf8(&block, table, part, error.valid_up_to()));
        }
        let fields = Fields::split(&block, part.width());
        refuse_values_without_heading(&block, &fields, part)?;
        let Block { bytes, length, first_row, first, last, .. } = block;
        let mut rows = Rows {
            buffer: Buffer::from_vec(bytes),
            length,
            counts: RowCounts::default(),
            made: None,
            totals: Vec::new(),
            suspects: Vec::new(),
            row_numbers: OnceCell::new(),
            first_row,
            fields,
        };
        rows.counts.read = rows.fields.rows() as u64
            + rows.fields.blank
            + rows.fields.ragged.len() as u64
            + if first { part.above } else { 0 };
        if first {
            rows.counts.leave_out(RowLeftOut::AboveHeading, part.above);
        }
        rows.counts.leave_out(RowLeftOut::Blank, rows.fields.blank);
        rows.leave_out_by_rule(part);
        if last && part.total_rows != Some(TotalRows::Keep) {
            rows.leave_out_totals(table, part)?;
        }
        if !part.columns.is_plain() {
            let field = |field| rows.fields.column(&rows.buffer, field);
            let made = part.columns.make(rows.fields.rows(), field);
            let sources = rows.fields.rows() - made.uneven.len();
            rows.counts.made = (made.origin.len() - sources) as u64;
            rows.made = Some(made);
        }
        Ok(rows)
    }

    fn leave_out_by_rule(&mut self, part: &Part) {
        let Some(filter) = &part.columns.filter else { return };
        let before = self.fields.rows();
        let out = filter.left_out(before, |field| self.fields.column(&self.buffer, field));
        self.fields.keep(|row| !out[row]);
        self.counts.leave_out(RowLeftOut::ByRule, (before - self.fields.rows()) as u64);
    }

    /// Leaves out the last rows where they are totals, and notes those that merely look like it.
    fn leave_out_totals(&mut self, table: &Table, part: &Part) -> Result<(), Error> {
        let looking = self.total_like(part);
        if looking.is_empty() {
            return Ok(());
        }
        let texts: Vec<Vec<String>> = looking.iter().map(|row| self.cells(*row)).collect();
        let proved = match part.total_rows {
            Some(_) => vec![true; looking.len()],
            None => proved(&texts, table, part)?,
        };
        let mut left_out = Vec::new();
        for ((row, cells), proved) in looking.into_iter().zip(&texts).zip(proved) {
            let shown: Vec<&str> =
                cells.iter().map(|cell| cell.trim()).filter(|cell| !cell.is_empty()).collect();
            let noted = (self.number_of(row), shown.join(" · "));
            if proved {
                self.totals.push(noted);
                left_out.push(row);
            } else {
                self.suspects.push(noted);
            }
        }
        self.counts.leave_out(RowLeftOut::Total, left_out.len() as u64);
        self.fields.keep(|row| !left_out.contains(&row));
        self.row_numbers = OnceCell::new();
        Ok(())
    }

    /// The last rows that look like totals, ascending, judged by the rows before them in the last
    /// stretch of the file.
    fn total_like(&self, part: &Part) -> Vec<usize> {
        let rows = self.fields.rows();
        let end = (0..rows).next_back().map_or(0, |row| self.fields.start(row));
        let window = (0..rows)
            .rev()
            .take_while(|row| end - self.fields.start(*row) <= TAIL / 2)
            .last()
            .unwrap_or(0);
        let mut looking = Vec::new();
        for row in (window..rows).rev() {
            let mut always = vec![true; part.width()];
            for other in window..row {
                for (field, always) in always.iter_mut().enumerate() {
                    *always &= !self.cell(other, field).trim().is_empty();
                }
            }
            let cells = self.cells(row);
            let cells: Vec<&str> = cells.iter().map(String::as_str).collect();
            if row == window || !looks_like_total(&cells, &always, row - window, &part.style.style)
            {
                break;
            }
            looking.insert(0, row);
        }
        looking
    }

    fn cell(&self, row: usize, field: usize) -> std::borrow::Cow<'_, str> {
        let bytes = self.fields.field(&self.buffer, row, field);
        unquoted(std::str::from_utf8(bytes).expect("blocks are checked to be UTF-8"))
    }

    fn cells(&self, row: usize) -> Vec<String> {
        (0..self.fields.width()).map(|field| self.cell(row, field).into_owned()).collect()
    }

    /// How many lines there are.
    pub(crate) fn len(&self) -> usize {
        self.made.as_ref().map_or(self.fields.rows(), |made| made.origin.len())
    }

    /// Rows whose cells could not be unpacked, by number among the fields.
    pub(crate) fn uneven(&self) -> &[u32] {
        self.made.as_ref().map_or(&[], |made| &made.uneven)
    }

    /// The row of the fields of which a line was made.
    pub(crate) fn origin(&self, line: usize) -> usize {
        self.made.as_ref().map_or(line, |made| made.origin[line] as usize)
    }

    /// The row of the file in which a line stands.
    pub(crate) fn row_of(&self, line: usize) -> u64 {
        self.number_of(self.origin(line))
    }

    /// The row of the file of a row of the fields.
    pub(crate) fn number_of(&self, row: usize) -> u64 {
        let numbers = self.row_numbers.get_or_init(|| {
            let mut numbers = self.counting();
            (0..self.fields.rows()).map(|row| numbers.of(self.fields.start(row))).collect()
        });
        numbers[row]
    }

    /// Counts the rows of the file from the start of the block.
    pub(crate) fn counting(&self) -> RowNumbers<'_> {
        RowNumbers { bytes: &self.buffer, counted: 0, row: self.first_row }
    }

    /// The texts of a column of the table, as they were read.
    pub(crate) fn texts(&self, part: &Part, column: usize) -> StringViewArray {
        match &part.sources[column] {
            Source::Field(field) => self.fields.column(&self.buffer, *field),
            Source::Made(number) => {
                let made = self.made.as_ref().expect("parts with such columns make rows");
                made.columns[*number].clone()
            }
            Source::Same(text) => same_text(text, self.len()),
            Source::Computed | Source::Absent => same_text("", self.len()),
        }
    }

    /// The same with blanks where the plan says that a text means blank.
    pub(crate) fn values(&self, part: &Part, column: usize) -> StringViewArray {
        without_marks(&self.texts(part, column), &part.blank)
    }

    /// Whether lines are rows as they stand in the block.
    pub(crate) fn is_plain(&self) -> bool {
        self.made.is_none()
    }

    /// Leaves out lines.
    pub(crate) fn keep(&mut self, keep: impl Fn(usize) -> bool) {
        match &mut self.made {
            None => {
                self.fields.keep(keep);
                self.row_numbers = OnceCell::new();
            }
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

/// Which rows, the last `texts.len()` of a part, are the sums of all rows above them. The part is read
/// once more for it.
fn proved(texts: &[Vec<String>], table: &Table, part: &Part) -> Result<Vec<bool>, Error> {
    let cells: Vec<Vec<&str>> =
        texts.iter().map(|cells| cells.iter().map(String::as_str).collect()).collect();
    let style = &part.style.style;
    let mut sums: Vec<FieldSums> = cells.iter().map(|cells| FieldSums::of(cells, style)).collect();
    let as_they_are = part.with_totals();
    let mut reader = part.open()?;
    while let Some(block) = reader.next(BLOCK)? {
        let last = block.last;
        let rows = Rows::of(block, table, &as_they_are)?;
        let foot = if last { texts.len() } else { 0 };
        let data = rows.fields.rows().saturating_sub(foot);
        for sums in &mut sums {
            for field in sums.fields() {
                sums.add(field, &rows.fields.column(&rows.buffer, field).slice(0, data));
            }
        }
    }
    Ok(cells.iter().zip(&sums).map(|(cells, sums)| sums.prove(cells)).collect())
}

/// A column that has no heading and had no value in the rows that were looked at must have none at all.
fn refuse_values_without_heading(block: &Block, fields: &Fields, part: &Part) -> Result<(), Error> {
    for field in &part.empty {
        for row in 0..fields.rows() {
            let bytes = fields.field(&block.bytes, row, *field);
            if bytes.iter().any(|b| !matches!(b, b' ' | b'\t' | b'"')) {
                let value = String::from_utf8_lossy(bytes);
                let message = format!(
                    "holds `{}` in its column {}, which has no heading",
                    unquoted(&value).trim(),
                    field + 1
                );
                return Err(Error::input(&part.shown, message)
                    .at_row(block.row_of(fields.start(row)))
                    .help("give the column a heading, or clear the cell"));
            }
        }
    }
    Ok(())
}

/// The rows of the file for ascending places of a block, counted once through.
pub(crate) struct RowNumbers<'b> {
    bytes: &'b [u8],
    counted: usize,
    row: u64,
}

impl RowNumbers<'_> {
    pub(crate) fn of(&mut self, byte: usize) -> u64 {
        self.row += memchr::memchr_iter(b'\n', &self.bytes[self.counted..byte]).count() as u64;
        self.counted = byte;
        self.row
    }
}
