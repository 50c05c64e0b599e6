//! Workbooks whose figures stay live: an office suite computes each formula again, and comes to the values that are stored.

use std::cell::Cell;

use crate::office_suite::{
    opened_by_an_office_suite, part, parts, sheet, with_changed_sheets, without_stored_values,
};
use crate::support::{Folder, SALES, shop};

/// A workbook with all of the small shop.
const BOOK: &str = "
[workbooks.book]
to = \"book.xlsx\"
sheets = [\"lines\", \"by_item\", \"months\", \"all\", \"top\", \"some\"]
formulas = true

[outputs.lines]
columns = [\"no\", \"item\", \"products.name\", { name = \"Amount\", value = \"revenue\", shown = \"money\" }]
[outputs.by_item]
by = [\"item\"]
show = [\"lines\", \"quantity\", \"revenue\", \"cost\", \"margin\", \"avg(revenue)\", \"blank(revenue)\", \"count(distinct item)\"]
[outputs.months]
by = [\"item > month(day)\"]
show = [\"lines\", \"revenue\"]
[outputs.all]
by = []
[outputs.top]
by = [\"item\"]
top = 1
[outputs.some]
by = [\"item\"]
where = \"quantity > 1\"
";

/// A sheet as it is stored, and as a suite computes it: the same texts and blanks, and numbers up to the last digits.
#[expect(clippy::float_arithmetic, reason = "cells of a spreadsheet are binary numbers")]
fn agree(stored: &[Vec<String>], computed: &[Vec<String>], name: &str) {
    assert_eq!(stored.len(), computed.len(), "{name}");
    for (row, (stored, computed)) in stored.iter().zip(computed).enumerate() {
        for (column, (stored, computed)) in stored.iter().zip(computed).enumerate() {
            assert!(!computed.starts_with("Err:") && !computed.starts_with('#'), "{computed}");
            let number = |text: &str| text.trim_end_matches('%').parse::<f64>();
            let close = match (number(stored), number(computed)) {
                (Ok(a), Ok(b)) => (a - b).abs() <= a.abs().max(1.0) * 1e-12,
                _ => stored == computed,
            };
            assert!(close, "{name} {row} {column}: stored {stored}, computed {computed}");
        }
    }
}

/// Lets a suite compute a workbook of a folder, and compares its sheets; the answer is how many formulas there are.
fn computed_again(folder: &Folder, sheets: &[&str]) -> Option<usize> {
    let path = |name: &str| folder.path().join(name);
    let formulas = Cell::new(0);
    with_changed_sheets(&path("book.xlsx"), &path("bare.xlsx"), |_, sheet| {
        let (bare, count) = without_stored_values(&sheet);
        formulas.set(formulas.get() + count);
        bare
    });
    opened_by_an_office_suite(folder, "book.xlsx")?;
    opened_by_an_office_suite(folder, "bare.xlsx")?;
    for name in sheets {
        agree(&sheet(folder, "book", name), &sheet(folder, "bare", name), name);
    }
    Some(formulas.get())
}

#[test]
fn formulas_test_their_operands_and_take_attributes_by_the_matched_row() {
    let folder = shop(BOOK);
    let came = folder.run(&["run"]);
    assert_eq!(came.exit_status(), 0, "{}", came.said());
    let lines = part(&folder.path().join("book.xlsx"), "xl/worksheets/sheet2.xml");
    let formula = |cell: &str| {
        let from = lines.find(&format!("<c r=\"{cell}\"")).unwrap();
        let text = &lines[from..];
        text[text.find("<f>").unwrap() + 3..text.find("</f>").unwrap()]
            .replace("&quot;", "\"")
            .replace("&gt;", ">")
    };
    let name = "IF(E2=\"\",\"\",IF(INDEX('products'!$B$1:$B$3,E2)=\"\",\"\",INDEX('products'!$B$1:$B$3,E2)))";
    assert_eq!(formula("C2"), name);
    assert_eq!(formula("D2"), "IF(OR(G2=\"\",H2=\"\"),\"\",(G2*H2))");
    let by_item = part(&folder.path().join("book.xlsx"), "xl/worksheets/sheet3.xml");
    let key =
        "\"|\"&amp;SUBSTITUTE(SUBSTITUTE(SUBSTITUTE($A2,\"~\",\"~~\"),\"*\",\"~*\"),\"?\",\"~?\")";
    assert!(by_item.contains(key), "{by_item}");
    // The lookups are sheets, with what was read from where.
    let Some(formulas) =
        computed_again(&folder, &["lines", "by_item", "months", "all", "products"])
    else {
        return;
    };
    assert!(formulas > 60, "{formulas}");
    let products = sheet(&folder, "book", "products");
    assert_eq!(products[1].join(" "), "A Jar, small 0.4 products.csv 2");
    let lines = sheet(&folder, "bare", "lines");
    assert_eq!(lines[4][..4].join("|"), "4|B|Smoker|", "{:?}", lines[4]);
}

#[test]
fn about_says_which_cells_are_values_and_why() {
    let folder = shop(BOOK);
    assert_eq!(folder.run(&["run"]).exit_status(), 0);
    let Some(()) = opened_by_an_office_suite(&folder, "book.xlsx") else { return };
    let about: Vec<String> =
        sheet(&folder, "book", "About").into_iter().map(|row| row[0].clone()).collect();
    for said in [
        "Figures in sheet lines are formulas: a changed cell changes all that follows from it. The rows that links matched are values.",
        "Sheet by_item: values, and no formulas, are in count(distinct item).",
        "Sheet top has values and no formulas: it is sorted, or shows the largest groups.",
        "Sheet some has values and no formulas: it is over some lines only.",
        "Sheet by_item: 2 rows have sums over different lines, as the note there says.",
        "Sheet top: 1 row has sums over different lines, as the note there says.",
    ] {
        assert!(about.iter().any(|line| line == said), "{said}\n{about:#?}");
    }
}

/// A lookup's text that looks like a number is a value where its neighbours are formulas; its column is named.
#[test]
fn about_names_the_columns_in_which_cells_are_values() {
    let mut folder = shop(BOOK);
    let products = std::fs::read_to_string(folder.path().join("products.csv")).unwrap();
    folder.put("products.csv", products.replace("Smoker", "007").as_bytes());
    assert_eq!(folder.run(&["run"]).exit_status(), 0);
    let about = part(&folder.path().join("book.xlsx"), "xl/worksheets/sheet1.xml");
    let said = "Sheet lines: some cells are values and no formulas, since they are texts that look like numbers, \
                or have more than 15 digits: 2 of products.name.";
    assert!(about.contains(said), "{about}");
}

#[test]
fn a_row_whose_amounts_are_known_on_different_lines_has_a_note() {
    let folder = shop(BOOK);
    assert_eq!(folder.run(&["run"]).exit_status(), 0);
    let notes = parts(&folder.path().join("book.xlsx"), "comments").join("\n");
    let note = "These sums are over different lines. Of 2 lines, 1 has all of quantity, revenue, cost. \
                On 1 other, quantity comes to 4. On 1 other, cost comes to 50.00.";
    assert!(notes.contains(note), "{notes}");
}

#[test]
fn a_changed_quantity_changes_what_follows_from_it_and_nothing_else() {
    let folder = shop(BOOK);
    assert_eq!(folder.run(&["run"]).exit_status(), 0);
    let path = |name: &str| folder.path().join(name);
    // The quantity of the first line, 2 in column G.
    with_changed_sheets(&path("book.xlsx"), &path("bare.xlsx"), |name, sheet| {
        let sheet = match name.ends_with("sheet2.xml") {
            true => {
                let at = sheet.find("<c r=\"G2\"").unwrap();
                let changed = sheet[at..].replacen("<v>2</v>", "<v>10</v>", 1);
                format!("{}{changed}", &sheet[..at])
            }
            false => sheet,
        };
        without_stored_values(&sheet).0
    });
    let Some(()) = opened_by_an_office_suite(&folder, "book.xlsx") else { return };
    opened_by_an_office_suite(&folder, "bare.xlsx").unwrap();
    let mut changed = Vec::new();
    for name in ["lines", "by_item", "months"] {
        let rows = sheet(&folder, "book", name).into_iter().zip(sheet(&folder, "bare", name));
        for (row, (before, after)) in rows.enumerate() {
            for (column, (before, after)) in before.iter().zip(&after).enumerate() {
                if before != after {
                    changed.push(format!("{name} {row} {column}: {before} to {after}"));
                }
            }
        }
    }
    // Revenue 2 * 1.00 becomes 10 * 1.00; cost 2 * 0.4 becomes 4. Item A: 5.75 becomes 13.75, 2 becomes 5.2.
    let wanted = [
        "lines 1 3: 2 to 10",
        "lines 1 6: 2 to 10",
        "lines 1 8: 0.8 to 4",
        "by_item 1 2: 5 to 13",
        "by_item 1 3: 5.75 to 13.75",
        "by_item 1 4: 2 to 5.2",
        "by_item 1 5: 0.65217391304348 to 0.621818181818182",
        "by_item 1 6: 2.875 to 6.875",
        "months 1 4: 5.75 to 13.75",
        "months 2 4: 2 to 10",
    ];
    let relevant: Vec<&String> = changed.iter().filter(|one| !one.contains("lines 1 1")).collect();
    assert_eq!(relevant, wanted.iter().collect::<Vec<_>>(), "{changed:#?}");
}

/// A fact with codes that a spreadsheet takes for something else, and figures of all kinds.
#[test]
fn every_kind_of_formula_comes_to_what_the_plan_says() {
    let figures = [
        "net = \"quantity * price * (1 - rebate)\"",
        "half_up = { formula = \"net\", round = 2, rounding = \"half-up\" }",
        "half_even = { formula = \"net\", round = 2 }",
        "share = \"net / price / quantity\"",
        "first = \"coalesce(rebate, price, 0)\"",
        "kind = \"if quantity > 5 and rebate is not blank then 'bulk' else 'retail'\"",
        "either = \"if price > 3 or rebate > 0.1 then 1 else 2\"",
        "listed = \"if code in ('007', 'a*', '>5') then quantity else -quantity\"",
        "apart = \"if code <> '7' and not (price between 1 and 2) then abs(net) else blank\"",
        "steps = \"floor(net) + ceiling(price) + least(price, quantity) + greatest(price, quantity)\"",
        "later = \"extract(day from day + 40) + (day - date(2025, 1, 1))\"",
        "quarter_of = \"quarter(day)\"",
        "joined = \"code || '/' || kind\"",
    ];
    let names: Vec<&str> = figures.iter().map(|figure| figure.split(' ').next().unwrap()).collect();
    let plan = format!(
        "[tables.s]\nrole = \"fact\"\nfrom = \"s.csv\"\n[tables.s.columns]\ncode = {{ type = \"text\" }}\n\
         [figures]\n{}\n\n[bands.size]\nof = \"net\"\nedges = [5, 20.1]\n\n\
         [workbooks.book]\nto = \"book.xlsx\"\nsheets = [\"lines\", \"by_code\", \"by_day\"]\nformulas = true\n\
         [outputs.lines]\ncolumns = [\"*\", \"{}\", \"size\"]\n\
         [outputs.by_code]\nby = [\"code\"]\nacross = [\"size\"]\nshow = [\"lines\", \"net\", \"half_up\", \"share\"]\n\
         [outputs.by_day]\nby = [\"day\", \"kind\"]\nshow = [\"net\", \"avg(price)\", \"count(rebate)\"]\n",
        figures.join("\n"),
        names.join("\", \""),
    );
    let codes = ["007", "7", "a*", "ab", ">5", "~x?", "Case", "case", "", "é\"q\""];
    let mut lines = "code,day,quantity,price,rebate\n".to_owned();
    for number in 0..60_usize {
        let code = codes[number % codes.len()].replace('"', "\"\"");
        let day = if number % 11 == 3 {
            String::new()
        } else {
            format!("2025-{:02}-{:02}", 1 + number % 4, 1 + number % 9)
        };
        let quantity = if number % 7 == 6 { String::new() } else { (number % 13).to_string() };
        let price = if number % 9 == 8 {
            String::new()
        } else {
            format!("{}.{:02}", number % 5, number * 7 % 100)
        };
        let rebate = ["0.125", "", "0", "0.005"][number % 4];
        lines += &format!("\"{code}\",{day},{quantity},{price},{rebate}\n");
    }
    let folder = Folder::with(&[("interligo.toml", &plan), ("s.csv", &lines)]);
    let came = folder.run(&["run"]);
    assert_eq!(came.exit_status(), 0, "{}", came.said());
    let Some(formulas) = computed_again(&folder, &["lines", "by_code", "by_day"]) else { return };
    // Of 60 lines all figures but the one that rounds half-even; codes that differ in case alone are values.
    assert!(formulas > 60 * 12, "{formulas}");
    let by_code = sheet(&folder, "bare", "by_code");
    let of = |code: &str| by_code.iter().find(|row| row[0] == code).map(|row| row.join("|"));
    assert_ne!(of("007"), None);
    assert_ne!(of("007"), of("7"));
}

#[test]
fn the_workbook_of_the_demo_is_computed_as_it_is_stored() {
    let folder = Folder::with(&[]);
    assert_eq!(folder.run(&["demo"]).exit_status(), 0);
    std::fs::rename(folder.path().join("mielo/out/result.xlsx"), folder.path().join("book.xlsx"))
        .unwrap();
    let sheets = ["by_group", "by_size", "sales_lines", "budget", "top_products", "products"];
    let Some(formulas) = computed_again(&folder, &sheets) else { return };
    assert!(formulas > 2_999 * 10, "{formulas}");
}

#[test]
fn sheets_are_outputs_by_name() {
    let lines = "[outputs.lines]\ncolumns = [\"*\"]\n";
    let book = |sheets: &str, more: &str| {
        format!("\n[workbooks.w]\nto = \"w.xlsx\"\nsheets = [{sheets}]\n{lines}{more}")
    };
    for (more, said) in [
        (book("\"line\"", ""), "error: `line` is no output of the plan"),
        (book("\"lines\", \"lines\"", ""), "error: the workbook `w` has the sheet `lines` twice"),
        (
            book("\"lines\", \"a\"", "[outputs.a]\nlist = \"set-aside\"\n"),
            "error: `a` is the list of lines that are set aside, which has a file of its own",
        ),
        (
            book("\"lines\"", "").replace("w.xlsx", "w.ods"),
            "error: `w.ods` is no name of a workbook",
        ),
        (
            book("\"lines\"", "[outputs.b]\nto = \"w.xlsx#b\"\n"),
            "error: `w.xlsx` is the workbook `w`, whose sheets the plan lists",
        ),
        (book("\"lines\"", "[outputs.b]\n"), "error: the output `b` has no file"),
        (book("", ""), "error: the output `lines` has no file"),
    ] {
        let came = shop(&more).run(&["run"]).status(2);
        assert!(came.said().starts_with(said), "{more}\n{}", came.said());
        came.any_stderr().nothing_else();
    }
    // An output may be a file as well.
    let both = book("\"lines\"", "").replace("columns = [\"*\"]", "to = \"l.csv\"");
    let mut came = shop(&both).run(&["run"]);
    assert_eq!(came.take_file("l.csv").lines().count(), SALES.lines().count(), "{}", came.said());
    assert!(came.printed().contains("lines in w     5  w.xlsx#lines"), "{}", came.printed());
}
