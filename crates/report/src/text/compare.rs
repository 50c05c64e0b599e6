//! Two runs compared, and the runs that are kept.

use std::io;

use interligo_model::values::date::Day;
use interligo_model::values::decimal::{Decimal, Rounding};
use interligo_project::{
    CauseKind, Comparison, FactComparison, FigureWay, KeptRun, WayStep, csv_row,
};

use super::number::grouped;
use super::table::TextTable;
use super::{QUIET, TITLE, counted, note};
use crate::output::Out;

/// Decimal places of a share that is shown.
const PLACES: u8 = 6;

/// A moment in UTC: `2025-03-05 14:30`.
pub(crate) fn moment(seconds: u64) -> String {
    let (days, rest) = (seconds / 86_400, seconds % 86_400);
    let day = i32::try_from(days).map(Day).unwrap_or(Day(0));
    format!("{day} {:02}:{:02} UTC", rest / 3_600, rest / 60 % 60)
}

/// What a cause is, in words.
pub(crate) fn cause_words(step: &interligo_project::Cause) -> String {
    let words = match step.kind {
        CauseKind::New => "new lines".to_owned(),
        CauseKind::Gone => "lines gone".to_owned(),
        CauseKind::Moved => "moved to another group".to_owned(),
        CauseKind::Own => format!("own column {}", step.what),
        CauseKind::Match => format!("match in {}", step.what),
        CauseKind::Value => format!("value {}", step.what),
        CauseKind::Plan if step.what.is_empty() => "plan".to_owned(),
        CauseKind::Plan => format!("{} and plan", step.what),
    };
    match (step.example.as_str(), step.is_example) {
        ("", _) => words,
        (example, false) => format!("{words}: {example}"),
        (example, true) => format!("{words}: {example}, …"),
    }
}

/// A number as it is shown: a share with a few places, an amount in full.
pub(crate) fn figure_shown(value: Option<Decimal>, way: &FigureWay) -> String {
    let Some(value) = value else { return "blank".to_owned() };
    let rounded = |value: Decimal| value.round(PLACES, Rounding::HalfEven).unwrap_or(value);
    match (way.is_sum, way.is_percent) {
        (true, false) => grouped(&value.to_string()),
        (false, false) => grouped(&rounded(value).to_string()),
        (_, true) => {
            let percent = value.checked_mul(Decimal::from(100)).map_or(value, rounded);
            format!("{} %", grouped(&percent.to_string()))
        }
    }
}

/// A difference with its sign.
pub(crate) fn difference_shown(value: Option<Decimal>, way: &FigureWay) -> String {
    match value {
        None => "·".to_owned(),
        Some(number) if number.mantissa() > 0 => format!("+{}", figure_shown(value, way)),
        Some(_) => figure_shown(value, way),
    }
}

fn lines_of(step: &WayStep) -> String {
    let mut words = grouped(&step.lines.to_string());
    for (count, what) in [(step.became_known, "known"), (step.became_unknown, "unknown")] {
        if count > 0
            && !matches!(step.cause.kind, CauseKind::New | CauseKind::Gone | CauseKind::Moved)
        {
            words += &format!(", {} {what}", grouped(&count.to_string()));
        }
    }
    words
}

/// Prints two runs, compared.
pub fn compared(out: Out<'_>, compared: &Comparison) -> io::Result<()> {
    let [a, b] = &compared.runs;
    let at = compared.at.map(moment);
    writeln!(out, "{TITLE}Run {a} ({}) and run {b} ({}){TITLE:#}", at[0], at[1])?;
    let files = &compared.files;
    for (what, names) in [("new", &files.new), ("gone", &files.gone), ("changed", &files.changed)] {
        if !names.is_empty() {
            note(out, QUIET, "  ", &format!("files {what}: {}", names.join(", ")))?;
        }
    }
    for text in &compared.notes {
        note(out, QUIET, "  ", text)?;
    }
    for fact in &compared.facts {
        let [before, now] = fact.lines.map(|lines| grouped(&lines.to_string()));
        writeln!(out, "\n{TITLE}{}{TITLE:#}: {before} lines, then {now}", fact.fact)?;
        if fact.groups.is_empty() {
            fact.figures.iter().try_for_each(|(name, way)| bridge(out, name, way))?;
        } else {
            groups(out, fact)?;
        }
        for (name, [before, now]) in &fact.only_one {
            let text =
                |total: &Option<String>| total.as_deref().map_or("not there".to_owned(), grouped);
            writeln!(out, "\n  {name}: {}, then {}", text(before), text(now))?;
        }
        changed(out, fact)?;
    }
    Ok(())
}

/// The bridge of a figure.
fn bridge(out: Out<'_>, name: &str, way: &FigureWay) -> io::Result<()> {
    writeln!(out)?;
    if way.steps.is_empty() {
        return writeln!(out, "  {name}  {}, unchanged", figure_shown(way.to, way));
    }
    let mut table =
        TextTable::new([name.to_owned(), ">lines".to_owned(), ">difference".to_owned()]);
    table.row(["first run".to_owned(), String::new(), figure_shown(way.from, way)]);
    for step in &way.steps {
        table.row([
            cause_words(&step.cause),
            lines_of(step),
            difference_shown(step.difference, way),
        ]);
    }
    let whole = way.to.zip(way.from).and_then(|(to, from)| to.checked_sub(from));
    table.sum(["second run".to_owned(), String::new(), figure_shown(way.to, way)]);
    table.print(out, "  ")?;
    writeln!(out, "  {QUIET}{} in all{QUIET:#}", difference_shown(whole, way))
}

/// The bridges of groups: a row for each, with a column for each kind of cause.
fn groups(out: Out<'_>, fact: &FactComparison) -> io::Result<()> {
    for (figure, (name, whole)) in fact.figures.iter().enumerate() {
        let kinds = [
            (CauseKind::New, "new"),
            (CauseKind::Gone, "gone"),
            (CauseKind::Moved, "moved"),
            (CauseKind::Own, "own"),
            (CauseKind::Match, "match"),
            (CauseKind::Value, "values"),
            (CauseKind::Plan, "plan"),
        ];
        let heads = kinds.iter().map(|(_, word)| format!(">{word}"));
        let heads = [name.clone(), ">first run".to_owned()]
            .into_iter()
            .chain(heads)
            .chain([">second run".to_owned(), ">difference".to_owned()]);
        let mut table = TextTable::new(heads).in_csv();
        let row = |way: &FigureWay| -> Vec<String> {
            let mut cells = vec![figure_shown(way.from, way)];
            for (kind, _) in kinds {
                let own = way.steps.iter().filter(|step| step.cause.kind == kind);
                let own: Vec<Option<Decimal>> = own.map(|step| step.difference).collect();
                let sum =
                    own.iter().flatten().try_fold(Decimal::ZERO, |sum, d| sum.checked_add(*d));
                cells.push(if own.is_empty() { String::new() } else { difference_shown(sum, way) });
            }
            let none = Decimal::ZERO;
            let difference = way.to.unwrap_or(none).checked_sub(way.from.unwrap_or(none));
            cells.push(figure_shown(way.to, way));
            cells.push(difference_shown(difference, way));
            cells
        };
        for (group, ways) in &fact.groups {
            let (_, way) = &ways[figure];
            if !way.steps.is_empty() {
                table.row(std::iter::once(group.clone()).chain(row(way)));
            }
        }
        writeln!(out)?;
        if table.is_empty() {
            writeln!(out, "  {name}  {}, unchanged", figure_shown(whole.to, whole))?;
            continue;
        }
        table.sum(std::iter::once("all".to_owned()).chain(row(whole)));
        table.without_blank_columns(2).print(out, "  ")?;
    }
    Ok(())
}

fn changed(out: Out<'_>, fact: &FactComparison) -> io::Result<()> {
    if fact.changed.is_empty() {
        return Ok(());
    }
    writeln!(out)?;
    let sums: Vec<usize> =
        (0..fact.figures.len()).filter(|at| fact.figures[*at].1.is_sum).collect();
    let names = sums.iter().map(|at| format!(">{}", fact.figures[*at].0));
    let mut table =
        TextTable::new(["line".to_owned(), "cause".to_owned()].into_iter().chain(names));
    for line in &fact.changed {
        for (number, (cause, differences)) in line.causes.iter().enumerate() {
            let key = if number == 0 { line.key.clone() } else { String::new() };
            let made = |at: &usize| differences[*at].filter(|number| !number.is_zero());
            let cells = sums.iter().map(|at| difference_shown(made(at), &fact.figures[*at].1));
            table.row([key, cause_words(cause)].into_iter().chain(cells));
        }
    }
    table.print(out, "  ")
}

/// Writes two runs, compared, as comma-separated text: a row for each figure and cause.
pub fn compared_csv(out: Out<'_>, compared: &Comparison) -> io::Result<()> {
    let head = [
        "fact",
        "group",
        "figure",
        "cause",
        "what",
        "lines",
        "became_known",
        "became_unknown",
        "difference",
    ];
    out.data(&csv_row(head))?;
    let number = |value: Option<Decimal>| value.map_or(String::new(), |value| value.to_string());
    for fact in &compared.facts {
        let whole = std::iter::once((String::new(), &fact.figures));
        for (group, ways) in
            whole.chain(fact.groups.iter().map(|(name, ways)| (name.clone(), ways)))
        {
            for (name, way) in ways {
                let row = |cause: &str, what: &str, counts: [String; 3], value: Option<Decimal>| {
                    let [lines, known, unknown] = counts;
                    let cells = [
                        fact.fact.clone(),
                        group.clone(),
                        name.clone(),
                        cause.to_owned(),
                        what.to_owned(),
                        lines,
                        known,
                        unknown,
                        number(value),
                    ];
                    csv_row(cells.iter().map(String::as_str))
                };
                out.data(&row("first run", "", Default::default(), way.from))?;
                for step in &way.steps {
                    let counts = [step.lines, step.became_known, step.became_unknown];
                    let counts = counts.map(|count| count.to_string());
                    let kind = kind_name(step.cause.kind);
                    out.data(&row(kind, &step.cause.what, counts, step.difference))?;
                }
                out.data(&row("second run", "", Default::default(), way.to))?;
            }
        }
    }
    Ok(())
}

/// The name of a kind of cause, which stays.
pub(crate) fn kind_name(kind: CauseKind) -> &'static str {
    match kind {
        CauseKind::New => "new",
        CauseKind::Gone => "gone",
        CauseKind::Moved => "moved",
        CauseKind::Own => "own-column",
        CauseKind::Match => "match",
        CauseKind::Value => "value",
        CauseKind::Plan => "plan",
    }
}

/// Writes two runs, compared, as Markdown.
pub fn compared_markdown(out: Out<'_>, compared: &Comparison) -> io::Result<()> {
    let [a, b] = &compared.runs;
    writeln!(out, "## Run {a} and run {b}")?;
    for fact in &compared.facts {
        for (name, way) in &fact.figures {
            writeln!(out, "\n| {name} | lines | difference |\n|---|---:|---:|")?;
            writeln!(out, "| first run | | {} |", figure_shown(way.from, way))?;
            for step in &way.steps {
                let words = cause_words(&step.cause).replace('|', "\\|");
                let cells = [lines_of(step), difference_shown(step.difference, way)];
                writeln!(out, "| {words} | {} |", cells.join(" | "))?;
            }
            writeln!(out, "| second run | | {} |", figure_shown(way.to, way))?;
        }
    }
    Ok(())
}

/// Prints the runs that a record is kept of.
pub fn kept_runs(out: Out<'_>, runs: &[KeptRun], keeps: bool) -> io::Result<()> {
    if runs.is_empty() {
        let text = match keeps {
            true => "No record is kept yet: the next `interligo run` writes one.",
            false => "No record is kept: add keep-runs = 3 to [plan], and run.",
        };
        return writeln!(out, "{text}");
    }
    let mut table = TextTable::new([">run", "when, UTC", ">lines", "figures", ">record"]);
    for run in runs {
        let lines: Vec<String> = run
            .lines
            .iter()
            .map(|(fact, lines)| format!("{} {fact}", grouped(&lines.to_string())))
            .collect();
        // The first figure of each fact tells runs apart; all of them do not fit.
        let totals = run.totals.iter().filter_map(|(_, totals)| totals.first());
        let totals: Vec<String> =
            totals.map(|(name, total)| format!("{name} {}", grouped(total))).collect();
        table.row([
            run.number.to_string(),
            moment(run.at).replace(" UTC", ""),
            lines.join(", "),
            totals.join(", "),
            format!("{} KB", grouped(&run.bytes.div_ceil(1_024).to_string())),
        ]);
    }
    table.print(out, "")?;
    let runs = counted(runs.len() as u64, "run");
    writeln!(out, "\n{QUIET}{runs}; `interligo compare` shows what changed between two.{QUIET:#}")
}
