//! Whether two paths lead to one file, whatever way they take: through `..`, links of files or folders, or letters of
//! another case.

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

/// Whether two paths lead to one file. Names that differ only in case count as one: on some systems they are.
pub fn leads_to_same(one: &Path, other: &Path) -> bool {
    let (one, other) = (real_path(one), real_path(other));
    let identical = |path: &Path| path.as_os_str().to_string_lossy().to_lowercase();
    one == other || identical(&one) == identical(&other) || is_linked(&one, &other)
}

/// Whether two names are names of one file.
#[cfg(unix)]
fn is_linked(one: &Path, other: &Path) -> bool {
    use std::os::unix::fs::MetadataExt;
    let of = |path: &Path| path.metadata().ok().filter(std::fs::Metadata::is_file);
    match (of(one), of(other)) {
        (Some(one), Some(other)) => (one.dev(), one.ino()) == (other.dev(), other.ino()),
        _ => false,
    }
}

#[cfg(not(unix))]
fn is_linked(_: &Path, _: &Path) -> bool {
    false
}

/// Whether a path is of a device, a pipe or an open file of the process: it is written to and never replaced.
pub fn is_stream(path: &Path) -> bool {
    let system = |name: &str| path.is_absolute() && path.iter().nth(1) == Some(OsStr::new(name));
    system("dev") || system("proc") || path.metadata().is_ok_and(|m| !m.is_file() && !m.is_dir())
}

#[cfg(all(test, unix))]
mod tests {
    use super::*;
    use std::os::unix::fs::symlink;

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
            assert_eq!(leads_to_same(&at(one), &at(other)), same, "{one} {other}");
        }
    }
}
