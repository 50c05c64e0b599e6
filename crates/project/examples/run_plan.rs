//! Runs the plan in a file, and reads the totals among its outputs.
//!
//! ```sh
//! cargo run --example run_plan -- mielo/interligo.toml
//! ```

use std::error::Error;
use std::path::Path;

use interligo_project::Project;

/// Writes the outputs of a plan; says what was read, and what each table of totals came to.
pub fn run_plan(plan: &Path) -> Result<Vec<String>, Box<dyn Error>> {
    let result = Project::open_file(plan)?.run_outputs()?;
    let mut said = Vec::new();
    for outcome in &result.outcomes {
        let fact = &outcome.tie_out.fact;
        said.push(format!("{}: {} lines", fact.table, fact.rows.lines()));
        for (name, totals) in &outcome.totals {
            let measures = totals.measures.iter().zip(&totals.whole.values);
            let whole: Vec<String> = measures
                .map(|(measure, value)| format!("{} {value}", measure.column_name))
                .collect();
            said.push(format!("{name}: {} rows, {}", totals.rows.len(), whole.join(", ")));
        }
    }
    Ok(said)
}

fn main() -> Result<(), Box<dyn Error>> {
    let plan = std::env::args().nth(1).unwrap_or_else(|| "interligo.toml".to_owned());
    for line in run_plan(Path::new(&plan))? {
        println!("{line}");
    }
    Ok(())
}
