//! `[[link]]`: how a table is linked to its row in a lookup.

use std::collections::BTreeMap;
use std::fmt;

use serde::Deserialize;
use serde::de::{Deserializer, MapAccess, SeqAccess, Visitor};
use toml::Spanned;

use super::{FillValue, InOrder, LinkPath, OneOrMore, Plan, parse_link_path};

/// `[[link]]`: how a table is linked to its row in a lookup.
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
    /// What a line gets on a day on which no row of its key holds.
    pub gap: Option<Spanned<Gaps>>,
    /// What a line gets on a day on which several rows of its key hold.
    pub overlap: Option<Spanned<Overlap>>,
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

/// What a line gets on a day on which no row of its key holds.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum GapRule {
    /// No row.
    #[default]
    Blank,
    /// The row whose period ended last before the day.
    Earlier,
    /// The row whose period starts first after the day.
    Later,
    /// The one of these two that is nearer; of equal ones the earlier.
    Nearest,
    /// None, and the run ends.
    Stop,
}

/// The rules for days without a row: before the first period of a key, between two, after the last.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Gaps {
    /// Before the first.
    pub before: GapRule,
    /// Between two.
    pub between: GapRule,
    /// After the last.
    pub after: GapRule,
    /// Over how many days at most.
    pub days: Option<u32>,
}

impl Gaps {
    /// Whether a day without a row may end the run.
    pub fn may_stop(&self) -> bool {
        [self.before, self.between, self.after].contains(&GapRule::Stop)
    }
}

impl<'de> Deserialize<'de> for Gaps {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        /// The keys of gaps that are written as a table.
        #[derive(Deserialize)]
        #[serde(deny_unknown_fields)]
        struct LinkKeys {
            #[serde(default)]
            before: GapRule,
            #[serde(default)]
            between: GapRule,
            #[serde(default)]
            after: GapRule,
            days: Option<u32>,
        }
        struct WordOrTable;
        impl<'de> Visitor<'de> for WordOrTable {
            type Value = Gaps;

            fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.write_str("one of blank, earlier, later, nearest, stop, or a table of these")
            }

            fn visit_str<E: serde::de::Error>(self, word: &str) -> Result<Gaps, E> {
                let rule = GapRule::deserialize(serde::de::value::StrDeserializer::new(word))?;
                Ok(Gaps { before: rule, between: rule, after: rule, days: None })
            }

            fn visit_map<A: MapAccess<'de>>(self, map: A) -> Result<Gaps, A::Error> {
                let keys =
                    LinkKeys::deserialize(serde::de::value::MapAccessDeserializer::new(map))?;
                let LinkKeys { before, between, after, days } = keys;
                Ok(Gaps { before, between, after, days })
            }
        }
        deserializer.deserialize_any(WordOrTable)
    }
}

/// What a line gets on a day on which several rows of its key hold.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Overlap {
    /// None, and the run ends.
    #[default]
    Stop,
    /// None.
    Blank,
    /// The row whose period started last; of equal ones the last row.
    LatestStart,
    /// The first of the rows.
    First,
    /// The last of the rows.
    Last,
}

/// The tables and columns that the paths of links name.
#[derive(Debug, Default)]
pub(super) struct LinkEnds {
    /// By the name of a link, the table that it leads to.
    pub(super) named: BTreeMap<String, String>,
    /// By table, the columns that keys are taken from or found in.
    pub(super) columns: BTreeMap<String, Vec<String>>,
}

impl LinkEnds {
    fn of(plan: &Plan) -> LinkEnds {
        let path =
            |link: &Spanned<LinkEntry>| parse_link_path(&plan.written(&link.get_ref().path)).ok();
        let paths: Vec<Option<LinkPath>> = plan.link.iter().map(path).collect();
        let mut ends = LinkEnds::default();
        for (link, path) in plan.link.iter().zip(&paths) {
            if let (Some(name), Some(path)) = (&link.get_ref().name, path) {
                ends.named.entry(name.get_ref().clone()).or_insert(path.to_table().to_owned());
            }
        }
        for path in paths.iter().flatten() {
            for end in path.parts().chain(&path.to) {
                let Some(name) = end.through.last() else { continue };
                let table = match plan.tables.get(name) {
                    Some(table) => &table.name,
                    None => match ends.named.get(name) {
                        Some(table) => table,
                        None => continue,
                    },
                };
                ends.columns.entry(table.clone()).or_default().push(end.column.clone());
            }
        }
        ends
    }
}

impl Plan {
    /// What the paths of its links name; those that cannot be read name nothing.
    pub(super) fn link_ends(&self) -> &LinkEnds {
        self.ends.get_or_init(|| LinkEnds::of(self))
    }
}
