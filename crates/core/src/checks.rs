//! What a check asks of an engine when all lines are through: whether the counts of a link close, which
//! keys may be meant, what became of corrections.

use std::collections::BTreeSet;

use crate::engine::Engine;
use crate::findings::Findings;
use crate::keys::{Found, shown};
use crate::links::{Fate, LinkStatus, StatusCounts, key_of};
use crate::near::{Likeness, near_keys};
use crate::place::Place;
use crate::usage::Usage;

/// The two counts of a link that must close.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Balance {
    /// How many lines came out how, before the rule for missing rows; together they are all lines.
    pub lines: StatusCounts,
    /// Different keys that lines and lookup both have.
    pub keys_in_both: u64,
    /// Different keys that only lines have.
    pub keys_of_lines: u64,
    /// Different keys that only the lookup has.
    pub keys_of_lookup: u64,
    /// Whether lines had more different keys than are kept apart.
    pub more: bool,
}

/// A key of a lookup that may be meant.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Suggestion {
    /// The key, as messages show it.
    pub key: String,
    /// In what it differs.
    pub why: Vec<Likeness>,
    /// Whether it would hardly be so close by chance.
    pub likely: bool,
}

impl Suggestion {
    /// The reason in words.
    pub fn words(&self) -> String {
        self.why.iter().map(|why| why.words()).collect::<Vec<_>>().join(", ")
    }
}

impl Engine {
    /// Counts of a link after the rule for missing rows.
    pub fn settled(&self, link: usize, counts: &StatusCounts) -> StatusCounts {
        let mut settled = StatusCounts::default();
        for status in LinkStatus::ALL {
            settled[self.links[link].settled(status) as usize] += counts[status as usize];
        }
        settled
    }

    /// Whether lines without a row are nothing to speak of.
    pub fn is_normal(&self, link: usize, status: LinkStatus) -> bool {
        self.links[link].settled(status) == LinkStatus::Absent
    }

    /// The name of the figure that says what is at stake.
    pub fn stake(&self) -> Option<&str> {
        self.stake.map(|figure| self.bound.figures[figure].name.as_str())
    }

    /// The decimal places that it is written with at least.
    pub fn stake_places(&self) -> u8 {
        self.stake.map_or(0, |figure| self.least_places(&self.figure(figure).expr))
    }

    /// What becomes of each of the plan's corrections in a link, by number.
    pub fn fates(&self, link: usize) -> &[(usize, Fate)] {
        self.links[link].fates()
    }

    /// The keys of a link's lookup, in the order of its rows, as messages show them.
    pub fn lookup_keys(&self, link: usize) -> impl Iterator<Item = String> {
        self.own_keys(link).map(shown)
    }

    fn own_keys(&self, link: usize) -> impl Iterator<Item = &str> {
        let route = &self.bound.routes[link];
        self.lookups[route.lookup].keys[route.key].iter().map(|key| key.key.as_str())
    }

    /// The key by which a row of a link's lookup is found, as messages show it.
    pub fn key_of_row(&self, link: usize, row: u32) -> String {
        let route = &self.bound.routes[link];
        let lookup = &self.lookups[route.lookup];
        let columns = self.bound.lookups[route.lookup].key_columns(route.key).iter();
        let texts: Vec<String> =
            columns.map(|column| lookup.text(*column, row).trim().to_owned()).collect();
        texts.join(" + ")
    }

    /// The key of the lookup that a text finds in a link, as messages show it.
    pub fn key_meant(&self, link: usize, text: &str) -> Option<String> {
        Some(self.key_of_row(link, self.row_meant(link, text)?))
    }

    fn row_meant(&self, link: usize, text: &str) -> Option<u32> {
        let columns = self.bound.routes[link].ignore.len();
        let index = self.links[link].index();
        let (Found::Exact(row) | Found::Cleaned(row)) = index.find(&key_of(text, columns)?) else {
            return None;
        };
        if !self.links[link].is_dated() {
            return Some(row);
        }
        let route = &self.bound.routes[link];
        Some(self.lookups[route.lookup].keys[route.key][row as usize].holds.first()?.row)
    }

    /// Where the row of a key of a link's lookup stands.
    pub fn place_of_key(&self, link: usize, text: &str) -> Option<Place> {
        let route = &self.bound.routes[link];
        let lookup = &self.lookups[route.lookup];
        Some(lookup.place(self.row_meant(link, text)?))
    }

    /// For each of some keys that a link did not find, those of its lookup that it may mean.
    pub fn suggestions(&self, link: usize, sought: &[&str]) -> Vec<Vec<Suggestion>> {
        let columns = self.bound.routes[link].ignore.len();
        let sought: Vec<String> =
            sought.iter().map(|text| key_of(text, columns).unwrap_or_default()).collect();
        let sought: Vec<&str> = sought.iter().map(String::as_str).collect();
        let keys: Vec<&str> = self.own_keys(link).collect();
        let found = near_keys(&sought, &keys).into_iter();
        let suggestion = |near: crate::near::Near| Suggestion {
            key: shown(keys[near.key as usize]).trim().to_owned(),
            likely: near.likely,
            why: near.why,
        };
        found.map(|all| all.into_iter().map(suggestion).collect()).collect()
    }

    /// Whether the keys of lines have one candidate, one text of which finds a row.
    pub fn has_one_candidate(&self, link: usize) -> bool {
        let route = &self.bound.routes[link];
        route.candidates.len() == 1 && route.split.is_none()
    }

    /// Whether two links look for the same: the same columns, in the same place.
    pub fn seek_alike(&self, one: usize, other: usize) -> bool {
        let (one, other) = (&self.bound.routes[one], &self.bound.routes[other]);
        one.candidates == other.candidates && one.home == other.home
    }

    /// Whether the rows of a link's lookup hold for periods.
    pub fn is_dated(&self, link: usize) -> bool {
        self.links[link].is_dated()
    }

    /// The counts of a link that must close.
    pub fn balance(&self, link: usize, findings: &Findings, usage: &Usage) -> Balance {
        let dated = self.links[link].is_dated();
        let mut in_lookup = BTreeSet::new();
        let mut of_lines = BTreeSet::new();
        let columns = self.bound.routes[link].ignore.len();
        for (sought, _) in findings.keys.sorted() {
            if sought.link != link {
                continue;
            }
            match sought.status {
                LinkStatus::Blank => {}
                LinkStatus::Undated | LinkStatus::Overlapping | LinkStatus::Lacking => {
                    let key = key_of(&sought.key, columns);
                    if let Some(Found::Exact(row) | Found::Cleaned(row)) =
                        key.map(|key| self.links[link].index().find(&key))
                    {
                        in_lookup.insert(row);
                    }
                }
                _ => {
                    of_lines.insert(&sought.key);
                }
            }
        }
        let route = &self.bound.routes[link];
        let used = usage.rows(link);
        let mut balance = Balance {
            lines: findings.links.get(link).copied().unwrap_or_default(),
            keys_of_lines: of_lines.len() as u64,
            more: findings.keys.further.contains_key(&link),
            ..Balance::default()
        };
        for (number, key) in self.lookups[route.lookup].keys[route.key].iter().enumerate() {
            let named = if dated { number as u32 } else { key.holds[0].row };
            let is_used = in_lookup.contains(&named)
                || key.holds.iter().any(|holds| used[holds.row as usize]);
            *(if is_used { &mut balance.keys_in_both } else { &mut balance.keys_of_lookup }) += 1;
        }
        balance
    }
}
