//! Which files the last run read and what it found, so that the next one can say what is new. It is kept beside the plan,
//! in `.interligo/PLAN/last-run.json`, and appears together with the outputs.

use std::collections::{BTreeMap, BTreeSet};
use std::fs::Metadata;
use std::path::{Path, PathBuf};
use std::time::UNIX_EPOCH;

use interligo_sinks::output_file::OutputFile;
use interligo_sources::same_file::real_path;
use interligo_sources::table::path_pattern::natural_order;
use serde::{Deserialize, Serialize};

use crate::check::{Code, renamed_kind};
use crate::outcome::{FilesSince, FindingsSince};

/// The files of each table.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct LastRun {
    tables: BTreeMap<String, BTreeMap<String, Lines>>,
    /// By kind of finding and where, what was found.
    #[serde(default)]
    findings: BTreeMap<String, Found>,
    /// The files that the run wrote, as paths in the folder of the plan.
    #[serde(default)]
    files: BTreeMap<String, FileWritten>,
    /// The number of the record of closed periods, where there is one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) closed: Option<u32>,
}

/// A file as it was when it was written.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
struct FileWritten {
    bytes: u64,
    /// When, in nanoseconds since 1970.
    at: u128,
}

impl FileWritten {
    fn of(metadata: &Metadata) -> Option<FileWritten> {
        let at = metadata.modified().ok()?.duration_since(UNIX_EPOCH).ok()?.as_nanos();
        Some(FileWritten { bytes: metadata.len(), at })
    }
}

/// The findings of a kind in a link or table.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
struct Found {
    /// Lines, rows or values.
    count: u64,
    /// Keys or columns, up to [`SUBJECTS`].
    subjects: BTreeSet<String>,
}

/// A kind and where, by the present name of the kind.
fn present(of: String) -> String {
    match of.split_once(' ') {
        Some((kind, place)) => format!("{} {place}", renamed_kind(kind).unwrap_or(kind)),
        None => of,
    }
}

/// How many keys of a kind are remembered.
const SUBJECTS: usize = 10_000;

#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
struct Lines {
    lines: u64,
}

impl LastRun {
    /// What the last run left; nothing when there was none, or when it cannot be read.
    pub(crate) fn read(path: &Path) -> Option<LastRun> {
        let mut run: LastRun = serde_json::from_slice(&std::fs::read(path).ok()?).ok()?;
        run.findings = run.findings.into_iter().map(|(of, found)| (present(of), found)).collect();
        Some(run)
    }

    /// A run over the files of some tables, with the lines of each.
    pub(crate) fn of<'f, F: Iterator<Item = (&'f str, u64)>>(
        tables: impl Iterator<Item = (&'f str, F)>,
    ) -> LastRun {
        let lines =
            |files: F| files.map(|(file, lines)| (file.to_owned(), Lines { lines })).collect();
        LastRun {
            tables: tables.map(|(table, files)| (table.to_owned(), lines(files))).collect(),
            findings: BTreeMap::new(),
            files: BTreeMap::new(),
            closed: None,
        }
    }

    /// Whether there was a record of closed periods.
    pub(crate) fn has_closed(&self) -> bool {
        self.closed.is_some()
    }

    /// The same with the files that it writes.
    pub(crate) fn with_files<'f>(
        mut self,
        files: impl Iterator<Item = &'f OutputFile>,
        folder: &Path,
    ) -> LastRun {
        for file in files {
            let written = file.metadata().ok().and_then(|metadata| FileWritten::of(&metadata));
            if let (Some(target), Some(written)) = (file.target(), written) {
                self.files.insert(name_in(folder, target), written);
            }
        }
        self
    }

    /// Whether a file is one that the run wrote, as it wrote it.
    pub(crate) fn wrote(&self, path: &Path, folder: &Path) -> bool {
        let path = real_path(path);
        let there = path.metadata().ok().and_then(|metadata| FileWritten::of(&metadata));
        there.is_some() && self.files.get(&name_in(folder, &path)).copied() == there
    }

    /// Whether a file is one that the run wrote, whatever became of it since.
    pub(crate) fn has_written(&self, path: &Path, folder: &Path) -> bool {
        self.files.contains_key(&name_in(folder, &real_path(path)))
    }

    /// The files that are still there, as paths.
    pub(crate) fn written(&self, folder: &Path) -> Vec<PathBuf> {
        self.files.keys().map(|name| folder.join(name)).filter(|path| path.is_file()).collect()
    }

    /// Notes that this many lines, rows or values of a kind were found.
    pub(crate) fn note_finding(&mut self, code: Code, place: &str, count: u64, subject: &str) {
        let found = self.findings.entry(format!("{} {place}", code.name())).or_default();
        found.count += count;
        if found.subjects.len() < SUBJECTS {
            found.subjects.insert(subject.to_owned());
        }
    }

    /// How this run's findings differ from those of an earlier one; none if that noted none.
    pub(crate) fn findings_since(&self, earlier: &LastRun) -> Option<FindingsSince> {
        let kind = |of: &str| {
            let (code, about) = of.split_once(' ')?;
            Some((Code::called(code)?, about.to_owned()))
        };
        let mut since = FindingsSince::default();
        for (of, found) in &self.findings {
            let before = earlier.findings.get(of).cloned().unwrap_or_default();
            let new = found.subjects.difference(&before.subjects).cloned();
            if let Some(kind) = kind(of) {
                since.now.insert(kind, (before.count, new.collect()));
            }
        }
        let gone = earlier.findings.iter().filter(|(of, _)| !self.findings.contains_key(*of));
        since.gone = gone
            .filter_map(|(of, found)| kind(of).map(|(code, about)| (code, about, found.count)))
            .collect();
        Some(since)
    }

    pub(crate) fn to_json(&self) -> Vec<u8> {
        let mut text = serde_json::to_vec_pretty(self).unwrap_or_default();
        text.push(b'\n');
        text
    }

    /// How this run's files differ from those of an earlier one.
    pub(crate) fn since(&self, earlier: &LastRun) -> FilesSince {
        let files = |run: &LastRun| -> BTreeSet<String> {
            run.tables.values().flat_map(|files| files.keys().cloned()).collect()
        };
        let (now, before) = (files(self), files(earlier));
        let only = |some: &BTreeSet<String>, others: &BTreeSet<String>| {
            let mut only: Vec<String> = some.difference(others).cloned().collect();
            only.sort_by(|a, b| natural_order(a, b));
            only
        };
        FilesSince { new: only(&now, &before), gone: only(&before, &now) }
    }
}

/// A path as the record has it: in the folder of the plan, so that the folder may be moved.
fn name_in(folder: &Path, path: &Path) -> String {
    let folder = real_path(folder);
    path.strip_prefix(folder).unwrap_or(path).to_string_lossy().into_owned()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn files_are_new_or_gone_since_the_last_run() {
        let run = |files: &[&str]| {
            let files = files.iter().map(|file| (*file, 7));
            LastRun::of([("sales", files)].into_iter())
        };
        let (before, now) = (run(&["a.csv", "b.csv"]), run(&["b.csv", "c10.csv", "c2.csv"]));
        let json: LastRun = serde_json::from_slice(&before.to_json()).unwrap();
        assert_eq!(json, before);
        let since =
            FilesSince { new: vec!["c2.csv".into(), "c10.csv".into()], gone: vec!["a.csv".into()] };
        assert_eq!(now.since(&json), since);
    }
}
