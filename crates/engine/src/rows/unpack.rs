//! Cells that hold several values, in step: `BO-110|FR-117` beside `2|5` becomes two rows.

use arrow_array::StringViewArray;
use interligo_model::values::column::is_blank_text;
use interligo_model::values::texts::TextBuilder;

use super::rows_of;

/// How the cells of a part are unpacked. Columns are those of the part, by position.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Unpacking {
    /// The columns whose cells hold several values.
    pub(super) columns: Vec<usize>,
    /// What stands between two values.
    pub(super) separator: String,
    /// A column that counts the values of a cell.
    pub(super) position: Option<usize>,
    /// Columns that stay on the first row.
    pub(super) once: Vec<usize>,
}

/// What unpacking does to a column.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum UnpackedColumn {
    /// It holds the values, by number.
    Values(usize),
    /// It counts them.
    Position,
    /// It stays on the first row.
    Once,
}

/// The rows that were made.
pub(super) struct Unpacked {
    /// Of each, the row it was made of.
    pub(super) origin: Vec<u32>,
    /// Of each, which value of the cells it holds, from 1.
    pub(super) position: Vec<u32>,
    /// The columns with the values, trimmed.
    pub(super) columns: Vec<StringViewArray>,
    /// Rows whose cells hold different numbers of values.
    pub(super) uneven: Vec<u32>,
}

impl Unpacking {
    /// What becomes of a column; `None` when its value is repeated on every row.
    pub(super) fn part_of(&self, column: usize) -> Option<UnpackedColumn> {
        if let Some(number) = self.columns.iter().position(|own| *own == column) {
            return Some(UnpackedColumn::Values(number));
        }
        if self.position == Some(column) {
            return Some(UnpackedColumn::Position);
        }
        self.once.contains(&column).then_some(UnpackedColumn::Once)
    }

    /// Unpacks the rows of a part. A cell without the separator is a list of one; a separator at the end
    /// of all cells of a row ends nothing. A row whose cells do not go in step makes none.
    pub(super) fn unpack(&self, columns: &[StringViewArray]) -> Unpacked {
        let cells: Vec<&StringViewArray> = self.columns.iter().map(|c| &columns[*c]).collect();
        let mut builders: Vec<TextBuilder> = cells.iter().map(|_| TextBuilder::default()).collect();
        let origins: Vec<_> =
            builders.iter_mut().zip(&cells).map(|(builder, cells)| builder.origin(cells)).collect();
        let mut unpacked = Unpacked {
            origin: Vec::new(),
            position: Vec::new(),
            columns: Vec::new(),
            uneven: Vec::new(),
        };
        let mut pieces: Vec<Vec<(usize, usize)>> = vec![Vec::new(); cells.len()];
        for row in 0..rows_of(columns) {
            for (pieces, cells) in pieces.iter_mut().zip(&cells) {
                split(cells.value(row), &self.separator, pieces);
            }
            let mut count = pieces[0].len();
            if pieces.iter().any(|pieces| pieces.len() != count) {
                unpacked.uneven.push(row as u32);
                continue;
            }
            let is_blank = |at: usize| pieces.iter().all(|pieces| pieces[at].0 == pieces[at].1);
            if count > 1 && is_blank(count - 1) {
                count -= 1;
            }
            for at in 0..count {
                unpacked.origin.push(row as u32);
                unpacked.position.push(at as u32 + 1);
                for ((builder, origin), pieces) in builders.iter_mut().zip(&origins).zip(&pieces) {
                    let (start, end) = pieces[at];
                    builder.take_part(origin, row, start..end);
                }
            }
        }
        unpacked.columns = builders.into_iter().map(TextBuilder::finish).collect();
        unpacked
    }
}

/// Where the trimmed values of a cell start and end.
fn split(cell: &str, separator: &str, pieces: &mut Vec<(usize, usize)>) {
    pieces.clear();
    let mut start = 0;
    for piece in cell.split(separator) {
        let before = piece.len() - piece.trim_start().len();
        let length = piece.trim().len();
        pieces.push(if is_blank_text(piece) {
            (start, start)
        } else {
            (start + before, start + before + length)
        });
        start += piece.len() + separator.len();
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn unpack(separator: &str, columns: &[&[&str]]) -> (Vec<Vec<String>>, Vec<u32>) {
        let columns: Vec<StringViewArray> =
            columns.iter().map(|c| StringViewArray::from(c.to_vec())).collect();
        let unpacking = Unpacking {
            columns: (0..columns.len()).collect(),
            separator: separator.to_owned(),
            position: None,
            once: Vec::new(),
        };
        let found = unpacking.unpack(&columns);
        let row = |row: usize| {
            let cells = found.columns.iter().map(|c| c.value(row).to_owned());
            let numbers = [found.origin[row].to_string(), found.position[row].to_string()];
            numbers.into_iter().chain(cells).collect()
        };
        ((0..found.origin.len()).map(row).collect(), found.uneven)
    }

    #[test]
    fn values_go_in_step() {
        let (rows, uneven) = unpack(
            "|",
            &[
                &["BO-110 | FR-117", "XT-110", "a|b", "", "a|b|", "a||c", "a|b"],
                &["2|5", "1", "1|2|3", "", "1|2|", "1|2|3", "1"],
            ],
        );
        let expected = [
            ["0", "1", "BO-110", "2"],
            ["0", "2", "FR-117", "5"],
            ["1", "1", "XT-110", "1"],
            ["3", "1", "", ""],
            ["4", "1", "a", "1"],
            ["4", "2", "b", "2"],
            ["5", "1", "a", "1"],
            ["5", "2", "", "2"],
            ["5", "3", "c", "3"],
        ];
        assert_eq!(rows, expected);
        assert_eq!(uneven, [2, 6]);
    }

    proptest! {
        #[test]
        fn prop_joined_lists_come_apart_again(
            lists in prop::collection::vec(prop::collection::vec(("[a-cé]{1,20}", 0u32..99), 1..5), 0..12),
        ) {
            let join = |texts: Vec<String>| texts.join(" ;; ");
            let codes: Vec<String> = lists.iter().map(|l| join(l.iter().map(|(c, _)| c.clone()).collect())).collect();
            let counts: Vec<String> = lists.iter().map(|l| join(l.iter().map(|(_, n)| n.to_string()).collect())).collect();
            let (rows, uneven) = unpack(
                ";;",
                &[
                    &codes.iter().map(String::as_str).collect::<Vec<_>>(),
                    &counts.iter().map(String::as_str).collect::<Vec<_>>(),
                ],
            );
            let expected: Vec<Vec<String>> = lists
                .iter()
                .enumerate()
                .flat_map(|(row, list)| list.iter().enumerate().map(move |(at, (code, count))| {
                    vec![row.to_string(), (at + 1).to_string(), code.clone(), count.to_string()]
                }))
                .collect();
            prop_assert_eq!(rows, expected);
            prop_assert!(uneven.is_empty());
        }
    }
}
