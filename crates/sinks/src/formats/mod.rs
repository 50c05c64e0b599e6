//! The forms in which results are written. A new one is a module here and an entry in [`FORMATS`].

pub mod json_lines;
pub mod text;

use std::borrow::Cow;

use interligo_engine::links::LinkStatus;

use crate::format::OutputFormat;

/// All forms, in the order in which messages name them.
pub static FORMATS: &[&dyn OutputFormat] = &[&text::Text, &json_lines::JsonLines];

/// The form of a file, by how its name ends.
pub fn format_of(name: &str) -> Option<&'static dyn OutputFormat> {
    let name = name.to_lowercase();
    let has_ending =
        |format: &&dyn OutputFormat| format.endings().iter().any(|end| name.ends_with(end));
    FORMATS.iter().copied().find(has_ending)
}

/// How a link came out on a row; of an alternative, which candidate was found; of a row of another day, over how many
/// days.
fn status_text((status, by): (LinkStatus, u32)) -> Cow<'static, str> {
    let name = status.name();
    match (status, by) {
        (LinkStatus::Alternate, _) => format!("{name} {}", by + 1).into(),
        (LinkStatus::Carried, 1) => format!("{name} 1 day").into(),
        (LinkStatus::Carried, _) => format!("{name} {by} days").into(),
        _ => name.into(),
    }
}
