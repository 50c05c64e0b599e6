//! What is known of a lookup without its rows: enough to type formulas, where nothing is looked up.

use std::collections::BTreeSet;

use interligo_model::values::column::{Column, NumberColumn, Numbers};
use serde::{Deserialize, Serialize};

use super::{Lookup, LookupColumn, RawTable};
use crate::bind::BoundLookup;
use crate::eval::{Type, type_of};

/// The columns of a lookup, by name, with what those hold that the plan uses: each as a column without rows.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct LookupShape(Vec<(String, Option<Column>)>);

impl Lookup {
    /// What is known of the lookup without its rows.
    pub fn shape(&self) -> LookupShape {
        let columns = self.columns.iter();
        LookupShape(columns.map(|own| (own.name.clone(), own.column.as_ref().map(bare))).collect())
    }

    /// A lookup without its rows; none where a column is used of which the shape does not say what it holds.
    pub fn without_rows(bound: &BoundLookup, shape: &LookupShape) -> Option<Lookup> {
        let used: BTreeSet<usize> = bound.column_use.used().collect();
        let names = shape.0.iter().map(|(name, _)| name);
        let is_held = |column: &usize| matches!(shape.0.get(*column), Some((_, Some(_))));
        if !names.eq(&bound.columns) || !used.iter().all(is_held) {
            return None;
        }
        let column = |(name, column): &(String, Option<Column>)| LookupColumn {
            name: name.clone(),
            column: column.clone(),
            as_written: false,
        };
        let no_texts = Column::from_values(interligo_model::values::column::ColumnKind::Text, &[]);
        let Column::Text(no_texts) = no_texts else { return None };
        let raw = RawTable { columns: vec![no_texts; bound.columns.len()], ..RawTable::default() };
        let columns = shape.0.iter().map(column).collect();
        let mut lookup = Lookup { name: bound.name.clone(), columns, raw, ..Lookup::default() };
        lookup.settle_keys(bound, Vec::new());
        Some(lookup)
    }
}

/// A column of the same type without rows.
fn bare(column: &Column) -> Column {
    match (column, type_of(column)) {
        // Whether numbers are wide is seen by them alone.
        (Column::Number(_), Type::Number { places }) => {
            let numbers = Numbers::Fixed { mantissas: Vec::new(), places };
            Column::Number(NumberColumn { numbers, known: None })
        }
        _ => column.gathered(&[]),
    }
}
