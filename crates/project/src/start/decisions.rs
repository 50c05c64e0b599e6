//! What a folder leaves open, as sentences: each says what was seen, what the plan takes it for, and what else it may be.

use interligo_discover::propose::{Seen, TableProposal, currencies};
use interligo_model::plan::{Role, key};
use interligo_model::words::counted;
use interligo_sources::table::parts::Table;
use interligo_sources::table::questions::Question;

use super::gather::{Gathered, Joined};
use super::{Material, draft, names};

/// What the tables leave open.
pub(super) fn decisions(material: &Material<'_>, gathered: &Gathered) -> Vec<String> {
    let mut open = Vec::new();
    for (table, stack) in material.tables.iter().zip(material.stacks) {
        let all: Vec<usize> = (0..table.columns.names.len()).collect();
        let questions: Vec<Question> = table.questions(&all);
        open.extend(questions.into_iter().take(1).map(|q| format!("{}: {}", q.message, q.fix)));
        open.extend(lists(table, material, &stack.name));
        open.extend(periods_as_columns(table, &stack.name));
    }
    for Joined { table, main, columns } in &gathered.joined {
        let pairs: Vec<String> =
            columns.iter().map(|(other, own)| format!("`{other}` is `{own}`")).collect();
        open.push(format!(
            "`{table}` seems to have the lines of `{main}` under other names, by its values: the plan takes them for one table. Check that {}",
            pairs.join(", ")
        ));
    }
    for stack in material.stacks {
        open.extend(stack.encoding.map(|encoding| {
            format!("the files of `{}` are not UTF-8: the plan reads them as {encoding}, which is likely and not certain", stack.name)
        }));
        open.extend(stack.tall.as_ref().map(|tall| {
            format!("the column names of `{}` are periods: the plan makes rows of them, and calls what is in the cells `{}`", stack.name, tall.value)
        }));
    }
    for (number, proposed) in material.proposal.tables.iter().enumerate() {
        open.extend(copied_lines(&material.seen[number], proposed));
        if proposed.role == Some(Role::Fact) {
            open.extend(several_currencies(&material.seen[number]));
        }
    }
    for (link, taken) in &material.proposal.equals {
        let (other, taken) = (&material.seen[link.to_table].name, &material.seen[*taken].name);
        open.push(format!(
            "`{taken}` and `{other}` have the same columns and match {} equally well: the plan takes `{taken}`, and has `{other}` as a comment",
            draft::path(material, link).split(" -> ").next().unwrap_or_default()
        ));
    }
    if gathered.left_out > 0 {
        open.push(format!(
            "{} left, which nobody looked at: name the folder of those that are meant",
            counted(gathered.left_out as u64, "file")
        ));
    }
    open
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
fn copied_lines(seen: &Seen, proposed: &TableProposal) -> Option<String> {
    if proposed.copies == 0 {
        return None;
    }
    let key: Vec<&str> =
        proposed.key.iter().map(|column| seen.columns[*column].name.as_str()).collect();
    let what = match key.is_empty() {
        true => "each counts. If they are the same lines, add the `key` that tells lines apart"
            .to_owned(),
        false => format!(
            "by the key {} each counts once; without it they would be added up",
            key.join(" + ")
        ),
    };
    let (copies, rows) = (proposed.copies, seen.rows);
    Some(format!(
        "{copies} of {rows} rows of `{}` are there twice with all their values: {what}",
        seen.name
    ))
}

/// Columns whose cells hold several values of a key.
fn lists(table: &Table, material: &Material<'_>, name: &str) -> Vec<String> {
    let Some(number) = material.stacks.iter().position(|stack| stack.name == name) else {
        return Vec::new();
    };
    let columns = interligo_discover::propose::lists(&material.seen[number]);
    let Some((separator, columns)) = columns else { return Vec::new() };
    let names: Vec<String> =
        columns.iter().map(|column| format!("\"{}\"", table.columns.names[*column])).collect();
    vec![format!(
        "the cells of {} in `{name}` have several values: add unpack = {{ columns = [{}], separator = \"{separator}\" }} to [tables.{}]",
        names.join(", ").replace('"', "`"),
        names.join(", "),
        key(name)
    )]
}

/// Columns that are headed by periods, as price lists have that are made for reading.
fn periods_as_columns(table: &Table, name: &str) -> Option<String> {
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
    Some(format!(
        "the column names of `{name}` are periods: if its columns are to become rows, add tall = {{ \"{pattern}\" = \"price\" }} to [tables.{}]",
        key(name)
    ))
}
