//! `interligo look`.

use std::path::{Path, PathBuf};

use interligo_model::plan::Plan;
use interligo_project::{Error, Project, TableProfile, plan_for, shown_name, tables_in};
use interligo_report::{json, text};

use super::{Out, condition_in, folder_of, nearest_plan, parallelism, parsed};
use crate::args::{Format, LookOptions};
use crate::failure::Failure;
use crate::progress::Progress;

/// How many rows are shown that meet a condition.
const ROWS: usize = 20;

pub(crate) fn look(options: &LookOptions, out: Out<'_>) -> Result<(), Failure> {
    let tables = Tables::find(options)?;
    let (mut profiles, mut rows) = (Vec::new(), Vec::new());
    for (opened, name) in tables.each(&options.tables) {
        if options.rows.is_some() || options.filter.is_some() {
            let most = options.rows.unwrap_or(ROWS);
            let found = opened.project.rows(
                name,
                condition_in(&opened.project.plan, options.filter.as_ref()).as_deref(),
                most,
            );
            rows.push((name, found.map_err(|error| opened.failure(error))?));
        } else {
            profiles.push(opened.profile(name, options)?);
        }
    }
    match options.format {
        _ if !rows.is_empty() => {
            for (number, (name, rows)) in rows.iter().enumerate() {
                if number > 0 && options.format == Format::Table {
                    writeln!(out)?;
                }
                match options.format {
                    Format::Table => text::rows(out, name, rows)?,
                    Format::Csv => text::rows_csv(out, rows)?,
                    Format::Json => json::rows_json(out, name, rows)?,
                }
            }
        }
        Format::Table if options.column.is_some() => {
            profiles.iter().try_for_each(|profile| text::values(out, profile))?;
        }
        Format::Table => text::profiles(out, &profiles)?,
        Format::Csv if options.column.is_some() => text::values_csv(out, &profiles)?,
        Format::Csv => text::profiles_csv(out, &profiles)?,
        Format::Json => json::profiles_json(out, &profiles, options.column.is_some())?,
    }
    out.flush()?;
    tables.failed.map_or(Ok(()), Err)
}

/// A project with the tables of it that are looked into, and what its messages need.
struct OpenedTables {
    project: Project,
    plan: PathBuf,
    text: String,
}

impl OpenedTables {
    fn new(
        plan: Plan,
        at: PathBuf,
        folder: &Path,
        wanted: &[String],
    ) -> Result<OpenedTables, Failure> {
        let text = plan.source.clone();
        let wants = |name: &str| wanted.is_empty() || wanted.iter().any(|wanted| wanted == name);
        let project = Project::open_tables(plan, folder, wants);
        let failed = |error| Failure::Work { error, plan: at.clone(), text: text.clone() };
        Ok(OpenedTables { project: project.map_err(failed)?, plan: at, text })
    }

    fn failure(&self, error: Error) -> Failure {
        Failure::Work { error, plan: self.plan.clone(), text: self.text.clone() }
    }

    fn profile(&self, name: &str, options: &LookOptions) -> Result<TableProfile, Failure> {
        let progress = Progress::new(self.project.bytes(name));
        let profile = self.project.profile(
            name,
            options.column.as_deref(),
            parallelism(&options.plan),
            &|bytes, lines| progress.advance(bytes, lines),
        );
        progress.finish();
        profile.map_err(|error| self.failure(error))
    }
}

/// What is looked into.
struct Tables {
    opened: Vec<OpenedTables>,
    /// Why the last of those that cannot be opened cannot, where others can.
    failed: Option<Failure>,
}

impl Tables {
    /// The tables and files that options name; all tables of the plan if they name none.
    fn find(options: &LookOptions) -> Result<Tables, Failure> {
        let plan = options.plan.plan.clone().or_else(nearest_plan);
        let parsed = plan
            .as_ref()
            .map(|plan| Ok::<_, Failure>((parsed(plan, &options.plan.set)?, plan.clone())));
        let (plan, at) = match (parsed, options.tables.as_slice()) {
            (Some(parsed), _) => {
                let (plan, at) = parsed?;
                (Some(plan), at)
            }
            (None, []) => return Err(Failure::NothingToLookAt),
            (None, _) => (None, PathBuf::new()),
        };
        let known: Vec<String> = plan
            .iter()
            .flat_map(|plan| plan.tables.iter().map(|table| table.name.clone()))
            .collect();
        let (tables, files): (Vec<String>, Vec<String>) =
            options.tables.iter().cloned().partition(|name| known.contains(name));
        let mut opened = Vec::new();
        let mut last: Option<Failure> = None;
        if let Some(plan) = plan.filter(|_| !tables.is_empty() || files.is_empty()) {
            opened.push(OpenedTables::new(plan, at.clone(), folder_of(&at), &tables)?);
        }
        for file in files {
            let failed = |error| Failure::Work {
                error,
                plan: PathBuf::from(shown_name(&file)),
                text: String::new(),
            };
            let Some(tables) = tables_in(&file).map_err(failed)? else {
                return Err(Failure::NoTable { name: file, known });
            };
            // One sheet that is empty does not keep the others from being looked at.
            let several = tables.len() > 1;
            for table in tables {
                let mut plan = plan_for(&table).map_err(failed)?;
                // Nobody wrote this plan: messages do not show it.
                plan.source.clear();
                let named = PathBuf::from(shown_name(&table));
                match OpenedTables::new(plan, named, Path::new("."), &[]) {
                    Ok(table) => opened.push(table),
                    Err(failure) if several => {
                        last.replace(failure).iter().for_each(Failure::print);
                    }
                    Err(failure) => return Err(failure),
                }
            }
        }
        Ok(Tables { opened, failed: last })
    }

    /// The tables, in the order in which they are named.
    fn each(&self, named: &[String]) -> Vec<(&OpenedTables, &str)> {
        let tables = self.opened.iter();
        let mut tables: Vec<(&OpenedTables, &str)> = tables
            .flat_map(|opened| opened.project.table_names().map(move |name| (opened, name)))
            .collect();
        tables.sort_by_key(|(_, name)| named.iter().position(|named| named == name));
        tables
    }
}
