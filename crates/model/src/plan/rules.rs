//! Rules for rows that share a key: when each of them holds, and which of several does.

use serde::Deserialize;
use toml::Spanned;

use super::ColumnType;

/// `valid = { from, until }`: both days belong to the period, a blank end is open. Without `until` a row holds
/// until the next one of its key begins. Or `{ period }`, `{ year }`, `{ year, quarter }`, `{ year, month }`.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Valid {
    /// The column with the first day.
    pub from: Option<Spanned<String>>,
    /// The column with the last day.
    pub until: Option<Spanned<String>>,
    /// Whether the last day belongs to the period.
    pub ends: Option<Spanned<Ends>>,
    /// How many days a row holds at most when no other follows.
    pub carry: Option<Spanned<u32>>,
    /// The column that names a year, quarter, month, week or day.
    pub period: Option<Spanned<String>>,
    /// The column with the year.
    pub year: Option<Spanned<String>>,
    /// The column with the quarter of the year.
    pub quarter: Option<Spanned<String>>,
    /// The column with the month of the year.
    pub month: Option<Spanned<String>>,
}

impl Valid {
    /// The columns that it names.
    pub fn columns(&self) -> impl Iterator<Item = &Spanned<String>> {
        let Valid { from, until, period, year, quarter, month, .. } = self;
        [from, until, period, year, quarter, month].into_iter().flatten()
    }
}

/// Whether the last day of a period belongs to it.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Ends {
    /// It does.
    #[default]
    Included,
    /// It is the first day after it.
    Excluded,
}

/// Which of several rows with one key holds, where they differ.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub enum Rule {
    /// None: the run ends, naming the rows.
    #[default]
    Stop,
    /// The first.
    First,
    /// The last.
    Last,
    /// The one with the latest day in a column; blank is before every day.
    Newest(String),
    /// The one with the largest number in a column; blank is below every number.
    Largest(String),
    /// The one with the smallest number in a column; blank is above every number.
    Smallest(String),
}

impl Rule {
    /// The rule that a text of the plan says.
    pub(super) fn parse(text: &str) -> Option<Rule> {
        let mut words = text.splitn(2, ' ').map(str::trim);
        Some(match (words.next()?, words.next()) {
            ("stop", None) => Rule::Stop,
            ("first", None) => Rule::First,
            ("last", None) => Rule::Last,
            ("newest", Some(column)) => Rule::Newest(column.to_owned()),
            ("largest", Some(column)) => Rule::Largest(column.to_owned()),
            ("smallest", Some(column)) => Rule::Smallest(column.to_owned()),
            _ => return None,
        })
    }

    /// The column whose values decide, with its type.
    pub fn column(&self) -> Option<(&str, ColumnType)> {
        match self {
            Rule::Newest(column) => Some((column, ColumnType::Date)),
            Rule::Largest(column) | Rule::Smallest(column) => Some((column, ColumnType::Number)),
            Rule::Stop | Rule::First | Rule::Last => None,
        }
    }
}

/// What happens to lookup rows that share a key (and a period) and differ in the columns that the
/// plan uses. Rows that agree in all of them fold into one under every rule.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Duplicates {
    /// One of them holds.
    Rule(Rule),
    /// What they agree on holds; what they differ in is blank.
    Blank,
}

impl Default for Duplicates {
    fn default() -> Duplicates {
        Duplicates::Rule(Rule::Stop)
    }
}

/// What happens to lines of a fact that share a key.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Repeats {
    /// Lines that agree fold into one; of those that differ, one holds.
    Rule(Rule),
    /// Nothing is dropped.
    Keep,
}

impl Default for Repeats {
    fn default() -> Repeats {
        Repeats::Rule(Rule::Stop)
    }
}
