//! What lines amount to, for the tie-out.

use super::Lines;
use crate::proof::exact_sum::ExactSum;
use crate::proof::tally::{Measured, sum_of};

impl Lines<'_> {
    /// The sums of all measures over some lines.
    pub fn sums_over(&self, rows: Option<&[u32]>) -> Vec<Option<ExactSum>> {
        let sum = |measured: &Measured| match measured {
            Measured::Read(column) | Measured::Computed(column) => {
                Some(sum_of(self.column(*column), rows))
            }
            Measured::Figure(figure) => self.known_figure(*figure).map(|f| sum_of(f, rows)),
        };
        self.engine().measured.iter().map(sum).collect()
    }

    /// The sums over lines that an output has put out: of figures, those of the values that it holds. `values` has, by
    /// figure, the number of the value that is that figure.
    pub fn sums_put_out(
        &self,
        rows: &[u32],
        values: &std::collections::BTreeMap<usize, usize>,
    ) -> Vec<Option<ExactSum>> {
        let sum = |measured: &Measured| match measured {
            Measured::Read(column) | Measured::Computed(column) => {
                Some(sum_of(self.column(*column), Some(rows)))
            }
            Measured::Figure(figure) => {
                values.get(figure).map(|value| sum_of(&self.values[*value], Some(rows)))
            }
        };
        self.engine().measured.iter().map(sum).collect()
    }
}
