//! What a page shows through time and by period, against sums that are made line by line.

use std::collections::{BTreeMap, BTreeSet};

use interligo_model::values::date::{Day, Period, PeriodUnit};
use interligo_model::values::decimal::{Decimal, Rounding};
use interligo_model::values::value::Value;
use interligo_project::{
    Change, Extent, OnDuplicates, OnStop, PageResults, Parallelism, TotalsTable, run,
};
use proptest::prelude::*;

use crate::support::Folder;

const PLAN: &str = r#"
[tables.sales]
role = "fact"
from = "sales.csv"
key  = "no"
date = "day"
columns = { worth = { type = "number" } }

[figures]
value = "quantity * 1.5"
# A rate of a column alone has no total, and is left out.
rate  = { formula = "quantity / worth", totals = "none" }
part  = { formula = "value / worth", shown = "percent" }

[outputs.items]
by   = ["item"]
show = ["value", "share(value)", "lines"]
sort = ["-share(value)", "item"]
top  = 2

[outputs.levels]
by = ["item > quantity"]
show = ["lines"]

[outputs.running]
by = ["item"]
show = ["running(lines)"]

[outputs.months]
by = ["month(day)"]

[outputs.nothing]
by = []
show = ["value"]
"#;

/// A sale: days after the first, the item, how many; nothing where that is not known.
type Sale = (i32, u8, Option<i64>);

fn first_day() -> Day {
    Day::from_civil(2023, 11, 3).unwrap()
}

fn folder(sales: &[Sale]) -> Folder {
    let mut text = "no,day,item,quantity,worth\n".to_owned();
    for (number, (after, item, quantity)) in sales.iter().enumerate() {
        let day = Day(first_day().0 + after);
        let quantity = quantity.map_or(String::new(), |quantity| quantity.to_string());
        text += &format!("{number},{day},item {item},{quantity},4\n");
    }
    Folder::with(&[("interligo.toml", PLAN), ("sales.csv", &text)])
}

/// Calls `see` with the page of some sales.
fn with_page(sales: &[Sale], see: impl FnOnce(&PageResults<'_>)) {
    let folder = folder(sales);
    let project = folder.project();
    let requests = project.page_requests().unwrap();
    let job = project.prepare(&requests, Extent::Everything, OnDuplicates::Stop).unwrap();
    let ran = run(&project, &job, Parallelism::default(), OnStop::Stop, &|_, _| {}).unwrap();
    see(&project.page_of(&job, &ran, None, None));
}

/// Lines, the value and its part of the worth on lines that have a value, of some days.
fn sums(sales: &[Sale], from: Day, until: Day) -> Option<[Option<Decimal>; 3]> {
    let within = |sale: &&Sale| (from.0..=until.0).contains(&(first_day().0 + sale.0));
    let own: Vec<&Sale> = sales.iter().filter(within).collect();
    let known: Vec<i64> = own.iter().filter_map(|sale| sale.2).collect();
    let value = Decimal::new(known.iter().sum::<i64>() as i128 * 15, 1)?;
    let worth = Decimal::from(4 * known.len() as i64);
    let value = (!known.is_empty()).then_some(value);
    let part = value.and_then(|value| value.checked_div(worth, PLACES));
    (!own.is_empty()).then_some([Some(Decimal::from(own.len() as i64)), value, part])
}

/// Decimal places to which quotients are compared.
const PLACES: u8 = 10;

/// Figures with quotients of these places.
fn rounded(figures: &[Option<Decimal>]) -> Vec<Option<Decimal>> {
    figures.iter().map(|own| own.and_then(|own| own.round(PLACES, Rounding::HalfEven))).collect()
}

/// The same day a year before; of a 29 February there is none, and the 28th takes its place.
fn year_before(day: Day) -> Day {
    day.months_later(-12).unwrap()
}

fn expected_change(now: Option<Decimal>, before: Option<Decimal>, is_part: bool) -> Option<Change> {
    let (now, before) = (now?, before?);
    let more = now.checked_sub(before)?.checked_mul(Decimal::from(100))?;
    match is_part {
        true => Some(Change::Points(more.round(2, Rounding::HalfEven)?)),
        false => Some(Change::Percent(more.checked_div(before.checked_abs()?, 1)?)),
    }
}

fn sale() -> impl Strategy<Value = Sale> {
    (0..800_i32, 0..5_u8, prop::option::weighted(0.8, -20..50_i64))
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    #[test]
    fn each_period_has_its_lines_and_those_of_the_same_days_a_year_before(
        sales in prop::collection::vec(sale(), 1..60),
    ) {
        with_page(&sales, |page| {
            let fact = &page.facts[0];
            let names: Vec<&str> = fact.measures.iter().map(|(name, _)| name.as_str()).collect();
            assert_eq!(names, ["lines", "value", "part"]);
            let days: Vec<Day> = sales.iter().map(|sale| Day(first_day().0 + sale.0)).collect();
            let (first, last) = (*days.iter().min().unwrap(), *days.iter().max().unwrap());
            assert_eq!(fact.days, (first, last));
            for (unit, periods) in [(PeriodUnit::Year, &fact.years), (PeriodUnit::Month, &fact.months)] {
                let all: BTreeSet<Period> =
                    days.iter().map(|day| Period::containing(unit, *day)).collect();
                assert!(periods.iter().map(|own| own.period).eq(all));
                for own in periods {
                    let (from, end) = own.period.days().unwrap();
                    let until = end.min(last);
                    assert_eq!((own.until, own.is_over), (until, end <= last));
                    let now = sums(&sales, from, until).unwrap();
                    let before = sums(&sales, year_before(from), end_before(until, end)).unwrap_or_default();
                    assert_eq!(rounded(&own.values), now, "{:?}", own.period);
                    assert_eq!(rounded(&own.before), before, "{:?}", own.period);
                    for at in 0..3 {
                        let change = expected_change(own.values[at], own.before[at], at == 2);
                        assert_eq!(own.changes[at], change);
                    }
                    assert_eq!(own.before_is_partial, year_before(from) < first);
                }
            }
        });
    }

    #[test]
    fn tables_by_period_are_those_of_its_lines(sales in prop::collection::vec(sale(), 1..60)) {
        with_page(&sales, |page| {
            let named = |name: &str| page.totals.iter().find(|own| own.name == name).unwrap();
            // What goes along rows, or has periods itself, is not divided.
            for name in ["running", "months"] {
                assert!(named(name).by_year.is_none() && named(name).by_month.is_none(), "{name}");
            }
            assert!(named("levels").by_year.is_some());
            for (unit, table) in [
                (PeriodUnit::Year, named("items").by_year.unwrap()),
                (PeriodUnit::Month, named("items").by_month.unwrap()),
            ] {
                let mut periods: BTreeMap<Period, Vec<Sale>> = BTreeMap::new();
                for own in &sales {
                    let day = Day(first_day().0 + own.0);
                    periods.entry(Period::containing(unit, day)).or_default().push(*own);
                }
                let parts = parted(table);
                assert_eq!(parts.len(), periods.len());
                for (period, lines) in periods {
                    // The table of these lines alone.
                    with_page(&lines, |alone| {
                        let items = alone.totals.iter().find(|own| own.name == "items").unwrap().table;
                        let (whole, rows) = &parts[&period];
                        assert_eq!(whole[..], items.whole.values[..]);
                        let expected: Vec<_> = items
                            .rows
                            .iter()
                            .map(|row| (row.attributes().cloned().collect(), row.rest, row.values.to_vec()))
                            .collect();
                        assert_eq!(*rows, expected, "{period}");
                    });
                }
            }
        });
    }
}

/// The last day of what a period is held against: a whole one is held against the whole one a year before.
fn end_before(until: Day, end: Day) -> Day {
    match until == end {
        // The last of February is the last of February.
        true => Day(year_before(Day(end.0 + 1)).0 - 1),
        false => year_before(until),
    }
}

/// The values of a period, and its rows: their attributes, how many groups they bring together, their values.
type Part = (Vec<Value<'static>>, Vec<(Vec<Value<'static>>, Option<u64>, Vec<Value<'static>>)>);

fn parted(table: &TotalsTable) -> BTreeMap<Period, Part> {
    let mut parts: BTreeMap<Period, Part> = BTreeMap::new();
    for row in &table.rows {
        let Some(Value::Period(period)) = row.attribute(0).cloned() else { panic!("{row:?}") };
        let part = parts.entry(period).or_default();
        match row.level {
            0 => part.0 = row.values.to_vec(),
            _ => part.1.push((
                row.attributes().skip(1).cloned().collect(),
                row.rest,
                row.values.to_vec(),
            )),
        }
    }
    parts
}

#[test]
fn a_day_that_can_hardly_be_meant_is_no_last_day() {
    let sales =
        "no,day,item,quantity,worth\n1,2024-05-01,a,2,4\n2,2025-05-02,a,3,4\n3,2925-01-01,a,9,4\n";
    let folder = Folder::with(&[("interligo.toml", PLAN), ("sales.csv", sales)]);
    let project = folder.project();
    let requests = project.page_requests().unwrap();
    let job = project.prepare(&requests, Extent::Everything, OnDuplicates::Stop).unwrap();
    let ran = run(&project, &job, Parallelism::default(), OnStop::Stop, &|_, _| {}).unwrap();
    let page = project.page_of(&job, &ran, None, Some("Title"));
    assert_eq!(page.title, "Title");
    assert_eq!(page.facts[0].days.1.to_string(), "2025-05-02");
    let last = page.facts[0].years.last().unwrap();
    assert_eq!(
        (last.period.to_string().as_str(), last.values[0]),
        ("2025", Some(Decimal::from(1)))
    );
    assert_eq!(last.before[0], Some(Decimal::from(1)));
}

#[test]
fn a_program_that_draws_no_pages_refuses_a_plan_with_one() {
    let plan = format!("{PLAN}[outputs.page]\nto = \"page.html\"\n");
    let folder = Folder::with(&[
        ("interligo.toml", &plan),
        ("sales.csv", "no,day,item,quantity,worth\n1,2024-05-01,a,2,4\n"),
    ]);
    let error = folder.project().run_outputs().err().unwrap();
    assert_eq!(error.to_string(), "the plan has a page, and this program draws none");
    assert!(!folder.has("page.html"));
    let mut project = folder.project();
    project.draw_pages_with(|page| page.title.clone().into_bytes());
    project.run_outputs().unwrap();
    assert_eq!(folder.content("page.html"), "interligo");
}
