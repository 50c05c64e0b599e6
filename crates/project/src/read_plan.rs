//! Reads a plan from its file, with its values in their places.

use std::path::Path;

use interligo_model::plan::{Mistake, MistakeKind, Plan};

use crate::counted_values::{Counted, count};
use crate::error::Error;

/// Reads a plan from its file.
///
/// # Errors
/// The file cannot be read, or holds a mistake; its text comes along, for showing the place.
pub fn read_plan(path: &Path) -> Result<Plan, (Error, String)> {
    read_plan_given(path, &[])
}

/// The same with other values than those of the plan, by their names.
///
/// # Errors
/// Those of [`read_plan`]; a value that the plan does not have.
pub fn read_plan_given(path: &Path, given: &[(String, String)]) -> Result<Plan, (Error, String)> {
    let shown = path.to_string_lossy().into();
    let bytes = std::fs::read(path).map_err(|error| {
        let help =
            "name a plan that is there; `interligo start` drafts one from the files of a folder";
        let error = interligo_sources::error::Error::cannot_read_or(&shown, path, error, help);
        (Error::from(error), String::new())
    })?;
    let text = String::from_utf8(bytes).map_err(|_| {
        let mistake = Mistake::of_plan(MistakeKind::NotText, "the plan is not UTF-8")
            .help("save it as UTF-8");
        (Error::from(mistake), String::new())
    })?;
    let folder = path.parent().filter(|folder| *folder != Path::new(""));
    let Counted { given, told } = count(&text, given, folder.unwrap_or(Path::new(".")))
        .map_err(|error| (error, text.clone()))?;
    let mut plan =
        Plan::parse_given(&text, &given).map_err(|mistake| (Error::from(mistake), text))?;
    plan.counted = told;
    plan.stem = path.file_stem().map(|stem| stem.to_string_lossy().into_owned());
    Ok(plan)
}
