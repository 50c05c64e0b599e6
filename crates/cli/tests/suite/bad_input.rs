//! Files that are not what the plan takes them for, and places that cannot be written.

use crate::support::{SALES, shop};

const LINES: &str = "\n[outputs.lines]\nto = \"out/lines.csv\"\n";

#[test]
fn files_that_cannot_be_read_are_named_with_a_fix() {
    for (file, content, message, help) in [
        (
            "products.csv",
            &b""[..],
            "`products.csv` is empty: it has no header row",
            "first row of a table",
        ),
        (
            "products.csv",
            b"sku,cost,cost\nA,1,2\n",
            "products.csv:1 has the column `cost` twice",
            "rename one of the two",
        ),
        (
            "products.csv",
            b"sku,name,cost\nA,Jar\n",
            "products.csv:2 has 2 fields, its header row has 3 fields",
            "double quotes",
        ),
        (
            "products.csv",
            b"sku,name,cost\nA,Jar,1,2\n",
            "products.csv:2 has 4 fields",
            "double quotes",
        ),
        (
            "products.csv",
            b"sku,name,cost\nA,J\xe9r,1\n",
            "products.csv:2 contains bytes that are not UTF-8 in column `name`",
            "encoding = \"windows-1252\"",
        ),
        (
            "products.csv",
            b"sku,n\xe9,cost\n",
            "products.csv:1 contains bytes that are not UTF-8",
            "encoding = \"windows-1252\"",
        ),
        (
            "products.csv",
            b"PK\x03\x04",
            "`products.csv` is a compressed file, not text",
            "decompress it",
        ),
        (
            "products.csv",
            b"sku,name,cost\nA,\"Jar,1\nB,x,2\n",
            "products.csv:2 opens a quote that is not closed",
            "double a quote",
        ),
        (
            "sales.csv",
            b"no,day,item,quantity\n1,2025-01-01,A,1\n2,2025-01-01,\xe9,1\n",
            "sales.csv:3 contains bytes that are not UTF-8 in column `item`",
            "encoding = \"windows-1252\"",
        ),
    ] {
        let mut folder = shop(LINES);
        folder.put(file, content);
        let came = folder.run(&["run"]);
        let shown = came.said().to_owned();
        assert!(shown.contains(message), "{shown}");
        assert!(shown.contains(help), "{shown}");
        came.status(3).stderr(&shown).nothing_else();
    }
}

#[test]
fn a_file_that_is_missing_or_a_folder_is_reported_so() {
    let folder = shop(LINES);
    std::fs::rename(folder.path().join("products.csv"), folder.path().join("product.csv")).unwrap();
    let came = folder.run(&["run"]);
    assert_eq!(
        came.said(),
        "error: `products.csv` does not exist\n  fix: did you mean `product.csv`?\n"
    );
    std::fs::create_dir(folder.path().join("products.csv")).unwrap();
    let came = folder.run(&["run"]);
    assert!(came.said().contains("`products.csv` is a folder, not a file"), "{}", came.said());
    came.ended(3);
}

#[test]
fn a_column_name_that_one_of_the_files_lacks_is_named_with_that_file() {
    let mut folder = shop(LINES);
    let plan = crate::support::PLAN.replace("products.csv", "products_*.csv");
    folder.put("interligo.toml", plan.as_bytes());
    folder.put("products_1.csv", b"sku,name,cost\nA,Jar,1\n");
    folder.put("products_2.csv", b"sku,name,price\nB,Bee,1\n");
    let came = folder.run(&["run"]);
    assert_eq!(
        came.said(),
        "error: products_2.csv:1 has no column `cost`, which the plan needs in `products`\n  \
         fix: if `price` is that column, add \"price\" = { name = \"cost\" } to [tables.products.columns]\n"
    );
    came.ended(3);
}

#[test]
fn a_column_name_twice_is_a_finding_where_nothing_needs_it() {
    let mut folder = shop("");
    folder.put("products.csv", b"sku,name,cost,name\nA,Jar,1,Glass\nB,Smoker,2,Tin\n");
    let came = folder.run(&["run", "--full"]);
    let said = "name  products.csv; later ones are called `name_2`, `name_3`";
    assert!(came.printed().contains(said), "{}", came.printed());
    let came = folder.run(&["check", "--format", "csv"]);
    assert!(came.printed().contains("duplicate-column,products,name,1,"), "{}", came.printed());
}

#[test]
fn long_formulas_do_not_exhaust_the_stack() {
    let codes: Vec<String> = (0..900).map(|n| format!("'C{n}'")).collect();
    let sum = vec!["quantity"; 1_900].join(" + ");
    let folder = shop(&format!(
        "listed = \"if item in ({}, 'A') then 1 else 0\"\nsum = \"{sum}\"\n",
        codes.join(", ")
    ));
    let came = folder.run(&["totals", "--by", "item", "--show", "listed,sum", "--format", "csv"]);
    assert_eq!(
        came.printed(),
        "item,listed,sum\nA,2,9500\nB,0,9500\nX,0,9500\n",
        "{}",
        came.said()
    );
}

#[test]
fn a_bad_value_is_a_finding_and_its_line_stays() {
    let mut folder = shop(LINES);
    folder.put(
        "sales.csv",
        b"no,day,item,quantity\n1,2025-01-10,A,many\n2,10.1.25,A,2\n3,2025-01-10,A,1.5\n",
    );
    let came = folder.run(&["run", "--full"]);
    for said in [
        "quantity  sales.csv:2 `many`; taken as blank",
        "quantity unreadable 1",
        "prices undated 1",
    ] {
        assert!(came.printed().contains(said), "{said} in {}", came.printed());
    }
    came.any_stdout()
        .file(
            "out/lines.csv",
            "no,day,item,quantity,revenue,cost,profit,margin\n\
             1,2025-01-10,A,many,,,,\n\
             2,10.1.25,A,2,,0.800,,\n\
             3,2025-01-10,A,1.5,1.500,0.600,0.900,0.6\n",
        )
        .nothing_else();
}

#[test]
fn a_number_that_does_not_fit_is_an_error_with_its_line() {
    let mut folder = shop(LINES);
    folder.put("sales.csv", format!("{SALES}6,2025-01-10,A,{}\n", "9".repeat(38)).as_bytes());
    folder
        .run(&["run"])
        .status(1)
        .stderr(
            "error: `cost` overflows: it needs more than 38 digits at sales.csv:7\n  \
             fix: numbers have up to 38 digits; look at the values of that line, or round in the formula\n",
        )
        .nothing_else();
}

#[test]
fn a_fact_of_a_header_row_only_gives_empty_outputs() {
    let mut folder = shop(LINES);
    folder.put("sales.csv", b"no,day,item,quantity\n");
    folder
        .run(&["run"])
        .any_stdout()
        .file("out/lines.csv", "no,day,item,quantity,revenue,cost,profit,margin\n")
        .nothing_else();
}

#[test]
fn a_full_disk_leaves_no_half_written_file() {
    let mut folder = shop(LINES);
    folder.put("out/lines.csv", b"the result of last month\n");
    let many: String = (0..20_000).map(|n| format!("{n},2025-01-10,A,1\n")).collect();
    folder.put("sales.csv", format!("no,day,item,quantity\n{many}").as_bytes());
    // The largest file that the shell allows represents the disk.
    let program = assert_cmd::cargo::cargo_bin!("interligo").display().to_string();
    let output = std::process::Command::new("sh")
        .args(["-c", &format!("trap '' XFSZ; ulimit -f 64; exec {program} run")])
        .current_dir(folder.path())
        .output()
        .unwrap();
    assert_eq!(output.status.code(), Some(4), "{output:?}");
    let said = String::from_utf8(output.stderr).unwrap();
    assert!(said.contains("out/lines.csv` cannot be written"), "{said}");
    let left: Vec<_> = std::fs::read_dir(folder.path().join("out")).unwrap().collect();
    assert_eq!(left.len(), 1, "nothing but the file of last month");
    let kept = std::fs::read_to_string(folder.path().join("out/lines.csv")).unwrap();
    assert_eq!(kept, "the result of last month\n");
}

#[test]
fn a_result_that_cannot_be_printed_is_an_error() {
    let full = std::fs::OpenOptions::new().write(true).open("/dev/full").unwrap();
    let output = shop("").command(&["totals"]).stdout(full).output().unwrap();
    assert_eq!(output.status.code(), Some(4));
    assert!(String::from_utf8(output.stderr).unwrap().contains("the result cannot be printed"));
}

#[test]
fn a_pipe_that_closes_ends_the_command_quietly() {
    let folder = shop("");
    let program = assert_cmd::cargo::cargo_bin!("interligo").display().to_string();
    let output = std::process::Command::new("bash")
        .args(["-c", &format!("{program} run | true; echo ${{PIPESTATUS[0]}}")])
        .current_dir(folder.path())
        .output()
        .unwrap();
    assert_eq!((output.stdout.as_slice(), output.stderr.as_slice()), (&b"0\n"[..], &b""[..]));
}

#[test]
fn an_output_below_a_file_cannot_be_written() {
    let came = shop("\n[outputs.lines]\nto = \"sales.csv/lines.csv\"\n").run(&["run"]);
    assert!(came.said().contains("lines.csv` cannot be written"), "{}", came.said());
    came.ended(4);
}

proptest::proptest! {
    #![proptest_config(proptest::prelude::ProptestConfig::with_cases(64))]

    /// Whatever is in a sales file: no panic, and no line lost.
    #[test]
    fn prop_damaged_lines_end_in_a_message_or_are_accounted_for(
        at in 0usize..SALES.len(), length in 0usize..9, put in "[a-z0-9,\"\r\n .\u{e9}-]{0,12}", raw in 0u8..=255,
    ) {
        let mut damaged = SALES.as_bytes().to_vec();
        let end = (at + length).min(damaged.len());
        damaged.splice(at..end, put.bytes());
        if raw > 200 {
            damaged.insert(at, raw);
        }
        let mut folder = shop(LINES);
        folder.put("sales.csv", &damaged);
        let mut came = folder.run(&["run", "--format", "csv"]);
        let (status, said) = (came.exit_status(), came.said().to_owned());
        proptest::prop_assert!(status <= 3, "{}", said);
        if status == 0 {
            let count = |name: &str| -> usize {
                let row = came.printed().lines().find(|row| row.starts_with(name)).unwrap();
                row.rsplit(',').next().unwrap().parse().unwrap()
            };
            let sum = |section: &str| -> usize {
                let rows = came.printed().lines().filter(|row| row.starts_with(section));
                rows.map(|row| row.rsplit(',').next().unwrap().parse::<usize>().unwrap()).sum()
            };
            let (read, kept) = (count("lines,sales,read"), count("lines,sales,kept"));
            proptest::prop_assert_eq!(read, sum("left out,") + kept + sum("set aside,"));
            // No value of these tables holds a line end, unless quotes were put in.
            if !damaged.contains(&b'"') {
                proptest::prop_assert_eq!(came.take_file("out/lines.csv").lines().count(), kept + 1);
                // A title before the header row may be in any encoding.
                let text = String::from_utf8_lossy(&damaged);
                proptest::prop_assert_eq!(text.split('\n').filter(|row| !row.is_empty()).count() - 1, read - empty_rows(&text));
            }
        } else {
            proptest::prop_assert!(said.starts_with("error: "), "{}", said);
        }
    }
}

/// Rows that are quite empty, before the header row or below; they are read and left out.
fn empty_rows(text: &str) -> usize {
    let rows: Vec<&str> = text.strip_suffix('\n').unwrap_or(text).split('\n').collect();
    rows.iter().filter(|row| row.is_empty()).count()
}

/// What is wrong with the arguments themselves is told like all else.
#[test]
fn wrong_arguments_are_named_with_what_to_write() {
    let folder = shop(LINES);
    for (arguments, what, fix) in [
        (&["totls"][..], "there is no command `totls`", "did you mean `totals`?"),
        (&["xyz"], "there is no command `xyz`", "`interligo --help` lists the commands"),
        (
            &["totals", "--shw", "x"],
            "`interligo totals` has no option `--shw`",
            "did you mean `--show`?",
        ),
        (
            &["totals", "--unreached", "blank"],
            "`interligo totals` has no option `--unreached`",
            "`--unreached` is now called `--not-shared`",
        ),
        (&["totals", "--top"], "`--top` needs a value", "write `--top N`"),
        (
            &["totals", "--top", "x"],
            "`x` is not a value of `--top`",
            "write a whole number from 1 on",
        ),
        (
            &["demo", "--lines", "0"],
            "`0` is not a value of `--lines`",
            "write a whole number from 1 to 1000000000",
        ),
        (
            &["totals", "--format", "xml"],
            "`xml` is not a value of `--format`",
            "choose one of table, csv, json, markdown",
        ),
        (
            &["check", "--explain", "x", "--for-owner", "y"],
            "`--explain` and `--for-owner` cannot be used together",
            "leave one of them out",
        ),
        (
            &["totals", "--top", "1", "--top", "2"],
            "`--top` is given twice",
            "leave one of them out",
        ),
        (
            &["calendar", "a", "b", "c"],
            "`c` is one argument too many",
            "`interligo calendar --help` lists the options",
        ),
    ] {
        let message = format!("error: {what}\n  fix: {fix}\n");
        folder.run(arguments).status(2).stderr(&message).nothing_else();
    }
}
