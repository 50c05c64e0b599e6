//! Which tables are facts and which lookups.

use std::fmt::Write;

use super::column::Kind;
use super::keys::{key_sets, single_keys, wider_keys};
use super::meanings::Meaning;
use super::{LinkProposal, Seen, TableProposal, View};
use arrow_array::{Array, StringViewArray};
use interligo_engine::keys::{KeyTable, join_columns};

use interligo_model::plan::Role;

/// What is proposed of each table, by the links between them.
pub(super) fn tables(view: &View<'_>, links: &[LinkProposal]) -> Vec<TableProposal> {
    let mut all: Vec<TableProposal> =
        (0..view.seen.len()).map(|table| of(view, links, table)).collect();
    if !all.iter().any(|table| table.role == Some(Role::Fact)) {
        // Something must be scanned: the table with the most rows that has something to sum.
        let numbers = |table: &usize| {
            view.traits[*table].iter().any(|c| matches!(c.kind, Kind::Whole | Kind::Measure))
        };
        let most = (0..all.len()).max_by_key(|table| (numbers(table), view.seen[*table].rows));
        if let Some(table) = most {
            all[table] = TableProposal { role: Some(Role::Fact), ..TableProposal::default() };
        }
    }
    all
}

fn of(view: &View<'_>, links: &[LinkProposal], table: usize) -> TableProposal {
    let leads_on = |link: &&LinkProposal| link.from[0].table == table;
    let incoming: Vec<&LinkProposal> = links.iter().filter(|link| link.to_table == table).collect();
    let outgoing = links.iter().filter(leads_on).count();
    let role = match (incoming.as_slice(), outgoing) {
        ([], 0) if view.seen.len() > 1 => None,
        ([], _) => Some(Role::Fact),
        (links, 1..) if is_looked_up_by_parts(view, links, table) => Some(Role::Fact),
        _ => Some(Role::Lookup),
    };
    let is_fact = role == Some(Role::Fact);
    let copied = if is_fact { copies(view.seen[table], &[]) } else { Vec::new() };
    // The key is what most links lead to; a fact that nothing links to needs none but to find repeated lines.
    let keys = incoming.iter().map(|link| &link.to);
    let key = keys.max_by_key(|key| incoming.iter().filter(|link| link.to == **key).count());
    let dated = incoming.iter().any(|link| link.as_of.is_some());
    let (key, shared) = match (key, role) {
        (Some(key), _) => (key.clone(), shared_of(view, table, key)),
        (None, Some(Role::Fact)) => (line_key(view, table, &copied), 0),
        (None, _) => {
            (single_keys(view, table).first().map_or(Vec::new(), |k| k.columns.clone()), 0)
        }
    };
    let copies = copied.into_iter().filter(|own| *own).count();
    TableProposal { role, key, period: view.periods[table].filter(|_| dated), shared, copies }
}

/// Whether only part of a table's rows are spoken of by others: returns speak of few sales, and the sales are a
/// fact of their own.
fn is_looked_up_by_parts(view: &View<'_>, incoming: &[&LinkProposal], table: usize) -> bool {
    let measured = view.columns(table).any(|at| {
        let traits = view.of(at);
        matches!(traits.kind, Kind::Whole | Kind::Measure) && traits.words.means(Meaning::Quantity)
    });
    let few = |link: &&LinkProposal| view.seen[link.from[0].table].rows < view.seen[table].rows;
    measured && incoming.iter().all(few)
}

fn shared_of(view: &View<'_>, table: usize, key: &[usize]) -> usize {
    let wider = if view.periods[table].is_some() { wider_keys(view, table) } else { Vec::new() };
    let keys = single_keys(view, table).into_iter().chain(wider);
    keys.into_iter().find(|known| known.columns == key).map_or(0, |known| known.shared)
}

/// Fewer copies than this say nothing of a key.
const FEWEST_COPIES: usize = 3;

/// The texts of some columns of a table, row by row.
fn joined(view: &View<'_>, table: usize, columns: impl Iterator<Item = usize>) -> StringViewArray {
    let texts: Vec<_> = columns.map(|c| view.seen[table].columns[c].texts.clone()).collect();
    join_columns(&texts)
}

/// Which rows of a table are there before with all their values, but for those of some columns.
pub fn copies(table: &Seen, without: &[usize]) -> Vec<bool> {
    let columns = table.columns.iter().enumerate();
    let columns: Vec<_> = columns.filter(|(at, _)| !without.contains(at)).collect();
    let rows = table.columns.first().map_or(0, |column| column.texts.len());
    let mut known = KeyTable::with_capacity(rows);
    let mut row = String::new();
    let is_copy = |at: usize| {
        row.clear();
        for (_, column) in &columns {
            // With its length, so that no text can be taken for the end of one and the beginning of the next.
            let text = column.texts.value(at);
            let _ = write!(row, "{} {text}", text.len());
        }
        known.insert(&row, 0).is_some()
    };
    (0..rows).map(is_copy).collect()
}

/// Whether one or two columns tell the rows of a table apart that are no copies, without looking at some others: then rows
/// with the same values are the same, and not two that happen to be alike.
pub fn are_told_apart(table: &Seen, without: &[usize]) -> bool {
    let view = View::new(std::iter::once(table));
    let copies = copies(table, without);
    let sets = key_sets(&view, 0);
    sets.into_iter().filter(|set| set.iter().all(|column| !without.contains(column))).any(|set| {
        let keys = joined(&view, 0, set.iter().copied());
        let mut known = KeyTable::with_capacity(1024);
        let again = keys.iter().flatten().zip(&copies);
        let mut again =
            again.filter(|(key, is_copy)| known.insert(key.trim(), 0).is_some() && !**is_copy);
        again.next().is_none()
    })
}

/// The columns that tell the lines of a fact apart, of which some are `copies`: only those whose column names say so, since by chance many do.
fn line_key(view: &View<'_>, table: usize, copies: &[bool]) -> Vec<usize> {
    let is_named = |columns: &[usize]| {
        let words = |column: &usize| &view.traits[table][*column].words;
        columns.iter().all(|column| words(column).is_mark || words(column).means(Meaning::Position))
    };
    // Lines that are numbered within something else may be duplicates: `run` compares them.
    let is_numbered = |columns: &[usize]| {
        columns.len() > 1
            && columns
                .iter()
                .any(|column| view.traits[table][*column].words.means(Meaning::Position))
    };
    // A row that is there again with all its values is a copy, by whatever key.
    let unique = |columns: &[usize]| {
        let keys = joined(view, table, columns.iter().copied());
        let mut known = KeyTable::with_capacity(1024);
        let again = keys.iter().flatten().zip(copies);
        let again =
            again.filter(|(key, is_copy)| known.insert(key.trim(), 0).is_some() && !**is_copy);
        let allowed = if is_numbered(columns) { keys.len() / 5 } else { 0 };
        again.count() <= allowed && known.get("").is_none()
    };
    let stated = view.seen[table].stated_keys.first().cloned();
    let single = single_keys(view, table).into_iter().map(|key| key.columns);
    let wider =
        wider_keys(view, table).into_iter().map(|key| key.columns).filter(|key| key.len() == 2);
    // A number within something else, and what it is a number in.
    let words = |column: usize| &view.traits[table][column].words;
    let columns = 0..view.traits[table].len();
    let numbered =
        columns.clone().filter(|c| words(*c).means(Meaning::Position)).flat_map(|line| {
            let of = columns.clone().filter(move |c| *c != line);
            of.filter(|c| words(*c).is_mark && !words(*c).means(Meaning::Position))
                .map(move |of| vec![of, line])
        });
    let mut all = stated.into_iter().chain(single).chain(wider).chain(numbered);
    let named = all.find(|key| is_named(key) && unique(key));
    // Where rows are there twice, what tells the others apart is their key, whatever it is called.
    let many = copies.iter().filter(|own| **own).count() >= FEWEST_COPIES;
    let by_values =
        || many.then(|| key_sets(view, table).into_iter().find(|key| unique(key))).flatten();
    named.or_else(by_values).unwrap_or_default()
}
