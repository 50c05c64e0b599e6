//! Which rows of its lookup each link found: those that no line uses are seen by it, and how many different
//! keys were found.

use crate::engine::Engine;
use crate::lines::Lines;
use crate::proof::link_status::is_row;
use serde::{Deserialize, Serialize};

/// Of each link, the rows of its lookup that some line found.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Usage {
    links: Vec<Vec<bool>>,
}

/// How much of a lookup a link uses.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct LookupUse {
    /// Different keys that were found.
    pub keys_found: u64,
    /// Different keys of the lookup.
    pub keys: u64,
    /// Its rows that hold and that no line found.
    pub rows_unused: u64,
}

impl Usage {
    /// No row of any lookup is used yet.
    pub fn new(engine: &Engine) -> Usage {
        let rows = |link: usize| vec![false; engine.lookup_rows(link)];
        Usage { links: (0..engine.links.len()).map(rows).collect() }
    }

    /// Notes the rows that a batch of lines found.
    pub fn add(&mut self, lines: &Lines<'_>) {
        for (link, used) in self.links.iter_mut().enumerate() {
            for row in lines.link_rows(link).iter().filter(|row| is_row(**row)) {
                used[*row as usize] = true;
            }
        }
    }

    /// Adds what other lines found.
    pub fn merge(&mut self, other: &Usage) {
        for (own, other) in self.links.iter_mut().zip(&other.links) {
            own.iter_mut().zip(other).for_each(|(own, other)| *own |= other);
        }
    }

    /// Of each row of a link's lookup, whether some line found it.
    pub fn rows(&self, link: usize) -> &[bool] {
        &self.links[link]
    }

    /// How much of its lookup a link uses.
    pub fn of(&self, engine: &Engine, link: usize) -> LookupUse {
        LookupUse::over(engine, link, &self.links[link])
    }
}

impl LookupUse {
    /// How much of a link's lookup is used, where it is known of each row whether some line found it.
    pub fn over(engine: &Engine, link: usize, found: &[bool]) -> LookupUse {
        let route = &engine.bound.routes[link];
        let mut of = LookupUse::default();
        let keys = &engine.lookups[route.lookup].keys[route.key];
        for key in keys.numbers() {
            let unused = keys.rows(key).filter(|row| !found[*row as usize]).count();
            of.keys += 1;
            of.keys_found += u64::from(unused < keys.rows(key).count());
            of.rows_unused += unused as u64;
        }
        of
    }
}
