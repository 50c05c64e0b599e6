//! Checks the plan in a file, and prints what was found: how much of it, where first, and what it may be.
//!
//! ```sh
//! cargo run --example check_findings -- mielo/interligo.toml
//! ```

use std::error::Error;
use std::path::Path;

use interligo_project::Project;

/// A line for each kind of finding, those that stop a run first, then the largest amounts.
pub fn findings(plan: &Path) -> Result<Vec<String>, Box<dyn Error>> {
    let checked = Project::open_file(plan)?.check_all()?;
    let line = |group: &interligo_project::Group<'_>| {
        let first = group.findings[0];
        let place = first.places.first().map_or("", String::as_str);
        let stops = if group.stops { " (stops a run)" } else { "" };
        format!("{} in {}: {}{stops}, first {place}", first.code.name(), first.about, group.count)
    };
    Ok(checked.groups().iter().map(line).collect())
}

fn main() -> Result<(), Box<dyn Error>> {
    let plan = std::env::args().nth(1).unwrap_or_else(|| "interligo.toml".to_owned());
    for line in findings(Path::new(&plan))? {
        println!("{line}");
    }
    Ok(())
}
