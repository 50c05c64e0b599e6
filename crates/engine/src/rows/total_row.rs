//! Rows of a file that are totals of rows above.
//!
//! A row may look like a total: it holds numbers and nothing else but a word that says so, or, at the end, it leaves
//! blank what all rows above have. Whether it is one is a matter of its numbers, which must be the sums of the rows above: of
//! all of them, or of those since an earlier total.

use arrow_array::StringViewArray;
use interligo_model::reading::style::{NumberStyle, Style};
use interligo_model::values::amount;
use interligo_model::values::column::is_blank_text;

use crate::proof::exact_sum::ExactSum;

/// What totals are called, in several languages; without case.
const WORDS: [&str; 20] = [
    "total",
    "totals",
    "grand total",
    "subtotal",
    "sum",
    "gesamt",
    "summe",
    "gesamtsumme",
    "zwischensumme",
    "somme",
    "totale",
    "totaal",
    "totais",
    "suma",
    "summa",
    "i alt",
    "yhteensä",
    "razem",
    "celkem",
    "összesen",
];

/// The words, for finding texts in which one of them may be.
pub fn total_words() -> impl Iterator<Item = &'static str> {
    WORDS.into_iter()
}

/// What makes a row look like a total.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum TotalEvidence {
    /// It says so, and its numbers must prove it.
    Named,
    /// It leaves several fields blank that all rows above have; its numbers must prove it.
    LeavesBlank,
    /// It leaves a single field blank, as a line without a key does. Its numbers cannot prove it.
    LeavesOneBlank,
}

impl TotalEvidence {
    /// Whether the numbers of the row can prove it a total.
    pub fn can_be_proved(self) -> bool {
        self != TotalEvidence::LeavesOneBlank
    }
}

/// Whether a row says that it is a total, and holds nothing but numbers beside.
pub fn is_named_total(cells: &[&str], style: &Style) -> bool {
    cells.iter().any(|cell| is_total_word(cell)) && holds_numbers_only(cells, style)
}

fn holds_numbers_only(cells: &[&str], style: &Style) -> bool {
    let is_number = |cell: &str| amount::read(cell, style.numbers).is_some();
    let says_nothing_else =
        |cell: &&str| is_blank_text(cell) || is_number(cell) || is_total_word(cell);
    cells.iter().any(|cell| is_number(cell)) && cells.iter().all(says_nothing_else)
}

/// Whether a row at the end looks like a total. `always` says which fields all other rows that were looked at
/// fill; `others` is how many these are.
pub fn looks_like_total(
    cells: &[&str],
    always: &[bool],
    others: usize,
    style: &Style,
) -> Option<TotalEvidence> {
    if !holds_numbers_only(cells, style) {
        return None;
    }
    if cells.iter().any(|cell| is_total_word(cell)) {
        return Some(TotalEvidence::Named);
    }
    let blanks = cells.iter().zip(always).filter(|(cell, always)| **always && is_blank_text(cell));
    let blanks = blanks.count();
    let expected = always.iter().filter(|always| **always).count();
    match blanks {
        0 => None,
        _ if others < 2 || blanks * 2 < expected => None,
        1 => Some(TotalEvidence::LeavesOneBlank),
        _ => Some(TotalEvidence::LeavesBlank),
    }
}

/// Whether a row below a total says something of the file and is no line: it leaves nearly all blank and has no number.
pub fn is_footer(cells: &[&str], always: &[bool], style: &Style) -> bool {
    let expected = always.iter().filter(|always| **always).count();
    let filled = cells.iter().filter(|cell| !is_blank_text(cell)).count();
    expected > 1 && filled == 1 && !cells.iter().any(|c| amount::read(c, style.numbers).is_some())
}

/// `Total`, `Total:`, `TOTAL CORVO 2025`.
fn is_total_word(cell: &str) -> bool {
    let cell = cell.trim().to_lowercase();
    let cell = cell.trim_end_matches([':', '.', ' ']);
    WORDS.iter().any(|word| {
        cell.strip_prefix(word).is_some_and(|rest| rest.is_empty() || rest.starts_with([' ', ':']))
    })
}

/// The sums of the fields of a part so far, for comparing them with a row.
pub struct FieldSums {
    style: NumberStyle,
    /// By field; of those that hold no numbers nothing is known.
    sums: Vec<Option<ExactSum>>,
    /// What the sums were at earlier totals, and at the start.
    before: Vec<Vec<Option<ExactSum>>>,
}

/// At this many earlier totals, sums are compared with those since the latest ones only.
const MOST_TOTALS: usize = 10_000;

impl FieldSums {
    /// Nothing yet. `numeric` says which fields hold numbers.
    pub fn of(numeric: impl Iterator<Item = bool>, style: &Style) -> FieldSums {
        let sums: Vec<_> = numeric.map(|is| is.then(ExactSum::default)).collect();
        FieldSums { style: style.numbers, before: vec![sums.clone()], sums }
    }

    /// The fields that are summed.
    pub fn fields(&self) -> Vec<usize> {
        (0..self.sums.len()).filter(|field| self.sums[*field].is_some()).collect()
    }

    /// Adds the texts of a field; those that are no numbers count as nothing.
    pub fn add(&mut self, field: usize, texts: &StringViewArray) {
        let Some(Some(sum)) = self.sums.get_mut(field) else { return };
        for text in texts.iter().flatten() {
            if let Some(amount) = amount::read(text, self.style) {
                sum.add(amount.number);
            }
        }
    }

    /// Whether all numbers of a row are the sums of the rows above, or of those since one and the same earlier total. The
    /// rows that follow are then summed for themselves as well.
    pub fn prove(&mut self, cells: &[&str]) -> bool {
        let numbers: Vec<(usize, ExactSum)> = cells
            .iter()
            .enumerate()
            .filter_map(|(field, cell)| {
                Some((field, amount::read(cell, self.style)?.number.into()))
            })
            .collect();
        let since = |before: &Vec<Option<ExactSum>>| {
            numbers.iter().all(|(field, number)| {
                let (Some(Some(sum)), Some(before)) = (self.sums.get(*field), before[*field])
                else {
                    return false;
                };
                let mut sum = *sum;
                sum.take(before);
                sum == *number
            })
        };
        let proved = !numbers.is_empty() && self.before.iter().any(since);
        if self.before.len() == MOST_TOTALS {
            self.before.remove(1);
        }
        self.before.push(self.sums.clone());
        proved
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_total_says_so_or_leaves_blank_what_rows_have() {
        use TotalEvidence::{LeavesBlank, LeavesOneBlank, Named};
        let style = Style::default();
        let always = [true, true, false, true];
        for (cells, looks) in [
            (["Total", "", "", "12.50"], Some(Named)),
            (["", "", "", "12.50"], Some(LeavesBlank)),
            (["SUMME:", "x", "", "12.50"], None),
            (["Summe Corvo", "", "", "12.50"], Some(Named)),
            (["Totally", "x", "", "12.50"], None),
            (["", "x", "note", "12.50"], None),
            (["", "", "note", "12.50"], None),
            (["7", "x", "", "12.50"], None),
            (["Total", "", "", ""], None),
        ] {
            assert_eq!(looks_like_total(&cells, &always, 9, &style), looks, "{cells:?}");
            assert_eq!(is_named_total(&cells, &style), looks == Some(Named), "{cells:?}");
        }
        // With a single row above there is little to go by but the word.
        assert_eq!(looks_like_total(&["", "", "", "2"], &always, 1, &style), None);
        assert_eq!(looks_like_total(&["Total", "", "", "2"], &always, 1, &style), Some(Named));
        // A line without its key looks like that, too.
        assert_eq!(looks_like_total(&["", "11"], &[true, true], 5, &style), Some(LeavesOneBlank));
    }

    #[test]
    fn a_footer_says_one_thing_and_counts_nothing() {
        let style = Style::default();
        for (cells, is) in [
            (["printed 2025-12-31", "", ""], true),
            (["printed", "", "7"], false),
            (["7", "", ""], false),
            (["A", "B", ""], false),
        ] {
            assert_eq!(is_footer(&cells, &[true; 3], &style), is, "{cells:?}");
        }
    }

    #[test]
    fn the_numbers_prove_totals_of_all_rows_and_of_groups() {
        let style = Style::default();
        let mut sums = FieldSums::of([false, true, true].into_iter(), &style);
        assert_eq!(sums.fields(), [1, 2]);
        let add = |sums: &mut FieldSums, one: &'static str, other: &'static str| {
            sums.add(1, &StringViewArray::from(vec![one]));
            sums.add(2, &StringViewArray::from(vec![other]));
        };
        add(&mut sums, "1", "4.25");
        add(&mut sums, "2", "€ 0.25");
        assert!(sums.prove(&["Sum A", "3", "4.50"]));
        add(&mut sums, "5", "1");
        assert!(!sums.prove(&["Sum B", "5", "1.01"]));
        // What was no total ends a group all the same.
        add(&mut sums, "7", "2");
        assert!(sums.prove(&["Sum C", "7", ""]));
        assert!(sums.prove(&["Sum B and C", "12", "3"]));
        assert!(sums.prove(&["Total", "15", "7.5"]));
        assert!(!sums.prove(&["Total", "15", "3"]));
        assert!(!sums.prove(&["2025", "15", "7.5"]));
        assert!(!sums.prove(&["Total", "", ""]));
    }
}
