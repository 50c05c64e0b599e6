//! The forms in which results are written. A new one is a module here and an entry in [`FORMATS`].

#[cfg(feature = "columnar")]
mod columnar;
pub mod json_lines;
#[cfg(feature = "sqlite")]
mod sqlite;
pub mod text;
pub mod typed;
#[cfg(feature = "workbook")]
mod workbook;

use std::borrow::Cow;
use std::sync::Arc;

use interligo_engine::links::LinkStatus;

use crate::format::OutputFormat;

/// Makes a form.
type Make = fn() -> Arc<dyn OutputFormat>;

/// All forms by how the names of their files end, in the order in which messages name them.
pub static FORMATS: &[(&str, Make)] = &[
    (".csv", || Arc::new(text::Text)),
    (".jsonl", || Arc::new(json_lines::JsonLines)),
    #[cfg(feature = "columnar")]
    (".parquet", || Arc::new(columnar::Parquet)),
    #[cfg(feature = "columnar")]
    (".arrow", || Arc::new(columnar::ArrowFile)),
    #[cfg(feature = "workbook")]
    (".xlsx", || Arc::new(workbook::Workbook)),
    #[cfg(feature = "sqlite")]
    (".sqlite", || Arc::new(sqlite::Sqlite)),
    #[cfg(feature = "sqlite")]
    (".db", || Arc::new(sqlite::Sqlite)),
];

/// The form of a file, by how its name ends.
pub fn format_of(name: &str) -> Option<Arc<dyn OutputFormat>> {
    let name = name.to_lowercase();
    FORMATS.iter().find(|(ending, _)| name.ends_with(ending)).map(|(_, make)| make())
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
