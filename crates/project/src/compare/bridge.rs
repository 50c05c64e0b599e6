//! The bridge from what a figure came to in one run to what it came to in another: the causes, one after the other, each with
//! the difference that it makes. They add up to the digit.
//!
//! Only lines that both runs have go through the causes: first their own columns change to those of the second run, in the
//! order of the fact's columns, then what links matched, then the values of lookups, then the plan.

use interligo_model::values::value::Value;
use interligo_sources::in_order::in_order;

use super::change::{Change, Changes, Step};
use super::computing::{Added, Computing};
use super::state::State;
use super::walk::Walk;
use super::way::{Bridge, add_all, group_name};
use super::{CauseKind, ChangedLine};
use crate::error::Error;
use crate::parallelism::Parallelism;
use crate::runs::{Pair, RecordedFact, Row, with_pairs};

/// Everything that bridging lines needs.
pub(super) struct Bridging<'a> {
    pub(super) a: &'a RecordedFact,
    pub(super) b: &'a RecordedFact,
    pub(super) with_a: &'a Computing<'a>,
    pub(super) with_b: &'a Computing<'a>,
    /// Whether both runs have the same plan.
    pub(super) is_one_plan: bool,
    /// Of each link and row of its lookup, whether both runs have the same there; none where their columns differ.
    pub(super) same: Option<Vec<Vec<bool>>>,
    /// Whether changed lines are listed, and how many.
    pub(super) listed: usize,
}

impl Bridging<'_> {
    /// The bridge over all lines. Each worker has one of its own; only the lines that are listed go by the order of the records.
    pub(super) fn over_all(&self) -> Result<Bridge, Error> {
        with_pairs((self.a, self.b), |pairs| {
            let mut listed = Vec::new();
            let bridges = in_order(
                Parallelism::default().threads,
                || pairs.next_batch(),
                Bridge::default,
                |bridge, batch: Vec<Pair>| {
                    batch.into_iter().try_for_each(|pair| self.take(bridge, pair))?;
                    Ok::<_, Error>(std::mem::take(&mut bridge.changed))
                },
                |changed| {
                    listed.extend(changed);
                    listed.truncate(self.listed);
                    Ok(())
                },
            )?;
            let mut all = Bridge::default();
            bridges.into_iter().for_each(|bridge| all.merge(bridge));
            all.changed = listed;
            Ok(all)
        })
    }

    /// Takes a line, or what became of it, into the bridge.
    fn take(&self, bridge: &mut Bridge, pair: Pair) -> Result<(), Error> {
        match pair {
            Pair::New(row) => {
                let added = self.with_b.added_as_recorded(&row)?;
                let none = vec![None; added.len()];
                self.whole_line(bridge, (self.b, &row), (CauseKind::New, none, added))?;
            }
            Pair::Gone(row) => {
                let added = self.with_a.added_as_recorded(&row)?;
                let none = vec![None; added.len()];
                self.whole_line(bridge, (self.a, &row), (CauseKind::Gone, added, none))?;
            }
            Pair::Both(before, now) if self.is_unchanged(&before, &now) => {
                let added = self.with_b.added_as_recorded(&now)?;
                let is_same = self.is_one_plan || self.with_a.added_as_recorded(&before)? == added;
                let group = self.with_b.group_as_recorded(&now)?;
                let Some(group) = group.filter(|_| is_same) else {
                    return self.both(bridge, &before, &now);
                };
                bridge.add(&added, &added);
                if self.with_b.has_groups() {
                    bridge.group(&group).add(&added, &added);
                }
            }
            Pair::Both(before, now) => self.both(bridge, &before, &now)?,
        }
        Ok(())
    }

    /// Whether all that the records have of a line is the same. Nearly all lines are such, so this needs no state of them.
    fn is_unchanged(&self, before: &Row, now: &Row) -> bool {
        let Some(same) = &self.same else { return false };
        let is_same = |(link, rows): (usize, &Vec<bool>)| {
            let row = self.b.row_of_link(now, link);
            row.is_none_or(|row| rows.get(row as usize) == Some(&true))
        };
        before == now && same.iter().enumerate().all(is_same)
    }

    /// A line that one run has only, with what its figures are in the first and in the second.
    fn whole_line(
        &self,
        bridge: &mut Bridge,
        (fact, row): (&RecordedFact, &Row),
        (kind, from, to): (CauseKind, Added, Added),
    ) -> Result<(), Error> {
        let group = self.with_b.group(&state_of(fact, row), fact)?;
        let change = Change::new(Step::of((kind, 0, String::new())), from, to);
        if bridge.changed.len() < self.listed {
            let causes = vec![change.shown(self.with_b)];
            bridge.changed.push(ChangedLine { key: fact.key_shown(row), causes });
        }
        bridge.whole_line(&change);
        if self.with_b.has_groups() {
            bridge.group(&group).whole_line(&change);
        }
        Ok(())
    }

    /// A line that both runs have.
    fn both(&self, bridge: &mut Bridge, before: &Row, now: &Row) -> Result<(), Error> {
        let first = state_of(self.a, before);
        let last = state_of(self.b, now);
        let (from, to) = (self.with_a.added(&first)?, self.with_b.added(&last)?);
        let group_a = self.with_b.group(&first, self.a)?;
        let group_b = self.with_b.group(&last, self.b)?;
        let changes = match first == last && from == to {
            true => Vec::new(),
            false => self.changes((before, now), (first, &last), (&from, &to))?,
        };
        bridge.add(&from, &to);
        changes.iter().for_each(|change| bridge.note(change));
        if bridge.changed.len() < self.listed && !changes.is_empty() {
            let causes = changes.iter().map(|change| change.shown(self.with_b)).collect();
            bridge.changed.push(ChangedLine { key: self.b.key_shown(now), causes });
        }
        if !self.with_b.has_groups() {
            return Ok(());
        }
        let (of_a, of_b) = (group_name(&group_a), group_name(&group_b));
        add_all(&mut bridge.group(&group_a).from, &from);
        if of_a != of_b {
            let none = vec![None; from.len()];
            let step = || Step::of((CauseKind::Moved, 0, String::new()));
            let moved = |before, after| Change::new(step(), before, after);
            bridge.group(&group_a).note(&moved(from.clone(), none.clone()));
            bridge.group(&group_b).note(&moved(none, from.clone()));
        }
        let group = bridge.group(&group_b);
        add_all(&mut group.to, &to);
        changes.iter().for_each(|change| group.note(change));
        Ok(())
    }

    /// What makes the figures of a line others, cause by cause.
    fn changes(
        &self,
        (before, now): (&Row, &Row),
        (mut state, last): (State, &State),
        (from, to): (&Added, &Added),
    ) -> Result<Vec<Change>, Error> {
        let mut walk = Walk::new((self.a, self.b), (before, now));
        let mut changes = Changes { made: Vec::new(), at: from.to_vec(), pending: Vec::new() };
        let names: Vec<String> = self.b.columns().map(str::to_owned).collect();
        for (number, name) in names.iter().enumerate() {
            if state.own.get(name) == last.own.get(name) {
                continue;
            }
            let value = last.own.get(name).cloned().unwrap_or(Value::Blank);
            let before = state.own.insert(name.clone(), value.clone()).unwrap_or(Value::Blank);
            walk.follow_own(&mut state, last, name);
            let cause = (CauseKind::Own, number, name.clone());
            let step = Step { cause, example: format!("{} → {}", shown(&before), shown(&value)) };
            changes.step(step, self.with_a.added(&state)?, (from, to));
        }
        for link in 0..self.b.links().len() {
            if !walk.match_link(&mut state, link) {
                continue;
            }
            let cause = (CauseKind::Match, link, self.b.links()[link].name.clone());
            let step = Step { cause, example: walk.found(link) };
            changes.step(step, self.with_a.added(&state)?, (from, to));
        }
        for (number, (name, value)) in last.attributes.iter().enumerate() {
            if state.attributes.get(name) == Some(value) {
                continue;
            }
            state.attributes.insert(name.clone(), value.clone());
            let cause = (CauseKind::Value, number, format!("{}.{}", name.0, name.1));
            let link = self.b.link_called(&name.0);
            let step = Step { cause, example: link.map_or(String::new(), |link| walk.found(link)) };
            changes.step(step, self.with_a.added(&state)?, (from, to));
        }
        // What is left is what the plans make of the same values.
        if changes.at != *to {
            changes.last(Step::of((CauseKind::Plan, 0, String::new())), to.to_vec());
        }
        Ok(changes.made)
    }
}

/// The values of a line as its run had them.
fn state_of(fact: &RecordedFact, row: &Row) -> State {
    let mut state = State::default();
    for name in fact.columns() {
        state.own.insert(name.to_owned(), fact.own(row, name));
    }
    for (number, link) in fact.links().iter().enumerate() {
        let found = fact.row_of_link(row, number);
        for column in fact.attribute_names(number) {
            let value = fact.attribute(number, found, column);
            state.attributes.insert((link.name.clone(), column.to_owned()), value);
        }
    }
    state
}

/// A value as an example shows it.
fn shown(value: &Value<'_>) -> String {
    match value {
        Value::Blank => "blank".to_owned(),
        value => value.to_string().trim().to_owned(),
    }
}
