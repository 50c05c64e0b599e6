//! Patterns over file names: `sales/{depot}_{year}.csv`, `archive/*.csv`.
//!
//! `{slot}` and `*` stay within one folder or file name; a slot is as short as the pattern allows, from
//! the left. A doubled character means the character itself.

use std::cmp::Ordering;
use std::path::{Path, PathBuf};

use interligo_model::pattern::{NamePattern, PatternError};

/// A file that a pattern fits, with what its slots represent, in the order of the pattern.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Fit {
    /// The path, relative to the folder that was searched.
    pub path: PathBuf,
    /// The names of its slots.
    pub slots: Vec<String>,
}

/// A pattern over paths: one for each folder and one for the file.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PathPattern {
    levels: Vec<NamePattern>,
}

impl PathPattern {
    /// Reads a pattern.
    ///
    /// # Errors
    /// As for [`NamePattern::parse`].
    pub fn parse(text: &str) -> Result<PathPattern, PatternError> {
        let levels = text.split('/').map(NamePattern::parse).collect::<Result<_, _>>()?;
        Ok(PathPattern { levels })
    }

    /// The path, where the pattern has neither slot nor `*`.
    pub fn plain(&self) -> Option<PathBuf> {
        let names: Option<Vec<&str>> = self.levels.iter().map(NamePattern::plain).collect();
        names.map(|names| PathBuf::from(names.join("/")))
    }

    /// The names of its slots.
    pub fn slots(&self) -> Vec<&str> {
        self.levels.iter().flat_map(NamePattern::slots).collect()
    }

    /// Whether it fits a path; then what its slots represent.
    pub fn fit(&self, path: &Path) -> Option<Vec<String>> {
        let names: Vec<&str> = path.iter().map(|name| name.to_str()).collect::<Option<_>>()?;
        if names.len() != self.levels.len() {
            return None;
        }
        let mut slots = Vec::new();
        for (level, name) in self.levels.iter().zip(names) {
            slots.extend(level.fit(name)?);
        }
        Some(slots)
    }

    /// The files below `folder` that it fits, in natural order. Hidden files never fit.
    pub fn files(&self, folder: &Path) -> std::io::Result<Vec<Fit>> {
        let mut found = vec![Fit { path: PathBuf::new(), slots: Vec::new() }];
        for (depth, level) in self.levels.iter().enumerate() {
            let is_file = depth + 1 == self.levels.len();
            let mut next = Vec::new();
            for fit in &found {
                if let Some(name) = level.plain() {
                    let path = fit.path.join(name);
                    // An empty first level is the root of an absolute path.
                    let path = if name.is_empty() { PathBuf::from("/") } else { path };
                    if folder.join(&path).exists() {
                        next.push(Fit { path, slots: fit.slots.clone() });
                    }
                    continue;
                }
                for entry in std::fs::read_dir(folder.join(&fit.path))? {
                    let entry = entry?;
                    let name = entry.file_name();
                    // A name that is no text is matched as it is shown.
                    let shown = name.to_string_lossy();
                    if is_hidden_or_temporary(&shown) {
                        continue;
                    }
                    let Some(slots) = level.fit(&shown) else { continue };
                    let kind = std::fs::metadata(entry.path())?;
                    if kind.is_dir() != is_file {
                        let slots = fit.slots.iter().cloned().chain(slots).collect();
                        next.push(Fit { path: fit.path.join(&name), slots });
                    }
                }
            }
            found = next;
        }
        found.sort_by(|a, b| natural_order(&a.path.to_string_lossy(), &b.path.to_string_lossy()));
        Ok(found)
    }
}

/// Files that start with a dot, and the locks and copies that editors and office programs leave.
fn is_hidden_or_temporary(name: &str) -> bool {
    name.starts_with(['.', '~']) || name.ends_with('~') || name.ends_with(".tmp")
}

/// Numbers in names count as numbers: `part2` before `part10`.
pub fn natural_order(a: &str, b: &str) -> Ordering {
    let (mut a, mut b) = (a, b);
    loop {
        let (digits_a, digits_b) = (leading_digits(a), leading_digits(b));
        if !digits_a.is_empty() && !digits_b.is_empty() {
            let number = |digits: &str| digits.trim_start_matches('0').to_owned();
            let (x, y) = (number(digits_a), number(digits_b));
            let order =
                x.len().cmp(&y.len()).then_with(|| x.cmp(&y)).then_with(|| digits_a.cmp(digits_b));
            if order != Ordering::Equal {
                return order;
            }
            (a, b) = (&a[digits_a.len()..], &b[digits_b.len()..]);
            continue;
        }
        match (a.chars().next(), b.chars().next()) {
            (Some(x), Some(y)) if x == y => (a, b) = (&a[x.len_utf8()..], &b[y.len_utf8()..]),
            (x, y) => return x.cmp(&y),
        }
    }
}

fn leading_digits(text: &str) -> &str {
    &text[..text.find(|c: char| !c.is_ascii_digit()).unwrap_or(text.len())]
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn slots_stay_within_a_name_of_a_path() {
        for (pattern, path, slots) in [
            ("sales/{depot}_{year}.csv", "sales/corvo_2024.csv", Some(vec!["corvo", "2024"])),
            ("{a}/x*.csv", "north/x.csv", Some(vec!["north"])),
            ("{a}.csv", "sub/x.csv", None),
        ] {
            let slots =
                slots.map(|s: Vec<&str>| s.into_iter().map(str::to_owned).collect::<Vec<_>>());
            assert_eq!(PathPattern::parse(pattern).unwrap().fit(Path::new(path)), slots, "{path}");
        }
    }

    #[test]
    fn names_are_in_natural_order() {
        let mut names = ["p10", "p2", "p1b", "p1", "q", "p02"];
        names.sort_by(|a, b| natural_order(a, b));
        assert_eq!(names, ["p1", "p1b", "p02", "p2", "p10", "q"]);
    }
}
