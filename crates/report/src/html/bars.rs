//! Groups as bars that begin at zero, the largest first, with the share that each has of the whole.

use interligo_engine::totals::{TotalsRow, TotalsTable};
use interligo_model::values::decimal::{Decimal, Rounding};
use maud::{Markup, html};

use super::scale::Scale;
use super::totals::{drawn_of, row_labels};
use crate::text::counted;
use crate::text::totals::measure_of;
use crate::visible::seen;

/// How many bars are drawn.
const MOST: usize = 20;

/// A bar's place and length are in thousandths of its track.
const TRACK: i64 = 1000;

/// The rows of a table by one attribute. `number` is that of the table on the page.
pub(super) fn bars(table: &TotalsTable, measure: usize, number: usize) -> Markup {
    let Some(column) = table.columns.iter().position(|c| c.measure == measure) else {
        return html! {};
    };
    let known = table.rows.iter().filter_map(|row| Some((row, drawn_of(row, column)?)));
    let mut known: Vec<(&TotalsRow, Decimal)> = known.collect();
    known.sort_by_key(|(_, value)| std::cmp::Reverse(*value));
    let name = seen(&table.measures[measure].column_name).into_owned();
    let Some((first, largest)) = known.first() else {
        return html! { p.quiet { "No value of " (name) " is known." } };
    };
    let scale = Scale::over(known.iter().map(|(_, value)| *value));
    let zero = scale.at(Decimal::ZERO, TRACK);
    let kind = table.measures[measure].kind;
    let adds_up = table.adding_up().contains(&measure);
    let whole = table.whole.values[column].number().filter(|_| adds_up);
    let by = seen(&table.by[0]);
    html! {
        figure.bars data-bars=(number) data-column=(column) data-shares=[whole.map(|_| "yes")] {
            figcaption {
                b { (name) } " by " (by) ", most: " bdi { (row_labels(table, first).join(", ")) } ", "
                (measure_of(Some(*largest), kind)) "."
                @if known.len() > MOST { " The first " (MOST) " of " (counted(known.len() as u64, "group")) "." }
            }
            ol {
                @for (row, value) in known.iter().take(MOST) {
                    @let at = scale.at(*value, TRACK);
                    @let label = row_labels(table, row).join(", ");
                    li { div.group data-key=(label) {
                        span.name dir="auto" { (label) }
                        span.track {
                            span.fill.below[*value < Decimal::ZERO] style=(place(at.min(zero), at.max(zero))) {}
                        }
                        span.amount { (measure_of(Some(*value), kind)) }
                        span.share { (whole.and_then(|whole| share(*value, whole)).unwrap_or_default()) }
                    } }
                }
            }
        }
    }
}

/// Where a bar lies, for a style sheet.
fn place(from: i64, to: i64) -> String {
    let percent = |thousandths: i64| format!("{}.{}%", thousandths / 10, thousandths % 10);
    format!("left:{};width:{}", percent(from), percent(to - from))
}

/// The part of the whole, in percent; none of a whole of nothing.
fn share(value: Decimal, whole: Decimal) -> Option<String> {
    let part = value.checked_mul(Decimal::from(100))?.checked_div(whole, 1)?;
    Some(format!("{} %", part.round(1, Rounding::HalfEven)?))
}
