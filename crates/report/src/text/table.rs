//! Tables in a terminal: aligned columns, a line under the column names, nothing else.

use comfy_table::{CellAlignment, ContentArrangement, Table, presets};
use textwrap::{Options, WordSplitter};
use unicode_width::UnicodeWidthStr;

use super::{NOTICE, Out, QUIET, TITLE, broken, counted};
use crate::visible::seen;

/// Spaces between two columns.
const BETWEEN: usize = 2;

/// The narrowest that a column of text becomes before columns are left out.
const NARROWEST: usize = 20;

/// How many lines a cell of a narrowed column has at most.
const LINES: usize = 4;

/// A table that grows row by row.
pub(crate) struct TextTable {
    pub(crate) column_names: Vec<String>,
    /// The columns that are put to the right.
    pub(crate) right: Vec<bool>,
    pub(crate) rows: Vec<Vec<String>>,
    /// Whether the last row is a sum, under a line of its own.
    pub(crate) sum: bool,
    /// The rows that stand out.
    emphasized: Vec<usize>,
    /// Columns that are shown in full at any width, besides the first.
    pinned: Vec<usize>,
    /// Whether `--format csv` of the command has all columns.
    is_in_csv: bool,
}

impl TextTable {
    /// A table with these column names; `>` before a column name puts its column to the right.
    pub(crate) fn new(column_names: impl IntoIterator<Item = impl Into<String>>) -> TextTable {
        let mut table = TextTable {
            column_names: Vec::new(),
            right: Vec::new(),
            rows: Vec::new(),
            sum: false,
            emphasized: Vec::new(),
            pinned: Vec::new(),
            is_in_csv: false,
        };
        for column_name in column_names {
            let column_name: String = column_name.into();
            let name = column_name.strip_prefix('>');
            table.right.push(name.is_some());
            table.column_names.push(name.unwrap_or(&column_name).to_owned());
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
        for column in (behind..self.column_names.len()).rev() {
            if self.rows.iter().all(|row| row.get(column).is_none_or(String::is_empty)) {
                self.column_names.remove(column);
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

    /// The same table, of which `--format csv` has all columns.
    pub(crate) fn in_csv(mut self) -> TextTable {
        self.is_in_csv = true;
        self
    }

    /// Shows these columns in full at any width.
    pub(crate) fn pin(&mut self, columns: impl IntoIterator<Item = usize>) {
        self.pinned.extend(columns);
    }

    /// Prints the table, each line after `indent`, and below it the columns that do not fit the width.
    pub(crate) fn print(&self, out: Out<'_>, indent: &str) -> std::io::Result<()> {
        let room = out.width().map(|width| width.saturating_sub(indent.width()));
        let shown = self.fit(room.unwrap_or(usize::MAX));
        let rows = self.laid_out(&shown);
        let width = rows.iter().flatten().map(|line| line.width()).max().unwrap_or(0);
        let rule = "─".repeat(width);
        for (number, lines) in rows.iter().enumerate() {
            if self.sum && number + 1 == rows.len() {
                writeln!(out, "{indent}{QUIET}{rule}{QUIET:#}")?;
            }
            let stands_out = number == 0 || self.emphasized.contains(&(number - 1));
            for line in lines {
                match stands_out {
                    true => writeln!(out, "{indent}{TITLE}{line}{TITLE:#}")?,
                    false => writeln!(out, "{indent}{line}")?,
                }
            }
            if number == 0 {
                writeln!(out, "{indent}{QUIET}{rule}{QUIET:#}")?;
            }
        }
        let Some(note) = self.not_shown(&shown) else { return Ok(()) };
        let lines = broken(&note, room.unwrap_or(usize::MAX));
        lines.iter().try_for_each(|line| writeln!(out, "{indent}{NOTICE}{line}{NOTICE:#}"))
    }

    /// The column names and rows of the columns shown, each in one or more lines.
    fn laid_out(&self, shown: &[ShownColumn]) -> Vec<Vec<String>> {
        let mut table = Table::new();
        table.load_style(presets::NOTHING).set_content_arrangement(ContentArrangement::Disabled);
        let mut heights = Vec::new();
        for row in [&self.column_names].into_iter().chain(&self.rows) {
            let cell = |column: &ShownColumn| {
                let cell = row.get(column.number).map_or("", String::as_str);
                wrapped(&seen(cell), column.width)
            };
            let cells: Vec<Vec<String>> = shown.iter().map(cell).collect();
            heights.push(cells.iter().map(Vec::len).max().unwrap_or(1));
            table.add_row(cells.iter().map(|lines| lines.join("\n")));
        }
        for (column, shown) in table.column_iter_mut().zip(shown) {
            column.set_padding((0, BETWEEN as u16));
            if self.right[shown.number] {
                column.set_cell_alignment(CellAlignment::Right);
            }
        }
        let mut lines = table.lines().map(|line| line.trim_end().to_owned());
        heights.into_iter().map(|height| lines.by_ref().take(height).collect()).collect()
    }

    /// The columns that fit into this many characters. Columns of text become narrower first; then columns are left out
    /// from the right, so that none seems to be missing between others. The first column and one more are always shown.
    fn fit(&self, room: usize) -> Vec<ShownColumn> {
        let pinned = |number: usize| number == 0 || self.pinned.contains(&number);
        let mut shown: Vec<ShownColumn> =
            (0..self.column_names.len()).map(|number| self.natural(number)).collect();
        loop {
            if let Some(narrowed) = self.narrowed(&shown, room) {
                return narrowed;
            }
            let last = shown.iter().rposition(|column| !pinned(column.number));
            match last.filter(|_| shown.iter().filter(|c| !pinned(c.number)).count() > 1) {
                Some(last) => drop(shown.remove(last)),
                None => return shown,
            }
        }
    }

    /// A column in its full width.
    fn natural(&self, number: usize) -> ShownColumn {
        let cells = self.rows.iter().filter_map(|row| row.get(number));
        let width = cells.chain([&self.column_names[number]]).map(|cell| seen(cell).width()).max();
        ShownColumn { number, width: width.unwrap_or(0) }
    }

    /// The columns as narrow as they must be; none where that is narrower than text can be read.
    fn narrowed(&self, shown: &[ShownColumn], room: usize) -> Option<Vec<ShownColumn>> {
        let widths: usize = shown.iter().map(|column| column.width + BETWEEN).sum();
        let mut over = widths.saturating_sub(BETWEEN).saturating_sub(room);
        let mut shown = shown.to_vec();
        while over > 0 {
            let text = |column: &&mut ShownColumn| {
                column.number > 0
                    && !self.right[column.number]
                    && !self.pinned.contains(&column.number)
                    && column.width > NARROWEST
            };
            let widest = shown.iter_mut().filter(text).max_by_key(|column| column.width)?;
            let less = over.min(widest.width - NARROWEST);
            widest.width -= less;
            over -= less;
        }
        Some(shown)
    }

    /// Names the columns that are not shown.
    fn not_shown(&self, shown: &[ShownColumn]) -> Option<String> {
        let missing = |number: &usize| shown.iter().all(|column| column.number != *number);
        let left: Vec<&str> = (0..self.column_names.len())
            .filter(missing)
            .map(|number| self.column_names[number].as_str())
            .collect();
        let names = match left.as_slice() {
            [] => return None,
            [first, .., last] if left.len() > 3 => format!("{first} to {last}"),
            few => few.join(", "),
        };
        let (verb, them) = if left.len() == 1 { ("does", "it") } else { ("do", "them") };
        let count = counted(left.len() as u64, "column");
        let csv = if self.is_in_csv { " or --format csv" } else { "" };
        Some(format!(
            "{count} {verb} not fit the width: {names}. A wider terminal{csv} shows {them}."
        ))
    }
}

/// A column of a table that is shown.
#[derive(Clone, Copy, Debug)]
struct ShownColumn {
    number: usize,
    /// In characters of a terminal.
    width: usize,
}

/// A cell in lines of at most this many characters; `…` represents what is too much.
fn wrapped(cell: &str, width: usize) -> Vec<String> {
    if cell.width() <= width {
        return vec![cell.to_owned()];
    }
    let options = Options::new(width).word_splitter(WordSplitter::NoHyphenation);
    let mut lines: Vec<String> =
        textwrap::wrap(cell, options).into_iter().map(std::borrow::Cow::into_owned).collect();
    if lines.len() > LINES {
        lines.truncate(LINES);
        if let Some(last) = lines.last_mut() {
            while last.width() >= width {
                last.pop();
            }
            last.push('…');
        }
    }
    lines
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn table(rows: &[Vec<String>], columns: usize) -> TextTable {
        let names = (0..columns).map(|n| format!("{}c{n}", if n % 2 == 0 { "" } else { ">" }));
        let mut table = TextTable::new(names);
        rows.iter().for_each(|row| table.row(row.iter().take(columns).cloned()));
        table
    }

    #[test]
    fn text_becomes_narrower_before_columns_are_left_out() {
        let mut table = TextTable::new(["Finding", ">lines", "first"]).in_csv();
        table.row(["near-miss", "12", "sales/corvo_2025.csv:1204"]);
        let at = |room| table.laid_out(&table.fit(room))[1].join("\n");
        assert_eq!(at(80), "near-miss     12  sales/corvo_2025.csv:1204");
        assert_eq!(at(38), "near-miss     12  sales/corvo_2025.csv\n                  :1204");
        assert_eq!(at(37), "near-miss     12");
        assert_eq!(
            table.not_shown(&table.fit(30)).as_deref(),
            Some(
                "1 column does not fit the width: first. A wider terminal or --format csv shows it."
            )
        );
        assert_eq!(table.not_shown(&table.fit(80)), None);
        table.is_in_csv = false;
        assert_eq!(
            table.not_shown(&table.fit(30)).as_deref(),
            Some("1 column does not fit the width: first. A wider terminal shows it.")
        );
    }

    proptest! {
        #[test]
        fn lines_fit_the_width_or_show_two_columns(
            rows in proptest::collection::vec(proptest::collection::vec("[ -~é中]{0,30}", 6), 1..5),
            columns in 2_usize..6,
            room in 5_usize..120,
        ) {
            let table = table(&rows, columns);
            let shown = table.fit(room);
            let widest = table.laid_out(&shown).iter().flatten().map(|line| line.width()).max().unwrap_or(0);
            prop_assert!(widest <= room || shown.len() == 2, "{widest} of {room}");
            let missing = columns - shown.len();
            prop_assert_eq!(table.not_shown(&shown).is_some(), missing > 0);
        }
    }
}
