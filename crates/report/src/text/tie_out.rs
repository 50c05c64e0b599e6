//! The tie-out: for reading, as CSV, as JSON; and the short notes below it.

use std::io;

use interligo_engine::links::LinkStatus;
use interligo_engine::proof::tieout::{Amount, RoundedFigure, TieOut};
use interligo_model::plan::Plan;
use interligo_model::values::decimal::Decimal;
use interligo_project::Drift;

use super::number::grouped;
use super::table::TextTable;
use super::{GOOD, Out, QUIET, TITLE, counted};

/// How many files the tie-out lists; `--format csv` and `json` have all.
const FILES_SHOWN: usize = 12;

/// Prints the tie-out for reading.
pub fn tie_out(out: Out<'_>, plan: &Plan, tie: &TieOut) -> io::Result<()> {
    let name = plan.plan.name.as_deref().map_or(String::new(), |name| format!(" · {name}"));
    // Where there are several facts, each has its own.
    let several = plan.facts().count() > 1;
    let fact = if several { format!(" · {}", tie.fact.table) } else { String::new() };
    writeln!(out, "{TITLE}Tie-out{name}{fact}{TITLE:#}")?;
    writeln!(out)?;
    lines(out, tie)?;
    let sums: Vec<&str> = plan.sums_of(&tie.fact.table).collect();
    if !sums.is_empty() {
        writeln!(
            out,
            "  {QUIET}The lines were read before, for the sums {}.{QUIET:#}",
            sums.join(", ")
        )?;
    }
    amounts(out, tie)?;
    writeln!(out)?;
    links(out, tie)?;
    blanks(out, tie)?;
    rounded(out, tie)?;
    outputs(out, plan, tie)
}

/// `read + made = kept + set aside + left out`, line by line and as a sum.
fn lines(out: Out<'_>, tie: &TieOut) -> io::Result<()> {
    let mut table = TextTable::new(["Lines", ">", ""]);
    let n = |count: u64| grouped(&count.to_string());
    let rows = &tie.fact.rows;
    let from = format!("from {}", noun(tie).counted(tie.fact.parts as u64));
    table.row(["read".to_owned(), n(rows.read), from]);
    if rows.made > 0 {
        let how = "by splitting cells and turning columns into rows";
        table.row(["added".to_owned(), n(rows.made), how.to_owned()]);
    }
    let mut parts = vec![tie.lines_kept()];
    let mut less = |table: &mut TextTable, what: &str, count: u64, why: &str| {
        table.row([what.to_owned(), n(count), why.to_owned()]);
        parts.push(count);
    };
    for (why, count) in &rows.left_out {
        less(&mut table, "left out", *count, why.name());
    }
    if rows.identical > 0 {
        less(&mut table, "identical copies dropped", rows.identical, "copies of earlier lines");
    }
    if rows.dropped > 0 {
        less(
            &mut table,
            "dropped",
            rows.dropped,
            "by `repeats`: another line with the key is used",
        );
    }
    for (why, count) in &tie.aside {
        less(&mut table, "set aside", *count, why);
    }
    table.row(["kept".to_owned(), n(tie.lines_kept()), "to every output".to_owned()]);
    table.print(out, "  ")?;
    let parts: Vec<String> = parts.into_iter().map(n).collect();
    let made = if rows.made > 0 { format!(" + {}", n(rows.made)) } else { String::new() };
    writeln!(out, "  {GOOD}{}{made} = {}   closes{GOOD:#}", n(rows.read), parts.join(" + "))?;
    let mut note = |text: String| writeln!(out, "  {QUIET}{text}{QUIET:#}");
    if !tie.repeats {
        note("Repeated lines were not looked for: the fact has no key, or keeps them.".to_owned())?;
    }
    if tie.unkeyed > 0 {
        let lines = counted(tie.unkeyed, "line");
        note(format!("{lines} without a key: not known whether they came twice."))?;
    }
    if tie.read_again {
        note("The files were read a second time, to compare lines that share a key.".to_owned())?;
    }
    files(out, tie)
}

/// What the parts of a table are: files, sheets, tables or queries of a database.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct PartNoun {
    one: &'static str,
    many: &'static str,
}

impl PartNoun {
    /// What parts of these names are.
    pub(crate) fn of<'p>(parts: impl Iterator<Item = &'p str>) -> PartNoun {
        let noun = |part: &str| match part {
            part if part.ends_with(" (query)") => PartNoun { one: "query", many: "queries" },
            part if part.contains('#') => PartNoun { one: "sheet", many: "sheets" },
            _ => PartNoun { one: "file", many: "files" },
        };
        let mut nouns: Vec<PartNoun> = Vec::new();
        for noun in parts.map(noun) {
            if !nouns.contains(&noun) {
                nouns.push(noun);
            }
        }
        match nouns.as_slice() {
            [only] => *only,
            [_, _, ..] => PartNoun { one: "file or sheet", many: "files and sheets" },
            [] => PartNoun { one: "file", many: "files" },
        }
    }

    /// `1 file`, `3 sheets`.
    pub(crate) fn counted(self, count: u64) -> String {
        let noun = if count == 1 { self.one } else { self.many };
        format!("{} {noun}", grouped(&count.to_string()))
    }

    fn capital(self) -> String {
        let mut letters = self.many.chars();
        letters.next().map_or(String::new(), |first| first.to_uppercase().chain(letters).collect())
    }
}

fn noun(tie: &TieOut) -> PartNoun {
    PartNoun::of(tie.parts.iter().map(|(part, _)| &**part))
}

/// The files of the fact with the lines of each.
fn files(out: Out<'_>, tie: &TieOut) -> io::Result<()> {
    if tie.parts.len() < 2 {
        return Ok(());
    }
    writeln!(out)?;
    let columns = [">rows", ">lines"].map(str::to_owned);
    let mut table = TextTable::new([noun(tie).capital()].into_iter().chain(columns));
    for (part, rows) in tie.parts.iter().take(FILES_SHOWN) {
        let lines = grouped(&rows.lines().to_string());
        table.row([part.to_string(), grouped(&rows.read.to_string()), lines]);
    }
    table.print(out, "  ")?;
    match tie.parts.len().checked_sub(FILES_SHOWN) {
        Some(more) if more > 0 => {
            let more = grouped(&more.to_string());
            writeln!(out, "  {QUIET}… and {more} more{QUIET:#}")
        }
        _ => Ok(()),
    }
}

/// A sum as it is shown.
pub(super) fn sum(amount: Option<Decimal>) -> String {
    amount.map_or("overflows".to_owned(), |sum| grouped(&sum.to_string()))
}

fn amounts(out: Out<'_>, tie: &TieOut) -> io::Result<()> {
    if tie.amounts.is_empty() {
        return Ok(());
    }
    writeln!(out)?;
    amounts_table(tie).print(out, "  ")
}

/// Amounts on both sides.
pub(crate) fn amounts_table(tie: &TieOut) -> TextTable {
    // Only the ways in which some amount ended; what goes on always.
    type Ending = (&'static str, fn(&Amount) -> Option<Decimal>);
    const ENDINGS: [Ending; 5] = [
        ("kept", |amount| amount.kept),
        ("set aside", |amount| amount.aside),
        ("left out", |amount| amount.left_out),
        ("identical copies dropped", |amount| amount.identical),
        ("dropped", |amount| amount.dropped),
    ];
    let is_something = |(name, of): &&Ending| {
        matches!(*name, "kept" | "set aside")
            || tie.amounts.iter().any(|amount| of(amount).is_none_or(|sum| !sum.is_zero()))
    };
    let endings: Vec<&Ending> = ENDINGS.iter().filter(is_something).collect();
    let column_names = endings.iter().map(|(name, _)| format!(">{name}"));
    let mut table = TextTable::new(
        ["Amounts".to_owned(), ">read".to_owned()]
            .into_iter()
            .chain(column_names)
            .chain(["closes".to_owned()]),
    );
    for amount in &tie.amounts {
        let cells = endings.iter().map(|(_, of)| sum(of(amount)));
        let named = [amount.column.clone(), sum(amount.read)].into_iter();
        table.row(named.chain(cells).chain(["yes".to_owned()]));
    }
    table
}

fn links(out: Out<'_>, tie: &TieOut) -> io::Result<()> {
    if tie.links.is_empty() {
        return Ok(());
    }
    links_table(tie).print(out, "  ")
}

/// How lines came out of each link.
pub(crate) fn links_table(tie: &TieOut) -> TextTable {
    // Only the ways in which some line came out; found and not found always.
    let shown: Vec<LinkStatus> = LinkStatus::ALL
        .into_iter()
        .filter(|status| {
            matches!(status, LinkStatus::Exact | LinkStatus::Unmatched)
                || tie.links.iter().any(|link| link.counts[*status as usize] > 0)
        })
        .collect();
    let column_names = shown.iter().map(|status| format!(">{}", status.name()));
    let mut table = TextTable::new(["Links".to_owned()].into_iter().chain(column_names));
    for link in &tie.links {
        let cells = shown.iter().map(|status| match link.counts[*status as usize] {
            0 => "·".to_owned(),
            count => grouped(&count.to_string()),
        });
        table.row([link.name.clone()].into_iter().chain(cells));
    }
    table
}

fn blanks(out: Out<'_>, tie: &TieOut) -> io::Result<()> {
    if tie.blanks.is_empty() {
        return Ok(());
    }
    writeln!(out)?;
    blanks_table(tie).print(out, "  ")?;
    let why = "`interligo trace --total FIGURE` names the first line of each reason.";
    super::note(out, QUIET, "  ", why)
}

/// On how many lines figures are blank, and why.
pub(crate) fn blanks_table(tie: &TieOut) -> TextTable {
    let mut table = TextTable::new(["Figures", ">blank on", "because"]);
    for figure in &tie.blanks {
        let reasons = figure
            .reasons
            .iter()
            .map(|(why, lines)| format!("{why} {}", grouped(&lines.to_string())));
        let reasons = reasons.collect::<Vec<_>>().join(", ");
        table.row([figure.name.clone(), grouped(&figure.lines.to_string()), reasons]);
    }
    table
}

fn rounded(out: Out<'_>, tie: &TieOut) -> io::Result<()> {
    if tie.rounded.is_empty() {
        return Ok(());
    }
    writeln!(out)?;
    rounded_table(tie).print(out, "  ")
}

/// What rounding on each line makes of figures.
pub(crate) fn rounded_table(tie: &TieOut) -> TextTable {
    let mut table =
        TextTable::new(["Rounded on each line", ">sum", ">sum before rounding", ">difference"]);
    for figure in &tie.rounded {
        let RoundedFigure { name, rounded, exact, difference } = figure;
        table.row([name.clone(), sum(*rounded), sum(*exact), sum(*difference)]);
    }
    table
}

/// Prints of a fact of which no output is made where it is, if anywhere.
fn nothing_written(out: Out<'_>, plan: &Plan, table: &str) -> io::Result<()> {
    if plan.outputs.iter().all(|output| output.value.to.is_none()) {
        return writeln!(out, "  Nothing was written: the plan has no [outputs].");
    }
    let lists = plan.outputs.iter().filter(|o| o.value.list.is_some() && o.value.of.is_none());
    let lists: Vec<String> = lists.map(|list| format!("`{}`", list.name)).collect();
    if lists.is_empty() {
        return writeln!(out, "  Nothing was written: none of the outputs uses `{table}`.");
    }
    writeln!(
        out,
        "  Of `{table}`, only findings were written, with those of all facts: {}.",
        lists.join(", ")
    )
}

fn outputs(out: Out<'_>, plan: &Plan, tie: &TieOut) -> io::Result<()> {
    writeln!(out)?;
    if tie.written.is_empty() {
        return nothing_written(out, plan, &tie.fact.table);
    }
    let mut table = TextTable::new(["Written", ">rows", ">contains", "to"]);
    for written in &tie.written {
        let rows = match written.beside || written.is_page {
            true => "·".to_owned(),
            false => grouped(&written.groups.unwrap_or(written.tally.lines).to_string()),
        };
        let mut to = match written.beside {
            true => "added to the table of another fact".to_owned(),
            false => written.to.clone(),
        };
        if written.filtered.lines > 0 {
            let lines = counted(written.filtered.lines, "line");
            to = format!("{to} ({lines} do not meet its condition)");
        }
        table.row([
            written.output.clone(),
            rows,
            match (written.is_list, written.is_page) {
                (true, _) => "a list".to_owned(),
                (_, true) => "a page".to_owned(),
                _ => counted(written.tally.lines, "line"),
            },
            to,
        ]);
    }
    let listed =
        |to: &String| tie.written.iter().any(|written| written.is_list && written.to == *to);
    if let Some(aside) = &tie.aside_file
        && let Some(to) = aside.to.as_ref().filter(|to| !listed(to))
    {
        let rows = grouped(&aside.rows.to_string());
        table.row(["set aside".to_owned(), rows, counted(aside.rows, "line"), to.clone()]);
    }
    table.print(out, "  ")
}

/// A difference between the column names of parts, in words.
pub(crate) fn drift_words(drift: &Drift) -> String {
    match drift {
        Drift::Missing { part, column, likely: None } => {
            format!("{part} has no column `{column}`, which most of the files have")
        }
        Drift::Missing { part, column, likely: Some(likely) } => {
            format!("{part} has no column `{column}`; it has `{likely}`, which may be the same")
        }
        Drift::Extra { part, column } => {
            format!("{part} has a column `{column}`, which most of the files do not have")
        }
        Drift::Repeated { part, column } => {
            format!(
                "{part} has the column `{column}` more than once; the later ones are `{column}_2`, `{column}_3`"
            )
        }
    }
}

/// One line per count: section, item, measure, value; before them the fact, where there are several.
pub fn tie_out_csv(out: Out<'_>, ties: &[&TieOut]) -> io::Result<()> {
    const COLUMN_NAMES: [&str; 5] = ["fact", "section", "item", "measure", "value"];
    if let [only] = ties {
        return super::check::write_csv(out, &COLUMN_NAMES[1..], &csv_rows(only));
    }
    let of_fact = |tie: &&TieOut| {
        let fact = tie.fact.table.clone();
        csv_rows(tie).into_iter().map(move |row| [fact.clone()].into_iter().chain(row).collect())
    };
    let rows: Vec<Vec<String>> = ties.iter().flat_map(of_fact).collect();
    super::check::write_csv(out, &COLUMN_NAMES, &rows)
}

fn csv_rows(tie: &TieOut) -> Vec<[String; 4]> {
    let mut rows: Vec<[String; 4]> = Vec::new();
    let mut row = |section: &str, item: &str, measure: &str, value: String| {
        rows.push([section.into(), item.into(), measure.into(), value]);
    };
    let read = &tie.fact.rows;
    row("lines", &tie.fact.table, "read", read.read.to_string());
    row("lines", &tie.fact.table, "added", read.made.to_string());
    for (why, rows) in &read.left_out {
        row("left out", why.name(), "rows", rows.to_string());
    }
    row("lines", &tie.fact.table, "identical copies dropped", read.identical.to_string());
    row("lines", &tie.fact.table, "dropped", read.dropped.to_string());
    for (why, lines) in &tie.aside {
        row("set aside", why, "lines", lines.to_string());
    }
    row("lines", &tie.fact.table, "kept", tie.lines_kept().to_string());
    for (part, rows) in &tie.parts {
        row("files", part, "rows", rows.read.to_string());
        row("files", part, "lines", rows.lines().to_string());
    }
    for amount in &tie.amounts {
        for (measure, sum) in [
            ("read", amount.read),
            ("kept", amount.kept),
            ("set aside", amount.aside),
            ("left out", amount.left_out),
            ("identical copies dropped", amount.identical),
            ("dropped", amount.dropped),
        ] {
            row("amounts", &amount.column, measure, sum.map_or(String::new(), |s| s.to_string()));
        }
    }
    for link in &tie.links {
        for status in LinkStatus::ALL {
            row("links", &link.name, status.name(), link.counts[status as usize].to_string());
        }
    }
    for figure in &tie.blanks {
        for (why, lines) in &figure.reasons {
            row("blank figures", &figure.name, why, lines.to_string());
        }
    }
    for figure in &tie.rounded {
        for (measure, sum) in [
            ("sum", figure.rounded),
            ("sum before rounding", figure.exact),
            ("difference", figure.difference),
        ] {
            row("rounded", &figure.name, measure, sum.map_or(String::new(), |s| s.to_string()));
        }
    }
    for written in &tie.written {
        row(
            "written",
            &written.output,
            "rows",
            written.groups.unwrap_or(written.tally.lines).to_string(),
        );
        row("written", &written.output, "lines", written.tally.lines.to_string());
    }
    rows
}
