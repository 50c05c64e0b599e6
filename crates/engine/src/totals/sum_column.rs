//! One sum in all groups. What a sum holds in 128 bits is beside those of the other groups; what passes these is carried to an
//! exact sum of its own, which hardly any has.

use std::collections::BTreeMap;

use arrow_buffer::{NullBuffer, i256};
use interligo_model::values::column::{NumberColumn, Numbers, is_known};
use interligo_model::values::decimal::{MAX_PLACES, power_of_ten};
use interligo_model::values::narrow_ints::NarrowInts;
use serde::{Deserialize, Serialize, Serializer};

use super::kept_numbers::{Kept, kept, read};
use super::sums::NO_GROUP;
use crate::proof::exact_sum::ExactSum;

/// One sum in all groups.
#[derive(Clone, Debug, Default, Deserialize)]
#[serde(try_from = "KeptSums")]
pub(super) struct SumColumn {
    /// How many decimal places the totals have.
    places: u8,
    sums: Vec<Sum>,
    /// By group, what its total does not hold.
    carried: BTreeMap<u32, ExactSum>,
}

/// A total with the number of lines in it.
// Aligned as 128 bits want it, it would take a third more.
#[derive(Clone, Copy, Debug, Default)]
#[repr(Rust, packed(8))]
struct Sum {
    total: i128,
    known: u64,
}

/// One sum in all groups, in a file.
#[derive(Serialize, Deserialize)]
struct KeptSums {
    places: u8,
    /// The totals that 64 bits hold; 0 for the others.
    totals: NarrowInts,
    known: NarrowInts,
    /// By group, what 64 bits do not hold.
    wide: BTreeMap<u32, i128>,
    carried: BTreeMap<u32, ExactSum>,
}

impl From<&SumColumn> for KeptSums {
    fn from(column: &SumColumn) -> KeptSums {
        let wide = (0..).zip(&column.sums).filter_map(|(group, sum)| {
            i64::try_from(sum.total).is_err().then_some((group, sum.total))
        });
        let totals = column.sums.iter().map(|sum| i64::try_from(sum.total).unwrap_or(0));
        KeptSums {
            places: column.places,
            totals: NarrowInts::of_a_byte(totals),
            known: kept(column.sums.iter().map(|sum| sum.known)),
            wide: wide.collect(),
            carried: column.carried.clone(),
        }
    }
}

impl TryFrom<KeptSums> for SumColumn {
    type Error = String;

    fn try_from(kept: KeptSums) -> Result<SumColumn, String> {
        let KeptSums { places, totals, known, wide, carried } = kept;
        let mut sums = read(&totals, |total| Sum { total: total.into(), known: 0 })?;
        let known = read(&known, u64::of_bits)?;
        if known.len() != sums.len() {
            return Err(format!("{} totals of {} groups", sums.len(), known.len()));
        }
        sums.iter_mut().zip(known).for_each(|(sum, known)| sum.known = known);
        for (group, total) in wide {
            let sum = sums.get_mut(group as usize).ok_or("a total of no group")?;
            sum.total = total;
        }
        Ok(SumColumn { places, sums, carried })
    }
}

impl Serialize for SumColumn {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        KeptSums::from(self).serialize(serializer)
    }
}

/// Where each group has at least this many lines of a batch, these are summed up by themselves.
const FEW: usize = 4;

impl SumColumn {
    pub(super) fn resize(&mut self, groups: usize) {
        self.sums.resize(groups, Sum::default());
    }

    pub(super) fn len(&self) -> usize {
        self.sums.len()
    }

    /// Whether it is as it is made here. What was read from a file may be anything.
    pub(super) fn is_sound(&self) -> bool {
        self.places <= MAX_PLACES
    }

    /// How many lines the sum of a group holds.
    pub(super) fn known(&self, group: usize) -> u64 {
        self.sums[group].known
    }

    /// The sum of a group, and how many lines it holds.
    pub(super) fn of(&self, group: usize) -> (ExactSum, u64) {
        let sum = &self.sums[group];
        let mut total = ExactSum::of(i256::from_i128(sum.total), self.places);
        if let Some(carried) = self.carried.get(&(group as u32)) {
            total.merge(*carried);
        }
        (total, sum.known)
    }

    /// Adds the numbers of a batch, each to the group of its line, where `known` says that it is to be taken.
    pub(super) fn add(
        &mut self,
        column: &NumberColumn,
        known: Option<&NullBuffer>,
        groups: &[u32],
    ) {
        match &column.numbers {
            Numbers::Fixed { mantissas, places } => {
                self.make_room(*places);
                if self.sums.len() * FEW <= groups.len() {
                    return self.add_by_batch(mantissas, *places, known, groups);
                }
                // 19 digits and as many more as there may be without passing 128 bits.
                let more = self.places - places;
                let factor = (more <= 19).then(|| power_of_ten(more));
                for (row, (&group, &mantissa)) in groups.iter().zip(mantissas).enumerate() {
                    if group != NO_GROUP && is_known(known, row) {
                        let mantissa = i128::from(mantissa);
                        match factor {
                            Some(factor) => self.add_total(group as usize, mantissa * factor, 1),
                            None => self.add_number(group as usize, mantissa, *places, 1),
                        }
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
                    self.add_number(group as usize, number.mantissa(), number.places(), 1);
                }
            }
        }
    }

    /// The same where groups are few beside the lines: the sums of the batch are added to the totals at its end.
    fn add_by_batch(
        &mut self,
        mantissas: &[i64],
        places: u8,
        known: Option<&NullBuffer>,
        groups: &[u32],
    ) {
        // One more for the lines that do not count. A batch has far fewer than 2^64 lines, so that no sum overflows.
        let none = self.sums.len();
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
        sums.truncate(none);
        let met = sums.into_iter().enumerate().filter(|(_, (_, lines))| *lines > 0);
        met.for_each(|(group, (total, lines))| self.add_number(group, total, places, lines));
    }

    /// Takes in the sums of other groups; `to` has of each which group here is the same, or [`NO_GROUP`].
    pub(super) fn absorb(&mut self, other: &SumColumn, to: &[u32]) {
        self.make_room(other.places);
        for (sum, &group) in other.sums.iter().zip(to).filter(|(_, group)| **group != NO_GROUP) {
            self.add_number(group as usize, sum.total, other.places, sum.known);
        }
        for (from, carried) in &other.carried {
            match to.get(*from as usize) {
                Some(&group) if group != NO_GROUP => self.carry(group as usize, *carried),
                _ => {}
            }
        }
    }

    /// Some of its groups, in this order.
    pub(super) fn gathered(&self, order: &[u32]) -> SumColumn {
        let sums = order.iter().map(|group| self.sums[*group as usize]).collect();
        let mut carried = BTreeMap::new();
        if !self.carried.is_empty() {
            let own = (0..).zip(order).filter_map(|(at, g)| Some((at, *self.carried.get(g)?)));
            carried.extend(own);
        }
        SumColumn { places: self.places, sums, carried }
    }

    /// Adds a group of this column to another.
    pub(super) fn merge(&mut self, into: usize, from: usize) {
        let sum = self.sums[from];
        self.add_total(into, sum.total, sum.known);
        if let Some(carried) = self.carried.get(&(from as u32)).copied() {
            self.carry(into, carried);
        }
    }

    /// Adds a number with no more places than the column has, which is the sum of some lines.
    pub(super) fn add_number(&mut self, group: usize, mantissa: i128, places: u8, lines: u64) {
        match mantissa.checked_mul(power_of_ten(self.places - places)) {
            Some(total) => self.add_total(group, total, lines),
            None => {
                self.sums[group].known += lines;
                self.carry(group, ExactSum::of(i256::from_i128(mantissa), places));
            }
        }
    }

    /// Adds a number with the places of the column.
    #[inline]
    fn add_total(&mut self, group: usize, number: i128, lines: u64) {
        let sum = &mut self.sums[group];
        let known = sum.known + lines;
        match sum.total.checked_add(number) {
            Some(total) => *sum = Sum { total, known },
            None => {
                sum.known = known;
                self.carry(group, ExactSum::of(i256::from_i128(number), self.places));
            }
        }
    }

    #[cold]
    fn carry(&mut self, group: usize, number: ExactSum) {
        self.carried.entry(group as u32).or_default().merge(number);
    }

    /// Brings all sums to at least this many places.
    fn make_room(&mut self, places: u8) {
        if places <= self.places {
            return;
        }
        let factor = power_of_ten(places - self.places);
        for group in 0..self.sums.len() {
            let Sum { total, known } = self.sums[group];
            let scaled = total.checked_mul(factor);
            self.sums[group] = Sum { total: scaled.unwrap_or(0), known };
            if scaled.is_none() {
                self.carry(group, ExactSum::of(i256::from_i128(total), self.places));
            }
        }
        self.places = places;
    }
}

#[cfg(test)]
mod tests {
    use interligo_model::values::decimal::Decimal;
    use proptest::prelude::*;

    use super::*;

    /// Numbers of every size, up to those that two of pass 128 bits.
    fn number() -> impl Strategy<Value = Decimal> {
        let mantissa = prop_oneof![
            4 => -1_000_000i128..1_000_000,
            2 => any::<i64>().prop_map(i128::from),
            1 => (i128::MAX / 2..i128::MAX / 2 + 100).prop_map(|m| m / 10),
        ];
        (mantissa, 0u8..12).prop_filter_map("a decimal", |(m, places)| Decimal::new(m, places))
    }

    #[test]
    fn more_places_than_a_number_may_have_are_no_sums() {
        let of_places = |places| SumColumn { places, ..SumColumn::default() };
        assert!(of_places(MAX_PLACES).is_sound() && !of_places(MAX_PLACES + 1).is_sound());
    }

    #[test]
    fn a_damaged_column_is_refused() {
        let column =
            SumColumn { sums: vec![Sum { total: 1 << 100, known: 2 }; 3], ..SumColumn::default() };
        let refused = |damage: &dyn Fn(&mut KeptSums)| {
            let mut kept = KeptSums::from(&column);
            damage(&mut kept);
            SumColumn::try_from(kept).err()
        };
        assert_eq!(refused(&|_| ()), None);
        let fewer = || kept([2u64, 2].into_iter());
        assert!(refused(&|column| column.known = fewer()).is_some());
        assert!(refused(&|column| column.wide.extend([(3, 1)])).is_some());
        assert!(refused(&|column| column.totals = NarrowInts::new([0; 3].into_iter())).is_some());
    }

    proptest! {
        /// Whatever passes the range, in columns of their own or one, and in whatever order they come.
        #[test]
        fn prop_sums_are_those_of_exact_sums(
            batches in prop::collection::vec(
                prop::collection::vec((prop::option::of(number()), 0u32..5), 1..40), 1..4),
        ) {
            let mut expected = [(ExactSum::default(), 0); 4];
            let (mut one, mut merged) = (SumColumn::default(), SumColumn::default());
            one.resize(4);
            merged.resize(5);
            // Others have their groups in another order, and one less.
            let to = [2, NO_GROUP, 0, 3];
            for lines in &batches {
                let (numbers, groups): (Vec<_>, Vec<u32>) = lines.iter().copied().unzip();
                let groups: Vec<u32> =
                    groups.into_iter().map(|g| if g < 4 { g } else { NO_GROUP }).collect();
                let numbers = NumberColumn::from_decimals(&numbers, 0);
                let mut own = SumColumn::default();
                own.resize(4);
                own.add(&numbers, numbers.known.as_ref(), &groups);
                one.add(&numbers, numbers.known.as_ref(), &groups);
                merged.absorb(&own, &to);
                for (row, group) in groups.iter().enumerate().filter(|(_, g)| **g != NO_GROUP) {
                    if let Some(number) = numbers.get(row) {
                        expected[*group as usize].0.add(number);
                        expected[*group as usize].1 += 1;
                    }
                }
            }
            let mut all = (ExactSum::default(), 0);
            for (group, sum) in expected.iter().enumerate() {
                prop_assert_eq!(one.of(group), *sum);
                if to[group] != NO_GROUP {
                    prop_assert_eq!(merged.of(to[group] as usize), *sum);
                    all.0.merge(sum.0);
                    all.1 += sum.1;
                    merged.merge(4, to[group] as usize);
                }
            }
            prop_assert_eq!(merged.of(4), all);
            let turned = merged.gathered(&[4, 3, 0]);
            for (at, group) in [4, 3, 0].into_iter().enumerate() {
                prop_assert_eq!(turned.of(at), merged.of(group));
            }
            let read = SumColumn::try_from(KeptSums::from(&merged)).unwrap();
            prop_assert_eq!((read.len(), read.places), (merged.len(), merged.places));
            (0..read.len()).for_each(|group| assert_eq!(read.of(group), merged.of(group)));
        }
    }
}
