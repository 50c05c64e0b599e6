//! The examples give what they should.

#![allow(dead_code, unreachable_pub, reason = "they are programs, of which one function is called")]

use std::path::Path;

#[path = "../../examples/check_findings.rs"]
mod check_findings;
#[path = "../../examples/memory_tables.rs"]
mod memory_tables;
#[path = "../../examples/own_source.rs"]
mod own_source;
#[path = "../../examples/run_plan.rs"]
mod run_plan;

const PLAN: &str = r#"
[tables.sales]
role = "fact"
from = "sales.csv"

[tables.products]
from = "products.csv"
key  = "sku"

[[link]]
path = "sales.item -> products.sku"

[figures]
revenue = "quantity * products.price"

[outputs.by_item]
to   = "by_item.csv"
by   = ["item"]
show = ["revenue"]
"#;

fn folder() -> tempfile::TempDir {
    let folder = tempfile::TempDir::new().unwrap();
    let put = |name: &str, text: &str| std::fs::write(folder.path().join(name), text).unwrap();
    put("interligo.toml", PLAN);
    put("sales.csv", "item,quantity\nA,2\nB,3\nX,1\n");
    put("products.csv", "sku,price\nA,1.50\nB,2\n");
    folder
}

fn in_folder(folder: &tempfile::TempDir) -> std::path::PathBuf {
    folder.path().join("interligo.toml")
}

#[test]
fn tables_in_memory_are_priced_by_the_day() {
    // 10 jars at 1.00 and 10 at 1.25; a hat at 40.
    let rows = memory_tables::revenue_by_group().unwrap();
    assert_eq!(rows, ["Clothing 1 40.00", "Harvest 2 22.50"]);
}

#[test]
fn a_source_of_ones_own_is_read_like_a_file() {
    let rows = own_source::revenue_by_quarter(12).unwrap();
    assert_eq!(
        rows,
        ["2025-Q1 3 6 7.50", "2025-Q2 3 15 18.75", "2025-Q3 3 24 30.00", "2025-Q4 3 33 41.25"]
    );
    // More rows than are handed on together.
    let rows = own_source::revenue_by_quarter(40_000).unwrap();
    let lines = rows.iter().map(|row| row.split(' ').nth(1).unwrap().parse::<u64>().unwrap());
    assert_eq!(lines.sum::<u64>(), 40_000);
}

#[test]
fn a_plan_is_run_and_its_totals_are_read() {
    let folder = folder();
    let said = run_plan::run_plan(&in_folder(&folder)).unwrap();
    assert_eq!(said, ["sales: 3 lines", "by_item: 3 rows, revenue 9.00"]);
    let written = std::fs::read_to_string(folder.path().join("by_item.csv")).unwrap();
    assert_eq!(written, "item,revenue\nA,3.00\nB,6.00\nX,\n");
}

#[test]
fn findings_come_with_their_first_place() {
    let folder = folder();
    let found = check_findings::findings(&in_folder(&folder)).unwrap();
    assert_eq!(found, ["unmatched-key in products: 1, first sales.csv:4"]);
}

#[test]
fn errors_have_a_code_a_place_and_a_help() {
    let folder = folder();
    std::fs::remove_file(folder.path().join("products.csv")).unwrap();
    let error = interligo_project::Project::open_file(&in_folder(&folder)).err().unwrap();
    assert_eq!(error.code(), "input.missing");
    assert_eq!(error.to_string(), "`products.csv` does not exist");
    assert_eq!(error.place().unwrap().part.shown.as_ref(), "products.csv");
    assert_eq!(error.help(), Some("paths are relative to the folder of the plan"));
    let error = interligo_project::Project::open_file(Path::new("nowhere.toml")).err().unwrap();
    assert_eq!(error.code(), "input.missing");
}

#[test]
fn a_table_that_the_program_does_not_have_is_named() {
    let plan = PLAN.replace("sales.csv", "program:sales");
    let plan = interligo_project::Plan::parse(&plan).unwrap();
    let error = interligo_project::Project::open(plan, Path::new(".")).err().unwrap();
    assert_eq!(error.code(), "input.missing");
    assert!(error.to_string().contains("program:sales"), "{error}");
}
