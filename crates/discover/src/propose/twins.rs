//! Two tables that are one: the same kind of lines from two systems, each with words of its own, in an order of its own.
//!
//! Their column names say nothing of each other, so it is the values that do: every column of the one has one in the other
//! with values of the same kind, many of them the same.

use std::collections::HashSet;

use super::column::{Kind, Traits};
use super::{Seen, View};

/// A table that has the columns of another under other names.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Twin {
    /// The table whose names are understood better, or else the larger.
    pub main: usize,
    /// The other.
    pub other: usize,
    /// Each column of the main table with that of the other.
    pub columns: Vec<(usize, usize)>,
}

/// Tables with fewer columns than this are alike by chance.
const FEWEST: usize = 5;

/// A pair of columns is alike by at least this much, see [`likeness`].
const ALIKE: usize = 45;

/// Of this many pairs, the values themselves must be the same for the most part.
const STRONG: usize = 2;

/// Tables of which one has the columns of the other under other names. Each table is in one pair at most.
pub fn twins(seen: &[&Seen]) -> Vec<Twin> {
    let view = View::new(seen.iter().copied());
    let mut found: Vec<Twin> = Vec::new();
    for one in 0..seen.len() {
        for other in one + 1..seen.len() {
            let is_free = |table: usize| found.iter().all(|f| f.main != table && f.other != table);
            if is_free(one) && is_free(other) {
                found.extend(twin(&view, one, other));
            }
        }
    }
    found
}

fn twin(view: &View<'_>, one: usize, other: usize) -> Option<Twin> {
    let (a, b) = (&view.traits[one], &view.traits[other]);
    let is_line = |traits: &[Traits]| {
        let has = |kinds: &[Kind]| traits.iter().any(|of| kinds.contains(&of.kind));
        has(&[Kind::Day]) && has(&[Kind::Whole, Kind::Measure])
    };
    let names = |table: usize| -> HashSet<&str> {
        view.seen[table].columns.iter().map(|column| column.name.as_str()).collect()
    };
    if a.len() != b.len() || a.len() < FEWEST || !is_line(a) || !is_line(b) {
        return None;
    }
    // With the same names they would be one table already, if they belonged together.
    if names(one).intersection(&names(other)).count() * 2 > a.len() {
        return None;
    }
    let mut pairs: Vec<(usize, usize, usize)> = Vec::new();
    for (x, own) in a.iter().enumerate() {
        let all = b.iter().enumerate().map(|(y, like)| (likeness(own, like), x, y));
        pairs.extend(all.filter(|(alike, ..)| *alike >= ALIKE));
    }
    pairs.sort_by(|p, q| q.cmp(p));
    let mut columns: Vec<(usize, usize)> = Vec::new();
    for (_, x, y) in pairs {
        if columns.iter().all(|(known, like)| *known != x && *like != y) {
            columns.push((x, y));
        }
    }
    let strong = |pair: &&(usize, usize)| is_strong(&a[pair.0], &b[pair.1]);
    if columns.len() < a.len() || columns.iter().filter(strong).count() < STRONG {
        return None;
    }
    columns.sort_unstable();
    let understood =
        |traits: &[Traits]| traits.iter().filter(|of| !of.words.meanings().is_empty()).count();
    let rank = |table: usize| (understood(&view.traits[table]), view.seen[table].rows);
    let (main, other, columns) = match rank(one) >= rank(other) {
        true => (one, other, columns),
        false => (other, one, columns.into_iter().map(|(x, y)| (y, x)).collect()),
    };
    Some(Twin { main, other, columns })
}

/// How alike the values of two columns are: by the values that both have, up to 100; and by their kind and how often they
/// repeat, up to 70.
fn likeness(one: &Traits, other: &Traits) -> usize {
    let is_number = |of: &Traits| matches!(of.kind, Kind::Whole | Kind::Measure);
    let is_text = |of: &Traits| matches!(of.kind, Kind::Code | Kind::Prose);
    let kind = match (one.kind, other.kind) {
        (Kind::Empty, Kind::Empty) => return 100,
        (a, b) if a == b => 40,
        _ if is_number(one) && is_number(other) || is_text(one) && is_text(other) => 25,
        _ => return 0,
    };
    let apart = one.uniqueness().abs_diff(other.uniqueness());
    common(one, other) + kind + 30_usize.saturating_sub(apart)
}

/// Of the values of two columns together, how many in a hundred both have.
fn common(one: &Traits, other: &Traits) -> usize {
    let known: HashSet<&str> = one.values.iter().map(String::as_str).collect();
    let both = other.values.iter().filter(|value| known.contains(value.as_str())).count();
    let all = one.values.len() + other.values.len() - both;
    (both * 100).checked_div(all).unwrap_or(0)
}

/// Whether the same values are there that would not be there by chance.
fn is_strong(one: &Traits, other: &Traits) -> bool {
    let by_chance = one.is_dense() && other.is_dense() && !(one.is_large() && other.is_large());
    !by_chance && one.values.len() >= 8 && common(one, other) >= 40
}
