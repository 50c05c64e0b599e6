//! What to look at where no line meets a condition: the column that it asks about, and a value of it that is much
//! like the one asked for.

use interligo_model::formula::{Node, NodeKind, Operator, parse};
use interligo_model::plan::{ColumnName, Written, nearest_name};

use super::Opened;

/// The advice, as the rest of a sentence; none where the condition asks about no column of a table.
pub(super) fn advice(opened: &Opened, of: Option<&str>, condition: &Written) -> Option<String> {
    let condition = parse(condition).ok()?;
    let (name, text) = asked(&condition)?;
    let plan = &opened.project.plan;
    let table = match name.through.last() {
        Some(table) => plan.tables.iter().find(|known| known.name == *table)?.name.as_str(),
        None => of.or_else(|| plan.facts().next().map(|fact| fact.name.as_str()))?,
    };
    let column = name.column.as_str();
    let look = format!("`interligo look {table} --column {column}` shows its values");
    let profile =
        opened.project.profile(table, Some(column), opened.parallelism, &|_, _| {}).ok()?;
    let values = profile.columns.first()?.values().0;
    let values: Vec<&str> = values.iter().map(|(value, _)| value.as_str()).collect();
    let near = text.filter(|text| !values.contains(text)).and_then(|text| {
        let same = values.iter().find(|value| value.to_lowercase() == text.to_lowercase());
        Some((text, same.copied().or_else(|| nearest_name(text, &values))?))
    });
    Some(match near {
        Some((text, near)) => format!("`{column}` has no '{text}', but '{near}'"),
        None => look,
    })
}

/// The first column that a condition compares, and the text that it is compared with, if it is one.
fn asked(node: &Node) -> Option<(&ColumnName, Option<&str>)> {
    match &node.kind {
        NodeKind::Binary(Operator::And | Operator::Or, left, right) => {
            let (left, right) = (asked(left), asked(right));
            let has_text = |found: &Option<(_, Option<&str>)>| {
                found.as_ref().is_some_and(|(_, text)| text.is_some())
            };
            if has_text(&left) || !has_text(&right) { left.or(right) } else { right }
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
