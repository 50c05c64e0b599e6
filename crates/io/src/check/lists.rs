//! Lists that a run writes: what was found, keys that were not found, lines that were delivered twice.

use interligo_core::decimal::Decimal;
use interligo_core::engine::Engine;
use interligo_core::findings::{ExactSum, Findings, Repeat};
use interligo_core::links::LinkStatus;
use interligo_core::plan::ListKind;

use super::{Checked, Code, Finding, StakeColumn};
use crate::project::Project;
use crate::totals_out::csv_row;

/// A list of a fact as comma-separated text, its headings apart, and how many rows it has. Lines that are set aside have
/// a file of their own.
pub(crate) fn list_bytes(
    kind: ListKind,
    project: &Project,
    engine: &Engine,
    findings: &Findings,
    checked: &Checked,
) -> (Vec<u8>, Vec<u8>, u64) {
    let rows = match kind {
        ListKind::Findings => checked.rows(),
        ListKind::Unmatched => unmatched(project, engine, findings),
        ListKind::Repeats => repeats(project, engine, findings),
        ListKind::SetAside => return (Vec::new(), Vec::new(), 0),
    };
    let text = |rows: &[Vec<String>]| -> Vec<u8> {
        rows.iter().flat_map(|row| csv_row(row.iter().map(String::as_str))).collect()
    };
    let (heading, rows) = rows.split_at(1);
    (text(heading), text(rows), rows.len() as u64)
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

/// The keys that a fact's links did not find, those with the most lines first.
fn unmatched(project: &Project, engine: &Engine, findings: &Findings) -> Vec<Vec<String>> {
    let parts = project.fact_parts(engine);
    let mut headings = texts(["link", "status", "key", "lines", "first", "last"]);
    headings
        .extend(engine.bound.fact.amounts.iter().map(|c| engine.bound.fact.columns[*c].clone()));
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
    let mut keys = findings.keys.sorted();
    keys.retain(|(key, _)| listed(key.status));
    keys.sort_by_key(|(_, tally)| std::cmp::Reverse(tally.lines));
    let row = |(key, tally): (
        &interligo_core::tallies::SoughtKey,
        &interligo_core::tallies::KeyTally,
    )| {
        let link = &engine.bound.routes[key.link].name;
        let mut row = texts([link, key.status.name(), &key.key]);
        row.push(tally.lines.to_string());
        let place = |spot| parts.place(spot).to_string();
        row.push(tally.first.first().map_or(String::new(), |spot| place(*spot)));
        row.push(tally.last.map_or(String::new(), place));
        let amounts = tally.amounts.iter().enumerate();
        row.extend(amounts.map(|(n, sum)| shown(sum.shown(engine.amount_places(n)))));
        row
    };
    [headings].into_iter().chain(keys.into_iter().map(row)).collect()
}

/// Lines of a fact that were delivered twice.
fn repeats(project: &Project, engine: &Engine, findings: &Findings) -> Vec<Vec<String>> {
    let parts = project.fact_parts(engine);
    let headings = texts(["finding", "key", "first", "other", "differing"]);
    let row = |code: Code, repeat: &Repeat| {
        let differing: Vec<String> = repeat
            .differing
            .iter()
            .map(|(column, one, other)| format!("{column}: {one} | {other}"))
            .collect();
        let place = |spot| parts.place(spot).to_string();
        let (first, other) = (place(repeat.first), place(repeat.other));
        texts([code.name(), &repeat.key, &first, &other, &differing.join("; ")])
    };
    let copies = findings.copies.iter().map(|copy| row(Code::RepeatIdentical, copy));
    let others = findings.repeats.iter().map(|repeat| row(Code::RepeatConflicting, repeat));
    [headings].into_iter().chain(copies).chain(others).collect()
}
