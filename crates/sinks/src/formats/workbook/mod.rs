//! Workbooks of the open format XLSX: each output is a sheet, after one about the run.
//!
//! Rows go to the disk as they come. Numbers are cells of up to 15 digits, which is what a cell can show; of more digits
//! only ratios are rounded, all else is kept as text.

mod about;
mod sheet;
mod styles;

use std::io::Read;
use std::path::{Path, PathBuf};

use rust_xlsxwriter::{DocProperties, ExcelDateTime, Workbook as XlsxFile, Worksheet, XlsxError};

use crate::background::Background;
use crate::containers::{Container, Finished, with};
use crate::error::{Error, OutputErrorKind};
use crate::format::{OutputFormat, RowColumn, Target, WriteRows};
use crate::output_file::{OutputFile, Through};
use crate::run_facts::RunFacts;
use sheet::SheetRows;

/// The rows that a sheet may have, by its format.
const MOST_ROWS: u32 = 1_048_576;

/// The columns that a sheet may have.
const MOST_COLUMNS: usize = 16_384;

/// The property by which a workbook of this program is known.
const MARK: &str = "Interligo";

/// A workbook.
pub(super) struct Workbook;

impl OutputFormat for Workbook {
    fn holds_several(&self) -> bool {
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
            Ok(Box::new(Book::create(target.path, target.file()?)?) as Box<dyn Container>)
        })?;
        let number = with(&book, |book: &mut Book| book.add(target))?;
        let rows = SheetRows::new(book.clone(), number, target, columns)?;
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
}

/// A sheet of a workbook, with what is known of it.
struct BookSheet {
    name: String,
    /// Numbers that are kept as text.
    as_text: u64,
}

impl Book {
    fn create(path: &Path, file: OutputFile) -> Result<Book, Error> {
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
        Ok(Book { path: path.to_owned(), file: Some(file), workbook, sheets: Vec::new() })
    }

    /// Begins a sheet; the answer is its number.
    fn add(&mut self, target: &Target<'_>) -> Result<usize, Error> {
        let name = target.table;
        // The library writes levels of rows only of sheets that it keeps in memory, as totals are anyway.
        let sheet = match target.groups.is_some_and(|groups| groups.levels > 1) {
            true => Ok(self.workbook.add_worksheet()),
            false => self.workbook.add_worksheet_with_constant_memory(),
        };
        sheet.and_then(|sheet| sheet.set_name(name)).map_err(|error| failed(&self.path, &error))?;
        self.sheets.push(BookSheet { name: name.to_owned(), as_text: 0 });
        Ok(self.sheets.len() - 1)
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
        work(self.worksheet(number)).map_err(|error| failed(&path, &error))
    }
}

impl Container for Book {
    fn finish(&mut self, facts: &RunFacts) -> Result<Finished, Error> {
        let about = &mut self.workbook.worksheets_mut()[0];
        about::write(about, facts, &self.sheets).map_err(|error| failed(&self.path, &error))?;
        let order = |name: &str| facts.outputs.iter().position(|output| output == name);
        let sheets = self.sheets.iter().map(|sheet| order(&sheet.name));
        let orders: Vec<Option<usize>> = std::iter::once(None).chain(sheets).collect();
        let mut sheets: Vec<(Option<usize>, Worksheet)> =
            orders.into_iter().zip(std::mem::take(self.workbook.worksheets_mut())).collect();
        sheets.sort_by_key(|(order, _)| *order);
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
