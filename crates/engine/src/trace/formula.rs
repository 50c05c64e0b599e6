//! A formula with its numbers in place, and what becomes of it step by step.

use interligo_model::formula::{Operator, Scalar};
use interligo_model::values::value::Value;

use crate::eval::{Expr, ExprKind, Leaves, evaluate};

/// A formula with the values of a line in the place of names: as it is, then with what can be computed computed, and so on
/// until the value is left.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct FormulaSteps {
    /// `7 * 13.82 * (1 - 0.125)`, `96.74 * 0.875`; none where the formula is a value by itself.
    pub shown: Vec<String>,
}

/// More steps than this say nothing to a reader.
const MOST_STEPS: usize = 6;

/// Formulas longer than this, with their numbers, are not reduced step by step.
const LONGEST: usize = 400;

impl FormulaSteps {
    pub(super) fn of(expr: &Expr, line: &impl Leaves) -> FormulaSteps {
        let height = height(expr, line);
        let mut shown: Vec<String> = Vec::new();
        for reduced in 0..height.min(MOST_STEPS) {
            let text = Shown { line, reduced }.text(expr).0;
            if shown.last() != Some(&text) {
                shown.push(text);
            }
            if shown.iter().any(|text| text.len() > LONGEST) {
                shown.truncate(1);
                break;
            }
        }
        // `-8`, the last step of `-(7 + 1)`, is the value already.
        let value = Shown { line, reduced: height }.text(expr).0;
        shown.retain(|text| *text != value);
        FormulaSteps { shown }
    }
}

/// The parts of an expression that its value is made of on this line: of a choice, the branch that is taken.
fn parts<'e>(expr: &'e Expr, line: &impl Leaves) -> Vec<&'e Expr> {
    match &expr.kind {
        ExprKind::If(condition, then, otherwise) => match evaluate(condition, line) {
            Ok(Value::YesNo(true)) => vec![condition, then],
            Ok(Value::YesNo(false)) => vec![condition, otherwise],
            _ => vec![condition],
        },
        _ => expr.children(),
    }
}

/// How many steps it takes to reduce an expression to its value.
fn height(expr: &Expr, line: &impl Leaves) -> usize {
    let parts = parts(expr, line);
    parts.iter().map(|part| height(part, line) + 1).max().unwrap_or(0)
}

/// Writes expressions whose parts of some height are reduced to their values.
struct Shown<'a, L> {
    line: &'a L,
    reduced: usize,
}

/// How tightly a text binds; a value binds tightest.
type Binding = u8;

const VALUE: Binding = 9;

impl<L: Leaves> Shown<'_, L> {
    fn text(&self, expr: &Expr) -> (String, Binding) {
        if height(expr, self.line) <= self.reduced {
            let value = match (evaluate(expr, self.line).unwrap_or(Value::Blank), &expr.kind) {
                // What is read has as many places as its column; those that say nothing are left out.
                (Value::Number(number), ExprKind::Column(_) | ExprKind::Attribute { .. }) => {
                    Value::Number(number.trimmed(0))
                }
                (value, _) => value,
            };
            let is_negative = value.number().is_some_and(|number| number.mantissa() < 0);
            return (value_text(&value), if is_negative { 7 } else { VALUE });
        }
        match &expr.kind {
            ExprKind::Negate(a) => (format!("-{}", self.within(a, 7)), 7),
            ExprKind::Not(a) => (format!("not {}", self.within(a, 3)), 3),
            ExprKind::Arithmetic(operator, a, b) | ExprKind::Compare(operator, a, b) => {
                let own = binding(*operator);
                // What is on the right of a minus or a division keeps its parentheses.
                let text = format!(
                    "{} {} {}",
                    self.within(a, own),
                    operator.symbol(),
                    self.within(b, own + 1)
                );
                (text, own)
            }
            ExprKind::And(a, b) => (format!("{} and {}", self.within(a, 2), self.within(b, 2)), 2),
            ExprKind::Or(a, b) => (format!("{} or {}", self.within(a, 1), self.within(b, 1)), 1),
            ExprKind::If(condition, then, otherwise) => {
                let taken = match evaluate(condition, self.line) {
                    Ok(Value::YesNo(true)) => format!(" then {}", self.text(then).0),
                    Ok(Value::YesNo(false)) => format!(" else {}", self.text(otherwise).0),
                    _ => String::new(),
                };
                (format!("if {}{taken}", self.text(condition).0), 0)
            }
            ExprKind::IsBlank(a) => (format!("{} is blank", self.within(a, 4)), 4),
            ExprKind::OneOf(a, list) => {
                let list: Vec<String> = list.iter().map(value_text).collect();
                (format!("{} in ({})", self.within(a, 4), list.join(", ")), 4)
            }
            ExprKind::Coalesce(list) => (self.call("coalesce", list), VALUE),
            ExprKind::Round(a, places, _) => {
                (format!("round({}, {places})", self.text(a).0), VALUE)
            }
            ExprKind::Abs(a) => (format!("abs({})", self.text(a).0), VALUE),
            ExprKind::PeriodOf(unit, a) => (format!("{}({})", unit.name(), self.text(a).0), VALUE),
            ExprKind::Band(a, _) => (format!("band of {}", self.text(a).0), VALUE),
            ExprKind::Call(scalar, list) => self.called(*scalar, list),
            ExprKind::Constant(_)
            | ExprKind::Column(_)
            | ExprKind::Attribute { .. }
            | ExprKind::Figure(_)
            | ExprKind::Part(_) => {
                (value_text(&evaluate(expr, self.line).unwrap_or(Value::Blank)), VALUE)
            }
        }
    }

    fn called(&self, scalar: Scalar, list: &[Expr]) -> (String, Binding) {
        let operator = match scalar {
            Scalar::Join => Some("||"),
            Scalar::DaysLater => Some("+"),
            Scalar::DaysBetween => Some("-"),
            Scalar::Like => Some("like"),
            _ => None,
        };
        if let (Some(operator), [a, b]) = (operator, list) {
            let own = if scalar == Scalar::Like { 4 } else { 5 };
            return (
                format!("{} {operator} {}", self.within(a, own), self.within(b, own + 1)),
                own,
            );
        }
        let list: Vec<String> = list.iter().map(|one| self.text(one).0).collect();
        (scalar.written(&list), VALUE)
    }

    fn call(&self, name: &str, list: &[Expr]) -> String {
        let list: Vec<String> = list.iter().map(|one| self.text(one).0).collect();
        format!("{name}({})", list.join(", "))
    }

    /// The text within one that binds as tightly as this, in parentheses where it binds less.
    fn within(&self, expr: &Expr, outer: Binding) -> String {
        let (text, own) = self.text(expr);
        if own < outer { format!("({text})") } else { text }
    }
}

fn binding(operator: Operator) -> Binding {
    match operator {
        Operator::Or => 1,
        Operator::And => 2,
        Operator::Add | Operator::Subtract | Operator::Join => 5,
        Operator::Multiply | Operator::Divide => 6,
        _ => 4,
    }
}

/// A value as formulas write it.
fn value_text(value: &Value<'_>) -> String {
    match value {
        Value::Blank => "blank".to_owned(),
        Value::Text(text) if text.is_empty() => "blank".to_owned(),
        Value::Text(text) => format!("'{}'", text.replace('\'', "''")),
        Value::Period(period) => format!("'{period}'"),
        other => other.to_string(),
    }
}
