//! The syntax tree of a formula: what was written, before anything is known about the names in it.

use std::fmt;
use std::ops::Range;

use super::scalar::Scalar;
use super::summaries::Summary;
use crate::values::date::PeriodUnit;
use crate::values::decimal::{Decimal, Rounding};
use crate::written::ColumnName;

/// A part of a formula with its place in the text.
#[derive(Clone, Debug, PartialEq)]
pub struct Node {
    /// What it is.
    pub kind: NodeKind,
    /// Where it is in the text.
    pub span: Range<usize>,
}

/// What a node of the tree is.
#[derive(Clone, Debug, PartialEq)]
pub enum NodeKind {
    /// A number.
    Number(Decimal),
    /// A text.
    Text(String),
    /// `true` or `false`.
    YesNo(bool),
    /// `blank`.
    Blank,
    /// A column, figure or attribute.
    Name(ColumnName),
    /// `lines`: how many lines there are.
    Lines,
    /// With the other symbol.
    Negate(Box<Node>),
    /// `not`.
    Not(Box<Node>),
    /// An operator between two.
    Binary(Operator, Box<Node>, Box<Node>),
    /// `if … then … else …`.
    If {
        /// What decides.
        condition: Box<Node>,
        /// What it is if that is true.
        then: Box<Node>,
        /// What it is if not.
        otherwise: Option<Box<Node>>,
    },
    /// `is blank`.
    IsBlank {
        /// What is asked about.
        operand: Box<Node>,
        /// Whether `not` is there.
        negated: bool,
    },
    /// `in (…)`.
    In {
        /// What is asked about.
        operand: Box<Node>,
        /// What it may be.
        list: Vec<Node>,
        /// Whether `not` is there.
        negated: bool,
    },
    /// `between … and …`.
    Between {
        /// What is asked about.
        operand: Box<Node>,
        /// The lower end.
        low: Box<Node>,
        /// The upper end.
        high: Box<Node>,
        /// Whether `not` is there.
        negated: bool,
    },
    /// `like`.
    Like {
        /// What is asked about.
        operand: Box<Node>,
        /// The pattern.
        pattern: Box<Node>,
        /// Whether `not` is there.
        negated: bool,
    },
    /// A function of some values.
    Call(Function, Vec<Node>),
}

/// How tightly `not`, comparisons and a symbol bind.
pub(super) const NOT: u8 = 3;
pub(super) const COMPARISON: u8 = 4;
pub(super) const SIGN: u8 = 7;

/// A symbol between two values.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Operator {
    /// `+`
    Add,
    /// `-`
    Subtract,
    /// `*`
    Multiply,
    /// `/`
    Divide,
    /// `||`
    Join,
    /// `=`
    Equal,
    /// `<>`
    NotEqual,
    /// `<`
    Less,
    /// `<=`
    LessOrEqual,
    /// `>`
    Greater,
    /// `>=`
    GreaterOrEqual,
    /// `and`
    And,
    /// `or`
    Or,
}

impl Operator {
    /// Whether it makes a number of two.
    pub fn is_arithmetic(self) -> bool {
        use Operator::{Add, Divide, Multiply, Subtract};
        matches!(self, Add | Subtract | Multiply | Divide)
    }

    /// How tightly it binds; comparisons do not chain.
    pub(super) fn binding(self) -> u8 {
        use Operator::{Add, And, Divide, Join, Multiply, Or, Subtract};
        match self {
            Or => 1,
            And => 2,
            Add | Subtract | Join => 5,
            Multiply | Divide => 6,
            _ => COMPARISON,
        }
    }

    /// How formulas write it.
    pub fn symbol(self) -> &'static str {
        match self {
            Operator::Add => "+",
            Operator::Subtract => "-",
            Operator::Multiply => "*",
            Operator::Divide => "/",
            Operator::Join => "||",
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

/// A function.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Function {
    /// The first value that is known.
    Coalesce,
    /// The places and the rule are written as plain values and settled by the parser.
    Round(u8, Rounding),
    /// Without its symbol.
    Abs,
    /// The period that a day lies in.
    Period(PeriodUnit),
    /// One that works value by value.
    Scalar(Scalar),
    /// What totals show of the lines of a group.
    Summary(Summary),
}

impl Node {
    /// The nodes directly below this one.
    pub fn children(&self) -> Vec<&Node> {
        match &self.kind {
            NodeKind::Number(_)
            | NodeKind::Text(_)
            | NodeKind::YesNo(_)
            | NodeKind::Blank
            | NodeKind::Name(_)
            | NodeKind::Lines => Vec::new(),
            NodeKind::Negate(a) | NodeKind::Not(a) | NodeKind::IsBlank { operand: a, .. } => {
                vec![a]
            }
            NodeKind::Binary(_, a, b) | NodeKind::Like { operand: a, pattern: b, .. } => {
                vec![a, b]
            }
            NodeKind::If { condition, then, otherwise } => {
                [condition, then].into_iter().chain(otherwise).map(Box::as_ref).collect()
            }
            NodeKind::In { operand, list, .. } => {
                [operand.as_ref()].into_iter().chain(list).collect()
            }
            NodeKind::Between { operand, low, high, .. } => vec![operand, low, high],
            NodeKind::Call(_, arguments) => arguments.iter().collect(),
        }
    }

    /// Calls `visit` for this node and all below it, outermost first.
    pub fn walk<'a>(&'a self, visit: &mut impl FnMut(&'a Node)) {
        visit(self);
        self.children().into_iter().for_each(|child| child.walk(visit));
    }

    /// Puts a blank in the place of the columns for which `unknown` says so.
    pub fn blank_where(&mut self, unknown: &mut impl FnMut(&Node) -> bool) {
        if matches!(self.kind, NodeKind::Name(_)) && unknown(self) {
            self.kind = NodeKind::Blank;
        }
        match &mut self.kind {
            NodeKind::Number(_)
            | NodeKind::Text(_)
            | NodeKind::YesNo(_)
            | NodeKind::Blank
            | NodeKind::Name(_)
            | NodeKind::Lines => {}
            NodeKind::Negate(a) | NodeKind::Not(a) | NodeKind::IsBlank { operand: a, .. } => {
                a.blank_where(unknown);
            }
            NodeKind::Binary(_, a, b) | NodeKind::Like { operand: a, pattern: b, .. } => {
                [a, b].into_iter().for_each(|part| part.blank_where(unknown));
            }
            NodeKind::If { condition, then, otherwise } => {
                let parts = [condition, then].into_iter().chain(otherwise);
                parts.for_each(|part| part.blank_where(unknown));
            }
            NodeKind::In { operand, list, .. } => {
                operand.blank_where(unknown);
                list.iter_mut().for_each(|part| part.blank_where(unknown));
            }
            NodeKind::Between { operand, low, high, .. } => {
                [operand, low, high].into_iter().for_each(|part| part.blank_where(unknown));
            }
            NodeKind::Call(_, arguments) => {
                arguments.iter_mut().for_each(|part| part.blank_where(unknown));
            }
        }
    }

    fn binding(&self) -> u8 {
        match &self.kind {
            NodeKind::Binary(operator, ..) => operator.binding(),
            NodeKind::Not(_) => NOT,
            NodeKind::IsBlank { .. }
            | NodeKind::In { .. }
            | NodeKind::Between { .. }
            | NodeKind::Like { .. } => COMPARISON,
            NodeKind::Negate(_) => SIGN,
            // What follows `else` would be taken in.
            NodeKind::If { .. } => 0,
            _ => SIGN + 1,
        }
    }
}

/// A part of a formula, in parentheses where it binds less tightly than `least`.
struct Part<'a>(&'a Node, u8);

impl fmt::Display for Part<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Part(node, least) = self;
        if node.binding() < *least { write!(f, "({node})") } else { write!(f, "{node}") }
    }
}

struct List<'a>(&'a [Node]);

impl fmt::Display for List<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for (number, node) in self.0.iter().enumerate() {
            write!(f, "{}{node}", if number > 0 { ", " } else { "" })?;
        }
        Ok(())
    }
}

/// The formula in its plain form; reading it gives the same tree.
impl fmt::Display for Node {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let not = |negated: &bool| if *negated { "not " } else { "" };
        match &self.kind {
            NodeKind::Number(value) => value.fmt(f),
            NodeKind::Text(text) => f.write_str(&literal(text)),
            NodeKind::YesNo(yes) => yes.fmt(f),
            NodeKind::Blank => f.write_str("blank"),
            NodeKind::Name(own) => {
                own.through.iter().try_for_each(|table| write!(f, "{}.", name(table)))?;
                f.write_str(&name(&own.column))
            }
            NodeKind::Lines => f.write_str("lines"),
            NodeKind::Negate(a) => write!(f, "-{}", Part(a, SIGN)),
            NodeKind::Not(a) => write!(f, "not {}", Part(a, NOT)),
            NodeKind::Binary(operator, a, b) => {
                let power = operator.binding();
                // Comparisons do not chain, and the others lean to the left.
                let left = power + u8::from(power == COMPARISON);
                write!(f, "{} {} {}", Part(a, left), operator.symbol(), Part(b, power + 1))
            }
            NodeKind::If { condition, then, otherwise } => {
                // An inner `if` would take the `else` for its own.
                write!(f, "if {} then {}", Part(condition, 1), Part(then, 1))?;
                match otherwise {
                    Some(otherwise) => write!(f, " else {otherwise}"),
                    None => Ok(()),
                }
            }
            NodeKind::IsBlank { operand, negated } => {
                write!(f, "{} is {}blank", Part(operand, COMPARISON), not(negated))
            }
            NodeKind::In { operand, list, negated } => {
                write!(f, "{} {}in ({})", Part(operand, COMPARISON), not(negated), List(list))
            }
            NodeKind::Between { operand, low, high, negated } => {
                let (operand, not) = (Part(operand, COMPARISON), not(negated));
                let (low, high) = (Part(low, COMPARISON + 1), Part(high, COMPARISON + 1));
                write!(f, "{operand} {not}between {low} and {high}")
            }
            NodeKind::Like { operand, pattern, negated } => {
                let pattern = Part(pattern, COMPARISON + 1);
                write!(f, "{} {}like {pattern}", Part(operand, COMPARISON), not(negated))
            }
            NodeKind::Call(function, arguments) => function.print(arguments, f),
        }
    }
}

impl Function {
    fn print(&self, arguments: &[Node], f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let all = List(arguments);
        match self {
            Function::Coalesce => write!(f, "coalesce({all})"),
            Function::Round(places, Rounding::HalfEven) => write!(f, "round({all}, {places})"),
            Function::Round(places, Rounding::HalfUp) => {
                write!(f, "round({all}, {places}, 'half-up')")
            }
            Function::Abs => write!(f, "abs({all})"),
            Function::Period(unit) => write!(f, "{}({all})", unit.name()),
            Function::Scalar(scalar) => scalar.print(arguments, f),
            Function::Summary(summary) => summary.print(&all, f),
        }
    }
}

/// A name as a path or formula has it: bare where it can be, else in double quotes.
pub fn name(name: &str) -> std::borrow::Cow<'_, str> {
    const WORDS: [&str; 16] = [
        "and", "or", "not", "if", "then", "else", "in", "between", "is", "blank", "as", "of",
        "lines", "true", "false", "null",
    ];
    let mut symbols = name.chars();
    let bare = symbols.next().is_some_and(char::is_alphabetic)
        && symbols.all(|symbol| symbol.is_alphanumeric() || symbol == '_');
    if bare && !WORDS.contains(&name) {
        return name.into();
    }
    format!("\"{}\"", name.replace('"', "\"\"")).into()
}

/// A text as a formula has it: in single quotes.
pub fn literal(text: &str) -> String {
    format!("'{}'", text.replace('\'', "''"))
}

#[cfg(test)]
mod tests {
    use super::super::parse;
    use super::*;
    use crate::written::Written;
    use proptest::prelude::*;

    fn leaf() -> impl Strategy<Value = NodeKind> {
        let name = |through: Vec<String>, column: String| {
            NodeKind::Name(ColumnName { through, column, span: 0..0 })
        };
        prop_oneof![
            (0i128..10_000_000, 0u8..6)
                .prop_map(|(m, p)| NodeKind::Number(Decimal::new(m, p).unwrap())),
            "[a-z' ]{0,4}".prop_map(NodeKind::Text),
            any::<bool>().prop_map(NodeKind::YesNo),
            Just(NodeKind::Blank),
            Just(NodeKind::Lines),
            "[a-z][a-z0-9_]{0,3}".prop_map(move |column| name(Vec::new(), column)),
            prop::sample::select(vec!["of", "like", "Kd-Nr", "a\"b", "lines", "abs", "from", "é"])
                .prop_map(move |column| name(vec!["prices".into()], column.into())),
        ]
    }

    fn tree() -> impl Strategy<Value = Node> {
        let node = |kind| Node { kind, span: 0..0 };
        leaf().prop_map(node).prop_recursive(5, 40, 4, move |inner| {
            let operator = prop::sample::select(vec![
                Operator::Add,
                Operator::Subtract,
                Operator::Multiply,
                Operator::Divide,
                Operator::Join,
                Operator::Equal,
                Operator::NotEqual,
                Operator::Less,
                Operator::GreaterOrEqual,
                Operator::And,
                Operator::Or,
            ]);
            let list = || prop::collection::vec(inner.clone(), 1..4);
            let one = || inner.clone().prop_map(Box::new);
            let function = prop::sample::select(vec![
                Function::Abs,
                Function::Round(2, Rounding::HalfEven),
                Function::Round(0, Rounding::HalfUp),
                Function::Period(PeriodUnit::Quarter),
                Function::Scalar(Scalar::Upper),
                Function::Scalar(Scalar::Power(3)),
                Function::Scalar(Scalar::CastDate),
                Function::Scalar(Scalar::Extract(super::super::scalar::Field::Weekday)),
                Function::Summary(Summary::CountDistinct),
                Function::Summary(Summary::CountBlank),
                Function::Summary(Summary::ToDate(PeriodUnit::Quarter)),
            ]);
            prop_oneof![
                one().prop_map(NodeKind::Negate),
                one().prop_map(NodeKind::Not),
                (operator, one(), one()).prop_map(|(o, a, b)| NodeKind::Binary(o, a, b)),
                (one(), one(), prop::option::of(one())).prop_map(|(condition, then, otherwise)| {
                    NodeKind::If { condition, then, otherwise }
                }),
                (one(), any::<bool>())
                    .prop_map(|(operand, negated)| NodeKind::IsBlank { operand, negated }),
                (one(), list(), any::<bool>()).prop_map(|(operand, list, negated)| NodeKind::In {
                    operand,
                    list,
                    negated
                }),
                (one(), one(), one(), any::<bool>()).prop_map(|(operand, low, high, negated)| {
                    NodeKind::Between { operand, low, high, negated }
                }),
                (one(), one(), any::<bool>()).prop_map(|(operand, pattern, negated)| {
                    NodeKind::Like { operand, pattern, negated }
                }),
                list().prop_map(|list| NodeKind::Call(Function::Coalesce, list)),
                (function, inner.clone()).prop_map(|(f, a)| NodeKind::Call(f, vec![a])),
                (inner.clone(), inner.clone()).prop_map(|(a, b)| {
                    NodeKind::Call(Function::Scalar(Scalar::Position), vec![a, b])
                }),
                prop::collection::vec(inner.clone(), 2..4)
                    .prop_map(|list| { NodeKind::Call(Function::Scalar(Scalar::Substring), list) }),
            ]
            .prop_map(node)
        })
    }

    /// The tree without the places of its parts.
    fn bare(mut node: Node) -> Node {
        node.span = 0..0;
        match &mut node.kind {
            NodeKind::Name(name) => name.span = 0..0,
            NodeKind::Negate(a) | NodeKind::Not(a) | NodeKind::IsBlank { operand: a, .. } => {
                **a = bare((**a).clone());
            }
            NodeKind::Binary(_, a, b) | NodeKind::Like { operand: a, pattern: b, .. } => {
                (**a, **b) = (bare((**a).clone()), bare((**b).clone()));
            }
            NodeKind::If { condition, then, otherwise } => {
                for part in [Some(condition), Some(then), otherwise.as_mut()].into_iter().flatten()
                {
                    **part = bare((**part).clone());
                }
            }
            NodeKind::In { operand, list, .. } => {
                **operand = bare((**operand).clone());
                list.iter_mut().for_each(|item| *item = bare(item.clone()));
            }
            NodeKind::Between { operand, low, high, .. } => {
                for part in [operand, low, high] {
                    **part = bare((**part).clone());
                }
            }
            NodeKind::Call(_, list) => list.iter_mut().for_each(|item| *item = bare(item.clone())),
            NodeKind::Number(_)
            | NodeKind::Text(_)
            | NodeKind::YesNo(_)
            | NodeKind::Blank
            | NodeKind::Lines => {}
        }
        node
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(2_000))]

        #[test]
        fn prop_reading_what_was_printed_gives_the_same_tree(tree in tree()) {
            let printed = tree.to_string();
            let read = parse(&Written::in_option("formula", &printed, 0..printed.len()));
            match read {
                Ok(read) => prop_assert_eq!(bare(read), tree, "{}", printed),
                Err(mistake) => prop_assert!(false, "{}: {}", printed, mistake.message),
            }
        }
    }
}
