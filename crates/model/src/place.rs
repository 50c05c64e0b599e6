//! Where something is in the data, always said the same way.

use serde::{Deserialize, Serialize};
use std::fmt;
use std::sync::Arc;

/// A part of a table as messages name it: a file, a sheet of a workbook, a table of a database.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PartName {
    /// The name, as the plan's folder sees it.
    pub shown: Arc<str>,
    /// The columns of a sheet; `None` where cells have no address.
    pub sheet: Option<Arc<SheetColumns>>,
}

/// The letters of the columns of a sheet.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct SheetColumns {
    /// By the name of a column, the number of its column in the sheet, counted from 0.
    pub columns: Vec<(String, u32)>,
    /// The first column of the table.
    pub first: u32,
}

impl From<Arc<str>> for PartName {
    fn from(shown: Arc<str>) -> PartName {
        PartName { shown, sheet: None }
    }
}

impl From<&str> for PartName {
    fn from(shown: &str) -> PartName {
        PartName::from(Arc::<str>::from(shown))
    }
}

impl From<&Arc<str>> for PartName {
    fn from(shown: &Arc<str>) -> PartName {
        PartName::from(shown.clone())
    }
}

impl From<&PartName> for PartName {
    fn from(name: &PartName) -> PartName {
        name.clone()
    }
}

impl Default for PartName {
    fn default() -> PartName {
        PartName::from("")
    }
}

impl fmt::Display for PartName {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.shown)
    }
}

/// A place in a table, as its owner finds it: the file, the row as an editor counts it (the header
/// row is row 1), the column by its name, and what is there. In a sheet it is the address of the cell.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Place {
    /// The part.
    pub part: PartName,
    /// The row, counted from 1.
    pub row: Option<u64>,
    /// The column.
    pub column: Option<String>,
    /// What is there.
    pub value: Option<String>,
}

impl Place {
    /// A row of a part.
    pub fn row(part: PartName, row: u64) -> Place {
        Place { part, row: Some(row), ..Place::default() }
    }

    /// The same place in a column, which is reported by its letter where it is in a sheet.
    pub fn in_column(mut self, column: &str) -> Place {
        if let Some(sheet) = &self.part.sheet
            && let Some((_, number)) = sheet.columns.iter().find(|(name, _)| name == column)
        {
            self.part.sheet = Some(Arc::new(SheetColumns { columns: Vec::new(), first: *number }));
        }
        self
    }

    /// The same place with the column and what is in it.
    pub fn cell(mut self, column: &str, value: &str) -> Place {
        self.column = Some(column.to_owned());
        self.value = Some(value.to_owned());
        self
    }
}

impl fmt::Display for Place {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.part.fmt(f)?;
        match (self.row, &self.part.sheet) {
            (Some(row), None) => write!(f, ":{row}")?,
            (Some(row), Some(sheet)) => {
                let named = self
                    .column
                    .as_ref()
                    .and_then(|column| sheet.columns.iter().find(|(name, _)| name == column));
                let column = named.map_or(sheet.first, |(_, column)| *column);
                write!(f, "!{}{row}", letters(column))?;
            }
            (None, _) => {}
        }
        if let Some(column) = &self.column {
            write!(f, " `{column}`")?;
        }
        if let Some(value) = &self.value {
            write!(f, " has `{value}`")?;
        }
        Ok(())
    }
}

/// The letters of a column of a sheet, counted from 0: `A`, `Z`, `AA`.
pub fn letters(column: u32) -> String {
    let mut left = u64::from(column) + 1;
    let mut letters = Vec::new();
    while left > 0 {
        letters.push(b'A' + ((left - 1) % 26) as u8);
        left = (left - 1) / 26;
    }
    letters.iter().rev().map(|letter| char::from(*letter)).collect()
}

/// A line of a file, by the number of the file and its row.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
pub struct Spot {
    /// The file, by number.
    pub part: usize,
    /// The row, as its owner counts.
    pub row: u64,
}

/// The files of a table, to turn the spots of findings into places.
#[derive(Clone, Debug, Default)]
pub struct Parts(pub Vec<PartName>);

impl Parts {
    /// The place of a spot.
    pub fn place(&self, spot: Spot) -> Place {
        Place::row(self.0[spot.part].clone(), spot.row)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_cell_of_a_sheet_has_its_address() {
        let columns = vec![("sku".to_owned(), 1), ("price".to_owned(), 27)];
        let sheet = Some(Arc::new(SheetColumns { columns, first: 1 }));
        let part = PartName { shown: "book.xlsx#North".into(), sheet };
        let place = Place::row(part, 17);
        assert_eq!(place.to_string(), "book.xlsx#North!B17");
        assert_eq!(place.clone().in_column("price").to_string(), "book.xlsx#North!AB17");
        let cell = place.cell("price", "n/a");
        assert_eq!(cell.to_string(), "book.xlsx#North!AB17 `price` has `n/a`");
        assert_eq!(letters(25) + &letters(26) + &letters(16_383), "ZAAXFD");
    }
}
