//! The parts of a table: the files that its patterns fit, each with its heading and its slots, stacked
//! by the names of their columns.

use std::collections::{HashMap, HashSet};
use std::path::{Path, PathBuf};
use std::sync::Arc;

use interligo_core::bind::{TableColumns, Wishes, formula_columns, ways};
use interligo_core::evidence::Evidence;
use interligo_core::plan::{
    ColumnType, Entry, Files, Mistake, Plan, TableEntry, TotalRows, key, listed,
};
use interligo_core::shape::{From, PartColumns};
use interligo_core::style::{PartStyle, Way};

use crate::error::Error;
use crate::given::Given;
use crate::headings::Drift;
use crate::look::{FieldNote, Head, Looked, head};
use crate::pattern::PathPattern;
use crate::style::{FoundStyle, Open};
use crate::text::{Block, BlockReader, Dialect, decoded};

/// One file of a table.
#[derive(Clone, Debug)]
pub(crate) struct Part {
    pub(crate) path: PathBuf,
    /// The path as messages show it.
    pub(crate) shown: Arc<str>,
    /// Its headings.
    pub(crate) headings: Vec<String>,
    /// Its columns, and how its rows become rows of the table.
    pub(crate) columns: PartColumns,
    /// Where each column of the table comes from.
    pub(crate) sources: Vec<Source>,
    /// Whether its rows hold just the table's own columns, in their order.
    pub(crate) in_order: bool,
    /// How it is written.
    pub(crate) dialect: Dialect,
    /// How many rows stand above the headings.
    pub(crate) above: u64,
    /// How many rows to skip to get below the headings.
    skip: u64,
    /// Fields without a heading, which are to have no value either.
    pub(crate) empty: Vec<usize>,
    /// Texts that mean blank.
    pub(crate) blank: Vec<String>,
    /// What becomes of a last row that looks like a total.
    pub(crate) total_rows: Option<TotalRows>,
    /// How its values are written.
    pub(crate) style: PartStyle,
    /// How they were found to be written, and what was left open.
    found: FoundStyle,
    /// What each of its fields looks like.
    pub(crate) evidence: Vec<Evidence>,
    /// Columns that would be numbers or days but for texts that seem to mean blank, with one of these.
    pub(crate) marks: Vec<(String, String)>,
}

/// Where a part has a column of the table.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Source {
    /// A field of its rows.
    Field(usize),
    /// A column that is made of several fields, or of several values in a cell, by number.
    Made(usize),
    /// One text in all rows.
    Same(String),
    /// It is worked out from the other columns.
    Computed,
    /// The part lacks the column.
    Absent,
}

/// A table whose files have been found and whose headings have been read.
#[derive(Clone, Debug)]
pub(crate) struct Table {
    pub(crate) name: String,
    pub(crate) parts: Vec<Part>,
    pub(crate) columns: TableColumns,
    /// The columns that a part may lack.
    pub(crate) optional: Vec<String>,
    /// Headings in which parts differ from the others.
    pub(crate) drift: Vec<Drift>,
}

/// Values that can be read in two ways, and what decides.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Question {
    /// The column.
    pub column: String,
    /// What its values are, either way.
    pub column_type: ColumnType,
    /// A value with its readings.
    pub message: String,
    /// The settings of the plan that decide.
    pub way_out: String,
}

/// A file that a table's patterns fit, before it is opened.
pub(crate) struct Found<'p> {
    pub(crate) path: PathBuf,
    pub(crate) shown: Arc<str>,
    slots: Vec<(String, String)>,
    files: Files<'p>,
}

/// A file whose headings were read.
struct Headed {
    head: Head,
    looked: Looked,
    columns: PartColumns,
    /// Columns of one text: slots of the file's name, and those that the plan sets.
    same: Vec<(String, String)>,
    /// How single columns are written, by name.
    ways: Vec<(String, Way)>,
}

impl Table {
    /// Finds the files of a table and reads their headings. `outputs` are never taken for parts.
    pub(crate) fn open(
        plan: &Plan,
        table: &Entry<TableEntry>,
        folder: &Path,
        outputs: &[PathBuf],
    ) -> Result<Table, Error> {
        let found = find(plan, table, folder, outputs)?;
        let headed = found.iter().map(|found| read_heading(plan, &table.name, found));
        let headed = headed.collect::<Result<Vec<_>, Error>>()?;
        let mut names: Vec<String> = Vec::new();
        let mut known: HashSet<String> = HashSet::new();
        let mut add = |names: &mut Vec<String>, name: &str| {
            if known.insert(name.to_owned()) {
                names.push(name.to_owned());
            }
        };
        headed.iter().flat_map(|h| &h.columns.names).for_each(|name| add(&mut names, name));
        let from_files = names.len();
        headed.iter().flat_map(|h| &h.same).for_each(|(name, _)| add(&mut names, name));
        let slots = (from_files..names.len()).collect();
        let optional: Vec<String> = table.value.optional_columns().map(str::to_owned).collect();
        optional.iter().for_each(|name| add(&mut names, name));
        for name in formula_columns(&table.value) {
            if names.iter().any(|known| known == name) {
                let message = format!("`{name}` is a column of the file and has a formula besides");
                return Err(Mistake::in_plan(table.name_span.clone(), message)
                    .help("give the column with the formula another name")
                    .into());
            }
            names.push(name.to_owned());
        }
        let computed: Vec<&str> = formula_columns(&table.value).collect();
        let parts: Vec<Part> = found
            .iter()
            .zip(headed)
            .map(|(found, headed)| part(found, headed, &names, from_files, &computed))
            .collect();
        let drift = crate::headings::drift(&parts, &names[..from_files]);
        let columns = TableColumns { slots, names };
        Ok(Table { name: table.name.clone(), parts, columns, optional, drift })
    }

    /// Refuses values that the plan uses and that have two readings.
    pub(crate) fn refuse_open(&self, wishes: &Wishes, days: &[usize]) -> Result<(), Error> {
        let used: Vec<usize> = wishes
            .used()
            .filter(|column| !wishes.is_text(*column))
            .chain(days.iter().copied())
            .collect();
        match self.questions(&used).into_iter().next() {
            Some(question) => Err(Mistake::of_plan(question.message).help(question.way_out).into()),
            None => Ok(()),
        }
    }

    /// What has two readings in some columns.
    pub(crate) fn questions(&self, columns: &[usize]) -> Vec<Question> {
        let mut questions = Vec::new();
        for part in &self.parts {
            let asked = [("numbers", &part.found.open_numbers), ("dates", &part.found.open_dates)];
            for (setting, open) in
                asked.iter().flat_map(|(setting, all)| all.iter().map(move |open| (*setting, open)))
            {
                let column = (0..part.sources.len()).find(|column| match &part.sources[*column] {
                    Source::Field(field) => *field == open.field,
                    Source::Made(number) => part.columns.fields(*number).contains(&open.field),
                    _ => false,
                });
                if let Some(column) = column.filter(|column| columns.contains(column)) {
                    questions.push(self.question(part, setting, open, &self.columns.names[column]));
                }
            }
        }
        questions
    }

    fn question(&self, part: &Part, setting: &str, open: &Open, name: &str) -> Question {
        let [(first, one), (second, other)] = &open.readings;
        let message = if first == second {
            format!(
                "{} writes its {setting} in two ways: `{}` in `{name}`, and others",
                part.shown, open.text
            )
        } else {
            format!(
                "`{}` in `{name}` of {} can be read as {first} or as {second}",
                open.text, part.shown
            )
        };
        let of_a_part =
            if self.parts.len() > 1 { ", or to a [[part]] of it with this file" } else { "" };
        let way_out = format!(
            "add {setting} = \"{one}\" or {setting} = \"{other}\" to [tables.{}]{of_a_part}",
            key(&self.name)
        );
        let column_type = if setting == "dates" { ColumnType::Date } else { ColumnType::Number };
        Question { column: name.to_owned(), column_type, message, way_out }
    }

    /// Refuses columns that the plan needs and that a part lacks, or has twice.
    pub(crate) fn require(&self, columns: impl Iterator<Item = usize>) -> Result<(), Error> {
        for column in columns {
            let name = &self.columns.names[column];
            for part in &self.parts {
                if part.sources[column] == Source::Absent && !self.optional.contains(name) {
                    return Err(self.lacking(part, name));
                }
                if part.columns.repeated.contains(name) {
                    let message =
                        format!("has the heading `{name}` twice, and the plan needs that column");
                    return Err(Error::input(&part.shown, message)
                        .at_row(part.skip.max(1))
                        .help("rename one of the two in the file"));
                }
            }
        }
        Ok(())
    }

    fn lacking(&self, part: &Part, name: &str) -> Error {
        let message = format!("has no heading `{name}`, which the plan needs in `{}`", self.name);
        let likely = self.drift.iter().find_map(|drift| match drift {
            Drift::Missing { part: shown, column, likely: Some(likely) }
                if *shown == part.shown && column == name =>
            {
                Some(likely)
            }
            _ => None,
        });
        let help = match likely {
            Some(likely) => format!(
                "if `{likely}` is that column, add \"{likely}\" = {{ name = \"{name}\" }} to [tables.{}.columns]",
                key(&self.name)
            ),
            None => format!(
                "its headings are {}; name the one that is meant in [tables.{}.columns], say `heading-row`, \
                 or add `leave-out`",
                listed(&part.headings),
                key(&self.name)
            ),
        };
        Error::input(&part.shown, message).at_row(part.skip.max(1)).help(help)
    }
}

/// Looks at a file and settles its columns.
fn read_heading(plan: &Plan, table: &str, found: &Found<'_>) -> Result<Headed, Error> {
    let files = &found.files;
    let given = Given::of(plan, &files.settings)?;
    let head = head(&found.path, &found.shown, given)?;
    let named = plan.named_columns(table);
    let columns =
        PartColumns::new(plan, files, &head.headings, &head.empty, &named).map_err(|mistake| {
            Mistake { message: format!("{} ({})", mistake.message, found.shown), ..mistake }
        })?;
    let ways: Vec<(String, Way)> = ways(plan, &files.columns)?.into_iter().collect();
    let texts = plan.text_columns(table);
    let mut notes = vec![FieldNote::default(); head.headings.len()];
    for (number, name) in columns.names.iter().enumerate() {
        for field in columns.fields(number) {
            notes[field] = FieldNote {
                text: texts.contains(name),
                way: ways
                    .iter()
                    .find(|(own, _)| own == name)
                    .map(|(_, way)| *way)
                    .unwrap_or_default(),
                unpack: columns.separator_in(field).map(str::to_owned),
            };
        }
    }
    let looked = head.values(&notes);
    let mut same = found.slots.clone();
    for set in &files.set {
        if !same.iter().any(|(name, _)| *name == set.name) {
            same.push((set.name.clone(), set.value.0.clone()));
        }
    }
    Ok(Headed { head, looked, columns, same, ways })
}

/// A part, once the columns of its table are known.
fn part(
    found: &Found<'_>,
    headed: Headed,
    names: &[String],
    from_files: usize,
    computed: &[&str],
) -> Part {
    let Headed { head, looked, columns, same, ways } = headed;
    let own: HashMap<&str, usize> =
        columns.names.iter().enumerate().map(|(number, name)| (name.as_str(), number)).collect();
    let source = |name: &String| {
        if computed.contains(&name.as_str()) {
            return Source::Computed;
        }
        match own.get(name.as_str()).copied() {
            Some(number) => match columns.from[number] {
                From::Field(field) if columns.is_plain() => Source::Field(field),
                _ => Source::Made(number),
            },
            None => match same.iter().find(|(own, _)| own == name) {
                Some((_, text)) => Source::Same(text.clone()),
                None => Source::Absent,
            },
        }
    };
    let position = |name: &str| names.iter().position(|known| known == name);
    let ways = ways.into_iter().filter_map(|(name, way)| Some((position(&name)?, way)));
    let empty: Vec<usize> = (0..head.empty.len()).filter(|field| head.empty[*field]).collect();
    let given = found.files.settings;
    let name_of = |field: usize| {
        let column = (0..columns.names.len()).find(|c| columns.fields(*c).contains(&field))?;
        Some(columns.names[column].clone())
    };
    let marks = looked.marks.into_iter().filter_map(|(field, mark)| Some((name_of(field)?, mark)));
    let marks = marks.collect();
    Part {
        sources: names.iter().map(source).collect(),
        in_order: columns.is_plain() && empty.is_empty() && columns.names == names[..from_files],
        path: found.path.clone(),
        shown: found.shown.clone(),
        dialect: head.dialect,
        above: head.above,
        skip: head.skip,
        blank: given.blank.map_or_else(Vec::new, |marks| marks.get_ref().0.clone()),
        total_rows: given.total_rows,
        style: PartStyle { style: looked.found.style, ways: ways.collect() },
        found: looked.found,
        evidence: looked.evidence,
        marks,
        headings: head.headings,
        columns,
        empty,
    }
}

fn find<'p>(
    plan: &'p Plan,
    table: &'p Entry<TableEntry>,
    folder: &Path,
    outputs: &[PathBuf],
) -> Result<Vec<Found<'p>>, Error> {
    let mut found = Vec::new();
    for files in plan.files(table)? {
        let before = found.len();
        find_some(&files, folder, outputs, &mut found)?;
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
fn find_some<'p>(
    files: &Files<'p>,
    folder: &Path,
    outputs: &[PathBuf],
    found: &mut Vec<Found<'p>>,
) -> Result<(), Error> {
    let wrong = |message: String| Mistake::in_plan(files.from.span(), message);
    let read = |text: &String| PathPattern::parse(text).map_err(wrong);
    let left_out = files.leave_out.iter().flat_map(|list| &list.get_ref().0);
    let left_out = left_out.map(read).collect::<Result<Vec<_>, _>>()?;
    for text in &files.from.get_ref().0 {
        let pattern = read(text)?;
        refuse_other_formats(text, &wrong)?;
        if let Some(path) = pattern.plain() {
            let shown = path.to_string_lossy().into();
            let (path, slots) = (folder.join(path), Vec::new());
            found.push(Found { path, shown, slots, files: files.clone() });
            continue;
        }
        let names = pattern.slots();
        let fits = pattern.files(folder).map_err(|error| {
            Error::input(&text.as_str().into(), format!("cannot be searched for: {error}"))
        })?;
        let mut known: HashSet<PathBuf> = found.iter().map(|found| found.path.clone()).collect();
        for fit in fits {
            let path = folder.join(&fit.path);
            if outputs.contains(&path)
                || left_out.iter().any(|pattern| pattern.fit(&fit.path).is_some())
                || !known.insert(path.clone())
            {
                continue;
            }
            let slots = names.iter().map(|name| (*name).to_owned()).zip(fit.slots).collect();
            let shown = fit.path.to_string_lossy().into();
            found.push(Found { path, shown, slots, files: files.clone() });
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

/// Bytes that are no text, with the row and the heading of the column. `mixed` says that other bytes of the
/// file are UTF-8 beyond ASCII.
pub(crate) fn not_utf8(
    shown: &Arc<str>,
    row: u64,
    column: Option<&str>,
    near: &[u8],
    mixed: bool,
) -> Error {
    let column = column.map_or(String::new(), |column| format!(" in column `{column}`"));
    let reads = decoded(near);
    let reads = reads.trim();
    let help = if mixed {
        format!(
            "rows above are UTF-8, and this one should perhaps say `{reads}`: the file mixes encodings; write it anew in one"
        )
    } else {
        format!(
            "if `{reads}` is what it should say, add encoding = \"windows-1252\" to the table; or name another"
        )
    };
    Error::input(shown, format!("holds bytes that are not UTF-8{column}")).at_row(row).help(help)
}

/// The error for a block that is not UTF-8.
pub(crate) fn block_not_utf8(block: &Block, table: &Table, part: &Part, at: usize) -> Error {
    let bytes = block.rows();
    let start = memchr::memrchr(b'\n', &bytes[..at]).map_or(0, |end| end + 1);
    let field = bytes[start..at].iter().filter(|byte| **byte == block.separator).count();
    let column = part.sources.iter().position(|source| *source == Source::Field(field));
    let end = at + bytes[at..].iter().position(|byte| matches!(*byte, b'\n' | b'\r')).unwrap_or(0);
    let column = column.map(|c| table.columns.names[c].as_str());
    not_utf8(&part.shown, block.row_of(at), column, &bytes[start..end], !bytes[..at].is_ascii())
}

impl Part {
    /// Opens the part at its first row below the headings.
    pub(crate) fn open(&self) -> Result<BlockReader, Error> {
        let mut reader = BlockReader::open(&self.path, &self.shown, self.dialect)?;
        reader.skip_rows(self.skip)?;
        Ok(reader)
    }

    /// The part with its total rows.
    pub(crate) fn with_totals(&self) -> Part {
        Part { total_rows: Some(TotalRows::Keep), ..self.clone() }
    }

    /// How many fields its rows have.
    pub(crate) fn width(&self) -> usize {
        self.headings.len()
    }

    /// What the values of a column are, as far as it was looked at.
    pub(crate) fn looks_like(&self, column: usize) -> ColumnType {
        self.evidence_of(column).found_type()
    }

    /// What the values of a column look like, as far as they were looked at.
    pub(crate) fn evidence_of(&self, column: usize) -> Evidence {
        let fields = match &self.sources[column] {
            Source::Field(field) => vec![*field],
            Source::Made(number) => self.columns.fields(*number),
            Source::Same(_) | Source::Computed | Source::Absent => Vec::new(),
        };
        let mut evidence = Evidence::default();
        fields.iter().for_each(|field| evidence.merge(&self.evidence[*field]));
        evidence
    }
}
