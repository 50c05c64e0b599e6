//! Keys of a table: columns that tell its rows apart, and the columns that say when a row holds.

use arrow_array::{Array, StringViewArray};
use interligo_engine::keys::{KeyTable, join_columns};

use super::column::{Kind, Traits};
use super::words::Meaning;
use super::{Seen, View};

/// The columns that say when a row holds.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Period {
    /// The column with the first day.
    pub from: usize,
    /// The column with the last day; none where a row holds until the next of its key.
    pub until: Option<usize>,
}

/// A set of columns that tells the rows of a table apart, nearly.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Key {
    pub(super) columns: Vec<usize>,
    /// How many rows share their key with another.
    pub(super) shared: usize,
}

/// Of a hundred rows, this many may share their key with another, or lack it: typing errors, not the rule.
const TYPOS: usize = 5;

/// The most columns that are tried together.
const TRIED: usize = 9;

/// Rows that are compared when sets of columns are tried.
const COMPARED: usize = 100_000;

/// How many of a table's rows share their values in some columns with another; none when more than a few do,
/// or are blank.
fn shared(table: &Seen, columns: &[usize]) -> Option<usize> {
    let texts: Vec<StringViewArray> = columns
        .iter()
        .map(|column| {
            let texts = &table.columns[*column].texts;
            texts.slice(0, texts.len().min(COMPARED))
        })
        .collect();
    let keys = join_columns(&texts);
    let limit = keys.len() * TYPOS / 100 + usize::from(keys.len() >= 10);
    let mut known = KeyTable::with_capacity(keys.len());
    let (mut shared, mut blank) = (0, 0);
    for key in keys.iter().flatten().map(str::trim) {
        if key.is_empty() {
            blank += 1;
        } else if known.insert(key, 0).is_some() {
            shared += 1;
        }
        if shared + blank > limit {
            return None;
        }
    }
    (!keys.is_empty()).then_some(shared)
}

/// Columns that may be part of a key.
fn is_key_like(traits: &Traits) -> bool {
    matches!(traits.kind, Kind::Code | Kind::Whole | Kind::Prose)
        && traits.filled * 100 >= traits.rows * (100 - TYPOS)
        && !traits.words.means(Meaning::Quantity)
}

/// Whether a column may be a key by itself.
pub(super) fn may_be_key(traits: &Traits) -> bool {
    is_key_like(traits) && traits.uniqueness() >= 100 - TYPOS
}

/// The columns that tell the rows of a table apart by themselves.
pub(super) fn single_keys(view: &View<'_>, table: usize) -> Vec<Key> {
    let traits = &view.traits[table];
    let dated = view.periods[table];
    let is_period = |column: usize| {
        dated.is_some_and(|period| period.from == column || period.until == Some(column))
    };
    let stated = view.seen[table].stated_keys.iter().filter(|key| key.len() == 1);
    let mut keys: Vec<Key> = stated.map(|key| Key { columns: key.clone(), shared: 0 }).collect();
    for (column, of) in traits.iter().enumerate() {
        let day = of.kind == Kind::Day && dated.is_none() && of.is_unique();
        let known = keys.iter().any(|key| key.columns == [column]);
        if known || is_period(column) || !(is_key_like(of) || day) {
            continue;
        }
        if of.uniqueness() < 100 - TYPOS && view.seen[table].columns[column].texts.len() >= 10 {
            continue;
        }
        if let Some(shared) = shared(&view.seen[table], &[column]) {
            keys.push(Key { columns: vec![column], shared });
        }
    }
    keys
}

/// The smallest sets of columns, of two or more, that tell the rows of a table apart; for a table with periods,
/// together with the first day, and then also single columns.
pub(super) fn wider_keys(view: &View<'_>, table: usize) -> Vec<Key> {
    let seen = &view.seen[table];
    let traits = &view.traits[table];
    let stated = seen.stated_keys.iter().filter(|key| key.len() > 1);
    let mut found: Vec<Key> = stated.map(|key| Key { columns: key.clone(), shared: 0 }).collect();
    let dated = view.periods[table];
    let mut columns: Vec<usize> = (0..traits.len()).filter(|c| is_key_like(&traits[*c])).collect();
    let period = |column: &usize| {
        dated.is_some_and(|period| period.from == *column || period.until == Some(*column))
    };
    columns.retain(|column| !period(column));
    // Values of one row only tell rows apart by themselves; of all rows, never.
    if dated.is_none() {
        columns.retain(|column| !traits[*column].is_unique());
    }
    columns.retain(|column| traits[*column].values.len() > 1 || traits[*column].rows == 1);
    columns.truncate(TRIED);
    let smallest = if dated.is_some() { 1 } else { 2 };
    for size in smallest..=3 {
        for set in sets(&columns, size) {
            let is_wider = |key: &Key| key.columns.iter().all(|column| set.contains(column));
            if found.iter().any(is_wider) {
                continue;
            }
            let mut with_day = set.clone();
            with_day.extend(dated.map(|period| period.from));
            if let Some(shared) = shared(seen, &with_day) {
                found.push(Key { columns: set, shared });
            }
        }
    }
    found
}

/// All sets of this many of some columns.
fn sets(columns: &[usize], size: usize) -> Vec<Vec<usize>> {
    if size == 0 {
        return vec![Vec::new()];
    }
    let mut all = Vec::new();
    for (at, column) in columns.iter().enumerate() {
        for mut rest in sets(&columns[at + 1..], size - 1) {
            rest.insert(0, *column);
            all.push(rest);
        }
    }
    all
}

/// When the rows of a table hold: two columns of days of which one never lies before the other, or a single
/// one whose column name says that something begins.
pub(super) fn period(table: &Seen, traits: &[Traits]) -> Option<Period> {
    let days: Vec<usize> = (0..traits.len()).filter(|c| traits[*c].kind == Kind::Day).collect();
    let ordered = |from: usize, until: usize| {
        let (starts, ends) = (&table.columns[from].texts, &table.columns[until].texts);
        let pairs = starts.iter().flatten().zip(ends.iter().flatten());
        let mut filled = pairs.filter(|(a, b)| !a.trim().is_empty() && !b.trim().is_empty());
        let is_named =
            traits[from].words.means(Meaning::From) || traits[until].words.means(Meaning::Until);
        is_named && filled.all(|(a, b)| a.trim() <= b.trim())
    };
    for (at, from) in days.iter().enumerate() {
        for until in &days[at + 1..] {
            if ordered(*from, *until) {
                return Some(Period { from: *from, until: Some(*until) });
            }
            if ordered(*until, *from) && traits[*until].words.means(Meaning::From) {
                return Some(Period { from: *until, until: Some(*from) });
            }
        }
    }
    let starts = |column: &&usize| {
        let words = &traits[**column].words;
        words.means(Meaning::From) && traits[**column].filled == traits[**column].rows
    };
    days.iter().find(starts).map(|from| Period { from: *from, until: None })
}
