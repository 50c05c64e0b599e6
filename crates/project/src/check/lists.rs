//! Lists that a run writes: what was found, keys that were not found, duplicate lines.

use interligo_engine::engine::Engine;
use interligo_engine::links::LinkStatus;
use interligo_engine::proof::findings::{ExactSum, Findings, Repeat};
use interligo_model::plan::ListKind;
use interligo_model::values::decimal::Decimal;
use interligo_model::values::value::Value;

use super::{AmountColumn, Checked, Code, Finding};
use crate::project::Project;

/// A list.
pub(crate) struct List {
    pub(crate) columns: Vec<String>,
    pub(crate) rows: Vec<ListRow>,
}

type ListRow = Vec<Value<'static>>;

/// A list over some facts. Where there are several, its first column says of which a row is. Lines that are set aside have
/// a file of their own.
pub(crate) fn list_of(
    kind: ListKind,
    project: &Project,
    facts: &[(&Engine, &Findings)],
    checked: &Checked,
) -> List {
    match kind {
        ListKind::Findings => List { columns: checked.row_columns(), rows: checked.rows() },
        ListKind::Unmatched => unmatched(project, facts),
        ListKind::Repeats => repeats(project, facts),
        ListKind::SetAside => List { columns: Vec::new(), rows: Vec::new() },
    }
}

/// The columns of a list that may be over several facts.
fn columns_over(
    facts: &[(&Engine, &Findings)],
    columns: impl IntoIterator<Item = String>,
) -> Vec<String> {
    let fact = (facts.len() > 1).then(|| "fact".to_owned());
    fact.into_iter().chain(columns).collect()
}

/// A row of a list, after the fact that it is of where there are several.
fn of_fact(facts: &[(&Engine, &Findings)], fact: &str, row: ListRow) -> ListRow {
    let named = (facts.len() > 1).then(|| text(fact));
    named.into_iter().chain(row).collect()
}

fn names<const N: usize>(names: [&str; N]) -> Vec<String> {
    names.map(str::to_owned).to_vec()
}

fn text(text: impl Into<String>) -> Value<'static> {
    match text.into() {
        text if text.is_empty() => Value::Blank,
        text => Value::Text(text.into()),
    }
}

fn count(count: u64) -> Value<'static> {
    Value::Number(Decimal::from(i64::try_from(count).unwrap_or(i64::MAX)))
}

fn amount(sum: Option<Decimal>) -> Value<'static> {
    sum.map_or(Value::Blank, Value::Number)
}

impl Checked {
    /// The columns of [`Checked::rows`].
    pub fn row_columns(&self) -> Vec<String> {
        let mut columns = names(["finding", "in", "key_or_column", "count"]);
        columns.extend(self.columns.iter().map(|column| column.name.clone()));
        if let Some(figure) = self.columns.iter().find(|column| column.is_figure) {
            columns.push(format!("lines_without_{}", figure.name));
        }
        columns.extend(names(["first", "last", "first_day", "last_day", "may_be", "note"]));
        columns
    }

    /// All findings as rows of values.
    pub fn rows(&self) -> Vec<Vec<Value<'static>>> {
        self.findings.iter().map(|finding| self.row(finding)).collect()
    }

    fn row(&self, finding: &Finding) -> ListRow {
        let mut row = vec![
            text(finding.code.name()),
            text(&finding.about),
            text(&finding.subject),
            count(finding.count),
        ];
        let affected = finding.affected.as_ref();
        for (number, column) in self.columns.iter().enumerate() {
            let known = affected.and_then(|affected| affected.known(number, column));
            row.push(amount(known.and_then(ExactSum::value)));
        }
        if self.columns.iter().any(|column| column.is_figure) {
            row.push(affected.map_or(Value::Blank, |affected| count(affected.unknown)));
        }
        row.push(text(finding.places.first().cloned().unwrap_or_default()));
        row.push(text(finding.last.clone().unwrap_or_default()));
        let (first, last) = finding.days.unzip();
        row.extend([first, last].map(|day| day.map_or(Value::Blank, Value::Date)));
        let best = finding.suggestions.iter().map(|suggestion| suggestion.key.as_str());
        row.push(text(best.take(3).collect::<Vec<_>>().join(" | ")));
        row.push(text(&finding.note));
        row
    }
}

impl super::Affected {
    /// A sum, unless it is that of the figure findings are weighed by and no line has it.
    pub fn known(&self, number: usize, column: &AmountColumn) -> Option<ExactSum> {
        let nothing = column.is_figure && self.unknown == self.lines;
        self.sums.get(number).copied().filter(|sum| sum.value().is_some() && !nothing)
    }
}

/// The keys that the links of facts did not find, those with the most lines first.
fn unmatched(project: &Project, facts: &[(&Engine, &Findings)]) -> List {
    let mut columns = names(["link", "status", "key", "lines", "first", "last"]);
    let own = |engine: &Engine| -> Vec<String> {
        let fact = &engine.bound.fact;
        fact.amounts.iter().map(|column| fact.columns[*column].clone()).collect()
    };
    // Amounts of several facts that are called alike share a column.
    let mut amounts: Vec<String> = Vec::new();
    for name in facts.iter().flat_map(|(engine, _)| own(engine)) {
        if !amounts.contains(&name) {
            amounts.push(name);
        }
    }
    columns.extend(amounts.iter().cloned());
    let listed = |status: LinkStatus| {
        matches!(
            status,
            LinkStatus::Unmatched
                | LinkStatus::Undated
                | LinkStatus::Ambiguous
                | LinkStatus::Overlapping
                | LinkStatus::Incomplete
        )
    };
    let mut rows = Vec::new();
    for (engine, findings) in facts {
        let parts = project.fact_parts(engine);
        let (fact, own) = (&engine.bound.fact.name, own(engine));
        let mut keys = findings.keys.sorted();
        keys.retain(|(key, _)| listed(key.status));
        keys.sort_by_key(|(_, tally)| std::cmp::Reverse(tally.lines));
        for (key, tally) in keys {
            let link = &engine.bound.routes[key.link].name;
            let mut row =
                vec![text(link), text(key.status.name()), text(&key.key), count(tally.lines)];
            let place = |spot| text(parts.place(spot).to_string());
            row.push(tally.first.first().map_or(Value::Blank, |spot| place(*spot)));
            row.push(tally.last.map_or(Value::Blank, place));
            row.extend(amounts.iter().map(|name| {
                let number = own.iter().position(|own| own == name);
                let sum = number.and_then(|n| Some((n, (*tally.amounts.get(n)?)?)));
                amount(sum.and_then(|(n, sum)| sum.shown(engine.amount_places(n))))
            }));
            rows.push(of_fact(facts, fact, row));
        }
    }
    List { columns: columns_over(facts, columns), rows }
}

/// Duplicate lines of facts.
fn repeats(project: &Project, facts: &[(&Engine, &Findings)]) -> List {
    let columns = names(["finding", "key", "first", "other", "differing"]);
    let mut rows = Vec::new();
    for (engine, findings) in facts {
        let parts = project.fact_parts(engine);
        let row = |code: Code, repeat: &Repeat| {
            let differing: Vec<String> = repeat
                .differing
                .iter()
                .map(|(column, one, other)| format!("{column}: {one} | {other}"))
                .collect();
            let place = |spot| parts.place(spot).to_string();
            let (first, other) = (place(repeat.first), place(repeat.other));
            let row = [code.name(), &repeat.key, &first, &other, &differing.join("; ")];
            let row = row.map(text).to_vec();
            of_fact(facts, &engine.bound.fact.name, row)
        };
        rows.extend(findings.copies.iter().map(|copy| row(Code::RepeatIdentical, copy)));
        rows.extend(findings.repeats.iter().map(|repeat| row(Code::RepeatConflicting, repeat)));
    }
    List { columns: columns_over(facts, columns), rows }
}
