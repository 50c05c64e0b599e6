//! Figures, bands and shared attributes as the plan writes them.

use std::fmt;

use serde::de::{self, Deserialize, Deserializer, MapAccess, Visitor};
use toml::Spanned;

use super::Scale;
use crate::values::decimal::Rounding;
/// A figure: its formula, alone or with more.
#[derive(Debug)]
pub struct FigureEntry {
    /// The formula, with its place in the plan.
    pub formula: Spanned<String>,
    /// The fact that it belongs to.
    pub of: Option<Spanned<String>>,
    /// The places that it is rounded to, on each line.
    pub round: Option<Spanned<u8>>,
    /// What becomes of halves.
    pub rounding: Option<Spanned<Rounding>>,
    /// What its total is.
    pub totals: Option<TotalRule>,
    /// How it is shown.
    pub shown: Option<ShownAs>,
}

/// What the total of a figure is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, serde::Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum TotalRule {
    /// The sum of its lines.
    Sum,
    /// Its formula over the totals of what it is made of.
    Again,
    /// The sum by the number of lines on which it is known.
    Average,
    /// The largest value of a line.
    Largest,
    /// The smallest value of a line.
    Smallest,
    /// It has none.
    None,
}

/// How a figure is shown; never its value.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct ShownAs {
    /// As what.
    pub form: ShownForm,
    /// With how many decimal places; the usual ones if none are reported.
    pub places: Option<u8>,
}

/// As what a figure is shown.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ShownForm {
    /// An amount of money.
    Money,
    /// A share, multiplied by a hundred.
    Percent,
    /// A plain number.
    Number,
}

/// `[bands.NAME]`: ranges of a number.
#[derive(Debug, serde::Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct BandEntry {
    /// The formula of the number.
    pub of: Spanned<String>,
    /// Where one range ends and the next begins.
    pub edges: Spanned<Vec<Scale>>,
    /// The names of the ranges, one more than edges.
    pub names: Option<Spanned<Vec<String>>>,
    /// To which range an edge itself belongs.
    #[serde(default)]
    pub included: Included,
}

impl<'de> Deserialize<'de> for ShownAs {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        const FORMS: [(&str, ShownForm); 3] = [
            ("money", ShownForm::Money),
            ("percent", ShownForm::Percent),
            ("number", ShownForm::Number),
        ];
        let text = String::deserialize(deserializer)?;
        let mut words = text.split_whitespace();
        let word = words.next().unwrap_or_default();
        let known = FORMS.iter().find(|(name, _)| *name == word);
        let Some((_, form)) = known else {
            return Err(de::Error::unknown_variant(word, &["money", "percent", "number"]));
        };
        let places = match (words.next().map(str::parse::<u8>), words.next()) {
            (None, _) => None,
            (Some(Ok(places)), None) if places <= 20 => Some(places),
            _ => {
                return Err(de::Error::custom(format!(
                    "`{text}` lacks the number of decimal places: write for instance \"{word} 2\""
                )));
            }
        };
        Ok(ShownAs { form: *form, places })
    }
}

impl<'de> Deserialize<'de> for FigureEntry {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        /// The keys of a figure that is written as a table.
        #[derive(serde::Deserialize)]
        #[serde(deny_unknown_fields)]
        struct FigureKeys {
            formula: Spanned<String>,
            of: Option<Spanned<String>>,
            round: Option<Spanned<u8>>,
            rounding: Option<Spanned<Rounding>>,
            totals: Option<TotalRule>,
            shown: Option<ShownAs>,
        }
        struct TextOrTable;
        impl<'de> Visitor<'de> for TextOrTable {
            type Value = FigureEntry;

            fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.write_str("a formula, or a table with a formula")
            }

            fn visit_str<E: de::Error>(self, text: &str) -> Result<FigureEntry, E> {
                Ok(FigureEntry {
                    // The place is that of the entry, which is put in afterwards.
                    formula: Spanned::new(0..0, text.to_owned()),
                    of: None,
                    round: None,
                    rounding: None,
                    totals: None,
                    shown: None,
                })
            }

            fn visit_map<A: MapAccess<'de>>(self, map: A) -> Result<FigureEntry, A::Error> {
                let keys = FigureKeys::deserialize(de::value::MapAccessDeserializer::new(map))?;
                let FigureKeys { formula, of, round, rounding, totals, shown } = keys;
                Ok(FigureEntry { formula, of, round, rounding, totals, shown })
            }
        }
        deserializer.deserialize_any(TextOrTable)
    }
}

/// The range that a number belongs to which is an edge itself.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, serde::Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Included {
    /// The range that begins there.
    #[default]
    Lower,
    /// The range that ends there.
    Upper,
}
