//! A fact through time: its figures in the last year, each beside the year before, and month by month.

use interligo_engine::totals::MeasureKind;
use interligo_model::values::decimal::Decimal;
use interligo_project::{Change, FactInTime, PeriodFigures};
use maud::{Markup, html};

use super::cell::{period_days, period_words};
use super::time_chart::{TimeChart, TimeColumn};
use crate::text::totals::measure_of;
use crate::visible::seen;

/// Beyond this many months, years are drawn.
const MONTHS: usize = 60;

/// The figures of the last year.
pub(super) fn key_figures(fact: &FactInTime<'_>, number: usize) -> Markup {
    let Some(last) = fact.years.last() else { return html! {} };
    html! {
        div.figures data-fact=(number) {
            p.period { (headline(fact, last)) }
            ul.cards {
                @for ((name, _), card) in fact.measures.iter().zip(cards(fact, last)) {
                    li {
                        span.what { (seen(name)) }
                        span.value { (card.value) }
                        span.change { (card.change) }
                    }
                }
            }
        }
    }
}

/// A figure of a period as it is read.
pub(super) struct Card {
    pub(super) value: String,
    pub(super) change: String,
}

/// The figures of a period, in the order of the fact's measures.
pub(super) fn cards<'f>(
    fact: &'f FactInTime<'_>,
    period: &'f PeriodFigures,
) -> impl Iterator<Item = Card> + 'f {
    fact.measures.iter().enumerate().map(|(at, (_, kind))| {
        let before = period.before[at].map(|before| measure_of(Some(before), *kind));
        let change = match (before, period.changes[at]) {
            (Some(before), Some(change)) => format!("{} on {before}", change_words(change)),
            (Some(before), None) => format!("before: {before}"),
            (None, _) => "no value a year before".to_owned(),
        };
        Card { value: measure_of(period.values[at], *kind), change }
    })
}

/// A change with its sign; neither direction is called good, since more cost is not.
fn change_words(change: Change) -> String {
    let signed = |value: Decimal| {
        let sign = if value < Decimal::ZERO { "" } else { "+" };
        format!("{sign}{}", crate::text::number::grouped(&value.to_string()))
    };
    match change {
        Change::Percent(percent) => format!("{} %", signed(percent)),
        Change::Points(points) => format!("{} points", signed(points)),
    }
}

/// Which days figures are of, and which they are held against.
pub(super) fn headline(fact: &FactInTime<'_>, period: &PeriodFigures) -> String {
    let words = period_words(period.period);
    let own = match period.is_over {
        true => format!("{words}, beside the year before"),
        false => format!(
            "{words} so far, up to {}, beside the same days of the year before",
            period.until
        ),
    };
    match period.before_is_partial && period.before.iter().any(Option::is_some) {
        true => format!("{own}, of which there are lines from {} on", fact.days.0),
        false => own,
    }
}

/// The first amount through time, with the first share below it.
pub(super) fn through_time(fact: &FactInTime<'_>) -> Markup {
    let periods = if fact.months.len() > MONTHS { &fact.years } else { &fact.months };
    let is_amount = |kind: MeasureKind| kind.is_amount();
    let drawn = fact.measures.iter().position(|(_, kind)| is_amount(*kind)).unwrap_or(0);
    let is_share = |(_, kind): &(String, MeasureKind)| matches!(kind, MeasureKind::Percent(_));
    let line = fact.measures.iter().position(is_share);
    let name = |at: usize| (seen(&fact.measures[at].0).into_owned(), fact.measures[at].1);
    let column = |period: &PeriodFigures| TimeColumn {
        period: period.period,
        value: period.values[drawn],
        mark: period.before[drawn],
        line: line.and_then(|line| period.values[line]),
    };
    let chart = TimeChart {
        measure: name(drawn),
        mark: periods
            .iter()
            .any(|period| period.before[drawn].is_some())
            .then(|| "the same days of the year before".to_owned()),
        line: line.map(name),
        columns: periods.iter().map(column).collect(),
    };
    html! {
        (chart.markup())
        details {
            summary { "As a table" }
            (months_table(fact, periods, drawn))
        }
    }
}

/// The same with every measure.
fn months_table(fact: &FactInTime<'_>, periods: &[PeriodFigures], drawn: usize) -> Markup {
    html! {
        div.scroll tabindex="0" role="region" aria-label={ "Table of " (seen(fact.fact)) " through time" } {
            table.months {
                caption { (seen(fact.fact)) " through time" }
                thead { tr {
                    th scope="col" { "period" }
                    @for (name, _) in &fact.measures { th.n scope="col" { (seen(name)) } }
                    th.n scope="col" { (seen(&fact.measures[drawn].0)) " a year before" }
                } }
                tbody { @for period in periods {
                    tr {
                        th scope="row" data-days=[period_days(period.period)] {
                            (period.period)
                            @if !period.is_over { " up to " (period.until) }
                        }
                        @for ((_, kind), value) in fact.measures.iter().zip(&period.values) {
                            td.n { (measure_of(*value, *kind)) }
                        }
                        td.n { (measure_of(period.before[drawn], fact.measures[drawn].1)) }
                    }
                } }
            }
        }
    }
}
