//! `interligo run`.

use interligo_core::bind::Request;
use interligo_core::engine::Extent;
use interligo_io::{OnDuplicates, OnStop};

use super::{Opened, Out};
use crate::args::{Format, RunOptions};
use crate::failure::Failure;
use crate::show;

pub(crate) fn run(options: &RunOptions, out: Out<'_>) -> Result<(), Failure> {
    let opened = Opened::open(&options.plan)?;
    let requests =
        Request::of_plan(&opened.project.plan).map_err(|mistake| opened.failure(mistake))?;
    let engine = opened.prepare(&requests, Extent::Everything, OnDuplicates::Stop)?;
    let outcome = opened.run(&engine, OnStop::Stop)?;
    match options.format {
        Format::Table => {
            show::tie_out(out, &opened.project.plan.plan, &outcome.tie_out)?;
            show::notes(out, &opened.project, &engine, &outcome)?;
        }
        Format::Json => show::tie_out_json(out, &outcome.tie_out)?,
        Format::Csv => show::tie_out_csv(out, &outcome.tie_out)?,
    }
    out.flush()?;
    Ok(())
}
