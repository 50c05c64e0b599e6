//! What is in a column: its type and how sure that is, blanks, distinct values, the smallest and the
//! largest, whether it could be a key.
//!
//! Counts are exact. Distinct values are counted exactly up to a limit, and estimated beyond it with a
//! standard error of less than 1 %. Profiles of parts of a column are merged in any order to the same
//! result.

mod looks;
mod sketch;
mod values;

use std::borrow::Cow;

use arrow_array::{Array, StringViewArray};
use interligo_model::plan::ColumnType;
use interligo_model::reading::style::Style;
use interligo_model::values::amount;
use interligo_model::values::column::is_blank_text;

use looks::Looks;
use values::Values;

/// The distinct values that are counted exactly, over all columns of a table.
const KEPT: usize = 4_000_000;

/// How many distinct values of a column are counted exactly in a table of this many columns.
pub fn limit(columns: usize) -> usize {
    (KEPT / columns.max(1)).clamp(500, 100_000)
}

/// How the texts of a column are written, where that is not as outputs are.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct WrittenAs {
    /// What they are.
    pub column_type: ColumnType,
    /// The style of their file.
    pub style: Style,
}

/// What is in a column, as it grows.
pub struct ColumnProfile {
    rows: u64,
    /// How the values are written that are kept; one value must not count twice for being written in two
    /// ways. They are made plain when there are too many to keep, or to bring parts together.
    kept_as: Option<WrittenAs>,
    /// How the texts are written that come.
    comes_as: Option<WrittenAs>,
    limit: usize,
    values: Values,
    /// Of values that are not kept.
    further: Looks,
    /// The first value that is not blank, with its place in the table.
    first: Option<(u64, String)>,
}

/// How many distinct values there are.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Distinct {
    /// This many.
    Exactly(u64),
    /// About this many; the standard error is less than 1 %.
    About(u64),
}

impl Distinct {
    /// The number.
    pub fn count(self) -> u64 {
        match self {
            Distinct::Exactly(count) | Distinct::About(count) => count,
        }
    }
}

/// Whether a column could be the key of its table.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum CouldBeKey {
    /// Every row has a value, and none has that of another.
    Yes,
    /// As far as an estimate can tell.
    Perhaps,
    /// It cannot.
    No,
}

/// What is in a column.
#[derive(Clone, Debug, PartialEq)]
pub struct ColumnSummary {
    /// The type that its values have, or most of them.
    pub column_type: ColumnType,
    /// Rows.
    pub rows: u64,
    /// Rows without a value.
    pub blank: u64,
    /// Rows whose value has the type.
    pub fitting: u64,
    /// Distinct values.
    pub distinct: Distinct,
    /// The smallest value, as outputs write it.
    pub smallest: String,
    /// The largest.
    pub largest: String,
    /// The first value that is not blank, as it is written in the file.
    pub example: String,
    /// Whether it could be a key.
    pub key: CouldBeKey,
}

impl ColumnProfile {
    /// Nothing yet; up to `limit` distinct values are kept.
    pub fn new(limit: usize, written: Option<WrittenAs>) -> ColumnProfile {
        ColumnProfile {
            rows: 0,
            kept_as: written,
            comes_as: written,
            limit,
            values: Values::new(limit),
            further: Looks::default(),
            first: None,
        }
    }

    /// Adds the texts of a stretch of the column that begins at row `at` of the table.
    pub fn add(&mut self, texts: &StringViewArray, at: u64) {
        self.rows += texts.len() as u64;
        if self.first.as_ref().is_none_or(|(first, _)| at < *first) {
            let filled = (0..texts.len()).find(|row| !is_blank_text(texts.value(*row)));
            if let Some(row) = filled {
                self.first = Some((at + row as u64, texts.value(row).trim().to_owned()));
            }
        }
        if self.kept_as.is_some() && self.values.len() + texts.len() > self.limit {
            self.make_plain();
        }
        let plain = match (self.kept_as, self.comes_as) {
            (None, Some(written)) => plain(texts, written),
            _ => texts.clone(),
        };
        if let Some(further) = self.values.add_all(&plain) {
            self.further.add_all(&further);
        }
    }

    /// Keeps values as outputs write them.
    pub fn make_plain(&mut self) {
        let Some(written) = self.kept_as.take() else { return };
        let raw = std::mem::replace(&mut self.values, Values::new(self.limit));
        self.values.reserve(&raw);
        for (text, count) in raw.iter() {
            let plain = plain_text(text.trim(), written);
            let further = &mut self.further;
            self.values.add(plain.as_deref().unwrap_or(&text), count, |text, times| {
                further.add(text, times);
            });
        }
    }

    /// Adds another part of the column; both keep their values as outputs write them.
    pub fn merge(&mut self, other: &ColumnProfile) {
        debug_assert!(self.kept_as.is_none() && other.kept_as.is_none());
        self.rows += other.rows;
        let further = &mut self.further;
        self.values.merge(&other.values, |text, times| further.add(text, times));
        self.further.merge(&other.further);
        if let Some((at, _)) = &other.first
            && self.first.as_ref().is_none_or(|(first, _)| at < first)
        {
            self.first.clone_from(&other.first);
        }
    }

    /// What is in the column. `declared` is the type that the plan says.
    pub fn summary(&self, declared: Option<ColumnType>) -> ColumnSummary {
        let mut looks = self.further.clone();
        let mut distinct = 0;
        for (text, times) in self.values.iter() {
            looks.add(&text, times);
            distinct += u64::from(!is_blank_text(&text));
        }
        let distinct = match self.values.estimate() {
            Some(estimate) => Distinct::About(estimate),
            None => Distinct::Exactly(distinct),
        };
        let column_type = declared.unwrap_or_else(|| looks.evidence.mostly());
        let range = match column_type {
            ColumnType::Number | ColumnType::Integer | ColumnType::Percent => {
                looks.numbers.0.map(|(a, b)| (a.to_string(), b.to_string()))
            }
            ColumnType::Date => looks.dates.0.map(|(a, b)| (a.to_string(), b.to_string())),
            ColumnType::Text | ColumnType::YesNo => looks.texts(),
        };
        let (smallest, largest) = range.unwrap_or_default();
        ColumnSummary {
            column_type,
            rows: self.rows,
            blank: looks.blank,
            fitting: looks.evidence.fitting(column_type) as u64,
            key: could_be_key(self.rows, looks.blank, distinct),
            distinct,
            smallest,
            largest,
            example: self.first.as_ref().map_or(String::new(), |(_, text)| text.clone()),
        }
    }

    /// The distinct values with their counts, those with the most rows first; how many rows have values
    /// that are not kept comes with them.
    pub fn values(&self) -> (Vec<(Cow<'_, str>, u64)>, u64) {
        let mut values: Vec<_> =
            self.values.iter().filter(|(text, _)| !is_blank_text(text)).collect();
        values.sort_by(|a, b| b.1.cmp(&a.1).then_with(|| a.0.cmp(&b.0)));
        (values, self.further.evidence.filled as u64)
    }
}

fn could_be_key(rows: u64, blank: u64, distinct: Distinct) -> CouldBeKey {
    match distinct {
        _ if blank > 0 || rows == 0 => CouldBeKey::No,
        Distinct::Exactly(count) if count == rows => CouldBeKey::Yes,
        Distinct::About(count) if count * 100 >= rows * 97 => CouldBeKey::Perhaps,
        _ => CouldBeKey::No,
    }
}

impl WrittenAs {
    /// How texts are written, unless it is as outputs are.
    pub fn other_than_outputs(column_type: ColumnType, style: Style) -> Option<WrittenAs> {
        let usual = Style::default();
        let other = match column_type {
            // 20, 20.0 and 20.00 are one number.
            ColumnType::Number | ColumnType::Integer => true,
            ColumnType::Date => style.dates != usual.dates,
            ColumnType::Percent => true,
            ColumnType::Text | ColumnType::YesNo => false,
        };
        other.then_some(WrittenAs { column_type, style })
    }
}

/// A text as outputs write it: numbers as 1234.56, percents as 12.5 %, days as 2025-12-31; none when it
/// cannot be read.
fn plain_text(text: &str, written: WrittenAs) -> Option<String> {
    let WrittenAs { column_type, style } = written;
    let number =
        |text: &str| Some(amount::read(text, style.numbers)?.number.trimmed(0).to_string());
    match column_type {
        ColumnType::Number | ColumnType::Integer => number(text),
        ColumnType::Percent => text.strip_suffix('%').and_then(number).map(|share| share + " %"),
        ColumnType::Date => style.dates.read(text).map(|day| day.to_string()),
        ColumnType::Text | ColumnType::YesNo => None,
    }
}

/// Whether a text is a whole number as outputs write it, in every style of numbers.
fn is_plain_whole(text: &str) -> bool {
    let digits = text.strip_prefix('-').unwrap_or(text).as_bytes();
    let starts = matches!(digits, [b'1'..=b'9', ..] | [b'0']);
    starts && text != "-0" && digits.iter().all(u8::is_ascii_digit)
}

/// The texts of a column as outputs write them. What cannot be read stays.
fn plain(texts: &StringViewArray, written: WrittenAs) -> StringViewArray {
    let numbers = matches!(written.column_type, ColumnType::Number | ColumnType::Integer);
    if numbers && texts.iter().flatten().all(is_plain_whole) {
        return texts.clone();
    }
    let text = |text: &str| plain_text(text.trim(), written).unwrap_or_else(|| text.to_owned());
    StringViewArray::from_iter_values(texts.iter().flatten().map(text))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use std::collections::BTreeMap;

    fn profile(texts: &[&str]) -> ColumnSummary {
        let mut profile = ColumnProfile::new(100, None);
        profile.add(&StringViewArray::from(texts.to_vec()), 0);
        profile.summary(None)
    }

    #[test]
    fn a_column_is_summed_up() {
        // One typing error among twenty does not make a column of numbers one of text.
        let found = profile(&[&["10", "", "x", "12"][..], &["9.5"; 18]].concat());
        assert_eq!(found.column_type, ColumnType::Number);
        assert_eq!((found.rows, found.blank, found.fitting), (22, 1, 20));
        assert_eq!(found.distinct, Distinct::Exactly(4));
        assert_eq!((found.smallest.as_str(), found.largest.as_str()), ("9.5", "12"));
        assert_eq!((found.example.as_str(), found.key), ("10", CouldBeKey::No));
        let codes = profile(&["007", "12", "8"]);
        assert_eq!((codes.column_type, codes.key), (ColumnType::Text, CouldBeKey::Yes));
        let days = profile(&["2025-03-01", "2024-12-31"]);
        assert_eq!((days.column_type, days.smallest.as_str()), (ColumnType::Date, "2024-12-31"));
        let shares = profile(&["5 %", "12.5%", "0"]);
        assert_eq!((shares.column_type, shares.largest.as_str()), (ColumnType::Percent, "0.125"));
        assert_eq!(profile(&["", " "]).blank, 2);
    }

    #[test]
    fn one_value_counts_once_however_it_is_written() {
        let numbers =
            interligo_model::reading::style::NumberStyle::from_sample("1.234,56").unwrap();
        let style = Style { numbers, ..Style::default() };
        for (column_type, plain, other, distinct) in [
            (ColumnType::Number, ["1234.5", "x"], ["1.234,50", "x"], 2),
            (ColumnType::Number, ["20", "20.0"], ["20,00", "-0"], 2),
            (ColumnType::Percent, ["12.5 %", "0"], ["12,50%", "5 %"], 3),
            (ColumnType::Text, ["1.5", "y"], ["1,5", "y"], 3),
        ] {
            for limit in [1, 100] {
                let part = |texts: [&str; 2], style: Style, at: u64| {
                    let written = WrittenAs::other_than_outputs(column_type, style);
                    let mut profile = ColumnProfile::new(limit, written);
                    profile.add(&StringViewArray::from(texts.to_vec()), at);
                    profile.make_plain();
                    profile
                };
                let mut both = part(plain, Style::default(), 0);
                both.merge(&part(other, style, 2));
                let summary = both.summary(Some(column_type));
                assert_eq!(summary.distinct.count(), distinct, "{plain:?} {limit}");
                assert_eq!(summary.rows, 4);
            }
        }
    }

    proptest! {
        #[test]
        fn prop_parts_in_any_order_give_the_same(
            texts in prop::collection::vec("[0-9]{1,3}|[a-z ]{0,14}", 1..60), cut in 0usize..60, limit in 3usize..80,
        ) {
            let views: Vec<&str> = texts.iter().map(String::as_str).collect();
            let cut = cut.min(views.len());
            let part = |texts: &[&str], at: usize| {
                let mut profile = ColumnProfile::new(limit, None);
                profile.add(&StringViewArray::from(texts.to_vec()), at as u64);
                profile
            };
            let mut forward = part(&views[..cut], 0);
            forward.merge(&part(&views[cut..], cut));
            let mut backward = part(&views[cut..], cut);
            backward.merge(&part(&views[..cut], 0));
            let whole = part(&views, 0);
            prop_assert_eq!(forward.summary(None), whole.summary(None));
            prop_assert_eq!(backward.summary(None), whole.summary(None));
            if texts.len() <= limit {
                let mut counts: BTreeMap<&str, u64> = BTreeMap::new();
                views.iter().filter(|t| !t.trim().is_empty()).for_each(|t| *counts.entry(t).or_default() += 1);
                let found: BTreeMap<String, u64> =
                    whole.values().0.into_iter().map(|(t, n)| (t.into_owned(), n)).collect();
                prop_assert!(found.iter().map(|(t, n)| (t.as_str(), *n)).eq(counts));
            }
        }
    }
}
