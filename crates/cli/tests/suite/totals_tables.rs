//! The shapes of totals: levels, columns across, order, the first few, bars; and what is refused.

use crate::support::{Folder, shop};

fn csv(folder: &Folder, arguments: &[&str]) -> String {
    folder.run(&[&["totals", "--format", "csv"], arguments].concat()).printed().to_owned()
}

#[test]
fn levels_have_subtotals_and_say_their_level() {
    assert_eq!(
        csv(&shop(""), &["--by", "month(day) > item", "--show", "quantity,margin"]),
        "level,month(day),item,quantity,margin\n\
         1,2025-01,,2,0.6\n2,2025-01,A,2,0.6\n\
         1,2025-02,,4,0.42315789473684\n2,2025-02,A,3,0.68\n2,2025-02,B,1,0.375\n\
         1,2025-03,,9,\n2,2025-03,B,4,\n2,2025-03,X,5,\n"
    );
}

#[test]
fn attributes_across_make_columns_and_a_whole() {
    let folder = shop("");
    assert_eq!(
        csv(&folder, &["--by", "item", "--across", "month(day)", "--show", "lines,quantity"]),
        "item,2025-01 lines,2025-01 quantity,2025-02 lines,2025-02 quantity,2025-03 lines,2025-03 quantity,all lines,all quantity\n\
         A,1,2,1,3,,,2,5\nB,,,1,1,1,4,2,5\nX,,,,,1,5,1,5\n"
    );
    let across = ["totals", "--by", "item", "--across", "month(day)", "--show", "revenue"];
    insta::assert_snapshot!("totals_across", folder.run(&across).as_text());
}

#[test]
fn the_first_few_and_the_rest() {
    let folder = shop("");
    assert_eq!(
        csv(&folder, &["--by", "day", "--show", "quantity,share(quantity)", "--top", "2"]),
        "day,quantity,share(quantity)\n\
         2025-03-02,5,0.333333333333\n2025-03-01,4,0.266666666667\n(the other 3),6,0.4\n"
    );
    assert_eq!(
        csv(
            &folder,
            &["--by", "item", "--show", "quantity,running(quantity)", "--sort=quantity,-item"]
        ),
        "item,quantity,running(quantity)\nX,5,5\nB,5,10\nA,5,15\n"
    );
    let drawn =
        ["totals", "--by", "day", "--show", "quantity,revenue", "--top", "2", "--bars=quantity"];
    insta::assert_snapshot!("totals_bars", folder.run(&drawn).as_text());
    let levels = [
        "totals",
        "--by",
        "month(day) > item",
        "--show",
        "revenue,share(revenue),parent_share(revenue)",
    ];
    insta::assert_snapshot!("totals_levels", folder.run(&levels).as_text());
}

#[test]
fn the_same_of_a_year_before_stands_beside() {
    let mut folder = shop("");
    folder.put(
        "sales.csv",
        b"no,day,item,quantity\n1,2024-02-10,A,4\n2,2024-03-01,A,9\n3,2025-02-01,A,3\n4,2025-04-01,A,1\n",
    );
    assert_eq!(
        csv(
            &folder,
            &[
                "--by",
                "month(day)",
                "--where",
                "year(day) = '2025'",
                "--versus",
                "quantity,year_before(quantity)"
            ]
        ),
        "month(day),quantity,year_before(quantity),difference,difference / year_before(quantity)\n\
         2025-02,3,4,-1,-0.25\n2025-03,,9,-9,-1\n2025-04,1,,1,\n"
    );
}

#[test]
fn markdown_and_json_have_every_digit() {
    let by =
        ["totals", "--by", "item > month(day)", "--show", "lines,margin", "--where", "item = 'A'"];
    insta::assert_snapshot!(
        "totals_markdown",
        shop("").run(&[&by[..], &["--format", "markdown"]].concat()).as_text()
    );
    insta::assert_snapshot!(
        "totals_levels_json",
        shop("").run(&[&by[..], &["--format", "json"]].concat()).as_text()
    );
}

#[test]
fn columns_that_do_not_fit_are_named() {
    let folder = shop("");
    let mut command =
        folder.command(&["totals", "--by", "item", "--across", "day", "--show", "quantity"]);
    let output = command.env("COLUMNS", "44").output().unwrap();
    let printed = String::from_utf8(output.stdout).unwrap();
    assert!(printed.lines().take(10).all(|line| line.chars().count() <= 44), "{printed}");
    let note = printed.replace('\n', " ");
    assert!(
        note.contains("3 columns do not fit the width: 2025-02-11, 2025-03-01, 2025-03-02."),
        "{printed}"
    );
}

#[test]
fn totals_of_the_plan_are_shown_by_name_and_may_be_changed() {
    let folder = shop(
        "\n[outputs.by_item]\nby = ['item']\nshow = ['quantity']\nsort = ['-item']\nwhere = 'quantity > 1'\n",
    );
    assert_eq!(csv(&folder, &["by_item"]), "item,quantity\nX,5\nB,4\nA,5\n");
    assert_eq!(
        csv(&folder, &["by_item", "--where", "quantity > 4", "--show", "lines"]),
        "item,lines\nX,1\n"
    );
    folder
        .run(&["totals", "by_itm"])
        .status(2)
        .stderr("error: the plan has no totals called `by_itm`\n  fix: did you mean `by_item`?\n")
        .nothing_else();
    // They have no file, and `run` does not write any.
    let came = folder.run(&["run", "--full"]);
    assert!(
        came.printed().contains("Nothing was written: the plan has no [outputs]."),
        "{}",
        came.printed()
    );
    let lines = shop("\n[outputs.all]\ncolumns = ['*']\n").run(&["run", "--full"]);
    assert!(lines.said().contains("the output `all` has no file"), "{}", lines.said());
}

#[test]
fn what_makes_no_table_is_refused_with_a_way_out() {
    for (arguments, message) in [
        (&["--by", "item", "--sort=revenu"][..], "`revenu` is not a column of the table"),
        (
            &["--by", "item", "--sort=running(quantity)", "--show", "running(quantity)"],
            "a running total follows the order of the rows",
        ),
        (&["--show", "year_before(quantity)"], "the table has no period of a date column"),
        (&["--by", "item", "--all-periods"], "the table has no period of a date column"),
        (
            &["--by", "year(day)", "--show", "quarter_to_date(quantity)"],
            "there is no quarter to date in a year",
        ),
        (&["--show", "running(share(quantity))"], "`share` cannot be used inside"),
        (&["--show", "share(share(quantity))"], "`share` cannot be used inside"),
        (&["--show", "quantity * 2"], "`quantity * 2` is not the name of a figure or column"),
        (&["--show", "avg(item)"], "the plan needs numbers (1234.56) in `sales.item`"),
        (&["--versus", "quantity"], "`versus` sets two against each other, and only one is named"),
        (&["--show", "share(margin)"], "a share is part of a sum or a count, and this is neither"),
        (&["--show", "parent_share(avg(quantity))"], "a share is part of a sum or a count"),
        (&["--across", "item > day"], "columns across have no levels"),
        (&["--by", "item > "], "the formula ends, wanted a value"),
        (&["--show", "prices.price"], "is a column of a lookup; its sum over lines is meaningless"),
        (
            &["--show", "quantity", "--bars=revenue"],
            "`revenue` is not shown, so no bars can be drawn of it",
        ),
        (&["--of", "sale"], "`sale` is no fact table of the plan"),
        (
            &["--where", "count(item) > 2"],
            "`count` is over many lines, but a formula is about one line",
        ),
    ] {
        let came = shop("").run(&[&["totals"], arguments].concat());
        assert!(came.said().contains(message), "{arguments:?}: {}{}", came.said(), came.printed());
        assert_eq!(came.exit_status(), 2, "{arguments:?}");
    }
    // Said once, though the lines are seen twice.
    let came =
        shop("").run(&["totals", "--by", "itm, month(day)", "--show", "year_before(quantity)"]);
    assert_eq!(came.said().matches("is called `itm`").count(), 1, "{}", came.said());
    assert_eq!(
        csv(&shop(""), &["--show", "sum(quantity * 2),avg(prices.price),count(distinct item)"])
            .lines()
            .nth(1),
        Some("30,7.41666666666667,3")
    );
}

#[test]
fn more_columns_than_anyone_reads_are_refused_with_their_number() {
    let mut folder = shop("");
    let rows: Vec<String> = (0..10_000).map(|n| format!("{n},2025-01-10,I{n},1")).collect();
    folder.put("sales.csv", format!("no,day,item,quantity\n{}\n", rows.join("\n")).as_bytes());
    let came = folder.run(&["totals", "--across", "item", "--show", "lines"]);

    let shown = came.said().to_owned();
    assert!(
        shown.contains("`item` across would make 10001 columns, and 1000 are the most"),
        "{shown}"
    );
    assert!(shown.contains("put it into `by`"), "{shown}");
    came.status(2).stderr(&shown).nothing_else();
    // In rows there may be any number.
    assert_eq!(csv(&folder, &["--by", "item", "--show", "lines"]).lines().count(), 10_001);
}

#[test]
fn two_attributes_may_stand_across_and_levels_are_sorted_each_by_itself() {
    let folder = shop("");
    assert_eq!(
        csv(&folder, &["--across", "item,month(day)", "--show", "lines"]),
        "A 2025-01 lines,A 2025-02 lines,B 2025-02 lines,B 2025-03 lines,X 2025-03 lines,all lines\n1,1,1,1,1,5\n"
    );
    let sorted =
        ["--by", "item > day", "--show", "quantity", "--sort=-quantity,-day", "--top", "1"];
    assert_eq!(
        csv(&folder, &sorted),
        "level,item,day,quantity\n1,A,,5\n2,A,2025-02-10,3\n2,A,2025-01-10,2\n1,(the other 2),,10\n"
    );
}

#[test]
fn the_file_of_a_run_and_the_command_say_the_same() {
    let settings = "by = ['month(day) > item']\nacross = ['quantity > 2']\nshow = ['lines', 'revenue', 'share(lines)']\n\
                    where = \"item <> 'X'\"\nsort = ['-lines']\ntop = 2\nall-periods = true\n";
    let folder = shop(&format!("\n[outputs.shape]\nto = 'shape.csv'\n{settings}"));
    let file = folder.run(&["run"]).take_file("shape.csv");
    assert_eq!(file, csv(&folder, &["shape"]));
    let by_options = [
        "--by",
        "month(day) > item",
        "--across",
        "quantity > 2",
        "--show",
        "lines,revenue,share(lines)",
        "--where",
        "item <> 'X'",
        "--sort=-lines",
        "--top",
        "2",
        "--all-periods",
    ];
    assert_eq!(file, csv(&folder, &by_options));
    for threads in ["1", "3"] {
        assert_eq!(file, csv(&folder, &["shape", "--threads", threads, "--block", "16"]));
    }
}

#[test]
fn what_cannot_be_written_or_read_on_leaves_no_table() {
    let folder = shop("\n[outputs.by]\nto = 'gone/by.csv'\nby = ['item']\n");
    std::fs::write(folder.path().join("gone"), "a file, not a folder").unwrap();
    let came = folder.run(&["run"]);
    assert_eq!(came.exit_status(), 4, "{}", came.said());
    assert!(came.said().contains("gone"), "{}", came.said());
}
