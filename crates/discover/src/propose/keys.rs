//! Keys of a table: columns that tell its rows apart, and the columns that say when a row holds.

use std::collections::HashSet;

use arrow_array::{Array, StringViewArray};
use interligo_engine::keys::{KeyTable, join_columns};

use super::column::{Kind, Traits};
use super::meanings::Meaning;
use super::{Seen, View};

/// The columns that say when a row holds.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Period {
    /// The column with the first day.
    pub from: usize,
    /// The column with the last day; none where a row holds until the next of its key.
    pub until: Option<usize>,
    /// Whether that is the first day on which it does not hold any more.
    pub is_half_open: bool,
    /// Whether the first column has whole periods: months, quarters.
    pub is_whole: bool,
}

/// What the column of periods is called that is made of column names.
pub const PERIOD: &str = "period";

/// A set of columns that tells the rows of a table apart, nearly.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Key {
    pub(super) columns: Vec<usize>,
    /// How many rows share their key with another.
    pub(super) shared: usize,
}

/// Of a hundred rows, this many may share their key with another, or lack it: typing errors, not the rule.
const TYPOS: usize = 5;

/// And this many of a table that others look things up in: a list that was put together by hand. Which of them counts is asked.
const BY_HAND: usize = 15;

/// The most columns that are tried together.
const TRIED: usize = 9;

/// Rows that are compared when sets of columns are tried.
const COMPARED: usize = 100_000;

/// How many of a table's rows share their values in some columns with another; none when more than a few do,
/// or are blank.
fn shared(table: &Seen, columns: &[usize]) -> Option<usize> {
    shared_up_to(table, columns, TYPOS)
}

/// The same where `most` of a hundred rows may share them.
fn shared_up_to(table: &Seen, columns: &[usize], most: usize) -> Option<usize> {
    let texts: Vec<StringViewArray> = columns
        .iter()
        .map(|column| {
            let texts = &table.columns[*column].texts;
            texts.slice(0, texts.len().min(COMPARED))
        })
        .collect();
    let keys = join_columns(&texts);
    let limit = keys.len() * most / 100 + usize::from(keys.len() >= 10);
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
        let day = of.kind == Kind::Day && dated.is_none() && of.is_calendar();
        let known = keys.iter().any(|key| key.columns == [column]);
        if known || is_period(column) || !(is_key_like(of) || day) {
            continue;
        }
        let most = if may_be_by_hand(traits, column) { BY_HAND } else { TYPOS };
        if of.uniqueness() < 100 - most && view.seen[table].columns[column].texts.len() >= 10 {
            continue;
        }
        if let Some(shared) = shared_up_to(view.seen[table], &[column], most) {
            keys.push(Key { columns: vec![column], shared });
        }
    }
    keys
}

/// Whether a column is the key of a list that was put together by hand: codes that come first, in a table without quantities.
fn may_be_by_hand(traits: &[Traits], column: usize) -> bool {
    let is_counted = |of: &Traits| {
        let numeric = matches!(of.kind, Kind::Whole | Kind::Measure);
        numeric && (of.words.means(Meaning::Quantity) || of.words.means(Meaning::Position))
    };
    let is_first = traits.iter().position(is_key_like) == Some(column);
    is_first && traits[column].kind == Kind::Code && !traits.iter().any(is_counted)
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

/// One and two columns of a table that may be a key, whether they tell its rows apart or not.
pub(super) fn key_sets(view: &View<'_>, table: usize) -> Vec<Vec<usize>> {
    let traits = &view.traits[table];
    let mut columns: Vec<usize> = (0..traits.len()).filter(|c| is_key_like(&traits[*c])).collect();
    columns.truncate(TRIED);
    [sets(&columns, 1), sets(&columns, 2)].concat()
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
/// one that says when something begins, by its column name or by its values.
pub(super) fn period(table: &Seen, traits: &[Traits]) -> Option<Period> {
    if let Some(made) = table.columns.iter().position(|column| column.name == PERIOD) {
        let is_period =
            |value: &String| interligo_model::values::date::Period::read(value).is_some();
        if traits[made].values.iter().all(is_period) && !traits[made].values.is_empty() {
            return Some(Period { from: made, until: None, is_half_open: false, is_whole: true });
        }
    }
    let days: Vec<usize> = (0..traits.len()).filter(|c| traits[*c].kind == Kind::Day).collect();
    let ordered = |from: usize, until: usize| {
        let (starts, ends) = (&table.columns[from].texts, &table.columns[until].texts);
        let pairs = starts.iter().flatten().zip(ends.iter().flatten());
        let mut filled = pairs.filter(|(a, b)| !a.trim().is_empty() && !b.trim().is_empty());
        let is_named =
            traits[from].words.means(Meaning::From) || traits[until].words.means(Meaning::Until);
        is_named && filled.all(|(a, b)| a.trim() <= b.trim())
    };
    let between = |from: usize, until: usize| Period {
        from,
        until: Some(until),
        is_half_open: is_half_open(traits, from, until),
        is_whole: false,
    };
    for (at, from) in days.iter().enumerate() {
        for until in &days[at + 1..] {
            if ordered(*from, *until) {
                return Some(between(*from, *until));
            }
            if ordered(*until, *from) && traits[*until].words.means(Meaning::From) {
                return Some(between(*until, *from));
            }
        }
    }
    let is_filled = |column: &&usize| traits[**column].filled == traits[**column].rows;
    let is_named = |column: &&usize| traits[**column].words.means(Meaning::From);
    let mut starts = days.iter().filter(is_filled);
    let from = starts.clone().find(is_named);
    let from = from.or_else(|| starts.find(|column| begins_by_values(table, traits, **column)));
    from.map(|from| Period { from: *from, until: None, is_half_open: false, is_whole: false })
}

/// Whether each period ends on the day on which another begins: most last days are first days as well.
fn is_half_open(traits: &[Traits], from: usize, until: usize) -> bool {
    let starts: HashSet<&String> = traits[from].values.iter().collect();
    let ends = &traits[until].values;
    let met = ends.iter().filter(|end| starts.contains(end)).count();
    ends.len() > 1 && met * 10 >= ends.len() * 7
}

/// Whether a column of days says when the rows of a key begin, whatever it is called: the key repeats, key and day
/// together do not, and either few days serve all keys, or the rows of each key follow each other by day. Lines of sales
/// are neither, and have quantities.
fn begins_by_values(table: &Seen, traits: &[Traits], day: usize) -> bool {
    let is_priced = |of: &Traits| of.kind == Kind::Measure && !of.words.means(Meaning::Discount);
    let is_line = traits.iter().any(|of| {
        let counted = matches!(of.kind, Kind::Whole | Kind::Measure);
        counted && (of.words.means(Meaning::Quantity) || of.words.means(Meaning::Position))
    });
    if is_line || !traits.iter().any(is_priced) || traits.len() > WIDEST_LIST {
        return false;
    }
    let repeats = |of: &Traits| of.values.len() > 1 && of.values.len() * 2 <= of.rows;
    let mut keys = (0..traits.len()).filter(|c| is_key_like(&traits[*c]) && repeats(&traits[*c]));
    keys.any(|key| {
        shared(table, &[key, day]) == Some(0)
            && (traits[day].values.len() * 4 <= traits[day].rows || follow_by_day(table, key, day))
    })
}

/// A price list has no more columns than this.
const WIDEST_LIST: usize = 8;

/// Whether the rows of each key stand together, the earlier before the later.
fn follow_by_day(table: &Seen, key: usize, day: usize) -> bool {
    let (keys, days) = (&table.columns[key].texts, &table.columns[day].texts);
    let rows: Vec<(&str, &str)> = keys
        .iter()
        .zip(days.iter())
        .map(|(key, day)| (key.unwrap_or_default().trim(), day.unwrap_or_default().trim()))
        .collect();
    let mut ended: HashSet<&str> = HashSet::new();
    rows.windows(2).all(|two| match two[0].0 == two[1].0 {
        true => two[0].1 < two[1].1,
        false => ended.insert(two[0].0) && !ended.contains(two[1].0),
    })
}
