//! What makes the figures of a line others: causes, one after the other, with what they come to after each.

use interligo_model::values::decimal::Decimal;

use super::computing::{Added, Computing, Parts};
use super::{Cause, CauseKind};

/// Causes in the order in which they are taken.
pub(super) type CauseOrder = (CauseKind, usize, String);

/// A cause on a line, before it is known what it makes of figures.
pub(super) struct Step {
    pub(super) cause: CauseOrder,
    /// What it is on this line: a key, or the value before and after.
    pub(super) example: String,
}

impl Step {
    pub(super) fn of(cause: CauseOrder) -> Step {
        Step { cause, example: String::new() }
    }
}

/// A cause on a line, with what figures were before and are after it.
#[derive(Debug)]
pub(super) struct Change {
    pub(super) cause: CauseOrder,
    pub(super) example: String,
    pub(super) before: Added,
    pub(super) after: Added,
}

impl Change {
    pub(super) fn new(Step { cause, example }: Step, before: Added, after: Added) -> Change {
        Change { cause, example, before, after }
    }

    /// The cause, with the difference that it makes to each figure that is a sum; what a ratio is on one line adds to nothing.
    pub(super) fn shown(&self, with: &Computing<'_>) -> (Cause, Vec<Option<Decimal>>) {
        let first = |parts: &Option<Parts>| parts.as_ref().and_then(|p| p.first().copied());
        let ends = self.before.iter().zip(&self.after).enumerate();
        let differences = ends.map(|(figure, (before, after))| {
            let (before, after) = (first(before), first(after));
            match (before, after) {
                (None, None) => None,
                _ if !with.is_sum(figure) => None,
                _ => after.unwrap_or(Decimal::ZERO).checked_sub(before.unwrap_or(Decimal::ZERO)),
            }
        });
        let (kind, _, what) = self.cause.clone();
        let cause = Cause { kind, what, example: self.example.clone(), has_others: false };
        (cause, differences.collect())
    }
}

/// The causes of a line as they come.
pub(super) struct Changes {
    pub(super) made: Vec<Change>,
    pub(super) at: Added,
    /// Causes that wait for the next, because a figure is unknown between them that is known before and after.
    pub(super) pending: Vec<Step>,
}

impl Changes {
    pub(super) fn step(&mut self, step: Step, after: Added, (from, to): (&Added, &Added)) {
        let ends = from.iter().zip(to);
        let is_between = after
            .iter()
            .zip(ends)
            .any(|(now, (from, to))| now.is_none() && from.is_some() && to.is_some());
        match is_between {
            true => self.pending.push(step),
            false => self.last(step, after),
        }
    }

    pub(super) fn last(&mut self, step: Step, after: Added) {
        let before = std::mem::replace(&mut self.at, after.clone());
        let (kind, order, _) = step.cause;
        let steps: Vec<Step> = self.pending.drain(..).chain([step]).collect();
        if before == after {
            return;
        }
        let names = steps.iter().map(|step| step.cause.2.as_str()).filter(|name| !name.is_empty());
        let cause = (kind, order, names.collect::<Vec<_>>().join(" and "));
        let examples = steps.iter().map(|step| step.example.as_str());
        let example = examples.filter(|own| !own.is_empty()).collect::<Vec<_>>().join(", ");
        self.made.push(Change::new(Step { cause, example }, before, after));
    }
}
