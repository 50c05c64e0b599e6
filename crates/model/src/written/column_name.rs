//! Names of columns, as paths and formulas write them.

use std::ops::Range;

/// A column as a path or formula names it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ColumnName {
    /// The tables or links before the points: none, one, or the way through several.
    pub through: Vec<String>,
    /// The column.
    pub column: String,
    /// Where it is in the written text.
    pub span: Range<usize>,
}

impl ColumnName {
    /// Whether it is a column of the table itself: named alone, or behind the table's name.
    pub fn is_own(&self, table: &str) -> bool {
        match self.through.as_slice() {
            [] => true,
            [only] => only == table,
            _ => false,
        }
    }
}
