//! The plan as it is written: the file `interligo.toml`, section by section.
//!
//! These types say what a plan may hold; nothing here knows a table's columns. [`Plan::parse`]
//! refuses what is not part of the language, at its place and with the nearest valid name. What the
//! names in a plan refer to is settled afterwards, in `bind`.

mod correction;
mod entries;
mod figures;
mod labels;
mod links;
mod output;
mod output_column;
mod path;
pub mod reference;
mod rules;
mod tables;
mod values;

use std::ops::Range;
use std::sync::OnceLock;

use serde::Deserialize;
use toml::Spanned;

pub use crate::formula::{literal, name};
pub use crate::written::{
    At, ColumnName, Mistake, MistakeKind, Origin, Unlinked, Written, listed, nearest_name,
};
pub use correction::Correction;
pub use entries::{ByteSize, Entry, InOrder, OneOrMore};
pub use figures::{BandEntry, FigureEntry, Included, ShownAs, ShownForm, TotalRule};
pub use labels::Labels;
pub(crate) use labels::call;
pub use links::{GapRule, Gaps, Ignore, IgnoreEntry, LinkEntry, Matching, Missing, Overlap};
pub use output::{LineEnd, ListKind, NotShared, OutputEntry, WhenThere, WorkbookEntry, WriteEntry};
pub use output_column::OutputColumnEntry;
pub use path::{LinkPath, parse_link_path};
pub use rules::{Duplicates, Ends, Repeats, Rule, Valid};
pub use tables::{
    ColumnEntry, ColumnType, Columns, Files, PartEntry, ReadingEntry, Role, Scale, Settings,
    SumsEntry, TableEntry, TotalRows, Unpack,
};
pub use values::CountedPeriod;

/// The usual name of a plan, without its ending.
const USUAL_STEM: &str = "interligo";

/// A whole plan.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Plan {
    /// The text it was read from; the spans in the plan count its bytes.
    #[serde(skip)]
    pub source: String,
    /// The same as it is in its file, without its values in their places.
    #[serde(skip)]
    pub in_file: String,
    /// The values that were given from outside, in place of its own.
    #[serde(skip)]
    given: Vec<(String, String)>,
    /// Of values that are counted from the newest day in the data, what they came to, in words.
    #[serde(skip)]
    pub counted: Vec<String>,
    /// The name of its file without its ending; records and files that the plan does not name are called by it.
    #[serde(skip)]
    pub stem: Option<String>,
    /// `[plan]`.
    #[serde(default)]
    pub plan: Head,
    /// `[reading]`: how all tables are read where they do not say otherwise.
    #[serde(default)]
    pub reading: ReadingEntry,
    /// `[tables.NAME]`.
    #[serde(default)]
    pub tables: InOrder<TableEntry>,
    /// `[[link]]`.
    #[serde(default)]
    pub link: Vec<Spanned<LinkEntry>>,
    /// `[figures]`.
    #[serde(default)]
    pub figures: InOrder<FigureEntry>,
    /// `[bands.NAME]`.
    #[serde(default)]
    pub bands: InOrder<BandEntry>,
    /// `[shared.NAME]`: of each fact, the formula of an attribute that several have.
    #[serde(default)]
    pub shared: InOrder<InOrder<String>>,
    /// `[outputs.NAME]`.
    #[serde(default)]
    pub outputs: InOrder<OutputEntry>,
    /// `[labels]`: what people call columns and figures, in all outputs.
    #[serde(default)]
    pub labels: InOrder<FillValue>,
    /// `[workbooks.NAME]`.
    #[serde(default)]
    pub workbooks: InOrder<WorkbookEntry>,
    /// What the paths of links name, once it was asked for.
    #[serde(skip)]
    ends: OnceLock<links::LinkEnds>,
}

/// `[plan]`: what holds for the whole.
#[derive(Debug, Default, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Head {
    /// The name shown above results.
    pub name: Option<String>,
    /// The currency of the figures, said below totals.
    pub currency: Option<String>,
    /// The figure that says what is at weigh_by where something is wrong; without it the first that is an amount.
    pub weigh_by: Option<Spanned<String>>,
    /// The file with keys that are known to be wrong, and what is meant by them.
    pub corrections: Option<Spanned<String>>,
    /// How many runs are kept a record of, for comparing them.
    pub keep_runs: Option<Spanned<u32>>,
    /// Whether runs keep a copy of what outputs say, by which they can be verified.
    #[serde(default)]
    pub verify: bool,
    /// Whether lines are kept as a run computed them, for questions after it.
    #[serde(default)]
    pub keep_lines: bool,
    /// The last period whose lines are to stay as they are.
    pub closed: Option<Spanned<String>>,
    /// Texts for names in braces, which may be anywhere in the plan.
    #[serde(default)]
    pub values: InOrder<FillValue>,
    /// Whether text outputs are described by a file beside them.
    #[serde(default)]
    pub schema: bool,
    /// Findings that end a run.
    #[serde(default)]
    pub stop_on: Vec<Spanned<String>>,
}

/// One value of `fill`, kept as it is written.
#[derive(Debug, PartialEq, Eq)]
pub struct FillValue(pub String);

impl Plan {
    /// Reads a plan from its text, with its values in their places.
    ///
    /// # Errors
    /// The first thing that is not TOML or not part of the language.
    pub fn parse(text: &str) -> Result<Plan, Mistake> {
        Plan::parse_given(text, &[])
    }

    /// The values of a plan that are counted from the newest day in the data, by their names.
    pub fn counted_values(text: &str, given: &[(String, String)]) -> Vec<(String, CountedPeriod)> {
        values::counted(text, given)
    }

    /// The same with other values, by their names.
    ///
    /// # Errors
    /// Those of [`Plan::parse`]; a value that the plan does not have.
    pub fn parse_given(text: &str, given: &[(String, String)]) -> Result<Plan, Mistake> {
        let mut plan = Plan::parse_source(&values::in_place(text, given)?)?;
        text.clone_into(&mut plan.in_file);
        given.clone_into(&mut plan.given);
        Ok(plan)
    }

    /// A text from elsewhere with the values of the plan in their places.
    pub fn filled(&self, text: &str) -> String {
        values::filled(text, &self.plan.values, &self.given)
    }

    /// The plan as it is in its file, to be changed there.
    ///
    /// # Errors
    /// Those of [`Plan::parse`].
    pub fn as_in_file(&self) -> Result<Plan, Mistake> {
        Plan::parse_source(&self.in_file)
    }

    fn parse_source(source: &str) -> Result<Plan, Mistake> {
        let mut plan: Plan = toml::from_str(source).map_err(|error| {
            let at = At { origin: Origin::Plan, span: error.span() };
            entries::worded(at, error.message())
        })?;
        plan.source = source.to_owned();
        plan.in_file = source.to_owned();
        Ok(plan)
    }

    /// The name of its file without its ending; that of the usual file where it has none.
    pub fn file_stem(&self) -> &str {
        self.stem.as_deref().unwrap_or(USUAL_STEM)
    }

    /// Whether its file has the usual name.
    pub fn is_usual(&self) -> bool {
        self.file_stem() == USUAL_STEM
    }

    /// The formula of a figure with its place.
    pub fn formula(&self, figure: &Entry<FigureEntry>) -> Written {
        let formula = &figure.value.formula;
        let alone = formula.span().is_empty();
        self.written_at(formula.get_ref(), if alone { figure.span.clone() } else { formula.span() })
    }

    /// The fact tables, in the order of the plan.
    pub fn facts(&self) -> impl Iterator<Item = &Entry<TableEntry>> {
        self.tables.iter().filter(|table| table.value.role == Role::Fact)
    }

    /// The tables of sums over a fact, by name.
    pub fn sums_of<'p>(&'p self, fact: &'p str) -> impl Iterator<Item = &'p str> {
        let is_of = move |entry: &&Entry<TableEntry>| {
            entry.value.sums.as_ref().is_some_and(|sums| sums.get_ref().of.get_ref() == fact)
        };
        self.tables.iter().filter(is_of).map(|table| table.name.as_str())
    }

    /// A string of the plan with its place.
    pub fn written(&self, value: &Spanned<String>) -> Written {
        self.written_at(value.get_ref(), value.span())
    }

    /// A string with the range of the plan in which it stands.
    pub fn written_at(&self, text: &str, span: Range<usize>) -> Written {
        Written::in_plan(&self.source, text, span)
    }
}

/// A name as a key of a plan: bare where it can be, else in quotes.
pub fn key(name: &str) -> std::borrow::Cow<'_, str> {
    let bare = |character: char| character.is_ascii_alphanumeric() || "_-".contains(character);
    if !name.is_empty() && name.chars().all(bare) { name.into() } else { quoted(name).into() }
}

/// A text in quotes, as a plan has it.
pub fn quoted(text: &str) -> String {
    let mut out = String::from("\"");
    for character in text.chars() {
        match character {
            '"' | '\\' => out.extend(['\\', character]),
            sign if sign.is_control() => out += &format!("\\u{:04X}", u32::from(sign)),
            sign => out.push(sign),
        }
    }
    out + "\""
}

#[cfg(test)]
mod tests {
    use super::*;

    fn mistake(source: &str) -> (String, String, Option<String>) {
        let mistake = Plan::parse(source).unwrap_err();
        let at = mistake.at.span.map_or("", |span| &source[span]).to_owned();
        (at, mistake.message, mistake.help)
    }

    #[test]
    fn sections_keep_the_order_of_the_plan() {
        let plan = Plan::parse("[figures]\nzeta = '1'\nalpha = '2'\n").unwrap();
        let names: Vec<&str> = plan.figures.iter().map(|e| e.name.as_str()).collect();
        assert_eq!(names, ["zeta", "alpha"]);
    }

    #[test]
    fn a_quoted_text_is_read_back() {
        for text in ["", "a b", "\"\\", "tab\tand\nline", "é"] {
            let plan = Plan::parse(&format!("[plan]\nname = {}", quoted(text))).unwrap();
            assert_eq!(plan.plan.name.as_deref(), Some(text));
            let plan = Plan::parse(&format!("[tables.{}]\n", key(text))).unwrap();
            assert_eq!(plan.tables.iter().next().map(|table| table.name.as_str()), Some(text));
        }
    }

    #[test]
    fn what_is_not_part_of_the_language_is_refused_at_its_place() {
        for (source, at, message, help) in [
            (
                "[tables.sales]\nform = 'a.csv'",
                "form",
                "there is no plan key `form` here",
                Some("did you mean `from`?"),
            ),
            (
                "[tables.sales]\nfrom = 'a.csv'\nduplicates = 'frist'",
                "'frist'",
                "`frist` is not one of the choices here",
                Some("did you mean `first`?"),
            ),
            ("[plan]\nname = ", "", "string values must be quoted, expected literal string", None),
            (
                "[tables.sales]\nfrom = 7",
                "7",
                "found the number `7`, wanted text or a list of texts",
                None,
            ),
        ] {
            let found = mistake(source);
            assert_eq!(found.1, message, "{source}");
            assert_eq!(found.2.as_deref(), help, "{source}");
            if !at.is_empty() {
                assert_eq!(found.0, at, "{source}");
            }
        }
    }
}
