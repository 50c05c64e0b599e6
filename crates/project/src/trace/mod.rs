//! Why lines have their values, and what a cell of totals is made of.
//!
//! The lines that are asked for go through the same engine as in a run; what it did is read off it
//! ([`interligo_engine::trace`]).

mod cell;
mod listing;
mod scan;
mod wanted;

use interligo_engine::bind::{Content, LinesRequest, Request, TotalsRequest};
use interligo_engine::engine::Engine;
use interligo_engine::outputs::Output;
use interligo_engine::trace::LineTrace;
use interligo_model::plan::Written;

pub use cell::{BesideLines, CellLine, CellParts, CellTrace, Listed, RatioPart, WithoutValue};
pub use wanted::Wanted;

use crate::error::Error;
use crate::parallelism::Parallelism;
use crate::prepare::Job;
use crate::project::Project;
use scan::Scan;

/// What was found of what was asked for.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Traced {
    /// The lines, in the order in which they are read.
    pub lines: Vec<TracedLine>,
    /// Lines that meet the condition and are not among these.
    pub more: u64,
    /// What became of a row that is no line.
    pub no_line: Option<String>,
    /// What to know besides.
    pub notes: Vec<String>,
}

/// A line with its trace.
#[derive(Clone, Debug, PartialEq)]
pub struct TracedLine {
    /// Where it is, as [`Wanted`] takes it.
    pub place: String,
    /// Its key; blank where the fact has none.
    pub key: String,
    /// Of a row that became several lines, which of how many it is.
    pub of_row: Option<(usize, usize)>,
    /// The row as it was read: column names of the file and what is in them.
    pub as_read: Vec<(String, String)>,
    /// The columns of the fact, as they were made of the row.
    pub columns: Vec<(String, String)>,
    /// Why it has its values.
    pub trace: LineTrace,
}

/// What is needed to trace lines of a fact: nothing that is written.
pub fn trace_request(condition: Option<&str>) -> Request {
    values_request(NAME, "--where", condition)
}

/// An output of the values of an expression that an option gives, on each line.
pub(crate) fn values_request(
    name: &str,
    option: &'static str,
    expression: Option<&str>,
) -> Request {
    let column = |text: &str| interligo_engine::bind::ColumnRequest {
        written: Written::in_option(option, text, 0..text.len()),
        name: None,
        form: interligo_engine::bind::ColumnForm::default(),
    };
    let columns = Some(expression.iter().map(|text| column(text)).collect());
    let lines = LinesRequest { columns, as_values: true, ..LinesRequest::default() };
    Request { content: Content::Lines(lines), ..Request::of_totals(name, TotalsRequest::default()) }
}

impl Project {
    /// What an argument asks for: a place in a file of the fact, or a key.
    ///
    /// # Errors
    /// The fact has no key; the key has another number of columns.
    pub fn wanted(&self, text: &str, engine: &Engine) -> Result<Wanted, Error> {
        Ok(Wanted::of(text, engine, self.table(&engine.bound.fact.name))?)
    }

    /// Whether an argument is a place in a file of a fact.
    pub fn is_place_of(&self, text: &str, fact: &str) -> bool {
        Wanted::is_place(text, self.table(fact))
    }
}

/// Traces lines of a fact, by its number in the job.
///
/// **Cost**: for a place, what comes before it in its file is read; for a key or a condition all lines are.
///
/// # Errors
/// There is no such place or key; an input cannot be read.
pub fn trace(
    project: &Project,
    (job, fact): (&Job, usize),
    wanted: &Wanted,
    most: usize,
    parallelism: Parallelism,
    progress: &(dyn Fn(u64, u64) + Sync),
) -> Result<Traced, Error> {
    let scan = Scan::new(project, &job.engines[fact], parallelism, progress);
    match wanted {
        Wanted::Key(key) => scan.by_key(key, most),
        Wanted::Place { part, row, nth } => scan.at_place(*part, *row, *nth),
        Wanted::Condition => scan.by_condition(&job.outputs[fact], most),
    }
}

/// The fact of a job that is traced: that of the request.
pub fn traced_fact(job: &Job) -> usize {
    let is_own = |outputs: &Vec<Output>| outputs.iter().any(|output| output.name == NAME);
    job.outputs.iter().position(is_own).unwrap_or(0)
}

/// The name of the request.
const NAME: &str = "lines traced";
