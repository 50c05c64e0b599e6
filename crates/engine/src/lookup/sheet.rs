//! A lookup as a sheet of a workbook shows it: the columns that are held, row by row, each with its place.

use interligo_model::place::Place;
use interligo_model::values::column::ColumnKind;
use interligo_model::values::date::Day;
use interligo_model::values::value::Value;

use super::{KeyRows, Lookup};
use crate::eval::{kind_of, type_of};
use crate::lookup::calendar::{ALWAYS, FOREVER};

impl Lookup {
    /// The columns whose values are held, with what they are.
    pub fn held_columns(&self) -> Vec<(usize, ColumnKind)> {
        let kind = |at: usize| match &self.columns[at].column {
            Some(held) => Some(kind_of(type_of(held))),
            None => (self.rows == 0 || self.held_text(at, 0).is_some()).then_some(ColumnKind::Text),
        };
        (0..self.columns.len()).filter_map(|at| Some((at, kind(at)?))).collect()
    }

    /// A value of a column that is held.
    pub fn value(&self, column: usize, row: u32) -> Value<'_> {
        match &self.columns[column].column {
            Some(held) => held.value(row as usize),
            None => self.held_text(column, row).map_or(Value::Blank, Value::Text),
        }
    }

    /// Where a row was read; nowhere, where the plan adds it.
    pub fn place_of(&self, row: u32) -> Option<Place> {
        (row < self.rows).then(|| self.place(row))
    }

    /// Of each row the first and the last day on which it is valid, none where that is open; nothing where the lookup has no
    /// periods.
    pub fn valid_days(&self) -> Vec<(Option<Day>, Option<Day>)> {
        let calendar = self.keys.first().and_then(KeyRows::calendar);
        let periods = calendar.map_or(&[][..], |calendar| calendar.periods());
        let rows = periods.iter().map(|holds| holds.row as usize + 1).max().unwrap_or(0);
        let open = |day: Day| (![ALWAYS, FOREVER].contains(&day)).then_some(day);
        let mut days = vec![(None, None); rows];
        for holds in periods {
            days[holds.row as usize] = (open(holds.from), open(holds.until));
        }
        days
    }

    /// How many rows its columns have, with those that the plan adds for `fill`.
    pub fn rows_with_fill(&self) -> u32 {
        self.all_rows() as u32
    }
}
