//! What is promised to stay is there, and all that is there is promised.

use std::collections::BTreeSet;
use std::path::Path;

use interligo_model::plan::reference::SECTIONS;
use interligo_project::Code;

use crate::support::Folder;

fn document() -> String {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/stability.md");
    std::fs::read_to_string(path).unwrap()
}

/// The words of the list below a line.
fn promised(document: &str, below: &str) -> BTreeSet<String> {
    let after = document.split_once(below).unwrap_or_else(|| panic!("no {below}")).1;
    let list = after.split_once("```text\n").unwrap().1.split_once("```").unwrap().0;
    list.split_whitespace().map(str::to_owned).collect()
}

fn set<'w>(words: impl IntoIterator<Item = &'w str>) -> BTreeSet<String> {
    words.into_iter().map(str::to_owned).collect()
}

#[test]
fn the_keys_of_a_plan_stay() {
    let document = document();
    for section in SECTIONS {
        let (name, own) = (section.name, section.keys().map(|key| key.key));
        assert_eq!(promised(&document, &format!("`[{name}]`\n")), set(own), "{name}");
    }
}

#[test]
fn functions_and_kinds_of_findings_stay() {
    let document = document();
    let codes = Code::ALL.iter().map(|code| code.name());
    assert_eq!(promised(&document, "## Kinds of findings"), set(codes));
    let came = Folder::with(&[]).run(&["help", "formulas"]).status(0);
    let is_name = |c: char| c.is_ascii_lowercase() || c == '_';
    let calls = came.printed().match_indices('(').filter_map(|(at, _)| {
        let before = &came.printed()[..at];
        let start = before.rfind(|c| !is_name(c)).map_or(0, |end| end + 1);
        (start < at).then(|| before[start..].to_owned())
    });
    let functions: BTreeSet<String> = calls.collect();
    assert_eq!(promised(&document, "## Functions of formulas"), functions);
    came.any_stdout().nothing_else();
}

#[test]
fn exit_status_and_json_stay() {
    let document = document();
    assert_eq!(promised(&document, "## Exit status"), set(["0", "1", "2", "3", "4"]));
    let mut folder = Folder::with(&[]);
    assert_eq!(folder.run(&["demo", "."]).exit_status(), 0);
    let plan = std::fs::read_to_string(folder.path().join("interligo.toml")).unwrap();
    assert!(plan.contains("verify") && plan.contains("keep-runs"), "the demo keeps records");
    folder.put("interligo.toml", plan.as_bytes());
    let mut commands = 0;
    for command in
        document.split("`interligo ").filter_map(|rest| rest.split_once(" --format json`\n"))
    {
        let command = command.0;
        let arguments: Vec<&str> = command.split(' ').chain(["--format", "json"]).collect();
        let came = folder.run(&arguments);
        let json: serde_json::Value = serde_json::from_str(came.printed())
            .unwrap_or_else(|error| panic!("{command}: {error} {}", came.said()));
        let first = if json.is_array() { &json[0] } else { &json };
        let members = first.as_object().unwrap().keys().map(String::as_str);
        let below = format!("`interligo {command} --format json`\n");
        assert_eq!(promised(&document, &below), set(members), "{command}");
        commands += 1;
    }
    assert_eq!(commands, 8);
}

#[test]
fn records_have_the_forms_that_are_promised() {
    let document = document();
    let folder = Folder::with(&[]);
    assert_eq!(folder.run(&["demo", "."]).exit_status(), 0);
    let form = |path: &str| {
        let text = std::fs::read_to_string(folder.path().join(path)).unwrap();
        let json: serde_json::Value = serde_json::from_str(&text).unwrap();
        json["version"].as_u64().or(json["form"].as_u64()).unwrap()
    };
    assert_eq!(folder.run(&["slices", "2", "--into", "work"]).exit_status(), 0);
    for (record, path) in [
        ("runs, `.interligo/PLAN/runs/N`", ".interligo/interligo/runs/1/run.json"),
        ("copies of outputs, `.interligo/PLAN/copies`", ".interligo/interligo/copies/copies.json"),
        ("slices, `slices.json`", "work/slices.json"),
    ] {
        let row = document.lines().find(|line| line.starts_with(&format!("| {record} | ")));
        let row = row.unwrap_or_else(|| panic!("no row for {record}"));
        assert!(row.contains(&format!("| {}", form(path))), "{row}");
    }
}
