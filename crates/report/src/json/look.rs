//! What tables hold, as JSON.

use std::io;

use interligo_discover::profile::{CouldBeKey, Distinct};
use interligo_project::{ColumnLook, TableProfile, TableRows};
use serde::Serialize;

use super::{Count, Members, Reason, print};
use crate::output::Out;
use crate::text::look::type_name;

/// Rows of a table, as they are in their files.
#[derive(Serialize)]
struct RowsShown<'a> {
    table: &'a str,
    rows: Vec<FileRow<'a>>,
    /// Whether there are others besides.
    more: bool,
}

#[derive(Serialize)]
struct FileRow<'a> {
    file: String,
    row: Option<u64>,
    values: Members<&'a str>,
}

/// What a table holds.
#[derive(Serialize)]
struct ProfileShown<'a> {
    table: &'a str,
    rows: u64,
    added: u64,
    left_out: Vec<Reason<'a>>,
    set_aside: u64,
    files: Vec<FileLook<'a>>,
    columns: Vec<ColumnShown<'a>>,
    questions: Vec<QuestionShown<'a>>,
}

#[derive(Serialize)]
struct FileLook<'a> {
    file: &'a str,
    /// How it is written.
    written: &'a str,
    rows: u64,
    lines: u64,
}

#[derive(Serialize)]
struct ColumnShown<'a> {
    column: &'a str,
    computed: bool,
    #[serde(rename = "type")]
    column_type: &'static str,
    rows: u64,
    blank: u64,
    of_that_type: u64,
    distinct: u64,
    distinct_is_exact: bool,
    smallest: &'a str,
    largest: &'a str,
    first_value: &'a str,
    /// `null`: perhaps.
    could_be_key: Option<bool>,
    #[serde(skip_serializing_if = "Option::is_none")]
    values: Option<Vec<ValueShown>>,
}

#[derive(Serialize)]
struct ValueShown {
    value: String,
    rows: u64,
}

#[derive(Serialize)]
struct QuestionShown<'a> {
    column: &'a str,
    question: &'a str,
    answer: &'a str,
}

/// Rows of a table.
pub fn rows_json(out: Out<'_>, name: &str, rows: &TableRows) -> io::Result<()> {
    let shown = rows.rows.iter().map(|(place, cells)| FileRow {
        file: place.part.to_string(),
        row: place.row,
        values: rows.columns.iter().cloned().zip(cells.iter().map(String::as_str)).collect(),
    });
    print(out, &RowsShown { table: name, rows: shown.collect(), more: rows.more })
}

/// What tables hold; with all values of their columns or without.
pub fn profiles_json(out: Out<'_>, profiles: &[TableProfile], values: bool) -> io::Result<()> {
    let shown: Vec<ProfileShown<'_>> = profiles.iter().map(|p| profile(p, values)).collect();
    print(out, &shown)
}

fn profile(profile: &TableProfile, values: bool) -> ProfileShown<'_> {
    let left_out = profile.rows.left_out.iter();
    let files = profile.parts.iter().map(|part| FileLook {
        file: &part.part,
        written: &part.written,
        rows: part.rows.read,
        lines: part.rows.lines(),
    });
    let questions = profile.questions.iter().map(|question| QuestionShown {
        column: &question.column,
        question: &question.message,
        answer: &question.fix,
    });
    ProfileShown {
        table: &profile.name,
        rows: profile.rows.read,
        added: profile.rows.made,
        left_out: left_out
            .map(|(why, n)| Reason { reason: why.name(), count: Count::Rows(*n) })
            .collect(),
        set_aside: profile.malformed,
        files: files.collect(),
        columns: profile.columns.iter().map(|c| column(c, values)).collect(),
        questions: questions.collect(),
    }
}

fn column(column: &ColumnLook, values: bool) -> ColumnShown<'_> {
    let summary = &column.summary;
    let all = || {
        let counted = column.values().0.into_iter();
        counted.map(|(value, rows)| ValueShown { value: value.to_string(), rows }).collect()
    };
    ColumnShown {
        column: &column.name,
        computed: column.computed,
        column_type: type_name(summary.column_type),
        rows: summary.rows,
        blank: summary.blank,
        of_that_type: summary.fitting,
        distinct: summary.distinct.count(),
        distinct_is_exact: matches!(summary.distinct, Distinct::Exactly(_)),
        smallest: &summary.smallest,
        largest: &summary.largest,
        first_value: &summary.example,
        could_be_key: match summary.key {
            CouldBeKey::Yes => Some(true),
            CouldBeKey::No => Some(false),
            CouldBeKey::Perhaps => None,
        },
        values: values.then(all),
    }
}
