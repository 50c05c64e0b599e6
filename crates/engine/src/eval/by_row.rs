//! Expressions computed line by line: every case, exactly, at leisure. The column-by-column way in
//! `columns` must give the same and falls back to this where its fixed form does not suffice.

use interligo_model::formula::Operator;
use interligo_model::values::date::Period;
use interligo_model::values::decimal::{Decimal, MAX_PLACES, QUOTIENT_PLACES, power_of_ten};

use super::expr::{Expr, ExprKind};
use super::functions::call_of;
use super::type_check::Type;
pub(crate) use interligo_model::values::value::Value;

/// The values of the names on one line. Where there are no links and figures, they are blank.
pub(crate) trait Leaves {
    fn column(&self, column: usize) -> Value<'_>;
    fn attribute(&self, _route: usize, _column: usize) -> Value<'_> {
        Value::Blank
    }
    fn figure(&self, _figure: usize) -> Value<'_> {
        Value::Blank
    }
    fn part(&self, _part: usize) -> Value<'_> {
        Value::Blank
    }
}

/// What a value leaves that cannot be written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Overflow {
    /// A number that needs more digits than exact arithmetic has.
    Digits,
    /// A day before the year 1 or after the year 9999.
    Days,
}

type Outcome<'a> = Result<Value<'a>, Overflow>;

/// The value of an expression on one line.
///
/// **Unknown**: a blank operand makes arithmetic and comparison blank; division by zero is blank;
/// `and` and `or` follow the standard's three values. **Errors**: only what is needed for the result
/// can overflow; a branch that is not taken is not looked at.
pub(crate) fn evaluate<'a>(expr: &'a Expr, leaves: &'a impl Leaves) -> Outcome<'a> {
    Ok(match &expr.kind {
        ExprKind::Constant(value) => value.borrowed(),
        ExprKind::Column(column) => leaves.column(*column),
        ExprKind::Attribute { route, column } => leaves.attribute(*route, *column),
        ExprKind::Figure(figure) => leaves.figure(*figure),
        ExprKind::Part(part) => leaves.part(*part),
        ExprKind::Negate(a) => number(a, leaves, |n| n.checked_neg())?,
        ExprKind::Abs(a) => number(a, leaves, |n| n.checked_abs())?,
        ExprKind::Round(a, places, rounding) => number(a, leaves, |n| n.round(*places, *rounding))?,
        ExprKind::Arithmetic(operator, a, b) => {
            let (Some(x), Some(y)) = (evaluate(a, leaves)?.number(), evaluate(b, leaves)?.number())
            else {
                return Ok(Value::Blank);
            };
            let result = match operator {
                Operator::Add => x.checked_add(y),
                Operator::Subtract => x.checked_sub(y),
                Operator::Multiply => x.checked_mul(y),
                _ if y.is_zero() => return Ok(Value::Blank),
                _ => x.checked_div(y, quotient_places(a, x, b, y)),
            };
            Value::Number(result.ok_or(Overflow::Digits)?)
        }
        ExprKind::Compare(operator, a, b) => {
            let (x, y) = (evaluate(a, leaves)?, evaluate(b, leaves)?);
            if x.is_blank() || y.is_blank() {
                Value::Blank
            } else {
                Value::YesNo(compare(*operator, &x, &y))
            }
        }
        ExprKind::OneOf(a, list) => match evaluate(a, leaves)? {
            Value::Blank => Value::Blank,
            value => Value::YesNo(list.binary_search_by(|known| known.cmp(&value)).is_ok()),
        },
        ExprKind::Not(a) => match truth(a, leaves)? {
            Some(yes) => Value::YesNo(!yes),
            None => Value::Blank,
        },
        ExprKind::And(a, b) => logic(a, b, leaves, false)?,
        ExprKind::Or(a, b) => logic(a, b, leaves, true)?,
        ExprKind::If(condition, then, otherwise) => match truth(condition, leaves)? {
            Some(true) => evaluate(then, leaves)?,
            Some(false) => evaluate(otherwise, leaves)?,
            None => Value::Blank,
        },
        ExprKind::IsBlank(a) => Value::YesNo(evaluate(a, leaves)?.is_blank()),
        ExprKind::Coalesce(list) => {
            for item in list {
                let value = evaluate(item, leaves)?;
                if !value.is_blank() {
                    return Ok(value);
                }
            }
            Value::Blank
        }
        ExprKind::PeriodOf(unit, a) => match evaluate(a, leaves)? {
            Value::Date(day) => Value::Period(Period::containing(*unit, day)),
            _ => Value::Blank,
        },
        ExprKind::Band(a, band) => match evaluate(a, leaves)?.number() {
            Some(number) => Value::Text(band.name(band.of(number)).into()),
            None => Value::Blank,
        },
        ExprKind::Call(scalar, list) => {
            let values = list.iter().map(|item| evaluate(item, leaves));
            let values = values.collect::<Result<Vec<_>, _>>()?;
            call_of(*scalar, &values)?
        }
    })
}

fn number<'a>(
    operand: &'a Expr,
    leaves: &'a impl Leaves,
    work: impl FnOnce(Decimal) -> Option<Decimal>,
) -> Outcome<'a> {
    match evaluate(operand, leaves)?.number() {
        Some(number) => Ok(Value::Number(work(number).ok_or(Overflow::Digits)?)),
        None => Ok(Value::Blank),
    }
}

/// The power of ten that an expression always is, from 1 on: what is divided by it has as many places more, and is exact.
pub(super) fn constant_power(divisor: &Expr) -> Option<u8> {
    let ExprKind::Constant(Value::Number(number)) = &divisor.kind else { return None };
    let whole = number.whole()?;
    (0..=MAX_PLACES).find(|power| power_of_ten(*power) == whole)
}

/// The places of a quotient: 12 more than those that its operands are foreseen to have, or have.
pub(super) fn quotient_places(a: &Expr, x: Decimal, b: &Expr, y: Decimal) -> u8 {
    let operand = |expr: &Expr, value: Decimal| match expr.ty {
        Type::Number { places } => places.max(value.trimmed(places).places()),
        _ => value.places(),
    };
    let places = match constant_power(b) {
        Some(power) => operand(a, x).saturating_add(power),
        None => operand(a, x).max(operand(b, y)).saturating_add(QUOTIENT_PLACES),
    };
    places.min(MAX_PLACES)
}

pub(super) fn compare<T: PartialOrd>(operator: Operator, x: &T, y: &T) -> bool {
    match operator {
        Operator::Equal => x == y,
        Operator::NotEqual => x != y,
        Operator::Less => x < y,
        Operator::LessOrEqual => x <= y,
        Operator::Greater => x > y,
        _ => x >= y,
    }
}

fn truth(operand: &Expr, leaves: &impl Leaves) -> Result<Option<bool>, Overflow> {
    Ok(match evaluate(operand, leaves)? {
        Value::YesNo(yes) => Some(yes),
        _ => None,
    })
}

/// `and` (decided by a no) or `or` (decided by a yes).
fn logic<'a>(a: &Expr, b: &Expr, leaves: &impl Leaves, decides: bool) -> Outcome<'a> {
    let first = truth(a, leaves)?;
    if first == Some(decides) {
        return Ok(Value::YesNo(decides));
    }
    Ok(match (first, truth(b, leaves)?) {
        (_, Some(second)) if second == decides => Value::YesNo(decides),
        (Some(_), Some(second)) => Value::YesNo(second),
        _ => Value::Blank,
    })
}

/// What made an expression blank.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum WhyBlank {
    Column(usize),
    Attribute {
        route: usize,
        column: usize,
    },
    Figure(usize),
    DividedByZero,
    /// The formula itself says blank, or has no `else`.
    Chosen,
}

/// The first thing, from the left, that makes a blank expression blank.
pub(crate) fn why_blank(expr: &Expr, leaves: &impl Leaves) -> WhyBlank {
    let blank = |e: &&Expr| evaluate(e, leaves).is_ok_and(|value| value.is_blank());
    match &expr.kind {
        ExprKind::Column(column) => WhyBlank::Column(*column),
        ExprKind::Attribute { route, column } => {
            WhyBlank::Attribute { route: *route, column: *column }
        }
        ExprKind::Figure(figure) => WhyBlank::Figure(*figure),
        ExprKind::If(condition, then, otherwise) => match truth(condition, leaves) {
            Ok(Some(true)) => why_blank(then, leaves),
            Ok(Some(false)) => why_blank(otherwise, leaves),
            _ => why_blank(condition, leaves),
        },
        ExprKind::Constant(_) | ExprKind::Part(_) => WhyBlank::Chosen,
        // What was tried last would have decided.
        ExprKind::Coalesce(list) => match list.last() {
            Some(last) => why_blank(last, leaves),
            None => WhyBlank::Chosen,
        },
        _ => match expr.children().into_iter().find(blank) {
            Some(child) => why_blank(child, leaves),
            None => WhyBlank::DividedByZero,
        },
    }
}
