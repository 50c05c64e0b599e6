//! Where amounts lie along a line: from zero, with ticks at round numbers.

use interligo_model::values::decimal::{Decimal, Rounding};

/// Decimal places of a part of the line.
const PLACES: u8 = 9;

/// About how many ticks there are.
const TICKS: i64 = 4;

/// A line with zero on it, from a tick at or below the least amount to one at or above the largest.
pub(super) struct Scale {
    least: Decimal,
    most: Decimal,
    /// The ticks, ascending.
    pub(super) ticks: Vec<Decimal>,
}

impl Scale {
    /// A line for some amounts. Without any, or with zeros alone, it leads from zero to one.
    pub(super) fn over(amounts: impl Iterator<Item = Decimal>) -> Scale {
        let (mut least, mut most) = (Decimal::ZERO, Decimal::ZERO);
        for amount in amounts {
            (least, most) = (least.min(amount), most.max(amount));
        }
        if least == most {
            most = Decimal::from(1);
        }
        ticked(least, most).unwrap_or(Scale { least, most, ticks: vec![Decimal::ZERO] })
    }

    /// How far an amount is from the left end of a line of this length.
    pub(super) fn at(&self, amount: Decimal, length: i64) -> i64 {
        let part = || {
            let places = places_kept(self.least, self.most);
            let least = self.least.round(places, Rounding::HalfEven)?;
            let own = amount.round(places, Rounding::HalfEven)?.checked_sub(least)?;
            let whole = self.most.round(places, Rounding::HalfEven)?.checked_sub(least)?;
            // Divided first: so amounts of very many digits are on the line as well, in their order.
            let part = own.checked_div(whole, PLACES)?.checked_mul(Decimal::from(length))?;
            part.round(0, Rounding::HalfEven)?.whole()
        };
        part().and_then(|at| i64::try_from(at).ok()).unwrap_or(0).clamp(0, length)
    }
}

/// How many decimal places matter on a line between two amounts: all that a number has room for beside their digits.
fn places_kept(least: Decimal, most: Decimal) -> u8 {
    let whole_digits = |amount: Decimal| {
        let digits = amount.mantissa().unsigned_abs().checked_ilog10().map_or(1, |log| log + 1);
        digits.saturating_sub(u32::from(amount.places()))
    };
    let digits = whole_digits(least).max(whole_digits(most));
    DIGITS.saturating_sub(digits) as u8
}

/// How many digits are computed with.
const DIGITS: u32 = 28;

fn ticked(least: Decimal, most: Decimal) -> Option<Scale> {
    let step = step_for(most.checked_sub(least)?.checked_div(Decimal::from(TICKS), 12)?)?;
    // The first tick at or below the least amount, and the last.
    let below = steps(least.checked_neg()?, step)?;
    let above = steps(most, step)?;
    let tick = |number: i64| Decimal::from(number).checked_mul(step);
    let ticks: Option<Vec<Decimal>> = (-below..=above).map(tick).collect();
    let ticks = ticks?;
    Some(Scale { least: *ticks.first()?, most: *ticks.last()?, ticks })
}

/// How many steps reach an amount from zero.
fn steps(amount: Decimal, step: Decimal) -> Option<i64> {
    let part = amount.checked_div(step, 6)?;
    let whole = i64::try_from(part.round(0, Rounding::HalfEven)?.whole()?).ok()?;
    let reaches = Decimal::from(whole) >= part;
    Some((whole + i64::from(!reaches)).max(0))
}

/// The smallest of 1, 2 and 5 times a power of ten that is not below this.
fn step_for(least: Decimal) -> Option<Decimal> {
    let digits = least.mantissa().unsigned_abs().checked_ilog10()? as i32;
    let exponent = digits - i32::from(least.places());
    let power = |exponent: i32| match u32::try_from(exponent) {
        Ok(up) => Decimal::new(10_i128.checked_pow(up)?, 0),
        Err(_) => Decimal::new(1, u8::try_from(-exponent).ok()?),
    };
    let times = |times: i64, exponent| power(exponent)?.checked_mul(Decimal::from(times));
    let all = [times(1, exponent), times(2, exponent), times(5, exponent), times(1, exponent + 1)];
    all.into_iter().flatten().find(|step| *step >= least)
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn decimal(text: &str) -> Decimal {
        Decimal::parse(text.as_bytes()).unwrap()
    }

    fn ticks(amounts: &[&str]) -> Vec<String> {
        let scale = Scale::over(amounts.iter().map(|text| decimal(text)));
        scale.ticks.iter().map(|tick| tick.trimmed(0).to_string()).collect()
    }

    #[test]
    fn ticks_are_round_and_have_zero() {
        assert_eq!(ticks(&["83161.96"]), ["0", "50000", "100000"]);
        assert_eq!(ticks(&["-3", "7"]), ["-5", "0", "5", "10"]);
        assert_eq!(ticks(&["-0.02"]), ["-0.02", "-0.015", "-0.01", "-0.005", "0"]);
        assert_eq!(ticks(&[]), ["0", "0.5", "1"]);
        assert_eq!(ticks(&["0"]), ["0", "0.5", "1"]);
    }

    proptest! {
        #[test]
        fn every_amount_is_on_the_line_in_order(
            amounts in proptest::collection::vec((any::<i128>(), 0..30_u8), 1..8),
        ) {
            let most = 10_i128.pow(37);
            let amounts: Vec<Decimal> =
                amounts.iter().filter_map(|(m, places)| Decimal::new(m % most, *places)).collect();
            let scale = Scale::over(amounts.iter().copied());
            let zero = scale.at(Decimal::ZERO, 1000);
            for amount in &amounts {
                let at = scale.at(*amount, 1000);
                prop_assert!((0..=1000).contains(&at));
                let is_below = *amount < Decimal::ZERO;
                prop_assert!(at == zero || (at < zero) == is_below);
            }
            let mut sorted = amounts.clone();
            sorted.sort();
            prop_assert!(sorted.windows(2).all(|two| scale.at(two[0], 1000) <= scale.at(two[1], 1000)));
        }
    }
}
