//! Tables of totals as rows of values, one per group, with every figure in full.

use interligo_engine::totals::{MeasureKind, TotalsColumn, TotalsRow, TotalsTable};
use interligo_model::values::decimal::Decimal;
use interligo_model::values::value::Value;

use crate::format::GroupsShape;
use crate::formats::text::{csv_row, write_row};

/// The names of the columns, and how they are shown. Where there are subtotals, the first column has the level of a row, so that no sum takes a
/// line in twice.
pub fn totals_columns(table: &TotalsTable) -> Vec<(String, MeasureKind)> {
    let kind = |column: &TotalsColumn| table.measures[column.measure].kind;
    let values = table.columns.iter().map(|c| (table.column_name_of(c), kind(c)));
    let level = is_leveled(table).then(|| "level".to_owned());
    let named = level.into_iter().chain(table.by.iter().cloned());
    named.map(|name| (name, MeasureKind::Other)).chain(values).collect()
}

/// How the rows of a table belong together. What is drawn is the first amount; where attributes are across, its total over
/// all of them. A table by several attributes has no one label for a bar.
pub fn groups_shape(table: &TotalsTable) -> GroupsShape {
    let over_all = |column: &&(usize, &TotalsColumn)| {
        let is_amount = table.measures[column.1.measure].kind.is_amount();
        is_amount && (table.across.is_empty() || column.1.key.is_none())
    };
    let drawn = table.columns.iter().enumerate().find(|column| over_all(&column));
    GroupsShape {
        levels: table.levels.len(),
        has_rest: table.rows.last().is_some_and(|row| row.rest.is_some()),
        drawn: drawn.filter(|_| table.by.len() == 1).map(|(at, _)| table.by.len() + at),
    }
}

/// The rows of a table; the whole, where it is by nothing.
pub fn totals_rows(table: &TotalsTable) -> impl Iterator<Item = Vec<Value<'_>>> + Clone {
    let whole = table.by.is_empty().then_some(&table.whole);
    table.rows.iter().chain(whole).map(|row| {
        let mut values = Vec::with_capacity(1 + table.by.len() + row.values.len());
        if is_leveled(table) {
            values.push(Value::Number(Decimal::from(row.level as i64 + 1)));
        }
        values.extend(row.attributes().map(Value::borrowed));
        values.extend(rest_label(row).map(|label| Value::Text(label.into())));
        values.resize(usize::from(is_leveled(table)) + table.by.len(), Value::Blank);
        values.extend(row.values.iter().map(Value::borrowed));
        values
    })
}

fn is_leveled(table: &TotalsTable) -> bool {
    table.levels.len() > 1
}

/// What is in the place of the first attribute of a row that has the rest of a level.
fn rest_label(row: &TotalsRow) -> Option<String> {
    row.rest.map(|rest| format!("(the other {rest})"))
}

/// The attributes of a row as texts, blank below its level; the rest is named in the place of its first attribute.
pub fn row_labels(
    table: &TotalsTable,
    row: &TotalsRow,
    text: impl Fn(&Value<'static>) -> String,
) -> Vec<String> {
    let mut labels: Vec<String> = row.attributes().map(text).collect();
    labels.extend(rest_label(row));
    labels.resize(table.by.len(), String::new());
    labels
}

/// A table of totals as comma-separated text, piece by piece.
pub fn totals_csv(table: &TotalsTable) -> impl Iterator<Item = Vec<u8>> {
    let columns = totals_columns(table);
    let head = csv_row(columns.iter().map(|(name, _)| name.as_str()));
    let mut rows = totals_rows(table);
    let pieces = std::iter::from_fn(move || {
        let mut piece = Vec::new();
        rows.by_ref().take(ROWS_IN_A_PIECE).for_each(|row| write_row(&mut piece, &row));
        (!piece.is_empty()).then_some(piece)
    });
    std::iter::once(head).chain(pieces)
}

const ROWS_IN_A_PIECE: usize = 10_000;
