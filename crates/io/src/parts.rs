//! The parts of a table: the files that its patterns fit, each with its heading and its slots, stacked
//! by the names of their columns.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use interligo_core::bind::{TableColumns, Wishes, name_columns};
use interligo_core::plan::{ColumnType, Entry, Files, Mistake, Plan, TableEntry};
use interligo_core::reading::Evidence;

use crate::error::Error;
use crate::look::{Given, look};
use crate::pattern::Pattern;
use crate::style::FoundStyle;
use crate::text::{Block, BlockReader, Dialect, Fields, decoded, first_row};

/// One file of a table.
#[derive(Clone, Debug)]
pub(crate) struct Part {
    pub(crate) path: PathBuf,
    /// The path as messages show it.
    pub(crate) shown: Arc<str>,
    /// How many fields its heading has.
    pub(crate) width: usize,
    /// Where each column of the table comes from.
    pub(crate) sources: Vec<Source>,
    /// Whether its rows hold just the table's own columns, in their order.
    pub(crate) in_order: bool,
    /// How it is written.
    pub(crate) dialect: Dialect,
    /// How its numbers and days are written.
    pub(crate) found: FoundStyle,
    /// What each of its fields looks like.
    evidence: Vec<Evidence>,
}

/// Where a part has a column of the table.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Source {
    Field(usize),
    Slot(String),
    /// The part lacks the column.
    Absent,
}

/// A table whose files have been found and whose headings have been read.
#[derive(Clone, Debug)]
pub(crate) struct Table {
    pub(crate) name: String,
    pub(crate) parts: Vec<Part>,
    pub(crate) columns: TableColumns,
    /// Headings that one part has twice, with the part; a plan that needs one cannot be run.
    pub(crate) repeated: Vec<(String, Arc<str>)>,
}

/// A file that a table's patterns fit, before it is opened.
struct Found {
    path: PathBuf,
    shown: Arc<str>,
    slots: Vec<(String, String)>,
    given: Given,
}

impl Table {
    /// Finds the files of a table and reads their headings. `outputs` are never taken for parts.
    pub(crate) fn open(
        plan: &Plan,
        table: &Entry<TableEntry>,
        folder: &Path,
        outputs: &[PathBuf],
    ) -> Result<Table, Error> {
        let mut parts = Vec::new();
        let mut names: Vec<String> = Vec::new();
        let mut repeated = Vec::new();
        let mut headed = Vec::new();
        let (name, entry) = (table.name.as_str(), &table.value);
        let texts = plan.text_columns(name);
        for found in find(plan, table, folder, outputs)? {
            let is_text = |headings: &[String]| {
                let (names, _) = name_columns(entry, headings);
                names.iter().map(|name| texts.contains(name)).collect()
            };
            let looked = look(&found.path, &found.shown, found.given, is_text)?;
            let (own, twice) = name_columns(entry, &looked.headings);
            repeated.extend(twice.into_iter().map(|heading| (heading, found.shown.clone())));
            for name in &own {
                if !names.contains(name) {
                    names.push(name.clone());
                }
            }
            headed.push((found, own, looked));
        }
        let from_files = names.len();
        let slots: Vec<String> = headed
            .iter()
            .flat_map(|(found, ..)| found.slots.iter().map(|(slot, _)| slot.clone()))
            .filter(|slot| !names.contains(slot))
            .collect();
        for slot in slots {
            if !names.contains(&slot) {
                names.push(slot);
            }
        }
        for (found, own, looked) in headed {
            let source = |name: &String| {
                let field = own.iter().position(|own| own == name).map(Source::Field);
                let slot = || {
                    let slot = found.slots.iter().find(|(slot, _)| slot == name);
                    slot.map(|(_, text)| Source::Slot(text.clone()))
                };
                field.or_else(slot).unwrap_or(Source::Absent)
            };
            parts.push(Part {
                sources: names.iter().map(source).collect(),
                in_order: own == names[..from_files],
                width: own.len(),
                dialect: looked.dialect,
                found: looked.found,
                evidence: looked.evidence,
                path: found.path.clone(),
                shown: found.shown.clone(),
            });
        }
        let columns = TableColumns { slots: (from_files..names.len()).collect(), names };
        Ok(Table { name: name.to_owned(), parts, columns, repeated })
    }

    /// Refuses values that the plan uses and that have two readings.
    pub(crate) fn refuse_open(&self, wishes: &Wishes, days: &[usize]) -> Result<(), Error> {
        let used: Vec<usize> = wishes
            .used()
            .filter(|column| !wishes.is_text(*column))
            .chain(days.iter().copied())
            .collect();
        for part in &self.parts {
            let asked = [("numbers", &part.found.open_numbers), ("dates", &part.found.open_dates)];
            for (key, open) in
                asked.iter().flat_map(|(key, all)| all.iter().map(move |o| (*key, o)))
            {
                let column =
                    part.sources.iter().position(|source| *source == Source::Field(open.field));
                let Some(column) = column.filter(|column| used.contains(column)) else { continue };
                let [(first, one), (second, other)] = &open.readings;
                let name = &self.columns.names[column];
                let message = if first == second {
                    format!(
                        "{} writes its {key} in two ways: `{}` in `{name}`, and others",
                        part.shown, open.text
                    )
                } else {
                    format!(
                        "`{}` in `{name}` of {} can be read as {first} or as {second}",
                        open.text, part.shown
                    )
                };
                return Err(Mistake::of_plan(message)
                    .help(format!(
                        "add {key} = \"{one}\" or {key} = \"{other}\" to [tables.{}]{}",
                        self.name,
                        if self.parts.len() > 1 {
                            ", or to a [[part]] of it with this file"
                        } else {
                            ""
                        }
                    ))
                    .into());
            }
        }
        Ok(())
    }

    /// Refuses columns that the plan needs and that a part lacks, or has twice.
    pub(crate) fn require(&self, columns: impl Iterator<Item = usize>) -> Result<(), Error> {
        for column in columns {
            let name = &self.columns.names[column];
            for part in &self.parts {
                if part.sources[column] == Source::Absent {
                    let message =
                        format!("has no heading `{name}`, which the plan needs in `{}`", self.name);
                    let help =
                        "name the heading that it has instead in the plan, or add `leave-out`";
                    return Err(Error::input(&part.shown, message).at_row(1).help(help));
                }
            }
            if let Some((_, shown)) = self.repeated.iter().find(|(heading, _)| heading == name) {
                let message =
                    format!("has the heading `{name}` twice, and the plan needs that column");
                return Err(Error::input(shown, message)
                    .at_row(1)
                    .help("rename one of the two in the file"));
            }
        }
        Ok(())
    }
}

fn find(
    plan: &Plan,
    table: &Entry<TableEntry>,
    folder: &Path,
    outputs: &[PathBuf],
) -> Result<Vec<Found>, Error> {
    let mut found = Vec::new();
    for files in plan.files(table)? {
        let before = found.len();
        let given = Given::of(plan, files.settings)?;
        find_some(&files, given, folder, outputs, &mut found)?;
        if found.len() == before {
            let text = plan.source.get(files.from.span()).unwrap_or_default();
            let help = "paths are relative to the folder of the plan; `{name}` and `*` stay within one folder";
            return Err(Mistake::in_plan(files.from.span(), format!("no file fits {text}"))
                .help(help)
                .into());
        }
    }
    Ok(found)
}

/// Adds the files that some patterns fit and that are not there yet.
fn find_some(
    files: &Files<'_>,
    given: Given,
    folder: &Path,
    outputs: &[PathBuf],
    found: &mut Vec<Found>,
) -> Result<(), Error> {
    let wrong = |message: String| Mistake::in_plan(files.from.span(), message);
    let read = |text: &String| Pattern::parse(text).map_err(wrong);
    let left_out = files.leave_out.iter().flat_map(|list| &list.get_ref().0);
    let left_out = left_out.map(read).collect::<Result<Vec<_>, _>>()?;
    for text in &files.from.get_ref().0 {
        let pattern = read(text)?;
        refuse_other_formats(text, &wrong)?;
        if pattern.is_plain() {
            let path = pattern.plain_path();
            let shown = path.to_string_lossy().into();
            found.push(Found { path: folder.join(path), shown, slots: Vec::new(), given });
            continue;
        }
        let names = pattern.slots();
        let fits = pattern.files(folder).map_err(|error| {
            Error::input(&text.as_str().into(), format!("cannot be searched for: {error}"))
        })?;
        for fit in fits {
            let path = folder.join(&fit.path);
            let known = found.iter().any(|other| other.path == path);
            if known
                || outputs.contains(&path)
                || left_out.iter().any(|pattern| pattern.fit(&fit.path).is_some())
            {
                continue;
            }
            let slots = names.iter().map(|name| (*name).to_owned()).zip(fit.slots).collect();
            found.push(Found { path, shown: fit.path.to_string_lossy().into(), slots, given });
        }
    }
    Ok(())
}

fn refuse_other_formats(text: &str, wrong: &impl Fn(String) -> Mistake) -> Result<(), Mistake> {
    let lower = text.to_lowercase();
    let other = text.contains('#')
        || lower.starts_with("postgres")
        || [".xlsx", ".ods", ".parquet", ".jsonl", ".sqlite"]
            .iter()
            .any(|end| lower.ends_with(end));
    if other {
        return Err(wrong(format!("`{text}` is no text file; other formats cannot be read yet"))
            .help("export the table as CSV"));
    }
    Ok(())
}

/// Bytes that are no text, with the row and the heading of the column.
pub(crate) fn not_utf8(shown: &Arc<str>, row: u64, column: Option<&str>, near: &[u8]) -> Error {
    let column = column.map_or(String::new(), |column| format!(" in column `{column}`"));
    let reads = decoded(near);
    Error::input(shown, format!("holds bytes that are not UTF-8{column}"))
        .at_row(row)
        .help(format!(
            "if `{}` is what it should say, add encoding = \"windows-1252\" to the table; or name another",
            reads.trim()
        ))
}

/// The error for a block that is not UTF-8.
pub(crate) fn block_not_utf8(block: &Block, table: &Table, part: &Part, at: usize) -> Error {
    let bytes = block.rows();
    let start = memchr::memrchr(b'\n', &bytes[..at]).map_or(0, |end| end + 1);
    let field = bytes[start..at].iter().filter(|byte| **byte == block.separator).count();
    let column = part.sources.iter().position(|source| *source == Source::Field(field));
    let end = at + bytes[at..].iter().position(|byte| matches!(*byte, b'\n' | b'\r')).unwrap_or(0);
    let column = column.map(|c| table.columns.names[c].as_str());
    not_utf8(&part.shown, block.row_of(at), column, &bytes[start..end])
}

/// The rows of a block after the heading, if it is the first of its file.
pub(crate) fn skip_heading(mut block: Block) -> Block {
    if block.first_row != 1 {
        return block;
    }
    let (_, heading) = first_row(block.rows(), block.separator);
    block.first_row += memchr::memchr_iter(b'\n', &block.bytes[..heading]).count() as u64;
    block.bytes.drain(..heading);
    block.length -= heading;
    block
}

impl Part {
    /// Opens the part.
    pub(crate) fn open(&self) -> Result<BlockReader, Error> {
        BlockReader::open(&self.path, &self.shown, self.dialect)
    }

    /// What the values of a column are, as far as it was looked at.
    pub(crate) fn looks_like(&self, column: usize) -> ColumnType {
        match &self.sources[column] {
            Source::Field(field) => self.evidence[*field].found_type(),
            Source::Slot(_) | Source::Absent => ColumnType::Text,
        }
    }
}

/// The fields of a block of a part.
pub(crate) fn split(block: &Block, part: &Part) -> Fields {
    Fields::split(block, part.width)
}
