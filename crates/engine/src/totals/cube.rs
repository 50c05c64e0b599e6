//! What the workers have summed, brought together: the groups of a table over all its sources. A source is a fact,
//! or a fact seen as if its lines were of a later time.

use std::collections::HashMap;

use interligo_model::values::date::Period;
use interligo_model::values::decimal::Decimal;
use interligo_model::values::value::Value;
use serde::{Deserialize, Serialize};

use super::codes::Key;
use super::group_keys::{GroupKeys, key_in};
use super::groups::{Finished, Groups};
use super::layout::Layout;
use super::plan::TotalsPlan;
use super::sums::{Gathered, NO_GROUP, Sums};
use crate::eval::Type;
use crate::proof::faults::{Fault, strikes};
use crate::proof::tally::Tally;

/// Values with a number each, in the order in which they came.
#[derive(Debug, Default)]
pub(super) struct Numbered {
    numbers: HashMap<Value<'static>, u32>,
    pub(super) values: Vec<Value<'static>>,
}

impl Numbered {
    pub(super) fn number(&mut self, value: Value<'static>) -> u32 {
        let values = &mut self.values;
        *self.numbers.entry(value).or_insert_with_key(|value| {
            values.push(value.clone());
            values.len() as u32 - 1
        })
    }

    fn numbers(&mut self, values: impl IntoIterator<Item = Value<'static>>) -> Vec<u32> {
        values.into_iter().map(|value| self.number(value)).collect()
    }
}

/// The groups of a table in a form that is kept and put together with others: attributes and what is counted by their numbers.
#[derive(Debug, Serialize, Deserialize)]
pub struct KeptCube {
    attributes: Vec<Vec<Value<'static>>>,
    distinct: Vec<((usize, usize), Vec<Value<'static>>)>,
    keys: GroupKeys,
    sums: Sums,
    counts: Vec<u64>,
    filtered: Vec<Tally>,
}

/// The groups of a table.
#[derive(Debug)]
pub struct Cube {
    /// Of each attribute its type and its values.
    types: Vec<Type>,
    pub(super) attributes: Vec<Numbered>,
    /// Different values of what is counted, by source and sum.
    distinct: HashMap<(usize, usize), Numbered>,
    pub(super) keys: GroupKeys,
    pub(super) sums: Sums,
    /// Of each source, lines that count.
    counts: Vec<u64>,
    /// Of each source, lines that the filter left out.
    filtered: Vec<Tally>,
}

impl Cube {
    /// No groups yet, for a table whose first source has this plan.
    pub fn new(plan: &TotalsPlan, layout: &Layout) -> Cube {
        let sources = layout.sources;
        Cube {
            types: plan.by.iter().map(|by| by.expr.ty).collect(),
            attributes: plan.by.iter().map(|_| Numbered::default()).collect(),
            distinct: HashMap::new(),
            keys: GroupKeys::new(plan.by.len()),
            sums: Sums::new(sources),
            counts: vec![0; sources],
            filtered: vec![Tally::default(); sources],
        }
    }

    /// Takes in what a worker has summed for a source.
    pub fn absorb(&mut self, plan: &TotalsPlan, groups: Groups<'_>) {
        if groups.has_lines() && strikes(Fault::WorkerLost) {
            return;
        }
        self.filtered[plan.source].merge(groups.filtered());
        let Finished { attributes, distinct, codes, mut sums } = groups.finish();
        let mut counted: HashMap<usize, Vec<u32>> = HashMap::new();
        for (sum, values) in distinct {
            let known = self.distinct.entry((plan.source, sum)).or_default();
            counted.insert(sum, known.numbers(values));
        }
        let all = sums.renumber(|sum, value| counted.get(&sum)?.get(value as usize).copied());
        debug_assert!(all, "what a worker has met has a number");
        let own = self.attributes.iter_mut().zip(&self.types).zip(attributes);
        let numbers: Vec<Vec<u32>> = own
            .map(|((known, ty), values)| {
                known.numbers(values.into_iter().map(|value| in_type(value, *ty)))
            })
            .collect();
        self.keys.reserve(sums.lines.len().saturating_sub(self.keys.len()));
        let mut key = Key::new();
        let groups = sums.lines.iter().zip(0..).map(|(lines, group)| {
            if *lines == 0 || strikes(Fault::GroupLost) {
                return NO_GROUP;
            }
            let codes = key_in(&codes, numbers.len(), group).iter().zip(&numbers);
            key.clear();
            key.extend(codes.map(|(code, numbers)| numbers[*code as usize]));
            self.counts[plan.source] += lines;
            self.keys.group(&key)
        });
        let to: Vec<u32> = groups.collect();
        if let Some(group) = to.iter().position(|to| *to != NO_GROUP)
            && let Some(Gathered::Sum(sum)) = sums.columns.first_mut()
            && strikes(Fault::GroupSumChanged)
        {
            sum.add_number(group, 1, 0, 0);
        }
        self.sums.resize(self.keys.len());
        self.sums.absorb(plan, sums, &to);
    }

    /// The group with a key; one without lines is made where there is none.
    pub(super) fn add_group(&mut self, key: &[u32]) -> u32 {
        let group = self.keys.group(key);
        self.sums.resize(self.keys.len());
        group
    }

    /// The groups, to be kept.
    pub fn keep(self) -> KeptCube {
        let mut distinct: Vec<_> =
            self.distinct.into_iter().map(|(of, known)| (of, known.values)).collect();
        distinct.sort_by_key(|(of, _)| *of);
        KeptCube {
            attributes: self.attributes.into_iter().map(|known| known.values).collect(),
            distinct,
            keys: self.keys,
            sums: self.sums,
            counts: self.counts,
            filtered: self.filtered,
        }
    }

    /// Takes in the groups of other lines; `plans` has the plan of each source. The answer is whether they are of a table
    /// laid out like this one.
    #[must_use]
    pub fn absorb_kept(&mut self, plans: &[&TotalsPlan], kept: KeptCube) -> bool {
        let sources = self.counts.len();
        let fits = kept.attributes.len() == self.attributes.len()
            && kept.counts.len() == sources
            && kept.filtered.len() == sources
            && kept.keys.is_of(self.attributes.len())
            && kept.sums.are_of(plans, sources, kept.keys.len());
        if !fits {
            return false;
        }
        let own = self.attributes.iter_mut().zip(kept.attributes);
        let numbers: Vec<Vec<u32>> = own.map(|(known, values)| known.numbers(values)).collect();
        let mut counted: HashMap<(usize, usize), Vec<u32>> = HashMap::new();
        for (of, values) in kept.distinct {
            counted.insert(of, self.distinct.entry(of).or_default().numbers(values));
        }
        for source in 0..sources {
            self.counts[source] += kept.counts[source];
            self.filtered[source].merge(&kept.filtered[source]);
        }
        let mut to = Vec::with_capacity(kept.keys.len());
        for group in 0..kept.keys.len() as u32 {
            let pairs = kept.keys.of(group).iter().zip(&numbers);
            let own: Option<Key> =
                pairs.map(|(code, numbers)| numbers.get(*code as usize).copied()).collect();
            let Some(key) = own else { return false };
            to.push(self.keys.group(&key));
        }
        self.sums.resize(self.keys.len());
        for (source, mut sums) in kept.sums.into_sources().into_iter().enumerate() {
            let number =
                |sum, value: u32| counted.get(&(source, sum))?.get(value as usize).copied();
            if !sums.renumber(number) {
                return false;
            }
            if let Some(plan) = plans.iter().find(|plan| plan.source == source) {
                self.sums.absorb(plan, sums, &to);
            }
        }
        true
    }

    /// Of the first source, lines that count.
    pub(super) fn lines(&self) -> u64 {
        self.counts.first().copied().unwrap_or_default()
    }

    /// Of each source, lines that the filter left out.
    pub(super) fn filtered(&self) -> &[Tally] {
        &self.filtered
    }
}

/// A value of another fact as the first has it: a text or day that names a period, a number as text.
fn in_type(value: Value<'static>, ty: Type) -> Value<'static> {
    match (value, ty) {
        (Value::Text(text), Type::Period(unit)) => match Period::read(&text) {
            Some(found) => in_type(Value::Period(found), Type::Period(unit)),
            None => Value::Text(text),
        },
        (Value::Date(day), Type::Period(unit)) => Value::Period(Period::containing(unit, day)),
        // A month lies in one quarter and one year.
        (Value::Period(found), Type::Period(unit)) if found.unit > unit => match found.days() {
            Some((first, _)) => Value::Period(Period::containing(unit, first)),
            None => Value::Period(found),
        },
        (Value::Text(text), Type::Number { .. }) => {
            Decimal::parse(text.as_bytes()).map_or(Value::Text(text), Value::Number)
        }
        (Value::Period(found), Type::Text) => Value::Text(found.to_string().into()),
        (Value::Number(number), Type::Text) => Value::Text(number.to_string().into()),
        (Value::Date(day), Type::Text) => Value::Text(day.to_string().into()),
        (value, _) => value,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use interligo_model::values::date::PeriodUnit;

    #[test]
    fn values_of_another_fact_take_the_form_of_the_first() {
        let text = |text: &'static str| Value::Text(text.into());
        let period = |unit, text: &str| Value::Period(Period::parse(unit, text).unwrap());
        let (quarter, month) = (PeriodUnit::Quarter, PeriodUnit::Month);
        let number = Type::Number { places: 0 };
        let day = Value::Date(interligo_model::values::date::Day::parse(b"2025-05-31").unwrap());
        for (value, ty, becomes) in [
            (text("2025-05"), Type::Period(month), period(month, "2025-05")),
            (text("May 2025"), Type::Period(month), period(month, "2025-05")),
            (text("2025-05"), Type::Period(quarter), period(quarter, "2025-Q2")),
            (day.clone(), Type::Period(quarter), period(quarter, "2025-Q2")),
            // A quarter is no month, and what is no period stays what it is.
            (period(quarter, "2025-Q2"), Type::Period(month), period(quarter, "2025-Q2")),
            (text("spring"), Type::Period(month), text("spring")),
            (text("2025"), number, Value::Number(2025.into())),
            (text("x"), number, text("x")),
            (Value::Number(2025.into()), Type::Text, text("2025")),
            (period(month, "2025-05"), Type::Text, text("2025-05")),
            (day, Type::Text, text("2025-05-31")),
            (Value::Blank, Type::Period(month), Value::Blank),
        ] {
            assert_eq!(in_type(value.clone(), ty), becomes, "{value} as {ty:?}");
        }
    }
}
