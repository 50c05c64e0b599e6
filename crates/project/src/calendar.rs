//! The periods of the keys of a dated lookup, with what was sold in each, and the days that have none.

use std::collections::{BTreeMap, HashMap, HashSet};
use std::sync::Arc;

use interligo_engine::bind::{Content, Home, KeyPart, Request, TotalsRequest};
use interligo_engine::engine::Engine;
use interligo_engine::keys::shown_parts;
use interligo_engine::lookup::Lookup;
use interligo_engine::lookup::calendar::{ALWAYS, FOREVER, Holds};
use interligo_engine::totals::{MeasureKind, TotalsMeasure, TotalsRow, TotalsTable};
use interligo_model::plan::{Written, literal, name};
use interligo_model::values::date::Day;
use interligo_model::values::decimal::Decimal;
use interligo_model::values::value::Value;

use crate::check::{Checked, Code, Finding};

/// A period; none for an end that is open.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Span {
    /// Its first day.
    pub from: Option<Day>,
    /// Its last day.
    pub until: Option<Day>,
}

impl From<&Holds> for Span {
    fn from(holds: &Holds) -> Span {
        Span {
            from: Some(holds.from).filter(|day| *day != ALWAYS),
            until: Some(holds.until).filter(|day| *day != FOREVER),
        }
    }
}

/// A key of a dated lookup.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct CalendarKey {
    /// The key.
    pub key: String,
    /// Its periods, by start.
    pub spans: Vec<Span>,
    /// Lines on days without a row.
    pub undated: u64,
    /// Lines that took the row of another day.
    pub carried: u64,
    /// Gaps between its periods.
    pub gaps: usize,
    /// Periods that overlap.
    pub overlaps: usize,
}

/// A period of a key with what its row says and what was sold in it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct KeyPeriod {
    /// When it holds.
    pub span: Span,
    /// Where its row stands.
    pub place: String,
    /// What the row says in other columns that the plan uses.
    pub says: Vec<String>,
    /// What was sold, see [`KeyCalendar::measures`].
    pub values: Vec<Option<Decimal>>,
}

impl KeyPeriod {
    /// The days between this period and the next on which neither holds.
    pub fn gap_before(&self, next: &KeyPeriod) -> Option<(Day, Day)> {
        let (until, from) = (self.span.until?, next.span.from?);
        let (first, last) = (Day(until.0.checked_add(1)?), Day(from.0.checked_sub(1)?));
        (first <= last).then_some((first, last))
    }
}

/// The lines of a key on one day.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct DayLines {
    /// Those that have a row.
    pub found: u64,
    /// Those that have none.
    pub without: u64,
}

impl DayLines {
    /// All of them.
    pub fn all(&self) -> u64 {
        self.found + self.without
    }
}

/// The calendar of one key.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct KeyCalendar {
    /// The link.
    pub link: String,
    /// The key.
    pub key: String,
    /// The columns that its rows say something in.
    pub columns: Vec<String>,
    /// What is counted and summed for each period.
    pub measures: Vec<(String, MeasureKind)>,
    /// The periods, by start.
    pub periods: Vec<KeyPeriod>,
    /// Lines on days without a row.
    pub undated: Vec<Finding>,
    /// Its lines, by day.
    pub days: BTreeMap<Day, DayLines>,
    /// Its lines without a day.
    pub without_day: u64,
}

/// The dated links of a fact, by number.
pub fn dated_links(engine: &Engine) -> Vec<usize> {
    (0..engine.bound.routes.len()).filter(|link| engine.is_dated(*link)).collect()
}

/// What was sold in each period, of the keys of a link.
pub fn periods_request(engine: &Engine, link: usize) -> Request {
    let route = &engine.bound.routes[link];
    let bound = &engine.bound.lookups[route.lookup];
    let by = bound.day_columns().into_iter().map(|column| attribute(engine, link, column));
    let fact = &engine.bound.fact;
    let amounts = fact.amounts.iter().map(|column| name(&fact.columns[*column]).into_owned());
    let figures = engine.figures_with_totals().into_iter().map(|figure| name(figure).into_owned());
    let show = ["lines".to_owned()].into_iter().chain(amounts).chain(figures);
    let own = key_attributes(engine, link);
    request(engine, "periods", own.into_iter().chain(by), show, lines_meant(engine, link))
}

/// On which days there are lines of a key: those that found it, and those that found no row at all, by what they
/// look for.
pub fn days_request(engine: &Engine, link: usize, key: &str) -> Request {
    let route = &engine.bound.routes[link];
    let (lookup, bound) = (&engine.lookups[route.lookup], &engine.bound.lookups[route.lookup]);
    let own = key_attributes(engine, link);
    let rows = engine.periods_of(link, key);
    // Rows of a key may write it in different ways, and figures may take it for a number.
    let mut texts: Vec<Vec<String>> = rows
        .iter()
        .map(|holds| {
            let columns = bound.key_columns(route.key).iter();
            columns.map(|column| literal(lookup.text(*column, holds.row).trim())).collect()
        })
        .collect();
    texts.sort();
    texts.dedup();
    let is_row = |texts: &Vec<String>| {
        let each = own.iter().zip(texts);
        let each = each.map(|(own, text)| format!("trim(cast({own} as text)) = {text}"));
        each.collect::<Vec<_>>().join(" and ")
    };
    let found: Vec<String> = texts.iter().map(is_row).collect();
    let mut condition = format!("({} or {} is blank)", found.join(" or "), own[0]);
    if let Some(meant) = lines_meant(engine, link) {
        condition = format!("{condition} and {meant}");
    }
    let sought = route.candidates.iter().flatten().map(|part| part_name(engine, link, *part));
    let day = route.as_of.map(|part| format!("day({})", part_name(engine, link, part)));
    let by = own.iter().cloned().chain(sought).chain(day);
    request(engine, "days", by, ["lines".to_owned()], Some(condition))
}

/// The condition of a link, as a formula over lines; a line for which it is not known needs a row.
fn lines_meant(engine: &Engine, link: usize) -> Option<String> {
    let of_parent = |parent: usize, column: &str| through(engine, parent, column);
    let condition = engine.condition_of(link, of_parent)?;
    Some(format!("(({condition}) or ({condition}) is blank)"))
}

fn request(
    engine: &Engine,
    title: &str,
    by: impl Iterator<Item = String>,
    show: impl IntoIterator<Item = String>,
    condition: Option<String>,
) -> Request {
    let written = |text: String| Written::in_option("calendar", &text, 0..text.len());
    Request {
        name: title.to_owned(),
        to: None,
        workbook: None,
        of: Some(written(engine.bound.fact.name.clone())),
        content: Content::Totals(Box::new(TotalsRequest {
            by: by.map(written).collect(),
            show: Some(show.into_iter().map(written).collect()),
            filter: condition.map(written),
            ..TotalsRequest::default()
        })),
    }
}

/// The columns of the key by which a link finds rows, as formulas name them.
fn key_attributes(engine: &Engine, link: usize) -> Vec<String> {
    let route = &engine.bound.routes[link];
    let columns = engine.bound.lookups[route.lookup].key_columns(route.key).iter();
    columns.map(|column| attribute(engine, link, *column)).collect()
}

/// A column of the lookup of a link, as formulas name it.
fn attribute(engine: &Engine, link: usize, column: usize) -> String {
    let lookup = engine.bound.routes[link].lookup;
    through(engine, link, &engine.bound.lookups[lookup].columns[column])
}

fn through(engine: &Engine, link: usize, column: &str) -> String {
    let way: Vec<_> = engine.bound.routes[link].name.split('.').map(name).collect();
    format!("{}.{}", way.join("."), name(column))
}

/// What a link takes a part of its key or its day from, as formulas name it.
fn part_name(engine: &Engine, link: usize, part: KeyPart) -> String {
    match (part.route, engine.bound.routes[link].home) {
        (Some(route), _) | (None, Home::Route(route)) => attribute(engine, route, part.column),
        (None, Home::Fact) => name(&engine.bound.fact.columns[part.column]).into_owned(),
    }
}

/// The keys of a link that have lines on days without a row, gaps or overlaps, the worst first.
pub fn worst_keys(engine: &Engine, link: usize, checked: &Checked) -> Vec<CalendarKey> {
    let route = &engine.bound.routes[link];
    let lookup = &engine.lookups[route.lookup].name;
    let mut keys: BTreeMap<String, CalendarKey> = BTreeMap::new();
    for finding in &checked.findings {
        let of_link = finding.about == route.name;
        let of_table = finding.about == *lookup;
        let is_of_days = match finding.code {
            Code::UndatedKey | Code::CarriedKey => of_link,
            Code::PeriodGap | Code::PeriodOverlap => of_table,
            _ => false,
        };
        if !is_of_days {
            continue;
        }
        for key in engine.keys_meant(link, &finding.subject) {
            let known = keys.entry(key).or_default();
            match finding.code {
                Code::UndatedKey => known.undated += finding.count,
                Code::CarriedKey => known.carried += finding.count,
                Code::PeriodGap => known.gaps += 1,
                _ => known.overlaps += 1,
            }
        }
    }
    let mut keys: Vec<CalendarKey> = keys
        .into_iter()
        .map(|(key, found)| CalendarKey {
            spans: engine.periods_of(link, &key).iter().map(Span::from).collect(),
            key,
            ..found
        })
        .collect();
    keys.sort_by_key(|key| std::cmp::Reverse((key.undated, key.carried, key.overlaps, key.gaps)));
    keys
}

/// The calendar of a key; none when the lookup does not have it.
pub fn key_calendar(
    engine: &Engine,
    link: usize,
    text: &str,
    (sold, days): (&TotalsTable, &TotalsTable),
    checked: &Checked,
) -> Option<KeyCalendar> {
    let key = engine.key_meant(link, text)?;
    let route = &engine.bound.routes[link];
    let (lookup, bound) = (&engine.lookups[route.lookup], &engine.bound.lookups[route.lookup]);
    let own = bound.key_columns(route.key).iter().copied().chain(bound.day_columns());
    let own: Vec<usize> = own.collect();
    let rows: HashMap<Vec<String>, Vec<Option<Decimal>>> = sold
        .rows
        .iter()
        .map(|row| {
            let key = row.key.iter().map(ToString::to_string).collect();
            (key, row.values.iter().map(Value::number).collect())
        })
        .collect();
    let others: Vec<usize> = (0..lookup.columns.len())
        .filter(|column| lookup.columns[*column].column.is_some() && !own.contains(column))
        .collect();
    let period = |holds: &Holds| {
        let of: Vec<String> =
            own.iter().map(|column| own_value(lookup, *column, holds.row).to_string()).collect();
        KeyPeriod {
            span: Span::from(holds),
            place: lookup.place(holds.row).to_string(),
            says: others.iter().map(|column| lookup.text(*column, holds.row)).collect(),
            values: rows.get(&of).map_or(vec![None; sold.measures.len()], Clone::clone),
        }
    };
    let undated = checked.findings.iter().filter(|finding| {
        finding.code == Code::UndatedKey
            && finding.about == route.name
            && engine.keys_meant(link, &finding.subject).contains(&key)
    });
    let (days, without_day) = lines_by_day(engine, link, &key, days);
    Some(KeyCalendar {
        link: route.name.clone(),
        columns: others.iter().map(|column| lookup.columns[*column].name.clone()).collect(),
        measures: sold.measures.iter().map(|m| (m.column_name.clone(), m.kind)).collect(),
        periods: engine.periods_of(link, &key).iter().map(period).collect(),
        undated: undated.cloned().collect(),
        days,
        without_day,
        key,
    })
}

/// Gives every period of every key a row, also those without lines, in the order of the lookup; behind them, what lines
/// without such a row amount to. With `key`, only the rows of this key.
pub fn fill_periods(engine: &Engine, link: usize, key: Option<&str>, sold: &mut TotalsTable) {
    let route = &engine.bound.routes[link];
    let (lookup, bound) = (&engine.lookups[route.lookup], &engine.bound.lookups[route.lookup]);
    let own: Vec<usize> =
        bound.key_columns(route.key).iter().copied().chain(bound.day_columns()).collect();
    let texts = |row: &TotalsRow| row.attributes().map(ToString::to_string).collect::<Vec<_>>();
    let with_lines = std::mem::take(&mut sold.rows);
    let at: HashMap<Vec<String>, usize> =
        with_lines.iter().enumerate().map(|(at, row)| (texts(row), at)).collect();
    let mut with_lines: Vec<Option<TotalsRow>> = with_lines.into_iter().map(Some).collect();
    let keys = match key {
        Some(key) => engine.key_meant(link, key).into_iter().collect(),
        None => engine.lookup_keys(link).collect::<Vec<_>>(),
    };
    let values = |measure: &TotalsMeasure| match measure.kind {
        MeasureKind::Count => Value::Number(Decimal::ZERO),
        _ => Value::Blank,
    };
    let mut told: HashSet<u32> = HashSet::new();
    for holds in keys.iter().flat_map(|key| engine.periods_of(link, key)) {
        // Keys that are one key to the link share their periods.
        if !told.insert(holds.row) {
            continue;
        }
        let of: Vec<Value<'static>> =
            own.iter().map(|c| own_value(lookup, *c, holds.row)).collect();
        let texts: Vec<String> = of.iter().map(ToString::to_string).collect();
        let row = at.get(&texts).and_then(|at| with_lines[*at].take());
        sold.rows.push(row.unwrap_or_else(|| TotalsRow {
            key: of.into_iter().map(Arc::new).collect(),
            level: 0,
            rest: None,
            values: sold.columns.iter().map(|c| values(&sold.measures[c.measure])).collect(),
            partly_known: None,
        }));
    }
    if key.is_none() {
        sold.rows.extend(with_lines.into_iter().flatten());
    }
}

/// What a row says in a column of its key or period.
fn own_value(lookup: &Lookup, column: usize, row: u32) -> Value<'static> {
    match &lookup.columns[column].column {
        Some(held) => held.value(row as usize).into_owned(),
        None => match lookup.text(column, row) {
            text if text.is_empty() => Value::Blank,
            text => Value::Text(text.into()),
        },
    }
}

/// The lines of a key by day, out of the groups of [`days_request`], and how many have no day.
fn lines_by_day(
    engine: &Engine,
    link: usize,
    key: &str,
    groups: &TotalsTable,
) -> (BTreeMap<Day, DayLines>, u64) {
    let columns = engine.bound.routes[link].ignore.len();
    let split = engine.bound.routes[link].split.as_deref();
    let is_sought = |row: &TotalsRow| {
        let candidates = row.key[columns..row.key.len().saturating_sub(1)].chunks(columns);
        let mut candidates = candidates.flat_map(|parts| {
            let texts: Vec<String> = parts.iter().map(ToString::to_string).collect();
            let shown = shown_parts(&texts);
            match split {
                Some(separator) => {
                    shown.split(separator).map(|text| text.trim().to_owned()).collect()
                }
                None => vec![shown],
            }
        });
        candidates.any(|text| engine.key_meant(link, &text).as_deref() == Some(key))
    };
    let (mut days, mut without_day) = (BTreeMap::<Day, DayLines>::new(), 0);
    for row in &groups.rows {
        let lines = row.values[0].number().and_then(Decimal::whole).unwrap_or_default() as u64;
        let found = !row.key[0].is_blank();
        if !found && !is_sought(row) {
            continue;
        }
        let Some(Value::Period(day)) = row.attributes().last() else {
            without_day += lines;
            continue;
        };
        let on = days.entry(Day(day.ordinal)).or_default();
        *(if found { &mut on.found } else { &mut on.without }) += lines;
    }
    (days, without_day)
}
