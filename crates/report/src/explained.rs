//! A trace in words: the same for the terminal, for Markdown, and for whoever reads JSON.

use interligo_engine::engine::Engine;
use interligo_engine::links::LinkStatus;
use interligo_engine::proof::tieout::{aside_words, blank_words};
use interligo_engine::trace::{
    DayTrace, FigureTrace, KeyAttempt, KeyStep, LinkTrace, NotTaken, PeriodRow, StepOutcome,
    TakenRow,
};
use interligo_model::plan::GapRule;
use interligo_model::values::date::Day;
use interligo_model::values::decimal::Decimal;
use interligo_model::values::value::Value;
use interligo_project::TracedLine;

/// A line, explained.
pub(crate) struct Explained {
    /// Where it is and what its key is.
    pub(crate) title: String,
    /// What was read, each link, each figure: a name and some sentences.
    pub(crate) entries: Vec<Entry>,
}

/// Something that is explained.
pub(crate) struct Entry {
    pub(crate) name: String,
    pub(crate) lines: Vec<String>,
}

/// A line in words.
pub(crate) fn explained(engine: &Engine, line: &TracedLine) -> Explained {
    let title = match line.key.is_empty() {
        true => line.place.clone(),
        false => format!("{}   {}", line.place, line.key),
    };
    let mut entries = vec![Entry { name: "as read".to_owned(), lines: as_read(line) }];
    if let Some(why) = line.trace.aside {
        let words = format!("set aside: {}", aside_words(engine, why));
        entries.push(Entry { name: "outcome".to_owned(), lines: vec![words] });
    }
    entries.extend(line.trace.links.iter().map(|link| of_link(engine, link)));
    entries.extend(line.trace.figures.iter().map(|figure| of_figure(engine, figure)));
    Explained { title, entries }
}

/// What was read, and where a value is another than its text.
fn as_read(line: &TracedLine) -> Vec<String> {
    let shown = |text: &str| match text.trim() {
        "" => "(blank)".to_owned(),
        trimmed if trimmed == text => text.to_owned(),
        _ => format!("\"{text}\""),
    };
    let cells = line.as_read.iter().map(|(name, text)| format!("{name} {}", shown(text)));
    let mut lines = vec![cells.collect::<Vec<_>>().join(" · ")];
    if let Some((at, of)) = line.of_row {
        let made = line.columns.iter().filter(|column| !line.as_read.contains(column));
        let made: Vec<String> =
            made.map(|(name, text)| format!("{name} {}", shown(text))).collect();
        lines.push(format!("line {at} of {of} of this row: {}", made.join(" · ")));
    }
    for column in &line.trace.columns {
        let text = line.columns.iter().find(|(name, _)| *name == column.name);
        let text = text.map_or("", |(_, text)| text.trim());
        let number = column.value.number().map(|number| number.trimmed(0));
        let value = number.map_or_else(|| column.value.to_string(), |number| number.to_string());
        let same = number.is_some() && Decimal::parse(text.as_bytes()) == number;
        if column.unreadable {
            lines.push(format!("{} \"{text}\" cannot be read: it is blank", column.name));
        } else if !text.is_empty() && value != text && !same {
            lines.push(format!("{} {text} is {value}", column.name));
        }
    }
    lines
}

fn of_link(engine: &Engine, link: &LinkTrace) -> Entry {
    let route = &engine.bound.routes[link.link];
    let fact = format!("{}.", engine.bound.fact.name);
    let from = route.path.split(" -> ").next().unwrap_or(&route.path);
    let from = from.strip_prefix(&fact).unwrap_or(from);
    let mut lines = Vec::new();
    let status = match (link.status, link.by) {
        (LinkStatus::Alternate, by) => format!("alternate {}", by + 1),
        (LinkStatus::Carried, 1) => "carried 1 day".to_owned(),
        (LinkStatus::Carried, by) => format!("carried {by} days"),
        (status, _) => status.name().to_owned(),
    };
    let day = match &link.day {
        Some(DayTrace { day: Some(day), .. }) => format!(" as of {day}"),
        Some(_) => ", without a day".to_owned(),
        None => String::new(),
    };
    let keys: Vec<String> =
        link.attempts.iter().map(|attempt| key_shown(&attempt.written)).collect();
    let key = if keys.is_empty() { String::new() } else { format!(" {}", keys.join(", ")) };
    let row = link.row.as_ref().map_or(String::new(), |row| format!("   {}", row_place(row)));
    lines.push(format!("{from}{key}{day}   {status}{row}"));
    lines.extend(link.attempts.iter().filter_map(|attempt| steps(engine, attempt)));
    if let Some(row) = &link.row {
        lines.extend(attributes(row));
    }
    lines.extend(link.day.iter().flat_map(beside));
    for other in &link.not_taken {
        let differs: Vec<String> =
            other.differs.iter().map(|(name, value)| format!("{name} {value}")).collect();
        let differs = differs.join(" · ");
        lines.push(match other.why {
            NotTaken::Duplicate if differs.is_empty() => {
                format!("the same key is in {}, with the same values", other.place)
            }
            NotTaken::Duplicate => {
                format!("not taken, a duplicate of the key: {}, {differs}", other.place)
            }
            NotTaken::OtherDays { from, until } => {
                format!("{}: {differs} ({})", period(from, until), other.place)
            }
        });
    }
    Entry { name: link.name.clone(), lines }
}

/// A key as it is written; in quotes where a reader would not see its spaces, or where there is none.
fn key_shown(key: &str) -> String {
    match key.trim() {
        "" => "(blank)".to_owned(),
        trimmed if trimmed == key => key.to_owned(),
        _ => format!("\"{key}\""),
    }
}

/// The steps of a key that is not found as it is written.
fn steps(engine: &Engine, attempt: &KeyAttempt) -> Option<String> {
    if let Some(correction) = attempt.correction {
        let own = &engine.bound.corrections[correction];
        return Some(format!("a correction has {} for {}", own.used, own.found));
    }
    if attempt.written.trim().is_empty() {
        return None;
    }
    if let [(KeyStep::AsWritten, StepOutcome::Key)] = attempt.steps.as_slice() {
        return None;
    }
    let words: Vec<String> = attempt
        .steps
        .iter()
        .map(|(step, outcome)| {
            let outcome = match outcome {
                StepOutcome::Key => "found",
                StepOutcome::Several => "several keys fit",
                StepOutcome::NoKey => "no such key",
            };
            match step {
                KeyStep::AsWritten => format!("as written: {outcome}"),
                KeyStep::Trimmed(text) => format!("trimmed, {text}: {outcome}"),
                KeyStep::Ignoring(text) => {
                    format!("without what `ignore` ignores, {text}: {outcome}")
                }
            }
        })
        .collect();
    Some(words.join("; "))
}

/// Where a row is.
pub(crate) fn row_place(row: &TakenRow) -> String {
    row.place.as_ref().map_or("by `fill` of the plan".to_owned(), ToString::to_string)
}

fn attributes(row: &TakenRow) -> Vec<String> {
    let mut lines = Vec::new();
    let known = row.attributes.iter().map(|(name, value)| format!("{name} {}", value_shown(value)));
    let known = known.collect::<Vec<_>>().join(" · ");
    match row.valid {
        Some((from, until)) => lines.push(format!("{}: {known}", period(from, until))),
        None if !known.is_empty() => lines.push(known),
        None => {}
    }
    lines
}

fn value_shown(value: &Value<'_>) -> String {
    let number = value.number().map(|number| number.trimmed(0).to_string());
    match number.unwrap_or_else(|| value.to_string()) {
        text if text.trim().is_empty() => "(blank)".to_owned(),
        text => text,
    }
}

/// `2025-01-01 to 2025-02-28`, `from 2025-03-24`, `until 2025-02-28`.
fn period(from: Option<Day>, until: Option<Day>) -> String {
    match (from, until) {
        (Some(from), Some(until)) => format!("{from} to {until}"),
        (Some(from), None) => format!("from {from}"),
        (None, Some(until)) => format!("until {until}"),
        (None, None) => "always".to_owned(),
    }
}

/// The periods before and after a day on which none is valid, and what other rules would give.
fn beside(day: &DayTrace) -> Vec<String> {
    let of = |word: &str, period_row: &PeriodRow| {
        let PeriodRow { from, until, row } = period_row;
        let values =
            row.attributes.iter().map(|(name, value)| format!("{name} {}", value_shown(value)));
        let values = values.collect::<Vec<_>>().join(" · ");
        format!("{word}: {}, {values} ({})", period(*from, *until), row_place(row))
    };
    let mut lines = Vec::new();
    lines.extend(day.before.as_ref().map(|before| of("before", before)));
    lines.extend(day.after.as_ref().map(|after| of("after", after)));
    for with in &day.with {
        let rule = if with.rule == GapRule::Earlier { "earlier" } else { "later" };
        let days = if with.days == 1 { "1 day".to_owned() } else { format!("{} days", with.days) };
        let row = row_place(&with.row);
        lines.push(format!("gap = \"{rule}\" would take {row}, over {days}"));
    }
    lines
}

fn of_figure(engine: &Engine, figure: &FigureTrace) -> Entry {
    let mut lines = vec![figure.formula.clone()];
    lines.extend(figure.steps.shown.iter().map(|step| format!("= {step}")));
    lines.push(match figure.blank {
        Some(why) => format!("= blank: {}", blank_words(engine, why)),
        None => format!("= {}", figure.value),
    });
    Entry { name: figure.name.clone(), lines }
}
