//! What is at hand at a terminal and in an editor: completions, manual pages, the keys of a plan.

use crate::support::{Folder, shop};

const TOTALS: &str =
    "\n[outputs.by_item]\nby = [\"item\"]\nshow = [\"revenue\"]\n[outputs.lines]\nto = \"l.csv\"\n";

/// What a shell is offered after these words, of which the last is being typed.
fn offered(folder: &Folder, words: &[&str]) -> Vec<String> {
    let mut command = folder.command(&[]);
    command.env("INTERLIGO_COMPLETES", "bash").env("_CLAP_IFS", "\n");
    command.env("_CLAP_COMPLETE_INDEX", (words.len()).to_string());
    command.env("_CLAP_COMPLETE_COMP_TYPE", "9").env("_CLAP_COMPLETE_SPACE", "true");
    let came = command.args(["--", "interligo"]).args(words).output().unwrap();
    String::from_utf8(came.stdout).unwrap().lines().map(str::to_owned).collect()
}

#[test]
fn the_names_of_the_plan_at_hand_are_completed() {
    let folder = shop(TOTALS);
    assert_eq!(offered(&folder, &["tot"]), ["totals"]);
    let totals = offered(&folder, &["totals", ""]);
    assert!(totals.contains(&"by_item".to_owned()) && !totals.contains(&"lines".to_owned()));
    let tables = offered(&folder, &["look", ""]);
    assert!(
        ["sales", "products", "prices"].iter().all(|name| tables.contains(&(*name).to_owned()))
    );
    assert_eq!(offered(&folder, &["check", "near"]), ["near-miss"]);
    assert_eq!(offered(&folder, &["calendar", "pri"]), ["prices"]);
    assert_eq!(offered(&folder, &["verify", "l"]), ["lines"]);
    assert_eq!(offered(&folder, &["totals", "--show", "rev"]), ["revenue"]);
    assert_eq!(offered(&folder, &["help", "workb"]), ["workbooks"]);
    // Without a plan, and with one that is wrong, there are the commands.
    for plan in [None, Some("[plan\n")] {
        let mut folder = Folder::with(&[]);
        plan.into_iter().for_each(|text| folder.put("interligo.toml", text.as_bytes()));
        assert!(offered(&folder, &["totals", ""]).iter().all(|offer| offer.starts_with('-')));
    }
    for shell in ["bash", "zsh", "fish"] {
        let came = folder.run(&["completions", shell]).status(0);
        assert!(came.printed().contains("INTERLIGO_COMPLETES"), "{shell}");
        came.any_stdout().nothing_else();
    }
}

#[test]
fn a_manual_has_a_page_for_each_command() {
    let mut folder = Folder::with(&[]);
    let came = folder.run(&["help", "--man", "man"]).status(0);
    assert!(came.printed().contains("man/interligo.1"), "{}", came.printed());
    let page = std::fs::read_to_string(folder.path().join("man/interligo-totals.1")).unwrap();
    assert!(page.starts_with(".ie") || page.contains(".TH"), "{page}");
    assert!(page.contains("by_depot.csv"), "with its examples");
    folder.put("taken", b"");
    let refused = folder.run(&["help", "--man", "taken"]).status(4);
    assert!(
        refused.said().contains("the manual cannot be written to `taken`"),
        "{}",
        refused.said()
    );
}

#[test]
fn the_keys_of_a_plan_are_explained() {
    let folder = Folder::with(&[]);
    let all = folder.run(&["help", "plan"]).status(0);
    assert!(all.printed().contains("[[link]]  a link between two tables"), "{}", all.printed());
    for (section, shown) in [
        ("link", "missing = \"set-aside\""),
        ("tables", "duplicates = \"newest changed_on\""),
        ("part", "[[tables.NAME.part]]"),
        ("outputs.NAME", "one of: findings, unmatched, set-aside, repeats"),
    ] {
        let came = folder.run(&["help", "plan", section]).status(0);
        assert!(came.printed().contains(shown), "{section} {}", came.printed());
        assert!(came.printed().lines().all(|line| line.chars().count() <= 120), "{section}");
        came.any_stdout().nothing_else();
    }
    let refused = folder.run(&["help", "plan", "outputts"]).status(2);
    assert!(refused.said().contains("there is no help about `outputts`"), "{}", refused.said());
    assert!(refused.said().contains("did you mean `outputs`?"), "{}", refused.said());
    all.any_stdout().nothing_else();
}

#[test]
fn the_schema_has_what_plans_may_have() {
    let folder = Folder::with(&[]);
    let came = folder.run(&["help", "--schema"]).status(0);
    let schema: serde_json::Value = serde_json::from_str(came.printed()).unwrap();
    let of = |section: &str| schema["properties"][section].clone();
    let table = &of("tables")["additionalProperties"]["properties"];
    assert_eq!(table["role"]["anyOf"][0]["enum"], serde_json::json!(["fact", "lookup"]));
    assert_eq!(table["part"]["items"]["properties"]["from"]["anyOf"][0]["type"], "string");
    assert_eq!(of("link")["items"]["additionalProperties"], false);
    let newest = &table["duplicates"]["anyOf"][1]["pattern"];
    assert_eq!(newest, "^newest .");
    let description = of("plan")["properties"]["keep-runs"]["description"].clone();
    assert!(description.as_str().unwrap().contains("for compare"), "{description}");
    came.any_stdout().nothing_else();
}

#[test]
fn a_quiet_run_prints_nothing_where_all_is_well() {
    let mut folder = shop(TOTALS);
    let came = folder.run(&["run", "--quiet"]);
    assert_eq!((came.exit_status(), came.printed(), came.said()), (0, "", ""));
    folder.put("sales.csv", b"no,day\n1,2025-01-01\n");
    let came = folder.run(&["run", "--quiet"]);
    assert_eq!(came.exit_status(), 2);
    assert!(came.said().contains("`sales` has no column"), "{}", came.said());
}

#[test]
#[cfg(unix)]
fn a_run_that_watches_runs_again_after_each_change() {
    use std::io::{BufRead, BufReader};
    use std::process::{Command, Stdio};

    let mut folder = shop(TOTALS);
    let mut command = folder.command(&["run", "--watch"]);
    let mut running = command.stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
    let mut printed = BufReader::new(running.stdout.take().unwrap()).lines();
    let mut said = BufReader::new(running.stderr.take().unwrap()).lines();
    let mut next = || printed.next().unwrap().unwrap();
    assert_eq!(next(), "sales: 5 lines to 1 output");
    folder.put("sales.csv", format!("{}6,2025-03-04,A,7\n", crate::support::SALES).as_bytes());
    assert_eq!(next(), "sales: 6 lines to 1 output, after `sales.csv` changed");
    // A mistake is told, and the next change is waited for.
    let plan = std::fs::read_to_string(folder.path().join("interligo.toml")).unwrap();
    folder.put("interligo.toml", plan.replace("role", "rolle").as_bytes());
    let mistake = said.next().unwrap().unwrap();
    assert!(mistake.contains("there is no plan key `rolle` here"), "{mistake}");
    folder.put("interligo.toml", plan.as_bytes());
    assert_eq!(next(), "sales: 6 lines to 1 output, after `interligo.toml` changed");
    let interrupted = Command::new("kill").args(["-INT", &running.id().to_string()]).status();
    assert!(interrupted.unwrap().success());
    assert_eq!(running.wait().unwrap().code(), Some(130));
    let rest: Vec<String> = said.map_while(Result::ok).collect();
    assert!(rest.iter().all(|line| !line.contains("error")), "{rest:?}");
}
