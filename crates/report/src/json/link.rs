//! Links and their match rates as JSON.

use std::io;

use interligo_project::LinkMap;
use serde::Serialize;

use super::{Members, by_status, print};
use crate::output::Out;

/// The tables of a plan, and the links between them.
#[derive(Serialize)]
struct MapShown<'a> {
    tables: Vec<TableOfMap<'a>>,
    links: Vec<LinkOfMap<'a>>,
}

#[derive(Serialize)]
struct TableOfMap<'a> {
    table: &'a str,
    rows: u64,
    fact: bool,
}

#[derive(Serialize)]
struct LinkOfMap<'a> {
    link: &'a str,
    path: &'a str,
    from: &'a str,
    to: &'a str,
    lines: u64,
    found: u64,
    keys_found: u64,
    keys_without_row: u64,
    rows_unused: u64,
    statuses: Members<u64>,
    note: Option<&'a str>,
}

/// The links of a plan with their match rates.
pub fn links_json(out: Out<'_>, map: &LinkMap) -> io::Result<()> {
    let links = map.links.iter().map(|link| {
        let (found, lines) = link.found();
        LinkOfMap {
            link: &link.name,
            path: &link.path,
            from: &map.tables[link.from].name,
            to: &map.tables[link.to].name,
            lines,
            found,
            keys_found: link.used.keys_found,
            keys_without_row: link.keys_missed,
            rows_unused: link.used.rows_unused,
            statuses: by_status(&link.counts),
            note: link.note.as_deref(),
        }
    });
    let tables = map.tables.iter();
    let tables = tables.map(|t| TableOfMap { table: &t.name, rows: t.rows, fact: t.is_fact });
    print(out, &MapShown { tables: tables.collect(), links: links.collect() })
}
