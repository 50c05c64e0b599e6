//! Totals as JSON.

use std::io;

use interligo_engine::totals::{TotalsRow, TotalsTable};
use interligo_model::values::value::Value;
use serde::Serialize;

use super::{Members, print};
use crate::output::Out;

/// A table of totals.
#[derive(Serialize)]
struct TotalsShown {
    rows: Vec<TotalsRowShown>,
    /// The measures of the whole.
    all: Members<Option<String>>,
    lines: u64,
    lines_not_meeting_the_condition: u64,
    /// By measure.
    lines_without_a_value: Members<u64>,
}

#[derive(Serialize)]
struct TotalsRowShown {
    /// Where there are subtotals: 1 is the outermost.
    #[serde(skip_serializing_if = "Option::is_none")]
    level: Option<usize>,
    /// Of a row that has the rest of its level.
    #[serde(skip_serializing_if = "Option::is_none")]
    groups_in_this_row: Option<u64>,
    /// The attributes, then the measures.
    #[serde(flatten)]
    values: Members<Option<String>>,
}

fn text(value: &Value<'_>) -> Option<String> {
    (!value.is_blank()).then(|| value.to_string())
}

/// Prints totals as JSON.
pub fn totals_json(out: Out<'_>, table: &TotalsTable) -> io::Result<()> {
    let measures = |row: &TotalsRow| -> Vec<(String, Option<String>)> {
        let column_names = table.columns.iter().map(|column| table.column_name_of(column));
        column_names.zip(row.values.iter().map(text)).collect()
    };
    let row = |row: &TotalsRow| {
        let attributes = table.by.iter().cloned().zip(row.attributes().map(text));
        TotalsRowShown {
            level: (table.levels.len() > 1).then_some(row.level + 1),
            groups_in_this_row: row.rest,
            values: attributes.chain(measures(row)).collect(),
        }
    };
    let left_out = table.measures.iter().map(|m| (m.column_name.clone(), m.left_out));
    let shown = TotalsShown {
        rows: table.rows.iter().map(row).collect(),
        all: measures(&table.whole).into_iter().collect(),
        lines: table.lines,
        lines_not_meeting_the_condition: table.filtered,
        lines_without_a_value: left_out.collect(),
    };
    print(out, &shown)
}
