//! Expressions over the columns of one table, row by row: columns that the plan computes, and conditions
//! for finding rows.

use std::collections::BTreeMap;

use arrow_array::StringViewArray;
use interligo_model::formula::parse;
use interligo_model::plan::{ColumnType, Mistake, MistakeKind, Plan, Written};
use interligo_model::reading::column_reader::Reading;
use interligo_model::reading::style::PartStyle;
use interligo_model::values::column::Column;
use interligo_model::values::value::Value;

use crate::bind::{RowNames, needs_of};
use crate::eval::{Expr, ExprKind, Leaves, Overflow, Type, check, evaluate};

/// The columns of a table: those that are read, and those that the plan computes from them.
pub struct RowColumns<'a> {
    table: &'a str,
    names: &'a [String],
    types: Vec<ColumnType>,
    worked: BTreeMap<usize, (Expr, Written)>,
}

/// An expression over the columns of a row.
pub struct RowExpr {
    expr: Expr,
    written: Written,
    /// What it looks at: the number of a leaf, its column, and what that is read as.
    leaves: Vec<(usize, usize, ColumnType)>,
}

impl<'a> RowColumns<'a> {
    /// The columns of a table with the types of those that are read.
    ///
    /// # Errors
    /// A column of the plan whose formula is none, or is over something other than columns of the row.
    pub fn new(
        plan: &Plan,
        table: &'a str,
        names: &'a [String],
        types: Vec<ColumnType>,
    ) -> Result<RowColumns<'a>, Mistake> {
        let mut columns = RowColumns { table, names, types, worked: BTreeMap::new() };
        let entries =
            plan.tables.get(table).into_iter().flat_map(|entry| entry.value.columns.iter());
        for entry in entries {
            let Some(formula) = &entry.value.formula else { continue };
            let own = entry.value.name(&entry.name);
            let Some(column) = names.iter().position(|name| name == own) else { continue };
            let written = plan.written(formula);
            let expr = columns.checked(&written)?;
            columns.types[column] = match expr.ty {
                Type::Number { .. } => ColumnType::Number,
                Type::Date => ColumnType::Date,
                Type::YesNo => ColumnType::YesNo,
                _ => ColumnType::Text,
            };
            columns.worked.insert(column, (expr, written));
        }
        Ok(columns)
    }

    /// What the columns hold.
    pub fn types(&self) -> &[ColumnType] {
        &self.types
    }

    /// The expression of a column that the plan computes.
    pub fn computed(&self, column: usize) -> Option<RowExpr> {
        let (expr, written) = self.worked.get(&column)?;
        Some(self.row_expr(expr.clone(), written.clone()))
    }

    /// Reads a condition.
    ///
    /// # Errors
    /// A formula that is none, or no condition, or that names a column which the table has not.
    pub fn condition(&self, written: &Written) -> Result<RowExpr, Mistake> {
        let expr = self.checked(written)?;
        if expr.ty != Type::YesNo {
            return Err(written
                .mistaken(MistakeKind::WrongType, "a condition is wanted here")
                .help("compare something: \"quantity > 100\", \"item = 'BO-110'\""));
        }
        Ok(self.row_expr(expr, written.clone()))
    }

    fn checked(&self, written: &Written) -> Result<Expr, Mistake> {
        let node = parse(written)?;
        // Codes of digits are texts where texts are wanted.
        let wanted = needs_of(&node).into_iter().filter_map(|(name, needed)| {
            let text = needed.is_some_and(|needed| needed.ty == ColumnType::Text);
            text.then(|| self.names.iter().position(|column| *column == name.column)).flatten()
        });
        let as_text: Vec<usize> = wanted.collect();
        let leaf = |column: usize| match self.worked.get(&column) {
            Some((expr, _)) => expr.clone(),
            None if as_text.contains(&column) => self.leaf(column, ColumnType::Text),
            None => self.leaf(column, self.types[column]),
        };
        check(&node, &RowNames { table: self.table, columns: self.names, leaf: &leaf }, written)
    }

    /// A column as it is read; one that is read as a text, too, has a number behind all columns for that.
    fn leaf(&self, column: usize, read_as: ColumnType) -> Expr {
        let ty = match read_as {
            ColumnType::Text => Type::Text,
            ColumnType::Date => Type::Date,
            ColumnType::YesNo => Type::YesNo,
            // Only written results need the places.
            _ => Type::Number { places: 0 },
        };
        let number = if ty == Type::Text { self.names.len() + column } else { column };
        Expr { kind: ExprKind::Column(number), ty }
    }

    fn row_expr(&self, expr: Expr, written: Written) -> RowExpr {
        let mut leaves: BTreeMap<usize, (usize, ColumnType)> = BTreeMap::new();
        expr.any(&mut |part| {
            if let ExprKind::Column(number) = part.kind {
                let leaf = match number.checked_sub(self.names.len()) {
                    Some(column) => (column, ColumnType::Text),
                    None => (number, self.types[number]),
                };
                leaves.insert(number, leaf);
            }
            false
        });
        let leaves =
            leaves.into_iter().map(|(number, (column, read_as))| (number, column, read_as));
        RowExpr { leaves: leaves.collect(), expr, written }
    }
}

impl RowExpr {
    /// The columns that it looks at.
    pub fn columns(&self) -> impl Iterator<Item = usize> {
        self.leaves.iter().map(|(_, column, _)| *column)
    }

    /// What it comes to on some rows; `texts` gives a column of all of them.
    ///
    /// # Errors
    /// A value that overflows.
    pub fn texts(
        &self,
        rows: usize,
        style: &PartStyle,
        texts: impl FnMut(usize) -> StringViewArray,
    ) -> Result<StringViewArray, Mistake> {
        let values = self.values(rows, style, texts, |value| value.to_string())?;
        Ok(StringViewArray::from_iter_values(values))
    }

    /// For which of some rows a condition holds; `texts` gives a column of all of them.
    ///
    /// # Errors
    /// A value that overflows.
    pub fn holds(
        &self,
        rows: usize,
        style: &PartStyle,
        texts: impl FnMut(usize) -> StringViewArray,
    ) -> Result<Vec<bool>, Mistake> {
        self.values(rows, style, texts, |value| matches!(value, Value::YesNo(true)))
    }

    fn values<T>(
        &self,
        rows: usize,
        style: &PartStyle,
        mut texts: impl FnMut(usize) -> StringViewArray,
        of: impl Fn(Value<'_>) -> T,
    ) -> Result<Vec<T>, Mistake> {
        let read = |(number, column, read_as): &(usize, usize, ColumnType)| {
            let texts = texts(*column);
            (*number, Reading::of(*read_as).read_part(&texts, style, *column).column)
        };
        let columns: Vec<(usize, Column)> = self.leaves.iter().map(read).collect();
        let values: Result<Vec<T>, Overflow> = (0..rows)
            .map(|row| evaluate(&self.expr, &Row { columns: &columns, row }).map(&of))
            .collect();
        values.map_err(|_| {
            self.written.mistaken(
                MistakeKind::Overflow,
                "a value of this overflows: it needs more than 38 digits",
            )
        })
    }
}

struct Row<'a> {
    columns: &'a [(usize, Column)],
    row: usize,
}

impl Leaves for Row<'_> {
    fn column(&self, number: usize) -> Value<'_> {
        let held = self.columns.iter().find(|(held, _)| *held == number);
        held.map_or(Value::Blank, |(_, column)| column.value(self.row))
    }
}
