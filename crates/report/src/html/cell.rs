//! Values on a page: as they are read, and with every digit for what sorts and sums them.

use interligo_engine::totals::MeasureKind;
use interligo_model::values::date::{Day, Period, PeriodUnit};
use interligo_model::values::value::Value;
use maud::{Markup, html};

use crate::text::totals::measure_of;
use crate::visible::seen;

/// What a value says.
pub(super) struct Cell {
    /// As it is read: rounded, thousands in groups.
    pub(super) shown: String,
    /// With every digit, where that is more.
    pub(super) exact: Option<String>,
}

impl Cell {
    /// A value of a measure.
    pub(super) fn of(value: &Value<'_>, kind: MeasureKind) -> Cell {
        let shown = match value {
            Value::Blank => measure_of(None, kind),
            Value::Number(number) => measure_of(Some(*number), kind),
            other => seen(&other.to_string()).into_owned(),
        };
        let exact = value.number().map(|number| number.to_string());
        let exact = exact.filter(|exact| *exact != shown.replace(',', ""));
        Cell { shown, exact }
    }

    /// As a cell of a table.
    pub(super) fn markup(&self) -> Markup {
        html! { td data-v=[self.exact.as_deref()] { (self.shown) } }
    }

    /// In one text: what is read, then what is exact, where that is more.
    pub(super) fn joined(&self) -> String {
        match &self.exact {
            Some(exact) => format!("{}|{exact}", self.shown),
            None => self.shown.clone(),
        }
    }
}

/// The days of a value that is a period or day, so that periods of any length can be found in each other.
pub(super) fn days_of(value: &Value<'_>) -> Option<String> {
    match value {
        Value::Date(day) => Some(days(*day, *day)),
        Value::Period(period) => period_days(*period),
        _ => None,
    }
}

/// The same of a period.
pub(super) fn period_days(period: Period) -> Option<String> {
    let (first, last) = period.days()?;
    Some(days(first, last))
}

fn days(first: Day, last: Day) -> String {
    format!("{first} {last}")
}

/// A period in words: `2025`, `March 2025`.
pub(super) fn period_words(period: Period) -> String {
    const MONTHS: [&str; 12] = [
        "January",
        "February",
        "March",
        "April",
        "May",
        "June",
        "July",
        "August",
        "September",
        "October",
        "November",
        "December",
    ];
    match (period.unit, period.days()) {
        (PeriodUnit::Month, Some((first, _))) => {
            let (year, month, _) = first.civil();
            format!("{} {year}", MONTHS[month as usize - 1])
        }
        _ => period.to_string(),
    }
}
