//! What a record of a run holds, and how it is read.

use std::fs::File;
use std::path::{Path, PathBuf};

use interligo_model::values::column::ColumnKind;
use interligo_model::values::date::{Day, Period};
use interligo_model::values::decimal::Decimal;
use interligo_model::values::value::Value;
use serde::{Deserialize, Serialize};

use super::ABOUT;

/// The form of records that this program writes; it reads no other.
const VERSION: u32 = 1;

/// What is known of a run.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub(crate) struct RunRecord {
    /// The form of the record.
    version: u32,
    /// When the run was, in seconds since 1970.
    pub(crate) at: u64,
    /// The name of the plan's file, without its ending.
    pub(crate) stem: String,
    /// The plan.
    pub(crate) plan: String,
    /// The corrections: link, found, used.
    pub(crate) corrections: Vec<[String; 3]>,
    /// The files that were read.
    pub(crate) inputs: Vec<InputRecord>,
    /// The last period whose lines it has, where it is a record of closed periods.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) closed: Option<String>,
    /// The facts.
    pub(crate) facts: Vec<FactRecord>,
}

/// A file as it was read.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct InputRecord {
    pub(crate) table: String,
    pub(crate) file: String,
    /// A fingerprint of its contents; none of what is no file.
    pub(crate) contents: Option<String>,
}

/// The lines of a fact.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub(crate) struct FactRecord {
    pub(crate) name: String,
    /// The file with its lines.
    pub(crate) file: String,
    pub(crate) lines: u64,
    /// The columns that are its key.
    pub(crate) key: Vec<String>,
    /// Whether no two lines share their key.
    pub(crate) is_unique: bool,
    /// Its columns in the file, by name, with what their values are.
    pub(crate) columns: Vec<(String, String)>,
    /// Its links, in their order, each a column behind these with the row of its lookup.
    pub(crate) links: Vec<LinkRecord>,
    pub(crate) lookups: Vec<LookupRecord>,
    /// The figures that it has of each line, behind the rows of links; of closed periods only.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(crate) figures: Vec<String>,
    /// The attributes that it has of each line behind these.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(crate) attributes: Vec<String>,
    /// Where only lines up to a day count: the column with the date, and that day.
    #[serde(skip)]
    pub(crate) up_to: Option<(String, Day)>,
    /// What its figures come to.
    pub(crate) totals: Vec<(String, String)>,
}

/// A link of a fact.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct LinkRecord {
    pub(crate) name: String,
    /// The lookup, by number.
    pub(crate) lookup: usize,
    /// The columns of the lookup that are its key there.
    pub(crate) key: Vec<String>,
    /// The columns of the fact that its key and day are taken from.
    pub(crate) own: Vec<String>,
    /// The column of the fact with its day.
    pub(crate) day: Option<String>,
    /// The links that bring what it looks for, by number.
    pub(crate) builds_on: Vec<usize>,
}

/// The rows of a lookup.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub(crate) struct LookupRecord {
    pub(crate) name: String,
    pub(crate) file: String,
    /// Its columns in the file; behind them the first and the last day on which a row is valid.
    pub(crate) columns: Vec<(String, String)>,
}

/// Why a record cannot be read.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum RecordError {
    /// It is damaged, or not all of it is there.
    #[error("the record in `{folder}` is damaged: {why}")]
    Damaged {
        /// The folder.
        folder: String,
        /// What is wrong.
        why: String,
    },
    /// Another version of the program wrote it.
    #[error("the record in `{folder}` has form {version}, and this program reads form {VERSION}")]
    OtherVersion {
        /// The folder.
        folder: String,
        /// Its form.
        version: u32,
    },
    /// It does not have a column or an attribute that is asked for.
    #[error("the record in `{folder}` does not have `{what}`")]
    NotKept {
        /// The folder.
        folder: String,
        /// The column or attribute.
        what: String,
    },
}

impl RecordError {
    /// The name, which stays.
    pub fn code(&self) -> &'static str {
        match self {
            RecordError::Damaged { .. } => "record.damaged",
            RecordError::OtherVersion { .. } => "record.other-version",
            RecordError::NotKept { .. } => "record.not-kept",
        }
    }
}

impl RunRecord {
    /// A record of this form.
    pub(crate) fn new(at: u64, stem: &str, plan: &str) -> RunRecord {
        RunRecord {
            version: VERSION,
            at,
            stem: stem.to_owned(),
            plan: plan.to_owned(),
            corrections: Vec::new(),
            inputs: Vec::new(),
            closed: None,
            facts: Vec::new(),
        }
    }

    /// What is wrong with it, in its folder.
    pub(crate) fn damaged(&self, folder: &Path, why: &str) -> RecordError {
        RecordError::Damaged { folder: shown(folder), why: why.to_owned() }
    }

    /// Reads what a record says of itself.
    pub(crate) fn read(folder: &Path) -> Result<RunRecord, RecordError> {
        let damaged = |why: String| RecordError::Damaged { folder: shown(folder), why };
        let text = std::fs::read(folder.join(ABOUT)).map_err(|error| damaged(error.to_string()))?;
        let value: serde_json::Value =
            serde_json::from_slice(&text).map_err(|error| damaged(error.to_string()))?;
        let version = value["version"].as_u64().unwrap_or(0) as u32;
        if version != VERSION {
            return Err(RecordError::OtherVersion { folder: shown(folder), version });
        }
        serde_json::from_value(value).map_err(|error| damaged(error.to_string()))
    }
}

/// A folder as messages name it.
pub(crate) fn shown(folder: &Path) -> String {
    folder.strip_prefix(".").unwrap_or(folder).display().to_string()
}

/// Reads the rows of a file of a record, one after the other.
pub(crate) fn read_rows<E: From<RecordError>>(
    folder: &Path,
    file: &str,
    mut each: impl FnMut(&csv::StringRecord) -> Result<(), E>,
) -> Result<u64, E> {
    let path: PathBuf = folder.join(file);
    let damaged =
        |why: String| RecordError::Damaged { folder: shown(folder), why: format!("{file}: {why}") };
    let open = File::open(&path).map_err(|error| damaged(error.to_string()))?;
    let decoder = zstd::Decoder::new(open).map_err(|error| damaged(error.to_string()))?;
    let mut reader = csv::Reader::from_reader(decoder);
    let (mut row, mut rows) = (csv::StringRecord::new(), 0);
    while reader.read_record(&mut row).map_err(|error| damaged(error.to_string()))? {
        each(&row)?;
        rows += 1;
    }
    Ok(rows)
}

/// What the values of a column are, as a record names it.
pub(crate) fn kind_name(kind: ColumnKind) -> &'static str {
    match kind {
        ColumnKind::Number(_) => "number",
        ColumnKind::Text => "text",
        ColumnKind::Date => "date",
        ColumnKind::Period(_) => "period",
        ColumnKind::YesNo => "yes-no",
    }
}

/// A text of a record as a value.
pub(crate) fn value_of<'t>(kind: &str, text: &'t str) -> Value<'t> {
    if text.is_empty() {
        return Value::Blank;
    }
    let value = match kind {
        "number" => Decimal::parse(text.as_bytes()).map(Value::Number),
        "date" => Day::parse(text.as_bytes()).map(Value::Date),
        "period" => Period::read(text).map(Value::Period),
        "yes-no" => Some(Value::YesNo(text == "yes")),
        _ => None,
    };
    value.unwrap_or_else(|| Value::Text(text.into()))
}
