//! Which expressions are amounts, whose sum over lines says something, and which are ratios or rates.

use interligo_model::formula::Operator;
use interligo_model::plan::TotalRule;

use super::{Engine, Figure};
use crate::eval::{Expr, ExprKind, Type};

/// Whether an expression divides by an amount of the fact.
pub(crate) fn contains_ratio(expr: &Expr, engine: &Engine) -> bool {
    expr.any(&mut |part| match &part.kind {
        ExprKind::Arithmetic(Operator::Divide, _, divisor) => has_amount(divisor, engine),
        ExprKind::Figure(figure) => match engine.bound.figures[*figure].total {
            Some(rule) => rule == TotalRule::Again,
            None => {
                let Figure { expr, nature } = engine.figure(*figure);
                *nature.is_ratio.get_or_init(|| contains_ratio(expr, engine))
            }
        },
        _ => false,
    })
}

/// Whether a ratio has the form of an amount: more amounts are multiplied in it than it is divided by, as in
/// `revenue * (quantity - returned) / quantity`. Its total is computed from totals all the same, which is perhaps not
/// meant.
pub(crate) fn looks_like_amount(expr: &Expr, engine: &Engine) -> bool {
    degree(expr, engine) > 0
}

/// How many amounts are multiplied in an expression, less those that it is divided by.
fn degree(expr: &Expr, engine: &Engine) -> i32 {
    let most = |parts: Vec<&Expr>| parts.into_iter().map(|part| degree(part, engine)).max();
    match &expr.kind {
        ExprKind::Column(column) => i32::from(engine.amounts.contains(column)),
        ExprKind::Figure(figure) => {
            let Figure { expr, nature } = engine.figure(*figure);
            *nature.degree.get_or_init(|| degree(expr, engine))
        }
        ExprKind::Arithmetic(Operator::Multiply, a, b) => {
            degree(a, engine).saturating_add(degree(b, engine))
        }
        ExprKind::Arithmetic(Operator::Divide, a, b) => {
            degree(a, engine).saturating_sub(degree(b, engine))
        }
        ExprKind::If(_, then, otherwise) => most(vec![then, otherwise]).unwrap_or(0),
        _ => most(expr.children()).unwrap_or(0),
    }
}

/// Whether the sum of an expression over lines says something.
pub(crate) fn is_amount(expr: &Expr, engine: &Engine) -> bool {
    matches!(expr.ty, Type::Number { .. })
        && has_amount(expr, engine)
        && !contains_ratio(expr, engine)
}

/// What a figure would be if it were not rounded on each line; none if it is not, or is no amount.
pub(crate) fn rounded_by_line<'e>(expr: &'e Expr, engine: &Engine) -> Option<&'e Expr> {
    match &expr.kind {
        ExprKind::Round(inner, ..) if is_amount(expr, engine) => Some(inner),
        _ => None,
    }
}

/// Whether an expression may be summed: it holds an amount of the fact, or no rate of a lookup either, as
/// `if quantity < 0 then 1 else 0` does.
pub(crate) fn has_total(expr: &Expr, engine: &Engine) -> bool {
    has_amount(expr, engine) || !has_rate(expr, engine)
}

fn has_rate(expr: &Expr, engine: &Engine) -> bool {
    expr.any(&mut |part| match (&part.kind, part.ty) {
        (ExprKind::Attribute { .. }, Type::Number { .. }) => true,
        (ExprKind::Figure(figure), _) => {
            let Figure { expr, nature } = engine.figure(*figure);
            *nature.has_rate.get_or_init(|| has_rate(expr, engine))
        }
        _ => false,
    })
}

/// Whether an expression holds a number of the fact, so that its sum says something. Attributes of
/// lookups are rates.
pub(crate) fn has_amount(expr: &Expr, engine: &Engine) -> bool {
    expr.any(&mut |part| match (&part.kind, part.ty) {
        (ExprKind::Column(_), Type::Number { .. }) => true,
        (ExprKind::Figure(figure), _) => {
            let Figure { expr, nature } = engine.figure(*figure);
            *nature.has_amount.get_or_init(|| has_amount(expr, engine))
        }
        _ => false,
    })
}
