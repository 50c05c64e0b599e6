//! The groups of one worker: lines become small numbers per attribute, those become the number of a
//! group, and the group's sums take the line in.

use std::collections::{BTreeMap, HashMap};

use arrow_buffer::NullBuffer;
use interligo_model::values::column::{Column, NumberColumn, is_blank_at, is_known};
use interligo_model::values::value::Value;

use super::codes::Key;
use super::codes::{Attribute, FastMap, FastSet};
use super::plan::TotalsPlan;
use super::sums::{Gathered, NO_GROUP, SourceSums, keep_larger, keep_smaller};
use crate::lines::Lines;
use crate::proof::tally::{Tally, sum_of};

/// The groups that a worker has met, with their sums.
pub struct Groups<'p> {
    plan: &'p TotalsPlan,
    attributes: Vec<Attribute<'p>>,
    /// Of each attribute but the first: the groups that it makes of those so far.
    pairs: Vec<Pairs>,
    sums: SourceSums,
    /// Of each sum that counts different values, these by number, and which of them a group has.
    distinct: BTreeMap<usize, Distinct<'p>>,
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

/// The different values of a sum in all groups.
struct Distinct<'p> {
    values: Attribute<'p>,
    /// Groups with the numbers of their values.
    met: FastSet<(u32, u32)>,
}

/// What a worker has summed.
pub(super) struct Finished {
    /// Of each attribute its values, by code.
    pub(super) attributes: Vec<Vec<Value<'static>>>,
    /// Of each sum that counts different values, these by number.
    pub(super) distinct: HashMap<usize, Vec<Value<'static>>>,
    /// The codes of the attributes of each group, one group after the other.
    pub(super) codes: Vec<u32>,
    pub(super) sums: SourceSums,
}

impl<'p> Groups<'p> {
    /// No groups yet.
    pub fn new(plan: &'p TotalsPlan) -> Groups<'p> {
        Groups {
            plan,
            attributes: plan.by.iter().map(Attribute::new).collect(),
            pairs: plan.by.iter().skip(1).map(|_| Pairs::default()).collect(),
            sums: SourceSums::new(&plan.sums),
            distinct: plan
                .sums
                .iter()
                .enumerate()
                .filter_map(|(number, summed)| Some((number, summed.by.as_ref()?)))
                .map(|(number, by)| {
                    (number, Distinct { values: Attribute::new(by), met: FastSet::default() })
                })
                .collect(),
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
            self.sums.lines[group as usize] += 1;
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
        self.sums.resize(count);
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
        for (number, gathered) in self.sums.columns.iter_mut().enumerate() {
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
                Gathered::Smallest(best) => each(groups, column, |group, row| {
                    keep_smaller(&mut best[group as usize], Some(column.value(row)));
                }),
                Gathered::Largest(best) => each(groups, column, |group, row| {
                    keep_larger(&mut best[group as usize], Some(column.value(row)));
                }),
                Gathered::Distinct(_) => {
                    let Some(Distinct { values, met }) = self.distinct.get_mut(&number) else {
                        continue;
                    };
                    let pairs = groups.iter().copied().zip(values.codes(lines)?);
                    met.extend(pairs.filter(|(group, code)| *group != NO_GROUP && *code != 0));
                }
            }
        }
        Ok(())
    }

    /// Whether any line is in a group; a worker may have come too late for one.
    pub(super) fn has_lines(&self) -> bool {
        self.sums.lines.iter().any(|lines| *lines > 0)
    }

    /// Lines that the filter left out.
    pub(crate) fn filtered(&self) -> &Tally {
        &self.filtered
    }

    /// What was summed; no line is taken in any more.
    pub(super) fn finish(mut self) -> Finished {
        let groups = self.sums.lines.len() as u32;
        let codes = (0..groups).flat_map(|group| self.codes_of(group)).collect();
        let mut different = HashMap::new();
        for (number, Distinct { values, met }) in std::mem::take(&mut self.distinct) {
            if let Gathered::Distinct(groups) = &mut self.sums.columns[number] {
                met.into_iter().for_each(|(group, value)| groups[group as usize].push(value));
                groups.iter_mut().for_each(|values| values.sort_unstable());
            }
            different.insert(number, values.values());
        }
        let attributes = self.attributes.iter().map(Attribute::values).collect();
        Finished { attributes, distinct: different, codes, sums: self.sums }
    }

    fn codes_of(&self, mut group: u32) -> Key {
        let mut codes = Key::new();
        for pairs in self.pairs.iter().rev() {
            let (before, code) = pairs.members[group as usize];
            codes.push(code);
            group = before;
        }
        if !self.attributes.is_empty() {
            codes.push(group);
        }
        codes.reverse();
        codes
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
