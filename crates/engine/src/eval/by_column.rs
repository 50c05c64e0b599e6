//! Expressions computed column by column over a batch, in whole numbers of 64 bits.
//!
//! [`compute`] gives `None` when the fixed form does not suffice: a number overflows, a column has
//! more places than foreseen, or an operation has no columnar form. The caller then goes line by
//! line, by `rows`. Where a result is given it is the same as there; the tests compare the two.

use std::borrow::Cow;

use arrow_array::{Array, StringViewArray};
use interligo_model::formula::Operator;
use interligo_model::formula::Scalar;
use interligo_model::values::column::{
    Column, DateColumn, NumberColumn, Numbers, is_blank_at, is_known, known_where,
};
use interligo_model::values::date::{Day, Period, PeriodUnit};
use interligo_model::values::decimal::Decimal;
use interligo_model::values::value::Value;

use super::by_row::{compare, constant_power};
use super::expr::{Expr, ExprKind};
use super::functions::call_of;
use super::numeric::{Mantissas, Numeric, arithmetic, choose, factor, map, round};
use super::type_check::{Type, kind_of};

/// The columns that the names of an expression represent.
pub(crate) trait Inputs {
    fn rows(&self) -> usize;
    fn column(&self, column: usize) -> &Column;
    fn attribute(&self, route: usize, column: usize) -> Column;
    fn figure(&self, figure: usize) -> &Column;
}

/// A column that was computed or that was there already.
pub(crate) type Computed<'a> = Cow<'a, Column>;

/// The values of an expression on all rows.
pub(crate) fn compute<'a>(expr: &Expr, inputs: &'a impl Inputs) -> Option<Computed<'a>> {
    Some(match &expr.kind {
        ExprKind::Column(column) => Cow::Borrowed(inputs.column(*column)),
        ExprKind::Figure(figure) => Cow::Borrowed(inputs.figure(*figure)),
        ExprKind::Attribute { route, column } => Cow::Owned(inputs.attribute(*route, *column)),
        ExprKind::PeriodOf(unit, date) => match compute(date, inputs)?.as_ref() {
            Column::Date(dates) => Cow::Owned(Column::Period(*unit, periods(*unit, dates))),
            _ => return None,
        },
        ExprKind::Compare(..)
        | ExprKind::And(..)
        | ExprKind::Or(..)
        | ExprKind::Not(_)
        | ExprKind::OneOf(..)
        | ExprKind::IsBlank(_) => Cow::Owned(Column::YesNo(condition(expr, inputs)?)),
        ExprKind::Band(number, band) => {
            let number = numeric(number, inputs)?;
            let name = |row: usize| {
                let value = Decimal::new(i128::from(number.get(row)?), number.places)?;
                Some(band.name(band.of(value)))
            };
            let names = (0..inputs.rows()).map(|row| name(row).unwrap_or(""));
            Cow::Owned(Column::Text(StringViewArray::from_iter_values(names)))
        }
        ExprKind::Call(scalar, list) => Cow::Owned(call(*scalar, list, expr.ty, inputs)?),
        _ => match expr.ty {
            Type::Number { .. } => {
                let numeric = numeric(expr, inputs)?;
                Cow::Owned(Column::Number(numeric.into_column(inputs.rows())))
            }
            _ => return None,
        },
    })
}

/// A function that works value by value, on all rows.
fn call(scalar: Scalar, list: &[Expr], ty: Type, inputs: &impl Inputs) -> Option<Column> {
    let operand = |expr: &Expr| match &expr.kind {
        // A text of white space is none in a column; written in a formula it is one.
        ExprKind::Constant(value) => Some((value.clone(), None)),
        _ => Some((Value::Blank, Some(compute(expr, inputs)?.into_owned()))),
    };
    let operands: Vec<(Value<'static>, Option<Column>)> =
        list.iter().map(operand).collect::<Option<_>>()?;
    let mut results = Vec::with_capacity(inputs.rows());
    let mut values = Vec::with_capacity(list.len());
    for row in 0..inputs.rows() {
        values.clear();
        values.extend(operands.iter().map(|(same, column)| match column {
            Some(column) => column.value(row),
            None => same.borrowed(),
        }));
        results.push(call_of(scalar, &values).ok()?);
    }
    Some(Column::from_values(kind_of(ty), &results))
}

fn numeric<'a>(expr: &Expr, inputs: &'a impl Inputs) -> Option<Numeric<'a>> {
    let rows = inputs.rows();
    match &expr.kind {
        ExprKind::Constant(Value::Number(value)) => Some(Numeric {
            mantissas: Mantissas::Same(i64::try_from(value.mantissa()).ok()?),
            places: value.places(),
            known: None,
        }),
        ExprKind::Constant(Value::Blank) => Some(Numeric {
            mantissas: Mantissas::Same(0),
            places: 0,
            known: known_where(rows, |_| false),
        }),
        ExprKind::Negate(a) => {
            let a = numeric(a, inputs)?;
            map(a, rows, |x| x.overflowing_neg())
        }
        ExprKind::Abs(a) => {
            let a = numeric(a, inputs)?;
            map(a, rows, |x| x.overflowing_abs())
        }
        ExprKind::Round(a, places, rounding) => {
            round(numeric(a, inputs)?, rows, *places, *rounding)
        }
        ExprKind::Arithmetic(operator, a, b) => {
            let power = constant_power(b);
            arithmetic(*operator, numeric(a, inputs)?, numeric(b, inputs)?, rows, power)
        }
        ExprKind::If(test, then, otherwise) => {
            let test = condition(test, inputs)?;
            let (a, b) = (numeric(then, inputs)?, numeric(otherwise, inputs)?);
            choose(rows, expr.ty, |row| match test[row] {
                Some(true) => Some((a.get(row)?, a.places)),
                Some(false) => Some((b.get(row)?, b.places)),
                None => None,
            })
        }
        ExprKind::Coalesce(list) => {
            let list: Vec<Numeric<'_>> =
                list.iter().map(|item| numeric(item, inputs)).collect::<Option<_>>()?;
            choose(rows, expr.ty, |row| {
                list.iter().find_map(|item| Some((item.get(row)?, item.places)))
            })
        }
        ExprKind::Column(_) | ExprKind::Figure(_) => match compute(expr, inputs)? {
            Cow::Borrowed(Column::Number(column)) => match &column.numbers {
                Numbers::Fixed { mantissas, places } => Some(Numeric {
                    mantissas: Mantissas::Each(Cow::Borrowed(mantissas)),
                    places: *places,
                    known: column.known.clone(),
                }),
                Numbers::Wide(_) => None,
            },
            _ => None,
        },
        ExprKind::Attribute { .. } | ExprKind::Call(..) => {
            match compute(expr, inputs)?.into_owned() {
                Column::Number(NumberColumn {
                    numbers: Numbers::Fixed { mantissas, places },
                    known,
                }) => Some(Numeric::each(mantissas, places, known)),
                _ => None,
            }
        }
        _ => None,
    }
}

fn periods(unit: PeriodUnit, dates: &DateColumn) -> DateColumn {
    // Lines lie mostly in the order of time: the period of the line before often serves again.
    let mut last = (i32::MIN, 0);
    let days = dates.days.iter().map(|&day| {
        if last.0 != day {
            last = (day, Period::containing(unit, Day(day)).ordinal);
        }
        last.1
    });
    DateColumn { days: days.collect(), known: dates.known.clone() }
}

type Truths = Vec<Option<bool>>;

fn condition(expr: &Expr, inputs: &impl Inputs) -> Option<Truths> {
    let rows = inputs.rows();
    Some(match &expr.kind {
        ExprKind::Compare(operator, a, b) => compare_columns(*operator, a, b, inputs)?,
        ExprKind::OneOf(a, list) => one_of(a, list, inputs)?,
        ExprKind::Not(a) => {
            condition(a, inputs)?.into_iter().map(|truth| truth.map(|yes| !yes)).collect()
        }
        ExprKind::And(a, b) => logic(condition(a, inputs)?, condition(b, inputs)?, false),
        ExprKind::Or(a, b) => logic(condition(a, inputs)?, condition(b, inputs)?, true),
        ExprKind::IsBlank(a) => {
            let column = compute(a, inputs)?;
            (0..rows).map(|row| Some(column.value(row).is_blank())).collect()
        }
        ExprKind::Constant(Value::Blank) => vec![None; rows],
        _ => match compute(expr, inputs)?.as_ref() {
            Column::YesNo(values) => values.clone(),
            _ => return None,
        },
    })
}

/// Whether values are among some in order.
fn one_of(operand: &Expr, list: &[Value<'_>], inputs: &impl Inputs) -> Option<Truths> {
    let column = compute(operand, inputs)?;
    Some(match column.as_ref() {
        Column::Text(texts) => {
            let text = |value: &Value<'_>| match value {
                Value::Text(text) => Some(text.to_string()),
                _ => None,
            };
            let list: Vec<String> = list.iter().filter_map(text).collect();
            let is_one =
                |text: &str| list.binary_search_by(|known| known.as_str().cmp(text)).is_ok();
            let test = |row| (!is_blank_at(texts, row)).then(|| is_one(texts.value(row)));
            (0..texts.len()).map(test).collect()
        }
        other => (0..inputs.rows())
            .map(|row| match other.value(row) {
                Value::Blank => None,
                value => Some(list.binary_search_by(|known| known.cmp(&value)).is_ok()),
            })
            .collect(),
    })
}

fn logic(a: Truths, b: Truths, decides: bool) -> Truths {
    let pair = |(x, y): (Option<bool>, Option<bool>)| match (x, y) {
        (Some(x), _) if x == decides => Some(decides),
        (_, Some(y)) if y == decides => Some(decides),
        (Some(_), Some(_)) => Some(!decides),
        _ => None,
    };
    a.into_iter().zip(b).map(pair).collect()
}

fn compare_columns(operator: Operator, a: &Expr, b: &Expr, inputs: &impl Inputs) -> Option<Truths> {
    let rows = inputs.rows();
    if let (Type::Number { .. }, Type::Number { .. }) = (a.ty, b.ty) {
        let (a, b) = (numeric(a, inputs)?, numeric(b, inputs)?);
        let places = a.places.max(b.places);
        let (fa, fb) =
            (i128::from(factor(a.places, places)?), i128::from(factor(b.places, places)?));
        let test = |row| {
            let (x, y) = (i128::from(a.get(row)?) * fa, i128::from(b.get(row)?) * fb);
            Some(compare(operator, &x, &y))
        };
        return Some((0..rows).map(test).collect());
    }
    let ExprKind::Constant(constant) = &b.kind else { return None };
    let column = compute(a, inputs)?;
    Some(match (column.as_ref(), constant) {
        (Column::Text(texts), Value::Text(wanted)) => (0..texts.len())
            .map(|row| {
                let text = texts.value(row);
                let known = !is_blank_at(texts, row);
                known.then(|| compare(operator, &text, &wanted.as_ref()))
            })
            .collect(),
        (Column::Date(days), Value::Date(Day(wanted)))
        | (Column::Period(_, days), Value::Period(Period { ordinal: wanted, .. })) => {
            let known = |row| is_known(days.known.as_ref(), row);
            let test = |row| known(row).then(|| compare(operator, &days.days[row], wanted));
            (0..rows).map(test).collect()
        }
        _ => return None,
    })
}

#[cfg(test)]
mod tests {
    use super::super::by_row::{Leaves, evaluate};
    use super::super::type_check::{Names, check};
    use super::*;
    use interligo_model::formula::parse;
    use interligo_model::plan::{ColumnName, Mistake, Written};
    use proptest::prelude::*;

    /// `a` and `b` are numbers, `d` a date, `t` text.
    struct Batch(Vec<Column>);

    impl Names for Batch {
        fn leaf(&self, name: &ColumnName, _: &Written) -> Result<Expr, Mistake> {
            let (column, ty) = match name.column.as_str() {
                "a" => (0, Type::Number { places: 2 }),
                "b" => (1, Type::Number { places: 0 }),
                "d" => (2, Type::Date),
                _ => (3, Type::Text),
            };
            Ok(Expr { kind: ExprKind::Column(column), ty })
        }
    }

    impl Inputs for Batch {
        fn rows(&self) -> usize {
            self.0[0].len()
        }
        fn column(&self, column: usize) -> &Column {
            &self.0[column]
        }
        fn attribute(&self, _: usize, _: usize) -> Column {
            unreachable!("the formulas here name columns only")
        }
        fn figure(&self, _: usize) -> &Column {
            unreachable!("the formulas here name columns only")
        }
    }

    struct Line<'a>(&'a Batch, usize);

    impl Leaves for Line<'_> {
        fn column(&self, column: usize) -> Value<'_> {
            self.0.0[column].value(self.1)
        }
        fn attribute(&self, _: usize, _: usize) -> Value<'_> {
            Value::Blank
        }
        fn figure(&self, _: usize) -> Value<'_> {
            Value::Blank
        }
    }

    type Row = (Option<i64>, Option<i64>, Option<i32>, &'static str);

    fn batch(rows: &[Row]) -> Batch {
        let number = |values: Vec<Option<i64>>, places| {
            let decimals: Vec<_> = values
                .iter()
                .map(|v| v.and_then(|v| Decimal::new(i128::from(v), places)))
                .collect();
            Column::Number(NumberColumn::from_decimals(&decimals, places))
        };
        let days = rows.iter().map(|r| r.2.unwrap_or(0)).collect();
        Batch(vec![
            number(rows.iter().map(|r| r.0).collect(), 2),
            number(rows.iter().map(|r| r.1).collect(), 0),
            Column::Date(DateColumn {
                days,
                known: known_where(rows.len(), |i| rows[i].2.is_some()),
            }),
            Column::Text(StringViewArray::from(rows.iter().map(|r| r.3).collect::<Vec<_>>())),
        ])
    }

    fn number_formula() -> impl Strategy<Value = String> {
        let leaf = prop::sample::select(vec!["a", "b", "0", "1.5", "-3", "blank", "100"])
            .prop_map(str::to_owned);
        leaf.prop_recursive(4, 24, 3, |inner| {
            let pair =
                (inner.clone(), prop::sample::select(vec!["+", "-", "*", "/"]), inner.clone());
            let test = prop::sample::select(vec![
                "a > b",
                "t = 'x'",
                "d >= '2024-06-01'",
                "month(d) = '2024-06'",
                "b is blank",
                "not a = 1 and b <> 2",
                "a between 0 and 5 or t in ('y', 'z')",
                "b not in (3, 5.0, -1) and t not in ('x')",
                "d in ('2024-06-01', '2024-07-02', '2024-07-03')",
                "a in (b, 1, blank)",
            ]);
            prop_oneof![
                pair.prop_map(|(x, o, y)| format!("({x} {o} {y})")),
                inner.clone().prop_map(|x| format!("abs({x})")),
                inner.clone().prop_map(|x| format!("round({x}, 1, 'half-up')")),
                inner.clone().prop_map(|x| format!("round({x}, 2)")),
                (inner.clone(), inner.clone()).prop_map(|(x, y)| format!("coalesce({x}, {y})")),
                (test, inner.clone(), inner)
                    .prop_map(|(t, x, y)| format!("(if {t} then {x} else {y})")),
            ]
        })
    }

    fn text_formula() -> impl Strategy<Value = String> {
        let leaf = prop::sample::select(vec!["t", "'x'", "' '", "''", "'ab-c'", "blank"]);
        leaf.prop_map(str::to_owned).prop_recursive(3, 12, 3, |inner| {
            let one = || inner.clone();
            prop_oneof![
                (one(), one()).prop_map(|(x, y)| format!("({x} || {y})")),
                one().prop_map(|x| format!("upper({x})")),
                (one(), one(), one()).prop_map(|(x, y, z)| format!("replace({x}, {y}, {z})")),
                (one(), 0..4i32).prop_map(|(x, n)| format!("left({x}, {n})")),
                (one(), one()).prop_map(|(x, y)| format!("coalesce({x}, {y})")),
                (one(), one()).prop_map(|(x, y)| format!("lpad({x}, 3, {y})")),
                (one(), one()).prop_map(|(x, y)| format!("(if {x} like {y} then {x} else 'z')")),
                one().prop_map(|x| format!("cast(position('b' in {x}) + a as text)")),
                Just("cast(add_months(d, b) as text)".to_owned()),
            ]
        })
    }

    fn row() -> impl Strategy<Value = Row> {
        let some = |low: i64, high: i64| prop::option::weighted(0.8, low..high);
        let text = prop::sample::select(vec!["x", "y", "", "w"]);
        (some(-100_000, 100_000), some(-5, 500), prop::option::of(19_800i32..19_950), text)
    }

    proptest! {
        #[test]
        fn prop_columns_agree_with_rows(formula in prop_oneof![number_formula(), text_formula()], rows in prop::collection::vec(row(), 1..8)) {
            let batch = batch(&rows);
            let written = Written::in_option("formula", &formula, 0..formula.len());
            let expr = check(&parse(&written).unwrap(), &batch, &written).unwrap();
            if let Some(column) = compute(&expr, &batch) {
                for number in 0..rows.len() {
                    let line = Line(&batch, number);
                    let expected = evaluate(&expr, &line);
                    prop_assert_eq!(Ok(column.value(number)), expected, "{} in line {}", formula, number);
                }
            }
        }
    }

    #[test]
    fn what_does_not_fit_is_left_to_the_longer_way() {
        let batch = batch(&[(Some(i64::MAX / 2), Some(9), None, "")]);
        let formula = |text: &str| {
            let written = Written::in_option("formula", text, 0..text.len());
            check(&parse(&written).unwrap(), &batch, &written).unwrap()
        };
        assert!(compute(&formula("a * b"), &batch).is_none());
        assert!(compute(&formula("a + 0.001"), &batch).is_none());
        assert!(compute(&formula("if b = 9 then a"), &batch).is_some());
    }
}
