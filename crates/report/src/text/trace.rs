//! Why lines have their values, for reading in a terminal and as Markdown.

use std::io;

use interligo_engine::engine::Engine;
use interligo_model::values::decimal::Decimal;
use interligo_model::values::value::Value;
use interligo_project::{BesideLines, CellTrace, Listed, Traced};
use unicode_width::UnicodeWidthStr;

use super::number::grouped;
use super::table::TextTable;
use super::{QUIET, TITLE, broken, counted};
use crate::explained::{Entry, explained};
use crate::output::Out;

/// The widest name beside which something is explained.
const WIDEST: usize = 16;

/// Prints lines with what explains them.
pub fn traced(out: Out<'_>, engine: &Engine, traced: &Traced) -> io::Result<()> {
    if let Some(why) = &traced.no_line {
        return writeln!(out, "{why}");
    }
    for (number, line) in traced.lines.iter().enumerate() {
        if number > 0 {
            writeln!(out)?;
        }
        let line = explained(engine, line);
        writeln!(out, "{TITLE}{}{TITLE:#}", line.title)?;
        let widest = line.entries.iter().map(|entry| entry.name.width()).max().unwrap_or(0);
        for entry in &line.entries {
            print_entry(out, entry, widest.min(WIDEST))?;
        }
    }
    if traced.more > 0 {
        let more = counted(traced.more, "more line");
        writeln!(out, "\n{QUIET}{more}: --rows N shows as many.{QUIET:#}")?;
    }
    for note in &traced.notes {
        writeln!(out, "\n{QUIET}{note}{QUIET:#}")?;
    }
    Ok(())
}

/// Prints a name and, beside it, some sentences; short ones of a formula on one line.
fn print_entry(out: Out<'_>, entry: &Entry, column: usize) -> io::Result<()> {
    let width = out.width().map_or(usize::MAX, |width| width.max(40));
    let room = width.saturating_sub(column + 4);
    let mut lines: Vec<String> = Vec::new();
    for line in &entry.lines {
        match lines.last_mut() {
            Some(last) if line.starts_with("= ") && last.width() + line.width() < room.min(72) => {
                last.push(' ');
                last.push_str(line);
            }
            _ => lines.push(line.clone()),
        }
    }
    let mut name = entry.name.as_str();
    if name.width() > column {
        writeln!(out, "  {name}")?;
        name = "";
    }
    for line in &lines {
        for (number, part) in broken(line, room).iter().enumerate() {
            let further = if number > 0 { "  " } else { "" };
            let space = " ".repeat(column.saturating_sub(name.width()));
            writeln!(out, "  {name}{space}  {further}{part}")?;
            name = "";
        }
    }
    Ok(())
}

/// Writes lines with what explains them as Markdown.
pub fn traced_markdown(out: Out<'_>, engine: &Engine, traced: &Traced) -> io::Result<()> {
    if let Some(why) = &traced.no_line {
        return writeln!(out, "{}", escaped(why));
    }
    for (number, line) in traced.lines.iter().enumerate() {
        if number > 0 {
            writeln!(out)?;
        }
        let line = explained(engine, line);
        writeln!(out, "## {}\n", escaped(&line.title))?;
        for entry in &line.entries {
            writeln!(out, "- **{}**", escaped(&entry.name))?;
            for text in &entry.lines {
                writeln!(out, "  - {}", escaped(text))?;
            }
        }
    }
    Ok(())
}

/// A text whose characters mean themselves in Markdown.
pub(super) fn escaped(text: &str) -> String {
    let mut escaped = String::with_capacity(text.len());
    for character in text.chars() {
        if "\\`*_[]<>#|".contains(character) {
            escaped.push('\\');
        }
        escaped.push(character);
    }
    escaped
}

fn number(value: Option<Decimal>) -> String {
    value.map_or("overflows".to_owned(), |value| grouped(&value.to_string()))
}

/// A value as tables show it.
fn shown(value: &Value<'_>) -> String {
    match value {
        Value::Number(number) => grouped(&number.to_string()),
        other => other.to_string(),
    }
}

/// Whether it comes to a number: not to a day or a text.
fn is_number(cell: &CellTrace) -> bool {
    cell.value.as_ref().is_none_or(|value| value.number().is_some())
}

/// Prints a cell of totals as the lines that it is made of.
pub fn cell(out: Out<'_>, cell: &CellTrace) -> io::Result<()> {
    let lines = counted(cell.of_lines, "line");
    let value = cell.value.as_ref().map_or("blank".to_owned(), shown);
    writeln!(out, "{TITLE}{} {value}{TITLE:#}, over {lines}\n", cell.name)?;
    if cell.of_lines == 0 {
        return writeln!(out, "No line meets the condition.");
    }
    let head = if is_number(cell) { ">amount" } else { "value" };
    let mut table = TextTable::new([head, "key", "formula", "place"]);
    // A place is taken to `trace`, or to the file: it must not be broken. At any width its column says what else there is.
    table.pin([3]);
    for line in &cell.lines {
        table.row([shown(&line.value), line.key.clone(), line.formula.clone(), line.place.clone()]);
    }
    if cell.rest.0 > 0 {
        let more = counted(cell.rest.0, "more line");
        table.row([rest_of(cell, number), String::new(), String::new(), more]);
    }
    match cell.listed {
        Listed::Nearest(beside) => {
            table.print(out, "  ")?;
            writeln!(out, "  {}", beside_words(cell, beside, &value))?;
        }
        _ => {
            let is_blank = listed(cell) == 0 && cell.sum.is_none();
            let sum = if is_blank { "blank".to_owned() } else { number(cell.sum) };
            table.sum([sum, String::new(), String::new(), listed_words(cell)]);
            table.print(out, "  ")?;
        }
    }
    for without in &cell.without {
        let lines = counted(without.lines, "line");
        writeln!(out, "  {lines} without a value: {}, first {}", without.why, without.first)?;
    }
    if let Some(parts) = &cell.parts {
        writeln!(out)?;
        let lines = counted(parts.lines, "line");
        writeln!(out, "  {} is computed from sums over {lines}:", cell.name)?;
        for part in &parts.sums {
            writeln!(out, "  {}  {}", part.name, number(part.sum))?;
        }
        let steps = parts.steps.shown.join(" = ");
        writeln!(out, "  {steps} = {value}")?;
    }
    Ok(())
}

/// How many lines a cell is made of.
fn listed(cell: &CellTrace) -> u64 {
    cell.lines.len() as u64 + cell.rest.0
}

fn listed_words(cell: &CellTrace) -> String {
    let lines = counted(listed(cell), "line");
    match cell.listed {
        Listed::All => lines,
        Listed::Blank => format!("{lines} without a value"),
        Listed::Amounts | Listed::Known | Listed::Nearest(_) => format!("{lines} with a value"),
    }
}

/// Where the value of a cell is among those of its lines.
fn beside_words(cell: &CellTrace, beside: BesideLines, value: &str) -> String {
    let BesideLines { below, equal, above } = beside;
    let [below, equal, above] = [below, equal, above].map(|lines| grouped(&lines.to_string()));
    let [smaller, larger] = if is_number(cell) { ["below", "above"] } else { ["before", "after"] };
    let lines = listed_words(cell);
    format!("{lines}: {below} {smaller} {value}, {equal} with it, {above} {larger}")
}

/// What the lines that are not listed come to; blank where lines are not summed.
fn rest_of(cell: &CellTrace, number: impl Fn(Option<Decimal>) -> String) -> String {
    match cell.listed {
        Listed::Nearest(_) => String::new(),
        _ => number(cell.rest.1),
    }
}

/// Writes a cell of totals as Markdown.
pub fn cell_markdown(out: Out<'_>, cell: &CellTrace) -> io::Result<()> {
    let value = cell.value.as_ref().map_or("blank".to_owned(), |own| escaped(&own.to_string()));
    writeln!(out, "## {} {value}, over {}\n", escaped(&cell.name), counted(cell.of_lines, "line"))?;
    let head = if is_number(cell) { "amount" } else { "value" };
    writeln!(out, "| {head} | key | formula | place |\n|---:|---|---|---|")?;
    for line in &cell.lines {
        let texts = [&line.key, &line.formula, &line.place].map(|text| escaped(text));
        let value = escaped(&line.value.to_string());
        writeln!(out, "| {value} | {} |", texts.join(" | "))?;
    }
    if cell.rest.0 > 0 {
        let plain =
            |rest: Option<Decimal>| rest.map_or("overflows".to_owned(), |rest| rest.to_string());
        let more = counted(cell.rest.0, "more line");
        writeln!(out, "| {} | {more} | | |", rest_of(cell, plain))?;
    }
    if let Listed::Nearest(beside) = cell.listed {
        writeln!(out, "\n{}", beside_words(cell, beside, &value))?;
    }
    for without in &cell.without {
        let (lines, why) = (counted(without.lines, "line"), escaped(&without.why));
        writeln!(out, "\n{lines} without a value: {why}, first {}", escaped(&without.first))?;
    }
    if let Some(parts) = &cell.parts {
        writeln!(out, "\n{} = {value}", escaped(&parts.steps.shown.join(" = ")))?;
    }
    Ok(())
}
