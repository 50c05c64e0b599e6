//! What a plan makes of the values of a line, whichever run they are of.

use interligo_engine::engine::Engine;
use interligo_engine::eval::Expr;
use interligo_engine::live::LiveMeasure;
use interligo_engine::proof::exact_sum::ExactSum;
use interligo_engine::replay::{LineValues, ratio_over};
use interligo_model::plan::{Mistake, MistakeKind};
use interligo_model::values::decimal::Decimal;
use interligo_model::values::value::Value;

use smallvec::SmallVec;

use super::state::{Asked, State};
use crate::error::Error;
use crate::runs::{
    Needs, Places, RecordError, RecordedFact, RecordedLine, Row, shown as shown_folder,
};

/// What a line adds to the parts of a figure.
pub(super) type Parts = SmallVec<[Decimal; 2]>;

/// What a line adds to the parts of each figure; none where one of them is unknown.
pub(super) type Added = Vec<Option<Parts>>;

/// A plan, ready to compute figures of given lines.
pub(super) struct Computing<'e> {
    engine: &'e Engine,
    /// The record of its run.
    fact: &'e RecordedFact,
    needs: Needs,
    /// Where that has what it needs.
    places: Places,
    /// Of each figure that is bridged, its parts; none where this plan does not have it.
    measures: Vec<Option<LiveMeasure>>,
    /// Of each figure, whether it is shown as percent.
    percents: Vec<bool>,
    /// The attribute by which the bridge is divided.
    by: Option<Expr>,
}

impl<'e> Computing<'e> {
    pub(super) fn new(
        engine: &'e Engine,
        fact: &'e RecordedFact,
        measures: Vec<Option<LiveMeasure>>,
        percents: Vec<bool>,
        by: Option<Expr>,
    ) -> Computing<'e> {
        let needs = Needs::of(engine);
        let places = Places::of(&needs, fact);
        Computing { engine, fact, needs, places, measures, percents, by }
    }

    /// What a line adds to the parts of each figure; none where one of them is unknown.
    pub(super) fn added(&self, state: &State) -> Result<Added, Error> {
        self.added_of(&Asked::new(state, &self.needs))
    }

    /// The same of a line of its own run, as the record has it.
    pub(super) fn added_as_recorded(&self, row: &Row) -> Result<Added, Error> {
        self.added_of(&RecordedLine::new(self.fact, row, &self.places))
    }

    fn added_of(&self, values: &impl LineValues) -> Result<Added, Error> {
        let line = self.engine.replay(values).map_err(overflow)?;
        let mut added = Vec::with_capacity(self.measures.len());
        for measure in &self.measures {
            let mut parts = Some(Parts::new());
            for expr in measure.iter().flat_map(LiveMeasure::values) {
                let number = line.number(expr).map_err(overflow)?;
                match (&mut parts, number) {
                    (Some(parts), Some(number)) => parts.push(number),
                    _ => parts = None,
                }
            }
            added.push(parts.filter(|parts| !parts.is_empty()));
        }
        Ok(added)
    }

    /// The group of a line of its own run, as the record has it; none where that does not have all that decides it.
    pub(super) fn group_as_recorded(&self, row: &Row) -> Result<Option<Value<'static>>, Error> {
        let Some(by) = &self.by else { return Ok(Some(Value::Blank)) };
        let recorded = RecordedLine::new(self.fact, row, &self.places);
        let line = self.engine.replay(&recorded).map_err(overflow)?;
        let group = line.value(by).map_err(overflow)?;
        Ok(Some(group).filter(|_| !recorded.has_missed()))
    }

    /// The group of a line, where the bridge is divided. The record that it is of must have what decides it.
    pub(super) fn group(
        &self,
        state: &State,
        fact: &RecordedFact,
    ) -> Result<Value<'static>, Error> {
        let Some(by) = &self.by else { return Ok(Value::Blank) };
        let asked = Asked::new(state, &self.needs);
        let line = self.engine.replay(&asked).map_err(overflow)?;
        // A figure that the other run does not have may ask for more than it kept.
        let by_figures = asked.missed();
        let group = line.value(by).map_err(overflow)?;
        let missed = asked.missed().or(by_figures.filter(|_| matches!(group, Value::Blank)));
        match missed {
            Some(what) => {
                let folder = shown_folder(fact.folder());
                Err(RecordError::NotKept { folder, what }.into())
            }
            None => Ok(group),
        }
    }

    /// Whether the plan shows a figure as percent.
    pub(super) fn is_percent(&self, figure: usize) -> bool {
        self.percents.get(figure).copied().unwrap_or(false)
    }

    /// Whether a figure is summed over lines; else it is a ratio of sums, or an average.
    pub(super) fn is_sum(&self, figure: usize) -> bool {
        matches!(
            self.measures[figure],
            Some(LiveMeasure::Sum(_) | LiveMeasure::Known(_) | LiveMeasure::Blank(_))
        )
    }

    /// Whether the bridge is divided into groups.
    pub(super) fn has_groups(&self) -> bool {
        self.by.is_some()
    }

    /// What sums over lines come to, and how many of the lines are known.
    pub(super) fn values_of(
        &self,
        figure: usize,
        sums: &[ExactSum],
        known: u64,
    ) -> Option<Decimal> {
        let sum = |sum: &ExactSum| sum.value().map_or(Value::Blank, Value::Number);
        match self.measures[figure].as_ref()? {
            _ if known == 0 => None,
            LiveMeasure::Ratio { of, .. } => {
                ratio_over(of, &sums.iter().map(sum).collect::<Vec<_>>()).number()
            }
            LiveMeasure::Average(_) => {
                let known = Decimal::from(i64::try_from(known).ok()?);
                sums.first()?.value()?.checked_div(known, 12).map(|mean| mean.trimmed(0))
            }
            _ => sums.first()?.value(),
        }
    }
}

fn overflow(_: interligo_engine::eval::Overflow) -> Error {
    let message = "a figure overflows: it needs more than 38 digits";
    Mistake::of_plan(MistakeKind::Overflow, message).into()
}
