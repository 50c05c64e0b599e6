//! Lines that were computed before: totals over what was kept of them are those over the lines, and what is of other lines or
//! other lookups is refused.

use std::collections::BTreeMap;

use interligo_engine::bind::{BoundLookup, Request};
use interligo_engine::engine::Engine;
use interligo_engine::lines::{LinePart, Lines};
use interligo_engine::lookup::{Lookup, LookupShape};
use interligo_engine::outputs::OutputContent;
use interligo_engine::proof::findings::Aside;
use interligo_engine::totals::{Cube, Groups, TotalsTable};
use interligo_model::plan::Plan;
use interligo_model::values::column::{Column, NumberColumn, Numbers};
use proptest::prelude::*;

use crate::support::{
    Asked, Tables, engine, over_all_lines, prepared, prepared_with, run_whole, tables,
    totals_plans, totals_request,
};

const PLAN: &str = "[tables.sales]\nrole = 'fact'\nfrom = 's.csv'\n[tables.products]\nfrom = 'p.csv'\nkey = 'sku'\n\
     [tables.families]\nfrom = 'f.csv'\nkey = 'code'\n\
     [[link]]\npath = 'sales.item -> products.sku'\nmissing = 'set-aside'\n\
     [[link]]\npath = 'products.family -> families.code'\n\
     [figures]\nrevenue = 'quantity * products.price'\nrate = { formula = 'revenue / quantity', round = 2 }\n";

const PLAN_WITHOUT_FIGURES: &str = "[tables.sales]\nrole = 'fact'\nfrom = 's.csv'\n[tables.products]\nfrom = 'p.csv'\n\
     key = 'sku'\n[[link]]\npath = 'sales.item -> products.sku'\n";

const BY: [&str; 3] = ["families.name", "item", "month(day)"];
const SHOW: [&str; 5] = ["lines", "quantity", "revenue", "rate", "median(quantity)"];

fn plan() -> Plan {
    Plan::parse(PLAN).unwrap()
}

fn asked_for() -> Request {
    totals_request(&BY, &SHOW)
}

fn shop(sales: &[(usize, u32, i64)]) -> Tables {
    let mut rows = "item,day,quantity".to_owned();
    for (item, day, quantity) in sales {
        let item = ["A", " B ", "C", "X", ""][*item];
        rows += &format!("\n{item},2025-{:02}-{:02},{quantity}", 1 + day / 28, 1 + day % 28);
    }
    tables(&[
        ("sales", &rows),
        ("products", "sku,family,price\nA,hive,1.50\nB,wax,2\nC,none,0.25"),
        ("families", "code,name\nhive,Hives\nwax,Wax"),
    ])
}

/// Each part of some lines.
fn parts_of(lines: &Lines<'_>, parts: &[LinePart]) -> BTreeMap<LinePart, Column> {
    parts.iter().map(|part| (*part, lines.part(*part).into_owned())).collect()
}

fn table((engine, outputs): &Asked, of: impl FnOnce(&Engine, &mut Groups<'_>)) -> TotalsTable {
    let plan = totals_plans(outputs)[0];
    let OutputContent::Totals { layout: Some(layout), .. } = &outputs[0].content else {
        panic!("totals are asked for");
    };
    let mut groups = Groups::new(plan);
    of(engine, &mut groups);
    let mut cube = Cube::new(plan, layout);
    cube.absorb(plan, groups);
    layout.table(&[plan], cube).unwrap()
}

fn rows(table: &TotalsTable) -> Vec<Vec<String>> {
    let all = table.rows.iter().chain([&table.whole]);
    all.map(|row| row.cells().map(ToString::to_string).collect()).collect()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    #[test]
    fn prop_totals_of_kept_lines_are_those_of_the_lines(
        sales in prop::collection::vec((0usize..5, 0u32..60, -9i64..9), 1..20),
    ) {
        let tables = shop(&sales);
        let asked = engine(PLAN, &tables, &BY, &SHOW);
        let computed = run_whole(&asked, &tables).1;
        let parts = asked.0.parts_of_totals(&asked.1);
        let kept = over_all_lines(&asked.0, &tables, |lines| {
            (lines.rows, parts_of(lines, &parts), lines.aside.clone())
        });
        // An engine with its lookups, and one whose lookups have the values of their rows alone.
        let of_values = prepared_with(&plan(), &tables, &[asked_for()], Vec::new(), Lookup::without_keys);
        for asked in [asked, of_values.unwrap()] {
            let (lines, parts, aside) = kept.clone();
            let summed = table(&asked, |engine, groups| {
                groups.add(&engine.restored(lines, parts, aside).unwrap()).unwrap();
            });
            prop_assert_eq!(rows(&summed), rows(&computed));
        }
    }
}

#[test]
fn figures_that_are_kept_need_no_rows_of_lookups() {
    let tables = shop(&[(0, 3, 2), (1, 40, 5), (0, 41, 1), (3, 2, 9)]);
    let request = totals_request(&["item"], &["lines", "revenue", "rate"]);
    let asked = prepared(&plan(), &tables, std::slice::from_ref(&request), Vec::new()).unwrap();
    let computed = run_whole(&asked, &tables).1;
    let shapes: BTreeMap<String, LookupShape> =
        asked.0.lookups.iter().map(|own| (own.name.clone(), own.shape())).collect();
    let parts = asked.0.parts_of_totals(&asked.1);
    assert!(!parts.iter().any(|part| matches!(part, LinePart::Rows(_))), "{parts:?}");
    let (kept, aside) =
        over_all_lines(&asked.0, &tables, |own| (parts_of(own, &parts), own.aside.clone()));
    let of_shape =
        |_, bound: &BoundLookup| Ok(Lookup::without_rows(bound, &shapes[&bound.name]).unwrap());
    let bare = prepared_with(&plan(), &tables, &[request], Vec::new(), of_shape).unwrap();
    assert_eq!(bare.0.lookup_rows(0), 0);
    let names = |asked: &Asked| (asked.0.line_parts(), asked.0.measure_names());
    assert_eq!(names(&bare), names(&asked));
    let summed = table(&bare, |engine, groups| {
        groups.add(&engine.restored(4, kept.clone(), aside.clone()).unwrap()).unwrap();
    });
    assert_eq!(rows(&summed), rows(&computed));
    assert_eq!(rows(&summed)[0], ["A", "2", "4.50", "1.50"]);
}

#[test]
fn what_can_be_kept_has_a_name() {
    let asked = engine(PLAN, &shop(&[(0, 0, 1)]), &BY, &SHOW);
    let names: Vec<String> = asked.0.line_parts().into_iter().map(|(_, name)| name).collect();
    let expected = [
        "column item Text",
        "column day Date",
        "column quantity Number",
        "rows 0 products of products",
        "rows 1 families of families",
        "figure revenue",
        "figure rate",
    ];
    assert_eq!(names, expected);
}

#[test]
fn a_shape_of_another_lookup_is_refused() {
    let tables = shop(&[(0, 0, 1)]);
    let asked = prepared(&plan(), &tables, &[asked_for()], Vec::new()).unwrap();
    let shape = asked.0.lookups[0].shape();
    let bound = &asked.0.bound.lookups;
    assert!(Lookup::without_rows(&bound[0], &shape).is_some());
    assert!(Lookup::without_rows(&bound[1], &shape).is_none(), "of other columns");
    let (plain, _) = engine(PLAN_WITHOUT_FIGURES, &tables, &[], &["lines"]);
    let shape = plain.lookups[0].shape();
    assert!(Lookup::without_rows(&bound[0], &shape).is_none(), "that does not say what prices are");
}

#[test]
fn what_was_kept_of_other_lines_is_refused() {
    let tables = shop(&[(0, 3, 2), (1, 40, 5)]);
    let (engine, outputs) = engine(PLAN, &tables, &BY, &SHOW);
    let all = engine.parts_of_totals(&outputs);
    let kept = over_all_lines(&engine, &tables, |lines| parts_of(lines, &all));
    let refused = |rows: usize, parts: BTreeMap<LinePart, Column>, aside: Vec<(u32, Aside)>| {
        engine.restored(rows, parts, aside).err().unwrap_or_default()
    };
    assert_eq!(refused(2, kept.clone(), Vec::new()), "");
    assert_eq!(refused(3, kept.clone(), Vec::new()), "3 lines, and 2 values");
    assert_eq!(refused(2, kept.clone(), vec![(1, Aside::Fields)]), "");
    let aside = vec![(2, Aside::Fields)];
    assert_eq!(refused(2, kept.clone(), aside), "2 lines, and one set aside that is number 2");
    let rows = |numbers: Vec<i64>| {
        let numbers = Numbers::Fixed { mantissas: numbers, places: 0 };
        let mut parts = kept.clone();
        parts.insert(LinePart::Rows(1), Column::Number(NumberColumn { numbers, known: None }));
        parts
    };
    assert_eq!(refused(2, rows(vec![0, 1]), Vec::new()), "");
    assert_eq!(refused(2, rows(vec![0, -1]), Vec::new()), "", "a line without a row");
    assert_eq!(refused(2, rows(vec![0, 2]), Vec::new()), "row 2 of a lookup that has 2");
    let mut days = kept;
    days.insert(LinePart::Rows(1), Column::YesNo(vec![None; 2]));
    assert_eq!(refused(2, days, Vec::new()), "rows of a lookup that are no numbers");
}
