//! Patterns over file names: `sales/{depot}_{year}.csv`, `archive/*.csv`.
//!
//! `{slot}` and `*` stay within one folder or file name; a slot is as short as the pattern allows, from
//! the left. A doubled sign means the sign itself.

use std::cmp::Ordering;
use std::path::{Path, PathBuf};

/// A file that a pattern fits, with what its slots stand for, in the order of the pattern.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Fit {
    /// The path, relative to the folder that was searched.
    pub(crate) path: PathBuf,
    pub(crate) slots: Vec<String>,
}

#[derive(Clone, Debug, PartialEq, Eq)]
enum Piece {
    Letters(String),
    Any,
    Slot(String),
}

/// A pattern that has been read: one list of pieces for each folder and for the file.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Pattern {
    levels: Vec<Vec<Piece>>,
}

impl Pattern {
    /// Reads a pattern. The error says what is wrong with it.
    pub(crate) fn parse(text: &str) -> Result<Pattern, String> {
        let levels = text.split('/').map(pieces).collect::<Result<Vec<_>, _>>()?;
        Ok(Pattern { levels })
    }

    /// Whether it is a plain path, without any slot or `*`.
    pub(crate) fn is_plain(&self) -> bool {
        self.levels.iter().flatten().all(|piece| matches!(piece, Piece::Letters(_)))
    }

    /// The names of its slots.
    pub(crate) fn slots(&self) -> Vec<&str> {
        fn slot(piece: &Piece) -> Option<&str> {
            match piece {
                Piece::Slot(name) => Some(name),
                _ => None,
            }
        }
        self.levels.iter().flatten().filter_map(slot).collect()
    }

    /// The path that a plain pattern stands for.
    pub(crate) fn plain_path(&self) -> PathBuf {
        let name = |level: &Vec<Piece>| match level.as_slice() {
            [Piece::Letters(letters)] => letters.clone(),
            _ => String::new(),
        };
        PathBuf::from(self.levels.iter().map(name).collect::<Vec<_>>().join("/"))
    }

    /// Whether it fits a path; then what its slots stand for.
    pub(crate) fn fit(&self, path: &Path) -> Option<Vec<String>> {
        let names: Vec<&str> = path.iter().map(|name| name.to_str()).collect::<Option<_>>()?;
        if names.len() != self.levels.len() {
            return None;
        }
        let mut slots = Vec::new();
        for (level, name) in self.levels.iter().zip(names) {
            slots.extend(fit_name(level, name)?);
        }
        Some(slots)
    }

    /// The files below `folder` that it fits, in natural order. Hidden files never fit.
    pub(crate) fn files(&self, folder: &Path) -> std::io::Result<Vec<Fit>> {
        let mut found = vec![Fit { path: PathBuf::new(), slots: Vec::new() }];
        for (depth, level) in self.levels.iter().enumerate() {
            let is_file = depth + 1 == self.levels.len();
            let mut next = Vec::new();
            for fit in &found {
                if let [Piece::Letters(letters)] = level.as_slice() {
                    let path = fit.path.join(letters);
                    // An empty first level is the root of an absolute path.
                    let path = if letters.is_empty() { PathBuf::from("/") } else { path };
                    if folder.join(&path).exists() {
                        next.push(Fit { path, slots: fit.slots.clone() });
                    }
                    continue;
                }
                for entry in std::fs::read_dir(folder.join(&fit.path))? {
                    let entry = entry?;
                    let name = entry.file_name();
                    let Some(name) = name.to_str().filter(|name| !name.starts_with('.')) else {
                        continue;
                    };
                    let kind = std::fs::metadata(entry.path())?;
                    if kind.is_dir() == is_file {
                        continue;
                    }
                    if let Some(slots) = fit_name(level, name) {
                        let slots = fit.slots.iter().cloned().chain(slots).collect();
                        next.push(Fit { path: fit.path.join(name), slots });
                    }
                }
            }
            found = next;
        }
        found.sort_by(|a, b| natural_order(&a.path.to_string_lossy(), &b.path.to_string_lossy()));
        Ok(found)
    }
}

fn pieces(level: &str) -> Result<Vec<Piece>, String> {
    let mut pieces = Vec::new();
    let mut letters = String::new();
    let mut signs = level.chars().peekable();
    let flush = |letters: &mut String, pieces: &mut Vec<Piece>| {
        if !letters.is_empty() {
            pieces.push(Piece::Letters(std::mem::take(letters)));
        }
    };
    while let Some(sign) = signs.next() {
        match sign {
            '{' | '}' | '*' if signs.peek() == Some(&sign) => {
                signs.next();
                letters.push(sign);
            }
            '*' => {
                flush(&mut letters, &mut pieces);
                pieces.push(Piece::Any);
            }
            '{' => {
                flush(&mut letters, &mut pieces);
                let name: String = signs.by_ref().take_while(|sign| *sign != '}').collect();
                if name.is_empty() || !level.contains('}') {
                    return Err(format!("the slot `{{{name}` has no name or no closing brace"));
                }
                pieces.push(Piece::Slot(name));
            }
            '}' => {
                return Err(
                    "a closing brace has no opening one; `}}` means the sign itself".to_owned()
                );
            }
            _ => letters.push(sign),
        }
    }
    flush(&mut letters, &mut pieces);
    if pieces.is_empty() {
        pieces.push(Piece::Letters(String::new()));
    }
    Ok(pieces)
}

/// What the slots of one level stand for in a name; the shortest first.
fn fit_name(pieces: &[Piece], name: &str) -> Option<Vec<String>> {
    match pieces.split_first() {
        None => name.is_empty().then(Vec::new),
        Some((Piece::Letters(letters), rest)) => {
            fit_name(rest, name.strip_prefix(letters.as_str())?)
        }
        Some((piece, rest)) => {
            let is_slot = matches!(piece, Piece::Slot(_));
            // A slot stands for at least one letter.
            let ends = name.char_indices().map(|(at, _)| at).chain([name.len()]);
            ends.skip(usize::from(is_slot)).find_map(|end| {
                let mut slots = fit_name(rest, &name[end..])?;
                if is_slot {
                    slots.insert(0, name[..end].to_owned());
                }
                Some(slots)
            })
        }
    }
}

/// Numbers in names count as numbers: `part2` before `part10`.
pub(crate) fn natural_order(a: &str, b: &str) -> Ordering {
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
    fn slots_are_as_short_as_the_pattern_allows() {
        for (pattern, path, slots) in [
            ("sales/{depot}_{year}.csv", "sales/corvo_2024.csv", Some(vec!["corvo", "2024"])),
            (
                "sales/{depot}_{year}.csv",
                "sales/corvo_alto_2024.csv",
                Some(vec!["corvo", "alto_2024"]),
            ),
            ("sales/{depot}_{year}.csv", "sales/corvo.csv", None),
            ("{a}/x*.csv", "north/x.csv", Some(vec!["north"])),
            ("{a}.csv", "sub/x.csv", None),
            ("a{{b.csv", "a{b.csv", Some(vec![])),
            ("{a}.csv", ".csv", None),
        ] {
            let slots =
                slots.map(|s: Vec<&str>| s.into_iter().map(str::to_owned).collect::<Vec<_>>());
            assert_eq!(
                Pattern::parse(pattern).unwrap().fit(Path::new(path)),
                slots,
                "{pattern} {path}"
            );
        }
        assert!(Pattern::parse("{a.csv").is_err());
        assert!(Pattern::parse("a}.csv").is_err());
    }

    #[test]
    fn names_are_in_natural_order() {
        let mut names = ["p10", "p2", "p1b", "p1", "q", "p02"];
        names.sort_by(|a, b| natural_order(a, b));
        assert_eq!(names, ["p1", "p1b", "p02", "p2", "p10", "q"]);
    }
}
