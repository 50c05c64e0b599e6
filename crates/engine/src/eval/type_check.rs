//! From the syntax tree to a typed expression, in which every name has become a column, an attribute
//! or a figure, and every operation is known to make sense.

use std::borrow::Cow;
use std::ops::Range;

use interligo_model::formula::{Function, Node, NodeKind, Operator};
use interligo_model::formula::{Scalar, Takes, name_of, takes_of};
use interligo_model::plan::{ColumnName, Mistake, MistakeKind, Written};
use interligo_model::values::column::{Column, ColumnKind, Numbers};
use interligo_model::values::date::{Day, Period, PeriodUnit};
use interligo_model::values::decimal::{MAX_PLACES, QUOTIENT_PLACES};
use interligo_model::values::value::Value;

use super::by_row::constant_power;
use super::expr::{Expr, ExprKind};

/// The type of an expression.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Type {
    /// A number. `places` are those that its values are foreseen to have; they also say how many
    /// are written at least.
    Number {
        /// The decimal places.
        places: u8,
    },
    /// A text.
    Text,
    /// A day.
    Date,
    /// A period of this length.
    Period(PeriodUnit),
    /// Yes or no.
    YesNo,
    /// The word `blank`, which goes with every type.
    Blank,
}

impl Type {
    /// The type with its article, for messages.
    pub(crate) fn shown(self) -> String {
        match self {
            Type::Number { .. } => "a number".into(),
            Type::Text => "text".into(),
            Type::Date => "a date".into(),
            Type::Period(unit) => format!("a period ({})", unit.name()),
            Type::YesNo => "a condition".into(),
            Type::Blank => "blank".into(),
        }
    }

    fn places(self) -> u8 {
        match self {
            Type::Number { places } => places,
            _ => 0,
        }
    }
}

/// The type of a column's values.
pub(crate) fn type_of(column: &Column) -> Type {
    match column {
        Column::Text(_) => Type::Text,
        Column::Date(_) => Type::Date,
        Column::Period(unit, _) => Type::Period(*unit),
        Column::YesNo(_) => Type::YesNo,
        Column::Number(column) => {
            let places = match &column.numbers {
                Numbers::Fixed { places, .. } => *places,
                Numbers::Wide(numbers) => {
                    numbers.iter().map(|n| n.trimmed(0).places()).max().unwrap_or(0)
                }
            };
            Type::Number { places }
        }
    }
}

/// What a column of a type holds.
pub(crate) fn kind_of(ty: Type) -> ColumnKind {
    match ty {
        Type::Number { places } => ColumnKind::Number(places),
        Type::Text | Type::Blank => ColumnKind::Text,
        Type::Date => ColumnKind::Date,
        Type::Period(unit) => ColumnKind::Period(unit),
        Type::YesNo => ColumnKind::YesNo,
    }
}

/// What names refer to.
pub(crate) trait Names {
    /// The column, attribute or figure of that name.
    fn leaf(&self, name: &ColumnName, written: &Written) -> Result<Expr, Mistake>;

    /// The number of lines, where formulas are about several.
    fn lines(&self) -> Option<Expr> {
        None
    }
}

/// Types a formula.
pub(crate) fn check(node: &Node, names: &dyn Names, written: &Written) -> Result<Expr, Mistake> {
    Checker { names, written }.check(node)
}

struct Checker<'a> {
    names: &'a dyn Names,
    written: &'a Written,
}

fn expr(kind: ExprKind, ty: Type) -> Expr {
    Expr { kind, ty }
}

fn boxed(expr: Expr) -> Box<Expr> {
    Box::new(expr)
}

impl Checker<'_> {
    fn check(&self, node: &Node) -> Result<Expr, Mistake> {
        Ok(match &node.kind {
            NodeKind::Number(value) => expr(
                ExprKind::Constant(Value::Number(*value)),
                Type::Number { places: value.places() },
            ),
            NodeKind::Text(text) => {
                expr(ExprKind::Constant(Value::Text(Cow::Owned(text.clone()))), Type::Text)
            }
            NodeKind::YesNo(yes) => expr(ExprKind::Constant(Value::YesNo(*yes)), Type::YesNo),
            NodeKind::Blank => expr(ExprKind::Constant(Value::Blank), Type::Blank),
            NodeKind::Name(name) => self.names.leaf(name, self.written)?,
            NodeKind::Lines => {
                if let Some(lines) = self.names.lines() {
                    return Ok(lines);
                }
                let message = "`lines` counts lines, but a formula is about one line";
                let help = "write a column of that name in quotes: \"lines\"";
                return Err(self
                    .written
                    .mistake(MistakeKind::WrongPlace, node.span.clone(), message)
                    .help(help));
            }
            NodeKind::Negate(operand) => negated(self.number(operand, "a sign")?),
            NodeKind::Not(operand) => {
                expr(ExprKind::Not(boxed(self.condition(operand, "`not`")?)), Type::YesNo)
            }
            NodeKind::Binary(operator, left, right) => self.binary(*operator, left, right)?,
            NodeKind::If { condition, then, otherwise } => {
                let condition = self.condition(condition, "`if`")?;
                let then_span = then.span.clone();
                let then = self.check(then)?;
                let (otherwise, span) = match otherwise {
                    Some(node) => (self.check(node)?, node.span.clone()),
                    None => (expr(ExprKind::Constant(Value::Blank), Type::Blank), then_span),
                };
                let ty = self.common(then.ty, otherwise.ty, span, "the branches of `if`")?;
                expr(ExprKind::If(boxed(condition), boxed(then), boxed(otherwise)), ty)
            }
            NodeKind::IsBlank { operand, negated } => negate_if(
                *negated,
                expr(ExprKind::IsBlank(boxed(self.check(operand)?)), Type::YesNo),
            ),
            NodeKind::In { operand, list, negated } => {
                let tests = list.iter().map(|item| self.compare(Operator::Equal, operand, item));
                negate_if(*negated, one_of(tests.collect::<Result<_, _>>()?))
            }
            NodeKind::Between { operand, low, high, negated } => {
                let low = self.compare(Operator::GreaterOrEqual, operand, low)?;
                let high = self.compare(Operator::LessOrEqual, operand, high)?;
                negate_if(*negated, expr(ExprKind::And(boxed(low), boxed(high)), Type::YesNo))
            }
            NodeKind::Like { operand, pattern, negated } => {
                let operands = vec![self.text(operand, "`like`")?, self.text(pattern, "`like`")?];
                negate_if(*negated, expr(ExprKind::Call(Scalar::Like, operands), Type::YesNo))
            }
            NodeKind::Call(function, arguments) => self.call(*function, arguments, node)?,
        })
    }

    fn binary(&self, operator: Operator, left: &Node, right: &Node) -> Result<Expr, Mistake> {
        let what = format!("`{}`", operator.symbol());
        match operator {
            Operator::And | Operator::Or => {
                let left = boxed(self.condition(left, &what)?);
                let right = boxed(self.condition(right, &what)?);
                let kind = match operator {
                    Operator::And => ExprKind::And(left, right),
                    _ => ExprKind::Or(left, right),
                };
                Ok(expr(kind, Type::YesNo))
            }
            Operator::Join => {
                let texts = vec![self.text(left, &what)?, self.text(right, &what)?];
                Ok(expr(ExprKind::Call(Scalar::Join, texts), Type::Text))
            }
            Operator::Add | Operator::Subtract => self.sum(operator, left, right),
            Operator::Multiply | Operator::Divide => {
                let (a, b) = (self.number(left, &what)?, self.number(right, &what)?);
                Ok(arithmetic(operator, a, b))
            }
            _ => self.compare(operator, left, right),
        }
    }

    /// A sum or difference: of numbers, or of days.
    fn sum(&self, operator: Operator, left: &Node, right: &Node) -> Result<Expr, Mistake> {
        let (a, b) = (self.check(left)?, self.check(right)?);
        let adds = operator == Operator::Add;
        match (a.ty, b.ty) {
            (Type::Date, Type::Date) if !adds => {
                let ty = Type::Number { places: 0 };
                Ok(expr(ExprKind::Call(Scalar::DaysBetween, vec![a, b]), ty))
            }
            (Type::Date, Type::Number { places: 1.. }) => Err(self.part_of_a_day(right)),
            (Type::Number { places: 1.. }, Type::Date) if adds => Err(self.part_of_a_day(left)),
            (Type::Date, Type::Number { .. } | Type::Blank) => {
                let days = if adds { b } else { negated(b) };
                Ok(expr(ExprKind::Call(Scalar::DaysLater, vec![a, days]), Type::Date))
            }
            (Type::Number { .. }, Type::Date) if adds => {
                Ok(expr(ExprKind::Call(Scalar::DaysLater, vec![b, a]), Type::Date))
            }
            (Type::Number { .. } | Type::Blank, Type::Number { .. } | Type::Blank) => {
                Ok(arithmetic(operator, a, b))
            }
            (x, y) => {
                let (x, y) = (x.shown(), y.shown());
                let text =
                    &self.written.text[right.span.start.min(left.span.start)..right.span.end];
                let refused = match operator {
                    Operator::Add => format!("{x} and {y} cannot be added"),
                    Operator::Subtract => format!("{y} cannot be subtracted from {x}"),
                    Operator::Multiply => format!("{x} cannot be multiplied by {y}"),
                    _ => format!("{x} cannot be divided by {y}"),
                };
                let message = format!("`{text}`: {refused}");
                let help = match (adds, a.ty, b.ty) {
                    (true, Type::Text, _) | (true, _, Type::Text) => {
                        "`||` joins texts, `cast(x as number)` reads a text as a number"
                    }
                    _ => "a number of days may be added to a date, or taken from it",
                };
                Err(self
                    .written
                    .mistake(MistakeKind::WrongType, right.span.clone(), message)
                    .help(help))
            }
        }
    }

    fn part_of_a_day(&self, days: &Node) -> Mistake {
        let text = &self.written.text[days.span.clone()];
        let message = format!(
            "`{text}` may be a fraction of a day, and only whole days can be added to a date"
        );
        let help = format!("`floor({text})` or `round({text}, 0)` makes it whole");
        self.written.mistake(MistakeKind::WrongType, days.span.clone(), message).help(help)
    }

    /// A comparison. Text that is written beside a date or period is read as one.
    fn compare(&self, operator: Operator, left: &Node, right: &Node) -> Result<Expr, Mistake> {
        let (mut a, mut b) = (self.check(left)?, self.check(right)?);
        self.read_beside(a.ty, &mut b, right)?;
        self.read_beside(b.ty, &mut a, left)?;
        let symbol = format!("`{}`", operator.symbol());
        self.common(a.ty, b.ty, right.span.clone(), &symbol).map_err(|mistake| {
            match (a.ty, b.ty) {
                (Type::Period(PeriodUnit::Year), _) if is_year(right) => mistake.or_help(format!(
                    "write '{0}': a year is compared with a text; `extract(year from …)` gives the plain number",
                    &self.written.text[right.span.clone()]
                )),
                (Type::Period(unit), _) | (_, Type::Period(unit)) => mistake.or_help(format!(
                    "a period is compared with a text such as '{}', or with another; \
                     `extract(month from …)` gives the plain number",
                    unit.sample()
                )),
                (Type::Date, _) | (_, Type::Date) => mistake.or_help(
                    "a date is compared with a text such as '2025-12-31', or with another",
                ),
                (Type::Text, _) | (_, Type::Text) => mistake.or_help(
                    "write text in single quotes; `cast(x as number)` reads text as a number",
                ),
                _ => mistake,
            }
        })?;
        Ok(expr(ExprKind::Compare(operator, boxed(a), boxed(b)), Type::YesNo))
    }

    fn read_beside(&self, other: Type, constant: &mut Expr, node: &Node) -> Result<(), Mistake> {
        let ExprKind::Constant(Value::Text(text)) = &constant.kind else { return Ok(()) };
        let read = match other {
            Type::Date => (Day::parse(text.as_bytes()).map(Value::Date), "2025-12-31"),
            Type::Period(unit) => (Period::parse(unit, text).map(Value::Period), unit.sample()),
            _ => return Ok(()),
        };
        match read {
            (Some(value), _) => {
                *constant = expr(ExprKind::Constant(value), other);
                Ok(())
            }
            (None, sample) => Err(self
                .written
                .mistake(
                    MistakeKind::WrongType,
                    node.span.clone(),
                    format!("`{text}` is not {}", other.shown()),
                )
                .help(format!("it is written like '{sample}'"))),
        }
    }

    fn call(&self, function: Function, arguments: &[Node], node: &Node) -> Result<Expr, Mistake> {
        match function {
            Function::Scalar(scalar) => self.scalar(scalar, arguments),
            Function::Summary(summary) => {
                let message = format!(
                    "`{}` is over many lines, but a formula is about one line",
                    summary.name()
                );
                Err(self
                    .written
                    .mistake(MistakeKind::WrongPlace, node.span.clone(), message)
                    .help("use it in `show`, `versus` or `sort` of totals"))
            }
            Function::Coalesce => {
                let mut typed = Vec::new();
                let mut ty = Type::Blank;
                for argument in arguments {
                    let next = self.check(argument)?;
                    ty = self.common(ty, next.ty, argument.span.clone(), "`coalesce`")?;
                    typed.push(next);
                }
                Ok(expr(ExprKind::Coalesce(typed), ty))
            }
            Function::Round(places, rounding) => {
                let operand = boxed(self.number(&arguments[0], "`round`")?);
                Ok(expr(ExprKind::Round(operand, places, rounding), Type::Number { places }))
            }
            Function::Abs => {
                let operand = self.number(&arguments[0], "`abs`")?;
                let ty = operand.ty;
                Ok(expr(ExprKind::Abs(boxed(operand)), ty))
            }
            Function::Period(unit) => {
                let what = format!("`{}`", unit.name());
                let operand = self.of_type(&arguments[0], &what, "a date", |t| t == Type::Date)?;
                Ok(expr(ExprKind::PeriodOf(unit, boxed(operand)), Type::Period(unit)))
            }
        }
    }

    fn scalar(&self, scalar: Scalar, arguments: &[Node]) -> Result<Expr, Mistake> {
        let (takes, what) = (takes_of(scalar), format!("`{}`", name_of(scalar)));
        let mut common = Type::Blank;
        let mut typed = Vec::new();
        for (number, argument) in arguments.iter().enumerate() {
            typed.push(match takes[number.min(takes.len() - 1)] {
                Takes::Number => self.number(argument, &what)?,
                Takes::Text => self.text(argument, &what)?,
                Takes::Date => self.of_type(argument, &what, "a date", |t| t == Type::Date)?,
                Takes::Period => {
                    let is_period = |t| matches!(t, Type::Period(_));
                    self.of_type(argument, &what, "a period such as month(d)", is_period)?
                }
                Takes::Common => {
                    let next = self.check(argument)?;
                    common = self.common(common, next.ty, argument.span.clone(), &what)?;
                    next
                }
                Takes::Any => self.check(argument)?,
            });
        }
        let places = |at: usize| typed.get(at).map_or(0, |expr| expr.ty.places());
        let ty = match scalar {
            Scalar::Least | Scalar::Greatest | Scalar::NullIf => common,
            Scalar::Mod => Type::Number { places: places(0).max(places(1)) },
            Scalar::Power(times) => {
                Type::Number { places: places(0).saturating_mul(times).min(MAX_PLACES) }
            }
            Scalar::CastNumber => Type::Number { places: places(0) },
            Scalar::Floor
            | Scalar::Ceiling
            | Scalar::CharLength
            | Scalar::Position
            | Scalar::Extract(_)
            | Scalar::DaysBetween => Type::Number { places: 0 },
            Scalar::Upper
            | Scalar::Lower
            | Scalar::Trim
            | Scalar::Substring
            | Scalar::Left
            | Scalar::Right
            | Scalar::Replace
            | Scalar::Lpad
            | Scalar::Rpad
            | Scalar::Join
            | Scalar::CastText => Type::Text,
            Scalar::Date
            | Scalar::AddMonths
            | Scalar::FirstDay
            | Scalar::LastDay
            | Scalar::DaysLater
            | Scalar::WeekYearLater
            | Scalar::CastDate => Type::Date,
            Scalar::Like => Type::YesNo,
        };
        Ok(expr(ExprKind::Call(scalar, typed), ty))
    }

    fn of_type(
        &self,
        node: &Node,
        what: &str,
        wanted: &str,
        fits: impl FnOnce(Type) -> bool,
    ) -> Result<Expr, Mistake> {
        let operand = self.check(node)?;
        match operand.ty {
            Type::Blank => Ok(operand),
            ty if fits(ty) => Ok(operand),
            other => Err(self.unfit(node, what, wanted, other)),
        }
    }

    fn text(&self, node: &Node, what: &str) -> Result<Expr, Mistake> {
        self.of_type(node, what, "text", |ty| ty == Type::Text)
            .map_err(|mistake| mistake.or_help("`cast(x as text)` makes a text of it"))
    }

    fn number(&self, node: &Node, what: &str) -> Result<Expr, Mistake> {
        self.of_type(node, what, "a number", |ty| matches!(ty, Type::Number { .. }))
    }

    fn condition(&self, node: &Node, what: &str) -> Result<Expr, Mistake> {
        self.of_type(node, what, "a condition", |ty| ty == Type::YesNo)
    }

    fn unfit(&self, node: &Node, what: &str, wanted: &str, found: Type) -> Mistake {
        let text = &self.written.text[node.span.clone()];
        self.written.mistake(
            MistakeKind::WrongType,
            node.span.clone(),
            format!("{what} needs {wanted}, `{text}` is {}", found.shown()),
        )
    }

    fn common(&self, a: Type, b: Type, at: Range<usize>, what: &str) -> Result<Type, Mistake> {
        match (a, b) {
            (Type::Blank, other) | (other, Type::Blank) => Ok(other),
            (Type::Number { places: p }, Type::Number { places: q }) => {
                Ok(Type::Number { places: p.max(q) })
            }
            _ if a == b => Ok(a),
            _ => {
                let message = format!("{what} cannot combine {} and {}", a.shown(), b.shown());
                Err(self.written.mistake(MistakeKind::WrongType, at, message))
            }
        }
    }
}

/// Whether a number is written that may be a year.
fn is_year(node: &Node) -> bool {
    matches!(&node.kind, NodeKind::Number(number) if number.to_string().len() == 4)
}

fn arithmetic(operator: Operator, left: Expr, right: Expr) -> Expr {
    let (a, b) = (left.ty.places(), right.ty.places());
    let places = match operator {
        Operator::Multiply => a + b,
        Operator::Divide => match constant_power(&right) {
            Some(power) => a + power,
            None => a.max(b) + QUOTIENT_PLACES,
        },
        _ => a.max(b),
    };
    let ty = Type::Number { places: places.min(MAX_PLACES) };
    expr(ExprKind::Arithmetic(operator, boxed(left), boxed(right)), ty)
}

fn negated(operand: Expr) -> Expr {
    let ty = operand.ty;
    expr(ExprKind::Negate(boxed(operand)), ty)
}

/// Whether one of some comparisons holds. With constants, the operand is looked at once.
fn one_of(tests: Vec<Expr>) -> Expr {
    let constant = |test: &Expr| match &test.kind {
        ExprKind::Compare(_, a, b) => match (&a.kind, &b.kind) {
            (ExprKind::Constant(_), _) | (_, ExprKind::Constant(Value::Blank)) => None,
            (_, ExprKind::Constant(value)) => Some(value.clone()),
            _ => None,
        },
        _ => None,
    };
    let constants: Option<Vec<Value<'static>>> = tests.iter().map(constant).collect();
    let mut tests = tests.into_iter();
    let first = tests.next().expect("the parser puts a value into every list");
    match (constants, first.kind) {
        (Some(mut list), ExprKind::Compare(_, operand, _)) => {
            list.sort();
            expr(ExprKind::OneOf(operand, list.into()), Type::YesNo)
        }
        (_, kind) => tests.fold(expr(kind, Type::YesNo), |any, test| {
            expr(ExprKind::Or(boxed(any), boxed(test)), Type::YesNo)
        }),
    }
}

fn negate_if(negated: bool, test: Expr) -> Expr {
    if negated { expr(ExprKind::Not(boxed(test)), Type::YesNo) } else { test }
}
