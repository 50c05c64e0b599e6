//! Amounts through time, as columns that stand on zero; a mark on each has what it is held against, and a line below has a
//! share.

use interligo_engine::totals::MeasureKind;
use interligo_model::values::date::{Period, PeriodUnit};
use interligo_model::values::decimal::Decimal;
use maud::{Markup, html};

use super::cell::{period_days, period_words};
use super::scale::Scale;
use crate::text::totals::measure_of;

/// The picture, in points that the browser fits to the page.
const WIDTH: i64 = 1000;
/// Where columns begin and end; the ticks are named before.
const LEFT: i64 = 96;
const ROOM: i64 = WIDTH - LEFT - 12;
/// The panel of columns: where it begins, and how high it is.
const TOP: i64 = 12;
const HIGH: i64 = 210;
/// The panel of the line, below the names of periods.
const LINE_TOP: i64 = TOP + HIGH + 56;
const LINE_HIGH: i64 = 70;
/// About how wide the name of a period is.
const NAME: i64 = 62;

/// Something through time.
pub(super) struct TimeChart {
    /// What the columns are of.
    pub(super) measure: (String, MeasureKind),
    /// What the marks are of.
    pub(super) mark: Option<String>,
    /// What the line is of.
    pub(super) line: Option<(String, MeasureKind)>,
    pub(super) columns: Vec<TimeColumn>,
}

/// A period.
pub(super) struct TimeColumn {
    pub(super) period: Period,
    pub(super) value: Option<Decimal>,
    pub(super) mark: Option<Decimal>,
    pub(super) line: Option<Decimal>,
}

impl TimeChart {
    /// The picture with what it says in words; nothing where no value is known.
    pub(super) fn markup(&self) -> Markup {
        let known = self.columns.iter().filter_map(|column| Some((column.value?, column.period)));
        let Some((largest, when)) = known.max_by(|a, b| a.0.cmp(&b.0)) else {
            return html! { p.quiet { "No value of " (self.measure.0) " is known." } };
        };
        let amounts = self.columns.iter().flat_map(|column| [column.value, column.mark]).flatten();
        let scale = Scale::over(amounts);
        let has_line = self.line.is_some() && self.columns.iter().any(|c| c.line.is_some());
        let height = if has_line { LINE_TOP + LINE_HIGH + 14 } else { TOP + HIGH + 40 };
        let name = &self.measure.0;
        html! {
            figure.time {
                figcaption {
                    b { (name) } " by " (self.unit()) ", most in " (period_words(when)) ": "
                    (measure_of(Some(largest), self.measure.1)) "."
                    @if let Some(mark) = &self.mark {
                        " " span.key {} " " (mark) "."
                    }
                    @if let (true, Some((line, _))) = (has_line, &self.line) { " Below: " b { (line) } "." }
                }
                div.scroll tabindex="0" role="group" aria-label={ (name) " by " (self.unit()) } {
                    svg viewBox={ "0 0 " (WIDTH) " " (height) } {
                        (self.ticks(&scale))
                        @for (at, column) in self.columns.iter().enumerate() {
                            (self.column(at, column, &scale))
                        }
                        (self.names())
                        @if has_line { (self.line_panel()) }
                    }
                }
            }
        }
    }

    fn unit(&self) -> &'static str {
        self.columns.first().map_or("period", |column| column.period.unit.name())
    }

    /// Where a column stands: its left side and its width.
    fn across(&self, at: usize) -> (i64, i64) {
        let count = (self.columns.len() as i64).max(1);
        let (from, to) = (at as i64 * ROOM / count, (at as i64 + 1) * ROOM / count);
        let gap = (to - from) / 4;
        (LEFT + from + gap / 2, (to - from - gap).clamp(1, 90))
    }

    fn ticks(&self, scale: &Scale) -> Markup {
        let kind = match self.measure.1 {
            MeasureKind::Percent(_) => self.measure.1,
            _ => MeasureKind::Other,
        };
        html! {
            @for tick in &scale.ticks {
                @let y = TOP + HIGH - scale.at(*tick, HIGH);
                @let class = if tick.is_zero() { "ground" } else { "tick" };
                line class=(class) x1=(LEFT) x2=(WIDTH) y1=(y) y2=(y) {}
                text x=(LEFT - 8) y=(y + 4) text-anchor="end" { (tick_shown(*tick, kind)) }
            }
        }
    }

    fn column(&self, at: usize, column: &TimeColumn, scale: &Scale) -> Markup {
        let (x, width) = self.across(at);
        let ground = TOP + HIGH - scale.at(Decimal::ZERO, HIGH);
        let y = |value: Decimal| TOP + HIGH - scale.at(value, HIGH);
        let shown = |value| measure_of(value, self.measure.1);
        let mut says = format!("{}: {}", period_words(column.period), shown(column.value));
        if let (Some(mark), Some(_)) = (&self.mark, column.mark) {
            says += &format!("; {mark}: {}", shown(column.mark));
        }
        if let (Some((line, kind)), Some(_)) = (&self.line, column.line) {
            says += &format!("; {line} {}", measure_of(column.line, *kind));
        }
        html! {
            g.column data-period=(column.period) data-days=[period_days(column.period)] aria-label=(says) {
                title { (says) }
                // The whole height can be pointed at.
                rect.behind x=(x) y=(TOP) width=(width) height=(HIGH) {}
                @if let Some(value) = column.value {
                    @let (top, bottom) = (y(value).min(ground), y(value).max(ground));
                    @let high = if value.is_zero() { 0 } else { (bottom - top).max(1) };
                    rect class=(if value < Decimal::ZERO { "bar below" } else { "bar" })
                        x=(x) y=(top) width=(width) height=(high) {}
                }
                @if let Some(mark) = column.mark {
                    line.mark x1=(x - 1) x2=(x + width + 1) y1=(y(mark)) y2=(y(mark)) {}
                }
            }
        }
    }

    /// The names of periods, as many as there is room for, and each year where months are named.
    fn names(&self) -> Markup {
        let count = self.columns.len() as i64;
        let every = (count * NAME / ROOM + 1).max(1) as usize;
        html! {
            @for (at, column) in self.columns.iter().enumerate() {
                @let (x, width) = self.across(at);
                @if self.is_named(at, every) {
                    text x=(x + width / 2) y=(TOP + HIGH + 20) text-anchor="middle" { (column.period) }
                }
            }
        }
    }

    fn is_named(&self, at: usize, every: usize) -> bool {
        if every == 1 {
            return true;
        }
        let months = match self.columns[at].period {
            period if period.unit == PeriodUnit::Month => period.ordinal,
            _ => return at.is_multiple_of(every),
        };
        let every =
            [3, 6, 12, 24, 60].into_iter().find(|step| *step >= every as i32).unwrap_or(120);
        months.rem_euclid(every) == 0
    }

    fn line_panel(&self) -> Markup {
        let Some((name, kind)) = &self.line else { return html! {} };
        let scale = Scale::over(self.columns.iter().filter_map(|column| column.line));
        let (first, last) = (scale.ticks.first().copied(), scale.ticks.last().copied());
        let y = |value: Decimal| LINE_TOP + LINE_HIGH - scale.at(value, LINE_HIGH);
        let middle = |at: usize| {
            let (x, width) = self.across(at);
            x + width / 2
        };
        let points = self.columns.iter().enumerate();
        let points: Vec<(i64, Option<i64>)> =
            points.map(|(at, column)| (middle(at), column.line.map(y))).collect();
        let mut way = String::new();
        let mut is_drawn = false;
        for (x, y) in &points {
            if let Some(y) = y {
                way += &format!("{}{x} {y}", if is_drawn { "L" } else { "M" });
            }
            is_drawn = y.is_some();
        }
        html! {
            @for tick in first.into_iter().chain(last) {
                @let class = if tick.is_zero() { "ground" } else { "tick" };
                line class=(class) x1=(LEFT) x2=(WIDTH) y1=(y(tick)) y2=(y(tick)) {}
                text x=(LEFT - 8) y=(y(tick) + 4) text-anchor="end" { (tick_shown(tick, *kind)) }
            }
            text.name x=(LEFT) y=(LINE_TOP - 10) { (name) }
            path.way d=(way) {}
            @for (x, y) in points.iter().filter_map(|(x, y)| Some((x, (*y)?))) {
                circle.dot cx=(x) cy=(y) r="3" {}
            }
        }
    }
}

/// A tick without the digits that it does not need.
fn tick_shown(tick: Decimal, kind: MeasureKind) -> String {
    match kind {
        MeasureKind::Percent(_) => measure_of(Some(tick.trimmed(0)), MeasureKind::Percent(0)),
        _ => crate::text::number::grouped(&tick.trimmed(0).to_string()),
    }
}
