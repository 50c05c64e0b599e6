//! A column of an output as the plan writes it: a formula, alone or with more.

use std::fmt;

use serde::de::{self, Deserialize, Deserializer, MapAccess, Visitor};
use toml::Spanned;

use super::ShownAs;

/// A column of an output of lines.
#[derive(Debug)]
pub struct OutputColumnEntry {
    /// The formula, where it is written in a table; else the entry is the formula.
    value: Option<Spanned<String>>,
    /// The entry, where it is the formula alone.
    text: String,
    /// What the column is called; as its formula, where it is none.
    pub name: Option<String>,
    /// How it is shown, in forms that have a way of showing.
    pub shown: Option<ShownAs>,
    /// The decimal places of a typed column.
    pub places: Option<u8>,
}

impl OutputColumnEntry {
    /// The formula with its place in the plan.
    pub fn formula(entry: &Spanned<OutputColumnEntry>) -> Spanned<String> {
        let own = entry.get_ref();
        own.value.clone().unwrap_or_else(|| Spanned::new(entry.span(), own.text.clone()))
    }
}

impl<'de> Deserialize<'de> for OutputColumnEntry {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        /// The keys of a column that is written as a table.
        #[derive(serde::Deserialize)]
        #[serde(deny_unknown_fields)]
        struct ColumnKeys {
            value: Spanned<String>,
            name: Option<String>,
            shown: Option<ShownAs>,
            places: Option<u8>,
        }
        struct TextOrTable;
        impl<'de> Visitor<'de> for TextOrTable {
            type Value = OutputColumnEntry;

            fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.write_str("a formula, or a table with a formula under `value`")
            }

            fn visit_str<E: de::Error>(self, text: &str) -> Result<OutputColumnEntry, E> {
                let text = text.to_owned();
                Ok(OutputColumnEntry { value: None, text, name: None, shown: None, places: None })
            }

            fn visit_map<A: MapAccess<'de>>(self, map: A) -> Result<OutputColumnEntry, A::Error> {
                let keys = ColumnKeys::deserialize(de::value::MapAccessDeserializer::new(map))?;
                let ColumnKeys { value, name, shown, places } = keys;
                let text = String::new();
                Ok(OutputColumnEntry { value: Some(value), text, name, shown, places })
            }
        }
        deserializer.deserialize_any(TextOrTable)
    }
}
