//! `interligo start`.

use std::path::{Path, PathBuf};

use interligo_project::{PLAN_FILE, Parallelism, explain_column, start as draft, write_whole};
use interligo_report::output::Output as _;
use interligo_report::text;

use super::Out;
use crate::args::StartOptions;
use crate::failure::Failure;
use crate::progress::Progress;

pub(crate) fn start(options: &StartOptions, out: Out<'_>) -> Result<(), Failure> {
    let folder = folder(&options.named);
    let named: Vec<String> = match options.named.as_slice() {
        [] => vec![".".to_owned()],
        named => named.to_vec(),
    };
    for name in named.iter().filter(|name| !name.contains("://")) {
        // A table in a file comes after `#`.
        let file = name.split('#').next().unwrap_or(name);
        if !Path::new(name).exists() && !Path::new(file).exists() {
            return Err(Failure::NoSuchFile(name.clone()));
        }
    }
    let plan = match folder.as_path() {
        here if here == Path::new(".") => PathBuf::from(PLAN_FILE),
        other => other.join(PLAN_FILE),
    };
    if let Some(column) = &options.explain {
        return explain(&folder, &named, column, out);
    }
    if plan.exists() && !options.replace && !options.print {
        return Err(Failure::PlanThere(plan));
    }
    let progress = Progress::new(0);
    let started = draft(&folder, &named, Parallelism::default(), &|bytes, lines| {
        progress.advance(bytes, lines)
    });
    progress.finish();
    let started = started.map_err(|error| Failure::Work {
        error,
        plan: PathBuf::from("start"),
        text: String::new(),
    })?;
    if options.print {
        out.data(started.plan.as_bytes())?;
        out.flush()?;
        return Ok(());
    }
    let failed = |error| Failure::Work { error, plan: plan.clone(), text: String::new() };
    write_whole(&plan, started.plan.as_bytes()).map_err(|error| failed(error.into()))?;
    text::started(out, &started, &plan)?;
    out.flush()?;
    Ok(())
}

/// Shows why a column leads where it does.
fn explain(folder: &Path, named: &[String], column: &str, out: Out<'_>) -> Result<(), Failure> {
    let progress = Progress::new(0);
    let explained =
        explain_column(folder, named, column, &|bytes, lines| progress.advance(bytes, lines));
    progress.finish();
    let explained = explained.map_err(|error| Failure::Work {
        error,
        plan: PathBuf::from("start"),
        text: String::new(),
    })?;
    text::explained_column(out, &explained)?;
    out.flush()?;
    Ok(())
}

/// Where the plan will lie: in the one folder that is named, else here.
fn folder(named: &[String]) -> PathBuf {
    match named {
        [only] if Path::new(only).is_dir() => PathBuf::from(only),
        _ => PathBuf::from("."),
    }
}
