//! Laws of totals, against a plain way of counting: parts make the whole, rows and columns change places, earlier
//! times and running sums are those of a scan over all lines, and batches and workers do not matter.

use std::collections::{BTreeMap, BTreeSet};

use interligo_engine::bind::{Request, TotalsRequest};
use interligo_engine::totals::{TotalsRow, TotalsTable};
use interligo_model::plan::Written;
use interligo_model::values::value::Value;
use jiff::ToSpan;
use jiff::civil::Date;
use proptest::prelude::*;

use crate::support::{engine_for, run, tables};

const PLAN: &str = "[tables.sales]\nrole = 'fact'\nfrom = 'sales.csv'\n\
    [figures]\nmargin = 'profit / revenue'\n\
    [bands.size]\nof = 'revenue'\nedges = [0, 50]\n";

/// A sales line: region, item, day, revenue and profit; the last two may be blank.
#[derive(Clone, Debug)]
struct Line {
    region: &'static str,
    item: &'static str,
    day: Date,
    revenue: Option<i64>,
    profit: Option<i64>,
}

fn line() -> impl Strategy<Value = Line> {
    let region = prop::sample::select(vec!["Coast", "Hills", ""]);
    let item = prop::sample::select(vec!["A", "B", "C", "D"]);
    let day = (0i32..900).prop_map(|days| jiff::civil::date(2023, 11, 20) + days.days());
    let amount = || prop::option::weighted(0.9, -20i64..120);
    (region, item, day, amount(), amount()).prop_map(|(region, item, day, revenue, profit)| Line {
        region,
        item,
        day,
        revenue,
        profit,
    })
}

fn written(texts: &[&str]) -> Vec<Written> {
    texts.iter().map(|text| Written::in_option("test", text, 0..text.len())).collect()
}

fn asked(by: &[&str], show: &[&str]) -> TotalsRequest {
    TotalsRequest { by: written(by), show: Some(written(show)), ..TotalsRequest::default() }
}

/// The table of a request over lines, dealt out to this many workers in batches of these sizes.
fn totals_in(
    lines: &[Line],
    request: TotalsRequest,
    sizes: &[usize],
    workers: usize,
) -> TotalsTable {
    let amount = |amount: Option<i64>| amount.map_or(String::new(), |a| a.to_string());
    let rows = lines.iter().map(|l| {
        format!("{},{},{},{},{}", l.region, l.item, l.day, amount(l.revenue), amount(l.profit))
    });
    // A line of a kind of its own, which says what the columns hold.
    let column_name = ["region,item,day,revenue,profit".to_owned()];
    let text = column_name.into_iter().chain(rows).collect::<Vec<_>>().join("\n");
    let tables = tables(&[("sales", &text)]);
    let request = Request::of_totals("totals", request);
    run(&engine_for(PLAN, &tables, request), &tables, sizes, workers).1
}

fn totals(lines: &[Line], request: TotalsRequest) -> TotalsTable {
    totals_in(lines, request, &[7, 3], 2)
}

/// The rows as texts: attributes, then values.
fn rows(table: &TotalsTable) -> Vec<Vec<String>> {
    let row = |row: &TotalsRow| row.cells().map(ToString::to_string).collect();
    table.rows.iter().map(row).collect()
}

/// Lines that say what the columns hold, whatever follows.
fn with_types(lines: Vec<Line>) -> Vec<Line> {
    let day = jiff::civil::date(2024, 2, 29);
    let first = Line { region: "Coast", item: "A", day, revenue: Some(10), profit: Some(4) };
    [first].into_iter().chain(lines).collect()
}

fn month(day: Date) -> (i16, i8) {
    (day.year(), day.month())
}

fn shown_month((year, month): (i16, i8)) -> String {
    format!("{year:04}-{month:02}")
}

fn sum<'l>(lines: impl Iterator<Item = &'l Line>) -> Option<i64> {
    lines.filter_map(|line| line.revenue).reduce(|a, b| a + b)
}

fn text(number: Option<i64>) -> String {
    number.map_or(String::new(), |number| number.to_string())
}

fn lines() -> impl Strategy<Value = Vec<Line>> {
    prop::collection::vec(line(), 0..60).prop_map(with_types)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(96))]

    #[test]
    fn prop_batches_and_workers_change_nothing(lines in lines(), size in 1usize..20) {
        let request = || TotalsRequest {
            across: written(&["year(day)"]),
            sort: written(&["-revenue", "item"]),
            ..asked(
                &["region > item"],
                &["lines", "revenue", "margin", "count(distinct day)", "min(day)", "max(revenue)",
                  "avg(profit)", "median(profit)", "blank(profit)", "share(revenue)", "running(revenue)", "year_before(revenue)"],
            )
        };
        let once = totals_in(&lines, request(), &[1000], 1);
        prop_assert_eq!(&once, &totals_in(&lines, request(), &[size, 1], 3));
        let mut turned = lines.clone();
        turned.reverse();
        prop_assert_eq!(&once, &totals_in(&turned, request(), &[size], 2));
    }

    /// Rows that meet a condition are those of the table without it; the others of each level are one row, and the whole stays.
    #[test]
    fn prop_rows_are_chosen_by_what_is_shown_of_them(lines in lines(), least in 0i64..60, few in 0i64..6) {
        let asked = || asked(&["region > item"], &["lines", "revenue", "running(lines)"]);
        let having = format!("revenue >= {least} and lines > {few}");
        let request = TotalsRequest { having: written(&[&having]).pop(), ..asked() };
        let (all, chosen) = (totals(&lines, asked()), totals(&lines, request));
        let number = |row: &TotalsRow, at: usize| row.values[at].number().and_then(|n| n.whole());
        let meets = |row: &TotalsRow| {
            number(row, 1).is_some_and(|revenue| revenue >= i128::from(least)) && number(row, 0) > Some(i128::from(few))
        };
        let outer_met = |row: &TotalsRow| all.rows.iter().any(|outer| outer.level == 0 && outer.key[0] == row.key[0] && meets(outer));
        let expected: Vec<_> = all.rows.iter().filter(|row| meets(row) && outer_met(row)).map(|row| &row.key).collect();
        let kept: Vec<_> = chosen.rows.iter().filter(|row| row.rest.is_none()).map(|row| &row.key).collect();
        prop_assert_eq!(kept, expected);
        let of = |table: &TotalsTable| table.rows.iter().filter(|row| row.level == 0).filter_map(|row| number(row, 0)).sum::<i128>();
        prop_assert_eq!(of(&chosen), of(&all));
        prop_assert_eq!(&chosen.whole.values[..2], &all.whole.values[..2]);
        prop_assert!(chosen.not_adding_up().is_empty());
        let rest: u64 = chosen.rows.iter().filter(|row| row.level == 0).filter_map(|row| row.rest).sum();
        let outer = all.rows.iter().filter(|row| row.level == 0).count() as u64;
        prop_assert_eq!(rest + chosen.rows.iter().filter(|row| row.level == 0 && row.rest.is_none()).count() as u64, outer);
    }

    #[test]
    fn prop_the_parts_make_the_whole_on_every_level(lines in lines()) {
        let table = totals(&lines, asked(&["region > item > month(day)"], &["lines", "revenue"]));
        let number = |value: &Value<'_>| value.number().and_then(|n| n.whole()).unwrap_or(0);
        for measure in 0..2 {
            let mut levels: BTreeMap<usize, i128> = BTreeMap::new();
            for row in &table.rows {
                *levels.entry(row.level).or_default() += number(&row.values[measure]);
            }
            let whole = number(&table.whole.values[measure]);
            prop_assert_eq!(levels.into_values().collect::<Vec<_>>(), vec![whole; 3]);
        }
        prop_assert_eq!(table.whole.values[1].to_string(), text(sum(lines.iter())));
        // A subtotal comes before what it sums up, and is what the lines come to.
        for row in &table.rows {
            let keys: Vec<String> = row.key.iter().map(ToString::to_string).collect();
            let of = lines.iter().filter(|line| {
                let own = [line.region.to_owned(), line.item.to_owned(), shown_month(month(line.day))];
                own.starts_with(&keys)
            });
            prop_assert_eq!(row.values[1].to_string(), text(sum(of)));
        }
    }

    #[test]
    fn prop_rows_and_columns_change_places(lines in lines()) {
        let cells = |by: &str, across: &str| {
            let request = TotalsRequest { across: written(&[across]), ..asked(&[by], &["revenue", "margin"]) };
            let table = totals(&lines, request);
            let mut cells: BTreeSet<Vec<String>> = BTreeSet::new();
            for row in &table.rows {
                for (column, value) in table.columns.iter().zip(&row.values) {
                    if let (Some(key), false) = (&column.key, value.is_blank()) {
                        cells.insert(vec![
                            row.key[0].to_string(), key[0].to_string(), column.measure.to_string(), value.to_string(),
                        ]);
                    }
                }
            }
            cells
        };
        let turned: BTreeSet<Vec<String>> = cells("quarter(day)", "item")
            .into_iter()
            .map(|mut cell| { cell.swap(0, 1); cell })
            .collect();
        prop_assert_eq!(cells("item", "quarter(day)"), turned);
    }

    #[test]
    fn prop_a_ratio_of_totals_is_the_quotient_of_what_both_know(lines in lines()) {
        for row in rows(&totals(&lines, asked(&["item"], &["margin"]))) {
            let known = lines.iter().filter(|l| l.item == row[0]).filter_map(|l| Some((l.profit?, l.revenue?)));
            // A line without revenue has no margin of its own, and takes part in that of its group.
            let (profit, revenue) = known.fold((0, 0), |(a, b), (p, r)| (a + p, b + r));
            let margin = interligo_model::values::decimal::Decimal::from(profit).checked_div(revenue.into(), 12);
            prop_assert_eq!(&row[1], &margin.map_or(String::new(), |m| m.trimmed(0).to_string()));
        }
    }

    #[test]
    fn prop_counts_and_extremes_are_those_of_a_scan(lines in lines()) {
        let show = ["count(distinct day)", "min(day)", "max(revenue)", "count(profit)", "blank(profit)", "avg(revenue)", "median(revenue)"];
        for row in rows(&totals(&lines, asked(&["region"], &show))) {
            let of: Vec<&Line> = lines.iter().filter(|line| line.region == row[0]).collect();
            let days: BTreeSet<Date> = of.iter().map(|line| line.day).collect();
            let known = of.iter().filter(|line| line.profit.is_some()).count();
            let mut revenues: Vec<i64> = of.iter().filter_map(|line| line.revenue).collect();
            let average = interligo_model::values::decimal::Decimal::from(revenues.iter().sum::<i64>())
                .checked_div((revenues.len() as i64).into(), 12)
                .filter(|_| !revenues.is_empty());
            revenues.sort_unstable();
            let in_middle = |at: usize| revenues.get(at).copied().unwrap_or_default();
            let twice = in_middle(revenues.len() / 2) + in_middle(revenues.len().saturating_sub(1) / 2);
            let median = interligo_model::values::decimal::Decimal::new((twice * 5).into(), 1).unwrap().trimmed(0);
            prop_assert_eq!(&row[1..], &[
                days.len().to_string(),
                days.first().map_or(String::new(), ToString::to_string),
                text(revenues.iter().max().copied()),
                known.to_string(),
                (of.len() - known).to_string(),
                average.map_or(String::new(), |a| a.trimmed(0).to_string()),
                if revenues.is_empty() { String::new() } else { median.to_string() },
            ]);
        }
    }

    #[test]
    fn prop_earlier_times_and_running_sums_are_those_of_a_scan(lines in lines(), of_year in prop::option::of(2024i16..2026)) {
        let show = [
            "revenue", "year_before(revenue)", "period_before(revenue)", "year_to_date(revenue)",
            "quarter_to_date(revenue)", "running(revenue)",
        ];
        let condition = of_year.map(|year| format!("year(day) = '{year}'"));
        let filter = condition.as_deref().map(|text| written(&[text]).remove(0));
        let table = totals(&lines, TotalsRequest { filter, ..asked(&["region", "month(day)"], &show) });
        let meets = |month: (i16, i8)| of_year.is_none_or(|year| month.0 == year);
        let last = lines.iter().map(|line| month(line.day)).filter(|m| meets(*m)).max();
        let of = |region: &str, wanted: (i16, i8)| {
            sum(lines.iter().filter(|line| line.region == region && month(line.day) == wanted))
        };
        let has = |region: &str, wanted: (i16, i8)| {
            lines.iter().any(|line| line.region == region && month(line.day) == wanted)
        };
        let before = |(year, month): (i16, i8)| if month == 1 { (year - 1, 12) } else { (year, month - 1) };
        let regions: BTreeSet<(bool, &str)> = lines.iter().map(|l| (l.region.is_empty(), l.region)).collect();
        let mut expected = Vec::new();
        let add = |a: Option<i64>, b: Option<i64>| a.map_or(b, |a| Some(a + b.unwrap_or(0)));
        for (_, region) in regions {
            let (mut running, mut to_year, mut to_quarter) = (None, None, None);
            for at in (0..40).map(|m| (2023 + (m + 10) / 12, ((m + 10) % 12 + 1) as i8)) {
                if at.1 == 1 { to_year = None; }
                if at.1 % 3 == 1 { to_quarter = None; }
                let own = of(region, at).filter(|_| meets(at));
                (running, to_year, to_quarter) = (add(running, own), add(to_year, own), add(to_quarter, own));
                let there = [at, (at.0 - 1, at.1), before(at)].into_iter().any(|m| has(region, m));
                if !there || !meets(at) || last.is_some_and(|last| at > last) {
                    continue;
                }
                expected.push(vec![
                    region.to_owned(), shown_month(at), text(own), text(of(region, (at.0 - 1, at.1))),
                    text(of(region, before(at))), text(to_year), text(to_quarter), text(running),
                ]);
            }
        }
        if last.is_some() {
            prop_assert_eq!(rows(&table), expected);
        }
    }

    /// From the first month that has lines or that the condition begins with, to the last of either.
    #[test]
    fn prop_all_periods_are_those_of_lines_and_condition(
        lines in lines(), from in 1i16..40, length in 0i16..15, form in 0usize..8,
    ) {
        let at = |months: i16| (2023 + months / 12, (months % 12 + 1) as i8);
        let (first, last) = (at(from), at(from + length));
        let (a, b) = (shown_month(first), shown_month(last));
        let (year, of_year) = (first.0, ((first.0, 1), (first.0, 12)));
        let (condition, (start, end)) = match form {
            0 => (format!("month(day) between '{a}' and '{b}'"), (Some(first), Some(last))),
            1 => (format!("day >= '{a}-01' and month(day) <= '{b}'"), (Some(first), Some(last))),
            2 => (format!("'{a}' < month(day)"), (Some(at(from + 1)), None)),
            3 => (format!("month(day) < '{b}' and revenue > 5"), (None, Some(at(from + length - 1)))),
            4 => (format!("year(day) = '{year}'"), (Some(of_year.0), Some(of_year.1))),
            5 => (format!("month(day) = '{b}' or month(day) in ('{a}')"), (Some(first), Some(last))),
            6 => (format!("not month(day) > '{b}'"), (None, None)),
            _ => (format!("month(day) = '{a}' or region = 'Hills'"), (None, None)),
        };
        let meets = |line: &&Line| {
            let at = month(line.day);
            match form {
                0 | 1 => first <= at && at <= last,
                2 => first < at,
                3 => at < last && line.revenue.is_some_and(|revenue| revenue > 5),
                4 => at.0 == year,
                5 => at == first || at == last,
                6 => at <= last,
                _ => at == first || line.region == "Hills",
            }
        };
        let filter = Some(written(&[&condition]).remove(0));
        let all_periods = Some(written(&["all"]).remove(0));
        let request = TotalsRequest { filter, all_periods, ..asked(&["month(day)"], &["lines"]) };
        let met: Vec<(i16, i8)> = lines.iter().filter(meets).map(|line| month(line.day)).collect();
        let start = met.iter().copied().chain(start).min().filter(|_| !met.is_empty());
        let end = met.iter().copied().chain(end).max();
        let months = (0..1200).map(at).filter(|at| start.is_some_and(|start| start <= *at) && Some(*at) <= end);
        let expected: Vec<Vec<String>> = months.map(|at| {
            let count = met.iter().filter(|month| **month == at).count();
            vec![shown_month(at), if count == 0 { String::new() } else { count.to_string() }]
        }).collect();
        prop_assert_eq!(rows(&totals(&lines, request)), expected, "{}", condition);
    }

    #[test]
    fn prop_the_first_and_the_rest_are_all(lines in lines(), top in 1usize..4) {
        let all = totals(&lines, TotalsRequest { sort: written(&["-revenue", "item"]), ..asked(&["item"], &["revenue"]) });
        let few = totals(&lines, TotalsRequest {
            sort: written(&["-revenue", "item"]),
            top: Some((written(&["top"]).remove(0), top)),
            ..asked(&["item"], &["revenue"])
        });
        prop_assert_eq!(&few.whole, &all.whole);
        let whole = all.rows.len() <= top + 1;
        prop_assert_eq!(few.rows.len(), if whole { all.rows.len() } else { top + 1 });
        if whole {
            prop_assert_eq!(&few.rows, &all.rows);
        } else {
            prop_assert_eq!(&few.rows[..top], &all.rows[..top]);
            let rest = few.rows.last().unwrap();
            prop_assert_eq!(rest.rest, Some((all.rows.len() - top) as u64));
            let named: BTreeSet<String> = few.rows[..top].iter().map(|row| row.key[0].to_string()).collect();
            let others = lines.iter().filter(|line| !named.contains(line.item));
            prop_assert_eq!(rest.values[0].to_string(), text(sum(others)));
        }
        let revenues: Vec<Option<i128>> = all.rows.iter().map(|row| row.values[0].number().and_then(|n| n.whole())).collect();
        prop_assert!(revenues.is_sorted_by(|a, b| a.is_some() >= b.is_some() && (a >= b)));
    }
}

#[test]
fn bands_stand_in_the_order_of_their_edges() {
    let at = |revenue: i64| Line {
        region: "Coast",
        item: "A",
        day: jiff::civil::date(2025, 1, 1),
        revenue: Some(revenue),
        profit: Some(1),
    };
    let lines = [at(60), at(-3), at(0), at(50), at(49)];
    let table = totals(&lines, asked(&["size"], &["lines"]));
    assert_eq!(rows(&table), [["under 0", "1"], ["0 to under 50", "2"], ["50 and over", "2"]]);
}

#[test]
fn periods_without_lines_are_shown_when_asked() {
    let at = |region, day| Line { region, item: "A", day, revenue: Some(1), profit: None };
    let lines =
        [at("Coast", jiff::civil::date(2024, 11, 5)), at("Hills", jiff::civil::date(2025, 2, 1))];
    let all_periods = Some(written(&["all"]).remove(0));
    let request = TotalsRequest { all_periods, ..asked(&["region", "month(day)"], &["revenue"]) };
    let months = ["2024-11", "2024-12", "2025-01", "2025-02"];
    let found = rows(&totals(&lines, request.clone()));
    let named: Vec<(&str, &str)> =
        found.iter().map(|row| (row[0].as_str(), row[1].as_str())).collect();
    let expected: Vec<(&str, &str)> = ["Coast", "Hills"]
        .into_iter()
        .flat_map(|region| months.into_iter().map(move |month| (region, month)))
        .collect();
    assert_eq!(named, expected);
    // Across, the columns are there; years follow from months.
    let across =
        TotalsRequest { by: written(&["region"]), across: written(&["month(day)"]), ..request };
    assert_eq!(totals(&lines, across.clone()).columns.len(), 5);
    let leveled =
        TotalsRequest { by: written(&["year(day) > month(day)"]), across: Vec::new(), ..across };
    let keys: Vec<String> = totals(&lines, leveled)
        .rows
        .iter()
        .map(|row| row.key.last().unwrap().to_string())
        .collect();
    assert_eq!(keys, ["2024", "2024-11", "2024-12", "2025", "2025-01", "2025-02"]);
}

/// The year before a sum of quarters is the sum of theirs; the quarter before it is nothing.
#[test]
fn the_period_before_is_that_of_a_single_period() {
    let at = |year, month, revenue| Line {
        region: "Coast",
        item: "A",
        day: jiff::civil::date(year, month, 1),
        revenue: Some(revenue),
        profit: None,
    };
    let lines = [at(2024, 1, 1), at(2024, 4, 2), at(2025, 1, 4), at(2025, 4, 8)];
    let show = ["revenue", "year_before(revenue)", "period_before(revenue)"];
    let table = totals(&lines, asked(&["year(day) > quarter(day)"], &show));
    let values: Vec<Vec<String>> =
        table.rows.iter().map(|row| row.values.iter().map(ToString::to_string).collect()).collect();
    assert_eq!(
        values,
        [
            ["3", "", ""],
            ["1", "", ""],
            ["2", "", "1"],
            ["", "", "2"],
            ["12", "3", ""],
            ["4", "1", ""],
            ["8", "2", "4"]
        ]
    );
    let across = TotalsRequest {
        across: written(&["quarter(day)"]),
        ..asked(&[], &["period_before(revenue)"])
    };
    let whole: Vec<String> =
        totals(&lines, across).whole.values.iter().map(ToString::to_string).collect();
    assert_eq!(whole, ["", "1", "2", "", "4", ""]);
}

/// The week of 30 December 2024 is the first of 2025.
#[test]
fn a_week_counts_in_the_year_of_its_thursday() {
    let at = |day, revenue| Line {
        region: "Coast",
        item: "A",
        day,
        revenue: Some(revenue),
        profit: None,
    };
    let lines = [
        at(jiff::civil::date(2024, 12, 23), 1),
        at(jiff::civil::date(2024, 12, 30), 2),
        at(jiff::civil::date(2025, 1, 6), 4),
    ];
    let table = totals(
        &lines,
        asked(&["week(day)"], &["year_to_date(revenue)", "quarter_to_date(revenue)"]),
    );
    assert_eq!(
        rows(&table),
        [["2024-W52", "1", "1"], ["2025-W01", "2", "2"], ["2025-W02", "6", "6"]]
    );
}

/// Pairs of attributes are numbered in another way once there are many; what was met before keeps its number.
#[test]
fn many_groups_are_those_of_a_scan() {
    let line = |n: i64| Line {
        region: "Coast",
        item: ["A", "B"][n as usize % 2],
        day: jiff::civil::date(2023, 1, 1) + (n * 7 % 700).days(),
        revenue: Some(n * n % 311),
        profit: Some(1),
    };
    let lines: Vec<Line> = (0..4_000).map(line).collect();
    let mut expected: BTreeMap<(String, i64, &str), i64> = BTreeMap::new();
    for line in &lines {
        let key = (line.day.to_string(), line.revenue.unwrap(), line.item);
        *expected.entry(key).or_default() += 1;
    }
    let found =
        rows(&totals_in(&lines, asked(&["day", "revenue", "item"], &["profit"]), &[90, 400], 2));
    let expected: Vec<Vec<String>> = expected
        .into_iter()
        .map(|((day, revenue, item), lines)| {
            vec![day, revenue.to_string(), item.to_owned(), lines.to_string()]
        })
        .collect();
    assert_eq!(found, expected);
}
