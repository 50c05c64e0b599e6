//! `totals`: any figure by any attribute, for reading and for other programs.

use crate::support::{Folder, shop};

fn csv(arguments: &[&str]) -> String {
    let all = [&["totals", "--format", "csv"], arguments].concat();
    shop("").run(&all).printed().to_owned()
}

#[test]
fn every_kind_of_attribute_can_make_the_rows() {
    for (by, expected) in [
        ("products.name", "products.name,lines\n\"Jar, small\",2\nSmoker,2\n,1\n"),
        ("item", "item,lines\nA,2\nB,2\nX,1\n"),
        ("sales.item", "sales.item,lines\nA,2\nB,2\nX,1\n"),
        ("quarter(day)", "quarter(day),lines\n2025-Q1,5\n"),
        ("week(day)", "week(day),lines\n2025-W02,1\n2025-W07,2\n2025-W09,2\n"),
        (
            "day",
            "day,lines\n2025-01-10,1\n2025-02-10,1\n2025-02-11,1\n2025-03-01,1\n2025-03-02,1\n",
        ),
        ("quantity > 2", "quantity > 2,lines\nno,2\nyes,3\n"),
        ("prices.price", "prices.price,lines\n1,1\n1.25,1\n20,1\n,2\n"),
        (
            "if quantity > 2 then 'large' else 'small'",
            "if quantity > 2 then 'large' else 'small',lines\nlarge,3\nsmall,2\n",
        ),
        (
            "item, month(day)",
            "item,month(day),lines\nA,2025-01,1\nA,2025-02,1\nB,2025-02,1\nB,2025-03,1\nX,2025-03,1\n",
        ),
        ("", "lines\n5\n"),
    ] {
        assert_eq!(csv(&["--by", by, "--show", "lines"]), expected, "{by}");
    }
}

#[test]
fn conditions_choose_the_lines_that_count() {
    for (condition, lines) in [
        ("quantity > 2", 3),
        ("quantity between 2 and 4", 3),
        ("item in ('A', 'X')", 3),
        ("item not in ('A', 'X')", 2),
        ("month(day) = '2025-02'", 2),
        ("day >= '2025-02-11' and not item = 'B'", 1),
        ("revenue is blank", 2),
        ("products.name is not blank or quantity = 5", 5),
        // A line without a price is neither above nor below.
        ("prices.price < 10", 2),
        ("not prices.price < 10", 1),
        ("profit / revenue > 0.6", 1),
    ] {
        let expected = format!("lines\n{lines}\n");
        assert_eq!(csv(&["--show", "lines", "--where", condition]), expected, "{condition}");
    }
}

#[test]
fn without_show_there_are_lines_and_all_figures() {
    assert_eq!(
        csv(&["--by", "item"]),
        "item,lines,revenue,cost,profit,margin\n\
         A,2,5.75,2.00,3.75,0.65217391304348\n\
         B,2,20.00,62.50,7.50,0.375\n\
         X,1,,,,\n"
    );
}

#[test]
fn the_table_says_what_it_leaves_out() {
    let by = ["totals", "--by", "products.name", "--show", "lines,revenue,cost,margin"];
    insta::assert_snapshot!("totals_table", shop("").run(&by).as_text());
    let narrowed = ["totals", "--show", "quantity,revenue", "--where", "item = 'B'"];
    insta::assert_snapshot!("totals_narrowed", shop("").run(&narrowed).as_text());
}

#[test]
fn what_is_no_sum_leaves_lines_out_as_openly() {
    let left_out = |show: &str| {
        let came = shop("").run(&["totals", "--show", show, "--by", "products.name"]);
        let noted = came.printed().lines().filter(|line| line.contains("left out"));
        noted.map(str::to_owned).collect::<Vec<_>>().join("\n")
    };
    for (show, traced) in [
        ("median(revenue)", "'median(revenue)'"),
        ("max(revenue)", "'count(revenue)'"),
        ("min(revenue)", "'count(revenue)'"),
        ("count(distinct revenue)", "'count(revenue)'"),
    ] {
        let expected = format!(
            "{show}: 2 of 5 lines have no value and are left out; `interligo trace --total {traced}` shows why."
        );
        assert_eq!(left_out(show), expected);
    }
    assert_eq!(left_out("max(day)"), "");
    assert_eq!(
        left_out("max(products.name)"),
        "max(products.name): 1 of 5 lines has no value and is left out; `interligo trace --total 'count(products.name)'` shows why."
    );
}

#[test]
fn json_has_every_digit_as_text() {
    let by = ["totals", "--by", "item", "--show", "revenue,margin", "--format", "json"];
    insta::assert_snapshot!(shop("").run(&by).as_text());
}

#[test]
fn an_option_may_be_given_twice() {
    assert_eq!(
        csv(&["--by", "item", "--by", "month(day)", "--show", "lines"]),
        csv(&["--by", "item,month(day)", "--show", "lines"])
    );
}

#[test]
fn a_condition_that_no_line_meets_gives_an_empty_table() {
    let came =
        shop("").run(&["totals", "--by", "item", "--where", "quantity > 1000", "--format", "csv"]);
    came.stdout("item,lines,revenue,cost,profit,margin\n")
        .stderr(
            "None of 5 lines meets the condition: `interligo look sales --column quantity` shows its values.\n",
        )
        .nothing_else();
    for (condition, advice) in [
        ("item = 'a'", "`item` has no 'a', but 'A'"),
        ("quantity > 0 and products.name in ('Smokers')", "`name` has no 'Smokers', but 'Smoker'"),
        ("item = 'nothing like it'", "`interligo look sales --column item` shows its values"),
    ] {
        let arguments =
            ["totals", "--by", "item", "--where", condition, "--show", "lines", "--format", "csv"];
        shop("")
            .run(&arguments)
            .stdout("item,lines\n")
            .stderr(&format!("None of 5 lines meets the condition: {advice}.\n"))
            .nothing_else();
    }
}

/// In quotes it is a column, without them the number of lines.
#[test]
fn a_column_may_be_called_lines() {
    let plan = "[tables.s]\nrole = \"fact\"\nfrom = \"s.csv\"\n[figures]\ndouble = \"\\\"lines\\\" * 2\"\n";
    let folder = Folder::with(&[("interligo.toml", plan), ("s.csv", "a,lines\nx,10\ny,20\n")]);
    let came = folder.run(&[
        "totals",
        "--by",
        "a",
        "--show",
        "\"lines\",lines,s.lines,double,share(lines)",
        "--where",
        "\"lines\" > 5",
        "--format",
        "csv",
    ]);
    assert_eq!(
        came.printed(),
        "a,lines,lines,s.lines,double,share(lines)\nx,10,1,10,20,0.5\ny,20,1,20,40,0.5\n"
    );
    for arguments in [["--where", "lines > 5"], ["--show", "sum(lines)"], ["--by", "lines"]] {
        let came = folder.run(&["totals", arguments[0], arguments[1]]).status(2);
        assert!(came.said().contains("in quotes: \"lines\""), "{}", came.said());
    }
}
