//! Columns that the plan computes from the other columns of a row.

use interligo_model::formula::{Node, parse};
use interligo_model::plan::{ColumnName, Mistake, MistakeKind, Plan, TableEntry, Written};

use super::ColumnUse;
use super::type_demands::needs_of;
use crate::eval::{Expr, Names, check};

/// A column with a formula over the others.
#[derive(Debug)]
pub(crate) struct BoundFormula {
    /// Its position in the table.
    pub(crate) column: usize,
    pub(crate) written: Written,
    node: Node,
}

/// The columns with formulas of a table, each after those it builds on.
pub fn formula_columns(entry: &TableEntry) -> impl Iterator<Item = &str> {
    let columns = entry.columns.iter().filter(|column| column.value.formula.is_some());
    columns.map(|column| column.value.name(&column.name))
}

/// Binds the formulas of a table's columns and notes what they need.
///
/// # Errors
/// A formula that is none, or that names something other than a column of the row.
pub(super) fn bind_formulas(
    plan: &Plan,
    table: &str,
    entry: &TableEntry,
    columns: &[String],
    column_use: &mut ColumnUse,
) -> Result<Vec<BoundFormula>, Mistake> {
    let mut formulas: Vec<BoundFormula> = Vec::new();
    for declared in entry.columns.iter() {
        let Some(formula) = &declared.value.formula else { continue };
        let written = plan.written(formula);
        let node = parse(&written)?;
        let own = own_position(columns, declared.value.name(&declared.name));
        let own = own.expect("columns with formulas are columns of the table");
        for (name, needed) in needs_of(&node) {
            let column = resolve(name, table, columns, &written)?;
            let later = entry.columns.iter().any(|other| {
                other.value.formula.is_some()
                    && own_position(columns, other.value.name(&other.name)) == Some(column)
                    && !formulas.iter().any(|known| known.column == column)
            });
            if later {
                let message = format!("`{}` is computed below this column, or by it", name.column);
                return Err(written
                    .mistake(MistakeKind::UnknownName, name.span.clone(), message)
                    .help("write a column with a formula below those that it builds on"));
            }
            column_use.demand(column, needed, written.at(name.span.clone()));
        }
        column_use.use_values(own);
        formulas.push(BoundFormula { column: own, written, node });
    }
    Ok(formulas)
}

fn own_position(columns: &[String], name: &str) -> Option<usize> {
    columns.iter().position(|column| column == name)
}

pub(super) fn resolve(
    name: &ColumnName,
    table: &str,
    columns: &[String],
    written: &Written,
) -> Result<usize, Mistake> {
    let mistaken =
        |message: String| written.mistake(MistakeKind::UnknownName, name.span.clone(), message);
    let help =
        "a row has the columns of its own table; what links reach is known to figures and outputs";
    if !name.is_own(table) {
        let message = format!("`{}` is no column of `{table}`", &written.text[name.span.clone()]);
        return Err(mistaken(message).help(help));
    }
    own_position(columns, &name.column).ok_or_else(|| {
        mistaken(format!("`{table}` has no column `{}`", name.column))
            .nearest(&name.column, columns.iter().map(String::as_str))
            .or_help(help)
    })
}

/// The columns of a row, for typing a formula over them.
pub(crate) struct RowNames<'a> {
    pub(crate) table: &'a str,
    pub(crate) columns: &'a [String],
    /// The expression of a column, by its position.
    pub(crate) leaf: &'a dyn Fn(usize) -> Expr,
}

impl Names for RowNames<'_> {
    fn leaf(&self, name: &ColumnName, written: &Written) -> Result<Expr, Mistake> {
        Ok((self.leaf)(resolve(name, self.table, self.columns, written)?))
    }
}

impl BoundFormula {
    /// Types the formula.
    pub(crate) fn check(&self, names: &RowNames<'_>) -> Result<Expr, Mistake> {
        check(&self.node, names, &self.written)
    }
}
