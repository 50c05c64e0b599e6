//! Laws: how the lines are cut into batches, who works on which, and what is beside them changes
//! nothing.

use proptest::prelude::*;

use crate::support::{
    Tables, engine, engine_for, run, run_both_sides, run_whole, shown, table, tables, tie_out,
    totals_request_where, whole_tie_out,
};

const PLAN: &str = r#"
[tables.sales]
role = "fact"
from = "sales.csv"
[tables.products]
from = "products.csv"
key = "sku"
duplicates = "first"
[tables.families]
from = "families.csv"
key = "code"
[tables.prices]
from = "prices.csv"
key = "sku"
valid = { from = "since", until = "until" }
[[link]]
path = "sales.item -> products.sku"
ignore = ["case"]
missing = "set-aside"
[[link]]
path = "products.family -> families.code"
missing = "fill"
fill = { name = "(none)" }
[[link]]
path = "sales.item -> prices.sku as of day"
ignore = ["case"]
[figures]
revenue = "quantity * prices.price"
cost = "quantity * products.cost"
profit = "revenue - cost"
margin = "profit / revenue"
half = "round(profit / 2, 1)"
size = "if quantity > 3 then 'large' else 'small'"
"#;

const SHOW: [&str; 7] = ["lines", "quantity", "revenue", "cost", "profit", "margin", "half"];

/// A shop with random sales; its lookups have a bit of everything.
fn shop() -> impl Strategy<Value = Tables> {
    let item = prop::sample::select(vec!["A", "a ", "B", "C", "D", "X", ""]);
    let quantity =
        prop::sample::select(vec!["1", "2.5", "-3", "", "x", "4.125", "12", "123456789012345"]);
    let day = prop::sample::select(vec![
        "2025-01-05",
        "2025-01-31",
        "2025-02-01",
        "2025-03-09",
        "",
        "soon",
    ]);
    prop::collection::vec((item, day, quantity), 1..40).prop_map(|lines| {
        let mut tables = tables(&[
            ("sales", "item,day,quantity"),
            ("products", "sku,family,cost\nA,F,0.5\nB,G,1.25\nC,,\nD,F,2\nA,F,0.50"),
            ("families", "code,name\nF,Ferrous"),
            (
                "prices",
                "sku,since,until,price\nA,2025-01-01,2025-01-31,1\nA,2025-02-01,,1.1\nB,,2025-01-31,3.999\nC,2025-01-01,,7\nD,2025-02-01,2025-02-28,0",
            ),
        ]);
        let rows = lines.into_iter().map(|(a, b, c)| [a, b, c].map(str::to_owned).to_vec());
        tables.get_mut("sales").unwrap().extend(rows);
        // At least half of the samples must be what the plan needs.
        for _ in 0..60 {
            tables.get_mut("sales").unwrap().push(table("B,2025-01-02,1").remove(0));
        }
        tables
    })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    #[test]
    fn prop_batches_and_workers_change_nothing(
        shop in shop(), sizes in prop::collection::vec(1usize..30, 1..5), workers in 1usize..4,
    ) {
        let engine = engine(PLAN, &shop, &["families.name", "size", "month(day)"], &SHOW);
        let whole = run_whole(&engine, &shop);
        let split = run(&engine, &shop, &sizes, workers);
        prop_assert_eq!(&split.1, &whole.1);
        prop_assert_eq!(&split.0.keys, &whole.0.keys);
        prop_assert_eq!(tie_out(&engine, &split.0), tie_out(&engine, &whole.0));
        prop_assert_eq!(&split.0.unreadable, &whole.0.unreadable);
    }

    #[test]
    fn prop_every_line_ends_in_exactly_one_way(shop in shop()) {
        let engine = engine(PLAN, &shop, &["item"], &SHOW);
        let (findings, totals) = run_whole(&engine, &shop);
        let lines = (shop["sales"].len() - 1) as u64;
        for counts in &findings.links {
            prop_assert_eq!(counts.iter().sum::<u64>(), lines);
        }
        prop_assert_eq!(totals.lines + findings.lines_aside(), lines);
        let whole = run_both_sides(&engine, &shop, &[usize::MAX >> 1], 1);
        prop_assert_eq!(whole_tie_out(&engine, &whole).open(), Vec::<String>::new());
        // Any line less on either side, and it does not close.
        let mut other = whole.clone();
        other.1.lines.lines += 1;
        prop_assert_ne!(whole_tie_out(&engine, &other).open(), Vec::<String>::new());
        let mut other = whole.clone();
        other.2.sources[0].grouped.sums[0].as_mut().unwrap().add(1.into());
        prop_assert_ne!(whole_tie_out(&engine, &other).open(), Vec::<String>::new());
    }

    #[test]
    fn prop_the_rows_add_up_to_the_whole_and_profit_is_what_is_left(shop in shop()) {
        let engine = engine(PLAN, &shop, &["item", "size"], &["lines", "revenue", "cost", "profit"]);
        let (_, totals) = run_whole(&engine, &shop);
        for measure in 0..3 {
            let mut sum = None;
            for value in totals.rows.iter().filter_map(|row| row.values[measure].number()) {
                sum = Some(sum.map_or(value, |s: interligo_model::values::decimal::Decimal| s.checked_add(value).unwrap()));
            }
            prop_assert_eq!(sum, totals.whole.values[measure].number());
        }
        // On lines that have a price and a cost, profit is revenue less cost, in every group and over all. There are
        // such lines in any shop.
        let request = totals_request_where(
            &["item", "size"], &["revenue", "cost", "profit"], "revenue is not blank and cost is not blank",
        );
        let engine = engine_for(PLAN, &shop, request);
        let (_, totals) = run_whole(&engine, &shop);
        prop_assert!(!totals.rows.is_empty());
        for row in totals.rows.iter().chain([&totals.whole]) {
            let number = |at: usize| row.values[at].number().unwrap();
            prop_assert_eq!(number(0).checked_sub(number(1)).unwrap(), number(2));
        }
    }

    #[test]
    fn prop_the_order_of_lines_changes_no_total(shop in shop(), seed in any::<u64>()) {
        let engine = engine(PLAN, &shop, &["families.name", "day"], &SHOW);
        let mut shuffled = shop.clone();
        let rows = shuffled.get_mut("sales").unwrap();
        let key = |row: &[String]| row.iter().flat_map(|c| c.bytes()).fold(seed, |a, b| (a ^ u64::from(b)).wrapping_mul(0x100_0000_01b3));
        rows[1..].sort_by_key(|row| key(row));
        prop_assert_eq!(run_whole(&engine, &shuffled).1, run_whole(&engine, &shop).1);
    }

    #[test]
    fn prop_a_period_cut_in_two_at_one_price_changes_nothing(shop in shop(), day in 2u32..31, turn in any::<bool>()) {
        let whole = engine(PLAN, &shop, &["item", "month(day)"], &SHOW);
        let expected = run_whole(&whole, &shop);
        let mut cut = shop.clone();
        let prices = cut.get_mut("prices").unwrap();
        prices[1] = table(&format!("A,2025-01-01,2025-01-{:02},1", day - 1)).remove(0);
        prices.push(table(&format!("A,2025-01-{day:02},2025-01-31,1")).remove(0));
        if turn {
            prices[1..].reverse();
        }
        let other = engine(PLAN, &cut, &["item", "month(day)"], &SHOW);
        let found = run_whole(&other, &cut);
        prop_assert_eq!(&found.1, &expected.1);
        prop_assert_eq!(tie_out(&other, &found.0).links, tie_out(&whole, &expected.0).links);
    }

    #[test]
    fn prop_a_link_that_nothing_uses_changes_no_output(shop in shop()) {
        let expected = run_whole(&engine(PLAN, &shop, &["item"], &SHOW), &shop).1;
        let more = format!("{PLAN}\n[tables.days]\nfrom = 'days.csv'\n[[link]]\npath = 'sales.day -> days.day'\n");
        let mut with_days = shop.clone();
        with_days.insert("days", table("day,name\n2025-01-05,Sunday"));
        prop_assert_eq!(run_whole(&engine(&more, &with_days, &["item"], &SHOW), &with_days).1, expected);
    }
}

#[test]
fn blank_figures_are_distinguished_by_their_cause() {
    let shop = tables(&[
        (
            "sales",
            "item,day,quantity\nA,2025-01-01,1\nB,2025-02-01,1\nC,2025-01-01,1\nX,2025-01-01,1\nA,2025-01-01,\nA,2025-01-01,x\nD,2025-02-01,5\nA,,1",
        ),
        ("products", "sku,family,cost\nA,F,0.5\nB,G,1.25\nC,,\nD,F,2"),
        ("families", "code,name\nF,Ferrous"),
        ("prices", "sku,since,until,price\nA,,,1\nB,,2025-01-31,3\nC,,,7\nD,,,0"),
    ]);
    let plan = PLAN.replace("missing = \"set-aside\"", "");
    let engine = engine(&plan, &shop, &[], &["lines"]);
    let (findings, _) = run_whole(&engine, &shop);
    let blanks = tie_out(&engine, &findings).blanks;
    let reasons = |figure: &str| -> Vec<String> {
        let found = blanks.iter().find(|blank| blank.name == figure).unwrap();
        found.reasons.iter().map(|(why, lines)| format!("{why} {lines}")).collect()
    };
    assert_eq!(
        reasons("revenue"),
        ["prices undated 2", "prices unmatched 1", "quantity blank 1", "quantity unreadable 1"]
    );
    assert_eq!(
        reasons("cost"),
        [
            "products unmatched 1",
            "products.cost blank 1",
            "quantity blank 1",
            "quantity unreadable 1"
        ]
    );
    assert_eq!(reasons("margin").last().map(String::as_str), Some("quantity unreadable 1"));
    assert!(reasons("margin").contains(&"divided by zero 1".to_owned()));
    assert_eq!(reasons("size"), ["quantity blank 1", "quantity unreadable 1"]);
}

#[test]
fn numbers_beyond_the_fast_form_are_exact_all_the_same() {
    let shop = tables(&[
        (
            "sales",
            "item,day,quantity\nA,2025-01-01,1\nA,2025-01-01,0.000000000000001\nA,2025-01-01,99999999999999999999",
        ),
        ("products", "sku,family,cost\nA,F,0.3"),
        ("families", "code,name\nF,Ferrous"),
        ("prices", "sku,since,until,price\nA,,,1.1"),
    ]);
    // A quotient would need more digits than there are.
    let plan = PLAN
        .replace("half = \"round(profit / 2, 1)\"", "")
        .replace("margin = \"profit / revenue\"", "");
    let engine = engine(&plan, &shop, &["item"], &["quantity", "revenue", "profit"]);
    for sizes in [[1usize, 1], [2, 1], [3, 3]] {
        let (_, totals) = run(&engine, &shop, &sizes, 2);
        assert_eq!(
            shown(&totals),
            [[
                "A",
                "100000000000000000000.000000000000001",
                "110000000000000000000.0000000000000011",
                "80000000000000000000.0000000000000008",
            ]]
        );
    }
}
