//! Two runs compared, and the runs that are kept, as JSON.

use std::io;

use interligo_model::values::decimal::Decimal;
use interligo_project::{Comparison, FigureWay, KeptRun};
use serde::Serialize;

use super::{Members, print};
use crate::output::Out;
use crate::text::kind_name;

#[derive(Serialize)]
struct Shown<'a> {
    runs: &'a [String; 2],
    files_new: &'a [String],
    files_gone: &'a [String],
    files_changed: &'a [String],
    notes: &'a [String],
    facts: Vec<FactShown<'a>>,
}

#[derive(Serialize)]
struct FactShown<'a> {
    fact: &'a str,
    lines: [u64; 2],
    figures: Members<WayShown<'a>>,
    in_one_run_only: Members<&'a [Option<String>; 2]>,
    groups: Members<Members<WayShown<'a>>>,
    changed_lines: Vec<LineShown<'a>>,
}

#[derive(Serialize)]
struct WayShown<'a> {
    from: Option<String>,
    to: Option<String>,
    causes: Vec<StepShown<'a>>,
}

#[derive(Serialize)]
struct StepShown<'a> {
    cause: &'static str,
    what: &'a str,
    example: &'a str,
    lines: u64,
    became_known: u64,
    became_unknown: u64,
    difference: Option<String>,
}

#[derive(Serialize)]
struct LineShown<'a> {
    key: &'a str,
    causes: Vec<LineCause<'a>>,
}

#[derive(Serialize)]
struct LineCause<'a> {
    cause: &'static str,
    what: &'a str,
    example: &'a str,
    differences: Members<Option<String>>,
}

fn number(value: Option<Decimal>) -> Option<String> {
    value.map(|value| value.to_string())
}

fn ways<'a>(figures: &'a [(String, FigureWay)]) -> Members<WayShown<'a>> {
    let way = |way: &'a FigureWay| WayShown {
        from: number(way.from),
        to: number(way.to),
        causes: way
            .steps
            .iter()
            .map(|step| StepShown {
                cause: kind_name(step.cause.kind),
                what: &step.cause.what,
                example: &step.cause.example,
                lines: step.lines,
                became_known: step.became_known,
                became_unknown: step.became_unknown,
                difference: number(step.difference),
            })
            .collect(),
    };
    figures.iter().map(|(name, own)| (name.clone(), way(own))).collect()
}

/// Prints two runs, compared.
pub fn compared_json(out: Out<'_>, compared: &Comparison) -> io::Result<()> {
    let facts = compared.facts.iter().map(|fact| {
        let differences = |all: &[Option<Decimal>]| {
            let sums = fact.figures.iter().zip(all).filter(|((_, way), _)| way.is_sum);
            sums.map(|((name, _), own)| (name.clone(), number(*own))).collect()
        };
        FactShown {
            fact: &fact.fact,
            lines: fact.lines,
            figures: ways(&fact.figures),
            in_one_run_only: fact.only_one.iter().map(|(name, own)| (name.clone(), own)).collect(),
            groups: fact.groups.iter().map(|(name, own)| (name.clone(), ways(own))).collect(),
            changed_lines: fact
                .changed
                .iter()
                .map(|line| LineShown {
                    key: &line.key,
                    causes: line
                        .causes
                        .iter()
                        .map(|(cause, all)| LineCause {
                            cause: kind_name(cause.kind),
                            what: &cause.what,
                            example: &cause.example,
                            differences: differences(all),
                        })
                        .collect(),
                })
                .collect(),
        }
    });
    let shown = Shown {
        runs: &compared.runs,
        files_new: &compared.files.new,
        files_gone: &compared.files.gone,
        files_changed: &compared.files.changed,
        notes: &compared.notes,
        facts: facts.collect(),
    };
    print(out, &shown)
}

#[derive(Serialize)]
struct RunShown<'a> {
    run: u32,
    at: u64,
    lines: Members<u64>,
    totals: Members<Members<&'a str>>,
    bytes: u64,
}

/// Prints the runs that a record is kept of.
pub fn kept_runs_json(out: Out<'_>, runs: &[KeptRun]) -> io::Result<()> {
    let shown: Vec<RunShown<'_>> = runs
        .iter()
        .map(|run| RunShown {
            run: run.number,
            at: run.at,
            lines: run.lines.iter().cloned().collect(),
            totals: run
                .totals
                .iter()
                .map(|(fact, totals)| {
                    let totals = totals.iter().map(|(name, total)| (name.clone(), total.as_str()));
                    (fact.clone(), totals.collect())
                })
                .collect(),
            bytes: run.bytes,
        })
        .collect();
    print(out, &shown)
}
