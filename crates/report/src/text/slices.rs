//! How a run is divided into slices.

use std::io;
use std::path::Path;

use interligo_project::{Division, Project};

use super::number::grouped;
use super::table::TextTable;
use super::{TITLE, argument, counted, reaching};
use crate::output::Out;

/// How many slices are listed.
const LISTED: usize = 16;

/// Prints what each slice takes, and how to go on.
///
/// # Errors
/// Standard output cannot be written.
pub fn division(
    out: Out<'_>,
    project: &Project,
    division: &Division,
    folder: &Path,
) -> io::Result<()> {
    let slices = division.slices;
    let slices_in_words = counted(slices as u64, "slice");
    writeln!(out, "{TITLE}The run in {slices_in_words}{TITLE:#}\n")?;
    let mut table = TextTable::new([">slice", ">bytes", "begins at"]);
    let begins = division.begins(project);
    for (number, place) in begins.iter().enumerate().take(LISTED) {
        let begins = place.as_ref().map_or("nothing to read".to_owned(), ToString::to_string);
        let bytes = grouped(&division.bytes(number).to_string());
        table.row([format!("{}", number + 1), bytes, begins]);
    }
    table.print(out, "  ")?;
    if slices > LISTED {
        writeln!(out, "  and {} more", slices - LISTED)?;
    }
    let lookups = folder.join("lookups");
    let lookups = lookups.display();
    match division.handed_on.tables().count() as u64 {
        0 => {}
        1 => writeln!(out, "\n1 table of a server is handed on in {lookups}")?,
        tables => {
            let tables = grouped(&tables.to_string());
            writeln!(out, "\n{tables} tables of servers are handed on in {lookups}")?;
        }
    }
    let folder = argument(&folder.to_string_lossy()).into_owned();
    writeln!(out)?;
    let run = format!("interligo run --slice K/{slices} --into {folder}");
    writeln!(out, "run each, in any order and anywhere: {}", reaching(&run))?;
    let join = format!("interligo join {folder}");
    writeln!(out, "then put them together: {}", reaching(&join))
}
