//! Lookups: read whole into memory, all columns as text.

use interligo_core::findings::Noted;
use interligo_core::lookup::RawTable;
use interligo_core::place::Place;
use interligo_core::rows::RowCounts;
use interligo_core::texts::TextBuilder;

use crate::error::Error;
use crate::parts::{Part, Table};
use crate::rows::Rows;
use crate::source::Wanted;

const BLOCK: usize = 1 << 20;

/// Reads a table whole.
///
/// # Errors
/// A file that cannot be read, or a row that has not the heading's number of fields: its values could
/// stand in any column.
pub(crate) fn read(table: &Table) -> Result<RawTable, Error> {
    let mut raw = RawTable {
        parts: Vec::new(),
        styles: Vec::new(),
        first_rows: Vec::new(),
        rows: Vec::new(),
        columns: Vec::new(),
        counts: RowCounts::default(),
        uneven: Vec::new(),
        suspects: Vec::new(),
        noted: Vec::new(),
    };
    let mut columns: Vec<TextBuilder> =
        table.columns.names.iter().map(|_| TextBuilder::default()).collect();
    for part in &table.parts {
        raw.parts.push(part.name.clone());
        raw.styles.push(part.style.clone());
        raw.first_rows.push(raw.rows.len());
        read_part(table, part, &mut raw, &mut columns)?;
    }
    raw.columns = columns.into_iter().map(TextBuilder::finish).collect();
    Ok(raw)
}

fn read_part(
    table: &Table,
    part: &Part,
    raw: &mut RawTable,
    columns: &mut [TextBuilder],
) -> Result<(), Error> {
    let mut reader = part.open(&Wanted::All)?;
    while let Some(block) = reader.next(BLOCK)? {
        let rows = Rows::of(block, table, part)?;
        if let Some(ragged) = rows.grid.ragged().first() {
            let message =
                format!("has {}, its heading has {}", count(ragged.fields), count(part.width()));
            return Err(Error::input(&part.name, message)
                .at_row(rows.grid.row_at(ragged))
                .help("a field that holds the separator stands in double quotes"));
        }
        raw.counts.absorb(&rows.counts);
        raw.rows.extend((0..rows.len()).map(|line| rows.row_of(line) as u32));
        let place = |row: u64| Place::row(part.name.clone(), row);
        raw.uneven.extend(rows.uneven().iter().map(|row| place(rows.number_of(*row as usize))));
        raw.suspects.extend(rows.suspects.iter().map(|(row, cells)| (place(*row), cells.clone())));
        let noted = |(what, _, cell): &(Noted, u64, String)| (*what, part.noted_words(cell));
        raw.noted.extend(rows.noted().iter().map(noted));
        for (number, column) in columns.iter_mut().enumerate() {
            column.push(&rows.values(part, number));
        }
    }
    Ok(())
}

fn count(fields: usize) -> String {
    if fields == 1 { "1 field".to_owned() } else { format!("{fields} fields") }
}
