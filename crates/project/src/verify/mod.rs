//! Whether outputs are still what their run wrote.
//!
//! A run that is to be verified keeps a copy of what each output says, as text, in `.interligo/PLAN/copies`. Another writer
//! makes it than the one that made a workbook or a table; so what is read back from there is held against something else
//! than itself. Set-aside lines have no copy.

mod cells;
mod pairing;
mod read_back;

use std::path::PathBuf;

use interligo_model::plan::{MistakeKind, Written};
use interligo_sources::same_file::real_path;

use crate::error::Error;
use crate::project::Project;
use crate::run::slots::could_be;
use crate::runs::{CopiedOutput, Copies, RecordError};
use pairing::Pairing;
use read_back::{Table, side_by_side};

/// What became of the outputs of a run.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Verified {
    /// When the run was, in seconds since 1970.
    pub at: u64,
    /// What it was made of: each table with its files and databases.
    pub made_of: Vec<(String, Vec<String>)>,
    /// The outputs.
    pub outputs: Vec<VerifiedOutput>,
}

impl Verified {
    /// Whether all outputs are as they were written.
    pub fn is_same(&self) -> bool {
        self.outputs.iter().all(VerifiedOutput::is_same)
    }
}

/// What became of an output.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct VerifiedOutput {
    /// Its name.
    pub output: String,
    /// Where it is.
    pub to: String,
    /// How many rows were written.
    pub rows: u64,
    /// Cells with another value.
    pub cells: u64,
    /// Rows that are not there any more.
    pub missing: u64,
    /// Rows that the run did not write.
    pub foreign: u64,
    /// Columns that are not there any more.
    pub lost_columns: Vec<String>,
    /// Columns that the run did not write.
    pub new_columns: Vec<String>,
    /// Rows that are there and have too few or too many cells.
    pub malformed: u64,
    /// Whether it is not there at all.
    pub is_gone: bool,
    /// Why it cannot be read, or not to its end.
    pub unreadable: Option<String>,
    /// The first differences.
    pub differences: Vec<OutputDifference>,
}

impl VerifiedOutput {
    /// Whether it is as it was written.
    pub fn is_same(&self) -> bool {
        self.cells + self.missing + self.foreign == 0
            && self.lost_columns.is_empty()
            && self.new_columns.is_empty()
            && self.malformed == 0
            && !self.is_gone
            && self.unreadable.is_none()
    }
}

/// How a row of an output is not as it was written.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct OutputDifference {
    /// The row: its key, or where it has none what is in its first columns.
    pub row: String,
    /// What differs.
    pub what: RowDifference,
}

/// What differs on a row.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum RowDifference {
    /// A cell has another value.
    Cell {
        /// Where it is.
        place: String,
        /// Its column.
        column: String,
        /// What the run wrote.
        written: String,
        /// What is there.
        there: String,
    },
    /// The row is not there any more.
    Missing,
    /// The run did not write the row.
    Foreign {
        /// Where it is.
        place: String,
    },
}

impl Project {
    /// Reads the outputs of the last run back, in whatever form they are, and holds them against what the run said: those with
    /// these names, or all. Of each output, at most `most` differences are listed; all are counted.
    ///
    /// **Cost**: one pass over each output and over the copy of it, side by side. Rows that are in the same order are not held
    /// in memory.
    ///
    /// # Errors
    /// The run kept no copies, or none of an output with such a name. An output that cannot be read is no error, but a
    /// difference.
    pub fn verify(
        &self,
        names: &[String],
        most: usize,
        progress: &(dyn Fn(u64, u64) + Sync),
    ) -> Result<Verified, Error> {
        let copies = Copies::read(self).map_err(Error::of_copies)?;
        let mut outputs = Vec::new();
        for name in names {
            if copies.outputs.iter().all(|own| own.output != *name) {
                let written = Written::in_option("verify", name, 0..name.len());
                let message = format!("the last run kept no copy of an output called `{name}`");
                let known = copies.outputs.iter().map(|own| own.output.as_str());
                let mistake = written.mistaken(MistakeKind::UnknownName, message);
                return Err(mistake.nearest(name, known).into());
            }
        }
        let is_wanted = |own: &&CopiedOutput| names.is_empty() || names.contains(&own.output);
        for own in copies.outputs.iter().filter(is_wanted) {
            let files = self.files_of(own, &copies.outputs);
            outputs.push(self.verify_output((own, files), most, progress)?);
        }
        Ok(Verified { at: copies.at, made_of: copies.made_of, outputs })
    }

    fn verify_output(
        &self,
        (own, files): (&CopiedOutput, Vec<PathBuf>),
        most: usize,
        progress: &(dyn Fn(u64, u64) + Sync),
    ) -> Result<VerifiedOutput, Error> {
        let folder = self.copies_folder();
        let copy = Table::open(&folder, &[PathBuf::from(&own.copy)], None, &own.copy_text());
        let copy = copy.map_err(|error| {
            let (folder, why) = (self.shown(&folder), error.to_string());
            Error::from(RecordError::Damaged { folder, why }).of_copies()
        })?;
        let output = VerifiedOutput {
            output: own.output.clone(),
            to: own.to.clone(),
            ..VerifiedOutput::default()
        };
        if files.is_empty() {
            return Ok(VerifiedOutput { is_gone: true, rows: own.rows, ..output });
        }
        let there = match Table::open(self.folder(), &files, own.table.as_deref(), &own.text) {
            Ok(there) => there,
            Err(error) => {
                let unreadable = Some(error.to_string());
                return Ok(VerifiedOutput { unreadable, rows: own.rows, ..output });
            }
        };
        let mut pairing = Pairing::new(own, (&copy, &there), most, output);
        side_by_side((&copy, &there), progress, &mut pairing)?;
        Ok(pairing.end())
    }

    /// The files of an output: one, or one for each value of its slots, which are no files of others.
    fn files_of(&self, own: &CopiedOutput, all: &[CopiedOutput]) -> Vec<PathBuf> {
        let path = self.folder().join(&own.file);
        if !own.is_split {
            let is_there = own.is_server || path.is_file();
            return if is_there { vec![PathBuf::from(&own.file)] } else { Vec::new() };
        }
        let real = real_path(&path);
        let written = self.written_before().into_iter();
        let others = all.iter().filter(|other| !other.is_split && !other.is_server);
        let others: Vec<PathBuf> =
            others.map(|other| real_path(&self.folder().join(&other.file))).collect();
        let is_own = |file: &PathBuf| could_be(&real, file) && !others.contains(file);
        written.filter(|file| is_own(&real_path(file))).collect()
    }
}
