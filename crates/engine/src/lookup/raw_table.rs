//! A table as it was read.

use arrow_array::{Array, StringViewArray};
use interligo_model::place::{PartName, Place};
use interligo_model::reading::column_reader::{ReadColumn, Reading};
use interligo_model::reading::style::{PartStyle, Style};
use interligo_model::row_counts::RowCounts;

use super::RowPlaces;
use crate::proof::findings::Noted;

/// A table as it was read: text, with the place of every row.
#[derive(Default)]
pub struct RawTable {
    /// The files it was read from.
    pub parts: Vec<PartName>,
    /// How the values of each are written.
    pub styles: Vec<PartStyle>,
    /// Of each part, the number of its first row in the columns.
    pub first_rows: Vec<usize>,
    /// The row of its file in which every row stands.
    pub rows: RowPlaces,
    /// All columns, in the order of their names; one that was not asked for is empty.
    pub columns: Vec<StringViewArray>,
    /// What became of the rows of the files.
    pub counts: RowCounts,
    /// Rows whose cells could not be unpacked in step.
    pub uneven: Vec<Place>,
    /// Rows that look like totals and are not proved to be any, with what they hold.
    pub suspects: Vec<(Place, String)>,
    /// What was noted of cells: what it is, and the cell in words.
    pub noted: Vec<(Noted, String)>,
    /// The currencies that the formats of cells show, by column, each with the first place of a block that has it.
    pub currencies: Vec<(usize, String, Place)>,
}

impl RawTable {
    /// A column, part by part, with the style of each.
    pub(super) fn slices(
        &self,
        column: usize,
    ) -> impl Iterator<Item = (StringViewArray, &PartStyle)> {
        let texts = &self.columns[column];
        let ends = self.first_rows.iter().skip(1).copied().chain([texts.len()]);
        let parts = self.first_rows.iter().zip(ends).zip(&self.styles);
        parts.map(|((start, end), style)| (texts.slice(*start, end - start), style))
    }

    /// Reads a column, each part in its style.
    pub(super) fn read(&self, column: usize, reading: &Reading) -> ReadColumn {
        match self.styles.split_first() {
            Some((first, rest)) if rest.iter().all(|style| style.reads_as(first)) => {
                reading.read_part(&self.columns[column], first, column)
            }
            _ => {
                let parts = self.slices(column);
                let reads = parts.map(|(part, style)| reading.read_part(&part, style, column));
                ReadColumn::stacked(reads, reading)
            }
        }
    }

    /// Whether a column is written as outputs are, in every part.
    pub(super) fn is_plain(&self, column: usize) -> bool {
        let plain = |part: &PartStyle| {
            part.of(column) == Style::default() && part.way(column).scale.is_none()
        };
        self.styles.iter().all(plain)
    }

    /// Where a row stands.
    pub fn place(&self, row: u32) -> Place {
        let part = self.first_rows.partition_point(|first| *first <= row as usize) - 1;
        Place::row(self.parts[part].clone(), u64::from(self.rows.of(row)))
    }
}
