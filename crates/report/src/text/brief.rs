//! A run in a screenful: which counts close, what to look at, where the results are.

use std::io;

use interligo_engine::proof::tieout::{Amount, TieOut};
use interligo_model::plan::Plan;
use interligo_model::values::decimal::Decimal;
use interligo_project::RunResult;

use super::findings::{self, since_the_last_run};
use super::number::grouped;
use super::table::TextTable;
use super::tie_out::sum;
use super::{Out, QUIET, TITLE, note};

/// How many lines a run has for findings.
const FINDINGS: usize = 3;

/// How many amounts of a fact are shown.
const AMOUNTS: usize = 2;

/// Prints a run in a screenful.
pub fn brief(out: Out<'_>, plan: &Plan, ties: &[&TieOut], ran: &RunResult) -> io::Result<()> {
    let name = plan.plan.name.as_deref().map_or(String::new(), |name| format!(" · {name}"));
    writeln!(out, "{TITLE}Tie-out{name}{TITLE:#}\n")?;
    counts(out, ties)?;
    let groups = ran.checked.groups();
    if !groups.is_empty() {
        writeln!(out)?;
        findings::group_table(out, &ran.checked, &groups, FINDINGS, ran.since.as_ref())?;
        findings::more_kinds(out, &groups, FINDINGS)?;
    }
    since_the_last_run(out, ran)?;
    writeln!(out)?;
    outputs(out, ties)?;
    writeln!(out)?;
    let whole = "`interligo run --full` prints the whole tie-out: files, links, blank figures.";
    note(out, QUIET, "", whole)
}

/// How lines or amounts ended: its name, and how many lines or how much of an amount.
type Ending = (&'static str, fn(&TieOut) -> u64, fn(&Amount) -> Option<Decimal>);

const ENDINGS: [Ending; 6] = [
    ("added", |tie| tie.fact.rows.made, |_| Some(Decimal::ZERO)),
    ("kept", TieOut::lines_kept, |amount| amount.kept),
    ("left out", |tie| tie.fact.rows.left_out.values().sum(), |a| a.left_out),
    ("copies", |tie| tie.fact.rows.identical, |amount| amount.identical),
    ("dropped", |tie| tie.fact.rows.dropped, |amount| amount.dropped),
    ("set aside", |tie| tie.aside.iter().map(|(_, count)| count).sum(), |amount| amount.aside),
];

/// Prints the lines of each fact and their amounts, from `read` to how they ended.
pub fn counts(out: Out<'_>, ties: &[&TieOut]) -> io::Result<()> {
    counts_table(ties).print(out, "  ")
}

/// The same as a table.
pub(crate) fn counts_table(ties: &[&TieOut]) -> TextTable {
    let is_something = |(name, lines, amount): &&Ending| {
        let of = |tie: &&TieOut| {
            lines(tie) > 0 || tie.amounts.iter().any(|a| amount(a).is_none_or(|sum| !sum.is_zero()))
        };
        *name == "kept" || ties.iter().any(of)
    };
    let endings: Vec<&Ending> = ENDINGS.iter().filter(is_something).collect();
    let names = ["Counts", ">read"].map(str::to_owned).into_iter();
    let ended = endings.iter().map(|(name, ..)| format!(">{name}"));
    let mut table = TextTable::new(names.chain(ended).chain(["closes".to_owned()]));
    // Both sides were counted apart; a run in which they differ ends before this.
    let closes = || ["yes".to_owned()];
    let none_as_dot = |text: String| if text == "0" { "·".to_owned() } else { text };
    for tie in ties {
        let n = |count: u64| none_as_dot(grouped(&count.to_string()));
        let cells = endings.iter().map(|(_, lines, _)| n(lines(tie)));
        let lines = [tie.fact.table.clone(), grouped(&tie.fact.rows.read.to_string())];
        table.row(lines.into_iter().chain(cells).chain(closes()));
        for amount in tie.amounts.iter().take(AMOUNTS) {
            let cells = endings.iter().map(|(_, _, of)| none_as_dot(sum(of(amount))));
            let named = [format!("  {}", amount.column), sum(amount.read)];
            table.row(named.into_iter().chain(cells).chain(closes()));
        }
    }
    table
}

fn outputs(out: Out<'_>, ties: &[&TieOut]) -> io::Result<()> {
    let table = outputs_table(ties);
    if table.is_empty() {
        return writeln!(out, "  Nothing was written: the plan has no [outputs] with `to`.");
    }
    table.print(out, "  ")
}

/// What was written where.
pub(crate) fn outputs_table(ties: &[&TieOut]) -> TextTable {
    let mut table = TextTable::new(["Results", ">rows", "to"]);
    for written in ties.iter().flat_map(|tie| &tie.written).filter(|written| !written.beside) {
        let rows = written.groups.unwrap_or(written.tally.lines);
        let rows = if written.is_page { "·".to_owned() } else { grouped(&rows.to_string()) };
        table.row([written.output.clone(), rows, written.to.clone()]);
    }
    let listed = |to: &String| {
        ties.iter().flat_map(|tie| &tie.written).any(|other| other.is_list && other.to == *to)
    };
    for aside in ties.iter().filter_map(|tie| tie.aside_file.as_ref()) {
        if let Some(to) = aside.to.as_ref().filter(|to| !listed(to)) {
            table.row(["set aside".to_owned(), grouped(&aside.rows.to_string()), to.clone()]);
        }
    }
    table
}
