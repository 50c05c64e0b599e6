//! `interligo compare` and `interligo runs`.

use interligo_report::{json, text};

use super::{Opened, Out};
use crate::args::{CompareFormat, CompareOptions, RunsFormat, RunsOptions};
use crate::failure::Failure;

pub(crate) fn compare(options: &CompareOptions, out: Out<'_>) -> Result<(), Failure> {
    let opened = Opened::open(&options.plan)?;
    let wanted = interligo_project::CompareOptions {
        by: options.by.clone(),
        lines: options.lines.unwrap_or(0),
    };
    let compared = opened.project.compare(&options.runs, &wanted);
    let compared = compared.map_err(|error| opened.failure(error))?;
    if let Some(path) = &options.svg {
        opened.write_picture(
            "--svg",
            path,
            interligo_report::svg::bridge_svg(&compared).as_bytes(),
        )?;
        writeln!(out, "The bridge is written: {}", path.display())?;
        return Ok(());
    }
    match options.format {
        CompareFormat::Table => text::compared(out, &compared)?,
        CompareFormat::Csv => text::compared_csv(out, &compared)?,
        CompareFormat::Markdown => text::compared_markdown(out, &compared)?,
        CompareFormat::Json => json::compared_json(out, &compared)?,
    }
    out.flush()?;
    Ok(())
}

pub(crate) fn runs(options: &RunsOptions, out: Out<'_>) -> Result<(), Failure> {
    let opened = Opened::open(&options.plan)?;
    let (mut runs, mut unreadable) = (Vec::new(), Vec::new());
    for kept in opened.project.kept_runs() {
        match kept {
            Ok(run) => runs.push(run),
            Err(error) => unreadable.push(error.to_string()),
        }
    }
    let keeps = opened.project.plan.plan.keep_runs.is_some();
    match options.format {
        RunsFormat::Table => text::kept_runs(out, &runs, keeps)?,
        RunsFormat::Json => json::kept_runs_json(out, &runs)?,
    }
    out.flush()?;
    crate::printed::say_all(text::notes(&unreadable));
    Ok(())
}
