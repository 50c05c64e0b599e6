//! Why a line has its values: for each link the key, the steps by which it was looked up, the row that was found and those
//! that were not taken; for each figure the formula with its numbers in place.
//!
//! Nothing is computed a second time to be shown: a trace is read off a batch of lines that went through the engine, and the
//! steps of a key are those that its index takes.

mod formula;
mod link;

use crate::eval::{Expr, Leaves};
use crate::lines::{Line, Lines};
use crate::proof::findings::{Aside, BlankBecause};
use interligo_model::values::column::Column;
use interligo_model::values::value::Value;

pub use crate::keys::{KeyStep, StepOutcome};
pub use formula::FormulaSteps;
pub use link::{
    DayTrace, GapWith, KeyAttempt, LinkTrace, NotTaken, PeriodRow, RowNotTaken, TakenRow,
};

/// Why a line has its values.
#[derive(Clone, Debug, PartialEq)]
pub struct LineTrace {
    /// The columns of the fact that are used, by name, as they were understood.
    pub columns: Vec<ColumnTrace>,
    /// The links, in the order in which they are taken.
    pub links: Vec<LinkTrace>,
    /// The figures, each after those that it builds on.
    pub figures: Vec<FigureTrace>,
    /// Why the line is set aside, if it is.
    pub aside: Option<Aside>,
}

/// A column of the fact on a line.
#[derive(Clone, Debug, PartialEq)]
pub struct ColumnTrace {
    /// Its number in the fact.
    pub column: usize,
    /// Its name.
    pub name: String,
    /// Its value.
    pub value: Value<'static>,
    /// Whether there is a text that could not be read.
    pub unreadable: bool,
}

/// A figure on a line.
#[derive(Clone, Debug, PartialEq)]
pub struct FigureTrace {
    /// Its name.
    pub name: String,
    /// Its formula as the plan writes it.
    pub formula: String,
    /// The formula with its numbers, reduced step by step.
    pub steps: FormulaSteps,
    /// Its value.
    pub value: Value<'static>,
    /// Why it is blank, if it is.
    pub blank: Option<BlankBecause>,
}

/// The formula of a ratio over sums, reduced step by step.
pub fn ratio_steps(of: &Expr, parts: &[Value<'static>]) -> FormulaSteps {
    FormulaSteps::of(of, &Parts(parts))
}

/// The sums that a ratio is computed from.
struct Parts<'a>(&'a [Value<'static>]);

impl Leaves for Parts<'_> {
    fn column(&self, _: usize) -> Value<'_> {
        Value::Blank
    }

    fn part(&self, part: usize) -> Value<'_> {
        self.0.get(part).map_or(Value::Blank, Value::borrowed)
    }
}

impl Lines<'_> {
    /// The formula of a figure with the numbers of a line.
    pub fn formula_steps(&self, figure: usize, row: usize) -> FormulaSteps {
        FormulaSteps::of(&self.engine().figure(figure).expr, &Line { lines: self, row })
    }

    /// The values of an expression on all lines.
    ///
    /// # Errors
    /// The first line on which a number overflows.
    pub fn values_of(&self, expr: &Expr) -> Result<Column, usize> {
        self.column_of(expr)
    }

    /// Why a line of the batch has its values.
    pub fn trace(&self, row: usize) -> LineTrace {
        let engine = self.engine();
        let line = Line { lines: self, row };
        let columns = engine.bound.fact.column_use.used().filter_map(|column| {
            let read = engine.value_read_of(column)?;
            let value = self.column(read).value(row).into_owned();
            let unreadable = self.is_unreadable(read, row);
            let name = engine.bound.fact.columns[column].clone();
            Some(ColumnTrace { column, name, value, unreadable })
        });
        let figures = engine.figure_order.iter().filter_map(|&number| {
            let bound = &engine.bound.figures[number];
            let expr = &engine.figure(number).expr;
            // With as many places as outputs write.
            let value = match self.known_figure(number)?.value(row).into_owned() {
                Value::Number(own) => Value::Number(own.trimmed(engine.least_places(expr))),
                other => other,
            };
            Some(FigureTrace {
                name: bound.name.clone(),
                formula: bound.written.text.clone(),
                steps: FormulaSteps::of(expr, &line),
                blank: value.is_blank().then(|| self.blank_because(number, row)),
                value,
            })
        });
        LineTrace {
            columns: columns.collect(),
            links: (0..engine.bound.routes.len()).filter_map(|l| self.trace_link(l, row)).collect(),
            figures: figures.collect(),
            aside: self.aside.iter().find(|(own, _)| *own as usize == row).map(|(_, why)| *why),
        }
    }
}
