//! Results as JSON. The types here are its documented shape: members in their order; exact numbers as texts, so that no
//! reader rounds them; `null` where nothing is known.

mod check;
mod compare;
mod link;
mod look;
mod plan_schema;
mod tie_out;
mod totals;
mod trace;
mod verify;

pub use check::check_json;
pub use compare::{compared_json, kept_runs_json};
pub use link::links_json;
pub use look::{profiles_json, rows_json};
pub use plan_schema::{plan_schema, plan_schema_text};
pub use tie_out::tie_out_json;
pub use totals::totals_json;
pub use trace::{cell_json, traced_json};
pub use verify::verified_json;

use std::io;

use indexmap::IndexMap;
use interligo_engine::links::{LinkStatus, StatusCounts};
use serde::Serialize;

use crate::output::Out;

/// Members whose names are data, in their order; of two with one name the last counts.
type Members<T> = IndexMap<String, T>;

/// Prints something, indented.
fn print(out: Out<'_>, shown: &impl Serialize) -> io::Result<()> {
    let text = serde_json::to_string_pretty(shown).map_err(io::Error::other)?;
    writeln!(out, "{text}")
}

/// How many lines came out how in a link, by status.
fn by_status(counts: &StatusCounts) -> Members<u64> {
    LinkStatus::ALL.into_iter().map(|s| (s.name().to_owned(), counts[s as usize])).collect()
}

/// How many rows or lines there are of a kind.
#[derive(Serialize)]
struct Reason<'a> {
    reason: &'a str,
    #[serde(flatten)]
    count: Count,
}

/// What is counted.
#[derive(Serialize)]
#[serde(rename_all = "snake_case")]
enum Count {
    Rows(u64),
    Lines(u64),
}
