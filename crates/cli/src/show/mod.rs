//! Results as text: tables and statements for reading, CSV and JSON for other programs.

mod bars;
mod calendar;
mod check;
mod explain;
mod findings;
mod formulas;
mod link;
mod look;
mod map;
mod mend;
mod number;
mod start;
mod svg;
mod table;
mod tie_out;
mod totals;
mod visible;

pub(crate) use calendar::{calendar, calendar_svg, calendars};
pub(crate) use check::{
    ShownRows, check_csv, check_json, detail, for_owners, nothing_of, overview, would_not_stop,
    would_stop,
};
pub(crate) use explain::{explain, explain_all};
pub(crate) use findings::{notes, recovered, summary};
pub(crate) use formulas::formulas;
pub(crate) use link::{added, found_links, links, links_csv, links_json};
pub(crate) use look::{profiles, profiles_csv, profiles_json, rows, values, values_csv};
pub(crate) use map::{map_svg, map_text};
pub(crate) use mend::{
    first_line, left_open, mend_end, mend_help, mended, mending, no_such_key, not_taken,
    nothing_to_undo, one_mended, open_key, suggestions,
};
pub(crate) use start::started;
pub(crate) use tie_out::{link_health, tables_read, tie_out, tie_out_csv, tie_out_json};
pub(crate) use totals::{
    TotalsLook, bare, left_out_to_stderr, totals, totals_json, totals_markdown,
};
pub(crate) use visible::{Printed, say, seen, without_secrets};

use std::borrow::Cow;

use anstyle::{AnsiColor, Style};

use crate::commands::Out;

/// Section titles and headings.
const TITLE: Style = Style::new().bold();
/// What is there to be noticed.
const NOTICE: Style = AnsiColor::Yellow.on_default();
/// What is as it should be.
const GOOD: Style = AnsiColor::Green.on_default();
/// What may be passed over.
const QUIET: Style = Style::new().dimmed();

/// An argument of a command that is proposed, as a shell takes it.
pub(crate) fn argument(text: &str) -> Cow<'_, str> {
    // No argument can hold the sign that ends texts; what has it is shown as it is.
    shlex::try_quote(text).unwrap_or(text.into())
}

/// How wide the terminal is; 80 where there is none.
pub(crate) fn width() -> usize {
    told_width().unwrap_or(80)
}

/// How wide the terminal is, if there is one or its width is told.
pub(crate) fn told_width() -> Option<usize> {
    let told = std::env::var("COLUMNS").ok().and_then(|columns| columns.parse().ok());
    told.or_else(|| terminal_size::terminal_size().map(|(width, _)| usize::from(width.0)))
}

/// A text in lines that fit the terminal, each behind two spaces; one line where there is no terminal.
pub(crate) fn paragraph(text: &str) -> String {
    let width = match terminal_size::terminal_size() {
        Some((width, _)) => usize::from(width.0).max(40),
        None => usize::MAX,
    };
    let lines = broken(text, width - 2).into_iter().map(|line| format!("  {line}"));
    lines.collect::<Vec<_>>().join("\n")
}

/// A text in lines of at most so many signs, as far as its words allow.
fn broken(text: &str, width: usize) -> Vec<String> {
    let mut lines: Vec<String> = Vec::new();
    for word in text.split(' ') {
        match lines.last_mut() {
            Some(line) if line.chars().count() + word.chars().count() < width => {
                *line += " ";
                *line += word;
            }
            _ => lines.push(word.to_owned()),
        }
    }
    lines
}

/// Prints the title of a section.
pub(crate) fn title(out: Out<'_>, title: &str) -> std::io::Result<()> {
    writeln!(out, "\n{TITLE}{title}{TITLE:#}\n")
}

/// `1 line`, `3 lines`.
pub(crate) fn counted(count: u64, what: &str) -> String {
    let ending = if count == 1 { "" } else { "s" };
    format!("{} {what}{ending}", number::grouped(&count.to_string()))
}
