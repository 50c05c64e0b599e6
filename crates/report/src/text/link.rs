//! Match rates of links, for reading and for other programs; links that were found or added.

use std::io;

use interligo_engine::links::LinkStatus;
use interligo_project::{LinkHealth, LinkMap, StartedLink};

use super::check::write_csv;
use super::number::{grouped, share};
use super::start::link_lines;
use super::table::TextTable;
use super::{GOOD, NOTICE, Out, QUIET, TITLE, argument, counted, note, reaching, title};

/// Prints the links with the lines that they find.
pub fn links(out: Out<'_>, map: &LinkMap) -> io::Result<()> {
    writeln!(out, "{TITLE}Links{TITLE:#}\n")?;
    if map.links.is_empty() {
        let text = "The plan has no links. `interligo link find` proposes some.";
        return note(out, NOTICE, "  ", text);
    }
    links_table(map).print(out, "  ")?;
    for link in &map.links {
        if let Some(note) = &link.note {
            writeln!(out, "  {NOTICE}{}: {note}{NOTICE:#}", link.path)?;
        }
    }
    let next = "`interligo check` lists the unmatched keys; `interligo link map` draws all tables and \
                links.";
    writeln!(out)?;
    note(out, QUIET, "  ", next)
}

/// The links with the lines that they find, as a table.
pub(crate) fn links_table(map: &LinkMap) -> TextTable {
    let mut table = TextTable::new([
        "From → to",
        ">matched",
        ">lines",
        ">keys matched",
        ">unmatched",
        ">rows unused",
        "other lines",
    ])
    .in_csv();
    for link in &map.links {
        let (found, all) = link.found();
        let n = |count: u64| grouped(&count.to_string());
        table.row([
            words(map, link),
            share(found, all),
            n(all),
            n(link.used.keys_found),
            n(link.keys_missed),
            n(link.used.rows_unused),
            others(link),
        ]);
    }
    table
}

/// A link with its tables.
fn words(map: &LinkMap, link: &LinkHealth) -> String {
    let (from, to) = (&map.tables[link.from].name, &map.tables[link.to].name);
    let named = if link.name == *to { String::new() } else { format!(" as {}", link.name) };
    let date = link.as_of.as_ref().map_or(String::new(), |date| format!(" on {date}"));
    let (one, other) = link.columns.split_once(" → ").unwrap_or((&link.columns, ""));
    format!("{from}.{one} → {to}.{other}{named}{date}")
}

/// The lines that did not come out as exact, by how they did.
fn others(link: &LinkHealth) -> String {
    let others = LinkStatus::ALL
        .into_iter()
        .filter(|status| *status != LinkStatus::Exact && link.counts[*status as usize] > 0);
    let words: Vec<String> = others
        .map(|status| {
            format!("{} {}", grouped(&link.counts[status as usize].to_string()), status.name())
        })
        .collect();
    words.join(", ")
}

/// The same as comma-separated text.
pub fn links_csv(out: Out<'_>, map: &LinkMap) -> io::Result<()> {
    let mut column_names = vec![
        "link",
        "path",
        "from",
        "to",
        "lines",
        "found",
        "keys_found",
        "keys_without_row",
        "rows_unused",
    ];
    column_names.extend(LinkStatus::ALL.iter().map(|status| status.name()));
    let rows: Vec<Vec<String>> = map
        .links
        .iter()
        .map(|link| {
            let (found, all) = link.found();
            let counts =
                [all, found, link.used.keys_found, link.keys_missed, link.used.rows_unused];
            let tables = [&map.tables[link.from].name, &map.tables[link.to].name];
            [&link.name, &link.path]
                .into_iter()
                .chain(tables)
                .cloned()
                .chain(counts.into_iter().chain(link.counts).map(|count| count.to_string()))
                .collect()
        })
        .collect();
    write_csv(out, &column_names, &rows)
}

/// Links that the plan does not have yet.
pub fn found_links(out: Out<'_>, links: &[StartedLink], doubts: &[StartedLink]) -> io::Result<()> {
    writeln!(out, "{TITLE}Links that the plan does not have{TITLE:#}\n")?;
    if links.is_empty() {
        writeln!(out, "  {GOOD}There are no others.{GOOD:#}")?;
    }
    links.iter().try_for_each(|link| link_lines(out, link))?;
    if !doubts.is_empty() {
        title(out, "Possible links")?;
        doubts.iter().try_for_each(|link| link_lines(out, link))?;
    }
    if let Some(first) = links.first().or(doubts.first()) {
        let add = format!("interligo link add {}", argument(&first.path));
        writeln!(out, "\n  {QUIET}{}{QUIET:#}", reaching(&add))?;
    }
    Ok(())
}

/// The match rate of a link that is being added.
pub fn added(out: Out<'_>, map: &LinkMap, link: &LinkHealth) -> io::Result<()> {
    let (found, all) = link.found();
    writeln!(out, "{TITLE}{}{TITLE:#}\n", words(map, link))?;
    let n = |count: u64| grouped(&count.to_string());
    let mut table = TextTable::new(["Tried", ">", ""]);
    table.row(["found".to_owned(), share(found, all), format!("of {}", counted(all, "line"))]);
    let keys = format!("of {} in `{}`", n(link.used.keys), map.tables[link.to].name);
    table.row(["keys found".to_owned(), n(link.used.keys_found), keys]);
    table.row(["unmatched keys".to_owned(), n(link.keys_missed), String::new()]);
    table.row(["rows unused".to_owned(), n(link.used.rows_unused), String::new()]);
    table.print(out, "  ")?;
    let others = others(link);
    if !others.is_empty() {
        writeln!(out, "  {QUIET}other lines: {others}{QUIET:#}")?;
    }
    match &link.note {
        Some(note) => writeln!(out, "  {NOTICE}{note}{NOTICE:#}"),
        None => Ok(()),
    }
}
