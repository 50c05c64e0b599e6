//! Lines that are added to a table of a database: they are loaded beside it and merged by their key. One that is there
//! with the same values stays as it is; one with other values ends the run.
//!
//! All is said in the SQL that SQLite and PostgreSQL share.

use std::path::Path;

use interligo_sources::formats::quoted_name;

use crate::error::{Error, OutputErrorKind};

/// How lines are merged into a table.
pub(super) struct Append {
    /// The table, as SQL names it.
    pub(super) table: String,
    /// The same in words.
    pub(super) shown: String,
    /// The table beside it, with the lines that are added.
    pub(super) beside: String,
    /// The columns of the lines.
    pub(super) columns: Vec<String>,
    /// Those that are the key.
    pub(super) key: Vec<String>,
    /// How the database asks whether two values are equal or both unknown.
    pub(super) same: &'static str,
}

impl Append {
    fn listed(&self, names: &[String], each: impl Fn(&str) -> String, between: &str) -> String {
        names.iter().map(|name| each(&quoted_name(name))).collect::<Vec<_>>().join(between)
    }

    /// That a line beside the table and one in it have the same key.
    fn joined(&self) -> String {
        self.listed(&self.key, |name| format!("new.{name} = known.{name}"), " AND ")
    }

    /// The key of a line that has a part of it blank, if there is one.
    pub(super) fn without_key(&self) -> String {
        let columns = self.key_texts("new");
        let blank = self.listed(&self.key, |name| format!("new.{name} IS NULL"), " OR ");
        format!("SELECT {columns} FROM {} AS new WHERE {blank} LIMIT 1", self.beside)
    }

    /// A key that two lines beside the table have.
    pub(super) fn twice(&self) -> String {
        let (columns, keys) =
            (self.key_texts("new"), self.listed(&self.key, |name| format!("new.{name}"), ", "));
        let beside = &self.beside;
        format!("SELECT {columns} FROM {beside} AS new GROUP BY {keys} HAVING count(*) > 1 LIMIT 1")
    }

    fn key_texts(&self, table: &str) -> String {
        self.listed(&self.key, |name| format!("CAST({table}.{name} AS text)"), ", ")
    }

    /// A line that is there with other values: all of its columns, as they are added and as they are there.
    pub(super) fn differing(&self) -> String {
        let of = |table: &str| {
            self.listed(&self.columns, |name| format!("CAST({table}.{name} AS text)"), ", ")
        };
        let equal = |name: &str| format!("new.{name} {} known.{name}", self.same);
        format!(
            "SELECT {}, {} FROM {} AS new JOIN {} AS known ON {} WHERE NOT ({}) LIMIT 1",
            of("new"),
            of("known"),
            self.beside,
            self.table,
            self.joined(),
            self.listed(&self.columns, equal, " AND ")
        )
    }

    /// How many lines are there already.
    pub(super) fn already_there(&self) -> String {
        let (beside, table, joined) = (&self.beside, &self.table, self.joined());
        format!("SELECT count(*) FROM {beside} AS new JOIN {table} AS known ON {joined}")
    }

    /// Adds the lines that are not.
    pub(super) fn add(&self) -> String {
        let columns = self.listed(&self.columns, str::to_owned, ", ");
        let new = self.listed(&self.columns, |name| format!("new.{name}"), ", ");
        format!(
            "INSERT INTO {} ({columns}) SELECT {new} FROM {} AS new \
             WHERE NOT EXISTS (SELECT 1 FROM {} AS known WHERE {})",
            self.table,
            self.beside,
            self.table,
            self.joined()
        )
    }

    /// A line cannot be added, because it has no key or its key is that of another one.
    pub(super) fn unclear(&self, path: &Path, key: &[Option<String>], why: &str) -> Error {
        let reason = format!("the line with {} {why}", self.key_shown(key));
        Error::new(OutputErrorKind::Differs, path, reason)
    }

    /// A line is there with other values, which are given as [`Append::differing`] has them.
    pub(super) fn refused(&self, path: &Path, values: &[Option<String>]) -> Error {
        let (new, known) = values.split_at(self.columns.len().min(values.len()));
        let shown = |value: &Option<String>| value.as_deref().unwrap_or("blank").to_owned();
        let mut columns = self.columns.iter().zip(new).zip(known);
        let differs = columns.find(|((_, new), known)| new != known);
        let what = differs.map_or(String::new(), |((column, new), known)| {
            format!(": {column} is {} there, and {} here", shown(known), shown(new))
        });
        let at = |name: &String| self.columns.iter().position(|column| column == name);
        let key: Vec<Option<String>> =
            self.key.iter().map(|name| new.get(at(name)?)?.clone()).collect();
        let key = self.key_shown(&key);
        let reason =
            format!("the line with {key} is in `{}` already, with other values{what}", self.shown);
        Error::new(OutputErrorKind::Differs, path, reason)
    }

    fn key_shown(&self, key: &[Option<String>]) -> String {
        let shown = |(name, value): (&String, &Option<String>)| {
            format!("{name} {}", value.as_deref().unwrap_or("blank"))
        };
        self.key.iter().zip(key).map(shown).collect::<Vec<_>>().join(", ")
    }

    /// What to report of lines that were there.
    pub(super) fn note(&self, lines: u64) -> Option<String> {
        let were = if lines == 1 { "line was" } else { "lines were" };
        (lines > 0).then(|| format!("{lines} {were} already there in `{}`", self.shown))
    }
}
