//! The groups of one worker: lines become small numbers per attribute, those become the number of a
//! group, and the group's sums take the line in.

use arrow_array::{Array, StringViewArray};
use arrow_buffer::NullBuffer;
use hashbrown::HashMap;

use super::{ByExpr, GroupSums, Summed, TotalsPlan};
use crate::column::{Column, NumberColumn, Numbers, is_blank_text, is_known};
use crate::date::{Day, Period};
use crate::decimal::Decimal;
use crate::keys::KeyTable;
use crate::lines::Lines;
use crate::value::Value;

type FastMap<K, V> = HashMap<K, V, foldhash::fast::FixedState>;

/// The group of a line that does not count.
const NO_GROUP: u32 = u32::MAX;

/// The groups that a worker has met, with their sums.
pub struct Groups<'p> {
    plan: &'p TotalsPlan,
    attributes: Vec<Attribute<'p>>,
    /// Of each attribute but the first: the group so far and the attribute's code, as a group.
    pairs: Vec<FastMap<u64, u32>>,
    /// Of each attribute but the first: the pair that each of its groups stands for.
    members: Vec<Vec<(u32, u32)>>,
    lines: Vec<u64>,
    /// Of each sum, its state by group.
    sums: Vec<SumColumn>,
    filtered: u64,
}

/// One sum in all groups.
struct SumColumn {
    places: u8,
    groups: Vec<Sum>,
}

#[derive(Clone, Copy, Default)]
struct Sum {
    total: i128,
    known: u64,
    /// The total does not fit.
    unfit: bool,
}

/// The values of an attribute as small numbers; 0 is blank.
struct Attribute<'p> {
    by: &'p ByExpr,
    texts: KeyTable,
    others: FastMap<Value<'static>, u32>,
    /// Days or periods that were met, by their number less the first one's.
    near: Vec<u32>,
    near_from: i32,
    values: Vec<Value<'static>>,
}

impl<'p> Groups<'p> {
    /// No groups yet.
    pub fn new(plan: &'p TotalsPlan) -> Groups<'p> {
        Groups {
            plan,
            attributes: plan.by.iter().map(Attribute::new).collect(),
            pairs: plan.by.iter().skip(1).map(|_| FastMap::default()).collect(),
            members: plan.by.iter().skip(1).map(|_| Vec::new()).collect(),
            lines: Vec::new(),
            sums: plan.sums.iter().map(|_| SumColumn { places: 0, groups: Vec::new() }).collect(),
            filtered: 0,
        }
    }

    /// Takes in the lines of a batch that are not set aside.
    ///
    /// # Errors
    /// The first line on which a number does not fit.
    pub fn add(&mut self, lines: &Lines<'_>) -> Result<(), usize> {
        let mut groups = self.groups_of(lines)?;
        for (row, _) in &lines.aside {
            groups[*row as usize] = NO_GROUP;
        }
        if let Some(filter) = &self.plan.filter {
            let column = lines.computed(filter)?;
            for (row, group) in groups.iter_mut().enumerate().filter(|(_, g)| **g != NO_GROUP) {
                if column.value(row) != Value::YesNo(true) {
                    *group = NO_GROUP;
                    self.filtered += 1;
                }
            }
        }
        for &group in groups.iter().filter(|group| **group != NO_GROUP) {
            self.lines[group as usize] += 1;
        }
        self.sum(lines, &groups)
    }

    /// The group of every line.
    fn groups_of(&mut self, lines: &Lines<'_>) -> Result<Vec<u32>, usize> {
        let mut groups = match self.attributes.first_mut() {
            None => vec![0; lines.rows],
            Some(first) => first.codes(lines)?,
        };
        for (number, attribute) in self.attributes.iter_mut().enumerate().skip(1) {
            let codes = attribute.codes(lines)?;
            let (pairs, members) = (&mut self.pairs[number - 1], &mut self.members[number - 1]);
            for (group, code) in groups.iter_mut().zip(codes) {
                let pair = u64::from(*group) << 32 | u64::from(code);
                *group = *pairs.entry(pair).or_insert_with(|| {
                    members.push((*group, code));
                    members.len() as u32 - 1
                });
            }
        }
        let count = match (self.members.last(), self.attributes.first()) {
            (Some(members), _) => members.len(),
            (None, Some(only)) => only.count(),
            (None, None) => 1,
        };
        self.lines.resize(count, 0);
        self.sums.iter_mut().for_each(|sum| sum.groups.resize(count, Sum::default()));
        Ok(groups)
    }

    fn sum(&mut self, lines: &Lines<'_>, groups: &[u32]) -> Result<(), usize> {
        let columns = self
            .plan
            .sums
            .iter()
            .map(|summed| lines.computed(&summed.expr))
            .collect::<Result<Vec<_>, usize>>()?;
        let numbers: Vec<&NumberColumn> = columns
            .iter()
            .map(|column| match column.as_ref() {
                Column::Number(numbers) => numbers,
                _ => unreachable!("only numbers are summed"),
            })
            .collect();
        for (number, sum) in self.sums.iter_mut().enumerate() {
            let known = known_with(&self.plan.sums[number], number, &numbers);
            sum.add(numbers[number], known.as_ref(), groups);
        }
        Ok(())
    }

    /// Lines that the filter left out.
    pub(crate) fn filtered(&self) -> u64 {
        self.filtered
    }

    /// The groups with at least one line, by their values.
    pub(crate) fn into_groups(self) -> impl Iterator<Item = (Vec<Value<'static>>, GroupSums)> {
        let groups = self.lines.iter().enumerate().filter(|(_, lines)| **lines > 0);
        let found: Vec<_> = groups
            .map(|(group, lines)| {
                let sum = |column: &SumColumn| {
                    let Sum { total, known, unfit } = column.groups[group];
                    (Decimal::new(total, column.places).filter(|_| !unfit), known)
                };
                let sums = self.sums.iter().map(sum).collect();
                (self.key(group as u32), GroupSums { lines: *lines, sums })
            })
            .collect();
        found.into_iter()
    }

    fn key(&self, mut group: u32) -> Vec<Value<'static>> {
        let mut key = Vec::new();
        for number in (1..self.attributes.len()).rev() {
            let (before, code) = self.members[number - 1][group as usize];
            key.push(self.attributes[number].value(code));
            group = before;
        }
        key.extend(self.attributes.first().map(|first| first.value(group)));
        key.reverse();
        key
    }
}

/// The rows on which a sum and its companions are known.
fn known_with(summed: &Summed, own: usize, numbers: &[&NumberColumn]) -> Option<NullBuffer> {
    summed
        .companions
        .iter()
        .filter(|other| **other != own)
        .fold(numbers[own].known.clone(), |known, other| {
            NullBuffer::union(known.as_ref(), numbers[*other].known.as_ref())
        })
}

impl SumColumn {
    fn add(&mut self, column: &NumberColumn, known: Option<&NullBuffer>, groups: &[u32]) {
        match &column.numbers {
            Numbers::Fixed { mantissas, places } if self.make_room(*places) => {
                let factor = crate::decimal::power_of_ten(self.places - places);
                for (row, (&group, &mantissa)) in groups.iter().zip(mantissas).enumerate() {
                    if group != NO_GROUP && is_known(known, row) {
                        self.groups[group as usize].add(i128::from(mantissa).checked_mul(factor));
                    }
                }
            }
            _ => {
                for (row, &group) in groups.iter().enumerate() {
                    if group == NO_GROUP || !is_known(known, row) {
                        continue;
                    }
                    let number = column.get(row).expect("known rows have a number");
                    let number = number.trimmed(self.places);
                    let fits = self.make_room(number.places());
                    let number = number.with_places(self.places).filter(|_| fits);
                    self.groups[group as usize].add(number.map(Decimal::mantissa));
                }
            }
        }
    }

    /// Brings all sums to at least so many places; false when one does not fit then.
    fn make_room(&mut self, places: u8) -> bool {
        if places <= self.places {
            return true;
        }
        let factor = crate::decimal::power_of_ten(places - self.places);
        if self.groups.iter().any(|sum| sum.total.checked_mul(factor).is_none()) {
            return false;
        }
        self.groups.iter_mut().for_each(|sum| sum.total *= factor);
        self.places = places;
        true
    }
}

impl Sum {
    #[inline]
    fn add(&mut self, number: Option<i128>) {
        self.known += 1;
        match number.and_then(|number| self.total.checked_add(number)) {
            Some(total) => self.total = total,
            None => self.unfit = true,
        }
    }
}

/// How many days or periods apart may lie for the short way of numbering them.
const NEAR: i32 = 1 << 16;

impl<'p> Attribute<'p> {
    fn new(by: &'p ByExpr) -> Attribute<'p> {
        Attribute {
            by,
            texts: KeyTable::with_capacity(0),
            others: FastMap::default(),
            near: Vec::new(),
            near_from: 0,
            values: vec![Value::Blank],
        }
    }

    /// How many codes there are.
    fn count(&self) -> usize {
        self.by.dictionary.as_ref().map_or(self.values.len(), |dictionary| dictionary.texts.len())
    }

    fn value(&self, code: u32) -> Value<'static> {
        match &self.by.dictionary {
            Some(_) if code == 0 => Value::Blank,
            Some(dictionary) => Value::Text(dictionary.texts[code as usize].clone().into()),
            None => self.values[code as usize].clone(),
        }
    }

    /// The code of the attribute on every line.
    fn codes(&mut self, lines: &Lines<'_>) -> Result<Vec<u32>, usize> {
        if let (Some(dictionary), Some((route, _))) =
            (&self.by.dictionary, crate::lines::plain_attribute(&self.by.expr))
        {
            return Ok(lines.codes(route, &dictionary.codes));
        }
        let column = lines.computed(&self.by.expr)?;
        Ok(match column.as_ref() {
            Column::Text(texts) => self.text_codes(texts),
            Column::Period(unit, periods) => {
                let value = |ordinal| Value::Period(Period { unit: *unit, ordinal });
                self.near_codes(&periods.days, periods.known.as_ref(), value)
            }
            Column::Date(dates) => {
                self.near_codes(&dates.days, dates.known.as_ref(), |day| Value::Date(Day(day)))
            }
            other => (0..other.len())
                .map(|row| match other.value(row) {
                    // 1.50 and 1.5 are one group.
                    Value::Number(number) => self.code_of(Value::Number(number.trimmed(0))),
                    value => self.code_of(value.into_owned()),
                })
                .collect(),
        })
    }

    fn text_codes(&mut self, texts: &StringViewArray) -> Vec<u32> {
        let mut codes = Vec::with_capacity(texts.len());
        self.texts.get_all(texts, &mut codes);
        for (row, code) in codes.iter_mut().enumerate() {
            if *code != u32::MAX {
                continue;
            }
            let text = texts.value(row);
            *code = if is_blank_text(text) {
                0
            } else {
                let next = self.values.len() as u32;
                self.texts.insert(text, next).unwrap_or_else(|| {
                    self.values.push(Value::Text(text.to_owned().into()));
                    next
                })
            };
        }
        codes
    }

    fn near_codes(
        &mut self,
        days: &[i32],
        known: Option<&NullBuffer>,
        value: impl Fn(i32) -> Value<'static>,
    ) -> Vec<u32> {
        if self.near.is_empty() {
            let first = days.iter().enumerate().find(|(row, _)| is_known(known, *row));
            self.near_from = first.map_or(0, |(_, day)| day.saturating_sub(NEAR / 2));
            self.near = vec![u32::MAX; NEAR as usize];
        }
        let mut codes = Vec::with_capacity(days.len());
        for (row, &day) in days.iter().enumerate() {
            if !is_known(known, row) {
                codes.push(0);
                continue;
            }
            let near = usize::try_from(i64::from(day) - i64::from(self.near_from)).ok();
            codes.push(match near.and_then(|at| self.near.get(at)).copied() {
                Some(code) if code != u32::MAX => code,
                found => {
                    let code = self.code_of(value(day));
                    if let (Some(_), Some(at)) = (found, near) {
                        self.near[at] = code;
                    }
                    code
                }
            });
        }
        codes
    }

    fn code_of(&mut self, value: Value<'static>) -> u32 {
        if value.is_blank() {
            return 0;
        }
        let next = self.values.len() as u32;
        let values = &mut self.values;
        *self.others.entry(value).or_insert_with_key(|value| {
            values.push(value.clone());
            next
        })
    }
}
