//! Whether two paths lead to one file, whatever way they take: through `..`, links of files or folders, or letters of
//! another case.

use std::collections::HashMap;
use std::ffi::OsStr;
use std::path::{Component, Path, PathBuf};

/// How many links are followed before they are taken for a circle.
const MOST_LINKS: usize = 40;

/// Where a path leads in the end, the file itself need not exist: without `..`, and with all links followed.
pub fn real_path(path: &Path) -> PathBuf {
    follow(path, MOST_LINKS)
}

fn follow(path: &Path, links: usize) -> PathBuf {
    let absolute = std::path::absolute(path).unwrap_or_else(|_| path.to_owned());
    let mut real = PathBuf::new();
    for component in absolute.components() {
        match component {
            Component::ParentDir => {
                real.pop();
            }
            Component::CurDir => {}
            other => real.push(other),
        }
        if let Ok(target) = real.read_link()
            && links > 0
        {
            let folder = real.parent().map(Path::to_owned).unwrap_or_default();
            real = follow(&folder.join(target), links - 1);
        }
    }
    real
}

/// By what a file is known again, whatever way a path takes to it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct FileIdentity {
    /// Where it is in the end. Names that differ only in case count as one: on some systems they are.
    name: String,
    /// The device and number of a file that is there: it may have several names.
    number: Option<(u64, u64)>,
}

impl FileIdentity {
    /// Of the file at a path, which need not exist.
    pub fn of(path: &Path) -> FileIdentity {
        let real = real_path(path);
        FileIdentity { name: real.to_string_lossy().to_lowercase(), number: number_of(&real) }
    }

    /// Whether both are of one file.
    pub fn is_same(&self, other: &FileIdentity) -> bool {
        self.name == other.name || self.number.is_some() && self.number == other.number
    }
}

#[cfg(unix)]
fn number_of(path: &Path) -> Option<(u64, u64)> {
    use std::os::unix::fs::MetadataExt;
    let metadata = path.metadata().ok().filter(std::fs::Metadata::is_file)?;
    Some((metadata.dev(), metadata.ino()))
}

#[cfg(not(unix))]
fn number_of(_: &Path) -> Option<(u64, u64)> {
    None
}

/// Whether two paths lead to one file.
pub fn leads_to_same(one: &Path, other: &Path) -> bool {
    FileIdentity::of(one).is_same(&FileIdentity::of(other))
}

/// Files, to be found by any path to them. Each path is followed once, however many are sought.
#[derive(Debug, Default)]
pub struct FileIndex {
    names: HashMap<String, usize>,
    numbers: HashMap<(u64, u64), usize>,
}

impl FileIndex {
    /// Of files in their order.
    pub fn of<'p>(paths: impl IntoIterator<Item = &'p Path>) -> FileIndex {
        let mut index = FileIndex::default();
        for (at, path) in paths.into_iter().enumerate() {
            let FileIdentity { name, number } = FileIdentity::of(path);
            index.names.entry(name).or_insert(at);
            if let Some(number) = number {
                index.numbers.entry(number).or_insert(at);
            }
        }
        index
    }

    /// The first file that a path leads to, by its place in the order.
    pub fn find(&self, path: &Path) -> Option<usize> {
        let FileIdentity { name, number } = FileIdentity::of(path);
        let by_name = self.names.get(&name);
        let by_number = number.and_then(|number| self.numbers.get(&number));
        by_name.into_iter().chain(by_number).min().copied()
    }
}

/// Whether a path is of a device, a pipe or an open file of the process: it is written to and never replaced.
pub fn is_stream(path: &Path) -> bool {
    let is_part = |at: usize, name: &str| path.iter().nth(at) == Some(OsStr::new(name));
    let system = |name: &str| path.is_absolute() && is_part(1, name);
    // Files in memory are files.
    let is_device = (system("dev") && !is_part(2, "shm")) || system("proc");
    is_device || path.metadata().is_ok_and(|m| !m.is_file() && !m.is_dir())
}

#[cfg(all(test, unix))]
mod tests {
    use super::*;
    use std::os::unix::fs::symlink;

    #[test]
    fn devices_are_streams_and_files_are_none() {
        for (path, stream) in [
            ("/dev/stdout", true),
            ("/dev/fd/3", true),
            ("/proc/self/fd/1", true),
            ("/dev/null", true),
            ("/dev/shm/lines.csv", false),
            ("/devices/lines.csv", false),
            ("dev/lines.csv", false),
            ("out/lines.csv", false),
        ] {
            assert_eq!(is_stream(Path::new(path)), stream, "{path}");
        }
    }

    #[test]
    fn paths_meet_through_links_dots_and_case() {
        let folder = tempfile::TempDir::new().unwrap();
        let at = |name: &str| folder.path().join(name);
        std::fs::create_dir_all(at("out/deep")).unwrap();
        std::fs::write(at("out/a.csv"), "x").unwrap();
        std::fs::write(at("b.csv"), "x").unwrap();
        symlink("out", at("linked")).unwrap();
        symlink("nowhere.csv", at("out/dangling.csv")).unwrap();
        symlink("round.csv", at("round.csv")).unwrap();
        std::fs::hard_link(at("b.csv"), at("c.csv")).unwrap();
        for (one, other, same) in [
            ("out/a.csv", "out/../out/a.csv", true),
            ("out/a.csv", "linked/a.csv", true),
            ("out/new.csv", "linked/deep/../new.csv", true),
            ("out/dangling.csv", "out/nowhere.csv", true),
            ("out/a.csv", "out/A.csv", true),
            ("b.csv", "c.csv", true),
            ("round.csv", "round.csv", true),
            ("out/a.csv", "b.csv", false),
            ("out/a.csv", "out/ab.csv", false),
        ] {
            let index = FileIndex::of([at("other").as_path(), &at(other)]);
            assert_eq!(index.find(&at(one)), same.then_some(1), "{one} among {other}");
            assert_eq!(leads_to_same(&at(one), &at(other)), same, "{one} {other}");
        }
    }
}
