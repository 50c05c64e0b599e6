//! An office suite that opens workbooks, where there is one, and what is in their parts.

use std::io::{Read, Write};
use std::path::Path;

use crate::support::Folder;

/// Lets an office suite write the sheets of a workbook as texts, with every digit; none without a suite. It computes
/// formulas that have no stored value.
pub(crate) fn opened_by_an_office_suite(folder: &Folder, book: &str) -> Option<()> {
    let profile = format!("-env:UserInstallation=file://{}/profile", folder.path().display());
    // Fields by commas, quotes, UTF-8, from the first row; values and not what cells show; all sheets.
    let form = "csv:Text - txt - csv (StarCalc):44,34,76,1,,0,false,false,false,false,false,-1";
    let suite = std::process::Command::new("soffice")
        .args([&profile, "--headless", "--convert-to", form, book])
        .current_dir(folder.path())
        .output();
    match suite {
        Ok(output) if output.status.success() => Some(()),
        _ => {
            println!("left out: there is no office suite to open the workbook");
            None
        }
    }
}

/// The rows of a sheet as the suite wrote them.
pub(crate) fn sheet(folder: &Folder, book: &str, sheet: &str) -> Vec<Vec<String>> {
    let text = std::fs::read_to_string(folder.path().join(format!("{book}-{sheet}.csv"))).unwrap();
    text.lines().map(cells).collect()
}

/// The cells of a row of text.
fn cells(line: &str) -> Vec<String> {
    let (mut cells, mut cell, mut quoted) = (Vec::new(), String::new(), false);
    for character in line.chars() {
        match character {
            '"' => quoted = !quoted,
            ',' if !quoted => cells.push(std::mem::take(&mut cell)),
            other => cell.push(other),
        }
    }
    cells.push(cell);
    cells
}

/// A part of a workbook.
pub(crate) fn part(book: &Path, name: &str) -> String {
    let mut archive = zip::ZipArchive::new(std::fs::File::open(book).unwrap()).unwrap();
    let mut text = String::new();
    archive.by_name(name).unwrap().read_to_string(&mut text).unwrap();
    text
}

/// The parts whose names contain a text.
pub(crate) fn parts(book: &Path, of: &str) -> Vec<String> {
    let archive = zip::ZipArchive::new(std::fs::File::open(book).unwrap()).unwrap();
    let names: Vec<String> = archive.file_names().map(|name| name.unwrap().into_owned()).collect();
    names.iter().filter(|name| name.contains(of)).map(|name| part(book, name)).collect()
}

/// Writes a workbook again, each sheet changed.
pub(crate) fn with_changed_sheets(from: &Path, to: &Path, change: impl Fn(&str, String) -> String) {
    let mut archive = zip::ZipArchive::new(std::fs::File::open(from).unwrap()).unwrap();
    let mut written = zip::ZipWriter::new(std::fs::File::create(to).unwrap());
    for number in 0..archive.len() {
        let mut entry = archive.by_index(number).unwrap();
        let (name, mut content) = (entry.name().unwrap().into_owned(), Vec::new());
        entry.read_to_end(&mut content).unwrap();
        if name.starts_with("xl/worksheets/sheet") {
            content = change(&name, String::from_utf8(content).unwrap()).into_bytes();
        }
        written.start_file(name, zip::write::SimpleFileOptions::default()).unwrap();
        written.write_all(&content).unwrap();
    }
    written.finish().unwrap();
}

/// A sheet whose formulas have no stored values, so that whoever opens it must compute them; and how many there are.
pub(crate) fn without_stored_values(sheet: &str) -> (String, usize) {
    let (mut bare, mut formulas) = (String::new(), 0);
    for cell in sheet.split_inclusive("</c>") {
        match cell.split_once("<f>") {
            Some((head, rest)) => {
                let (formula, _) = rest.split_once("</f>").unwrap();
                let head = head.replace(" t=\"str\"", "").replace(" t=\"b\"", "");
                bare += &format!("{head}<f>{formula}</f></c>");
                formulas += 1;
            }
            None => bare += cell,
        }
    }
    (bare, formulas)
}
