//! What an engine sums over lines, for the tie-out.

use interligo_model::reading::style::PartStyle;
use interligo_model::values::cells::Cells;

use super::Engine;
use crate::proof::exact_sum::ExactSum;
use crate::proof::tally::{Measured, sum_of};

impl Engine {
    /// What is summed over lines: the fact's amounts, then the figures whose sum says something.
    pub fn measured(&self) -> &[Measured] {
        &self.measured
    }

    /// Of each measure the column of the fact that it is, if it is read.
    pub fn measured_columns(&self) -> impl Iterator<Item = Option<usize>> {
        self.measured.iter().map(|measured| match measured {
            Measured::Read(column) => Some(self.columns[*column]),
            Measured::Computed(_) | Measured::Figure(_) => None,
        })
    }

    /// The name of a measure.
    pub fn measure_name(&self, measure: usize) -> &str {
        match self.measured[measure] {
            Measured::Read(column) | Measured::Computed(column) => self.column_name(column),
            Measured::Figure(figure) => &self.bound.figures[figure].name,
        }
    }

    /// The sums of columns that are read, as their source delivers them; computed ones and figures are not known yet.
    /// `cells` gives a column of the fact.
    pub fn sums_of_cells<'c>(
        &self,
        cells: impl Fn(usize) -> std::borrow::Cow<'c, Cells>,
        style: &PartStyle,
    ) -> Vec<Option<ExactSum>> {
        let sum = |measured: &Measured| match measured {
            Measured::Read(number) => {
                let column = self.columns[*number];
                let read = self.readings[*number].read_cells(&cells(column), style, column);
                Some(sum_of(&read.column, None))
            }
            Measured::Computed(_) | Measured::Figure(_) => None,
        };
        self.measured.iter().map(sum).collect()
    }
}
