//! Interligo for programs: a plan with its files, and everything that is done with them.
//!
//! A [`Plan`] says which tables there are, how they are linked, which figures are computed and which outputs are written; the
//! guide has all of it. A [`Project`] is a plan with its tables, opened: it finds the files of every table and reads their
//! header rows.
//!
//! ```no_run
//! use interligo_project::Project;
//!
//! let project = Project::open_file("mielo/interligo.toml".as_ref())?;
//! let totals = project.totals("by_group")?;       // one table, nothing written
//! let findings = project.check_all()?;            // what is wrong, and what it costs
//! let result = project.run_outputs()?;            // all outputs, or none, proved
//! # Ok::<(), interligo_project::Error>(())
//! ```
//!
//! # What comes back
//! [`TotalsTable`] has a row for each group; [`Checked`] the findings; [`RunResult`] for each fact an [`Outcome`] with its
//! totals and the tie-out, the statement that every line that was read ended in exactly one place. Numbers are exact
//! decimals of up to 38 digits, days are days, and an unknown value is [`Value::Blank`], never zero.
//!
//! # Errors
//! [`Error`] is one type for all of it: one sentence, a stable [`Error::code`], a place where there is one, and what to do.
//! Nothing is half written: a run that fails leaves all outputs as they were.
//!
//! # Tables of one's own
//! A plan may name tables that the program holds or makes: `from = "program:sales"`. They are handed to
//! [`Project::open_with`], as a [`MemoryTable`] or whatever implements [`OwnTable`].
//!
//! # Step by step
//! [`Project::prepare`] binds the names of the plan, loads the lookups and types the formulas for the outputs asked for
//! ([`Request`]); what comes of it is a [`Job`], which [`run`] and [`check`] pass the lines through, over as many cores as
//! [`Parallelism`] says. Results do not depend on that. Lookups are held in memory; the lines of facts pass through.
//!
//! Four examples are in `examples/`: `memory_tables`, `run_plan`, `check_findings`, `own_source`.

mod calendar;
mod check;
mod closed;
mod compare;
mod counted_values;
mod error;
mod face;
mod fetch_rows;
mod last_run;
mod link_map;
mod look;
mod mend;
mod open;
mod outcome;
mod page;
mod parallelism;
mod plan_edit;
mod prepare;
mod project;
mod read_plan;
mod run;
mod runs;
mod start;
mod trace;
mod unmet_condition;
mod verify;

pub use calendar::{
    CalendarKey, DayLines, KeyCalendar, KeyPeriod, Span, dated_links, days_request, fill_periods,
    key_calendar, periods_request, worst_keys,
};
pub use check::{
    Affected, AmountColumn, Checked, Code, Finding, FindingKind, Group, LinkBalance, Stopping,
    renamed_kind,
};
pub use closed::{ClosedChange, ClosedChanges, ClosedError, ClosedLine, OnClosed};
pub use compare::{
    Cause, CauseKind, ChangedLine, CompareOptions, Comparison, FactComparison, FigureWay,
    FilesCompared, WayStep,
};
pub use error::{Error, ErrorClass, Setting, Stop};
pub use fetch_rows::rows_at;
pub use interligo_engine::bind::Request;
pub use interligo_engine::engine::Extent;
pub use interligo_engine::totals::{TotalsRow, TotalsTable};
pub use interligo_model::plan::Plan;
pub use interligo_model::values::value::Value;
#[cfg(debug_assertions)]
pub use interligo_sinks::crash::die_after;
pub use interligo_sinks::formats::page::MADE_BY;
pub use interligo_sinks::formats::text::csv_row;
pub use interligo_sinks::output_file::{abandon_outputs, write_whole};
pub use interligo_sinks::publish::Recovered;
pub use interligo_sinks::totals::{row_labels, totals_csv};
pub use interligo_sources::formats::is_address as is_server_address;
pub use interligo_sources::formats::{MemoryTable, OwnTable, OwnTables, is_guarded};
pub use interligo_sources::refusal::refusal;
pub use interligo_sources::table::column_drift::Drift;
pub use interligo_sources::table::questions::Question;
pub use link_map::{LinkHealth, LinkMap, MapTable};
pub use look::{ColumnLook, PartProfile, TableProfile, TableRows, plan_for, shown_name, tables_in};
pub use mend::corrections_file::{CORRECTIONS_FILE, CorrectionsFile, with_corrections};
pub use mend::owner_list::WrittenList;
pub use mend::{Mended, Mending, NotTaken, OpenKey, Refused, TakenOver};
pub use outcome::{FilesSince, FindingsSince, Outcome};
pub use page::{Change, DrawPage, FactInTime, PageResults, PageTotals, PeriodFigures};
pub use parallelism::{Parallelism, pool};
pub use plan_edit::{NewLink, with_link};
pub use prepare::{Job, OnDuplicates};
pub use project::{PLAN_FILE, PartNote, Project};
pub use read_plan::{read_plan, read_plan_given};
pub use run::kept_lines::{KeptAnswer, KeptLines};
pub use run::slices::{Division, OnSpark, Slices, SlicesError, divide, join, run_slice};
pub use run::stop_rules::{duplicate_stops, stops};
pub use run::{Inspection, OnStop, RunResult, RunRules, check, link_use, run};
pub use runs::{KeptRun, RecordError};
pub use start::unlinked::with_likely_link;
pub use start::{Addition, Additions, additions, with_additions};
pub use start::{Answer, Answers, Decision, Started, StartedLink, StartedTable, find_links, start};
pub use start::{ExplainedCandidate, ExplainedColumn, explain_column};
pub use trace::{
    BesideLines, CellLine, CellParts, CellTrace, Listed, RatioPart, Traced, TracedLine, Wanted,
    WithoutValue, trace, trace_request, traced_fact,
};
pub use unmet_condition::UnmetCondition;
pub use verify::{OutputDifference, RowDifference, Verified, VerifiedOutput};
