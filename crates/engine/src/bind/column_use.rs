//! What the plan wants of a table's columns: which are used, for what, and how they are to be read.

use std::collections::{BTreeMap, BTreeSet};

use interligo_model::plan::{At, ColumnType};
use interligo_model::reading::column_reader::Reading;
use interligo_model::reading::evidence::Evidence;
use interligo_model::reading::style::Way;

use super::type_demands::Demand;

/// How the plan wants a column to be read.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct DeclaredColumn {
    /// The type that the plan says.
    pub declared: Option<ColumnType>,
    /// How its values are written, where the plan says so of the column.
    pub way: Way,
    /// The type that a period or a formula needs.
    pub needed: Option<ColumnType>,
    /// Whether other types do as well, as in a sum that may be one of days.
    pub soft: bool,
}

/// The column_use for a table's columns, by position.
#[derive(Debug, Default)]
pub struct ColumnUse {
    /// What the plan declares, whether the column is used or not.
    declared: BTreeMap<usize, DeclaredColumn>,
    /// The columns whose values are used.
    used: BTreeMap<usize, DeclaredColumn>,
    /// Where a type is needed, for a mistake there.
    needed_at: BTreeMap<usize, At>,
    /// The columns that hold keys; as keys they are text.
    keys: BTreeSet<usize>,
    /// Those of them from which a link starts.
    starts: BTreeSet<usize>,
}

impl ColumnUse {
    pub(super) fn new(declared: BTreeMap<usize, DeclaredColumn>) -> ColumnUse {
        ColumnUse { declared, ..ColumnUse::default() }
    }

    /// The columns whose values are used.
    pub fn used(&self) -> impl Iterator<Item = usize> {
        self.used.keys().copied()
    }

    /// What is wanted of a column whose values are used.
    pub fn of(&self, column: usize) -> Option<&DeclaredColumn> {
        self.used.get(&column)
    }

    /// The columns that hold keys.
    pub fn keys(&self) -> &BTreeSet<usize> {
        &self.keys
    }

    /// Whether the plan says that a column is text.
    pub fn is_text(&self, column: usize) -> bool {
        self.declared(column).declared == Some(ColumnType::Text)
    }

    /// What the plan declares of a column.
    pub(crate) fn declared(&self, column: usize) -> DeclaredColumn {
        self.declared.get(&column).copied().unwrap_or_default()
    }

    /// The values of a column are used.
    pub(super) fn use_values(&mut self, column: usize) {
        let declared = self.declared(column);
        self.used.entry(column).or_insert(declared);
    }

    /// The values of a column are used in a formula; `at` is where.
    pub(super) fn demand(&mut self, column: usize, needed: Option<Demand>, at: At) {
        let Some(needed) = needed else { return self.use_values(column) };
        let known = self.of(column).is_some_and(|declared| declared.needed.is_some());
        if known && needed.soft {
            return;
        }
        self.need(column, needed.ty, at);
        if let Some(declared) = self.used.get_mut(&column) {
            declared.soft = needed.soft;
        }
    }

    /// The values of a column are used as a type; `at` is where the plan does.
    pub(super) fn need(&mut self, column: usize, needed: ColumnType, at: At) {
        self.use_values(column);
        let declared = self.used.get_mut(&column).expect("the line above put it there");
        if declared.needed.is_none() || declared.soft {
            (declared.needed, declared.soft) = (Some(needed), false);
            self.needed_at.insert(column, at);
        }
    }

    /// A column holds keys.
    pub(super) fn use_keys(&mut self, column: usize) {
        self.keys.insert(column);
    }

    /// A link starts from a column.
    pub(super) fn start_link(&mut self, column: usize) {
        self.use_keys(column);
        self.starts.insert(column);
    }

    /// Whether a link starts from a column.
    pub(crate) fn starts_link(&self, column: usize) -> bool {
        self.starts.contains(&column)
    }

    /// Where a column is needed with its type.
    pub(crate) fn needed_at(&self, column: usize) -> Option<At> {
        self.needed_at.get(&column).cloned()
    }

    /// Whether a column is read as text, whatever it looks like.
    pub(crate) fn stays_text(&self, column: usize) -> bool {
        let declared = self.of(column).copied().unwrap_or_default();
        match (declared.declared, declared.needed) {
            (Some(declared), _) => declared == ColumnType::Text,
            // Codes stay text.
            (None, None) => self.keys.contains(&column) && declared.way.scale.is_none(),
            _ => false,
        }
    }

    /// Whether a column is text for no other reason than that it is compared with one, and may be something else.
    pub(crate) fn is_beside_text(&self, column: usize) -> bool {
        self.of(column).is_some_and(|own| {
            own.declared.is_none() && own.soft && own.needed == Some(ColumnType::Text)
        })
    }

    /// How the values of a column are read that looks like this.
    ///
    /// # Errors
    /// The type that the plan needs, when the column looks like something else altogether.
    pub fn reading(&self, column: usize, evidence: &Evidence) -> Result<Reading, ColumnType> {
        let declared = self.of(column).copied().unwrap_or_default();
        let column_type = match (declared.declared, declared.needed) {
            _ if self.stays_text(column) => ColumnType::Text,
            (Some(ColumnType::Number), _)
                if declared.way.scale.is_some() && evidence.signed > 0 =>
            {
                ColumnType::Percent
            }
            (Some(declared), _) => declared,
            (None, _) if declared.way.scale.is_some() && evidence.signed > 0 => ColumnType::Percent,
            // A column of percents serves where a number is needed.
            (None, Some(ColumnType::Number)) if evidence.found_type() == ColumnType::Percent => {
                ColumnType::Percent
            }
            (None, Some(needed)) if evidence.allows(needed) => needed,
            // What does not go together in a sum is reported where formulas are typed.
            (None, Some(_)) if declared.soft => evidence.found_type(),
            (None, Some(needed)) => return Err(needed),
            (None, None) if declared.way.scale.is_some() => ColumnType::Number,
            (None, None) => evidence.found_type(),
        };
        let places = match column_type {
            ColumnType::Integer => declared.way.scale.map_or(0, |scale| scale.places()),
            ColumnType::Percent if declared.way.scale.is_some() => {
                evidence.places.max(evidence.scaled_places(declared.way.scale))
            }
            ColumnType::Number | ColumnType::Percent => evidence.scaled_places(declared.way.scale),
            _ => 0,
        };
        let assumed =
            (declared.declared, declared.needed) == (None, None) && declared.way.scale.is_none();
        Ok(Reading { column_type, places, scale: declared.way.scale, assumed })
    }
}
