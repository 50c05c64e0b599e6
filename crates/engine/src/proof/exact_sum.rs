//! Sums that stay exact, whatever the order in which they are taken.
//!
//! A sum may pass the range of a [`Decimal`] on its way and come back into it. It is kept in 256 bits until it is
//! asked for, so that neither the order of lines nor where batches were cut decides whether it fits.

use arrow_buffer::i256;
use serde::{Deserialize, Serialize};

use interligo_model::values::decimal::{Decimal, MAX_PLACES, power_of_ten};

/// A sum of decimals in 256 bits.
///
/// Two sums are equal when their values are. One that passes even these bits stays without a value.
#[derive(Clone, Copy, Debug, Serialize, Deserialize)]
#[serde(from = "KeptSum", into = "KeptSum")]
pub struct ExactSum {
    mantissa: i256,
    places: u8,
    overflowed: bool,
}

/// A sum as it is kept in a file: the low and the high half of its mantissa, its places; no halves where it has no value.
#[derive(Serialize, Deserialize)]
struct KeptSum(Option<(u128, i128)>, u8);

impl From<KeptSum> for ExactSum {
    fn from(KeptSum(halves, places): KeptSum) -> ExactSum {
        let of = |(low, high)| ExactSum {
            mantissa: i256::from_parts(low, high),
            places,
            overflowed: false,
        };
        halves.map_or(ExactSum::NONE, of)
    }
}

impl From<ExactSum> for KeptSum {
    fn from(sum: ExactSum) -> KeptSum {
        KeptSum((!sum.overflowed).then(|| sum.mantissa.to_parts()), sum.places)
    }
}

impl Default for ExactSum {
    fn default() -> ExactSum {
        ExactSum { mantissa: i256::ZERO, places: 0, overflowed: false }
    }
}

impl From<Decimal> for ExactSum {
    fn from(number: Decimal) -> ExactSum {
        let mantissa = i256::from_i128(number.mantissa());
        ExactSum { mantissa, places: number.places(), overflowed: false }
    }
}

impl ExactSum {
    /// A sum without a value.
    pub const NONE: ExactSum = ExactSum { mantissa: i256::ZERO, places: 0, overflowed: true };

    /// A whole number of `10^-places`.
    pub(crate) fn of(mantissa: i256, places: u8) -> ExactSum {
        ExactSum { mantissa, places, overflowed: false }
    }

    /// The sum of many numbers; none where there is none.
    pub fn of_all(numbers: impl Iterator<Item = Decimal>) -> Option<ExactSum> {
        // Those with as many places are added in 128 bits, and what passes these goes to the sum at once.
        let mut by_places = [None::<i128>; MAX_PLACES as usize + 1];
        let mut sum: Option<ExactSum> = None;
        for number in numbers {
            let own = &mut by_places[usize::from(number.places())];
            *own = match own.unwrap_or(0).checked_add(number.mantissa()) {
                Some(total) => Some(total),
                None => {
                    sum.get_or_insert_default().add(number);
                    continue;
                }
            };
        }
        for (total, places) in by_places.into_iter().zip(0..) {
            let Some(total) = total else { continue };
            sum.get_or_insert_default().merge(ExactSum::of(i256::from_i128(total), places));
        }
        sum
    }

    /// Adds a number.
    pub fn add(&mut self, number: Decimal) {
        self.merge(number.into());
    }

    /// Adds another sum.
    pub fn merge(&mut self, other: ExactSum) {
        let places = self.places.max(other.places);
        let sum = self.mantissa_with(places).zip(other.mantissa_with(places));
        match sum.and_then(|(a, b)| a.checked_add(b)) {
            Some(mantissa) => (self.mantissa, self.places) = (mantissa, places),
            None => self.overflowed = true,
        }
    }

    /// Takes another sum away.
    pub fn take(&mut self, other: ExactSum) {
        match other.mantissa.checked_neg() {
            Some(mantissa) => self.merge(ExactSum { mantissa, ..other }),
            None => self.overflowed = true,
        }
    }

    /// The sum; `None` when it needs more digits than a [`Decimal`] has.
    pub fn value(self) -> Option<Decimal> {
        if self.overflowed {
            return None;
        }
        let (mut mantissa, mut places) = (self.mantissa, self.places);
        let ten = i256::from_i128(10);
        loop {
            if let Some(mantissa) = mantissa.to_i128() {
                return Decimal::new(mantissa, places);
            }
            if places == 0 || mantissa.wrapping_rem(ten) != i256::ZERO {
                return None;
            }
            (mantissa, places) = (mantissa.wrapping_div(ten), places - 1);
        }
    }

    /// The sum as it is written, with `least` places or more.
    pub fn shown(self, least: u8) -> Option<Decimal> {
        self.value().map(|sum| sum.at_least(least))
    }

    fn mantissa_with(self, places: u8) -> Option<i256> {
        if self.overflowed {
            return None;
        }
        match places.checked_sub(self.places)? {
            0 => Some(self.mantissa),
            more if more <= MAX_PLACES => {
                self.mantissa.checked_mul(i256::from_i128(power_of_ten(more)))
            }
            _ => None,
        }
    }
}

impl PartialEq for ExactSum {
    fn eq(&self, other: &ExactSum) -> bool {
        if self.overflowed || other.overflowed {
            return self.overflowed == other.overflowed;
        }
        let places = self.places.max(other.places);
        match (self.mantissa_with(places), other.mantissa_with(places)) {
            (Some(a), Some(b)) => a == b,
            // Only one that is not zero at this many places is too long for them.
            _ => false,
        }
    }
}

impl Eq for ExactSum {}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn number(text: &str) -> Decimal {
        Decimal::parse(text.as_bytes()).unwrap()
    }

    #[test]
    fn a_sum_that_passes_the_range_midway_comes_back_into_it() {
        let large = number(&"9".repeat(38));
        let mut sum = ExactSum::default();
        for add in [large, large, large, large.checked_neg().unwrap()] {
            sum.add(add);
        }
        assert_eq!(sum.value(), None);
        sum.take(large.into());
        sum.take(large.into());
        sum.add(number("0.5"));
        assert_eq!(sum.value(), Some(number("0.5")));
        assert_eq!(sum.shown(2).unwrap().to_string(), "0.50");
        assert_ne!(sum, ExactSum::NONE);
        assert_eq!(ExactSum::NONE.value(), None);
    }

    proptest! {
        /// Also where those with as many places pass 128 bits.
        #[test]
        fn prop_the_sum_of_all_is_that_of_each(
            numbers in prop::collection::vec((any::<i128>(), prop_oneof![Just(2), 0u8..=38]), 0..12),
        ) {
            let numbers = numbers.into_iter().map(|(m, p)| Decimal::new(m, p).unwrap());
            let mut sum = None::<ExactSum>;
            numbers.clone().for_each(|number| sum.get_or_insert_default().add(number));
            prop_assert_eq!(ExactSum::of_all(numbers), sum);
        }

        /// Neither order nor grouping makes a difference; numbers of any size and places.
        #[test]
        fn prop_order_makes_no_difference(
            numbers in prop::collection::vec((any::<i128>(), 0u8..=38), 0..12), cut in any::<prop::sample::Index>(),
        ) {
            let numbers: Vec<Decimal> =
                numbers.into_iter().map(|(m, p)| Decimal::new(m / 64, p).unwrap()).collect();
            let sum = |numbers: &[Decimal]| {
                let mut sum = ExactSum::default();
                numbers.iter().for_each(|number| sum.add(*number));
                sum
            };
            let (one, other) = numbers.split_at(cut.index(numbers.len() + 1));
            let mut parts = sum(other);
            parts.merge(sum(one));
            let whole = sum(&numbers);
            prop_assert_eq!(parts, whole);
            let mut nothing = whole;
            nothing.take(parts);
            prop_assert_eq!(nothing, ExactSum::default());
        }
    }
}
