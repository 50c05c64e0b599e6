//! The rows that the links of a line have on the way from one run to the other.

use interligo_model::values::date::Day;
use interligo_model::values::value::Value;

use super::state::State;
use crate::runs::{RecordedFact, Row};

/// A line that both runs have, on the way.
pub(super) struct Walk<'a> {
    a: &'a RecordedFact,
    b: &'a RecordedFact,
    now: &'a Row,
    /// Of each link of the second run the row that the line has in the first, or else in the second.
    rows: Vec<Option<(bool, u32)>>,
}

impl<'a> Walk<'a> {
    pub(super) fn new(
        (a, b): (&'a RecordedFact, &'a RecordedFact),
        (before, now): (&'a Row, &'a Row),
    ) -> Walk<'a> {
        let row = |name: &str| {
            let link = a.link_called(name)?;
            a.row_of_link(before, link).map(|row| (true, row))
        };
        let rows = b.links().iter().map(|link| row(&link.name)).collect();
        Walk { a, b, now, rows }
    }

    pub(super) fn day(&self, link: usize) -> Option<Day> {
        let day = self.b.links()[link].day.as_ref()?;
        match self.b.own(self.now, day) {
            Value::Date(day) => Some(day),
            _ => None,
        }
    }

    /// The key of the row that a link has now on this walk.
    pub(super) fn identity(&self, link: usize) -> Option<String> {
        let (is_of_a, row) = self.rows[link]?;
        match is_of_a {
            true => Some(self.a.identity(self.a.link_called(&self.b.links()[link].name)?, row)),
            false => Some(self.b.identity(link, row)),
        }
    }

    /// The key that a link finds in the second run, and from when its row is valid; that of the first where it finds none there.
    pub(super) fn found(&self, link: usize) -> String {
        let of_b = self.b.row_of_link(self.now, link).map(|row| self.b.row_shown(link, row));
        let of_a = || {
            let (is_of_a, row) = self.rows[link]?;
            let own = self.a.link_called(&self.b.links()[link].name)?;
            is_of_a.then(|| self.a.row_shown(own, row))
        };
        of_b.or_else(of_a).unwrap_or_default()
    }

    /// Links whose own columns are all those of the second run are led to the key that they have there, as the lookups of the
    /// first run have it; and the links behind them.
    pub(super) fn follow_own(&mut self, state: &mut State, last: &State, changed: &str) {
        let mut moved: Vec<usize> = Vec::new();
        for (number, link) in self.b.links().iter().enumerate() {
            let is_behind = link.builds_on.iter().any(|other| moved.contains(other));
            let is_own = link.own.iter().any(|own| own == changed);
            let is_ready = link.own.iter().all(|own| state.own.get(own) == last.own.get(own));
            if (is_own || is_behind) && is_ready {
                let to = self.target(number);
                self.rows[number] = to.filter(|(is_of_a, _)| *is_of_a);
                self.put(state, number);
                moved.push(number);
            }
        }
    }

    /// The row that a link has in the second run: by its key in the lookups of the first, if it is there on that day.
    pub(super) fn target(&self, link: usize) -> Option<(bool, u32)> {
        let row = self.b.row_of_link(self.now, link)?;
        let identity = self.b.identity(link, row);
        let known = self
            .a
            .link_called(&self.b.links()[link].name)
            .and_then(|own| self.a.find(own, &identity, self.day(link), self.b.period(link, row)));
        Some(known.map_or((false, row), |row| (true, row)))
    }

    /// Leads a link to the row that it has in the second run, where that has another key; whether it was.
    pub(super) fn match_link(&mut self, state: &mut State, link: usize) -> bool {
        let row = self.b.row_of_link(self.now, link);
        let identity = row.map(|row| self.b.identity(link, row));
        if identity == self.identity(link) {
            return false;
        }
        self.rows[link] = self.target(link);
        self.put(state, link);
        true
    }

    /// Takes the values of a link's row into a state.
    pub(super) fn put(&self, state: &mut State, link: usize) {
        let name = &self.b.links()[link].name;
        let own = self.a.link_called(name);
        for (attribute, value) in &mut state.attributes {
            if attribute.0 != *name {
                continue;
            }
            *value = match (self.rows[link], own) {
                (Some((true, row)), Some(own)) => self.a.attribute(own, Some(row), &attribute.1),
                (Some((_, row)), _) => self.b.attribute(link, Some(row), &attribute.1),
                (None, _) => Value::Blank,
            };
        }
    }
}
