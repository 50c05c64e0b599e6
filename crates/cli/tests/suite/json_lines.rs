//! Outputs as JSON lines: typed values, that read back as what they are.

use crate::support::{Folder, shop};

const OUTPUTS: &str = "[outputs.lines]\nto = \"lines.jsonl\"\ncolumns = [\"*\", \"products.name\", \"revenue\"]\nstatus = true\n\
     [outputs.by_item]\nto = \"by_item.jsonl\"\nby = [\"item\"]\nshow = [\"lines\", \"revenue\"]\n\
     [outputs.open]\nto = \"open.jsonl\"\nlist = \"unmatched\"\n";

#[test]
fn values_are_typed_and_unknown_ones_are_null() {
    let mut came = shop(OUTPUTS).run(&["run"]).any_stdout();
    let lines = came.take_file("lines.jsonl");
    assert_eq!(lines.lines().count(), 5);
    assert_eq!(
        lines.lines().next().unwrap(),
        r#"{"no":1,"day":"2025-01-10","item":"A","quantity":2,"products.name":"Jar, small","revenue":2.00,"products status":"exact","products key":"A","prices status":"exact","prices key":"A"}"#
    );
    assert_eq!(
        lines.lines().last().unwrap(),
        r#"{"no":5,"day":"2025-03-02","item":"X","quantity":5,"products.name":null,"revenue":null,"products status":"unmatched","products key":null,"prices status":"unmatched","prices key":null}"#
    );
    assert_eq!(
        came.take_file("by_item.jsonl"),
        "{\"item\":\"A\",\"lines\":2,\"revenue\":5.75}\n\
         {\"item\":\"B\",\"lines\":2,\"revenue\":20}\n\
         {\"item\":\"X\",\"lines\":1,\"revenue\":null}\n"
    );
    let open = came.take_file("open.jsonl");
    let first = r#"{"link":"products","status":"unmatched","key":"X","lines":1,"first":"sales.csv:6","last":"sales.csv:6","quantity":5}"#;
    assert_eq!(open.lines().next().unwrap(), first);
    came.nothing_else();
}

#[test]
fn rows_that_are_set_aside_keep_their_texts() {
    let mut folder = shop(
        "[outputs.apart]\nto = \"apart.jsonl\"\nlist = \"set-aside\"\n[outputs.lines]\nto = \"lines.jsonl\"\n",
    );
    folder.put("sales.csv", b"no,day,item,quantity\n1,2025-01-10,A,2\n2,\"A \"\"x\"\"\"\n");
    let mut came = folder.run(&["run"]).any_stdout();
    assert_eq!(
        came.take_file("apart.jsonl"),
        "{\"reason\":\"too few or too many fields\",\"file\":\"sales.csv\",\"row\":3,\"no\":null,\"day\":null,\
         \"item\":null,\"quantity\":null,\"as_read\":\"2,\\\"A \\\"\\\"x\\\"\\\"\\\"\"}\n"
    );
    assert_eq!(came.take_file("lines.jsonl").lines().count(), 1);
    came.nothing_else();
}

#[test]
fn what_was_written_reads_back_with_the_same_totals() {
    let mut came = shop(OUTPUTS).run(&["run"]).any_stdout();
    let again = Folder::with(&[
        ("interligo.toml", "[tables.sales]\nrole = \"fact\"\nfrom = \"lines.jsonl\"\n"),
        ("lines.jsonl", &came.take_file("lines.jsonl")),
    ]);
    let options = ["totals", "--by", "item", "--show", "lines,quantity,revenue", "--format", "csv"];
    let (before, after) = (shop("").run(&options), again.run(&options));
    assert_eq!(before.printed(), after.printed());
    assert_eq!(after.exit_status(), 0, "{}", after.said());
}
