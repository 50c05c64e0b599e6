//! Calls of the system that fail, one after the other, while a run writes outputs of every form: what is there afterwards is all
//! old or all new, what is said is clear, and the next run leaves nothing behind.
//!
//! The calls are made to fail from outside by `strace`, in libraries as in our own code. Where it is not installed, or may not trace, the
//! test says that it was left out. `INTERLIGO_TEST_EVERY_CALL=1` takes every call instead of some.
#![cfg(target_os = "linux")]

use std::collections::BTreeMap;
use std::path::Path;
use std::process::{Command, Output, Stdio};

use crate::support::{SALES, shop};

const OUTPUTS: &str = "\n[outputs.text]\nto = \"out/lines.csv\"\n[outputs.objects]\nto = \"out/lines.jsonl.zst\"\n\
     [outputs.columnar]\nto = \"out/lines.parquet\"\ncolumns = [\"*\", \"revenue\"]\n\
     [outputs.sheet]\nto = \"out/result.xlsx#Lines\"\ncolumns = [\"*\", \"revenue\"]\n\
     [outputs.months]\nto = \"out/result.xlsx#Months\"\nby = [\"month(day)\"]\n\
     [outputs.base]\nto = \"out/result.sqlite#lines\"\ncolumns = [\"*\", \"revenue\"]\n\
     [outputs.items]\nto = \"out/{item}.csv\"\nby = [\"item\"]\n[outputs.page]\nto = \"out/report.html\"\n";

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
        Some(3 | 4) => {
            is_old && said.starts_with("error: ") && said.contains("fix: ")
                || is_old && said.contains("cannot be")
        }
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

#[test]
fn outputs_are_all_old_or_all_new_whatever_call_fails() {
    if !can_trace() {
        println!("left out: strace is not installed, or may not trace");
        return;
    }
    let every = std::env::var_os("INTERLIGO_TEST_EVERY_CALL").is_some();
    let mut found = Vec::new();
    for (number, (call, error, last)) in CALLS.into_iter().enumerate() {
        let step = if every { 1 } else { STEP };
        for nth in (1 + number as u32 % 3..=last).step_by(step) {
            let mut folder = shop(OUTPUTS);
            // Each file is another afterwards.
            folder.put("sales.csv", SALES.replace(",A,", ",B,").as_bytes());
            assert!(run(folder.path(), &[]).status.success());
            let (old, _) = files_in(&folder.path().join("out"));
            folder.put(
                "sales.csv",
                format!("{SALES}7,2025-01-10,A,3\n8,2025-02-11,B,2\n9,2025-03-02,X,1\n").as_bytes(),
            );
            let inject = format!("inject={call}:error={error}:when={nth}");
            let traced = ["-e", &format!("trace={call}"), "-e", &inject];
            if let Some(why) = wrong(folder.path(), &old, &traced) {
                found.push(format!("{call} {nth}: {why}"));
            }
        }
    }
    assert!(found.is_empty(), "{}", found.join("\n"));
}
