//! Which figures are ratios, and how a ratio is computed again from totals.
//!
//! A ratio divides by an amount of the fact: the margin, profit by revenue. Its total is not the sum
//! of its lines but the quotient of the totals. So everything in its formula that can be summed is
//! replaced by its sum, and the rest of the formula is kept.

use interligo_model::plan::TotalRule;

use super::measure::Aggregate;
use crate::engine::Engine;
use crate::engine::additivity::{contains_ratio, has_amount, looks_like_amount};
use crate::eval::{Expr, ExprKind, Type};

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
