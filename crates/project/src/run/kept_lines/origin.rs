//! What lines were made of: the plan, as far as it matters to them, and the files.

use std::hash::BuildHasher;
use std::path::{Path, PathBuf};
use std::time::UNIX_EPOCH;

use foldhash::quality::FixedState;
use interligo_sources::same_file::real_path;
use serde::{Deserialize, Serialize};

use crate::project::Project;

/// What lines were made of. Two that are equal make the same lines.
#[derive(Debug, PartialEq, Eq, Serialize, Deserialize)]
pub(super) struct Origin {
    program: String,
    /// A fingerprint of the plan without its outputs.
    plan: u64,
    files: Vec<FileState>,
}

/// A file as it was when it was read.
#[derive(Debug, PartialEq, Eq, Serialize, Deserialize)]
struct FileState {
    /// In the folder of the plan, so that this may be moved.
    path: PathBuf,
    bytes: u64,
    /// When it was last changed, in nanoseconds since 1970.
    changed: u128,
}

/// The sections of a plan that say nothing about lines.
const OF_OUTPUTS: [&str; 3] = ["labels", "outputs", "workbooks"];

impl Origin {
    /// What lines are made of now; none, where it cannot be told whether that will be the same later: a table of a server, or
    /// one that comes through a pipe.
    pub(super) fn of(project: &Project) -> Option<Origin> {
        let plan = fingerprint(&project.plan.source)?;
        let folder = &real_path(project.folder());
        let mut files = Vec::new();
        for table in project.tables().iter().filter(|table| !project.is_made(&table.name)) {
            for part in &table.parts {
                files.push(FileState::of(part.path.as_deref()?, folder)?);
            }
        }
        for part in project.tables().iter().flat_map(|table| &table.parts) {
            // What a database has not yet put into its file.
            files.extend(
                part.path.as_deref().and_then(|path| FileState::of(&journal_of(path), folder)),
            );
        }
        let corrections = project.corrections_file();
        files.extend(corrections.and_then(|file| FileState::of(&file.path, folder)));
        files.dedup();
        Some(Origin { program: env!("CARGO_PKG_VERSION").to_owned(), plan, files })
    }
}

impl FileState {
    fn of(path: &Path, folder: &Path) -> Option<FileState> {
        let metadata = path.metadata().ok().filter(std::fs::Metadata::is_file)?;
        let changed = metadata.modified().ok()?.duration_since(UNIX_EPOCH).ok()?.as_nanos();
        let path = real_path(path);
        let path = path.strip_prefix(folder).unwrap_or(&path).to_owned();
        Some(FileState { path, bytes: metadata.len(), changed })
    }
}

fn journal_of(path: &Path) -> PathBuf {
    let mut name = path.as_os_str().to_owned();
    name.push("-wal");
    PathBuf::from(name)
}

/// A fingerprint of what a plan says about lines, with its values in their places.
fn fingerprint(plan: &str) -> Option<u64> {
    let mut sections: toml::Table = plan.parse().ok()?;
    OF_OUTPUTS.iter().for_each(|section| drop(sections.remove(*section)));
    Some(FixedState::with_seed(0x6c69_6e65).hash_one(sections.to_string()))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_plan_is_the_same_whatever_its_outputs_and_comments_are() {
        let plan =
            "[tables.sales]\nfrom = \"sales.csv\"\n[figures]\nrevenue = \"price * quantity\"\n";
        let own = fingerprint(plan).unwrap();
        let more = format!(
            "# ours\n{plan}[outputs.all]\nto = \"all.csv\"\n[labels]\nrevenue = \"Turnover\"\n"
        );
        assert_eq!(fingerprint(&more), Some(own));
        assert_ne!(fingerprint(&plan.replace("price *", "2 * price *")), Some(own));
        assert_ne!(fingerprint(&plan.replace("sales.csv", "others.csv")), Some(own));
    }
}
