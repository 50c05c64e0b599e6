//! The match rates of the links of a plan over all lines, and which table is linked to which.

use std::collections::{BTreeMap, BTreeSet};

use crate::error::Error;
use interligo_engine::bind::{Home, KeyPart, Route};
use interligo_engine::engine::{Engine, Extent};
use interligo_engine::links::{LinkStatus, StatusCounts, lines_found};
use interligo_engine::proof::findings::Findings;
use interligo_engine::proof::usage::{LookupUse, Usage};
use interligo_model::plan::ColumnType;
use interligo_sources::table::parts::Table;

use crate::outcome::Outcome;
use crate::parallelism::Parallelism;
use crate::prepare::OnDuplicates;
use crate::project::Project;
use crate::run::link_use;

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
    /// Whether its lines are scanned.
    pub is_fact: bool,
}

/// The match rate of one link.
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
    /// Different unmatched keys.
    pub keys_missed: u64,
    /// What is to be noticed: a text on one side and a number on the other.
    pub note: Option<String>,
}

impl LinkHealth {
    /// Lines that found their row, and all lines that need one.
    pub fn found(&self) -> (u64, u64) {
        let of = |status: LinkStatus| self.counts[status as usize];
        let all: u64 = self.counts.iter().sum();
        (lines_found(&self.counts), all - of(LinkStatus::NotNeeded))
    }
}

impl Project {
    /// The match rates of the links, over all lines of all facts.
    ///
    /// # Errors
    /// As for a run; what would stop it does not stop this.
    pub fn link_map(
        &self,
        parallelism: Parallelism,
        progress: &(dyn Fn(u64, u64) + Sync),
    ) -> Result<LinkMap, Error> {
        let job = self.prepare(&[], Extent::Everything, OnDuplicates::Report)?;
        let used = link_use(self, &job, parallelism, progress)?;
        let used = job
            .engines
            .iter()
            .zip(&used)
            .map(|(engine, (outcome, usage))| (engine, outcome, usage));
        Ok(LinkMap::over(self, &used.collect::<Vec<_>>()))
    }
}

impl LinkMap {
    /// The map of some facts, by what their lines met and which rows of lookups they found.
    pub(crate) fn over(project: &Project, used: &[(&Engine, &Outcome, &Usage)]) -> LinkMap {
        let mut map = LinkMap::default();
        for (engine, outcome, _) in used {
            let (name, rows) = (&engine.bound.fact.name, outcome.tie_out.fact.rows.lines());
            map.tables.push(MapTable { name: name.clone(), rows, is_fact: true });
        }
        let mut links: BTreeMap<usize, LinkTally> = BTreeMap::new();
        for (engine, outcome, usage) in used {
            for (number, route) in engine.bound.routes.iter().enumerate() {
                let of_link = links.entry(route.link).or_insert_with(|| LinkTally {
                    health: project.described(engine, route, &mut map),
                    found: Vec::new(),
                    missed: BTreeSet::new(),
                });
                of_link.add(engine, number, &outcome.findings, usage);
            }
        }
        map.links = links.into_values().map(|gathered| gathered.health).collect();
        map
    }
}

impl Project {
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
    let mut all = interligo_model::reading::evidence::Evidence::default();
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

/// A link over all facts and all ways on which it is gone.
struct LinkTally<'a> {
    health: LinkHealth,
    /// Of each row of its lookup, whether some line found it.
    found: Vec<bool>,
    /// The unmatched keys.
    missed: BTreeSet<&'a str>,
}

impl<'a> LinkTally<'a> {
    fn add(&mut self, engine: &Engine, link: usize, findings: &'a Findings, usage: &Usage) {
        let counts = findings.links.get(link).copied().unwrap_or_default();
        let counts = engine.settled(link, &counts);
        self.health.counts.iter_mut().zip(&counts).for_each(|(own, other)| *own += other);
        let rows = usage.rows(link);
        self.found.resize(self.found.len().max(rows.len()), false);
        self.found.iter_mut().zip(rows).for_each(|(own, other)| *own |= other);
        self.health.used = LookupUse::over(engine, link, &self.found);
        let sought = findings.keys.keys().chain(findings.absent.keys());
        let without = sought.filter(|key| key.link == link && key.status != LinkStatus::Blank);
        self.missed.extend(without.map(|key| key.key.as_str()));
        self.health.keys_missed = self.missed.len() as u64;
    }
}
