//! The outputs of a run: opened before the first line, filled block by block, and there as a whole when
//! the counts close.

use std::path::{Path, PathBuf};

use interligo_core::engine::{Engine, Output, OutputContent};
use interligo_core::findings::{Findings, Parts};
use interligo_core::plan::ListKind;
use interligo_core::tieout::{TieOut, Written};
use interligo_core::totals::TotalsTable;

use crate::check::{Checked, list_bytes};
use crate::error::Error;
use crate::last_run::{FilesSince, FindingsSince, LastRun};
use crate::lines_out::LinesOutput;
use crate::parts::Table;
use crate::project::Project;
use crate::run::Outcome;
use crate::sinks::OutputFile;
use crate::text::write_cell;
use crate::totals_out;

/// The files of a run.
pub(crate) struct Sinks {
    pub(crate) lines: Vec<LinesOutput>,
    /// Whether there is a file for what is set aside: there is, where anything is written.
    pub(crate) keeps_aside: bool,
    pub(crate) files: Files,
}

pub(crate) struct Files {
    /// Of each output of lines, its file and how many lines it took.
    lines: Vec<(OutputFile, u64)>,
    aside_path: PathBuf,
    aside: Option<OutputFile>,
    aside_heading: Vec<u8>,
    aside_lines: u64,
}

impl Files {
    pub(crate) fn write(
        &mut self,
        lines: &[(Vec<u8>, u64)],
        aside: &(Vec<u8>, u64),
    ) -> Result<(), Error> {
        for ((file, count), (bytes, written)) in self.lines.iter_mut().zip(lines) {
            file.write(bytes)?;
            *count += written;
        }
        if aside.1 > 0 {
            if self.aside.is_none() {
                let mut file = OutputFile::create(&self.aside_path)?;
                file.write(&self.aside_heading)?;
                self.aside = Some(file);
            }
            if let Some(file) = &mut self.aside {
                file.write(&aside.0)?;
            }
            self.aside_lines += aside.1;
        }
        Ok(())
    }
}

impl Sinks {
    /// Opens the outputs of a fact that have a file. `known` are the files of all outputs so far; lines
    /// are kept aside where anything at all is written.
    pub(crate) fn create(
        project: &Project,
        engine: &Engine,
        fact: &Table,
        writes: bool,
        known: &mut Vec<PathBuf>,
    ) -> Result<Sinks, Error> {
        let mut sinks = Sinks {
            lines: Vec::new(),
            keeps_aside: writes,
            files: Files {
                lines: Vec::new(),
                aside_path: project.aside_path(&engine.bound.fact.name),
                aside: None,
                aside_heading: Vec::new(),
                aside_lines: 0,
            },
        };
        for output in &engine.outputs {
            let Some(path) = path_of(project, output)? else { continue };
            refuse_overwriting(project, output, &path, known)?;
            if matches!(output.content, OutputContent::List(ListKind::SetAside)) {
                sinks.files.aside = Some(OutputFile::create(&path)?);
            }
            if let OutputContent::Lines(columns) = &output.content {
                let prepared = LinesOutput::new(columns, engine, fact);
                let mut file = OutputFile::create(&path)?;
                file.write(prepared.heading())?;
                sinks.files.lines.push((file, 0));
                sinks.lines.push(prepared);
            }
        }
        let heading = &mut sinks.files.aside_heading;
        heading.extend_from_slice(b"reason,file,row,");
        for name in &fact.columns.names {
            write_cell(heading, name);
            heading.push(b',');
        }
        heading.extend_from_slice(b"as_read\n");
        if let Some(aside) = &mut sinks.files.aside {
            aside.write(&sinks.files.aside_heading)?;
        }
        Ok(sinks)
    }

    /// Closes the counts; the files are whole, and wait to appear. `counted` has the lines that a source of totals
    /// has, and those that it leaves out.
    pub(crate) fn finish(
        self,
        project: &Project,
        engine: &Engine,
        findings: Findings,
        counted: &dyn Fn(&str, usize) -> (u64, u64),
        parts: &Parts,
    ) -> Result<Whole, Error> {
        let keeps_aside = self.keeps_aside;
        let Files { lines, aside_path, aside, aside_lines, .. } = self.files;
        let mut lines = lines.into_iter();
        let (mut written, mut files, mut totals) = (Vec::new(), Vec::new(), Vec::new());
        let mut lists = Vec::new();
        let aside_is_listed = engine
            .outputs
            .iter()
            .any(|o| matches!(o.content, OutputContent::List(ListKind::SetAside)));
        for output in &engine.outputs {
            // A fact that is seen as of a later time is in the table already.
            if matches!(&output.content, OutputContent::Totals(plan) if plan.is_shifted()) {
                continue;
            }
            let to = output.to.as_ref().map_or(String::new(), |to| to.text.clone());
            let mut note = Written {
                output: output.name.clone(),
                to,
                lines: 0,
                groups: None,
                filtered: 0,
                is_list: matches!(output.content, OutputContent::List(_)),
                beside: false,
            };
            match &output.content {
                OutputContent::Lines(_) => {
                    let (file, count) = lines.next().expect("every output of lines has a file");
                    files.push(file);
                    note.lines = count;
                }
                OutputContent::List(ListKind::SetAside) => {
                    (note.lines, note.groups) = (aside_lines, Some(aside_lines));
                }
                OutputContent::List(kind) => {
                    if let Some(path) = path_of(project, output)? {
                        lists.push((written.len(), *kind, path));
                    }
                }
                // What a fact adds to a table of another.
                OutputContent::Totals(plan) if plan.layout.is_none() => {
                    (note.lines, note.filtered) = counted(&output.name, plan.source());
                    (note.to, note.beside) = (output.name.clone(), true);
                }
                OutputContent::Totals(_) => {
                    (note.lines, note.filtered) = counted(&output.name, 0);
                    totals.push((written.len(), output.name.clone(), path_of(project, output)?));
                }
            }
            written.push(note);
        }
        let stale_aside = keeps_aside && !aside_is_listed;
        let aside_to = aside.as_ref().map(|_| relative(project.folder(), &aside_path));
        let aside_lines = if keeps_aside { aside_lines } else { findings.lines_aside() };
        let tie_out = TieOut::new(engine, &findings, parts, written, aside_to, aside_lines);
        if !tie_out.open().is_empty() {
            return Err(Error::NotClosed(Box::new(tie_out)));
        }
        files.extend(aside);
        // What an earlier run set aside would be taken for this one's.
        let stale = (stale_aside && tie_out.lines_aside() == 0).then_some(aside_path);
        let since = FilesSince::default();
        let outcome = Outcome { findings, totals: Vec::new(), tie_out, since };
        Ok(Whole { outcome, files, stale, lists, totals })
    }
}

/// What came of a fact, with its files.
pub(crate) struct Whole {
    pub(crate) outcome: Outcome,
    files: Vec<OutputFile>,
    /// A file of an earlier run that this one has nothing for.
    stale: Option<PathBuf>,
    /// Lists that are written when all facts are through: by number among what was written, what, and where.
    lists: Vec<(usize, ListKind, PathBuf)>,
    /// Totals that are made when all facts are through: by number among what was written, their name, and where they
    /// go.
    totals: Vec<(usize, String, Option<PathBuf>)>,
}

impl Whole {
    /// Makes the totals and writes those that have a file, which waits to appear like the others. `table` gives them
    /// by name.
    pub(crate) fn make_totals(
        &mut self,
        mut table: impl FnMut(&str) -> Result<Option<TotalsTable>, Error>,
    ) -> Result<(), Error> {
        for (number, name, path) in std::mem::take(&mut self.totals) {
            let Some(table) = table(&name)? else { continue };
            let rows = if table.by.is_empty() { 1 } else { table.rows.len() as u64 };
            self.outcome.tie_out.written[number].groups = Some(rows);
            if let Some(path) = path {
                let mut file = OutputFile::create(&path)?;
                file.write(&totals_out::totals_csv(&table))?;
                self.files.push(file);
            }
            self.outcome.totals.push((name, table));
        }
        Ok(())
    }

    /// Writes the lists, which wait to appear like the other files.
    pub(crate) fn write_lists(
        &mut self,
        project: &Project,
        engine: &Engine,
        checked: &Checked,
    ) -> Result<(), Error> {
        for (number, kind, path) in std::mem::take(&mut self.lists) {
            let (bytes, rows) = list_bytes(kind, project, engine, &self.outcome.findings, checked);
            let mut file = OutputFile::create(&path)?;
            file.write(&bytes)?;
            self.files.push(file);
            let written = &mut self.outcome.tie_out.written[number];
            (written.lines, written.groups) = (rows, Some(rows));
        }
        Ok(())
    }
}

/// Lets the files of all facts appear, and notes which files were read.
pub(crate) fn appear(
    project: &Project,
    facts: Vec<Whole>,
    writes: bool,
    checked: &Checked,
) -> Result<(Vec<Outcome>, Option<FindingsSince>), Error> {
    let mut since = None;
    let (mut outcomes, mut files, mut stale) = (Vec::new(), Vec::new(), Vec::new());
    for fact in facts {
        outcomes.push(fact.outcome);
        files.extend(fact.files);
        stale.extend(fact.stale);
    }
    if writes {
        let path = project.last_run_path();
        let run = LastRun::of(outcomes.iter().map(|outcome| {
            let lines = outcome.tie_out.parts.iter().map(|(part, rows)| (&**part, rows.lines()));
            (outcome.tie_out.fact.table.as_str(), lines)
        }));
        let run = run.with_findings(checked);
        let earlier = LastRun::read(&path);
        let mut file = OutputFile::create(&path)?;
        file.write(&run.to_json())?;
        files.push(file);
        if let (Some(earlier), Some(first)) = (earlier, outcomes.first_mut()) {
            first.since = run.since(&earlier);
            since = run.findings_since(&earlier);
        }
    }
    // All files are whole before the first appears.
    files.iter_mut().try_for_each(OutputFile::flush)?;
    files.into_iter().try_for_each(OutputFile::appear)?;
    for path in stale.iter().filter(|path| path.exists()) {
        std::fs::remove_file(path).map_err(|error| Error::output(path, &error))?;
    }
    Ok((outcomes, since))
}

fn relative(folder: &Path, path: &Path) -> String {
    path.strip_prefix(folder).unwrap_or(path).to_string_lossy().into_owned()
}

/// The file of an output, if it has one.
fn path_of(project: &Project, output: &Output) -> Result<Option<PathBuf>, Error> {
    let Some(to) = &output.to else { return Ok(None) };
    if !to.text.to_lowercase().ends_with(".csv") {
        let message = format!("`{}` is no text file; other forms cannot be written yet", to.text);
        return Err(to.mistaken(message).help("let the name end in .csv").into());
    }
    Ok(Some(project.folder().join(&to.text)))
}

fn refuse_overwriting(
    project: &Project,
    output: &Output,
    path: &Path,
    known: &mut Vec<PathBuf>,
) -> Result<(), Error> {
    let Some(to) = &output.to else { return Ok(()) };
    let same = |other: &Path| match (path.canonicalize(), other.canonicalize()) {
        (Ok(a), Ok(b)) => a == b,
        _ => path == other,
    };
    if project.inputs().any(same) {
        let message =
            format!("the output `{}` would write over an input, `{}`", output.name, to.text);
        return Err(to.mistaken(message).help("give the output another name or folder").into());
    }
    let is_aside = matches!(output.content, OutputContent::List(ListKind::SetAside));
    let mut facts = project.plan.facts();
    let aside = !is_aside && facts.any(|fact| same(&project.aside_path(&fact.name)));
    if known.iter().any(|other| same(other)) || aside {
        let message = format!("two outputs would write the same file, `{}`", to.text);
        return Err(to.mistaken(message).help("give one of them another name").into());
    }
    known.push(path.to_owned());
    Ok(())
}
