//! A formula over columns that are at hand, without a plan: for trying one out, and for measuring what it costs.

use interligo_model::formula::parse;
use interligo_model::plan::{ColumnName, Mistake, MistakeKind, Written};
use interligo_model::values::column::Column;
use interligo_model::values::value::Value;

use super::by_column::{Inputs, compute};
use super::expr::{Expr, ExprKind};
use super::type_check::{Names, check, type_of};
use super::{Leaves, evaluate, kind_of};

/// A formula whose names are those of columns.
pub struct Formula {
    expr: Expr,
}

struct Named<'a>(&'a [(&'a str, Column)]);

impl Names for Named<'_> {
    fn leaf(&self, name: &ColumnName, written: &Written) -> Result<Expr, Mistake> {
        let known = self.0.iter().position(|(known, _)| *known == name.column);
        let column = known.ok_or_else(|| {
            let message = format!("there is no column `{}`", name.column);
            let names = self.0.iter().map(|(known, _)| *known);
            written
                .mistake(MistakeKind::UnknownName, name.span.clone(), message)
                .nearest(&name.column, names)
        })?;
        Ok(Expr { kind: ExprKind::Column(column), ty: type_of(&self.0[column].1) })
    }
}

impl Inputs for Named<'_> {
    fn rows(&self) -> usize {
        self.0.first().map_or(1, |(_, column)| column.len())
    }
    fn column(&self, column: usize) -> &Column {
        &self.0[column].1
    }
    fn attribute(&self, _: usize, _: usize) -> Column {
        unreachable!("the formula names columns only")
    }
    fn figure(&self, _: usize) -> &Column {
        unreachable!("the formula names columns only")
    }
}

struct StandaloneRow<'a>(&'a [(&'a str, Column)], usize);

impl Leaves for StandaloneRow<'_> {
    fn column(&self, column: usize) -> Value<'_> {
        self.0[column].1.value(self.1)
    }
}

impl Formula {
    /// Reads and types a formula over columns.
    ///
    /// # Errors
    /// What is no formula, names no column, or conflicts with their types.
    pub fn over(columns: &[(&str, Column)], text: &str) -> Result<Formula, Mistake> {
        let written = Written::in_option("formula", text, 0..text.len());
        Ok(Formula { expr: check(&parse(&written)?, &Named(columns), &written)? })
    }

    /// Its values, row by row; `None` if one overflows: it needs more than 38 digits. The columns are those that it was typed
    /// over, or others of their types.
    pub fn values(&self, columns: &[(&str, Column)]) -> Option<Column> {
        let inputs = Named(columns);
        if let Some(column) = compute(&self.expr, &inputs) {
            return Some(column.into_owned());
        }
        let rows = (0..inputs.rows()).map(|row| {
            evaluate(&self.expr, &StandaloneRow(columns, row)).map(Value::into_owned).ok()
        });
        let values = rows.collect::<Option<Vec<_>>>()?;
        Some(Column::from_values(kind_of(self.expr.ty), &values))
    }
}
