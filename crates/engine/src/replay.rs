//! Figures of a line whose values are given, and not read: of a line as it was in an earlier run, or as it would be if only
//! some of what changed had changed. The formulas, and how they are computed, are those of every run.

use crate::engine::Engine;
use crate::eval::{Expr, Leaves, Overflow, evaluate};
use interligo_model::values::decimal::Decimal;
use interligo_model::values::value::Value;

/// The values that the figures of a line are computed from.
pub trait LineValues {
    /// A column of lines, by its number; see [`Engine::recorded_columns`].
    fn column(&self, column: usize) -> Value<'_>;

    /// An attribute: a column of the lookup of a link.
    fn attribute(&self, link: usize, column: usize) -> Value<'_>;
}

/// A line with its figures.
pub struct ReplayedLine<'v, V: ?Sized> {
    values: &'v V,
    figures: Vec<Value<'static>>,
}

impl Engine {
    /// Computes the figures of a line.
    ///
    /// # Errors
    /// A number that needs more than 38 digits.
    pub fn replay<'v, V: LineValues + ?Sized>(
        &self,
        values: &'v V,
    ) -> Result<ReplayedLine<'v, V>, Overflow> {
        let figures = vec![Value::Blank; self.figures.len()];
        let mut line = ReplayedLine { values, figures };
        for figure in &self.figure_order {
            let value = evaluate(&self.figure(*figure).expr, &line)?.into_owned();
            line.figures[*figure] = value;
        }
        Ok(line)
    }
}

impl<V: LineValues + ?Sized> ReplayedLine<'_, V> {
    /// What a figure comes to, by its number among those of the plan.
    pub fn figure(&self, number: usize) -> &Value<'static> {
        &self.figures[number]
    }

    /// The number that an expression over the line comes to; none where it is unknown.
    ///
    /// # Errors
    /// A number that needs more than 38 digits.
    pub fn number(&self, expr: &Expr) -> Result<Option<Decimal>, Overflow> {
        evaluate(expr, self).map(|value| value.number())
    }

    /// The value of an expression over the line.
    ///
    /// # Errors
    /// A number that needs more than 38 digits.
    pub fn value(&self, expr: &Expr) -> Result<Value<'static>, Overflow> {
        evaluate(expr, self).map(Value::into_owned)
    }
}

impl<V: LineValues + ?Sized> Leaves for ReplayedLine<'_, V> {
    fn column(&self, column: usize) -> Value<'_> {
        self.values.column(column)
    }

    fn attribute(&self, route: usize, column: usize) -> Value<'_> {
        self.values.attribute(route, column)
    }

    fn figure(&self, figure: usize) -> Value<'_> {
        self.figures[figure].borrowed()
    }
}

/// What a ratio over sums comes to; blank where it divides by zero or overflows.
pub fn ratio_over(of: &Expr, sums: &[Value<'static>]) -> Value<'static> {
    struct Sums<'s>(&'s [Value<'static>]);
    impl Leaves for Sums<'_> {
        fn column(&self, _: usize) -> Value<'_> {
            Value::Blank
        }
        fn part(&self, part: usize) -> Value<'_> {
            self.0.get(part).map_or(Value::Blank, Value::borrowed)
        }
    }
    evaluate(of, &Sums(sums)).map_or(Value::Blank, Value::into_owned)
}
