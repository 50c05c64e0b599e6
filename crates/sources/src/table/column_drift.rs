//! Column names in which the parts of a table differ.

use std::sync::Arc;

use crate::table::parts::{ColumnSource, Part};

/// A difference between the column names of parts.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Drift {
    /// A part lacks a column that most others have.
    Missing {
        /// The part.
        part: Arc<str>,
        /// The column.
        column: String,
        /// A column name of its own that may be the same.
        likely: Option<String>,
    },
    /// A part has a column that most others have not.
    Extra {
        /// The part.
        part: Arc<str>,
        /// The column.
        column: String,
    },
    /// A part has a column name more than once; the later ones were numbered.
    Repeated {
        /// The part.
        part: Arc<str>,
        /// The column name.
        column: String,
    },
}

impl Drift {
    /// The part, and the column in which it differs.
    pub fn place(&self) -> (&Arc<str>, &str) {
        match self {
            Drift::Missing { part, column, .. }
            | Drift::Extra { part, column }
            | Drift::Repeated { part, column } => (part, column),
        }
    }
}

/// The differences between parts, in their columns `names`.
pub fn drift(parts: &[Part], names: &[String]) -> Vec<Drift> {
    let mut drift = Vec::new();
    let has = |part: &Part, column: usize| {
        matches!(part.sources[column], ColumnSource::Field(_) | ColumnSource::Made(_))
    };
    // Of two equal halves the first part is evidence for its own.
    let usual = |column: usize| {
        let count = parts.iter().filter(|part| has(part, column)).count() * 2;
        count > parts.len() || (count == parts.len() && has(&parts[0], column))
    };
    let usual: Vec<bool> = (0..names.len()).map(usual).collect();
    for part in parts {
        let shown = || part.name.shown.clone();
        let extra: Vec<usize> =
            (0..names.len()).filter(|column| has(part, *column) && !usual[*column]).collect();
        let mut taken = Vec::new();
        for column in (0..names.len()).filter(|column| usual[*column] && !has(part, *column)) {
            let alike = |other: &&usize| {
                !taken.contains(*other)
                    && part.alike(parts, column, **other, &names[column], &names[**other])
            };
            let likely = extra.iter().find(alike).copied();
            taken.extend(likely);
            drift.push(Drift::Missing {
                part: shown(),
                column: names[column].clone(),
                likely: likely.map(|column| part.column_name(column, names)),
            });
        }
        for column in extra.into_iter().filter(|column| !taken.contains(column)) {
            drift.push(Drift::Extra { part: shown(), column: names[column].clone() });
        }
        for column in &part.columns.repeated {
            drift.push(Drift::Repeated { part: shown(), column: column.clone() });
        }
    }
    drift
}

impl Part {
    /// The column name of a column in its file.
    fn column_name(&self, column: usize, names: &[String]) -> String {
        match self.sources[column] {
            ColumnSource::Field(field) => self.column_names[field].trim().to_owned(),
            _ => names[column].clone(),
        }
    }

    /// Whether a column that only this part has may be one that it lacks: by its name, or because it stands
    /// in the same place and looks the same.
    fn alike(&self, parts: &[Part], lacks: usize, own: usize, lacked: &str, name: &str) -> bool {
        if interligo_model::plan::nearest_name(name, &[lacked]).is_some() {
            return true;
        }
        let ColumnSource::Field(field) = self.sources[own] else { return false };
        parts.iter().any(|other| {
            other.sources[lacks] == ColumnSource::Field(field)
                && other.width() == self.width()
                && other.looks_like(lacks) == self.looks_like(own)
        })
    }
}
