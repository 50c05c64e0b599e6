//! A formula with its numbers: how it is written, and what becomes of it step by step until its value is left.

use crate::support::{Tables, engine, over_all_lines, tables};

const PLAN: &str = "[tables.sales]\nrole = 'fact'\nfrom = 's.csv'\n[tables.prices]\nfrom = 'p.csv'\nkey = 'sku'\n\
     [[link]]\npath = 'sales.item -> prices.sku'\n[tables.sales.columns]\nback = { type = 'number' }\nnone = { type = 'number' }\n";

fn shop() -> Tables {
    tables(&[
        ("sales", "item,day,quantity,back,none,note,gap\nO'Hara,2025-03-05,7,-2,,late,  "),
        ("prices", "sku,price,label\nO'Hara,13.50,"),
    ])
}

/// The steps of a formula on the one line that there is.
fn steps(formula: &str) -> String {
    let plan = format!("{PLAN}[figures]\nf = \"{formula}\"\n");
    let tables = shop();
    let (engine, _) = engine(&plan, &tables, &[], &["lines"]);
    over_all_lines(&engine, &tables, |lines| lines.formula_steps(0, 0).shown.join(" = "))
}

#[test]
fn each_step_computes_what_can_be_computed() {
    for (formula, expected) in [
        ("quantity", ""),
        ("quantity * prices.price * (1 - 0.125)", "7 * 13.5 * (1 - 0.125) = 94.50 * 0.875"),
        ("quantity - (back - 1)", "7 - (-2 - 1) = 7 - -3"),
        ("(quantity - back) - 1", "7 - -2 - 1 = 9 - 1"),
        ("quantity / (back * 2)", "7 / (-2 * 2) = 7 / -4"),
        ("quantity / back * 2", "7 / -2 * 2 = -3.500000000000 * 2"),
        ("-quantity + 1", "-7 + 1"),
        ("-(quantity + 1)", "-(7 + 1)"),
        ("-quantity", ""),
        ("quantity * back", "7 * -2"),
        ("none * 2 + 1", "blank * 2 + 1 = blank + 1"),
        (
            "if quantity > 5 and not back > 0 then quantity else back * 2",
            "if 7 > 5 and not -2 > 0 then 7 = if yes and not no then 7 = if yes and yes then 7 = if yes then 7",
        ),
        (
            "if quantity < 5 or back = 2 then quantity else back * 2",
            "if 7 < 5 or -2 = 2 else -2 * 2 = if no or no else -4 = if no else -4",
        ),
        (
            "if (quantity < 5 or back < 0) and quantity > 1 then 1 else 2",
            "if (7 < 5 or -2 < 0) and 7 > 1 then 1 = if (no or yes) and yes then 1 = if yes and yes then 1 = if yes then 1",
        ),
        ("if none > 1 then 1 else 2", "if blank > 1 = if blank"),
        ("if none is blank then quantity else 0", "if blank is blank then 7 = if yes then 7"),
        (
            "if note in ('late', 'lost') then 1 else 0",
            "if 'late' in ('late', 'lost') then 1 = if yes then 1",
        ),
        ("if note like 'l%' then 1 else 0", "if 'late' like 'l%' then 1 = if yes then 1"),
        ("coalesce(none, quantity + 1)", "coalesce(blank, 7 + 1) = coalesce(blank, 8)"),
        ("round(quantity / 3, 2)", "round(7 / 3, 2) = round(2.333333333333, 2)"),
        ("abs(back * 2)", "abs(-2 * 2) = abs(-4)"),
        ("least(quantity, back, 3) + 1", "least(7, -2, 3) + 1 = -2 + 1"),
        ("item || ' ' || note", "'O''Hara' || ' ' || 'late' = 'O''Hara ' || 'late'"),
        ("prices.label || note", "blank || 'late'"),
        ("gap || note", "blank || 'late'"),
        ("day + 3", "2025-03-05 + 3"),
        ("(day + 3) - day", "2025-03-05 + 3 - 2025-03-05 = 2025-03-08 - 2025-03-05"),
        ("month(day + 30)", "month(2025-03-05 + 30) = month(2025-04-04)"),
        (
            "if month(day) = '2025-03' then quantity else 0",
            "if month(2025-03-05) = '2025-03' then 7 = if '2025-03' = '2025-03' then 7 = if yes then 7",
        ),
    ] {
        assert_eq!(steps(formula), expected, "{formula}");
    }
}

#[test]
fn a_long_way_is_cut_and_a_long_formula_stays_as_it_is() {
    let deep = "((((((quantity + 1) * 2) + 1) * 2 + 1) * 2 + 1) * 2 + 1) * 2";
    let all = steps(deep);
    assert_eq!(all.split(" = ").count(), 6, "{all}");
    assert!(all.ends_with(" = ((35 * 2 + 1) * 2 + 1) * 2"), "{all}");
    let long = vec!["(quantity + 1.25)"; 40].join(" + ");
    assert_eq!(steps(&long), "7 + 1.25".to_owned() + &" + (7 + 1.25)".repeat(39));
}
