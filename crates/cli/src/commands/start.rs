//! `interligo start`.

use std::path::{Path, PathBuf};

use interligo_project::{
    Addition, Answers, PLAN_FILE, Parallelism, additions, explain_column, start as draft,
    with_additions, write_whole,
};
use interligo_report::json::plan_schema_text;
use interligo_report::output::Output as _;
use interligo_report::text;

use super::answering::Answering;
use super::{Out, propose_with};
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
        propose_with(Some(&plan), &[]);
        return add(options, &plan, &folder, &named, out);
    }
    let failed = |error| Failure::Work { error, plan: PathBuf::from("start"), text: String::new() };
    let draft_by = |answers: &Answers| {
        let progress = Progress::new(0);
        let advance = |bytes, lines| progress.advance(bytes, lines);
        let started = draft(&folder, &named, answers, Parallelism::default(), &advance);
        progress.finish();
        started.map_err(failed)
    };
    let mut answering = Answering::of(options);
    let mut answers = Answers::default();
    let mut started = draft_by(&answers)?;
    // What is answered may open or settle more.
    for _ in 0..ROUNDS {
        if !answering.answer(started.questions(), &mut answers, out)? {
            break;
        }
        started = draft_by(&answers)?;
    }
    if options.print {
        out.data(started.plan.as_bytes())?;
        out.flush()?;
        return Ok(());
    }
    let failed = |error| Failure::Work { error, plan: plan.clone(), text: String::new() };
    let text = with_schema(&started.plan, &folder);
    write_whole(&plan, text.as_bytes()).map_err(|error| failed(error.into()))?;
    propose_with(Some(&plan), &[]);
    text::started(out, &started, &plan)?;
    out.flush()?;
    Ok(())
}

/// Where the plan has its schema, for editors that complete keys by it.
const SCHEMA: &str = ".interligo/plan.schema.json";

/// A plan with the comment by which editors find its schema, which is written beside it; the plan alone, where that cannot be
/// written.
fn with_schema(plan: &str, folder: &Path) -> String {
    let path = folder.join(SCHEMA);
    let notes = path.parent().map_or(Ok(()), std::fs::create_dir_all);
    let written = notes.is_ok() && write_whole(&path, plan_schema_text().as_bytes()).is_ok();
    if written { format!("#:schema {SCHEMA}\n{plan}") } else { plan.to_owned() }
}

/// A folder is looked at again by its answers at most this many times. What is open then is left to the plan.
const ROUNDS: usize = 10;

/// Shows what lies in the folder and a plan does not know, and puts what is taken into the plan.
fn add(
    options: &StartOptions,
    plan: &Path,
    folder: &Path,
    named: &[String],
    out: Out<'_>,
) -> Result<(), Failure> {
    let known = super::parsed(plan, &[])?;
    let (source, text) = (known.source.clone(), known.in_file.clone());
    let failed = |error| Failure::Work { error, plan: plan.to_owned(), text: source.clone() };
    let progress = Progress::new(0);
    let found = additions(known, folder, named, &|bytes, lines| progress.advance(bytes, lines));
    progress.finish();
    let found = found.map_err(failed)?;
    let mut answers = Answers::default();
    let questions = found.all.iter().map(|addition| &addition.decision);
    let mut answering = Answering::of(options);
    if !answering.asks() {
        text::additions(out, &found, plan)?;
    }
    answering.answer(questions, &mut answers, out)?;
    let taken = found.all.iter().filter(|addition| answers.settle(&addition.decision));
    let taken: Vec<&Addition> = taken.collect();
    if !taken.is_empty() {
        let changed = with_additions(&text, taken.iter().copied());
        let changed = changed.map_err(|mistake| failed(mistake.into()))?;
        write_whole(plan, changed.as_bytes()).map_err(|error| failed(error.into()))?;
    }
    text::added_to_plan(out, &found, taken.len(), plan)?;
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
