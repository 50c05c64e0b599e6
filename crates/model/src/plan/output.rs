//! `[outputs.NAME]` and `[workbooks.NAME]`: what a run writes.

use serde::Deserialize;
use toml::Spanned;

use super::OutputColumnEntry;

/// `[outputs.NAME]`: a file that a run writes.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct OutputEntry {
    /// The file, relative to the plan; its ending says the form. Totals without one are asked for by name.
    pub to: Option<Spanned<String>>,
    /// For pages: what is above it; without it the name of the plan.
    pub title: Option<String>,
    /// The fact that it is made of; without it the first that has what it names.
    pub of: Option<Spanned<String>>,
    /// For lines: the columns and their order; `"*"` is the fact's own as they were read.
    pub columns: Option<Vec<Spanned<OutputColumnEntry>>>,
    /// For lines: whether each says how its links came out, and by which key.
    #[serde(default)]
    pub status: bool,
    /// For text: how it is written, where that is not the usual way.
    pub write: Option<Spanned<WriteEntry>>,
    /// For text: whether an apostrophe comes before texts that a spreadsheet takes for formulas.
    #[serde(default)]
    pub guard: bool,
    /// What happens to what is there already.
    pub when_there: Option<Spanned<WhenThere>>,
    /// For lists: what is listed.
    pub list: Option<ListKind>,
    /// For totals: the attributes of a row. An empty list gives the grand total.
    pub by: Option<Vec<Spanned<String>>>,
    /// For totals: the attributes of the columns.
    pub across: Option<Vec<Spanned<String>>>,
    /// For totals: `lines`, figures, numeric columns of the fact, and functions of these.
    pub show: Option<Vec<Spanned<String>>>,
    /// For totals: two of these, whose difference is shown.
    pub versus: Option<Spanned<Vec<Spanned<String>>>>,
    /// For totals: what rows are sorted by, `-` before it for the largest first.
    pub sort: Option<Vec<Spanned<String>>>,
    /// For totals: how many rows of a level are shown; the others are one row.
    pub top: Option<Spanned<usize>>,
    /// For totals: whether periods without lines are shown.
    pub all_periods: Option<Spanned<bool>>,
    /// For totals: the condition that rows meet which are shown; the others of a level become one row.
    pub having: Option<Spanned<String>>,
    /// For totals over several facts: what an attribute is that one of them does not reach.
    pub not_shared: Option<NotShared>,
    /// For totals: the lines that count.
    #[serde(rename = "where")]
    pub filter: Option<Spanned<String>>,
}

impl OutputEntry {
    /// Whether it is a page, by the name of its file.
    pub fn is_page(&self) -> bool {
        self.to.as_ref().is_some_and(|to| to.get_ref().to_lowercase().ends_with(".html"))
    }
}

/// `write` of an output: how a text file is written.
#[derive(Debug, Default, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct WriteEntry {
    /// Between fields: a character, or `tab`.
    pub separator: Option<Spanned<String>>,
    /// A sample of 1234.56.
    pub numbers: Option<Spanned<String>>,
    /// A sample of 31 December 2025.
    pub dates: Option<Spanned<String>>,
    /// The encoding, by its usual name.
    pub encoding: Option<Spanned<String>>,
    /// How lines end.
    pub line_end: Option<LineEnd>,
    /// The decimal places of numbers that have some.
    pub places: Option<u8>,
}

/// What a run does with a file or table that is there already.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum WhenThere {
    /// It is replaced; a table that Interligo did not make is left alone, and the run ends.
    #[default]
    Replace,
    /// Lines are added to a table; one that is there with other values ends the run.
    Append,
    /// The run ends.
    Stop,
}

/// How the lines of a text file end.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum LineEnd {
    /// A line feed.
    Lf,
    /// A carriage return and a line feed.
    Crlf,
}

/// What happens where a fact of a shared table does not reach an attribute.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum NotShared {
    /// The table is refused.
    #[default]
    Stop,
    /// The attribute is blank for all lines of that fact.
    Blank,
}

/// What an output lists.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum ListKind {
    /// Everything that was found.
    Findings,
    /// Keys that were not found.
    Unmatched,
    /// The lines that are set aside, as they were read.
    SetAside,
    /// Duplicate lines.
    Repeats,
}

/// `[workbooks.NAME]`: a workbook with a sheet for each of some outputs.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct WorkbookEntry {
    /// The file, relative to the plan.
    pub to: Spanned<String>,
    /// The outputs that are its sheets, in their order.
    pub sheets: Vec<Spanned<String>>,
    /// Whether figures, attributes and totals are formulas over the cells of the workbook.
    #[serde(default)]
    pub formulas: bool,
    /// Whether totals by one attribute are drawn.
    #[serde(default = "yes")]
    pub charts: bool,
}

fn yes() -> bool {
    true
}
