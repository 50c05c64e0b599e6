//! What `start` found: the tables, the links with their reasons, what is to be decided.

use std::io;
use std::path::Path;

use interligo_model::plan::Role;
use interligo_project::{Additions, Decision, ExplainedColumn, Started, StartedLink, StartedTable};

use super::number::{grouped, share};
use super::table::TextTable;
use super::{GOOD, NOTICE, Out, QUIET, TITLE, counted, note, paragraph, title};

/// How many links that may hold are shown.
const DOUBTS: usize = 5;

/// Prints what was found for a plan, and what is to be decided.
pub fn started(out: Out<'_>, started: &Started, plan: &Path) -> io::Result<()> {
    writeln!(out, "{TITLE}Start{TITLE:#} {QUIET}{}{QUIET:#}\n", plan.display())?;
    tables(out, &started.tables)?;
    title(out, "Links")?;
    if started.links.is_empty() {
        writeln!(out, "  {NOTICE}No column of one table matches another table.{NOTICE:#}")?;
    }
    started.links.iter().try_for_each(|link| link_lines(out, link))?;
    if !started.doubts.is_empty() {
        title(out, "Other possible links, as comments in the plan")?;
        started.doubts.iter().take(DOUBTS).try_for_each(|link| link_lines(out, link))?;
        if let Some(more @ 1..) = started.doubts.len().checked_sub(DOUBTS) {
            writeln!(out, "  {QUIET}… and {more} more in the plan{QUIET:#}")?;
        }
    }
    figures(out, started)?;
    if !started.decisions.is_empty() {
        title(out, "To be decided")?;
        for decision in &started.decisions {
            writeln!(out, "{NOTICE}{}{NOTICE:#}", paragraph(out.width(), &decision.sentence()))?;
        }
    }
    if !started.decided.is_empty() {
        title(out, "Decided")?;
        for (decision, answer) in &started.decided {
            let both = format!("{decision}: {answer}");
            writeln!(out, "{}", paragraph(out.width(), &both))?;
        }
    }
    not_read(out, &started.unread)?;
    let next = "The plan is written. `interligo link` shows the match rates, `interligo run` writes the outputs.";
    writeln!(out)?;
    note(out, GOOD, "  ", next)
}

fn tables(out: Out<'_>, tables: &[StartedTable]) -> io::Result<()> {
    let mut table = TextTable::new(["Tables", "", ">rows", "key", "from"]);
    for found in tables {
        let role = match found.role {
            Some(Role::Fact) => "fact",
            Some(Role::Lookup) => "lookup",
            None => "not linked",
        };
        let rows = grouped(&found.rows.to_string());
        let rows = match found.looked_at {
            None => rows,
            Some(seen) => format!("about {rows}, by {}", grouped(&seen.to_string())),
        };
        let mut from = found.from.first().cloned().unwrap_or_default();
        if found.from.len() > 1 {
            from = format!("{from} and {} more", found.from.len() - 1);
        } else if found.parts > 1 {
            from = format!("{from} ({})", counted(found.parts as u64, "part"));
        }
        table.row([found.name.clone(), role.to_owned(), rows, found.key.join(" + "), from]);
    }
    table.print(out, "  ")
}

pub(super) fn link_lines(out: Out<'_>, link: &StartedLink) -> io::Result<()> {
    writeln!(out, "  {TITLE}{}{TITLE:#}", link.path)?;
    if let Some((found, all)) = link.lines {
        let share = share(found, all);
        writeln!(out, "    {GOOD}{share} of {}{GOOD:#}", counted(all, "line"))?;
    }
    note(out, QUIET, "    ", &link.why)?;
    match &link.runner_up {
        Some(next) => note(out, QUIET, "    ", &format!("next best: {next}")),
        None => Ok(()),
    }
}

fn figures(out: Out<'_>, started: &Started) -> io::Result<()> {
    title(out, "Figures")?;
    if started.figures.is_empty() {
        return writeln!(
            out,
            "  {NOTICE}No columns for quantity and price were found: name them under [figures].{NOTICE:#}"
        );
    }
    for figure in &started.figures {
        let formula = format!("  {} = {}", figure.name, figure.formula);
        let doubt = figure.doubt.as_deref().unwrap_or_default();
        let both = formula.chars().count() + 2 + doubt.chars().count();
        match doubt {
            "" => writeln!(out, "{formula}")?,
            doubt if out.width().is_none_or(|width| both <= width) => {
                writeln!(out, "{formula}  {NOTICE}{doubt}{NOTICE:#}")?;
            }
            doubt => {
                writeln!(out, "{formula}")?;
                note(out, NOTICE, "    ", doubt)?;
            }
        }
    }
    Ok(())
}

/// Prints how many questions come.
pub fn asking(out: Out<'_>, count: usize) -> io::Result<()> {
    writeln!(
        out,
        "{TITLE}{} before the plan is written{TITLE:#}",
        counted(count as u64, "question")
    )?;
    asking_help(out, 0)
}

/// Prints what can be typed to a question with this many answers, or to any.
pub fn asking_help(out: Out<'_>, answers: usize) -> io::Result<()> {
    let numbers = match answers {
        0 => "the number of an answer".to_owned(),
        1 => "1".to_owned(),
        many => format!("1 to {many}"),
    };
    let help = format!("Type {numbers}; Enter leaves it open, q leaves all open that come.");
    note(out, QUIET, "  ", &help)
}

/// Prints a question with the answers that may be given.
pub fn question(out: Out<'_>, decision: &Decision, of: (usize, usize)) -> io::Result<()> {
    let (number, all) = of;
    writeln!(out, "\n{QUIET}{number} of {all}{QUIET:#}")?;
    writeln!(out, "{}", paragraph(out.width(), &decision.text))?;
    for line in decision.evidence.iter().take(EVIDENCE) {
        note(out, QUIET, "    ", line)?;
    }
    if let Some(more @ 1..) = decision.evidence.len().checked_sub(EVIDENCE) {
        writeln!(out, "    {QUIET}… and {more} more{QUIET:#}")?;
    }
    writeln!(out)?;
    for (number, answer) in (1..).zip(&decision.answers) {
        writeln!(out, "  {TITLE}{number}{TITLE:#}  {}", answer.words)?;
    }
    Ok(())
}

/// How many places of a question are shown.
const EVIDENCE: usize = 3;

/// Prints the evidence for and against each column that one might lead to.
pub fn explained_column(out: Out<'_>, explained: &ExplainedColumn) -> io::Result<()> {
    let (rows, values) = explained.filled;
    writeln!(
        out,
        "{TITLE}{}{TITLE:#} {QUIET}{} with {}{QUIET:#}\n",
        explained.column,
        counted(rows, "row"),
        counted(values, "different value")
    )?;
    if explained.candidates.is_empty() {
        return writeln!(out, "  No column of another table has any of its values.");
    }
    let columns = ["May lead to", ">values", ">rows", ">names", ">evidence", "so"];
    let mut table = TextTable::new(columns);
    for candidate in explained.candidates.iter().take(CANDIDATES) {
        let (fit, evidence) = (&candidate.evidence.fit, &candidate.evidence);
        table.row([
            candidate.column.clone(),
            share(fit.found as u64, fit.values as u64),
            share(fit.found_rows as u64, fit.rows as u64),
            format!("{} %", evidence.alike),
            evidence.score.map_or("·".to_owned(), |score| format!("{score} of 100")),
            candidate.verdict().to_owned(),
        ]);
    }
    table.print(out, "  ")?;
    let how = "Values and rows that are found there; how alike the names are. By chance: small numbers and the like are found anywhere.";
    note(out, QUIET, "  ", how)?;
    let more = explained.candidates.len().saturating_sub(CANDIDATES);
    if more > 0 {
        writeln!(
            out,
            "  {QUIET}… and {} that have fewer of its values{QUIET:#}",
            counted(more as u64, "column")
        )?;
    }
    Ok(())
}

/// How many candidates are shown.
const CANDIDATES: usize = 12;

/// Prints what lies in a folder and a plan does not know, with the lines that would be put into it.
pub fn additions(out: Out<'_>, found: &Additions, plan: &Path) -> io::Result<()> {
    writeln!(out, "{TITLE}What {} does not know{TITLE:#}", plan.display())?;
    for addition in &found.all {
        writeln!(out, "\n{}", paragraph(out.width(), &addition.decision.text))?;
        addition.decision.evidence.iter().try_for_each(|line| note(out, QUIET, "    ", line))?;
        for line in addition.lines.lines() {
            match line {
                "" => writeln!(out)?,
                line => writeln!(out, "    {GOOD}{line}{GOOD:#}")?,
            }
        }
    }
    Ok(())
}

/// Prints how much was put into a plan, and what is left.
pub fn added_to_plan(out: Out<'_>, found: &Additions, taken: usize, plan: &Path) -> io::Result<()> {
    for text in &found.notes {
        writeln!(out, "\n{NOTICE}{}{NOTICE:#}", paragraph(out.width(), text))?;
    }
    not_read(out, &found.unread)?;
    let plan = plan.display();
    let said = match (found.all.len(), taken) {
        (0, _) => format!(
            "There is nothing to add to `{plan}`. --replace writes a new draft in its place."
        ),
        (_, 0) => format!(
            "`{plan}` stays as it is. --yes adds all of it, at a terminal `start` asks; --replace writes a new draft in its place."
        ),
        (all, taken) if all == taken => {
            format!("All is added to `{plan}`. `interligo check` shows what comes of it.")
        }
        (all, taken) => format!(
            "{taken} of {all} are added to `{plan}`. `interligo check` shows what comes of it."
        ),
    };
    writeln!(out)?;
    note(out, GOOD, "  ", &said)
}

/// Prints the files that could not be read.
fn not_read(out: Out<'_>, unread: &[(String, String)]) -> io::Result<()> {
    if unread.is_empty() {
        return Ok(());
    }
    title(out, "Not read")?;
    for (file, why) in unread.iter().take(10) {
        writeln!(out, "  {file}: {why}")?;
    }
    match unread.len().checked_sub(10) {
        Some(more @ 1..) => writeln!(out, "  {QUIET}… and {more} more{QUIET:#}"),
        _ => Ok(()),
    }
}
