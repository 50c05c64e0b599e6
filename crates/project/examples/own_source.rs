//! Reads lines from a source of one's own: here a till whose receipts are computed when they are asked for.

use std::error::Error;
use std::path::Path;
use std::sync::Arc;

use interligo_project::{OwnTable, OwnTables, Plan, Project};

/// A till that sells one jar more with each receipt.
struct Till {
    receipts: u32,
}

impl OwnTable for Till {
    fn columns(&self) -> Vec<String> {
        ["receipt", "sold_on", "jars"].map(str::to_owned).to_vec()
    }

    fn rows(&self) -> Box<dyn Iterator<Item = Vec<String>> + Send + '_> {
        Box::new((1..=self.receipts).map(|receipt| {
            let day = format!("2025-{:02}-01", (receipt - 1) % 12 + 1);
            vec![receipt.to_string(), day, receipt.to_string()]
        }))
    }
}

const PLAN: &str = r#"
[tables.receipts]
role = "fact"
from = "program:till"
key  = "receipt"

[figures]
revenue = "jars * 1.25"

[outputs.by_quarter]
by   = ["quarter(sold_on)"]
show = ["lines", "jars", "revenue"]
"#;

/// The totals by quarter, a text for each row.
pub fn revenue_by_quarter(receipts: u32) -> Result<Vec<String>, Box<dyn Error>> {
    let own = OwnTables::from([("till".to_owned(), Arc::new(Till { receipts }) as _)]);
    let project = Project::open_with(Plan::parse(PLAN)?, Path::new("."), &own)?;
    let totals = project.totals("by_quarter")?;
    let row = |row: &interligo_project::TotalsRow| {
        let cells = row.cells().map(ToString::to_string);
        cells.collect::<Vec<_>>().join(" ")
    };
    Ok(totals.rows.iter().map(row).collect())
}

fn main() -> Result<(), Box<dyn Error>> {
    for row in revenue_by_quarter(10_000)? {
        println!("{row}");
    }
    Ok(())
}
