//! Tables of totals by hand: what is shown of a group, how rows are ordered, kept and filled, and what is said beside them.

use interligo_engine::bind::{Content, Request};
use interligo_engine::outputs::OutputContent;
use interligo_engine::totals::{Cube, Groups, TotalsError, TotalsTable};
use interligo_model::plan::Plan;
use interligo_model::values::decimal::Decimal;
use interligo_model::values::value::Value;

use crate::support::{
    Tables, engine_of_plan, over_all_lines, prepared, run_whole, shown, tables, totals_plans,
};

const PLAN: &str = "[tables.sales]\nrole = 'fact'\nfrom = 's.csv'\n\
     [tables.products]\nfrom = 'p.csv'\nkey = 'sku'\n\
     [[link]]\npath = 'sales.item -> products.sku'\n\
     [figures]\nrevenue = 'quantity * products.price'\ncost = 'quantity * products.cost'\nmargin = '(revenue - cost) / revenue'\n";

const ZERO: &str = "zero = 'quantity * 0'\n";

fn shop() -> Tables {
    tables(&[
        (
            "sales",
            "item,day,quantity,returned\nA,2024-01-10,10,1\nB,2024-02-10,20,1\nA,2024-03-05,30,1\nA,2025-01-10,1,1\n\
             B,2025-01-20,2,1\nA,2025-03-05,4,1\nC,2025-03-06,8,1\nX,2025-03-07,16,1\nB,2025-04-01,,1",
        ),
        ("products", "sku,family,price,cost\nA,hive,2.50,1\nB,wax,3,\nC,hive,0.25,0.10"),
    ])
}

/// The table of an output of totals with these settings.
fn table(settings: &str) -> TotalsTable {
    let zero = if settings.contains("zero") { ZERO } else { "" };
    let plan = format!("{PLAN}{zero}[outputs.totals]\nto = 't.csv'\n{settings}\n");
    run_whole(&engine_of_plan(&plan, &shop()), &shop()).1
}

/// The rows and the whole of such a table.
fn rows(settings: &str) -> Vec<String> {
    let table = table(settings);
    let whole: Vec<String> = table.whole.cells().map(ToString::to_string).collect();
    shown(&table).into_iter().chain([whole]).map(|row| row.join(" ")).collect()
}

#[test]
fn each_measure_is_of_the_lines_of_its_group() {
    for (settings, expected) in [
        (
            "by = ['products.family']\nshow = ['lines', 'quantity', 'revenue', 'margin']",
            vec!["hive 5 53 114.50 0.6", "wax 3 22 66.00 ", " 1 16  ", "9 91 180.50 0.6"],
        ),
        (
            "by = ['item']\nshow = ['sum(quantity * 2)', 'avg(quantity)', 'median(quantity)', 'min(day)', 'max(quantity)']",
            vec![
                "A 90 11.25 7 2024-01-10 30",
                "B 44 11 11 2024-02-10 20",
                "C 16 8 8 2025-03-06 8",
                "X 32 16 16 2025-03-07 16",
                "182 11.375 9 2024-01-10 30",
            ],
        ),
        (
            "by = ['item']\nshow = ['count(quantity)', 'blank(quantity)', 'count(distinct month(day))', 'count(distinct products.family)']",
            vec!["A 4 0 4 1", "B 2 1 3 1", "C 1 0 1 1", "X 1 0 1 0", "8 1 6 2"],
        ),
        (
            "by = ['item']\nshow = ['quantity', 'share(quantity)', 'running(quantity)']",
            vec![
                "A 45 0.494505494505 45",
                "B 22 0.241758241758 67",
                "C 8 0.087912087912 75",
                "X 16 0.175824175824 91",
                "91 1 91",
            ],
        ),
        (
            "by = ['products.family > item']\nshow = ['quantity', 'parent_share(quantity)', 'share(quantity)']",
            vec![
                "hive 53 0.582417582418 0.582417582418",
                "hive A 45 0.849056603774 0.494505494505",
                "hive C 8 0.150943396226 0.087912087912",
                "wax 22 0.241758241758 0.241758241758",
                "wax B 22 1 0.241758241758",
                " 16 0.175824175824 0.175824175824",
                " X 16 1 0.175824175824",
                "91 1 1",
            ],
        ),
        (
            "by = ['year(day)', 'products.family']\nshow = ['quantity', 'year_before(quantity)']",
            vec![
                "2024 hive 40 ",
                "2024 wax 20 ",
                "2025 hive 13 40",
                "2025 wax 2 20",
                "2025  16 ",
                "91 60",
            ],
        ),
        (
            "by = ['month(day)']\nshow = ['quantity', 'period_before(quantity)', 'year_to_date(quantity)', 'quarter_to_date(quantity)']\nwhere = \"year(day) = '2025'\"",
            vec![
                "2025-01 3  3 3",
                "2025-02  3 3 3",
                "2025-03 28  31 31",
                "2025-04  28 31 ",
                "31   ",
            ],
        ),
        (
            "by = ['month(day)']\nshow = ['quantity', 'year_to_date(year_before(quantity))']\nwhere = \"year(day) = '2025'\"",
            vec!["2025-01 3 10", "2025-02  30", "2025-03 28 60", "2025-04  60", "31 "],
        ),
        (
            "by = ['products.family']\nacross = ['year(day)']\nshow = ['quantity', 'margin']",
            vec![
                "hive 40 0.6 13 0.6 53 0.6",
                "wax 20  2  22 ",
                "   16  16 ",
                "60 0.6 31 0.6 91 0.6",
            ],
        ),
        (
            "by = ['item']\nacross = ['quarter(day)']\nshow = ['quantity']\nwhere = \"item <> 'A'\"",
            vec!["B 20 2  22", "C  8  8", "X  16  16", "20 26  46"],
        ),
    ] {
        assert_eq!(rows(settings), expected, "{settings}");
    }
}

#[test]
fn rows_are_ordered_kept_and_filled_as_the_output_says() {
    for (settings, expected) in [
        (
            "by = ['item']\nshow = ['quantity']\nsort = ['quantity']",
            vec!["C 8", "X 16", "B 22", "A 45", "91"],
        ),
        (
            "by = ['item']\nshow = ['quantity']\nsort = ['-quantity']",
            vec!["A 45", "B 22", "X 16", "C 8", "91"],
        ),
        (
            "by = ['item']\nshow = ['quantity']\nsort = ['-item']",
            vec!["X 16", "C 8", "B 22", "A 45", "91"],
        ),
        (
            "by = ['item']\nshow = ['quantity', 'lines']\nsort = ['-lines', 'quantity']",
            vec!["A 45 4", "B 22 3", "C 8 1", "X 16 1", "91 9"],
        ),
        ("by = ['item']\nshow = ['quantity']\ntop = 2", vec!["A 45", "B 22", "24", "91"]),
        (
            "by = ['item']\nshow = ['quantity']\ntop = 2\nsort = ['quantity']",
            vec!["C 8", "X 16", "67", "91"],
        ),
        (
            "by = ['products.family > item']\nshow = ['quantity']\ntop = 1",
            vec!["hive 53", "hive A 45", "hive C 8", "38", "91"],
        ),
        (
            "by = ['item']\nshow = ['quantity']\nhaving = 'quantity > 16'",
            vec!["A 45", "B 22", "24", "91"],
        ),
        (
            "by = ['products.family > item']\nshow = ['quantity']\nhaving = 'quantity > 16'",
            vec!["hive 53", "hive A 45", "hive 8", "wax 22", "wax B 22", "16", "91"],
        ),
        (
            "by = ['month(day)']\nshow = ['quantity']\nall-periods = true\nwhere = \"year(day) = '2025'\"",
            vec![
                "2025-01 3",
                "2025-02 ",
                "2025-03 28",
                "2025-04 ",
                "2025-05 ",
                "2025-06 ",
                "2025-07 ",
                "2025-08 ",
                "2025-09 ",
                "2025-10 ",
                "2025-11 ",
                "2025-12 ",
                "31",
            ],
        ),
        (
            "by = ['quarter(day)', 'item']\nshow = ['quantity']\nall-periods = true\nwhere = \"item = 'B'\"",
            vec![
                "2024-Q1 B 20",
                "2024-Q2 B ",
                "2024-Q3 B ",
                "2024-Q4 B ",
                "2025-Q1 B 2",
                "2025-Q2 B ",
                "22",
            ],
        ),
        (
            "by = ['month(day)']\nshow = ['quantity', 'running(quantity)']\nall-periods = true\nwhere = \"item = 'A'\"",
            vec![
                "2024-01 10 10",
                "2024-02  10",
                "2024-03 30 40",
                "2024-04  40",
                "2024-05  40",
                "2024-06  40",
                "2024-07  40",
                "2024-08  40",
                "2024-09  40",
                "2024-10  40",
                "2024-11  40",
                "2024-12  40",
                "2025-01 1 41",
                "2025-02  41",
                "2025-03 4 45",
                "45 45",
            ],
        ),
        ("by = []\nshow = ['lines', 'quantity']", vec!["9 91"]),
    ] {
        assert_eq!(rows(settings), expected, "{settings}");
    }
}

#[test]
fn a_row_says_where_its_sums_are_over_different_lines() {
    let settings = "by = ['products.family']\nshow = ['revenue', 'cost']";
    let plan = Plan::parse(&format!("{PLAN}[outputs.totals]\nto = 't.csv'\n{settings}\n")).unwrap();
    let mut requests = Request::of_plan(&plan).unwrap();
    if let Content::Totals(totals) = &mut requests[0].content {
        totals.compare_known = true;
    }
    let asked = prepared(&plan, &shop(), &requests, Vec::new()).unwrap();
    let table = run_whole(&asked, &shop()).1;
    let told: Vec<String> = table
        .rows
        .iter()
        .chain([&table.whole])
        .filter_map(|row| row.partly_known.as_ref())
        .map(ToString::to_string)
        .collect();
    let expected = [
        "These sums are over different lines. Of 3 lines, none has all of revenue, cost. On 2 others, revenue comes to 66.00.",
        "These sums are over different lines. Of 9 lines, 5 have all of revenue, cost. On 2 others, revenue comes to 66.00.",
    ];
    assert_eq!(told, expected);
    assert_eq!(table.not_adding_up(), [""; 0]);
    assert_eq!((table.lines, table.filtered), (9, 0));
}

#[test]
fn the_usual_totals_are_lines_and_figures() {
    let names = |settings: &str| {
        let table = table(settings);
        table.columns.iter().map(|own| table.column_name_of(own)).collect::<Vec<_>>()
    };
    assert_eq!(names("by = ['item']"), ["lines", "revenue", "cost", "margin"]);
    assert_eq!(
        names("by = ['item']\nacross = ['year(day)']\nshow = ['quantity']"),
        ["2024 quantity", "2025 quantity", "all quantity"]
    );
    assert_eq!(
        names("by = ['year(day)']\nversus = ['quantity', 'year_before(quantity)']"),
        ["quantity", "year_before(quantity)", "difference", "difference / year_before(quantity)"]
    );
}

#[test]
fn figures_say_whether_they_have_a_total() {
    let figures = "rate = 'products.price * 2'\nkind = \"if quantity > 5 then 'many' else 'few'\"\n\
         flag = 'if quantity > 5 then 1 else 0'\nmost = { formula = 'quantity', totals = 'largest' }\n\
         alone = { formula = 'revenue', totals = 'none' }\nback = 'revenue * (quantity - returned) / quantity'\n\
         rounded = { formula = 'revenue', round = 1 }\nagain = { formula = 'revenue', totals = 'again' }\n";
    let plan = Plan::parse(&format!("{PLAN}{figures}")).unwrap();
    let (engine, _) = prepared(&plan, &shop(), &Vec::<Request>::new(), Vec::new()).unwrap();
    let with_totals = ["revenue", "cost", "margin", "flag", "most", "back", "rounded", "again"];
    assert_eq!(engine.figures_with_totals(), with_totals);
    assert_eq!(engine.amounts_as_ratios(), ["back"]);
}

#[test]
fn periods_without_lines_are_filled_in_between() {
    for (settings, expected) in [
        (
            "by = ['year(day)', 'month(day)']\nshow = ['quantity']\nall-periods = true\nwhere = \"item = 'B'\"",
            vec![
                "2024 2024-02 20",
                "2024 2024-03 ",
                "2024 2024-04 ",
                "2024 2024-05 ",
                "2024 2024-06 ",
                "2024 2024-07 ",
                "2024 2024-08 ",
                "2024 2024-09 ",
                "2024 2024-10 ",
                "2024 2024-11 ",
                "2024 2024-12 ",
                "2025 2025-01 2",
                "2025 2025-02 ",
                "2025 2025-03 ",
                "2025 2025-04 ",
                "22",
            ],
        ),
        (
            "by = ['item', 'quarter(day)']\nshow = ['quantity']\nall-periods = true\nwhere = \"item in ('B', 'C')\"",
            vec![
                "B 2024-Q1 20",
                "B 2024-Q2 ",
                "B 2024-Q3 ",
                "B 2024-Q4 ",
                "B 2025-Q1 2",
                "B 2025-Q2 ",
                "C 2024-Q1 ",
                "C 2024-Q2 ",
                "C 2024-Q3 ",
                "C 2024-Q4 ",
                "C 2025-Q1 8",
                "C 2025-Q2 ",
                "30",
            ],
        ),
        (
            "by = ['day']\nshow = ['quantity']\nsort = ['-day']\nwhere = \"item = 'A'\"",
            vec!["2025-03-05 4", "2025-01-10 1", "2024-03-05 30", "2024-01-10 10", "45"],
        ),
        (
            "by = ['day']\nshow = ['quantity', 'period_before(quantity)', 'year_before(quantity)']\nwhere = \"item = 'A'\"",
            vec![
                "2024-01-10 10  ",
                "2024-01-11  10 ",
                "2024-03-05 30  ",
                "2024-03-06  30 ",
                "2025-01-10 1  10",
                "2025-01-11  1 ",
                "2025-03-05 4  30",
                "45  40",
            ],
        ),
        (
            "by = ['week(day)']\nshow = ['quantity']\nall-periods = true\nwhere = \"day between '2025-01-10' and '2025-02-01'\"",
            vec!["2025-W02 1", "2025-W03 ", "2025-W04 2", "2025-W05 ", "3"],
        ),
        (
            "by = ['year(day)']\nshow = ['quantity', 'zero', 'share(zero)']",
            vec!["2024 60 0 ", "2025 31 0 ", "91 0 "],
        ),
        (
            "by = ['item']\nshow = ['share(cost)', 'share(revenue)']",
            vec![
                "A 0.9825327510917 0.6232686980609",
                "B  0.3656509695291",
                "C 0.0174672489083 0.01108033241",
                "X  ",
                "1 1",
            ],
        ),
        (
            "by = ['month(day)']\nshow = ['quantity']\nsort = ['-quantity']\ntop = 2\nall-periods = true",
            vec!["2024-03 30", "2025-03 28", "33", "91"],
        ),
        (
            "by = ['item']\nversus = ['revenue', 'cost']\nsort = ['-difference']",
            vec![
                "A 112.50 45.00 67.50 1.5",
                "B 66.00  66.00 ",
                "C 2.00 0.80 1.20 1.5",
                "X    ",
                "180.50 45.80 134.70 2.9410480349345",
            ],
        ),
        (
            "by = ['item']\nversus = ['revenue', 'cost']\nhaving = 'difference > 1'",
            vec![
                "A 112.50 45.00 67.50 1.5",
                "B 66.00  66.00 ",
                "C 2.00 0.80 1.20 1.5",
                "   ",
                "180.50 45.80 134.70 2.9410480349345",
            ],
        ),
        (
            "by = ['products.family > item']\nshow = ['quantity', 'lines']\nsort = ['lines', '-quantity']",
            vec![
                " 16 1",
                " X 16 1",
                "wax 22 3",
                "wax B 22 3",
                "hive 53 5",
                "hive C 8 1",
                "hive A 45 4",
                "91 9",
            ],
        ),
        (
            "by = ['products.family > item']\nshow = ['quantity', 'running(quantity)']",
            vec![
                "hive 53 53",
                "hive A 45 45",
                "hive C 8 53",
                "wax 22 75",
                "wax B 22 22",
                " 16 91",
                " X 16 16",
                "91 91",
            ],
        ),
    ] {
        assert_eq!(rows(settings), expected, "{settings}");
    }
}

#[test]
fn a_table_knows_its_lines_and_those_that_the_condition_left_out() {
    let table = table(
        "by = ['item']\nshow = ['lines', 'quantity', 'revenue', 'margin']\nwhere = \"item <> 'A'\"",
    );
    assert_eq!((table.lines, table.filtered), (5, 4));
    let sums = |tally: &interligo_engine::proof::tally::Tally| {
        let one = |sum: usize| {
            tally.sum(sum).map_or("-".to_owned(), |sum| sum.value().unwrap().to_string())
        };
        (tally.lines, [0, 1, 2].map(one).join(" "))
    };
    assert_eq!(sums(&table.sources[0].grouped), (5, "46 68.00 -".to_owned()));
    assert_eq!(sums(&table.sources[0].filtered), (4, "45 112.50 -".to_owned()));
    let adding_up: Vec<&str> =
        table.adding_up().into_iter().map(|at| table.measures[at].column_name.as_str()).collect();
    assert_eq!(adding_up, ["lines", "quantity", "revenue"]);
}

#[test]
fn a_table_of_no_line_has_a_whole_of_nothing() {
    let settings =
        "by = ['item']\nshow = ['lines', 'quantity', 'max(quantity)']\nwhere = \"item = 'none'\"";
    assert_eq!(rows(settings), ["0  "]);
    let table = table(settings);
    assert_eq!((table.lines, table.filtered), (0, 9));
    assert!(table.not_adding_up().is_empty());
}

/// Why an output of totals over some sales cannot be made into a table.
fn refusal(sales: &str, settings: &str) -> Option<String> {
    let tables = tables(&[("sales", sales)]);
    let plan = format!(
        "[tables.sales]\nrole = 'fact'\nfrom = 's.csv'\n[outputs.totals]\nto = 't.csv'\n{settings}\n"
    );
    let (engine, outputs) = engine_of_plan(&plan, &tables);
    let plans = totals_plans(&outputs);
    let OutputContent::Totals { layout: Some(layout), .. } = &outputs[0].content else {
        panic!("totals are asked for");
    };
    let mut groups = Groups::new(plans[0]);
    over_all_lines(&engine, &tables, |lines| groups.add(lines).unwrap());
    let mut cube = Cube::new(plans[0], layout);
    cube.absorb(plans[0], groups);
    layout.table(&plans, cube).err().map(|error| format!("{error:?}"))
}

#[test]
fn tables_that_would_be_too_large_are_refused() {
    let items = (0..500).map(|n| format!("I{n:03},{n}")).collect::<Vec<_>>().join("\n");
    let sales = format!("item,n\n{items}");
    let across = "by = ['n']\nshow = ['n', 'lines']\nacross = ['item']";
    let wide = TotalsError::TooWide { across: "item".to_owned(), columns: 1_002, most: 1_000 };
    assert_eq!(refusal(&sales, across), Some(format!("{wide:?}")));
    assert_eq!(refusal(&sales, "by = ['n', 'item']\nshow = ['n', 'lines']"), None);
    assert_eq!(refusal(&sales, "by = ['n']\nshow = ['n']\nacross = ['item']"), None);

    let sales = "day,item,n\n0001-01-01,A,1\n9999-12-31,B,2\n1990-01-01,C,3";
    let days = "by = ['item', 'day']\nshow = ['n']\nall-periods = true";
    let long = TotalsError::TooLong { rows: 3 * 3_652_059, most: 1_000_000 };
    assert_eq!(refusal(sales, days), Some(format!("{long:?}")));
    assert_eq!(refusal(sales, "by = ['day']\nshow = ['n']"), None);
}

/// An attribute that speaks of the day through another figure is that of the day a year later.
#[test]
fn what_speaks_of_the_day_is_seen_a_year_later() {
    let figures = "age = \"if day < date(2025, 1, 1) then 'old' else 'new'\"\nlabel = 'age'\n";
    let settings = "by = ['year(day)', 'label']\nshow = ['quantity', 'year_before(quantity)']";
    let plan = format!("{PLAN}{figures}[outputs.totals]\nto = 't.csv'\n{settings}\n");
    let table = run_whole(&engine_of_plan(&plan, &shop()), &shop()).1;
    let rows: Vec<String> = shown(&table).into_iter().map(|row| row.join(" ")).collect();
    assert_eq!(rows, ["2024 old 60 ", "2025 new 31 60"]);
}

/// What went wrong while a table was made: a row of some level that does not add up.
#[test]
fn rows_that_do_not_add_up_are_named_on_whichever_level() {
    let settings = "by = ['products.family > item']\nshow = ['lines', 'quantity']";
    let whole = table(settings);
    assert_eq!(whole.not_adding_up(), [""; 0]);
    for level in 0..2 {
        let mut changed = table(settings);
        let row = changed.rows.iter_mut().find(|row| row.level == level).unwrap();
        row.values[1] = Value::Number(Decimal::from(1_000));
        assert_eq!(changed.not_adding_up(), ["quantity"], "level {level}");
    }
}
