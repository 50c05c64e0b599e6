//! Lookups in which nothing is looked up: without their rows, where formulas are only typed; without their keys, where it is
//! known which rows are meant.

use std::collections::BTreeSet;

use arrow_array::StringViewArray;
use interligo_model::plan::Mistake;
use interligo_model::values::column::{Column, NumberColumn, Numbers};
use serde::{Deserialize, Serialize};

use super::key_rows::HeldRows;
use super::typed::{Typed, typed};
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

    /// A lookup with the values of its rows, and without its keys: nothing finds a row.
    ///
    /// # Errors
    /// A column that does not hold what the plan needs it for, or cannot be computed.
    pub fn without_keys(mut raw: RawTable, bound: &BoundLookup) -> Result<Lookup, Mistake> {
        let Typed { columns, .. } = typed(&mut raw, bound)?;
        let rows = raw.rows.len() as u32;
        let mut lookup =
            Lookup { name: bound.name.clone(), columns, rows, raw, ..Lookup::default() };
        lookup.settle_keys(bound, HeldRows::none(bound));
        Ok(lookup)
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
        let no_texts = StringViewArray::new_null(0);
        let raw = RawTable { columns: vec![no_texts; bound.columns.len()], ..RawTable::default() };
        let columns = shape.0.iter().map(column).collect();
        let mut lookup = Lookup { name: bound.name.clone(), columns, raw, ..Lookup::default() };
        lookup.settle_keys(bound, HeldRows::none(bound));
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
