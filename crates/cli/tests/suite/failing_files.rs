//! Calls of the system that fail, one after the other, while a run writes outputs of every form: what is there afterwards is all
//! old or all new, what is said is clear, and the next run leaves nothing behind.
//!
//! The calls are made to fail from outside by `strace`, in libraries as in our own code. Where it is not installed, or may not trace, the
//! test says that it was left out. `INTERLIGO_TEST_EVERY_CALL=1` takes every call instead of some.
#![cfg(target_os = "linux")]

use std::collections::BTreeMap;
use std::path::Path;
use std::process::{Command, Output, Stdio};

use crate::support::{PRODUCTS, SALES, shop};

const OUTPUTS: &str = "\n[outputs.text]\nto = \"out/lines.csv\"\n[outputs.objects]\nto = \"out/lines.jsonl.zst\"\n\
     [outputs.columnar]\nto = \"out/lines.parquet\"\ncolumns = [\"*\", \"revenue\"]\n\
     [outputs.sheet]\nto = \"out/result.xlsx#Lines\"\ncolumns = [\"*\", \"revenue\"]\n\
     [outputs.months]\nto = \"out/result.xlsx#Months\"\nby = [\"month(day)\"]\n\
     [outputs.base]\nto = \"out/result.sqlite#lines\"\ncolumns = [\"*\", \"revenue\"]\n\
     [outputs.items]\nto = \"out/{item}.csv\"\nby = [\"item\"]\nshow = [\"quantity\"]\n[outputs.page]\nto = \"out/report.html\"\n";

/// The calls, each with the error that it gives, and the last that is tried.
const CALLS: [(&str, &str, u32); 8] = [
    ("openat", "EMFILE", 200),
    ("read", "EIO", 200),
    ("write", "ENOSPC", 120),
    ("pwrite64", "ENOSPC", 60),
    ("fsync", "EIO", 40),
    ("rename", "EIO", 24),
    ("linkat", "EPERM", 24),
    ("unlink", "EACCES", 40),
];

/// Calls of which one is tried, where not all are.
const STEP: usize = 19;

fn run(folder: &Path, traced: &[&str]) -> Output {
    let program = assert_cmd::cargo::cargo_bin!("interligo");
    let mut command = match traced.is_empty() {
        true => Command::new(program),
        false => Command::new("strace"),
    };
    if !traced.is_empty() {
        command.args(["-f", "-qq", "-o", "/dev/null"]).args(traced).arg(program);
    }
    command.args(["run", "--quiet", "--threads", "1"]).current_dir(folder).stdin(Stdio::null());
    command.output().unwrap()
}

/// Lines enough for what libraries hold back to be written while they pass.
fn lines(quantity: u32) -> String {
    let line = |no: u32| {
        format!(
            "{no},2025-0{}-1{},{},{quantity}\n",
            1 + no % 3,
            no % 9,
            ["A", "B", "X"][no as usize % 3]
        )
    };
    let head = SALES.lines().next().unwrap_or_default();
    format!("{head}\n{}", (1..600).map(line).collect::<String>())
}

fn can_trace() -> bool {
    let tried = Command::new("strace").args(["-f", "-qq", "-o", "/dev/null", "true"]).output();
    tried.is_ok_and(|tried| tried.status.success())
}

/// The files of a folder; those that no output is are beside.
fn files_in(folder: &Path) -> (BTreeMap<String, Vec<u8>>, Vec<String>) {
    let entries = std::fs::read_dir(folder).into_iter().flatten().flatten();
    let all = entries.map(|entry| (entry.file_name().to_string_lossy().into_owned(), entry.path()));
    let (own, left): (Vec<_>, Vec<_>) = all.partition(|(name, _)| !name.starts_with('.'));
    let own = own.into_iter().map(|(name, path)| (name, std::fs::read(path).unwrap()));
    (own.collect(), left.into_iter().map(|(name, _)| name).collect())
}

/// What is wrong after a run in which a call failed; nothing where all is well.
fn wrong(folder: &Path, old: &BTreeMap<String, Vec<u8>>, traced: &[&str]) -> Option<String> {
    let came = run(folder, traced);
    let said = String::from_utf8_lossy(&came.stderr).into_owned();
    let (now, _) = files_in(&folder.join("out"));
    let stays = |name: &&String| now.get(*name) == old.get(*name);
    let same = old.keys().filter(stays).count();
    let is_old = now == *old;
    let is_new = same == 0 && old.keys().all(|name| now.contains_key(name));
    let status = came.status.code();
    if !is_old && !is_new {
        return Some(format!("{same} of {} files are old; {status:?} {said}", old.len()));
    }
    // Before the program itself begins, its loader may fail, with a status of its own.
    let is_clear = match status {
        Some(0) => is_new,
        // The first line of a message may be the call that fails.
        Some(3 | 4) => is_old && (said.starts_with("error: ") || said.contains("fix: ")),
        Some(126 | 127) => is_old && said.contains("shared libraries"),
        _ => false,
    };
    if !is_clear {
        return Some(format!("{status:?}, {} {said}", if is_old { "old" } else { "new" }));
    }
    let next = run(folder, &[]);
    let (_, left) = files_in(&folder.join("out"));
    match next.status.code() {
        Some(0) if left.is_empty() => None,
        // Its record could not be written, which it said: the next run leaves a workbook alone that may be anybody's.
        Some(2) if said.contains("does not recognize files of this run") => None,
        status => {
            Some(format!("next {status:?} {left:?} {}", String::from_utf8_lossy(&next.stderr)))
        }
    }
}

/// What is wrong after a run in which one call failed, the `nth` of its kind in each thread.
fn wrong_after(outputs: &str, call: &str, error: &str, nth: u32) -> Option<String> {
    let mut folder = shop(outputs);
    folder.put("sales.csv", lines(1).as_bytes());
    let products = (0..400).map(|no| format!("P-{no},A product without sales,1.50\n"));
    folder.put("products.csv", format!("{PRODUCTS}{}", products.collect::<String>()).as_bytes());
    assert!(run(folder.path(), &[]).status.success());
    let (old, _) = files_in(&folder.path().join("out"));
    // Each file is another afterwards.
    folder.put("sales.csv", lines(2).as_bytes());
    let inject = format!("inject={call}:error={error}:when={nth}");
    let traced = ["-e", &format!("trace={call}"), "-e", &inject];
    wrong(folder.path(), &old, &traced).map(|why| format!("{call} {nth}: {why}"))
}

#[test]
fn outputs_are_all_old_or_all_new_whatever_call_fails() {
    if !can_trace() {
        println!("left out: strace is not installed, or may not trace");
        return;
    }
    let step = match std::env::var_os("INTERLIGO_TEST_EVERY_CALL") {
        Some(_) => 1,
        None => STEP,
    };
    let mut found = Vec::new();
    for (number, (call, error, last)) in CALLS.into_iter().enumerate() {
        let numbers = (1 + number as u32 % 3..=last).step_by(step);
        found.extend(numbers.filter_map(|nth| wrong_after(OUTPUTS, call, error, nth)));
    }
    assert!(found.is_empty(), "{}", found.join("\n"));
}

/// A library that writes workbooks keeps rows in a file of its own, and panics where that fills the disk.
#[test]
fn a_disk_that_fills_under_the_rows_of_a_workbook_is_an_error() {
    if !can_trace() {
        println!("left out: strace is not installed, or may not trace");
        return;
    }
    let outputs = "\n[workbooks.result]\nto = \"out/result.xlsx\"\nsheets = [\"sheet\"]\nformulas = true\n\
                   [outputs.sheet]\ncolumns = [\"*\", \"products.name\", \"cost\"]\n";
    let numbers = [1, 2, 4, 7].into_iter();
    let found: Vec<String> =
        numbers.filter_map(|nth| wrong_after(outputs, "write", "ENOSPC", nth)).collect();
    assert!(found.is_empty(), "{}", found.join("\n"));
}
