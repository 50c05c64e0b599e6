//! The plan as it is written: the file `interligo.toml`, section by section.
//!
//! These types say what a plan may hold; nothing here knows a table's columns. [`Plan::parse`]
//! refuses what is not part of the language, at its place and with the nearest valid name. What the
//! names in a plan refer to is settled afterwards, in `bind`.

mod entries;
mod mistake;
mod path;

use std::collections::BTreeSet;
use std::ops::Range;

use serde::Deserialize;
use toml::Spanned;

pub use entries::{Entry, InOrder, OneOrMore};
pub use mistake::{Mistake, Origin, Written, nearest_name};
pub(crate) use path::{ColumnName, LinkPath, parse_link_path};

/// A whole plan.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Plan {
    /// The text it was read from; the spans in the plan count its bytes.
    #[serde(skip)]
    pub source: String,
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
    pub figures: InOrder<String>,
    /// `[outputs.NAME]`.
    #[serde(default)]
    pub outputs: InOrder<OutputEntry>,
}

/// `[plan]`: what holds for the whole.
#[derive(Debug, Default, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Head {
    /// The name shown above results.
    pub name: Option<String>,
    /// The currency of the figures, said below totals.
    pub currency: Option<String>,
}

/// `[reading]`: how files are written. What is not said is found for each file.
#[derive(Debug, Default, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct ReadingEntry {
    /// The sign between two fields, or the word `tab`.
    pub separator: Option<Spanned<String>>,
    /// The encoding, by its usual name.
    pub encoding: Option<Spanned<String>>,
    /// A specimen of the numbers: 1234.56.
    pub numbers: Option<Spanned<String>>,
    /// A specimen of the days: the 31st of December 2025.
    pub dates: Option<Spanned<String>>,
}

/// What a table is for.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Role {
    /// Lines that are streamed: sales, budget lines, returns.
    Fact,
    /// Rows that are found by a key; held in memory.
    #[default]
    Lookup,
}

/// `[tables.NAME]`: where a table is and how it is read.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct TableEntry {
    /// Fact or lookup.
    #[serde(default)]
    pub role: Role,
    /// A path, or a pattern over several, relative to the plan.
    pub from: Option<Spanned<OneOrMore>>,
    /// `[[tables.NAME.part]]`: files with settings of their own, instead of `from`.
    #[serde(default)]
    pub part: Vec<Spanned<PartEntry>>,
    /// Patterns of files that do not belong.
    pub leave_out: Option<Spanned<OneOrMore>>,
    /// As in `[reading]`, for this table.
    pub separator: Option<Spanned<String>>,
    /// As in `[reading]`, for this table.
    pub encoding: Option<Spanned<String>>,
    /// As in `[reading]`, for this table.
    pub numbers: Option<Spanned<String>>,
    /// As in `[reading]`, for this table.
    pub dates: Option<Spanned<String>>,
    /// `[tables.NAME.columns]`: by the headings of the file.
    #[serde(default)]
    pub columns: InOrder<ColumnEntry>,
    /// The column that identifies a row of a lookup.
    pub key: Option<Spanned<OneOrMore>>,
    /// The columns that say when a row of a lookup holds.
    pub valid: Option<Valid>,
    /// What happens to rows that share a key.
    #[serde(default)]
    pub duplicates: Duplicates,
}

/// `[[tables.NAME.part]]`: some files of a table that are read in their own way.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct PartEntry {
    /// As for a table.
    pub from: Spanned<OneOrMore>,
    /// As for a table.
    pub leave_out: Option<Spanned<OneOrMore>>,
    /// As in `[reading]`, for these files.
    pub separator: Option<Spanned<String>>,
    /// As in `[reading]`, for these files.
    pub encoding: Option<Spanned<String>>,
    /// As in `[reading]`, for these files.
    pub numbers: Option<Spanned<String>>,
    /// As in `[reading]`, for these files.
    pub dates: Option<Spanned<String>>,
}

/// What the plan says of how some files are written; the nearest says it.
#[derive(Clone, Copy, Debug, Default)]
pub struct ReadingSettings<'a> {
    /// The sign between two fields.
    pub separator: Option<&'a Spanned<String>>,
    /// The encoding.
    pub encoding: Option<&'a Spanned<String>>,
    /// A specimen of the numbers.
    pub numbers: Option<&'a Spanned<String>>,
    /// A specimen of the days.
    pub dates: Option<&'a Spanned<String>>,
}

/// The settings of one place; `$of` is a plan's `[reading]`, a table or a part.
macro_rules! settings {
    ($of:expr) => {
        ReadingSettings {
            separator: $of.separator.as_ref(),
            encoding: $of.encoding.as_ref(),
            numbers: $of.numbers.as_ref(),
            dates: $of.dates.as_ref(),
        }
    };
}

impl<'a> ReadingSettings<'a> {
    fn or(self, farther: ReadingSettings<'a>) -> ReadingSettings<'a> {
        ReadingSettings {
            separator: self.separator.or(farther.separator),
            encoding: self.encoding.or(farther.encoding),
            numbers: self.numbers.or(farther.numbers),
            dates: self.dates.or(farther.dates),
        }
    }
}

/// Some files of a table: those of `from`, or of one part.
pub struct Files<'a> {
    /// The patterns.
    pub from: &'a Spanned<OneOrMore>,
    /// Patterns of files that do not belong; those of the table and of the part.
    pub leave_out: Vec<&'a Spanned<OneOrMore>>,
    /// How they are written, as far as the plan says.
    pub settings: ReadingSettings<'a>,
}

/// `[tables.NAME.columns]`: one column.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct ColumnEntry {
    /// The name used everywhere else in the plan.
    pub name: Option<Spanned<String>>,
    /// How its values are read.
    #[serde(rename = "type")]
    pub column_type: Option<ColumnType>,
    /// A number that every value is multiplied by: `0.01` turns cents into the currency.
    pub scale: Option<Spanned<Scale>>,
}

/// How the values of a column are read.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum ColumnType {
    /// As written; codes keep their leading zeros.
    Text,
    /// A number without decimal places.
    Integer,
    /// A decimal number.
    Number,
    /// `12.5 %` is 0.125. A number without the sign is not a percent.
    Percent,
    /// `2025-12-31`.
    Date,
    /// `yes` or `no`, `true` or `false`, `y` or `n`, `1` or `0`.
    YesNo,
}

/// A `scale`, written in the plan as a number or as text; kept as text, so that it stays exact.
#[derive(Debug, PartialEq, Eq)]
pub struct Scale(pub String);

/// `valid = { from, until }`: both days belong to the period, a blank end is open.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Valid {
    /// The column with the first day.
    pub from: Spanned<String>,
    /// The column with the last day.
    pub until: Spanned<String>,
}

/// What happens to lookup rows that share a key (and a period) and differ in the columns that the
/// plan uses. Rows that agree in all of them fold into one under every rule.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Duplicates {
    /// The run ends, naming the rows.
    #[default]
    Stop,
    /// The first row holds.
    First,
    /// The last row holds.
    Last,
}

/// `[[link]]`: how a table finds its row in a lookup.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct LinkEntry {
    /// `FROM -> TO [as of DATE]`.
    pub path: Spanned<String>,
    /// A name for the link; without it the lookup's.
    #[serde(rename = "as")]
    pub name: Option<Spanned<String>>,
    /// Differences in the way of writing that do not count.
    #[serde(default)]
    pub ignore: Vec<Ignore>,
    /// What a line without a row gets.
    #[serde(default)]
    pub missing: Missing,
    /// The attributes of such a line, where `missing = "fill"`.
    pub fill: Option<Spanned<InOrder<FillValue>>>,
}

/// A difference in the way a key is written that a link may disregard.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Ignore {
    /// Upper and lower case, by Unicode's full case folding.
    Case,
    /// Full-width, ligature and other compatibility forms (Unicode NFKC).
    Width,
    /// All but letters and digits.
    Punctuation,
    /// Zeros before keys that consist of digits only.
    LeadingZeros,
}

/// What becomes of a line whose key has no row in the lookup, or that has no key.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Missing {
    /// The line stays, its attributes are blank.
    #[default]
    Keep,
    /// The line stays, its attributes are those of `fill`.
    Fill,
    /// The line goes to the set-aside file.
    SetAside,
    /// The run ends, naming the lines.
    Stop,
}

/// One value of `fill`, kept as it is written.
#[derive(Debug, PartialEq, Eq)]
pub struct FillValue(pub String);

/// `[outputs.NAME]`: a file that a run writes.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct OutputEntry {
    /// The file, relative to the plan; its ending says the form.
    pub to: Spanned<String>,
    /// For lines: the columns and their order; `"*"` is the fact's own as they were read.
    pub columns: Option<Vec<Spanned<String>>>,
    /// For totals: the attributes of a row. An empty list gives the grand total.
    pub by: Option<Vec<Spanned<String>>>,
    /// For totals: `lines`, figures and numeric columns of the fact.
    pub show: Option<Vec<Spanned<String>>>,
    /// For totals: the lines that count.
    #[serde(rename = "where")]
    pub filter: Option<Spanned<String>>,
}

impl Plan {
    /// Reads a plan from its text.
    ///
    /// # Errors
    /// The first thing that is not TOML or not part of the language.
    pub fn parse(source: &str) -> Result<Plan, Mistake> {
        let mut plan: Plan = toml::from_str(source).map_err(|error| {
            let mistake = Mistake {
                origin: Origin::Plan,
                span: error.span(),
                message: String::new(),
                help: None,
            };
            entries::worded(mistake, error.message())
        })?;
        plan.source = source.to_owned();
        Ok(plan)
    }

    /// The files of a table, by their settings.
    ///
    /// # Errors
    /// The table has neither `from` nor a part, or both.
    pub fn files<'a>(&'a self, table: &'a Entry<TableEntry>) -> Result<Vec<Files<'a>>, Mistake> {
        let entry = &table.value;
        let own = settings!(entry).or(settings!(self.reading));
        let wrong = |message: &str| Mistake::in_plan(table.name_span.clone(), message);
        match (&entry.from, entry.part.as_slice()) {
            (Some(_), [_, ..]) => Err(wrong("the table has both `from` and parts")
                .help("give every [[tables.….part]] its own `from`, and leave out the table's")),
            (None, []) => Err(wrong("the plan key `from` is missing here")
                .help("it names the file of the table, or a pattern over several")),
            (Some(from), []) => {
                let leave_out = entry.leave_out.iter().collect();
                Ok(vec![Files { from, leave_out, settings: own }])
            }
            (None, parts) => Ok(parts
                .iter()
                .map(|part| {
                    let part = part.get_ref();
                    Files {
                        from: &part.from,
                        leave_out: entry.leave_out.iter().chain(&part.leave_out).collect(),
                        settings: settings!(part).or(own),
                    }
                })
                .collect()),
        }
    }

    /// The columns of a table that the plan takes for text whatever they look like: keys, the columns
    /// of links, and those declared so.
    pub fn text_columns(&self, table: &str) -> BTreeSet<String> {
        let entry = self.tables.get(table).map(|entry| &entry.value);
        let keys = entry.and_then(|entry| entry.key.as_ref()).map(|key| key.get_ref().0.clone());
        let declared =
            entry.into_iter().flat_map(|entry| entry.columns.iter()).filter_map(|column| {
                let name = column.value.name.as_ref().map_or(&column.name, |name| name.get_ref());
                (column.value.column_type == Some(ColumnType::Text)).then(|| name.clone())
            });
        let linked = self.link.iter().filter_map(|link| {
            let path = parse_link_path(&self.written(&link.get_ref().path)).ok()?;
            let ends = [path.from, path.to].into_iter();
            Some(
                ends.filter(|end| end.table.as_deref() == Some(table))
                    .map(|end| end.column)
                    .collect::<Vec<_>>(),
            )
        });
        keys.into_iter().flatten().chain(declared).chain(linked.flatten()).collect()
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

#[cfg(test)]
mod tests {
    use super::*;

    fn mistake(source: &str) -> (String, String, Option<String>) {
        let mistake = Plan::parse(source).unwrap_err();
        let at = mistake.span.map_or("", |span| &source[span]).to_owned();
        (at, mistake.message, mistake.help)
    }

    #[test]
    fn sections_keep_the_order_of_the_plan() {
        let plan = Plan::parse("[figures]\nzeta = '1'\nalpha = '2'\n").unwrap();
        let names: Vec<&str> = plan.figures.iter().map(|e| e.name.as_str()).collect();
        assert_eq!(names, ["zeta", "alpha"]);
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
                "found integer `7`, wanted text or a list of texts",
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
