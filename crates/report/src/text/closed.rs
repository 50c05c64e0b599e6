//! Lines of closed periods that are not as they were.

use std::io;

use interligo_project::{ClosedChange, ClosedChanges, Comparison};

use super::compare::compared;
use super::number::grouped;
use super::table::TextTable;
use super::{QUIET, counted};
use crate::output::Out;

/// Prints how closed lines differ from what they were, and what that makes of the figures.
pub fn closed_changes(out: Out<'_>, changes: &ClosedChanges) -> io::Result<()> {
    writeln!(out)?;
    let has_others = changes.lines.iter().any(|line| line.fact != changes.lines[0].fact);
    let is_amount =
        |change: &ClosedChange| !matches!(change, ClosedChange::Value { is_figure: false, .. });
    // Amounts are below one another by their last digits, texts by their first letters.
    let heads = match changes.lines.iter().all(|line| is_amount(&line.change)) {
        true => ["closed line", "what", ">was", ">is"],
        false => ["closed line", "what", "was", "is"],
    };
    let mut table = TextTable::new(heads.map(str::to_owned));
    for line in &changes.lines {
        let key = match has_others {
            true => format!("{} {}", line.fact, line.key),
            false => line.key.clone(),
        };
        table.row(match &line.change {
            ClosedChange::New => [key, "new".to_owned(), String::new(), String::new()],
            ClosedChange::Gone => [key, "gone".to_owned(), String::new(), String::new()],
            ClosedChange::Value { what, is_figure, before, now } => {
                let shown = |text| value_shown(text, *is_figure);
                [key, what.clone(), shown(before), shown(now)]
            }
        });
    }
    table.print(out, "  ")?;
    let more =
        (changes.new + changes.gone + changes.changed).saturating_sub(changes.lines.len() as u64);
    if more > 0 {
        writeln!(out, "  {QUIET}and {} more{QUIET:#}", counted(more, "line"))?;
    }
    if let Some(comparison) = &changes.comparison {
        writeln!(out)?;
        compared(out, &of_changed_figures(comparison))?;
    }
    writeln!(out, "\nNothing was written.")
}

fn value_shown(text: &str, is_figure: bool) -> String {
    match text {
        "" => "blank".to_owned(),
        text if is_figure => grouped(text),
        text => text.to_owned(),
    }
}

/// The same without figures and facts whose totals did not change.
fn of_changed_figures(comparison: &Comparison) -> Comparison {
    let mut changed = comparison.clone();
    for fact in &mut changed.facts {
        fact.figures.retain(|(_, way)| !way.steps.is_empty());
    }
    changed.facts.retain(|fact| !fact.figures.is_empty());
    changed
}
