//! The values of a key of a lookup, each with the rows that it leads to.
//!
//! Memory counts where a lookup has millions of rows. So values are not written out where the columns of the key have them
//! row by row; rows are not where each is that of its own value; and the table by which the rows were brought together is
//! the one in which lines look for their keys.

use std::borrow::Cow;
use std::collections::BTreeMap;
use std::sync::Arc;

use arrow_array::StringViewArray;

use super::calendar::{Calendar, Holds};
use super::shaped_texts::ShapedTexts;
use crate::bind::BoundLookup;
use crate::keys::{ExactKeys, joined};

/// The values of a key in the order in which they come first, with their rows; each has at least one.
pub(crate) struct KeyRows {
    /// The texts of the values, by column of the key; or all in one column, as [`joined`] has them.
    texts: Vec<KeyTexts>,
    rows: RowsOfKeys,
    /// The values with what the index says of them, where they are the same to the lookup as they are written.
    table: Option<Arc<ExactKeys>>,
}

/// The texts of values.
enum KeyTexts {
    Views(StringViewArray),
    Shaped(Arc<ShapedTexts>),
}

/// The rows that values lead to.
enum RowsOfKeys {
    /// There are this many values, and as many rows: each has that of its own number.
    Own(u32),
    /// One row for each value.
    One(Vec<u32>),
    /// The rows of each value, with the days on which they hold.
    Dated(Arc<Calendar>),
}

/// Rows of a lookup, with the days on which they hold where it has periods.
pub(crate) enum HeldRows {
    /// They always hold.
    Always(Vec<u32>),
    /// Each in its period.
    Dated(Vec<Holds>),
}

impl KeyRows {
    /// Values that have one row each. `table` has them by number.
    pub(super) fn one(
        texts: Vec<StringViewArray>,
        rows: Vec<u32>,
        table: Option<ExactKeys>,
    ) -> KeyRows {
        let is_own = (0..).zip(&rows).all(|(number, row): (u32, &u32)| number == *row);
        let mut table = table;
        let rows = if is_own {
            RowsOfKeys::Own(rows.len() as u32)
        } else {
            table.iter_mut().for_each(|own| own.change_rows(|number| rows[number as usize]));
            RowsOfKeys::One(rows)
        };
        KeyRows { texts: views(texts), rows, table: table.map(Arc::new) }
    }

    /// Values with their periods. `table` has them by number.
    pub(super) fn dated(
        texts: Vec<StringViewArray>,
        calendar: Calendar,
        table: Option<ExactKeys>,
    ) -> KeyRows {
        let rows = RowsOfKeys::Dated(Arc::new(calendar));
        KeyRows { texts: views(texts), rows, table: table.map(Arc::new) }
    }

    /// The table, if it has the keys of all rows in order.
    pub(super) fn in_order(&self, rows: u32) -> Option<&Arc<ExactKeys>> {
        let last = rows.checked_sub(1)?;
        // As many keys as rows: each row has its own, by its number.
        self.table.as_ref().filter(|table| table.key_in_order(last as usize).is_some())
    }

    /// Holds texts by their shape that are those of a column of the lookup, row by row.
    pub(super) fn hold_by_shape(
        &mut self,
        columns: &[StringViewArray],
        shaped: &BTreeMap<usize, Arc<ShapedTexts>>,
    ) {
        for texts in &mut self.texts {
            let KeyTexts::Views(views) = texts else { continue };
            let own = |column: usize| views.views().ptr_eq(columns[column].views());
            if let Some((_, shaped)) = shaped.iter().find(|(column, _)| own(**column)) {
                *texts = KeyTexts::Shaped(Arc::clone(shaped));
            }
        }
    }

    /// The numbers of the values.
    pub(crate) fn numbers(&self) -> std::ops::Range<u32> {
        match &self.rows {
            RowsOfKeys::Own(values) => 0..*values,
            RowsOfKeys::One(rows) => 0..rows.len() as u32,
            RowsOfKeys::Dated(calendar) => 0..calendar.keys() as u32,
        }
    }

    /// A value, as its first row writes it.
    pub(crate) fn value(&self, number: u32) -> Cow<'_, str> {
        let row = number as usize;
        match self.texts.as_slice() {
            [only] => only.text(row),
            columns => {
                let texts: Vec<_> = columns.iter().map(|column| column.text(row)).collect();
                let texts: Vec<&str> = texts.iter().map(AsRef::as_ref).collect();
                Cow::Owned(joined(&texts).into_owned())
            }
        }
    }

    /// All values.
    pub(crate) fn values(&self) -> impl ExactSizeIterator<Item = Cow<'_, str>> {
        self.numbers().map(|number| self.value(number))
    }

    /// The first of the rows of a value.
    pub(crate) fn first_row(&self, number: u32) -> u32 {
        match &self.rows {
            RowsOfKeys::Own(_) => number,
            RowsOfKeys::One(rows) => rows[number as usize],
            RowsOfKeys::Dated(calendar) => calendar.all(number)[0].row,
        }
    }

    /// The rows of a value.
    pub(crate) fn rows(&self, number: u32) -> impl Iterator<Item = u32> {
        let periods = self.calendar().map_or(&[][..], |calendar| calendar.all(number));
        let only = self.calendar().is_none().then(|| self.first_row(number));
        only.into_iter().chain(periods.iter().map(|holds| holds.row))
    }

    /// What the index says of a value: its row, or, where it has periods, its number.
    pub(crate) fn found_as(&self, number: u32) -> u32 {
        match &self.rows {
            RowsOfKeys::One(rows) => rows[number as usize],
            RowsOfKeys::Own(_) | RowsOfKeys::Dated(_) => number,
        }
    }

    /// The values with what the index says of them, where there is such a table.
    pub(crate) fn table(&self) -> Option<&Arc<ExactKeys>> {
        self.table.as_ref()
    }

    /// The periods of the values.
    pub(crate) fn calendar(&self) -> Option<&Arc<Calendar>> {
        match &self.rows {
            RowsOfKeys::Dated(calendar) => Some(calendar),
            RowsOfKeys::Own(_) | RowsOfKeys::One(_) => None,
        }
    }

    /// All rows, in their order.
    pub(super) fn all_rows(&self) -> HeldRows {
        match &self.rows {
            RowsOfKeys::Own(values) => HeldRows::Always((0..*values).collect()),
            RowsOfKeys::One(rows) => {
                let mut rows = rows.clone();
                rows.sort_unstable();
                HeldRows::Always(rows)
            }
            RowsOfKeys::Dated(calendar) => {
                let mut rows = calendar.periods().to_vec();
                rows.sort_by_key(|holds| holds.row);
                HeldRows::Dated(rows)
            }
        }
    }
}

impl KeyTexts {
    fn text(&self, row: usize) -> Cow<'_, str> {
        match self {
            KeyTexts::Views(views) => views.value(row).into(),
            KeyTexts::Shaped(shaped) => shaped.text(row).unwrap_or_default().into(),
        }
    }
}

fn views(texts: Vec<StringViewArray>) -> Vec<KeyTexts> {
    texts.into_iter().map(KeyTexts::Views).collect()
}

impl HeldRows {
    /// No row of a lookup.
    pub(super) fn none(bound: &BoundLookup) -> HeldRows {
        match bound.valid {
            None => HeldRows::Always(Vec::new()),
            Some(_) => HeldRows::Dated(Vec::new()),
        }
    }
}

/// A row of a lookup, with or without the days on which it holds.
pub(super) trait HeldRow: Copy + Send + Sync {
    /// Its number.
    fn row(&self) -> u32;
}

impl HeldRow for u32 {
    fn row(&self) -> u32 {
        *self
    }
}

impl HeldRow for Holds {
    fn row(&self) -> u32 {
        self.row
    }
}
