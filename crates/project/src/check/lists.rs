//! Lists that a run writes: what was found, keys that were not found, lines that were delivered twice.

use interligo_engine::engine::Engine;
use interligo_engine::links::LinkStatus;
use interligo_engine::proof::findings::{ExactSum, Findings, Repeat};
use interligo_model::plan::ListKind;
use interligo_model::values::decimal::Decimal;
use interligo_sinks::formats::csv::csv_row;

use super::{Checked, Code, Finding, StakeColumn};
use crate::project::Project;

/// A list as comma-separated text.
pub(crate) struct List {
    pub(crate) heading: Vec<u8>,
    pub(crate) rows: Vec<u8>,
    /// How many rows there are.
    pub(crate) count: u64,
}

/// A list over some facts. Where there are several, its first column says of which a row is. Lines that are set aside have
/// a file of their own.
pub(crate) fn list_of(
    kind: ListKind,
    project: &Project,
    facts: &[(&Engine, &Findings)],
    checked: &Checked,
) -> List {
    let rows = match kind {
        ListKind::Findings => checked.rows(),
        ListKind::Unmatched => unmatched(project, facts),
        ListKind::Repeats => repeats(project, facts),
        ListKind::SetAside => vec![Vec::new()],
    };
    let text = |rows: &[Vec<String>]| -> Vec<u8> {
        rows.iter().flat_map(|row| csv_row(row.iter().map(String::as_str))).collect()
    };
    let (heading, rows) = rows.split_at(1);
    List { heading: text(heading), rows: text(rows), count: rows.len() as u64 }
}

/// A row of a list, after the fact that it is of where there are several.
fn of_fact(facts: &[(&Engine, &Findings)], fact: &str, row: Vec<String>) -> Vec<String> {
    let named = (facts.len() > 1).then(|| fact.to_owned());
    named.into_iter().chain(row).collect()
}

fn texts<const N: usize>(texts: [&str; N]) -> Vec<String> {
    texts.map(str::to_owned).to_vec()
}

fn shown(sum: Option<Decimal>) -> String {
    sum.map_or(String::new(), |sum| sum.to_string())
}

fn written(sum: ExactSum) -> String {
    shown(sum.value())
}

impl Checked {
    /// All findings as rows of text, the headings first.
    pub fn rows(&self) -> Vec<Vec<String>> {
        let mut headings = texts(["finding", "in", "key_or_column", "count"]);
        headings.extend(self.columns.iter().map(|column| column.name.clone()));
        if let Some(figure) = self.columns.iter().find(|column| column.is_figure) {
            headings.push(format!("lines_without_{}", figure.name));
        }
        headings.extend(texts(["first", "last", "first_day", "last_day", "may_be", "note"]));
        let rows = self.findings.iter().map(|finding| self.row(finding));
        [headings].into_iter().chain(rows).collect()
    }

    fn row(&self, finding: &Finding) -> Vec<String> {
        let mut row = texts([finding.code.name(), &finding.about, &finding.subject]);
        row.push(finding.count.to_string());
        let stake = finding.stake.as_ref();
        for (number, column) in self.columns.iter().enumerate() {
            row.push(stake.map_or(String::new(), |stake| match stake.known(number, column) {
                Some(sum) => written(sum),
                None => String::new(),
            }));
        }
        if self.columns.iter().any(|column| column.is_figure) {
            row.push(stake.map_or(String::new(), |stake| stake.unknown.to_string()));
        }
        row.push(finding.places.first().cloned().unwrap_or_default());
        row.push(finding.last.clone().unwrap_or_default());
        let (first, last) = finding.days.unzip();
        row.extend([first, last].map(|day| day.map_or(String::new(), |day| day.to_string())));
        let best = finding.suggestions.iter().map(|suggestion| suggestion.key.as_str());
        row.push(best.take(3).collect::<Vec<_>>().join(" | "));
        row.push(finding.note.clone());
        row
    }
}

impl super::Stake {
    /// A sum, unless it is that of the figure at stake and no line has it.
    pub fn known(&self, number: usize, column: &StakeColumn) -> Option<ExactSum> {
        let nothing = column.is_figure && self.unknown == self.lines;
        self.sums.get(number).copied().filter(|sum| sum.value().is_some() && !nothing)
    }
}

/// The keys that the links of facts did not find, those with the most lines first.
fn unmatched(project: &Project, facts: &[(&Engine, &Findings)]) -> Vec<Vec<String>> {
    let mut headings = texts(["link", "status", "key", "lines", "first", "last"]);
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
    headings.extend(amounts.iter().cloned());
    let listed = |status: LinkStatus| {
        matches!(
            status,
            LinkStatus::Unmatched
                | LinkStatus::Undated
                | LinkStatus::Undecided
                | LinkStatus::Overlapping
                | LinkStatus::Lacking
        )
    };
    let mut rows = vec![of_fact(facts, "fact", headings)];
    for (engine, findings) in facts {
        let parts = project.fact_parts(engine);
        let (fact, own) = (&engine.bound.fact.name, own(engine));
        let mut keys = findings.keys.sorted();
        keys.retain(|(key, _)| listed(key.status));
        keys.sort_by_key(|(_, tally)| std::cmp::Reverse(tally.lines));
        for (key, tally) in keys {
            let link = &engine.bound.routes[key.link].name;
            let mut row = texts([link, key.status.name(), &key.key]);
            row.push(tally.lines.to_string());
            let place = |spot| parts.place(spot).to_string();
            row.push(tally.first.first().map_or(String::new(), |spot| place(*spot)));
            row.push(tally.last.map_or(String::new(), place));
            row.extend(amounts.iter().map(|name| {
                let number = own.iter().position(|own| own == name);
                let sum = number.and_then(|n| Some((n, (*tally.amounts.get(n)?)?)));
                sum.map_or(String::new(), |(n, sum)| shown(sum.shown(engine.amount_places(n))))
            }));
            rows.push(of_fact(facts, fact, row));
        }
    }
    rows
}

/// Lines of facts that were delivered twice.
fn repeats(project: &Project, facts: &[(&Engine, &Findings)]) -> Vec<Vec<String>> {
    let headings = texts(["finding", "key", "first", "other", "differing"]);
    let mut rows = vec![of_fact(facts, "fact", headings)];
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
            let row = texts([code.name(), &repeat.key, &first, &other, &differing.join("; ")]);
            of_fact(facts, &engine.bound.fact.name, row)
        };
        rows.extend(findings.copies.iter().map(|copy| row(Code::RepeatIdentical, copy)));
        rows.extend(findings.repeats.iter().map(|repeat| row(Code::RepeatConflicting, repeat)));
    }
    rows
}
