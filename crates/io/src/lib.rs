//! Sources and sinks of Interligo, and the run that leads from one to the other.
//!
//! A [`Project`] is a plan with its files: it finds the parts of every table, reads their headings and
//! loads the lookups. [`run`] streams the fact's files through the engine of `interligo-core`, over all
//! cores, into output files that appear whole or not at all.

mod additions;
mod calendar;
mod check;
mod corrections;
mod crash;
mod destinations;
mod error;
mod fetch;
mod find;
mod given;
mod grid;
mod heading;
mod headings;
mod health;
mod last_run;
mod lines_out;
mod look;
mod lookups;
mod mend;
mod ordered;
mod outputs;
mod parts;
mod pattern;
mod profile;
mod project;
mod publish;
mod repeats;
mod rows;
mod run;
mod same_file;
mod sinks;
mod snapshot;
mod source;
mod start;
mod stops;
mod style;
mod sums;
mod text;
mod total_rows;
mod totals_out;

pub use additions::{NewLink, with_link};
pub use calendar::{
    CalendarKey, DayLines, KeyCalendar, KeyPeriod, Span, dated_links, days_request, fill_periods,
    key_calendar, periods_request, worst_keys,
};
pub use check::{Checked, Code, Finding, Group, LinkBalance, Stake, StakeColumn, for_owners};
pub use corrections::{CORRECTIONS_FILE, CorrectionsFile, with_corrections};
#[cfg(debug_assertions)]
pub use crash::die_after;
pub use error::{Error, InputError, Stop};
pub use fetch::rows_at;
pub use headings::Drift;
pub use health::{LinkHealth, LinkMap, MapTable};
pub use last_run::{FilesSince, FindingsSince};
pub use mend::{Mended, Mending, NotTaken, OpenKey, Refused};
pub use parts::Question;
pub use profile::{
    ColumnLook, PartProfile, TableProfile, TableRows, plan_for, shown_name, tables_in,
};
pub use project::{OnDuplicates, PLAN_FILE, PartNote, Project, read_plan};
pub use publish::Recovered;
pub use run::{Depth, OnStop, Outcome, Pace, Ran, check, link_use, run};
pub use sinks::{abandon_outputs, write_whole};
pub use source::is_guarded;
pub use start::{Started, StartedLink, StartedTable, find_links, start};
pub use stops::{duplicate_stops, stops};
pub use totals_out::{csv_row, row_labels, totals_csv};
