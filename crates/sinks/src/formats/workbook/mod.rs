//! Workbooks of the open format XLSX: each output is a sheet, after one about the run.
//!
//! Rows go to the disk as they come. Numbers are cells of up to 15 digits, which is what a cell can show; of more digits
//! only ratios are rounded, all else is kept as text.

mod about;
mod cell;
mod cell_formula;
mod formulas;
mod live_lines;
mod live_totals;
mod lookup_sheet;
mod marks;
mod sheet;
mod styles;

use std::collections::BTreeMap;
use std::io::Read;
use std::path::{Path, PathBuf};

use interligo_engine::outputs::OutputColumn;
use interligo_sources::formats::caught;
use rust_xlsxwriter::{DocProperties, ExcelDateTime, Workbook as XlsxFile, Worksheet, XlsxError};

use crate::background::Background;
use crate::containers::{Container, Finished};
use crate::error::{Error, OutputErrorKind};
use crate::format::{LinesShape, OutputFormat, RowColumn, Target, WriteRows};
use crate::output_file::{OutputFile, Through};
use crate::run_facts::RunFacts;
use live_lines::LinesSheet;
use lookup_sheet::LookupSheet;
use sheet::SheetRows;

/// The rows that a sheet may have, by its format.
const MOST_ROWS: u32 = 1_048_576;

/// The columns that a sheet may have.
const MOST_COLUMNS: usize = 16_384;

/// The property by which a workbook of this program is known.
const MARK: &str = "Interligo";

/// A workbook.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Workbook {
    /// Whether totals by one attribute are drawn.
    pub charts: bool,
    /// Whether figures, attributes and totals are formulas.
    pub formulas: bool,
    /// The sheets in their order, where the plan gives one.
    pub sheets: Vec<String>,
}

impl Default for Workbook {
    fn default() -> Workbook {
        Workbook { charts: true, formulas: false, sheets: Vec::new() }
    }
}

impl OutputFormat for Workbook {
    fn holds_several(&self) -> bool {
        true
    }

    fn has_notes(&self) -> bool {
        true
    }

    fn refuse_table(&self, name: &str) -> Option<String> {
        refuse_name(name)
    }

    fn may_replace(&self, path: &Path) -> bool {
        has_mark(path)
    }

    fn is_edited(&self) -> bool {
        true
    }

    fn begin(
        &self,
        target: &Target<'_>,
        columns: &[RowColumn],
    ) -> Result<Box<dyn WriteRows>, Error> {
        if columns.len() > MOST_COLUMNS {
            let reason = format!("a sheet has {MOST_COLUMNS} columns at most");
            return Err(Error::new(OutputErrorKind::TooLarge, target.path, reason));
        }
        let book = target.containers.at(target.path, || {
            let book = Book::create(target.path, target.file()?, self.sheets.clone())?;
            Ok(Box::new(book) as Box<dyn Container>)
        })?;
        let rows = SheetRows::new(book, self, target, columns)?;
        Background::of(Box::new(rows), target.path)
    }
}

/// Whether a workbook has the property by which those of this program are known.
fn has_mark(path: &Path) -> bool {
    let read = || {
        let mut archive = zip::ZipArchive::new(std::fs::File::open(path).ok()?).ok()?;
        let properties = archive.by_name("docProps/custom.xml").ok()?;
        let mut text = String::new();
        properties.take(1 << 20).read_to_string(&mut text).ok()?;
        Some(text)
    };
    read().is_some_and(|text| text.contains(&format!("name=\"{MARK}\"")))
}

/// Why a sheet cannot have a name, if so.
fn refuse_name(name: &str) -> Option<String> {
    if name.is_empty() || name.chars().count() > 31 {
        return Some("the name of a sheet has 1 to 31 characters".to_owned());
    }
    if name.eq_ignore_ascii_case(about::NAME) {
        return Some(format!("the first sheet is called `{}`", about::NAME));
    }
    let unfit = |c: char| "[]:*?/\\".contains(c) || c.is_control();
    if name.contains(unfit) || name.starts_with('\'') || name.ends_with('\'') {
        return Some(
            "the name of a sheet has none of [ ] : * ? / \\ and no ' at its ends".to_owned(),
        );
    }
    None
}

/// A workbook that is being written.
pub(super) struct Book {
    path: PathBuf,
    file: Option<OutputFile>,
    workbook: XlsxFile,
    /// The sheets, in the order in which they were begun.
    sheets: Vec<BookSheet>,
    /// The order in which the plan wants them.
    order: Vec<String>,
    /// By fact, the sheet with its lines, where it has formulas.
    lines: BTreeMap<String, LinesSheet>,
    /// What to know of it.
    notes: Vec<String>,
}

/// A sheet of a workbook, with what is known of it.
struct BookSheet {
    name: String,
    /// Numbers that are kept as text.
    as_text: u64,
    /// The columns with formulas in which cells hold values, with how many.
    kept: Vec<(String, u64)>,
    /// Rows of totals with a note.
    marked: usize,
}

impl Book {
    fn create(path: &Path, file: OutputFile, order: Vec<String>) -> Result<Book, Error> {
        let mut workbook = XlsxFile::new();
        let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty());
        let folder = folder.unwrap_or(Path::new("."));
        workbook.set_tempdir(folder).map_err(|error| failed(path, &error))?;
        let about = workbook.add_worksheet_with_constant_memory();
        about.and_then(|sheet| sheet.set_name(about::NAME)).map_err(|e| failed(path, &e))?;
        // The same run gives the same bytes, whenever it is.
        let day = ExcelDateTime::from_ymd(2000, 1, 1).map_err(|error| failed(path, &error))?;
        let properties = DocProperties::new()
            .set_custom_property(MARK, env!("CARGO_PKG_VERSION"))
            .set_creation_datetime(&day);
        workbook.set_properties(&properties);
        Ok(Book {
            path: path.to_owned(),
            file: Some(file),
            workbook,
            sheets: Vec::new(),
            order,
            lines: BTreeMap::new(),
            notes: Vec::new(),
        })
    }

    /// Begins a sheet, kept in memory or not; the answer is its number.
    fn add(&mut self, name: &str, in_memory: bool) -> Result<usize, Error> {
        let sheet = match in_memory {
            true => Ok(self.workbook.add_worksheet()),
            false => self.workbook.add_worksheet_with_constant_memory(),
        };
        let sheet = sheet.and_then(|sheet| sheet.set_name(name));
        // What a formula without any result is stored with: blank, and not zero.
        sheet.map_err(|error| failed(&self.path, &error))?.set_formula_result_default("");
        self.sheets.push(BookSheet {
            name: name.to_owned(),
            as_text: 0,
            kept: Vec::new(),
            marked: 0,
        });
        Ok(self.sheets.len() - 1)
    }

    /// Adds the lookups whose attributes a sheet of lines has, each as a sheet; by lookup.
    fn add_lookups(
        &mut self,
        shape: &LinesShape<'_>,
    ) -> Result<BTreeMap<usize, LookupSheet>, Error> {
        let engine = shape.engine;
        let links: Vec<usize> = shape
            .columns
            .iter()
            .filter_map(|column| match column {
                OutputColumn::LinkRow { link, .. } => Some(*link),
                _ => None,
            })
            .collect();
        let mut added = BTreeMap::new();
        for link in &links {
            let number = engine.lookup_of(*link);
            let lookup = &engine.lookups[number];
            if added.contains_key(&number) || lookup.rows_with_fill() >= MOST_ROWS {
                continue;
            }
            let from_here = |other: &usize| {
                engine.chained_to(*other).is_some_and(|parent| engine.lookup_of(parent) == number)
            };
            let next: Vec<usize> = links.iter().copied().filter(from_here).collect();
            let sheet = LookupSheet::new(&self.free_name(&lookup.name), lookup, &next);
            let own = self.add(sheet.name(), false)?;
            self.on_sheet(own, |worksheet| sheet.write(worksheet, engine, lookup))?;
            added.insert(number, sheet);
        }
        Ok(added)
    }

    /// A name that no other sheet has.
    fn free_name(&self, wanted: &str) -> String {
        let plain = |c: char| if "[]:*?/\\'".contains(c) || c.is_control() { '_' } else { c };
        let wanted: String = wanted.chars().map(plain).take(25).collect();
        let is_taken = |name: &str| {
            let mut taken = self.sheets.iter().map(|sheet| &sheet.name).chain(&self.order);
            taken.any(|other| other.to_lowercase() == name.to_lowercase())
                || refuse_name(name).is_some()
        };
        let numbered = (2..).map(|number| format!("{wanted}_{number}"));
        let mut names = std::iter::once(wanted.clone()).chain(numbered);
        names.find(|name| !is_taken(name)).unwrap_or(wanted)
    }

    /// A sheet by its number; the first is about the run.
    fn worksheet(&mut self, number: usize) -> &mut Worksheet {
        &mut self.workbook.worksheets_mut()[number + 1]
    }

    /// Writes something to a sheet.
    fn on_sheet<R>(
        &mut self,
        number: usize,
        work: impl FnOnce(&mut Worksheet) -> Result<R, XlsxError>,
    ) -> Result<R, Error> {
        let path = self.path.clone();
        // The library panics where the file of its own fills the disk in which it keeps rows.
        let sheet = self.worksheet(number);
        let done = caught(|| work(sheet)).map_err(|why| Error::broken(&path, &why))?;
        done.map_err(|error| failed(&path, &error))
    }
}

impl Container for Book {
    fn finish(&mut self, facts: &RunFacts) -> Result<Finished, Error> {
        let about = &mut self.workbook.worksheets_mut()[0];
        let notes = facts.notes.iter().chain(&self.notes);
        about::write(about, facts, notes, &self.sheets).map_err(|e| failed(&self.path, &e))?;
        // The outputs in their order, then what their formulas need.
        let wanted = if self.order.is_empty() { &facts.outputs } else { &self.order };
        let place = |sheet: &BookSheet| {
            wanted.iter().position(|name| *name == sheet.name).map_or(usize::MAX, |at| at + 1)
        };
        let places: Vec<usize> = std::iter::once(0).chain(self.sheets.iter().map(place)).collect();
        let mut sheets: Vec<(usize, Worksheet)> =
            places.into_iter().zip(std::mem::take(self.workbook.worksheets_mut())).collect();
        sheets.sort_by_key(|(place, _)| *place);
        for (_, sheet) in sheets {
            self.workbook.push_worksheet(sheet);
        }
        let mut file = self.file.take().ok_or_else(|| {
            Error::new(OutputErrorKind::Failed, &self.path, "it was written already")
        })?;
        self.workbook.save_to_writer(Through(&mut file)).map_err(|e| failed(&self.path, &e))?;
        file.account_for_all()?;
        Ok(Finished::File(file))
    }

    fn as_any(&mut self) -> &mut dyn std::any::Any {
        self
    }
}

fn failed(path: &Path, error: &XlsxError) -> Error {
    match error {
        XlsxError::IoError(error) => Error::io(path, error),
        other => Error::told(path, &other.to_string()),
    }
}
