//! A fact through time: its figures in each year and month, each beside those of the year before.

use std::collections::BTreeMap;

use interligo_engine::totals::{MeasureKind, TotalsTable};
use interligo_model::values::date::{Day, Period, PeriodUnit};
use interligo_model::values::decimal::{Decimal, Rounding};
use interligo_model::values::value::Value;

/// A fact through time.
#[derive(Clone, Debug, PartialEq)]
pub struct FactInTime<'a> {
    /// Its name.
    pub fact: &'a str,
    /// What is shown of each period: lines, then figures.
    pub measures: Vec<(String, MeasureKind)>,
    /// The first and the last day with lines.
    pub days: (Day, Day),
    /// The years with lines, ascending.
    pub years: Vec<PeriodFigures>,
    /// The months with lines, ascending.
    pub months: Vec<PeriodFigures>,
}

/// What figures come to in a period.
#[derive(Clone, Debug, PartialEq)]
pub struct PeriodFigures {
    /// The period.
    pub period: Period,
    /// Its last day, or the last with lines, where the lines end in it.
    pub until: Day,
    /// Whether its last day is there.
    pub is_over: bool,
    /// Whether lines begin only after the first day of the period a year before.
    pub before_is_partial: bool,
    /// The measures, in the order of [`FactInTime::measures`]; none where nothing is known.
    pub values: Vec<Option<Decimal>>,
    /// The same of the same days a year before.
    pub before: Vec<Option<Decimal>>,
    /// How the one differs from the other.
    pub changes: Vec<Option<Change>>,
}

/// How a value differs from that of the year before.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Change {
    /// In percent of it, with a decimal place.
    Percent(Decimal),
    /// In hundredths, of a share; with two decimal places.
    Points(Decimal),
}

/// Decimal places of a change in percent, and in points.
const PERCENT_PLACES: u8 = 1;
const POINT_PLACES: u8 = 2;

impl<'a> FactInTime<'a> {
    /// The fact by the table that has it day by day: of each measure the month and the year to date, then those a year
    /// before. None where no line has a date that can be meant.
    pub(super) fn of(fact: &'a str, days: &TotalsTable) -> Option<FactInTime<'a>> {
        let measures: Vec<(String, MeasureKind)> = days
            .measures
            .iter()
            .step_by(COLUMNS)
            .map(|measure| (measure.column_name.clone(), measure.kind))
            .collect();
        let rows = days.rows.iter().filter_map(|row| {
            let Some(Value::Period(day)) = row.attribute(0) else { return None };
            let day = Day(day.ordinal);
            (!day.is_odd()).then_some((day, &*row.values))
        });
        let rows: Vec<(Day, &[Value<'static>])> = rows.collect();
        // Of days that only the year before has, the lines of the month are those of the day before, or none.
        let lines = |at: usize| rows[at].1[0].number().filter(|lines| !lines.is_zero());
        let month = |at: usize| Period::containing(PeriodUnit::Month, rows[at].0);
        let has_lines = |at: &usize| {
            let before = at.checked_sub(1).filter(|before| month(*before) == month(*at));
            lines(*at).is_some() && before.is_none_or(|before| lines(before) != lines(*at))
        };
        let (first, last) = ((0..rows.len()).find(has_lines)?, (0..rows.len()).rfind(has_lines)?);
        let days = (rows[first].0, rows[last].0);
        let of = |unit| periods(&rows, unit, days, &measures);
        let (years, months) = (of(PeriodUnit::Year), of(PeriodUnit::Month));
        Some(FactInTime { fact, measures, days, years, months })
    }
}

/// Of each measure the table has its month and its year to date, of this time and of the year before.
const COLUMNS: usize = 4;

/// The figures of the periods that have lines.
fn periods(
    rows: &[(Day, &[Value<'static>])],
    unit: PeriodUnit,
    (first, last): (Day, Day),
    measures: &[(String, MeasureKind)],
) -> Vec<PeriodFigures> {
    // A day's row has what came from the beginning of its period to it; so the last row has the whole.
    let mut ends: BTreeMap<Period, &[Value<'static>]> = BTreeMap::new();
    for (day, values) in rows.iter().filter(|(day, _)| *day <= last) {
        ends.insert(Period::containing(unit, *day), values);
    }
    let at = usize::from(unit == PeriodUnit::Year);
    let figures = |(period, row): (&Period, &&[Value<'static>])| {
        let (from, until) = period.days()?;
        let before_from = from.months_later(-12)?;
        let every = |at: usize| -> Vec<Option<Decimal>> {
            row.iter().skip(at).step_by(COLUMNS).map(Value::number).collect()
        };
        let (values, before) = (every(at), every(at + 2));
        values.first().copied().flatten().filter(|lines| !lines.is_zero())?;
        let kinds = measures.iter().map(|(_, kind)| *kind);
        let changes = kinds.zip(values.iter().zip(&before));
        Some(PeriodFigures {
            period: *period,
            until: until.min(last),
            is_over: until <= last,
            before_is_partial: before_from < first,
            changes: changes
                .map(|(kind, (now, before))| change(kind, (*now)?, (*before)?))
                .collect(),
            values,
            before,
        })
    };
    ends.iter().filter_map(figures).collect()
}

/// How a value differs from the one before; none where there is no percent of it.
fn change(kind: MeasureKind, now: Decimal, before: Decimal) -> Option<Change> {
    let more = now.checked_sub(before)?;
    let hundred = Decimal::from(100);
    match kind {
        MeasureKind::Percent(_) => {
            let points = more.checked_mul(hundred)?;
            Some(Change::Points(points.round(POINT_PLACES, Rounding::HalfEven)?))
        }
        MeasureKind::Other => None,
        _ => {
            let of = before.checked_abs()?;
            let percent = more.checked_mul(hundred)?.checked_div(of, PERCENT_PLACES)?;
            Some(Change::Percent(percent))
        }
    }
}
