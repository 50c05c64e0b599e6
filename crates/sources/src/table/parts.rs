//! The parts of a table: the files that its patterns fit, each with its column name and its slots, stacked
//! by the names of their columns.

use std::collections::{HashMap, HashSet};
use std::path::PathBuf;
use std::sync::Arc;

use interligo_engine::bind::{TableColumns, formula_columns, ways};
use interligo_engine::rows::{From, PartColumns};
use interligo_model::place::{PartName, SheetColumns};
use interligo_model::plan::{
    ColumnType, Entry, Mistake, MistakeKind, Plan, TableEntry, TotalRows, key, listed,
};
use interligo_model::reading::evidence::Evidence;
use interligo_model::reading::style::{PartStyle, Style, Way};

use crate::error::{Error, InputKind};
use crate::formats::head::{FieldNote, Head, Looked};
use crate::formats::{self, Guarded, PartNote, Reader, Stretch, Wanted, guarded};
use crate::snapshot::Snapshot;
use crate::table::column_drift::Drift;
use crate::table::dialect::FoundStyle;
use crate::table::parts_found::{Found, SearchScope, find};
use crate::table::settings::TableSettings;
use crate::table::total_rows::JudgedOnce;

/// One part of a table: a file, a sheet, a table of a database.
#[derive(Clone)]
pub struct Part {
    /// Its file, where it is in one.
    pub path: Option<PathBuf>,
    /// The file as it was when it was looked at.
    seen: Option<Snapshot>,
    /// Its name, as messages show it.
    pub name: PartName,
    /// What reads it.
    pub source: Arc<dyn formats::Source>,
    /// Its column names.
    pub column_names: Vec<String>,
    /// Its columns, and how its rows become rows of the table.
    pub columns: PartColumns,
    /// Where each column of the table comes from.
    pub sources: Vec<ColumnSource>,
    /// Whether its rows hold just the table's own columns, in their order.
    pub in_order: bool,
    /// How many rows come before the header row.
    pub above: u64,
    /// The row of the column names.
    header_row: u64,
    /// What was noted of it as a whole.
    pub notes: Vec<PartNote>,
    /// Fields without a column name, which are to have no value either.
    pub empty: Vec<usize>,
    /// Texts that mean blank.
    pub blank: Vec<String>,
    /// What becomes of a row that looks like a total.
    pub total_rows: Option<TotalRows>,
    /// Which of them are totals.
    pub judged: JudgedOnce,
    /// How its values are written.
    pub style: PartStyle,
    /// How they were found to be written, and what was left open.
    pub(super) found: FoundStyle,
    /// What each of its fields looks like.
    pub evidence: Vec<Evidence>,
    /// Columns that would be numbers or days but for texts that seem to mean blank, with one of these.
    pub marks: Vec<(String, String)>,
    /// Columns in which some cells are numbers by themselves and others are texts with numbers.
    pub mixed: Vec<String>,
}

/// Where a part has a column of the table.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum ColumnSource {
    /// A field of its rows.
    Field(usize),
    /// A column that is made of several fields, or of several values in a cell, by number.
    Made(usize),
    /// One text in all rows.
    Same(String),
    /// It is computed from the other columns.
    Computed,
    /// The part lacks the column.
    Absent,
}

/// A table whose files have been found and whose column names have been read.
#[derive(Clone)]
pub struct Table {
    /// Its name.
    pub name: String,
    /// Its parts.
    pub parts: Vec<Part>,
    /// Its columns.
    pub columns: TableColumns,
    /// The columns that a part may lack.
    pub optional: Vec<String>,
    /// Column names in which parts differ from the others.
    pub drift: Vec<Drift>,
}

/// The columns of a table that are asked for.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum WantedColumns {
    /// All of them.
    All,
    /// These, by number.
    Some(Vec<usize>),
}

impl WantedColumns {
    /// The fields of a part that these columns take.
    pub fn of(&self, part: &Part) -> Wanted {
        let WantedColumns::Some(columns) = self else { return Wanted::All };
        if !part.columns.is_plain() || part.columns.filter.is_some() {
            return Wanted::All;
        }
        let mut fields = vec![false; part.width()];
        part.empty.iter().for_each(|field| fields[*field] = true);
        for column in columns {
            if let ColumnSource::Field(field) = part.sources[*column] {
                fields[field] = true;
            }
        }
        Wanted::Fields(fields)
    }
}

/// A file whose column names were read.
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
    /// Finds the files of a table and reads their column names.
    pub fn open(
        plan: &Plan,
        table: &Entry<TableEntry>,
        scope: &SearchScope<'_>,
    ) -> Result<Table, Error> {
        let found = find(plan, table, scope)?;
        let headed = found.iter().map(|found| read_header(plan, &table.name, found));
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
                return Err(Mistake::in_plan(
                    MistakeKind::DuplicateName,
                    table.name_span.clone(),
                    message,
                )
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
        let drift = crate::table::column_drift::drift(&parts, &names[..from_files]);
        let columns = TableColumns { slots, names };
        Ok(Table { name: table.name.clone(), parts, columns, optional, drift })
    }

    /// Refuses columns that the plan needs and that a part lacks, or has twice.
    pub fn require(&self, columns: impl Iterator<Item = usize>) -> Result<(), Error> {
        for column in columns {
            let name = &self.columns.names[column];
            for part in &self.parts {
                if part.sources[column] == ColumnSource::Absent && !self.optional.contains(name) {
                    return Err(self.lacking(part, name));
                }
                if part.columns.repeated.contains(name) {
                    let message = format!("has the column `{name}` twice, and the plan needs it");
                    return Err(Error::input(InputKind::Header, &part.name, message)
                        .at_row(part.header_row)
                        .help("rename one of the two in the file"));
                }
            }
        }
        Ok(())
    }

    fn lacking(&self, part: &Part, name: &str) -> Error {
        let message = format!("has no column `{name}`, which the plan needs in `{}`", self.name);
        let likely = self.drift.iter().find_map(|drift| match drift {
            Drift::Missing { part: shown, column, likely: Some(likely) }
                if *shown == part.name.shown && column == name =>
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
                "its columns are {}; name the one that is meant in [tables.{}.columns], set `header-row`, \
                 or add `leave-out`",
                listed(&part.column_names),
                key(&self.name)
            ),
        };
        Error::input(InputKind::Header, &part.name, message).at_row(part.header_row).help(help)
    }
}

/// Looks at a file and settles its columns.
fn read_header(plan: &Plan, table: &str, found: &Found<'_>) -> Result<Headed, Error> {
    let files = &found.files;
    let given = TableSettings::of(plan, &files.settings)?;
    let mut head = found.container.look(&found.what, &found.name, given)?;
    let named = plan.named_columns(table);
    let columns = PartColumns::new(plan, files, &head.column_names, &head.empty, &named).map_err(
        |mistake| Mistake { message: format!("{} ({})", mistake.message, found.name), ..mistake },
    )?;
    let mut ways: Vec<(String, Way)> = ways(plan, &files.columns)?.into_iter().collect();
    let texts = plan.text_columns(table);
    let mut notes = vec![FieldNote::default(); head.column_names.len()];
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
    let styles: Vec<Style> = looked.ways.iter().map(|way| way.style(&looked.found.style)).collect();
    if let Some(styled) = head.source.styled(&styles) {
        head.source = styled;
    }
    // What is typed by itself is written in its own way, whatever the rest of the part does.
    for (number, name) in columns.names.iter().enumerate() {
        for field in columns.fields(number) {
            match ways.iter_mut().find(|(own, _)| own == name) {
                Some((_, way)) => *way = way.or(looked.ways[field]),
                None if looked.ways[field] != Way::default() => {
                    ways.push((name.clone(), looked.ways[field]));
                }
                None => {}
            }
        }
    }
    let mut same = found.slots.clone();
    for set in &files.set {
        if !same.iter().any(|(name, _)| *name == set.name) {
            same.push((set.name.clone(), set.value.0.clone()));
        }
    }
    if let Some((name, text)) = same.iter().find(|(name, _)| columns.names.contains(name)) {
        let is_slot = found.slots.iter().any(|(slot, _)| slot == name);
        let (what, fix) = match is_slot {
            true => ("its name gives", "give the slot of the pattern another name"),
            false => ("the plan gives", "take it out of `set`, or set a column of another name"),
        };
        return Err(Error::input(
            InputKind::Header,
            &found.name,
            format!("has a column `{name}`, to which {what} `{text}`"),
        )
        .help(fix));
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
            return ColumnSource::Computed;
        }
        match own.get(name.as_str()).copied() {
            Some(number) => match columns.from[number] {
                From::Field(field) if columns.is_plain() => ColumnSource::Field(field),
                _ => ColumnSource::Made(number),
            },
            None => match same.iter().find(|(own, _)| own == name) {
                Some((_, text)) => ColumnSource::Same(text.clone()),
                None => ColumnSource::Absent,
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
    let mixed = looked.mixed.iter().filter_map(|field| name_of(*field)).collect();
    Part {
        sources: names.iter().map(source).collect(),
        in_order: columns.is_plain() && empty.is_empty() && columns.names == names[..from_files],
        path: found.path.clone(),
        seen: found.seen.clone(),
        name: named(&found.name, &columns, &head),
        source: head.source,
        above: head.above,
        header_row: head.header_row,
        notes: head.notes,
        blank: given.blank.map_or_else(Vec::new, |marks| marks.get_ref().0.clone()),
        total_rows: given.total_rows,
        judged: JudgedOnce::default(),
        style: PartStyle {
            style: looked.found.style,
            ways: ways.collect(),
            rivals: looked.found.rivals.clone(),
        },
        found: looked.found,
        evidence: looked.evidence,
        marks,
        mixed,
        column_names: head.column_names,
        columns,
        empty,
    }
}

/// The name of a part, with the letters of its columns where it is a sheet.
fn named(name: &PartName, columns: &PartColumns, head: &Head) -> PartName {
    if name.sheet.is_none() {
        return name.clone();
    }
    let letter = |field: usize| head.first_column + field as u32;
    let of = |(number, name): (usize, &String)| {
        columns.fields(number).first().map(|field| (name.clone(), letter(*field)))
    };
    let mut known: Vec<(String, u32)> = columns.names.iter().enumerate().filter_map(of).collect();
    known.extend(head.column_names.iter().enumerate().map(|(field, h)| (h.clone(), letter(field))));
    let sheet = SheetColumns { columns: known, first: head.first_column };
    PartName { sheet: Some(Arc::new(sheet)), ..name.clone() }
}

/// The error for a file that somebody writes to while it is read.
pub fn changed(name: &PartName) -> Error {
    Error::input(InputKind::Changed, name, "changed while it was read")
        .help("run again when nothing writes to it")
}

impl Part {
    /// How the part is written: what is not as outputs are is reported, and what was found.
    pub fn in_words(&self) -> String {
        let mut words = self.source.in_words();
        let types: Vec<ColumnType> =
            (0..self.sources.len()).map(|column| self.looks_like(column)).collect();
        if types.iter().any(|t| matches!(t, ColumnType::Number | ColumnType::Percent)) {
            words.push(format!("numbers {}", self.style.style.numbers));
        }
        if types.contains(&ColumnType::Date) {
            words.push(format!("dates {}", self.style.style.dates));
        }
        words.join(", ")
    }

    /// Opens the part at its first row below the column names.
    pub fn open(&self, wanted: &Wanted) -> Result<Box<dyn Reader>, Error> {
        self.refuse_changed()?;
        let reader = guarded(&self.name, || self.source.open(wanted))?;
        Ok(Box::new(Guarded { reader, name: self.name.clone() }))
    }

    /// Opens some rows of the part; all of them where it can only be read from its first one.
    pub fn open_stretch(&self, wanted: &Wanted, rows: Stretch) -> Result<Box<dyn Reader>, Error> {
        self.refuse_changed()?;
        match guarded(&self.name, || self.source.open_stretch(wanted, rows))? {
            Some(reader) => Ok(Box::new(Guarded { reader, name: self.name.clone() })),
            None => self.open(wanted),
        }
    }

    /// Refuses a file that is no longer the one that was looked at.
    pub fn refuse_changed(&self) -> Result<(), Error> {
        match self.seen.as_ref().is_some_and(Snapshot::has_changed) {
            true => Err(changed(&self.name)),
            false => Ok(()),
        }
    }

    /// The part with its total rows.
    pub fn with_totals(&self) -> Part {
        Part { total_rows: Some(TotalRows::Keep), ..self.clone() }
    }

    /// A noted cell with where it is.
    pub fn noted_words(&self, cell: &str) -> String {
        format!("{}{cell}", self.name)
    }

    /// How many fields its rows have.
    pub fn width(&self) -> usize {
        self.column_names.len()
    }

    /// What the values of a column are, as far as it was looked at.
    pub fn looks_like(&self, column: usize) -> ColumnType {
        self.evidence_of(column).found_type()
    }

    /// What the values of a column look like, as far as they were looked at.
    pub fn evidence_of(&self, column: usize) -> Evidence {
        let fields = match &self.sources[column] {
            ColumnSource::Field(field) => vec![*field],
            ColumnSource::Made(number) => self.columns.fields(*number),
            ColumnSource::Same(_) | ColumnSource::Computed | ColumnSource::Absent => Vec::new(),
        };
        let mut evidence = Evidence::default();
        fields.iter().for_each(|field| evidence.merge(&self.evidence[*field]));
        evidence
    }
}
