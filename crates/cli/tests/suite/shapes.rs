//! Shapes of tables and what starts from them: wide price lists, keys that are computed, totals that are
//! proved, lines that come twice in typing errors, and the statements about all this.

use crate::support::{Came, Folder};

const SALES: &str =
    "item,day,quantity\nA,2024-02-01,2\nB,2024-08-31,3\nA,2025-01-15,1\nA,2025-09-01,1\n";

/// Sales with a price list that the plan describes so.
fn priced(prices: &str, files: &[(&str, &str)]) -> Came {
    let plan = format!(
        "[tables.sales]\nrole = 'fact'\nfrom = 'sales.csv'\n{prices}\n[[link]]\n\
         path = 'sales.item -> prices.sku as of day'\n[figures]\nrevenue = 'quantity * prices.price'\n\
         [outputs.lines]\nto = 'lines.csv'\ncolumns = ['item', 'day', 'prices.price', 'revenue']\n"
    );
    let own = [("interligo.toml", plan.as_str()), ("sales.csv", SALES)];
    let files: Vec<(&str, &str)> = own.into_iter().chain(files.iter().copied()).collect();
    Folder::with(&files).run(&["run"])
}

#[test]
fn a_wide_price_list_and_a_long_one_are_one_table() {
    let prices = "[tables.prices]\nkey = 'sku'\nvalid = { from = 'since', until = 'until' }\n\
         [[tables.prices.part]]\nfrom = 'wide.csv'\ntall = { '{since} to {until}' = 'price' }\n\
         [[tables.prices.part]]\nfrom = 'long.csv'\nset = { until = '' }\n";
    let wide = "List of 2024;;\n;;\nsku;2024-01-01 to 2024-06-30;2024-07-01 to 2024-12-31\nA;1,00;1,50\nB;2,00;\n";
    let long = "sku,since,price\nA,2025-01-01,1.75\n";
    let mut came = priced(prices, &[("wide.csv", wide), ("long.csv", long)]);
    assert_eq!(
        came.take_file("lines.csv"),
        "item,day,prices.price,revenue\nA,2024-02-01,1.00,2.00\nB,2024-08-31,,\nA,2025-01-15,1.75,1.75\n\
         A,2025-09-01,1.75,1.75\n"
    );
}

#[test]
fn a_column_that_is_worked_out_serves_as_key_and_as_attribute() {
    let prices = "[tables.prices]\nfrom = 'p.csv'\nkey = 'sku'\nvalid = { from = 'since', until = 'until' }\n\
         [tables.prices.columns]\nsku = { formula = \"if code = 1 then 'A' else 'B'\" }\n\
         price = { formula = 'round(net * 1.2, 2)' }\n";
    let mut came =
        priced(prices, &[("p.csv", "code,net,since,until\n1,1.00,,\n2,2.55,,2024-12-31\n")]);
    assert_eq!(
        came.take_file("lines.csv"),
        "item,day,prices.price,revenue\nA,2024-02-01,1.20,2.40\nB,2024-08-31,3.06,9.18\nA,2025-01-15,1.20,1.20\n\
         A,2025-09-01,1.20,1.20\n"
    );
    // A fact's column may be one too, also of a number.
    let plan = "[tables.s]\nrole = 'fact'\nfrom = 's.csv'\ncolumns = { pack = { formula = 'n * 10' } }\n\
         [tables.p]\nfrom = 'p.csv'\nkey = 'size'\n[[link]]\npath = 's.pack -> p.size'\n\
         [outputs.l]\nto = 'l.csv'\ncolumns = ['*', 'p.name']\n";
    let files = [
        ("interligo.toml", plan),
        ("s.csv", "n\n1\n2\n"),
        ("p.csv", "size,name\n10,small\n20,large\n"),
    ];
    let mut came = Folder::with(&files).run(&["run"]);
    assert_eq!(came.take_file("l.csv"), "n,pack,p.name\n1,10,small\n2,20,large\n");
}

#[test]
fn settings_that_make_no_sense_are_mistakes_at_their_place() {
    for (table, message, help) in [
        (
            "unpack = { columns = ['item'], seperator = '|' }",
            "there is no plan key `seperator` here",
            "did you mean `separator`?",
        ),
        (
            "unpack = { columns = ['itm'], separator = '|' }",
            "the file has no column `itm` to unpack (s.csv)",
            "did you mean `item`?",
        ),
        (
            "unpack = { columns = ['item'], separator = '|', position = 'n' }",
            "there is a column `n` already (s.csv)",
            "give the new column another name",
        ),
        (
            "tall = { 'n' = 'm' }",
            "`n` has no slot in braces (s.csv)",
            "write for instance \"price_{year}\": the part in braces becomes a column",
        ),
        (
            "leave-out-rows = 'n'",
            "`leave-out-rows` wants a condition (s.csv)",
            "compare something: \"status = 'cancelled'\"; the cells of a row are text",
        ),
        (
            "leave-out-rows = \"itm = 'x'\"",
            "the file has no column `itm` (s.csv)",
            "did you mean `item`?",
        ),
        (
            "total-rows = 'leave'",
            "`leave` is not one of the choices here",
            "there is `keep`, `leave-out`",
        ),
        (
            "columns = { n = { like = 'x' } }",
            "`x` shows neither how 1234.56 nor how the 31st of December 2025 is written",
            "write for instance like = \"1.234,56\" or like = \"31/12/2025\"",
        ),
        ("columns = { m = { formula = 'k + 1' } }", "`s` has no column `k`", ""),
        (
            "columns = { m = { formula = 'o + 1' }, o = { formula = 'n' } }",
            "`o` is computed below this column, or by it",
            "write a column with a formula below those that it builds on",
        ),
        (
            "columns = { n = { formula = '1' } }",
            "`n` is a column of the file and has a formula besides",
            "give the column with the formula another name",
        ),
        ("key = 'no'", "`s` has no column `no`", "did you mean `n`?"),
        (
            "key = 'item'\nrepeats = 'newest'",
            "`newest` names no column: write \"newest COLUMN\"",
            "",
        ),
        (
            "key = 'item'\nrepeats = 'frist'",
            "`frist` is not one of the choices here",
            "did you mean `first`?",
        ),
        ("key = 'item'\nrepeats = 'newest day'", "`s` has no column `day`", "there is `item`, `n`"),
        (
            "duplicates = 'first'",
            "a fact table takes no `duplicates`",
            "lines that share a key are settled by `repeats`",
        ),
    ] {
        let plan =
            format!("[tables.s]\nrole = 'fact'\nfrom = 's.csv'\n{table}\n[figures]\nx = '2 * n'\n");
        let folder = Folder::with(&[("interligo.toml", &plan), ("s.csv", "item,n\nA,1\n")]);
        let came = folder.run(&["run"]);
        assert!(
            came.said().starts_with(&format!("error: {message}\n")),
            "{table}: {}",
            came.said()
        );
        assert!(came.said().contains(help), "{table}: {}", came.said());
        assert!(came.said().contains("\n  in interligo.toml, line "), "{table}: {}", came.said());
        came.ended(2);
    }
}

#[test]
fn typing_errors_that_come_twice_are_known_by_their_lines() {
    let plan = "[tables.s]\nrole = 'fact'\nfrom = 's*.csv'\nkey = ['no', 'at']\nrepeats = 'last'\n\
         unpack = { columns = ['item', 'n'], separator = '|', position = 'at' }\n\
         [figures]\nx = '2 * n'\n[outputs.l]\nto = 'l.csv'\ncolumns = ['no', 'at', 'item', 'n']\n";
    let folder = Folder::with(&[
        ("interligo.toml", plan),
        ("s1.csv", "no,item,n\n1,A|B,1|2\n2,C,3\n"),
        ("s2.csv", "no;n;item\n1;1,0|5;A|B\n3;7;D\n"),
    ]);
    let mut came = folder.run(&["run", "--format", "csv"]);
    // The first line of typing error 1 is the same both times, the second is not; the last one holds.
    assert_eq!(came.take_file("l.csv"), "no,at,item,n\n1,1,A,1\n2,1,C,3\n1,2,B,5\n3,1,D,7\n");
    for row in [
        "lines,s,added,2",
        "lines,s,identical copies dropped,1",
        "lines,s,dropped,1",
        "lines,s,kept,4",
    ] {
        assert!(came.printed().contains(&format!("{row}\n")), "{row} in {}", came.printed());
    }
    let report = folder.run(&["check", "--format", "csv"]);
    assert_eq!(report.exit_status(), 0, "{}", report.said());
}

#[test]
fn a_tie_that_differs_settles_nothing() {
    let plan = |rule: &str| {
        format!(
            "[tables.s]\nrole = 'fact'\nfrom = 's.csv'\nkey = 'no'\nrepeats = '{rule}'\n[figures]\nx = '2 * n'\n"
        )
    };
    let text = "no,n,day\n1,5,2025-01-20\n1,6,2025-01-20\n2,1,2025-01-21\n";
    for (rule, status) in [("newest day", 1), ("largest n", 0)] {
        let folder = Folder::with(&[("interligo.toml", plan(rule).as_str()), ("s.csv", text)]);
        let came = folder.run(&["run"]);
        assert_eq!(came.exit_status(), status, "{rule}: {}", came.said());
        let said = "s.csv:2 and s.csv:3  no 1: n `5` and `6`";
        assert_eq!(came.said().contains(said), status == 1, "{}", came.said());
        let found = folder.run(&["check", "--format", "csv"]);
        // Whether a rule settles it or not: a line that differs from the one that is used is shown.
        let conflicts = found.printed().contains("repeat-conflicting,s,no 1,2,");
        assert!(conflicts, "{}", found.printed());
    }
}

#[test]
fn many_distinct_values_are_estimated_and_said_to_be() {
    let rows: String = (0..130_000).map(|n| format!("N{n},{}\n", n % 50)).collect();
    let folder = Folder::with(&[("s.csv", &format!("no,k\n{rows}"))]);
    let came = folder.run(&["look", "s.csv", "--format", "csv"]);
    let cells = |column: &str| -> Vec<String> {
        let row = came.printed().lines().find(|row| row.starts_with(column)).unwrap();
        row.split(',').map(str::to_owned).collect()
    };
    let no = cells("s,no,");
    let about: u64 = no[6].parse().unwrap();
    assert!(
        about.abs_diff(130_000) < 4_000 && no[7] == "estimated" && no[11] == "perhaps",
        "{no:?}"
    );
    assert_eq!(cells("s,k,")[6..8], ["50", "exact"]);
    assert!(folder.run(&["look", "s.csv"]).printed().contains("~ is an estimate"));
}

#[test]
fn columns_that_are_worked_out_belong_to_the_table_and_are_no_key_of_a_fact() {
    for (table, said) in [
        (
            "[[tables.s.part]]\nfrom = 's.csv'\ncolumns = { n = { formula = '7' } }",
            "a column is computed for the whole table, not for one [[part]]",
        ),
        (
            "from = 's.csv'\nkey = 'm'\ncolumns = { m = { formula = 'n + 1' } }",
            "`m` is computed, but lines are identified by columns that were read",
        ),
    ] {
        let plan = format!("[tables.s]\nrole = 'fact'\n{table}\n[figures]\nx = '2 * n'\n");
        let folder = Folder::with(&[("interligo.toml", &plan), ("s.csv", "item,n\nA,1\n")]);
        let came = folder.run(&["run"]);
        assert!(came.said().starts_with(&format!("error: {said}\n")), "{}", came.said());
        came.ended(2);
    }
}
