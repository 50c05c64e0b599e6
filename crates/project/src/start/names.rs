//! Names of files that belong together: the pattern that fits them, and what their table is called.

use std::collections::BTreeSet;
use std::path::Path;

use interligo_model::pattern::NamePattern;

use interligo_sources::table::path_pattern::PathPattern;

/// A run of letters, of digits, or of other characters.
#[derive(Clone, Debug, PartialEq, Eq)]
enum Run {
    Letters(String),
    Digits(String),
    Other(String),
}

impl Run {
    fn text(&self) -> &str {
        match self {
            Run::Letters(text) | Run::Digits(text) | Run::Other(text) => text,
        }
    }

    fn kind(&self) -> u8 {
        match self {
            Run::Letters(_) => 0,
            Run::Digits(_) => 1,
            Run::Other(_) => 2,
        }
    }
}

fn runs(name: &str) -> Vec<Run> {
    let mut runs: Vec<Run> = Vec::new();
    for character in name.chars() {
        let next = match character {
            _ if character.is_alphabetic() => Run::Letters(character.to_string()),
            _ if character.is_ascii_digit() => Run::Digits(character.to_string()),
            _ => Run::Other(character.to_string()),
        };
        match runs.last_mut() {
            Some(last) if last.kind() == next.kind() => {
                let (Run::Letters(text) | Run::Digits(text) | Run::Other(text)) = last;
                text.push(character);
            }
            _ => runs.push(next),
        }
    }
    runs
}

/// A name without its digits: files of one shape are parts of one table.
pub(super) fn shape(name: &str) -> String {
    let mut shape = String::new();
    for run in runs(name) {
        match run {
            Run::Letters(text) => shape += &text.to_lowercase(),
            Run::Digits(_) => shape.push('9'),
            Run::Other(text) if text.trim_matches(['-', '_', ' ', '.']).is_empty() => {}
            Run::Other(text) => shape += &text,
        }
    }
    shape
}

/// Patterns that fit some names, and what they would fit besides.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(super) struct Patterns {
    pub(super) from: Vec<String>,
    pub(super) leave_out: Vec<String>,
}

/// This many other names are left out of a pattern at most.
const LEFT_OUT: usize = 5;

/// Patterns that fit some names. What they fit besides of `all` is left out where it is less than what they are for;
/// otherwise the names themselves are listed.
pub(super) fn pattern_over(names: &[&str], all: &[String]) -> Patterns {
    let mut patterns = Patterns::default();
    if names.len() < 2 {
        patterns.from = names.iter().map(|name| (*name).to_owned()).collect();
        return patterns;
    }
    // Names of one build make a pattern together; of several builds, several.
    let mut builds: Vec<(Vec<u8>, String, Vec<&str>)> = Vec::new();
    for name in names {
        let build: Vec<u8> = runs(name).iter().map(Run::kind).collect();
        let folder = name.rsplit_once('/').map_or("", |(folder, _)| folder).to_owned();
        match builds.iter_mut().find(|(known, place, _)| *known == build && *place == folder) {
            Some((.., list)) => list.push(name),
            None => builds.push((build, folder, vec![name])),
        }
    }
    for (.., list) in &builds {
        let others = |pattern: String| Some((fitting_others(&pattern, names, all)?, pattern));
        match pattern_of(list).and_then(others) {
            Some((others, pattern))
                if list.len() > 1 && others.len() < list.len() && others.len() <= LEFT_OUT =>
            {
                patterns.from.push(pattern);
                patterns.leave_out.extend(others);
            }
            _ => patterns.from.extend(list.iter().map(|name| (*name).to_owned())),
        }
    }
    // What a pattern fits is not named once more.
    let from = patterns.from.clone();
    let covers = |pattern: &&String, name: &String| {
        *pattern != name
            && fitting_others(pattern, &[], std::slice::from_ref(name))
                .is_some_and(|fit| !fit.is_empty())
    };
    patterns.from.retain(|name| !from.iter().any(|pattern| covers(&pattern, name)));
    patterns
}

/// Words by which people call files that are no part of the others.
const ASIDE: [&str; 22] = [
    "alt",
    "archive",
    "backup",
    "bak",
    "borrador",
    "bozza",
    "brouillon",
    "copia",
    "copie",
    "copy",
    "draft",
    "entwurf",
    "kladde",
    "kopia",
    "kopie",
    "old",
    "rascunho",
    "temp",
    "test",
    "tmp",
    "utkast",
    "viejo",
];

/// The word of a name by which it is no part of the others.
pub(super) fn aside(name: &str) -> Option<&'static str> {
    let name = name.rsplit('/').next().unwrap_or_default().to_lowercase();
    let words: Vec<&str> = name.split(|letter: char| !letter.is_alphabetic()).collect();
    ASIDE.into_iter().find(|word| words.contains(word))
}

/// The pattern over names of one build: what differs becomes a slot.
fn pattern_of(names: &[&str]) -> Option<String> {
    let all: Vec<Vec<Run>> = names.iter().map(|name| runs(name)).collect();
    let first = all.first()?;
    let mut pattern = String::new();
    let mut slots: BTreeSet<String> = BTreeSet::new();
    for (at, run) in first.iter().enumerate() {
        let differs = all.iter().any(|other| other[at].text() != run.text());
        match run {
            _ if !differs => pattern += run.text(),
            Run::Other(_) => return None,
            _ => {
                let texts: Vec<&str> = all.iter().map(|other| other[at].text()).collect();
                let before = pattern.chars().last();
                let base = slot_name(run, &texts, before);
                let numbered = (2..).map(|n| format!("{base}_{n}"));
                let mut names = [base.to_owned()].into_iter().chain(numbered);
                let name = names.find(|name| slots.insert(name.clone()))?;
                // Two slots side by side could be parted in several ways.
                if pattern.ends_with('}') {
                    return None;
                }
                pattern += &format!("{{{name}}}");
            }
        }
    }
    Some(pattern)
}

fn slot_name(run: &Run, texts: &[&str], before: Option<char>) -> &'static str {
    let all = |test: &dyn Fn(u32) -> bool, digits: usize| {
        texts.iter().all(|text| text.len() <= digits && text.parse().is_ok_and(test))
    };
    match run {
        Run::Digits(_) if all(&|n| (1980..2100).contains(&n), 4) => "year",
        Run::Digits(_)
            if all(&|n| (1..=4).contains(&n), 1) && matches!(before, Some('q' | 'Q')) =>
        {
            "quarter"
        }
        Run::Digits(_) if all(&|n| (1..=12).contains(&n), 2) => "month",
        Run::Digits(_) => "number",
        _ => "part",
    }
}

/// What a pattern fits of all names besides these; nothing where it is no pattern.
fn fitting_others(pattern: &str, names: &[&str], all: &[String]) -> Option<Vec<String>> {
    let (path, inner) = split_inner(pattern)?;
    let (Ok(path), Ok(inner)) =
        (PathPattern::parse(path), inner.map(NamePattern::parse).transpose())
    else {
        return None;
    };
    let fits = |name: &&String| {
        let Some((file, table)) = split_inner(name) else { return false };
        let inside = match (&inner, table) {
            (None, None) => true,
            (Some(inner), Some(table)) => inner.fit(table).is_some(),
            _ => false,
        };
        inside && path.fit(Path::new(file)).is_some()
    };
    let others = all.iter().filter(fits).filter(|name| !names.contains(&name.as_str()));
    Some(others.cloned().collect())
}

/// The path of a piece, and the table in it.
fn split_inner(name: &str) -> Option<(&str, Option<&str>)> {
    match name.split_once('#') {
        None => Some((name, None)),
        Some((_, inner)) if inner.starts_with('#') => None,
        Some((path, inner)) => Some((path, Some(inner))),
    }
}

/// What a table is called: by what its files have in common, or by their folder.
pub(super) fn table_name(names: &[&str], home: &str, taken: &mut BTreeSet<String>) -> String {
    let stem = |name: &str| {
        let inner =
            name.rsplit_once('#').filter(|(_, inner)| !inner.is_empty()).map(|(_, i)| i.to_owned());
        let file = name.rsplit(['/', '\\']).next().unwrap_or(name);
        inner.unwrap_or_else(|| file.split('.').next().unwrap_or(file).to_owned())
    };
    let words = |name: &str| -> Vec<String> {
        let stem = stem(name);
        let letters = runs(&stem).into_iter().filter(|run| run.kind() == 0);
        letters.map(|run| run.text().to_lowercase()).collect()
    };
    let first = words(names[0]);
    let common: Vec<String> = match names {
        [only] => {
            let all = stem(only).to_lowercase();
            vec![all]
        }
        _ => {
            first.into_iter().filter(|word| names.iter().all(|n| words(n).contains(word))).collect()
        }
    };
    let folder = home.rsplit(['/', '\\']).next().unwrap_or_default();
    let folder = folder.split('.').next().unwrap_or_default().to_lowercase();
    let is_enough = names.len() == 1 || common.concat().len() >= 2;
    let base = if is_enough { common.join("_") } else { folder };
    let plain = as_name(&base);
    let numbered = (2..).map(|n| format!("{plain}_{n}"));
    let mut names = [plain.clone()].into_iter().chain(numbered);
    names.find(|name| taken.insert(name.clone())).unwrap_or(plain)
}

/// A text as a name that needs no quotes.
fn as_name(text: &str) -> String {
    let mut name = String::new();
    for character in text.trim().chars() {
        if character.is_alphanumeric() {
            name.push(character);
        } else if !name.is_empty() && !name.ends_with('_') {
            name.push('_');
        }
    }
    let name = name.trim_end_matches('_');
    match name.chars().next() {
        Some(first) if first.is_alphabetic() => name.to_owned(),
        _ => format!("table_{name}").trim_end_matches('_').to_owned(),
    }
}

/// A column name that names a period, or the first and last day of one, as a pattern.
pub(super) fn period_pattern(column_name: &str) -> Option<String> {
    let is_part = |character: char| character.is_ascii_digit() || "-/.QW".contains(character);
    let mut pattern = String::new();
    let mut slots = 0;
    let mut rest = column_name;
    while let Some(start) = rest.find(|character: char| character.is_ascii_digit()) {
        let end = rest[start..]
            .find(|character| !is_part(character))
            .map_or(rest.len(), |end| start + end);
        let digits = rest[start..end].chars().filter(char::is_ascii_digit).count();
        pattern += &rest[..start];
        if digits >= 4 {
            pattern += ["{from}", "{until}", "{more}"][slots.min(2)];
            slots += 1;
        } else {
            pattern += &rest[start..end];
        }
        rest = &rest[end..];
    }
    pattern += rest;
    match slots {
        1 => Some(pattern.replace("{from}", "{period}")),
        2 => Some(pattern),
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_that_differ_in_a_run_make_a_pattern() {
        let files =
            |names: &[&str]| names.iter().map(|name| (*name).to_owned()).collect::<Vec<_>>();
        let all = ["sales_2024.csv", "sales_2025.csv", "products.csv"];
        let from = |names: &[&str], all: &[&str]| pattern_over(names, &files(all)).from;
        assert_eq!(from(&all[..2], &all), ["sales_{year}.csv"]);
        let depots = ["s/corvo-01.csv", "s/tilia-02.csv"];
        assert_eq!(from(&depots, &depots), ["s/{part}-{month}.csv"]);
        // What a pattern takes besides is left out, unless it is as much as what it is for.
        let more = ["s/corvo-01.csv", "s/tilia-02.csv", "s/draft-03.csv"];
        let patterns = pattern_over(&depots, &files(&more));
        assert_eq!(patterns.from, ["s/{part}-{month}.csv"]);
        assert_eq!(patterns.leave_out, ["s/draft-03.csv"]);
        assert_eq!(from(&depots, &[&more[..], &["s/old-04.csv"]].concat()), depots);
        let sheets = ["b.xlsx#Q1", "b.xlsx#Q2", "b.xlsx#Quality"];
        assert_eq!(from(&sheets[..2], &sheets[..2]), ["b.xlsx#Q{quarter}"]);
        assert_eq!(from(&sheets[..2], &sheets), ["b.xlsx#Q{quarter}"]);
    }

    #[test]
    fn a_name_may_say_that_it_is_no_part() {
        assert_eq!(aside("sales/draft_corvo_2025.csv"), Some("draft"));
        assert_eq!(aside("sales_porto_OLD.csv"), Some("old"));
        assert_eq!(aside("old/golden_2025.csv"), None);
    }

    #[test]
    fn column_names_that_name_periods_have_a_pattern() {
        for (column_name, pattern) in [
            ("2024-01-01 to 2024-03-31", Some("{from} to {until}")),
            ("price_2025", Some("price_{period}")),
            ("Q1 2025", Some("Q1 {period}")),
            ("2025-Q3", Some("{period}")),
            ("line 12", None),
        ] {
            assert_eq!(period_pattern(column_name).as_deref(), pattern, "{column_name}");
        }
    }

    #[test]
    fn tables_are_called_by_what_their_files_share() {
        let mut taken = BTreeSet::new();
        for (names, home, expected) in [
            (vec!["sales_2024.csv", "sales_2025.csv"], "", "sales"),
            (vec!["sales/corvo.csv", "sales/tilia.csv"], "sales", "sales_2"),
            (vec!["Unsere Kunden.csv"], "", "unsere_kunden"),
            (vec!["2024.csv"], "", "table_2024"),
            (vec!["book.xlsx#Price list"], "book.xlsx", "price_list"),
        ] {
            assert_eq!(table_name(&names, home, &mut taken), expected);
        }
    }
}
