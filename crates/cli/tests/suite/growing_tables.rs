//! Tables that are replaced, that lines are added to by their key, or that stay as they are.

use crate::server::Schema;
use crate::support::{Folder, SALES, shop_but};

fn plan(when_there: &str, to: &str) -> Folder {
    let more = format!("\n[outputs.lines]\nto = \"{to}\"\nwhen-there = \"{when_there}\"\n");
    shop_but("role = \"fact\"", "role = \"fact\"\nkey  = \"no\"", &more)
}

fn asked(folder: &Folder, query: &str) -> String {
    let database = rusqlite::Connection::open(folder.path().join("t.sqlite")).unwrap();
    database.query_row(query, [], |row| row.get(0)).unwrap()
}

const LINES: &str =
    "SELECT group_concat(no || ' ' || quantity, ', ') FROM (SELECT * FROM lines ORDER BY no)";

#[test]
fn lines_are_added_by_their_key() {
    let mut folder = plan("append", "t.sqlite#lines");
    assert_eq!(folder.run(&["run"]).exit_status(), 0);
    // One line less and one more: what is there stays.
    let grown = SALES.replace("1,2025-01-10,A,2\n", "") + "6,2025-03-04,A,7\n";
    folder.put("sales.csv", grown.as_bytes());
    let came = folder.run(&["run"]);
    assert_eq!(came.said(), "note: 4 lines were already there in `lines`\n");
    assert_eq!(came.exit_status(), 0);
    assert_eq!(asked(&folder, LINES), "1 2, 2 3, 3 1, 4 4, 5 5, 6 7");
    // One that is there with other values ends the run, and the table stays.
    folder.put("sales.csv", grown.replace("2025-02-11,B,1", "2025-02-11,B,2").as_bytes());
    let came = folder.run(&["run"]).status(4);
    let wanted = "the line with no 3 is in `lines` already, with other values: quantity is 1 there, and 2 here";
    assert!(came.said().contains(wanted), "{}", came.said());
    assert_eq!(asked(&folder, LINES), "1 2, 2 3, 3 1, 4 4, 5 5, 6 7");
}

#[test]
fn a_table_of_somebody_else_takes_lines_where_its_columns_are_there() {
    let folder = plan("append", "t.sqlite#lines");
    let path = folder.path().join("t.sqlite");
    let database = rusqlite::Connection::open(&path).unwrap();
    database.execute_batch("CREATE TABLE lines (no, day)").unwrap();
    let came = folder.run(&["run"]).status(4);
    assert!(came.said().contains("its table `lines` has no column `item`"), "{}", came.said());
    database
        .execute_batch("DROP TABLE lines; CREATE TABLE lines (note, no, day, item, quantity, revenue, cost, profit, margin)")
        .unwrap();
    drop(database);
    assert_eq!(folder.run(&["run"]).exit_status(), 0);
    assert_eq!(asked(&folder, "SELECT count(*) || ' ' || count(note) FROM lines"), "5 0");
}

#[test]
fn what_is_there_may_stay() {
    let folder = plan("stop", "t.sqlite#lines");
    assert_eq!(folder.run(&["run"]).exit_status(), 0);
    let came = folder.run(&["run"]).status(4);
    assert!(came.said().contains("its table `lines` is there, and `when-there` is \"stop\""));
    let folder = plan("stop", "lines.csv");
    assert_eq!(folder.run(&["run"]).exit_status(), 0);
    let came = folder.run(&["run"]).status(2);
    assert!(
        came.said()
            .starts_with("error: the output `lines` would replace `lines.csv`, which is there"),
        "{}",
        came.said()
    );
}

#[test]
fn only_lines_with_a_key_are_added_and_only_to_tables() {
    let append = "when-there = \"append\"\n";
    for (key, output, said) in [
        ("key = \"no\"", "to = \"l.csv\"\n", "error: only a table of a database takes lines"),
        (
            "key = \"no\"",
            "to = \"t.db#t\"\nby = [\"item\"]\n",
            "error: only lines are added to a table",
        ),
        ("", "to = \"t.db#t\"\n", "error: lines are added by their key, and this output has none"),
        (
            "key = \"no\"",
            "to = \"t.db#t\"\ncolumns = [\"item\", \"quantity\"]\n",
            "error: lines are added by their key, and this output has none",
        ),
        (
            "key = \"no\"\nrepeats = \"keep\"",
            "to = \"t.db#t\"\n",
            "error: lines are added by their key, and this output has none",
        ),
    ] {
        let more = format!("\n[outputs.t]\n{output}{append}");
        let came =
            shop_but("role = \"fact\"", &format!("role = \"fact\"\n{key}"), &more).run(&["run"]);
        let came = came.status(2);
        assert!(came.said().starts_with(said), "{}", came.said());
        came.any_stderr().nothing_else();
    }
}

#[test]
fn lines_are_added_to_a_table_of_a_server() {
    let Some(schema) = Schema::new("growing") else { return };
    let mut folder = plan("append", "postgres:///postgres#growing.lines");
    let run = |folder: &Folder| schema.run(folder, &["run"], &[]);
    assert!(run(&folder).status.success());
    let grown = SALES.to_owned() + "6,2025-03-04,A,7\n";
    folder.put("sales.csv", grown.as_bytes());
    let came = run(&folder);
    let said = String::from_utf8(came.stderr).unwrap();
    assert_eq!(said, "note: 5 lines were already there in `growing.lines`\n");
    let sum = "SELECT count(*) || ' ' || sum(quantity) FROM growing.lines";
    assert_eq!(schema.ask(sum).as_deref(), Some("6 22"));
    folder.put("sales.csv", grown.replace("2025-02-11,B,1", "2025-02-11,B,2").as_bytes());
    let said = String::from_utf8(run(&folder).stderr).unwrap();
    assert!(said.contains("with other values: quantity is 1 there, and 2 here"), "{said}");
    assert_eq!(schema.ask(sum).as_deref(), Some("6 22"));
    // A number would be rounded on its way into another type.
    schema.ask("ALTER TABLE growing.lines ALTER COLUMN quantity TYPE integer");
    let said = String::from_utf8(run(&folder).stderr).unwrap();
    assert!(
        said.contains("the column `quantity` of its table `growing.lines` is integer, and the output has numeric"),
        "{said}"
    );
}
