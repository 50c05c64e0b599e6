//! The corrections file: keys that are known to be wrong, each with the key that is meant.
//!
//! It is a text file with the columns `found`, `use`, `link` and `note`, which anybody may edit. Keys of several
//! columns are joined by ` + `.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use interligo_model::plan::Correction;
use interligo_model::plan::nearest_name;

use crate::error::Error;
use interligo_sinks::formats::text::csv_row;
use interligo_sinks::output_file::write_whole;
use interligo_sources::error::{Error as ReadError, InputKind};

/// The name of the file where the plan does not say another.
pub const CORRECTIONS_FILE: &str = "corrections.csv";

/// The column names, in the order in which they are written.
const COLUMN_NAMES: [&str; 4] = ["found", "use", "link", "note"];

/// The column of a list for the owner of a lookup that has other ways in which a key is written.
pub(crate) const ALSO_WRITTEN: &str = "also_written";

/// What is between several keys or links in a cell of such a list.
pub(crate) const BETWEEN: &str = " | ";

/// What a list of corrections says.
#[derive(Debug, Default)]
pub(super) struct Answers {
    pub(super) corrections: Vec<Correction>,
    /// Rows of a list for the owner of a lookup that nobody has filled in.
    pub(super) unanswered: u64,
}

/// Where the columns of a list are.
pub(super) struct Columns {
    found: usize,
    used: usize,
    link: usize,
    note: Option<usize>,
    also: Option<usize>,
}

/// A corrections file and what it is called.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct CorrectionsFile {
    /// Where it is.
    pub path: PathBuf,
    /// Its name, as the plan has it.
    pub shown: Arc<str>,
}

impl CorrectionsFile {
    /// What it holds; nothing when it is absent.
    ///
    /// # Errors
    /// It cannot be read, lacks a column, holds a row without a key, or names a link that is not among `links`.
    pub fn read(&self, links: &[&str]) -> Result<Vec<Correction>, Error> {
        Ok(match std::fs::read(&self.path) {
            Err(error) if error.kind() == std::io::ErrorKind::NotFound => Vec::new(),
            Err(error) => return Err(ReadError::cannot_read(&self.shown, &self.path, error).into()),
            Ok(bytes) => self.parse(&bytes, links)?.corrections,
        })
    }

    /// What text says.
    pub(super) fn parse(&self, bytes: &[u8], links: &[&str]) -> Result<Answers, ReadError> {
        let input = |message: String| ReadError::input(InputKind::Encoding, &self.shown, message);
        let text = std::str::from_utf8(bytes)
            .map_err(|_| input("is not UTF-8".into()).help("save it as UTF-8"))?;
        let text = text.strip_prefix('\u{feff}').unwrap_or(text);
        let column_name = text.lines().next().unwrap_or_default();
        let separator = [b';', b'\t']
            .into_iter()
            .find(|character| column_name.contains(char::from(*character)));
        let mut reader = csv::ReaderBuilder::new()
            .delimiter(separator.unwrap_or(b','))
            .flexible(true)
            .trim(csv::Trim::All)
            .from_reader(text.as_bytes());
        let column_names = reader.headers().map_err(|error| input(error.to_string()))?.clone();
        if column_names.is_empty() {
            return Ok(Answers::default());
        }
        let columns = self.columns(&column_names.iter().collect::<Vec<_>>())?;
        let mut answers = Answers::default();
        for record in reader.records() {
            let record = record.map_err(|error| input(error.to_string()))?;
            let row = record.position().map_or(0, |at| row_at(text, at.byte() as usize));
            let cells: Vec<&str> = record.iter().collect();
            self.take(&columns, &cells, row, links, &mut answers)?;
        }
        Ok(answers)
    }

    /// Where the columns are.
    pub(super) fn columns(&self, names: &[&str]) -> Result<Columns, ReadError> {
        let place = |name: &str| names.iter().position(|own| own.eq_ignore_ascii_case(name));
        let column = |name: &str| {
            place(name).ok_or_else(|| {
                let fix = match nearest_name(name, names) {
                    Some(near) => format!("is `{near}` meant by it?"),
                    None => format!(
                        "its first row is `{}`; corrections have the columns {}",
                        names.join(","),
                        COLUMN_NAMES.join(", ")
                    ),
                };
                let message = format!("has no column `{name}`");
                ReadError::input(InputKind::Encoding, &self.shown, message).at_row(1).help(fix)
            })
        };
        Ok(Columns {
            found: column("found")?,
            used: column("use")?,
            link: column("link")?,
            note: place("note"),
            also: place(ALSO_WRITTEN),
        })
    }

    /// Takes in what a row says.
    pub(super) fn take(
        &self,
        columns: &Columns,
        cells: &[&str],
        row: u64,
        links: &[&str],
        answers: &mut Answers,
    ) -> Result<(), ReadError> {
        let wrong = |message: String, fix: String| {
            let error = ReadError::input(InputKind::Encoding, &self.shown, message);
            Err(error.at_row(row).help(fix))
        };
        let cell = |column: usize| cells.get(column).copied().unwrap_or_default().trim();
        if cells.iter().all(|cell| cell.trim().is_empty()) {
            return Ok(());
        }
        if columns.also.is_some() && cell(columns.used).is_empty() {
            answers.unanswered += 1;
            return Ok(());
        }
        for (name, column) in
            [("found", columns.found), ("use", columns.used), ("link", columns.link)]
        {
            if cell(column).is_empty() {
                return wrong(
                    format!("is blank in `{name}`"),
                    "complete the row, or leave it out".into(),
                );
            }
        }
        let several = |column: usize| match columns.also {
            Some(_) => cell(column).split(BETWEEN).collect(),
            None => vec![cell(column)],
        };
        let mut all_found = vec![cell(columns.found)];
        all_found.extend(columns.also.into_iter().flat_map(several).filter(|own| !own.is_empty()));
        for link in several(columns.link) {
            if !links.contains(&link) {
                let fix = match nearest_name(link, links) {
                    Some(near) => format!("did you mean `{near}`?"),
                    None => format!("the links of the plan are {}", links.join(", ")),
                };
                return wrong(format!("names a link `{link}`, which the plan does not have"), fix);
            }
            answers.corrections.extend(all_found.iter().map(|found| Correction {
                link: link.to_owned(),
                found: (*found).to_owned(),
                used: cell(columns.used).to_owned(),
                note: columns.note.map_or("", cell).to_owned(),
                row,
            }));
        }
        Ok(())
    }

    /// Rewrites the file, whole or not at all.
    ///
    /// # Errors
    /// It cannot be written.
    pub fn write(&self, corrections: &[Correction]) -> Result<(), Error> {
        let mut bytes = csv_row(COLUMN_NAMES);
        for correction in corrections {
            let Correction { found, used, link, note, .. } = correction;
            bytes.extend(csv_row([found.as_str(), used, link, note]));
        }
        Ok(write_whole(&self.path, &bytes)?)
    }

    /// The file at a path.
    pub(crate) fn at(folder: &Path, name: &str) -> CorrectionsFile {
        CorrectionsFile { path: folder.join(name), shown: name.into() }
    }

    /// A file that was given on a command line.
    pub fn given(path: &Path) -> CorrectionsFile {
        CorrectionsFile { path: path.to_owned(), shown: path.to_string_lossy().into() }
    }
}

/// The row in which a record stands that is read from here on; blank rows before it are passed over.
fn row_at(text: &str, from: usize) -> u64 {
    let rest = text.get(from..).unwrap_or_default();
    let start = from + rest.len() - rest.trim_start_matches(['\n', '\r']).len();
    1 + text.as_bytes()[..start].iter().filter(|character| **character == b'\n').count() as u64
}

/// Adds corrections to others; one for the same key and link takes the place of an earlier one.
pub fn with_corrections(own: &[Correction], new: &[Correction]) -> Vec<Correction> {
    let mut all = own.to_vec();
    for correction in new {
        let same = |other: &Correction| {
            (&other.link, &other.found) == (&correction.link, &correction.found)
        };
        match all.iter().position(same) {
            // All that were there for the key, as they may contradict each other.
            Some(at) => {
                let mut number = 0..;
                all.retain(|other| number.next() == Some(at) || !same(other));
                all[at] = correction.clone();
            }
            None => all.push(correction.clone()),
        }
    }
    all
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn file() -> CorrectionsFile {
        CorrectionsFile::at(Path::new("."), "c.csv")
    }

    fn read(text: &str) -> Vec<(String, u64)> {
        let read = file().parse(text.as_bytes(), &["products"]).expect("it is well formed");
        read.corrections.into_iter().map(|own| (own.found, own.row)).collect()
    }

    #[test]
    fn rows_are_counted_as_an_editor_counts_them() {
        let found = |all: &[(&str, u64)]| -> Vec<(String, u64)> {
            all.iter().map(|(found, row)| ((*found).to_owned(), *row)).collect()
        };
        let text = "found,use,link\r\nA,B,products\r\n\r\n\r\nC,D,products\r\n,,\r\nE,F,products";
        assert_eq!(read(text), found(&[("A", 2), ("C", 5), ("E", 7)]));
        assert_eq!(read("link\tuse\tfound\nproducts\tB\tA\n"), found(&[("A", 2)]));
        assert_eq!(read("found;use;link;note\nA;B;products;;\n"), found(&[("A", 2)]));
        assert_eq!(read(""), found(&[]));
    }

    #[test]
    fn a_later_correction_takes_the_place_of_an_earlier_one() {
        let correction = |found: &str, used: &str| Correction {
            link: "products".to_owned(),
            found: found.to_owned(),
            used: used.to_owned(),
            note: String::new(),
            row: 0,
        };
        let own = [correction("A", "B"), correction("C", "D")];
        let all = with_corrections(&own, &[correction("A", "E"), correction("F", "G")]);
        let used: Vec<&str> = all.iter().map(|correction| correction.used.as_str()).collect();
        assert_eq!(used, ["E", "D", "G"]);
        assert_eq!(with_corrections(&all, &all), all);
        let contradicting = [correction("A", "B"), correction("C", "D"), correction("A", "X")];
        let all = with_corrections(&contradicting, &[correction("A", "E")]);
        let used: Vec<&str> = all.iter().map(|correction| correction.used.as_str()).collect();
        assert_eq!(used, ["E", "D"], "none of those that contradicted each other stays");
    }

    proptest! {
        /// What was written is read back, whatever is in it.
        #[test]
        fn prop_corrections_are_read_back(
            rows in prop::collection::vec(("[a-z,;\"+é ]{0,4}[a-z]", "[a-z]{1,4}", "[a-z,\"\n ]{0,6}"), 0..6),
        ) {
            let folder = tempfile::tempdir().expect("a folder for the test");
            let file = CorrectionsFile::at(folder.path(), "c.csv");
            let corrections: Vec<Correction> = rows
                .iter()
                .map(|(found, used, note)| Correction {
                    link: "products".to_owned(),
                    found: found.trim().to_owned(),
                    used: used.clone(),
                    note: note.trim().to_owned(),
                    row: 0,
                })
                .collect();
            file.write(&corrections).expect("it can be written");
            let back = file.read(&["products"]).expect("it can be read");
            let back: Vec<Correction> =
                back.into_iter().map(|correction| Correction { row: 0, ..correction }).collect();
            prop_assert_eq!(back, corrections);
        }
    }
}
