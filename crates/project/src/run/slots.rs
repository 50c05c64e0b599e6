//! Slots in `to`: `out/{depot}/{year(sold_on)}.csv` is a file for each depot and year.

use std::collections::BTreeMap;
use std::path::{Component, Path, PathBuf};

use interligo_engine::bind::slots_of;
use interligo_model::plan::{Mistake, MistakeKind, Written};
pub(super) use interligo_sinks::lines::SlotKey;

/// The most files that an output is split into.
pub(super) const MOST_FILES: usize = 1_000;

/// The longest name that a value makes, in characters.
const LONGEST: usize = 100;

/// What is in a name for an unknown value.
const UNKNOWN: &str = "(none)";

/// Names that some systems keep for devices.
const DEVICES: [&str; 4] = ["con", "prn", "aux", "nul"];

/// The names that the files of an output have, each with the values that made it.
#[derive(Default)]
pub(crate) struct SlotNames {
    known: BTreeMap<String, SlotKey>,
}

impl SlotNames {
    /// The path for some values.
    ///
    /// # Errors
    /// Other values make the same name, or there are too many.
    pub(super) fn path(&mut self, to: &Written, key: &SlotKey) -> Result<String, Mistake> {
        let path = with_values(&to.text, key);
        let lower = path.to_lowercase();
        if let Some(other) = self.known.get(&lower).filter(|other| *other != key) {
            let message = format!(
                "`{}` and `{}` would be one file, `{path}`",
                other.join("`, `"),
                key.join("`, `")
            );
            let help = "use an attribute whose values differ in more than case and signs";
            return Err(to.mistaken(MistakeKind::Overwrites, message).help(help));
        }
        self.known.insert(lower, key.clone());
        if self.known.len() > MOST_FILES {
            let message = format!("`{}` makes more than {MOST_FILES} files", to.text);
            let help = "use an attribute with fewer values";
            return Err(to.mistaken(MistakeKind::TooLarge, message).help(help));
        }
        Ok(path)
    }
}

/// The path with values in the place of its slots.
fn with_values(to: &str, key: &SlotKey) -> String {
    let mut path = String::new();
    let mut at = 0;
    for (slot, value) in slots_of(to).into_iter().zip(key) {
        path.push_str(&to[at..slot.start - 1]);
        path.push_str(&file_name(value));
        at = slot.end + 1;
    }
    path.push_str(&to[at..]);
    path
}

/// A value as a part of a file's name: of one folder, and allowed on all systems.
fn file_name(value: &str) -> String {
    let unfit = |c: char| c.is_control() || "/\\:*?\"<>|{}#".contains(c);
    let name: String =
        value.chars().map(|c| if unfit(c) { '_' } else { c }).take(LONGEST).collect();
    let name = name.trim().trim_end_matches(['.', ' ']).trim_start_matches('.');
    let lower = name.to_lowercase();
    let numbered =
        |start: &str| lower.strip_prefix(start).is_some_and(|rest| rest.len() == 1 && rest != "0");
    match name {
        "" => UNKNOWN.to_owned(),
        name if DEVICES.contains(&&*lower) || numbered("com") || numbered("lpt") => {
            format!("{name}_")
        }
        name => name.to_owned(),
    }
}

/// Whether a path is one that slots could have made.
pub(crate) fn could_be(to: &Path, path: &Path) -> bool {
    let parts = |path: &Path| -> Vec<String> {
        let normal = |part: Component<'_>| match part {
            Component::Normal(name) => Some(name.to_string_lossy().into_owned()),
            _ => None,
        };
        path.components().filter_map(normal).collect()
    };
    let (to, path) = (parts(to), parts(path));
    to.len() == path.len() && to.iter().zip(&path).all(|(to, path)| name_could_be(to, path))
}

fn name_could_be(to: &str, name: &str) -> bool {
    let slots = slots_of(to);
    let Some(first) = slots.first() else { return to == name };
    let Some(rest) = name.strip_prefix(&to[..first.start - 1]) else { return false };
    let after = &to[first.end + 1..];
    (0..=rest.len())
        .filter(|at| rest.is_char_boundary(*at))
        .any(|at| name_could_be(after, &rest[at..]))
}

/// The files of the last run that this one has none for: `written` are its own.
pub(super) fn gone(to: &Path, last: &[PathBuf], written: &[PathBuf]) -> Vec<PathBuf> {
    let is_gone = |path: &&PathBuf| could_be(to, path) && !written.contains(path);
    last.iter().filter(is_gone).cloned().collect()
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn values_make_names_of_one_folder_that_every_system_allows() {
        for (value, name) in [
            ("corvo", "corvo"),
            ("", "(none)"),
            ("../x", "_x"),
            ("CON", "CON_"),
            ("com7", "com7_"),
            ("a/b:c", "a_b_c"),
            ("ends. ", "ends"),
        ] {
            assert_eq!(file_name(value), name, "{value}");
        }
        assert_eq!(file_name(&"x".repeat(300)).len(), LONGEST);
    }

    proptest! {
        #[test]
        fn a_path_could_be_what_slots_make(values in proptest::collection::vec("\\PC{0,12}", 2)) {
            let path = with_values("out/{depot}/{year(day)}-x.csv", &values);
            prop_assert_eq!(Path::new(&path).components().count(), 3, "{}", path);
            let [own, other] = ["out/{depot}/{year(day)}-x.csv", "out/{depot}/{year(day)}-y.csv"];
            let is_own = could_be(Path::new(own), Path::new(&path));
            let is_other = could_be(Path::new(other), Path::new(&path));
            prop_assert!(is_own && !is_other, "{}", path);
        }
    }
}
