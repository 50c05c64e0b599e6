//! The outputs of a run: opened before the first line, filled block by block, and there as a whole when
//! the counts close.

use std::path::{Path, PathBuf};

use interligo_core::engine::{Engine, Output, OutputContent};
use interligo_core::findings::{Findings, Parts};
use interligo_core::tieout::{TieOut, Written};
use interligo_core::totals::TotalsTable;

use crate::error::Error;
use crate::last_run::{FilesSince, LastRun};
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
    /// Where this run is noted, and what the last one left there; not where nothing is written.
    last_run: Option<(PathBuf, Option<LastRun>)>,
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
    /// Opens the outputs that have a file.
    pub(crate) fn create(project: &Project, engine: &Engine, fact: &Table) -> Result<Sinks, Error> {
        let writes = engine.outputs.iter().any(|output| output.to.is_some());
        let last_run = project.last_run_path();
        let mut sinks = Sinks {
            lines: Vec::new(),
            keeps_aside: writes,
            last_run: writes.then(|| (last_run.clone(), LastRun::read(&last_run))),
            files: Files {
                lines: Vec::new(),
                aside_path: project.aside_path(),
                aside: None,
                aside_heading: Vec::new(),
                aside_lines: 0,
            },
        };
        let mut known: Vec<PathBuf> = Vec::new();
        for output in &engine.outputs {
            let Some(path) = path_of(project, output)? else { continue };
            refuse_overwriting(project, output, &path, &mut known)?;
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
        Ok(sinks)
    }

    /// Writes the totals, closes the counts, and lets the files appear.
    pub(crate) fn finish(
        self,
        project: &Project,
        engine: &Engine,
        findings: Findings,
        tables: Vec<TotalsTable>,
        parts: &Parts,
    ) -> Result<Outcome, Error> {
        let keeps_aside = self.keeps_aside;
        let Files { lines, aside_path, aside, aside_lines, .. } = self.files;
        let mut lines = lines.into_iter();
        let mut tables = tables.into_iter();
        let (mut written, mut files, mut totals) = (Vec::new(), Vec::new(), Vec::new());
        for output in &engine.outputs {
            let to = output.to.as_ref().map_or(String::new(), |to| to.text.clone());
            let (output_name, mut note) = (
                output.name.clone(),
                Written { output: output.name.clone(), to, lines: 0, groups: None, filtered: 0 },
            );
            match &output.content {
                OutputContent::Lines(_) => {
                    let (file, count) = lines.next().expect("every output of lines has a file");
                    files.push(file);
                    note.lines = count;
                }
                OutputContent::Totals(_) => {
                    let table = tables.next().expect("every output of totals has a table");
                    (note.lines, note.filtered) = (table.lines, table.filtered);
                    note.groups = Some(table.rows.len() as u64);
                    if let Some(path) = path_of(project, output)? {
                        let mut file = OutputFile::create(&path)?;
                        file.write(&totals_out::totals_csv(&table))?;
                        files.push(file);
                    }
                    totals.push((output_name, table));
                }
            }
            written.push(note);
        }
        let aside_to = aside.as_ref().map(|_| relative(project.folder(), &aside_path));
        let aside_lines = if keeps_aside { aside_lines } else { findings.lines_aside() };
        let tie_out = TieOut::new(engine, &findings, parts, written, aside_to, aside_lines);
        if !tie_out.open().is_empty() {
            return Err(Error::NotClosed(Box::new(tie_out)));
        }
        files.extend(aside);
        let since = self.last_run.map(|(path, earlier)| {
            let lines = tie_out.parts.iter().map(|(part, rows)| (&**part, rows.lines()));
            let run = LastRun::of(&engine.bound.fact.name, lines);
            let mut file = OutputFile::create(&path)?;
            file.write(&run.to_json())?;
            files.push(file);
            Ok::<_, Error>(earlier.map_or_else(FilesSince::default, |earlier| run.since(&earlier)))
        });
        let since = since.transpose()?.unwrap_or_default();
        // All files are whole before the first appears.
        files.iter_mut().try_for_each(OutputFile::flush)?;
        files.into_iter().try_for_each(OutputFile::appear)?;
        if keeps_aside && tie_out.lines_aside() == 0 && aside_path.exists() {
            // What an earlier run set aside would be taken for this one's.
            std::fs::remove_file(&aside_path)
                .map_err(|error| Error::output(&aside_path, &error))?;
        }
        Ok(Outcome { findings, totals, tie_out, since })
    }
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
    if known.iter().any(|other| same(other)) || same(&project.aside_path()) {
        let message = format!("two outputs would write the same file, `{}`", to.text);
        return Err(to.mistaken(message).help("give one of them another name").into());
    }
    known.push(path.to_owned());
    Ok(())
}
