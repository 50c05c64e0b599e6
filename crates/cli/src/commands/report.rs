//! `interligo report`.

use interligo_engine::engine::Extent;
use interligo_project::{OnDuplicates, OnStop};
use interligo_report::html;

use super::{Opened, Out};
use crate::args::ReportOptions;
use crate::failure::Failure;

pub(crate) fn report(options: &ReportOptions, out: Out<'_>) -> Result<(), Failure> {
    let opened = Opened::open(&options.plan)?;
    let project = &opened.project;
    // Before all lines are read.
    project.refuse_page("--to", &options.to).map_err(|error| opened.failure(error))?;
    let requests = project.page_requests().map_err(|error| opened.failure(error))?;
    let (job, ran) = match opened.ask_kept(&requests, options.fresh) {
        Some(kept) => kept,
        None => {
            let job = opened.prepare(&requests, Extent::Everything, OnDuplicates::Stop)?;
            let ran = opened.run(&job, OnStop::Stop)?;
            (job, ran)
        }
    };
    let bridge = project.last_bridge();
    let page = html::page(&project.page_of(&job, &ran, bridge.as_ref(), options.title.as_deref()));
    opened.write_picture("--to", &options.to, &page)?;
    writeln!(out, "The page is written: {}", options.to.display())?;
    out.flush()?;
    Ok(())
}
