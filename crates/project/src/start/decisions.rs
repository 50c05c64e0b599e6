//! What a folder leaves open, as sentences: each says what was seen, what the plan takes it for, and what else it may be.

use interligo_discover::propose::{LinkProposal, Seen, TableProposal, currencies};
use interligo_model::plan::{Role, key, quoted};
use interligo_model::words::counted;
use interligo_sources::table::parts::Table;
use interligo_sources::table::questions::Question;

use super::answers::{Decision, Effect};
use super::gather::{Gathered, Joined, Stack, Tall};
use super::{Material, StartedLink, draft, names};
use crate::error::{Setting, Stop};

/// What the tables leave open.
pub(super) fn decisions(material: &Material<'_>, gathered: &Gathered) -> Vec<Decision> {
    let mut open = Vec::new();
    for (table, stack) in material.tables.iter().zip(material.stacks) {
        open.extend(two_readings(table));
        open.extend(lists(table, material, &stack.name));
        open.extend(periods_as_columns(table, &stack.name));
    }
    open.extend(gathered.joined.iter().map(same_lines));
    for stack in material.stacks {
        open.extend(called_aside(stack));
        open.extend(stack.encoding.map(|encoding| other_encoding(stack, encoding)));
        open.extend(stack.tall.as_ref().map(|tall| called_by_periods(stack, tall)));
    }
    for (number, proposed) in material.proposal.tables.iter().enumerate() {
        open.extend(copied_lines(&material.seen[number], proposed));
        if proposed.role == Some(Role::Fact) {
            open.extend(several_currencies(&material.seen[number]).map(Decision::note));
        }
    }
    open.extend(material.proposal.links.iter().filter_map(|link| keys_in_a_cell(material, link)));
    for (link, taken) in &material.proposal.equals {
        open.extend(equally_well(material, link, *taken));
    }
    if gathered.left_out > 0 {
        open.push(Decision::note(format!(
            "{} left, which nobody looked at: name the folder of those that are meant",
            counted(gathered.left_out as u64, "file")
        )));
    }
    open
}

/// The decision that a stop of a run asks for.
pub(super) fn of_stop(stop: Stop) -> Decision {
    let answers = stop.settings.into_iter().map(|Setting { table, line, words }| {
        (words.to_owned(), Effect::Setting { table, line: line.to_owned() })
    });
    Decision::of(stop.message, answers).with_fix(stop.help).with_evidence(stop.places)
}

/// How many possible links are asked about.
const LINKS_ASKED: usize = 5;

/// Whether possible links hold: questions that no run waits for, since the links are comments in the plan.
pub(super) fn doubtful_links(doubts: &[StartedLink]) -> impl Iterator<Item = Decision> {
    doubts.iter().take(LINKS_ASKED).map(|link| {
        let taken = Effect::Link { path: link.path.clone(), instead_of: None };
        Decision::of(
            format!("the link {} may hold", link.path),
            [("it stays a comment".to_owned(), Effect::AsDrafted), ("it holds".to_owned(), taken)],
        )
        .with_evidence(vec![link.why.clone()])
    })
}

/// The first value of a table that can be read in two ways.
fn two_readings(table: &Table) -> Option<Decision> {
    let all: Vec<usize> = (0..table.columns.names.len()).collect();
    let Question { message, fix, settings, .. } = table.questions(&all).into_iter().next()?;
    let name = table.name.clone();
    let answers = settings
        .into_iter()
        .map(|(words, line)| (words, Effect::Setting { table: name.clone(), line }));
    Some(Decision::of(message, answers).with_fix(fix))
}

/// Tables whose lines are of one kind, under other names.
fn same_lines(Joined { table, main, columns }: &Joined) -> Decision {
    let pairs: Vec<String> =
        columns.iter().map(|(other, own)| format!("`{other}` is `{own}`")).collect();
    let apart = Effect::Apart { table: table.clone() };
    Decision::of(
        format!(
            "`{table}` seems to have the lines of `{main}` under other names, by its values: the plan takes them for one table"
        ),
        [
            ("they are one table".to_owned(), Effect::AsDrafted),
            ("they are two tables".to_owned(), apart),
        ],
    )
    .with_fix(format!("check that {}", pairs.join(", ")))
}

/// Encodings of the West and of the middle of Europe, which nothing but the words in a file tells apart.
const ENCODINGS: [&str; 3] = ["windows-1252", "windows-1250", "ISO-8859-2"];

/// Files that are not UTF-8.
fn other_encoding(stack: &Stack, encoding: &'static str) -> Decision {
    let others = ENCODINGS.into_iter().filter(|other| *other != encoding);
    let read = |name: &str| {
        let encoding = encoding_rs::Encoding::for_label(name.as_bytes());
        let word = encoding.map(|encoding| encoding.decode(&stack.telling).0.into_owned());
        format!("it is {name}, with `{}`", word.unwrap_or_default())
    };
    let other = |name| (read(name), Effect::Encoding { table: stack.name.clone(), name });
    // What is said of it stays the same whichever is taken.
    Decision::of(
        format!(
            "the files of `{}` are not UTF-8, and their encoding is likely and not certain",
            stack.name
        ),
        [(read(encoding), Effect::AsDrafted)].into_iter().chain(others.map(other)),
    )
    .with_fix(format!("the plan reads them as {encoding}"))
}

/// Files of a table whose names say that they are no part of it, where those of the others do not.
fn called_aside(stack: &Stack) -> impl Iterator<Item = Decision> {
    let files = stack.files.iter().filter(|file| names::aside(file).is_some());
    let is_usual = files.clone().count() * 2 > stack.files.len();
    files.filter(move |_| !is_usual).filter_map(|file| {
        let word = names::aside(file)?;
        let (table, file) = (stack.name.clone(), file.clone());
        let text = format!("`{table}` takes {file}, which is called `{word}`");
        let fix = format!("if it is no part, add it to `leave-out` of [tables.{}]", key(&table));
        let answers = [
            ("it is a part like the others".to_owned(), Effect::AsDrafted),
            ("it is left out".to_owned(), Effect::WithoutFile { table, file }),
        ];
        Some(Decision::of(text, answers).with_fix(fix))
    })
}

/// A table whose columns are called by periods and became rows.
fn called_by_periods(stack: &Stack, tall: &Tall) -> Decision {
    let wide = Effect::Wide { table: stack.name.clone() };
    Decision::of(
        format!(
            "the column names of `{}` are periods: the plan makes rows of them, and calls what is in the cells `{}`",
            stack.name, tall.value
        ),
        [
            ("they become rows".to_owned(), Effect::AsDrafted),
            ("they stay columns".to_owned(), wide),
        ],
    )
}

/// A link to one of two tables that look the same.
fn equally_well(material: &Material<'_>, link: &LinkProposal, taken: usize) -> Option<Decision> {
    let (other, name) = (&material.seen[link.to_table].name, &material.seen[taken].name);
    let path = draft::path(material, link);
    let links = &material.proposal.links;
    let known = links.iter().find(|known| known.from == link.from && known.to_table == taken)?;
    let known = draft::path(material, known);
    let instead = Effect::Link { path: path.clone(), instead_of: Some(known) };
    Some(Decision::of(
        format!(
            "`{name}` and `{other}` have the same columns and match {} equally well: the plan takes `{name}`, and has `{other}` as a comment",
            path.split(" -> ").next().unwrap_or_default()
        ),
        [
            (format!("`{name}` is right"), Effect::AsDrafted),
            (format!("`{other}` is right"), instead),
        ],
    ))
}

/// Amounts in several currencies, which make no sum.
fn several_currencies(seen: &Seen) -> Option<String> {
    let (column, values) = currencies(seen)?;
    Some(format!(
        "the amounts of `{}` are in several currencies, by `{}`: {}. No figure is drafted of them: a table of rates makes them one, or `by` keeps them apart",
        seen.name,
        seen.columns[column].name,
        values.join(", ")
    ))
}

/// Lines that are there again with all their values: a file that is there twice, or an extract that overlaps another.
fn copied_lines(seen: &Seen, proposed: &TableProposal) -> Option<Decision> {
    if proposed.copies == 0 {
        return None;
    }
    let key: Vec<&str> =
        proposed.key.iter().map(|column| seen.columns[*column].name.as_str()).collect();
    let there = format!(
        "{} of {} rows of `{}` are there twice with all their values",
        proposed.copies, seen.rows, seen.name
    );
    if key.is_empty() {
        let fix = "if they are the same lines, add the `key` that tells lines apart";
        return Some(Decision::note(format!("{there}: each counts")).with_fix(fix));
    }
    let key = key.join(" + ");
    let each = Effect::WithoutKey { table: seen.name.clone() };
    Some(Decision::of(
        format!("{there}: by the key {key} each counts once; without it they would be added up"),
        [
            ("each counts once".to_owned(), Effect::AsDrafted),
            ("they are lines of their own, and the table has no key".to_owned(), each),
        ],
    ))
}

/// A link by which this many of a hundred lines find no row is a question.
const FIND_NOTHING: u64 = 10;

/// A link that many lines find nothing by. Lists of which each has prices of its own years are no such.
pub(super) fn found_by_few(
    material: &Material<'_>,
    link: &LinkProposal,
    (found, all): (u64, u64),
) -> Option<Decision> {
    let is_other_list = |other: &LinkProposal| {
        other.as_of.is_some() && other.from == link.from && other.to_table != link.to_table
    };
    let links = &material.proposal.links;
    let is_one_of_lists = link.as_of.is_some() && links.iter().any(is_other_list);
    let missed = all - found;
    if is_one_of_lists || missed * 100 < all * FIND_NOTHING {
        return None;
    }
    let path = draft::path(material, link);
    let to = &material.seen[link.to_table].name;
    Some(
        Decision::note(format!("{missed} of {} find no row by {path}", counted(all, "line")))
            .with_fix(format!(
                "what comes of `{to}` is unknown for them; `interligo check` shows which keys they have"
            )),
    )
}

/// A link by cells that have several keys.
fn keys_in_a_cell(material: &Material<'_>, link: &LinkProposal) -> Option<Decision> {
    let (separator, at) = (link.split?, link.from[0]);
    let from = &material.seen[at.table];
    let column = &from.columns[at.column];
    let (name, to) = (&column.name, &material.seen[link.to_table].name);
    let cells = column.texts.iter().flatten().filter(|text| text.contains(separator));
    let line = format!("unpack = {{ columns = [{}], separator = \"{separator}\" }}", quoted(name));
    let fix = format!(
        "if each is a line of its own, add {line} to [tables.{}] and take `split` out",
        key(&from.name)
    );
    let unpack = Effect::Setting { table: from.name.clone(), line };
    Some(
        Decision::of(
            format!("the cells of `{name}` in `{}` have several keys of `{to}`: the plan takes the first that is found", from.name),
            [
                ("the first that is found".to_owned(), Effect::AsDrafted),
                ("each is a line of its own".to_owned(), unpack),
            ],
        )
        .with_fix(fix)
        .with_evidence(cells.take(3).map(str::to_owned).collect()),
    )
}

/// Columns whose cells hold several values of a key.
fn lists(table: &Table, material: &Material<'_>, name: &str) -> Option<Decision> {
    let number = material.stacks.iter().position(|stack| stack.name == name)?;
    let (separator, columns) = interligo_discover::propose::lists(&material.seen[number])?;
    let seen = &material.seen[number].columns;
    let cells = columns.iter().filter_map(|column| {
        let mut cells = seen[*column].texts.iter().flatten();
        let cell = cells.find(|text| text.contains(separator))?;
        Some(format!("{}: {cell}", seen[*column].name))
    });
    let names: Vec<String> =
        columns.iter().map(|column| format!("\"{}\"", table.columns.names[*column])).collect();
    let names = names.join(", ");
    let line = format!("unpack = {{ columns = [{names}], separator = \"{separator}\" }}");
    let fix = format!("add {line} to [tables.{}]", key(name));
    let unpack = Effect::Setting { table: name.to_owned(), line };
    Some(
        Decision::of(
            format!("the cells of {} in `{name}` have several values", names.replace('"', "`")),
            [
                ("each value is a line of its own".to_owned(), unpack),
                ("they stay as they are".to_owned(), Effect::AsDrafted),
            ],
        )
        .with_fix(fix)
        .with_evidence(cells.collect()),
    )
}

/// Columns that are called by periods, as price lists have that are made for reading.
fn periods_as_columns(table: &Table, name: &str) -> Option<Decision> {
    let mut patterns: Vec<(String, usize)> = Vec::new();
    for pattern in
        table.columns.names.iter().filter_map(|column_name| names::period_pattern(column_name))
    {
        match patterns.iter_mut().find(|(known, _)| *known == pattern) {
            Some((_, count)) => *count += 1,
            None => patterns.push((pattern, 1)),
        }
    }
    let (pattern, _) = patterns.into_iter().find(|(_, count)| *count >= 3)?;
    let fix = format!(
        "if its columns are to become rows, add tall = {{ \"{pattern}\" = \"price\" }} to [tables.{}]",
        key(name)
    );
    Some(Decision::note(format!("the column names of `{name}` are periods")).with_fix(fix))
}
