//! Figures: what they can say, how they are rounded, totalled and shown; bands.

use crate::support::{Folder, shop};

fn one(plan: &str, rows: &str) -> Folder {
    let plan = format!("[tables.sales]\nrole = 'fact'\nfrom = 'sales.csv'\n{plan}");
    Folder::with(&[("interligo.toml", &plan), ("sales.csv", rows)])
}

const LINES: &str =
    "no,code,day,a,b\n1,BO-104,2025-03-05,2,4\n2,fr-7,2024-02-29,3,0\n3,,2025-12-31,,5\n";

/// The values of a formula on the three lines.
fn values(formula: &str) -> Vec<String> {
    let output = format!(
        "[outputs.lines]\nto = 'lines.csv'\ncolumns = ['x']\n[figures]\nx = \"{formula}\"\n"
    );
    let mut came = one(&output, LINES).run(&["run"]);
    assert_eq!(came.said(), "", "{formula}");
    // A row of one blank cell is written so that it is a row.
    let cell = |row: &str| if row == "\"\"" { String::new() } else { row.to_owned() };
    came.take_file("lines.csv").lines().skip(1).map(cell).collect()
}

#[test]
fn texts_and_days_are_computed_line_by_line() {
    for (formula, expected) in [
        ("upper(code)", ["BO-104", "FR-7", ""]),
        ("left(code, 2) || '/' || right(code, 1)", ["BO/4", "fr/7", ""]),
        ("substring(code from position('-' in code) + 1)", ["104", "7", ""]),
        ("if code like 'BO%' then 'boxes' else 'other'", ["boxes", "other", ""]),
        ("day + 30", ["2025-04-04", "2024-03-30", "2026-01-30"]),
        ("day - date(2025, 1, 1)", ["63", "-307", "364"]),
        ("extract(quarter from day)", ["1", "1", "4"]),
        ("last_day(month(day))", ["2025-03-31", "2024-02-29", "2025-12-31"]),
        ("add_months(day, 12)", ["2026-03-05", "2025-02-28", "2026-12-31"]),
        ("nullif(b, 0)", ["4", "", "5"]),
        ("a / b", ["0.5", "", ""]),
        ("cast(right(code, 1) as number) * 2", ["8", "14", ""]),
        ("lpad(cast(a as text), 3, '0')", ["002", "003", ""]),
        ("a > 2 or b is blank", ["no", "yes", ""]),
        ("coalesce(a, 0) + b", ["6", "3", "5"]),
    ] {
        assert_eq!(values(formula), expected, "{formula}");
    }
}

#[test]
fn what_does_not_go_together_is_refused_at_its_place() {
    for (formula, message, help) in [
        ("day + code", "`day + code`: a date and text cannot be added", "`||` joins texts"),
        ("a + 'x'", "a number and text cannot be added", "`||` joins texts"),
        ("day * 2", "the plan needs numbers (1234.56) in `sales.day`", ""),
        ("day + day", "a date and a date cannot be added", "a number of days"),
        ("upper(day + 1)", "`upper` needs text, `day + 1` is a date", "cast(x as text)"),
        ("month(a + 1)", "`month` needs a date, `a + 1` is a number", ""),
        ("left(code)", "`left` was given 1 value", "left(x, n)"),
        ("uper(code)", "there is no function `uper`", "did you mean `upper`?"),
        ("extract(hour from day)", "found `hour`, wanted one of `year`", ""),
        ("if a then 1", "`if` needs a condition, `a` is a number", ""),
        ("sum(a)", "`sum` is over many lines, but a formula is about one line", "`show`"),
        ("a = code", "`=` cannot combine a number and text", ""),
        (
            "if year(day) = 2025 then 1",
            "cannot combine a period (year) and a number",
            "write '2025': a year is compared with a text",
        ),
        (
            "if a = null then 1",
            "no figure or column of `sales` is called `null`",
            "an unknown value is called `blank`",
        ),
        (
            "if code = \\\"corvo\\\" then 1",
            "no figure or column of `sales` is called `corvo`",
            "write text in single quotes, 'corvo'",
        ),
        ("a == 1", "`==` has no meaning here", "write `=`"),
        ("if day > 5 then 1", "", "check that the plan names the right column"),
        ("x + 1", "the figures go in a circle: x -> x", ""),
        ("c * 2", "no figure or column of `sales` is called `c`", ""),
    ] {
        let came = one(&format!("[figures]\nx = \"{formula}\"\n"), LINES).run(&["run"]);
        let said = came.said().to_owned();
        assert!(said.contains(message) && said.contains(help), "{formula}: {said}");
        assert!(said.contains("interligo.toml, line 5"), "{formula}: {said}");
        came.status(2).stderr(&said).nothing_else();
    }
}

#[test]
fn a_number_that_does_not_fit_names_its_line() {
    let wide = "9".repeat(30);
    let folder = one("[figures]\nx = 'a * a * a'\n", &format!("a\n1\n{wide}\n"));
    let came = folder.run(&["totals", "--show", "x"]);
    let said = "error: `x` overflows: it needs more than 38 digits at sales.csv:3\n  fix: numbers have up to 38 digits; look at the values of that line, or round in the formula\n";
    came.status(1).stderr(said).nothing_else();
    let sum = format!("a\n{0}\n{0}\n", "9".repeat(38));
    let came = one("", &sum).run(&["totals", "--show", "a"]);
    assert!(came.said().contains("the total of `a` overflows"), "{}", came.said());
}

#[test]
fn rounding_on_each_line_is_reported_in_the_tie_out() {
    let figures = "[figures]\nx = { formula = 'a / 3', round = 2 }\n\
                   y = { formula = 'a / 8', round = 2, rounding = 'half-up' }\n\
                   r = { formula = 'a / b', round = 1 }\n";
    let folder = one(figures, "a,b\n1,3\n1,3\n5,8\n");
    let came = folder.run(&["totals", "--show", "x,y,r", "--format", "csv"]);
    // A ratio is rounded once, in its total: 7 / 14.
    came.stdout("x,y,r\n2.33,0.89,0.5\n").nothing_else();
    let came = folder.run(&["run", "--format", "json"]);
    let tie: serde_json::Value = serde_json::from_str(came.printed()).unwrap();
    assert_eq!(
        tie["rounded_figures"],
        serde_json::json!([
            { "figure": "x", "sum": "2.33", "sum_before_rounding": "2.333333333333", "difference": "-0.003333333333" },
            { "figure": "y", "sum": "0.89", "sum_before_rounding": "0.875", "difference": "0.015" },
        ])
    );
    let came = folder.run(&["run", "--full"]);
    assert!(
        came.printed().contains("Rounded on each line   sum  sum before rounding"),
        "{}",
        came.printed()
    );
}

#[test]
fn a_figure_may_say_what_its_total_is() {
    let rows = "g,a,b\nx,2,10\nx,4,20\ny,9,\n";
    for (totals, expected) in [
        ("sum", "x,6,30\ny,9,\n"),
        ("average", "x,3,15\ny,9,\n"),
        ("largest", "x,4,20\ny,9,\n"),
        ("smallest", "x,2,10\ny,9,\n"),
        ("again", "x,6,30\ny,9,\n"),
    ] {
        let figures = format!(
            "[figures]\np = {{ formula = 'a', totals = '{totals}' }}\nq = {{ formula = 'b', totals = '{totals}' }}\n"
        );
        let came =
            one(&figures, rows).run(&["totals", "--by", "g", "--show", "p,q", "--format", "csv"]);
        assert_eq!(came.printed(), format!("g,p,q\n{expected}"), "{totals}");
    }
    let none = one("[figures]\np = { formula = 'a', totals = 'none' }\nr = 'b / a'\n", rows);
    let came = none.run(&["totals", "--show", "p"]);
    assert!(
        came.said().contains("`p` has no total: the plan says `totals = \"none\"`"),
        "{}",
        came.said()
    );
    // Without being asked for, it is left out; a ratio is made of totals of its parts.
    none.run(&["totals", "--format", "csv"])
        .stdout("lines,r\n3,5\n")
        .stderr("r: 1 of 3 lines has no value and is left out; `interligo trace --total r` shows why.\n")
        .nothing_else();
    let price =
        one("[figures]\nprice = { formula = 'a', totals = 'largest' }\nr = 'b / price'\n", rows);
    let came = price.run(&["totals", "--by", "g", "--show", "r", "--format", "csv"]);
    assert_eq!(came.printed(), "g,r\nx,7.5\ny,\n");
}

#[test]
fn how_a_figure_is_shown_changes_no_value() {
    let figures = "[figures]\nm = { formula = 'a * 1234.5', shown = 'money' }\n\
                   p = { formula = 'a / b', shown = 'percent 2' }\nn = { formula = 'a / 8', shown = 'number 0' }\n";
    let folder = one(figures, "a,b\n1,3\n-3,3\n");
    let came = folder.run(&["totals", "--show", "m,p,n"]);
    let row =
        came.printed().lines().nth(2).unwrap().split_whitespace().collect::<Vec<_>>().join(" ");
    assert_eq!(row, "all -2,469.00 -33.33 % 0".trim_start_matches("all "));
    folder
        .run(&["totals", "--show", "m,p,n", "--format", "csv"])
        .stdout("m,p,n\n-2469.0,-0.333333333333,-0.25\n")
        .nothing_else();
}

#[test]
fn bands_are_columns_with_an_order() {
    let bands = "[bands.size]\nof = 'a'\nedges = [2, 10]\n\
                 [bands.upper]\nof = 'a'\nedges = [2, 10]\nincluded = 'upper'\nnames = ['low', 'mid', 'high']\n\
                 [figures]\nlabel = \"if upper = 'high' then 'bulk' else upper\"\n\
                 [outputs.lines]\nto = 'lines.csv'\ncolumns = ['a', 'size', 'upper', 'label']\n";
    let folder = one(bands, "a\n1\n2\n9.99\n10\n11\nx\n");
    let mut came = folder.run(&["run"]);
    assert_eq!(
        came.take_file("lines.csv"),
        "a,size,upper,label\n1,under 2,low,low\n2,2 to under 10,low,low\n9.99,2 to under 10,mid,mid\n\
         10,10 and over,mid,mid\n11,10 and over,high,bulk\nx,,,\n"
    );
    let mut folder = one(bands, "a\n1\n2\n9.99\n10\n11\nx\n");
    folder
        .run(&[
            "totals",
            "--by",
            "upper",
            "--show",
            "lines,a",
            "--where",
            "size <> 'under 2'",
            "--format",
            "csv",
        ])
        .stdout("upper,lines,a\nlow,1,2.00\nmid,2,19.99\nhigh,1,11.00\n")
        .stderr("4 of 6 lines meet the condition.\n")
        .nothing_else();
    for (band, message) in [
        ("of = 'a'\nedges = [10, 2]", "the edges do not rise: 10 comes before 2"),
        ("of = 'a'\nedges = []", "a band needs at least one edge"),
        ("of = 'a'\nedges = [1]\nnames = ['x']", "1 name for 2 ranges"),
        ("of = 'c'\nedges = [1]", "no figure or column of `sales` is called `c`"),
        ("of = \"'x'\"\nedges = [1]", "this is text, and only numbers are laid into bands"),
    ] {
        let plan =
            format!("[tables.sales]\nrole = 'fact'\nfrom = 'sales.csv'\n[bands.x]\n{band}\n");
        folder.put("interligo.toml", plan.as_bytes());
        let came = folder.run(&["run"]);
        assert!(came.said().contains(message), "{band}: {}", came.said());
    }
    folder.put("interligo.toml", b"[tables.sales]\nrole = 'fact'\nfrom = 'sales.csv'\n[figures]\nx = 'a'\n[bands.x]\nof = 'a'\nedges = [1]\n");
    assert!(folder.run(&["run"]).said().contains("`x` is a figure already"));
}

#[test]
fn the_help_lists_characters_and_functions() {
    let came = shop("").run(&["help", "formulas"]);
    for word in ["add_months", "count(distinct x)", "year_to_date(x)", "coalesce", "between"] {
        assert!(came.printed().contains(word), "{word}");
    }
    // In a narrow terminal the descriptions are broken, and nothing else.
    let narrow = shop("").command(&["help", "formulas"]).env("COLUMNS", "120").output().unwrap();
    let narrow = String::from_utf8(narrow.stdout).unwrap();
    assert!(narrow.lines().all(|line| line.chars().count() <= 120), "{narrow}");
    let words = |text: &str| {
        let mut words: Vec<String> = text.split_whitespace().map(str::to_owned).collect();
        words.retain(|word| !word.starts_with('─'));
        words.sort();
        words
    };
    assert_eq!(words(&narrow), words(came.printed()));
    let came = shop("").run(&["help", "totls"]);
    came.status(2)
        .stderr("error: there is no help about `totls`\n  fix: did you mean `totals`?\n")
        .nothing_else();
    assert_eq!(
        shop("").run(&["help", "run"]).printed(),
        shop("").run(&["run", "--help"]).printed()
    );
}

#[test]
fn what_a_figure_cannot_say_is_refused_at_its_place() {
    for (figure, message) in [
        ("{ formula = 'a', totals = 'summ' }", "`summ` is not one of the choices here"),
        ("{ formula = 'a', shown = 'euros' }", "`euros` is not one of the choices here"),
        ("{ formula = 'a', shown = 'percent two' }", "lacks the number of decimal places"),
        ("{ formula = 'a', round = 40 }", "no more than 20 places can be kept"),
        ("{ formula = 'a', rounding = 'half-up' }", "`rounding` has no effect without `round`"),
        (
            "{ formula = 'a', round = 2, rounding = 'down' }",
            "`down` is not one of the choices here",
        ),
        ("{ formula = \"'x'\", round = 2 }", "this is text, and only numbers are rounded"),
        ("{ formula = 'a', rnd = 2 }", "there is no plan key `rnd` here"),
        ("{ formula = 'a', of = 'budget' }", "`budget` is no fact table of the plan"),
    ] {
        let came = one(&format!("[figures]\nx = {figure}\n"), LINES).run(&["run"]);
        assert!(came.said().contains(message), "{figure}: {}", came.said());
        assert!(came.said().contains("interligo.toml, line 5"), "{figure}: {}", came.said());
        assert_eq!(came.exit_status(), 2, "{figure}");
    }
}

/// Figures may be written in any order, also around a band.
#[test]
fn figures_come_after_those_that_they_build_on() {
    let figures = "[figures]\nlast = 'mid * 10'\nmid = \"if size = 'many' then first + 1 else first\"\nfirst = 'a'\n\
                   [bands.size]\nof = 'first'\nedges = [3]\nnames = ['few', 'many']\n\
                   [outputs.lines]\nto = 'lines.csv'\n";
    let mut came = one(figures, "a\n2\n3\n").run(&["run"]);
    assert_eq!(came.take_file("lines.csv"), "a,last,mid,first,size\n2,20,2,2,few\n3,40,4,3,many\n");
}
