//! What was found in the data and must stop a run, each with its places and the fixes.

use crate::error::{Setting, Stop};
use interligo_engine::bind::{Bound, BoundLookup};
use interligo_engine::engine::Engine;
use interligo_engine::links::LinkStatus;
use interligo_engine::lookup::{Duplicate, Lookup};
use interligo_engine::proof::findings::{Findings, Repeat};
use interligo_engine::proof::tallies::{KeyTally, SoughtKey};
use interligo_model::place::Parts;
use interligo_model::plan::{Missing, Overlap, key as key_of_plan};

use crate::check::Code;
use crate::project::Project;

/// The duplicates that must stop a run.
pub fn duplicate_stops(bound: &Bound, lookups: &[Lookup]) -> Vec<Stop> {
    let mut stops = Vec::new();
    for (lookup, bound) in lookups.iter().zip(&bound.lookups) {
        stops.extend(suspect_stop(
            &bound.name,
            lookup.suspects().iter().map(|(place, cells)| format!("{place} {cells}")).collect(),
        ));
        for (column, currencies) in &lookup.currencies {
            let places = currencies.iter().map(|(mark, place)| format!("{place} {mark}"));
            stops.extend(currency_stop(&bound.name, column, places.collect()));
        }
        stops.extend(shared_key_stop(lookup, bound));
    }
    stops
}

/// How many of the keys that several rows share are named.
const KEYS_NAMED: usize = 5;

/// The stop for rows of a lookup that share a key, where no rule settles which of them holds.
fn shared_key_stop(lookup: &Lookup, bound: &BoundLookup) -> Option<Stop> {
    let open = || lookup.duplicates.iter().filter(|duplicate| duplicate.held.is_none());
    let columns = &open().next()?.columns;
    let mut keys: Vec<&Duplicate> = open().filter(|other| other.columns == *columns).collect();
    keys.sort_by_key(|duplicate| std::cmp::Reverse(duplicate.places.len()));
    let worst = keys[0];
    let mut differing: Vec<&str> = Vec::new();
    for column in keys.iter().flat_map(|duplicate| &duplicate.differing) {
        if !differing.contains(&column.as_str()) {
            differing.push(column);
        }
    }
    let ticked = |names: &[&str]| {
        names.iter().map(|name| format!("`{name}`")).collect::<Vec<_>>().join(", ")
    };
    let (count, more) = match keys.len() {
        1 => (format!("the key `{}`", worst.key), ""),
        several => (format!("{several} keys of `{}`", columns.join("` + `")), "up to "),
    };
    let places = keys.iter().take(KEYS_NAMED).map(|duplicate| {
        let rows: Vec<String> = duplicate.places.iter().take(3).map(|p| p.to_string()).collect();
        let more = if duplicate.places.len() > 3 { ", …" } else { "" };
        format!("`{}` on {} rows: {}{more}", duplicate.key, duplicate.places.len(), rows.join(", "))
    });
    let table = key_of_plan(&lookup.name);
    let further = lookup.telling_apart(columns);
    let mut ways = vec![format!("add `duplicates = \"first\"` or \"last\" to [tables.{table}]")];
    if !further.is_empty() {
        ways.push(format!("add {} to its key and to the link", ticked(&further)));
    }
    if bound.valid.is_none() {
        ways.push("add `valid` if its rows are valid for periods".to_owned());
    }
    Some(Stop {
        message: format!(
            "`{}` has several rows for {count}, which differ in {}: one line would become {more}{}",
            lookup.name,
            ticked(&differing),
            worst.places.len()
        ),
        places: places.collect(),
        help: format!(
            "{}, or {}; `interligo check` lists them all",
            Code::DuplicateConflicting.fix(),
            ways.join(", or ")
        ),
        settings: Setting::of(
            &lookup.name,
            &[
                ("duplicates = \"last\"", "the last row of a key is used"),
                ("duplicates = \"first\"", "the first row of a key is used"),
            ],
        ),
    })
}

/// The stop for rows that look like totals and are not proved to be any.
fn suspect_stop(table: &str, places: Vec<String>) -> Option<Stop> {
    let count = match places.len() {
        0 => return None,
        1 => "1 row that looks like a total".to_owned(),
        n => format!("{n} rows that look like totals"),
    };
    Some(Stop {
        message: format!("`{table}` has {count}, but is not the sum of the rows above")
            .replace("totals, but is", "totals, but are"),
        places: places.into_iter().take(10).collect(),
        help: format!(
            "add total-rows = \"leave-out\" to [tables.{table}] if it is a total, or \"keep\" if it is a row like any other"
        ),
        settings: Setting::of(
            table,
            &[
                ("total-rows = \"leave-out\"", "they are totals and are left out"),
                ("total-rows = \"keep\"", "they are rows like any other"),
            ],
        ),
    })
}

/// The stop for amounts in several currencies in one column; `places` has the first of each.
fn currency_stop(table: &str, column: &str, places: Vec<String>) -> Option<Stop> {
    (places.len() > 1).then(|| Stop {
        message: format!("the amounts in `{table}.{column}` are in {} currencies", places.len()),
        places,
        help:
            "a sum over several currencies is meaningless; keep them in separate columns or files, \
               or leave out the other rows with `leave-out-rows`"
                .to_owned(),
        settings: Vec::new(),
    })
}

/// The stop for lines that share a key and differ, where no rule settles which of them holds.
fn repeats_stop(fact: &str, parts: &Parts, findings: &Findings) -> Option<Stop> {
    let open = findings.repeats_open;
    if open == 0 {
        return None;
    }
    let count = if open == 1 { "1 key".to_owned() } else { format!("{open} keys") };
    let place = |repeat: &Repeat| {
        let differing = repeat.differing.iter();
        let differing: Vec<String> = differing
            .map(|(column, one, other)| format!("{column} `{one}` and `{other}`"))
            .collect();
        let (first, other) = (parts.place(repeat.first), parts.place(repeat.other));
        format!("{first} and {other}  {}: {}", repeat.key, differing.join(", "))
    };
    Some(Stop {
        message: format!("`{fact}` has {count} on several lines, which differ"),
        places: findings.repeats.iter().map(place).collect(),
        help: format!(
            "{}, or add `repeats = \"first\"`, \"last\" or \"newest COLUMN\" to [tables.{fact}]",
            Code::RepeatConflicting.fix()
        ),
        settings: Setting::of(
            fact,
            &[
                ("repeats = \"last\"", "the last line of a key counts"),
                ("repeats = \"first\"", "the first line of a key counts"),
            ],
        ),
    })
}

/// The stop for lines on days without a row, where the plan says that this ends the run.
fn gap_stop(engine: &Engine, findings: &Findings, link: usize) -> Option<Stop> {
    let lines = *findings.gaps_stopping.get(&link)?;
    let name = &engine.bound.routes[link].name;
    let count = if lines == 1 { "1 line".to_owned() } else { format!("{lines} lines") };
    let keys = findings.keys.sorted();
    let keys = keys.iter().filter(|(k, _)| k.link == link && k.status == LinkStatus::Undated);
    let place = |(key, tally): &(&SoughtKey, &KeyTally)| {
        let days = tally.days.map_or(String::new(), |(first, last)| format!(" {first} to {last}"));
        format!("`{}`{days}", key.key)
    };
    Some(Stop {
        message: format!("{count} on a day on which no row of its key is valid in `{name}`"),
        places: keys.take(10).map(place).collect(),
        help: format!("{}; `interligo check undated-key` lists them", Code::UndatedKey.fix()),
        settings: Vec::new(),
    })
}

/// Findings over the lines that the plan says must stop a run.
pub fn stops(project: &Project, engine: &Engine, findings: &Findings) -> Vec<Stop> {
    let parts = project.fact_parts(engine);
    let fact = &engine.bound.fact.name;
    let suspects = findings.suspects.iter();
    let suspects = suspects.map(|(spot, cells)| format!("{} {cells}", parts.place(*spot)));
    let mut found: Vec<Stop> = suspect_stop(fact, suspects.collect()).into_iter().collect();
    found.extend(repeats_stop(fact, &parts, findings));
    for (column, currencies) in &findings.currencies {
        let places = currencies.iter().map(|(mark, spot)| {
            format!("{} {mark}", parts.place(*spot).in_column(engine.column_name(*column)))
        });
        found.extend(currency_stop(fact, engine.column_name(*column), places.collect()));
    }
    for (number, route) in engine.bound.routes.iter().enumerate() {
        let counts = findings.links.get(number).copied().unwrap_or_default();
        let stopping: &[LinkStatus] = match route.missing {
            Missing::Stop => &[LinkStatus::Unmatched, LinkStatus::Blank, LinkStatus::Overlapping],
            _ => &[LinkStatus::Overlapping],
        };
        found.extend(gap_stop(engine, findings, number));
        for status in stopping {
            let lines = counts[*status as usize];
            let left = *status == LinkStatus::Overlapping && route.overlap != Overlap::Stop;
            if lines == 0 || left {
                continue;
            }
            let mut tallies = findings.keys.sorted();
            tallies.retain(|(key, _)| key.link == number && key.status == *status);
            let name = &route.name;
            let what = match status {
                LinkStatus::Unmatched => "with a key that is not in",
                LinkStatus::Blank => "without a key for",
                _ => "on a day on which several rows are valid in",
            };
            let help = Code::of_key(*status).fix();
            let keys = if tallies.len() > 1 {
                format!(" ({} distinct keys)", tallies.len())
            } else {
                String::new()
            };
            let count = if lines == 1 { "1 line".to_owned() } else { format!("{lines} lines") };
            found.push(Stop {
                message: format!("{count} {what} `{name}`{keys}"),
                places: tallies
                    .iter()
                    .take(10)
                    .map(|(sought, tally)| {
                        format!("{} `{}`", parts.place(tally.first[0]), sought.key)
                    })
                    .collect(),
                help: format!("{help}; `interligo check` lists them all"),
                settings: Vec::new(),
            });
        }
    }
    found
}
