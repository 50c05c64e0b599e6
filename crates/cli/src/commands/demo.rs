//! `interligo demo`.

use interligo_engine::bind::{Content, Request, TotalsRequest};
use interligo_engine::engine::{Engine, Extent};
use interligo_engine::proof::tieout::TieOut;
use interligo_model::plan::Written;
use interligo_project::{OnDuplicates, OnStop, Parallelism};
use interligo_report::text;

use super::{Opened, Out};
use crate::args::DemoOptions;
use crate::demo::{self, Besides};
use crate::failure::Failure;

pub(crate) fn demo(options: &DemoOptions, out: Out<'_>) -> Result<(), Failure> {
    let besides = match (options.database, options.pricing) {
        (true, _) => Besides::Database,
        (_, true) => Besides::Pricing,
        _ => Besides::Nothing,
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
    let mut requests =
        Request::of_plan(&opened.project.plan).map_err(|mistake| opened.failure(mistake))?;
    requests.retain(|request| request.to.is_some());
    requests.push(by_group_and_month());
    let job = opened.prepare(&requests, Extent::Everything, OnDuplicates::Stop)?;
    let mut ran = opened.run(&job, OnStop::Stop)?;
    let mut profit = None;
    for outcome in &mut ran.outcomes {
        let asked = outcome.totals.iter().position(|(name, _)| name == PROFIT);
        profit = profit.or(asked.map(|at| outcome.totals.swap_remove(at).1));
        outcome.tie_out.written.retain(|written| written.output != PROFIT);
    }
    let ties: Vec<&TieOut> = ran.outcomes.iter().map(|outcome| &outcome.tie_out).collect();
    let facts: Vec<(&Engine, &TieOut)> = job.engines.iter().zip(ties.iter().copied()).collect();

    writeln!(
        out,
        "The Mielo Cooperative sells beekeeping supplies. Its files and its plan are in `{folder}`.\n"
    )?;
    text::tables_read(out, &ties)?;
    writeln!(out)?;
    text::link_health(out, &facts)?;
    text::title(out, "Profit by group and month of 2025")?;
    if let Some(profit) = &profit {
        text::bare(out, profit, "  ")?;
    }
    writeln!(out)?;
    for (number, tie) in ties.iter().enumerate() {
        if number > 0 {
            writeln!(out)?;
        }
        text::tie_out(out, &opened.project.plan, tie)?;
    }
    text::summary(out, &ran)?;
    text::title(out, "What to try next")?;
    for (command, what) in [
        (format!("cd {folder}"), ""),
        ("interligo check".to_owned(), "unmatched keys and duplicate keys"),
        (
            "interligo totals --by families.name --show lines,revenue,margin".to_owned(),
            "any figure by any attribute",
        ),
        ("interligo totals budget --by groups.name".to_owned(), "what was sold beside the budget"),
        ("interligo totals top_products --bars".to_owned(), "the ten best products, and the rest"),
        (
            "interligo calendar prices".to_owned(),
            "when prices are valid, and the days without a price",
        ),
        ("interligo mend".to_owned(), "correct wrong keys, one by one"),
        ("interligo run".to_owned(), "the outputs again, after a change of interligo.toml"),
    ] {
        writeln!(out, "{}", format!("  {command:<72}{what}").trim_end())?;
    }
    out.flush()?;
    Ok(())
}

/// The name of the totals that only the demo shows.
const PROFIT: &str = "profit by group and month";

fn by_group_and_month() -> Request {
    let written = |text: &str| Written::in_option("demo", text, 0..text.len());
    Request {
        name: PROFIT.to_owned(),
        to: None,
        of: None,
        content: Content::Totals(Box::new(TotalsRequest {
            by: vec![written("month(sold_on)")],
            across: vec![written("groups.name")],
            show: Some(vec![written("profit")]),
            filter: Some(written("year(sold_on) = '2025'")),
            ..TotalsRequest::default()
        })),
    }
}
