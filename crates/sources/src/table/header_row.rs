//! Where the column names of a table are: in its first row, or below titles.

use std::ops::Range;
use std::sync::Arc;

use crate::error::{Error, InputKind};
use crate::text::{first_row, unquoted};

/// How many rows are looked at for the column names.
pub const ROWS: usize = 60;

/// The column names of a file, in its first bytes.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Header {
    /// How many rows are above.
    pub above: u64,
    /// How many rows to skip to get below.
    pub skip: u64,
    /// The row of the column names; the first row where there are none.
    pub row: Range<usize>,
    /// Where the rows below begin.
    pub rest: usize,
}

/// A row of the head.
struct Row<'h> {
    /// Its bytes, with the line end.
    bytes: Range<usize>,
    cells: Vec<&'h [u8]>,
    /// The line of the file in which it begins, counted from 1.
    line: u64,
}

/// The fields of a row.
pub fn fields(row: &[u8], separator: u8) -> Vec<Range<usize>> {
    first_row(row, separator).0
}

/// Finds the column names; `given` is the row that the plan names, 0 where there are none.
///
/// The column names are the first row that fills more than half of the columns which the rows below fill.
/// Above it there may be titles, which fill less; should there be any, the column names hold no numbers but
/// years.
///
/// # Errors
/// The plan names a row that the file has not.
pub fn find(
    head: &[u8],
    separator: u8,
    given: Option<u32>,
    shown: &Arc<str>,
) -> Result<Header, Error> {
    let rows = rows(head, separator, given.map_or(ROWS, |row| ROWS.max(row as usize + 1)));
    let at = match given {
        Some(0) => {
            return Ok(Header { above: 0, skip: 0, row: rows[0].bytes.clone(), rest: 0 });
        }
        Some(line) => rows.iter().position(|row| row.line == u64::from(line)).ok_or_else(|| {
            Error::input(InputKind::Header, shown, format!("has no row that begins in line {line}"))
                .help("`header-row` counts the lines of the file from 1")
        })?,
        None => found(&rows.iter().map(|row| row.cells.clone()).collect::<Vec<_>>()),
    };
    let row = &rows[at];
    Ok(Header {
        above: at as u64,
        skip: at as u64 + 1,
        row: row.bytes.clone(),
        rest: row.bytes.end,
    })
}

/// The number of the row with the column names among some rows of cells; the first where none looks like it.
pub fn found(rows: &[Vec<&[u8]>]) -> usize {
    let filled = |row: &Vec<&[u8]>| row.iter().filter(|cell| says(cell)).count();
    let Some(first) = rows.iter().position(|row| filled(row) > 0) else { return 0 };
    let heads = |at: usize| {
        let row = &rows[at];
        let below = &rows[at + 1..];
        let used = |column: &usize| below.iter().any(|r| r.get(*column).is_some_and(|c| says(c)));
        let widest = below.iter().map(Vec::len).max().unwrap_or(0);
        let used = (0..widest).filter(used).count();
        filled(row) * 2 > used
    };
    if heads(first) {
        return first;
    }
    let below = first + 1..rows.len();
    below.into_iter().find(|at| heads(*at) && !holds_numbers(&rows[*at])).unwrap_or(first)
}

fn says(cell: &[u8]) -> bool {
    !cell.iter().all(|b| matches!(b, b' ' | b'\t' | b'\r' | b'"'))
}

/// Whether a cell is a number or a day, and no year.
fn holds_numbers(row: &[&[u8]]) -> bool {
    row.iter().any(|cell| {
        let text = String::from_utf8_lossy(cell);
        let text = unquoted(&text);
        let text = text.trim();
        let year = text.len() == 4 && matches!(text.parse(), Ok(1900..=2100));
        let signs = |b: u8| b.is_ascii_digit() || b" .,-/:'%".contains(&b);
        !year && text.bytes().all(signs) && text.bytes().any(|b| b.is_ascii_digit())
    })
}

fn rows(head: &[u8], separator: u8, most: usize) -> Vec<Row<'_>> {
    let (mut rows, mut start, mut line) = (Vec::new(), 0, 1);
    while start < head.len() && rows.len() < most {
        let (fields, length) = first_row(&head[start..], separator);
        let bytes = start..start + length;
        let cells = fields.into_iter().map(|field| &head[start + field.start..start + field.end]);
        rows.push(Row { cells: cells.collect(), bytes: bytes.clone(), line });
        line += memchr::memchr_iter(b'\n', &head[bytes.clone()]).count() as u64;
        start = bytes.end;
    }
    rows
}

#[cfg(test)]
mod tests {
    use super::*;

    fn above(head: &str) -> u64 {
        find(head.as_bytes(), b';', None, &"t.csv".into()).unwrap().above
    }

    #[test]
    fn titles_are_above_the_header_row() {
        for (head, rows) in [
            ("a;b;c\n1;2;3\n", 0),
            ("Mielo Cooperative\n\na;b;c\n1;2;3\n", 2),
            ("Sales 2025;;\n;;\na;b;c\n1;2;3\n", 2),
            ("\n\na;b;c\n1;2;3\n", 2),
            ("Depot:;Corvo;;\nsku;2024;2025;name\nA;1,5;2;x\n", 1),
            // A column name without a name, and one below which nothing stands.
            ("a;;c\n1;2;3\n", 0),
            ("a;b;c\n1;;\n", 0),
            // Nothing but titles and numbers: the first row it is.
            ("Sales;;\n1;2;3\n4;5;6\n", 0),
            ("only\n1\n2\n", 0),
            ("a;b\n", 0),
        ] {
            assert_eq!(above(head), rows, "{head}");
        }
    }

    #[test]
    fn the_plan_names_a_line() {
        let head = b"\"a title\nin two lines\";\nx;y\n1;2\n";
        let find = |line| find(head, b';', Some(line), &"t.csv".into());
        assert_eq!(find(3).unwrap(), Header { above: 1, skip: 2, row: 24..28, rest: 28 });
        assert_eq!(find(0).unwrap().skip, 0);
        assert!(find(2).is_err() && find(9).is_err());
    }
}
