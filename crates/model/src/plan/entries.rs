//! The plan's own forms of value: sections that keep their order, one or more texts, numbers that
//! stay text; and the wording of what the TOML reader refuses.

use std::collections::HashMap;
use std::fmt;
use std::ops::Range;

use serde::de::{self, Deserialize, Deserializer, MapAccess, SeqAccess, Visitor};
use toml::Spanned;

use super::{Duplicates, FillValue, Mistake, MistakeKind, Repeats, Rule, Scale};
use crate::written::At;

/// One entry of a section.
#[derive(Debug, PartialEq, Eq)]
pub struct Entry<T> {
    /// Its name.
    pub name: String,
    /// Where the name is in the plan.
    pub name_span: Range<usize>,
    /// Its value.
    pub value: T,
    /// Where the value is in the plan.
    pub span: Range<usize>,
}

/// A section with names of the user's choosing, in the order of writing.
#[derive(Debug, PartialEq, Eq)]
pub struct InOrder<T> {
    entries: Vec<Entry<T>>,
    /// The entries by name.
    numbers: HashMap<String, usize>,
}

impl<T> InOrder<T> {
    /// The entries in the order of writing.
    pub fn iter(&self) -> std::slice::Iter<'_, Entry<T>> {
        self.entries.iter()
    }

    fn new(entries: Vec<Entry<T>>) -> InOrder<T> {
        let named = entries.iter().enumerate().rev();
        let numbers = named.map(|(number, entry)| (entry.name.clone(), number)).collect();
        InOrder { entries, numbers }
    }

    /// The entry of that name.
    pub fn get(&self, name: &str) -> Option<&Entry<T>> {
        self.numbers.get(name).map(|number| &self.entries[*number])
    }

    /// The entries in the order of writing, to be changed.
    pub fn iter_mut(&mut self) -> std::slice::IterMut<'_, Entry<T>> {
        self.entries.iter_mut()
    }

    /// Keeps the entries for which that is true.
    pub fn retain(&mut self, keep: impl FnMut(&Entry<T>) -> bool) {
        let mut entries = std::mem::take(&mut self.entries);
        entries.retain(keep);
        *self = InOrder::new(entries);
    }

    /// Whether the section is empty or absent.
    pub fn is_empty(&self) -> bool {
        self.entries.is_empty()
    }
}

impl<'a, T> IntoIterator for &'a InOrder<T> {
    type Item = &'a Entry<T>;
    type IntoIter = std::slice::Iter<'a, Entry<T>>;

    fn into_iter(self) -> Self::IntoIter {
        self.iter()
    }
}

impl<T> Default for InOrder<T> {
    fn default() -> Self {
        InOrder::new(Vec::new())
    }
}

impl<'de, T: Deserialize<'de>> Deserialize<'de> for InOrder<T> {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct Section<T>(std::marker::PhantomData<T>);
        impl<'de, T: Deserialize<'de>> Visitor<'de> for Section<T> {
            type Value = InOrder<T>;

            fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.write_str("a section of names and values")
            }

            fn visit_map<A: MapAccess<'de>>(self, mut map: A) -> Result<InOrder<T>, A::Error> {
                let mut entries = Vec::new();
                while let Some(name) = map.next_key::<Spanned<String>>()? {
                    let value = map.next_value::<Spanned<T>>()?;
                    entries.push(Entry {
                        name_span: name.span(),
                        name: name.into_inner(),
                        span: value.span(),
                        value: value.into_inner(),
                    });
                }
                // The reader hands them over sorted by name.
                entries.sort_by_key(|entry| entry.name_span.start);
                Ok(InOrder::new(entries))
            }
        }
        deserializer.deserialize_map(Section(std::marker::PhantomData))
    }
}

/// One text, or a list of them.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct OneOrMore(pub Vec<String>);

impl<'de> Deserialize<'de> for OneOrMore {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct Texts;
        impl<'de> Visitor<'de> for Texts {
            type Value = OneOrMore;

            fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.write_str("text or a list of texts")
            }

            fn visit_str<E: de::Error>(self, text: &str) -> Result<OneOrMore, E> {
                Ok(OneOrMore(vec![text.to_owned()]))
            }

            fn visit_seq<A: SeqAccess<'de>>(self, mut seq: A) -> Result<OneOrMore, A::Error> {
                let mut texts = Vec::new();
                while let Some(text) = seq.next_element()? {
                    texts.push(text);
                }
                Ok(OneOrMore(texts))
            }
        }
        deserializer.deserialize_any(Texts)
    }
}

/// A scalar of the plan as text. TOML's floats arrive as binary; their shortest text is what was
/// written, for all numbers of up to 15 digits.
struct ScalarText(&'static str);

impl Visitor<'_> for ScalarText {
    type Value = String;

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.0)
    }

    fn visit_str<E: de::Error>(self, text: &str) -> Result<String, E> {
        Ok(text.to_owned())
    }

    fn visit_i64<E: de::Error>(self, number: i64) -> Result<String, E> {
        Ok(number.to_string())
    }

    fn visit_f64<E: de::Error>(self, number: f64) -> Result<String, E> {
        Ok(number.to_string())
    }
}

impl<'de> Deserialize<'de> for Scale {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        deserializer.deserialize_any(ScalarText("a number")).map(Scale)
    }
}

impl<'de> Deserialize<'de> for FillValue {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        deserializer.deserialize_any(ScalarText("text or a number")).map(FillValue)
    }
}

/// A number of bytes: `"64 KB"`, `"16 MB"`, `"4 GB"`, in powers of 1024.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct ByteSize(pub u64);

impl<'de> Deserialize<'de> for ByteSize {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        let text = String::deserialize(deserializer)?;
        let size = |(number, unit): (&str, &str)| {
            let power = ["KB", "MB", "GB"].iter().position(|known| *known == unit)? + 1;
            let number: u64 = number.trim().parse().ok().filter(|number| *number > 0)?;
            number.checked_mul(1 << (10 * power))
        };
        let (number, unit) = text.split_at(text.find(char::is_alphabetic).unwrap_or(0));
        size((number, unit.trim())).map(ByteSize).ok_or_else(|| {
            de::Error::custom(format!(
                "`{text}` is no size: write for instance \"4 GB\" or \"16 MB\""
            ))
        })
    }
}

/// The rules that go with more than a word.
const RULES: [&str; 6] = ["stop", "first", "last", "newest", "largest", "smallest"];

/// A text of the plan that names a rule, or one more choice.
fn rule<'de, D: Deserializer<'de>, T>(
    deserializer: D,
    wrap: impl Fn(Rule) -> T,
    other: (&'static str, T),
) -> Result<T, D::Error> {
    let text = String::deserialize(deserializer)?;
    if text == other.0 {
        return Ok(other.1);
    }
    let valid: Vec<String> =
        RULES.iter().chain([&other.0]).map(|rule| format!("`{rule}`")).collect();
    match Rule::parse(&text) {
        Some(rule) => Ok(wrap(rule)),
        None if RULES[3..].contains(&text.trim()) => {
            Err(de::Error::custom(format!("`{text}` names no column: write \"{text} COLUMN\"")))
        }
        None => {
            // The first word is what was mistaken.
            let word = text.split(' ').next().unwrap_or_default();
            Err(de::Error::custom(format!("unknown variant `{word}`, one of {}", valid.join(", "))))
        }
    }
}

impl<'de> Deserialize<'de> for Duplicates {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        rule(deserializer, Duplicates::Rule, ("blank", Duplicates::Blank))
    }
}

impl<'de> Deserialize<'de> for Repeats {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        rule(deserializer, Repeats::Rule, ("keep", Repeats::Keep))
    }
}

/// Plan keys that have a new name.
const RENAMED: [(&str, &str); 3] =
    [("heading-row", "header-row"), ("stake", "weigh-by"), ("unreached", "not-shared")];

/// Puts what the TOML reader says into our words. Serde's messages for unknown names list the valid
/// ones in backticks, the unknown one first.
pub(super) fn worded(at: At, message: &str) -> Mistake {
    let quoted: Vec<&str> = message.split('`').skip(1).step_by(2).collect();
    let (found, valid) = match quoted.split_first() {
        Some((found, valid)) => (*found, valid.to_vec()),
        None => ("", Vec::new()),
    };
    let about = |kind: MistakeKind, words: String| at.clone().mistake(kind, words);
    if let Some((_, now)) = RENAMED.iter().find(|(before, _)| *before == found)
        && message.starts_with("unknown field")
    {
        let words = format!("the plan key `{found}` is now called `{now}`");
        about(MistakeKind::UnknownKey, words).help(format!("write `{now}`"))
    } else if message.starts_with("unknown field") {
        let words = format!("there is no plan key `{found}` here");
        about(MistakeKind::UnknownKey, words).nearest(found, valid)
    } else if message.starts_with("unknown variant") {
        let words = format!("`{found}` is not one of the choices here");
        about(MistakeKind::WrongValue, words).nearest(found, valid)
    } else if message.starts_with("missing field") {
        about(MistakeKind::MissingSetting, format!("the plan key `{found}` is missing here"))
    } else if let Some((what, wanted)) = message
        .strip_prefix("invalid type: ")
        .or_else(|| message.strip_prefix("invalid value: "))
        .and_then(|rest| rest.split_once(", expected "))
    {
        let (what, wanted) = (kind_worded(what), kind_worded(wanted));
        about(MistakeKind::WrongValue, format!("found {what}, wanted {wanted}"))
    } else {
        about(MistakeKind::Syntax, message.lines().collect::<Vec<_>>().join(", "))
    }
}

/// The kinds of TOML values as people call them.
fn kind_worded(serde: &str) -> String {
    let kinds = [
        ("string ", "the text "),
        ("integer ", "the number "),
        ("floating point ", "the number "),
        ("boolean ", ""),
        ("a sequence", "a list, as in [\"a\", \"b\"]"),
        ("sequence", "a list"),
        ("a map", "keys in braces"),
        ("map", "keys in braces"),
        ("a string", "a text in quotes"),
        ("a boolean", "true or false"),
    ];
    let known = kinds.iter().find_map(|(serde_kind, own)| {
        let rest = serde.strip_prefix(serde_kind)?;
        Some(format!("{own}{rest}"))
    });
    known.unwrap_or_else(|| serde.to_owned())
}
