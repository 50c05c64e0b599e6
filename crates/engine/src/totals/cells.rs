//! What is summed up of a group, and how that becomes the values of measures.

use interligo_model::values::decimal::{Decimal, QUOTIENT_PLACES};
use interligo_model::values::value::Value;
use serde::{Deserialize, Serialize};
use smallvec::SmallVec;

use super::measure::{Aggregate, Measure, Summed, Work};
use super::median::Counted;
use super::plan::TotalsPlan;
use super::table::TotalsError;
use crate::eval::{Leaves, evaluate};
use crate::proof::exact_sum::ExactSum;
use crate::proof::tally::Tally;

/// What is summed up of the lines of a group.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub(crate) struct GroupSums {
    pub(crate) lines: u64,
    pub(crate) cells: SmallVec<[Cell; 1]>,
}

/// One of the sums of a group.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub(crate) enum Cell {
    /// A sum, and how many lines it holds.
    Sum { total: ExactSum, known: u64 },
    /// How many lines have a value.
    Count(u64),
    /// All values, for the one in the middle.
    Counted(Counted),
    /// The smallest or largest value.
    Extreme(Option<Value<'static>>),
    /// Different values, by their numbers, ascending.
    Distinct(Vec<u32>),
}

impl Cell {
    fn empty(how: Aggregate) -> Cell {
        match how {
            Aggregate::Sum | Aggregate::Average => {
                Cell::Sum { total: ExactSum::default(), known: 0 }
            }
            Aggregate::Count => Cell::Count(0),
            Aggregate::Median => Cell::Counted(Counted::default()),
            Aggregate::Smallest | Aggregate::Largest => Cell::Extreme(None),
            Aggregate::Distinct => Cell::Distinct(Vec::new()),
        }
    }

    fn merge(&mut self, other: &Cell, how: Aggregate) {
        match (self, other) {
            (Cell::Sum { total, known }, Cell::Sum { total: more, known: lines }) => {
                total.merge(*more);
                *known += lines;
            }
            (Cell::Count(known), Cell::Count(lines)) => *known += lines,
            (Cell::Counted(values), Cell::Counted(others)) => values.merge(others),
            (Cell::Extreme(best), Cell::Extreme(other)) => keep_best(best, other.as_ref(), how),
            (Cell::Distinct(values), Cell::Distinct(others)) => {
                values.extend_from_slice(others);
                values.sort_unstable();
                values.dedup();
            }
            _ => unreachable!("the cells of one sum are of one kind"),
        }
    }

    /// The lines that it holds.
    pub(crate) fn known(&self) -> Option<u64> {
        match self {
            Cell::Sum { known, .. } | Cell::Count(known) => Some(*known),
            Cell::Counted(values) => Some(values.lines()),
            Cell::Extreme(_) | Cell::Distinct(_) => None,
        }
    }
}

/// Keeps the smaller or larger of two values.
pub(super) fn keep_best(
    best: &mut Option<Value<'static>>,
    other: Option<&Value<'_>>,
    how: Aggregate,
) {
    let Some(other) = other else { return };
    let better = match best {
        None => true,
        Some(best) if how == Aggregate::Largest => *other > *best,
        Some(best) => *other < *best,
    };
    if better {
        *best = Some(other.clone().into_owned());
    }
}

impl GroupSums {
    pub(crate) fn empty(sums: &[Summed]) -> GroupSums {
        GroupSums { lines: 0, cells: sums.iter().map(|sum| Cell::empty(sum.how)).collect() }
    }

    /// Whether its cells are those of these sums.
    pub(super) fn is_of(&self, sums: &[Summed]) -> bool {
        let kind = |cell: &Cell| std::mem::discriminant(cell);
        let same = |(cell, sum): (&Cell, &Summed)| kind(cell) == kind(&Cell::empty(sum.how));
        self.cells.len() == sums.len() && self.cells.iter().zip(sums).all(same)
    }

    /// Gives what is counted other numbers, by sum and number; whether all have one.
    pub(super) fn renumber(&mut self, number: impl Fn(usize, u32) -> Option<u32>) -> bool {
        for (sum, cell) in self.cells.iter_mut().enumerate() {
            let Cell::Distinct(values) = cell else { continue };
            let own: Option<Vec<u32>> = values.iter().map(|value| number(sum, *value)).collect();
            let Some(mut own) = own else { return false };
            own.sort_unstable();
            *values = own;
        }
        true
    }

    pub(crate) fn merge(&mut self, other: &GroupSums, sums: &[Summed]) {
        self.lines += other.lines;
        for ((own, other), sum) in self.cells.iter_mut().zip(&other.cells).zip(sums) {
            own.merge(other, sum.how);
        }
    }

    /// Its lines with the sums that prove them.
    pub(super) fn tally(&self, plan: &TotalsPlan) -> Tally {
        let mut tally = Tally { lines: self.lines, ..plan.tally_of_none() };
        for (measure, sum) in &plan.proof {
            if let Cell::Sum { total, .. } = &self.cells[*sum] {
                tally.sums[*measure] = Some(*total);
            }
        }
        tally
    }

    /// The value of a measure; blank where no line has one.
    pub(super) fn value(
        &self,
        plan: &TotalsPlan,
        measure: &Measure,
    ) -> Result<Value<'static>, TotalsError> {
        let unfit = || TotalsError::DoesNotFit { measure: measure.column_name.clone() };
        let count = |lines: u64| Value::Number(Decimal::from(lines as i64));
        let value = match &measure.work {
            Work::Lines => count(self.lines),
            Work::Known(sum) => count(self.cells[*sum].known().unwrap_or(0)),
            Work::Blank(sum) => count(self.lines - self.cells[*sum].known().unwrap_or(0)),
            Work::Of(sum) => self.total(plan, *sum).ok_or_else(unfit)?,
            Work::Again { parts, expr } => {
                let parts: Option<Vec<Value<'static>>> =
                    parts.iter().map(|part| self.total(plan, *part)).collect();
                let parts = Parts(parts.ok_or_else(unfit)?);
                evaluate(expr, &parts).map_err(|_| unfit())?.into_owned()
            }
        };
        Ok(match value {
            Value::Number(number) => Value::Number(number.at_least(measure.least_places)),
            other => other,
        })
    }

    /// What a sum came to; `None` when it overflows.
    fn total(&self, plan: &TotalsPlan, sum: usize) -> Option<Value<'static>> {
        Some(match &self.cells[sum] {
            Cell::Sum { known: 0, .. } => Value::Blank,
            Cell::Sum { total, known } if plan.sums[sum].how == Aggregate::Average => {
                let (total, known) = (total.value()?, Decimal::from(*known as i64));
                let places = total.trimmed(0).places().saturating_add(QUOTIENT_PLACES);
                Value::Number(total.checked_div(known, places)?.trimmed(0))
            }
            Cell::Sum { total, .. } => Value::Number(total.value()?),
            Cell::Count(known) => Value::Number(Decimal::from(*known as i64)),
            Cell::Counted(values) if values.lines() == 0 => Value::Blank,
            Cell::Counted(values) => Value::Number(values.median()?),
            Cell::Extreme(best) => best.clone().unwrap_or(Value::Blank),
            Cell::Distinct(values) => Value::Number(Decimal::from(values.len() as i64)),
        })
    }
}

impl Measure {
    /// Whether its rows add up to the whole: lines, counts and plain sums do.
    pub(super) fn adds_up(&self, sums: &[Summed]) -> bool {
        match self.work {
            Work::Lines | Work::Known(_) | Work::Blank(_) => true,
            Work::Of(sum) => matches!(sums[sum].how, Aggregate::Sum | Aggregate::Count),
            Work::Again { .. } => false,
        }
    }

    /// The lines that it takes in, of a sum or ratio.
    pub(super) fn known(&self, sums: &GroupSums) -> Option<u64> {
        let sum = match &self.work {
            Work::Of(sum) => *sum,
            Work::Again { parts, .. } => *parts.first()?,
            Work::Lines | Work::Known(_) | Work::Blank(_) => return None,
        };
        match sums.cells[sum] {
            Cell::Sum { known, .. } => Some(known),
            _ => None,
        }
    }
}

/// The sums that a ratio is computed from.
struct Parts(Vec<Value<'static>>);

impl Leaves for Parts {
    fn column(&self, _: usize) -> Value<'_> {
        Value::Blank
    }
    fn part(&self, part: usize) -> Value<'_> {
        self.0[part].clone()
    }
}
