//! Findings as JSON.

use std::io;

use interligo_project::{Checked, Finding};
use serde::Serialize;

use super::{Members, by_status, print};
use crate::output::Out;
use crate::text::ShownRows;

/// All that was found.
#[derive(Serialize)]
struct Findings<'a> {
    lines: u64,
    findings: Vec<FindingShown<'a>>,
    links: Vec<CheckedLink<'a>>,
    lines_with_further_keys: u64,
    /// Rows of findings of one kind or place, as they are in their files.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    rows: Vec<FoundRow<'a>>,
}

#[derive(Serialize)]
struct FindingShown<'a> {
    finding: &'a str,
    #[serde(rename = "in")]
    about: &'a str,
    key_or_column: &'a str,
    count: u64,
    stops: bool,
    places: &'a [String],
    last: Option<&'a str>,
    note: &'a str,
    #[serde(skip_serializing_if = "Option::is_none")]
    affected: Option<AffectedShown>,
    /// The first and the last.
    #[serde(skip_serializing_if = "Option::is_none")]
    days: Option<[String; 2]>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    may_be: Vec<SuggestionShown<'a>>,
}

/// What is affected.
#[derive(Serialize)]
struct AffectedShown {
    lines: u64,
    /// By column.
    sums: Members<Option<String>>,
    lines_unknown: u64,
}

#[derive(Serialize)]
struct SuggestionShown<'a> {
    key: &'a str,
    why: Vec<&'static str>,
    likely: bool,
}

#[derive(Serialize)]
struct CheckedLink<'a> {
    link: &'a str,
    /// By status.
    lines: Members<u64>,
    keys: KeyCounts,
}

#[derive(Serialize)]
struct KeyCounts {
    in_both: u64,
    only_in_lines: u64,
    only_in_lookup: u64,
    more_in_lines: bool,
}

#[derive(Serialize)]
struct FoundRow<'a> {
    table: &'a str,
    place: &'a str,
    cells: Members<&'a str>,
}

/// All of it as one object.
pub fn check_json(out: Out<'_>, checked: &Checked, rows: &[ShownRows]) -> io::Result<()> {
    let rows = rows.iter().flat_map(|shown| {
        shown.rows.iter().map(|(place, cells)| FoundRow {
            table: &shown.table,
            place,
            cells: shown.columns.iter().cloned().zip(cells.iter().map(String::as_str)).collect(),
        })
    });
    let links = checked.balances.iter().map(|link| CheckedLink {
        link: &link.link,
        lines: by_status(&link.balance.lines),
        keys: KeyCounts {
            in_both: link.balance.keys_in_both,
            only_in_lines: link.balance.keys_of_lines,
            only_in_lookup: link.balance.keys_of_lookup,
            more_in_lines: link.balance.more,
        },
    });
    let all = Findings {
        lines: checked.lines,
        findings: checked.findings.iter().map(|finding| shown(checked, finding)).collect(),
        links: links.collect(),
        lines_with_further_keys: checked.further,
        rows: rows.collect(),
    };
    print(out, &all)
}

fn shown<'a>(checked: &Checked, finding: &'a Finding) -> FindingShown<'a> {
    let affected = finding.affected.as_ref().map(|affected| {
        let sums = checked.columns.iter().enumerate().map(|(number, column)| {
            let known = affected.known(number, column).and_then(|sum| sum.value());
            (column.name.clone(), known.map(|sum| sum.to_string()))
        });
        AffectedShown {
            lines: affected.lines,
            sums: sums.collect(),
            lines_unknown: affected.unknown,
        }
    });
    let may_be = finding.suggestions.iter().map(|suggestion| SuggestionShown {
        key: &suggestion.key,
        why: suggestion.why.iter().map(|why| why.name()).collect(),
        likely: suggestion.likely,
    });
    FindingShown {
        finding: finding.code.name(),
        about: &finding.about,
        key_or_column: &finding.subject,
        count: finding.count,
        stops: finding.stops,
        places: &finding.places,
        last: finding.last.as_deref(),
        note: &finding.note,
        affected,
        days: finding.days.map(|(first, last)| [first.to_string(), last.to_string()]),
        may_be: may_be.collect(),
    }
}
