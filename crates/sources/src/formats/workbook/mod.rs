//! Workbooks: XLSX (ECMA-376) and ODS (OASIS OpenDocument), a table for each sheet, named table or named
//! range. A sheet is read on a thread of its own, row by row; no workbook is ever in memory whole for it but
//! for the texts that its cells share, and for ODS, which can only be read at once.
//!
//! | cell | text that is made of it |
//! |---|---|
//! | text | as it is |
//! | number | its shortest decimal text, of 15 digits at most: `0.1`, `388` |
//! | number shown in percent | with its character: `12.5%` |
//! | day, by the format of the cell, counted from 1900 or 1904 | `2025-12-31`, with its time if it has one |
//! | time or duration | `08:30:00` |
//! | yes-no | `true`, `false` |
//! | formula | by the value that is stored with it |
//! | error | as it is shown: `#N/A`; noted |
//!
//! Numbers and days in a column that also holds numbers or days as text are written in the style of these.

mod error;
mod marks;
mod ods;
mod rows;
mod xlsx;

use std::cell::RefCell;
use std::fs::File;
use std::io::BufReader;
use std::path::PathBuf;
use std::sync::{Arc, Mutex, PoisonError};
use std::thread::JoinHandle;

use interligo_engine::proof::findings::Noted;
use interligo_model::place::{PartName, SheetColumns};
use interligo_model::reading::style::Style;
use interligo_model::values::date::Day;

use super::threaded::Threaded;
use super::{
    Address, Container, Format, Limits, OwnTables, Reader, Source, Wanted, What, ends_with,
    is_workbook,
};
use crate::error::{Error, InputKind};
use crate::formats::head::Head;
use crate::table::settings::TableSettings;
use error::WorkbookError;
use marks::Marks;
use rows::{Sample, SheetLayout, SheetRows};

/// Workbooks.
pub(super) struct WorkbookFormat;

/// When this many blocks of a sheet were taken, all of it is wanted, and not only its first rows.
const WHOLE: usize = 4;

/// A cell that holds something.
pub(super) enum Cell<'a> {
    Text(&'a str),
    Number(f64),
    /// A number that is shown with a currency.
    Money(f64, &'a str),
    /// A number that is shown in percent, as a fraction.
    Percent(f64),
    /// A day with the seconds of its time.
    Day(Day, u32),
    Yes(bool),
    Error(String),
}

/// Some rows and columns of a sheet, from 0; both ends belong to it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct Area {
    pub(super) rows: (u32, u32),
    pub(super) columns: (u32, u32),
}

impl Area {
    pub(super) const ALL: Area = Area { rows: (0, u32::MAX), columns: (0, u32::MAX) };

    fn has(&self, row: u32, column: u32) -> bool {
        (self.rows.0..=self.rows.1).contains(&row)
            && (self.columns.0..=self.columns.1).contains(&column)
    }
}

/// A workbook that is open.
trait Opened: Send {
    /// Its sheets, in their order, and whether they are hidden.
    fn sheets(&self) -> Vec<(String, bool)>;

    /// The sheet and the area of a named table, with its column names, or of a named range.
    fn named(&mut self, name: &str) -> Option<(String, Area)>;

    /// Hands the cells of a sheet that hold something to `each`, row by row, until it answers `false`. Cells
    /// without a value that have a format may be handed in as well, as `None`.
    fn walk(
        &mut self,
        sheet: &str,
        each: &mut dyn FnMut(u32, u32, Option<Cell<'_>>) -> bool,
    ) -> Result<(), WorkbookError>;
}

/// A workbook. As many readers as there are at a time have it open; who is done leaves it to the next.
struct Book {
    path: PathBuf,
    shown: Arc<str>,
    sheets: Vec<(String, bool)>,
    free: Mutex<Vec<Box<dyn Opened>>>,
}

impl Format for WorkbookFormat {
    fn takes(&self, name: &str) -> bool {
        is_workbook(name)
    }

    fn open(
        &self,
        at: &Address,
        limits: &Limits,
        _: &OwnTables,
    ) -> Result<Arc<dyn Container>, Error> {
        marks::refuse_other_than_workbook(&at.path, &at.shown, limits)?;
        let opened = open(&at.path, &at.shown)?;
        Ok(Arc::new(BookFile(Arc::new(Book {
            path: at.path.clone(),
            shown: at.shown.clone(),
            sheets: opened.sheets(),
            free: Mutex::new(vec![opened]),
        }))))
    }
}

fn open(path: &std::path::Path, shown: &Arc<str>) -> Result<Box<dyn Opened>, Error> {
    let file = File::open(path).map_err(|error| Error::cannot_read(shown, path, error))?;
    let reader = BufReader::new(file);
    let opened: Result<Box<dyn Opened>, WorkbookError> = match ends_with(shown, &[".ods"]) {
        true => ods::open(path, reader).map(|book| Box::new(book) as Box<dyn Opened>),
        false => xlsx::open(reader).map(|book| Box::new(book) as Box<dyn Opened>),
    };
    opened.map_err(|why| damaged(shown, &why))
}

fn damaged(part: impl Into<PartName>, why: &WorkbookError) -> Error {
    match why.is_protected() {
        true => Error::input(InputKind::Protected, part, "is protected with a password")
            .help("save it without a password, or export the sheet as CSV"),
        false => {
            Error::input(InputKind::Damaged, part, format!("cannot be read as a workbook: {why}"))
                .help("the file may be damaged or cut off; fetch it again, or save it again")
        }
    }
}

impl Book {
    /// The workbook for one reader.
    fn take(&self) -> Result<Box<dyn Opened>, Error> {
        let free = self.free.lock().unwrap_or_else(PoisonError::into_inner).pop();
        free.map_or_else(|| open(&self.path, &self.shown), Ok)
    }

    fn give_back(&self, opened: Box<dyn Opened>) {
        self.free.lock().unwrap_or_else(PoisonError::into_inner).push(opened);
    }

    /// What a sheet says of its rows and cells as a whole.
    fn marks(&self, sheet: &str) -> Result<Marks, WorkbookError> {
        match ends_with(&self.shown, &[".ods"]) {
            true => marks::of_ods(&self.path, sheet),
            false => marks::of_xlsx(&self.path, sheet),
        }
    }

    /// The sheet and the area that a name represents.
    fn area(&self, opened: &mut dyn Opened, name: &str) -> Option<(String, Area)> {
        match self.sheets.iter().any(|(sheet, _)| sheet == name) {
            true => Some((name.to_owned(), Area::ALL)),
            false => opened.named(name),
        }
    }
}

struct BookFile(Arc<Book>);

impl Container for BookFile {
    fn tables(&self) -> Result<Option<Vec<String>>, Error> {
        Ok(Some(self.0.sheets.iter().map(|(name, _)| name.clone()).collect()))
    }

    fn noun(&self) -> &'static str {
        "sheet"
    }

    fn has(&self, name: &str) -> bool {
        let Ok(mut opened) = self.0.take() else { return false };
        let has = self.0.area(&mut *opened, name).is_some();
        self.0.give_back(opened);
        has
    }

    fn name(&self, _: &What, shown: Arc<str>) -> PartName {
        PartName { shown, sheet: Some(Arc::new(SheetColumns::default())) }
    }

    fn look(&self, what: &What, name: &PartName, given: TableSettings) -> Result<Head, Error> {
        let mut opened = self.0.take()?;
        let head = self.head(&mut *opened, what, name, given);
        self.0.give_back(opened);
        head
    }
}

impl BookFile {
    fn head(
        &self,
        opened: &mut dyn Opened,
        what: &What,
        name: &PartName,
        given: TableSettings,
    ) -> Result<Head, Error> {
        let What::Table(table) = what else {
            return Err(Error::input(
                InputKind::TableNotNamed,
                name,
                "is a workbook, and no sheet of it is named",
            ));
        };
        let Some((sheet, area)) = self.0.area(opened, table) else {
            return Err(Error::input(
                InputKind::NoSuchTable,
                name,
                "is no sheet, table or named range",
            ));
        };
        let wrong = |why: WorkbookError| damaged(name, &why);
        let mut sample = Sample::new(area);
        opened
            .walk(&sheet, &mut |row, column, cell| sample.add(row, column, cell))
            .map_err(wrong)?;
        let marks = || self.0.marks(&sheet).map_err(wrong);
        let found = sample.finish(marks, &given, name)?;
        let hidden = self.0.sheets.iter().any(|(known, hidden)| *known == sheet && *hidden);
        let notes = hidden.then(|| (Noted::HiddenSheet, "a hidden sheet".to_owned()));
        let source = SheetSource {
            book: self.0.clone(),
            name: name.clone(),
            sheet: sheet.clone(),
            hidden,
            layout: found.layout,
        };
        Ok(Head {
            above: found.above,
            header_row: u64::from(source.layout.first_row).max(1),
            empty: match given.header_row {
                Some(0) => vec![false; found.column_names.len()],
                _ => Head::empty_fields(&found.column_names, &found.sample),
            },
            first_column: source.layout.first_column,
            source: Arc::new(source),
            column_names: found.column_names,
            notes: notes.into_iter().collect(),
            sample: found.sample,
            typed: found.typed,
            given,
        })
    }
}

/// What was noted of a sheet beside its cells: what it is, the first row, and in words.
fn notes(marks: &Marks, layout: &SheetLayout) -> Vec<(Noted, u64, String)> {
    let mut notes = Vec::new();
    let rows = marks.hidden.iter().copied().filter(|row| *row >= layout.first_row);
    let rows: Vec<u32> = rows.collect();
    if let Some(first) = rows.first() {
        let shown: Vec<String> = rows.iter().take(5).map(|row| (row + 1).to_string()).collect();
        let more = if rows.len() > shown.len() { ", …" } else { "" };
        let words = format!(": {} ({}{more})", counted(rows.len()), shown.join(", "));
        notes.push((Noted::HiddenRow, u64::from(*first) + 1, words));
    }
    if marks.formulas_without_value > 0 {
        let count = marks.formulas_without_value;
        let formulas = if count == 1 { "formula" } else { "formulas" };
        notes.push((Noted::NoStoredValue, 1, format!(": {count} {formulas}")));
    }
    notes
}

fn counted(rows: usize) -> String {
    if rows == 1 { "1 hidden row".to_owned() } else { format!("{rows} hidden rows") }
}

/// A sheet, or an area of one.
#[derive(Clone)]
struct SheetSource {
    book: Arc<Book>,
    name: PartName,
    sheet: String,
    hidden: bool,
    layout: SheetLayout,
}

impl Source for SheetSource {
    fn open(&self, _: &Wanted) -> Result<Box<dyn Reader>, Error> {
        let own = self.clone();
        let mut opened = self.book.take()?;
        Ok(Threaded::start(&self.name, move |send| {
            // What is hidden is looked for at the same time, once it is clear that the whole sheet is wanted.
            let search: RefCell<Option<JoinHandle<Result<Marks, WorkbookError>>>> =
                RefCell::default();
            let mut blocks = 0;
            let mut rows = SheetRows::new(&own.layout, |block| {
                blocks += 1;
                if blocks == WHOLE {
                    let (book, sheet) = (own.book.clone(), own.sheet.clone());
                    let apart = std::thread::Builder::new();
                    search.replace(apart.spawn(move || book.marks(&sheet)).ok());
                }
                send(block)
            });
            let wrong = |why: WorkbookError| damaged(&own.name, &why);
            opened
                .walk(&own.sheet, &mut |row, column, cell| rows.add(row, column, cell))
                .map_err(wrong)?;
            if !rows.wanted() {
                own.book.give_back(opened);
                return Ok(());
            }
            let marks = match search.take() {
                Some(search) => search.join().unwrap_or(Err(WorkbookError::Marks)),
                None => own.book.marks(&own.sheet),
            };
            rows.finish(notes(&marks.map_err(wrong)?, &own.layout));
            own.book.give_back(opened);
            Ok(())
        }))
    }

    fn in_words(&self) -> Vec<String> {
        vec![if self.hidden { "hidden sheet" } else { "sheet" }.to_owned()]
    }

    fn styled(&self, styles: &[Style]) -> Option<Arc<dyn Source>> {
        let mut source = self.clone();
        source.layout.styles = styles.to_vec();
        Some(Arc::new(source))
    }
}
