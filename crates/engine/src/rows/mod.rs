//! The shape of a part: which of its rows are left out, and how the others become rows of the table.
//!
//! The steps, in their order: rows that a condition leaves out ([`RowFilter`]); columns that become rows
//! ([`Tall`]); cells with several values ([`Unpacking`]). All of them work on text, before any value is
//! read. [`PartColumns`] says for each column of a part where it comes from.

mod columns;
mod filter;
pub mod line_keys;
pub mod repeated_lines;
mod tall;
pub mod total_row;
mod unpack;

use std::sync::Arc;

use arrow_array::{Array, StringViewArray};

pub use columns::{From, PartColumns};
pub use filter::RowFilter;
pub use tall::Tall;
pub use unpack::Unpacking;

use interligo_model::values::texts::gathered;

/// Rows of a table made of the rows of a part.
pub struct Made {
    /// Of each made row, the row that it was made of.
    pub origin: Vec<u32>,
    /// The columns of the part, by their position among its columns.
    pub columns: Vec<StringViewArray>,
    /// Rows that could not be unpacked, ascending: their cells hold different numbers of values.
    pub uneven: Vec<u32>,
}

impl PartColumns {
    /// Whether rows of the part are rows of the table as they are.
    pub fn is_plain(&self) -> bool {
        self.tall.is_none() && self.unpacking.is_none()
    }

    /// Makes rows of the table out of `rows` rows; `field` gives the texts of a field of all of them.
    pub fn make(&self, rows: usize, mut field: impl FnMut(usize) -> StringViewArray) -> Made {
        let mut made = match &self.tall {
            Some(tall) => tall.make(self, rows, field),
            None => Made {
                origin: (0..rows as u32).collect(),
                columns: self
                    .from
                    .iter()
                    .map(|from| match from {
                        From::Field(number) => field(*number),
                        _ => StringViewArray::from(vec![""; rows]),
                    })
                    .collect(),
                uneven: Vec::new(),
            },
        };
        if let Some(unpacking) = &self.unpacking {
            let unpacked = unpacking.unpack(&made.columns);
            for (number, column) in made.columns.iter_mut().enumerate() {
                *column = match unpacking.part_of(number) {
                    Some(unpack::UnpackedColumn::Values(column)) => {
                        unpacked.columns[column].clone()
                    }
                    Some(unpack::UnpackedColumn::Position) => numbers(&unpacked.position),
                    Some(unpack::UnpackedColumn::Once) => {
                        let rows = unpacked.origin.iter().zip(&unpacked.position);
                        gathered(column, rows.map(|(row, at)| (*at == 1).then_some(*row)))
                    }
                    None => gathered(column, unpacked.origin.iter().map(|row| Some(*row))),
                };
            }
            let origin = |row: &u32| made.origin[*row as usize];
            made.uneven = unpacked.uneven.iter().map(origin).collect();
            made.uneven.dedup();
            made.origin = unpacked.origin.iter().map(origin).collect();
        }
        made
    }
}

/// Whole numbers as a column of text.
fn numbers(numbers: &[u32]) -> StringViewArray {
    StringViewArray::from_iter_values(numbers.iter().map(u32::to_string))
}

/// A name that is shared by many.
pub(crate) type Name = Arc<str>;

/// How many rows a column has.
fn rows_of(columns: &[StringViewArray]) -> usize {
    columns.first().map_or(0, Array::len)
}
