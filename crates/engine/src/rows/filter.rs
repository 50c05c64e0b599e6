//! Rows that a condition of the plan leaves out.

use arrow_array::StringViewArray;
use interligo_model::formula::parse;
use interligo_model::plan::{ColumnName, Mistake, MistakeKind, Written};
use interligo_model::values::column::is_blank_text;
use interligo_model::values::value::Value;

use crate::eval::{Expr, ExprKind, Leaves, Names, Type, check, evaluate};

/// `leave-out-rows`: a condition over the texts of a row.
#[derive(Clone, Debug)]
pub struct RowFilter {
    expr: Expr,
    /// The fields that it looks at; the columns of the expression are numbers among these.
    fields: Vec<usize>,
}

/// The column names of a file, all of them text.
struct Texts<'a>(&'a [String]);

impl Names for Texts<'_> {
    fn leaf(&self, name: &ColumnName, written: &Written) -> Result<Expr, Mistake> {
        let field = self.0.iter().position(|column_name| *column_name == name.column);
        match (field, name.through.as_slice()) {
            (Some(field), []) => Ok(Expr { kind: ExprKind::Column(field), ty: Type::Text }),
            _ => {
                let message = format!("the file has no column `{}`", name.column);
                let column_names = self.0.iter().map(String::as_str);
                Err(written
                    .mistake(MistakeKind::UnknownName, name.span.clone(), message)
                    .nearest(&name.column, column_names))
            }
        }
    }
}

impl RowFilter {
    /// Reads a condition over the column names of a file.
    ///
    /// # Errors
    /// A formula that is none, or no condition, or that names a column name which the file has not.
    pub fn new(written: &Written, column_names: &[String]) -> Result<RowFilter, Mistake> {
        let expr = check(&parse(written)?, &Texts(column_names), written)?;
        if expr.ty != Type::YesNo {
            return Err(written
                .mistaken(MistakeKind::WrongType, "`leave-out-rows` wants a condition")
                .help("compare something: \"status = 'cancelled'\"; the cells of a row are text"));
        }
        let mut fields = Vec::new();
        expr.any(&mut |part| {
            if let ExprKind::Column(field) = part.kind
                && !fields.contains(&field)
            {
                fields.push(field);
            }
            false
        });
        Ok(RowFilter { expr, fields })
    }

    /// Which of `rows` rows are left out; `field` gives the texts of a field of all of them.
    pub fn left_out(
        &self,
        rows: usize,
        mut field: impl FnMut(usize) -> StringViewArray,
    ) -> Vec<bool> {
        let columns: Vec<(usize, StringViewArray)> =
            self.fields.iter().map(|number| (*number, field(*number))).collect();
        let test = |row| {
            let row = FilteredRow { columns: &columns, row };
            // Comparing texts cannot overflow; whatever else does leaves the row in.
            matches!(evaluate(&self.expr, &row), Ok(Value::YesNo(true)))
        };
        (0..rows).map(test).collect()
    }
}

struct FilteredRow<'a> {
    columns: &'a [(usize, StringViewArray)],
    row: usize,
}

impl Leaves for FilteredRow<'_> {
    fn column(&self, field: usize) -> Value<'_> {
        let texts = self.columns.iter().find(|(number, _)| *number == field);
        match texts.map(|(_, texts)| texts.value(self.row).trim()) {
            Some(text) if !is_blank_text(text) => Value::Text(text.into()),
            _ => Value::Blank,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn filter(formula: &str) -> Result<RowFilter, String> {
        let column_names = ["item", "status", "Kd-Nr"].map(str::to_owned);
        RowFilter::new(&Written::in_plan(formula, formula, 0..formula.len()), &column_names)
            .map_err(|mistake| mistake.message)
    }

    #[test]
    fn rows_are_left_out_by_their_texts() {
        let columns = [["a", "b", ""], ["open", " void ", "open"], ["1", "2", "3"]]
            .map(|texts| StringViewArray::from(texts.to_vec()));
        for (formula, left_out) in [
            ("status = 'void'", [false, true, false]),
            ("item is blank or \"Kd-Nr\" = '1'", [true, false, true]),
            ("item > 'a'", [false, true, false]),
        ] {
            let found = filter(formula).unwrap().left_out(3, |field| columns[field].clone());
            assert_eq!(found, left_out, "{formula}");
        }
        assert_eq!(filter("state = 'x'").unwrap_err(), "the file has no column `state`");
        assert_eq!(filter("item").unwrap_err(), "`leave-out-rows` wants a condition");
    }
}
