//! What to look at where no line meets a condition: the column that it asks about, and a value of it that is much like
//! the one asked for.

use interligo_model::formula::{Node, NodeKind, Operator, parse};
use interligo_model::plan::{ColumnName, Written, nearest_name};

use crate::parallelism::Parallelism;
use crate::project::Project;

/// A column of a table that a condition asks about, where no line meets the condition.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct UnmetCondition {
    /// The table.
    pub table: String,
    /// The column.
    pub column: String,
    /// A text that the condition compares it with and no row has, and the value that is most like it.
    pub near: Option<(String, String)>,
}

impl Project {
    /// The first column of a table that a condition on lines of a fact compares; none if it compares other things only.
    /// The table is read once.
    pub fn unmet_condition(
        &self,
        fact: &str,
        condition: &Written,
        parallelism: Parallelism,
    ) -> Option<UnmetCondition> {
        let condition = parse(condition).ok()?;
        let (name, text) = asked(&condition)?;
        let table = match name.through.last() {
            Some(table) => &self.plan.tables.iter().find(|known| known.name == *table)?.name,
            None => fact,
        };
        let profile = self.profile(table, Some(&name.column), parallelism, &|_, _| {}).ok()?;
        let (values, not_kept) = profile.columns.first()?.values();
        let values: Vec<&str> = values.iter().map(|(value, _)| value.as_str()).collect();
        let near = text.and_then(|text| {
            let near = nearest_value(text, &values, not_kept == 0)?;
            Some((text.to_owned(), near.to_owned()))
        });
        Some(UnmetCondition { table: table.to_owned(), column: name.column.clone(), near })
    }
}

/// The value that is most like a text that no row has. That no row has it is known only where these are `all` values.
fn nearest_value<'v>(text: &str, values: &[&'v str], all: bool) -> Option<&'v str> {
    if !all || values.contains(&text) {
        return None;
    }
    let same = values.iter().find(|value| value.to_lowercase() == text.to_lowercase());
    same.copied().or_else(|| nearest_name(text, values))
}

/// The first column that a condition compares, and the text that it is compared with, if it is one.
fn asked(node: &Node) -> Option<(&ColumnName, Option<&str>)> {
    match &node.kind {
        NodeKind::Binary(Operator::And | Operator::Or, left, right) => {
            let sides = [asked(left), asked(right)].into_iter().flatten();
            sides.min_by_key(|(_, text)| text.is_none())
        }
        NodeKind::Binary(_, left, right) => {
            let sides = [(left, right), (right, left)];
            sides.into_iter().find_map(|(name, other)| Some((column(name)?, text(other))))
        }
        NodeKind::In { operand, list, .. } => Some((column(operand)?, list.iter().find_map(text))),
        NodeKind::Between { operand, .. } | NodeKind::Like { operand, .. } => {
            Some((column(operand)?, None))
        }
        _ => None,
    }
}

fn column(node: &Node) -> Option<&ColumnName> {
    match &node.kind {
        NodeKind::Name(name) => Some(name),
        _ => None,
    }
}

fn text(node: &Node) -> Option<&str> {
    match &node.kind {
        NodeKind::Text(text) => Some(text),
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::nearest_value;

    #[test]
    fn only_a_value_that_no_row_has_is_held_against_the_others() {
        let values = ["corvo", "corva", "tilia"];
        assert_eq!(nearest_value("Corvo", &values, true), Some("corvo"));
        assert_eq!(nearest_value("tilla", &values, true), Some("tilia"));
        assert_eq!(nearest_value("corvo", &values, true), None);
        assert_eq!(nearest_value("Corvo", &values, false), None);
        assert_eq!(nearest_value("zimbro", &values, true), None);
    }
}
