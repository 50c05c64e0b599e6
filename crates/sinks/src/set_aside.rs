//! What is set aside: lines that an output leaves out, and rows that are no lines, each with its reason and place.

use interligo_model::values::decimal::Decimal;
use interligo_model::values::value::Value;
use interligo_sources::table::parts::Table;

use crate::raw_lines::RawLines;

/// A row that is set aside.
pub struct AsideRow {
    /// Why, in words.
    pub reason: String,
    /// Its number in its file.
    pub row: u64,
    /// What it is.
    pub entry: AsideEntry,
}

/// What is set aside.
pub enum AsideEntry {
    /// A line of the batch, by number.
    Line(usize),
    /// A row that is no line, as it was read.
    Row(String),
}

/// The columns of a file of rows that are set aside.
pub fn aside_columns(fact: &Table) -> Vec<String> {
    let own = fact.columns.names.iter().map(String::as_str);
    let all = ["reason", "file", "row"].into_iter().chain(own).chain(["as_read"]);
    all.map(str::to_owned).collect()
}

/// A row that is set aside as values; own columns are texts, as they were read.
pub(crate) fn aside_values(raw: &RawLines<'_>, row: &AsideRow) -> Vec<Value<'static>> {
    let text = |text: &str| Value::Text(text.to_owned().into());
    let mut values = vec![
        text(&row.reason),
        text(&raw.part.name.shown),
        Value::Number(Decimal::from(row.row as i64)),
    ];
    let own = 0..raw.part.sources.len();
    match &row.entry {
        AsideEntry::Line(line) => {
            values.extend(own.map(|column| Value::Text(raw.cell(*line, column).into())));
            values.push(Value::Blank);
        }
        AsideEntry::Row(written) => {
            values.extend(own.map(|_| Value::Blank));
            values.push(text(written));
        }
    }
    values
}
