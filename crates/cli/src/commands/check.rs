//! `interligo check`.

use interligo_core::engine::Extent;
use interligo_io::{OnDuplicates, OnStop, duplicate_stops, stops};

use super::{Opened, Out};
use crate::args::{CheckOptions, Format};
use crate::failure::Failure;
use crate::show::{self, CheckReport};

pub(crate) fn check(options: &CheckOptions, out: Out<'_>) -> Result<(), Failure> {
    let opened = Opened::open(&options.plan)?;
    let engine = opened.prepare(&[], Extent::Everything, OnDuplicates::Report)?;
    let outcome = opened.run(&engine, OnStop::Report)?;
    let report = CheckReport::new(&opened.project, &engine, &outcome);
    match options.format {
        Format::Table => report.table(out)?,
        Format::Csv => report.csv(out)?,
        Format::Json => report.json(out)?,
    }
    out.flush()?;
    let mut stopping = duplicate_stops(&engine.bound, &engine.lookups);
    stopping.extend(stops(&opened.project, &engine, &outcome.findings));
    if stopping.is_empty() {
        if options.format == Format::Table {
            show::would_not_stop(out)?;
            out.flush()?;
        }
        return Ok(());
    }
    for stop in &stopping {
        show::would_stop(&stop.message, &stop.help);
    }
    Err(Failure::Found)
}
