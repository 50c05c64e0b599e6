//! `interligo check`.

use interligo_core::engine::Extent;
use interligo_io::{OnDuplicates, OnStop, duplicate_stops, stops};

use super::{Opened, Out};
use crate::args::{CheckOptions, Format};
use crate::failure::Failure;
use crate::show::{self, CheckReport};

pub(crate) fn check(options: &CheckOptions, out: Out<'_>) -> Result<(), Failure> {
    let opened = Opened::open(&options.plan)?;
    let engines = opened.prepare(&[], Extent::Everything, OnDuplicates::Report)?;
    let outcomes = opened.run(&engines, OnStop::Report)?;
    let report = CheckReport::over(&opened.project, &engines, &outcomes);
    match options.format {
        Format::Table => report.table(out)?,
        Format::Csv => report.csv(out)?,
        Format::Json => report.json(out)?,
    }
    out.flush()?;
    let mut stopping = Vec::new();
    for (engine, outcome) in engines.iter().zip(&outcomes) {
        let duplicates = duplicate_stops(&engine.bound, &engine.lookups);
        let found = stops(&opened.project, engine, &outcome.findings);
        // Lookups that facts share are spoken of once.
        let new: Vec<_> =
            duplicates.into_iter().chain(found).filter(|stop| !stopping.contains(stop)).collect();
        stopping.extend(new);
    }
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
