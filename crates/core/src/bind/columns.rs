//! The columns of a table by their names in the plan, and what the plan says of each.

use std::collections::{BTreeMap, BTreeSet};

use unicode_normalization::UnicodeNormalization;

use super::Wish;
use crate::decimal::Decimal;
use crate::plan::{Mistake, Plan, TableEntry};

/// The columns of one table.
#[derive(Clone, Debug, Default)]
pub struct TableColumns {
    /// Their names, in order: those of the parts, then the slots of the file name.
    pub names: Vec<String>,
    /// Which of them come from slots.
    pub slots: BTreeSet<usize>,
}

/// The columns of all tables that are in use, by table.
#[derive(Clone, Debug, Default)]
pub struct Headings(pub BTreeMap<String, TableColumns>);

impl Headings {
    /// The names of a table's columns; none for a table that was not opened.
    pub fn columns(&self, table: &str) -> &[String] {
        self.0.get(table).map_or(&[], |columns| &columns.names)
    }
}

/// The names of a part's columns: its headings, renamed by the plan.
///
/// A column without heading is `column_3`; of equal headings the later ones get `_2`, `_3`, and are
/// listed in the second result.
pub fn name_columns(entry: &TableEntry, headings: &[String]) -> (Vec<String>, Vec<String>) {
    let mut names: Vec<String> = Vec::with_capacity(headings.len());
    let mut repeated = Vec::new();
    for (position, heading) in headings.iter().enumerate() {
        let heading: String = heading.trim().nfc().collect();
        let renamed = entry.columns.get(&heading).and_then(|c| c.value.name.as_ref());
        let base = match renamed {
            Some(name) => name.get_ref().nfc().collect(),
            None if heading.is_empty() => format!("column_{}", position + 1),
            None => heading,
        };
        let mut name = base.clone();
        let mut count = 1;
        while names.contains(&name) {
            count += 1;
            name = format!("{base}_{count}");
        }
        if count > 1 {
            repeated.push(base);
        }
        names.push(name);
    }
    (names, repeated)
}

/// What the plan says of a table's columns, by their position.
///
/// # Errors
/// A heading that no part has, or a scale that is no number.
pub(super) fn declared_wishes(
    plan: &Plan,
    entry: &TableEntry,
    columns: &[String],
) -> Result<BTreeMap<usize, Wish>, Mistake> {
    let mut wishes = BTreeMap::new();
    for declared in entry.columns.iter() {
        let name = declared.value.name.as_ref().map_or(&declared.name, |name| name.get_ref());
        let name: String = name.nfc().collect();
        let Some(position) = columns.iter().position(|column| *column == name) else {
            return Err(plan
                .written_at(&declared.name, declared.name_span.clone())
                .mistaken(format!("no file of the table has the heading `{}`", declared.name))
                .nearest(&declared.name, columns.iter().map(String::as_str)));
        };
        let scale = match &declared.value.scale {
            None => None,
            Some(scale) => match Decimal::parse(scale.get_ref().0.as_bytes()) {
                Some(value) if !value.is_zero() => Some(value.trimmed(0)),
                _ => {
                    let message = format!("`{}` is no number to multiply by", scale.get_ref().0);
                    return Err(Mistake::in_plan(scale.span(), message)
                        .help("write for instance `scale = 0.01`"));
                }
            },
        };
        let declared = declared.value.column_type;
        if declared.is_some() || scale.is_some() {
            wishes.insert(position, Wish { declared, scale, needed: None });
        }
    }
    Ok(wishes)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::plan::Plan;

    #[test]
    fn headings_become_names() {
        let plan = Plan::parse(
            "[tables.sales]\nfrom = 'a.csv'\n[tables.sales.columns]\n'Disc. %' = { name = 'discount' }",
        )
        .unwrap();
        let entry = &plan.tables.get("sales").unwrap().value;
        let headings = ["item", "", "Disc. %", "item", " Cafe\u{301} ", "item"].map(str::to_owned);
        let (names, repeated) = name_columns(entry, &headings);
        assert_eq!(names, ["item", "column_2", "discount", "item_2", "Café", "item_3"]);
        assert_eq!(repeated, ["item", "item"]);
    }
}
