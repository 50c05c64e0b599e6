//! Columns of lookups, brought to lines by their row numbers.

use arrow_array::{Array, StringViewArray};
use interligo_model::values::column::{
    Column, DateColumn, NumberColumn, Numbers, is_known, known_where,
};
use interligo_model::values::decimal::Decimal;
use interligo_model::values::texts::with_views;

use crate::proof::link_status::is_row;

/// The column of a lookup, brought to the lines by their row numbers.
/// `complete` says that every line has a row.
pub(crate) fn gather(held: &Column, rows: &[u32], complete: bool) -> Column {
    let known = |own: Option<&arrow_buffer::NullBuffer>| {
        if complete && own.is_none() {
            return None;
        }
        known_where(rows.len(), |line| is_row(rows[line]) && is_known(own, rows[line] as usize))
    };
    // Row numbers that are none lie far beyond every column.
    let at = |row: &u32| *row as usize;
    match held {
        Column::Number(column) => Column::Number(match &column.numbers {
            Numbers::Fixed { mantissas, places } => NumberColumn {
                numbers: Numbers::Fixed {
                    mantissas: rows
                        .iter()
                        .map(|r| mantissas.get(at(r)).copied().unwrap_or(0))
                        .collect(),
                    places: *places,
                },
                known: known(column.known.as_ref()),
            },
            Numbers::Wide(numbers) => NumberColumn {
                numbers: Numbers::Wide(
                    rows.iter()
                        .map(|r| numbers.get(at(r)).copied().unwrap_or(Decimal::ZERO))
                        .collect(),
                ),
                known: known(column.known.as_ref()),
            },
        }),
        Column::Date(column) => {
            Column::Date(gather_days(column, rows, known(column.known.as_ref())))
        }
        Column::Period(unit, column) => {
            Column::Period(*unit, gather_days(column, rows, known(column.known.as_ref())))
        }
        Column::YesNo(values) => {
            Column::YesNo(rows.iter().map(|r| values.get(at(r)).copied().flatten()).collect())
        }
        Column::Text(texts) => {
            let brought = brought_texts(texts, rows);
            let Some(own) = texts.nulls() else { return Column::Text(brought) };
            // Texts that a formula made are known or not, whatever they say.
            let is_there = |row: &u32| is_row(*row) && own.is_valid(at(row));
            let known: Vec<bool> = rows.iter().map(is_there).collect();
            let (views, buffers, _) = brought.into_parts();
            Column::Text(
                StringViewArray::try_new(views, buffers, Some(known.into()))
                    .expect("the views are those of an array, one for each row"),
            )
        }
    }
}

fn gather_days(
    column: &DateColumn,
    rows: &[u32],
    known: Option<arrow_buffer::NullBuffer>,
) -> DateColumn {
    let days = rows.iter().map(|r| column.days.get(*r as usize).copied().unwrap_or(0)).collect();
    DateColumn { days, known }
}

/// Days, brought to lines by row numbers; unknown where there is no row.
pub(crate) fn brought_days(column: &DateColumn, rows: &[u32]) -> DateColumn {
    let is_there =
        |line: usize| is_row(rows[line]) && is_known(column.known.as_ref(), rows[line] as usize);
    gather_days(column, rows, known_where(rows.len(), is_there))
}

/// Texts, brought to lines by row numbers; blank where there is no row.
pub(crate) fn brought_texts(texts: &StringViewArray, rows: &[u32]) -> StringViewArray {
    let views = texts.views();
    let view = |row: &u32| views.get(*row as usize).copied().unwrap_or(0);
    with_views(texts, rows.iter().map(view).collect())
}
