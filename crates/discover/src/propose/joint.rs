//! Keys of several columns: how many rows of other tables find theirs among them.

use std::cell::RefCell;
use std::collections::{BTreeMap, BTreeSet};
use std::rc::Rc;

use arrow_array::{Array, StringViewArray};
use interligo_engine::keys::{KeyTable, join_columns};

use super::column::Fit;
use super::{ColumnAt, View};

/// The keys of several columns of all tables.
pub(super) struct WiderKeys<'a> {
    view: &'a View<'a>,
    last: RefCell<Cached>,
}

/// The keys of the table that was asked for last, by their columns: many tables ask one after the other.
#[derive(Default)]
struct Cached {
    table: usize,
    keys: BTreeMap<Vec<usize>, Rc<KeyTable>>,
}

impl<'a> WiderKeys<'a> {
    pub(super) fn new(view: &'a View<'a>) -> WiderKeys<'a> {
        WiderKeys { view, last: RefCell::default() }
    }

    /// The keys of a table by several columns, with their rows.
    fn of(&self, table: usize, columns: &[usize]) -> Rc<KeyTable> {
        let mut cached = self.last.borrow_mut();
        if cached.table != table {
            *cached = Cached { table, keys: BTreeMap::new() };
        }
        let keys = cached.keys.entry(columns.to_vec()).or_insert_with(|| {
            let own = columns.iter().map(|column| ColumnAt { table, column: *column });
            let own: Vec<StringViewArray> =
                own.map(|at| trimmed(texts_of(self.view, at))).collect();
            let mut known = KeyTable::with_capacity(own.first().map_or(0, Array::len));
            for (row, key) in join_columns(&own).iter().enumerate() {
                known.insert(key.unwrap_or_default(), row as u32);
            }
            Rc::new(known)
        });
        keys.clone()
    }

    /// How many rows find their key of several columns.
    pub(super) fn fit(&self, texts: &[StringViewArray], to_table: usize, columns: &[usize]) -> Fit {
        let known = self.of(to_table, columns);
        let asked: Vec<StringViewArray> = texts.iter().map(trimmed).collect();
        let mut fit = Fit::default();
        let (mut values, mut used) = (BTreeMap::new(), BTreeSet::new());
        for key in join_columns(&asked).iter().flatten().filter(|key| !key.is_empty()) {
            let row = known.get(key);
            fit.rows += 1;
            fit.found_rows += usize::from(row.is_some());
            used.extend(row);
            values.insert(key.to_owned(), row.is_some());
        }
        fit.values = values.len();
        fit.found = values.values().filter(|found| **found).count();
        fit.used = used.len();
        fit
    }
}

fn texts_of<'a>(view: &View<'a>, at: ColumnAt) -> &'a StringViewArray {
    &view.seen[at.table].columns[at.column].texts
}

fn trimmed(texts: &StringViewArray) -> StringViewArray {
    StringViewArray::from_iter_values(texts.iter().map(|text| text.unwrap_or_default().trim()))
}
