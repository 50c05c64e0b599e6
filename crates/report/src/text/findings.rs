//! Findings in a table: what was found, how many lines it touches, which amounts are affected.

use std::io;

use interligo_engine::proof::findings::ExactSum;
use interligo_project::{
    Affected, Checked, Code, Finding, FindingsSince, Group, Recovered, RunResult,
};

use super::number::{grouped, rounded};
use super::table::TextTable;
use super::{NOTICE, Out, QUIET, counted};

/// How many lines the end of a run has for findings.
const AT_THE_END: usize = 10;

/// Money and quantities as they are shown; every digit is in the other forms.
const PLACES: u8 = 2;

/// The columns of affected amounts, as column names of a table.
pub(super) fn affected_columns(checked: &Checked) -> impl Iterator<Item = String> {
    checked.columns.iter().map(|column| format!(">{}", column.name))
}

/// The affected amounts, a cell for each column.
pub(crate) fn affected_cells(checked: &Checked, affected: Option<&Affected>) -> Vec<String> {
    let cell = |(number, column): (usize, &interligo_project::AmountColumn)| {
        let Some(affected) = affected else { return String::new() };
        let is_of_another = affected.sums.get(number).is_none_or(|sum| sum.value().is_none());
        if is_of_another {
            return String::new();
        }
        match affected.known(number, column) {
            None => "unknown".to_owned(),
            Some(sum) if column.is_figure && affected.unknown > 0 => {
                format!("{}{AND_UNKNOWN}", amount(sum))
            }
            Some(sum) => amount(sum),
        }
    };
    checked.columns.iter().enumerate().map(cell).collect()
}

/// Follows an amount that some lines do not have.
const AND_UNKNOWN: &str = " + ?";

/// Explains amounts that some lines do not have, if there are such.
pub(super) fn unknown_amounts<'f>(
    out: Out<'_>,
    mut affected: impl Iterator<Item = Option<&'f Affected>>,
) -> io::Result<()> {
    let some = |affected: &Affected| affected.unknown > 0 && affected.unknown < affected.lines;
    match affected.any(|affected| affected.is_some_and(some)) {
        true => writeln!(out, "  {QUIET}+ ? : the amount of some lines is unknown.{QUIET:#}"),
        false => Ok(()),
    }
}

fn amount(sum: ExactSum) -> String {
    match sum.value() {
        Some(sum) if sum.places() > PLACES => rounded(sum, PLACES),
        Some(sum) => grouped(&sum.to_string()),
        None => "overflows".to_owned(),
    }
}

/// A part of all lines.
pub(super) fn share(lines: u64, all: u64) -> String {
    if all == 0 {
        return String::new();
    }
    let hundredths = (u128::from(lines) * 10_000 + u128::from(all) / 2) / u128::from(all);
    match hundredths {
        0 if lines > 0 => "< 0.01 %".to_owned(),
        _ => format!("{}.{:02} %", hundredths / 100, hundredths % 100),
    }
}

/// How many distinct keys, columns or rows a group has; nothing where it speaks of one thing.
pub(super) fn subjects(group: &Group<'_>) -> String {
    let named = group.findings.iter().filter(|finding| !finding.subject.is_empty()).count();
    if named == 0 { "·".to_owned() } else { grouped(&named.to_string()) }
}

/// The first finding of a group in a few words.
pub(super) fn example(finding: &Finding) -> String {
    let place = finding.places.first().map_or("", String::as_str);
    if let (Code::NearMiss, Some(best)) = (finding.code, finding.suggestions.first()) {
        return format!("{} ({}?)  {place}", visible(&finding.subject), best.key);
    }
    match (finding.subject.is_empty(), place.is_empty()) {
        (true, _) => place.to_owned(),
        (false, true) => finding.subject.clone(),
        (false, false) => format!("{}  {place}", visible(&finding.subject)),
    }
}

/// What happens, without the name of the part in which all of it happens.
pub(super) fn note(finding: &Finding) -> String {
    let part = finding.places.first().map_or("", |first| part_of(first));
    if part.is_empty() { finding.note.clone() } else { finding.note.replace(part, "") }
}

/// The part of a place, as it comes before the row or cell: `sales.csv` of `sales.csv:7`, `book.xlsx#North!` of
/// `book.xlsx#North!A7`.
pub(super) fn part_of(place: &str) -> &str {
    let place = place.split(" `").next().unwrap_or(place);
    match place.rfind(['!', ':']) {
        Some(at) if place[at..].starts_with('!') => &place[..=at],
        Some(at) => &place[..at],
        None => "",
    }
}

/// A key of which stray spaces can be seen.
pub(super) fn visible(key: &str) -> String {
    if key.trim() == key { key.to_owned() } else { format!("`{key}`") }
}

/// Prints what was found, in a few lines, at the end of a run.
pub fn summary(out: Out<'_>, ran: &RunResult) -> io::Result<()> {
    let groups = ran.checked.groups();
    if !groups.is_empty() {
        writeln!(out)?;
        group_table(out, &ran.checked, &groups, AT_THE_END, ran.since.as_ref())?;
    }
    since_the_last_run(out, ran)?;
    more_kinds(out, &groups, AT_THE_END)
}

/// Prints which files and findings came or went since the last run.
pub(super) fn since_the_last_run(out: Out<'_>, ran: &RunResult) -> io::Result<()> {
    let mut notes = Vec::new();
    if let Some(files) = ran.outcomes.first().map(|outcome| &outcome.since) {
        for (files, what) in [(&files.new, "new"), (&files.gone, "gone")] {
            if !files.is_empty() {
                let shown = files.iter().take(5).map(String::as_str).collect::<Vec<_>>().join(", ");
                let more = if files.len() > 5 { ", …" } else { "" };
                let count = counted(files.len() as u64, "file");
                notes.push(format!("{count} {what} since the last run: {shown}{more}."));
            }
        }
    }
    if let Some(since) = ran.since.as_ref().filter(|since| !since.gone.is_empty()) {
        let gone = since.gone.iter().map(|(code, about, _)| in_words(code.name(), about));
        let shown: Vec<String> = gone.take(5).collect();
        notes.push(format!("No more since the last run: {}.", shown.join(", ")));
    }
    if ran.checked.groups().is_empty() && !notes.is_empty() {
        writeln!(out)?;
    }
    notes.iter().try_for_each(|note| writeln!(out, "  {NOTICE}{note}{NOTICE:#}"))
}

/// Prints what shows the findings that are not shown, and the rows of those that are.
pub(super) fn more_kinds(out: Out<'_>, groups: &[Group<'_>], shown: usize) -> io::Result<()> {
    let Some(first) = groups.first() else { return Ok(()) };
    let code = first.findings[0].code.name();
    let hint = match groups.len().saturating_sub(shown) {
        0 => format!("`interligo check {code}` shows the rows of one kind."),
        more => {
            format!("… and {} more: `interligo check` shows all.", grouped(&more.to_string()))
        }
    };
    super::note(out, QUIET, "  ", &hint)
}

/// Prints the first groups of findings, a line each.
pub(super) fn group_table(
    out: Out<'_>,
    checked: &Checked,
    groups: &[Group<'_>],
    rows: usize,
    since: Option<&FindingsSince>,
) -> io::Result<()> {
    groups_table(checked, groups, rows, since).print(out, "  ")?;
    unknown_amounts(out, groups.iter().take(rows).map(|group| group.affected.as_ref()))
}

/// The first groups of findings as a table.
pub(crate) fn groups_table(
    checked: &Checked,
    groups: &[Group<'_>],
    rows: usize,
    since: Option<&FindingsSince>,
) -> TextTable {
    let column_names = ["Findings", "in", ">how many"].map(str::to_owned);
    let column_names = column_names.into_iter().chain(affected_columns(checked));
    let since_column_name = since.map(|_| "since the last run".to_owned());
    let mut table =
        TextTable::new(column_names.chain(["first".to_owned()]).chain(since_column_name));
    for group in groups.iter().take(rows) {
        let first = group.findings[0];
        let mut row = vec![
            first.code.name().to_owned(),
            checked.place_of(first),
            grouped(&group.count.to_string()),
        ];
        row.extend(affected_cells(checked, group.affected.as_ref()));
        row.push(match first.affected {
            None if !first.note.is_empty() => format!("{}; {}", example(first), note(first)),
            _ => example(first),
        });
        row.extend(since.map(|since| change(since, checked, group)));
        table.row(row);
    }
    table
}

/// How a group differs from the last run.
fn change(since: &FindingsSince, checked: &Checked, group: &Group<'_>) -> String {
    let first = group.findings[0];
    let Some((before, new)) = since.now.get(&(first.code, checked.place_of(first))) else {
        return String::new();
    };
    let named: Vec<&str> = new.iter().map(String::as_str).filter(|new| !new.is_empty()).collect();
    let keys = match named.as_slice() {
        [] => String::new(),
        [one] => format!(": {one}"),
        [one, rest @ ..] => format!(": {one}, {} more", rest.len()),
    };
    match group.count.cmp(before) {
        _ if *before == 0 => "new".to_owned(),
        std::cmp::Ordering::Equal if keys.is_empty() => "as before".to_owned(),
        std::cmp::Ordering::Equal => format!("others{keys}"),
        std::cmp::Ordering::Greater => {
            format!("{} more{keys}", grouped(&(group.count - before).to_string()))
        }
        std::cmp::Ordering::Less => {
            format!("{} fewer{keys}", grouped(&(before - group.count).to_string()))
        }
    }
}

/// A kind of finding and where it is.
fn in_words(code: &str, about: &str) -> String {
    if about.is_empty() { code.to_owned() } else { format!("{code} in {about}") }
}

/// What went otherwise than usual, without stopping anything, in lines.
pub fn notes(notes: &[String]) -> Vec<String> {
    notes.iter().map(|note| format!("{NOTICE}note:{NOTICE:#} {note}")).collect()
}

/// Which run an answer is from, where no file was read for it; `at` is in seconds since 1970.
pub fn from_kept(at: u64) -> String {
    format!("From the lines of the run of {}; --fresh reads the files again.", super::moment(at))
}

/// Why an answer is not from the lines that a run kept.
pub fn kept_damaged(why: &str) -> String {
    format!("The lines that the last run kept are damaged ({why}), so the files are read.")
}

/// What became of a run that died while its files appeared, in lines.
pub fn recovered(recovered: Recovered) -> Vec<String> {
    let what = match recovered {
        Recovered::Completed => "its files are all in their places now".to_owned(),
        Recovered::Undone => {
            "what it had written is gone, and the files are as they were before it".to_owned()
        }
        Recovered::InDoubt(why) => {
            format!(
                "it is not known whether its database has all of it ({why}); nothing was moved or removed"
            )
        }
    };
    notes(&[format!("an earlier run broke off while its files appeared; {what}")])
}
