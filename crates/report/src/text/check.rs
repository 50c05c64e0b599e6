//! What a check found: an overview by kind, and one kind or link in detail.

use std::collections::{BTreeMap, BTreeSet};
use std::io;
use std::path::Path;

use interligo_engine::links::{LinkStatus, lines_found};
use interligo_project::{Checked, Code, Finding, Group, LinkBalance, WrittenList};

use super::error::fix_line;
use super::findings::{
    affected_cells, affected_columns, example, note, part_of, share, subjects, unknown_amounts,
    visible,
};
use super::number::grouped;
use super::table::TextTable;
use super::{GOOD, NOTICE, Out, QUIET, TITLE, argument, counted, paragraph, reaching};

/// How many rows of a kind a table shows.
const SHOWN: usize = 20;

/// Rows of a table, to be shown beneath findings.
pub struct ShownRows {
    /// The table.
    pub table: String,
    /// Its columns.
    pub columns: Vec<String>,
    /// Of each row, its place and its cells.
    pub rows: Vec<(String, Vec<String>)>,
}

/// Prints the kinds of findings, largest amount first, and the counts that close.
pub fn overview(out: Out<'_>, checked: &Checked) -> io::Result<()> {
    let over = format!(
        "{}, {}, {}",
        counted(checked.lines, "line"),
        counted(checked.links as u64, "link"),
        counted(checked.lookups as u64, "lookup")
    );
    writeln!(out, "{TITLE}Check{TITLE:#} {QUIET}over {over}{QUIET:#}")?;
    let groups = checked.groups();
    first_steps(out, &groups)?;
    let (lines, others): (Vec<&Group<'_>>, Vec<&Group<'_>>) =
        groups.iter().partition(|group| group.affected.is_some());
    writeln!(out)?;
    if lines.is_empty() {
        writeln!(out, "  {GOOD}Every key matches as it is written.{GOOD:#}")?;
    } else {
        line_groups(out, checked, &lines)?;
    }
    if checked.further > 0 {
        let lines = counted(checked.further, "line");
        writeln!(out, "  {NOTICE}{lines} with further keys are counted but not listed.{NOTICE:#}")?;
    }
    if !others.is_empty() {
        writeln!(out)?;
        row_groups(out, &others)?;
    }
    balances(out, checked)?;
    if let Some(first) = groups.first() {
        let (code, about) = (first.findings[0].code.name(), &first.findings[0].about);
        let or = if about.is_empty() {
            String::new()
        } else {
            format!(" or `interligo check {}`", argument(about))
        };
        writeln!(
            out,
            "\n{QUIET}{}{QUIET:#}",
            paragraph(
                out.width(),
                &format!(
                    "`interligo check {code}`{or} shows keys and rows, `interligo check --explain {code}` what settles them."
                )
            )
        )?;
    }
    Ok(())
}

/// How many first steps are shown.
const STEPS: usize = 3;

/// What to do first: the commands that settle the findings with the largest amounts.
fn first_steps(out: Out<'_>, groups: &[Group<'_>]) -> io::Result<()> {
    let mut steps: Vec<(String, &str, Vec<&str>)> = Vec::new();
    for code in groups.iter().map(|group| group.findings[0].code) {
        let kind = code.kind();
        let Some((way, what)) = kind.ways.first().filter(|_| !kind.settled) else { continue };
        let (command, what) = match way.starts_with("interligo ") {
            true => ((*way).to_owned(), *what),
            false => (format!("interligo check --explain {}", code.name()), "how to settle it"),
        };
        match steps.iter_mut().find(|(known, ..)| *known == command) {
            Some((.., codes)) if codes.contains(&code.name()) => {}
            Some((.., codes)) => codes.push(code.name()),
            None => steps.push((command, what, vec![code.name()])),
        }
    }
    if steps.is_empty() {
        return Ok(());
    }
    writeln!(out, "\n  {TITLE}What to do first{TITLE:#}")?;
    for (command, what, codes) in steps.into_iter().take(STEPS) {
        writeln!(out, "  {}", reaching(&command))?;
        writeln!(out, "      {QUIET}{}: {what}{QUIET:#}", codes.join(", "))?;
    }
    Ok(())
}

fn line_groups(out: Out<'_>, checked: &Checked, groups: &[&Group<'_>]) -> io::Result<()> {
    let column_names = ["On lines", "in", ">keys", ">lines", ">share"].map(str::to_owned);
    let column_names = column_names.into_iter().chain(affected_columns(checked));
    let mut table = TextTable::new(column_names.chain(["first".to_owned()])).in_csv();
    for group in groups {
        let first = group.findings[0];
        let mut row = vec![
            first.code.name().to_owned(),
            checked.place_of(first),
            subjects(group),
            grouped(&group.count.to_string()),
            share(group.count, checked.lines),
        ];
        row.extend(affected_cells(checked, group.affected.as_ref()));
        row.push(example(first));
        table.row(row);
    }
    table.print(out, "  ")?;
    unknown_amounts(out, groups.iter().map(|group| group.affected.as_ref()))
}

fn row_groups(out: Out<'_>, groups: &[&Group<'_>]) -> io::Result<()> {
    let mut table =
        TextTable::new(["In rows and values", "in", ">how many", "first", "what happens"]).in_csv();
    for group in groups {
        let first = group.findings[0];
        table.row([
            first.code.name().to_owned(),
            first.about.clone(),
            grouped(&group.count.to_string()),
            example(first),
            note(first),
        ]);
    }
    table.print(out, "  ")
}

/// The sums that must close.
fn balances(out: Out<'_>, checked: &Checked) -> io::Result<()> {
    if checked.balances.is_empty() {
        return Ok(());
    }
    writeln!(out)?;
    let mut table = TextTable::new(["Counts that close", "lines", "distinct keys"]);
    for link in &checked.balances {
        table.row([link.link.clone(), lines_sum(link), keys_sum(link)]);
    }
    table.print(out, "  ")
}

fn lines_sum(link: &LinkBalance) -> String {
    let counts = &link.balance.lines;
    let n = |count: u64| grouped(&count.to_string());
    let of = |status: LinkStatus| counts[status as usize];
    let mut parts = vec![format!("{} matched", n(lines_found(counts)))];
    parts.push(format!("{} unmatched", n(of(LinkStatus::Unmatched))));
    parts.push(format!("{} blank", n(of(LinkStatus::Blank))));
    let others = LinkStatus::ALL.into_iter().filter(|status| {
        !status.is_found() && !matches!(status, LinkStatus::Unmatched | LinkStatus::Blank)
    });
    let others = others.filter(|status| of(*status) > 0);
    parts.extend(others.map(|status| format!("{} {}", n(of(status)), status.name())));
    format!("{} = {}", parts.join(" + "), n(counts.iter().sum()))
}

fn keys_sum(link: &LinkBalance) -> String {
    let balance = &link.balance;
    let n = |count: u64| grouped(&count.to_string());
    let all = balance.keys_in_both + balance.keys_of_lines + balance.keys_of_lookup;
    let at_least = if balance.more { " or more" } else { "" };
    format!(
        "{} in both + {}{at_least} only in lines + {} only in {} = {}{at_least}",
        n(balance.keys_in_both),
        n(balance.keys_of_lines),
        n(balance.keys_of_lookup),
        link.lookup,
        n(all)
    )
}

/// Prints some findings one by one, with rows beneath.
pub fn detail(
    out: Out<'_>,
    checked: &Checked,
    findings: &[&Finding],
    rows: &[ShownRows],
) -> io::Result<()> {
    let mut by_kind: BTreeMap<Code, Vec<&Finding>> = BTreeMap::new();
    let mut kinds: Vec<Code> = Vec::new();
    for finding in findings {
        by_kind.entry(finding.code).or_default().push(finding);
        if !kinds.contains(&finding.code) {
            kinds.push(finding.code);
        }
    }
    for (number, code) in kinds.iter().enumerate() {
        if number > 0 {
            writeln!(out)?;
        }
        let what = code.kind().what;
        writeln!(out, "{TITLE}{}{TITLE:#}", code.name())?;
        super::note(out, QUIET, "  ", what)?;
        writeln!(out)?;
        let found = &by_kind[code];
        match found[0].affected {
            Some(_) => line_findings(out, checked, found)?,
            None => row_findings(out, found)?,
        }
        if let Some(more) = found.len().checked_sub(SHOWN).filter(|more| *more > 0) {
            let more = grouped(&more.to_string());
            writeln!(out, "  {QUIET}… and {more} more: --format csv has all{QUIET:#}")?;
        }
    }
    for shown in rows {
        writeln!(out, "\n{TITLE}Rows of {}{TITLE:#}\n", shown.table)?;
        let mut table =
            TextTable::new(["where"].into_iter().chain(shown.columns.iter().map(|c| &**c)));
        for (place, cells) in &shown.rows {
            table.row([place].into_iter().chain(cells));
        }
        table.print(out, "  ")?;
    }
    // Lines of a fact have values that can be explained; rows of lookups are as they are read.
    let is_of_lines =
        |finding: &&Finding, table: &str| finding.affected.is_some() && finding.table == table;
    let of_lines = rows.iter().find(|shown| findings.iter().any(|f| is_of_lines(f, &shown.table)));
    if let Some((place, _)) = of_lines.and_then(|shown| shown.rows.first()) {
        let place = argument(place);
        writeln!(out)?;
        super::note(out, QUIET, "", &format!("`interligo trace {place}` explains a line."))?;
    }
    if let Some(code) = kinds.first() {
        let name = code.name();
        writeln!(out)?;
        let settling = format!("`interligo check --explain {name}` shows how to settle it.");
        super::note(out, QUIET, "", &settling)?;
    }
    Ok(())
}

fn line_findings(out: Out<'_>, checked: &Checked, findings: &[&Finding]) -> io::Result<()> {
    let dated = findings.iter().any(|finding| finding.days.is_some());
    let column_names = ["Key", "in", ">lines"].map(str::to_owned);
    let column_names = column_names.into_iter().chain(affected_columns(checked));
    let days = dated.then_some(["first day".to_owned(), "last day".to_owned()]);
    let may_be = ["may be".to_owned(), "note".to_owned()];
    // What a key may be is worth more than its days, where there is no room for both.
    let mut table =
        TextTable::new(column_names.chain(may_be).chain(days.into_iter().flatten())).in_csv();
    for finding in findings.iter().take(SHOWN) {
        let mut row = vec![
            visible(&finding.subject),
            checked.place_of(finding),
            grouped(&finding.count.to_string()),
        ];
        row.extend(affected_cells(checked, finding.affected.as_ref()));
        // Beside one that is likely, those that are near by chance say nothing.
        let surely = finding.suggestions.iter().any(|suggestion| suggestion.likely);
        let mut near = finding.suggestions.iter().filter(|s| s.likely || !surely);
        let shown: Vec<String> = near.by_ref().take(3).map(suggested).collect();
        let more = if near.next().is_some() { ", …" } else { "" };
        row.push(format!("{}{more}", shown.join(", ")));
        // The suggestion is said already.
        let said = finding.code == Code::NearMiss;
        row.push(if said { String::new() } else { finding.note.clone() });
        if dated {
            let (first, last) = finding.days.unzip();
            row.extend([first, last].map(|day| day.map_or(String::new(), |day| day.to_string())));
        }
        table.row(row);
    }
    table.without_blank_columns(3).print(out, "  ")?;
    unknown_amounts(out, findings.iter().map(|finding| finding.affected.as_ref()))
}

fn suggested(suggestion: &interligo_engine::proof::balance::Suggestion) -> String {
    if suggestion.likely {
        format!("{} ({})", suggestion.key, suggestion.words())
    } else {
        format!("{} ({}, by chance?)", suggestion.key, suggestion.words())
    }
}

fn row_findings(out: Out<'_>, findings: &[&Finding]) -> io::Result<()> {
    let mut table =
        TextTable::new(["Key or column", "in", ">how many", "where", "what happens"]).in_csv();
    for finding in findings.iter().take(SHOWN) {
        let part = finding.places.first().map_or("", |first| part_of(first));
        // What is in the same part is not named with it again.
        let shown = finding.places.iter().take(2).enumerate().map(|(number, place)| {
            let own = place.strip_prefix(part).filter(|_| number > 0 && !part.is_empty());
            own.unwrap_or(place).to_owned()
        });
        let mut places = shown.collect::<Vec<_>>().join(", ");
        if finding.count > 2 && finding.places.len() > 2 {
            places.push_str(", …");
        }
        table.row([
            finding.subject.clone(),
            finding.about.clone(),
            grouped(&finding.count.to_string()),
            places,
            note(finding),
        ]);
    }
    table.print(out, "  ")
}

/// Findings as rows of comma-separated text.
pub fn check_csv(out: Out<'_>, checked: &Checked) -> io::Result<()> {
    let columns = checked.row_columns();
    out.data(&interligo_project::csv_row(columns.iter().map(String::as_str)))?;
    for row in checked.rows() {
        let cells: Vec<String> = row.iter().map(ToString::to_string).collect();
        out.data(&interligo_project::csv_row(cells.iter().map(String::as_str)))?;
    }
    Ok(())
}

/// Rows as comma-separated text.
pub(super) fn write_csv(
    out: Out<'_>,
    column_names: &[&str],
    rows: &[impl AsRef<[String]>],
) -> io::Result<()> {
    out.data(&interligo_project::csv_row(column_names.iter().copied()))?;
    for row in rows {
        out.data(&interligo_project::csv_row(row.as_ref().iter().map(String::as_str)))?;
    }
    Ok(())
}

/// Prints that nothing stops a run.
pub fn would_not_stop(out: Out<'_>) -> io::Result<()> {
    writeln!(out, "  {QUIET}None of this stops a run.{QUIET:#}")
}

/// That a run would be stopped, and the fix, in lines.
pub fn would_stop(message: &str, help: &str) -> [String; 2] {
    [format!("{NOTICE}A run would stop:{NOTICE:#} {message}"), fix_line(help)]
}

/// Prints that there is nothing of a kind, or in a link or table.
pub fn nothing_of(out: Out<'_>, about: &str) -> io::Result<()> {
    writeln!(out, "{GOOD}There are no findings about `{about}`.{GOOD:#}")
}

/// Prints which files were written for the owners of lookups.
pub fn for_owners(out: Out<'_>, lists: &[WrittenList]) -> io::Result<()> {
    if lists.is_empty() {
        return writeln!(out, "{GOOD}No lookup lacks a key: nothing was written.{GOOD:#}");
    }
    for WrittenList { file, sheet, keys } in lists {
        let sheet = sheet.as_ref().map_or(String::new(), |sheet| format!("#{sheet}"));
        writeln!(out, "{}{sheet}  {}", file.display(), counted(*keys as u64, "key"))?;
    }
    writeln!(out, "\nOwners add the keys, or write into the column `use` which is meant. Then:")?;
    let files: BTreeSet<&Path> = lists.iter().map(|list| list.file.as_path()).collect();
    for file in files {
        let file = file.display().to_string();
        let mend = format!("interligo mend --from {}", argument(&file));
        writeln!(out, "  {}", reaching(&mend))?;
    }
    Ok(())
}
