//! Outputs as an engine types them: the columns of lines with what they hold, and what a sheet with formulas has besides.

use interligo_engine::bind::{Content, LinesRequest, Request};
use interligo_engine::engine::Engine;
use interligo_engine::lines::Lines;
use interligo_engine::live::{LiveLines, LiveMeasure, NotLive};
use interligo_engine::outputs::{Output, OutputColumn, OutputContent};
use interligo_engine::totals::MeasureKind;
use interligo_model::plan::Plan;
use interligo_model::values::column::ColumnKind;

use crate::support::{Asked, Tables, engine_of_plan, over_all_lines, prepared, tables};

const PLAN: &str = "[tables.sales]\nrole = 'fact'\nfrom = 's.csv'\nkey = 'no'\n\
     [tables.products]\nfrom = 'p.csv'\nkey = 'sku'\n[tables.families]\nfrom = 'f.csv'\nkey = 'code'\n\
     [tables.prices]\nfrom = 'r.csv'\nkey = 'sku'\nvalid = { from = 'since', until = 'last' }\n\
     [[link]]\npath = 'sales.item -> products.sku'\n[[link]]\npath = 'products.family -> families.code'\n\
     [[link]]\npath = 'sales.item -> prices.sku as of day'\n\
     [figures]\nrevenue = 'quantity * prices.price'\n\
     rate = { formula = 'revenue / quantity', round = 1, shown = 'percent' }\n";

fn shop() -> Tables {
    tables(&[
        ("sales", "no,item,day,quantity\n1,A,2025-01-05,2\n2, B ,2025-02-05,3\n3,X,2025-01-05,4"),
        ("products", "sku,name,family\nA,Smoker,tools\nB,Veil,wear"),
        ("families", "code,name,rank\ntools,Tools,7"),
        ("prices", "sku,since,last,price\nA,2025-01-01,,1.55\nB,2025-01-01,2025-01-31,2"),
    ])
}

fn asked(outputs: &str) -> Asked {
    engine_of_plan(&format!("{PLAN}{outputs}"), &shop())
}

fn columns(output: &Output) -> &[OutputColumn] {
    match &output.content {
        OutputContent::Lines { columns, .. } => columns,
        _ => panic!("`{}` is no output of lines", output.name),
    }
}

fn cell(engine: &Engine, lines: &Lines<'_>, column: &OutputColumn, line: usize) -> String {
    let sales = &shop()["sales"];
    let row_of = |link: usize| {
        let row = lines.link_rows(link)[line];
        Lines::is_row(row).then_some(row)
    };
    match column {
        OutputColumn::Own => sales[line + 1].join("|"),
        OutputColumn::Cell { column, .. } => sales[line + 1][*column].clone(),
        OutputColumn::Attribute { link, column, .. } => {
            engine.attribute_text(*link, *column, row_of(engine.anchor(*link)))
        }
        OutputColumn::LinkStatus { link, .. } => lines.statuses(*link)[line].0.name().to_owned(),
        OutputColumn::LinkKey { link, .. } => {
            row_of(*link).map_or(String::new(), |row| engine.key_of_row(*link, row))
        }
        OutputColumn::LinkRow { link, .. } => format!("{:?}", row_of(*link)),
        OutputColumn::Value { value, .. } => lines.values[*value].value(line).to_string(),
    }
}

fn name(column: &OutputColumn) -> &str {
    match column {
        OutputColumn::Own => "*",
        OutputColumn::Cell { column_name, .. }
        | OutputColumn::Attribute { column_name, .. }
        | OutputColumn::LinkStatus { column_name, .. }
        | OutputColumn::LinkRow { column_name, .. }
        | OutputColumn::LinkKey { column_name, .. }
        | OutputColumn::Value { column_name, .. } => column_name,
    }
}

fn names(output: &Output) -> Vec<&str> {
    columns(output).iter().map(name).collect()
}

#[test]
fn each_column_of_lines_has_what_its_name_says() {
    let (engine, outputs) = asked(
        "[outputs.lines]\nto = 'l.csv'\nstatus = true\n\
         columns = ['*', 'products.name', 'families.name', 'revenue', 'month(day)', 'quantity * 2']\n",
    );
    let expected = [
        "*",
        "products.name",
        "families.name",
        "revenue",
        "month(day)",
        "quantity * 2",
        "products status",
        "products key",
        "families status",
        "families key",
        "prices status",
        "prices key",
    ];
    assert_eq!(names(&outputs[0]), expected);
    let rows = over_all_lines(&engine, &shop(), |lines| {
        let row = |line: usize| {
            let cells = columns(&outputs[0]).iter().map(|own| cell(&engine, lines, own, line));
            cells.collect::<Vec<_>>()
        };
        [0, 1, 2].map(row)
    });
    let expected = [
        "1|A|2025-01-05|2, Smoker, Tools, 3.10, 2025-01, 4, exact, A, exact, tools, exact, A",
        "2| B |2025-02-05|3, Veil, , , 2025-02, 6, cleaned, B, unmatched, , undated, ",
        "3|X|2025-01-05|4, , , , 2025-01, 8, unmatched, , blank, , unmatched, ",
    ];
    assert_eq!(rows.map(|row| row.join(", ")), expected);
}

#[test]
fn values_of_lines_say_what_they_are_and_how_they_are_shown() {
    let (_, outputs) = asked(
        "[outputs.lines]\nto = 'l.csv'\ncolumns = ['no', 'day', 'revenue', 'rate', 'quantity * 1.5', 'quantity + 1', 'families.rank', 'day + 1', 'quantity > 2']\n",
    );
    let shown: Vec<_> = columns(&outputs[0])
        .iter()
        .filter_map(|own| match own {
            OutputColumn::Value { column_name, least_places, kind, shown, .. } => {
                Some((column_name.as_str(), *least_places, *kind, *shown))
            }
            _ => None,
        })
        .collect();
    let expected = [
        ("revenue", 2, ColumnKind::Number(2), MeasureKind::Amount(2)),
        ("rate", 1, ColumnKind::Number(1), MeasureKind::Percent(1)),
        ("quantity * 1.5", 1, ColumnKind::Number(1), MeasureKind::Amount(1)),
        // Whole numbers may be codes.
        ("quantity + 1", 0, ColumnKind::Number(0), MeasureKind::Other),
        ("day + 1", 0, ColumnKind::Date, MeasureKind::Other),
        ("quantity > 2", 0, ColumnKind::YesNo, MeasureKind::Other),
    ];
    assert_eq!(shown, expected);
}

#[test]
fn the_key_of_the_fact_is_found_among_columns() {
    let key = |columns_of: &str| {
        let (engine, outputs) =
            asked(&format!("[outputs.lines]\nto = 'l.csv'\ncolumns = {columns_of}\n"));
        engine.key_among(columns(&outputs[0]))
    };
    assert_eq!(key("['item', 'no']"), Some(vec![1]));
    assert_eq!(key("['item', 'revenue']"), None);
    let plan = PLAN.replace("key = 'no'", "key = 'no'\nrepeats = 'keep'");
    let outputs = "[outputs.lines]\nto = 'l.csv'\ncolumns = ['no']\n";
    let (engine, outputs) = engine_of_plan(&format!("{plan}{outputs}"), &shop());
    assert_eq!(engine.key_among(columns(&outputs[0])), None, "lines may share it");
}

const BOOK: &str = "[outputs.lines]\nto = 'l.csv'\ncolumns = ['no', 'revenue']\n\
     [outputs.totals]\nto = 't.csv'\nby = ['families.name', 'month(day)']\n\
     show = ['lines', 'revenue', 'rate', 'avg(quantity)', 'count(revenue)', 'blank(revenue)', 'median(quantity)']\n\
     [outputs.some]\nto = 's.csv'\nby = ['item']\nshow = ['revenue']\nwhere = 'quantity > 2'\n\
     [outputs.first]\nto = 'f.csv'\nby = ['item']\nshow = ['revenue']\ntop = 2\n\
     [workbooks.book]\nto = 'b.xlsx'\nsheets = ['lines', 'totals', 'some', 'first']\nformulas = true\n";

#[test]
fn a_sheet_with_formulas_has_what_they_need_behind_what_is_asked_for() {
    let (engine, outputs) = asked(BOOK);
    let of_book = outputs.iter().find(|own| own.name == "lines in book").unwrap();
    let expected = [
        "no",
        "revenue",
        "products row",
        "families row",
        "prices row",
        "quantity",
        "prices.price",
        "families.name",
        "day",
        "month(day)",
    ];
    assert_eq!(names(of_book), expected);
    let OutputContent::Lines { live: Some(LiveLines { asked, groups }), .. } = &of_book.content
    else {
        panic!("the sheet has formulas");
    };
    assert_eq!((*asked, groups), (2, &vec![7, 9]));
    let kinds = |own: &OutputColumn| matches!(own, OutputColumn::LinkRow { .. });
    assert_eq!(columns(of_book).iter().filter(|own| kinds(own)).count(), 3);
    let plain = outputs.iter().find(|own| own.name == "lines").unwrap();
    assert_eq!(names(plain), ["no", "revenue"], "a file of text has no formulas");
    assert_eq!(
        (engine.chained_to(1), engine.chained_to(2), engine.lookup_of(2)),
        (Some(0), None, 2)
    );
    assert_eq!((engine.row_behind(1, 0), engine.row_behind(1, 1)), (Some(0), None));
    assert_eq!(engine.formula_of(0), "quantity * prices.price");
}

#[test]
fn totals_say_what_they_are_made_of_or_why_not() {
    let (_, outputs) = asked(BOOK);
    let totals = |name: &str| outputs.iter().find(|own| own.name == name).unwrap().live_totals();
    assert_eq!(totals("some"), Err(NotLive::Filtered));
    assert_eq!(totals("first"), Err(NotLive::Ordered));
    assert_eq!(totals("lines"), Err(NotLive::SeveralFacts));
    let made_of = |measure: &Option<LiveMeasure>| match measure {
        None => "nothing".to_owned(),
        Some(of) => {
            let what = match of {
                LiveMeasure::Lines => "lines",
                LiveMeasure::Sum(_) => "sum",
                LiveMeasure::Average(_) => "average",
                LiveMeasure::Known(_) => "known",
                LiveMeasure::Blank(_) => "blank",
                LiveMeasure::Ratio { .. } => "ratio",
            };
            format!("{what} of {}", of.values().len())
        }
    };
    let live = totals("totals").unwrap();
    assert_eq!(live.by.len(), 2);
    let expected = [
        "lines of 0",
        "sum of 1",
        "ratio of 2",
        "average of 1",
        "known of 1",
        "blank of 1",
        // A median is not computed from sums.
        "nothing",
    ];
    assert_eq!(live.measures.iter().map(made_of).collect::<Vec<_>>(), expected);
    let output = outputs.iter().find(|own| own.name == "totals").unwrap();
    let named: Vec<String> = output.named_measures().into_iter().map(|(name, _)| name).collect();
    let expected = [
        "lines",
        "revenue",
        "rate",
        "avg(quantity)",
        "count(revenue)",
        "blank(revenue)",
        "median(quantity)",
    ];
    assert_eq!(named, expected);
}

/// An output of lines that no plan writes.
fn asked_for(request: LinesRequest) -> Asked {
    let request = Request {
        name: "lines".to_owned(),
        to: None,
        of: None,
        workbook: None,
        content: Content::Lines(request),
    };
    prepared(&Plan::parse(PLAN).unwrap(), &shop(), &[request], Vec::new()).unwrap()
}

#[test]
fn a_record_has_what_figures_and_links_are_made_of() {
    let (engine, outputs) = asked_for(LinesRequest { record: true, ..LinesRequest::default() });
    let expected = ["no", "quantity", "item", "day", "products", "families", "prices"];
    assert_eq!(names(&outputs[0]), expected);
    let rows = over_all_lines(&engine, &shop(), |lines| {
        let all = columns(&outputs[0]).iter().map(|own| cell(&engine, lines, own, 0));
        all.collect::<Vec<_>>().join(", ")
    });
    assert_eq!(rows, "1, 2, A, 2025-01-05, Some(0), Some(0), Some(0)");
    assert_eq!(engine.key_among(columns(&outputs[0])), Some(vec![0]));
}

#[test]
fn columns_that_are_wanted_as_values_have_their_types() {
    let (engine, outputs) = asked_for(LinesRequest { as_values: true, ..LinesRequest::default() });
    let kinds: Vec<String> = columns(&outputs[0])
        .iter()
        .filter_map(|own| match own {
            OutputColumn::Value { column_name, value, kind, .. } => {
                let figure = engine.figure_of_value(*value);
                Some(format!("{column_name} {kind:?} {figure:?} {:?}", engine.day_column(*value)))
            }
            _ => None,
        })
        .collect();
    let expected = [
        "no Number(0) None None",
        "item Text None None",
        "day Date None Some(2)",
        "quantity Number(0) None None",
        "revenue Number(2) Some(0) None",
        "rate Number(1) Some(1) None",
    ];
    assert_eq!(kinds, expected);
}

#[test]
fn lines_go_to_files_of_their_own_by_the_braces_in_a_path() {
    let (engine, outputs) =
        asked("[outputs.lines]\nto = 'l-{families.name}-{month(day)}.csv'\ncolumns = ['no']\n");
    let OutputContent::Lines { slots, .. } = &outputs[0].content else {
        panic!("lines are put out")
    };
    let values = over_all_lines(&engine, &shop(), |lines| {
        let of_line =
            |line: usize| slots.iter().map(move |slot| lines.values[*slot].value(line).to_string());
        [0, 1, 2].map(|line| of_line(line).collect::<Vec<_>>().join(" "))
    });
    assert_eq!(values, ["Tools 2025-01", " 2025-02", " 2025-01"]);
}

#[test]
fn columns_are_called_and_shown_as_the_plan_says() {
    let (_, outputs) = asked(
        "[labels]\nrevenue = 'Turnover'\n'products.name' = 'Product'\n[outputs.lines]\nto = 'l.csv'\n\
         columns = ['revenue', 'products.name', { value = 'quantity * 2', name = 'Twice', places = 3 }]\n",
    );
    assert_eq!(names(&outputs[0]), ["Turnover", "Product", "Twice"]);
    let (_, outputs) = asked("[outputs.page]\nto = 'p.html'\n");
    assert!(outputs[0].is_page());
    let (_, outputs) = asked("[outputs.lines]\nto = 'l.csv'\ncolumns = ['no']\n");
    assert!(!outputs[0].is_page());
}

#[test]
fn what_an_output_put_out_is_summed_over_its_lines() {
    let (engine, _) = asked("[outputs.lines]\nto = 'l.csv'\ncolumns = ['no', 'revenue']\n");
    assert_eq!(engine.measure_names(), ["read quantity", "figure revenue"]);
    let sums = over_all_lines(&engine, &shop(), |lines| {
        let sums = |rows: &[u32], values: &[(usize, usize)]| -> Vec<String> {
            let all = lines.sums_put_out(rows, &values.iter().copied().collect());
            let one = |sum: &Option<interligo_engine::proof::exact_sum::ExactSum>| {
                sum.as_ref().map_or("-".to_owned(), |sum| sum.value().unwrap().to_string())
            };
            all.iter().map(one).collect()
        };
        [sums(&[0, 2], &[]), sums(&[1, 2], &[(0, 0)]), sums(&[0], &[(0, 0)]), sums(&[], &[(0, 0)])]
    });
    assert_eq!(sums, [["6", "-"], ["7", "0.00"], ["2", "3.10"], ["0", "0.00"]]);
}

#[test]
fn a_fact_looks_for_lines_that_came_twice_unless_it_keeps_them() {
    let looks = |key: &str| {
        let plan =
            PLAN.replace("key = 'no'\n[tables.products]", &format!("{key}[tables.products]"));
        engine_of_plan(&plan, &shop()).0.bound.fact.looks_for_repeats()
    };
    assert!(looks("key = 'no'\n"));
    assert!(looks("key = 'no'\nrepeats = 'first'\n"));
    assert!(!looks("key = 'no'\nrepeats = 'keep'\n"));
    assert!(!looks(""));
}

#[test]
fn a_figure_is_shown_as_the_plan_says() {
    let shown = |settings: &str| {
        let figure = format!("price = {{ formula = 'prices.price * 2.125', {settings} }}\n");
        let (_, outputs) =
            asked(&format!("{figure}[outputs.lines]\nto = 'l.csv'\ncolumns = ['price']\n"));
        match &columns(&outputs[0])[0] {
            OutputColumn::Value { shown, .. } => *shown,
            _ => panic!("a figure is a value"),
        }
    };
    for (settings, expected) in [
        ("shown = 'number'", MeasureKind::Number(2)),
        ("round = 1, shown = 'number'", MeasureKind::Number(1)),
        ("shown = 'money'", MeasureKind::Money(2)),
        ("shown = 'money 0'", MeasureKind::Money(0)),
        ("shown = 'percent'", MeasureKind::Percent(1)),
    ] {
        assert_eq!(shown(settings), expected, "{settings}");
    }
}

/// A figure that a figure is computed from, and one that is not asked for: behind it stand the columns of both.
#[test]
fn a_sheet_with_formulas_names_the_figures_that_it_needs() {
    let more = "twice = 'revenue * 2'\n[outputs.lines]\nto = 'l.csv'\ncolumns = ['twice']\n\
         [workbooks.book]\nto = 'b.xlsx'\nsheets = ['lines']\nformulas = true\n";
    let (_, outputs) = asked(more);
    let of_book = outputs.iter().find(|own| own.name == "lines in book").unwrap();
    assert_eq!(names(of_book), ["twice", "prices row", "revenue", "quantity", "prices.price"]);
    let shown = columns(of_book).iter().filter_map(|own| match own {
        OutputColumn::Value { column_name, shown, .. } => Some((column_name.as_str(), *shown)),
        _ => None,
    });
    let expected = [
        ("twice", MeasureKind::Amount(2)),
        ("revenue", MeasureKind::Amount(2)),
        ("quantity", MeasureKind::Other),
        ("prices.price", MeasureKind::Amount(2)),
    ];
    assert_eq!(shown.collect::<Vec<_>>(), expected);
}
