//! Tables in a terminal: aligned columns, a line under the headings, nothing else.

use comfy_table::{CellAlignment, ContentArrangement, Table, presets};

use super::{Out, QUIET, TITLE};
use crate::visible::seen;

/// A table that grows row by row.
pub(crate) struct TextTable {
    headings: Vec<String>,
    right: Vec<bool>,
    rows: Vec<Vec<String>>,
    /// Whether the last row is a sum, under a line of its own.
    sum: bool,
    /// The rows that stand out.
    emphasized: Vec<usize>,
}

impl TextTable {
    /// A table with these headings; `>` before a heading puts its column to the right.
    pub(crate) fn new(headings: impl IntoIterator<Item = impl Into<String>>) -> TextTable {
        let mut table = TextTable {
            headings: Vec::new(),
            right: Vec::new(),
            rows: Vec::new(),
            sum: false,
            emphasized: Vec::new(),
        };
        for heading in headings {
            let heading: String = heading.into();
            let name = heading.strip_prefix('>');
            table.right.push(name.is_some());
            table.headings.push(name.unwrap_or(&heading).to_owned());
        }
        table
    }

    pub(crate) fn row(&mut self, cells: impl IntoIterator<Item = impl Into<String>>) {
        self.rows.push(cells.into_iter().map(Into::into).collect());
    }

    /// The last row, which sums up the others.
    pub(crate) fn sum(&mut self, cells: impl IntoIterator<Item = impl Into<String>>) {
        self.row(cells);
        self.sum = true;
    }

    /// Lets the last row stand out.
    pub(crate) fn emphasize(&mut self) {
        self.emphasized.extend(self.rows.len().checked_sub(1));
    }

    /// Leaves out columns, behind the first few, that are blank in every row.
    pub(crate) fn without_blank_columns(mut self, behind: usize) -> TextTable {
        for column in (behind..self.headings.len()).rev() {
            if self.rows.iter().all(|row| row.get(column).is_none_or(String::is_empty)) {
                self.headings.remove(column);
                self.right.remove(column);
                self.rows.iter_mut().filter(|row| row.len() > column).for_each(|row| {
                    row.remove(column);
                });
            }
        }
        self
    }

    pub(crate) fn is_empty(&self) -> bool {
        self.rows.is_empty()
    }

    /// Prints the table, each line after `indent`.
    pub(crate) fn print(&self, out: Out<'_>, indent: &str) -> std::io::Result<()> {
        let mut table = Table::new();
        table.load_style(presets::NOTHING).set_content_arrangement(ContentArrangement::Disabled);
        let seen =
            |row: &[String]| row.iter().map(|cell| seen(cell).into_owned()).collect::<Vec<_>>();
        table.add_row(seen(&self.headings));
        self.rows.iter().for_each(|row| {
            table.add_row(seen(row));
        });
        for (number, column) in table.column_iter_mut().enumerate() {
            column.set_padding((0, 2));
            if self.right[number] {
                column.set_cell_alignment(CellAlignment::Right);
            }
        }
        let lines: Vec<String> = table.lines().map(|line| line.trim_end().to_owned()).collect();
        let width = lines.iter().map(|line| line.chars().count()).max().unwrap_or(0);
        let rule = "─".repeat(width);
        for (number, line) in lines.iter().enumerate() {
            if self.sum && number + 1 == lines.len() {
                writeln!(out, "{indent}{QUIET}{rule}{QUIET:#}")?;
            }
            if number == 0 {
                writeln!(out, "{indent}{TITLE}{line}{TITLE:#}")?;
                writeln!(out, "{indent}{QUIET}{rule}{QUIET:#}")?;
            } else if self.emphasized.contains(&(number - 1)) {
                writeln!(out, "{indent}{TITLE}{line}{TITLE:#}")?;
            } else {
                writeln!(out, "{indent}{line}")?;
            }
        }
        Ok(())
    }
}
