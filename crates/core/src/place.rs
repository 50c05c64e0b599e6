//! Where something stands in the data, always said the same way.

use std::fmt;
use std::sync::Arc;

/// A place in a table, as its owner finds it: the file, the row as an editor counts it (the heading
/// is row 1), the column by its heading, and what stands there.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Place {
    /// The file, as the plan's folder sees it.
    pub part: Arc<str>,
    /// The row, counted from 1.
    pub row: Option<u64>,
    /// The column.
    pub column: Option<String>,
    /// What stands there.
    pub value: Option<String>,
}

impl Place {
    /// A row of a file.
    pub fn row(part: Arc<str>, row: u64) -> Place {
        Place { part, row: Some(row), ..Place::default() }
    }

    /// The same place with the column and what stands in it.
    pub fn cell(mut self, column: &str, value: &str) -> Place {
        self.column = Some(column.to_owned());
        self.value = Some(value.to_owned());
        self
    }
}

impl fmt::Display for Place {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.part)?;
        if let Some(row) = self.row {
            write!(f, ":{row}")?;
        }
        if let Some(column) = &self.column {
            write!(f, " `{column}`")?;
        }
        if let Some(value) = &self.value {
            write!(f, " holds `{value}`")?;
        }
        Ok(())
    }
}
