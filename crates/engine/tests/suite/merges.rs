//! Groups that were kept: put together in any order they are those of all lines, and groups of another table are refused.

use std::collections::BTreeSet;

use interligo_engine::outputs::OutputContent;
use interligo_engine::proof::exact_sum::ExactSum;
use interligo_engine::proof::tally::{Tally, mark_of};
use interligo_engine::totals::{Cube, Groups, Layout, TotalsTable};
use interligo_model::values::decimal::Decimal;
use proptest::prelude::*;

use crate::support::{Asked, Tables, engine, over_all_lines, run_whole, tables, totals_plans};

const PLAN: &str = "[tables.sales]\nrole = 'fact'\nfrom = 's.csv'\n[tables.products]\nfrom = 'p.csv'\nkey = 'sku'\n\
     [[link]]\npath = 'sales.item -> products.sku'\n[figures]\nrevenue = 'n * products.price'\n";

const BY: [&str; 2] = ["item", "products.family"];
const SHOW: [&str; 8] = [
    "lines",
    "revenue",
    "avg(n)",
    "median(n)",
    "min(note)",
    "max(n)",
    "count(distinct note)",
    "blank(revenue)",
];

fn shop(sales: &[(usize, i64)]) -> Tables {
    let mut rows = "item,n,note".to_owned();
    for (item, n) in sales {
        rows += &format!(
            "\n{},{n},{}",
            ["A", "B", "C", ""][*item],
            ["x", "y", "z"][n.unsigned_abs() as usize % 3]
        );
    }
    tables(&[("sales", &rows), ("products", "sku,family,price\nA,hive,1.50\nB,wax,2")])
}

fn layout((_, outputs): &Asked) -> &Layout {
    match &outputs[0].content {
        OutputContent::Totals { layout: Some(layout), .. } => layout,
        _ => panic!("totals are asked for"),
    }
}

/// The groups of some sales.
fn cube(asked: &Asked, sales: &[(usize, i64)]) -> Cube {
    let plan = totals_plans(&asked.1)[0];
    let mut cube = Cube::new(plan, layout(asked));
    over_all_lines(&asked.0, &shop(sales), |lines| {
        let mut groups = Groups::new(plan);
        groups.add(lines).unwrap();
        cube.absorb(plan, groups);
    });
    cube
}

fn rows(table: &TotalsTable) -> Vec<String> {
    let all = table.rows.iter().chain([&table.whole]);
    all.map(|row| row.cells().map(ToString::to_string).collect::<Vec<_>>().join(" ")).collect()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    #[test]
    fn prop_kept_groups_put_together_are_those_of_all_lines(
        sales in prop::collection::vec((0usize..4, -9i64..9), 2..24), at in 1usize..23, turned: bool,
    ) {
        let all = shop(&sales);
        let asked = engine(PLAN, &all, &BY, &SHOW);
        let (plans, layout) = (totals_plans(&asked.1), layout(&asked));
        let (one, other) = sales.split_at(at.min(sales.len() - 1));
        let mut parts = vec![cube(&asked, one).keep(), cube(&asked, other).keep()];
        if turned {
            parts.reverse();
        }
        let mut together = Cube::new(plans[0], layout);
        for part in parts {
            prop_assert!(together.absorb_kept(&plans, part));
        }
        let together = layout.table(&plans, together).unwrap();
        let whole = run_whole(&asked, &all).1;
        prop_assert_eq!(rows(&together), rows(&whole));
        prop_assert_eq!(&together.sources, &whole.sources);
        prop_assert_eq!(together.lines, sales.len() as u64);
    }
}

#[test]
fn groups_of_another_table_are_refused() {
    let sales = [(0, 1), (1, 2), (3, 3)];
    let asked = engine(PLAN, &shop(&sales), &BY, &SHOW);
    let plans = totals_plans(&asked.1);
    let taken = |by: &[&str], show: &[&str]| {
        let other = engine(PLAN, &shop(&sales), by, show);
        let mut own = cube(&asked, &sales);
        own.absorb_kept(&plans, cube(&other, &sales).keep())
    };
    assert!(taken(&BY, &SHOW));
    assert!(!taken(&["item"], &SHOW), "by fewer attributes");
    assert!(!taken(&BY, &["lines", "revenue"]), "of fewer sums");
    assert!(
        !taken(
            &BY,
            &[
                "lines",
                "revenue",
                "avg(n)",
                "max(n)",
                "min(note)",
                "median(n)",
                "count(distinct note)",
                "blank(revenue)"
            ]
        ),
        "of other kinds of sums"
    );
}

#[test]
fn tallies_of_lines_without_measures_are_added_too() {
    let tally = |lines: u64, sums: &[i64]| Tally {
        lines,
        marks: lines * 7,
        sums: sums.iter().map(|sum| Some(ExactSum::from(Decimal::from(*sum)))).collect(),
    };
    for (one, other, expected) in [
        (tally(3, &[]), tally(2, &[5]), tally(5, &[])),
        (tally(0, &[4]), tally(2, &[5]), tally(2, &[9])),
        (tally(0, &[]), tally(2, &[5]), tally(2, &[5])),
        (tally(2, &[5]), tally(0, &[]), tally(2, &[5])),
        (tally(2, &[5]), tally(0, &[1]), tally(2, &[6])),
    ] {
        let mut merged = one.clone();
        merged.merge(&other);
        assert_eq!(merged, expected, "{one:?} and {other:?}");
    }
    // What some lines have no sum of, all have none of.
    let mut merged = tally(2, &[5]);
    merged.merge(&tally(3, &[]));
    assert_eq!((merged.lines, merged.sums), (5, vec![None]));
}

#[test]
fn tallies_of_other_keys_are_not_the_same() {
    let findings = |sales: &[(usize, i64)]| {
        let shop = shop(sales);
        let asked = engine(PLAN, &shop, &BY, &SHOW);
        run_whole(&asked, &shop).0.keys
    };
    assert!(findings(&[(2, 1)]) == findings(&[(2, 1)]));
    assert!(findings(&[(2, 1)]) != findings(&[(2, 1), (2, 1)]), "of more lines");
    assert!(findings(&[(2, 1)]) != findings(&[(3, 1)]), "of another key");
}

#[test]
fn each_line_has_a_mark_of_its_own() {
    let marks: BTreeSet<u64> =
        (0..64).flat_map(|block| (0..64).map(move |line| mark_of(block, line))).collect();
    assert_eq!(marks.len(), 64 * 64);
}
