//! Outputs that were read back.

use std::io;

use interligo_project::{OutputDifference, RowDifference, Verified, VerifiedOutput};

use super::compare::moment;
use super::number::grouped;
use super::table::TextTable;
use super::{QUIET, TITLE, counted};
use crate::output::Out;

/// Prints what became of the outputs of a run.
pub fn verified(out: Out<'_>, verified: &Verified) -> io::Result<()> {
    let mut table = TextTable::new(["output", ">rows", "is", "to"]);
    for own in &verified.outputs {
        table.row([
            own.output.clone(),
            grouped(&own.rows.to_string()),
            in_words(own),
            own.to.clone(),
        ]);
    }
    table.print(out, "")?;
    for own in verified.outputs.iter().filter(|own| !own.is_same() && !own.is_gone) {
        differences(out, own)?;
    }
    let made_of = verified.made_of.iter().map(|(table, files)| match files.as_slice() {
        [file] => format!("{table} ({file})"),
        files => format!("{table} ({})", counted(files.len() as u64, "file")),
    });
    let made_of: Vec<String> = made_of.collect();
    let so = match verified.is_same() {
        true => "Each output is what the run",
        false => "Not each output is what the run",
    };
    let run = format!("{so} of {} wrote, from {}.", moment(verified.at), made_of.join(", "));
    writeln!(out)?;
    super::note(out, QUIET, "", &run)
}

/// What became of an output, in a few words.
fn in_words(own: &VerifiedOutput) -> String {
    if own.is_same() {
        return "as written".to_owned();
    }
    if own.is_gone {
        return "not there".to_owned();
    }
    let mut words = Vec::new();
    let counts = [
        (own.cells, "cell", "changed"),
        (own.missing, "row", "missing"),
        (own.foreign, "row", "added"),
        (own.malformed, "row", "malformed"),
    ];
    for (count, what, so) in counts.into_iter().filter(|(count, ..)| *count > 0) {
        words.push(format!("{} {so}", counted(count, what)));
    }
    for (columns, so) in [(&own.lost_columns, "missing"), (&own.new_columns, "added")] {
        if !columns.is_empty() {
            words.push(format!("{} {so}", counted(columns.len() as u64, "column")));
        }
    }
    if own.unreadable.is_some() {
        words.push("not readable".to_owned());
    }
    words.join(", ")
}

fn differences(out: Out<'_>, own: &VerifiedOutput) -> io::Result<()> {
    writeln!(out, "\n{TITLE}{}{TITLE:#}", own.output)?;
    if let Some(why) = &own.unreadable {
        super::note(out, QUIET, "  ", why)?;
    }
    for (columns, so) in [(&own.lost_columns, "missing"), (&own.new_columns, "added")] {
        if !columns.is_empty() {
            super::note(out, QUIET, "  ", &format!("columns {so}: {}", columns.join(", ")))?;
        }
    }
    if own.differences.is_empty() {
        return Ok(());
    }
    let mut table = TextTable::new(["row", "column", "written", "there", "place"]);
    own.differences.iter().for_each(|difference| table.row(shown(difference)));
    table.without_blank_columns(1).print(out, "  ")?;
    let all = own.cells + own.missing + own.foreign;
    let more = all.saturating_sub(own.differences.len() as u64);
    if more > 0 {
        writeln!(out, "  {QUIET}and {more} more; --rows lists them{QUIET:#}")?;
    }
    Ok(())
}

fn shown(difference: &OutputDifference) -> [String; 5] {
    let none = String::new;
    let value = |text: &str| if text.is_empty() { "blank".to_owned() } else { text.to_owned() };
    let row = difference.row.clone();
    match &difference.what {
        RowDifference::Cell { place, column, written, there } => {
            [row, column.clone(), value(written), value(there), place.clone()]
        }
        RowDifference::Missing => [row, none(), "the row".to_owned(), "missing".to_owned(), none()],
        RowDifference::Foreign { place } => {
            [row, none(), "no such row".to_owned(), "the row".to_owned(), place.clone()]
        }
    }
}
