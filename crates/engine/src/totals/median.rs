//! The values of a group, each with the number of its lines: what the value in the middle is known by. They take the memory of
//! the different values, not of the lines.

use std::collections::BTreeMap;

use interligo_model::values::decimal::Decimal;
use serde::{Deserialize, Serialize};

/// Numbers in their order, each with how often it is there.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub(crate) struct Counted(BTreeMap<Decimal, u64>);

impl Counted {
    /// Adds a number, if it is known.
    pub(super) fn add(&mut self, number: Option<Decimal>) {
        // 1.50 and 1.5 are one number, in the form of neither line.
        if let Some(number) = number {
            *self.0.entry(number.trimmed(0)).or_default() += 1;
        }
    }

    pub(super) fn merge(&mut self, others: &Counted) {
        for (number, lines) in &others.0 {
            *self.0.entry(*number).or_default() += lines;
        }
    }

    /// How many lines they are of.
    pub(super) fn lines(&self) -> u64 {
        self.0.values().sum()
    }

    /// The number in the middle, or the mean of both; `None` where there is none or the mean has more than 38 digits.
    pub(super) fn median(&self) -> Option<Decimal> {
        let lines = self.lines();
        let upper = self.at(lines / 2)?;
        if lines % 2 == 1 {
            return Some(upper);
        }
        let sum = self.at(lines / 2 - 1)?.checked_add(upper)?;
        Some(sum.checked_div(2.into(), sum.places().saturating_add(1))?.trimmed(0))
    }

    /// The number of a line in their order, from 0.
    fn at(&self, line: u64) -> Option<Decimal> {
        let mut passed = 0;
        let mut numbers = self.0.iter();
        numbers.find_map(|(number, lines)| {
            passed += lines;
            (passed > line).then_some(*number)
        })
    }
}
