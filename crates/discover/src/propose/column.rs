//! A column as far as it was seen: what kind of values it has, how many, and which.

use std::collections::HashSet;

use arrow_array::{Array, StringViewArray};
use interligo_engine::keys::{Found as Match, KeyForm, KeyIndex, KeyTable};
use interligo_model::plan::{ColumnType, Ignore};
use interligo_model::reading::evidence::Evidence;
use interligo_model::values::date::Day;

use super::words::Words;

/// What kind of values a column has.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Kind {
    /// No value at all.
    Empty,
    /// Whole numbers.
    Whole,
    /// Numbers with decimal places, or percents.
    Measure,
    /// Days.
    Day,
    /// Short texts: codes, words.
    Code,
    /// Long texts: names, remarks.
    Prose,
}

/// A column of a table that was seen.
pub struct SeenColumn {
    /// Its name.
    pub name: String,
    /// Its texts, row by row.
    pub texts: StringViewArray,
    /// What they look like.
    pub evidence: Evidence,
}

/// What is known of a column.
pub(super) struct Traits {
    pub(super) words: Words,
    pub(super) kind: Kind,
    /// The values without stray spaces, each once, in the order in which they came.
    pub(super) values: Vec<String>,
    /// How many rows have each.
    pub(super) counts: Vec<u32>,
    pub(super) filled: usize,
    pub(super) rows: usize,
    /// Of whole numbers, the smallest and the largest.
    range: Option<(i64, i64)>,
}

/// How many of the values of a column are found in another.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Fit {
    /// Distinct values.
    pub values: usize,
    /// Of these, found.
    pub found: usize,
    /// Rows with a value.
    pub rows: usize,
    /// Of these, with a value that is found.
    pub found_rows: usize,
    /// How many different values of the other column were found.
    pub used: usize,
    /// What must be ignored to find them.
    pub ignore: Vec<Ignore>,
}

impl Fit {
    /// The share of the distinct values that are found, in percent.
    pub fn share(&self) -> u32 {
        (self.found * 100).checked_div(self.values).unwrap_or(0) as u32
    }

    /// The share of the rows.
    pub fn row_share(&self) -> u32 {
        (self.found_rows * 100).checked_div(self.rows).unwrap_or(0) as u32
    }
}

/// Values beyond this many are not compared one by one.
const COMPARED: usize = 50_000;

/// How many values are tried first.
const TRIED: usize = 64;

impl Traits {
    pub(super) fn of(column: &SeenColumn) -> Traits {
        let mut table = KeyTable::with_capacity(64);
        let (mut values, mut counts): (Vec<String>, Vec<u32>) = (Vec::new(), Vec::new());
        let mut filled = 0;
        for text in column.texts.iter().flatten().map(str::trim).filter(|text| !text.is_empty()) {
            filled += 1;
            match table.insert(text, values.len() as u32) {
                Some(known) => counts[known as usize] += 1,
                None => {
                    values.push(text.to_owned());
                    counts.push(1);
                }
            }
        }
        let whole: Option<Vec<i64>> = values.iter().map(|value| value.parse().ok()).collect();
        let range = whole.as_ref().and_then(|all| Some((*all.iter().min()?, *all.iter().max()?)));
        let letters: usize = values.iter().map(|value| value.chars().count()).sum();
        let spaces = values.iter().filter(|value| value.contains(' ')).count();
        let kind = match column.evidence.mostly() {
            _ if filled == 0 => Kind::Empty,
            ColumnType::Date => Kind::Day,
            ColumnType::Number if range.is_some() => Kind::Whole,
            ColumnType::Number | ColumnType::Percent | ColumnType::Integer => Kind::Measure,
            _ if range.is_some() => Kind::Whole,
            _ if letters > values.len() * 24 || spaces * 2 > values.len() => Kind::Prose,
            _ => Kind::Code,
        };
        let words = Words::of(&column.name);
        Traits { words, kind, values, counts, filled, rows: column.texts.len(), range }
    }

    /// How many of a hundred rows have a value of their own.
    pub(super) fn uniqueness(&self) -> usize {
        (self.values.len() * 100).checked_div(self.rows).unwrap_or(0)
    }

    /// Whether every row has a value of its own.
    pub(super) fn is_unique(&self) -> bool {
        self.rows > 0 && self.values.len() == self.rows
    }

    /// Whether it has a day for each row and leaves few out, as a calendar does; days on which rows were changed do not.
    pub(super) fn is_calendar(&self) -> bool {
        let days = self.values.iter().filter_map(|value| Day::parse(value.as_bytes()));
        let (first, last) = days
            .fold((i32::MAX, i32::MIN), |(first, last), day| (first.min(day.0), last.max(day.0)));
        let span = i64::from(last) - i64::from(first) + 1;
        self.is_unique() && span <= 2 * self.values.len() as i64
    }

    /// Whether its values are whole numbers that leave few gaps, or days: others fall among them by chance.
    pub(super) fn is_dense(&self) -> bool {
        match (self.kind, self.range) {
            (Kind::Day, _) => true,
            (Kind::Whole, Some((low, high))) => {
                let span = high.abs_diff(low).saturating_add(1);
                // Digits with zeros before them are codes.
                let padded =
                    self.values.iter().any(|value| value.len() > 1 && value.starts_with('0'));
                !padded && (span <= 4 * self.values.len() as u64 || high < 100)
            }
            _ => false,
        }
    }

    /// Whether its whole numbers have three digits and more, as numbers of customers have and counts mostly have not.
    pub(super) fn is_large(&self) -> bool {
        self.range.is_some_and(|(low, _)| low >= 100)
    }

    /// Whether some of its first values are among those of another column.
    pub(super) fn shares_values(&self, other: &Traits) -> bool {
        let known: HashSet<&str> = other.values.iter().map(String::as_str).collect();
        self.values.iter().take(COMPARED).any(|value| known.contains(value.as_str()))
    }

    /// How many of its values another column has.
    pub(super) fn fit(&self, other: &Domain) -> Fit {
        // Where none of the first values is there in any way of writing, none is looked for.
        let tried = self.values.iter().take(TRIED);
        if !tried.clone().any(|value| other.has(value, true)) {
            return self.no_fit();
        }
        let plain = self.fit_by(other, &[]);
        if plain.found == plain.values {
            return plain;
        }
        let loose = self.fit_by(other, &[Ignore::Case, Ignore::Punctuation, Ignore::LeadingZeros]);
        // A few more values do not say how keys are written.
        if (loose.found - plain.found.min(loose.found)) * 50 < plain.values {
            return plain;
        }
        let ways: [&[Ignore]; 6] = [
            &[Ignore::Case],
            &[Ignore::LeadingZeros],
            &[Ignore::Punctuation],
            &[Ignore::Case, Ignore::Punctuation],
            &[Ignore::Case, Ignore::LeadingZeros],
            &[Ignore::Punctuation, Ignore::LeadingZeros],
        ];
        let enough = |fit: &Fit| fit.found * 100 >= loose.found * 99;
        ways.iter().map(|way| self.fit_by(other, way)).find(enough).unwrap_or(loose)
    }

    fn no_fit(&self) -> Fit {
        Fit { values: self.values.len(), rows: self.filled, ..Fit::default() }
    }

    fn fit_by(&self, other: &Domain, ignore: &[Ignore]) -> Fit {
        other.with_index(ignore, |index| {
            let mut fit = Fit { ignore: ignore.to_vec(), ..Fit::default() };
            let mut used = HashSet::new();
            for (value, count) in self.values.iter().zip(&self.counts).take(COMPARED) {
                fit.values += 1;
                fit.rows += *count as usize;
                if let Match::Exact(row) | Match::Cleaned(row) = index.exactly_one(value) {
                    fit.found += 1;
                    fit.found_rows += *count as usize;
                    used.insert(row);
                }
            }
            fit.used = used.len();
            fit
        })
    }
}

/// The values of a column that others are looked for in.
pub(super) struct Domain {
    plain: KeyIndex,
    loose: KeyIndex,
    values: Vec<String>,
}

impl Domain {
    pub(super) fn new(values: Vec<String>) -> Domain {
        let index = |ignore: &[Ignore]| indexed(&values, ignore);
        let (plain, loose) =
            (index(&[]), index(&[Ignore::Case, Ignore::Punctuation, Ignore::LeadingZeros]));
        Domain { plain, loose, values }
    }

    pub(super) fn has(&self, value: &str, loosely: bool) -> bool {
        let index = if loosely { &self.loose } else { &self.plain };
        !matches!(index.exactly_one(value), Match::Nothing)
    }

    /// The index of its values that disregards some differences.
    fn with_index<R>(&self, ignore: &[Ignore], ask: impl FnOnce(&KeyIndex) -> R) -> R {
        match ignore.len() {
            0 => ask(&self.plain),
            3 => ask(&self.loose),
            _ => ask(&indexed(&self.values, ignore)),
        }
    }
}

fn indexed(values: &[String], ignore: &[Ignore]) -> KeyIndex {
    let rows: Vec<(&str, u32)> = values.iter().zip(0..).map(|(v, row)| (v.as_str(), row)).collect();
    KeyIndex::new(rows.into_iter(), Some(vec![KeyForm::ignoring(ignore)]))
}
