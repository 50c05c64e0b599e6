//! What tables hold: for reading, as CSV, as JSON.

use std::io;

use interligo_discover::profile::{ColumnSummary, CouldBeKey, Distinct};
use interligo_engine::proof::findings::Noted;
use interligo_model::place::Place;
use interligo_model::plan::{ColumnType, Role, key};
use interligo_project::{ColumnLook, Question, TableProfile, TableRows};

use super::check::write_csv;
use super::number::grouped;
use super::table::TextTable;
use super::tie_out::{PartNoun, drift_words};
use super::{NOTICE, Out, QUIET, TITLE, argument, counted, note};

/// The longest cell that is shown whole.
const LONGEST: usize = 28;

/// How many values of a column the table shows.
const VALUES: usize = 25;

/// Prints what tables hold.
pub fn profiles(out: Out<'_>, profiles: &[TableProfile]) -> io::Result<()> {
    for (number, profile) in profiles.iter().enumerate() {
        if number > 0 {
            writeln!(out)?;
        }
        column_name(out, profile)?;
        writeln!(out)?;
        columns(out, profile)?;
        notes(out, profile)?;
    }
    Ok(())
}

/// The table, how many rows it has, and how its files are written.
fn column_name(out: Out<'_>, profile: &TableProfile) -> io::Result<()> {
    let rows = &profile.rows;
    let n = |count: u64| grouped(&count.to_string());
    let fact = if profile.role == Role::Fact { "fact · " } else { "" };
    let noun = PartNoun::of(profile.parts.iter().map(|part| part.part.as_str()));
    let files = noun.counted(profile.parts.len() as u64);
    writeln!(out, "{TITLE}{}{TITLE:#}  {QUIET}{fact}{files}{QUIET:#}", profile.name)?;
    let mut about = vec![format!("{} read", counted(rows.read, "row"))];
    if rows.made > 0 {
        about.push(format!("{} added", n(rows.made)));
    }
    let left_out: Vec<String> =
        rows.left_out.iter().map(|(why, count)| format!("{} {}", n(*count), why.name())).collect();
    if !left_out.is_empty() {
        about.push(format!("left out: {}", left_out.join(", ")));
    }
    if profile.malformed > 0 {
        about.push(format!("{} malformed", n(profile.malformed)));
    }
    note(out, QUIET, "  ", &about.join(" · "))?;
    // Files that are written alike are named together.
    let mut ways: Vec<(&str, Vec<&str>)> = Vec::new();
    for part in &profile.parts {
        match ways.iter_mut().find(|(written, _)| *written == part.written) {
            Some((_, parts)) => parts.push(&part.part),
            None => ways.push((&part.written, vec![&part.part])),
        }
    }
    for (written, parts) in ways {
        let mut named = parts.iter().take(3).copied().collect::<Vec<_>>().join(", ");
        if parts.len() > 3 {
            named = format!("{named} and {} more", n((parts.len() - 3) as u64));
        }
        note(out, QUIET, "  ", &format!("{named}: {written}"))?;
    }
    Ok(())
}

fn columns(out: Out<'_>, profile: &TableProfile) -> io::Result<()> {
    let column_names =
        ["Column", "type", ">blank", ">distinct", "smallest", "largest", "first value", "key?"];
    let mut table = TextTable::new(column_names).in_csv();
    for column in &profile.columns {
        let summary = &column.summary;
        let asked = profile.questions.iter().find(|question| question.column == column.name);
        table.row([
            short(&column.name),
            match asked {
                Some(question) => format!("{}?", type_name(question.column_type)),
                None => type_words(summary),
            },
            count_or_dot(summary.blank),
            distinct_words(summary.distinct),
            short(&summary.smallest),
            short(&summary.largest),
            short(&summary.example),
            key_word(summary.key).to_owned(),
        ]);
    }
    table.print(out, "  ")?;
    let about = |column: &ColumnLook| matches!(column.summary.distinct, Distinct::About(_));
    if profile.columns.iter().any(about) {
        writeln!(
            out,
            "  {QUIET}~ is an estimate, with a standard error of less than 1 %.{QUIET:#}"
        )?;
    }
    let computed = profile.columns.iter().filter(|column| column.computed);
    let computed: Vec<&str> = computed.map(|column| column.name.as_str()).collect();
    if !computed.is_empty() {
        let names = computed.join(", ");
        writeln!(
            out,
            "  {QUIET}Computed by the plan from the columns of its row: {names}{QUIET:#}"
        )?;
    }
    Ok(())
}

/// The type, with the share of the values that have it where that is not all.
fn type_words(summary: &ColumnSummary) -> String {
    let filled = summary.rows - summary.blank;
    let name = type_name(summary.column_type);
    if filled == 0 {
        return "(blank)".to_owned();
    }
    if summary.fitting >= filled {
        return name.to_owned();
    }
    // Cut off rather than rounded: 100 % means all.
    let share = summary.fitting * 1000 / filled;
    format!("{name} {}.{} %", share / 10, share % 10)
}

pub(crate) fn type_name(column_type: ColumnType) -> &'static str {
    match column_type {
        ColumnType::Text => "text",
        ColumnType::Integer => "integer",
        ColumnType::Number => "number",
        ColumnType::Percent => "percent",
        ColumnType::Date => "date",
        ColumnType::YesNo => "yes-no",
    }
}

fn key_word(key: CouldBeKey) -> &'static str {
    match key {
        CouldBeKey::Yes => "yes",
        CouldBeKey::Perhaps => "perhaps",
        CouldBeKey::No => "",
    }
}

fn distinct_words(distinct: Distinct) -> String {
    match distinct {
        Distinct::Exactly(count) => grouped(&count.to_string()),
        Distinct::About(count) => format!("~{}", grouped(&count.to_string())),
    }
}

fn count_or_dot(count: u64) -> String {
    if count == 0 { "·".to_owned() } else { grouped(&count.to_string()) }
}

/// A cell in one line, cut where it is long.
fn short(text: &str) -> String {
    let one_line = text.replace(['\n', '\r', '\t'], " ");
    if one_line.chars().count() <= LONGEST {
        return one_line;
    }
    one_line.chars().take(LONGEST - 1).collect::<String>() + "…"
}

/// What was noted of cells or parts, in a sentence.
fn noted(what: Noted, count: u64, first: &str) -> String {
    let separator = if what.is_of_cells() { " " } else { "; " };
    let more = match count {
        0 | 1 => String::new(),
        n if what.is_of_cells() => format!("; so do {}", counted(n - 1, "more cell")),
        n => format!("; likewise {}", counted(n - 1, "more part")),
    };
    format!("{first}{separator}{}{more}", what.outcome())
}

/// What is to be decided, and what differs from file to file.
fn notes(out: Out<'_>, profile: &TableProfile) -> io::Result<()> {
    let question = |question: &Question| format!("{}: {}", question.message, question.fix);
    let mut notes: Vec<String> = profile.questions.iter().map(question).collect();
    for (part, column, mark) in &profile.marks {
        notes.push(format!(
            "`{mark}` in `{column}` of {part} seems to mean blank; if so, add blank = [\"{mark}\"] to [tables.{}]",
            key(&profile.name)
        ));
    }
    for (what, count, place) in &profile.noted {
        notes.push(noted(*what, *count, place));
    }
    notes.extend(profile.drift.iter().map(drift_words));
    for (place, cells) in &profile.totals {
        notes.push(format!("total row left out: {place} {cells}"));
    }
    for (place, cells) in &profile.suspects {
        notes.push(format!(
            "looks like a total, but is not the sum of the rows above: {place} {cells}"
        ));
    }
    if notes.is_empty() {
        return Ok(());
    }
    writeln!(out)?;
    notes.iter().try_for_each(|text| note(out, NOTICE, "  ", &format!("{text}.")))
}

/// Prints the values of one column, the most frequent first.
pub fn values(out: Out<'_>, profile: &TableProfile) -> io::Result<()> {
    column_name(out, profile)?;
    for column in &profile.columns {
        let summary = &column.summary;
        let filled = summary.rows - summary.blank;
        writeln!(out)?;
        writeln!(
            out,
            "{TITLE}{}{TITLE:#}  {QUIET}{} · {} · {} distinct · {} blank{QUIET:#}",
            column.name,
            type_words(summary),
            counted(filled, "value"),
            distinct_words(summary.distinct),
            grouped(&summary.blank.to_string()),
        )?;
        if !summary.smallest.is_empty() {
            let (smallest, largest) = (short(&summary.smallest), short(&summary.largest));
            writeln!(out, "  {QUIET}from {smallest} to {largest}{QUIET:#}")?;
        }
        writeln!(out)?;
        let (values, further) = column.values();
        let most = values.first().map_or(0, |(_, count)| *count);
        let mut table = TextTable::new(["Value", ">rows", ">share", ""]);
        for (text, count) in values.iter().take(VALUES) {
            let share = count * 1000 / filled.max(1);
            let bar = "▇".repeat((count * 30).div_ceil(most.max(1)) as usize);
            let share = format!("{}.{} %", share / 10, share % 10);
            table.row([short(text), grouped(&count.to_string()), share, bar]);
        }
        table.print(out, "  ")?;
        let rest: u64 = values.iter().skip(VALUES).map(|(_, count)| count).sum::<u64>() + further;
        if rest > 0 {
            let more = summary.distinct.count().saturating_sub(VALUES as u64);
            let more = counted(more, "more value");
            writeln!(out, "  {QUIET}… and {more}, {}{QUIET:#}", counted(rest, "row"))?;
        }
        writeln!(out)?;
        let name = argument(&profile.name);
        note(out, QUIET, "  ", &format!("`interligo look {name} --where` shows the rows of one."))?;
    }
    notes(out, profile)
}

/// The cells of a row behind its file and its number.
fn placed((place, cells): &(Place, Vec<String>)) -> Vec<String> {
    let row = place.row.map_or(String::new(), |row| row.to_string());
    [place.part.to_string(), row].into_iter().chain(cells.iter().cloned()).collect()
}

/// Prints rows with their places.
pub fn rows(out: Out<'_>, name: &str, rows: &TableRows) -> io::Result<()> {
    writeln!(out, "{TITLE}{name}{TITLE:#}  {QUIET}as it is in the files{QUIET:#}\n")?;
    if rows.rows.is_empty() {
        return writeln!(out, "  No row.");
    }
    let column_names = rows.columns.iter().map(String::as_str);
    let mut table = TextTable::new(["Place"].into_iter().chain(column_names)).in_csv();
    for (place, cells) in &rows.rows {
        let place = place.to_string();
        table.row([place].into_iter().chain(cells.iter().map(|cell| short(cell))));
    }
    table.print(out, "  ")?;
    match rows.more {
        true => {
            writeln!(out, "  {QUIET}… there are more; use --rows to show more{QUIET:#}")
        }
        false => Ok(()),
    }
}

/// The same as comma-separated text.
pub fn rows_csv(out: Out<'_>, rows: &TableRows) -> io::Result<()> {
    let column_names = ["file", "row"].into_iter().chain(rows.columns.iter().map(String::as_str));
    let column_names: Vec<&str> = column_names.collect();
    write_csv(out, &column_names, &rows.rows.iter().map(placed).collect::<Vec<_>>())
}

/// A row per column.
pub fn profiles_csv(out: Out<'_>, profiles: &[TableProfile]) -> io::Result<()> {
    let column_names = [
        "table",
        "column",
        "type",
        "rows",
        "blank",
        "of_that_type",
        "distinct",
        "distinct_is",
        "smallest",
        "largest",
        "first_value",
        "could_be_key",
    ];
    let row = |profile: &TableProfile, column: &ColumnLook| {
        let summary = &column.summary;
        let is = if matches!(summary.distinct, Distinct::About(_)) { "estimated" } else { "exact" };
        vec![
            profile.name.clone(),
            column.name.clone(),
            type_name(summary.column_type).to_owned(),
            summary.rows.to_string(),
            summary.blank.to_string(),
            summary.fitting.to_string(),
            summary.distinct.count().to_string(),
            is.to_owned(),
            summary.smallest.clone(),
            summary.largest.clone(),
            summary.example.clone(),
            if key_word(summary.key).is_empty() { "no" } else { key_word(summary.key) }.to_owned(),
        ]
    };
    let rows = profiles.iter().flat_map(|p| p.columns.iter().map(move |column| row(p, column)));
    write_csv(out, &column_names, &rows.collect::<Vec<_>>())
}

/// All values of columns with their counts.
pub fn values_csv(out: Out<'_>, profiles: &[TableProfile]) -> io::Result<()> {
    let mut rows = Vec::new();
    for profile in profiles {
        for column in &profile.columns {
            let values = column.values().0.into_iter();
            rows.extend(
                values.map(|(text, count)| [profile.name.clone(), text, count.to_string()]),
            );
        }
    }
    write_csv(out, &["table", "value", "rows"], &rows)
}
