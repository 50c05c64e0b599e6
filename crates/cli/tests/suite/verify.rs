//! `interligo verify` and `run --verify`: a workbook edited by hand, a table changed in a database.

use std::path::Path;

use crate::office_suite::{part, with_changed_sheets};
use crate::server::Schema;
use crate::support::{Folder, shop_but};

const OUTPUTS: &str = "
[outputs.lines]
to = \"lines.csv\"
[outputs.sheet]
to = \"book.xlsx#Lines\"
[outputs.table]
to = \"shop.sqlite#lines\"
";

/// The small shop, with a key, run and verified at once.
fn verified(outputs: &str) -> Folder {
    let folder = shop_but("role = \"fact\"", "role = \"fact\"\nkey  = \"no\"", outputs);
    let came = folder.run(&["run", "--verify"]);
    assert!(came.printed().contains("\nEach output is what the run of "), "{}", came.printed());
    came.ended(0);
    folder
}

/// What `verify` prints, without its last paragraph, which has the time.
fn differences(folder: &Folder) -> String {
    let came = folder.run(&["verify"]);
    let text = came.printed().to_owned();
    came.ended(1);
    let (text, last) = text.rsplit_once("\n\n").unwrap();
    assert!(last.starts_with("Not each output is what the run of "), "{last}");
    format!("{text}\n")
}

/// Changes a text in a workbook, as a hand would.
fn edit(book: &Path, from: &str, to: &str) {
    let own = book.with_extension("edited");
    with_changed_sheets(book, &own, |_, sheet| sheet.replacen(from, to, 1));
    assert!(part(&own, "xl/worksheets/sheet2.xml").contains(to));
    std::fs::rename(own, book).unwrap();
}

#[test]
fn a_cell_of_a_sheet_and_one_of_a_table_are_named_with_both_values() {
    let folder = verified(OUTPUTS);
    folder.run(&["verify"]).ended(0);
    edit(&folder.path().join("book.xlsx"), "<v>3.75</v>", "<v>3.85</v>");
    let database = rusqlite::Connection::open(folder.path().join("shop.sqlite")).unwrap();
    database
        .execute_batch("UPDATE lines SET item = 'A' WHERE no = 4; DELETE FROM lines WHERE no = 5")
        .unwrap();
    drop(database);
    assert_eq!(
        differences(&folder),
        "\
output  rows  is                             to
──────────────────────────────────────────────────────────────
lines      5  as written                     lines.csv
sheet      5  1 cell changed                 book.xlsx#Lines
table      5  1 cell changed, 1 row missing  shop.sqlite#lines

sheet
  row  column   written  there  place
  ────────────────────────────────────────────────
  2    revenue  3.75     3.85   book.xlsx#Lines!E3

table
  row  column  written  there    place
  ──────────────────────────────────────────────────
  4    item    B        A        shop.sqlite#lines:4
  5            the row  missing
"
    );
    let came = folder.run(&["verify", "lines"]);
    assert!(came.printed().contains("lines      5  as written  lines.csv"), "{}", came.printed());
    came.ended(0);
}

/// Braces mean something in the `to` of outputs, and nothing in the name of a plan.
#[test]
fn the_name_of_a_plan_may_have_braces() {
    let mut folder = shop_but("role = \"fact\"", "role = \"fact\"\nkey  = \"no\"", OUTPUTS);
    let plan = std::fs::read_to_string(folder.path().join("interligo.toml")).unwrap();
    let named = "a {b} 100%.toml";
    let settings = "[plan]\nverify = true\nkeep-runs = 2\nclosed = \"2025-01\"";
    folder.put(named, plan.replacen("[plan]", settings, 1).as_bytes());
    for arguments in [&["run"][..], &["run"], &["verify"], &["compare"]] {
        let came = folder.run(&[arguments, &["--plan", named]].concat());
        assert_eq!(came.exit_status(), 0, "{arguments:?} {}{}", came.printed(), came.said());
    }
    let notes = folder.path().join(".interligo/a %7Bb%7D 100%25");
    assert!(notes.join("copies/copies.json").exists() && notes.join("runs/2/run.json").exists());
}

#[test]
fn a_run_that_kept_no_copies_and_an_output_that_is_none_are_told() {
    let folder = shop_but("role = \"fact\"", "role = \"fact\"", OUTPUTS);
    folder
        .run(&["verify"])
        .stderr(
            "error: the last run kept no copies of what its outputs said\n  in interligo.toml\n  \
             fix: run it with `interligo run --verify`, or add verify = true to [plan]: then each run keeps them\n",
        )
        .status(2)
        .nothing_else();
    let folder = verified(OUTPUTS);
    let came = folder.run(&["verify", "line"]);
    assert!(came.said().contains("did you mean `lines`?"), "{}", came.said());
    came.ended(2);
}

#[test]
fn a_table_that_was_changed_on_a_server_is_named_with_both_values() {
    let Some(schema) = Schema::new("verifying") else { return };
    let outputs = "\n[outputs.lines]\nto = \"postgres:///postgres#verifying.lines\"\n";
    let folder = shop_but("role = \"fact\"", "role = \"fact\"\nkey  = \"no\"", outputs);
    let ran = schema.run(&folder, &["run", "--verify"], &[]);
    let printed = String::from_utf8_lossy(&ran.stdout);
    assert!(printed.contains("\nEach output is what the run of "), "{printed}");
    schema.ask("UPDATE verifying.lines SET revenue = 99.5 WHERE no = '2' RETURNING item");
    let came = schema.run(&folder, &["verify", "--format", "json"], &[]);
    assert_eq!(came.status.code(), Some(1));
    let json: serde_json::Value = serde_json::from_slice(&came.stdout).unwrap();
    let own = &json["outputs"][0]["differences"][0];
    let values = ["row", "what", "column", "written", "there"].map(|member| own[member].as_str());
    assert_eq!(values.map(Option::unwrap), ["2", "changed-cell", "revenue", "3.75", "99.5"]);
}
