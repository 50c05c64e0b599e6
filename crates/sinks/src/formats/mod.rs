//! The forms in which results are written. A new one is a module here and an entry in [`FORMATS`].

#[cfg(any(feature = "sqlite", feature = "postgres"))]
mod append;
#[cfg(feature = "columnar")]
mod columnar;
pub mod compressed;
pub mod json_lines;
pub mod page;
#[cfg(feature = "postgres")]
pub mod postgres;
#[cfg(feature = "sqlite")]
mod sqlite;
pub mod text;
pub mod typed;
#[cfg(feature = "workbook")]
pub mod workbook;

use std::borrow::Cow;
use std::sync::Arc;

use interligo_engine::links::LinkStatus;
use interligo_sources::formats::is_address;
use interligo_sources::table::parts_found::split;

use crate::format::OutputFormat;
use compressed::{Compressed, Compression};
use text::styled::{StyledText, TextStyle};

/// Makes a form.
type Make = fn() -> Arc<dyn OutputFormat>;

/// All forms by how the names of their files end, in the order in which messages name them.
pub static FORMATS: &[(&str, Make)] = &[
    (".csv", || Arc::new(text::Text)),
    (".tsv", || Arc::new(StyledText(TextStyle { separator: '\t', ..TextStyle::default() }))),
    (".jsonl", || Arc::new(json_lines::JsonLines)),
    (".html", || Arc::new(page::Page)),
    #[cfg(feature = "columnar")]
    (".parquet", || Arc::new(columnar::Parquet)),
    #[cfg(feature = "columnar")]
    (".arrow", || Arc::new(columnar::ArrowFile)),
    #[cfg(feature = "workbook")]
    (".xlsx", || Arc::new(workbook::Workbook::default())),
    #[cfg(feature = "sqlite")]
    (".sqlite", || Arc::new(sqlite::Sqlite)),
    #[cfg(feature = "sqlite")]
    (".db", || Arc::new(sqlite::Sqlite)),
];

/// How the names of compressed files end, after the ending of text or JSON lines.
const COMPRESSED: [(&str, Compression); 2] =
    [(".gz", Compression::Gzip), (".zst", Compression::Zstd)];

/// The form of a file, by how its name ends.
pub fn format_of(name: &str) -> Option<Arc<dyn OutputFormat>> {
    form_of(name, None)
}

/// The form of a file, text in a style of its own.
pub fn styled(name: &str, style: TextStyle) -> Option<Arc<dyn OutputFormat>> {
    form_of(name, Some(style))
}

/// The file that `to` names, and the sheet or table after `#`, where the file can hold several.
pub fn file_and_table(to: &str) -> (String, Option<String>) {
    let (file, table) = split(to);
    match table {
        Some(table) if holds_several(&file) => (file, Some(table)),
        _ => (to.to_owned(), None),
    }
}

/// Whether a file holds several sheets or tables, by its name.
pub fn holds_several(file: &str) -> bool {
    format_of(file).is_some_and(|format| format.holds_several())
}

/// What is between the fields of a text file, by its name; none where it is no text.
pub fn text_separator(name: &str) -> Option<char> {
    let name = name.to_lowercase();
    let plain = COMPRESSED.iter().find_map(|(ending, _)| name.strip_suffix(ending));
    match plain.unwrap_or(&name) {
        csv if csv.ends_with(".csv") => Some(','),
        tsv if tsv.ends_with(".tsv") => Some('\t'),
        _ => None,
    }
}

fn form_of(name: &str, style: Option<TextStyle>) -> Option<Arc<dyn OutputFormat>> {
    if is_address(name) {
        #[cfg(feature = "postgres")]
        return Some(Arc::new(postgres::Postgres));
        #[cfg(not(feature = "postgres"))]
        return None;
    }
    let name = name.to_lowercase();
    let how = COMPRESSED.iter().find(|(ending, _)| name.ends_with(ending));
    let plain = how.and_then(|(ending, _)| name.strip_suffix(ending)).unwrap_or(&name);
    let (ending, make) = FORMATS.iter().find(|(ending, _)| plain.ends_with(ending))?;
    let is_bytes = matches!(*ending, ".csv" | ".tsv" | ".jsonl");
    let inner: Arc<dyn OutputFormat> = match style.filter(|_| text_separator(&name).is_some()) {
        Some(style) => Arc::new(StyledText(style)),
        None => make(),
    };
    match how {
        Some((_, how)) if is_bytes => Some(Arc::new(Compressed { inner, how: *how })),
        Some(_) => None,
        None => Some(inner),
    }
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
