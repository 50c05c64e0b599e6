//! Rows at the foot of a file that are totals of the rows above.
//!
//! A row may look like a total: it holds numbers and nothing else but a word that says so, or it leaves
//! blank what all rows above have. Whether it is one is a matter of its numbers, which must be the sums of the rows above.

use std::collections::BTreeMap;

use arrow_array::StringViewArray;

use crate::amount;
use crate::column::is_blank_text;
use crate::exact_sum::ExactSum;
use crate::style::{NumberStyle, Style};

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

/// Whether a row looks like a total. `always` says which fields all other rows that were looked at
/// fill; `others` is how many these are.
pub fn looks_like_total(cells: &[&str], always: &[bool], others: usize, style: &Style) -> bool {
    let is_number = |cell: &str| amount::read(cell, style.numbers).is_some();
    let says_nothing_else =
        |cell: &&str| is_blank_text(cell) || is_number(cell) || is_total_word(cell);
    if !cells.iter().any(|cell| is_number(cell)) || !cells.iter().all(says_nothing_else) {
        return false;
    }
    let lacking = cells.iter().zip(always).filter(|(cell, always)| **always && is_blank_text(cell));
    let lacking = lacking.count();
    let expected = always.iter().filter(|always| **always).count();
    let named = cells.iter().any(|cell| is_total_word(cell));
    named || (others >= 2 && lacking > 0 && lacking * 2 >= expected)
}

/// `Total`, `Total:`, `TOTAL CORVO 2025`.
fn is_total_word(cell: &str) -> bool {
    let cell = cell.trim().to_lowercase();
    let cell = cell.trim_end_matches([':', '.', ' ']);
    WORDS.iter().any(|word| {
        cell.strip_prefix(word).is_some_and(|rest| rest.is_empty() || rest.starts_with([' ', ':']))
    })
}

/// The sums of the fields of a file, for comparing them with a row.
pub struct FieldSums {
    sums: BTreeMap<usize, ExactSum>,
    style: NumberStyle,
}

impl FieldSums {
    /// Nothing yet, for the fields in which a row holds numbers.
    pub fn of(cells: &[&str], style: &Style) -> FieldSums {
        let number = |cell: &str| amount::read(cell, style.numbers).is_some();
        let fields = cells.iter().enumerate().filter(|(_, cell)| number(cell));
        FieldSums {
            sums: fields.map(|(field, _)| (field, ExactSum::default())).collect(),
            style: style.numbers,
        }
    }

    /// The fields that are summed.
    pub fn fields(&self) -> Vec<usize> {
        self.sums.keys().copied().collect()
    }

    /// Adds the texts of a field; those that are no numbers count as nothing.
    pub fn add(&mut self, field: usize, texts: &StringViewArray) {
        let Some(sum) = self.sums.get_mut(&field) else { return };
        for text in texts.iter().flatten() {
            if let Some(amount) = amount::read(text, self.style) {
                sum.add(amount.number);
            }
        }
    }

    /// Whether all numbers of a row are these sums.
    pub fn prove(&self, cells: &[&str]) -> bool {
        let mut numbers = 0;
        for (field, cell) in cells.iter().enumerate() {
            let Some(amount) = amount::read(cell, self.style) else { continue };
            numbers += 1;
            if self.sums.get(&field) != Some(&amount.number.into()) {
                return false;
            }
        }
        numbers > 0
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_total_says_so_or_leaves_blank_what_rows_have() {
        let style = Style::default();
        let always = [true, true, false, true];
        for (cells, looks) in [
            (["Total", "", "", "12.50"], true),
            (["", "", "", "12.50"], true),
            (["SUMME:", "x", "", "12.50"], false),
            (["Summe Corvo", "", "", "12.50"], true),
            (["Totally", "x", "", "12.50"], false),
            (["", "x", "note", "12.50"], false),
            (["", "", "note", "12.50"], false),
            (["7", "x", "", "12.50"], false),
            (["Total", "", "", ""], false),
        ] {
            assert_eq!(looks_like_total(&cells, &always, 9, &style), looks, "{cells:?}");
        }
        // With a single row above there is little to go by but the word.
        assert!(!looks_like_total(&["", "", "", "2"], &always, 1, &style));
        assert!(looks_like_total(&["Total", "", "", "2"], &always, 1, &style));
    }

    #[test]
    fn the_numbers_prove_a_total() {
        let style = Style::default();
        let cells = ["Total", "", "3", "4.50"];
        let mut sums = FieldSums::of(&cells, &style);
        assert_eq!(sums.fields(), [2, 3]);
        sums.add(2, &StringViewArray::from(vec!["1", "2"]));
        sums.add(3, &StringViewArray::from(vec!["4.25", "€ 0.25"]));
        assert!(sums.prove(&cells));
        assert!(!sums.prove(&["Total", "", "3", "4.51"]));
        assert!(!sums.prove(&["Total", "7", "3", "4.5"]));
        assert!(!sums.prove(&["Total", "", "", ""]));
    }
}
