//! Columns that become rows: `price_2024` beside `price_2025` becomes a price for each year.

use arrow_array::StringViewArray;
use interligo_model::values::texts::{TextBuilder, gathered};

use super::{From, Made, Name, PartColumns};

/// The columns of a part that become rows.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Tall {
    /// One for each row that is made of a row, in the order of the column names.
    pub(super) groups: Vec<Group>,
}

/// The fields that make one row.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Group {
    /// What the slots of the column names represent.
    pub(super) slots: Vec<Name>,
    /// Of each column of values, its field, where the group has one.
    pub(super) fields: Vec<Option<usize>>,
}

impl Tall {
    /// The fields that hold the values of a column.
    pub(crate) fn fields(&self, value: usize) -> impl Iterator<Item = usize> {
        self.groups.iter().filter_map(move |group| group.fields[value])
    }

    /// Makes a row of each row and group, in this order; blank values stay blank.
    pub(super) fn make(
        &self,
        part: &PartColumns,
        rows: usize,
        mut field: impl FnMut(usize) -> StringViewArray,
    ) -> Made {
        let groups = self.groups.len();
        let origin: Vec<u32> =
            (0..rows as u32).flat_map(|row| std::iter::repeat_n(row, groups)).collect();
        let column = |from: &From| match from {
            From::Field(number) => gathered(&field(*number), origin.iter().map(|row| Some(*row))),
            From::Tall(value) => {
                let texts: Vec<Option<StringViewArray>> =
                    self.groups.iter().map(|g| g.fields[*value].map(&mut field)).collect();
                let mut builder = TextBuilder::default();
                let origins: Vec<_> =
                    texts.iter().map(|t| t.as_ref().map(|t| builder.origin(t))).collect();
                for row in 0..rows {
                    for origin in &origins {
                        match origin {
                            Some(origin) => builder.take(origin, row),
                            None => builder.blank(),
                        }
                    }
                }
                builder.finish()
            }
            From::TallSlot(slot) => {
                let names: Vec<&str> =
                    self.groups.iter().map(|g| g.slots[*slot].as_ref()).collect();
                let names = StringViewArray::from(names);
                let numbers = (0..rows).flat_map(|_| (0..groups as u32).map(Some));
                gathered(&names, numbers)
            }
            From::Position => StringViewArray::from(vec![""; origin.len()]),
        };
        let columns = part.from.iter().map(column).collect();
        Made { origin, columns, uneven: Vec::new() }
    }
}
