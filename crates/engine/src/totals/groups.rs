//! The groups of one worker: lines become small numbers per attribute, those become the number of a
//! group, and the group's sums take the line in.

use std::collections::HashMap as StdMap;

use arrow_buffer::{NullBuffer, i256};
use interligo_model::values::column::{Column, NumberColumn, Numbers, is_blank_at, is_known};
use interligo_model::values::decimal::power_of_ten;
use interligo_model::values::value::Value;
use smallvec::SmallVec;

use super::cells::{Cell, GroupSums, keep_best};
use super::codes::Key;
use super::codes::{Attribute, FastMap, FastSet};
use super::measure::{Aggregate, Summed};
use super::median::Counted;
use super::plan::TotalsPlan;
use crate::lines::Lines;
use crate::proof::exact_sum::ExactSum;
use crate::proof::faults::{Fault, strikes};
use crate::proof::tally::{Tally, sum_of};

/// The group of a line that does not count.
const NO_GROUP: u32 = u32::MAX;

/// The groups that a worker has met, with their sums.
pub struct Groups<'p> {
    plan: &'p TotalsPlan,
    attributes: Vec<Attribute<'p>>,
    /// Of each attribute but the first: the groups that it makes of those so far.
    pairs: Vec<Pairs>,
    lines: Vec<u64>,
    /// Of each sum, its state by group.
    sums: Vec<Gathered<'p>>,
    /// Lines that the filter left out.
    filtered: Tally,
}

/// Pairs of a group so far and an attribute's code, numbered in the order in which they came.
#[derive(Default)]
struct Pairs {
    /// By group and code, where these are few: no hashing on the way of a line.
    near: Vec<u32>,
    /// How many codes a group has in `near`; a power of two.
    stride: usize,
    others: FastMap<u64, u32>,
    members: Vec<(u32, u32)>,
}

/// How many pairs the short way may number.
const NEAR_PAIRS: usize = 1 << 16;

impl Pairs {
    /// The numbers of pairs, in place of the groups so far, of which there are `groups`; codes are below `count`.
    fn number(&mut self, so_far: &mut [u32], codes: &[u32], groups: usize, count: usize) {
        if !self.make_room(groups, count) {
            for (group, code) in so_far.iter_mut().zip(codes).filter(|(g, _)| **g != NO_GROUP) {
                let pair = u64::from(*group) << 32 | u64::from(*code);
                *group = *self.others.entry(pair).or_insert_with(|| {
                    self.members.push((*group, *code));
                    self.members.len() as u32 - 1
                });
            }
            return;
        }
        for (group, code) in so_far.iter_mut().zip(codes).filter(|(g, _)| **g != NO_GROUP) {
            let slot = &mut self.near[*group as usize * self.stride + *code as usize];
            if *slot == NO_GROUP {
                *slot = self.members.len() as u32;
                self.members.push((*group, *code));
            }
            *group = *slot;
        }
    }

    /// Makes room for the short way; false when there are too many pairs for it.
    fn make_room(&mut self, groups: usize, codes: usize) -> bool {
        if !self.others.is_empty() {
            return false;
        }
        let stride = codes.next_power_of_two().max(self.stride);
        let size = groups.saturating_mul(stride);
        if size > NEAR_PAIRS {
            let members = self.members.iter().enumerate();
            self.others = members
                .map(|(number, (group, code))| {
                    (u64::from(*group) << 32 | u64::from(*code), number as u32)
                })
                .collect();
            self.near = Vec::new();
            return false;
        }
        if stride > self.stride {
            self.near = vec![NO_GROUP; size];
            self.stride = stride;
            for (number, (group, code)) in self.members.iter().enumerate() {
                self.near[*group as usize * stride + *code as usize] = number as u32;
            }
        } else if size > self.near.len() {
            self.near.resize(size, NO_GROUP);
        }
        true
    }
}

/// Where each group has at least this many lines of a batch, these are summed up by themselves.
const FEW: usize = 4;

/// One of the sums, in all groups.
enum Gathered<'p> {
    Sum(SumColumn),
    Count(Vec<u64>),
    Median(Vec<Counted>),
    Extreme(Aggregate, Vec<Option<Value<'static>>>),
    Distinct(Box<Attribute<'p>>, FastSet<u64>),
}

/// One sum in all groups.
struct SumColumn {
    places: u8,
    groups: Vec<Sum>,
}

#[derive(Clone, Copy, Default)]
struct Sum {
    total: i256,
    known: u64,
    /// The total passes even these bits.
    overflowed: bool,
}

impl<'p> Groups<'p> {
    /// No groups yet.
    pub fn new(plan: &'p TotalsPlan) -> Groups<'p> {
        Groups {
            plan,
            attributes: plan.by.iter().map(Attribute::new).collect(),
            pairs: plan.by.iter().skip(1).map(|_| Pairs::default()).collect(),
            lines: Vec::new(),
            sums: plan.sums.iter().map(Gathered::new).collect(),
            filtered: plan.tally_of_none(),
        }
    }

    /// Takes in the lines of a batch that are not set aside.
    ///
    /// # Errors
    /// The first line on which a number overflows.
    pub fn add(&mut self, lines: &Lines<'_>) -> Result<(), usize> {
        // All in one group, or in none.
        let mut groups = vec![0; lines.rows];
        let mut filtered: Vec<u32> = Vec::new();
        for (row, _) in &lines.aside {
            groups[*row as usize] = NO_GROUP;
        }
        if let Some(filter) = &self.plan.filter {
            let column = lines.computed(filter)?;
            for (row, group) in groups.iter_mut().enumerate().filter(|(_, g)| **g != NO_GROUP) {
                let meets = match column.as_ref() {
                    Column::YesNo(truths) => truths[row] == Some(true),
                    _ => false,
                };
                if !meets {
                    *group = NO_GROUP;
                    filtered.push(row as u32);
                }
            }
        }
        self.group(lines, &mut groups)?;
        for &group in groups.iter().filter(|group| **group != NO_GROUP) {
            self.lines[group as usize] += 1;
        }
        self.sum(lines, &groups, &filtered)
    }

    /// Finds the group of every line that counts.
    fn group(&mut self, lines: &Lines<'_>, groups: &mut [u32]) -> Result<(), usize> {
        let mut count = 1;
        if let Some(first) = self.attributes.first_mut() {
            let codes = first.codes(lines)?;
            for (group, code) in groups.iter_mut().zip(codes).filter(|(g, _)| **g != NO_GROUP) {
                *group = code;
            }
            count = first.count();
        }
        for (attribute, pairs) in self.attributes.iter_mut().skip(1).zip(&mut self.pairs) {
            let codes = attribute.codes(lines)?;
            pairs.number(groups, &codes, count, attribute.count());
            count = pairs.members.len();
        }
        self.lines.resize(count, 0);
        self.sums.iter_mut().for_each(|sum| sum.resize(count));
        Ok(())
    }

    fn sum(&mut self, lines: &Lines<'_>, groups: &[u32], filtered: &[u32]) -> Result<(), usize> {
        let columns = self
            .plan
            .sums
            .iter()
            .map(|summed| lines.computed(&summed.expr))
            .collect::<Result<Vec<_>, usize>>()?;
        self.filtered.lines += filtered.len() as u64;
        for (measure, sum) in self.plan.proof.iter().filter(|_| !filtered.is_empty()) {
            let left_out = sum_of(columns[*sum].as_ref(), Some(filtered));
            self.filtered.sums[*measure].get_or_insert_default().merge(left_out);
        }
        for (number, gathered) in self.sums.iter_mut().enumerate() {
            let summed = &self.plan.sums[number];
            let column = columns[number].as_ref();
            match gathered {
                Gathered::Sum(sum) => {
                    let Some(numbers) = numbers(column) else { continue };
                    let others = summed.companions.iter().filter(|other| **other != number);
                    let others = others.filter_map(|other| numbers_of(&columns[*other]));
                    let known = others.fold(numbers.known.clone(), |known, other| {
                        NullBuffer::union(known.as_ref(), other.known.as_ref())
                    });
                    sum.add(numbers, known.as_ref(), groups);
                }
                Gathered::Count(counts) => {
                    each(groups, column, |group, _| counts[group as usize] += 1);
                }
                Gathered::Median(counted) => {
                    let Some(numbers) = numbers(column) else { continue };
                    each(groups, column, |group, row| {
                        counted[group as usize].add(numbers.get(row));
                    });
                }
                Gathered::Extreme(how, best) => each(groups, column, |group, row| {
                    keep_best(&mut best[group as usize], Some(&column.value(row)), *how);
                }),
                Gathered::Distinct(attribute, met) => {
                    for (group, code) in groups.iter().zip(attribute.codes(lines)?) {
                        if *group != NO_GROUP && code != 0 {
                            met.insert(u64::from(*group) << 32 | u64::from(code));
                        }
                    }
                }
            }
        }
        Ok(())
    }

    /// Whether any line is in a group; a worker may have come too late for one.
    pub(super) fn has_lines(&self) -> bool {
        self.lines.iter().any(|lines| *lines > 0)
    }

    /// Lines that the filter left out.
    pub(crate) fn filtered(&self) -> &Tally {
        &self.filtered
    }

    /// Of each attribute its values, by code.
    pub(super) fn attribute_values(&self) -> Vec<Vec<Value<'static>>> {
        self.attributes.iter().map(Attribute::values).collect()
    }

    /// The different values of a sum that counts them, by code.
    pub(super) fn distinct_values(&self, sum: usize) -> Vec<Value<'static>> {
        match &self.sums[sum] {
            Gathered::Distinct(attribute, _) => attribute.values(),
            _ => Vec::new(),
        }
    }

    /// Calls `take` for each group with at least one line, with the codes of its attributes. `renumbered` has
    /// new numbers for the different values of sums that count them.
    pub(super) fn each(
        self,
        renumbered: &StdMap<usize, Vec<u32>>,
        mut take: impl FnMut(&[u32], GroupSums),
    ) {
        let mut distinct: StdMap<usize, StdMap<u32, Vec<u32>>> = StdMap::new();
        for (number, sum) in self.sums.iter().enumerate() {
            if let Gathered::Distinct(_, met) = sum {
                let (by_group, numbers) =
                    (distinct.entry(number).or_default(), &renumbered[&number]);
                for pair in met {
                    let value = numbers[(*pair & 0xffff_ffff) as usize];
                    by_group.entry((pair >> 32) as u32).or_default().push(value);
                }
            }
        }
        let mut codes = Key::new();
        for (group, lines) in self.lines.iter().enumerate().filter(|(_, lines)| **lines > 0) {
            let cell = |(number, sum): (usize, &Gathered<'_>)| match sum {
                Gathered::Sum(column) => {
                    let Sum { total, known, overflowed } = column.groups[group];
                    let total = if overflowed {
                        ExactSum::NONE
                    } else {
                        ExactSum::of(total, column.places)
                    };
                    Cell::Sum { total, known }
                }
                Gathered::Count(counts) => Cell::Count(counts[group]),
                Gathered::Median(counted) => Cell::Counted(counted[group].clone()),
                Gathered::Extreme(_, best) => Cell::Extreme(best[group].clone()),
                Gathered::Distinct(..) => {
                    let values = distinct.get(&number).and_then(|d| d.get(&(group as u32)));
                    let mut values = values.cloned().unwrap_or_default();
                    values.sort_unstable();
                    Cell::Distinct(values)
                }
            };
            let mut cells: SmallVec<[Cell; 1]> = self.sums.iter().enumerate().map(cell).collect();
            if let Some(Cell::Sum { total, .. }) = cells.first_mut()
                && strikes(Fault::GroupSumChanged)
            {
                total.add(1.into());
            }
            self.codes_of(group as u32, &mut codes);
            take(&codes, GroupSums { lines: *lines, cells });
        }
    }

    fn codes_of(&self, mut group: u32, codes: &mut Key) {
        codes.clear();
        for pairs in self.pairs.iter().rev() {
            let (before, code) = pairs.members[group as usize];
            codes.push(code);
            group = before;
        }
        if !self.attributes.is_empty() {
            codes.push(group);
        }
        codes.reverse();
    }
}

fn numbers(column: &Column) -> Option<&NumberColumn> {
    match column {
        Column::Number(numbers) => Some(numbers),
        _ => None,
    }
}

fn numbers_of<'c>(column: &'c crate::eval::Computed<'_>) -> Option<&'c NumberColumn> {
    numbers(column.as_ref())
}

/// Calls `take` for each line that counts and on which the column has a value.
fn each(groups: &[u32], column: &Column, mut take: impl FnMut(u32, usize)) {
    let known = |row: usize| match column {
        Column::Text(texts) => !is_blank_at(texts, row),
        Column::Number(numbers) => is_known(numbers.known.as_ref(), row),
        Column::Date(days) | Column::Period(_, days) => is_known(days.known.as_ref(), row),
        Column::YesNo(truths) => truths[row].is_some(),
    };
    for (row, group) in groups.iter().enumerate() {
        if *group != NO_GROUP && known(row) {
            take(*group, row);
        }
    }
}

impl<'p> Gathered<'p> {
    fn new(summed: &'p Summed) -> Gathered<'p> {
        match (summed.how, &summed.by) {
            (Aggregate::Distinct, Some(by)) => {
                Gathered::Distinct(Box::new(Attribute::new(by)), FastSet::default())
            }
            (Aggregate::Sum | Aggregate::Average, _) => {
                Gathered::Sum(SumColumn { places: 0, groups: Vec::new() })
            }
            (Aggregate::Median, _) => Gathered::Median(Vec::new()),
            (Aggregate::Smallest | Aggregate::Largest, _) => {
                Gathered::Extreme(summed.how, Vec::new())
            }
            (Aggregate::Count | Aggregate::Distinct, _) => Gathered::Count(Vec::new()),
        }
    }

    fn resize(&mut self, groups: usize) {
        match self {
            Gathered::Sum(sum) => sum.groups.resize(groups, Sum::default()),
            Gathered::Count(counts) => counts.resize(groups, 0),
            Gathered::Median(counted) => counted.resize_with(groups, Counted::default),
            Gathered::Extreme(_, best) => best.resize(groups, None),
            Gathered::Distinct(..) => {}
        }
    }
}

impl SumColumn {
    fn add(&mut self, column: &NumberColumn, known: Option<&NullBuffer>, groups: &[u32]) {
        match &column.numbers {
            Numbers::Fixed { mantissas, places } => {
                self.make_room(*places);
                let more = self.places - places;
                if self.groups.len() * FEW <= groups.len() {
                    return self.add_by_batch(mantissas, more, known, groups);
                }
                // 19 digits and as many more as there may be without passing 128 bits.
                let factor = (more <= 19).then(|| power_of_ten(more));
                for (row, (&group, &mantissa)) in groups.iter().zip(mantissas).enumerate() {
                    if group != NO_GROUP && is_known(known, row) {
                        let mantissa = i128::from(mantissa);
                        self.groups[group as usize].add(match factor {
                            Some(factor) => i256::from_i128(mantissa * factor),
                            None => widened(mantissa, more),
                        });
                    }
                }
            }
            Numbers::Wide(_) => {
                for (row, &group) in groups.iter().enumerate() {
                    if group == NO_GROUP || !is_known(known, row) {
                        continue;
                    }
                    let number = column.get(row).expect("known rows have a number");
                    let number = number.trimmed(self.places);
                    self.make_room(number.places());
                    let mantissa = widened(number.mantissa(), self.places - number.places());
                    self.groups[group as usize].add(mantissa);
                }
            }
        }
    }

    /// The same where groups are few beside the lines: the sums of the batch, in 128 bits, are added to the totals at its end.
    fn add_by_batch(
        &mut self,
        mantissas: &[i64],
        more: u8,
        known: Option<&NullBuffer>,
        groups: &[u32],
    ) {
        // One more for the lines that do not count. A batch has far fewer than 2^64 lines, so that no sum overflows.
        let none = self.groups.len();
        let mut sums = vec![(0i128, 0u64); none + 1];
        let mut add = |group: u32, mantissa: i64| {
            let sum = &mut sums[(group as usize).min(none)];
            sum.0 += i128::from(mantissa);
            sum.1 += 1;
        };
        match known {
            None => groups.iter().zip(mantissas).for_each(|(group, m)| add(*group, *m)),
            Some(known) => {
                let lines = groups.iter().zip(mantissas).zip(known.iter());
                lines.filter(|(_, is_known)| *is_known).for_each(|((g, m), _)| add(*g, *m));
            }
        }
        for (sum, (total, lines)) in self.groups.iter_mut().zip(sums) {
            if lines > 0 {
                sum.add(widened(total, more));
                sum.known += lines - 1;
            }
        }
    }

    /// Brings all sums to at least this many places.
    fn make_room(&mut self, places: u8) {
        if places <= self.places {
            return;
        }
        let factor = i256::from_i128(power_of_ten(places - self.places));
        for sum in &mut self.groups {
            match sum.total.checked_mul(factor) {
                Some(total) => sum.total = total,
                None => sum.overflowed = true,
            }
        }
        self.places = places;
    }
}

impl Sum {
    #[inline]
    fn add(&mut self, number: i256) {
        self.known += 1;
        match self.total.checked_add(number) {
            Some(total) => self.total = total,
            None => self.overflowed = true,
        }
    }
}

/// A mantissa with this many places more, of which there are at most 38: at most 77 digits.
fn widened(mantissa: i128, more: u8) -> i256 {
    i256::from_i128(mantissa).wrapping_mul(i256::from_i128(power_of_ten(more)))
}
