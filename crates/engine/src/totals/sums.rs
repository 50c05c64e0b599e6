//! What is summed of the groups of a table: a column for each sum, in which a group has its number.

use interligo_model::values::value::Value;
use serde::{Deserialize, Serialize};

use super::cells::GroupSums;
use super::measure::{Aggregate, Summed};
use super::median::Counted;
use super::plan::TotalsPlan;
use super::sum_column::SumColumn;

/// The group of a line that does not count, and what stands for no group.
pub(super) const NO_GROUP: u32 = u32::MAX;

/// One of the sums, in all groups.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub(super) enum Gathered {
    /// Sums, and how many lines each holds.
    Sum(SumColumn),
    /// How many lines have a value.
    Count(#[serde(with = "super::kept_numbers")] Vec<u64>),
    /// All values, for the one in the middle.
    Median(Vec<Counted>),
    /// The smallest values.
    Smallest(Vec<Option<Value<'static>>>),
    /// The largest values.
    Largest(Vec<Option<Value<'static>>>),
    /// Different values, by their numbers, ascending.
    Distinct(Vec<Vec<u32>>),
}

impl Gathered {
    pub(super) fn new(how: Aggregate) -> Gathered {
        match how {
            Aggregate::Sum | Aggregate::Average => Gathered::Sum(SumColumn::default()),
            Aggregate::Count => Gathered::Count(Vec::new()),
            Aggregate::Median => Gathered::Median(Vec::new()),
            Aggregate::Smallest => Gathered::Smallest(Vec::new()),
            Aggregate::Largest => Gathered::Largest(Vec::new()),
            Aggregate::Distinct => Gathered::Distinct(Vec::new()),
        }
    }

    fn resize(&mut self, groups: usize) {
        match self {
            Gathered::Sum(sums) => sums.resize(groups),
            Gathered::Count(counts) => counts.resize(groups, 0),
            Gathered::Median(counted) => counted.resize_with(groups, Counted::default),
            Gathered::Smallest(best) | Gathered::Largest(best) => best.resize(groups, None),
            Gathered::Distinct(values) => values.resize_with(groups, Vec::new),
        }
    }

    fn len(&self) -> usize {
        match self {
            Gathered::Sum(sums) => sums.len(),
            Gathered::Count(counts) => counts.len(),
            Gathered::Median(counted) => counted.len(),
            Gathered::Smallest(best) | Gathered::Largest(best) => best.len(),
            Gathered::Distinct(values) => values.len(),
        }
    }

    /// Takes in other groups; `to` has of each which group here is the same, or [`NO_GROUP`].
    fn absorb(&mut self, other: Gathered, to: &[u32]) {
        match (self, other) {
            (Gathered::Sum(own), Gathered::Sum(other)) => own.absorb(&other, to),
            (Gathered::Count(own), Gathered::Count(other)) => {
                each(other, to, |group, lines| own[group] += lines);
            }
            (Gathered::Median(own), Gathered::Median(other)) => {
                each(other, to, |group, counted| own[group].merge(&counted));
            }
            (Gathered::Smallest(own), Gathered::Smallest(other)) => {
                each(other, to, |group, value| keep_smaller(&mut own[group], value));
            }
            (Gathered::Largest(own), Gathered::Largest(other)) => {
                each(other, to, |group, value| keep_larger(&mut own[group], value));
            }
            (Gathered::Distinct(own), Gathered::Distinct(other)) => {
                each(other, to, |group, values| add_different(&mut own[group], &values));
            }
            _ => unreachable!("the columns of one sum are of one kind"),
        }
    }

    /// Some of the groups, each once, in this order.
    fn gathered(self, order: &[u32]) -> Gathered {
        match self {
            Gathered::Sum(sums) => Gathered::Sum(sums.gathered(order)),
            Gathered::Count(counts) => Gathered::Count(taken(counts, order)),
            Gathered::Median(counted) => Gathered::Median(taken(counted, order)),
            Gathered::Smallest(best) => Gathered::Smallest(taken(best, order)),
            Gathered::Largest(best) => Gathered::Largest(taken(best, order)),
            Gathered::Distinct(values) => Gathered::Distinct(taken(values, order)),
        }
    }

    /// Adds a group to another.
    fn merge(&mut self, into: usize, from: usize) {
        match self {
            Gathered::Sum(sums) => sums.merge(into, from),
            Gathered::Count(counts) => counts[into] += counts[from],
            Gathered::Median(counted) => {
                let other = counted[from].clone();
                counted[into].merge(&other);
            }
            Gathered::Smallest(best) => {
                let other = best[from].clone();
                keep_smaller(&mut best[into], other);
            }
            Gathered::Largest(best) => {
                let other = best[from].clone();
                keep_larger(&mut best[into], other);
            }
            Gathered::Distinct(values) => {
                let other = values[from].clone();
                add_different(&mut values[into], &other);
            }
        }
    }
}

/// Calls `take` for what some groups have, with the group that is the same as theirs.
fn each<T>(all: Vec<T>, to: &[u32], mut take: impl FnMut(usize, T)) {
    let known = all.into_iter().zip(to).filter(|(_, group)| **group != NO_GROUP);
    known.for_each(|(value, group)| take(*group as usize, value));
}

/// What groups have, in this order, each once.
fn taken<T: Default>(mut all: Vec<T>, order: &[u32]) -> Vec<T> {
    order.iter().map(|group| std::mem::take(&mut all[*group as usize])).collect()
}

/// Keeps the smaller of two values.
pub(super) fn keep_smaller(best: &mut Option<Value<'static>>, other: Option<Value<'_>>) {
    if let Some(other) = other
        && best.as_ref().is_none_or(|best| other < *best)
    {
        *best = Some(other.into_owned());
    }
}

/// Keeps the larger of two values.
pub(super) fn keep_larger(best: &mut Option<Value<'static>>, other: Option<Value<'_>>) {
    if let Some(other) = other
        && best.as_ref().is_none_or(|best| other > *best)
    {
        *best = Some(other.into_owned());
    }
}

fn add_different(values: &mut Vec<u32>, others: &[u32]) {
    values.extend_from_slice(others);
    values.sort_unstable();
    values.dedup();
}

/// What is summed of the groups of one source.
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
pub(super) struct SourceSums {
    #[serde(with = "super::kept_numbers")]
    pub(super) lines: Vec<u64>,
    pub(super) columns: Vec<Gathered>,
}

impl SourceSums {
    /// No groups yet.
    pub(super) fn new(sums: &[Summed]) -> SourceSums {
        let columns = sums.iter().map(|sum| Gathered::new(sum.how)).collect();
        SourceSums { lines: Vec::new(), columns }
    }

    /// Has this many groups, of which those that are new have nothing.
    pub(super) fn resize(&mut self, groups: usize) {
        self.lines.resize(groups, 0);
        self.columns.iter_mut().for_each(|column| column.resize(groups));
    }

    /// Whether its columns are those of these sums, for this many groups.
    fn is_of(&self, sums: &[Summed], groups: usize) -> bool {
        let kind = |column: &Gathered| std::mem::discriminant(column);
        let is_sound = |column: &Gathered| match column {
            Gathered::Sum(sums) => sums.is_sound(),
            _ => true,
        };
        let same = |(column, sum): (&Gathered, &Summed)| {
            kind(column) == kind(&Gathered::new(sum.how))
                && column.len() == groups
                && is_sound(column)
        };
        self.lines.len() == groups
            && self.columns.len() == sums.len()
            && self.columns.iter().zip(sums).all(same)
    }

    /// Gives what is counted other numbers, by sum and number; whether all have one.
    pub(super) fn renumber(&mut self, number: impl Fn(usize, u32) -> Option<u32>) -> bool {
        for (sum, column) in self.columns.iter_mut().enumerate() {
            let Gathered::Distinct(groups) = column else { continue };
            for values in groups {
                let own: Option<Vec<u32>> = values.iter().map(|v| number(sum, *v)).collect();
                let Some(mut own) = own else { return false };
                own.sort_unstable();
                *values = own;
            }
        }
        true
    }

    fn merge(&mut self, into: usize, from: usize) {
        self.lines[into] += self.lines[from];
        self.columns.iter_mut().for_each(|column| column.merge(into, from));
    }
}

/// What is summed of the groups of a table, by source.
#[derive(Debug, Serialize, Deserialize)]
pub(super) struct Sums {
    groups: usize,
    /// Those of a source have no columns as long as it has no lines.
    sources: Vec<SourceSums>,
}

impl Sums {
    pub(super) fn new(sources: usize) -> Sums {
        Sums { groups: 0, sources: vec![SourceSums::default(); sources] }
    }

    /// Whether these are sums of this many groups by the plans of their sources, and each is laid out as its plan wants it.
    /// What was read from a file may be anything.
    pub(super) fn are_of(&self, plans: &[&TotalsPlan], sources: usize, groups: usize) -> bool {
        let is_known = |(source, sums): (usize, &SourceSums)| {
            let plan = plans.iter().find(|plan| plan.source == source);
            match plan.filter(|_| !sums.columns.is_empty()) {
                Some(plan) => sums.is_of(&plan.sums, groups),
                None => sums.lines.len() == groups && sums.lines.iter().all(|lines| *lines == 0),
            }
        };
        self.groups == groups
            && self.sources.len() == sources
            && self.sources.iter().enumerate().all(is_known)
    }

    /// The sums of each source.
    pub(super) fn into_sources(self) -> Vec<SourceSums> {
        self.sources
    }

    pub(super) fn resize(&mut self, groups: usize) {
        self.groups = groups;
        self.sources.iter_mut().for_each(|source| source.resize(groups));
    }

    /// Makes a group without lines.
    pub(super) fn add_group(&mut self) -> u32 {
        self.resize(self.groups + 1);
        self.groups as u32 - 1
    }

    /// What a source has of a group, if it has lines there.
    pub(super) fn of(&self, group: u32, source: usize) -> Option<GroupSums<'_>> {
        Some(self.any(group, source)).filter(|sums| sums.lines() > 0)
    }

    /// What a source has of a group, also without lines.
    pub(super) fn any(&self, group: u32, source: usize) -> GroupSums<'_> {
        GroupSums { all: &self.sources[source], group: group as usize }
    }

    /// The sums of a source, with the columns that its plan wants.
    pub(super) fn laid_out(&mut self, plan: &TotalsPlan) -> &mut SourceSums {
        let own = &mut self.sources[plan.source];
        if own.columns.len() != plan.sums.len() {
            own.columns = SourceSums::new(&plan.sums).columns;
            own.resize(self.groups);
        }
        own
    }

    /// Takes in what a source has of other groups; `to` has of each which group here is the same, or [`NO_GROUP`].
    pub(super) fn absorb(&mut self, plan: &TotalsPlan, other: SourceSums, to: &[u32]) {
        let own = self.laid_out(plan);
        each(other.lines, to, |group, lines| own.lines[group] += lines);
        for (own, other) in own.columns.iter_mut().zip(other.columns) {
            own.absorb(other, to);
        }
    }

    /// Some of the groups, each once, in this order: what is read one after the other lies one after the other.
    pub(super) fn gathered(self, order: &[u32]) -> Sums {
        let source = |sums: SourceSums| SourceSums {
            lines: taken(sums.lines, order),
            columns: sums.columns.into_iter().map(|column| column.gathered(order)).collect(),
        };
        Sums { groups: order.len(), sources: self.sources.into_iter().map(source).collect() }
    }

    /// Adds a group to another.
    pub(super) fn merge(&mut self, into: u32, from: u32) {
        for source in &mut self.sources {
            source.merge(into as usize, from as usize);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::eval::{Expr, ExprKind, Type};

    fn summed(how: Aggregate) -> Summed {
        let expr = Expr { kind: ExprKind::Constant(Value::Blank), ty: Type::Blank };
        Summed { expr, how, companions: Vec::new(), by: None }
    }

    const ALL: [Aggregate; 6] = [
        Aggregate::Sum,
        Aggregate::Count,
        Aggregate::Median,
        Aggregate::Smallest,
        Aggregate::Largest,
        Aggregate::Distinct,
    ];

    #[test]
    fn sums_of_a_file_are_laid_out_as_the_plan_wants_them() {
        let sums = ALL.map(summed);
        let mut own = SourceSums::new(&sums);
        own.resize(3);
        assert!(own.is_of(&sums, 3));
        assert!(!own.is_of(&sums, 2) && !own.is_of(&sums[1..], 3));
        let mut turned = ALL;
        turned.reverse();
        assert!(!own.is_of(&turned.map(summed), 3), "of other kinds");
        for (column, how) in ALL.iter().enumerate() {
            let mut short = own.clone();
            short.columns[column].resize(2);
            assert!(!short.is_of(&sums, 3), "{how:?}");
        }
        own.lines.pop();
        assert!(!own.is_of(&sums, 3));
    }

    #[test]
    fn groups_that_are_absorbed_merged_and_put_in_order_keep_what_they_have() {
        let day = |day| Some(Value::Date(interligo_model::values::date::Day(day)));
        let counted = |numbers: &[i64]| {
            let mut counted = Counted::default();
            numbers.iter().for_each(|number| counted.add(Some((*number).into())));
            counted
        };
        let columns = || {
            [
                Gathered::Count(vec![1, 20, 300]),
                Gathered::Median(vec![counted(&[1]), counted(&[2, 2]), counted(&[])]),
                Gathered::Smallest(vec![day(5), day(3), None]),
                Gathered::Largest(vec![day(5), day(3), None]),
                Gathered::Distinct(vec![vec![0, 2], vec![1, 2], vec![]]),
            ]
        };
        // The first and the second are one group there, and the third is left out.
        let both = [
            Gathered::Count(vec![0, 21]),
            Gathered::Median(vec![counted(&[]), counted(&[1, 2, 2])]),
            Gathered::Smallest(vec![None, day(3)]),
            Gathered::Largest(vec![None, day(5)]),
            Gathered::Distinct(vec![vec![], vec![0, 1, 2]]),
        ];
        for ((how, own), both) in ALL[1..].iter().zip(columns()).zip(&both) {
            let shown = |column: &Gathered| format!("{column:?}");
            let mut absorbed = Gathered::new(*how);
            absorbed.resize(2);
            absorbed.absorb(own.clone(), &[1, 1, NO_GROUP]);
            assert_eq!(shown(&absorbed), shown(both));
            let mut merged = own.clone();
            merged.merge(1, 0);
            assert_eq!(
                shown(&merged.gathered(&[2, 1])),
                shown(both).replace("[0, 21]", "[300, 21]")
            );
            assert_eq!(shown(&own.clone().gathered(&[0, 1, 2])), shown(&own));
        }
    }
}
