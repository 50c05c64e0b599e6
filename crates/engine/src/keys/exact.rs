//! Keys as they are written, with what is known of each: by their shape where they have one, in a hash table otherwise.
//!
//! The rule is that of [`KeyTable`]. By its shape, a key takes four bytes instead of 24 and more, or none where rows are in the order
//! of their keys, and keys that follow each other lie side by side. Lookups of 1.5 and 0.8 million rows: see `docs/performance.md`.

use arrow_array::{Array, StringViewArray};

use super::shape::KeyShape;
use super::table::{KeyTable, NO_ROW};

/// A map from keys to row numbers. Each key is held once.
pub(crate) enum ExactKeys {
    Hashed(KeyTable),
    /// The rows, by the cell of their key; [`NO_ROW`] where there is none.
    Shaped {
        shape: KeyShape,
        rows: Vec<u32>,
        held: usize,
    },
    /// The first cells have a key each, and the number of a cell is the row.
    InOrder {
        shape: KeyShape,
        held: usize,
    },
}

/// Cells that are found together.
const GROUP: usize = 64;

/// The most cells for each key with which a shape takes less memory than a hash table.
const CELLS_A_KEY: usize = 4;

impl ExactKeys {
    /// For any keys, with room for this many.
    pub(crate) fn with_capacity(keys: usize) -> ExactKeys {
        ExactKeys::Hashed(KeyTable::with_capacity(keys))
    }

    /// For keys that `each` hands out: how many these are, each once or several times, and how many different ones, as far as
    /// that is known.
    pub(crate) fn for_keys(
        each: impl Fn(&mut dyn FnMut(&[u8]) -> bool),
        keys: usize,
        distinct: usize,
    ) -> ExactKeys {
        match KeyShape::of(each, keys.saturating_mul(CELLS_A_KEY)) {
            Some(shape) => ExactKeys::InOrder { shape, held: 0 },
            None => ExactKeys::with_capacity(distinct),
        }
    }

    /// How many keys there are.
    pub(crate) fn len(&self) -> usize {
        match self {
            ExactKeys::Hashed(table) => table.len(),
            ExactKeys::Shaped { held, .. } | ExactKeys::InOrder { held, .. } => *held,
        }
    }

    /// Puts a key in, unless it is there already; then its row is the answer.
    pub(crate) fn insert(&mut self, key: &str, row: u32) -> Option<u32> {
        match self {
            ExactKeys::Hashed(table) => table.insert(key, row),
            ExactKeys::Shaped { shape, rows, held } => match shape.cell(key.as_bytes()) {
                Some(cell) if rows[cell] != NO_ROW => Some(rows[cell]),
                Some(cell) => {
                    rows[cell] = row;
                    *held += 1;
                    None
                }
                None => {
                    *self = self.hashed();
                    self.insert(key, row)
                }
            },
            ExactKeys::InOrder { shape, held } => match shape.cell(key.as_bytes()) {
                Some(cell) if cell < *held => Some(cell as u32),
                Some(cell) if cell == *held && cell == row as usize => {
                    *held += 1;
                    None
                }
                Some(_) => {
                    *self = ExactKeys::listed(shape, *held, |row| row);
                    self.insert(key, row)
                }
                None => {
                    *self = self.hashed();
                    self.insert(key, row)
                }
            },
        }
    }

    /// Keys of the first cells, with rows of their own.
    fn listed(shape: &KeyShape, held: usize, row_of: impl Fn(u32) -> u32) -> ExactKeys {
        let mut rows = vec![NO_ROW; shape.cells()];
        rows[..held].iter_mut().zip(0..).for_each(|(row, cell)| *row = row_of(cell));
        ExactKeys::Shaped { shape: shape.clone(), rows, held }
    }

    /// The same keys in a hash table, which takes any others too.
    fn hashed(&self) -> ExactKeys {
        let mut table = KeyTable::with_capacity(self.len());
        for (key, row) in self.iter() {
            table.insert(&key, row);
        }
        ExactKeys::Hashed(table)
    }

    /// The same keys, in the form that takes less memory now that all are there.
    pub(crate) fn complete(self) -> ExactKeys {
        let cells = match &self {
            ExactKeys::Hashed(_) => return self,
            ExactKeys::Shaped { shape, .. } | ExactKeys::InOrder { shape, .. } => shape.cells(),
        };
        if cells > self.len().saturating_mul(CELLS_A_KEY) { self.hashed() } else { self }
    }

    /// The row of a key.
    pub(crate) fn get(&self, key: &str) -> Option<u32> {
        match self {
            ExactKeys::Hashed(table) => table.get(key),
            ExactKeys::Shaped { shape, rows, .. } => {
                let row = rows[shape.cell(key.as_bytes())?];
                (row != NO_ROW).then_some(row)
            }
            ExactKeys::InOrder { shape, held } => {
                shape.cell(key.as_bytes()).filter(|cell| cell < held).map(|cell| cell as u32)
            }
        }
    }

    /// Appends the row of every key to `found`, [`NO_ROW`] where it is not there.
    pub(crate) fn get_all(&self, keys: &StringViewArray, found: &mut Vec<u32>) {
        let (shape, rows) = match self {
            ExactKeys::Hashed(table) => return table.get_all(keys, found),
            ExactKeys::Shaped { shape, rows, .. } => (shape, rows),
            ExactKeys::InOrder { shape, held } => {
                let cell = |key: usize| shape.cell(keys.value(key).as_bytes());
                let row = |cell: Option<usize>| cell.filter(|cell| cell < held).map(|c| c as u32);
                return found.extend((0..keys.len()).map(|key| row(cell(key)).unwrap_or(NO_ROW)));
            }
        };
        found.reserve(keys.len());
        let mut cells = [usize::MAX; GROUP];
        for start in (0..keys.len()).step_by(GROUP) {
            let group = start..keys.len().min(start + GROUP);
            // First all cells, then all rows: the reads that miss the cache do not wait for each other.
            for (cell, key) in cells.iter_mut().zip(group.clone()) {
                *cell = shape.cell(keys.value(key).as_bytes()).unwrap_or(usize::MAX);
            }
            let row = |cell: &usize| rows.get(*cell).copied().unwrap_or(NO_ROW);
            found.extend(cells[..group.len()].iter().map(row));
        }
    }

    /// Whether all keys differ in digits alone.
    pub(crate) fn have_shape(&self) -> bool {
        !matches!(self, ExactKeys::Hashed(_))
    }

    /// The key of a row, where rows are in the order of their keys.
    pub(crate) fn key_in_order(&self, row: usize) -> Option<String> {
        match self {
            ExactKeys::InOrder { shape, held } if row < *held => Some(shape.key(row)),
            _ => None,
        }
    }

    /// All keys with their rows, in no order.
    pub(crate) fn iter(&self) -> Box<dyn Iterator<Item = (String, u32)> + '_> {
        match self {
            ExactKeys::Hashed(table) => {
                Box::new(table.iter().map(|(key, row)| (key.into_owned(), row)))
            }
            ExactKeys::Shaped { shape, rows, .. } => {
                let held = rows.iter().enumerate().filter(|(_, row)| **row != NO_ROW);
                Box::new(held.map(|(cell, row)| (shape.key(cell), *row)))
            }
            ExactKeys::InOrder { shape, held } => {
                Box::new((0..*held).map(|cell| (shape.key(cell), cell as u32)))
            }
        }
    }

    /// Puts other rows in the places of those that are there.
    pub(crate) fn change_rows(&mut self, other: impl Fn(u32) -> u32) {
        match self {
            ExactKeys::Hashed(table) => table.change_rows(other),
            ExactKeys::Shaped { rows, .. } => {
                let held = rows.iter_mut().filter(|row| **row != NO_ROW);
                held.for_each(|row| *row = other(*row));
            }
            ExactKeys::InOrder { shape, held } => *self = ExactKeys::listed(shape, *held, other),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// By whatever they are found, keys are those of a hash table.
        #[test]
        fn prop_exact_keys_are_those_of_a_table(
            keys in prop_oneof![
                prop::collection::vec("A-[0-3]{2}", 1..60),
                prop::collection::vec("A-[0-3]{2}| A-11|B", 1..60),
                (1usize..30).prop_map(|keys| (0..keys).map(|key| format!("A-{key:02}")).collect()),
                prop::collection::vec("[0-9]{3}\u{1f}[ab]-[0-9]", 1..60),
            ],
            // All keys are known when the table is made, or others come later.
            known in 0usize..60,
            late in prop::collection::vec("A-[0-3]{2}|B", 0..4),
            asked in prop::collection::vec("A-[0-4]{2}| A-11|B|", 0..40),
        ) {
            let first = &keys[..known.min(keys.len())];
            let each = |take: &mut dyn FnMut(&[u8]) -> bool| {
                first.iter().map(String::as_bytes).all(take);
            };
            let mut exact = ExactKeys::for_keys(each, first.len() * 3, first.len());
            let mut table = KeyTable::with_capacity(0);
            let whole = StringViewArray::from_iter_values(&keys);
            for (key, row) in keys.iter().zip(0..) {
                prop_assert_eq!(exact.get(key), table.get(key));
                let (mut one, mut other) = (Vec::new(), Vec::new());
                exact.get_all(&whole, &mut one);
                table.get_all(&whole, &mut other);
                prop_assert_eq!(one, other);
                prop_assert_eq!(exact.insert(key, row), table.insert(key, row));
            }
            exact = exact.complete();
            for (key, row) in late.iter().zip(100..) {
                prop_assert_eq!(exact.insert(key, row), table.insert(key, row));
            }
            exact.change_rows(|row| row * 2);
            table.change_rows(|row| row * 2);
            prop_assert_eq!(exact.len(), table.len());
            let asked: Vec<&str> = asked.iter().chain(&keys).map(String::as_str).collect();
            let (mut one, mut other) = (Vec::new(), Vec::new());
            exact.get_all(&StringViewArray::from(asked.clone()), &mut one);
            table.get_all(&StringViewArray::from(asked.clone()), &mut other);
            prop_assert_eq!(one, other);
            for key in asked {
                prop_assert_eq!(exact.get(key), table.get(key));
            }
            let mut all: Vec<(String, u32)> = exact.iter().collect();
            let mut expected: Vec<(String, u32)> =
                table.iter().map(|(key, row)| (key.into_owned(), row)).collect();
            all.sort_unstable();
            expected.sort_unstable();
            prop_assert_eq!(all, expected);
        }
    }

    #[test]
    fn rows_in_the_order_of_their_keys_are_not_held() {
        let keys = ["K-07", "K-08", "K-09"];
        let each = |take: &mut dyn FnMut(&[u8]) -> bool| {
            keys.iter().map(|key| key.as_bytes()).all(take);
        };
        let in_rows = |rows: [u32; 3]| {
            let mut exact = ExactKeys::for_keys(each, 3, 3);
            keys.iter().zip(rows).for_each(|(key, row)| assert_eq!(exact.insert(key, row), None));
            exact.complete()
        };
        assert!(matches!(in_rows([0, 1, 2]), ExactKeys::InOrder { .. }));
        assert!(matches!(in_rows([1, 0, 2]), ExactKeys::Shaped { .. }));
        assert!(matches!(in_rows([1, 2, 3]), ExactKeys::Shaped { .. }));
        assert_eq!(keys.map(|key| in_rows([0, 1, 2]).get(key)), [Some(0), Some(1), Some(2)]);
    }

    #[test]
    fn keys_far_apart_take_no_room_between() {
        let keys = ["K-000", "K-999"];
        let each = |take: &mut dyn FnMut(&[u8]) -> bool| {
            keys.iter().map(|key| key.as_bytes()).all(take);
        };
        // As many rows as would do, but of two keys.
        let mut exact = ExactKeys::for_keys(each, 250, 0);
        assert!(!matches!(exact, ExactKeys::Hashed(_)));
        for key in keys {
            exact.insert(key, 7);
        }
        let exact = exact.complete();
        assert!(matches!(exact, ExactKeys::Hashed(_)));
        assert_eq!(keys.map(|key| exact.get(key)), [Some(7); 2]);
    }
}
