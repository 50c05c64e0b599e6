//! `interligo trace`.

use interligo_engine::bind::Request;
use interligo_engine::engine::Extent;
use interligo_project::{
    OnDuplicates, Traced, Wanted, trace as trace_lines, trace_request, traced_fact,
};
use interligo_report::{json, text};

use super::{Opened, Out, condition_in};
use crate::args::{TraceFormat, TraceOptions};
use crate::failure::Failure;
use crate::progress::Progress;

/// How many lines are shown unless `--rows` says otherwise.
const ROWS: usize = 5;

pub(crate) fn trace(options: &TraceOptions, out: Out<'_>) -> Result<(), Failure> {
    let opened = Opened::open(&options.plan)?;
    match &options.total {
        Some(name) => cell(options, &opened, name, out),
        None => lines(options, &opened, out),
    }
}

fn lines(options: &TraceOptions, opened: &Opened, out: Out<'_>) -> Result<(), Failure> {
    let of = options.of.clone().or_else(|| fact_of_place(options, opened));
    let of = of.map(|fact| interligo_model::plan::Written::in_option("--of", &fact, 0..fact.len()));
    let filter = condition_in(&opened.project.plan, options.filter.as_ref());
    let request = Request { of, ..trace_request(filter.as_deref()) };
    let mut requests = vec![request];
    if options.filter.is_none() {
        // What outputs take from lookups is shown as well.
        let own = Request::of_plan(&opened.project.plan);
        let own = own.map_err(|mistake| opened.failure(mistake))?.into_iter();
        requests.extend(own.map(|request| Request { to: None, workbook: None, ..request }));
    }
    let job = opened.prepare(&requests, Extent::Everything, OnDuplicates::Report)?;
    let fact = traced_fact(&job);
    let engine = &job.engines[fact];
    let mut all = Traced::default();
    let most = options.rows.unwrap_or(ROWS);
    let mut wanted = Vec::new();
    for line in &options.lines {
        let one = opened.project.wanted(line, engine);
        wanted.push(one.map_err(|mistake| opened.failure(mistake))?);
    }
    if options.filter.is_some() {
        wanted.push(Wanted::Condition);
    }
    for wanted in &wanted {
        let progress = Progress::new(match wanted {
            Wanted::Place { .. } => 0,
            _ => opened.project.fact_bytes(engine),
        });
        let found = trace_lines(
            &opened.project,
            (&job, fact),
            wanted,
            most,
            opened.parallelism,
            &|bytes, lines| progress.advance(bytes, lines),
        );
        progress.finish();
        let found = found.map_err(|error| opened.failure(error))?;
        all.lines.extend(found.lines);
        all.more += found.more;
        all.no_line = all.no_line.or(found.no_line);
        all.notes.extend(found.notes);
    }
    match options.format {
        TraceFormat::Table => text::traced(out, engine, &all)?,
        TraceFormat::Markdown => text::traced_markdown(out, engine, &all)?,
        TraceFormat::Json => json::traced_json(out, engine, &all)?,
    }
    if all.lines.is_empty() && all.no_line.is_none() && options.format == TraceFormat::Table {
        writeln!(out, "No line meets the condition.")?;
    }
    out.flush()?;
    Ok(())
}

/// The fact in whose files the first place is.
fn fact_of_place(options: &TraceOptions, opened: &Opened) -> Option<String> {
    let first = options.lines.first()?;
    let mut facts = opened.project.plan.facts().map(|fact| fact.name.clone());
    facts.find(|fact| opened.project.is_place_of(first, fact))
}

fn cell(options: &TraceOptions, opened: &Opened, name: &str, out: Out<'_>) -> Result<(), Failure> {
    let mut condition = condition_in(&opened.project.plan, options.filter.as_ref());
    let mut of = options.of.clone();
    if let Some(output) = &options.output {
        let entry = opened.project.plan.outputs.get(output);
        let Some(entry) = entry.filter(|entry| entry.value.by.is_some()) else {
            return Err(super::totals::no_totals(output, opened));
        };
        let own = entry.value.filter.as_ref().map(|filter| filter.get_ref().clone());
        condition = match (condition, own) {
            (Some(one), Some(other)) => Some(format!("({one}) and ({other})")),
            (one, other) => one.or(other),
        };
        of = of.or_else(|| entry.value.of.as_ref().map(|of| of.get_ref().clone()));
    }
    let requests = opened.project.cell_requests(name, condition.as_deref(), of.as_deref());
    let requests = requests.map_err(|error| opened.failure(error))?;
    let job = opened.prepare(&requests, Extent::Everything, OnDuplicates::Stop)?;
    let bytes = job.engines.iter().map(|engine| opened.project.fact_bytes(engine)).sum::<u64>() * 2;
    let progress = Progress::new(bytes);
    let traced = opened.project.trace_cell(
        (&job, name),
        options.rows.unwrap_or(ROWS),
        opened.parallelism,
        &|bytes, lines| progress.advance(bytes, lines),
    );
    progress.finish();
    let cell = traced.map_err(|error| opened.failure(error))?;
    match options.format {
        TraceFormat::Table => text::cell(out, &cell)?,
        TraceFormat::Markdown => text::cell_markdown(out, &cell)?,
        TraceFormat::Json => json::cell_json(out, &cell)?,
    }
    out.flush()?;
    Ok(())
}
