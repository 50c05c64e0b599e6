//! The demo project: the files that ship with the program, and sales lines made up on the spot.

mod sales;

use std::fs;
use std::io;
use std::path::{Path, PathBuf};

use crate::failure::Failure;

/// The sales lines of the demo when no number is asked for.
pub(crate) const LINES: u64 = 3_000;

/// The files that do not depend on the number of lines.
const FILES: [(&str, &str); 8] = [
    ("interligo.toml", include_str!("../../../../demo/interligo.toml")),
    ("README.md", include_str!("../../../../demo/README.md")),
    ("products.csv", include_str!("../../../../demo/products.csv")),
    ("families.csv", include_str!("../../../../demo/families.csv")),
    ("groups.csv", include_str!("../../../../demo/groups.csv")),
    ("prices_2024.csv", include_str!("../../../../demo/prices_2024.csv")),
    ("prices_2025.csv", include_str!("../../../../demo/prices_2025.csv")),
    ("customers.csv", include_str!("../../../../demo/customers.csv")),
];

/// Writes the demo project with so many sales lines; the answer is its plan.
///
/// # Errors
/// The folder holds something other than an earlier demo, or cannot be written.
pub(crate) fn write(folder: &Path, lines: u64) -> Result<PathBuf, Failure> {
    let failed = |path: &Path| {
        let path = path.to_owned();
        move |reason: io::Error| Failure::Demo { path, reason }
    };
    if !is_free(folder).map_err(failed(folder))? {
        return Err(Failure::FolderInUse(folder.to_owned()));
    }
    let sales = folder.join("sales");
    if sales.exists() {
        fs::remove_dir_all(&sales).map_err(failed(&sales))?;
    }
    fs::create_dir_all(&sales).map_err(failed(&sales))?;
    for (name, content) in FILES {
        let path = folder.join(name);
        fs::write(&path, content).map_err(failed(&path))?;
    }
    let skus: Vec<&str> = first_column("products.csv").collect();
    let customers: Vec<&str> = first_column("customers.csv").collect();
    sales::write(&sales, lines, &skus, &customers).map_err(failed(&sales))?;
    Ok(folder.join("interligo.toml"))
}

/// Whether a folder is new, empty, or holds an earlier demo and nothing else.
fn is_free(folder: &Path) -> io::Result<bool> {
    let entries = match fs::read_dir(folder) {
        Ok(entries) => entries,
        Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(true),
        Err(error) => return Err(error),
    };
    let mut names = Vec::new();
    for entry in entries {
        names.push(entry?.file_name().to_string_lossy().into_owned());
    }
    if names.is_empty() {
        return Ok(true);
    }
    let ours = |name: &String| {
        ["sales", "out", ".interligo"].contains(&name.as_str())
            || FILES.iter().any(|(file, _)| file == name)
    };
    let plan = fs::read_to_string(folder.join("interligo.toml")).unwrap_or_default();
    let is_demo = plan.lines().next() == FILES[0].1.lines().next();
    Ok(is_demo && names.iter().all(ours))
}

/// The keys of one of the demo's lookups.
fn first_column(file: &str) -> impl Iterator<Item = &'static str> {
    let content = FILES.iter().find(|(name, _)| *name == file).map_or("", |(_, content)| content);
    content.lines().skip(1).filter_map(|row| row.split(',').next())
}
