//! What the owner of a lookup should add: the missing keys, with what they cost and since when.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use crate::error::Error;
use interligo_sinks::formats::text::csv_row;
use interligo_sinks::output_file::write_whole;

use super::{Checked, Code, Finding};

/// Writes a file for each lookup that lacks keys into a folder; the answer is which, with how many keys each.
///
/// # Errors
/// A file cannot be written.
pub fn for_owners(
    checked: &Checked,
    lookups: &BTreeMap<String, String>,
    folder: &Path,
) -> Result<Vec<(PathBuf, usize)>, Error> {
    let lacking = |finding: &&Finding| {
        matches!(finding.code, Code::UnmatchedKey | Code::NearMiss | Code::UndatedKey)
    };
    let mut by_lookup: BTreeMap<&str, Vec<&Finding>> = BTreeMap::new();
    for finding in checked.findings.iter().filter(lacking) {
        let lookup = lookups.get(&finding.about).unwrap_or(&finding.about);
        by_lookup.entry(lookup).or_default().push(finding);
    }
    let mut written = Vec::new();
    for (lookup, findings) in by_lookup {
        // Two links may lack one key of a lookup.
        let path = folder.join(format!("{lookup}-to-complete.csv"));
        write_whole(&path, &file(checked, &findings))?;
        written.push((path, findings.len()));
    }
    Ok(written)
}

fn file(checked: &Checked, findings: &[&Finding]) -> Vec<u8> {
    let used: Vec<usize> = (0..checked.columns.len())
        .filter(|number| {
            let has = |finding: &&&Finding| {
                let affected = finding.affected.as_ref();
                affected.is_some_and(|affected| affected.sums[*number].value().is_some())
            };
            findings.iter().any(|finding| has(&finding))
        })
        .collect();
    let mut column_names = vec!["key", "missing", "link", "first_day", "last_day", "lines"];
    column_names.extend(used.iter().map(|number| checked.columns[*number].name.as_str()));
    column_names.extend(["examples", "may_be"]);
    let mut out = csv_row(column_names);
    for finding in findings {
        let (first, last) = finding.days.unzip();
        let day = |day: Option<interligo_model::values::date::Day>| {
            day.map_or(String::new(), |day| day.to_string())
        };
        let missing = match finding.code {
            Code::UndatedKey => "a period for these days",
            Code::NearMiss => "the key, unless another is meant",
            _ => "the key",
        };
        let mut row = vec![
            finding.subject.clone(),
            missing.to_owned(),
            finding.about.clone(),
            day(first),
            day(last),
            finding.count.to_string(),
        ];
        for number in &used {
            let column = &checked.columns[*number];
            let known =
                finding.affected.as_ref().and_then(|affected| affected.known(*number, column));
            let known = known.and_then(|sum| sum.value());
            row.push(known.map_or(String::new(), |sum| sum.to_string()));
        }
        row.push(finding.places.iter().take(3).cloned().collect::<Vec<_>>().join(" "));
        let may_be = finding.suggestions.iter().take(3).map(|suggestion| suggestion.key.as_str());
        row.push(may_be.collect::<Vec<_>>().join(" | "));
        out.extend(csv_row(row.iter().map(String::as_str)));
    }
    out
}
