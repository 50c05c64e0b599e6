//! How a link finds rows, by each of its settings: which row a line gets, and what is said of it.

use interligo_engine::lines::Lines;
use interligo_model::values::date::Day;

use crate::support::{Tables, engine, over_all_lines, run_whole, shown, tables};

const FACT: &str = "[tables.sales]\nrole = 'fact'\nfrom = 's.csv'\n";

/// How each line came out in the last link, with what the figure `got` has of it, line by line.
fn outcomes(plan: &str, tables: &Tables) -> String {
    let (engine, _) = engine(&format!("{FACT}{plan}"), tables, &[], &["lines"]);
    over_all_lines(&engine, tables, |lines: &Lines<'_>| {
        let link = lines.findings.links.len() - 1;
        let figure = engine.figure_expr(0);
        let values = lines.values_of(figure).unwrap();
        let statuses = lines.statuses(link);
        let one = |line: usize| format!("{} {}", statuses[line].0.name(), values.value(line));
        let all = (0..lines.rows).map(|line| one(line).trim().to_owned());
        all.collect::<Vec<_>>().join(", ")
    })
}

const DATED: &str = "[tables.prices]\nfrom = 'p.csv'\nkey = 'sku'\nvalid = { from = 'since', until = 'last' }\n\
     [[link]]\npath = 'sales.item -> prices.sku as of day'\nMORE\n[figures]\ngot = 'n * prices.price'\n";

fn dated() -> Tables {
    tables(&[
        (
            "sales",
            "item,day,n\nA,2024-12-31,1\nA,2025-01-01,1\nA,2025-01-10,1\nA,2025-01-11,1\nA,2025-01-20,1\nA,2025-02-01,1\nB,2025-01-05,1\nC,2025-01-05,1\nA,,1",
        ),
        (
            "prices",
            "sku,since,last,price\nA,2025-01-01,2025-01-10,1\nA,2025-01-15,2025-01-31,2\nB,2025-01-01,2025-01-05,3\nB,2025-01-05,2025-01-09,4\nC,,,5",
        ),
    ])
}

#[test]
fn a_day_without_a_row_takes_that_of_another_where_the_plan_says_so() {
    for (more, expected) in [
        (
            "overlap = 'first'",
            "undated, exact 1, exact 1, undated, exact 2, undated, exact 3, exact 5, undated",
        ),
        (
            "overlap = 'last'\ngap = 'earlier'",
            "undated, exact 1, exact 1, carried 1, exact 2, carried 2, exact 4, exact 5, undated",
        ),
        (
            "overlap = 'blank'\ngap = 'later'",
            "carried 1, exact 1, exact 1, carried 2, exact 2, undated, overlapping, exact 5, undated",
        ),
        (
            "overlap = 'first'\ngap = 'nearest'",
            "carried 1, exact 1, exact 1, carried 1, exact 2, carried 2, exact 3, exact 5, undated",
        ),
        (
            "overlap = 'latest-start'\ngap = { before = 'later', between = 'nearest', after = 'blank', days = 4 }",
            "carried 1, exact 1, exact 1, carried 1, exact 2, undated, exact 4, exact 5, undated",
        ),
        (
            "overlap = 'first'\ngap = { before = 'blank', between = 'earlier', after = 'earlier', days = 1 }",
            "undated, exact 1, exact 1, carried 1, exact 2, carried 2, exact 3, exact 5, undated",
        ),
        ("", "undated, exact 1, exact 1, undated, exact 2, undated, overlapping, exact 5, undated"),
    ] {
        let got = outcomes(&DATED.replace("MORE", more), &dated());
        assert_eq!(got, expected, "{more}");
    }
}

const PLAIN: &str = "[tables.products]\nfrom = 'p.csv'\nkey = 'sku'\n[[link]]\npath = 'sales.item -> products.sku'\nMORE\n\
     [figures]\ngot = 'n * products.price'\n";

#[test]
fn differences_in_writing_are_ignored_where_the_plan_says_so() {
    let shop = tables(&[
        ("sales", "item,n\nHV-1,1\nhv-1,1\nHV1,1\n HV-1 ,1\nＨＶ-1,1\n007,1\n7,1\nab,1\nX,1\n,1"),
        ("products", "sku,price\nHV-1,1\n07,2\nAB,3\nA-B,4"),
    ]);
    for (more, expected) in [
        (
            "",
            "exact 1, unmatched, unmatched, cleaned 1, unmatched, unmatched, unmatched, unmatched, unmatched, blank",
        ),
        (
            "match = 'as-written'",
            "exact 1, unmatched, unmatched, unmatched, unmatched, unmatched, unmatched, unmatched, unmatched, blank",
        ),
        (
            "ignore = ['case']",
            "exact 1, cleaned 1, unmatched, cleaned 1, unmatched, unmatched, unmatched, cleaned 3, unmatched, blank",
        ),
        (
            "ignore = ['case', 'punctuation']",
            "exact 1, cleaned 1, cleaned 1, cleaned 1, unmatched, unmatched, unmatched, ambiguous, unmatched, blank",
        ),
        (
            "ignore = ['leading-zeros', 'width']",
            "exact 1, unmatched, unmatched, cleaned 1, cleaned 1, cleaned 2, cleaned 2, unmatched, unmatched, blank",
        ),
    ] {
        let got = outcomes(&PLAIN.replace("MORE", more), &shop);
        assert_eq!(got, expected, "{more}");
    }
}

#[test]
fn lines_without_a_row_end_as_the_plan_says() {
    let shop = tables(&[
        ("sales", "item,kind,n\nA,x,1\nB,x,1\nC,x,1\n,x,1\nB,free,1\nA,free,1\nB,,1"),
        ("products", "sku,price\nA,1\nC,"),
    ]);
    for (more, expected) in [
        ("", "exact 1, unmatched, exact, blank, unmatched, exact 1, unmatched"),
        (
            "missing = 'fill'\nfill = { price = 9 }",
            "exact 1, filled 9, exact, filled 9, filled 9, exact 1, filled 9",
        ),
        ("missing = 'normal'", "exact 1, absent, exact, absent, absent, exact 1, absent"),
        (
            "when = \"kind = 'x'\"",
            "exact 1, unmatched, exact, blank, not-needed, not-needed, unmatched",
        ),
        (
            "needs = ['price']",
            "exact 1, unmatched, incomplete, blank, unmatched, exact 1, unmatched",
        ),
        (
            "missing = 'fill'\nfill = { price = 9 }\nwhen = \"kind = 'x'\"\nneeds = ['price']",
            "exact 1, filled 9, incomplete, filled 9, not-needed, not-needed, filled 9",
        ),
    ] {
        let got = outcomes(&PLAIN.replace("MORE", more), &shop);
        assert_eq!(got, expected, "{more}");
    }
}

#[test]
fn candidates_are_tried_in_their_order() {
    let shop = tables(&[
        ("sales", "item,other,n\nA,B,1\nX,B,1\nX,,1\n,B,1\nX,Y,1\n,,1\nA|B,,1\nX|B,A,1\n|A,,1"),
        ("products", "sku,price\nA,1\nB,2"),
    ]);
    let plan = PLAIN.replace("sales.item ->", "sales.item or sales.other ->");
    for (more, expected) in [
        (
            "",
            "exact 1, alternate 2, unmatched, alternate 2, unmatched, blank, unmatched, alternate 1, unmatched",
        ),
        (
            "split = '|'",
            "exact 1, alternate 2, unmatched, exact 2, unmatched, blank, exact 1, alternate 2, exact 1",
        ),
    ] {
        let got = outcomes(&plan.replace("MORE", more), &shop);
        assert_eq!(got, expected, "{more}");
    }
}

#[test]
fn rows_hold_as_their_table_says() {
    let shop = tables(&[
        (
            "sales",
            "item,day,n\nA,2024-12-31,1\nA,2025-01-01,1\nA,2025-01-31,1\nA,2025-02-01,1\nA,2025-04-15,1\nA,2026-01-01,1\nB,2025-02-10,1\nB,2025-02-20,1",
        ),
        (
            "prices",
            "sku,since,last,period,year,month,price\nA,2025-01-01,2025-01-31,2025-01,2025,1,1\nA,2025-02-01,,2025-02,2025,2,2\n\
             B,2025-02-10,2025-02-19,2025-02,2025,2,3",
        ),
    ]);
    let plan = DATED.replace("MORE", "");
    for (valid, expected) in [
        (
            "{ from = 'since', until = 'last' }",
            "undated, exact 1, exact 1, exact 2, exact 2, exact 2, exact 3, undated",
        ),
        (
            "{ from = 'since' }",
            "undated, exact 1, exact 1, exact 2, exact 2, exact 2, exact 3, exact 3",
        ),
        (
            "{ from = 'since', until = 'last', ends = 'excluded' }",
            "undated, exact 1, undated, exact 2, exact 2, exact 2, exact 3, undated",
        ),
        (
            "{ from = 'since', carry = 31 }",
            "undated, exact 1, exact 1, exact 2, undated, undated, exact 3, exact 3",
        ),
        (
            "{ period = 'period' }",
            "undated, exact 1, exact 1, exact 2, undated, undated, exact 3, exact 3",
        ),
        (
            "{ year = 'year', month = 'month' }",
            "undated, exact 1, exact 1, exact 2, undated, undated, exact 3, exact 3",
        ),
    ] {
        let plan = plan.replace("{ from = 'since', until = 'last' }", valid);
        assert_eq!(outcomes(&plan, &shop), expected, "{valid}");
    }
}

#[test]
fn keys_that_are_one_to_a_link_have_one_calendar() {
    let shop = tables(&[
        ("sales", "item,day,n\n7,2025-01-05,1\n007,2025-02-05,1\n07,2025-01-20,1\n7,2024-12-01,1"),
        ("prices", "sku,since,last,price\n007,2025-01-01,2025-01-14,1\n7,2025-01-15,2025-02-28,2"),
    ]);
    let plan = DATED.replace("MORE", "ignore = ['leading-zeros']");
    assert_eq!(outcomes(&plan, &shop), "exact 1, exact 2, cleaned 2, undated");
    let open = plan.replace("{ from = 'since', until = 'last' }", "{ from = 'since' }");
    assert_eq!(outcomes(&open, &shop), "exact 1, exact 2, cleaned 2, undated");
}

#[test]
fn of_candidates_in_vain_the_one_that_came_farthest_is_told() {
    let shop = tables(&[
        (
            "sales",
            "item,other,day,n\nX,A,2025-03-01,1\nA,X,2025-03-01,1\n,X,2025-03-01,1\nX,,2025-03-01,1\nA,B,2025-03-01,1\nB,A,2025-01-05,1",
        ),
        (
            "prices",
            "sku,since,last,price\nA,2025-01-01,2025-01-31,1\nB,2025-01-01,2025-04-01,2\nB,2025-02-01,2025-04-01,3",
        ),
    ]);
    let plan = DATED.replace("MORE", "").replace("sales.item ->", "sales.item or sales.other ->");
    let told = "undated, undated, unmatched, unmatched, overlapping, exact 2";
    assert_eq!(outcomes(&plan, &shop), told);
}

#[test]
fn a_lookup_shows_its_rows_with_the_days_on_which_they_hold() {
    let plan = format!("{FACT}{}", DATED.replace("MORE", "missing = 'fill'\nfill = { price = 9 }"));
    let (engine, _) = engine(&plan, &dated(), &[], &["lines"]);
    let lookup = &engine.lookups[0];
    let days = |(from, until): &(Option<Day>, Option<Day>)| {
        let text = |day: &Option<Day>| day.map_or("-".to_owned(), |day| day.to_string());
        format!("{} {}", text(from), text(until))
    };
    assert_eq!(
        lookup.valid_days().iter().map(days).collect::<Vec<_>>(),
        [
            "2025-01-01 2025-01-10",
            "2025-01-15 2025-01-31",
            "2025-01-01 2025-01-05",
            "2025-01-05 2025-01-09",
            "- -"
        ]
    );
    assert_eq!(lookup.rows_with_fill(), 6);
    assert_eq!(lookup.place_of(4).map(|place| place.to_string()), Some("prices:6".to_owned()));
    assert_eq!(lookup.place_of(5), None, "the plan adds it");
    let held: Vec<String> = lookup
        .held_columns()
        .iter()
        .map(|(at, kind)| format!("{} {kind:?}", lookup.columns[*at].name))
        .collect();
    assert_eq!(held, ["sku Text", "since Date", "last Date", "price Number(0)"]);
    let value = |column: usize, row: u32| lookup.value(column, row).to_string();
    assert_eq!([value(3, 0), value(3, 5), value(0, 2)], ["1", "9", "B"]);
}

#[test]
fn keys_of_digits_are_told_as_they_are_written() {
    let plan = format!("{FACT}{}", PLAIN.replace("MORE", ""));
    let shop = tables(&[
        ("sales", "item,n\n007,1\n7,1\n010,1"),
        ("products", "sku,price\n007,1\n7,2\n010,3"),
    ]);
    let asked = engine(&plan, &shop, &["item", "products.sku"], &["got"]);
    let (_, table) = run_whole(&asked, &shop);
    let rows: Vec<String> = shown(&table).into_iter().map(|row| row.join(" ")).collect();
    assert_eq!(rows, ["007 007 1", "010 010 3", "7 7 2"]);
}

#[test]
fn links_to_one_lookup_by_other_columns_each_use_their_own_key() {
    let plan = "[tables.products]\nfrom = 'p.csv'\nkey = 'sku'\n[[link]]\npath = 'sales.item -> products.sku'\n\
         [[link]]\npath = 'sales.code -> products.code'\nas = 'by_code'\n\
         [[link]]\npath = 'sales.ean -> products.ean'\nas = 'by_ean'\n\
         [[link]]\npath = 'sales.other -> products.code'\nas = 'by_other'\n\
         [figures]\ngot = \"products.price || '/' || by_code.price || '/' || by_ean.price || '/' || by_other.price\"\n";
    let shop = tables(&[
        ("sales", "item,code,ean,other\nA,c2,e3,c1\nB,c1,e1,c3\nc1,A,c1,e1"),
        ("products", "sku,code,ean,price\nA,c1,e1,1\nB,c2,e2,2\nC,c3,e3,3"),
    ]);
    assert_eq!(outcomes(plan, &shop), "exact 1/2/3/1, exact 2/1/1/3, unmatched");
}
