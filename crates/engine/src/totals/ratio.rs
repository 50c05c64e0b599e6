//! Which figures are ratios, and how a ratio is worked out again from totals.
//!
//! A ratio divides by an amount of the fact: the margin, profit by revenue. Its total is not the sum
//! of its lines but the quotient of the totals. So everything in its formula that can be summed is
//! replaced by its sum, and the rest of the formula is kept.

use interligo_model::formula::Operator;
use interligo_model::plan::TotalRule;

use super::plan::Aggregate;
use crate::engine::{Engine, Figure};
use crate::eval::{Expr, ExprKind, Type};

/// Whether an expression divides by an amount of the fact.
pub(super) fn contains_ratio(expr: &Expr, engine: &Engine) -> bool {
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

impl Engine {
    /// The figures that are totalled as ratios, though they have the form of amounts, and the plan does not say so.
    pub fn amounts_as_ratios(&self) -> Vec<&str> {
        let is_one = |number: &usize| {
            let expr = &self.figure(*number).expr;
            self.bound.figures[*number].total.is_none()
                && matches!(expr.ty, Type::Number { .. })
                && contains_ratio(expr, self)
                && looks_like_amount(expr, self)
        };
        let figures = (0..self.figures.len()).filter(is_one);
        figures.map(|number| self.bound.figures[number].name.as_str()).collect()
    }

    /// The figures that have a total.
    pub fn figures_with_totals(&self) -> Vec<&str> {
        let has = |number: &usize| {
            let expr = &self.figure(*number).expr;
            match self.bound.figures[*number].total {
                _ if !matches!(expr.ty, Type::Number { .. }) => false,
                Some(TotalRule::None) => false,
                Some(TotalRule::Again) | None => over_totals(expr, self, &mut Vec::new()).is_some(),
                Some(_) => true,
            }
        };
        let figures = (0..self.figures.len()).filter(has);
        figures.map(|number| self.bound.figures[number].name.as_str()).collect()
    }
}

/// Whether a ratio has the form of an amount: more amounts are multiplied in it than it is divided by, as in
/// `revenue * (quantity - returned) / quantity`. Its total is worked out from totals all the same, which is perhaps not
/// meant.
pub(super) fn looks_like_amount(expr: &Expr, engine: &Engine) -> bool {
    degree(expr, engine) > 0
}

/// Aggregate many amounts are multiplied in an expression, less those that it is divided by.
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
pub(super) fn has_total(expr: &Expr, engine: &Engine) -> bool {
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
fn has_amount(expr: &Expr, engine: &Engine) -> bool {
    expr.any(&mut |part| match (&part.kind, part.ty) {
        (ExprKind::Column(_), Type::Number { .. }) => true,
        (ExprKind::Figure(figure), _) => {
            let Figure { expr, nature } = engine.figure(*figure);
            *nature.has_amount.get_or_init(|| has_amount(expr, engine))
        }
        _ => false,
    })
}

/// More sums than this are not gathered for one ratio.
pub(super) const MOST_PARTS: usize = 10_000;

/// The expression over sums; what is gathered goes to `parts`. `None` when something in it can neither
/// be gathered nor stay as it is, or when the parts are more than [`MOST_PARTS`].
pub(super) fn over_totals(
    expr: &Expr,
    engine: &Engine,
    parts: &mut Vec<(Expr, Aggregate)>,
) -> Option<Expr> {
    if parts.len() > MOST_PARTS {
        return None;
    }
    if let ExprKind::Constant(_) = expr.kind {
        return Some(expr.clone());
    }
    let mut part = |expr: &Expr, how: Aggregate| {
        parts.push((expr.clone(), how));
        Some(Expr { kind: ExprKind::Part(parts.len() - 1), ty: expr.ty })
    };
    if let ExprKind::Figure(figure) = expr.kind {
        match engine.bound.figures[figure].total {
            Some(TotalRule::Sum) => return part(expr, Aggregate::Sum),
            Some(TotalRule::Average) => return part(expr, Aggregate::Average),
            Some(TotalRule::Smallest) => return part(expr, Aggregate::Smallest),
            Some(TotalRule::Largest) => return part(expr, Aggregate::Largest),
            Some(TotalRule::None) => return None,
            Some(TotalRule::Again) => {
                return over_totals(&engine.figure(figure).expr, engine, parts);
            }
            None => {}
        }
    }
    let number = matches!(expr.ty, Type::Number { .. });
    if number && !contains_ratio(expr, engine) {
        return if has_amount(expr, engine) { part(expr, Aggregate::Sum) } else { None };
    }
    match expr.kind {
        ExprKind::Figure(figure) => over_totals(&engine.figure(figure).expr, engine, parts),
        ExprKind::Column(_)
        | ExprKind::Attribute { .. }
        | ExprKind::Part(_)
        | ExprKind::PeriodOf(..) => None,
        _ => expr.made_of(|part| over_totals(part, engine, parts)),
    }
}
