//! What all lines come to, cause by cause: the bridge of each figure, in all and for each group.

use std::collections::BTreeMap;

use interligo_engine::proof::exact_sum::ExactSum;
use interligo_model::values::decimal::Decimal;
use interligo_model::values::value::Value;

use super::change::{CauseOrder, Change};
use super::computing::{Added, Computing, Parts};
use super::{Cause, CauseKind, ChangedLine};

/// What is summed of a figure.
#[derive(Clone, Debug, Default)]
pub(super) struct Sums {
    parts: Vec<ExactSum>,
    known: i64,
}

impl Sums {
    fn add(&mut self, numbers: Option<&Parts>, sign: i64) {
        let Some(numbers) = numbers else { return };
        self.known += sign;
        self.parts.resize(self.parts.len().max(numbers.len()), ExactSum::default());
        for (sum, number) in self.parts.iter_mut().zip(numbers) {
            let number = if sign < 0 { number.checked_neg() } else { Some(*number) };
            // The one number without an opposite is not among decimals of 38 digits.
            sum.add(number.unwrap_or(Decimal::ZERO));
        }
    }

    fn merge(&mut self, other: &Sums) {
        self.known += other.known;
        self.parts.resize(self.parts.len().max(other.parts.len()), ExactSum::default());
        self.parts.iter_mut().zip(&other.parts).for_each(|(own, other)| own.merge(*other));
    }
}

/// What a cause comes to.
#[derive(Clone, Debug, Default)]
struct Made {
    /// What it is on its lines: the first in their order, and whether there are others.
    example: Option<(String, bool)>,
    figures: Vec<MadeOfFigure>,
}

/// What a cause makes of a figure.
#[derive(Clone, Debug, Default)]
struct MadeOfFigure {
    lines: u64,
    became_known: u64,
    became_unknown: u64,
    added: Sums,
}

/// What all lines come to, on the way from one run to the other.
#[derive(Clone, Debug, Default)]
pub(super) struct Bridge {
    pub(super) from: Vec<Sums>,
    pub(super) to: Vec<Sums>,
    causes: BTreeMap<CauseOrder, Made>,
    /// By group, the same.
    pub(super) groups: BTreeMap<String, Bridge>,
    /// Lines that changed, where they are listed.
    pub(super) changed: Vec<ChangedLine>,
}

impl Made {
    fn merge(&mut self, other: Made) {
        self.example = match (self.example.take(), other.example) {
            (Some((own, _)), Some((other, _))) if own != other => Some((own.min(other), true)),
            (Some((own, has)), Some((_, other_has))) => Some((own, has || other_has)),
            (own, other) => own.or(other),
        };
        self.figures.resize(self.figures.len().max(other.figures.len()), Default::default());
        for (own, other) in self.figures.iter_mut().zip(other.figures) {
            own.lines += other.lines;
            own.became_known += other.became_known;
            own.became_unknown += other.became_unknown;
            own.added.merge(&other.added);
        }
    }

    fn cause(&self, kind: CauseKind, what: &str) -> Cause {
        let (example, has_others) = self.example.clone().unwrap_or_default();
        Cause { kind, what: what.to_owned(), example, has_others }
    }
}

/// Adds what a line adds to the sums of each figure.
pub(super) fn add_all(sums: &mut Vec<Sums>, added: &Added) {
    sums.resize(sums.len().max(added.len()), Sums::default());
    sums.iter_mut().zip(added).for_each(|(sum, numbers)| sum.add(numbers.as_ref(), 1));
}

/// The name of a group.
pub(super) fn group_name(value: &Value<'_>) -> String {
    interligo_engine::totals::attribute_text(value)
}

fn merge_all(sums: &mut Vec<Sums>, other: &[Sums]) {
    sums.resize(sums.len().max(other.len()), Sums::default());
    sums.iter_mut().zip(other).for_each(|(own, other)| own.merge(other));
}

impl Bridge {
    /// Adds what other lines come to. Those that are listed come in the order in which they are merged.
    pub(super) fn merge(&mut self, other: Bridge) {
        merge_all(&mut self.from, &other.from);
        merge_all(&mut self.to, &other.to);
        for (cause, made) in other.causes {
            self.causes.entry(cause).or_default().merge(made);
        }
        for (group, bridge) in other.groups {
            self.groups.entry(group).or_default().merge(bridge);
        }
        self.changed.extend(other.changed);
    }

    /// Adds what the figures of a line are in the first run and in the second.
    pub(super) fn add(&mut self, from: &Added, to: &Added) {
        add_all(&mut self.from, from);
        add_all(&mut self.to, to);
    }

    /// Takes in a line that one run has only.
    pub(super) fn whole_line(&mut self, change: &Change) {
        self.add(&change.before, &change.after);
        self.note(change);
    }

    pub(super) fn group(&mut self, value: &Value<'_>) -> &mut Bridge {
        self.groups.entry(group_name(value)).or_default()
    }

    pub(super) fn note(&mut self, change: &Change) {
        let made = self.causes.entry(change.cause.clone()).or_default();
        let own = &change.example;
        made.example = Some(match made.example.take() {
            None => (own.clone(), false),
            Some((first, _)) if first != *own => (first.min(own.clone()), true),
            Some(same) => same,
        });
        made.figures.resize(made.figures.len().max(change.after.len()), Default::default());
        let ends = change.before.iter().zip(&change.after);
        for (own, (before, after)) in made.figures.iter_mut().zip(ends) {
            own.lines += u64::from(before != after);
            own.became_known += u64::from(before.is_none() && after.is_some());
            own.became_unknown += u64::from(before.is_some() && after.is_none());
            own.added.add(before.as_ref(), -1);
            own.added.add(after.as_ref(), 1);
        }
    }

    /// What a figure came to in the first run and in the second, and each cause with what it makes of it.
    pub(super) fn of_figure(
        &self,
        figure: usize,
        (with_a, with_b): (&Computing<'_>, &Computing<'_>),
    ) -> FigureWay {
        let none = Sums::default();
        let (from, to) =
            (self.from.get(figure).unwrap_or(&none), self.to.get(figure).unwrap_or(&none));
        let value = |with: &Computing<'_>, sums: &Sums| {
            with.values_of(figure, &sums.parts, u64::try_from(sums.known).unwrap_or(0))
        };
        let is_sum = with_b.is_sum(figure);
        let mut at = from.clone();
        let mut last = value(with_a, from);
        let end = value(with_b, to);
        let mut steps = Vec::new();
        let made = self.causes.iter().filter_map(|(cause, made)| {
            Some((cause, made, made.figures.get(figure).filter(|own| own.lines > 0)?))
        });
        let mut made = made.peekable();
        while let Some(((kind, _, what), cause, own)) = made.next() {
            at.merge(&own.added);
            // The last step leads to what the second plan makes of it: it may divide to other places.
            let after = match made.peek() {
                None if !is_sum => end,
                _ => value(with_a, &at),
            };
            let difference = match is_sum {
                true => own.added.parts.first().and_then(|sum| sum.value()),
                false => match (last, after) {
                    (None, None) => None,
                    (last, after) => {
                        after.unwrap_or(Decimal::ZERO).checked_sub(last.unwrap_or(Decimal::ZERO))
                    }
                },
            };
            steps.push(WayStep {
                cause: cause.cause(*kind, what),
                lines: own.lines,
                became_known: own.became_known,
                became_unknown: own.became_unknown,
                difference,
            });
            last = after;
        }
        let from = if steps.is_empty() && !is_sum { end } else { value(with_a, from) };
        FigureWay { from, to: end, is_sum, is_percent: with_b.is_percent(figure), steps }
    }
}

/// What a figure came to in two runs, and why.
#[derive(Clone, Debug, PartialEq)]
pub struct FigureWay {
    /// What it came to in the first run.
    pub from: Option<Decimal>,
    /// What it came to in the second.
    pub to: Option<Decimal>,
    /// Whether it is a sum over lines; else the differences are of its total after each cause.
    pub is_sum: bool,
    /// Whether it is shown as percent.
    pub is_percent: bool,
    /// The causes, in their order.
    pub steps: Vec<WayStep>,
}

/// A cause with the difference that it makes.
#[derive(Clone, Debug, PartialEq)]
pub struct WayStep {
    /// The cause.
    pub cause: Cause,
    /// How many lines it changed.
    pub lines: u64,
    /// How many of them had no value before.
    pub became_known: u64,
    /// How many have none any more.
    pub became_unknown: u64,
    /// The difference; none where it overflows, or where nothing is known before and after.
    pub difference: Option<Decimal>,
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::super::change::Step;
    use super::*;

    fn added() -> impl Strategy<Value = Added> {
        let part = (-999i64..999, 0u8..3).prop_map(|(own, places)| {
            Decimal::new(i128::from(own), places).unwrap_or(Decimal::ZERO)
        });
        let parts = prop::collection::vec(part, 2).prop_map(Parts::from_vec);
        prop::collection::vec(prop::option::of(parts), 2)
    }

    fn change() -> impl Strategy<Value = Change> {
        let kind = prop::sample::select(vec![CauseKind::New, CauseKind::Own, CauseKind::Value]);
        (kind, "[ab]", "[xyz]", added(), added()).prop_map(
            |(kind, what, example, before, after)| {
                Change::new(Step { cause: (kind, 0, what), example }, before, after)
            },
        )
    }

    fn bridge<'c>(changes: impl Iterator<Item = &'c (String, Change)>) -> Bridge {
        let mut bridge = Bridge::default();
        for (group, change) in changes {
            bridge.whole_line(change);
            bridge.group(&Value::Text(group.as_str().into())).whole_line(change);
        }
        bridge
    }

    proptest! {
        /// However lines fall to workers, and in whatever order these are merged, they come to the same.
        #[test]
        fn bridges_of_parts_come_to_that_of_the_whole(
            changes in prop::collection::vec(("[FG]", change()), 0..12),
            workers in 1usize..4,
        ) {
            let part = |worker: usize| {
                let own = changes.iter().enumerate().filter(move |(at, _)| at % workers == worker);
                bridge(own.map(|(_, change)| change))
            };
            let mut merged = Bridge::default();
            (0..workers).rev().for_each(|worker| merged.merge(part(worker)));
            let whole = bridge(changes.iter());
            prop_assert_eq!(format!("{merged:?}"), format!("{whole:?}"));
        }
    }
}
