//! Two runs compared, and the runs that are kept.

use std::io;

use anstyle::Style;
use interligo_model::values::date::Day;
use interligo_model::values::decimal::{Decimal, Rounding};
use interligo_project::{
    CauseKind, Comparison, FactComparison, FigureWay, KeptRun, WayStep, csv_row,
};

use super::number::grouped;
use super::table::TextTable;
use super::trace::escaped as in_markdown;
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
    match (step.example.as_str(), step.has_others) {
        ("", _) => words,
        (example, false) => format!("{words}: {example}"),
        (example, true) => format!("{words}: {example}, …"),
    }
}

/// A number as it is shown: an amount in full, a share with a few places.
fn number_shown(value: Decimal, way: &FigureWay) -> String {
    let rounded = |value: Decimal| value.round(PLACES, Rounding::HalfEven).unwrap_or(value);
    let value = match (way.is_sum, way.is_percent) {
        (true, false) => value,
        (false, false) => rounded(value),
        (_, true) => value.checked_mul(Decimal::from(100)).map_or(value, rounded),
    };
    grouped(&value.to_string())
}

/// What a figure comes to.
pub(crate) fn figure_shown(value: Option<Decimal>, way: &FigureWay) -> String {
    let unit = if way.is_percent { " %" } else { "" };
    value.map_or("blank".to_owned(), |value| number_shown(value, way) + unit)
}

/// A difference with its sign; one of percentages is in points, for a percentage of what would be open.
pub(crate) fn difference_shown(value: Option<Decimal>, way: &FigureWay) -> String {
    let Some(value) = value else { return "·".to_owned() };
    let sign = if value.mantissa() > 0 { "+" } else { "" };
    let unit = if way.is_percent { " points" } else { "" };
    format!("{sign}{}{unit}", number_shown(value, way))
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
    // A record that is no run of the plan is named by its folder.
    let run = |word: &str, name: &str| match name.parse::<u32>() {
        Ok(number) => format!("{word} {number}"),
        Err(_) => name.to_owned(),
    };
    let (a, b) = (run("Run", a), run("run", b));
    writeln!(out, "{TITLE}{a} ({}) and {b} ({}){TITLE:#}", at[0], at[1])?;
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
    bridge_table(name, way).print(out, "  ")?;
    let whole = way.to.zip(way.from).and_then(|(to, from)| to.checked_sub(from));
    writeln!(out, "  {QUIET}{} in all{QUIET:#}", difference_shown(whole, way))
}

/// The same as a table.
pub(crate) fn bridge_table(name: &str, way: &FigureWay) -> TextTable {
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
    table.sum(["second run".to_owned(), String::new(), figure_shown(way.to, way)]);
    table
}

/// Kinds of causes as columns.
const KINDS: [(CauseKind, &str); 7] = [
    (CauseKind::New, "new"),
    (CauseKind::Gone, "gone"),
    (CauseKind::Moved, "moved"),
    (CauseKind::Own, "own"),
    (CauseKind::Match, "match"),
    (CauseKind::Value, "values"),
    (CauseKind::Plan, "plan"),
];

/// The bridges of groups: a row for each, with the difference, a column for each kind of cause, and both ends. Those are last:
/// they are the first to go where a terminal is narrow.
fn groups(out: Out<'_>, fact: &FactComparison) -> io::Result<()> {
    for (figure, (name, whole)) in fact.figures.iter().enumerate() {
        let kinds = KINDS.map(|(_, word)| word);
        let heads = ["difference"].into_iter().chain(kinds).chain(["first run", "second run"]);
        let heads = std::iter::once(name.clone()).chain(heads.map(|head| format!(">{head}")));
        let mut table = TextTable::new(heads).in_csv();
        for (group, ways) in &fact.groups {
            let (_, way) = &ways[figure];
            if !way.steps.is_empty() {
                table.row(group_row(group, way));
            }
        }
        writeln!(out)?;
        if table.is_empty() {
            writeln!(out, "  {name}  {}, unchanged", figure_shown(whole.to, whole))?;
            continue;
        }
        table.sum(group_row("all", whole));
        table.without_blank_columns(2).print(out, "  ")?;
    }
    Ok(())
}

fn group_row(name: &str, way: &FigureWay) -> Vec<String> {
    let none = Decimal::ZERO;
    let difference = way.to.unwrap_or(none).checked_sub(way.from.unwrap_or(none));
    let mut cells = vec![name.to_owned(), difference_shown(difference, way)];
    for (kind, _) in KINDS {
        let own = way.steps.iter().filter(|step| step.cause.kind == kind);
        let own: Vec<Option<Decimal>> = own.map(|step| step.difference).collect();
        let sum = own.iter().flatten().try_fold(none, |sum, own| sum.checked_add(*own));
        cells.push(if own.is_empty() { String::new() } else { difference_shown(sum, way) });
    }
    cells.extend([way.from, way.to].map(|end| figure_shown(end, way)));
    cells
}

/// The figures that are sums over lines, by number: of these each line has its share of a difference.
fn sums_of(fact: &FactComparison) -> Vec<usize> {
    (0..fact.figures.len()).filter(|at| fact.figures[*at].1.is_sum).collect()
}

fn changed(out: Out<'_>, fact: &FactComparison) -> io::Result<()> {
    if fact.changed.is_empty() {
        return Ok(());
    }
    writeln!(out)?;
    let sums = sums_of(fact);
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

/// Writes two runs, compared, as comma-separated text: a row for each figure and cause, of all, of each group and of each
/// line that is listed.
pub fn compared_csv(out: Out<'_>, compared: &Comparison) -> io::Result<()> {
    let head = [
        "fact",
        "group",
        "line",
        "figure",
        "cause",
        "what",
        "lines",
        "became_known",
        "became_unknown",
        "difference",
    ];
    out.data(&csv_row(head))?;
    let row = |start: [&str; 4], cause: (&str, &str), counts: [String; 3], value| {
        let value: Option<Decimal> = value;
        let number = value.map_or(String::new(), |value| value.to_string());
        let counts = counts.iter().map(String::as_str);
        let cells = start.into_iter().chain([cause.0, cause.1]).chain(counts);
        csv_row(cells.chain([number.as_str()]))
    };
    for fact in &compared.facts {
        let whole = std::iter::once((String::new(), &fact.figures));
        for (group, ways) in
            whole.chain(fact.groups.iter().map(|(name, ways)| (name.clone(), ways)))
        {
            for (name, way) in ways {
                let start = [fact.fact.as_str(), &group, "", name];
                out.data(&row(start, ("first run", ""), Default::default(), way.from))?;
                for step in &way.steps {
                    let counts = [step.lines, step.became_known, step.became_unknown];
                    let cause = (kind_name(step.cause.kind), step.cause.what.as_str());
                    let counts = counts.map(|count| count.to_string());
                    out.data(&row(start, cause, counts, step.difference))?;
                }
                out.data(&row(start, ("second run", ""), Default::default(), way.to))?;
            }
        }
        for line in &fact.changed {
            for (cause, differences) in &line.causes {
                for at in sums_of(fact) {
                    let (name, difference) = (&fact.figures[at].0, differences[at]);
                    let start = [fact.fact.as_str(), "", &line.key, name];
                    let cause = (kind_name(cause.kind), cause.what.as_str());
                    out.data(&row(start, cause, Default::default(), difference))?;
                }
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
        markdown_bridges(out, &fact.figures)?;
        for (group, ways) in &fact.groups {
            if ways.iter().any(|(_, way)| !way.steps.is_empty()) {
                writeln!(out, "\n### {}", in_markdown(group))?;
                markdown_bridges(out, ways)?;
            }
        }
        if fact.changed.is_empty() {
            continue;
        }
        let sums = sums_of(fact);
        let names: Vec<String> = sums.iter().map(|at| in_markdown(&fact.figures[*at].0)).collect();
        let rules = vec!["---:"; names.len()].join("|");
        writeln!(out, "\n| line | cause | {} |\n|---|---|{rules}|", names.join(" | "))?;
        for line in &fact.changed {
            for (cause, differences) in &line.causes {
                let cell = |at: &usize| difference_shown(differences[*at], &fact.figures[*at].1);
                let cells = sums.iter().map(cell).collect::<Vec<_>>().join(" | ");
                let (key, cause) = (in_markdown(&line.key), in_markdown(&cause_words(cause)));
                writeln!(out, "| {key} | {cause} | {cells} |")?;
            }
        }
    }
    Ok(())
}

fn markdown_bridges(out: Out<'_>, figures: &[(String, FigureWay)]) -> io::Result<()> {
    for (name, way) in figures {
        let name = in_markdown(name);
        writeln!(out, "\n| {name} | lines | difference |\n|---|---:|---:|")?;
        writeln!(out, "| first run | | {} |", figure_shown(way.from, way))?;
        for step in &way.steps {
            let cause = in_markdown(&cause_words(&step.cause));
            let difference = difference_shown(step.difference, way);
            writeln!(out, "| {cause} | {} | {difference} |", lines_of(step))?;
        }
        writeln!(out, "| second run | | {} |", figure_shown(way.to, way))?;
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
        return note(out, Style::new(), "", text);
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
    writeln!(out)?;
    note(out, QUIET, "", &format!("{runs}; `interligo compare` shows what changed between two."))
}
