//! Rows read again from their place, to be shown.

use std::collections::BTreeMap;

use crate::error::Error;
use interligo_model::place::Spot;
use interligo_sources::table::parts::WantedColumns;
use interligo_sources::table::rows::Rows;

use crate::project::Project;

/// How many bytes are read at a time.
const BLOCK: usize = 1 << 19;

/// The cells of some rows of a table, by spot, in its columns. Several lines that were made of one row share their
/// spot.
///
/// # Errors
/// A file cannot be read.
pub fn rows_at(
    project: &Project,
    table: &str,
    spots: &[Spot],
) -> Result<BTreeMap<Spot, Vec<Vec<String>>>, Error> {
    let table = project.table(table);
    let mut found: BTreeMap<Spot, Vec<Vec<String>>> = BTreeMap::new();
    for (number, part) in table.parts.iter().enumerate() {
        let here = spots.iter().filter(|spot| spot.part == number);
        let Some(last) = here.clone().map(|spot| spot.row).max() else { continue };
        let mut reader = part.open(&WantedColumns::All.of(part))?;
        while let Some(block) = reader.next(BLOCK)? {
            let rows = Rows::of(block, table, part)?;
            let spot = |line: usize| Spot { part: number, row: rows.row_of(line) };
            let wanted: Vec<usize> = (0..rows.len())
                .filter(|line| here.clone().any(|wanted| *wanted == spot(*line)))
                .collect();
            if !wanted.is_empty() {
                let columns = 0..table.columns.names.len();
                let texts: Vec<_> = columns.map(|column| rows.texts(part, column)).collect();
                for line in wanted {
                    let cells = texts.iter().map(|texts| texts.value(line).trim().to_owned());
                    found.entry(spot(line)).or_default().push(cells.collect());
                }
            }
            if !rows.is_empty() && spot(rows.len() - 1).row >= last {
                break;
            }
        }
    }
    Ok(found)
}
