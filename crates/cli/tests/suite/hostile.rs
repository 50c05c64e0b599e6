//! Input that means harm, or is made by somebody who does not know: nothing of it reaches a terminal, no secret is
//! shown, and no work explodes.

use std::sync::Arc;

use arrow_array::{ArrayRef, Int64Array, RecordBatch, StringArray};
use proptest::prelude::*;

use crate::formats::parquet_of;
use crate::support::{Came, Folder};

const PLAN: &str = "[tables.s]\nrole = \"fact\"\nfrom = \"s.csv\"\n[tables.p]\nfrom = \"p.csv\"\nkey = \"k\"\n\
                    [[link]]\npath = \"s.k -> p.k\"\n[outputs.l]\nto = \"l.csv\"\n";

/// A key that renames the window, clears the screen and turns the direction of writing.
const KEY: &str = "\u{1b}]2x\u{7}\u{1b}[2J\u{9b}31m\u{202e}a";

fn said(came: &Came) -> String {
    format!("{}{}", came.printed(), came.said())
}

#[test]
fn what_a_terminal_obeys_is_never_printed() {
    let folder = Folder::with(&[
        ("interligo.toml", PLAN),
        ("s.csv", &format!("k,n,{KEY}\n{KEY},1,2\n")),
        ("p.csv", "k,v\nb,1\n"),
    ]);
    let plan = PLAN.replace("s.k", "s.q");
    let wrong = Folder::with(&[
        ("interligo.toml", &format!("{plan}# {KEY}\n")),
        ("s.csv", &format!("k,n,{KEY}\n{KEY},1,2\n")),
        ("p.csv", "k,v\nb,1\n"),
    ]);
    for color in ["never", "always"] {
        for (folder, arguments) in [
            (&folder, vec!["check"]),
            (&folder, vec!["run"]),
            (&folder, vec!["check", "unmatched-key"]),
            (&folder, vec!["totals", "--by", "k"]),
            (&folder, vec!["totals", "--by", "k", "--format", "markdown"]),
            (&folder, vec!["look", "s.csv"]),
            (&folder, vec!["check", "--format", "json"]),
            (&folder, vec!["run", "--plan", KEY]),
            (&folder, vec![KEY]),
            (&wrong, vec!["run"]),
        ] {
            let came = folder.run(&[&arguments[..], &["--color", color]].concat());
            let all = said(&came);
            for character in ["\u{1b}]", "\u{1b}[2J", "\u{7}", "\u{9b}", "\u{202e}"] {
                assert!(!all.contains(character), "{arguments:?} prints {character:?}: {all:?}");
            }
            assert!(color == "always" || !all.contains('\u{1b}'), "{arguments:?}: {all:?}");
        }
    }
    let found = folder.run(&["check", "--format", "json"]);
    assert_eq!(found.exit_status(), 0, "{}", found.said());
    let found: serde_json::Value = serde_json::from_str(found.printed()).unwrap();
    assert!(found.to_string().contains("\\u001b]2x"), "{found}");
}

#[test]
fn what_a_program_reads_is_what_stands_there() {
    let folder = Folder::with(&[
        ("interligo.toml", PLAN),
        ("s.csv", "k,n\nA\u{1},1\nA\u{2},1\nA,1\n"),
        ("p.csv", "k,v\nb,1\n"),
    ]);
    let came = folder.run(&["totals", "--by", "k", "--show", "lines", "--format", "csv"]);
    assert_eq!(came.printed(), "k,lines\nA,1\nA\u{1},1\nA\u{2},1\n");
}

#[test]
fn no_password_is_shown() {
    for from in [
        "other://ana:s3cret@h/shop#t",
        "Postgres://ana:s3cret@h/shop#t",
        "POSTGRESQL://h/shop?Password=s3cret#t",
        "postgres://ana:s3cret@h/shop#t",
    ] {
        for plan in [
            format!("[tables.s]\nrole = \"fact\"\nfrom = \"{from}\"\n"),
            format!("[tables.s]\nrole = \"fact\"\nfrom = \"{from}\n"),
            format!("[tables.s]\nrole = \"fact\"\nfrm = \"{from}\"\n"),
        ] {
            let came = Folder::with(&[("interligo.toml", &plan)]).run(&["run"]);
            assert_ne!(came.exit_status(), 0);
            assert!(!said(&came).contains("s3cret"), "{}", said(&came));
        }
        let came = Folder::with(&[]).run(&["look", from]);
        assert!(!said(&came).contains("s3cret"), "{}", said(&came));
    }
}

#[test]
fn figures_that_use_each_other_twice_are_computed_once() {
    let figures = |first: &str| -> String {
        let chain = (1..=40).map(|n| format!("f{n} = \"f{} - f{}\"\n", n - 1, n - 1));
        format!("f0 = \"{first}\"\n{}", chain.collect::<String>())
    };
    let run = |first: &str| {
        let plan = format!(
            "[tables.s]\nrole = \"fact\"\nfrom = \"s.csv\"\n[figures]\n{}[outputs.t]\nto = \"t.csv\"\nby = [\"g\"]\n\
             show = [\"f40\"]\n",
            figures(first)
        );
        Folder::with(&[("interligo.toml", &plan), ("s.csv", "g,qty,back\na,1,\nb,2,1\n")])
            .run(&["run"])
    };
    assert_eq!(run("qty * 0.5").take_file("t.csv"), "g,f40\na,0.0\nb,0.0\n");
    assert_eq!(run("qty + back").take_file("t.csv"), "g,f40\na,\nb,0\n");
    let came = run("back / qty");
    assert_eq!(came.exit_status(), 2);
    assert!(came.said().contains("computed from more than 10000 sums"), "{}", came.said());
}

#[cfg(unix)]
#[test]
fn threads_that_the_system_does_not_give_are_not_missed() {
    let folder = Folder::with(&[
        ("interligo.toml", PLAN),
        ("s.csv", &format!("k,n\n{}", "b,1\n".repeat(5_000))),
        ("p.csv", "k,v\nb,1\n"),
    ]);
    let program = assert_cmd::cargo::cargo_bin!("interligo");
    let limited =
        format!("ulimit -v 1500000 && exec {} run --threads 200 --block 64", program.display());
    let output = std::process::Command::new("sh")
        .args(["-c", &limited])
        .current_dir(folder.path())
        .output()
        .unwrap();
    let said = String::from_utf8_lossy(&output.stderr);
    assert_eq!(output.status.code(), Some(0), "{said}");
    let lines = std::fs::read_to_string(folder.path().join("l.csv")).unwrap();
    assert_eq!(lines.lines().count(), 5_001);
}

#[test]
fn a_column_that_the_plan_gives_and_the_file_has_is_refused() {
    let plan =
        "[tables.s]\nrole = \"fact\"\nfrom = \"s_{depot}.csv\"\n[outputs.l]\nto = \"l.csv\"\n";
    let came =
        Folder::with(&[("interligo.toml", plan), ("s_N.csv", "a,depot\n1,X\n")]).run(&["run"]);
    assert!(
        came.said().contains("has a column `depot`, to which its name gives `N`"),
        "{}",
        came.said()
    );
    let plan = "[tables.s]\nrole = \"fact\"\nfrom = \"s.csv\"\nset = { depot = \"D\" }\n[outputs.l]\nto = \"l.csv\"\n";
    let came = Folder::with(&[("interligo.toml", plan), ("s.csv", "a,depot\n1,X\n")]).run(&["run"]);
    assert!(
        came.said().contains("has a column `depot`, to which the plan gives `D`"),
        "{}",
        came.said()
    );
}

/// A column file with two columns.
fn column_file() -> Vec<u8> {
    let keys: ArrayRef =
        Arc::new(StringArray::from_iter_values((0..200).map(|n| format!("K{}", n % 7))));
    let numbers: ArrayRef = Arc::new(Int64Array::from_iter_values(0..200));
    parquet_of(&RecordBatch::try_from_iter([("k", keys), ("n", numbers)]).unwrap())
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(96))]

    /// Whatever is in a column file, it is read or refused.
    #[test]
    fn prop_a_damaged_column_file_is_an_error_of_that_file(
        damages in prop::collection::vec((any::<prop::sample::Index>(), any::<u8>()), 1..6),
    ) {
        let mut bytes = column_file();
        let size = bytes.len();
        damages.iter().for_each(|(at, byte)| bytes[at.index(size)] = *byte);
        let mut folder = Folder::with(&[("interligo.toml", &PLAN.replace("s.csv", "s.parquet")), ("p.csv", "k,v\nK1,1\n")]);
        folder.put("s.parquet", &bytes);
        let came = folder.run(&["run"]);
        prop_assert!((0..=4).contains(&came.exit_status()), "{}", came.said());
        prop_assert!(!came.said().contains("panicked"), "{}", came.said());
    }
}

#[cfg(unix)]
#[test]
fn pipes_and_folders_that_lead_to_themselves_do_not_stop_a_command() {
    let folder = Folder::with(&[
        ("interligo.toml", &PLAN.replace("s.csv", "pipe.csv")),
        ("data/a.csv", "no,item\n1,A\n2,B\n"),
        ("p.csv", "k,v\nb,1\n"),
    ]);
    for pipe in ["pipe.csv", "data/pipe.csv"] {
        let made = std::process::Command::new("mkfifo").arg(folder.path().join(pipe)).status();
        assert!(made.unwrap().success());
    }
    std::os::unix::fs::symlink(".", folder.path().join("data/self")).unwrap();
    for arguments in [&["run"][..], &["look", "pipe.csv"]] {
        let output = assert_cmd::Command::from(folder.command(arguments))
            .timeout(std::time::Duration::from_secs(60))
            .output()
            .unwrap();
        let said = String::from_utf8_lossy(&output.stderr);
        assert_eq!(output.status.code(), Some(3), "{said}");
        assert!(said.contains("`pipe.csv` is a pipe or a device"), "{said}");
    }
    let output = assert_cmd::Command::from(folder.command(&["start", "data", "--print"]))
        .timeout(std::time::Duration::from_secs(60))
        .output()
        .unwrap();
    let said = String::from_utf8_lossy(&output.stdout).into_owned();
    assert!(output.status.success(), "{said}");
    assert!(!said.contains("self/"), "{said}");
}
