//! Between which days the lines lie that a condition lets through, as far as it says so.

use interligo_model::formula::Operator;
use interligo_model::values::date::{Day, Period};
use interligo_model::values::value::Value;

use crate::engine::Engine;
use crate::eval::{Expr, ExprKind};

/// The first day and the last; none where there is no end.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct DaySpan {
    pub(crate) first: Option<Day>,
    pub(crate) last: Option<Day>,
}

impl DaySpan {
    /// The days of a date column, by its number, on which a condition can hold.
    pub(super) fn of(condition: &Expr, column: usize, engine: &Engine) -> DaySpan {
        match &condition.kind {
            ExprKind::And(a, b) => {
                let (a, b) = (DaySpan::of(a, column, engine), DaySpan::of(b, column, engine));
                let later = a.first.max(b.first);
                DaySpan { first: later, last: [a.last, b.last].into_iter().flatten().min() }
            }
            ExprKind::Or(a, b) => {
                DaySpan::of(a, column, engine).with(DaySpan::of(b, column, engine))
            }
            ExprKind::OneOf(operand, values) if speaks_of_day(operand, column, engine) => {
                let each = values.iter().map(|value| compared(Operator::Equal, value));
                each.reduce(DaySpan::with).unwrap_or_default()
            }
            ExprKind::Compare(operator, a, b) => match (&a.kind, &b.kind) {
                (_, ExprKind::Constant(value)) if speaks_of_day(a, column, engine) => {
                    compared(*operator, value)
                }
                (ExprKind::Constant(value), _) if speaks_of_day(b, column, engine) => {
                    compared(turned(*operator), value)
                }
                _ => DaySpan::default(),
            },
            ExprKind::Figure(figure) => DaySpan::of(&engine.figure(*figure).expr, column, engine),
            _ => DaySpan::default(),
        }
    }

    /// All days of both, and those between.
    fn with(self, other: DaySpan) -> DaySpan {
        DaySpan {
            first: self.first.zip(other.first).map(|(a, b)| a.min(b)),
            last: self.last.zip(other.last).map(|(a, b)| a.max(b)),
        }
    }
}

/// Whether an expression is the column itself or a period of it.
fn speaks_of_day(expr: &Expr, column: usize, engine: &Engine) -> bool {
    match &expr.kind {
        ExprKind::Column(other) => *other == column,
        ExprKind::PeriodOf(_, day) => speaks_of_day(day, column, engine),
        ExprKind::Figure(figure) => speaks_of_day(&engine.figure(*figure).expr, column, engine),
        _ => false,
    }
}

/// The days that compare so with a day or period.
fn compared(operator: Operator, value: &Value<'_>) -> DaySpan {
    let days = match value {
        Value::Date(day) => Some((*day, *day)),
        Value::Period(period) => Period::days(*period),
        _ => None,
    };
    let Some((first, last)) = days else { return DaySpan::default() };
    let (first, last) = match operator {
        Operator::Equal => (Some(first), Some(last)),
        Operator::GreaterOrEqual => (Some(first), None),
        Operator::Greater => (last.0.checked_add(1).map(Day), None),
        Operator::LessOrEqual => (None, Some(last)),
        Operator::Less => (None, first.0.checked_sub(1).map(Day)),
        _ => (None, None),
    };
    DaySpan { first, last }
}

/// The comparison with its sides changed.
fn turned(operator: Operator) -> Operator {
    match operator {
        Operator::Less => Operator::Greater,
        Operator::LessOrEqual => Operator::GreaterOrEqual,
        Operator::Greater => Operator::Less,
        Operator::GreaterOrEqual => Operator::LessOrEqual,
        other => other,
    }
}
