//! A table of totals of the plan: a picture that its attributes call for, its remarks, and all its rows.

use interligo_engine::totals::{
    MeasureKind, TotalsMeasure, TotalsRow, TotalsTable, attribute_text,
};
use interligo_model::values::date::Period;
use interligo_model::values::decimal::Decimal;
use interligo_model::values::value::Value;
use interligo_project::{PageResults, PageTotals};
use maud::{Markup, html};

use super::bars::bars;
use super::cell::{Cell, days_of};
use super::heat::Heat;
use super::time_chart::{TimeChart, TimeColumn};
use crate::text::counted;
use crate::text::totals::{TotalsNotes, label_column_names, labels, left_out, short_column_name};
use crate::visible::seen;

/// The section of a table; `number` is that among the tables of the page.
pub(super) fn totals_section(
    page: &PageResults<'_>,
    totals: &PageTotals<'_>,
    number: usize,
    aside: u64,
) -> Markup {
    let table = totals.table;
    let notes = left_out(table, TotalsNotes { aside, unmet: None });
    html! {
        (picture(page, totals, number))
        (totals_table(totals.table, number, totals.name))
        @for note in partly_known(table).into_iter().chain(notes) {
            p.quiet { (seen(&note)) }
        }
    }
}

/// The picture that the attributes of a table call for.
fn picture(page: &PageResults<'_>, totals: &PageTotals<'_>, number: usize) -> Markup {
    let table = totals.table;
    let Some(drawn) = drawn(page, totals) else { return html! {} };
    if let Some(heat) = Heat::of(table, drawn) {
        return heat.markup(number);
    }
    match (table.by.as_slice(), table.across.as_slice(), table.levels.as_slice()) {
        ([_], [], [1]) => match time_chart(totals, drawn) {
            Some(chart) => chart.markup(),
            None => bars(table, drawn, number),
        },
        _ => html! {},
    }
}

/// The measure that is drawn: the difference where two are set against each other, else the first figure that is an amount,
/// else the first amount, else the first.
fn drawn(page: &PageResults<'_>, totals: &PageTotals<'_>) -> Option<usize> {
    let table = totals.table;
    let is_over_time = table.by.len() == 1 && table.rows.iter().all(|row| period_of(row).is_some());
    if totals.is_versus && !is_over_time && table.measures.len() > 2 {
        return Some(2);
    }
    let is_figure = |measure: &TotalsMeasure| page.plan.figures.get(&measure.name).is_some();
    let amount = |wanted: &dyn Fn(&TotalsMeasure) -> bool| {
        table.measures.iter().position(|measure| measure.kind.is_amount() && wanted(measure))
    };
    amount(&is_figure)
        .or_else(|| amount(&|_| true))
        .or_else(|| (!table.measures.is_empty()).then_some(0))
}

fn period_of(row: &TotalsRow) -> Option<Period> {
    match row.attribute(0) {
        Some(Value::Period(period)) => Some(*period),
        _ => None,
    }
}

/// A table whose rows are periods, as a picture; those without a period are in the table alone.
fn time_chart(totals: &PageTotals<'_>, drawn: usize) -> Option<TimeChart> {
    let table = totals.table;
    let mut columns: Vec<TimeColumn> = Vec::new();
    let mark = totals.is_versus.then_some(1);
    for row in table.rows.iter().filter(|row| !row.key[0].is_blank()) {
        columns.push(TimeColumn {
            period: period_of(row)?,
            value: row.values[drawn].number(),
            mark: mark.and_then(|mark| row.values[mark].number()),
            line: None,
        });
    }
    columns.sort_by_key(|column| column.period);
    let name = |measure: usize| seen(&table.measures[measure].column_name).into_owned();
    (!columns.is_empty()).then(|| TimeChart {
        measure: (name(drawn), table.measures[drawn].kind),
        mark: mark.map(name),
        line: None,
        columns,
    })
}

/// Notes on rows whose amounts are known on different lines.
fn partly_known(table: &TotalsTable) -> Vec<String> {
    let row = |row: &TotalsRow| {
        let known = row.partly_known.as_ref()?;
        let label = row.attributes().map(attribute_text).collect::<Vec<_>>().join(", ");
        Some(format!("{label} *: {known}"))
    };
    let mut notes: Vec<String> = table.rows.iter().filter_map(row).take(PARTLY_KNOWN + 1).collect();
    if notes.len() > PARTLY_KNOWN {
        notes[PARTLY_KNOWN] = "More rows are marked with * likewise.".to_owned();
    }
    notes
}

/// How many rows are explained that have amounts on different lines.
const PARTLY_KNOWN: usize = 5;

/// All rows of a table.
fn totals_table(table: &TotalsTable, number: usize, name: &str) -> Markup {
    let label_names = label_column_names(table);
    let adding_up = table.adding_up();
    let groups = table.finest_rows().count() as u64;
    html! {
        div.scroll tabindex="0" role="region" aria-label={ "Table " (seen(name)) } {
            table.totals data-table=(number) {
                caption {
                    (seen(name)) ": " (counted(groups, "row")) ", " (counted(table.lines, "line"))
                }
                thead { tr {
                    @for (at, label) in label_names.iter().enumerate() {
                        th scope="col" data-attributes=(attributes_of(table, at)) { (seen(label)) }
                    }
                    @for number in 0..table.columns.len() { (head(table, number, &adding_up)) }
                } }
                @if !table.by.is_empty() {
                    tbody { @for row in &table.rows { (totals_row(table, row)) } }
                }
                tfoot { tr {
                    @if !label_names.is_empty() {
                        th scope="row" colspan=(label_names.len()) { "all" }
                    }
                    @for cell in cells(table, &table.whole) { (cell.markup()) }
                } }
            }
        }
    }
}

/// The attributes that a column of labels has, in a JSON list: one for each level.
fn attributes_of(table: &TotalsTable, column: usize) -> String {
    let own: Vec<&str> = match table.levels.as_slice() {
        [] | [_] => vec![&table.attributes[column]],
        levels => {
            let firsts = levels.iter().scan(0, |at, level| {
                let first = *at;
                *at += level;
                Some(first)
            });
            firsts.map(|first| table.attributes[first].as_str()).collect()
        }
    };
    serde_json::to_string(&own).unwrap_or_default()
}

/// The head of a column of values; it says what sums of its rows would be.
fn head(table: &TotalsTable, number: usize, adding_up: &[usize]) -> Markup {
    let column = &table.columns[number];
    let places = match table.measures[column.measure].kind {
        MeasureKind::Count => Some(0),
        MeasureKind::Amount(places) => Some(places.min(2)),
        MeasureKind::Money(places) | MeasureKind::Number(places) => Some(places),
        _ => None,
    };
    let places = places.filter(|_| adding_up.contains(&column.measure));
    let days = column.key.as_ref().and_then(|key| key.iter().find_map(days_of));
    html! {
        th.n scope="col" data-places=[places] data-days=[days] { (seen(&short_column_name(table, number))) }
    }
}

/// The labels of a row, without the blanks that set levels apart.
pub(super) fn row_labels(table: &TotalsTable, row: &TotalsRow) -> Vec<String> {
    labels(table, row).iter().map(|label| seen(label.trim_start()).into_owned()).collect()
}

/// The values of a row.
pub(super) fn cells<'r>(
    table: &'r TotalsTable,
    row: &'r TotalsRow,
) -> impl Iterator<Item = Cell> + 'r {
    let kind = |number: usize| table.measures[table.columns[number].measure].kind;
    row.values.iter().enumerate().map(move |(number, value)| Cell::of(value, kind(number)))
}

fn totals_row(table: &TotalsTable, row: &TotalsRow) -> Markup {
    let level = (row.level > 0).then_some(row.level);
    let mark = row.partly_known.as_ref().map(|_| " *");
    let has_levels = table.levels.len() > 1;
    // In a column of levels the value is that of the row's own level.
    let own =
        |at: usize| row.attribute(if has_levels { row.key.len().saturating_sub(1) } else { at });
    html! {
        tr data-level=[level] class=[row.rest.map(|_| "rest")] {
            @for (at, label) in row_labels(table, row).iter().enumerate() {
                @let days = own(at).and_then(days_of);
                @if at == 0 {
                    th scope="row" dir="auto" data-days=[days] { (label) (mark.unwrap_or_default()) }
                } @else {
                    td dir="auto" data-days=[days] { (label) }
                }
            }
            @for cell in cells(table, row) { (cell.markup()) }
        }
    }
}

/// A number that is drawn, of a row that is one group.
pub(super) fn drawn_of(row: &TotalsRow, column: usize) -> Option<Decimal> {
    row.values[column].number().filter(|_| row.rest.is_none())
}
