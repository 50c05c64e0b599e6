//! Lookups: one row per key, or per key and period, and what was settled on the way.

use std::collections::BTreeSet;

use interligo_engine::bind::{BoundLookup, ColumnNames, TableColumns, bind};
use interligo_engine::links::LinkStatus;
use interligo_engine::lookup::{LeftOut, Lookup};
use interligo_model::plan::Plan;
use interligo_model::values::value::Value;
use proptest::prelude::*;

use crate::support::{engine, raw, run_whole, table, tables};

fn bound(settings: &str, columns: &str) -> BoundLookup {
    let plan = format!(
        "[tables.sales]\nrole = 'fact'\nfrom = 's.csv'\n[tables.prices]\nfrom = 'p.csv'\nkey = 'sku'\n{settings}\n\
         [[link]]\npath = 'sales.item -> prices.sku{}'\n[figures]\nx = 'quantity * prices.price'\n",
        if settings.contains("valid") { " as of day" } else { "" }
    );
    bound_by(&plan, columns)
}

/// The lookup of a plan in which sales look up prices.
fn bound_by(plan: &str, columns: &str) -> BoundLookup {
    let mut column_names = ColumnNames::default();
    for (name, columns) in [("sales", "item,day,quantity"), ("prices", columns)] {
        let names = columns.split(',').map(str::to_owned).collect();
        column_names.0.insert(name.into(), TableColumns { names, slots: BTreeSet::new() });
    }
    bind(&Plan::parse(plan).unwrap(), &column_names, &[], &BTreeSet::new()).unwrap()[0]
        .lookups
        .remove(0)
}

fn settle(settings: &str, text: &str) -> Lookup {
    let rows = table(text);
    let bound = bound(settings, &rows[0].join(","));
    Lookup::settle(raw("prices.csv", &rows), &bound).unwrap()
}

/// Key, places, differing columns and the row that is valid, of each duplicate.
fn duplicates(lookup: &Lookup) -> Vec<String> {
    let one = |d: &interligo_engine::lookup::Duplicate| {
        let places: Vec<String> = d.places.iter().map(ToString::to_string).collect();
        format!(
            "{} {} [{}] {}",
            d.key,
            places.join(" "),
            d.differing.join(" "),
            d.held.as_ref().map_or("-".to_owned(), ToString::to_string)
        )
    };
    lookup.duplicates.iter().map(one).collect()
}

#[test]
fn duplicates_are_told_apart_and_settled_by_the_rule() {
    const ROWS: &str = "sku,price,note\nA,1.50,x\nB,2,y\n A,1.5,x\nB,3,y\nB,2,z\nC,4,";
    for (rule, expected) in [
        (
            "",
            [
                "A prices.csv:2 prices.csv:4 [] prices.csv:2",
                "B prices.csv:3 prices.csv:5 prices.csv:6 [price note] -",
            ],
        ),
        (
            "duplicates = 'first'",
            [
                "A prices.csv:2 prices.csv:4 [] prices.csv:2",
                "B prices.csv:3 prices.csv:5 prices.csv:6 [price note] prices.csv:3",
            ],
        ),
        (
            "duplicates = 'last'",
            [
                "A prices.csv:2 prices.csv:4 [] prices.csv:2",
                "B prices.csv:3 prices.csv:5 prices.csv:6 [price note] prices.csv:6",
            ],
        ),
        (
            "duplicates = 'largest price'",
            [
                "A prices.csv:2 prices.csv:4 [] prices.csv:2",
                "B prices.csv:3 prices.csv:5 prices.csv:6 [price note] prices.csv:5",
            ],
        ),
        (
            // Two rows have the smallest price and differ: no rule decides.
            "duplicates = 'smallest price'",
            [
                "A prices.csv:2 prices.csv:4 [] prices.csv:2",
                "B prices.csv:3 prices.csv:5 prices.csv:6 [price note] -",
            ],
        ),
    ] {
        assert_eq!(duplicates(&settle(rule, ROWS)), expected, "{rule}");
    }
}

#[test]
fn a_difference_in_a_column_that_nothing_uses_is_a_difference() {
    assert_eq!(
        duplicates(&settle("", "sku,price,note\nA,1,x\nA,1,y")),
        ["A prices.csv:2 prices.csv:3 [note] -"]
    );
    // Two values that cannot be read are two.
    assert_eq!(
        duplicates(&settle("", "sku,price\nA,q\nA,r\nB,1\nC,2\nD,3")),
        ["A prices.csv:2 prices.csv:3 [price] -"]
    );
}

#[test]
fn what_duplicates_do_not_agree_on_can_be_blank() {
    let lookup = settle("duplicates = 'blank'", "sku,price,note\nA,1.50,x\nA,1.5,y\nB,2,z\nB,3,z");
    let column = lookup.columns.iter().position(|column| column.name == "price").unwrap();
    assert_eq!([0, 2].map(|row| lookup.text(column, row)), ["1.50", ""]);
    let held = lookup.columns[column].column.as_ref().unwrap();
    assert!(!held.value(0).is_blank() && held.value(2).is_blank());
}

#[test]
fn the_same_key_in_another_period_is_no_duplicate() {
    let valid = "valid = { from = 'since', until = 'until' }\nduplicates = 'last'";
    let lookup = settle(
        valid,
        "sku,since,until,price\nA,2025-01-01,2025-01-31,1\nA,2025-02-01,,2\nA,2025-01-01,2025-01-31,3\nA,,2024-12-31,4",
    );
    assert_eq!(duplicates(&lookup), ["A prices.csv:2 prices.csv:4 [price] prices.csv:4"]);
}

#[test]
fn rows_without_key_or_period_are_left_out_and_counted() {
    let valid = "valid = { from = 'since', until = 'until' }";
    let lookup = settle(
        valid,
        "sku,since,until,price\n,2025-01-01,,1\nA,soon,,2\nA,2025-02-01,2025-01-01,3\nB,2025-01-01,,x\nC,2025-01-01,,9\nD,2025-01-01,,9",
    );
    let left_out: Vec<(LeftOut, String)> =
        lookup.left_out.iter().map(|(why, places)| (*why, places[0].to_string())).collect();
    assert_eq!(
        left_out,
        [
            (LeftOut::BlankKey, "prices.csv:2".to_owned()),
            (LeftOut::UnreadablePeriod, "prices.csv:3".to_owned()),
            (LeftOut::PeriodReversed, "prices.csv:4".to_owned()),
        ]
    );
    let unreadable: Vec<String> = lookup.unreadable.iter().map(ToString::to_string).collect();
    assert_eq!(unreadable, ["prices.csv:5 `price` has `x`"]);
}

#[test]
fn a_column_of_something_else_altogether_is_refused() {
    let rows = table("sku,price\nA,cheap\nB,dear\nC,1");
    let Err(mismatch) = Lookup::settle(raw("prices.csv", &rows), &bound("", "sku,price")) else {
        panic!("prices of words were taken for numbers");
    };
    assert_eq!(
        mismatch.message,
        "the plan needs numbers (1234.56) in `prices.price`, but it contains `cheap`"
    );
}

#[test]
fn keys_are_read_back_whether_they_have_a_shape_or_not() {
    for keys in [
        ["BO-007", "BO-001", "BO-120"],
        ["BO-007", "BO-008", "BO-009"],
        ["BO-007", "B7", "\u{fc}x"],
    ] {
        let rows = keys.map(|key| format!("{key},1.50"));
        let lookup = settle("", &format!("sku,price\n{}", rows.join("\n")));
        for (row, key) in (0..).zip(keys) {
            assert_eq!(lookup.text(0, row), key);
            assert_eq!(lookup.value(0, row), Value::Text(key.into()));
        }
        let columns: Vec<usize> = lookup.held_columns().iter().map(|(column, _)| *column).collect();
        assert_eq!(columns, [0, 1]);
        let unused: Vec<String> =
            lookup.unused_keys(&[false, true, false]).into_iter().map(|(key, _)| key).collect();
        assert_eq!(unused, [keys[0], keys[2]]);
    }
}

#[test]
fn an_empty_lookup_holds_no_key() {
    let lookup = settle("", "sku,price");
    assert_eq!((lookup.rows, lookup.duplicates.len()), (0, 0));
}

#[test]
fn columns_are_unique_as_far_as_they_are_filled() {
    let is_unique = |prices: &str, columns: &[usize]| settle("", prices).is_unique(columns);
    let same = "sku,price,note\nA,1,x\nB, 1 ,x\nC,2,x";
    // As they are compared: without stray spaces.
    assert!(is_unique(same, &[0]) && !is_unique(same, &[1]) && is_unique(same, &[1, 0]));
    assert!(is_unique("sku,price,note\nA,1,x\nB,,x\nC,,x", &[1]), "blanks are no keys");
}

/// A list that is long enough to be scanned side by side, in either order of its rows: each line gets the price of
/// its key and day.
#[test]
fn a_long_price_list_has_the_price_of_each_key_and_day() {
    const PLAN: &str = "[tables.sales]\nrole = 'fact'\nfrom = 'sales.csv'\n\
        [tables.prices]\nfrom = 'prices.csv'\nkey = 'sku'\nvalid = { from = 'since', until = 'until' }\n\
        [[link]]\npath = 'sales.item -> prices.sku as of day'\n\
        [figures]\ncost = 'quantity * prices.price'\n";
    let (keys, periods) = (300i64, 1_200i64);
    let start = |period: i64| jiff::civil::date(2000, 1, 1) + jiff::Span::new().days(period * 3);
    let price = |key: i64, period: i64| key * 31 % 97 + period * 7 % 89 + 1;
    let row = |key: i64, period: i64| {
        let until = start(period + 1) - jiff::Span::new().days(1);
        format!("K{key},{},{until},{}", start(period), price(key, period))
    };
    let by_key = (0..keys).flat_map(|key| (0..periods).map(move |period| (key, period)));
    let by_period = (0..periods).flat_map(|period| (0..keys).map(move |key| (key, period)));
    let sold: Vec<(i64, i64)> = (0..400).map(|n| (n * 7 % keys, n * 53 % periods)).collect();
    let sales = sold.iter().map(|(key, period)| format!("K{key},{},1", start(*period)));
    let sales: Vec<String> = ["item,day,quantity".to_owned()].into_iter().chain(sales).collect();
    let expected: i64 = sold.iter().map(|(key, period)| price(*key, *period)).sum();
    for rows in [by_key.collect::<Vec<_>>(), by_period.collect()] {
        let rows = rows.into_iter().map(|(key, period)| row(key, period));
        let list: Vec<String> =
            ["sku,since,until,price".to_owned()].into_iter().chain(rows).collect();
        let tables = tables(&[("sales", &sales.join("\n")), ("prices", &list.join("\n"))]);
        let engine = engine(PLAN, &tables, &[], &["lines", "cost", "blank(cost)"]);
        let (_, totals) = run_whole(&engine, &tables);
        let values: Vec<String> = totals.whole.values.iter().map(ToString::to_string).collect();
        assert_eq!(values, ["400".to_owned(), expected.to_string(), "0".to_owned()]);
    }
}

/// The parts of a key, with or without stray spaces, and blank ones.
/// The sum of the costs of lines for some items, where each item has a price and a factor by the code of that price.
fn costs_by_a_chain(prices: &str, factors: &str, items: &[&str]) -> String {
    const PLAN: &str = "[tables.sales]\nrole = 'fact'\nfrom = 'sales.csv'\n\
        [tables.prices]\nfrom = 'prices.csv'\nkey = 'sku'\n[tables.factors]\nfrom = 'factors.csv'\nkey = 'code'\n\
        [figures]\ncost = 'quantity * prices.price * factors.factor'\n\
        [[link]]\npath = 'sales.item -> prices.sku'\n[[link]]\npath = 'prices.sku -> factors.code'\n";
    let sales: Vec<String> = items.iter().map(|item| format!("{item},1")).collect();
    let sales = format!("item,quantity\n{}", sales.join("\n"));
    let tables = tables(&[("sales", &sales), ("prices", prices), ("factors", factors)]);
    let engine = engine(PLAN, &tables, &[], &["cost"]);
    run_whole(&engine, &tables).1.whole.values[0].to_string()
}

#[test]
fn a_link_may_start_from_the_key_of_its_table() {
    let prices = "sku,price\nA-01,2\nA-02,3\nA-03,5";
    let factors = "code,factor\nA-01,1\nA-02,10\nA-03,100";
    assert_eq!(costs_by_a_chain(prices, factors, &["A-02", "A-03", "A-01"]), "532");
}

#[test]
fn keys_of_a_shape_are_cleaned_like_others() {
    let prices = "sku,price\nA  01,2\nA  02,3\nA  03,5";
    let factors = "code,factor\nA 01,1\nA 02,10\nA 03,100";
    assert_eq!(costs_by_a_chain(prices, factors, &["A 02", "A 03", "A  01"]), "532");
}

fn parts() -> impl Strategy<Value = Vec<String>> {
    prop::collection::vec("|[ab]|[ab] |[ab]{2}|[ab]{13}", 2)
}

#[test]
fn keys_of_two_columns_are_read_back() {
    let plan = "[tables.sales]\nrole = 'fact'\nfrom = 's.csv'\n[tables.prices]\nfrom = 'p.csv'\nkey = ['sku', 'site']\n\
         [[link]]\npath = 'sales.item + day -> prices.sku + site'\n[figures]\nx = 'quantity * prices.price'\n";
    let in_order = ["A0,S1,1", "A0,S2,1", "A1,S1,1", "A1,S2,1"];
    let not_in_order = ["A1,S1,1", "A0,S2,1", "A0,S1,1", "A1,S2,1"];
    for rows in [in_order, not_in_order] {
        let text = format!("sku,site,price\n{}", rows.join("\n"));
        let lookup =
            Lookup::settle(raw("prices.csv", &table(&text)), &bound_by(plan, "sku,site,price"));
        let lookup = lookup.unwrap();
        for (row, expected) in (0..).zip(rows) {
            let texts: Vec<String> = (0..3).map(|column| lookup.text(column, row)).collect();
            assert_eq!(texts.join(","), expected);
        }
        let unused = lookup.unused_keys(&[true, false, true, true]);
        assert_eq!(unused[0].0, rows[1][..5].replace(',', " + "));
    }
}

proptest! {
    /// The keys of a lookup and their rows against a scan: by one column or two, each key once or several times.
    #[test]
    fn prop_keys_are_those_of_a_scan(
        rows in prop::collection::vec(parts(), 0..30), both in any::<bool>(), distinct in any::<bool>(),
        used in prop::collection::vec(any::<bool>(), 30),
    ) {
        let width = if both { 2 } else { 1 };
        let key_of = |row: &[String]| -> Vec<String> {
            row[..width].iter().map(|part| part.trim().to_owned()).collect()
        };
        let mut rows = rows;
        if distinct {
            let mut seen = BTreeSet::new();
            rows.retain(|row| !key_of(row).contains(&String::new()) && seen.insert(key_of(row)));
        }
        let (key, path) = match both {
            true => ("['sku', 'site']", "sales.item + day -> prices.sku + site"),
            false => ("'sku'", "sales.item -> prices.sku"),
        };
        let plan = format!(
            "[tables.sales]\nrole = 'fact'\nfrom = 's.csv'\n[tables.prices]\nfrom = 'p.csv'\nkey = {key}\n\
             duplicates = 'first'\n[[link]]\npath = '{path}'\n[figures]\nx = 'quantity * prices.price'\n",
        );
        let names = ["sku", "site", "price"].map(str::to_owned).to_vec();
        let filled = rows.iter().map(|row| [row.as_slice(), &["1".to_owned()]].concat());
        let all: Vec<Vec<String>> = [names].into_iter().chain(filled).collect();
        let lookup = Lookup::settle(raw("prices.csv", &all), &bound_by(&plan, "sku,site,price")).unwrap();

        let mut expected: Vec<(Vec<String>, usize, Vec<usize>)> = Vec::new();
        for (number, row) in rows.iter().enumerate().filter(|(_, row)| !key_of(row).contains(&String::new())) {
            match expected.iter_mut().find(|(key, ..)| *key == key_of(row)) {
                Some((.., further)) => further.push(number),
                None => expected.push((key_of(row), number, Vec::new())),
            }
        }
        // Only the row that holds counts: the first.
        let unused = expected.iter().filter(|(_, first, _)| !used[*first]);
        let unused: Vec<(String, String)> = unused
            .map(|(_, first, _)| {
                let shown = rows[*first][..width].join(" + ");
                (shown.trim().to_owned(), format!("prices.csv:{}", first + 2))
            })
            .collect();
        let found = lookup.unused_keys(&used).into_iter().map(|(key, place)| (key, place.to_string()));
        prop_assert_eq!(found.collect::<Vec<_>>(), unused);
        let several = expected.iter().filter(|(.., further)| !further.is_empty()).count();
        prop_assert_eq!(lookup.duplicates.len(), several);
        let blank = lookup.left_out.get(&LeftOut::BlankKey).map_or(0, Vec::len);
        prop_assert_eq!(blank, rows.iter().filter(|row| key_of(row).contains(&String::new())).count());
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]
    /// Each line gets the price of the first row of its key, whether keys have a shape or not, and however many rows
    /// before it share theirs.
    #[test]
    fn prop_lines_find_the_row_of_their_key(
        keys in prop_oneof![
            prop::collection::vec("K-[0-4]", 1..12),
            prop::collection::vec("K-[0-4]|K-1 |[ab]{1,13}", 1..12),
        ],
        sold in prop::collection::vec("[kK]-[0-5]|[ab]{1,13}", 1..12), any_case in any::<bool>(),
    ) {
        const PLAN: &str = "[tables.sales]\nrole = 'fact'\nfrom = 'sales.csv'\n\
            [tables.prices]\nfrom = 'prices.csv'\nkey = 'sku'\nduplicates = 'first'\n\
            [figures]\ncost = 'quantity * prices.price'\n\
            [[link]]\npath = 'sales.item -> prices.sku'\n";
        let plan = format!("{PLAN}{}", if any_case { "ignore = ['case']\n" } else { "" });
        let form = |key: &str| match any_case {
            true => key.trim().to_lowercase(),
            false => key.trim().to_owned(),
        };
        let prices = (1i64..).zip(&keys).map(|(price, key)| format!("{key},{price}"));
        let prices: Vec<String> = ["sku,price".to_owned()].into_iter().chain(prices).collect();
        let sales = sold.iter().chain(&keys).map(|key| format!("{key},1"));
        let sales: Vec<String> = ["item,quantity".to_owned()].into_iter().chain(sales).collect();
        let tables = tables(&[("sales", &sales.join("\n")), ("prices", &prices.join("\n"))]);
        let engine = engine(&plan, &tables, &[], &["cost", "blank(cost)"]);
        let (findings, totals) = run_whole(&engine, &tables);
        let values: Vec<String> = totals.whole.values.iter().map(ToString::to_string).collect();

        let price = |key: &String| (1i64..).zip(&keys).find(|(_, own)| form(own) == form(key));
        let found: Vec<i64> =
            sold.iter().chain(&keys).filter_map(price).map(|(price, _)| price).collect();
        let blank = sold.len() + keys.len() - found.len();
        prop_assert_eq!(values, [found.iter().sum::<i64>().to_string(), blank.to_string()]);
        // A key is found as it is written where the first row of its key writes it so.
        let is_exact = |key: &&String| keys.iter().find(|own| own.trim() == key.trim()) == Some(*key);
        let exact = sold.iter().chain(&keys).filter(is_exact).count();
        prop_assert_eq!(findings.links[0][LinkStatus::Exact as usize], exact as u64);
    }
}
