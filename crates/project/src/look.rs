//! What the tables hold: every row read once, every column summed up; and rows themselves.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use crate::error::Error;
use arrow_array::StringViewArray;
use interligo_discover::profile::{ColumnProfile, ColumnSummary, WrittenAs, limit};
use interligo_engine::bind::{RowColumns, RowExpr};
use interligo_engine::proof::findings::{Noted, Unreadable};
use interligo_model::place::Place;
use interligo_model::place::Spot;
use interligo_model::plan::{ColumnType, Mistake, MistakeKind, Plan, Role, Written, quoted};
use interligo_model::row_counts::RowCounts;
use interligo_sources::formats::{
    Address, Containers, Wanted, is_address, named_on_command_line, shown_address,
};
use interligo_sources::in_order::in_order;
use interligo_sources::table::column_drift::Drift;
use interligo_sources::table::parts::{Part, Table, WantedColumns};
use interligo_sources::table::parts_found::{pattern_of, split};
use interligo_sources::table::questions::Question;
use interligo_sources::table::rows::Rows;

use crate::parallelism::Parallelism;
use crate::project::Project;
use crate::run::stream::{Item, Stream};

/// The distinct values that are kept of a column that is looked at by itself.
const VALUES: usize = 1_000_000;

/// How many bytes are read at a time where rows are looked for.
const BLOCK: usize = 1 << 19;

/// What a table holds.
pub struct TableProfile {
    /// Its name.
    pub name: String,
    /// What the plan has it for.
    pub role: Role,
    /// Its files.
    pub parts: Vec<PartProfile>,
    /// Its columns.
    pub columns: Vec<ColumnLook>,
    /// What the rows of all files became.
    pub rows: RowCounts,
    /// Rows whose fields or whose lists in cells do not go with the column names.
    pub malformed: u64,
    /// Rows that were left out as totals, and rows that merely look like it.
    pub totals: Vec<(Place, String)>,
    /// Rows that look like totals and are none.
    pub suspects: Vec<(Place, String)>,
    /// What has two readings, and the settings that decide.
    pub questions: Vec<Question>,
    /// Texts that seem to mean blank: the file, the column and the text.
    pub marks: Vec<(String, String, String)>,
    /// Column names in which the files differ.
    pub drift: Vec<Drift>,
    /// What was noted: what it is, how often, and the first place.
    pub noted: Vec<(Noted, u64, String)>,
}

/// One file of a table.
pub struct PartProfile {
    /// The file.
    pub part: String,
    /// How it is written, in words.
    pub written: String,
    /// What became of its rows.
    pub rows: RowCounts,
}

/// One column.
pub struct ColumnLook {
    /// Its name.
    pub name: String,
    /// Whether the plan works it out from the others.
    pub computed: bool,
    /// What is in it.
    pub summary: ColumnSummary,
    profile: ColumnProfile,
}

impl ColumnLook {
    /// The distinct values with their counts, those with the most rows first, and how many rows have
    /// values that are not kept.
    pub fn values(&self) -> (Vec<(String, u64)>, u64) {
        let (values, further) = self.profile.values();
        (values.into_iter().map(|(text, count)| (text.into_owned(), count)).collect(), further)
    }
}

/// Rows of a table as they are in its files.
pub struct TableRows {
    /// The names of the columns.
    pub columns: Vec<String>,
    /// The rows, each with its place.
    pub rows: Vec<(Place, Vec<String>)>,
    /// Whether there are more.
    pub more: bool,
}

/// The tables in a file or database that nobody described; one without a name where the file is the table.
/// `None` when there is no such file.
///
/// # Errors
/// It cannot be read.
pub fn tables_in(name: &str) -> Result<Option<Vec<String>>, Error> {
    let (path, table) = split_named(name);
    if files_together(name).is_some() {
        return Ok(Some(vec![name.to_owned()]));
    }
    let address = Address { shown: shown_address(&path)?, path: PathBuf::from(&path) };
    if !is_address(&path) && !address.path.exists() {
        return Ok(None);
    }
    if table.is_some() {
        return Ok(Some(vec![name.to_owned()]));
    }
    let inner = Containers::default().open(&address)?.tables()?;
    let doubled = |text: &str| text.replace('#', "##");
    Ok(Some(match inner {
        None => vec![name.to_owned()],
        Some(tables) => {
            let file = if is_address(&path) { path.clone() } else { doubled(&path) };
            tables.iter().map(|table| format!("{file}#{}", doubled(table))).collect()
        }
    }))
}

/// A pattern for files that are one table, where `name` is such a pattern, or a folder with files of one kind; with the name
/// of that table.
fn files_together(name: &str) -> Option<(String, String)> {
    let path = Path::new(name);
    if path.exists() && !path.is_dir() || is_address(name) {
        return None;
    }
    if !path.is_dir() {
        let has_signs = name.contains(['*', '?']);
        let folder = path.parent().and_then(Path::file_name).unwrap_or(path.as_os_str());
        return has_signs.then(|| (name.to_owned(), folder.to_string_lossy().into_owned()));
    }
    let files = std::fs::read_dir(path).ok()?.flatten().map(|entry| entry.file_name());
    let mut endings = files.filter_map(|file| {
        let file = file.into_string().ok().filter(|file| !file.starts_with('.'))?;
        file.split_once('.').map(|(_, ending)| ending.to_owned())
    });
    let ending = endings.next()?;
    let is_one_kind = endings.all(|other| other == ending);
    let folder = path.canonicalize().ok()?.file_name()?.to_string_lossy().into_owned();
    let inside = pattern_of(name.trim_end_matches('/'), None);
    is_one_kind.then(|| (format!("{inside}/*.{ending}"), folder))
}

/// What a command line names, as messages show it: without any secret.
pub fn shown_name(name: &str) -> String {
    named_on_command_line(name)
}

/// A path as it is where there is such a file; else what comes before and behind `#`.
fn split_named(name: &str) -> (String, Option<String>) {
    match Path::new(name).exists() {
        true => (name.to_owned(), None),
        false => split(name),
    }
}

/// A plan for one table of a file or database that nobody described.
///
/// # Errors
/// Its name cannot be that of a table.
pub fn plan_for(name: &str) -> Result<Plan, Error> {
    if let Some((pattern, own)) = files_together(name) {
        return Ok(Plan::parse(&format!(
            "[tables.{}]\nfrom = {}\n",
            quoted(&own),
            quoted(&pattern)
        ))?);
    }
    let (path, table) = split_named(name);
    let stem = || Path::new(&path).file_stem().map(|stem| stem.to_string_lossy().into_owned());
    let own = table.clone().or_else(stem).unwrap_or_else(|| path.clone());
    let from = quoted(&pattern_of(&path, table.as_deref()));
    Ok(Plan::parse(&format!("[tables.{}]\nfrom = {from}\n", quoted(&own)))?)
}

/// How each column of a part is written.
type Way = Vec<Option<WrittenAs>>;

/// What a worker gathers, by the way in which files are written.
type Profiles = Vec<Option<Vec<ColumnProfile>>>;

/// The ways in which the parts of a table are written, and the number of the way of each part: parts that
/// are written alike are counted together, as they are written.
fn ways(table: &Table, columns: &[usize], types: &[ColumnType]) -> (Vec<Way>, Vec<usize>) {
    let mut ways: Vec<Way> = Vec::new();
    let way = |part: &Part| {
        let of =
            |column: &usize| WrittenAs::other_than_outputs(types[*column], part.style.of(*column));
        let way: Way = columns.iter().map(of).collect();
        ways.iter().position(|known| *known == way).unwrap_or_else(|| {
            ways.push(way);
            ways.len() - 1
        })
    };
    let of_parts = table.parts.iter().map(way).collect();
    (ways, of_parts)
}

impl Project {
    /// The tables that were opened.
    pub fn table_names(&self) -> impl Iterator<Item = &str> {
        self.tables().iter().map(|table| table.name.as_str())
    }

    /// How many bytes the files of a table have.
    pub fn bytes(&self, table: &str) -> u64 {
        self.table(table).parts.iter().filter_map(|part| part.source.bytes()).sum()
    }

    /// Reads a table and sums up its columns; only one of them if `only` says so. `progress` is told how
    /// many bytes and lines were read.
    ///
    /// # Errors
    /// A file that cannot be read; a column that the table has not.
    pub fn profile(
        &self,
        name: &str,
        only: Option<&str>,
        parallelism: Parallelism,
        progress: &(dyn Fn(u64, u64) + Sync),
    ) -> Result<TableProfile, Error> {
        let table = self.table(name);
        let columns = self.columns_of(table, only)?;
        let looked_at = self.row_columns(table)?;
        let types = looked_at.types();
        let cells: Vec<CellsOf> =
            columns.iter().map(|column| CellsOf::new(*column, &looked_at)).collect();
        let wanted = WantedColumns::Some(cells.iter().flat_map(CellsOf::columns).collect());
        let kept = if only.is_some() { VALUES } else { limit(columns.len()) };
        let mut stream = Stream::new(table, parallelism.block, &wanted, progress);
        let mut rows: Vec<RowCounts> = vec![RowCounts::default(); table.parts.len()];
        let mut met = Met::default();
        let (ways, way_of) = ways(table, &columns, types);
        let new = |way: &Way| -> Vec<ColumnProfile> {
            way.iter().map(|written| ColumnProfile::new(kept, *written)).collect()
        };
        let gather = |profiles: &mut Profiles, (item, number, block): Item| {
            let part = &table.parts[number];
            let rows = Rows::of(block, table, part)?;
            let way = way_of[number];
            let profiles = profiles[way].get_or_insert_with(|| new(&ways[way]));
            for (profile, cells) in profiles.iter_mut().zip(&cells) {
                profile.add(&cells.values(&rows, part)?, item << 32);
            }
            Ok::<_, Error>((number, Met::of(&rows, number), rows.counts))
        };
        let workers = in_order(
            parallelism.threads,
            || stream.next(),
            || ways.iter().map(|_| None).collect::<Profiles>(),
            gather,
            |(part, here, counts): (usize, Met, RowCounts)| {
                rows[part].absorb(&counts);
                met.absorb(here);
                Ok(())
            },
        )?;
        let mut profiles: Vec<ColumnProfile> =
            columns.iter().map(|_| ColumnProfile::new(kept, None)).collect();
        for mut other in workers.into_iter().flatten().flatten() {
            other.iter_mut().for_each(ColumnProfile::make_plain);
            profiles.iter_mut().zip(&other).for_each(|(own, other)| own.merge(other));
        }
        // Where the plan is silent, all values say the type, and not only those looked at first.
        let declared = |column: usize| {
            let text = (types[column] == ColumnType::Text).then_some(ColumnType::Text);
            self.declared(table, column).or(text)
        };
        let of = |((column, cells), profile): ((&usize, &CellsOf), ColumnProfile)| ColumnLook {
            name: table.columns.names[*column].clone(),
            computed: matches!(cells, CellsOf::WorkedOut(_)),
            summary: profile.summary(declared(*column)),
            profile,
        };
        let columns = columns.iter().zip(&cells).zip(profiles).map(of);
        Ok(self.profile_of(table, columns.collect(), rows, met))
    }

    fn profile_of(
        &self,
        table: &Table,
        columns: Vec<ColumnLook>,
        rows: Vec<RowCounts>,
        met: Met,
    ) -> TableProfile {
        let mut all = RowCounts::default();
        rows.iter().for_each(|rows| all.absorb(rows));
        let place = |(spot, cells): (Spot, String)| {
            (Place::row(table.parts[spot.part].name.clone(), spot.row), cells)
        };
        let used: Vec<usize> = (0..table.columns.names.len()).collect();
        let entry = self.plan.tables.get(&table.name);
        TableProfile {
            name: table.name.clone(),
            role: entry.map_or_else(Role::default, |entry| entry.value.role),
            questions: table.questions(&used),
            marks: self
                .blank_marks()
                .filter(|(name, ..)| *name == table.name)
                .map(|(_, part, column, mark)| {
                    (part.to_owned(), column.to_owned(), mark.to_owned())
                })
                .collect(),
            drift: table.drift.clone(),
            parts: table
                .parts
                .iter()
                .zip(rows)
                .map(|(part, rows)| PartProfile {
                    part: part.name.to_string(),
                    written: part.in_words(),
                    rows,
                })
                .collect(),
            columns,
            rows: all,
            malformed: met.malformed,
            totals: met.totals.into_iter().map(place).collect(),
            suspects: met.suspects.into_iter().map(place).collect(),
            noted: self.noted(table, met.cells),
        }
    }

    fn noted(
        &self,
        table: &Table,
        cells: BTreeMap<Noted, Unreadable>,
    ) -> Vec<(Noted, u64, String)> {
        let notes = self.part_notes().into_iter().filter(|note| note.table == table.name);
        let notes = notes.map(|note| (note.what, 1, format!("{}: {}", note.part, note.words)));
        let cells = cells.into_iter().map(|(what, cells)| {
            let first = cells.first.first();
            let first = first.map(|(spot, words)| table.parts[spot.part].noted_words(words));
            (what, cells.count, first.unwrap_or_default())
        });
        notes.chain(cells).collect()
    }

    /// The columns of a table; only one if `only` says so.
    fn columns_of(&self, table: &Table, only: Option<&str>) -> Result<Vec<usize>, Error> {
        let mut columns: Vec<usize> = (0..table.columns.names.len()).collect();
        if let Some(only) = only {
            columns.retain(|column| table.columns.names[*column] == only);
            if columns.is_empty() {
                let written = Written::in_option("--column", only, 0..only.len());
                return Err(written
                    .mistaken(
                        MistakeKind::UnknownName,
                        format!("`{}` has no column `{only}`", table.name),
                    )
                    .nearest(only, table.columns.names.iter().map(String::as_str))
                    .into());
            }
        }
        Ok(columns)
    }

    /// The type that the plan says of a column.
    fn declared(&self, table: &Table, column: usize) -> Option<ColumnType> {
        let name = &table.columns.names[column];
        let entry = &self.plan.tables.get(&table.name)?.value;
        let parts = entry.part.iter().map(|part| &part.get_ref().columns);
        [&entry.columns]
            .into_iter()
            .chain(parts)
            .flatten()
            .filter(|entry| entry.value.name(&entry.name) == name)
            .find_map(|entry| entry.value.column_type)
    }

    /// The types of a table's columns: as the plan says, or as the rows that were looked at have them.
    fn types(&self, table: &Table) -> Vec<ColumnType> {
        let texts = self.plan.text_columns(&table.name);
        let of = |(column, name): (usize, &String)| {
            if texts.contains(name) {
                return ColumnType::Text;
            }
            if let Some(declared) = self.declared(table, column) {
                return declared;
            }
            let mut all = interligo_model::reading::evidence::Evidence::default();
            table.parts.iter().for_each(|part| all.merge(&part.evidence_of(column)));
            // A code that some file would make a number stays text everywhere.
            match all.filled {
                0 => ColumnType::Number,
                _ => all.mostly(),
            }
        };
        table.columns.names.iter().enumerate().map(of).collect()
    }

    /// The first rows of a table, at most `most`; only those for which a condition holds, if there is one.
    ///
    /// # Errors
    /// A file that cannot be read, a condition that is none.
    pub fn rows(&self, name: &str, test: Option<&str>, most: usize) -> Result<TableRows, Error> {
        let table = self.table(name);
        let looked_at = self.row_columns(table)?;
        let written = test.map(|text| Written::in_option("--where", text, 0..text.len()));
        let test = written.map(|written| looked_at.condition(&written)).transpose()?;
        let names = &table.columns.names;
        let cells = (0..names.len()).map(|column| CellsOf::new(column, &looked_at));
        let cells: Vec<CellsOf> = cells.collect();
        let mut found = TableRows { columns: names.clone(), rows: Vec::new(), more: false };
        for part in &table.parts {
            let mut reader = part.open(&Wanted::All)?;
            while let Some(block) = reader.next(BLOCK)? {
                let rows = Rows::of(block, table, part)?;
                let holds = match &test {
                    Some(test) => {
                        let values = |column| rows.values(part, column);
                        test.holds(rows.len(), &part.style, values)?
                    }
                    None => vec![true; rows.len()],
                };
                let wanted: Vec<usize> = (0..rows.len()).filter(|row| holds[*row]).collect();
                if wanted.is_empty() {
                    continue;
                }
                let texts: Result<Vec<_>, Error> =
                    cells.iter().map(|cells| cells.texts(&rows, part)).collect();
                let texts = texts?;
                for row in wanted {
                    if found.rows.len() == most {
                        found.more = true;
                        return Ok(found);
                    }
                    let cells = texts.iter().map(|texts| texts.value(row).to_owned()).collect();
                    found.rows.push((Place::row(part.name.clone(), rows.row_of(row)), cells));
                }
            }
        }
        Ok(found)
    }

    fn row_columns<'a>(&self, table: &'a Table) -> Result<RowColumns<'a>, Mistake> {
        RowColumns::new(&self.plan, &table.name, &table.columns.names, self.types(table))
    }
}

/// Where the cells of a column come from.
enum CellsOf {
    Read(usize),
    WorkedOut(RowExpr),
}

impl CellsOf {
    fn new(column: usize, of: &RowColumns<'_>) -> CellsOf {
        of.computed(column).map_or(CellsOf::Read(column), CellsOf::WorkedOut)
    }

    /// The columns that are read for it.
    fn columns(&self) -> Vec<usize> {
        match self {
            CellsOf::Read(column) => vec![*column],
            CellsOf::WorkedOut(expr) => expr.columns().collect(),
        }
    }

    /// Its cells as they were read.
    fn texts(&self, rows: &Rows, part: &Part) -> Result<StringViewArray, Error> {
        match self {
            CellsOf::Read(column) => Ok(rows.texts(part, *column)),
            CellsOf::WorkedOut(_) => self.values(rows, part),
        }
    }

    /// The same with blanks where the plan says that a text means blank.
    fn values(&self, rows: &Rows, part: &Part) -> Result<StringViewArray, Error> {
        match self {
            CellsOf::Read(column) => Ok(rows.values(part, *column)),
            CellsOf::WorkedOut(expr) => {
                let values = |column| rows.values(part, column);
                Ok(expr.texts(rows.len(), &part.style, values)?)
            }
        }
    }
}

/// What was met besides the values.
#[derive(Default)]
struct Met {
    cells: BTreeMap<Noted, Unreadable>,
    malformed: u64,
    totals: Vec<(Spot, String)>,
    suspects: Vec<(Spot, String)>,
}

impl Met {
    fn of(rows: &Rows, part: usize) -> Met {
        let spots = |rows: &[(u64, String)]| -> Vec<(Spot, String)> {
            rows.iter().map(|(row, cells)| (Spot { part, row: *row }, cells.clone())).collect()
        };
        let mut cells: BTreeMap<Noted, Unreadable> = BTreeMap::new();
        for (what, row, cell) in rows.noted() {
            cells.entry(*what).or_default().note(Spot { part, row: *row }, || cell.clone());
        }
        Met {
            cells,
            malformed: (rows.grid.ragged().len() + rows.uneven().len()) as u64,
            totals: spots(&rows.totals),
            suspects: spots(&rows.suspects),
        }
    }

    fn absorb(&mut self, other: Met) {
        for (what, cells) in other.cells {
            self.cells.entry(what).or_default().absorb(cells);
        }
        self.malformed += other.malformed;
        self.totals.extend(other.totals);
        self.suspects.extend(other.suspects);
    }
}
