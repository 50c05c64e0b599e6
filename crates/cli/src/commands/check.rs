//! `interligo check`.

use std::collections::BTreeMap;
use std::path::Path;

use interligo_engine::engine::{Engine, Extent};
use interligo_model::place::Spot;
use interligo_project::{
    Checked, Code, Finding, Inspection, Job, OnDuplicates, RunResult, check as check_lines,
    duplicate_stops, rows_at, stops,
};
use interligo_report::json;
use interligo_report::text::{self, ShownRows};

use super::{Opened, Out};
use crate::args::{CheckOptions, Format};
use crate::failure::Failure;
use crate::progress::Progress;

/// Duplicate lines, as many as are looked up again: for the overview, and in detail.
const COPIES: (usize, usize) = (1_000, 100_000);

/// Rows that are shown beneath findings, and of each finding.
const ROWS: (usize, usize) = (12, 3);

pub(crate) fn check(options: &CheckOptions, out: Out<'_>) -> Result<(), Failure> {
    if let Some(name) = &options.explain {
        return explain(name, out);
    }
    let opened = Opened::open(&options.plan)?;
    let job = opened.prepare(&[], Extent::Everything, OnDuplicates::Report)?;
    let copies = if options.about.is_some() { COPIES.1 } else { COPIES.0 };
    let mut ran = checked(&opened, &job, Inspection { usage: true, copies })?;
    let stopping = stopping(&opened, &job.engines, &ran);
    if let Some(folder) = &options.for_owner {
        return write_for_owners(&opened, &job.engines, &ran.checked, folder, out);
    }
    let mut rows = Vec::new();
    if let Some(about) = &options.about {
        let known = known_names(&job.engines, &ran.checked);
        let about = About::named(about, &known)?;
        ran.checked.findings.retain(|finding| about.fits(finding));
        ran.checked
            .balances
            .retain(|link| matches!(&about, About::Place(name) if *name == link.link));
        rows = shown_rows(&opened, &ran.checked)?;
    }
    let checked = &ran.checked;
    let findings: Vec<&Finding> = checked.findings.iter().collect();
    match (options.format, &options.about) {
        (Format::Csv, _) => text::check_csv(out, checked)?,
        (Format::Json, _) => json::check_json(out, checked, &rows)?,
        (Format::Table, None) => text::overview(out, checked)?,
        (Format::Table, Some(about)) if findings.is_empty() => {
            text::nothing_of(out, about)?;
        }
        (Format::Table, Some(_)) => text::detail(out, checked, &findings, &rows)?,
    }
    out.flush()?;
    if stopping.is_empty() {
        if options.format == Format::Table && options.about.is_none() {
            text::would_not_stop(out)?;
            out.flush()?;
        }
        return Ok(());
    }
    for stop in &stopping {
        crate::printed::say_all(text::would_stop(&stop.message, &stop.help));
    }
    Err(Failure::Found)
}

/// Scans all lines.
pub(super) fn checked(
    opened: &Opened,
    job: &Job,
    inspection: Inspection,
) -> Result<RunResult, Failure> {
    let bytes = job.engines.iter().map(|engine| opened.project.fact_bytes(engine)).sum();
    let progress = Progress::new(bytes);
    let ran = {
        let advance = |bytes, lines| progress.advance(bytes, lines);
        check_lines(&opened.project, job, opened.parallelism, inspection, &advance)
    };
    progress.finish();
    ran.map_err(|error| opened.failure(error))
}

fn explain(name: &str, out: Out<'_>) -> Result<(), Failure> {
    if name == "all" {
        interligo_report::finding_help::explain_all(out)?;
    } else {
        let code = Code::called(name).ok_or_else(|| Failure::NoFinding {
            name: name.to_owned(),
            known: Code::ALL.iter().map(|code| code.name().to_owned()).collect(),
        })?;
        interligo_report::finding_help::explain(out, code)?;
    }
    out.flush()?;
    Ok(())
}

/// What would stop a run.
fn stopping(opened: &Opened, engines: &[Engine], ran: &RunResult) -> Vec<interligo_project::Stop> {
    let mut stopping = Vec::new();
    for (engine, outcome) in engines.iter().zip(&ran.outcomes) {
        let duplicates = duplicate_stops(&engine.bound, &engine.lookups);
        let found = stops(&opened.project, engine, &outcome.findings);
        // Lookups that facts share are spoken of once.
        let new: Vec<_> =
            duplicates.into_iter().chain(found).filter(|stop| !stopping.contains(stop)).collect();
        stopping.extend(new);
    }
    stopping.extend(ran.checked.stops(&opened.project));
    stopping
}

/// The links and tables that a check may be asked about.
fn known_names(engines: &[Engine], checked: &Checked) -> Vec<String> {
    let routes = engines.iter().flat_map(|engine| &engine.bound.routes);
    let tables = engines.iter().flat_map(|engine| {
        let lookups = engine.lookups.iter().map(|lookup| lookup.name.clone());
        lookups.chain([engine.bound.fact.name.clone()])
    });
    let found = checked.findings.iter().map(|finding| finding.about.clone());
    let mut names: Vec<String> =
        routes.map(|route| route.name.clone()).chain(tables).chain(found).collect();
    names.retain(|name| !name.is_empty());
    names.sort();
    names.dedup();
    names
}

/// What a check is asked about.
enum About {
    /// A kind of finding.
    Kind(Code),
    /// A link or table.
    Place(String),
}

impl About {
    fn named(name: &str, known: &[String]) -> Result<About, Failure> {
        if let Some(code) = Code::called(name) {
            return Ok(About::Kind(code));
        }
        if known.iter().any(|place| place == name) {
            return Ok(About::Place(name.to_owned()));
        }
        let codes = Code::ALL.iter().map(|code| code.name().to_owned());
        let known = known.iter().cloned().chain(codes).collect();
        Err(Failure::NoFinding { name: name.to_owned(), known })
    }

    fn fits(&self, finding: &Finding) -> bool {
        match self {
            About::Kind(code) => finding.code == *code,
            About::Place(name) => finding.about == *name,
        }
    }
}

/// Some rows of the findings, as they are in their files.
fn shown_rows(opened: &Opened, checked: &Checked) -> Result<Vec<ShownRows>, Failure> {
    // With the key of the finding: of the lines made of one row, those that have it are meant.
    let mut wanted: BTreeMap<&str, Vec<(Spot, &str)>> = BTreeMap::new();
    for finding in &checked.findings {
        let spots = wanted.entry(&finding.table).or_default();
        let subject = finding.subject.trim();
        for spot in finding.spots.iter().take(ROWS.1) {
            if spots.len() < ROWS.0 && !spots.iter().any(|(other, _)| other == spot) {
                spots.push((*spot, subject));
            }
        }
    }
    let mut shown = Vec::new();
    for (table, spots) in wanted.into_iter().filter(|(_, spots)| !spots.is_empty()) {
        let project = &opened.project;
        let places: Vec<Spot> = spots.iter().map(|(spot, _)| *spot).collect();
        let rows = rows_at(project, table, &places).map_err(|error| opened.failure(error))?;
        let row = |(spot, key): &(Spot, &str)| {
            let place = project.place_of(table, *spot).to_string();
            let lines = rows.get(spot).map_or(&[][..], Vec::as_slice);
            let has = |cells: &&Vec<String>| cells.iter().any(|cell| cell == key);
            let some: Vec<_> = lines.iter().filter(has).collect();
            let lines = if some.is_empty() { lines.iter().collect() } else { some };
            lines.into_iter().map(move |cells| (place.clone(), cells.clone())).collect::<Vec<_>>()
        };
        shown.push(ShownRows {
            table: table.to_owned(),
            columns: project.column_names(table).to_vec(),
            rows: spots.iter().flat_map(row).collect(),
        });
    }
    Ok(shown)
}

fn write_for_owners(
    opened: &Opened,
    engines: &[Engine],
    checked: &Checked,
    to: &Path,
    out: Out<'_>,
) -> Result<(), Failure> {
    let lookups: BTreeMap<String, String> = engines
        .iter()
        .flat_map(|engine| {
            engine
                .bound
                .routes
                .iter()
                .map(|route| (route.name.clone(), engine.lookups[route.lookup].name.clone()))
        })
        .collect();
    let written =
        opened.project.for_owners(checked, &lookups, to).map_err(|error| opened.failure(error))?;
    text::for_owners(out, &written)?;
    out.flush()?;
    Ok(())
}
