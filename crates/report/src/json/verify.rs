//! Outputs that were read back, as JSON.

use std::io;

use interligo_project::{OutputDifference, RowDifference, Verified, VerifiedOutput};
use serde::Serialize;

use super::print;
use crate::output::Out;

#[derive(Serialize)]
struct Shown<'a> {
    is_same: bool,
    run_at: u64,
    outputs: Vec<OutputShown<'a>>,
}

#[derive(Serialize)]
struct OutputShown<'a> {
    output: &'a str,
    to: &'a str,
    is_same: bool,
    rows: u64,
    changed_cells: u64,
    missing_rows: u64,
    added_rows: u64,
    missing_columns: &'a [String],
    added_columns: &'a [String],
    malformed_rows: u64,
    is_there: bool,
    not_readable: Option<&'a str>,
    differences: Vec<DifferenceShown<'a>>,
}

#[derive(Serialize)]
struct DifferenceShown<'a> {
    row: &'a str,
    what: &'static str,
    place: Option<&'a str>,
    column: Option<&'a str>,
    written: Option<&'a str>,
    there: Option<&'a str>,
}

/// Prints what became of the outputs of a run.
pub fn verified_json(out: Out<'_>, verified: &Verified) -> io::Result<()> {
    let outputs = verified.outputs.iter().map(output).collect();
    print(out, &Shown { is_same: verified.is_same(), run_at: verified.at, outputs })
}

fn output(own: &VerifiedOutput) -> OutputShown<'_> {
    OutputShown {
        output: &own.output,
        to: &own.to,
        is_same: own.is_same(),
        rows: own.rows,
        changed_cells: own.cells,
        missing_rows: own.missing,
        added_rows: own.foreign,
        missing_columns: &own.lost_columns,
        added_columns: &own.new_columns,
        malformed_rows: own.malformed,
        is_there: !own.is_gone,
        not_readable: own.unreadable.as_deref(),
        differences: own.differences.iter().map(difference).collect(),
    }
}

fn difference(own: &OutputDifference) -> DifferenceShown<'_> {
    let none = DifferenceShown {
        row: &own.row,
        what: "missing-row",
        place: None,
        column: None,
        written: None,
        there: None,
    };
    match &own.what {
        RowDifference::Missing => none,
        RowDifference::Foreign { place } => {
            DifferenceShown { what: "added-row", place: Some(place), ..none }
        }
        RowDifference::Cell { place, column, written, there } => DifferenceShown {
            what: "changed-cell",
            place: Some(place),
            column: Some(column),
            written: Some(written),
            there: Some(there),
            ..none
        },
    }
}
