//! Lookups: read whole into memory, the columns that are asked for as text.

use std::collections::BTreeSet;

use arrow_array::StringViewArray;
use interligo_engine::lookup::{RawTable, RowPlaces};
use interligo_engine::proof::findings::Noted;
use interligo_model::place::Place;
use interligo_model::row_counts::RowCounts;
use interligo_model::values::texts::TextKeeper;

use crate::error::{Error, InputKind};
use crate::formats::{Block, Wanted};
use crate::in_order::in_order;
use crate::table::parts::{Part, Table};
use crate::table::rows::Rows;

const BLOCK: usize = 1 << 20;

/// Reads a table whole, or these of its columns; the others are empty then.
///
/// # Errors
/// A file that cannot be read, or a row with another number of fields than there are column names: its values could
/// be those of any column.
pub fn read(table: &Table, wanted: Option<&BTreeSet<usize>>) -> Result<RawTable, Error> {
    let all = 0..table.columns.names.len();
    let wanted: Vec<usize> =
        all.filter(|column| wanted.is_none_or(|some| some.contains(column))).collect();
    let mut raw = RawTable {
        parts: Vec::new(),
        styles: Vec::new(),
        first_rows: Vec::new(),
        rows: RowPlaces::default(),
        columns: Vec::new(),
        counts: RowCounts::default(),
        uneven: Vec::new(),
        suspects: Vec::new(),
        noted: Vec::new(),
        currencies: Vec::new(),
    };
    let mut columns: Vec<TextKeeper> = wanted.iter().map(|_| TextKeeper::default()).collect();
    for part in &table.parts {
        raw.parts.push(part.name.clone());
        raw.styles.push(part.style.clone());
        raw.first_rows.push(raw.rows.len());
        read_part((table, part), &wanted, &mut raw, &mut columns)?;
    }
    raw.columns = table.columns.names.iter().map(|_| StringViewArray::new_null(0)).collect();
    for (column, texts) in wanted.into_iter().zip(columns) {
        raw.columns[column] = texts.finish();
    }
    Ok(raw)
}

/// What a block of a part holds.
struct BlockRead {
    /// Of each row, where it is in its file.
    numbers: Vec<u32>,
    /// The columns that are asked for.
    columns: Vec<StringViewArray>,
    counts: RowCounts,
    uneven: Vec<Place>,
    suspects: Vec<(Place, String)>,
    noted: Vec<(Noted, String)>,
    currencies: Vec<(usize, String, Place)>,
}

fn read_part(
    (table, part): (&Table, &Part),
    wanted: &[usize],
    raw: &mut RawTable,
    columns: &mut [TextKeeper],
) -> Result<(), Error> {
    let mut reader = part.open(&Wanted::All)?;
    let first = reader.next(BLOCK)?;
    // Most lookups are one block, which one thread reads best.
    let threads = match &first {
        Some(block) if !block.last => rayon::current_num_threads(),
        _ => 1,
    };
    let mut first = Some(first);
    in_order(
        threads,
        || first.take().map_or_else(|| reader.next(BLOCK), Ok),
        || (),
        |(), block| read_block(block, (table, part), wanted),
        |block: BlockRead| {
            raw.rows.extend(block.numbers);
            raw.counts.absorb(&block.counts);
            raw.uneven.extend(block.uneven);
            raw.suspects.extend(block.suspects);
            raw.noted.extend(block.noted);
            raw.currencies.extend(block.currencies);
            columns.iter_mut().zip(&block.columns).for_each(|(all, texts)| all.push(texts));
            Ok(())
        },
    )?;
    if !reader.is_whole() {
        return Err(lost(part));
    }
    part.refuse_changed()
}

fn lost(part: &Part) -> Error {
    Error::LostInReading { file: part.name.to_string() }
}

fn read_block(
    block: Block,
    (table, part): (&Table, &Part),
    wanted: &[usize],
) -> Result<BlockRead, Error> {
    let (last, extent) = (block.last, block.extent);
    let mut rows = Rows::whole(block, part)?;
    if rows.grid.covered() != extent {
        return Err(lost(part));
    }
    rows.leave_out(table, part, last, |_, _| {})?;
    if let Some(ragged) = rows.grid.ragged().first() {
        let message =
            format!("has {}, its header row has {}", count(ragged.fields), count(part.width()));
        return Err(Error::input(InputKind::Malformed, &part.name, message)
            .at_row(rows.grid.row_at(ragged))
            .help("put a field that contains the separator in double quotes"));
    }
    let place = |row: u64| Place::row(part.name.clone(), row);
    let uneven = rows.uneven().iter().map(|row| place(rows.number_of(*row as usize)));
    let noted = |(what, _, cell): &(Noted, u64, String)| (*what, part.noted_words(cell));
    Ok(BlockRead {
        numbers: (0..rows.len()).map(|line| rows.row_of(line) as u32).collect(),
        columns: wanted.iter().map(|number| rows.values(part, *number)).collect(),
        counts: rows.counts.clone(),
        uneven: uneven.collect(),
        suspects: rows.suspects.iter().map(|(row, cells)| (place(*row), cells.clone())).collect(),
        noted: rows.noted().iter().map(noted).collect(),
        currencies: rows
            .currencies(part)
            .into_iter()
            .map(|(column, mark, row)| (column, mark, place(row)))
            .collect(),
    })
}

fn count(fields: usize) -> String {
    if fields == 1 { "1 field".to_owned() } else { format!("{fields} fields") }
}
