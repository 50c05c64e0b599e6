//! A page: a file that is written as a whole, from results that are finished. It has no rows.

use std::io::Read;
use std::path::Path;

use crate::format::OutputFormat;

/// How a page says near its beginning that Interligo made it.
pub const MADE_BY: &str = "Interligo";

/// How far that is from its beginning at most, in bytes.
const BEGINNING: u64 = 4096;

/// A page.
pub(super) struct Page;

impl OutputFormat for Page {
    fn may_replace(&self, path: &Path) -> bool {
        is_page(path)
    }
}

/// Whether a file is a page that Interligo made, whatever became of it since.
pub fn is_page(path: &Path) -> bool {
    let beginning = || {
        let mut bytes = Vec::new();
        std::fs::File::open(path)?.take(BEGINNING).read_to_end(&mut bytes)?;
        Ok::<_, std::io::Error>(bytes)
    };
    let mark = format!("name=\"generator\" content=\"{MADE_BY}\"");
    beginning().is_ok_and(|bytes| String::from_utf8_lossy(&bytes).contains(&mark))
}
