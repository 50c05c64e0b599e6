//! The first look at a part: what its values look like, and how they are written.

use std::sync::Arc;

use arrow_array::StringViewArray;
use interligo_model::reading::date_style::DateStyle;
use interligo_model::reading::evidence::Evidence;
use interligo_model::reading::style::{NumberStyle, Style, Way};
use interligo_model::values::column::is_blank_text;

use crate::formats::{PartNote, Source};
use crate::table::dialect::{FoundStyle, find};
use crate::table::settings::TableSettings;

/// Words and characters that people and programs write where there is no value.
const MARKS: [&str; 22] = [
    "-", "--", "—", "–", ".", "?", "NA", "N/A", "n/a", "na", "#N/A", "NULL", "null", "None",
    "none", "nil", "(blank)", "k.A.", "s/d", "n.d.", "NaN", "#NV",
];

/// What the plan says of a field, once its column name is known.
#[derive(Clone, Debug, Default)]
pub struct FieldNote {
    /// It is text, whatever it looks like.
    pub text: bool,
    /// How its values are written.
    pub way: Way,
    /// What stands between several values of a cell.
    pub unpack: Option<String>,
}

/// The column name of a part, with the rows that were looked at.
pub struct Head {
    /// What reads it.
    pub source: Arc<dyn Source>,
    /// How many rows come before the header row.
    pub above: u64,
    /// The row of the column names, counted from 1; the first where there is none.
    pub header_row: u64,
    /// The column names.
    pub column_names: Vec<String>,
    /// The column of the first field, counted from 0, where fields have letters.
    pub first_column: u32,
    /// Which fields have neither a column name nor, in the rows that were looked at, a value.
    pub empty: Vec<bool>,
    /// What the source says of the part as a whole.
    pub notes: Vec<PartNote>,
    /// Of each field, the texts of the rows that were looked at.
    pub sample: Vec<StringViewArray>,
    /// Of each field, which of its cells are typed; none where all is text.
    pub typed: Vec<Typed>,
    /// What the plan says.
    pub given: TableSettings,
}

/// Which cells of a field are numbers or days by themselves, in the rows that were looked at, and not texts
/// that may be read in several ways. Their text is `1234.56` or `2025-12-31`.
#[derive(Clone, Debug, Default)]
pub struct Typed {
    /// By row.
    pub rows: Vec<bool>,
    /// Whether a day has a time.
    pub times: bool,
}

impl Typed {
    fn is(&self, row: usize) -> bool {
        self.rows.get(row).copied().unwrap_or(false)
    }
}

/// What the rows of a file showed.
pub struct Looked {
    /// How numbers and days are written.
    pub found: FoundStyle,
    /// What each field holds in all rows that were looked at.
    pub evidence: Vec<Evidence>,
    /// Fields that would be numbers or days but for texts that seem to mean blank, with one of these.
    pub marks: Vec<(usize, String)>,
    /// How the values of each field are written, where that is not as in the rest of the part.
    pub ways: Vec<Way>,
    /// Fields in which some cells are numbers by themselves and others are texts with numbers.
    pub mixed: Vec<usize>,
}

impl Head {
    /// The head of a source that names its fields itself: nothing is above them.
    pub fn of_fields(
        source: Arc<dyn Source>,
        column_names: Vec<String>,
        sample: Vec<StringViewArray>,
        typed: Vec<Typed>,
        given: TableSettings,
    ) -> Head {
        Head {
            source,
            above: 0,
            header_row: 1,
            empty: vec![false; column_names.len()],
            column_names,
            first_column: 0,
            notes: Vec::new(),
            sample,
            typed,
            given,
        }
    }

    /// Which fields have neither a column name nor a value in the rows that were looked at.
    pub fn empty_fields(column_names: &[String], sample: &[StringViewArray]) -> Vec<bool> {
        let blank = |texts: &StringViewArray| texts.iter().flatten().all(is_blank_text);
        let fields = column_names.iter().zip(sample);
        fields.map(|(column_name, texts)| column_name.trim().is_empty() && blank(texts)).collect()
    }

    /// Finds out how the values are written. `notes` are what the plan says of the fields.
    pub fn values(&self, notes: &[FieldNote]) -> Looked {
        let fields = || notes.iter().enumerate();
        let telling: Vec<Vec<&str>> =
            fields().map(|(field, note)| self.telling(field, note)).collect();
        let found = find(&telling, self.given.numbers, self.given.dates);
        let ways: Vec<Way> = fields()
            .map(|(field, note)| note.way.or(self.typed_way(field, &found.style)))
            .collect();
        let evidence: Vec<Evidence> = fields()
            .map(|(field, note)| {
                let style = ways[field].style(&found.style);
                let mut evidence = Evidence::default();
                let texts = self.texts(field, note);
                texts.for_each(|(row, text)| match self.is_typed(field, row) {
                    true => evidence.add(text, &typed_style(text)),
                    false => evidence.add(text, &style),
                });
                evidence
            })
            .collect();
        let marks = fields().filter(|(_, note)| !note.text).filter_map(|(field, note)| {
            let texts: Vec<&str> = self.texts(field, note).map(|(_, text)| text).collect();
            Some((field, mark(&texts, &evidence[field])?))
        });
        let mixed = fields().filter(|(field, note)| {
            let is_number = |text: &str| text.bytes().all(|character| character.is_ascii_digit());
            let texts = || self.texts(*field, note).filter(|(_, text)| is_number(text.trim()));
            texts().any(|(row, _)| self.is_typed(*field, row))
                && texts().any(|(row, text)| !self.is_typed(*field, row) && !text.trim().is_empty())
        });
        let mixed = mixed.map(|(field, _)| field).collect();
        Looked { marks: marks.collect(), found, evidence, ways, mixed }
    }

    /// The texts of a field that say how the part writes its values.
    fn telling<'a>(&'a self, field: usize, note: &'a FieldNote) -> Vec<&'a str> {
        if note.text || note.way.numbers.is_some() || note.way.dates.is_some() {
            return Vec::new();
        }
        // What seems to mean blank says nothing of how numbers are written.
        let texts = self.texts(field, note).filter(|(_, text)| !MARKS.contains(&text.trim()));
        texts.filter(|(row, _)| !self.is_typed(field, *row)).map(|(_, text)| text).collect()
    }

    /// The way of a field whose numbers and days are typed, all of them.
    fn typed_way(&self, field: usize, style: &Style) -> Way {
        let Some(typed) = self.typed.get(field).filter(|typed| typed.rows.contains(&true)) else {
            return Way::default();
        };
        let mut texts = Evidence::default();
        let untyped = self.sample[field].iter().flatten().enumerate();
        untyped.filter(|(row, _)| !typed.is(*row)).for_each(|(_, text)| texts.add(text, style));
        if texts.numeric + texts.percents + texts.dates > 0 {
            return Way::default();
        }
        let dates = if typed.times { DateStyle::iso_with_time() } else { DateStyle::ISO };
        Way { numbers: Some(NumberStyle::PLAIN), dates: Some(dates), scale: None }
    }

    fn is_typed(&self, field: usize, row: usize) -> bool {
        self.typed.get(field).is_some_and(|typed| typed.is(row))
    }

    /// What a field holds, value by value, with the number of the row.
    fn texts<'a>(
        &'a self,
        field: usize,
        note: &'a FieldNote,
    ) -> impl Iterator<Item = (usize, &'a str)> {
        let is_mark = |text: &str| self.given.blank.iter().any(|mark| mark == text.trim());
        let separator = note.unpack.as_deref();
        let cells = self.sample[field].iter().flatten().enumerate();
        cells
            .flat_map(move |(row, text)| {
                // Without a separator the cell is one value.
                let parts = separator.into_iter().flat_map(move |character| text.split(character));
                let whole = separator.is_none().then_some(text);
                parts.chain(whole).map(move |part| (row, part))
            })
            .filter(move |(_, text)| !is_mark(text))
    }
}

/// The style in which the cell of a number or day is shown.
fn typed_style(text: &str) -> Style {
    let dates = if text.contains(':') { DateStyle::iso_with_time() } else { DateStyle::ISO };
    Style { numbers: NumberStyle::PLAIN, dates }
}

/// A text that seems to mean blank, in a column that is otherwise all numbers or all days.
fn mark(texts: &[&str], all: &Evidence) -> Option<String> {
    let first = texts.iter().map(|text| text.trim()).find(|text| MARKS.contains(text))?;
    let marks = texts.iter().filter(|text| MARKS.contains(&text.trim())).count();
    let others = all.filled - marks;
    (others > 0 && (all.numbers == others || all.percents == others || all.dates == others))
        .then(|| first.to_owned())
}
