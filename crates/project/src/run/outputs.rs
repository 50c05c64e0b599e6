//! The outputs of a run: opened before the first line, filled block by block, and there as a whole when
//! the counts close.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use interligo_engine::engine::{Engine, OutputContent};
use interligo_engine::proof::faults::{Fault, strikes};
use interligo_engine::proof::findings::Findings;
use interligo_engine::proof::tally::Tally;
use interligo_engine::proof::tieout::{AsideFile, OutputTally, ReadSide, TieOut};
use interligo_engine::totals::TotalsTable;
use interligo_model::plan::ListKind;
use interligo_sinks::formats::csv::{totals_heading, totals_rows};
use interligo_sinks::lines::{LinesOutput, PutOut};
use interligo_sinks::output_file::OutputFile;
use interligo_sinks::publish::publish;
use interligo_sources::error::Error;
use interligo_sources::table::parts::Table;
use interligo_sources::text::write_cell;

use crate::check::{Checked, List, list_of};
use crate::destinations::Destinations;
use crate::project::Project;
use crate::run::Outcome;
use crate::run::last_run::{FilesSince, FindingsSince, LastRun};

/// The outputs of a fact, open.
pub(crate) struct Sinks {
    pub(crate) lines: Vec<LinesOutput>,
    /// Whether there is a file for what is set aside: there is, where anything is written.
    pub(crate) keeps_aside: bool,
    pub(crate) files: Files,
}

/// A file with the lines that it holds.
struct LinesFile {
    file: OutputFile,
    tally: Tally,
}

/// The files that are filled while lines pass.
pub(crate) struct Files {
    plan: String,
    /// Of each output of lines.
    lines: Vec<LinesFile>,
    aside_path: PathBuf,
    aside_heading: Vec<u8>,
    aside: Option<OutputFile>,
    aside_tally: Tally,
}

impl Files {
    pub(crate) fn write(&mut self, lines: &[PutOut], aside: &PutOut) -> Result<(), Error> {
        for (own, put_out) in self.lines.iter_mut().zip(lines) {
            own.file.write_counted(&put_out.text, put_out.rows)?;
            own.tally.merge(&put_out.tally);
        }
        if aside.rows > 0 {
            self.open_aside()?.write_counted(&aside.text, aside.rows)?;
            self.aside_tally.merge(&aside.tally);
        }
        Ok(())
    }

    /// The file for what is set aside, which is there once a line is.
    fn open_aside(&mut self) -> Result<&mut OutputFile, Error> {
        if self.aside.is_none() {
            let mut file = OutputFile::create(&self.aside_path, &self.plan)?;
            file.write(&self.aside_heading)?;
            self.aside = Some(file);
        }
        Ok(self.aside.as_mut().expect("the line above put it there"))
    }
}

impl Sinks {
    /// Opens the outputs of a fact, by its number, that are filled while lines pass.
    pub(crate) fn create(
        project: &Project,
        engine: &Engine,
        table: &Table,
        destinations: &Destinations,
        fact: usize,
    ) -> Result<Sinks, Error> {
        let plan = project.plan.file_stem().to_owned();
        let mut aside_heading = b"reason,file,row,".to_vec();
        for name in &table.columns.names {
            write_cell(&mut aside_heading, name);
            aside_heading.push(b',');
        }
        aside_heading.extend_from_slice(b"as_read\n");
        let mut files = Files {
            plan: plan.clone(),
            lines: Vec::new(),
            aside_path: destinations.aside(fact).to_owned(),
            aside_heading,
            aside: None,
            aside_tally: Tally::default(),
        };
        let mut prepared = Vec::new();
        for (number, output) in engine.outputs.iter().enumerate() {
            let Some(path) = destinations.of(fact, number) else { continue };
            match &output.content {
                OutputContent::Lines(columns) => {
                    let lines = LinesOutput::new(columns, engine, table);
                    let mut file = OutputFile::create(path, &plan)?;
                    file.write(lines.heading())?;
                    files.lines.push(LinesFile { file, tally: Tally::default() });
                    prepared.push(lines);
                }
                OutputContent::List(ListKind::SetAside, _) => {
                    files.open_aside()?;
                }
                OutputContent::List(..) | OutputContent::Totals(_) => {}
            }
        }
        Ok(Sinks { lines: prepared, keeps_aside: destinations.writes, files })
    }
}

/// A fact whose lines are through, with its open files.
pub(crate) struct Finished {
    pub(crate) findings: Findings,
    pub(crate) read: ReadSide,
    pub(crate) sinks: Sinks,
}

/// What the outputs of a fact are made of.
pub(crate) struct FactOutputs<'a> {
    pub(crate) project: &'a Project,
    pub(crate) engine: &'a Engine,
    pub(crate) destinations: &'a Destinations,
    /// The number of the fact.
    pub(crate) fact: usize,
}

impl FactOutputs<'_> {
    /// Writes the totals, closes the counts, and lets the files wait to appear. `tables` are the totals, by name.
    ///
    /// # Errors
    /// A file cannot be written; the counts do not close.
    pub(crate) fn finish(
        &self,
        finished: Finished,
        tables: &BTreeMap<String, TotalsTable>,
    ) -> Result<Whole, Error> {
        let Finished { findings, read, sinks } = finished;
        let Sinks { keeps_aside, files: open, .. } = sinks;
        let mut files = Vec::new();
        let mut written = Vec::new();
        let mut totals = Vec::new();
        let mut lines = open.lines.into_iter();
        for (number, output) in self.engine.outputs.iter().enumerate() {
            let to = output.to.as_ref().map_or(String::new(), |to| to.text.clone());
            let mut note =
                OutputTally { output: output.name.clone(), to, ..OutputTally::default() };
            match &output.content {
                OutputContent::Lines(_) => {
                    let LinesFile { file, tally } =
                        lines.next().expect("every output of lines has a file");
                    note.in_file = Some(file.rows());
                    note.tally = tally;
                    files.push(file);
                }
                OutputContent::List(kind, _) => {
                    note.is_list = true;
                    // The others are made when all facts are through.
                    if *kind == ListKind::SetAside {
                        note.groups = Some(findings.lines_aside());
                    }
                }
                // A fact that is seen as of a later time is in the table already.
                OutputContent::Totals(plan) if plan.is_shifted() => continue,
                OutputContent::Totals(plan) => {
                    let Some(table) = tables.get(&output.name) else { continue };
                    if let Some(of_source) = table.sources.get(plan.source()) {
                        note.tally = of_source.grouped.clone();
                        note.filtered = of_source.filtered.clone();
                    }
                    note.not_adding_up =
                        table.not_adding_up().into_iter().map(str::to_owned).collect();
                    // What a fact adds to a table of another.
                    note.beside = plan.layout.is_none();
                    if note.beside {
                        note.to.clone_from(&output.name);
                    } else {
                        note.groups = Some(rows_of(table));
                        if let Some(path) = self.destinations.of(self.fact, number) {
                            let file = self.write_totals(path, table)?;
                            note.in_file = Some(file.rows());
                            files.push(file);
                        }
                        totals.push(output.name.clone());
                    }
                }
            }
            written.push(note);
        }
        let aside_file = keeps_aside.then(|| AsideFile {
            to: open.aside.as_ref().map(|_| self.project.shown(&open.aside_path)),
            rows: open.aside.as_ref().map_or(0, OutputFile::rows),
            tally: open.aside_tally,
        });
        // What an earlier run set aside would be taken for this one's.
        let stale = open.aside.is_none() && keeps_aside;
        let stale = (stale && self.project.wrote(&open.aside_path)).then_some(open.aside_path);
        files.extend(open.aside);
        let parts = self.project.fact_parts(self.engine);
        let tie_out = TieOut::new(self.engine, &findings, &parts, read, written, aside_file);
        close(&tie_out)?;
        let since = FilesSince::default();
        let outcome = Outcome { findings, totals: Vec::new(), tie_out, since };
        Ok(Whole { outcome, files, stale, totals })
    }

    fn write_totals(&self, path: &Path, table: &TotalsTable) -> Result<OutputFile, Error> {
        let mut file = OutputFile::create(path, self.project.plan.file_stem())?;
        file.write(&totals_heading(table))?;
        let mut rows = totals_rows(table);
        if !rows.is_empty() && strikes(Fault::TotalsRowNotWritten) {
            rows.truncate(memchr::memrchr(b'\n', &rows[..rows.len() - 1]).map_or(0, |at| at + 1));
        }
        file.write_rows(&rows)?;
        Ok(file)
    }

    /// Writes the lists, over the lines of all facts where a list does not say of which it is.
    ///
    /// # Errors
    /// A file cannot be written.
    pub(crate) fn write_lists(
        &self,
        all: &[(&Engine, &Findings)],
        checked: &Checked,
    ) -> Result<Vec<ListFile>, Error> {
        let mut files = Vec::new();
        for (number, output) in self.engine.outputs.iter().enumerate() {
            let OutputContent::List(kind, alone) = output.content else { continue };
            let path = self.destinations.of(self.fact, number);
            let Some(path) = path.filter(|_| kind != ListKind::SetAside) else { continue };
            let own = std::slice::from_ref(&all[self.fact]);
            let of = if alone { own } else { all };
            let List { heading, rows, count } = list_of(kind, self.project, of, checked);
            let mut file = OutputFile::create(path, self.project.plan.file_stem())?;
            file.write(&heading)?;
            file.write_rows(&rows)?;
            files.push(ListFile { output: output.name.clone(), file, rows: count });
        }
        Ok(files)
    }
}

/// A list that was written.
pub(crate) struct ListFile {
    output: String,
    file: OutputFile,
    rows: u64,
}

fn rows_of(table: &TotalsTable) -> u64 {
    if table.by.is_empty() { 1 } else { table.rows.len() as u64 }
}

/// Ends the run where the counts do not close.
fn close(tie_out: &TieOut) -> Result<(), Error> {
    match tie_out.open().is_empty() {
        true => Ok(()),
        false => Err(Error::NotClosed(Box::new(tie_out.clone()))),
    }
}

/// What came of a fact, with its files.
pub(crate) struct Whole {
    pub(crate) outcome: Outcome,
    files: Vec<OutputFile>,
    /// A file of an earlier run that this one has nothing for.
    stale: Option<PathBuf>,
    /// The tables of totals that are its own, by name.
    totals: Vec<String>,
}

impl Whole {
    /// Takes lists, which wait to appear like the other files.
    ///
    /// # Errors
    /// A list does not hold what it should.
    pub(crate) fn take_lists(&mut self, lists: Vec<ListFile>) -> Result<(), Error> {
        for list in lists {
            let mut written = self.outcome.tie_out.written.iter_mut();
            if let Some(written) = written.find(|written| written.output == list.output) {
                written.groups = Some(list.rows);
                written.in_file = Some(list.file.rows());
            }
            self.files.push(list.file);
        }
        close(&self.outcome.tie_out)
    }

    /// Takes its own tables out of those of all facts.
    pub(crate) fn take_totals(&mut self, tables: &mut BTreeMap<String, TotalsTable>) {
        let own = self.totals.iter().filter_map(|name| tables.remove_entry(name));
        self.outcome.totals = own.collect();
    }
}

/// What is known once the files are there.
pub(crate) struct Appeared {
    pub(crate) outcomes: Vec<Outcome>,
    pub(crate) since: Option<FindingsSince>,
    /// What went otherwise than usual, in words.
    pub(crate) notes: Vec<String>,
}

/// Lets the files of all facts appear, and notes which files were read and written.
///
/// # Errors
/// A file cannot be written or moved to its place; none has appeared then.
pub(crate) fn appear(
    project: &Project,
    facts: Vec<Whole>,
    destinations: &Destinations,
    checked: &Checked,
) -> Result<Appeared, Error> {
    let mut appeared = Appeared { outcomes: Vec::new(), since: None, notes: Vec::new() };
    let (mut files, mut gone) = (Vec::new(), Vec::new());
    for fact in facts {
        appeared.outcomes.push(fact.outcome);
        files.extend(fact.files);
        gone.extend(fact.stale);
    }
    if !destinations.writes {
        return Ok(appeared);
    }
    project.refuse_changed()?;
    files.iter_mut().try_for_each(OutputFile::complete)?;
    let run = LastRun::of(appeared.outcomes.iter().map(|outcome| {
        let lines = outcome.tie_out.parts.iter().map(|(part, rows)| (&**part, rows.lines()));
        (outcome.tie_out.fact.table.as_str(), lines)
    }));
    let run = run.with_findings(checked).with_files(files.iter(), project.folder());
    if let Some(earlier) = project.last_run() {
        if let Some(first) = appeared.outcomes.first_mut() {
            first.since = run.since(earlier);
        }
        appeared.since = run.findings_since(earlier);
    }
    let notes = project.make_notes_folder();
    let record = notes.and_then(|()| {
        let mut file = OutputFile::create(&project.last_run_path(), project.plan.file_stem())?;
        file.write(&run.to_json())?;
        Ok(file)
    });
    let (journal, lock) = match &record {
        Ok(_) => (project.journal_path(None), Some(project.lock_path())),
        Err(_) => (project.journal_path(destinations.first_folder().as_deref()), None),
    };
    match record {
        Ok(file) => files.push(file),
        Err(error) => appeared.notes.push(format!(
            "{error}; so the next run cannot say what is new, and takes files of this run for others'"
        )),
    }
    publish(files, &gone, &journal, lock.as_deref())?;
    Ok(appeared)
}
