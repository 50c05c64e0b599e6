//! Input that is not what it was, or not what its first rows showed.

use std::io::Write;
use std::process::Stdio;

use crate::support::{Folder, SALES, shop};

const LINES: &str = "\n[outputs.lines]\nto = \"lines.csv\"\n";

/// A file that is written to while it is read ends the run, however it changes; the outputs stay.
#[test]
#[cfg(unix)]
fn a_file_that_changes_during_a_run_ends_it() {
    let rows: String = (0..300_000).map(|no| format!("{no},2025-01-10,A,1\n")).collect();
    let long = format!("no,day,item,quantity\n{rows}");
    let swapped = long.replacen("item,quantity", "quantity,item", 1);
    type Change<'a> = Box<dyn Fn(&std::path::Path) + 'a>;
    let changes: [(&str, Change<'_>); 4] = [
        (
            "cut off",
            Box::new(|path| {
                std::fs::OpenOptions::new()
                    .write(true)
                    .open(path)
                    .unwrap()
                    .set_len(3_000_000)
                    .unwrap();
            }),
        ),
        (
            "grown",
            Box::new(|path| {
                let mut file = std::fs::OpenOptions::new().append(true).open(path).unwrap();
                file.write_all(b"7,2025-01-10,A,1\n").unwrap();
            }),
        ),
        (
            "replaced",
            Box::new(|path| {
                let other = path.with_extension("new");
                std::fs::write(&other, &swapped).unwrap();
                std::fs::rename(other, path).unwrap();
            }),
        ),
        ("gone", Box::new(|path| std::fs::remove_file(path).unwrap())),
    ];
    for (what, change) in &changes {
        let mut folder = shop(LINES);
        folder.put("lines.csv", b"of last month\n");
        folder.put("sales.csv", long.as_bytes());
        let mut command = folder.command(&["run", "--threads", "1"]);
        let run = command.stdout(Stdio::null()).stderr(Stdio::piped()).spawn().unwrap();
        // It reads once something of its output is there.
        let begun = || {
            std::fs::read_dir(folder.path()).unwrap().map(Result::unwrap).any(|entry| {
                entry.file_name().to_string_lossy().ends_with(".part")
                    && entry.metadata().is_ok_and(|metadata| metadata.len() > 0)
            })
        };
        while !begun() {
            std::thread::sleep(std::time::Duration::from_millis(1));
        }
        change(&folder.path().join("sales.csv"));
        let output = run.wait_with_output().unwrap();
        let said = String::from_utf8(output.stderr).unwrap();
        assert!(said.contains("`sales.csv` changed while it was read"), "{what}: {said}");
        assert_eq!(output.status.code(), Some(3), "{what}");
        assert_eq!(std::fs::read(folder.path().join("lines.csv")).unwrap(), b"of last month\n");
    }
}

/// What a small file asks, a large one asks as well, wherever the value is.
#[test]
fn what_the_first_rows_left_open_is_asked_wherever_it_comes() {
    let plan = "[tables.sales]\nrole = \"fact\"\nfrom = \"sales.csv\"\n[figures]\ndouble = \"2 * price\"\n\
                [outputs.lines]\nto = \"lines.csv\"\ncolumns = [\"no\", \"double\", \"store\", \"day\"]\n";
    let run = |rows: usize, row: &str, plan: &str| {
        let mut text = String::from("no,store,day,price\n");
        for no in 0..rows {
            text += &if no == rows / 4 { row.to_owned() } else { format!("{no},7,,15\n") };
        }
        Folder::with(&[("interligo.toml", plan), ("sales.csv", &text)]).run(&["run"])
    };
    let dated = plan.replace("2 * price\"", "2 * price\"\nlater = \"month(day)\"");
    for (row, plan, message, help) in [
        (
            "7,7,,1.500\n",
            plan,
            "`1.500` in `price`",
            "numbers = \"1234.56\" or numbers = \"1.234,56\"",
        ),
        ("7,007,,15\n", plan, "`007` in `store`", "store = { type = \"text\" }"),
        ("7,7,03/04/2025,15\n", &dated, "`03/04/2025` in `day`", "dates = "),
    ] {
        for rows in [1_000, 40_000] {
            // A code among the rows that are looked at makes the column one of codes, without a question.
            if row.contains("007") && rows == 1_000 {
                continue;
            }
            let came = run(rows, row, plan);
            assert!(came.said().contains(message), "{rows} {}", came.said());
            assert!(came.said().contains(help), "{rows} {}", came.said());
            assert!(
                rows == 1_000 || came.said().contains(&format!("sales.csv:{}", rows / 4 + 2)),
                "{}",
                came.said()
            );
            came.status(2).any_stderr().nothing_else();
        }
    }
    let came = run(
        40_000,
        "7,007,,1.500\n",
        &format!("[reading]\nnumbers = \"1.234,56\"\n{plan}").replace(
            "[figures]",
            "[tables.sales.columns]\nstore = { type = \"number\" }\n[figures]",
        ),
    );
    assert_eq!(came.exit_status(), 0, "{}", came.said());
}

/// Totals of groups and of all rows, above a footer, are proved by their sums; what is not proved is asked.
#[test]
fn totals_between_rows_and_above_a_footer_are_proved_or_asked() {
    let plan = |setting: &str| {
        format!(
            "[tables.sales]\nrole = \"fact\"\nfrom = \"sales.csv\"\n{setting}\n[figures]\ndouble = \"2 * price\"\n\
             [outputs.all]\nto = \"all.csv\"\nby = []\nshow = [\"lines\", \"price\"]\n"
        )
    };
    let filler: String = (0..20_000).map(|no| format!("C{no},x,1\n")).collect();
    let groups = "no,item,price\n1,a,5\n2,b,7\nSum one,,12\n3,a,2\nSum two,,2\nTotal,,14\nprinted 2025-12-31,,\n";
    let far =
        format!("no,item,price\n{filler}Sum,,20000\n1,a,5\n{filler}Sum,,20005\nTotal,,40005\n");
    for (text, setting, lines, sum) in [
        (groups, "", 4, "14"),
        (groups, "total-rows = \"leave-out\"", 4, "14"),
        (groups, "total-rows = \"keep\"", 7, "42"),
        (&far, "", 40_001, "40005"),
        (&far, "total-rows = \"leave-out\"", 40_001, "40005"),
    ] {
        let folder = Folder::with(&[("interligo.toml", &plan(setting)), ("sales.csv", text)]);
        for block in ["50", "100000"] {
            let came = folder.run(&["run", "--block", block]);
            assert_eq!(came.exit_status(), 0, "{setting} {}", came.said());
            came.any_stdout()
                .file("all.csv", &format!("lines,price\n{lines},{sum}\n"))
                .nothing_else();
        }
    }
    for text in [
        "no,item,price\n1,a,5\n2,b,7\nSum one,,13\n3,a,2\n",
        "no,item,price\n1,a,5\n2,b,7\nTotal,,11\nprinted,,\n",
        // A line without its key is not known from a total.
        "no,price\nx,5\ny,6\n,11\n",
    ] {
        let folder = Folder::with(&[("interligo.toml", &plan("")), ("sales.csv", text)]);
        let came = folder.run(&["run"]);
        assert!(came.said().contains("1 row that looks like a total"), "{text}{}", came.said());
        came.status(1).any_stderr().nothing_else();
    }
}

#[test]
#[cfg(unix)]
fn file_names_that_are_no_utf_8_are_found_and_read() {
    use std::os::unix::ffi::OsStrExt;
    let mut folder = shop("");
    let plan =
        format!("{}{LINES}", crate::support::PLAN).replace("\"sales.csv\"", "\"s/{depot}_*.csv\"");
    folder.put("interligo.toml", plan.as_bytes());
    folder.put("s/corvo_1.csv", SALES.as_bytes());
    let odd = std::ffi::OsStr::from_bytes(b"s/corvo_\xe9.csv");
    std::fs::write(folder.path().join(odd), SALES).unwrap();
    let came = folder.run(&["run", "--full"]);
    assert!(came.printed().contains("10  from 2 files"), "{}{}", came.printed(), came.said());
}

#[test]
fn a_fact_of_column_names_only_is_a_finding() {
    let mut folder = shop(LINES);
    folder.put("sales.csv", b"no,day,item,quantity\n");
    let came = folder.run(&["run"]);
    assert!(came.printed().contains("no-lines"), "{}", came.printed());
    let came = folder.run(&["check", "--format", "csv"]);
    assert!(came.printed().contains("\nno-lines,sales,,0,"), "{}", came.printed());
}
