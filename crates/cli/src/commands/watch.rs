//! `interligo run --watch`: runs again whenever the plan or an input changes.

use std::path::{Path, PathBuf};
use std::time::{Duration, SystemTime};

use interligo_engine::engine::Extent;
use interligo_project::{OnClosed, OnDuplicates, OnStop, RunRules};
use interligo_report::text::counted;

use super::{Opened, Out, folder_of, plan_path};
use crate::args::RunOptions;
use crate::failure::Failure;

/// How often it is looked whether something has changed.
const EVERY: Duration = Duration::from_millis(300);

/// Runs, and runs again after each change, until it is interrupted. What goes wrong is told like that of a run, and waits for the next
/// change.
pub(super) fn watch(options: &RunOptions, out: Out<'_>) -> Result<(), Failure> {
    let plan = plan_path(&options.plan)?;
    let mut changed: Option<PathBuf> = None;
    loop {
        let (watched, ran) = run_once(options, &plan);
        match ran {
            Ok(what) => {
                let shown =
                    |path: &PathBuf| path.strip_prefix(".").unwrap_or(path).display().to_string();
                let after = changed.map(|path| format!(", after `{}` changed", shown(&path)));
                writeln!(out, "{what}{}", after.unwrap_or_default())?;
                out.flush()?;
            }
            Err(failure) => failure.print(),
        }
        changed = Some(watched.wait());
    }
}

/// One run; the answer is what to watch for the next, and what it came to in a line.
fn run_once(options: &RunOptions, plan: &Path) -> (Watched, Result<String, Failure>) {
    let opened = match Opened::open(&options.plan) {
        Ok(opened) => opened,
        Err(failure) => return (Watched::of(vec![plan.to_owned()]), Err(failure)),
    };
    let mut inputs = opened.project.input_files();
    inputs.push(plan.to_owned());
    let folders: Vec<PathBuf> = inputs.iter().map(|path| folder_of(path).to_owned()).collect();
    // A file that changes while it is read is one more change.
    let mut watched = Watched::of(inputs);
    let run = || -> Result<String, Failure> {
        let requests = opened.project.run_requests().map_err(|error| opened.failure(error))?;
        let job = opened.prepare(&requests, Extent::Everything, OnDuplicates::Stop)?;
        let on_closed = if options.end.reopen { OnClosed::Reopen } else { OnClosed::Refuse };
        let ran = opened.run(&job, RunRules { on_closed, ..OnStop::Stop.into() })?;
        crate::printed::say_all(interligo_report::text::notes(&ran.notes));
        let ties = || ran.outcomes.iter().map(|outcome| &outcome.tie_out);
        let written = ties().flat_map(|tie| &tie.written).filter(|own| own.in_file.is_some());
        let outputs = counted(written.count() as u64, "output");
        let lines =
            ties().map(|tie| format!("{}: {}", tie.fact.table, counted(tie.lines_kept(), "line")));
        Ok(format!("{} to {outputs}", lines.collect::<Vec<_>>().join(", ")))
    };
    let ran = run();
    // A file that comes into a folder may be one that a pattern takes; what the run itself wrote is no change.
    watched.0.extend(Watched::of(folders).0);
    (watched, ran)
}

/// Files and folders as they were.
struct Watched(Vec<(PathBuf, State)>);

/// How large a file is and when it was changed; nothing where there is none.
type State = Option<(u64, SystemTime)>;

impl Watched {
    fn of(mut paths: Vec<PathBuf>) -> Watched {
        paths.sort();
        paths.dedup();
        Watched(paths.into_iter().map(|path| (path.clone(), state(&path))).collect())
    }

    /// Waits until something changes; the answer is what.
    fn wait(&self) -> PathBuf {
        loop {
            std::thread::sleep(EVERY);
            if let Some((path, _)) = self.0.iter().find(|(path, before)| state(path) != *before) {
                return path.clone();
            }
        }
    }
}

fn state(path: &Path) -> State {
    let metadata = path.metadata().ok()?;
    Some((metadata.len(), metadata.modified().ok()?))
}
