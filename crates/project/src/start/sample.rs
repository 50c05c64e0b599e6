//! Rows of the tables by which links are proposed: all rows of a table of moderate size; of a larger one the
//! first rows of its parts, and those that hold values of other tables.

use std::collections::HashSet;

use arrow_array::{Array, StringViewArray};
use interligo_discover::propose::{Seen, SeenColumn};
use interligo_model::plan::ColumnType;
use interligo_model::reading::column_reader::Reading;
use interligo_model::reading::evidence::Evidence;
use interligo_model::reading::style::Style;
use interligo_model::values::texts::{TextBuilder, gathered};

use crate::error::Error;
use interligo_sources::table::parts::{Table, WantedColumns};
use interligo_sources::table::rows::Rows;

/// This many rows are looked at of a table that is larger than this.
const ROWS: usize = 100_000;

/// Tables of up to this many bytes are read whole.
const WHOLE: u64 = 24 << 20;

/// This many rows of a table that others look their values up in.
const LOOKED_UP: usize = 400_000;

/// How many bytes are read at a time.
const BLOCK: usize = 1 << 18;

/// A table with the rows that were looked at.
pub(super) struct Sampled {
    pub(super) seen: Seen,
    /// Whether they are all of its rows.
    pub(super) is_whole: bool,
}

/// Reads rows of a table.
///
/// # Errors
/// A file that cannot be read.
pub(super) fn sample(name: &str, table: &Table) -> Result<Sampled, Error> {
    let mut columns: Vec<TextBuilder> =
        table.columns.names.iter().map(|_| TextBuilder::default()).collect();
    let days = day_columns(table);
    let bytes = table.parts.iter().map(|part| part.source.bytes());
    let size: Option<u64> = bytes.sum();
    let most = if size.is_some_and(|size| size <= WHOLE) { usize::MAX } else { ROWS };
    let share = (most / table.parts.len().max(1)).max(100);
    let (mut rows, mut read, mut all) = (0usize, 0u64, 0u64);
    let mut is_whole = true;
    for part in &table.parts {
        let mut of_part = 0;
        let mut reader = part.open(&WantedColumns::All.of(part))?;
        let mut ended = false;
        // What one part leaves of its share, the next may take.
        while of_part < share.max((most / 4).saturating_sub(rows)) && rows < most.saturating_mul(2)
        {
            let Some(block) = reader.next(BLOCK)? else {
                ended = true;
                break;
            };
            read += block.bytes;
            let block = Rows::of(block, table, part)?;
            for (number, column) in columns.iter_mut().enumerate() {
                column.push(&plain_days((number, days[number]), &block.values(part, number), part));
            }
            of_part += block.len();
            rows += block.len();
        }
        is_whole &= ended;
        all += part.source.bytes().unwrap_or(0);
    }
    // Sources that do not say their size are taken to be as large as what was read of them.
    let estimate = match (is_whole, read) {
        (false, 1..) if all > read => (u128::from(all) * rows as u128 / u128::from(read)) as u64,
        _ => rows as u64,
    };
    let columns = columns.into_iter().enumerate().map(|(number, column)| {
        let (texts, mut evidence) = (column.finish(), evidence(table, number));
        // What is made of column names is in no cell of a file.
        if evidence.filled == 0 {
            evidence.add_all(&texts, &Style::default());
        }
        SeenColumn { name: table.columns.names[number].clone(), texts, evidence }
    });
    let seen = Seen {
        name: name.to_owned(),
        columns: columns.collect(),
        rows: estimate,
        is_chosen: false,
        stated_keys: Vec::new(),
    };
    Ok(Sampled { seen, is_whole })
}

/// Which columns hold days, of all parts together.
fn day_columns(table: &Table) -> Vec<bool> {
    let columns = 0..table.columns.names.len();
    columns.map(|column| evidence(table, column).mostly() == ColumnType::Date).collect()
}

fn evidence(table: &Table, column: usize) -> Evidence {
    let mut all = Evidence::default();
    table.parts.iter().for_each(|part| all.merge(&part.evidence_of(column)));
    all
}

/// Days as outputs write them, so that they can be compared; other texts as they are.
fn plain_days(
    (column, are_days): (usize, bool),
    texts: &StringViewArray,
    part: &interligo_sources::table::parts::Part,
) -> StringViewArray {
    if !are_days {
        return texts.clone();
    }
    let days = Reading::DATE.read_part(texts, &part.style, column).column;
    StringViewArray::from_iter_values((0..texts.len()).map(|row| days.value(row).to_string()))
}

/// Adds to a table that was not read whole the rows that hold one of these values, in columns where every
/// row that was looked at has a value of its own.
///
/// # Errors
/// A file that cannot be read.
pub(super) fn look_up(
    sampled: &mut Sampled,
    table: &Table,
    columns: &[usize],
    values: &HashSet<String>,
) -> Result<(), Error> {
    let mut all: Vec<TextBuilder> =
        table.columns.names.iter().map(|_| TextBuilder::default()).collect();
    let mut rows = 0usize;
    let (wanted, days) = (WantedColumns::All, day_columns(table));
    for part in &table.parts {
        let mut reader = part.open(&wanted.of(part))?;
        while let Some(block) = reader.next(BLOCK * 8)? {
            let block = Rows::of(block, table, part)?;
            let keys: Vec<StringViewArray> =
                columns.iter().map(|column| block.values(part, *column)).collect();
            let holds =
                |row: &usize| keys.iter().any(|key| values.contains(key.value(*row).trim()));
            let found: Vec<u32> = (0..block.len()).filter(holds).map(|row| row as u32).collect();
            if found.is_empty() || rows > LOOKED_UP {
                continue;
            }
            rows += found.len();
            for (number, column) in all.iter_mut().enumerate() {
                let texts =
                    gathered(&block.values(part, number), found.iter().map(|row| Some(*row)));
                column.push(&plain_days((number, days[number]), &texts, part));
            }
        }
    }
    // Rows of the sample that are found again would be there twice.
    for (own, found) in sampled.seen.columns.iter_mut().zip(all) {
        own.texts = found.finish();
    }
    sampled.seen.is_chosen = true;
    Ok(())
}
