//! The map of tables and links as a tree: which table is linked to which, through what.

use std::collections::BTreeSet;
use std::io;

use interligo_project::{LinkHealth, LinkMap};
use unicode_width::UnicodeWidthStr;

use super::number::{grouped, share};
use super::{GOOD, NOTICE, Out, QUIET, TITLE, counted};

/// The least width that is drawn in.
const LEAST: usize = 60;

/// One line of the tree: what leads to the table, and the table.
struct Branch<'m> {
    /// The lines of the branches around it.
    before: String,
    label: String,
    link: &'m LinkHealth,
    /// Whether the table stands further up already.
    again: bool,
}

/// Prints the map as a tree, in lines of at most `width` characters.
pub fn map_text(out: Out<'_>, map: &LinkMap, width: usize) -> io::Result<()> {
    let width = width.max(LEAST) - 2;
    for (number, table) in map.tables.iter().enumerate().filter(|(_, table)| table.is_fact) {
        let mut branches = Vec::new();
        let mut seen = BTreeSet::from([number]);
        grow(map, number, String::new(), &mut seen, &mut branches);
        let title = format!(" {}   {} ", table.name, counted(table.rows, "line"));
        let rule = "─".repeat(title.width());
        let foot = match branches.is_empty() {
            true => rule.clone(),
            false => format!("─┬{}", "─".repeat(title.width().saturating_sub(2))),
        };
        writeln!(out, "  ┌{rule}┐\n  │{TITLE}{title}{TITLE:#}│\n  └{foot}┘")?;
        let names = branches.iter().map(|branch| map.tables[branch.link.to].name.width());
        let name_width = names.max().unwrap_or(0);
        // `name  1,234,567 rows  100.0 %`
        let right = name_width + 26;
        let labels = branches.iter().map(|b| b.before.width() + b.label.width());
        let longest = labels.max().unwrap_or(0) + 6;
        let left = width.saturating_sub(right + 4).max(12).min(longest);
        for branch in &branches {
            line(out, map, branch, left, name_width)?;
        }
        writeln!(out)?;
    }
    let linked: BTreeSet<usize> = map.links.iter().flat_map(|link| [link.from, link.to]).collect();
    let apart = map.tables.iter().enumerate().filter(|(number, _)| !linked.contains(number));
    let apart: Vec<&str> = apart.map(|(_, table)| table.name.as_str()).collect();
    if !apart.is_empty() {
        writeln!(out, "  {NOTICE}Not linked: {}{NOTICE:#}", apart.join(", "))?;
    }
    Ok(())
}

/// The links that start from a table, each with those that depend on it.
fn grow<'m>(
    map: &'m LinkMap,
    table: usize,
    before: String,
    seen: &mut BTreeSet<usize>,
    branches: &mut Vec<Branch<'m>>,
) {
    let links: Vec<&LinkHealth> = map.links.iter().filter(|link| link.from == table).collect();
    for (number, link) in links.iter().enumerate() {
        let is_last = number + 1 == links.len();
        let again = !seen.insert(link.to);
        let date = link.as_of.as_ref().map_or(String::new(), |date| format!(" on {date}"));
        let named = if link.name == map.tables[link.to].name {
            String::new()
        } else {
            format!(" ({})", link.name)
        };
        let corner = if is_last { "└─ " } else { "├─ " };
        branches.push(Branch {
            before: format!("{before}{corner}"),
            label: format!("{}{date}{named}", link.columns),
            link,
            again,
        });
        if !again {
            let rest = if is_last { "   " } else { "│  " };
            grow(map, link.to, format!("{before}{rest}"), seen, branches);
        }
    }
}

fn line(
    out: Out<'_>,
    map: &LinkMap,
    branch: &Branch<'_>,
    left: usize,
    name_width: usize,
) -> io::Result<()> {
    let table = &map.tables[branch.link.to];
    let room = left.saturating_sub(branch.before.width() + 1);
    let label = shortened(&branch.label, room);
    let dots = "·".repeat(left.saturating_sub(branch.before.width() + label.width() + 1).max(2));
    let (found, all) = branch.link.found();
    let style = if found * 100 >= all * 99 { GOOD } else { NOTICE };
    let rows = if branch.again {
        "see above".to_owned()
    } else {
        format!(
            "{} {}",
            grouped(&table.rows.to_string()),
            if table.rows == 1 { "row" } else { "rows" }
        )
    };
    let name = format!("{}{}", table.name, " ".repeat(name_width - table.name.width()));
    writeln!(
        out,
        "    {QUIET}{}{QUIET:#}{label} {QUIET}{dots}{QUIET:#} {TITLE}{name}{TITLE:#} {rows:>14}  {style}{:>7}{style:#}",
        branch.before,
        share(found, all)
    )
}

/// A text that fits, with a character where it was cut.
fn shortened(text: &str, room: usize) -> String {
    if text.width() <= room {
        return text.to_owned();
    }
    let mut short = String::new();
    for character in text.chars() {
        if short.width() + 2 > room {
            break;
        }
        short.push(character);
    }
    short + "…"
}
