//! The texts of a column of codes by their shape: four bytes a row, where a view takes sixteen; or none, where rows are in the
//! order of their keys.

use std::sync::Arc;

use arrow_array::{Array, StringViewArray};

use crate::keys::{ExactKeys, KeyShape, part_of_key};

/// Texts that have one shape.
pub(crate) enum ShapedTexts {
    /// Each by its cell.
    ByCell { shape: KeyShape, cells: Vec<u32> },
    /// A column of a key that has its rows in order.
    InOrder { keys: Arc<ExactKeys>, columns: usize, column: usize },
}

impl ShapedTexts {
    /// The texts of a column, if all of them have one shape.
    pub(crate) fn of(texts: &StringViewArray) -> Option<ShapedTexts> {
        let row = |row: usize| texts.value(row).as_bytes();
        let each = |take: &mut dyn FnMut(&[u8]) -> bool| {
            (0..texts.len()).map(row).all(take);
        };
        let shape = KeyShape::of(each, u32::MAX as usize)?;
        let cell = |at: usize| shape.cell(row(at)).and_then(|cell| u32::try_from(cell).ok());
        let cells: Option<Vec<u32>> = (0..texts.len()).map(cell).collect();
        Some(ShapedTexts::ByCell { cells: cells?, shape })
    }

    /// The texts of a column of a key of several, which has its rows in order.
    pub(crate) fn of_key(keys: Arc<ExactKeys>, columns: usize, column: usize) -> ShapedTexts {
        ShapedTexts::InOrder { keys, columns, column }
    }

    /// The text of a row; none where there is no such row.
    pub(crate) fn text(&self, row: usize) -> Option<String> {
        match self {
            ShapedTexts::ByCell { shape, cells } => Some(shape.key(*cells.get(row)? as usize)),
            ShapedTexts::InOrder { keys, columns, column } => {
                Some(part_of_key(&keys.key_in_order(row)?, *columns, *column))
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn prop_texts_are_read_back(
            texts in prop_oneof![
                prop::collection::vec("SO-[0-9]{6}", 0..40),
                prop::collection::vec("[0-9]{2}[xy][0-9]", 0..40),
                prop::collection::vec("[0-9]{0,2}", 0..40),
            ],
        ) {
            let column = StringViewArray::from_iter_values(&texts);
            let Some(shaped) = ShapedTexts::of(&column) else { return Ok(()) };
            prop_assert_eq!(shaped.text(texts.len()), None);
            for (row, text) in texts.iter().enumerate() {
                prop_assert_eq!(shaped.text(row), Some(text.clone()));
            }
        }
    }

    #[test]
    fn codes_of_one_length_have_a_shape() {
        let of = |texts: &[&str]| ShapedTexts::of(&StringViewArray::from(texts.to_vec()));
        assert!(of(&["SO-000001", "SO-999999"]).is_some());
        assert!(of(&["SO-000001", "", "SO-999999"]).is_none());
        assert!(of(&["0000000000", "9999999999"]).is_none());
    }
}
