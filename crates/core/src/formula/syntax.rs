//! The syntax tree of a formula: what was written, before anything is known about the names in it.

use std::ops::Range;

use crate::date::PeriodUnit;
use crate::decimal::{Decimal, Rounding};
use crate::plan::ColumnName;

/// A part of a formula with its place in the text.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Node {
    pub(crate) kind: NodeKind,
    pub(crate) span: Range<usize>,
}

#[derive(Clone, Debug, PartialEq)]
pub(crate) enum NodeKind {
    Number(Decimal),
    Text(String),
    Blank,
    Name(ColumnName),
    Negate(Box<Node>),
    Not(Box<Node>),
    Binary(Operator, Box<Node>, Box<Node>),
    If { condition: Box<Node>, then: Box<Node>, otherwise: Option<Box<Node>> },
    IsBlank { operand: Box<Node>, negated: bool },
    In { operand: Box<Node>, list: Vec<Node>, negated: bool },
    Between { operand: Box<Node>, low: Box<Node>, high: Box<Node>, negated: bool },
    Call(Function, Vec<Node>),
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Operator {
    Add,
    Subtract,
    Multiply,
    Divide,
    Equal,
    NotEqual,
    Less,
    LessOrEqual,
    Greater,
    GreaterOrEqual,
    And,
    Or,
}

impl Operator {
    pub(crate) fn is_arithmetic(self) -> bool {
        use Operator::{Add, Divide, Multiply, Subtract};
        matches!(self, Add | Subtract | Multiply | Divide)
    }

    pub(crate) fn sign(self) -> &'static str {
        match self {
            Operator::Add => "+",
            Operator::Subtract => "-",
            Operator::Multiply => "*",
            Operator::Divide => "/",
            Operator::Equal => "=",
            Operator::NotEqual => "<>",
            Operator::Less => "<",
            Operator::LessOrEqual => "<=",
            Operator::Greater => ">",
            Operator::GreaterOrEqual => ">=",
            Operator::And => "and",
            Operator::Or => "or",
        }
    }
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Function {
    Coalesce,
    /// The places and the rule are written as plain values and settled by the parser.
    Round(u8, Rounding),
    Abs,
    Period(PeriodUnit),
}

impl Node {
    /// Calls `visit` for this node and all below it, outermost first.
    pub(crate) fn walk<'a>(&'a self, visit: &mut impl FnMut(&'a Node)) {
        visit(self);
        match &self.kind {
            NodeKind::Number(_) | NodeKind::Text(_) | NodeKind::Blank | NodeKind::Name(_) => {}
            NodeKind::Negate(a) | NodeKind::Not(a) | NodeKind::IsBlank { operand: a, .. } => {
                a.walk(visit);
            }
            NodeKind::Binary(_, a, b) => {
                a.walk(visit);
                b.walk(visit);
            }
            NodeKind::If { condition, then, otherwise } => {
                condition.walk(visit);
                then.walk(visit);
                if let Some(otherwise) = otherwise {
                    otherwise.walk(visit);
                }
            }
            NodeKind::In { operand, list, .. } => {
                operand.walk(visit);
                list.iter().for_each(|item| item.walk(visit));
            }
            NodeKind::Between { operand, low, high, .. } => {
                for part in [operand, low, high] {
                    part.walk(visit);
                }
            }
            NodeKind::Call(_, arguments) => arguments.iter().for_each(|part| part.walk(visit)),
        }
    }
}
