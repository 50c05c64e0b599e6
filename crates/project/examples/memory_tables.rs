//! Prices the lines of three tables that are held in memory: sales, products, and prices that change over time.

use std::error::Error;
use std::path::Path;
use std::sync::Arc;

use interligo_project::{MemoryTable, OwnTables, Plan, Project};

const PLAN: &str = r#"
[tables.sales]
role = "fact"
from = "program:sales"

[tables.products]
from = "program:products"
key  = "sku"

[tables.prices]
from  = "program:prices"
key   = "sku"
valid = { from = "since" }

[[link]]
path = "sales.item -> products.sku"

[[link]]
path = "sales.item -> prices.sku as of sold_on"

[figures]
revenue = "quantity * prices.price"

[outputs.by_group]
by   = ["products.group"]
show = ["lines", "revenue"]
"#;

/// The totals by group, a text for each row.
pub fn revenue_by_group() -> Result<Vec<String>, Box<dyn Error>> {
    let sales = MemoryTable::new(
        ["sold_on", "item", "quantity"],
        [["2025-01-10", "JAR", "10"], ["2025-02-10", "JAR", "10"], ["2025-02-11", "HAT", "1"]],
    );
    let products = MemoryTable::new(["sku", "group"], [["JAR", "Harvest"], ["HAT", "Clothing"]]);
    let prices = MemoryTable::new(
        ["sku", "since", "price"],
        [["JAR", "2025-01-01", "1.00"], ["JAR", "2025-02-01", "1.25"], ["HAT", "2025-01-01", "40"]],
    );
    let own = OwnTables::from([
        ("sales".to_owned(), Arc::new(sales) as _),
        ("products".to_owned(), Arc::new(products) as _),
        ("prices".to_owned(), Arc::new(prices) as _),
    ]);
    let project = Project::open_with(Plan::parse(PLAN)?, Path::new("."), &own)?;
    let totals = project.totals("by_group")?;
    let row = |row: &interligo_project::TotalsRow| {
        let cells = row.cells().map(ToString::to_string);
        cells.collect::<Vec<_>>().join(" ")
    };
    Ok(totals.rows.iter().map(row).collect())
}

fn main() -> Result<(), Box<dyn Error>> {
    for row in revenue_by_group()? {
        println!("{row}");
    }
    Ok(())
}
