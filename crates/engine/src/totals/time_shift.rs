//! Lines seen as if they were of a later time: so the sales of March 2024 are beside those of March 2025, and a
//! condition on the year speaks of the year in which they are seen.

use std::fmt;

use interligo_model::formula::Scalar;
use interligo_model::plan::{Mistake, MistakeKind, Written};
use interligo_model::values::date::{Day, Period, PeriodUnit};
use interligo_model::values::value::Value;

use super::measure::ByExpr;
use super::span::DaySpan;
use crate::bind::Shift;
use crate::engine::Engine;
use crate::eval::{Expr, ExprKind, Type};

/// The attribute of a table that says the time.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct TimeAttribute {
    /// By number among the attributes.
    pub(crate) attribute: usize,
    pub(crate) unit: PeriodUnit,
    /// The column with the day, by number among those of the lines.
    pub(super) column: usize,
    /// The days between which the condition of the table lets lines through.
    pub(crate) days: DaySpan,
}

impl TimeAttribute {
    /// The number of the period in which a day lies.
    pub(super) fn ordinal(&self, day: Day) -> i32 {
        Period::containing(self.unit, day).ordinal
    }
}

/// Why a table has no attribute of time.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum NoTime {
    /// No attribute is a period.
    NoPeriod,
    /// A period is not of a column of the fact.
    NotOfFact { column_name: String },
    /// There are periods of two columns.
    TwoColumns,
}

impl fmt::Display for NoTime {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            NoTime::NoPeriod => f.write_str("the table has no period of a date column"),
            NoTime::NotOfFact { column_name } => {
                write!(f, "`{column_name}` is not a period of a date column of the fact")
            }
            NoTime::TwoColumns => {
                f.write_str("the table has periods of two date columns, which may both be meant")
            }
        }
    }
}

/// What is to be said where something needs a period that the table does not have.
pub(super) fn no_time(written: &Written, why: &NoTime) -> Mistake {
    written
        .mistaken(MistakeKind::MissingSetting, why.to_string())
        .help("put a period of a date column into `by` or `across`: month(sold_on)")
}

/// The attribute with the shortest period of a date column.
pub(crate) fn time_attribute(by: &[ByExpr], engine: &Engine) -> Result<TimeAttribute, NoTime> {
    let mut found: Option<TimeAttribute> = None;
    for (attribute, by) in by.iter().enumerate() {
        // A period may have a name.
        let mut expr = &by.expr;
        while let ExprKind::Figure(figure) = expr.kind {
            expr = &engine.figure(figure).expr;
        }
        let (unit, day) = match &expr.kind {
            ExprKind::PeriodOf(unit, day) => (*unit, day.as_ref()),
            _ if expr.ty == Type::Date => (PeriodUnit::Day, expr),
            _ => continue,
        };
        let ExprKind::Column(column) = day.kind else {
            return Err(NoTime::NotOfFact { column_name: by.column_name.clone() });
        };
        match &found {
            Some(other) if other.column != column => {
                return Err(NoTime::TwoColumns);
            }
            Some(other) if other.unit >= unit => {}
            _ => found = Some(TimeAttribute { attribute, unit, column, days: DaySpan::default() }),
        }
    }
    found.ok_or(NoTime::NoPeriod)
}

/// An expression over lines that are seen so much later.
pub(super) fn shifted(expr: &Expr, engine: &Engine, time: &TimeAttribute, shift: Shift) -> Expr {
    match &expr.kind {
        ExprKind::Column(column) if *column == time.column => later(expr, time.unit, shift),
        // A figure has its own column of values; one that speaks of the day is computed again.
        ExprKind::Figure(figure) => {
            let own = &engine.figure(*figure).expr;
            if speaks_of(own, engine, time.column) {
                shifted(own, engine, time, shift)
            } else {
                expr.clone()
            }
        }
        _ => expr
            .made_of(|part| Some(shifted(part, engine, time, shift)))
            .expect("every part is seen later"),
    }
}

fn speaks_of(expr: &Expr, engine: &Engine, column: usize) -> bool {
    expr.any(&mut |part| match part.kind {
        ExprKind::Column(other) => other == column,
        ExprKind::Figure(figure) => speaks_of(&engine.figure(figure).expr, engine, column),
        _ => false,
    })
}

fn later(day: &Expr, unit: PeriodUnit, shift: Shift) -> Expr {
    let (scalar, by) = match (shift, unit) {
        (Shift::Year, PeriodUnit::Week) => (Scalar::WeekYearLater, None),
        (Shift::Year, _) | (Shift::Period, PeriodUnit::Year) => (Scalar::AddMonths, Some(12)),
        (Shift::Period, PeriodUnit::Quarter) => (Scalar::AddMonths, Some(3)),
        (Shift::Period, PeriodUnit::Month) => (Scalar::AddMonths, Some(1)),
        (Shift::Period, PeriodUnit::Week) => (Scalar::DaysLater, Some(7)),
        (Shift::Period, PeriodUnit::Day) => (Scalar::DaysLater, Some(1)),
    };
    let number = |by: i64| Expr {
        kind: ExprKind::Constant(Value::Number(by.into())),
        ty: Type::Number { places: 0 },
    };
    let operands = [day.clone()].into_iter().chain(by.map(number)).collect();
    Expr { kind: ExprKind::Call(scalar, operands), ty: Type::Date }
}
