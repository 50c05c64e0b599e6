//! Two attributes as a table in which larger amounts are darker.

use std::collections::BTreeMap;

use interligo_engine::totals::{MeasureKind, TotalsTable, attribute_text};
use interligo_model::values::decimal::Decimal;
use interligo_model::values::value::Value;
use maud::{Markup, html};

use super::cell::days_of;
use super::scale::Scale;
use crate::text::totals::measure_of;
use crate::visible::seen;

/// More rows or columns than this are no picture.
const MOST: (usize, usize) = (60, 40);

/// With more columns than this their names stand upright.
const UPRIGHT: usize = 13;

/// How many shades there are above none.
const SHADES: i64 = 6;

/// A table of two attributes.
pub(super) struct Heat<'t> {
    table: &'t TotalsTable,
    measure: usize,
    rows: Vec<&'t Value<'static>>,
    columns: Vec<&'t Value<'static>>,
    values: BTreeMap<(usize, usize), Decimal>,
}

impl<'t> Heat<'t> {
    /// A table by two attributes, of which none has too many values; the attributes of its rows go down, or one is across.
    pub(super) fn of(table: &'t TotalsTable, measure: usize) -> Option<Heat<'t>> {
        let mut heat =
            Heat { table, measure, rows: Vec::new(), columns: Vec::new(), values: BTreeMap::new() };
        match (table.by.len(), table.across.len()) {
            (2, 0) => {
                let column = table.columns.iter().position(|c| c.measure == measure)?;
                // Periods go across.
                let is_time = |at: usize| {
                    table
                        .rows
                        .iter()
                        .all(|row| row.attribute(at).is_none_or(|v| days_of(v).is_some()))
                };
                let (down, across) = if is_time(0) && !is_time(1) { (1, 0) } else { (0, 1) };
                for row in table.finest_rows().filter(|row| row.rest.is_none()) {
                    heat.note(&row.key[down], &row.key[across], row.values[column].number());
                }
            }
            (1, 1) => {
                for row in table.rows.iter().filter(|row| row.rest.is_none()) {
                    for (column, value) in table.columns.iter().zip(&row.values) {
                        if let (Some([key]), true) =
                            (column.key.as_deref(), column.measure == measure)
                        {
                            heat.note(&row.key[0], key, value.number());
                        }
                    }
                }
            }
            _ => return None,
        }
        let fits =
            (2..=MOST.0).contains(&heat.rows.len()) && (2..=MOST.1).contains(&heat.columns.len());
        (fits && !heat.values.is_empty()).then_some(heat)
    }

    fn note(
        &mut self,
        row: &'t Value<'static>,
        column: &'t Value<'static>,
        value: Option<Decimal>,
    ) {
        let place = |all: &mut Vec<&'t Value<'static>>, own| {
            all.iter().position(|known| *known == own).unwrap_or_else(|| {
                all.push(own);
                all.len() - 1
            })
        };
        // Beyond what is a picture nothing is looked for.
        if self.rows.len() > MOST.0 || self.columns.len() > MOST.1 {
            return;
        }
        let (row, column) = (place(&mut self.rows, row), place(&mut self.columns, column));
        if let Some(value) = value {
            self.values.insert((row, column), value);
        }
    }

    /// The picture. `number` is that of the table on the page.
    pub(super) fn markup(&self, number: usize) -> Markup {
        let measure = &self.table.measures[self.measure];
        let name = seen(&measure.column_name);
        let all = self.table.by.iter().chain(&self.table.across);
        let by: Vec<String> = all.map(|by| seen(by).into_owned()).collect();
        let largest = self.values.values().filter_map(|value| value.checked_abs()).max();
        let scale = Scale::over(largest.into_iter());
        let mut across: Vec<usize> = (0..self.columns.len()).collect();
        across.sort_by_key(|at| self.columns[*at]);
        let column = self.table.columns.iter().position(|c| c.measure == self.measure);
        let column = column.filter(|_| self.table.across.is_empty());
        html! {
            figure.heat.narrow[self.columns.len() > UPRIGHT] data-heat=(number) data-column=[column] {
                figcaption {
                    b { (name) } " by " (by.join(" and ")) ": the larger, the darker"
                    @if self.values.values().any(|value| *value < Decimal::ZERO) { "; below zero in red" }
                    "."
                }
                div.scroll tabindex="0" role="region" aria-label={ (name) " by " (by.join(" and ")) } {
                    table {
                        thead { tr {
                            th scope="col" { (by[0]) }
                            @for at in &across {
                                @let value = self.columns[*at];
                                th.n scope="col" data-days=[days_of(value)] { (label(value)) }
                            }
                        } }
                        tbody { @for (row, value) in self.rows.iter().enumerate() {
                            tr {
                                th scope="row" dir="auto" { (label(value)) }
                                @for column in &across {
                                    @let value = self.values.get(&(row, *column)).copied();
                                    td.n data-shade=[value.map(|value| shade(value, &scale))] {
                                        (measure_of(value, whole(measure.kind)))
                                    }
                                }
                            }
                        } }
                    }
                }
            }
        }
    }
}

fn label(value: &Value<'_>) -> String {
    seen(&attribute_text(value)).into_owned()
}

/// Amounts without their cents: the table below has them.
fn whole(kind: MeasureKind) -> MeasureKind {
    match kind {
        MeasureKind::Amount(_) | MeasureKind::Money(_) => MeasureKind::Amount(0),
        other => other,
    }
}

/// How dark an amount is, from 0; with a minus where it is below zero.
fn shade(value: Decimal, scale: &Scale) -> String {
    let size = value.checked_abs().unwrap_or(value);
    let shade = scale.at(size, SHADES * 100) / 100;
    let shade = if value.is_zero() { 0 } else { shade.clamp(1, SHADES) };
    if value < Decimal::ZERO { format!("-{shade}") } else { shade.to_string() }
}
