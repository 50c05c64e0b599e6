//! `[[link]]`: how a table finds its row in a lookup.

use std::fmt;

use serde::Deserialize;
use serde::de::{Deserializer, MapAccess, SeqAccess, Visitor};
use toml::Spanned;

use super::{FillValue, InOrder, OneOrMore};

/// `[[link]]`: how a table finds its row in a lookup.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct LinkEntry {
    /// `FROM -> TO [as of DATE]`.
    pub path: Spanned<String>,
    /// A name for the link; without it the lookup's.
    #[serde(rename = "as")]
    pub name: Option<Spanned<String>>,
    /// What stands between several candidates in one cell.
    pub split: Option<Spanned<String>>,
    /// Which differences in the way of writing keys count.
    #[serde(default, rename = "match")]
    pub matching: Matching,
    /// Differences in the way of writing that do not count.
    pub ignore: Option<Spanned<IgnoreEntry>>,
    /// A condition; lines for which it does not hold need no row.
    pub when: Option<Spanned<String>>,
    /// Columns of the lookup that a row must have a value in to be taken.
    pub needs: Option<Spanned<OneOrMore>>,
    /// What a line without a row gets.
    #[serde(default)]
    pub missing: Missing,
    /// The attributes of such a line, where `missing = "fill"`.
    pub fill: Option<Spanned<InOrder<FillValue>>>,
}

/// How keys are compared.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Matching {
    /// As written; else without stray spaces; else without what `ignore` names.
    #[default]
    Cleaned,
    /// As written only.
    AsWritten,
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

impl Ignore {
    /// The word for it in a plan.
    pub fn word(self) -> &'static str {
        match self {
            Ignore::Case => "case",
            Ignore::Width => "width",
            Ignore::Punctuation => "punctuation",
            Ignore::LeadingZeros => "leading-zeros",
        }
    }
}

/// `ignore`: for all columns of the key, or by column of the lookup.
#[derive(Debug, PartialEq, Eq)]
pub enum IgnoreEntry {
    /// `["case"]`.
    All(Vec<Ignore>),
    /// `{ pass = ["case"] }`.
    ByColumn(Vec<(String, Vec<Ignore>)>),
}

impl<'de> Deserialize<'de> for IgnoreEntry {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct ListOrTable;
        impl<'de> Visitor<'de> for ListOrTable {
            type Value = IgnoreEntry;

            fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.write_str("a list of differences, or one for each column")
            }

            fn visit_seq<A: SeqAccess<'de>>(self, mut seq: A) -> Result<IgnoreEntry, A::Error> {
                let mut all = Vec::new();
                while let Some(ignore) = seq.next_element()? {
                    all.push(ignore);
                }
                Ok(IgnoreEntry::All(all))
            }

            fn visit_map<A: MapAccess<'de>>(self, mut map: A) -> Result<IgnoreEntry, A::Error> {
                let mut columns = Vec::new();
                while let Some(entry) = map.next_entry()? {
                    columns.push(entry);
                }
                Ok(IgnoreEntry::ByColumn(columns))
            }
        }
        deserializer.deserialize_any(ListOrTable)
    }
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
    /// The same as `keep`, and nothing to speak of.
    Normal,
    /// The line goes to the set-aside file.
    SetAside,
    /// The run ends, naming the lines.
    Stop,
}
