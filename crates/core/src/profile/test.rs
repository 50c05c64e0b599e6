//! A condition over the columns of one table, for finding rows.

use arrow_array::StringViewArray;

use crate::bind::{RowNames, needs_of};
use crate::column::Column;
use crate::formula::{Expr, ExprKind, Leaves, Overflow, Type, check, evaluate, parse};
use crate::plan::{ColumnType, Mistake, Written};
use crate::reading::Reading;
use crate::style::PartStyle;
use crate::value::Value;

/// A condition over the columns of a table.
pub struct RowTest {
    expr: Expr,
    /// The columns that it looks at.
    columns: Vec<(usize, ColumnType)>,
}

impl RowTest {
    /// Reads a condition over columns of these types.
    ///
    /// # Errors
    /// A formula that is none, or no condition, or that names a column which the table has not.
    pub fn new(
        written: &Written,
        table: &str,
        columns: &[String],
        types: &[ColumnType],
    ) -> Result<RowTest, Mistake> {
        let node = parse(written)?;
        // Codes of digits are texts where texts are wanted.
        let mut types = types.to_vec();
        for (name, needed) in needs_of(&node) {
            let column = columns.iter().position(|column| *column == name.column);
            if let (Some(column), Some(ColumnType::Text)) = (column, needed.map(|n| n.ty)) {
                types[column] = ColumnType::Text;
            }
        }
        let leaf = |column: usize| {
            let ty = match types[column] {
                ColumnType::Text => Type::Text,
                ColumnType::Date => Type::Date,
                ColumnType::YesNo => Type::YesNo,
                // Only written results need the places.
                _ => Type::Number { places: 0 },
            };
            Expr { kind: ExprKind::Column(column), ty }
        };
        let names = RowNames { table, columns, leaf: &leaf };
        let expr = check(&node, &names, written)?;
        if expr.ty != Type::YesNo {
            return Err(written
                .mistaken("a condition is wanted here")
                .help("compare something: \"quantity > 100\", \"item = 'BO-110'\""));
        }
        let mut used = Vec::new();
        expr.any(&mut |part| {
            if let ExprKind::Column(column) = part.kind
                && !used.contains(&(column, types[column]))
            {
                used.push((column, types[column]));
            }
            false
        });
        Ok(RowTest { expr, columns: used })
    }

    /// For which of some rows it holds; `texts` gives a column of all of them.
    pub fn holds(
        &self,
        rows: usize,
        style: &PartStyle,
        mut texts: impl FnMut(usize) -> StringViewArray,
    ) -> Vec<bool> {
        let read = |(column, column_type): &(usize, ColumnType)| {
            let texts = texts(*column);
            (*column, Reading::of(*column_type).read_part(&texts, style, *column).column)
        };
        let columns: Vec<(usize, Column)> = self.columns.iter().map(read).collect();
        let holds = |row| {
            let outcome: Result<Value<'_>, Overflow> =
                evaluate(&self.expr, &Row { columns: &columns, row }).map(Value::into_owned);
            matches!(outcome, Ok(Value::YesNo(true)))
        };
        (0..rows).map(holds).collect()
    }
}

struct Row<'a> {
    columns: &'a [(usize, Column)],
    row: usize,
}

impl Leaves for Row<'_> {
    fn column(&self, column: usize) -> Value<'_> {
        let held = self.columns.iter().find(|(number, _)| *number == column);
        held.map_or(Value::Blank, |(_, column)| column.value(self.row))
    }
}
