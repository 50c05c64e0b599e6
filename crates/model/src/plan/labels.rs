//! What people call columns: `[labels]`.

use std::collections::BTreeMap;

use super::Plan;

/// The names that people see, by those that columns have without them.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Labels(BTreeMap<String, String>);

impl Labels {
    /// What people call a column; its own name where the plan says nothing of it.
    pub fn of<'a>(&'a self, name: &'a str) -> &'a str {
        self.0.get(name).map_or(name, String::as_str)
    }

    /// Whether there is a label for a column.
    pub fn has(&self, name: &str) -> bool {
        self.0.contains_key(name)
    }
}

impl Plan {
    /// The labels.
    pub fn column_labels(&self) -> Labels {
        let entries = self.labels.iter();
        Labels(entries.map(|entry| (entry.name.clone(), entry.value.0.clone())).collect())
    }
}
