//! Exact decimals: money, quantities and rates as they are in the text of the input.
//!
//! A [`Decimal`] is a whole number and a count of decimal places. Every operation is exact or
//! says that it cannot be: nothing passes through binary floating point, and a result that does not
//! fit is [`None`], never a wrong figure. Columns of decimals have a faster form in `column`; this
//! type is what that form must agree with, and what it falls back to.

use std::cmp::Ordering;
use std::fmt;
use std::hash::{Hash, Hasher};

/// How a value that lies exactly between two results of [`Decimal::round`] is settled.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, serde::Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Rounding {
    /// To the neighbour whose last digit is even: 0.125 becomes 0.12.
    HalfEven,
    /// Away from zero: 0.125 becomes 0.13, -0.125 becomes -0.13.
    HalfUp,
}

/// A number with a fixed count of decimal places; `mantissa / 10^places`.
///
/// Two decimals are equal when their values are: `1.50 == 1.5`.
// Aligned as 128 bits want it, a decimal would take a third more, and so would a value.
#[derive(Clone, Copy, Debug, serde::Serialize, serde::Deserialize)]
#[repr(Rust, packed(8))]
pub struct Decimal {
    mantissa: i128,
    places: u8,
}

/// A mantissa of `i128` has at most 39 digits; 10^38 is the largest power of ten in it.
pub const MAX_PLACES: u8 = 38;

/// How many places a quotient keeps beyond those of its operands.
pub const QUOTIENT_PLACES: u8 = 12;

/// `10^exponent`, for an exponent up to [`MAX_PLACES`].
pub fn power_of_ten(exponent: u8) -> i128 {
    10i128.pow(u32::from(exponent))
}

impl Decimal {
    /// Zero without decimal places.
    pub const ZERO: Decimal = Decimal { mantissa: 0, places: 0 };

    /// `mantissa / 10^places`. `None` when there are more places than [`MAX_PLACES`].
    pub fn new(mantissa: i128, places: u8) -> Option<Decimal> {
        (places <= MAX_PLACES).then_some(Decimal { mantissa, places })
    }

    /// The number without its decimal point.
    pub fn mantissa(self) -> i128 {
        self.mantissa
    }

    /// How many digits stand after the decimal point.
    pub fn places(self) -> u8 {
        self.places
    }

    /// Whether the value is zero, with whatever places.
    pub fn is_zero(self) -> bool {
        self.mantissa == 0
    }

    /// The value, if it is a whole number.
    pub fn whole(self) -> Option<i128> {
        self.with_places(0).map(Decimal::mantissa)
    }

    /// Reads `-1234.56`: an optional sign, digits, and optionally a point with digits. At least one
    /// digit; no spaces, no grouping, no exponent. `None` for anything else or when it overflows.
    pub fn parse(text: &[u8]) -> Option<Decimal> {
        let (negative, digits) = match text.first()? {
            b'-' => (true, &text[1..]),
            b'+' => (false, &text[1..]),
            _ => (false, text),
        };
        let (mut mantissa, mut places, mut point, mut seen) = (0i128, 0u8, false, false);
        for &byte in digits {
            if byte == b'.' && !point {
                point = true;
                continue;
            }
            let digit = byte.wrapping_sub(b'0');
            if digit > 9 {
                return None;
            }
            seen = true;
            mantissa = mantissa.checked_mul(10)?.checked_add(i128::from(digit))?;
            places += u8::from(point);
        }
        if !seen {
            return None;
        }
        Decimal::new(if negative { -mantissa } else { mantissa }, places)
    }

    /// The same value with `places` decimal places, if it can be written so without loss.
    pub fn with_places(self, places: u8) -> Option<Decimal> {
        let mantissa = match places.cmp(&self.places) {
            Ordering::Equal => self.mantissa,
            Ordering::Greater => {
                if places > MAX_PLACES {
                    return None;
                }
                self.mantissa.checked_mul(power_of_ten(places - self.places))?
            }
            Ordering::Less => {
                let power = power_of_ten(self.places - places);
                if self.mantissa % power != 0 {
                    return None;
                }
                self.mantissa / power
            }
        };
        Some(Decimal { mantissa, places })
    }

    /// The same value without the zeros at its end, as far as `least` places.
    pub fn trimmed(self, least: u8) -> Decimal {
        let Decimal { mut mantissa, mut places } = self;
        while places > least && mantissa % 10 == 0 {
            mantissa /= 10;
            places -= 1;
        }
        Decimal { mantissa, places }
    }

    /// The same value as it is written: with `least` places, and more only where they are not zero.
    pub fn at_least(self, least: u8) -> Decimal {
        let trimmed = self.trimmed(least);
        if trimmed.places < least { trimmed.with_places(least).unwrap_or(trimmed) } else { trimmed }
    }

    /// The sum, with the places of the operand that has more. `None` on overflow.
    pub fn checked_add(self, other: Decimal) -> Option<Decimal> {
        let (a, b) = self.aligned(other)?;
        Some(Decimal { mantissa: a.mantissa.checked_add(b.mantissa)?, places: a.places })
    }

    /// The difference, with the places of the operand that has more. `None` on overflow.
    pub fn checked_sub(self, other: Decimal) -> Option<Decimal> {
        self.checked_add(other.checked_neg()?)
    }

    /// The product, with the places of both operands together. `None` on overflow.
    pub fn checked_mul(self, other: Decimal) -> Option<Decimal> {
        let product = |a: Decimal, b: Decimal| {
            let mantissa = a.mantissa.checked_mul(b.mantissa)?;
            Decimal::new(mantissa, a.places.checked_add(b.places)?)
        };
        // Zeros at the end take up room without adding to the value.
        product(self, other).or_else(|| product(self.trimmed(0), other.trimmed(0)))
    }

    /// The quotient rounded half-even to `places`. `None` on overflow or division by zero.
    pub fn checked_div(self, other: Decimal, places: u8) -> Option<Decimal> {
        if other.is_zero() {
            return None;
        }
        let (a, b) = (self.trimmed(0), other.trimmed(0));
        // a.m / 10^a.p / (b.m / 10^b.p), scaled by 10^places
        let exponent = i32::from(places) + i32::from(b.places) - i32::from(a.places);
        let (numerator, denominator) = if exponent >= 0 {
            let power = 10i128.checked_pow(exponent.unsigned_abs());
            match power.and_then(|power| a.mantissa.checked_mul(power)) {
                Some(numerator) => (numerator, b.mantissa),
                None => {
                    return long_division(a.mantissa, b.mantissa, exponent.unsigned_abs(), places);
                }
            }
        } else {
            let power = 10i128.checked_pow(exponent.unsigned_abs())?;
            (a.mantissa, b.mantissa.checked_mul(power)?)
        };
        Decimal::new(rounded_quotient(numerator, denominator, Rounding::HalfEven)?, places)
    }

    /// The value with at most `places` decimal places; a value that has fewer gains zeros.
    pub fn round(self, places: u8, rounding: Rounding) -> Option<Decimal> {
        if places >= self.places {
            return self.with_places(places);
        }
        let power = power_of_ten(self.places - places);
        Decimal::new(rounded_quotient(self.mantissa, power, rounding)?, places)
    }

    /// The value the absolute value.
    pub fn checked_abs(self) -> Option<Decimal> {
        Some(Decimal { mantissa: self.mantissa.checked_abs()?, ..self })
    }

    /// The value with the other sign.
    pub fn checked_neg(self) -> Option<Decimal> {
        Some(Decimal { mantissa: self.mantissa.checked_neg()?, ..self })
    }

    fn aligned(self, other: Decimal) -> Option<(Decimal, Decimal)> {
        if self.places == other.places {
            return Some((self, other));
        }
        let places = self.places.max(other.places);
        match (self.with_places(places), other.with_places(places)) {
            (Some(a), Some(b)) => Some((a, b)),
            _ => {
                let (a, b) = (self.trimmed(0), other.trimmed(0));
                let places = a.places.max(b.places);
                Some((a.with_places(places)?, b.with_places(places)?))
            }
        }
    }
}

/// `numerator / denominator`, digit by digit as on paper, for numerators that would not fit with
/// `digits` more of them.
fn long_division(numerator: i128, denominator: i128, digits: u32, places: u8) -> Option<Decimal> {
    let mut quotient = numerator.checked_div(denominator)?;
    let mut rest = numerator % denominator;
    for _ in 0..digits {
        rest = rest.checked_mul(10)?;
        quotient = quotient.checked_mul(10)?.checked_add(rest / denominator)?;
        rest %= denominator;
    }
    let half = rounded_quotient(rest, denominator, Rounding::HalfUp)?;
    let tie = rest.checked_mul(2)?.unsigned_abs() == denominator.unsigned_abs();
    let step = if tie && quotient % 2 == 0 { 0 } else { half };
    Decimal::new(quotient.checked_add(step)?, places)
}

/// `numerator / denominator` to a whole number; the denominator is not zero.
fn rounded_quotient(numerator: i128, denominator: i128, rounding: Rounding) -> Option<i128> {
    let quotient = numerator.checked_div(denominator)?;
    let remainder = numerator % denominator;
    if remainder == 0 {
        return Some(quotient);
    }
    let away = if (numerator < 0) == (denominator < 0) { 1 } else { -1 };
    // Comparing with what is left, not with the double, which might not fit.
    let rest = remainder.unsigned_abs();
    let up = match rest.cmp(&(denominator.unsigned_abs() - rest)) {
        Ordering::Less => false,
        Ordering::Greater => true,
        Ordering::Equal => match rounding {
            Rounding::HalfEven => quotient % 2 != 0,
            Rounding::HalfUp => true,
        },
    };
    if up { quotient.checked_add(away) } else { Some(quotient) }
}

impl PartialEq for Decimal {
    fn eq(&self, other: &Decimal) -> bool {
        self.cmp(other) == Ordering::Equal
    }
}

impl Eq for Decimal {}

impl PartialOrd for Decimal {
    fn partial_cmp(&self, other: &Decimal) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}

impl Ord for Decimal {
    fn cmp(&self, other: &Decimal) -> Ordering {
        if self.places == other.places {
            return self.mantissa().cmp(&other.mantissa());
        }
        let whole = |d: &Decimal| d.mantissa / power_of_ten(d.places);
        // A fraction is below 1, so bringing it to the most places cannot overflow.
        let most = self.places.max(other.places);
        let rest =
            |d: &Decimal| (d.mantissa % power_of_ten(d.places)) * power_of_ten(most - d.places);
        whole(self).cmp(&whole(other)).then_with(|| rest(self).cmp(&rest(other)))
    }
}

impl Hash for Decimal {
    fn hash<H: Hasher>(&self, state: &mut H) {
        let Decimal { mantissa, places } = self.trimmed(0);
        (mantissa, places).hash(state);
    }
}

impl From<i64> for Decimal {
    fn from(value: i64) -> Decimal {
        Decimal { mantissa: i128::from(value), places: 0 }
    }
}

impl fmt::Display for Decimal {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let digits = self.mantissa.unsigned_abs().to_string();
        let sign = if self.mantissa < 0 { "-" } else { "" };
        let places = usize::from(self.places);
        if places == 0 {
            return write!(f, "{sign}{digits}");
        }
        let padded = format!("{digits:0>width$}", width = places + 1);
        let (whole, fraction) = padded.split_at(padded.len() - places);
        write!(f, "{sign}{whole}.{fraction}")
    }
}

impl Decimal {
    /// Appends its text to `out`.
    pub fn write_to(self, out: &mut Vec<u8>) {
        match i64::try_from(self.mantissa()) {
            Ok(mantissa) => write_fixed(out, mantissa, self.places, self.places),
            Err(_) => out.extend_from_slice(self.to_string().as_bytes()),
        }
    }
}

/// Appends `mantissa / 10^places` to `out`, without the zeros at its end as far as `least` places.
/// The text is that of [`Decimal`]'s `Display`, without a detour over a string.
pub fn write_fixed(out: &mut Vec<u8>, mantissa: i64, places: u8, least: u8) {
    let mut value = mantissa.unsigned_abs();
    let mut places = usize::from(places);
    let least = usize::from(least);
    while places > least && value.is_multiple_of(10) {
        value /= 10;
        places -= 1;
    }
    // 20 digits of the largest value, or up to 38 places with a zero before them, point and sign; and as much behind as is
    // copied at once.
    let mut buffer = [b'0'; LONGEST + AT_ONCE];
    let mut at = LONGEST;
    // Of more places than a value has digits, all digits are places.
    let (whole, fraction) = match POWERS.get(places) {
        Some(power) => (value / power, value % power),
        None => (0, value),
    };
    if places > 0 {
        at = put_digits(&mut buffer, at, fraction, places) - 1;
        buffer[at] = b'.';
    }
    at = put_digits(&mut buffer, at, whole, 1);
    if mantissa < 0 {
        at -= 1;
        buffer[at] = b'-';
    }
    let length = LONGEST - at;
    if length > AT_ONCE {
        return out.extend_from_slice(&buffer[at..LONGEST]);
    }
    // A copy whose length is known is a few instructions.
    let start = out.len();
    out.extend_from_slice(&buffer[at..at + AT_ONCE]);
    out.truncate(start + length);
}

const LONGEST: usize = 44;
const AT_ONCE: usize = 32;

/// Powers of ten, as far as the digits of a value go.
pub(crate) const POWERS: [u64; 20] = {
    let mut powers = [1u64; 20];
    let mut at = 1;
    while at < powers.len() {
        powers[at] = powers[at - 1] * 10;
        at += 1;
    }
    powers
};

/// `00` to `99`.
const PAIRS: [[u8; 2]; 100] = {
    let mut pairs = [[b'0'; 2]; 100];
    let mut at = 0;
    while at < pairs.len() {
        pairs[at] = [b'0' + (at / 10) as u8, b'0' + (at % 10) as u8];
        at += 1;
    }
    pairs
};

/// Puts the digits of a value before `end`, two at a time, and zeros before them up to `least` digits; where they begin. What
/// is before them is zeros already.
fn put_digits(buffer: &mut [u8], end: usize, mut value: u64, least: usize) -> usize {
    let mut at = end;
    while value >= 10 {
        at -= 2;
        buffer[at..at + 2].copy_from_slice(&PAIRS[(value % 100) as usize]);
        value /= 100;
    }
    if value > 0 {
        at -= 1;
        buffer[at] = b'0' + value as u8;
    }
    at.min(end - least)
}

#[cfg(test)]
mod tests {
    use super::*;
    use num_rational::BigRational;
    use proptest::prelude::*;

    fn decimal(text: &str) -> Decimal {
        Decimal::parse(text.as_bytes()).unwrap()
    }

    #[test]
    fn reads_plain_numbers_and_nothing_else() {
        for (text, shown) in
            [("0", "0"), ("-0.50", "-0.50"), ("+7", "7"), (".5", "0.5"), ("12.", "12")]
        {
            assert_eq!(decimal(text).to_string(), shown);
        }
        for text in ["", "-", ".", "1,5", "1.2.3", "1e3", " 1", "12a", "--1"] {
            assert!(Decimal::parse(text.as_bytes()).is_none(), "{text}");
        }
        let longest = "9".repeat(40);
        assert!(Decimal::parse(longest.as_bytes()).is_none());
    }

    #[test]
    fn halves_are_settled_by_the_rule() {
        for (text, places, even, up) in [
            ("0.125", 2, "0.12", "0.13"),
            ("0.135", 2, "0.14", "0.14"),
            ("-0.125", 2, "-0.12", "-0.13"),
            ("2.5", 0, "2", "3"),
            ("2.4999", 0, "2", "2"),
            ("1", 2, "1.00", "1.00"),
        ] {
            let value = decimal(text);
            assert_eq!(value.round(places, Rounding::HalfEven).unwrap().to_string(), even);
            assert_eq!(value.round(places, Rounding::HalfUp).unwrap().to_string(), up);
        }
    }

    #[test]
    fn what_does_not_fit_is_none() {
        let large = Decimal::new(i128::MAX, 0).unwrap();
        assert!(large.checked_add(Decimal::from(1)).is_none());
        assert!(large.checked_mul(Decimal::from(2)).is_none());
        assert!(decimal("1").checked_div(Decimal::ZERO, 12).is_none());
        // A numerator that overflows is no reason to give up: the quotient may.
        let third = decimal("1").checked_div(decimal("3"), 30).unwrap();
        let again = third.checked_div(decimal("-0.66666666666666666"), 30).unwrap();
        assert_eq!(again.to_string(), "-0.500000000000000005000000000000");
        // Zeros at the end are no reason to give up.
        let zeros = Decimal::new(power_of_ten(30), 30).unwrap();
        assert_eq!(zeros.checked_mul(zeros), Some(Decimal::from(1)));
    }

    fn any_decimal() -> impl Strategy<Value = Decimal> {
        (-1_000_000_000_000i128..1_000_000_000_000, 0u8..9)
            .prop_map(|(mantissa, places)| Decimal { mantissa, places })
    }

    fn fraction(d: Decimal) -> BigRational {
        BigRational::new(d.mantissa.into(), power_of_ten(d.places).into())
    }

    proptest! {
        #[test]
        fn prop_arithmetic_agrees_with_fractions(a in any_decimal(), b in any_decimal()) {
            prop_assert_eq!(fraction(a.checked_add(b).unwrap()), fraction(a) + fraction(b));
            prop_assert_eq!(fraction(a.checked_sub(b).unwrap()), fraction(a) - fraction(b));
            prop_assert_eq!(fraction(a.checked_mul(b).unwrap()), fraction(a) * fraction(b));
            prop_assert_eq!(a.cmp(&b), fraction(a).cmp(&fraction(b)));
            if !b.is_zero() {
                let quotient = a.checked_div(b, 20).unwrap();
                let off = fraction(quotient) * fraction(b) - fraction(a);
                let half = fraction(Decimal { mantissa: 5, places: 21 });
                let most = half * fraction(b.checked_abs().unwrap());
                prop_assert!(off <= most && -off <= most);
            }
        }

        #[test]
        fn prop_text_is_read_back(a in any_decimal(), least in 0u8..9) {
            prop_assert_eq!(decimal(&a.to_string()).mantissa, a.mantissa);
            let mut out = Vec::new();
            write_fixed(&mut out, a.mantissa as i64, a.places, least);
            prop_assert_eq!(String::from_utf8(out).unwrap(), a.trimmed(least).to_string());
            for any in [a, Decimal { mantissa: a.mantissa() * i128::from(i64::MAX), ..a }] {
                let mut out = Vec::new();
                any.write_to(&mut out);
                prop_assert_eq!(String::from_utf8(out).unwrap(), any.to_string());
            }
        }
    }
}
