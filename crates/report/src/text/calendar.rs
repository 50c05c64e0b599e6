//! The periods of a lookup's keys: as a table, drawn in a terminal, and as a picture.

use std::io;

use interligo_engine::links::{LinkStatus, StatusCounts};
use interligo_model::values::date::Day;
use interligo_project::{CalendarKey, DayLines, Finding, KeyCalendar, KeyPeriod, Span};

use super::number::grouped;
use super::table::TextTable;
use super::totals::measure_of;
use super::{GOOD, NOTICE, Out, QUIET, TITLE, argument, counted, note};
use crate::axis::Axis;

/// How many keys the overview shows.
const SHOWN: usize = 20;

/// Prints the keys of a link with faults in their periods, the worst first.
pub fn calendars(
    out: Out<'_>,
    link: &str,
    keys: &[CalendarKey],
    counts: &StatusCounts,
    width: usize,
) -> io::Result<()> {
    writeln!(out, "{TITLE}{link}{TITLE:#}\n")?;
    let without = without_row(counts);
    if keys.is_empty() {
        let and = if without.is_empty() && counts[LinkStatus::Absent as usize] == 0 {
            "a row for every line"
        } else {
            "no line on a day without a valid row"
        };
        writeln!(out, "  {GOOD}No gaps, no overlaps, and {and}.{GOOD:#}")?;
        return other_lines(out, link, &without);
    }
    let spans = keys.iter().take(SHOWN).flat_map(|key| key.spans.iter());
    let axis = Axis::over(spans.copied(), &[], width.saturating_sub(60).clamp(20, 60));
    let mut table = TextTable::new([
        "Key",
        ">periods",
        ">gaps",
        ">overlaps",
        ">lines undated",
        ">carried",
        &*axis.ends(),
    ])
    .in_csv();
    table.pin([6]);
    let n = |count: u64| if count == 0 { "·".to_owned() } else { grouped(&count.to_string()) };
    for key in keys.iter().take(SHOWN) {
        table.row([
            key.key.clone(),
            key.spans.len().to_string(),
            n(key.gaps as u64),
            n(key.overlaps as u64),
            n(key.undated),
            n(key.carried),
            axis.bar(&key.spans),
        ]);
    }
    table.print(out, "  ")?;
    if let Some(more) = keys.len().checked_sub(SHOWN).filter(|more| *more > 0) {
        writeln!(out, "  {QUIET}… and {}{QUIET:#}", counted(more as u64, "key"))?;
    }
    other_lines(out, link, &without)?;
    let (link, key) = (argument(link), argument(&keys[0].key));
    writeln!(out)?;
    note(out, QUIET, "", &format!("`interligo calendar {link} {key}` shows one."))
}

/// How many lines have no row, other than for their day, by why.
fn without_row(counts: &StatusCounts) -> Vec<(LinkStatus, u64)> {
    let others = [
        LinkStatus::Filled,
        LinkStatus::Unmatched,
        LinkStatus::Ambiguous,
        LinkStatus::Overlapping,
        LinkStatus::Incomplete,
        LinkStatus::Blank,
    ];
    let counted = others.into_iter().map(|status| (status, counts[status as usize]));
    counted.filter(|(_, lines)| *lines > 0).collect()
}

fn other_lines(out: Out<'_>, link: &str, without: &[(LinkStatus, u64)]) -> io::Result<()> {
    if without.is_empty() {
        return Ok(());
    }
    let lines = counted(without.iter().map(|(_, lines)| lines).sum(), "line");
    let link = argument(link);
    let why = without
        .iter()
        .map(|(status, lines)| format!("{} {}", grouped(&lines.to_string()), status.name()));
    let why = why.collect::<Vec<_>>().join(", ");
    let reasons = format!("{lines} without a row for other reasons: {why}");
    note(out, NOTICE, "  ", &reasons)?;
    note(out, QUIET, "  ", &format!("`interligo check {link}` shows them."))
}

/// Prints the calendar of one key.
pub fn calendar(out: Out<'_>, calendar: &KeyCalendar, width: usize) -> io::Result<()> {
    let undated: u64 = calendar.undated.iter().map(|finding| finding.count).sum();
    let lines = match undated {
        0 => String::new(),
        some => format!(" · {} without a valid row", counted(some, "line")),
    };
    let periods = counted(calendar.periods.len() as u64, "period");
    writeln!(
        out,
        "{TITLE}{}{TITLE:#} in {} {QUIET}{periods}{QUIET:#}{NOTICE}{lines}{NOTICE:#}\n",
        calendar.key, calendar.link
    )?;
    let spans: Vec<Span> = calendar.periods.iter().map(|period| period.span).collect();
    let axis = Axis::of(calendar, width.saturating_sub(4).clamp(40, 120));
    writeln!(out, "  {QUIET}{}{QUIET:#}", axis.ends())?;
    writeln!(out, "  {}", axis.bar(&spans))?;
    let says = calendar
        .periods
        .iter()
        .map(|period| (period.span.from, period.says.first().cloned().unwrap_or_default()));
    writeln!(out, "  {}", axis.labels(says))?;
    sales(out, &axis, calendar)?;
    writeln!(out)?;
    table(out, calendar)
}

/// Where the lines lie.
fn sales(out: Out<'_>, axis: &Axis, calendar: &KeyCalendar) -> io::Result<()> {
    let signs = axis.lines(&calendar.days);
    let most = signs.iter().map(DayLines::all).max().unwrap_or(0);
    let here: u64 = signs.iter().map(DayLines::all).sum();
    let elsewhere = calendar.days.values().map(DayLines::all).sum::<u64>() - here;
    if most > 0 {
        heights(out, &signs, most)?;
        let marks = marks_below(&signs);
        if !marks.is_empty() {
            writeln!(out, "  {NOTICE}{}{NOTICE:#}", axis.labels_at(marks.into_iter()))?;
        }
        let days = counted(axis.days_of(1), "day");
        let most = counted(most, "line");
        writeln!(out, "  {QUIET}{}; █ is {most} in {days}{QUIET:#}", counted(here, "line"))?;
    }
    match elsewhere + calendar.without_day {
        0 if most == 0 => writeln!(out, "  {QUIET}no lines{QUIET:#}"),
        0 => Ok(()),
        some => writeln!(
            out,
            "  {NOTICE}{} without a day, or on one that can hardly be meant{NOTICE:#}",
            counted(some, "line")
        ),
    }
}

/// A character as high as there are lines in its days.
fn heights(out: Out<'_>, signs: &[DayLines], most: u64) -> io::Result<()> {
    const HEIGHTS: [char; 8] = ['▁', '▂', '▃', '▄', '▅', '▆', '▇', '█'];
    write!(out, "  ")?;
    let last = signs.iter().rposition(|sign| sign.all() > 0).unwrap_or(0);
    for sign in &signs[..=last] {
        match sign.all() {
            0 => write!(out, " ")?,
            lines => {
                let height = HEIGHTS[(lines * 8).div_ceil(most) as usize - 1];
                let style = if sign.without > 0 { NOTICE } else { GOOD };
                write!(out, "{style}{height}{style:#}")?;
            }
        }
    }
    writeln!(out)
}

/// How many lines have no row, below the first character of those that stand close together.
fn marks_below(signs: &[DayLines]) -> Vec<(usize, String)> {
    const CLOSE: usize = 12;
    let mut marks: Vec<(usize, u64)> = Vec::new();
    for (at, sign) in signs.iter().enumerate().filter(|(_, sign)| sign.without > 0) {
        match marks.last_mut() {
            Some((first, lines)) if at - *first < CLOSE => *lines += sign.without,
            _ => marks.push((at, sign.without)),
        }
    }
    let mark = |(at, lines)| (at, format!("▲ {}", counted(lines, "line")));
    marks.into_iter().map(mark).collect()
}

/// A table with a row for each period, and for each gap.
fn table(out: Out<'_>, calendar: &KeyCalendar) -> io::Result<()> {
    let column_names = ["from", "until"].map(str::to_owned).into_iter();
    let says = calendar.columns.iter().map(|column| format!(">{column}"));
    let measures = calendar.measures.iter().map(|(name, _)| format!(">{name}"));
    let mut table =
        TextTable::new(column_names.chain(says).chain(measures).chain(["where".to_owned()]))
            .in_csv();
    let mut before: Option<&KeyPeriod> = None;
    let open = |day: Option<Day>| day.map_or("open".to_owned(), |day| day.to_string());
    let mut told: Vec<&Finding> = Vec::new();
    for period in &calendar.periods {
        if let Some((from, until)) = before.and_then(|before| before.gap_before(period)) {
            let within = |finding: &&Finding| {
                finding.days.is_some_and(|(first, last)| from <= first && last <= until)
            };
            let lines: Vec<&Finding> = calendar.undated.iter().filter(within).collect();
            let count: u64 = lines.iter().map(|finding| finding.count).sum();
            told.extend(lines);
            let mut row = vec![from.to_string(), until.to_string()];
            row.extend(
                calendar
                    .columns
                    .iter()
                    .enumerate()
                    .map(|(number, _)| if number == 0 { "gap".to_owned() } else { String::new() }),
            );
            row.push(if count == 0 { "·".to_owned() } else { grouped(&count.to_string()) });
            table.row(row);
        }
        let mut row = vec![open(period.span.from), open(period.span.until)];
        row.extend(period.says.iter().cloned());
        let values = period.values.iter().zip(&calendar.measures);
        row.extend(values.map(|(value, (_, kind))| measure_of(*value, *kind)));
        row.push(period.place.clone());
        table.row(row);
        before = Some(period);
    }
    table.print(out, "  ")?;
    for finding in calendar.undated.iter().filter(|finding| !told.contains(finding)) {
        let lines = counted(finding.count, "line");
        let days = finding.days.map(|(first, last)| match first == last {
            true => first.to_string(),
            false => format!("{first} to {last}"),
        });
        let note = Some(finding.note.clone()).filter(|note| !note.is_empty());
        let why = note.into_iter().chain(days).collect::<Vec<_>>().join(", ");
        let subject = match finding.subject == calendar.key {
            true => String::new(),
            false => format!(" with {}", finding.subject),
        };
        writeln!(out, "  {NOTICE}{lines}{subject} without a valid row: {why}{NOTICE:#}")?;
    }
    Ok(())
}
