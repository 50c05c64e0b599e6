//! How the links of a plan fare over all lines, and which table hangs on which.

use interligo_core::bind::{Home, KeyPart, Route};
use interligo_core::engine::{Engine, Extent};
use interligo_core::links::{LinkStatus, StatusCounts, lines_found};
use interligo_core::plan::ColumnType;
use interligo_core::usage::LookupUse;

use crate::error::Error;
use crate::parts::Table;
use crate::project::{OnDuplicates, Project};
use crate::run::{Pace, link_use};

/// A plan's tables and links, as they hang together.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct LinkMap {
    /// The tables: first the facts, then the lookups in the order of the plan's links.
    pub tables: Vec<MapTable>,
    /// The links, in the order of the plan.
    pub links: Vec<LinkHealth>,
}

/// A table of the map.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct MapTable {
    /// Its name.
    pub name: String,
    /// Its rows; of a fact, its lines.
    pub rows: u64,
    /// Whether its lines are gone through.
    pub is_fact: bool,
}

/// How one link fares.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct LinkHealth {
    /// Its name.
    pub name: String,
    /// Its path, as it is taken.
    pub path: String,
    /// The table that it starts from, by number.
    pub from: usize,
    /// The lookup.
    pub to: usize,
    /// What it compares, in words: `item -> sku`.
    pub columns: String,
    /// The column of the day on which a row must hold.
    pub as_of: Option<String>,
    /// How many lines came out how.
    pub counts: StatusCounts,
    /// How much of the lookup is used.
    pub used: LookupUse,
    /// Different keys without a row.
    pub keys_missed: u64,
    /// What is to be noticed: a text on one side and a number on the other.
    pub note: Option<String>,
}

impl LinkHealth {
    /// Lines that found their row, and all lines that need one.
    pub fn found(&self) -> (u64, u64) {
        let of = |status: LinkStatus| self.counts[status as usize];
        let all: u64 = self.counts.iter().sum();
        (lines_found(&self.counts), all - of(LinkStatus::NotMeant))
    }
}

impl Project {
    /// How the links fare, over all lines of all facts.
    ///
    /// # Errors
    /// As for a run; what would stop it does not stop this.
    pub fn link_map(
        &self,
        pace: Pace,
        progress: &(dyn Fn(u64, u64) + Sync),
    ) -> Result<LinkMap, Error> {
        let engines = self.prepare(&[], Extent::Everything, OnDuplicates::Report)?;
        let used = link_use(self, &engines, pace, progress)?;
        let mut map = LinkMap::default();
        for (engine, (outcome, _)) in engines.iter().zip(&used) {
            let (name, rows) = (&engine.bound.fact.name, outcome.tie_out.fact.rows.lines());
            map.tables.push(MapTable { name: name.clone(), rows, is_fact: true });
        }
        let mut links: Vec<(usize, LinkHealth)> = Vec::new();
        for (engine, (outcome, usage)) in engines.iter().zip(&used) {
            for (number, route) in engine.bound.routes.iter().enumerate() {
                let mut link = self.described(engine, route, &mut map);
                let counts = outcome.findings.links.get(number).copied().unwrap_or_default();
                link.counts = engine.settled(number, &counts);
                link.used = usage.of(engine, number);
                let missed = outcome.findings.keys.sorted();
                let missed = missed.iter().filter(|(key, _)| key.link == number);
                link.keys_missed = missed.count() as u64;
                match links.iter_mut().find(|(known, _)| *known == route.link) {
                    Some((_, known)) => merge(known, &link),
                    None => links.push((route.link, link)),
                }
            }
        }
        links.sort_by_key(|(number, _)| *number);
        map.links = links.into_iter().map(|(_, link)| link).collect();
        Ok(map)
    }

    fn described(&self, engine: &Engine, route: &Route, map: &mut LinkMap) -> LinkHealth {
        let lookup = &engine.lookups[route.lookup];
        let (rows, _) = lookup.read();
        let to = place(map, &lookup.name, rows.lines());
        let from_name = home_table(engine, route.home);
        let from = place(map, from_name, 0);
        let bound = &engine.bound.lookups[route.lookup];
        let key = bound.key_columns(route.key);
        let candidates: Vec<String> =
            route.candidates.iter().map(|parts| columns(engine, route, parts)).collect();
        let into: Vec<&str> = key.iter().map(|column| bound.columns[*column].as_str()).collect();
        LinkHealth {
            name: route.way.last().cloned().unwrap_or_default(),
            path: taken(engine, route),
            from,
            to,
            columns: format!("{} → {}", candidates.join(" or "), into.join(" + ")),
            as_of: route.as_of.map(|part| column(engine, route, part)),
            note: self.types_differ(engine, route),
            ..LinkHealth::default()
        }
    }

    /// That one side of a link holds numbers and the other texts.
    pub(crate) fn types_differ(&self, engine: &Engine, route: &Route) -> Option<String> {
        let [parts] = route.candidates.as_slice() else { return None };
        let [part] = parts.as_slice() else { return None };
        let bound = &engine.bound.lookups[route.lookup];
        let [to] = bound.key_columns(route.key) else { return None };
        let from_table = part.route.map_or(route.home, Home::Route);
        let from = self.table(home_table(engine, from_table));
        let (one, other) = (types(from, part.column), types(self.table(&bound.name), *to));
        let word = |is_number: bool| if is_number { "numbers" } else { "texts" };
        (one? != other?).then(|| {
            format!(
                "{} here, {} there: compared as they are written",
                word(one == Some(true)),
                word(other == Some(true))
            )
        })
    }
}

/// Whether a column holds numbers; nothing where it has no values.
fn types(table: &Table, column: usize) -> Option<bool> {
    let mut all = interligo_core::evidence::Evidence::default();
    table.parts.iter().for_each(|part| all.merge(&part.evidence_of(column)));
    let numeric = matches!(all.mostly(), ColumnType::Number | ColumnType::Integer);
    (all.filled > 0).then_some(numeric)
}

fn home_table(engine: &Engine, home: Home) -> &str {
    match home {
        Home::Fact => &engine.bound.fact.name,
        Home::Route(route) => &engine.lookups[engine.bound.routes[route].lookup].name,
    }
}

/// The number of a table on the map; it is put there if it is new.
fn place(map: &mut LinkMap, name: &str, rows: u64) -> usize {
    map.tables.iter().position(|table| table.name == name).unwrap_or_else(|| {
        map.tables.push(MapTable { name: name.to_owned(), rows, is_fact: false });
        map.tables.len() - 1
    })
}

/// A column that a key is taken from, as messages show it: with its table where that is another.
fn column(engine: &Engine, route: &Route, part: KeyPart) -> String {
    let home = part.route.map_or(route.home, Home::Route);
    let table = home_table(engine, home);
    let columns = match home {
        Home::Fact => &engine.bound.fact.columns,
        Home::Route(other) => &engine.bound.lookups[engine.bound.routes[other].lookup].columns,
    };
    match part.route {
        None => columns[part.column].clone(),
        Some(_) => format!("{table}.{}", columns[part.column]),
    }
}

fn columns(engine: &Engine, route: &Route, parts: &[KeyPart]) -> String {
    parts.iter().map(|part| column(engine, route, *part)).collect::<Vec<_>>().join(" + ")
}

/// The path as it is taken.
fn taken(engine: &Engine, route: &Route) -> String {
    let turned = engine.bound.turned.iter().find(|turned| turned.written == route.path);
    turned.map_or_else(|| route.path.clone(), |turned| turned.taken.clone())
}

/// Adds a link as it fares for another fact, or on another way.
fn merge(own: &mut LinkHealth, other: &LinkHealth) {
    own.counts.iter_mut().zip(&other.counts).for_each(|(own, other)| *own += other);
    own.keys_missed = own.keys_missed.max(other.keys_missed);
    own.used.keys_found = own.used.keys_found.max(other.used.keys_found);
    own.used.rows_unused = own.used.rows_unused.min(other.used.rows_unused);
}
