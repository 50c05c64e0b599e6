//! The lookups that links lead to.

use std::collections::BTreeSet;
use std::ops::Range;

use super::columns::declared_wishes;
use super::computed::bind_formulas;
use super::{BoundFormula, Headings, Wishes, needs_of};
use crate::formula::Node;
use crate::plan::{ColumnType, Duplicates, Mistake, Plan, Repeats, TableEntry, Written};

/// A lookup of the plan that a link leads to.
#[derive(Debug)]
pub struct BoundLookup {
    /// Its name.
    pub name: String,
    /// The names of its columns.
    pub columns: Vec<String>,
    /// Of these, the ones that come from slots of the file name.
    pub slots: BTreeSet<usize>,
    /// The columns of its key.
    pub key: Vec<usize>,
    /// Further sets of columns that links lead to; no two rows may share their values either.
    pub further_keys: Vec<Vec<usize>>,
    /// The columns with the first and the last day of a row; without the latter it holds until the next one of
    /// its key begins.
    pub valid: Option<(usize, Option<usize>)>,
    /// What happens to rows with the same key.
    pub duplicates: Duplicates,
    /// The column whose values say which of them holds.
    pub(crate) decides: Option<usize>,
    /// Columns that are worked out from the others.
    pub(crate) formulas: Vec<BoundFormula>,
    /// The columns that are used, and how they are read.
    pub wishes: Wishes,
}

impl BoundLookup {
    /// The columns of one of its keys.
    pub fn key_columns(&self, key: usize) -> &[usize] {
        match key.checked_sub(1) {
            None => &self.key,
            Some(further) => &self.further_keys[further],
        }
    }

    /// The key of these columns, in whatever order; it is noted if it is a new one.
    pub(super) fn key_of(&mut self, columns: &[usize]) -> usize {
        let set = |columns: &[usize]| columns.iter().copied().collect::<BTreeSet<usize>>();
        let wanted = set(columns);
        let known = (0..=self.further_keys.len()).find(|key| set(self.key_columns(*key)) == wanted);
        columns.iter().for_each(|column| self.wishes.use_keys(*column));
        known.unwrap_or_else(|| {
            self.further_keys.push(columns.to_vec());
            self.further_keys.len()
        })
    }

    /// The column of a name that stands in the plan.
    pub(super) fn column(&self, name: &str, span: Range<usize>) -> Result<usize, Mistake> {
        self.columns.iter().position(|column| column == name).ok_or_else(|| {
            Mistake::in_plan(span, format!("`{}` has no column `{name}`", self.name))
                .nearest(name, self.columns.iter().map(String::as_str))
        })
    }

    /// Notes what a formula over the columns of a row needs.
    pub(super) fn use_in_formula(&mut self, node: &Node, written: &Written) -> Result<(), Mistake> {
        for (name, needed) in needs_of(node) {
            let column = super::computed::resolve(name, &self.name, &self.columns, written)?;
            match needed {
                Some(needed) => {
                    self.wishes.need(column, needed, written.mistake(name.span.clone(), ""));
                }
                None => self.wishes.use_values(column),
            }
        }
        Ok(())
    }
}

/// Binds a lookup to which a link leads by the columns `linked`; they are its key where it names none.
/// `fact` says that it is a fact, whose lines are looked up by their key.
pub(super) fn bind_lookup(
    plan: &Plan,
    headings: &Headings,
    name: &str,
    linked: &[usize],
    fact: bool,
) -> Result<BoundLookup, Mistake> {
    let entry = plan.tables.get(name).expect("the tables of paths were looked up");
    let (name_span, entry) = (entry.name_span.clone(), &entry.value);
    let columns = headings.columns(name).to_vec();
    let wishes = Wishes::new(declared_wishes(plan, entry, &columns)?);
    let slots = headings.0.get(name).map(|c| c.slots.clone()).unwrap_or_default();
    let mut lookup = BoundLookup {
        name: name.to_owned(),
        columns,
        slots,
        key: linked.to_vec(),
        further_keys: Vec::new(),
        valid: None,
        duplicates: if fact { of_repeats(name, name_span, entry)? } else { of_duplicates(entry) },
        decides: None,
        formulas: Vec::new(),
        wishes,
    };
    if let Some(key) = &entry.key {
        let names = key.get_ref().0.iter();
        lookup.key = names.map(|name| lookup.column(name, key.span())).collect::<Result<_, _>>()?;
        if lookup.key.is_empty() {
            return Err(Mistake::in_plan(key.span(), "the key names no column"));
        }
    }
    bind_valid(plan, entry, &mut lookup)?;
    let written = match fact {
        true => entry.repeats.as_ref().map(|written| written.span()),
        false => entry.duplicates.as_ref().map(|written| written.span()),
    };
    if let (Duplicates::Rule(rule), Some(span)) = (&lookup.duplicates, written)
        && let Some((column, wanted)) = rule.column()
    {
        let number = lookup.column(column, span.clone())?;
        lookup.wishes.need(number, wanted, Mistake::in_plan(span, ""));
        lookup.decides = Some(number);
    }
    lookup.formulas = bind_formulas(plan, name, entry, &lookup.columns, &mut lookup.wishes)?;
    for column in lookup.key.clone() {
        lookup.wishes.use_keys(column);
    }
    Ok(lookup)
}

fn of_duplicates(entry: &TableEntry) -> Duplicates {
    entry.duplicates.as_ref().map_or_else(Default::default, |d| d.get_ref().clone())
}

/// What becomes of the lines of a fact that share a key, where they are looked up.
fn of_repeats(name: &str, span: Range<usize>, entry: &TableEntry) -> Result<Duplicates, Mistake> {
    if entry.key.is_none() {
        let message = format!("a link leads to the fact `{name}`, which has no key");
        return Err(Mistake::in_plan(span, message).help(
            "name the columns that tell its lines apart: key = [\"order_no\", \"line_no\"]",
        ));
    }
    match &entry.repeats {
        None => Ok(Duplicates::default()),
        Some(repeats) => match repeats.get_ref() {
            Repeats::Rule(rule) => Ok(Duplicates::Rule(rule.clone())),
            Repeats::Keep => Err(Mistake::in_plan(
                repeats.span(),
                format!("a link leads to the fact `{name}`, whose lines may share a key"),
            )
            .help("a line can be looked up only where its key is its own: leave `repeats` out")),
        },
    }
}

/// The columns that say when a row holds.
fn bind_valid(plan: &Plan, entry: &TableEntry, lookup: &mut BoundLookup) -> Result<(), Mistake> {
    let Some(valid) = &entry.valid else { return Ok(()) };
    let mut ends = Vec::new();
    for name in [&valid.from].into_iter().chain(&valid.until) {
        let column = lookup.column(name.get_ref(), name.span())?;
        let at = plan.written(name).mistaken("");
        if lookup.wishes.declared(column).declared.is_some_and(|t| t != ColumnType::Date) {
            let message = format!("`{}` says when a row holds and must be a date", name.get_ref());
            return Err(
                Mistake { message, ..at }.help("leave its `type` out of the columns of the table")
            );
        }
        lookup.wishes.need(column, ColumnType::Date, at);
        ends.push(column);
    }
    lookup.valid = Some((ends[0], ends.get(1).copied()));
    Ok(())
}
