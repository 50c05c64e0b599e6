//! Totals: as a table, across, and as JSON.

use std::io;

use interligo_core::decimal::Decimal;
use interligo_core::totals::{MeasureKind, TotalsTable};
use interligo_core::value::Value;
use serde_json::{Map, json};

use super::number::{grouped, rounded};
use super::table::TextTable;
use super::{NOTICE, Out, QUIET, counted};

/// A measure as it is read: amounts with two places at most, ratios with four.
fn measure(table: &TotalsTable, number: usize, value: Option<Decimal>) -> String {
    measure_of(value, table.kinds[number])
}

/// A measure as it is shown.
pub(super) fn measure_of(value: Option<Decimal>, kind: MeasureKind) -> String {
    match (value, kind) {
        (None, _) => "·".to_owned(),
        (Some(value), MeasureKind::Lines) => grouped(&value.to_string()),
        (Some(value), MeasureKind::Amount(places)) => rounded(value, places.min(2)),
        (Some(value), MeasureKind::Ratio) => rounded(value, 4),
    }
}

fn attribute(value: &Value<'_>) -> String {
    if value.is_blank() { "(none)".to_owned() } else { value.to_string() }
}

/// Prints totals as a table, the whole below, and what is to be said about them.
pub(crate) fn totals(
    out: Out<'_>,
    table: &TotalsTable,
    aside: u64,
    currency: Option<&str>,
) -> io::Result<()> {
    let measures = table.measures.iter().map(|heading| format!(">{heading}"));
    let mut shown = TextTable::new(table.by.iter().cloned().chain(measures));
    let cells = |values: &[Option<Decimal>]| -> Vec<String> {
        values.iter().enumerate().map(|(number, value)| measure(table, number, *value)).collect()
    };
    if !table.by.is_empty() {
        for row in &table.rows {
            shown.row(row.key.iter().map(attribute).chain(cells(&row.values)));
        }
    }
    let mut label = vec![String::new(); table.by.len()];
    if let Some(first) = label.first_mut() {
        *first = "all".to_owned();
    }
    let whole = label.into_iter().chain(cells(&table.whole.values));
    if shown.is_empty() {
        shown.row(whole)
    } else {
        shown.sum(whole)
    }
    shown.print(out, "")?;
    for note in left_out(table, aside) {
        writeln!(out, "{NOTICE}{note}{NOTICE:#}")?;
    }
    let rounds = |value: &Option<Decimal>| value.is_some_and(|v| v.trimmed(0).places() > 2);
    if table.rows.iter().any(|row| row.values.iter().any(rounds)) {
        writeln!(out, "{QUIET}Shown rounded; --format csv has every digit.{QUIET:#}")?;
    }
    if let Some(currency) = currency {
        writeln!(out, "{QUIET}Money is in {currency}.{QUIET:#}")?;
    }
    Ok(())
}

/// Prints one measure of totals by two attributes: the second down, the first across.
pub(crate) fn cross(out: Out<'_>, table: &TotalsTable, number: usize) -> io::Result<()> {
    let mut across: Vec<&Value<'_>> = table.rows.iter().map(|row| &row.key[0]).collect();
    across.dedup();
    let mut down: Vec<&Value<'_>> = table.rows.iter().map(|row| &row.key[1]).collect();
    down.sort();
    down.dedup();
    let headings = across.iter().map(|value| format!(">{}", attribute(value)));
    let mut shown = TextTable::new([table.by[1].clone()].into_iter().chain(headings));
    for value in down {
        let cell = |column: &&Value<'_>| {
            let row = table.rows.iter().find(|row| row.key[0] == **column && row.key[1] == *value);
            measure(table, number, row.and_then(|row| row.values[number]))
        };
        shown.row([attribute(value)].into_iter().chain(across.iter().map(cell)));
    }
    shown.print(out, "  ")
}

/// The lines that a table does not show, in words.
fn left_out(table: &TotalsTable, aside: u64) -> Vec<String> {
    let mut notes = Vec::new();
    // Measures that leave out the same number of lines share a note.
    let mut told: Vec<u64> = Vec::new();
    for count in table.left_out.iter().filter(|count| **count > 0) {
        if told.contains(count) {
            continue;
        }
        told.push(*count);
        let same = table.left_out.iter().zip(&table.measures).filter(|(other, _)| *other == count);
        let names: Vec<&str> = same.map(|(_, name)| name.as_str()).collect();
        notes.push(format!(
            "{}: {} of {} have no value and are left out; `interligo check` says why.",
            names.join(", "),
            grouped(&count.to_string()),
            counted(table.lines, "line"),
        ));
    }
    if table.filtered > 0 {
        let all = table.lines + table.filtered;
        notes.push(format!(
            "{} of {} meet the condition.",
            grouped(&table.lines.to_string()),
            counted(all, "line")
        ));
    }
    if aside > 0 {
        notes.push(format!("{} set aside and not counted here.", counted(aside, "line")));
    }
    notes
}

/// Says on standard error what a table that goes to another program does not show.
pub(crate) fn left_out_to_stderr(table: &TotalsTable, aside: u64) {
    for note in left_out(table, aside) {
        anstream::eprintln!("{NOTICE}{note}{NOTICE:#}");
    }
}

/// Prints totals as JSON; numbers are texts, so that no reader rounds them.
pub(crate) fn totals_json(out: Out<'_>, table: &TotalsTable) -> io::Result<()> {
    let measures = |values: &[Option<Decimal>]| -> Vec<(String, serde_json::Value)> {
        let named = table.measures.iter().cloned().zip(values);
        named.map(|(name, value)| (name, json!(value.map(|v| v.to_string())))).collect()
    };
    let rows: Vec<Map<String, serde_json::Value>> = table
        .rows
        .iter()
        .map(|row| {
            let text = |value: &Value<'_>| (!value.is_blank()).then(|| value.to_string());
            let key = table.by.iter().cloned().zip(row.key.iter().map(|value| json!(text(value))));
            key.chain(measures(&row.values)).collect()
        })
        .collect();
    let left_out: Map<String, serde_json::Value> =
        table.measures.iter().cloned().zip(table.left_out.iter().map(|n| json!(n))).collect();
    let whole: Map<String, serde_json::Value> = measures(&table.whole.values).into_iter().collect();
    let all = json!({
        "rows": rows, "all": whole, "lines": table.lines,
        "lines_not_meeting_the_condition": table.filtered, "lines_without_a_value": left_out,
    });
    writeln!(out, "{all:#}")
}
