//! Slices placed on machines by Spark, an engine that exists: a small job with a task for each slice, submitted with Spark's
//! own program. What a slice does there is what it does anywhere.

use std::fs::File;
use std::io::Read;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::thread::sleep;
use std::time::Duration;

use super::division::{Division, slice_folder};
use super::error::SlicesError;
use super::one_slice::is_of;
use super::record::RecordOf;
use crate::error::Error;
use crate::project::Project;

/// The job.
const JOB: &str = include_str!("on_spark.py");

/// How often it is looked how many slices are done.
const EVERY: Duration = Duration::from_millis(200);

/// How many of these looks go by between two at what Spark says, which grows long.
const LOOKS_AT_LOG: u32 = 25;

/// What Spark says, every 15 seconds, while no machine takes its work.
const NOBODY: &str = "Initial job has not accepted any resources";

/// How often it may say so.
const PATIENCE: usize = 8;

/// Where a run in slices takes place.
pub struct OnSpark<'a> {
    /// The master, as Spark takes it: `spark://host:7077`, `yarn`, `local[4]`.
    pub master: &'a str,
    /// The plan, which all machines see at this path.
    pub plan: &'a Path,
    /// Options that each slice has besides.
    pub options: &'a [String],
    /// The folder of the slices, which they see as well.
    pub folder: &'a Path,
}

impl OnSpark<'_> {
    /// Has Spark run the slices that are not done; `progress` is told how many are.
    ///
    /// # Errors
    /// Spark is not installed, does not answer, or gives up; a slice ends with a message.
    pub fn run_slices(&self, project: &Project, progress: &dyn Fn(usize)) -> Result<(), Error> {
        let division = Division::read(self.folder, project)?;
        let id = division.id();
        let is_done = |slice: &usize| {
            let of = RecordOf { division: id, slice: *slice };
            is_of(&slice_folder(self.folder, *slice), of)
        };
        let todo: Vec<usize> = (1..=division.slices).filter(|slice| !is_done(slice)).collect();
        progress(division.slices - todo.len());
        if todo.is_empty() {
            return Ok(());
        }
        let (log, result) = (self.folder.join("spark.log"), self.folder.join("spark.json"));
        let _ = std::fs::remove_file(&result);
        let mut submitted = self.submit(&division, &todo, (&log, &result))?;
        let mut looks = 0u32;
        let ended = loop {
            let ended = submitted.try_wait().map_err(|e| SlicesError::unwritable(&log, &e))?;
            let is_there = |slice: &usize| slice_folder(self.folder, *slice).is_dir();
            progress((1..=division.slices).filter(is_there).count());
            if let Some(status) = ended {
                break status.success();
            }
            looks += 1;
            if looks.is_multiple_of(LOOKS_AT_LOG) && nobody_takes(&read(&log)) {
                let _ = submitted.kill();
                let _ = submitted.wait();
                let why = "no machine of the cluster takes the work".to_owned();
                return Err(SlicesError::Spark { why, log }.into());
            }
            sleep(EVERY);
        };
        let results: Option<Vec<(usize, i32, String)>> = serde_json::from_str(&read(&result)).ok();
        let Some(mut results) = results.filter(|_| ended) else {
            return Err(SlicesError::Spark { why: reason(&read(&log)), log }.into());
        };
        results.sort_by_key(|(slice, ..)| *slice);
        match results.into_iter().find(|(_, status, _)| *status != 0) {
            Some((slice, _, said)) => Err(SlicesError::Failed { slice, said }.into()),
            None => Ok(()),
        }
    }

    fn submit(
        &self,
        division: &Division,
        todo: &[usize],
        (log, result): (&Path, &Path),
    ) -> Result<Child, SlicesError> {
        let job = self.folder.join("on_spark.py");
        std::fs::write(&job, JOB).map_err(|error| SlicesError::unwritable(&job, &error))?;
        let told = File::create(log).map_err(|error| SlicesError::unwritable(log, &error))?;
        let also = told.try_clone().map_err(|error| SlicesError::unwritable(log, &error))?;
        let program = std::env::current_exe().map_err(|e| SlicesError::unwritable(log, &e))?;
        let todo: Vec<String> = todo.iter().map(usize::to_string).collect();
        let mut command = Command::new(submit_program()?);
        command
            .args(["--master", self.master, "--name", "interligo", "--files"])
            .arg(&program)
            .arg(&job)
            .arg(program.file_name().unwrap_or_default())
            .arg(self.plan)
            .arg(self.folder)
            .arg(division.slices.to_string())
            .arg(result)
            .arg(todo.join(","))
            .args(self.options)
            .stdin(Stdio::null())
            .stdout(told)
            .stderr(also);
        command.spawn().map_err(|_| SlicesError::NoSpark)
    }
}

/// Spark's program for submitting jobs: in `SPARK_HOME`, or on the path.
fn submit_program() -> Result<PathBuf, SlicesError> {
    let homes = std::env::var_os("SPARK_HOME").map(|home| Path::new(&home).join("bin"));
    let paths = std::env::var_os("PATH").unwrap_or_default();
    let mut all = homes.into_iter().chain(std::env::split_paths(&paths));
    let found = all.find_map(|folder| {
        let program = folder.join(if cfg!(windows) { "spark-submit.cmd" } else { "spark-submit" });
        program.is_file().then_some(program)
    });
    found.ok_or(SlicesError::NoSpark)
}

/// Whether Spark has waited for long, and still does.
fn nobody_takes(log: &str) -> bool {
    let waits = log.trim_end().lines().last().is_some_and(|last| last.contains(NOBODY));
    waits && log.matches(NOBODY).count() > PATIENCE
}

fn read(path: &Path) -> String {
    let mut bytes = Vec::new();
    let _ = File::open(path).and_then(|mut file| file.read_to_end(&mut bytes));
    String::from_utf8_lossy(&bytes).into_owned()
}

/// Why Spark gave up, from all that it says.
fn reason(log: &str) -> String {
    if log.contains("All masters are unresponsive") || log.contains("Failed to connect to master") {
        return "the master does not answer".to_owned();
    }
    // The program says it in one line, above or below the stacks of its calls.
    let says = |line: &&str| {
        let line = line.trim_start();
        !line.starts_with("at ") && (line.contains("Exception") || line.contains("Error"))
    };
    let line = log.lines().rev().find(says).map(str::trim);
    line.map_or("it ended without a result".to_owned(), str::to_owned)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_reason_is_found_among_stacks() {
        let log = "WARN x\njava.io.IOException: no space left\n\tat a.b(C.java:1)\n\tat d.Error(E.java:2)\n";
        assert_eq!(reason(log), "java.io.IOException: no space left");
        assert_eq!(
            reason("All masters are unresponsive! Giving up."),
            "the master does not answer"
        );
        assert_eq!(reason(""), "it ended without a result");
    }

    #[test]
    fn a_cluster_that_was_busy_and_is_not_any_more_is_waited_for() {
        let waits = format!("WARN {NOBODY}\n");
        assert!(!nobody_takes(&waits.repeat(PATIENCE)));
        assert!(nobody_takes(&waits.repeat(PATIENCE + 1)));
        assert!(!nobody_takes(&(waits.repeat(PATIENCE + 1) + "INFO Starting task 0.0\n")));
    }
}
