//! What the script of a page knows beside what can be read: figures and tables by period, as JSON.
//!
//! Without it the page has the last year and all dates, which are in its markup.

use std::collections::BTreeMap;

use interligo_engine::totals::TotalsTable;
use interligo_model::values::date::Period;
use interligo_model::values::value::Value;
use interligo_project::{FactInTime, PageResults};
use serde::Serialize;

use super::cell::period_days;
use super::figures::{cards, headline};
use super::totals::{cells, row_labels};

/// More rows than this by period are left out: the page would become too heavy to send.
const MOST_ROWS: usize = 10_000;

/// What the script is given.
#[derive(Serialize)]
struct PageData {
    /// The periods that can be picked, years first, each with its days.
    periods: Vec<(String, String)>,
    /// Of each fact, by period.
    facts: Vec<BTreeMap<String, FiguresData>>,
    /// Of each table, by period; empty where it is of all dates only.
    tables: Vec<BTreeMap<String, TableData>>,
}

#[derive(Serialize)]
struct FiguresData {
    headline: String,
    /// Values with their changes.
    cards: Vec<(String, String)>,
}

/// The rows of a table in a period.
#[derive(Default, Serialize)]
struct TableData {
    whole: Vec<String>,
    rows: Vec<RowData>,
}

/// The level of a row, whether it brings others together, its labels and its values, see `Cell::joined`.
type RowData = (usize, bool, Vec<String>, Vec<String>);

/// The data of a page, safe within a script element.
pub(super) fn page_data(page: &PageResults<'_>) -> String {
    let data = PageData {
        periods: page.facts.first().map_or_else(Vec::new, periods),
        facts: page.facts.iter().map(by_period).collect(),
        tables: page
            .totals
            .iter()
            .map(|totals| {
                let mut tables = BTreeMap::new();
                for table in [totals.by_year, totals.by_month].into_iter().flatten() {
                    divided(table, totals.table, &mut tables);
                }
                tables
            })
            .collect(),
    };
    // In JSON every sign may be written by its number; so no text can end the element or begin another.
    let text = serde_json::to_string(&data).unwrap_or_default();
    text.replace('<', "\\u003c").replace('>', "\\u003e").replace('&', "\\u0026")
}

fn periods(fact: &FactInTime<'_>) -> Vec<(String, String)> {
    let all = fact.years.iter().chain(&fact.months);
    all.filter_map(|own| Some((own.period.to_string(), period_days(own.period)?))).collect()
}

fn by_period(fact: &FactInTime<'_>) -> BTreeMap<String, FiguresData> {
    let all = fact.years.iter().chain(&fact.months);
    let figures = all.map(|period| {
        let cards = cards(fact, period).map(|card| (card.value, card.change)).collect();
        (period.period.to_string(), FiguresData { headline: headline(fact, period), cards })
    });
    figures.collect()
}

/// Puts the rows of a table that has periods above them under the period of each.
fn divided(table: &TotalsTable, like: &TotalsTable, tables: &mut BTreeMap<String, TableData>) {
    if table.rows.len() > MOST_ROWS {
        return;
    }
    let mut own: Option<Period> = None;
    // The labels are those of the table without its first level.
    let below = |row: &interligo_engine::totals::TotalsRow| interligo_engine::totals::TotalsRow {
        key: row.key.iter().skip(1).cloned().collect(),
        level: row.level.saturating_sub(1),
        ..row.clone()
    };
    for row in &table.rows {
        if row.level == 0 {
            own = match row.attribute(0) {
                Some(Value::Period(period)) => Some(*period),
                _ => None,
            };
        }
        let Some(period) = own else { continue };
        let data = tables.entry(period.to_string()).or_default();
        let values = cells(table, row).map(|cell| cell.joined()).collect();
        match (row.level, like.by.is_empty()) {
            (0, _) => data.whole = values,
            (_, true) => {}
            _ => {
                let row = below(row);
                data.rows.push((row.level, row.rest.is_some(), row_labels(like, &row), values));
            }
        }
    }
}
