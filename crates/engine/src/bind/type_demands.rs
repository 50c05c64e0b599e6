//! What a formula needs the names in it to be: a number, a text or a date. Columns of files are read
//! accordingly.

use interligo_model::formula::{Function, Node, NodeKind, Operator, Takes, takes_of};
use interligo_model::plan::{At, ColumnName, ColumnType, Mistake, Written};
use interligo_model::values::date::Day;

use super::{Reference, Scope};

/// What a column is needed as.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Demand {
    pub(crate) ty: ColumnType,
    /// Whether a column that looks like something else may stay that, as in a sum, which may be one of days, or beside a text.
    pub(super) soft: bool,
    /// It is beside a bare number, as in `1 - discount`: a rate, not an amount.
    pub(super) rate: bool,
}

impl Demand {
    pub(super) const NUMBER: Demand = Demand { ty: ColumnType::Number, soft: false, rate: false };
    const TEXT: Demand = Demand { ty: ColumnType::Text, ..Demand::NUMBER };
    const TEXT_OR_DATE: Demand = Demand { soft: true, ..Demand::TEXT };
    const DATE: Demand = Demand { ty: ColumnType::Date, ..Demand::NUMBER };
}

/// One name in a formula: what it refers to and what it is needed for.
#[derive(Clone, Debug)]
pub(crate) struct Use {
    pub(crate) reference: Reference,
    /// The name in its formula, for a mistake there.
    pub(super) at: At,
    pub(super) needed: Option<Demand>,
}

/// The names of a formula, with what each is needed as.
pub(crate) fn needs_of(node: &Node) -> Vec<(&ColumnName, Option<Demand>)> {
    let mut needs: Vec<(*const Node, Demand)> = Vec::new();
    let mut names = Vec::new();
    node.walk(&mut |node| {
        needs.extend(needs_below(node).into_iter().map(|(child, needed)| {
            let child: *const Node = child;
            (child, needed)
        }));
        if let NodeKind::Name(name) = &node.kind {
            let needed = needs.iter().find(|(child, _)| std::ptr::eq(*child, node));
            names.push((name, needed.map(|(_, needed)| *needed)));
        }
    });
    names
}

/// The names of a formula. Those that refer to nothing are mistakes.
pub(crate) fn uses_of(
    node: &Node,
    written: &Written,
    scope: &Scope<'_>,
    mistakes: &mut Vec<Mistake>,
) -> Vec<Use> {
    let mut uses = Vec::new();
    for (name, needed) in needs_of(node) {
        match scope.resolve(name, written) {
            Ok(reference) => {
                uses.push(Use { reference, at: written.at(name.span.clone()), needed });
            }
            Err(mistake) => mistakes.push(mistake),
        }
    }
    uses
}

/// A node, and what it is needed as.
type Needed<'a> = (&'a Node, Demand);

/// What a node needs those directly below it to be.
fn needs_below(node: &Node) -> Vec<Needed<'_>> {
    fn number(child: &Node) -> Needed<'_> {
        (child, Demand::NUMBER)
    }
    fn text(child: &Node) -> Needed<'_> {
        (child, Demand::TEXT)
    }
    let is_number = |node: &Node| matches!(node.kind, NodeKind::Number(_));
    match &node.kind {
        NodeKind::Negate(a) => vec![number(a)],
        NodeKind::Binary(Operator::Join, a, b) => vec![text(a), text(b)],
        NodeKind::Like { operand, pattern, .. } => vec![text(operand), text(pattern)],
        NodeKind::Binary(operator, a, b) if operator.is_arithmetic() => {
            let soft = matches!(operator, Operator::Add | Operator::Subtract);
            let beside =
                |other: &Node| Demand { soft, rate: soft && is_number(other), ..Demand::NUMBER };
            vec![(a, beside(b)), (b, beside(a))]
        }
        NodeKind::Binary(Operator::And | Operator::Or, ..) => Vec::new(),
        NodeKind::Binary(_, a, b) => beside(a, std::slice::from_ref(b)),
        NodeKind::Between { operand, low, high, .. } => {
            let mut needs = beside(operand, std::slice::from_ref(low));
            needs.extend(beside(operand, std::slice::from_ref(high)));
            needs
        }
        NodeKind::In { operand, list, .. } => beside(operand, list),
        NodeKind::Call(function, arguments) => match function {
            Function::Round(..) | Function::Abs => vec![number(&arguments[0])],
            Function::Period(_) => vec![(&arguments[0], Demand::DATE)],
            Function::Coalesce if arguments.iter().any(is_number) => {
                arguments.iter().map(number).collect()
            }
            Function::Coalesce => Vec::new(),
            Function::Scalar(scalar) => {
                let need = |(child, takes): (_, Takes)| match takes {
                    Takes::Number => Some(number(child)),
                    Takes::Text => Some(text(child)),
                    Takes::Date => Some((child, Demand::DATE)),
                    Takes::Period | Takes::Common | Takes::Any => None,
                };
                let takes = takes_of(*scalar);
                let takes = (0..arguments.len()).map(|at| takes[at.min(takes.len() - 1)]);
                arguments.iter().zip(takes).filter_map(need).collect()
            }
            Function::Summary(summary) if summary.needs_number() => vec![number(&arguments[0])],
            Function::Summary(_) => Vec::new(),
        },
        _ => Vec::new(),
    }
}

/// What is compared with a bare number is one; what is compared with a text that is no day is a text.
fn beside<'a>(a: &'a Node, others: &'a [Node]) -> Vec<Needed<'a>> {
    let of = |literal: &Node| match &literal.kind {
        NodeKind::Number(_) => Some(Demand::NUMBER),
        // What is a date elsewhere stays one: then the text is mistaken, and not what is done with the date.
        NodeKind::Text(text) if Day::parse(text.as_bytes()).is_none() => Some(Demand::TEXT_OR_DATE),
        _ => None,
    };
    let mut needs = Vec::new();
    needs.extend(others.iter().find_map(of).map(|needed| (a, needed)));
    needs.extend(of(a).into_iter().flat_map(|needed| others.iter().map(move |b| (b, needed))));
    needs
}
