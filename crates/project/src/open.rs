//! A plan opened with its tables. Tables that hold the sums of a fact are computed first, and then read like a file.

use std::io::Write;
use std::path::Path;

use crate::error::Error;
use interligo_engine::bind::{SumsRequest, require_fact, sums_request};
use interligo_engine::engine::Extent;
use interligo_engine::totals::TotalsTable;
use interligo_model::plan::Plan;
use interligo_sinks::formats::text::csv_row;
use interligo_sources::formats::{Given, OwnTables};
use tempfile::NamedTempFile;

use crate::parallelism::Parallelism;
use crate::prepare::OnDuplicates;
use crate::project::Project;
use crate::run::slices::handed_on;
use crate::run::{OnStop, run};

impl Project {
    /// Finds the files of a plan's tables and reads their header rows. `folder` is the plan's.
    ///
    /// # Errors
    /// A file that is missing, empty or unreadable; a pattern that fits none; of a table of sums, what a run over its fact
    /// ends with.
    pub fn open(plan: Plan, folder: &Path) -> Result<Project, Error> {
        Project::open_with(plan, folder, &OwnTables::new())
    }

    /// The same with tables of the program's own, which the plan names `from = "program:NAME"`.
    ///
    /// # Errors
    /// As for [`Project::open`].
    pub fn open_with(plan: Plan, folder: &Path, own: &OwnTables) -> Result<Project, Error> {
        require_fact(&plan)?;
        open_some(plan, folder, &own.into(), &|_| true)
    }

    /// The same as a part of a run that was divided, with the tables of servers as they were handed on then. `division` is
    /// the folder of the division; where there is none, the servers are asked.
    ///
    /// # Errors
    /// As for [`Project::open`].
    pub fn open_divided(plan: Plan, folder: &Path, division: &Path) -> Result<Project, Error> {
        require_fact(&plan)?;
        let given = Given { handed_on: handed_on(division), ..Given::default() };
        open_some(plan, folder, &given, &|_| true)
    }

    /// The same for some of the tables, to look into them; the plan need not be complete.
    ///
    /// # Errors
    /// As for [`Project::open`].
    pub fn open_tables(
        plan: Plan,
        folder: &Path,
        wanted: impl Fn(&str) -> bool,
    ) -> Result<Project, Error> {
        open_some(plan, folder, &Given::default(), &wanted)
    }
}

fn open_some(
    mut plan: Plan,
    folder: &Path,
    given: &Given,
    wanted: &dyn Fn(&str) -> bool,
) -> Result<Project, Error> {
    let sums = make_sums(&mut plan, folder, given, wanted)?;
    Project::over_tables(plan, folder, wanted, (sums, given))
}

/// Computes the sums of the tables that are wanted and hold some, and lets the plan read them from files, which are
/// there as long as what is returned.
///
/// # Errors
/// As for a run over the fact.
fn make_sums(
    plan: &mut Plan,
    folder: &Path,
    given: &Given,
    wanted: &dyn Fn(&str) -> bool,
) -> Result<Vec<NamedTempFile>, Error> {
    let mut made = Vec::new();
    for table in plan.tables.iter().filter(|table| wanted(&table.name)) {
        if let Some(request) = sums_request(plan, &table.name)? {
            let keys = request.columns[..request.keys].to_vec();
            made.push((table.name.clone(), keys, sums_file(request, folder, given)?));
        }
    }
    for (name, keys, file) in &made {
        // Characters that mean something in a pattern are doubled.
        let mut path = file.path().to_string_lossy().into_owned();
        for character in ["{", "}", "*", "#"] {
            path = path.replace(character, &character.repeat(2));
        }
        for table in plan.tables.iter_mut().filter(|table| table.name == *name) {
            table.value.read_sums_from(path.clone(), keys.clone());
        }
    }
    Ok(made.into_iter().map(|(_, _, file)| file).collect())
}

fn sums_file(sums: SumsRequest, folder: &Path, given: &Given) -> Result<NamedTempFile, Error> {
    let SumsRequest { plan, request, columns, keys } = sums;
    require_fact(&plan)?;
    let project = open_some(plan, folder, given, &|_| true)?;
    let job = project.prepare(&[request], Extent::Needed, OnDuplicates::Stop)?;
    let ran = run(&project, &job, Parallelism::default(), OnStop::Stop, &|_, _| {})?;
    let totals = ran.outcomes.iter().flat_map(|outcome| &outcome.totals);
    let bytes = totals.map(|(_, table)| written(table, &columns, keys)).next().unwrap_or_default();
    let unwritten = |error: std::io::Error| Error::output(&std::env::temp_dir(), &error);
    let mut file =
        tempfile::Builder::new().prefix("sums").suffix(".csv").tempfile().map_err(unwritten)?;
    file.write_all(&bytes).and_then(|()| file.flush()).map_err(unwritten)?;
    Ok(file)
}

/// The rows of sums; those that have no key are found by none and are left out.
fn written(table: &TotalsTable, columns: &[String], keys: usize) -> Vec<u8> {
    let mut out = csv_row(columns.iter().map(String::as_str));
    for row in &table.rows {
        if row.key.iter().take(keys).any(|value| value.is_blank()) {
            continue;
        }
        let cells: Vec<String> = row.cells().map(ToString::to_string).collect();
        out.extend(csv_row(cells.iter().map(String::as_str)));
    }
    out
}
