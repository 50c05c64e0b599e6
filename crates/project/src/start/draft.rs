//! The plan as text: tables, links with the evidence for them, figures, outputs.

use std::fmt::Write;

use interligo_discover::propose::{
    ColumnAt, LinkProposal, Meaning, Seen, TableProposal, ignore_words, words_mean,
};
use interligo_model::plan::{Role, key, name, quoted};

use super::gather::Stack;
use super::{Material, Started};

/// A plan that says no more than where the tables are.
pub(super) fn tables_only(stacks: &[Stack]) -> String {
    let mut plan = String::new();
    for stack in stacks {
        let _ = writeln!(plan, "[tables.{}]\n{}{}", key(&stack.name), sources(stack), parts(stack));
    }
    plan
}

fn from(patterns: &[String]) -> String {
    match patterns {
        [only] => format!("from = {}", quoted(only)),
        several => {
            let list: Vec<String> = several.iter().map(|pattern| quoted(pattern)).collect();
            let line = format!("from = [{}]", list.join(", "));
            if line.len() <= 110 { line } else { format!("from = [\n  {},\n]", list.join(",\n  ")) }
        }
    }
}

/// Where a table is and how it is written, on lines that come first.
fn sources(stack: &Stack) -> String {
    let mut lines = String::new();
    if stack.renamed.is_empty() {
        let _ = writeln!(lines, "{}", from(&stack.from));
        lines += &leave_out(&stack.leave_out);
        lines += &encoding(stack.encoding);
    }
    if let Some(tall) = &stack.tall {
        let _ = writeln!(lines, "tall = {{ {} = {} }}", quoted(&tall.pattern), quoted(tall.value));
        let others = tall.others.iter().map(|name| (name.clone(), name.clone()));
        lines += &named_columns(&others.collect::<Vec<_>>());
    }
    for setting in &stack.settings {
        let _ = writeln!(lines, "{setting}");
    }
    lines
}

fn leave_out(patterns: &[String]) -> String {
    match patterns {
        [] => String::new(),
        [only] => format!("leave-out = {}\n", quoted(only)),
        several => {
            let list: Vec<String> = several.iter().map(|pattern| quoted(pattern)).collect();
            format!("leave-out = [{}]\n", list.join(", "))
        }
    }
}

fn encoding(name: Option<&str>) -> String {
    name.map_or(String::new(), |name| format!("encoding = {}\n", quoted(name)))
}

/// The parts of a table whose columns have several names, which come last.
fn parts(stack: &Stack) -> String {
    let mut lines = String::new();
    if stack.renamed.is_empty() {
        return lines;
    }
    let own = (&stack.from, &stack.leave_out, stack.encoding, &[] as &[(String, String)]);
    let others = stack.renamed.iter();
    let others =
        others.map(|own| (&own.from, &own.leave_out, own.encoding, own.columns.as_slice()));
    for (patterns, left_out, of, columns) in [own].into_iter().chain(others) {
        let _ = writeln!(lines, "\n[[tables.{}.part]]\n{}", key(&stack.name), from(patterns));
        lines += &leave_out(left_out);
        lines += &encoding(of);
        lines += &named_columns(columns);
    }
    lines
}

/// What columns are called, each by its name in the file; nothing where there are none.
fn named_columns(columns: &[(String, String)]) -> String {
    let named =
        columns.iter().map(|(own, name)| format!("{} = {{ name = {} }}", key(own), quoted(name)));
    match columns.is_empty() {
        true => String::new(),
        false => format!("columns = {{ {} }}\n", named.collect::<Vec<_>>().join(", ")),
    }
}

fn keys(names: &[String]) -> String {
    match names {
        [only] => format!("key  = {}", quoted(only)),
        several => {
            let list: Vec<String> = several.iter().map(|name| quoted(name)).collect();
            format!("key  = [{}]", list.join(", "))
        }
    }
}

/// The plan. With `comments` it has the reasons; without, it is what the machine needs to try it.
pub(super) fn plan(material: &Material<'_>, started: &Started, comments: bool) -> String {
    let mut text = String::new();
    if comments {
        head(&mut text, started);
    }
    tables(&mut text, material, started, comments);
    links(&mut text, material, started, comments);
    if comments {
        figures(&mut text, material);
        outputs(&mut text, material);
    }
    text
}

fn head(text: &mut String, started: &Started) {
    let _ = writeln!(
        text,
        "# Drafted by `interligo start`. Each link has the evidence for it beside it; what is uncertain is commented out with #,\n\
         # ready to be used. `interligo link` shows the match rates, `interligo run` writes the outputs."
    );
    if !started.decisions.is_empty() {
        let _ = writeln!(text, "#\n# To be decided:");
        for decision in &started.decisions {
            let _ = writeln!(text, "# - {}", decision.sentence().replace('\n', " "));
        }
    }
    if !started.decided.is_empty() {
        let _ = writeln!(text, "#\n# Decided:");
        for (decision, answer) in &started.decided {
            let _ = writeln!(text, "# - {}: {answer}", decision.replace('\n', " "));
        }
    }
    text.push('\n');
}

fn tables(text: &mut String, material: &Material<'_>, started: &Started, comments: bool) {
    let mut order: Vec<usize> = (0..material.stacks.len()).collect();
    // Facts first, and what nothing links to last.
    let rank = |role: Option<Role>| match role {
        Some(Role::Fact) => 0,
        Some(Role::Lookup) => 1,
        None => 2,
    };
    order.sort_by_key(|number| rank(material.proposal.tables[*number].role));
    for number in order {
        let (stack, proposed) = (&material.stacks[number], &material.proposal.tables[number]);
        let seen = &material.seen[number];
        if proposed.role.is_none() {
            if comments {
                let lines = tables_only(std::slice::from_ref(stack));
                let _ = writeln!(text, "# No link leads to or from this table.");
                lines.trim_end().lines().for_each(|line| {
                    let _ = writeln!(text, "# {line}");
                });
                text.push('\n');
            }
            continue;
        }
        let sampled = started.tables.iter().find(|table| table.name == stack.name);
        if let Some(looked_at) = sampled.and_then(|table| table.looked_at).filter(|_| comments) {
            let _ = writeln!(
                text,
                "# Its links were drawn from {looked_at} of about {} rows, and tried on all.",
                seen.rows
            );
        }
        // Which lines came twice is not asked where links are tried.
        let is_led_to = material.proposal.links.iter().any(|link| link.to_table == number);
        let has_key = comments || proposed.role != Some(Role::Fact) || is_led_to;
        text.push_str(&section(stack, seen, proposed, has_key, comments));
        text.push('\n');
    }
}

/// The section of a table, with its key where that is asked for.
pub(super) fn section(
    stack: &Stack,
    seen: &Seen,
    proposed: &TableProposal,
    has_key: bool,
    comments: bool,
) -> String {
    let mut text = format!("[tables.{}]\n", key(&stack.name));
    if proposed.role == Some(Role::Fact) {
        text += "role = \"fact\"\n";
    }
    text += &sources(stack);
    let name = |column: usize| seen.columns[column].name.clone();
    let names: Vec<String> = proposed.key.iter().map(|column| name(*column)).collect();
    if !names.is_empty() && has_key {
        let _ = writeln!(text, "{}", keys(&names));
    }
    if let (Some(period), Some(Role::Lookup)) = (proposed.period, proposed.role) {
        let mut until = period
            .until
            .map_or(String::new(), |until| format!(", until = {}", quoted(&name(until))));
        let mut why = "";
        if period.is_half_open {
            until += ", ends = \"excluded\"";
            why = if comments { " # rows end on the day on which others begin" } else { "" };
        }
        let word = if period.is_whole { "period" } else { "from" };
        let from = quoted(&name(period.from));
        let _ = writeln!(text, "valid = {{ {word} = {from}{until} }}{why}");
    }
    let is_settled = stack.settings.iter().any(|line| line.starts_with("duplicates"));
    if proposed.shared > 0 && comments && !is_settled {
        let _ = writeln!(
            text,
            "# {} of its rows share their key with another; identical ones count once. If they differ, say which one is used:\n\
             # duplicates = \"last\"",
            proposed.shared
        );
    }
    text + &parts(stack)
}

fn links(text: &mut String, material: &Material<'_>, started: &Started, comments: bool) {
    for (number, link) in material.proposal.links.iter().enumerate() {
        if comments && let Some(shown) = started.links.get(number) {
            let _ = writeln!(text, "# {}", shown.why);
            if let Some((found, all)) = shown.lines {
                let _ = writeln!(text, "# {found} of {all} lines match.");
            }
            if let Some(next) = &shown.runner_up {
                let _ = writeln!(text, "# Next best: {next}");
            }
        }
        let _ = writeln!(text, "{}", entry(material, link));
    }
    if !comments || material.proposal.doubts.is_empty() {
        return;
    }
    let _ = writeln!(text, "# Other possible links:");
    for (link, shown) in material.proposal.doubts.iter().zip(&started.doubts) {
        let _ = writeln!(text, "#\n# {}", shown.why);
        for line in entry(material, link).trim_end().lines() {
            let _ = writeln!(text, "# {line}");
        }
    }
    text.push('\n');
}

/// A link as a plan has it.
fn entry(material: &Material<'_>, link: &LinkProposal) -> String {
    let mut entry = format!("[[link]]\npath = {}\n", quoted(&path(material, link)));
    if let Some(name) = &link.name {
        let _ = writeln!(entry, "as = {}", quoted(name));
    }
    if let Some(separator) = link.split {
        let _ = writeln!(entry, "split = {}", quoted(&separator.to_string()));
    }
    if !link.fit.ignore.is_empty() {
        let words: Vec<String> = ignore_words(&link.fit.ignore).into_iter().map(quoted).collect();
        let _ = writeln!(entry, "ignore = [{}]", words.join(", "));
    }
    entry
}

fn column(material: &Material<'_>, at: ColumnAt) -> String {
    let table = &material.seen[at.table];
    format!("{}.{}", name(&table.name), name(&table.columns[at.column].name))
}

/// The path of a link.
pub(super) fn path(material: &Material<'_>, link: &LinkProposal) -> String {
    let from: Vec<String> = link.from.iter().map(|at| column(material, *at)).collect();
    let or: String = link.or.iter().map(|at| format!(" or {}", column(material, *at))).collect();
    let to = &material.seen[link.to_table];
    let columns: Vec<String> =
        link.to.iter().map(|column| name(&to.columns[*column].name).into_owned()).collect();
    let date = link.as_of.map_or(String::new(), |at| format!(" as of {}", column(material, at)));
    format!("{}{or} -> {}.{}{date}", from.join(" + "), name(&to.name), columns.join(" + "))
}

/// The evidence for a link, in a line.
pub(super) fn why(material: &Material<'_>, link: &LinkProposal) -> String {
    let (fit, to) = (&link.fit, &material.seen[link.to_table]);
    let shared = material.proposal.tables[link.to_table].shared;
    let there = match (link.as_of, shared) {
        (Some(_), _) => "unique there on each day".to_owned(),
        (None, 0) => "unique there".to_owned(),
        (None, shared) => format!("{shared} rows there share theirs"),
    };
    let mut why = format!(
        "{} of {} values and {} of {} rows found in {}; {there}; names {} % alike",
        fit.found, fit.values, fit.found_rows, fit.rows, to.name, link.alike
    );
    if !fit.ignore.is_empty() {
        let _ = write!(why, "; without {}", ignore_words(&fit.ignore).join(" and "));
    }
    if !link.or.is_empty() {
        why += "; hardly a row has both";
    }
    if let Some(by) = &link.stated {
        let _ = write!(why, "; stated by {by}");
    }
    why
}

/// What came next for the same column.
pub(super) fn runner_up(material: &Material<'_>, link: &LinkProposal) -> Option<String> {
    let (at, fit) = link.runner_up.as_ref()?;
    Some(format!("{}, {} of {} values", column(material, *at), fit.found, fit.values))
}

fn figures(text: &mut String, material: &Material<'_>) {
    if material.figures.is_empty() {
        return;
    }
    let several =
        material.proposal.tables.iter().filter(|table| table.role == Some(Role::Fact)).count() > 1;
    let _ = writeln!(text, "[figures]");
    for figure in &material.figures {
        let doubt = figure.doubt.as_ref().map_or(String::new(), |doubt| format!(" # {doubt}"));
        let formula = quoted(&figure.formula);
        let value = if several {
            let fact = &material.seen[figure.fact].name;
            format!("{{ formula = {formula}, of = {} }}", quoted(fact))
        } else {
            formula
        };
        let _ = writeln!(text, "{} = {value}{doubt}", key(&figure.name));
    }
    text.push('\n');
}

fn outputs(text: &mut String, material: &Material<'_>) {
    let facts: Vec<usize> = (0..material.seen.len())
        .filter(|table| material.proposal.tables[*table].role == Some(Role::Fact))
        .collect();
    for fact in &facts {
        let table = &material.seen[*fact].name;
        let (suffix, of) = if facts.len() > 1 {
            (format!("_of_{table}"), format!("of   = {}\n", quoted(table)))
        } else {
            (String::new(), String::new())
        };
        let lines = format!("lines{suffix}");
        let _ = writeln!(
            text,
            "[outputs.{}]\n{of}to   = {}\n",
            key(&lines),
            quoted(&format!("out/{lines}.csv"))
        );
        if let Some(attribute) = grouping(material, *fact) {
            let totals = format!("totals{suffix}");
            let _ = writeln!(
                text,
                "[outputs.{}]\n{of}to   = {}\nby   = [{}]\n",
                key(&totals),
                quoted(&format!("out/{totals}.csv")),
                quoted(&attribute)
            );
        }
    }
}

/// An attribute to sum up by: the name in the smallest table that the fact reaches.
fn grouping(material: &Material<'_>, fact: usize) -> Option<String> {
    let mut reached = vec![fact];
    let mut at = 0;
    let mut named: Vec<(u64, String)> = Vec::new();
    while at < reached.len() {
        let table = reached[at];
        for link in material.proposal.links.iter().filter(|link| link.from[0].table == table) {
            if reached.contains(&link.to_table) {
                continue;
            }
            reached.push(link.to_table);
            let to = &material.seen[link.to_table];
            let own = link.name.clone().unwrap_or_else(|| to.name.clone());
            let columns = to.columns.iter().find(|c| words_mean(&c.name, Meaning::Name));
            if let Some(column) = columns.filter(|_| link.as_of.is_none()) {
                named.push((to.rows, format!("{}.{}", name(&own), name(&column.name))));
            }
        }
        at += 1;
    }
    named.into_iter().min().map(|(_, attribute)| attribute)
}
