//! Sources and sinks of Interligo, and the run that leads from one to the other.
//!
//! A [`Project`] is a plan with its files: it finds the parts of every table, reads their headings and
//! loads the lookups. [`run`] streams the fact's files through the engine of `interligo-core`, over all
//! cores, into output files that appear whole or not at all.

mod error;
mod lines_out;
mod look;
mod lookups;
mod ordered;
mod parts;
mod pattern;
mod project;
mod run;
mod sinks;
mod style;
mod text;
mod totals_out;

pub use error::{Error, InputError, Stop};
pub use project::{OnDuplicates, PLAN_FILE, Project, duplicate_stops, read_plan};
pub use run::{OnStop, Outcome, Pace, run, stops};
pub use totals_out::{csv_row, totals_csv};
