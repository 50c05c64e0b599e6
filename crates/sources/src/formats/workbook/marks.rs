//! What a workbook says beside its cells: hidden rows and merged cells; and what is no workbook at all.
//!
//! These are in the same XML as the cells. It is unpacked once more for them and searched for their tags,
//! which costs a fraction of reading its cells.

use std::fs::File;
use std::io::{BufReader, Read};
use std::path::Path;
use std::sync::Arc;

use memchr::memmem;
use quick_xml::Reader as XmlReader;
use quick_xml::events::{BytesStart, Event};
use zip::ZipArchive;

use super::error::WorkbookError;
use super::{Area, damaged};
use crate::error::{Error, InputKind};
use crate::formats::Limits;

/// No tag that matters is longer.
const LONGEST_TAG: usize = 1024;

/// What a sheet says of its rows and cells.
#[derive(Clone, Debug, Default)]
pub(super) struct Marks {
    /// Hidden rows, from 0, ascending.
    pub(super) hidden: Vec<u32>,
    /// Formulas that have no value stored with them.
    pub(super) formulas_without_value: u64,
    /// Merged cells.
    merged: Vec<Area>,
}

impl Marks {
    /// The cell whose value a cell shows: the first of those it is merged with.
    pub(super) fn origin(&self, row: u32, column: u32) -> (u32, u32) {
        let area = self.merged.iter().find(|area| area.has(row, column));
        area.map_or((row, column), |area| (area.rows.0, area.columns.0))
    }

    /// The columns that are merged within a row, first and last of each.
    pub(super) fn wide(&self, row: u32) -> impl Iterator<Item = (u32, u32)> {
        let own = move |area: &&Area| area.rows == (row, row) && area.columns.0 < area.columns.1;
        self.merged.iter().filter(own).map(|area| area.columns)
    }

    /// The last row of column names that begin in a row: they go as far down as their merged cells do.
    pub(super) fn last_header_row(&self, row: u32) -> u32 {
        let heads = self.merged.iter().filter(|area| area.rows.0 == row);
        heads.map(|area| area.rows.1).max().unwrap_or(row).max(row)
    }
}

/// Refuses what is protected, damaged, or unpacks to more than the limits.
pub(super) fn refuse_other_than_workbook(
    path: &Path,
    shown: &Arc<str>,
    limits: &Limits,
) -> Result<(), Error> {
    let mut file = File::open(path).map_err(|error| Error::cannot_read(shown, path, error))?;
    let mut head = [0; 8];
    let length = file
        .read(&mut head)
        .map_err(|e| Error::input(InputKind::Unreadable, shown, format!("cannot be read: {e}")))?;
    if length == 0 {
        return Err(
            Error::input(InputKind::Empty, shown, "is empty").help("fetch the workbook again")
        );
    }
    // The container of protected workbooks, and of those of the old binary kind.
    if head == [0xD0, 0xCF, 0x11, 0xE0, 0xA1, 0xB1, 0x1A, 0xE1] {
        return Err(Error::input(
            InputKind::Protected,
            shown,
            "is protected with a password, or of the old binary kind",
        )
        .help("save it as XLSX without a password, or export the sheet as CSV"));
    }
    let mut archive = ZipArchive::new(BufReader::new(file)).map_err(|error| {
        Error::input(InputKind::Damaged, shown, format!("is no workbook: {error}"))
            .help("the file may be damaged or cut off; fetch it again, or save it again")
    })?;
    for number in 0..archive.len() {
        let Ok(entry) = archive.by_index_raw(number) else { continue };
        let name = entry.name().map(|name| name.into_owned()).unwrap_or_default();
        let is_sheet = name.contains("worksheets/") || name == "content.xml";
        // What sheets share is in memory whole.
        let limit = if is_sheet { limits.sheet } else { limits.sheet / 2 };
        if entry.size() > limit {
            return Err(too_large(shown, &name, entry.size()));
        }
        // One that is larger than it says is refused by who unpacks it.
        let may_hold_it = entry.size() > limits.cell && is_read(&name);
        drop(entry);
        if may_hold_it {
            let input = archive.by_index(number).map_err(|e| damaged(shown, &e.into()))?;
            refuse_large_cell(input, &name, shown, limits.cell)?;
        }
    }
    Ok(())
}

/// Whether the texts of an entry are read: pictures and the like are not.
fn is_read(name: &str) -> bool {
    name.ends_with(".xml") || name.ends_with(".rels")
}

/// Bytes in the largest unit of which there is one.
fn size(bytes: u64) -> String {
    let (unit, power) = match bytes {
        0..1_048_576 => ("KB", 10),
        1_048_576..1_073_741_824 => ("MB", 20),
        _ => ("GB", 30),
    };
    format!("{} {unit}", bytes >> power)
}

fn too_large(shown: &Arc<str>, name: &str, bytes: u64) -> Error {
    Error::input(InputKind::TooLarge, shown, format!("would unpack to {} in `{name}`", size(bytes)))
        .help("check where it comes from; if it is what it should be, write a larger largest-sheet = \"4 GB\" into [reading]")
}

/// Scans an entry a stretch at a time and refuses a text that would fill the memory.
fn refuse_large_cell(
    mut input: impl Read,
    name: &str,
    shown: &Arc<str>,
    largest: u64,
) -> Result<(), Error> {
    let mut bytes = vec![0; 1 << 18];
    // The bytes since the last tag began.
    let mut text = 0u64;
    loop {
        let got = input.read(&mut bytes).map_err(|e| damaged(shown, &e.into()))?;
        if got == 0 {
            return Ok(());
        }
        text = match memchr::memrchr(b'<', &bytes[..got]) {
            Some(at) => (got - at) as u64,
            None => text + got as u64,
        };
        if text > largest {
            let message = format!("has a cell of more than {} in `{name}`", size(largest));
            return Err(Error::input(InputKind::TooLarge, shown, message).help(
                "check where it comes from; if it is what it should be, write a larger largest-cell = \"64 MB\" into [reading]",
            ));
        }
    }
}

fn archive(path: &Path) -> Result<ZipArchive<BufReader<File>>, WorkbookError> {
    let file = File::open(path)?;
    ZipArchive::new(BufReader::new(file)).map_err(WorkbookError::from)
}

/// Unpacks an entry and hands on what begins with one of `names`, up to the end of the tag, with what is
/// before; the answer is the end of the entry.
fn tags(
    archive: &mut ZipArchive<BufReader<File>>,
    entry: &str,
    names: &[&str],
    mut each: impl FnMut(&str, &[u8]),
) -> Result<Vec<u8>, WorkbookError> {
    let mut input = archive.by_name(entry)?;
    let finders: Vec<memmem::Finder<'_>> = names.iter().map(memmem::Finder::new).collect();
    let mut bytes: Vec<u8> = Vec::with_capacity(1 << 19);
    // How far the bytes were searched; what is before stays for those who look back.
    let mut searched = 0;
    loop {
        let got = input.by_ref().take(1 << 18).read_to_end(&mut bytes)?;
        // A tag that may go on stays for the next stretch.
        let end = if got == 0 { bytes.len() } else { bytes.len().saturating_sub(LONGEST_TAG) };
        let mut found: Vec<usize> = finders
            .iter()
            .flat_map(|finder| finder.find_iter(&bytes[searched..]).map(|at| searched + at))
            .filter(|at| *at < end)
            .collect();
        found.sort_unstable();
        for at in found {
            let length = memchr::memchr(b'>', &bytes[at..]).unwrap_or(bytes.len() - at);
            each(&String::from_utf8_lossy(&bytes[at..at + length]), &bytes[..at]);
        }
        if got == 0 {
            return Ok(bytes);
        }
        let kept = end.saturating_sub(LONGEST_TAG);
        bytes.drain(..kept);
        searched = end.max(searched) - kept;
    }
}

/// The value of an attribute of a tag.
fn attribute<'t>(tag: &'t str, name: &str) -> Option<&'t str> {
    let start = tag.find(&format!(" {name}=\""))? + name.len() + 3;
    tag[start..].split('"').next()
}

/// The marks of a sheet of an XLSX workbook.
pub(super) fn of_xlsx(path: &Path, sheet: &str) -> Result<Marks, WorkbookError> {
    let mut archive = archive(path)?;
    let mut marks = Marks::default();
    let Some(entry) = sheet_entry(&mut archive, sheet)? else { return Ok(marks) };
    let names = [
        " hidden=\"1\"",
        " hidden=\"true\"",
        "<mergeCell ",
        "</f></c>",
        "</f><v></v>",
        "</f><v/>",
        "</f><v />",
    ];
    tags(&mut archive, &entry, &names, |tag, before| {
        if tag.starts_with("</f") {
            marks.formulas_without_value += 1;
        } else if tag.starts_with(' ') {
            marks.hidden.extend(hidden_row(before, tag));
        } else if let Some(area) = attribute(tag, "ref").and_then(area) {
            marks.merged.push(area);
        }
    })?;
    Ok(marks)
}

/// The row whose tag has this attribute in it; none where it is the tag of something else.
fn hidden_row(before: &[u8], rest: &str) -> Option<u32> {
    let start = memchr::memrchr(b'<', before)?;
    let tag = std::str::from_utf8(&before[start..]).ok()?.to_owned() + rest;
    let number: u32 = attribute(tag.strip_prefix("<row")?, "r")?.parse().ok()?;
    number.checked_sub(1)
}

/// The entry of a sheet, by the parts of the workbook that name it.
fn sheet_entry(
    archive: &mut ZipArchive<BufReader<File>>,
    sheet: &str,
) -> Result<Option<String>, WorkbookError> {
    let mut id = None;
    elements(archive, "xl/workbook.xml", |element| {
        if element.local_name().as_ref() == "sheet"
            && value(element, "name").as_deref() == Some(sheet)
        {
            id = value(element, "id");
        }
    })?;
    let mut target = None;
    elements(archive, "xl/_rels/workbook.xml.rels", |element| {
        if element.local_name().as_ref() == "Relationship" && value(element, "Id") == id {
            target = value(element, "Target");
        }
    })?;
    Ok(target.map(|target| match target.strip_prefix('/') {
        Some(whole) => whole.to_owned(),
        None => format!("xl/{target}"),
    }))
}

/// Hands on the elements of a small entry.
fn elements(
    archive: &mut ZipArchive<BufReader<File>>,
    entry: &str,
    mut each: impl FnMut(&BytesStart<'_>),
) -> Result<(), WorkbookError> {
    let input = archive
        .by_name(entry)
        .map_err(|error| WorkbookError::Entry { entry: entry.to_owned(), error })?;
    let mut xml = XmlReader::from_reader(BufReader::new(input));
    let mut buffer = Vec::new();
    loop {
        match xml.read_event_into(&mut buffer)? {
            Event::Start(element) | Event::Empty(element) => each(&element),
            Event::Eof => return Ok(()),
            _ => {}
        }
        buffer.clear();
    }
}

fn value(element: &BytesStart<'_>, name: &str) -> Option<String> {
    let mut attributes = element.attributes().flatten();
    let found = attributes.find(|a| a.key.local_name().as_ref() == name)?;
    found.normalized_value(quick_xml::XmlVersion::Explicit1_0).ok().map(|value| value.into_owned())
}

/// Refuses an ODS workbook whose content breaks off.
pub(super) fn refuse_cut_ods(path: &Path) -> Result<(), WorkbookError> {
    let mut archive = archive(path)?;
    let end = tags(&mut archive, "content.xml", &[], |_, _| {})?;
    match memmem::find(&end, b"</office:document-content") {
        Some(_) => Ok(()),
        None => Err(WorkbookError::BreaksOff),
    }
}

/// The marks of a sheet of an ODS workbook.
pub(super) fn of_ods(path: &Path, sheet: &str) -> Result<Marks, WorkbookError> {
    let mut archive = archive(path)?;
    let mut marks = Marks::default();
    let (mut here, mut row, mut column) = (false, 0u32, 0u32);
    let names =
        ["<table:table ", "<table:table-row", "<table:table-cell", "<table:covered-table-cell"];
    let number =
        |tag: &str, name| attribute(tag, name).and_then(|n| n.parse::<u32>().ok()).unwrap_or(1);
    tags(&mut archive, "content.xml", &names, |tag, _| {
        if tag.starts_with("<table:table ") {
            let name = attribute(tag, "table:name").map(quick_xml::escape::unescape);
            here = matches!(name, Some(Ok(name)) if name == sheet);
            row = 0;
        } else if tag.starts_with("<table:table-row") && here {
            let rows = number(tag, "table:number-rows-repeated");
            if attribute(tag, "table:visibility").is_some_and(|v| v != "visible") && rows < 1 << 20
            {
                marks.hidden.extend(row..row + rows);
            }
            row = row.saturating_add(rows);
            column = 0;
        } else if here {
            let columns = number(tag, "table:number-columns-repeated");
            let spans = number(tag, "table:number-columns-spanned");
            let rows = number(tag, "table:number-rows-spanned");
            if spans > 1 || rows > 1 {
                let first = row.saturating_sub(1);
                marks.merged.push(Area {
                    rows: (first, first.saturating_add(rows - rows.min(1))),
                    columns: (column, column.saturating_add(spans - spans.min(1))),
                });
            }
            column = column.saturating_add(columns);
        }
    })?;
    Ok(marks)
}

/// `A1:C9`, also with dollar characters; whole columns are `A:C`.
fn area(text: &str) -> Option<Area> {
    let (first, last) = text.split_once(':').unwrap_or((text, text));
    let ((first_row, left), (last_row, right)) = (cell(first)?, cell(last)?);
    Some(Area {
        rows: (first_row.unwrap_or(0), last_row.unwrap_or(u32::MAX)),
        columns: (left, right),
    })
}

/// The row, if there is one, and the column of an address.
fn cell(text: &str) -> Option<(Option<u32>, u32)> {
    let text = text.replace('$', "");
    let digits = text.find(|c: char| c.is_ascii_digit()).unwrap_or(text.len());
    let mut column = 0u32;
    for letter in text[..digits].bytes() {
        let letter = letter.to_ascii_uppercase();
        if !letter.is_ascii_uppercase() || digits > 3 {
            return None;
        }
        column = column * 26 + u32::from(letter - b'A') + 1;
    }
    let row = match &text[digits..] {
        "" => None,
        row => Some(row.parse::<u32>().ok()?.checked_sub(1)?),
    };
    Some((row, column.checked_sub(1)?))
}

/// The sheet and the area of a named range: `'My sheet'!$A$1:$C$9`, `$Sheet.$A$1:.$C$9`.
pub(super) fn sheet_and_area(text: &str) -> Option<(String, Area)> {
    let text = text.trim_start_matches('=').trim_start_matches('$').trim_matches(['[', ']']);
    let (sheet, rest) = match text.strip_prefix('\'') {
        Some(quoted) => {
            let end = (0..quoted.len())
                .find(|at| quoted[*at..].starts_with("'!") || quoted[*at..].starts_with("'."))?;
            (quoted[..end].replace("''", "'"), &quoted[end + 2..])
        }
        None => {
            let end = text.find(['!', '.'])?;
            (text[..end].to_owned(), &text[end + 1..])
        }
    };
    // The second address may name the sheet again.
    let (first, last) = rest.split_once(':').unwrap_or((rest, rest));
    let last = last.rsplit(['!', '.']).next()?;
    Some((sheet, area(&format!("{first}:{last}"))?))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use std::io::Write;

    #[test]
    fn a_named_range_is_a_sheet_and_an_area() {
        let area = |rows, columns| Area { rows, columns };
        for (text, sheet, expected) in [
            ("Stock!$B$3:$D$9", "Stock", area((2, 8), (1, 3))),
            ("'It''s here'!A1:AA2", "It's here", area((0, 1), (0, 26))),
            ("$Stock.$B$3:.$D$9", "Stock", area((2, 8), (1, 3))),
            ("$'My stock'.$B$3:$'My stock'.$D$9", "My stock", area((2, 8), (1, 3))),
            ("Stock!$A:$C", "Stock", area((0, u32::MAX), (0, 2))),
            ("Stock!$C$4", "Stock", area((3, 3), (2, 2))),
        ] {
            assert_eq!(sheet_and_area(text), Some((sheet.to_owned(), expected)), "{text}");
        }
        for text in ["", "Stock", "Stock!", "Stock!#REF!", "Stock!$ABCD$1", "Stock!$A$0", "1+2"] {
            assert_eq!(sheet_and_area(text), None, "{text}");
        }
    }

    /// A workbook of one sheet with this XML.
    fn workbook(sheet: &str) -> tempfile::NamedTempFile {
        let entries = [
            (
                "xl/workbook.xml",
                "<workbook><sheets><sheet name=\"S &amp; T\" r:id=\"r1\"/></sheets></workbook>",
            ),
            (
                "xl/_rels/workbook.xml.rels",
                "<Relationships><Relationship Id=\"r1\" Target=\"worksheets/a.xml\"/></Relationships>",
            ),
            ("xl/worksheets/a.xml", sheet),
        ];
        let file = tempfile::NamedTempFile::new().unwrap();
        let mut zip = zip::ZipWriter::new(file.as_file());
        for (name, text) in entries {
            zip.start_file(name, zip::write::SimpleFileOptions::default()).unwrap();
            zip.write_all(text.as_bytes()).unwrap();
        }
        zip.finish().unwrap();
        file
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(24))]

        /// Wherever the stretches of a large sheet are cut.
        #[test]
        fn prop_hidden_rows_and_formulas_are_found_in_any_place(
            hidden in prop::collection::btree_set(0u32..6_000, 0..40),
            width in 1usize..300,
            merged in 0u32..50,
        ) {
            let mut sheet = String::from("<worksheet><cols><col min=\"1\" hidden=\"1\"/></cols><sheetData>");
            let mut formulas = 0;
            for row in 0..6_000u32 {
                let attribute = if hidden.contains(&row) { " hidden=\"1\"" } else { "" };
                let value = if row % 97 == 0 { "" } else { "<v>1</v>" };
                formulas += u64::from(value.is_empty());
                let text = "x".repeat(width);
                sheet += &format!("<row r=\"{}\" ht=\"15\"{attribute}><c><f>{text}</f>{value}</c></row>", row + 1);
            }
            sheet += "</sheetData><mergeCells>";
            for row in 0..merged {
                sheet += &format!("<mergeCell ref=\"B{}:C{}\"/>", 3 * row + 1, 3 * row + 2);
            }
            sheet += "</mergeCells></worksheet>";
            let marks = of_xlsx(workbook(&sheet).path(), "S & T").unwrap();
            prop_assert!(marks.hidden.iter().eq(&hidden));
            prop_assert_eq!(marks.formulas_without_value, formulas);
            prop_assert_eq!(marks.merged.len() as u32, merged);
            prop_assert!(merged == 0 || marks.origin(1, 2) == (0, 1) && marks.last_header_row(0) == 1);
            prop_assert!(of_xlsx(workbook(&sheet).path(), "S").unwrap().hidden.is_empty());
        }
    }
}
