//! Arithmetic over columns of numbers in the fixed form: whole numbers of 64 bits with a common count of places.
//! Whatever overflows gives nothing, and the caller goes the longer way.

use std::borrow::Cow;

use arrow_buffer::NullBuffer;
use interligo_model::formula::Operator;
use interligo_model::values::column::{NumberColumn, Numbers, is_known, known_where};
use interligo_model::values::decimal::{QUOTIENT_PLACES, Rounding};

use super::type_check::Type;

/// Numbers in the fixed form: one for all rows, or one a row.
pub(super) struct Numeric<'a> {
    pub(super) mantissas: Mantissas<'a>,
    pub(super) places: u8,
    pub(super) known: Option<NullBuffer>,
}

pub(super) enum Mantissas<'a> {
    Same(i64),
    Each(Cow<'a, [i64]>),
}

impl Numeric<'_> {
    pub(super) fn each(
        mantissas: Vec<i64>,
        places: u8,
        known: Option<NullBuffer>,
    ) -> Numeric<'static> {
        Numeric { mantissas: Mantissas::Each(Cow::Owned(mantissas)), places, known }
    }

    pub(super) fn get(&self, row: usize) -> Option<i64> {
        is_known(self.known.as_ref(), row).then(|| match &self.mantissas {
            Mantissas::Same(value) => *value,
            Mantissas::Each(values) => values[row],
        })
    }

    pub(super) fn into_column(self, rows: usize) -> NumberColumn {
        let mantissas = match self.mantissas {
            Mantissas::Same(value) => vec![value; rows],
            Mantissas::Each(values) => values.into_owned(),
        };
        let numbers = Numbers::Fixed { mantissas, places: self.places };
        NumberColumn { numbers, known: self.known }
    }
}

/// Applies `work` to pairs; `None` if it reports an overflow for any. An unknown row takes part
/// with whatever is there; at worst the batch goes the longer way for nothing. The result takes the place of an
/// operand that was computed itself: memory that is at hand costs least.
#[inline(always)]
fn zip(
    a: Mantissas<'_>,
    b: Mantissas<'_>,
    rows: usize,
    work: impl Fn(i64, i64) -> (i64, bool),
) -> Option<Vec<i64>> {
    use Mantissas::{Each, Same};
    match (a, b) {
        (Same(x), Same(y)) => {
            let (value, unfit) = work(x, y);
            (!unfit).then(|| vec![value; rows])
        }
        (Same(x), Each(y)) => each(own(y), |y| work(x, y)),
        (Each(x), Same(y)) => each(own(x), |x| work(x, y)),
        (Each(x @ Cow::Borrowed(_)), Each(Cow::Owned(y))) => pairs(y, &x, |y, x| work(x, y)),
        (Each(x), Each(y)) => {
            let result = pairs(own(x), &y, work);
            if let Cow::Owned(y) = y {
                scratch::give_back(y);
            }
            result
        }
    }
}

/// A column to be worked on: the one that is there, if it is our own.
fn own(values: Cow<'_, [i64]>) -> Vec<i64> {
    match values {
        Cow::Owned(values) => values,
        Cow::Borrowed(values) => scratch::copy(values),
    }
}

/// Values worked on together: where the work is a single operation, what is around it counts.
const STEP: usize = 8;

/// Each value becomes what `work` makes of it, unless that overflows.
#[inline(always)]
fn each(mut values: Vec<i64>, work: impl Fn(i64) -> (i64, bool)) -> Option<Vec<i64>> {
    let mut apply = |value: &mut i64| {
        let (result, unfit) = work(*value);
        *value = result;
        unfit
    };
    let (steps, rest) = values.as_chunks_mut::<STEP>();
    let unfit = steps.iter_mut().any(|step| step.iter_mut().any(&mut apply));
    (!unfit && !rest.iter_mut().any(apply)).then_some(values)
}

/// The same with the value of another column on the same row.
#[inline(always)]
fn pairs(
    mut values: Vec<i64>,
    others: &[i64],
    work: impl Fn(i64, i64) -> (i64, bool),
) -> Option<Vec<i64>> {
    let apply = |(value, other): (&mut i64, &i64)| {
        let (result, unfit) = work(*value, *other);
        *value = result;
        unfit
    };
    let (steps, rest) = values.as_chunks_mut::<STEP>();
    let (other_steps, other_rest) = others.as_chunks::<STEP>();
    let unfit = steps
        .iter_mut()
        .zip(other_steps)
        .any(|(step, others)| step.iter_mut().zip(others).any(apply));
    (!unfit && !rest.iter_mut().zip(other_rest).any(apply)).then_some(values)
}

/// Columns of numbers that a formula needed on the way, kept for the next one: a batch is as long as the one before,
/// and memory that is given back to the system costs more than the arithmetic.
mod scratch {
    use std::cell::RefCell;

    /// A formula seldom needs more at a time.
    const KEPT: usize = 4;

    thread_local! {
        static COLUMNS: RefCell<Vec<Vec<i64>>> = const { RefCell::new(Vec::new()) };
    }

    /// A copy of a column.
    pub(super) fn copy(values: &[i64]) -> Vec<i64> {
        let mut column = COLUMNS.with_borrow_mut(Vec::pop).unwrap_or_default();
        column.clear();
        column.extend_from_slice(values);
        column
    }

    pub(super) fn give_back(column: Vec<i64>) {
        COLUMNS.with_borrow_mut(|columns| {
            if columns.len() < KEPT {
                columns.push(column);
            }
        });
    }
}

/// The same numbers with this many places.
fn scaled<'a>(a: Numeric<'a>, places: u8, rows: usize) -> Option<Numeric<'a>> {
    let Numeric { mantissas, places: own, known } = a;
    let mantissas = match (mantissas, factor(own, places)?) {
        (Mantissas::Same(value), factor) => Mantissas::Same(value.checked_mul(factor)?),
        (each, 1) => each,
        (each, factor) => {
            let factor = Mantissas::Same(factor);
            Mantissas::Each(Cow::Owned(zip(each, factor, rows, i64::overflowing_mul)?))
        }
    };
    Some(Numeric { mantissas, places, known })
}

pub(super) fn map<'a>(
    a: Numeric<'a>,
    rows: usize,
    work: impl Fn(i64) -> (i64, bool),
) -> Option<Numeric<'a>> {
    let mantissas = zip(a.mantissas, Mantissas::Same(0), rows, |x, _| work(x))?;
    Some(Numeric::each(mantissas, a.places, a.known))
}

pub(super) fn factor(from: u8, to: u8) -> Option<i64> {
    10i64.checked_pow(u32::from(to.checked_sub(from)?))
}

pub(super) fn arithmetic<'a>(
    operator: Operator,
    a: Numeric<'_>,
    b: Numeric<'_>,
    rows: usize,
    power: Option<u8>,
) -> Option<Numeric<'a>> {
    let known = NullBuffer::union(a.known.as_ref(), b.known.as_ref());
    if operator == Operator::Multiply {
        let places = a.places.checked_add(b.places)?;
        let mantissas = zip(a.mantissas, b.mantissas, rows, i64::overflowing_mul)?;
        return Some(Numeric::each(mantissas, places, known));
    }
    let places = a.places.max(b.places);
    if operator == Operator::Divide {
        let places = match power {
            Some(power) => a.places.checked_add(power)?,
            None => places + QUOTIENT_PLACES,
        };
        return divide(&a, &b, rows, places);
    }
    let (a, b) = (scaled(a, places, rows)?, scaled(b, places, rows)?);
    let mantissas = match operator {
        Operator::Subtract => zip(a.mantissas, b.mantissas, rows, i64::overflowing_sub)?,
        _ => zip(a.mantissas, b.mantissas, rows, i64::overflowing_add)?,
    };
    Some(Numeric::each(mantissas, places, known))
}

fn divide<'a>(a: &Numeric<'_>, b: &Numeric<'_>, rows: usize, places: u8) -> Option<Numeric<'a>> {
    let power = 10i128.checked_pow(u32::from((places + b.places).checked_sub(a.places)?))?;
    let mut mantissas = Vec::with_capacity(rows);
    let mut unknown = false;
    for row in 0..rows {
        mantissas.push(match (a.get(row), b.get(row)) {
            (Some(x), Some(y)) if y != 0 => {
                let numerator = i128::from(x).checked_mul(power)?;
                i64::try_from(half_even(numerator, i128::from(y))).ok()?
            }
            _ => {
                unknown = true;
                0
            }
        });
    }
    let known = if unknown {
        known_where(rows, |row| a.get(row).is_some() && b.get(row).is_some_and(|y| y != 0))
    } else {
        None
    };
    Some(Numeric::each(mantissas, places, known))
}

/// The quotient to the nearest whole number, halves to the even one.
fn half_even(numerator: i128, denominator: i128) -> i128 {
    let (quotient, remainder) = (numerator / denominator, numerator % denominator);
    let rest = remainder.unsigned_abs();
    let other = denominator.unsigned_abs() - rest;
    if rest > other || (rest == other && quotient % 2 != 0) {
        quotient + if (numerator < 0) == (denominator < 0) { 1 } else { -1 }
    } else {
        quotient
    }
}

pub(super) fn round<'a>(
    a: Numeric<'a>,
    rows: usize,
    places: u8,
    rounding: Rounding,
) -> Option<Numeric<'a>> {
    if places >= a.places {
        let factor = factor(a.places, places)?;
        let rounded = map(a, rows, |x| x.overflowing_mul(factor))?;
        return Some(Numeric { places, ..rounded });
    }
    let power = factor(places, a.places)?;
    let rounded = map(a, rows, |x| {
        let (quotient, rest) = (x / power, (x % power).abs());
        let up = match rest.cmp(&(power - rest)) {
            std::cmp::Ordering::Less => false,
            std::cmp::Ordering::Greater => true,
            std::cmp::Ordering::Equal => rounding == Rounding::HalfUp || quotient % 2 != 0,
        };
        (quotient + if up { x.signum() } else { 0 }, false)
    })?;
    Some(Numeric { places, ..rounded })
}

/// A number a row, brought to the places of the result's type.
pub(super) fn choose<'a>(
    rows: usize,
    ty: Type,
    pick: impl Fn(usize) -> Option<(i64, u8)>,
) -> Option<Numeric<'a>> {
    let Type::Number { places } = ty else { return None };
    let mut mantissas = Vec::with_capacity(rows);
    let mut unknown = false;
    for row in 0..rows {
        mantissas.push(match pick(row) {
            Some((value, own)) => value.checked_mul(factor(own, places)?)?,
            None => {
                unknown = true;
                0
            }
        });
    }
    let known = if unknown { known_where(rows, |row| pick(row).is_some()) } else { None };
    Some(Numeric::each(mantissas, places, known))
}
