//! What a check found: the keys without a row, the keys that came twice, the values that cannot be read.

use std::io;

use interligo_core::engine::Engine;
use interligo_core::findings::{ExactSum, Findings};
use interligo_core::links::LinkStatus;
use interligo_core::lookup::LeftOut;
use interligo_core::plan::Duplicates;
use interligo_io::{Drift, Outcome, Project};
use serde_json::{Map, json};

use super::noted::Note;
use super::number::grouped;
use super::table::TextTable;
use super::{GOOD, NOTICE, Out, QUIET, TITLE, counted};

/// How many rows of a kind the table shows.
const SHOWN: usize = 20;

/// All that a check found.
pub(crate) struct CheckReport {
    lines: u64,
    links: usize,
    lookups: usize,
    amounts: Vec<String>,
    keys: Vec<KeyFinding>,
    others: Vec<OtherFinding>,
    further: u64,
}

/// A key that a link did not find.
struct KeyFinding {
    code: &'static str,
    link: String,
    key: String,
    lines: u64,
    amounts: Vec<ExactSum>,
    first: String,
    last: String,
}

/// Anything else: rows of lookups, values that cannot be read.
#[derive(PartialEq)]
struct OtherFinding {
    code: &'static str,
    table: String,
    key: String,
    count: u64,
    places: Vec<String>,
    note: String,
}

/// The stable code of a key that came out so.
fn key_code(status: LinkStatus) -> &'static str {
    match status {
        LinkStatus::Undated => "undated-key",
        LinkStatus::Undecided => "undecided-key",
        LinkStatus::Overlapping => "overlapping-periods",
        LinkStatus::Blank => "blank-key",
        LinkStatus::Lacking => "lacking-value",
        LinkStatus::Exact
        | LinkStatus::Cleaned
        | LinkStatus::Alternate
        | LinkStatus::Filled
        | LinkStatus::Absent
        | LinkStatus::NotMeant
        | LinkStatus::Unmatched => "unmatched-key",
    }
}

impl CheckReport {
    /// What was noted of parts and of cells.
    fn add_noted(&mut self, project: &Project, engine: &Engine, findings: &Findings) {
        for note in Note::all(project, engine, findings) {
            self.others.push(OtherFinding {
                code: note.what.code(),
                table: note.table,
                key: String::new(),
                count: note.count,
                places: note.places,
                note: note.what.outcome().to_owned(),
            });
        }
    }

    /// What was found over all facts.
    pub(crate) fn over(project: &Project, engines: &[Engine], outcomes: &[Outcome]) -> CheckReport {
        let mut reports = engines
            .iter()
            .zip(outcomes)
            .map(|(engine, outcome)| CheckReport::new(project, engine, outcome));
        let mut all = reports.next().expect("a plan has a fact");
        reports.for_each(|report| all.absorb(report));
        for engine in engines.iter().take(1) {
            all.others.extend(engine.bound.turned.iter().map(|turned| OtherFinding {
                code: "turned-link",
                table: String::new(),
                key: turned.written.clone(),
                count: 1,
                places: Vec::new(),
                note: format!("taken as {}", turned.taken),
            }));
        }
        all
    }

    /// Adds the findings of another fact; those of lookups that both use are there already.
    fn absorb(&mut self, other: CheckReport) {
        self.lines += other.lines;
        self.links += other.links;
        self.lookups += other.lookups;
        self.further += other.further;
        let own = self.amounts.len();
        self.amounts.extend(other.amounts);
        let all = self.amounts.len();
        let none = || ExactSum(None);
        self.keys.iter_mut().for_each(|finding| finding.amounts.resize_with(all, none));
        for mut finding in other.keys {
            finding.amounts.splice(0..0, std::iter::repeat_with(none).take(own));
            self.keys.push(finding);
        }
        self.keys.sort_by_key(|finding| std::cmp::Reverse(finding.lines));
        for finding in other.others {
            if !self.others.contains(&finding) {
                self.others.push(finding);
            }
        }
    }

    fn new(project: &Project, engine: &Engine, outcome: &Outcome) -> CheckReport {
        let findings = &outcome.findings;
        let mut report = CheckReport {
            lines: findings.lines,
            links: engine.bound.routes.len(),
            lookups: engine.lookups.len(),
            amounts: outcome.tie_out.amounts.iter().map(|amount| amount.column.clone()).collect(),
            keys: keys(project, engine, findings),
            others: Vec::new(),
            further: findings.further_keys.values().sum(),
        };
        report.add_lookups(engine);
        report.add_headings(project);
        for (part, column) in project.repeated_amounts(engine, findings) {
            report.others.push(OtherFinding {
                code: "repeated-amount",
                table: engine.bound.fact.name.clone(),
                key: column,
                count: 1,
                places: vec![part],
                note: "on every line made of a row: summed more than once".to_owned(),
            });
        }
        report.add_noted(project, engine, findings);
        let parts = project.fact_parts(engine);
        for (column, unreadable) in &findings.unreadable {
            report.others.push(OtherFinding {
                code: "unreadable-value",
                table: engine.bound.fact.name.clone(),
                key: engine.column_name(*column).to_owned(),
                count: unreadable.count,
                places: unreadable
                    .first
                    .iter()
                    .map(|(spot, value)| {
                        let place = parts.place(*spot).in_column(engine.column_name(*column));
                        format!("{place} `{value}`")
                    })
                    .collect(),
                note: "taken as blank".to_owned(),
            });
        }
        for repeat in &findings.repeats {
            let differing: Vec<&str> = repeat.differing.iter().map(|(c, ..)| c.as_str()).collect();
            let places = [repeat.first, repeat.other].map(|spot| parts.place(spot).to_string());
            report.others.push(OtherFinding {
                code: "repeat-conflicting",
                table: engine.bound.fact.name.clone(),
                key: repeat.key.clone(),
                count: 2,
                places: places.to_vec(),
                note: format!("differ in {}", differing.join(", ")),
            });
        }
        for (code, rows, note) in [
            ("total-row", &findings.total_rows, "the sum of the rows above: left out"),
            ("total-like-row", &findings.suspects, "looks like a total and is none: stops a run"),
        ] {
            for (spot, cells) in rows {
                report.others.push(OtherFinding {
                    code,
                    table: engine.bound.fact.name.clone(),
                    key: cells.clone(),
                    count: 1,
                    places: vec![parts.place(*spot).to_string()],
                    note: note.to_owned(),
                });
            }
        }
        report
    }

    /// Headings in which parts differ, and texts that seem to mean blank.
    fn add_headings(&mut self, project: &Project) {
        for (table, drift) in project.drift() {
            let code = match drift {
                Drift::Repeated { .. } => "repeated-heading",
                Drift::Missing { .. } => "missing-heading",
                Drift::Extra { .. } => "extra-heading",
            };
            let note = match drift {
                Drift::Missing { likely: Some(likely), .. } => {
                    format!("it has `{likely}` instead?")
                }
                Drift::Missing { likely: None, .. } => "most other parts have it".to_owned(),
                Drift::Extra { .. } => "most other parts have it not".to_owned(),
                Drift::Repeated { column, .. } => {
                    format!("later ones are called `{column}_2`, `{column}_3`")
                }
            };
            let (part, column) = drift.place();
            self.others.push(OtherFinding {
                code,
                table: table.to_owned(),
                key: column.to_owned(),
                count: 1,
                places: vec![part.to_string()],
                note,
            });
        }
        for (table, part, column, mark) in project.blank_marks() {
            self.others.push(OtherFinding {
                code: "blank-mark",
                table: table.to_owned(),
                key: column.to_owned(),
                count: 1,
                places: vec![part.to_owned()],
                note: format!("`{mark}` seems to mean blank: blank = [\"{mark}\"] says so"),
            });
        }
    }

    fn add_lookups(&mut self, engine: &Engine) {
        for (lookup, bound) in engine.lookups.iter().zip(&engine.bound.lookups) {
            for duplicate in &lookup.duplicates {
                let identical = duplicate.differing.is_empty();
                let differing = duplicate.differing.join(", ");
                let note = match (&duplicate.held, &bound.duplicates) {
                    _ if identical => "identical, counts once".to_owned(),
                    (None, _) => format!("differ in {differing}: stops a run"),
                    (_, Duplicates::Blank) => format!("differ in {differing}, which is blank"),
                    (Some(held), _) => format!("differ in {differing}; {held} holds"),
                };
                self.others.push(OtherFinding {
                    code: if identical { "duplicate-identical" } else { "duplicate-conflicting" },
                    table: lookup.name.clone(),
                    key: duplicate.key.clone(),
                    count: duplicate.places.len() as u64,
                    places: duplicate.places.iter().map(ToString::to_string).collect(),
                    note,
                });
            }
            for (why, places) in &lookup.left_out {
                let note = match why {
                    LeftOut::BlankKey => "no key",
                    LeftOut::UnreadablePeriod => "a day of its period cannot be read",
                    LeftOut::PeriodReversed => "its period ends before it starts",
                    LeftOut::Uneven => "its cells hold different numbers of values",
                };
                self.others.push(OtherFinding {
                    code: "row-left-out",
                    table: lookup.name.clone(),
                    key: String::new(),
                    count: places.len() as u64,
                    places: places.iter().take(SHOWN).map(ToString::to_string).collect(),
                    note: note.to_owned(),
                });
            }
            if !lookup.unreadable.is_empty() {
                self.others.push(OtherFinding {
                    code: "unreadable-value",
                    table: lookup.name.clone(),
                    key: String::new(),
                    count: lookup.unreadable.len() as u64,
                    places: lookup.unreadable.iter().take(SHOWN).map(ToString::to_string).collect(),
                    note: "taken as blank".to_owned(),
                });
            }
        }
    }

    /// Prints the worst of it for reading.
    pub(crate) fn table(&self, out: Out<'_>) -> io::Result<()> {
        let over = format!(
            "{}, {}, {}",
            counted(self.lines, "line"),
            counted(self.links as u64, "link"),
            counted(self.lookups as u64, "lookup")
        );
        writeln!(out, "{TITLE}Check{TITLE:#} {QUIET}over {over}{QUIET:#}")?;
        if self.keys.is_empty() && self.others.is_empty() {
            return writeln!(
                out,
                "\n  {GOOD}Every key finds its row, and none comes twice.{GOOD:#}"
            );
        }
        self.keys_table(out)?;
        self.others_table(out)?;
        let shown_all = self.keys.len() <= SHOWN && self.others.len() <= SHOWN;
        if !shown_all {
            writeln!(out, "\n{QUIET}`interligo check --format csv` has all.{QUIET:#}")?;
        }
        Ok(())
    }

    fn keys_table(&self, out: Out<'_>) -> io::Result<()> {
        writeln!(out)?;
        if self.keys.is_empty() {
            return writeln!(out, "  {GOOD}Every key finds its row.{GOOD:#}");
        }
        let amounts = self.amounts.iter().map(|name| format!(">{name}"));
        let headings = ["Keys without a row", "key", ">lines"].map(str::to_owned).into_iter();
        let mut table = TextTable::new(headings.chain(amounts).chain(["first line".to_owned()]));
        for finding in self.keys.iter().take(SHOWN) {
            let amount = |sum: &ExactSum| sum.0.map_or(String::new(), |s| grouped(&s.to_string()));
            let head = [
                format!("{} in {}", finding.code, finding.link),
                finding.key.clone(),
                grouped(&finding.lines.to_string()),
            ];
            table.row(
                head.into_iter()
                    .chain(finding.amounts.iter().map(amount))
                    .chain([finding.first.clone()]),
            );
        }
        table.print(out, "  ")?;
        more(out, self.keys.len(), "key")?;
        if self.further > 0 {
            writeln!(
                out,
                "  {NOTICE}{} with further keys are counted but not listed.{NOTICE:#}",
                counted(self.further, "line")
            )?;
        }
        Ok(())
    }

    fn others_table(&self, out: Out<'_>) -> io::Result<()> {
        if self.others.is_empty() {
            return Ok(());
        }
        writeln!(out)?;
        let mut table = TextTable::new([
            "Rows and values",
            "in",
            "key or column",
            ">how many",
            "where",
            "what happens",
        ]);
        for finding in self.others.iter().take(SHOWN) {
            let part = finding.places.first().map_or("", |first| part_of(first));
            // What stands in the same part is not named with it again.
            let shown = finding.places.iter().take(2).enumerate().map(|(number, place)| {
                let own = place.strip_prefix(part).filter(|_| number > 0 && !part.is_empty());
                own.unwrap_or(place).to_owned()
            });
            let mut places = shown.collect::<Vec<_>>().join(", ");
            if finding.count > 2 {
                places.push_str(", …");
            }
            let count = grouped(&finding.count.to_string());
            table.row([
                finding.code.to_owned(),
                finding.table.clone(),
                finding.key.clone(),
                count,
                places,
                if part.is_empty() { finding.note.clone() } else { finding.note.replace(part, "") },
            ]);
        }
        table.print(out, "  ")?;
        more(out, self.others.len(), "finding")
    }

    /// All findings, one a row.
    pub(crate) fn csv(&self, out: Out<'_>) -> io::Result<()> {
        let headings = ["finding", "in", "key_or_column", "count"].map(str::to_owned).into_iter();
        let headings: Vec<String> = headings
            .chain(self.amounts.iter().cloned())
            .chain(["first".into(), "last".into(), "note".into()])
            .collect();
        let mut rows: Vec<Vec<String>> = Vec::new();
        for finding in &self.keys {
            let head = [
                finding.code.to_owned(),
                finding.link.clone(),
                finding.key.clone(),
                finding.lines.to_string(),
            ];
            let amounts =
                finding.amounts.iter().map(|sum| sum.0.map_or(String::new(), |s| s.to_string()));
            let tail = [finding.first.clone(), finding.last.clone(), String::new()];
            rows.push(head.into_iter().chain(amounts).chain(tail).collect());
        }
        for finding in &self.others {
            let head = [
                finding.code.to_owned(),
                finding.table.clone(),
                finding.key.clone(),
                finding.count.to_string(),
            ];
            let place = |place: Option<&String>| place.cloned().unwrap_or_default();
            let tail =
                [place(finding.places.first()), place(finding.places.last()), finding.note.clone()];
            rows.push(
                head.into_iter()
                    .chain(self.amounts.iter().map(|_| String::new()))
                    .chain(tail)
                    .collect(),
            );
        }
        let headings: Vec<&str> = headings.iter().map(String::as_str).collect();
        write_csv(out, &headings, &rows)
    }

    pub(crate) fn json(&self, out: Out<'_>) -> io::Result<()> {
        let keys = self.keys.iter().map(|finding| {
            let sums = finding.amounts.iter().map(|sum| json!(sum.0.map(|s| s.to_string())));
            let amounts: Map<String, serde_json::Value> = self.amounts.iter().cloned().zip(sums).collect();
            json!({
                "finding": finding.code, "link": finding.link, "key": finding.key, "lines": finding.lines,
                "amounts": amounts, "first": finding.first, "last": finding.last,
            })
        });
        let others = self.others.iter().map(|finding| {
            json!({
                "finding": finding.code, "table": finding.table, "key_or_column": finding.key,
                "count": finding.count, "places": finding.places, "note": finding.note,
            })
        });
        let all = json!({
            "lines": self.lines,
            "findings": keys.chain(others).collect::<Vec<_>>(),
            "lines_with_further_keys": self.further,
        });
        writeln!(out, "{all:#}")
    }
}

/// The part of a place, as it stands before the row or cell: `sales.csv` of `sales.csv:7`, `book.xlsx#North!` of
/// `book.xlsx#North!A7`.
fn part_of(place: &str) -> &str {
    let place = place.split(" `").next().unwrap_or(place);
    match place.rfind(['!', ':']) {
        Some(at) if place[at..].starts_with('!') => &place[..=at],
        Some(at) => &place[..at],
        None => "",
    }
}

/// The keys that links did not find, those with the most lines first.
fn keys(project: &Project, engine: &Engine, findings: &Findings) -> Vec<KeyFinding> {
    let parts = project.fact_parts(engine);
    let missed = findings.keys.iter().map(|(key, tally)| (key_code(key.1), key, tally));
    let passed = findings.passed_over.iter().map(|(key, tally)| ("passed-over-key", key, tally));
    let mut keys: Vec<KeyFinding> = missed
        .chain(passed)
        .map(|(code, (link, _, key), tally)| KeyFinding {
            code,
            link: engine.bound.routes[*link].name.clone(),
            key: key.clone(),
            lines: tally.lines,
            amounts: tally
                .amounts
                .iter()
                .enumerate()
                .map(|(amount, sum)| sum.shown(engine.amount_places(amount)))
                .collect(),
            first: parts.place(tally.first).to_string(),
            last: parts.place(tally.last).to_string(),
        })
        .collect();
    keys.sort_by_key(|finding| std::cmp::Reverse(finding.lines));
    keys
}

fn more(out: Out<'_>, all: usize, what: &str) -> io::Result<()> {
    match all.checked_sub(SHOWN) {
        Some(rest) if rest > 0 => writeln!(out, "  … and {} more", counted(rest as u64, what)),
        _ => Ok(()),
    }
}

/// Rows as comma-separated text.
pub(super) fn write_csv(
    out: Out<'_>,
    headings: &[&str],
    rows: &[impl AsRef<[String]>],
) -> io::Result<()> {
    out.write_all(&interligo_io::csv_row(headings.iter().copied()))?;
    for row in rows {
        out.write_all(&interligo_io::csv_row(row.as_ref().iter().map(String::as_str)))?;
    }
    Ok(())
}

/// Says that a run goes through.
pub(crate) fn would_not_stop(out: Out<'_>) -> io::Result<()> {
    writeln!(out, "\n{QUIET}Nothing of this stops a run.{QUIET:#}")
}

/// Says on standard error that a run would be stopped, and the way out.
pub(crate) fn would_stop(message: &str, help: &str) {
    anstream::eprintln!("{NOTICE}A run would stop:{NOTICE:#} {message}");
    anstream::eprintln!("  help: {help}");
}
