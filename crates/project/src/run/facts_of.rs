//! What a workbook says of its run, from what the run came to.

use interligo_engine::links::{LinkStatus, lines_found};
use interligo_engine::proof::tieout::TieOut;
use interligo_model::values::decimal::Decimal;
use interligo_model::values::value::Value;
use interligo_sinks::run_facts::{FactsSection, RunFacts};

use super::output_plan::OutputPlan;
use crate::check::Checked;
use crate::outcome::Outcome;
use crate::project::Project;

/// What is known of a run when its lines are through and its counts close.
pub(super) fn facts_of(
    project: &Project,
    plan: &OutputPlan,
    outcomes: &[Outcome],
    checked: &Checked,
) -> RunFacts {
    let head = &project.plan.plan;
    let ties: Vec<&TieOut> = outcomes.iter().map(|outcome| &outcome.tie_out).collect();
    let version = env!("CARGO_PKG_VERSION");
    let stem = project.plan.file_stem();
    let mut notes = vec![format!("Written by Interligo {version} from the plan `{stem}`.")];
    notes.extend(outcomes.iter().filter_map(|outcome| {
        let (first, last) = outcome.findings.dates?;
        Some(format!("The lines of {} are from {first} to {last}.", outcome.tie_out.fact.table))
    }));
    notes.extend(head.currency.as_ref().map(|currency| format!("Money is in {currency}.")));
    notes.push("Every count below closes: no line is lost or counted twice.".to_owned());
    let sections =
        vec![counts(&ties), links(&ties), blank_figures(&ties), findings(checked), results(&ties)];
    RunFacts {
        title: head.name.clone().unwrap_or_else(|| "Results".to_owned()),
        notes,
        sections: sections.into_iter().filter(|section| !section.rows.is_empty()).collect(),
        outputs: plan.tables().map(str::to_owned).collect(),
    }
}

fn section(columns: &[&str], rows: Vec<Vec<Value<'static>>>) -> FactsSection {
    FactsSection { columns: columns.iter().map(|name| (*name).to_owned()).collect(), rows }
}

fn text(text: &str) -> Value<'static> {
    Value::Text(text.to_owned().into())
}

fn count(count: u64) -> Value<'static> {
    i64::try_from(count).map_or(Value::Blank, |count| Value::Number(Decimal::from(count)))
}

fn sum(sum: Option<Decimal>) -> Value<'static> {
    sum.map_or_else(|| text("overflows"), Value::Number)
}

/// The lines of each fact, and its amounts, from `read` to how they ended.
fn counts(ties: &[&TieOut]) -> FactsSection {
    let mut rows = Vec::new();
    for tie in ties {
        let read = &tie.fact.rows;
        let left_out = read.left_out.values().sum();
        let aside = tie.aside.iter().map(|(_, lines)| lines).sum();
        let lines =
            [read.read, read.made, tie.lines_kept(), left_out, read.identical, read.dropped, aside];
        rows.push([text(&tie.fact.table)].into_iter().chain(lines.map(count)).collect());
        for amount in &tie.amounts {
            let none = Some(Decimal::ZERO);
            let ended = [amount.read, none, amount.kept, amount.left_out];
            let dropped = [amount.identical, amount.dropped, amount.aside];
            let named = [text(&format!("{} of {}", amount.column, tie.fact.table))].into_iter();
            rows.push(named.chain(ended.map(sum)).chain(dropped.map(sum)).collect());
        }
    }
    let columns = ["Counts", "read", "added", "kept", "left out", "copies", "dropped", "set aside"];
    section(&columns, rows)
}

fn links(ties: &[&TieOut]) -> FactsSection {
    let links = ties.iter().flat_map(|tie| tie.links.iter().map(move |link| (tie, link)));
    let rows = links.map(|(tie, link)| {
        let all: u64 = link.counts.iter().sum();
        let others = LinkStatus::ALL.into_iter().filter(|status| !status.is_found());
        let others = others.filter(|status| link.counts[*status as usize] > 0);
        let others: Vec<String> = others
            .map(|status| format!("{} {}", link.counts[status as usize], status.name()))
            .collect();
        vec![
            text(&format!("{} of {}", link.name, tie.fact.table)),
            count(all),
            count(lines_found(&link.counts)),
            text(&others.join(", ")),
        ]
    });
    section(&["Links", "lines", "matched", "others"], rows.collect())
}

fn blank_figures(ties: &[&TieOut]) -> FactsSection {
    let rows = ties.iter().flat_map(|tie| &tie.blanks).map(|figure| {
        let reasons = figure.reasons.iter().map(|(why, lines)| format!("{why} {lines}"));
        vec![text(&figure.name), count(figure.lines), text(&reasons.collect::<Vec<_>>().join(", "))]
    });
    section(&["Figures", "blank on lines", "because"], rows.collect())
}

fn findings(checked: &Checked) -> FactsSection {
    let rows = checked.groups().into_iter().map(|group| {
        let first = group.findings[0];
        vec![
            text(first.code.name()),
            text(&checked.place_of(first)),
            count(group.count),
            text(first.code.kind().what),
        ]
    });
    section(&["Findings", "in", "how many", "what they are"], rows.collect())
}

fn results(ties: &[&TieOut]) -> FactsSection {
    let written = ties.iter().flat_map(|tie| &tie.written);
    let written = written.filter(|written| !written.beside && !written.to.is_empty());
    let rows = written.map(|written| {
        let rows = written.groups.unwrap_or(written.tally.lines);
        vec![text(&written.output), count(rows), text(&written.to)]
    });
    section(&["Results", "rows", "to"], rows.collect())
}
