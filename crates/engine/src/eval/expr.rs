//! Typed expressions: what a formula has become once every name in it is a column, an attribute or a figure.

use std::sync::Arc;

use interligo_model::formula::Operator;
use interligo_model::formula::Scalar;
use interligo_model::values::date::PeriodUnit;
use interligo_model::values::decimal::Rounding;
use interligo_model::values::value::Value;

use super::bands::Band;
use super::type_check::Type;

/// A typed expression.
#[derive(Clone, Debug, PartialEq)]
pub struct Expr {
    /// What it does.
    pub kind: ExprKind,
    /// What it gives.
    pub ty: Type,
}

/// What an expression does.
#[derive(Clone, Debug, PartialEq)]
pub enum ExprKind {
    /// A value that is written in the formula.
    Constant(Value<'static>),
    /// A column of the fact, by its number among those that are read.
    Column(usize),
    /// An attribute.
    Attribute {
        /// The number of the route to its lookup.
        route: usize,
        /// The column of the lookup.
        column: usize,
    },
    /// A figure, by its number in the plan.
    Figure(usize),
    /// A total, by its number; only in ratios that are computed again from totals.
    Part(usize),
    /// The number with the other sign.
    Negate(Box<Expr>),
    /// The opposite of a condition.
    Not(Box<Expr>),
    /// What an operator makes of two numbers.
    Arithmetic(Operator, Box<Expr>, Box<Expr>),
    /// Whether two values compare so.
    Compare(Operator, Box<Expr>, Box<Expr>),
    /// Whether both conditions hold.
    And(Box<Expr>, Box<Expr>),
    /// Whether one of them does.
    Or(Box<Expr>, Box<Expr>),
    /// Where a condition holds one value, else another.
    If(Box<Expr>, Box<Expr>, Box<Expr>),
    /// Whether nothing is known.
    IsBlank(Box<Expr>),
    /// The first that is known.
    Coalesce(Vec<Expr>),
    /// A number with this many places.
    Round(Box<Expr>, u8, Rounding),
    /// A number without its sign.
    Abs(Box<Expr>),
    /// The period in which a day is.
    PeriodOf(PeriodUnit, Box<Expr>),
    /// Whether it is one of these values, which are in order.
    OneOf(Box<Expr>, Arc<[Value<'static>]>),
    /// The name of the band in which a number lies.
    Band(Box<Expr>, Arc<Band>),
    /// A function that works value by value; blank where any of its values is.
    Call(Scalar, Vec<Expr>),
}

impl Expr {
    /// The expressions that this one is made of.
    pub fn children(&self) -> Vec<&Expr> {
        match &self.kind {
            ExprKind::Constant(_)
            | ExprKind::Column(_)
            | ExprKind::Attribute { .. }
            | ExprKind::Figure(_)
            | ExprKind::Part(_) => Vec::new(),
            ExprKind::Negate(a)
            | ExprKind::Not(a)
            | ExprKind::IsBlank(a)
            | ExprKind::Round(a, ..)
            | ExprKind::Abs(a)
            | ExprKind::PeriodOf(_, a)
            | ExprKind::OneOf(a, _)
            | ExprKind::Band(a, _) => vec![a],
            ExprKind::Arithmetic(_, a, b)
            | ExprKind::Compare(_, a, b)
            | ExprKind::And(a, b)
            | ExprKind::Or(a, b) => vec![a, b],
            ExprKind::If(a, b, c) => vec![a, b, c],
            ExprKind::Coalesce(list) | ExprKind::Call(_, list) => list.iter().collect(),
        }
    }

    /// The same expression made of others: of what `change` gives for each part, if it gives something for all.
    pub(crate) fn made_of(&self, mut change: impl FnMut(&Expr) -> Option<Expr>) -> Option<Expr> {
        let mut part = |expr: &Expr| change(expr).map(Box::new);
        let kind = match &self.kind {
            ExprKind::Constant(_)
            | ExprKind::Column(_)
            | ExprKind::Attribute { .. }
            | ExprKind::Figure(_)
            | ExprKind::Part(_) => self.kind.clone(),
            ExprKind::Negate(a) => ExprKind::Negate(part(a)?),
            ExprKind::Not(a) => ExprKind::Not(part(a)?),
            ExprKind::IsBlank(a) => ExprKind::IsBlank(part(a)?),
            ExprKind::Round(a, places, rounding) => ExprKind::Round(part(a)?, *places, *rounding),
            ExprKind::Abs(a) => ExprKind::Abs(part(a)?),
            ExprKind::PeriodOf(unit, a) => ExprKind::PeriodOf(*unit, part(a)?),
            ExprKind::OneOf(a, list) => ExprKind::OneOf(part(a)?, list.clone()),
            ExprKind::Band(a, band) => ExprKind::Band(part(a)?, band.clone()),
            ExprKind::Arithmetic(o, a, b) => ExprKind::Arithmetic(*o, part(a)?, part(b)?),
            ExprKind::Compare(o, a, b) => ExprKind::Compare(*o, part(a)?, part(b)?),
            ExprKind::And(a, b) => ExprKind::And(part(a)?, part(b)?),
            ExprKind::Or(a, b) => ExprKind::Or(part(a)?, part(b)?),
            ExprKind::If(a, b, c) => ExprKind::If(part(a)?, part(b)?, part(c)?),
            ExprKind::Coalesce(list) => {
                ExprKind::Coalesce(list.iter().map(change).collect::<Option<_>>()?)
            }
            ExprKind::Call(scalar, list) => {
                ExprKind::Call(*scalar, list.iter().map(change).collect::<Option<_>>()?)
            }
        };
        Some(Expr { kind, ty: self.ty })
    }

    /// Whether `test` holds for this expression or any that it is made of.
    pub(crate) fn any(&self, test: &mut impl FnMut(&Expr) -> bool) -> bool {
        test(self) || self.children().into_iter().any(|child| child.any(test))
    }
}
