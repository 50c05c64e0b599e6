//! The texts of a column of codes by their shape: four bytes a row, where a view takes sixteen.

use arrow_array::{Array, StringViewArray};

use crate::keys::KeyShape;

/// Texts that have one shape, each by its cell.
#[derive(Clone, Debug)]
pub(crate) struct ShapedTexts {
    shape: KeyShape,
    cells: Vec<u32>,
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
        Some(ShapedTexts { cells: cells?, shape })
    }

    /// How many rows there are.
    pub(crate) fn len(&self) -> usize {
        self.cells.len()
    }

    /// The text of a row.
    pub(crate) fn text(&self, row: usize) -> String {
        self.shape.key(self.cells[row] as usize)
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
            prop_assert_eq!(shaped.len(), texts.len());
            for (row, text) in texts.iter().enumerate() {
                prop_assert_eq!(&shaped.text(row), text);
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
