//! Closed periods: their lines stay as they were, or the run says what would change and leaves its outputs as they are.
//!
//! What they were is in a record beside the plan, `closed/PLAN/N`, in the form of the record of a run: of each line its key,
//! what its figures are made of, the figures, and the attributes that outputs total by. It is kept like the plan. One that
//! takes its place has the next number, and the former stays.

mod differences;
mod error;
mod lines;

use std::ops::Range;
use std::path::PathBuf;

use interligo_model::plan::{Mistake, MistakeKind};
use interligo_model::values::date::{Day, Period};
use interligo_model::words::counted;
use interligo_sinks::output_file::OutputFile;

use crate::compare::CompareOptions;
use crate::error::Error;
use crate::last_run::LastRun;
use crate::prepare::Job;
use crate::project::Project;
use crate::runs::{PendingRecord, RunRecord, about_file, is_record, numbers_in};
use differences::Differences;
use lines::ClosedLines;
pub(crate) use lines::date_of;

pub use differences::{ClosedChange, ClosedChanges, ClosedLine};
pub use error::ClosedError;

/// What becomes of a run that changes lines of closed periods.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum OnClosed {
    /// It ends, and leaves no output.
    #[default]
    Refuse,
    /// What it says of them is the record from now on.
    Reopen,
}

/// The periods that the plan calls closed.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct ClosedPeriods {
    /// The last of them, as it is written.
    pub(crate) period: String,
    /// Where the plan says so; nowhere, where it is read off a record.
    written: Range<usize>,
    /// Its last day.
    pub(crate) last: Day,
}

/// What a run adds for closed periods.
#[derive(Default)]
pub(crate) struct Guarded {
    /// The files of a new record.
    pub(crate) files: Vec<OutputFile>,
    /// The number of the record that holds from now on.
    pub(crate) number: Option<u32>,
    /// What there is to say, in words.
    pub(crate) notes: Vec<String>,
}

/// The record of closed periods that holds.
struct Kept {
    number: u32,
    folder: PathBuf,
    record: RunRecord,
    closed: ClosedPeriods,
}

impl Project {
    /// The periods that the plan calls closed, if it does.
    ///
    /// # Errors
    /// It is no period.
    pub(crate) fn closed_periods(&self) -> Result<Option<ClosedPeriods>, Mistake> {
        let Some(closed) = &self.plan.plan.closed else { return Ok(None) };
        let period = closed.get_ref();
        if let Some(last) = last_day(period) {
            return Ok(Some(ClosedPeriods {
                period: period.clone(),
                written: closed.span(),
                last,
            }));
        }
        let message = format!("`{period}` is no period");
        let help = "write the last one that is closed: \"2025-03\" for all up to the end of March, \"2025-Q1\", \"2025\"";
        Err(Mistake::in_plan(MistakeKind::WrongValue, closed.span(), message).help(help))
    }

    /// Where records of closed periods are.
    fn closed_folder(&self) -> PathBuf {
        self.folder().join("closed").join(self.plan.file_stem())
    }
}

impl Kept {
    /// The last record of closed periods.
    fn last(project: &Project) -> Result<Option<Kept>, Error> {
        let all = project.closed_folder();
        let Some(number) = numbers_in(&all).pop() else { return Ok(None) };
        let folder = all.join(number.to_string());
        let record = RunRecord::read(&folder)?;
        let period = record.closed.clone().unwrap_or_default();
        let Some(last) = last_day(&period) else {
            let why = "it does not say which periods are closed";
            return Err(record.damaged(&folder, why).into());
        };
        Ok(Some(Kept {
            number,
            folder,
            record,
            closed: ClosedPeriods { period, written: 0..0, last },
        }))
    }
}

fn nothing_to_reopen() -> Mistake {
    let message = "`--reopen` is about closed periods, and the plan has none";
    let help = "leave it out, or add for instance closed = \"2025-03\" to [plan]";
    Mistake::of_plan(MistakeKind::MissingSetting, message).help(help)
}

/// Lines are in closed periods by their date: the first fact must have one.
fn refuse_undated(job: &Job, closed: &ClosedPeriods) -> Result<(), Mistake> {
    let Some(first) = job.engines.first().filter(|engine| date_of(&engine.bound).is_none()) else {
        return Ok(());
    };
    let name = &first.bound.fact.name;
    let message = format!(
        "`closed` goes by the date of a line, and it is not certain which column of `{name}` has it"
    );
    let help = format!("add it to [tables.{name}], for instance date = \"sold_on\"");
    Err(Mistake::in_plan(MistakeKind::MissingSetting, closed.written.clone(), message).help(help))
}

fn last_day(period: &str) -> Option<Day> {
    Some(Period::read(period)?.days()?.1)
}

/// What guards closed periods in a run.
pub(crate) struct Guard<'a> {
    project: &'a Project,
    closed: ClosedPeriods,
    /// The record that holds, where there is one.
    kept: Option<Kept>,
    on_closed: OnClosed,
}

impl<'a> Guard<'a> {
    /// The guard of a run that writes outputs, where periods are closed.
    ///
    /// # Errors
    /// The record is missing or damaged, or has more than is closed; a fact has no date.
    pub(crate) fn of(
        project: &'a Project,
        job: &Job,
        on_closed: OnClosed,
    ) -> Result<Option<Guard<'a>>, Error> {
        let is_recorded = job.outputs.iter().flatten().any(|output| is_record(&output.name));
        let closed = project.closed_periods()?.filter(|_| is_recorded);
        let Some(closed) = closed else {
            return match on_closed {
                OnClosed::Refuse => Ok(None),
                OnClosed::Reopen => Err(nothing_to_reopen().into()),
            };
        };
        refuse_undated(job, &closed)?;
        let guard = Guard {
            project,
            kept: Kept::last(project).map_err(Error::of_closed)?,
            closed,
            on_closed,
        };
        match (&guard.kept, on_closed) {
            (_, OnClosed::Reopen) => {}
            (None, _) if project.last_run().is_some_and(LastRun::has_closed) => {
                let folder = project.shown(&project.closed_folder());
                return Err(ClosedError::Missing { folder }.into());
            }
            (Some(kept), _) if guard.closed.last < kept.closed.last => {
                let (was, is) = (kept.closed.period.clone(), guard.closed.period.clone());
                return Err(ClosedError::Shorter { was, is }.into());
            }
            _ => {}
        }
        Ok(Some(guard))
    }

    /// Holds the lines of closed periods against their record, or makes one.
    ///
    /// # Errors
    /// Lines are not as they were; the record is damaged.
    pub(crate) fn hold(
        &self,
        job: &Job,
        pending: &PendingRecord,
        files: &[OutputFile],
    ) -> Result<Guarded, Error> {
        let lines = ClosedLines::new(self.project, job, pending, files);
        match (&self.kept, self.on_closed) {
            (None, _) => self.begin(&lines, 1, "kept from now on"),
            (Some(kept), OnClosed::Reopen) => {
                let former =
                    format!("the former record stays in {}", self.project.shown(&kept.folder));
                self.begin(&lines, kept.number + 1, &former)
            }
            (Some(kept), OnClosed::Refuse) => self.compare(&lines, kept),
        }
    }

    /// Makes the record of this number.
    fn begin(&self, lines: &ClosedLines<'_>, number: u32, so: &str) -> Result<Guarded, Error> {
        let folder = self.project.closed_folder().join(number.to_string());
        let (record, mut files) = lines.record_in(&folder, &self.closed)?;
        files.push(about_file(&record, &folder, self.project)?);
        let count: u64 = record.facts.iter().map(|fact| fact.lines).sum();
        let mut notes = vec![format!(
            "closed up to {}: {} in {}, {so}",
            self.closed.period,
            counted(count, "line"),
            self.project.shown(&folder)
        )];
        notes.extend(
            lines
                .undated()
                .map(|fact| format!("lines of `{fact}` have no date, and are in no closed period")),
        );
        Ok(Guarded { files, number: Some(number), notes })
    }

    /// Holds lines against a record.
    fn compare(&self, lines: &ClosedLines<'_>, kept: &Kept) -> Result<Guarded, Error> {
        let now = lines.up_to(&kept.closed);
        let differences = Differences::between((&kept.folder, &kept.record), lines, &now);
        let mut differences = differences.map_err(Error::of_closed)?;
        if !differences.is_none() {
            let (of_kept, of_now) = ((kept.folder.as_path(), &kept.record), (lines.folder(), &now));
            let options = CompareOptions::default();
            // What changed is known without it: a plan that cannot be opened any more has no bridge.
            let compared = self.project.compare_records(of_kept, of_now, &options).ok();
            differences.changes.comparison = compared.map(|mut own| {
                own.runs = [self.project.shown(&kept.folder), "this run".to_owned()];
                for fact in &mut own.facts {
                    let now = differences.lines.iter().find(|(name, _)| *name == fact.fact);
                    fact.lines[1] = now.map_or(fact.lines[1], |(_, lines)| *lines);
                }
                own
            });
            differences.changes.until = kept.closed.period.clone();
            differences.changes.record = self.project.shown(&kept.folder);
            return Err(ClosedError::Changed(Box::new(differences.changes)).into());
        }
        if self.closed.last > kept.closed.last {
            return self.begin(lines, kept.number + 1, "kept from now on");
        }
        Ok(Guarded { files: Vec::new(), number: Some(kept.number), notes: differences.notes })
    }
}
