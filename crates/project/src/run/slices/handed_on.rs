//! Lookups on servers, read once when a run is divided, and handed on to its slices.

use std::path::{Path, PathBuf};

use interligo_sources::formats::handed_on::HandedOn;
use interligo_sources::formats::{Containers, Given, Limits};
use interligo_sources::table::parts_found::{SearchScope, find};
use serde::Deserialize;

use super::division::division_file;
use crate::error::Error;
use crate::prepare::Job;
use crate::project::Project;

/// The files of lookups in the folder of a division.
fn lookups_folder(folder: &Path) -> PathBuf {
    folder.join("lookups")
}

/// Writes the lookups of a project that are on servers into the folder of a division, all as they are at one moment.
///
/// # Errors
/// One cannot be read, or its file cannot be written.
pub(super) fn hand_on(project: &Project, job: &Job, folder: &Path) -> Result<HandedOn, Error> {
    let mut handed_on = HandedOn::new(&lookups_folder(folder));
    let outputs = project.own_outputs();
    let containers = Containers::new(Limits::of(&project.plan), Given::default());
    let scope =
        SearchScope { folder: project.folder(), outputs: &outputs, containers: &containers };
    let is_fact = |name: &str| job.engines.iter().any(|engine| engine.bound.fact.name == name);
    let is_in_files = |name: &str| project.table(name).parts.iter().all(|part| part.path.is_some());
    let entries = project.plan.tables.iter();
    for entry in entries.filter(|entry| !(is_fact(&entry.name) || is_in_files(&entry.name))) {
        for found in find(&project.plan, entry, &scope)? {
            handed_on.add((&*found.container, &found.what), &found.name)?;
        }
    }
    Ok(handed_on)
}

/// What a division says of the tables that were handed on; the rest of it is read when it is held against the project.
#[derive(Deserialize)]
struct DivisionHead {
    handed_on: HandedOn,
}

/// The tables that were handed on in the folder of a division; none where it has no division.
pub(crate) fn handed_on(folder: &Path) -> HandedOn {
    let text = std::fs::read(division_file(folder)).unwrap_or_default();
    let head = serde_json::from_slice::<DivisionHead>(&text);
    head.map_or_else(
        |_| HandedOn::default(),
        |head| head.handed_on.in_folder(&lookups_folder(folder)),
    )
}
