//! Which parts a table has: the files, sheets and tables of databases that its patterns fit.
//!
//! A pattern is a path, and behind `#` the name of a table in that file or database:
//! `sales_{year}.xlsx#{region}`. A doubled `##` is the character itself.

use std::collections::HashSet;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use interligo_model::pattern::{NamePattern, PatternError};
use interligo_model::place::PartName;
use interligo_model::plan::{
    Entry, Files, Mistake, MistakeKind, Plan, TableEntry, listed, nearest_name,
};

use crate::error::{Error, InputKind};
use crate::formats::{Address, Container, Containers, What, is_address, shown_address};
use crate::same_file::FileIndex;
use crate::snapshot::Snapshot;
use crate::table::path_pattern::PathPattern;

/// A part that the patterns of a table fit, before it is looked at.
pub struct Found<'p> {
    /// The file or database.
    pub container: Arc<dyn Container>,
    /// What of it.
    pub what: What,
    /// Its file, where it is in one.
    pub path: Option<PathBuf>,
    /// The file as it was before it was looked at.
    pub seen: Option<Snapshot>,
    /// Its name.
    pub name: PartName,
    /// What the slots of the pattern represent.
    pub slots: Vec<(String, String)>,
    /// What the plan says of it.
    pub files: Files<'p>,
}

/// Where parts are looked for.
pub struct SearchScope<'a> {
    /// The folder of the plan.
    pub folder: &'a Path,
    /// Files that runs of the plan write. They are never taken for parts.
    pub outputs: &'a OwnOutputs,
    /// What was opened so far.
    pub containers: &'a Containers,
}

/// A file that runs of the plan write.
pub struct OwnOutput {
    /// Where it is.
    pub path: PathBuf,
    /// Where the plan names it.
    pub span: Option<std::ops::Range<usize>>,
    /// Whether what is there now is what the last run wrote.
    pub is_own: bool,
}

/// The files that runs of the plan write.
pub struct OwnOutputs {
    all: Vec<OwnOutput>,
    index: FileIndex,
}

impl OwnOutputs {
    /// All of them.
    pub fn new(all: Vec<OwnOutput>) -> OwnOutputs {
        let index = FileIndex::of(all.iter().map(|own| own.path.as_path()));
        OwnOutputs { all, index }
    }

    /// The one that a path leads to.
    pub fn find(&self, path: &Path) -> Option<&OwnOutput> {
        self.index.find(path).map(|at| &self.all[at])
    }
}

/// A pattern of `from` or `leave-out`.
struct Pattern {
    path: Whereabouts,
    /// The table in it.
    inner: Option<NamePattern>,
}

enum Whereabouts {
    /// In the folder of the plan.
    Path(PathPattern),
    /// The address of a database.
    Address(String),
}

/// A file or database that a pattern fits.
struct Hit {
    address: Address,
    slots: Vec<(String, String)>,
}

impl Pattern {
    fn parse(text: &str) -> Result<Pattern, PatternError> {
        let (path, inner) = split(text);
        let inner = inner.map(|inner| NamePattern::parse(&inner)).transpose()?;
        let path = match is_address(&path) {
            true => Whereabouts::Address(path),
            false => Whereabouts::Path(PathPattern::parse(&path)?),
        };
        Ok(Pattern { path, inner })
    }

    /// Whether it fits a file, or a table in it.
    fn fits(&self, address: &Address, table: Option<&str>) -> bool {
        let path = match &self.path {
            Whereabouts::Path(pattern) => pattern.fit(Path::new(&*address.shown)).is_some(),
            Whereabouts::Address(own) => Path::new(own) == address.path,
        };
        path && match (&self.inner, table) {
            (None, _) => true,
            (Some(inner), Some(table)) => inner.fit(table).is_some(),
            (Some(_), None) => false,
        }
    }
}

/// Whether a pattern of a plan fits a file, or a sheet or table in it.
pub fn pattern_fits(pattern: &str, path: &str, table: Option<&str>) -> bool {
    let address = Address { shown: path.into(), path: path.into() };
    Pattern::parse(pattern).is_ok_and(|pattern| pattern.fits(&address, table))
}

/// The pattern that means just a file, or a sheet or table in it.
pub fn pattern_of(path: &str, table: Option<&str>) -> String {
    let doubled = |text: &str| -> String {
        let times = |character: char| if "{}*#".contains(character) { 2 } else { 1 };
        text.chars()
            .flat_map(|character| std::iter::repeat_n(character, times(character)))
            .collect()
    };
    let file = if is_address(path) { path.to_owned() } else { doubled(path) };
    file + &table.map_or(String::new(), |table| format!("#{}", doubled(table)))
}

/// The path, and the name behind the first single `#`.
pub fn split(text: &str) -> (String, Option<String>) {
    let single = |text: &str| text.replace("##", "#");
    let mut at = 0;
    while let Some(found) = text[at..].find('#').map(|found| at + found) {
        if !text[found + 1..].starts_with('#') {
            return (single(&text[..found]), Some(single(&text[found + 1..])));
        }
        at = found + 2;
    }
    (single(text), None)
}

/// The parts of a table, in their order.
///
/// # Errors
/// A pattern that is none, or that fits nothing; a file or database that cannot be read.
pub fn find<'p>(
    plan: &'p Plan,
    table: &'p Entry<TableEntry>,
    scope: &SearchScope<'_>,
) -> Result<Vec<Found<'p>>, Error> {
    let mut found = Vec::new();
    for files in plan.files(table)? {
        let before = found.len();
        find_some(&files, scope, &mut found)?;
        if found.len() == before {
            // A plan that nobody wrote has no text.
            let patterns = || format!("`{}`", files.from.get_ref().0.join("`, `"));
            let text = plan.source.get(files.from.span()).map_or_else(patterns, str::to_owned);
            let help = "paths are relative to the folder of the plan; `{name}` and `*` stay within one folder";
            return Err(Mistake::in_plan(
                MistakeKind::NoSuchFile,
                files.from.span(),
                format!("no file fits {text}"),
            )
            .help(help)
            .into());
        }
    }
    Ok(found)
}

/// Adds the parts that some patterns fit and that are not there yet.
fn find_some<'p>(
    files: &Files<'p>,
    scope: &SearchScope<'_>,
    found: &mut Vec<Found<'p>>,
) -> Result<(), Error> {
    let wrong =
        |message: String| Mistake::in_plan(MistakeKind::WrongValue, files.from.span(), message);
    // Before any message can show that line of the plan.
    for text in &files.from.get_ref().0 {
        refuse_secrets(text)?;
    }
    let read = |text: &String| Pattern::parse(text).map_err(|error| wrong(error.to_string()));
    let left_out = files.leave_out.iter().flat_map(|list| &list.get_ref().0);
    let left_out = left_out.map(read).collect::<Result<Vec<_>, _>>()?;
    let is_left_out = |address: &Address, table: Option<&str>| {
        left_out.iter().any(|pattern| pattern.fits(address, table))
    };
    let mut known: HashSet<Arc<str>> = found.iter().map(|f| f.name.shown.clone()).collect();
    for text in &files.from.get_ref().0 {
        let pattern = read(text)?;
        for Hit { address, slots } in hits(&pattern, text, scope)? {
            if is_left_out(&address, None) && pattern.is_pattern() {
                continue;
            }
            let is_file = matches!(pattern.path, Whereabouts::Path(_));
            let seen = if is_file { Snapshot::take(&address.path) } else { None };
            let container = scope.containers.open(&address)?;
            for (what, inner) in tables(&pattern, &*container, &address, files)? {
                let (table, shown) = match &what {
                    What::Whole => (None, address.shown.clone()),
                    What::Table(table) => {
                        (Some(table.as_str()), format!("{}#{table}", address.shown).into())
                    }
                    What::Query(_) => (None, format!("{} (query)", address.shown).into()),
                };
                let left_out = pattern.is_pattern() && is_left_out(&address, table);
                if left_out || !known.insert(shown.clone()) {
                    continue;
                }
                found.push(Found {
                    container: container.clone(),
                    name: container.name(&what, shown),
                    what,
                    path: is_file.then(|| address.path.clone()),
                    seen: seen.clone(),
                    slots: slots.iter().cloned().chain(inner).collect(),
                    files: files.clone(),
                });
            }
        }
    }
    Ok(())
}

/// Refuses the address of a database that holds a password.
fn refuse_secrets(text: &str) -> Result<(), Error> {
    let (path, _) = split(text);
    if is_address(&path) {
        shown_address(&path)?;
    }
    Ok(())
}

impl Pattern {
    /// Whether it may fit more than one part.
    fn is_pattern(&self) -> bool {
        let path = match &self.path {
            Whereabouts::Path(path) => path.plain().is_none(),
            Whereabouts::Address(_) => false,
        };
        path || self.inner.as_ref().is_some_and(|inner| inner.plain().is_none())
    }
}

/// The files that a pattern fits, or the database.
fn hits(pattern: &Pattern, text: &str, scope: &SearchScope<'_>) -> Result<Vec<Hit>, Error> {
    let paths = match &pattern.path {
        Whereabouts::Address(address) => {
            let address = Address { path: address.into(), shown: shown_address(address)? };
            return Ok(vec![Hit { address, slots: Vec::new() }]);
        }
        Whereabouts::Path(paths) => paths,
    };
    let hit = |path: &Path, slots| {
        let shown = path.to_string_lossy().into();
        Hit { address: Address { path: scope.folder.join(path), shown }, slots }
    };
    if let Some(path) = paths.plain() {
        return Ok(vec![hit(&path, Vec::new())]);
    }
    let fits = paths.files(scope.folder).map_err(|error| {
        let shown: Arc<str> = text.into();
        Error::input(InputKind::Unreadable, shown, format!("cannot be searched for: {error}"))
    })?;
    let names = paths.slots();
    let slots = |values: Vec<String>| {
        names.iter().map(|name| (*name).to_owned()).zip(values).collect::<Vec<_>>()
    };
    let mut hits = Vec::new();
    for fit in fits {
        let hit = hit(&fit.path, slots(fit.slots));
        match scope.outputs.find(&hit.address.path) {
            None => hits.push(hit),
            Some(own) if own.is_own => {}
            Some(own) => return Err(would_be_read(own, text, &hit.address.shown)),
        }
    }
    Ok(hits)
}

/// An output lies where a pattern finds a file that no run of the plan wrote.
fn would_be_read(own: &OwnOutput, pattern: &str, shown: &str) -> Error {
    let what = if own.span.is_some() { "an output" } else { "what is set aside" };
    let message = format!("{what} would overwrite `{shown}`, which `{pattern}` reads");
    let mistake = match &own.span {
        Some(span) => Mistake::in_plan(MistakeKind::Overwrites, span.clone(), message),
        None => Mistake::of_plan(MistakeKind::Overwrites, message),
    };
    let help = "give the output another name or folder; if the file is left from an earlier run, \
                remove it";
    mistake.help(help).into()
}

/// A table of a container, with the slots of its name.
type Inner = (What, Vec<(String, String)>);

/// What a pattern fits in a file or database.
fn tables(
    pattern: &Pattern,
    container: &dyn Container,
    address: &Address,
    files: &Files<'_>,
) -> Result<Vec<Inner>, Error> {
    let wrong =
        |message: String| Mistake::in_plan(MistakeKind::WrongValue, files.from.span(), message);
    if let Some(query) = files.query {
        if !container.answers() || pattern.inner.is_some() {
            let message = "a `query` needs a database in `from`, without a table";
            return Err(Mistake::in_plan(MistakeKind::ConflictingSettings, query.span(), message)
                .help("write for instance from = \"shop.sqlite\"")
                .into());
        }
        return Ok(vec![(What::Query(query.get_ref().clone()), Vec::new())]);
    }
    let Some(names) = container.tables()? else {
        return match &pattern.inner {
            None => Ok(vec![(What::Whole, Vec::new())]),
            Some(_) => {
                let message = format!("`{}` is one table, without others in it", address.shown);
                Err(wrong(message).help("leave out `#` and what follows; a `#` in the name of a file is doubled: `##`").into())
            }
        };
    };
    let noun = container.noun();
    let list = || match names.is_empty() {
        true => format!("it has no {noun}"),
        false => format!("its {noun}s are {}", listed(&names)),
    };
    let Some(inner) = &pattern.inner else {
        if let [only] = names.as_slice() {
            return Ok(vec![(What::Table(only.clone()), Vec::new())]);
        }
        let message = format!("`{}` has {} {noun}s", address.shown, names.len());
        let help = format!(
            "name one after `#`, or several with a pattern such as `#{{{noun}}}`; {}",
            list()
        );
        return Err(wrong(message).help(help).into());
    };
    if let Some(name) = inner.plain() {
        if names.iter().any(|known| known == name) || container.has(name) {
            return Ok(vec![(What::Table(name.to_owned()), Vec::new())]);
        }
        let known: Vec<&str> = names.iter().map(String::as_str).collect();
        let missing = wrong(format!("`{}` has no {noun} `{name}`", address.shown));
        return Err(match nearest_name(name, &known) {
            Some(near) => missing.help(format!("did you mean `{near}`?")),
            None => missing.help(list()),
        }
        .into());
    }
    let slots: Vec<&str> = inner.slots().collect();
    let fit = |name: &String| {
        let values = inner.fit(name)?;
        let slots = slots.iter().map(|slot| (*slot).to_owned()).zip(values);
        Some((What::Table(name.clone()), slots.collect()))
    };
    Ok(names.iter().filter_map(fit).collect())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_single_sign_parts_the_file_from_what_is_in_it() {
        let inner = |text: &str| Some(text.to_owned());
        for (text, path, table) in [
            ("sales.csv", "sales.csv", None),
            ("book.xlsx#North", "book.xlsx", inner("North")),
            ("book.xlsx#{region}", "book.xlsx", inner("{region}")),
            ("lot##7.csv", "lot#7.csv", None),
            ("lot##7.xlsx#No##1", "lot#7.xlsx", inner("No#1")),
            ("book.xlsx#", "book.xlsx", inner("")),
        ] {
            assert_eq!(split(text), (path.to_owned(), table), "{text}");
        }
    }

    #[test]
    fn what_is_left_out_is_a_file_or_a_table_in_it() {
        let address = Address { path: "/x/a/b.xlsx".into(), shown: "a/b.xlsx".into() };
        let fits = |pattern, table| Pattern::parse(pattern).unwrap().fits(&address, table);
        assert!(fits("a/*.xlsx", Some("Notes")));
        assert!(fits("a/*.xlsx#N*", Some("Notes")));
        assert!(!fits("a/*.xlsx#N*", Some("Sales")));
        assert!(!fits("a/*.xlsx#N*", None));
    }
}
