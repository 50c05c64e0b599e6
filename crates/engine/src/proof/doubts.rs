//! What was assumed of a file from a sample of its rows, and what later rows say of it.
//!
//! The style of numbers and days is found by a sample. Where several styles read all of it alike, one is taken and the
//! others are kept as rivals. A later text that a rival reads otherwise is a question, unless another text of the file
//! excludes that rival; wherever both of them are. The same holds for columns that were taken for numbers because the sample
//! had no code with leading zeros.

use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

use arrow_array::{Array, StringViewArray};

use interligo_model::plan::ColumnType;
use interligo_model::reading::column_reader::{Reading, percent};
use interligo_model::reading::date_style::DateStyle;
use interligo_model::reading::style::{NumberStyle, PartStyle};
use interligo_model::values::amount;
use interligo_model::values::cells::Cells;
use interligo_model::values::column::is_blank_text;
use interligo_model::values::parse_cache::Recent;

/// A text that contradicts what was assumed.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Contradiction<P> {
    /// The column of the table.
    pub column: usize,
    /// Where it is.
    pub place: P,
    /// The text.
    pub text: String,
}

/// What is known of a rival.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
struct Doubt<P> {
    /// A text cannot be read by it, but by the style that was taken.
    excluded: bool,
    /// The first text that it reads otherwise.
    otherwise: Option<Contradiction<P>>,
}

/// What later rows of a part say of what was assumed.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Doubts<P> {
    numbers: Vec<Doubt<P>>,
    dates: Vec<Doubt<P>>,
    /// By column, the first code with leading zeros where numbers were assumed.
    codes: BTreeMap<usize, Contradiction<P>>,
    /// By column, the first percent among bare numbers, or the first bare number among percents.
    percents: BTreeMap<usize, Contradiction<P>>,
}

/// What a part leaves open once all of it was read.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Doubtful<P> {
    /// A number has two readings: the style that was taken, and the rival.
    Number(Contradiction<P>, NumberStyle),
    /// A day has.
    Date(Contradiction<P>, DateStyle),
    /// A code would lose its zeros.
    Code(Contradiction<P>),
    /// Percents and bare numbers are in one column.
    Percent(Contradiction<P>),
}

impl<P> Default for Doubts<P> {
    fn default() -> Doubts<P> {
        Doubts {
            numbers: Vec::new(),
            dates: Vec::new(),
            codes: BTreeMap::new(),
            percents: BTreeMap::new(),
        }
    }
}

impl<P: Clone> Doubts<P> {
    /// Whether nothing was said.
    pub fn is_empty(&self) -> bool {
        let columns = [&self.codes, &self.percents];
        self.numbers.is_empty() && self.dates.is_empty() && columns.iter().all(|c| c.is_empty())
    }

    /// Looks at the texts of a column that is read in some way.
    pub fn look(
        &mut self,
        column: usize,
        reading: &Reading,
        cells: &Cells,
        style: &PartStyle,
        place: impl Fn(u32) -> P,
    ) {
        let Cells::Texts(texts) = cells else { return };
        let way = style.way(column);
        match reading.column_type {
            ColumnType::Number | ColumnType::Integer | ColumnType::Percent => {
                if way.numbers.is_none() && !style.rivals.numbers.is_empty() {
                    let own = style.style.numbers;
                    let read = |style: &NumberStyle, text: &str| number(text, *style);
                    let rivals = (&own, style.rivals.numbers.as_slice());
                    compare(&mut self.numbers, rivals, texts, column, &place, &read, has_mark);
                }
                if reading.assumed
                    && let Some(row) = first_code(texts)
                {
                    let text = texts.value(row as usize).to_owned();
                    let code = Contradiction { column, place: place(row), text };
                    self.codes.entry(column).or_insert(code);
                }
            }
            ColumnType::Date if way.dates.is_none() && !style.rivals.dates.is_empty() => {
                let own = style.style.dates;
                let read = |style: &DateStyle, text: &str| style.read(text);
                let rivals = (&own, style.rivals.dates.as_slice());
                compare(&mut self.dates, rivals, texts, column, &place, &read, |_| true);
            }
            ColumnType::Date | ColumnType::Text | ColumnType::YesNo => {}
        }
    }

    /// Looks at texts of a column that could not be read, by their rows: of percents and bare numbers in one column, the
    /// ones or the others cannot be, unless `scale` says what a bare number is.
    pub fn look_at_unreadable(
        &mut self,
        column: usize,
        reading: &Reading,
        texts: &StringViewArray,
        (style, unreadable): (&PartStyle, &[u32]),
        place: impl Fn(u32) -> P,
    ) {
        let numbers = style.of(column).numbers;
        let is_other = |text: &str| match reading.column_type {
            ColumnType::Number => text.ends_with('%') && percent(text, numbers).is_some(),
            ColumnType::Percent => amount::read(text, numbers).is_some(),
            _ => false,
        };
        let row = unreadable.iter().find(|row| is_other(texts.value(**row as usize).trim()));
        if let Some(row) = row {
            let text = texts.value(*row as usize).to_owned();
            let found = Contradiction { column, place: place(*row), text };
            self.percents.entry(column).or_insert(found);
        }
    }

    /// Adds what further rows of the part say.
    pub fn absorb(&mut self, other: Doubts<P>) {
        for (own, other) in [(&mut self.numbers, other.numbers), (&mut self.dates, other.dates)] {
            if own.is_empty() {
                *own = other;
                continue;
            }
            for (own, other) in own.iter_mut().zip(other) {
                own.excluded |= other.excluded;
                own.otherwise = own.otherwise.take().or(other.otherwise);
            }
        }
        for (column, code) in other.codes {
            self.codes.entry(column).or_insert(code);
        }
        for (column, percent) in other.percents {
            self.percents.entry(column).or_insert(percent);
        }
    }

    /// What is left open, once all rows of the part have been looked at.
    pub fn left_open(&self, style: &PartStyle) -> Option<Doubtful<P>> {
        let numbers = open(&self.numbers, &style.rivals.numbers);
        let dates = open(&self.dates, &style.rivals.dates);
        numbers
            .map(|(found, rival)| Doubtful::Number(found, rival))
            .or_else(|| dates.map(|(found, rival)| Doubtful::Date(found, rival)))
            .or_else(|| self.codes.values().next().cloned().map(Doubtful::Code))
            .or_else(|| self.percents.values().next().cloned().map(Doubtful::Percent))
    }
}

fn open<P: Clone, S: Copy>(doubts: &[Doubt<P>], rivals: &[S]) -> Option<(Contradiction<P>, S)> {
    let open = doubts.iter().zip(rivals).filter(|(doubt, _)| !doubt.excluded);
    let mut found = open.filter_map(|(doubt, rival)| Some((doubt.otherwise.clone()?, *rival)));
    found.next()
}

/// Compares what the style that was taken and its rivals read.
fn compare<P, S, V: PartialEq>(
    doubts: &mut Vec<Doubt<P>>,
    (own, rivals): (&S, &[S]),
    texts: &StringViewArray,
    column: usize,
    place: &impl Fn(u32) -> P,
    read: &impl Fn(&S, &str) -> Option<V>,
    says_something: impl Fn(&str) -> bool,
) {
    if doubts.is_empty() {
        doubts.extend(rivals.iter().map(|_| Doubt { excluded: false, otherwise: None }));
    }
    if doubts.iter().all(|doubt| doubt.excluded) {
        return;
    }
    let mut recent: Recent<()> = Recent::default();
    for (row, view) in texts.views().iter().enumerate() {
        // A text that came a moment ago says nothing new.
        let mut is_new = false;
        let is_short = recent.of(*view, |_| is_new = true).is_some();
        if (is_short && !is_new) || texts.is_null(row) {
            continue;
        }
        let text = texts.value(row);
        let trimmed = text.trim();
        if trimmed.is_empty() || is_blank_text(trimmed) || !says_something(trimmed) {
            continue;
        }
        let value = read(own, trimmed);
        for (doubt, rival) in doubts.iter_mut().zip(rivals).filter(|(doubt, _)| !doubt.excluded) {
            match (&value, read(rival, trimmed)) {
                (Some(_), None) => doubt.excluded = true,
                (value, Some(other)) if value.as_ref() != Some(&other) => {
                    doubt.otherwise.get_or_insert_with(|| Contradiction {
                        column,
                        place: place(row as u32),
                        text: text.to_owned(),
                    });
                }
                _ => {}
            }
        }
    }
}

/// Digits alone are read alike in all styles.
fn has_mark(text: &str) -> bool {
    !text.bytes().all(|byte| byte.is_ascii_digit() || byte == b'-')
}

fn number(text: &str, style: NumberStyle) -> Option<interligo_model::values::decimal::Decimal> {
    match text.strip_suffix('%') {
        Some(_) => percent(text, style),
        None => amount::read(text, style).map(|amount| amount.number),
    }
}

/// The first text of digits with zeros before them.
fn first_code(texts: &StringViewArray) -> Option<u32> {
    let is_code = |text: &str| {
        let digits = text.trim();
        digits.len() > 1 && digits.starts_with('0') && digits.bytes().all(|b| b.is_ascii_digit())
    };
    let row = texts.iter().position(|text| text.is_some_and(is_code))?;
    Some(row as u32)
}

#[cfg(test)]
mod tests {
    use super::*;
    use interligo_model::reading::style::{Rivals, Style, Way};

    fn numbers(texts: &[&str]) -> Option<String> {
        let rivals = NumberStyle::ALL[1..].to_vec();
        let rivals = Rivals { numbers: rivals, ..Rivals::default() };
        let style = PartStyle { style: Style::default(), rivals, ..PartStyle::default() };
        let reading = Reading { assumed: true, ..Reading::of(ColumnType::Number) };
        let looked = |texts: &[&str]| {
            let mut doubts = Doubts::default();
            let cells = Cells::Texts(StringViewArray::from(texts.to_vec()));
            doubts.look(3, &reading, &cells, &style, |row| row);
            doubts
        };
        let whole = looked(texts);
        // Where rows are cut into batches makes no difference.
        for cut in 0..texts.len() {
            let mut parts = looked(&texts[..cut]);
            parts.absorb(looked(&texts[cut..]));
            assert_eq!(parts.left_open(&style).is_some(), whole.left_open(&style).is_some());
        }
        whole.left_open(&style).map(|open| match open {
            Doubtful::Number(found, _) | Doubtful::Date(found, _) => found.text,
            Doubtful::Code(code) => format!("code {}", code.text),
            Doubtful::Percent(percent) => format!("percent {}", percent.text),
        })
    }

    #[test]
    fn a_later_text_that_a_rival_reads_otherwise_is_a_question() {
        let asked = |text: &str| Some(text.to_owned());
        for (texts, open) in [
            (&["1", "20", ""][..], None),
            (&["1", "1.500"], asked("1.500")),
            (&["1", "1,5"], asked("1,5")),
            // A text that only the style taken reads decides, wherever it is.
            (&["1.500", "12.50"], None),
            (&["12.50", "1.500"], None),
            (&["12.50", "x"], None),
            (&["7", "007"], asked("code 007")),
            (&["0.5", "0"], None),
        ] {
            assert_eq!(numbers(texts), open, "{texts:?}");
        }
    }

    /// Whether something is said of one text, where the column has these ways and the part these rivals.
    fn says_something(text: &str, column_type: ColumnType, way: Way, rivals: Rivals) -> bool {
        let ways = [(3, way)].into();
        let style = PartStyle { style: Style::default(), ways, rivals };
        let reading = Reading { assumed: false, ..Reading::of(column_type) };
        let mut doubts = Doubts::default();
        let cells = Cells::Texts(StringViewArray::from(vec![text]));
        doubts.look(3, &reading, &cells, &style, |row| row);
        !doubts.is_empty()
    }

    #[test]
    fn what_the_plan_says_of_a_column_leaves_no_doubt() {
        let rivals = || Rivals { numbers: NumberStyle::ALL[1..].to_vec(), ..Rivals::default() };
        let declared = Way { numbers: Some(NumberStyle::PLAIN), ..Way::default() };
        let said =
            |way: Way, rivals: Rivals| says_something("1.500", ColumnType::Number, way, rivals);
        assert!(said(Way::default(), rivals()));
        assert!(!said(declared, rivals()));
        assert!(!said(Way::default(), Rivals::default()));
        assert!(!says_something("1.500", ColumnType::Text, Way::default(), rivals()));

        let dates = || Rivals { dates: vec![DateStyle::default()], ..Rivals::default() };
        let declared = Way { dates: Some(DateStyle::default()), ..Way::default() };
        let said =
            |way: Way, rivals: Rivals| says_something("2025-03-05", ColumnType::Date, way, rivals);
        assert!(said(Way::default(), dates()));
        assert!(!said(declared, dates()));
        assert!(!said(Way::default(), Rivals::default()));
    }

    #[test]
    fn a_code_or_a_percent_is_something_said() {
        let looked = |column_type: ColumnType, text: &str, unreadable: &[u32]| {
            let reading = Reading { assumed: true, ..Reading::of(column_type) };
            let (style, texts) = (PartStyle::default(), StringViewArray::from(vec![text]));
            let mut doubts: Doubts<u32> = Doubts::default();
            assert!(doubts.is_empty());
            doubts.look_at_unreadable(3, &reading, &texts, (&style, unreadable), |row| row);
            doubts.look(3, &reading, &Cells::Texts(texts), &style, |row| row);
            !doubts.is_empty()
        };
        assert!(looked(ColumnType::Number, "007", &[]));
        assert!(!looked(ColumnType::Number, "7", &[]));
        assert!(looked(ColumnType::Number, "7%", &[0]));
        assert!(looked(ColumnType::Percent, "0.5", &[0]));
        assert!(!looked(ColumnType::Number, "soon", &[0]));
    }
}
