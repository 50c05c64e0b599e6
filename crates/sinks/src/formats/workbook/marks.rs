//! Marks on rows of totals whose amounts are known on different lines: the label has another colour, and a note with the
//! lines and amounts.

use std::collections::BTreeMap;

use interligo_engine::totals::TotalsTable;
use rust_xlsxwriter::{Note, Worksheet, XlsxError};

/// The notes of a table, by the number of its row, from 0, and the column that they are on.
#[derive(Default)]
pub(super) struct Marks {
    notes: BTreeMap<usize, String>,
    column: usize,
}

impl Marks {
    /// Those of a table of totals.
    pub(super) fn of(table: &TotalsTable) -> Marks {
        let whole = table.by.is_empty().then_some(&table.whole);
        let rows = table.rows.iter().chain(whole).enumerate();
        let notes = rows.filter_map(|(at, row)| Some((at, row.partly_known.as_ref()?.to_string())));
        Marks { notes: notes.collect(), column: usize::from(table.levels.len() > 1) }
    }

    /// Whether a cell has a mark.
    pub(super) fn is_on(&self, row: usize, column: usize) -> bool {
        column == self.column && self.notes.contains_key(&row)
    }

    /// How many rows have one.
    pub(super) fn count(&self) -> usize {
        self.notes.len()
    }

    /// Writes the notes.
    pub(super) fn write(&self, sheet: &mut Worksheet) -> Result<(), XlsxError> {
        for (row, text) in &self.notes {
            let note = Note::new(text).set_width(320).set_height(110).add_author_prefix(false);
            sheet.insert_note(*row as u32 + 1, self.column as u16, &note)?;
        }
        Ok(())
    }
}

/// A count with its unit.
pub(super) fn counted(count: u64, unit: &str) -> String {
    let plural = if count == 1 { "" } else { "s" };
    format!("{count} {unit}{plural}")
}
