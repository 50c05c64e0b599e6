//! `interligo demo`.

use interligo_engine::bind::{Request, TotalsRequest};
use interligo_engine::engine::Extent;
use interligo_engine::proof::tieout::TieOut;
use interligo_model::plan::Written;
use interligo_project::{CompareOptions, OnDuplicates, OnStop, Parallelism};
use interligo_report::text;

use super::{Opened, Out};
use crate::args::DemoOptions;
use crate::demo::{self, Besides};
use crate::failure::Failure;

pub(crate) fn demo(options: &DemoOptions, out: Out<'_>) -> Result<(), Failure> {
    if options.next_month {
        return next_month(options, out);
    }
    let besides = match (&options.database, options.pricing) {
        (Some(server), _) => Besides::Database(server.clone()),
        (None, true) => Besides::Pricing,
        (None, false) => Besides::Nothing,
    };
    let plan = demo::write(&options.folder, options.lines.unwrap_or(demo::LINES), besides)?;
    let folder = options.folder.display();
    if let Some(lines) = options.lines {
        writeln!(
            out,
            "The Mielo Cooperative with {} is in `{folder}`.",
            text::counted(lines, "sales line")
        )?;
        writeln!(out, "Next: cd {folder} && interligo run")?;
        return Ok(());
    }
    let opened = Opened::at(plan, Parallelism::default())?;
    let mut requests = opened.project.run_requests().map_err(|error| opened.failure(error))?;
    requests.push(by_group_and_year());
    let job = opened.prepare(&requests, Extent::Everything, OnDuplicates::Stop)?;
    let mut ran = opened.run(&job, OnStop::Stop)?;
    let mut profit = None;
    for outcome in &mut ran.outcomes {
        let asked = outcome.totals.iter().position(|(name, _)| name == PROFIT);
        profit = profit.or(asked.map(|at| outcome.totals.swap_remove(at).1));
        outcome.tie_out.written.retain(|written| written.output != PROFIT);
    }
    let ties: Vec<&TieOut> = ran.outcomes.iter().map(|outcome| &outcome.tie_out).collect();

    writeln!(
        out,
        "The Mielo Cooperative sells beekeeping supplies. All is in `{folder}`. Its profit:\n"
    )?;
    if let Some(profit) = &profit {
        text::bare(out, profit, "  ")?;
        writeln!(out)?;
    }
    text::counts(out, &ties)?;
    let results = ties.iter().flat_map(|tie| &tie.written).filter(|written| !written.beside);
    let results = text::counted(results.count() as u64, "result");
    let findings = text::counted(ran.checked.groups().len() as u64, "finding");
    writeln!(out, "  {results} in `{folder}/out`; {findings}.")?;
    writeln!(out)?;
    writeln!(out, "  cd {folder}")?;
    for (command, what) in NEXT {
        writeln!(out, "  {command:<47}{what}")?;
    }
    out.flush()?;
    Ok(())
}

/// Adds a month to an earlier demo, runs it, and shows what that makes of the first figure.
fn next_month(options: &DemoOptions, out: Out<'_>) -> Result<(), Failure> {
    let plan = demo::add_next_month(&options.folder)?;
    let opened = Opened::at(plan, Parallelism::default())?;
    let requests = opened.project.run_requests().map_err(|error| opened.failure(error))?;
    let job = opened.prepare(&requests, Extent::Everything, OnDuplicates::Stop)?;
    opened.run(&job, OnStop::Stop)?;
    let compared = opened.project.compare(&[], &CompareOptions::default());
    let mut compared = compared.map_err(|error| opened.failure(error))?;
    compared.facts.truncate(1);
    compared.facts.iter_mut().for_each(|fact| fact.figures.truncate(1));
    writeln!(out, "A month later, in `{}`:", options.folder.display())?;
    demo::NEXT_MONTH.iter().try_for_each(|change| writeln!(out, "  {change}"))?;
    writeln!(out)?;
    text::compared(out, &compared)?;
    let go = match options.folder.as_os_str() == "." {
        true => String::new(),
        false => format!("cd {} && ", options.folder.display()),
    };
    writeln!(out, "\nNext: {go}interligo compare --by groups.name")?;
    out.flush()?;
    Ok(())
}

/// What to try after the demo.
const NEXT: [(&str, &str); 4] = [
    ("interligo check", "what to look at, and what to do"),
    ("interligo totals --by depot --show revenue", "any figure by any attribute"),
    ("interligo calendar prices", "the days without a price"),
    ("interligo demo . --next-month", "what a month later changes"),
];

/// The name of the totals that only the demo shows.
const PROFIT: &str = "profit by group and year";

fn by_group_and_year() -> Request {
    let written = |text: &str| Written::in_option("demo", text, 0..text.len());
    Request::of_totals(
        PROFIT,
        TotalsRequest {
            by: vec![written("groups.name")],
            across: vec![written("year(sold_on)")],
            show: Some(vec![written("profit")]),
            ..TotalsRequest::default()
        },
    )
}
