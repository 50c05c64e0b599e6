//! Results as text: tables and statements for reading, CSV and JSON for other programs.

mod bars;
mod brief;
mod calendar;
mod check;
mod closed;
mod compare;
mod error;
mod findings;
mod formulas;
pub(crate) mod link;
pub(crate) mod look;
mod map;
mod mend;
pub(crate) mod number;
mod plan_help;
mod proposed;
mod slices;
mod start;
pub(crate) mod table;
mod tie_out;
pub(crate) mod totals;
mod trace;
mod verify;

pub use brief::{brief, counts};
pub(crate) use brief::{counts_table, outputs_table};
pub use calendar::{calendar, calendars};
pub use check::{
    ShownRows, check_csv, detail, for_owners, nothing_of, overview, would_not_stop, would_stop,
};
pub use closed::closed_changes;
pub(crate) use compare::{
    bridge_table, cause_words, difference_shown, figure_shown, kind_name, moment,
};
pub use compare::{compared, compared_csv, compared_markdown, kept_runs};
pub use error::{PlanText, error_line, error_messages, fix_line};
pub(crate) use findings::{affected_cells, groups_table};
pub use findings::{from_kept, kept_damaged, notes, recovered, summary};
pub use formulas::formulas;
pub use interligo_model::words::counted;
pub(crate) use link::links_table;
pub use link::{added, found_links, links, links_csv};
pub use look::{profiles, profiles_csv, rows, rows_csv, values, values_csv};
pub use map::map_text;
pub use mend::{
    first_line, left_open, mend_end, mend_help, mended, mending, no_such_key, not_taken,
    nothing_to_undo, one_mended, open_key, suggestions, unanswered,
};
pub use plan_help::{plan_overview, plan_section, plan_sections};
pub use proposed::NamedPlan;
pub(crate) use proposed::reaching;
pub use slices::division;
pub use start::{
    added_to_plan, additions, asking, asking_help, explained_column, question, started,
};
pub(crate) use tie_out::{
    amounts_table, blanks_table, links_table as tied_links_table, rounded_table,
};
pub use tie_out::{tie_out, tie_out_csv};
pub use totals::{TotalsLook, TotalsNotes, bare, not_shown, totals, totals_markdown};
pub use trace::{cell, cell_markdown, traced, traced_markdown};
pub use verify::verified;

use std::borrow::Cow;

use anstyle::{AnsiColor, Style};
use textwrap::{Options, WordSeparator, WordSplitter, WrapAlgorithm};

use crate::output::Out;

/// Section titles and column names.
pub(crate) const TITLE: Style = Style::new().bold();
/// What is there to be noticed.
pub(crate) const NOTICE: Style = AnsiColor::Yellow.on_default();
/// What is as it should be.
pub(crate) const GOOD: Style = AnsiColor::Green.on_default();
/// What may be passed over.
pub(crate) const QUIET: Style = Style::new().dimmed();

/// An argument of a command that is proposed, as a shell takes it.
pub fn argument(text: &str) -> Cow<'_, str> {
    // No argument can hold the character that ends texts; what has it is shown as it is.
    shlex::try_quote(text).unwrap_or(text.into())
}

/// A text in lines that fit the width, each behind two spaces; one line where there is none. Commands in it reach the plan.
pub fn paragraph(width: Option<usize>, text: &str) -> String {
    let width = width.map_or(usize::MAX, |width| width.max(40));
    let text = reaching(text);
    let lines = broken(&text, width - 2).into_iter().map(|line| format!("  {line}"));
    lines.collect::<Vec<_>>().join("\n")
}

/// A text in lines of at most this many characters, as far as its words allow.
fn broken(text: &str, width: usize) -> Vec<Cow<'_, str>> {
    let options = Options::new(width)
        .word_separator(WordSeparator::AsciiSpace)
        .word_splitter(WordSplitter::NoHyphenation)
        .wrap_algorithm(WrapAlgorithm::FirstFit)
        .break_words(false);
    textwrap::wrap(text, options)
}

/// Prints a note, in lines that fit the width, each after `indent`. Commands in it reach the plan.
pub(crate) fn note(out: Out<'_>, style: Style, indent: &str, text: &str) -> std::io::Result<()> {
    let width = out.width().map_or(usize::MAX, |width| width.max(40) - indent.len());
    let text = reaching(text);
    let lines = broken(&text, width);
    lines.iter().try_for_each(|line| writeln!(out, "{indent}{style}{line}{style:#}"))
}

/// Prints the title of a section.
pub fn title(out: Out<'_>, title: &str) -> std::io::Result<()> {
    writeln!(out, "\n{TITLE}{title}{TITLE:#}\n")
}
