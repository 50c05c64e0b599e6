//! What the owner of a lookup has answered: a list of corrections as text, or a workbook with such a list on each sheet.

use std::path::Path;

use interligo_sources::error::{Error as ReadError, InputKind};

use super::corrections_file::{Answers, CorrectionsFile};
use crate::error::Error;
use crate::look::{plan_for, tables_in};
use crate::project::Project;

impl CorrectionsFile {
    /// What a list that was given says.
    ///
    /// # Errors
    /// It cannot be read, lacks a column, or names a link that is not among `links`.
    pub(super) fn answers(&self, links: &[&str]) -> Result<Answers, Error> {
        let name = self.path.to_string_lossy().to_lowercase();
        if [".xlsx", ".xlsm", ".ods"].iter().any(|ending| name.ends_with(ending)) {
            return self.answers_on_sheets(links);
        }
        let bytes = std::fs::read(&self.path);
        let bytes =
            bytes.map_err(|error| ReadError::cannot_read(&self.shown, &self.path, error))?;
        Ok(self.parse(&bytes, links)?)
    }

    /// The lists on the sheets of a workbook; sheets without one are passed over.
    fn answers_on_sheets(&self, links: &[&str]) -> Result<Answers, Error> {
        let mut answers = Answers::default();
        let mut has_list = false;
        let sheets = tables_in(&self.path.to_string_lossy())?.unwrap_or_default();
        for sheet in &sheets {
            let mut plan = plan_for(sheet)?;
            plan.source.clear();
            // A sheet that is no table has no list.
            let Ok(project) = Project::open_tables(plan, Path::new("."), |_| true) else {
                continue;
            };
            let table = project.table_names().next().unwrap_or_default().to_owned();
            let rows = project.rows(&table, None, usize::MAX)?;
            let names: Vec<&str> = rows.columns.iter().map(String::as_str).collect();
            if !["found", "use"].iter().all(|name| names.contains(name)) {
                continue;
            }
            has_list = true;
            let columns = self.columns(&names)?;
            for (place, cells) in &rows.rows {
                let cells: Vec<&str> = cells.iter().map(String::as_str).collect();
                self.take(&columns, &cells, place.row.unwrap_or_default(), links, &mut answers)?;
            }
        }
        match has_list {
            true => Ok(answers),
            false => {
                let message = "has no sheet with the columns found, use, link";
                let error = ReadError::input(InputKind::Encoding, &self.shown, message.to_owned());
                Err(error
                    .help("take a workbook of `interligo check --for-owner missing.xlsx`")
                    .into())
            }
        }
    }

    /// Whether somebody has answered in a list.
    ///
    /// # Errors
    /// It is no such list.
    pub(crate) fn is_answered(&self, links: &[&str]) -> Result<bool, Error> {
        Ok(!self.answers(links)?.corrections.is_empty())
    }
}
