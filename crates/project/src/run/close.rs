//! The outputs of a run when all lines are through: totals and lists are written, and the counts of each fact must close
//! before a file appears.

use std::collections::BTreeMap;
use std::path::PathBuf;

use crate::error::Error;
use interligo_engine::engine::Engine;
use interligo_engine::outputs::{Output, OutputContent};
use interligo_engine::proof::faults::{Fault, strikes};
use interligo_engine::proof::findings::Findings;
use interligo_engine::proof::tieout::{AsideFile, OutputTally, ReadSide, TieOut};
use interligo_engine::proof::usage::Usage;
use interligo_engine::totals::{MeasureKind, TotalsPlan, TotalsTable};
use interligo_model::plan::ListKind;
use interligo_model::values::value::Value;
use interligo_sinks::format::{RowsOf, TotalsOf, WriteRows};
use interligo_sinks::output_file::OutputFile;
use interligo_sinks::totals::{totals_columns, totals_rows};

use super::destination::Destination;
use super::kept_lines::PendingLines;
use super::open_outputs::{AsideFileOpen, LinesFiles, OpenFiles, Places};
use super::output_plan::OutputPlan;
use super::slots::{SlotKey, SlotNames};
use crate::check::{Checked, list_of};
use crate::outcome::{FilesSince, Outcome};
use crate::page::is_page_part;
use crate::prepare::Job;
use crate::project::Project;
use crate::runs::is_copy;
use crate::runs::is_record;

/// A fact whose lines are through, with its open files.
pub(super) struct Passed {
    pub(super) findings: Findings,
    pub(super) read: ReadSide,
    pub(super) usage: Option<Usage>,
    pub(super) files: OpenFiles,
    pub(super) keeps_aside: bool,
    /// Its lines, for later questions.
    pub(super) kept: Option<PendingLines>,
}

/// What came of a fact, with its files, which wait to appear.
pub(super) struct Closed {
    pub(super) outcome: Outcome,
    pub(super) usage: Option<Usage>,
    kept: Option<PendingLines>,
    files: Vec<Box<dyn WriteRows>>,
    /// A file of an earlier run that this one has nothing for.
    stale: Option<PathBuf>,
}

/// What closes the outputs of a fact.
pub(super) struct Closing<'a> {
    pub(super) project: &'a Project,
    pub(super) plan: &'a OutputPlan,
    /// The number of the fact.
    pub(super) fact: usize,
    pub(super) engine: &'a Engine,
    pub(super) outputs: &'a [Output],
}

impl Closing<'_> {
    /// Writes the totals of a fact and closes its counts. `tables` has all totals by name.
    ///
    /// # Errors
    /// A file cannot be written; the counts do not close.
    pub(super) fn close(
        &self,
        passed: Passed,
        tables: &BTreeMap<String, TotalsTable>,
    ) -> Result<Closed, Error> {
        let Passed { findings, read, usage, files: open, keeps_aside, kept } = passed;
        let (mut lines, mut aside) = open.into_parts();
        let (mut files, mut written) = (Vec::new(), Vec::new());
        // Totals in a workbook may be computed from its lines, which are all there then.
        for own in lines.values_mut() {
            own.files.values_mut().try_for_each(|file| file.rows().map(|_| ()))?;
        }
        for (number, output) in self.outputs.iter().enumerate() {
            let destination = self.plan.of(self.fact, number);
            let to = destination.map_or(String::new(), |own| own.to().to_owned());
            let of = OutputTally { output: output.name.clone(), to, ..OutputTally::default() };
            let (tally, file) = match &output.content {
                OutputContent::Lines { .. } => {
                    // Lines that are only asked for go to no file.
                    let Some(own) = lines.remove(&number) else { continue };
                    let (tally, own) = lines_closed(of, own)?;
                    files.extend(own);
                    (tally, None)
                }
                // The others are made when all facts are through.
                OutputContent::List(kind, _) => {
                    let groups = (*kind == ListKind::SetAside).then(|| findings.lines_aside());
                    (OutputTally { is_list: true, groups, ..of }, None)
                }
                OutputContent::Page => (OutputTally { is_page: true, ..of }, None),
                // A fact that is seen as of a later time is in the table already.
                OutputContent::Totals { plan, .. } if plan.is_shifted() => continue,
                OutputContent::Totals { plan, layout } => match tables.get(&output.name) {
                    Some(table) if layout.is_some() => {
                        let live = output.workbook.as_ref().filter(|book| book.formulas);
                        let live = live.map(|_| output.live_totals());
                        let totals = TotalsOf { table, engine: self.engine, live };
                        let (tally, own) =
                            self.totals_closed(tallied(of, plan, table), &totals, destination)?;
                        files.extend(own);
                        (tally, None)
                    }
                    // What a fact adds to a table of another.
                    Some(table) => {
                        let to = output.name.clone();
                        (OutputTally { beside: true, to, ..tallied(of, plan, table) }, None)
                    }
                    None => continue,
                },
            };
            written.push(tally);
            files.extend(file);
        }
        let (aside_file, stale) = match keeps_aside {
            true => self.aside_closed(&mut aside)?,
            false => (None, None),
        };
        files.extend(aside.file);
        let parts = self.project.fact_parts(self.engine);
        let tie_out = TieOut::new(self.engine, &findings, &parts, read, written, aside_file);
        prove(&tie_out)?;
        // Records and copies are no results.
        let mut tie_out = tie_out;
        let is_result =
            |output: &str| !(is_record(output) || is_copy(output) || is_page_part(output));
        tie_out.written.retain(|written| is_result(&written.output));
        let outcome =
            Outcome { findings, totals: Vec::new(), tie_out, since: FilesSince::default() };
        Ok(Closed { outcome, usage, kept, files, stale })
    }

    /// Writes a table of totals, if it goes anywhere: to one file, or to one for each value of the attributes in its path.
    fn totals_closed(
        &self,
        tally: OutputTally,
        totals: &TotalsOf<'_>,
        destination: Option<&Destination>,
    ) -> Result<(OutputTally, Vec<Box<dyn WriteRows>>), Error> {
        let table = totals.table;
        let count = if table.by.is_empty() { 1 } else { table.rows.len() };
        let groups = Some(count as u64);
        let Some(destination) = destination else {
            return Ok((OutputTally { groups, ..tally }, Vec::new()));
        };
        let mut files = Vec::new();
        let slots: Vec<usize> = destination
            .slots()
            .iter()
            .filter_map(|slot| table.attributes.iter().position(|own| own == slot))
            .collect();
        if slots.is_empty() {
            files.push(self.write_totals(totals, destination)?);
        } else {
            let mut names = SlotNames::default();
            let places = Places { project: self.project, plan: self.plan };
            let mut tables: BTreeMap<SlotKey, TotalsTable> = BTreeMap::new();
            for row in &table.rows {
                let value =
                    |slot: &usize| row.attribute(*slot).map_or(String::new(), Value::to_string);
                let key = slots.iter().map(value).collect();
                let none = || TotalsTable { rows: Vec::new(), ..table.clone() };
                tables.entry(key).or_insert_with(none).rows.push(row.clone());
            }
            for (key, table) in &tables {
                let own = destination.for_values(&mut names, key, &places)?;
                let totals = TotalsOf { table, engine: totals.engine, live: totals.live.clone() };
                files.push(self.write_totals(&totals, &own)?);
            }
        }
        let mut in_file = 0;
        for file in &mut files {
            in_file += file.rows()?;
        }
        Ok((OutputTally { groups, in_file: Some(in_file), ..tally }, files))
    }

    fn write_totals(
        &self,
        totals: &TotalsOf<'_>,
        destination: &Destination,
    ) -> Result<Box<dyn WriteRows>, Error> {
        let table = totals.table;
        let count = if table.by.is_empty() { 1 } else { table.rows.len() };
        let most = count - usize::from(count > 0 && strikes(Fault::TotalsRowNotWritten));
        let rows = totals_rows(table).take(most);
        let of = RowsOf::Totals(totals);
        destination.write_table(totals_columns(table), of, rows, &self.plan.containers)
    }

    /// What went into the file for what is set aside; and the file, where it is of an earlier run and would be taken for
    /// this one's.
    fn aside_closed(
        &self,
        aside: &mut AsideFileOpen,
    ) -> Result<(Option<AsideFile>, Option<PathBuf>), Error> {
        let path = &aside.destination.path;
        let file = AsideFile {
            to: aside.file.as_ref().map(|_| self.project.shown(path)),
            rows: aside.file.as_mut().map_or(Ok(0), |file| file.rows())?,
            tally: aside.tally.clone(),
        };
        let is_stale = aside.file.is_none() && self.project.wrote(path);
        Ok((Some(file), is_stale.then(|| path.clone())))
    }
}

/// What an output of lines holds, with its files.
fn lines_closed(
    tally: OutputTally,
    files: LinesFiles,
) -> Result<(OutputTally, Vec<Box<dyn WriteRows>>), Error> {
    let LinesFiles { mut files, tally: lines, .. } = files;
    let mut rows = 0;
    for file in files.values_mut() {
        rows += file.rows()?;
    }
    let tally = OutputTally { in_file: Some(rows), tally: lines, ..tally };
    Ok((tally, files.into_values().collect()))
}

/// What a table holds of the lines of a fact.
fn tallied(tally: OutputTally, plan: &TotalsPlan, table: &TotalsTable) -> OutputTally {
    let not_adding_up = table.not_adding_up().into_iter().map(str::to_owned).collect();
    match table.sources.get(plan.source()) {
        Some(source) => OutputTally {
            tally: source.grouped.clone(),
            filtered: source.filtered.clone(),
            not_adding_up,
            ..tally
        },
        None => OutputTally { not_adding_up, ..tally },
    }
}

/// Ends the run where the counts do not close.
fn prove(tie_out: &TieOut) -> Result<(), Error> {
    match tie_out.open().is_empty() {
        true => Ok(()),
        false => Err(Error::not_closed(tie_out.clone())),
    }
}

impl Closed {
    /// Takes the tables of which its fact is the first.
    pub(super) fn take_totals(
        &mut self,
        outputs: &[Output],
        tables: &mut BTreeMap<String, TotalsTable>,
    ) {
        let own = outputs.iter().filter(|output| {
            matches!(output.content, OutputContent::Totals { layout: Some(_), .. })
        });
        let own = own.filter_map(|output| tables.remove_entry(&output.name));
        self.outcome.totals = own.collect();
    }

    /// Takes its lines, where they are kept.
    pub(super) fn take_kept(&mut self) -> Option<PendingLines> {
        self.kept.take()
    }

    /// The files, finished, and those that are to go.
    ///
    /// # Errors
    /// A file cannot be written.
    pub(super) fn finish(self) -> Result<(Outcome, Vec<OutputFile>, Option<PathBuf>), Error> {
        let files: Vec<Option<OutputFile>> =
            self.files.into_iter().map(|file| file.finish()).collect::<Result<_, _>>()?;
        Ok((self.outcome, files.into_iter().flatten().collect(), self.stale))
    }
}

/// Writes the lists, over the lines of all facts where a list does not say of which it is, and closes the counts with
/// them.
///
/// # Errors
/// A file cannot be written; a list does not hold what it should.
pub(super) fn write_lists(
    project: &Project,
    job: &Job,
    plan: &OutputPlan,
    facts: &mut [Closed],
    checked: &Checked,
) -> Result<(), Error> {
    for (fact, outputs) in job.outputs.iter().enumerate() {
        for (number, output) in outputs.iter().enumerate() {
            let OutputContent::List(kind, alone) = output.content else { continue };
            let destination = plan.of(fact, number).filter(|_| kind != ListKind::SetAside);
            let Some(destination) = destination else { continue };
            let all = facts.iter().zip(&job.engines);
            let all: Vec<(&Engine, &Findings)> =
                all.map(|(closed, engine)| (engine, &closed.outcome.findings)).collect();
            let of = if alone { &all[fact..=fact] } else { &all };
            let list = list_of(kind, project, of, checked);
            let rows = list.rows.len() as u64;
            let columns = list.columns.into_iter().map(|name| (name, MeasureKind::Other)).collect();
            let mut file = destination.write_table(
                columns,
                RowsOf::Others,
                list.rows.iter().map(|row| row.iter().map(Value::borrowed).collect()),
                &plan.containers,
            )?;
            let closed = &mut facts[fact];
            let mut written = closed.outcome.tie_out.written.iter_mut();
            if let Some(written) = written.find(|written| written.output == output.name) {
                (written.groups, written.in_file) = (Some(rows), Some(file.rows()?));
            }
            closed.files.push(file);
        }
    }
    facts.iter().try_for_each(|closed| prove(&closed.outcome.tie_out))
}
