//! Findings over the keys of lines: those that were not found, those that were cleaned, and corrections.

use std::collections::BTreeMap;

use interligo_engine::engine::Engine;
use interligo_engine::links::{CorrectionOutcome, LinkStatus};
use interligo_engine::near::LOOKED_INTO;
use interligo_engine::proof::balance::Suggestion;
use interligo_engine::proof::findings::ExactSum;
use interligo_engine::proof::tallies::{KeyTally, SoughtKey};
use interligo_model::place::Parts;
use interligo_model::plan::{Missing, Overlap};
use interligo_model::values::date::Day;
use interligo_model::values::decimal::Decimal;

use super::{Affected, Checked, Code, FactRun, Finding};
use crate::project::Project;

impl Checked {
    /// Keys that a fact's links did not find as they are written.
    pub(super) fn add_keys(&mut self, project: &Project, number: usize, fact: &FactRun<'_>) {
        let (engine, findings) = (fact.engine, &fact.outcome.findings);
        let parts = project.fact_parts(engine);
        let missed = findings.keys.sorted();
        let suggested = suggestions(engine, &missed);
        for (at, (key, tally)) in missed.into_iter().enumerate() {
            let found = suggested.get(&at).cloned().unwrap_or_default();
            let likely = found.first().is_some_and(|best| best.likely);
            let code = if likely { Code::NearMiss } else { Code::of_key(key.status) };
            let mut finding = self.of_key(number, engine, &parts, code, key, tally);
            let missing = engine.bound.routes[key.link].missing;
            finding.stops = match key.status {
                LinkStatus::Overlapping => engine.bound.routes[key.link].overlap == Overlap::Stop,
                LinkStatus::Undated => findings.gaps_stopping.contains_key(&key.link),
                LinkStatus::Unmatched | LinkStatus::Blank => missing == Missing::Stop,
                _ => false,
            };
            finding.note = match missing {
                Missing::Fill if rule_reaches(key.status) => "filled as the plan says".into(),
                Missing::SetAside if rule_reaches(key.status) => "set aside".into(),
                _ => String::new(),
            };
            if key.status == LinkStatus::Undated {
                finding.note = where_in_time(engine, key, tally);
            }
            if let Some(best) = found.first().filter(|_| likely) {
                finding.note = format!("`{}`? {}", best.key, best.words());
            }
            finding.suggestions = found;
            self.findings.push(finding);
        }
        let passed_over = findings.passed_over.sorted();
        let suggested = suggestions(engine, &passed_over);
        for (at, (key, tally)) in passed_over.into_iter().enumerate() {
            let mut finding =
                self.of_key(number, engine, &parts, Code::SkippedCandidate, key, tally);
            finding.note = "a later key of the line was found".to_owned();
            let found = suggested.get(&at).filter(|found| found[..].iter().any(|one| one.likely));
            finding.suggestions = found.cloned().unwrap_or_default();
            self.findings.push(finding);
        }
        let tallied: BTreeMap<&SoughtKey, &KeyTally> =
            findings.same_keys.sorted().into_iter().collect();
        for (link, _) in engine.bound.routes.iter().enumerate() {
            for keys in engine.same_keys(link) {
                let key = SoughtKey { link, status: LinkStatus::Exact, key: keys[0].clone() };
                let none = KeyTally::default();
                let tally = tallied.get(&key).copied().unwrap_or(&none);
                let code = Code::SameKeyWrittenDifferently;
                let mut finding = self.of_key(number, engine, &parts, code, &key, tally);
                finding.subject = keys.join(" | ");
                finding.note = match engine.is_dated(link) {
                    true => "one key to the link, with one calendar",
                    false => "one key to the link; a line takes the one that is written as its own",
                }
                .to_owned();
                self.findings.push(finding);
            }
        }
        for (key, tally) in findings.carried.sorted() {
            let mut finding = self.of_key(number, engine, &parts, Code::CarriedKey, key, tally);
            finding.note = match tally.gap {
                1 => "took the row of 1 day away".to_owned(),
                days => format!("took the row of up to {days} days away"),
            };
            self.findings.push(finding);
        }
        for (key, tally) in findings.cleaned.sorted() {
            let mut finding = self.of_key(number, engine, &parts, Code::CleanedKey, key, tally);
            if let Some(row) = tally.row {
                finding.note = format!("taken as `{}`", engine.key_of_row(key.link, row));
            }
            self.findings.push(finding);
        }
    }

    fn of_key(
        &self,
        fact: usize,
        engine: &Engine,
        parts: &Parts,
        code: Code,
        key: &SoughtKey,
        tally: &KeyTally,
    ) -> Finding {
        let place = |spot| parts.place(spot).to_string();
        Finding {
            code,
            about: engine.bound.routes[key.link].name.clone(),
            subject: key.key.clone(),
            count: tally.lines,
            affected: Some(self.affected(fact, engine, tally)),
            places: tally.first.iter().copied().map(place).collect(),
            last: tally.last.map(place),
            table: engine.bound.fact.name.clone(),
            spots: tally.first.clone(),
            days: tally.days,
            note: String::new(),
            suggestions: Vec::new(),
            stops: false,
        }
    }

    fn affected(&self, fact: usize, engine: &Engine, tally: &KeyTally) -> Affected {
        let amounts = tally.amounts.iter().enumerate();
        let exact = |sum: Option<Decimal>| sum.map_or(ExactSum::NONE, ExactSum::from);
        let mut own = amounts
            .map(|(number, sum)| exact(sum.and_then(|s| s.shown(engine.amount_places(number)))))
            .chain([exact(tally.weight.shown(engine.weigh_by_places()))]);
        let sum = |column: &super::AmountColumn| match column.fact == fact {
            true => own.next().unwrap_or(ExactSum::NONE),
            false => ExactSum::NONE,
        };
        let sums = self.columns.iter().map(sum).collect();
        Affected { lines: tally.lines, sums, unknown: tally.unknown }
    }

    /// Corrections that lead nowhere, contradict each other or are needed no more.
    pub(super) fn add_corrections(&mut self, project: &Project, number: usize, fact: &FactRun<'_>) {
        let (engine, findings) = (fact.engine, &fact.outcome.findings);
        let Some(file) = project.corrections_file() else {
            return self.add_corrections_not_named(project);
        };
        for (link, route) in engine.bound.routes.iter().enumerate() {
            for (at, fate) in engine.outcomes_of_corrections(link) {
                let correction = &engine.bound.corrections[*at];
                let of = (link, *at as u32);
                let lines = findings.mended.get(&of).copied().unwrap_or(0);
                let in_vain = findings.mended_in_vain.contains_key(&of);
                let (code, note) = match fate {
                    CorrectionOutcome::LeadsNowhere => (
                        Code::CorrectionWithoutTarget,
                        format!("the lookup has no key `{}`; it changes nothing", correction.used),
                    ),
                    CorrectionOutcome::Contradicted => (
                        Code::CorrectionConflict,
                        format!(
                            "`{}` here, another key elsewhere; neither applies",
                            correction.used
                        ),
                    ),
                    CorrectionOutcome::Twice => {
                        (Code::CorrectionUnused, "it is there twice".to_owned())
                    }
                    CorrectionOutcome::HasRow => (
                        Code::CorrectionUnused,
                        format!(
                            "the lookup has the key by now; lines that still get `{}`: {lines}",
                            correction.used
                        ),
                    ),
                    // Of lines that have no row nevertheless, their own finding speaks.
                    CorrectionOutcome::Holds if lines == 0 && !in_vain => {
                        (Code::CorrectionUnused, "no line has this key".to_owned())
                    }
                    CorrectionOutcome::Holds => continue,
                };
                let finding = Finding {
                    affected: None,
                    count: 1,
                    places: vec![format!("{}:{}", file.shown, correction.row)],
                    last: Some(format!("{}:{}", file.shown, correction.row)),
                    note,
                    ..self.of_key(
                        number,
                        engine,
                        &Parts::default(),
                        code,
                        &SoughtKey {
                            link,
                            status: LinkStatus::Mended,
                            key: correction.found.clone(),
                        },
                        &KeyTally::default(),
                    )
                };
                debug_assert_eq!(finding.about, route.name);
                self.findings.push(finding);
            }
        }
    }

    /// A file of corrections beside a plan that does not name it changes nothing.
    fn add_corrections_not_named(&mut self, project: &Project) {
        let file = project.corrections_to_write();
        let code = Code::CorrectionsNotNamed;
        if !file.path.is_file() || self.findings.iter().any(|finding| finding.code == code) {
            return;
        }
        self.findings.push(Finding {
            code,
            about: String::new(),
            subject: file.shown.to_string(),
            count: 1,
            affected: None,
            places: vec![file.shown.to_string()],
            last: None,
            table: String::new(),
            spots: Vec::new(),
            days: None,
            note: format!("the plan does not name it; corrections = \"{}\" does", file.shown),
            suggestions: Vec::new(),
            stops: false,
        });
    }
}

/// In which gap of its key's periods the days of undated lines lie.
fn where_in_time(engine: &Engine, key: &SoughtKey, tally: &KeyTally) -> String {
    let Some((first, last)) = tally.days else { return "no day".to_owned() };
    let around = |day| engine.periods_around(key.link, &key.key, day);
    let next = |day: Day| Day(day.0.saturating_add(1));
    let before = |day: Day| Day(day.0.saturating_sub(1));
    match (around(first), around(last)) {
        (Some(one), Some(other)) if one == other => match one {
            (Some(until), Some(from)) => {
                format!("in the gap {} to {}", next(until), before(from))
            }
            (None, Some(from)) => format!("before the first period, from {from}"),
            (Some(until), None) => format!("after the last period, until {until}"),
            (None, None) => String::new(),
        },
        (Some(_), Some(_)) => "in several gaps".to_owned(),
        _ => String::new(),
    }
}

/// Whether the rule for missing rows acts on a line that came out so.
fn rule_reaches(status: LinkStatus) -> bool {
    matches!(status, LinkStatus::Unmatched | LinkStatus::Blank)
}

/// Of the keys that were not found, by number, those that may be meant. Keys with many lines go first where there
/// are too many.
fn suggestions(
    engine: &Engine,
    missed: &[(&SoughtKey, &KeyTally)],
) -> BTreeMap<usize, Vec<Suggestion>> {
    let mut by_link: BTreeMap<usize, Vec<usize>> = BTreeMap::new();
    for (at, (key, _)) in missed.iter().enumerate() {
        if key.status == LinkStatus::Unmatched {
            by_link.entry(key.link).or_default().push(at);
        }
    }
    let mut found = BTreeMap::new();
    for (link, mut keys) in by_link {
        keys.sort_by_key(|at| std::cmp::Reverse(missed[*at].1.lines));
        keys.truncate(LOOKED_INTO);
        let offered = keys.iter().map(|at| engine.candidates_of(link, &missed[*at].0.key));
        let (owners, sought): (Vec<usize>, Vec<&str>) = keys
            .iter()
            .zip(offered)
            .flat_map(|(at, offered)| offered.into_iter().map(|key| (*at, key)))
            .unzip();
        for (at, near) in owners.into_iter().zip(engine.suggestions(link, &sought)) {
            let best: &mut Vec<Suggestion> = found.entry(at).or_default();
            // Of several candidates, the first that is likely to mean a key is evidence for the line.
            let likely = |all: &[Suggestion]| all.first().is_some_and(|first| first.likely);
            if best.is_empty() || (likely(&near) && !likely(best)) {
                *best = near;
            }
        }
    }
    found
}
