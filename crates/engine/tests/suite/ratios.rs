//! Totals of ratios: computed again from totals, over the lines on which all parts are known.

use crate::support::{engine, run_whole, shown, tables};

/// Revenue 10 and 30, cost 8 and 12; the third line has no cost.
const SALES: &str = "kind,quantity,revenue,cost\na,1,10,8\na,2,30,12\na,3,60,";

fn total(figures: &str, show: &str) -> (String, u64) {
    let plan = format!("[tables.sales]\nrole = 'fact'\nfrom = 'sales.csv'\n[figures]\n{figures}\n");
    let tables = tables(&[("sales", SALES)]);
    let engine = engine(&plan, &tables, &["kind"], &[show]);
    let (_, totals) = run_whole(&engine, &tables);
    (shown(&totals)[0][1].clone(), totals.measures[0].left_out)
}

#[test]
fn a_ratio_is_the_ratio_of_totals_over_lines_that_have_all_of_it() {
    for (figures, expected) in [
        // (40 - 20) / 40, not the mean of 0.2 and 0.6
        ("x = '(revenue - cost) / revenue'", "0.5"),
        ("profit = 'revenue - cost'\nx = 'profit / revenue'", "0.5"),
        ("profit = 'revenue - cost'\nx = 'round(profit / revenue * 100, 1)'", "50.0"),
        ("profit = 'revenue - cost'\nmargin = 'profit / revenue'\nx = '1 - margin'", "0.5"),
        ("x = 'if cost > 0 then revenue / cost else 0'", "2"),
        ("x = 'coalesce(revenue / cost, 0)'", "2"),
        ("x = '-(revenue / cost)'", "-2"),
        ("x = 'abs(cost / -revenue)'", "0.5"),
        ("x = 'revenue * quantity / (cost * quantity)'", "2.1875"),
    ] {
        assert_eq!(total(figures, "x"), (expected.to_owned(), 1), "{figures}");
    }
}

#[test]
fn what_divides_by_a_constant_is_an_amount() {
    for (figures, expected, left_out) in [
        ("x = 'revenue / 4'", "25", 0),
        ("x = 'round(cost / 3, 2)'", "6.67", 1),
        ("x = 'coalesce(cost, 0) * 2'", "40", 0),
        ("x = 'if cost is blank then revenue else 0'", "60", 0),
    ] {
        assert_eq!(total(figures, "x"), (expected.to_owned(), left_out), "{figures}");
    }
}

#[test]
fn a_group_without_any_known_value_is_blank() {
    let plan = "[tables.sales]\nrole = 'fact'\nfrom = 'sales.csv'\n[figures]\nx = 'cost * 2'\nr = 'cost / quantity'\n";
    let tables = tables(&[("sales", "kind,quantity,cost\na,1,\nb,0,5\n,2,1")]);
    let engine = engine(plan, &tables, &["kind"], &["lines", "x", "r"]);
    let (_, totals) = run_whole(&engine, &tables);
    assert_eq!(shown(&totals), [["a", "1", "", ""], ["b", "1", "10", ""], ["", "1", "2", "0.5"]]);
}
