//! Where the rows of a table are in their files. Mostly they follow one after the other, and only the places where they do not
//! are kept.

/// Of each row of a table, its number in its file.
#[derive(Clone, Debug, Default)]
pub struct RowPlaces {
    /// Where a stretch begins of rows that follow one after the other: the row of the table, and that of the file.
    stretches: Vec<(u32, u32)>,
    rows: u32,
}

impl RowPlaces {
    /// How many rows there are.
    pub fn len(&self) -> usize {
        self.rows as usize
    }

    /// Whether there is no row.
    pub fn is_empty(&self) -> bool {
        self.rows == 0
    }

    /// The number in its file of a row that is there.
    pub fn of(&self, row: u32) -> u32 {
        let after = self.stretches.partition_point(|(first, _)| *first <= row);
        let (first, in_file) = self.stretches[after - 1];
        in_file + (row - first)
    }

    fn push(&mut self, in_file: u32) {
        let next = self.stretches.last().map(|(first, from)| from.wrapping_add(self.rows - first));
        if next != Some(in_file) {
            self.stretches.push((self.rows, in_file));
        }
        self.rows += 1;
    }
}

impl Extend<u32> for RowPlaces {
    fn extend<I: IntoIterator<Item = u32>>(&mut self, rows: I) {
        rows.into_iter().for_each(|in_file| self.push(in_file));
    }
}

impl FromIterator<u32> for RowPlaces {
    fn from_iter<I: IntoIterator<Item = u32>>(rows: I) -> RowPlaces {
        let mut places = RowPlaces::default();
        places.extend(rows);
        places
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn prop_rows_are_where_they_were_put(rows in prop::collection::vec(0u32..6, 0..40)) {
            let places: RowPlaces = rows.iter().copied().collect();
            prop_assert_eq!(places.len(), rows.len());
            let held: Vec<u32> = (0..rows.len() as u32).map(|row| places.of(row)).collect();
            prop_assert_eq!(held, rows);
        }
    }

    #[test]
    fn rows_that_follow_each_other_take_no_room() {
        let places: RowPlaces = (2..1_000).chain(2..500).collect();
        assert_eq!(places.stretches, [(0, 2), (998, 2)]);
    }
}
