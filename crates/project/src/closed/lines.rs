//! The lines of closed periods, as a run has them.

use std::path::{Path, PathBuf};

use interligo_engine::bind::Bound;
use interligo_engine::engine::Engine;
use interligo_engine::eval::Expr;
use interligo_engine::outputs::{Output, OutputContent};
use interligo_model::plan::{Mistake, MistakeKind};
use interligo_model::values::value::Value;
use interligo_sinks::formats::compressed::Compression;
use interligo_sinks::output_file::OutputFile;

use super::ClosedPeriods;
use crate::error::Error;
use crate::page::is_page_part;
use crate::prepare::Job;
use crate::project::Project;
use crate::runs::{
    FactRecord, Needs, PendingRecord, Places, RecordedFact, RecordedLine, Row, RunRecord, write_row,
};

/// How many bytes are compressed at once.
const AT_ONCE: usize = 1 << 20;

/// What a run knows of the lines of closed periods: its record, which is about to appear.
pub(super) struct ClosedLines<'a> {
    project: &'a Project,
    folder: &'a Path,
    /// The record, with its files where they are until then.
    record: RunRecord,
    facts: Vec<DatedFact<'a>>,
}

/// A fact of the record.
pub(super) struct DatedFact<'a> {
    engine: &'a Engine,
    /// Its column with the date of a line, by name; none where no column is certain to be it.
    date: Option<&'a str>,
    /// The attributes that outputs total by.
    attributes: Vec<(&'a str, &'a Expr)>,
}

impl<'a> ClosedLines<'a> {
    pub(super) fn new(
        project: &'a Project,
        job: &'a Job,
        pending: &'a PendingRecord,
        files: &[OutputFile],
    ) -> ClosedLines<'a> {
        let record = pending.readable(files);
        let facts = record.facts.iter().filter_map(|fact| {
            let number = job.engines.iter().position(|own| own.bound.fact.name == fact.name)?;
            let engine = &job.engines[number];
            let (date, attributes) =
                (date_of(&engine.bound), attributes(&job.outputs[number], engine));
            Some(DatedFact { engine, date, attributes })
        });
        let facts = facts.collect();
        ClosedLines { project, folder: &pending.folder, record, facts }
    }

    /// The folder of the record.
    pub(super) fn folder(&self) -> &Path {
        self.folder
    }

    /// The facts without a date.
    pub(super) fn undated(&self) -> impl Iterator<Item = &str> {
        let undated = self.facts.iter().filter(|fact| fact.date.is_none());
        undated.map(|fact| fact.engine.bound.fact.name.as_str())
    }

    /// The record of the run, with lines of periods only, and no facts without dates.
    pub(super) fn up_to(&self, closed: &ClosedPeriods) -> RunRecord {
        let mut record = self.record.clone();
        let dated = record.facts.drain(..).zip(&self.facts).filter_map(|(fact, dated)| {
            let up_to = Some((dated.date?.to_owned(), closed.last));
            Some(FactRecord { up_to, ..fact })
        });
        record.facts = dated.collect();
        record
    }

    /// What is computed of a fact.
    pub(super) fn dated(&self, fact: &str) -> Option<&DatedFact<'a>> {
        self.facts.iter().find(|own| own.engine.bound.fact.name == fact)
    }

    /// The lines of periods as a record in a folder, with all its files but that which says what is in it.
    pub(super) fn record_in(
        &self,
        folder: &Path,
        closed: &ClosedPeriods,
    ) -> Result<(RunRecord, Vec<OutputFile>), Error> {
        let (mut record, mut files) = self.lines_in(folder, closed)?;
        for (number, fact) in record.facts.iter_mut().enumerate() {
            for (at, lookup) in fact.lookups.iter_mut().enumerate() {
                let name = format!("fact-{number}-lookup-{at}.csv.zst");
                let from = PathBuf::from(std::mem::replace(&mut lookup.file, name.clone()));
                let bytes = std::fs::read(&from).map_err(|error| Error::output(&from, &error))?;
                let mut file =
                    OutputFile::create(&folder.join(name), self.project.plan.file_stem())?;
                file.write(&bytes)?;
                files.push(file);
            }
        }
        Ok((record, files))
    }

    /// The lines of periods, a file for each fact that has dates.
    fn lines_in(
        &self,
        folder: &Path,
        closed: &ClosedPeriods,
    ) -> Result<(RunRecord, Vec<OutputFile>), Error> {
        let mut record = self.up_to(closed);
        record.closed = Some(closed.period.clone());
        let mut files = Vec::new();
        for (number, fact) in record.facts.iter_mut().enumerate() {
            let Some(dated) = self.dated(&fact.name) else { continue };
            let name = format!("closed-{number}.csv.zst");
            let mut file = OutputFile::create(&folder.join(&name), self.project.plan.file_stem())?;
            let own = RecordedFact::read(self.folder, fact)?;
            fact.lines = dated.write(&own, &mut file)?;
            (fact.figures, fact.attributes) = (dated.figures(), dated.attributes());
            (fact.file, fact.totals) = (name, Vec::new());
            file.complete()?;
            files.push(file);
        }
        Ok((record, files))
    }
}

impl DatedFact<'_> {
    pub(super) fn figures(&self) -> Vec<String> {
        self.engine.bound.figures.iter().map(|figure| figure.name.clone()).collect()
    }

    pub(super) fn attributes(&self) -> Vec<String> {
        self.attributes.iter().map(|(name, _)| (*name).to_owned()).collect()
    }

    /// Where a record of it has what is computed from.
    pub(super) fn places(&self, own: &RecordedFact) -> Places {
        Places::of(&Needs::of(self.engine), own)
    }

    /// Writes the lines, and counts them.
    fn write(&self, own: &RecordedFact, file: &mut OutputFile) -> Result<u64, Error> {
        let places = self.places(own);
        let (mut text, mut lines) = (Vec::new(), 0);
        let links = own.links().iter().map(|link| link.name.as_str());
        let values = [self.figures(), self.attributes()].concat();
        write_row(&mut text, own.columns().chain(links).chain(values.iter().map(String::as_str)));
        own.each_row(|row| {
            let values = self.values(own, row, &places)?;
            write_row(&mut text, row.iter().chain(values.iter().map(String::as_str)));
            lines += 1;
            if text.len() >= AT_ONCE {
                file.write(&Compression::Zstd.compress(&text))?;
                text.clear();
            }
            Ok(())
        })?;
        file.write(&Compression::Zstd.compress(&text))?;
        Ok(lines)
    }

    /// The figures and attributes of a line, as texts.
    pub(super) fn values(
        &self,
        own: &RecordedFact,
        row: &Row,
        places: &Places,
    ) -> Result<Vec<String>, Error> {
        let recorded = RecordedLine::new(own, row, places);
        let overflow = |_| {
            let message = "a figure of a closed line overflows: it needs more than 38 digits";
            Mistake::of_plan(MistakeKind::Overflow, message)
        };
        let line = self.engine.replay(&recorded).map_err(overflow)?;
        // The same number is the same text, however many zeros its formula makes.
        let text = |value: &Value<'_>| match value {
            Value::Number(number) => number.trimmed(0).to_string(),
            value => value.to_string(),
        };
        let figures = (0..self.engine.bound.figures.len()).map(|figure| text(line.figure(figure)));
        let mut texts: Vec<String> = figures.collect();
        for (_, expr) in &self.attributes {
            texts.push(text(&line.value(expr).map_err(overflow)?));
        }
        Ok(texts)
    }
}

/// The column with the date of a line: that which the plan says, or the one by which its links are dated.
pub(crate) fn date_of(bound: &Bound) -> Option<&str> {
    let fact = &bound.fact;
    let only = || Some(*fact.days.keys().next().filter(|_| fact.days.len() == 1)?);
    fact.date.or_else(only).map(|column| fact.columns[column].as_str())
}

/// The attributes that outputs total by, each once, besides figures.
fn attributes<'j>(outputs: &'j [Output], engine: &Engine) -> Vec<(&'j str, &'j Expr)> {
    let is_figure = |name: &str| engine.bound.figures.iter().any(|figure| figure.name == name);
    let mut attributes: Vec<(&str, &Expr)> = Vec::new();
    for output in outputs.iter().filter(|output| !is_page_part(&output.name)) {
        let OutputContent::Totals { plan, .. } = &output.content else { continue };
        for (name, expr) in plan.attributes().filter(|_| !plan.is_shifted()) {
            if !is_figure(name) && attributes.iter().all(|(known, _)| *known != name) {
                attributes.push((name, expr));
            }
        }
    }
    attributes
}
