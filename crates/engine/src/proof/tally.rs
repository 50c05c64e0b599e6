//! Tallies of lines: how many there are, which, and what they amount to.
//!
//! The tie-out has two sides, and each keeps tallies of its own. One is made where rows come out of a reader; the others
//! where lines end: in the text that was written, in the groups of a table of totals, among what was set aside or left
//! out. Two tallies of the same lines are equal; where they differ, lines were lost, doubled or changed on the way.

use interligo_model::values::column::{Column, NumberColumn, Numbers};
use serde::{Deserialize, Serialize};

use crate::proof::exact_sum::ExactSum;

/// What is summed over lines, to prove that none is lost, doubled or changed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Measured {
    /// A column of lines that is read, by number among those of the lines.
    Read(usize),
    /// A column of lines that is computed.
    Computed(usize),
    /// A figure.
    Figure(usize),
}

/// How many lines there are, which, and what they amount to.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Tally {
    /// How many.
    pub lines: u64,
    /// The sum of their marks, modulo 2^64: the same for the same lines in any order.
    pub marks: u64,
    /// By measure of [`Engine::measured`](crate::engine::Engine::measured) its sum; `None` for those that are not known here.
    pub sums: Vec<Option<ExactSum>>,
}

impl Tally {
    /// A tally of no line, in which this many measures are known.
    pub fn of_none(measures: usize) -> Tally {
        Tally { sums: vec![Some(ExactSum::default()); measures], ..Tally::default() }
    }

    /// The same lines, with some of the measures, by their numbers here.
    pub(crate) fn of_measures(&self, measures: &[usize]) -> Tally {
        let sums = measures.iter().map(|measure| self.sums.get(*measure).copied().flatten());
        // Where there was no line, nothing was summed.
        let sums = if self.sums.is_empty() { Vec::new() } else { sums.collect() };
        Tally { sums, ..*self }
    }

    /// Adds other lines. What one of both does not know, the sum does not know.
    pub fn merge(&mut self, other: &Tally) {
        if self.sums.is_empty() && self.lines == 0 {
            *self = other.clone();
            return;
        }
        self.lines += other.lines;
        self.marks = self.marks.wrapping_add(other.marks);
        if other.sums.is_empty() && other.lines == 0 {
            return;
        }
        for (number, own) in self.sums.iter_mut().enumerate() {
            match (own.as_mut(), other.sums.get(number).copied().flatten()) {
                (Some(sum), Some(more)) => sum.merge(more),
                _ => *own = None,
            }
        }
    }

    /// Takes away lines that are among these.
    pub fn take(&mut self, other: &Tally) {
        self.lines = self.lines.wrapping_sub(other.lines);
        self.marks = self.marks.wrapping_sub(other.marks);
        for (own, other) in self.sums.iter_mut().zip(&other.sums) {
            match (own.as_mut(), other) {
                (Some(sum), Some(less)) => sum.take(*less),
                _ => *own = None,
            }
        }
    }

    /// The sum of a measure.
    pub fn sum(&self, measure: usize) -> Option<ExactSum> {
        match self.sums.get(measure) {
            Some(sum) => *sum,
            // Of no line, every sum is nothing.
            None => (self.lines == 0).then(ExactSum::default),
        }
    }
}

/// The mark of a line: by the number of its block and its own in it. A bijection of 64 bits that spreads well
/// (the finalizer of SplitMix64, Steele et al. 2014), so that no few lines have the sum of others.
pub fn mark_of(block: u64, line: u32) -> u64 {
    let mut mark = (block << 32 ^ u64::from(line)).wrapping_add(0x9e37_79b9_7f4a_7c15);
    mark = (mark ^ mark >> 30).wrapping_mul(0xbf58_476d_1ce4_e5b9);
    mark = (mark ^ mark >> 27).wrapping_mul(0x94d0_49bb_1331_11eb);
    mark ^ mark >> 31
}

/// The sum over some rows; over all when none are named. Unknown rows count as nothing.
pub(crate) fn sum_of(column: &Column, rows: Option<&[u32]>) -> ExactSum {
    let Column::Number(column) = column else { return ExactSum::default() };
    let mut sum = ExactSum::default();
    match (&column.numbers, rows) {
        // 2^64 numbers of 64 bits fit 128 bits.
        (Numbers::Fixed { mantissas, places }, rows) => {
            let total: i128 = match (rows, &column.known) {
                (None, None) => mantissas.iter().map(|m| i128::from(*m)).sum(),
                (None, Some(known)) => {
                    known.valid_indices().map(|row| i128::from(mantissas[row])).sum()
                }
                (Some(rows), None) => rows.iter().map(|r| i128::from(mantissas[*r as usize])).sum(),
                (Some(rows), Some(known)) => {
                    let known = rows.iter().filter(|row| known.is_valid(**row as usize));
                    known.map(|row| i128::from(mantissas[*row as usize])).sum()
                }
            };
            sum.merge(ExactSum::of(arrow_buffer::i256::from_i128(total), *places));
        }
        (Numbers::Wide(_), None) => {
            (0..len(column)).filter_map(|row| column.get(row)).for_each(|n| sum.add(n));
        }
        (Numbers::Wide(_), Some(rows)) => {
            rows.iter().filter_map(|row| column.get(*row as usize)).for_each(|n| sum.add(n));
        }
    }
    sum
}

fn len(column: &NumberColumn) -> usize {
    match &column.numbers {
        Numbers::Fixed { mantissas, .. } => mantissas.len(),
        Numbers::Wide(numbers) => numbers.len(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_same_lines_have_the_same_tally_in_any_order() {
        let tally = |lines: &[(u64, u32)]| {
            let mut all = Tally::of_none(1);
            for (block, line) in lines {
                let sum = interligo_model::values::decimal::Decimal::from(i64::from(*line));
                let marks = mark_of(*block, *line);
                all.merge(&Tally { lines: 1, marks, sums: vec![Some(sum.into())] });
            }
            all
        };
        let all = tally(&[(0, 1), (0, 2), (1, 1), (1, 2)]);
        assert_eq!(all, tally(&[(1, 2), (0, 2), (0, 1), (1, 1)]));
        // One line twice and the other not at all: as many lines, and as much, but not the same ones.
        let other = tally(&[(0, 1), (0, 2), (0, 1), (1, 2)]);
        assert_eq!((all.lines, &all.sums), (other.lines, &other.sums));
        assert_ne!(all.marks, other.marks);
        let mut nothing = all.clone();
        nothing.take(&all);
        assert_eq!(nothing, Tally::of_none(1));
        let mut unknown = all.clone();
        unknown.merge(&Tally { lines: 1, marks: 0, sums: vec![None] });
        assert_eq!((unknown.lines, unknown.sum(0)), (5, None));
    }
}
