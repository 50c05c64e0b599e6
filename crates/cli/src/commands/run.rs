//! `interligo run`.

use interligo_engine::engine::Extent;
use interligo_engine::proof::tieout::TieOut;
use interligo_project::{OnClosed, OnDuplicates, OnStop, RunResult, RunRules};
use interligo_report::{json, text};

use super::verify::verify_run;
use super::{Opened, Out};
use crate::args::{EndOptions, Format, RunOptions};
use crate::failure::Failure;

pub(crate) fn run(options: &RunOptions, out: Out<'_>) -> Result<(), Failure> {
    if let (Some(slice), Some(folder)) = (options.slice, &options.into) {
        return super::slices::slice(&options.plan, folder, slice, out);
    }
    if let (Some(master), Some(folder)) = (&options.on, &options.into) {
        return super::slices::on_spark(options, master, folder, out);
    }
    if options.watch {
        return super::watch::watch(options, out);
    }
    let opened = match options.quiet {
        true => Opened::open_quietly(&options.plan)?,
        false => Opened::open(&options.plan)?,
    };
    let requests = opened.project.run_requests().map_err(|error| opened.failure(error))?;
    let requests = if options.verify { opened.project.verified(requests) } else { requests };
    let job = opened.prepare(&requests, Extent::Everything, OnDuplicates::Stop)?;
    let on_closed = if options.end.reopen { OnClosed::Reopen } else { OnClosed::Refuse };
    let ran = opened.run(&job, RunRules { on_closed, ..OnStop::Stop.into() })?;
    match options.quiet {
        true => crate::printed::say_all(text::notes(&ran.notes)),
        false => print_run(&opened, &ran, &options.end, out)?,
    }
    if options.verify { verify_run(&options.plan, out) } else { Ok(()) }
}

/// Prints what a run came to.
pub(super) fn print_run(
    opened: &Opened,
    ran: &RunResult,
    end: &EndOptions,
    out: Out<'_>,
) -> Result<(), Failure> {
    let ties: Vec<&TieOut> = ran.outcomes.iter().map(|outcome| &outcome.tie_out).collect();
    match end.format {
        Format::Table if !end.full => text::brief(out, &opened.project.plan, &ties, ran)?,
        Format::Table => {
            for (number, tie) in ties.iter().enumerate() {
                if number > 0 {
                    writeln!(out)?;
                }
                text::tie_out(out, &opened.project.plan, tie)?;
            }
            text::summary(out, ran)?;
        }
        Format::Json => json::tie_out_json(out, &ties)?,
        Format::Csv => text::tie_out_csv(out, &ties)?,
    }
    out.flush()?;
    crate::printed::say_all(text::notes(&ran.notes));
    Ok(())
}
