//! What is summed up of a group, and how that becomes the values of measures.

use interligo_model::values::decimal::{Decimal, QUOTIENT_PLACES};
use interligo_model::values::value::Value;

use super::measure::{Aggregate, Measure, Summed, Work};
use super::plan::TotalsPlan;
use super::sums::{Gathered, SourceSums};
use super::table::TotalsError;
use crate::eval::{Leaves, evaluate};
use crate::proof::exact_sum::ExactSum;
use crate::proof::tally::Tally;

/// What is summed up of the lines of a group.
#[derive(Clone, Copy, Debug)]
pub(super) struct GroupSums<'s> {
    pub(super) all: &'s SourceSums,
    pub(super) group: usize,
}

impl GroupSums<'_> {
    pub(super) fn lines(self) -> u64 {
        self.all.lines[self.group]
    }

    /// One of its sums, and how many lines it holds; none of what is no sum.
    pub(super) fn sum(self, sum: usize) -> Option<(ExactSum, u64)> {
        match &self.all.columns[sum] {
            Gathered::Sum(sums) => Some(sums.of(self.group)),
            _ => None,
        }
    }

    /// The lines on which what is summed has a value, where these are counted.
    pub(super) fn known(self, sum: usize) -> Option<u64> {
        match &self.all.columns[sum] {
            Gathered::Sum(sums) => Some(sums.known(self.group)),
            Gathered::Count(counts) => Some(counts[self.group]),
            Gathered::Median(counted) => Some(counted[self.group].lines()),
            Gathered::Smallest(_) | Gathered::Largest(_) | Gathered::Distinct(_) => None,
        }
    }

    /// Adds its lines with the sums that prove them.
    pub(super) fn add_to(self, tally: &mut Tally, plan: &TotalsPlan) {
        tally.lines += self.lines();
        tally.sums.resize(plan.measured, None);
        for (measure, sum) in &plan.proof {
            if let Some((total, _)) = self.sum(*sum) {
                tally.sums[*measure].get_or_insert_default().merge(total);
            }
        }
    }

    /// The value of a measure; blank where no line has one.
    pub(super) fn value(
        self,
        plan: &TotalsPlan,
        measure: &Measure,
    ) -> Result<Value<'static>, TotalsError> {
        let unfit = || TotalsError::DoesNotFit { measure: measure.column_name.clone() };
        let count = |lines: u64| Value::Number(Decimal::from(lines as i64));
        let value = match &measure.work {
            Work::Lines => count(self.lines()),
            Work::Known(sum) => count(self.known(*sum).unwrap_or(0)),
            Work::Blank(sum) => count(self.lines() - self.known(*sum).unwrap_or(0)),
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
    fn total(self, plan: &TotalsPlan, sum: usize) -> Option<Value<'static>> {
        let count = |number: usize| Value::Number(Decimal::from(number as i64));
        Some(match &self.all.columns[sum] {
            Gathered::Sum(sums) => match sums.of(self.group) {
                (_, 0) => Value::Blank,
                (total, known) if plan.sums[sum].how == Aggregate::Average => {
                    let (total, known) = (total.value()?, Decimal::from(known as i64));
                    let places = total.trimmed(0).places().saturating_add(QUOTIENT_PLACES);
                    Value::Number(total.checked_div(known, places)?.trimmed(0))
                }
                (total, _) => Value::Number(total.value()?),
            },
            Gathered::Count(counts) => count(counts[self.group] as usize),
            Gathered::Median(counted) if counted[self.group].lines() == 0 => Value::Blank,
            Gathered::Median(counted) => Value::Number(counted[self.group].median()?),
            Gathered::Smallest(best) | Gathered::Largest(best) => {
                best[self.group].clone().unwrap_or(Value::Blank)
            }
            Gathered::Distinct(values) => count(values[self.group].len()),
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

    /// The lines that it takes in, where some may be left out.
    pub(super) fn known(&self, sums: GroupSums<'_>) -> Option<u64> {
        let sum = match &self.work {
            Work::Of(sum) => self.counted.unwrap_or(*sum),
            Work::Again { parts, .. } => *parts.first()?,
            Work::Lines | Work::Known(_) | Work::Blank(_) => return None,
        };
        sums.known(sum)
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
