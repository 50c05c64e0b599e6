//! Mending at a terminal: the keys, what they may mean, and what came of it.

use std::collections::BTreeMap;
use std::io;

use anstyle::Style;
use interligo_engine::proof::balance::Suggestion;
use interligo_model::plan::Correction;
use interligo_model::plan::nearest_name;
use interligo_project::{Checked, Mended, NotTaken, OpenKey, Refused};

use super::findings::{affected_cells, visible};
use super::number::grouped;
use super::table::TextTable;
use super::{GOOD, NOTICE, Out, QUIET, TITLE, counted, note, paragraph};

/// Prints what there is to be mended.
pub fn mending(out: Out<'_>, count: usize, file: &str) -> io::Result<()> {
    if count == 0 {
        return writeln!(out, "{GOOD}Every key matches: there is nothing to correct.{GOOD:#}");
    }
    let keys = counted(count as u64, "key");
    writeln!(
        out,
        "{TITLE}Mend{TITLE:#} {QUIET}{keys} unmatched; each decision is saved to {file} at once{QUIET:#}"
    )?;
    mend_help(out)
}

/// Prints what may be typed.
pub fn mend_help(out: Out<'_>) -> io::Result<()> {
    writeln!(
        out,
        "{QUIET}{}{QUIET:#}",
        paragraph(
            out.width(),
            "Type the number of a suggestion, or a key of the lookup (Tab completes). s skips, u takes back, q quits \
             and keeps what is decided, ? shows this."
        )
    )
}

/// Prints an open key with what it costs.
pub fn open_key(
    out: Out<'_>,
    checked: &Checked,
    open: &OpenKey<'_>,
    links: &[String],
    (number, count): (usize, usize),
) -> io::Result<()> {
    let finding = open.finding;
    writeln!(
        out,
        "\n{QUIET}{number} of {count}{QUIET:#}  {TITLE}{}{TITLE:#}  in {}",
        visible(&open.key),
        links.join(", ")
    )?;
    let mut costs = vec![counted(open.lines, "line")];
    let cells = affected_cells(checked, finding.affected.as_ref());
    for (column, cell) in checked.columns.iter().zip(cells) {
        if !cell.is_empty() {
            costs.push(format!("{} {cell}", column.name));
        }
    }
    if let Some((first, last)) = finding.days {
        costs.push(if first == last { first.to_string() } else { format!("{first} to {last}") });
    }
    writeln!(out, "  {}", costs.join(" · "))
}

/// Prints the first line that has a key.
pub fn first_line(
    out: Out<'_>,
    line: Option<&(String, Vec<String>)>,
    columns: &[String],
) -> io::Result<()> {
    let Some((place, cells)) = line else { return Ok(()) };
    let cells = columns.iter().zip(cells).filter(|(_, cell)| !cell.is_empty());
    let cells: Vec<String> = cells.map(|(column, cell)| format!("{column} {cell}")).collect();
    writeln!(out, "  {QUIET}{place}  {}{QUIET:#}", cells.join(" · "))
}

/// Prints the keys that may be meant, with what their rows say.
pub fn suggestions(
    out: Out<'_>,
    suggestions: &[Suggestion],
    meanings: &BTreeMap<String, String>,
) -> io::Result<()> {
    if suggestions.is_empty() {
        return writeln!(out, "\n  {NOTICE}No key of the lookup is like it.{NOTICE:#}");
    }
    let widest = |text: fn(&Suggestion) -> String| {
        suggestions.iter().map(|s| text(s).chars().count()).max().unwrap_or(0)
    };
    let (keys, reasons) = (widest(|s| s.key.clone()), widest(Suggestion::words));
    writeln!(out)?;
    for (number, suggestion) in (1..).zip(suggestions) {
        let said = meanings.get(&suggestion.key).map_or("", String::as_str);
        let (key, why) = (&suggestion.key, suggestion.words());
        let chance = if suggestion.likely { "" } else { "  by chance?" };
        let line = format!("{why:<reasons$}  {said}{chance}");
        writeln!(
            out,
            "  {TITLE}{number}{TITLE:#}  {key:<keys$}  {QUIET}{}{QUIET:#}",
            line.trim_end()
        )?;
    }
    Ok(())
}

/// Prints what was decided on a key.
pub fn one_mended(out: Out<'_>, mended: &Mended) -> io::Result<()> {
    writeln!(
        out,
        "  {GOOD}{} means {} in {}{GOOD:#}",
        visible(&mended.found),
        mended.used,
        mended.links.join(", ")
    )
}

/// Prints that the lookup does not have a key.
pub fn no_such_key(out: Out<'_>, text: &str, keys: &[String]) -> io::Result<()> {
    let keys: Vec<&str> = keys.iter().map(String::as_str).collect();
    let near = match nearest_name(text, &keys) {
        Some(near) => format!("; did you mean {near}?"),
        None => String::new(),
    };
    writeln!(out, "  {NOTICE}The lookup has no key `{text}`{near}{NOTICE:#}")
}

/// Prints that there is nothing to take back.
pub fn nothing_to_undo(out: Out<'_>) -> io::Result<()> {
    writeln!(out, "  {NOTICE}There is nothing to take back.{NOTICE:#}")
}

/// Prints what came of it.
pub fn mend_end(
    out: Out<'_>,
    mended: usize,
    left: usize,
    kept: usize,
    file: &str,
) -> io::Result<()> {
    if mended + left == 0 {
        return Ok(());
    }
    let keys = counted(mended as u64, "key");
    writeln!(out, "\n{GOOD}{keys} mended{GOOD:#}, {left} left.")?;
    if kept > 0 {
        let rows = counted(kept as u64, "correction");
        note(out, Style::new(), "", &format!("{file} has {rows}; `interligo run` applies them."))?;
    }
    Ok(())
}

/// Prints keys that were mended without asking.
pub fn mended(out: Out<'_>, mended: &[Mended], file: &str, dry: bool) -> io::Result<()> {
    if mended.is_empty() {
        return writeln!(out, "No key was mended.");
    }
    let mut table = TextTable::new(["Found", "used", "in", ">lines", "why"]);
    for one in mended {
        table.row([
            visible(&one.found),
            one.used.clone(),
            one.links.join(", "),
            one.lines.map_or(String::new(), |lines| grouped(&lines.to_string())),
            one.note.clone(),
        ]);
    }
    table.print(out, "  ")?;
    let keys = counted(mended.len() as u64, "key");
    if dry {
        writeln!(out, "\n{keys} would be mended; nothing was written.")
    } else {
        writeln!(out)?;
        note(out, GOOD, "", &format!("{keys} mended in {file}; `interligo run` applies them."))
    }
}

/// Prints how many keys are still open.
pub fn left_open(out: Out<'_>, left: usize, doubtful: u64) -> io::Result<()> {
    if left == 0 {
        return Ok(());
    }
    let keys = counted(left as u64, "key");
    let doubt = match doubtful {
        0 => String::new(),
        some => format!(", {some} of them because several keys fit, or one by chance"),
    };
    note(out, QUIET, "", &format!("{keys} left{doubt}: review them with `interligo mend`."))
}

/// Prints how many keys of a list nobody has answered.
pub fn unanswered(out: Out<'_>, keys: u64) -> io::Result<()> {
    match keys {
        0 => Ok(()),
        _ => {
            writeln!(out, "{QUIET}{} without an answer in the list.{QUIET:#}", counted(keys, "key"))
        }
    }
}

/// Prints of a correction why it was not imported; `kept` is the file of the corrections that hold.
pub fn not_taken(file: &str, kept: &str, not_taken: &NotTaken) -> String {
    let Correction { found, used, link, row, .. } = &not_taken.correction;
    let why = match &not_taken.why {
        Refused::NoSuchKey => format!("because the lookup of `{link}` has no key `{used}`"),
        Refused::Contradicted => "because another row contradicts it; keep one of them".to_owned(),
        Refused::OtherHolds(other) => {
            format!(
                "because {kept} already has `{other}` for it; remove that first if `{used}` is meant"
            )
        }
    };
    format!("{NOTICE}Not imported:{NOTICE:#} {file}:{row} `{found}`, {why}")
}
