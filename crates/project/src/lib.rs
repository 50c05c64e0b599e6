//! The face of Interligo: a plan with its files, and everything that is done with them.
//!
//! A [`Project`] is a plan with its files: it finds the parts of every table, reads their headings and
//! loads the lookups. [`run`] streams the fact's files through the engine of `interligo-engine`, over all
//! cores, into output files that appear whole or not at all.

mod calendar;
mod check;
mod error;
mod fetch_rows;
mod link_map;
mod look;
mod mend;
mod open;
mod outcome;
mod plan_edit;
mod prepare;
mod project;
mod run;
mod start;

pub use calendar::{
    CalendarKey, DayLines, KeyCalendar, KeyPeriod, Span, dated_links, days_request, fill_periods,
    key_calendar, periods_request, worst_keys,
};
pub use check::{
    Checked, Code, Finding, FindingKind, Group, LinkBalance, Stake, StakeColumn, Stopping,
    for_owners,
};
pub use error::{Error, ErrorClass, Stop};
pub use fetch_rows::rows_at;
#[cfg(debug_assertions)]
pub use interligo_sinks::crash::die_after;
pub use interligo_sinks::formats::text::csv_row;
pub use interligo_sinks::output_file::{abandon_outputs, write_whole};
pub use interligo_sinks::publish::Recovered;
pub use interligo_sinks::totals::{row_labels, totals_csv};
pub use interligo_sources::formats::is_guarded;
pub use interligo_sources::table::heading_drift::Drift;
pub use interligo_sources::table::questions::Question;
pub use link_map::{LinkHealth, LinkMap, MapTable};
pub use look::{ColumnLook, PartProfile, TableProfile, TableRows, plan_for, shown_name, tables_in};
pub use mend::corrections_file::{CORRECTIONS_FILE, CorrectionsFile, with_corrections};
pub use mend::{Mended, Mending, NotTaken, OpenKey, Refused};
pub use outcome::{FilesSince, FindingsSince, Outcome};
pub use plan_edit::{NewLink, with_link};
pub use prepare::{Job, OnDuplicates};
pub use project::{PLAN_FILE, PartNote, Project, read_plan};
pub use run::parallelism::Parallelism;
pub use run::stop_rules::{duplicate_stops, stops};
pub use run::{Inspection, OnStop, RunResult, check, link_use, run};
pub use start::unlinked::with_likely_link;
pub use start::{Started, StartedLink, StartedTable, find_links, start};
