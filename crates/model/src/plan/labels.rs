//! What people call columns: `[labels]`.

use std::borrow::Cow;
use std::collections::BTreeMap;

use super::Plan;

/// The names that people see, by those that columns have without them.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Labels(BTreeMap<String, String>);

impl Labels {
    /// What people call a column: its label; of `median(revenue)` without one, `median(…)` of what people call `revenue`;
    /// otherwise its own name.
    pub fn of<'a>(&'a self, name: &'a str) -> Cow<'a, str> {
        if let Some(label) = self.0.get(name) {
            return label.into();
        }
        let Some((function, arguments)) = call(name) else { return name.into() };
        let called: Vec<Cow<'_, str>> = arguments.iter().map(|own| self.of(own)).collect();
        match called.iter().zip(&arguments).all(|(label, own)| label == own) {
            true => name.into(),
            false => format!("{function}({})", called.join(", ")).into(),
        }
    }

    /// Whether there is a label for a column.
    pub fn has(&self, name: &str) -> bool {
        self.0.contains_key(name)
    }
}

/// The function that a name calls, with what it gives to it; none where it is another name or formula.
pub(crate) fn call(name: &str) -> Option<(&str, Vec<&str>)> {
    let (function, rest) = name.split_once('(')?;
    let inner = rest.strip_suffix(')')?;
    let is_function = |c: char| c.is_ascii_lowercase() || c == '_';
    if function.is_empty() || !function.chars().all(is_function) {
        return None;
    }
    let (mut arguments, mut depth, mut start) = (Vec::new(), 0, 0);
    for (at, character) in inner.char_indices() {
        match character {
            '"' | '\'' => return None,
            '(' => depth += 1,
            ')' if depth == 0 => return None,
            ')' => depth -= 1,
            ',' if depth == 0 => {
                arguments.push(inner[start..at].trim());
                start = at + 1;
            }
            _ => {}
        }
    }
    arguments.push(inner[start..].trim());
    Some((function, arguments))
}

impl Plan {
    /// The labels.
    pub fn column_labels(&self) -> Labels {
        let entries = self.labels.iter();
        Labels(entries.map(|entry| (entry.name.clone(), entry.value.0.clone())).collect())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_computed_of_a_column_is_called_by_its_label() {
        let labels = [("revenue", "Turnover"), ("groups.name", "Group"), ("share(cost)", "Part")];
        let labels = labels.map(|(name, label)| (name.to_owned(), label.to_owned()));
        let labels = Labels(labels.into_iter().collect());
        for (name, called) in [
            ("revenue", "Turnover"),
            ("median(revenue)", "median(Turnover)"),
            ("share(median(revenue),  groups.name)", "share(median(Turnover), Group)"),
            ("share(cost)", "Part"),
            ("median( cost )", "median( cost )"),
            ("(revenue)", "(revenue)"),
            ("max(revenue) - min(revenue)", "max(revenue) - min(revenue)"),
            ("if(kind = 'a, revenue', revenue)", "if(kind = 'a, revenue', revenue)"),
            ("median(revenue", "median(revenue"),
        ] {
            assert_eq!(labels.of(name), called);
        }
    }
}
