//! Lines that share a key, read again from their places and compared: whether they differ, and how they are shown.

use std::collections::HashMap;
use std::hash::{BuildHasher, Hash, Hasher};
use std::sync::Arc;

use arrow_array::{Array, StringViewArray};
use foldhash::quality::FixedState;
use interligo_engine::engine::Engine;
use interligo_engine::proof::exact_sum::ExactSum;
use interligo_engine::proof::findings::Repeat;
use interligo_engine::rows::repeated_lines::{Copy, Pair};
use interligo_model::place::Spot;
use interligo_model::plan::ColumnType;
use interligo_model::reading::column_reader::Reading;
use interligo_model::reading::date_style::moment;
use interligo_model::reading::evidence::Evidence;
use interligo_model::values::texts::gathered;
use interligo_model::values::value::Value;
use interligo_sources::formats::Wanted;
use interligo_sources::table::parts::{ColumnSource, Part, Table, changed};
use interligo_sources::table::rows::Rows;

use super::State;
use crate::error::Error;

/// How many bytes are read at a time when lines are read again.
const BLOCK: usize = 1 << 19;

/// Reads lines again, in their order; `each` gets the rows of a block, the line of the block and its number.
fn read_again(
    table: &Table,
    state: &State,
    wanted: &[u32],
    mut each: impl FnMut(&Rows, &Part, &[(usize, u32)]),
) -> Result<(), Error> {
    let mut wanted = wanted.iter().copied().peekable();
    if wanted.peek().is_none() {
        return Ok(());
    }
    for (number, part) in table.parts.iter().enumerate() {
        let Some(start) = state.starts.get(number).copied() else { break };
        let end = state.starts.get(number + 1).copied().unwrap_or(state.lines);
        if wanted.peek().is_none_or(|line| u64::from(*line) >= end) {
            continue;
        }
        let mut reader = part.open(&Wanted::All)?;
        let mut first = start;
        while let Some(block) = reader.next(BLOCK)? {
            let rows = Rows::of(block, table, part)?;
            let next = first + rows.len() as u64;
            let mut here = Vec::new();
            while let Some(line) = wanted.next_if(|line| u64::from(*line) < next) {
                here.push(((u64::from(line) - first) as usize, line));
            }
            if !here.is_empty() {
                each(&rows, part, &here);
            }
            first = next;
            if wanted.peek().is_none_or(|line| u64::from(*line) >= end) {
                break;
            }
        }
        if first > end || wanted.peek().is_some_and(|line| u64::from(*line) < end) {
            return Err(changed(&part.name).into());
        }
    }
    Ok(())
}

/// The sums of single lines, by measure.
pub(super) type Amounts = HashMap<u32, Vec<Option<ExactSum>>>;

/// The lines that share keys, with what they hold, those of one key together; and what each amounts to.
pub(super) fn fetch(
    engine: &Engine,
    table: &Table,
    state: &State,
) -> Result<(Vec<Vec<Copy>>, Amounts), Error> {
    let groups = state.groups();
    let comparing = Comparing::new(engine, table);
    // Of each line, the columns in which its group is compared.
    let mut compared: HashMap<u32, Arc<Vec<usize>>> = HashMap::new();
    let mut known: HashMap<Vec<usize>, Arc<Vec<usize>>> = HashMap::new();
    for group in &groups {
        let mut parts: Vec<usize> = group.iter().map(|line| state.part_of(*line)).collect();
        parts.sort_unstable();
        parts.dedup();
        let columns = match known.get(&parts) {
            Some(columns) => columns.clone(),
            None => {
                let columns = Arc::new(comparing.common(&parts));
                known.insert(parts, columns.clone());
                columns
            }
        };
        compared.extend(group.iter().map(|line| (*line, columns.clone())));
    }
    let mut wanted: Vec<u32> = compared.keys().copied().collect();
    wanted.sort_unstable();
    let mut copies: HashMap<u32, Copy> = HashMap::with_capacity(wanted.len());
    let mut amounts = Amounts::new();
    read_again(table, state, &wanted, |rows, part, here| {
        let values = comparing.values(rows, part, here);
        for (at, (_, line)) in here.iter().enumerate() {
            let mut hasher = FixedState::with_seed(0x6f72_6465).build_hasher();
            for column in compared[line].iter() {
                values[*column][at].hash(&mut hasher);
            }
            let decides = comparing.decides.map_or(Value::Blank, |c| values[c][at].1.clone());
            copies.insert(*line, Copy { line: *line, values: hasher.finish(), decides });
            let sum = |column: Option<usize>| {
                Some(values[column?][at].1.number().map_or_else(ExactSum::default, ExactSum::from))
            };
            amounts.insert(*line, engine.measured_columns().map(sum).collect());
        }
    })?;
    let mut copy = |line: u32| copies.remove(&line);
    let copies = groups.into_iter().map(|group| group.into_iter().filter_map(&mut copy).collect());
    Ok((copies.collect(), amounts))
}

/// How the values of lines are compared: numbers as numbers, days as days, whatever their style.
struct Comparing<'a> {
    table: &'a Table,
    types: Vec<ColumnType>,
    decides: Option<usize>,
}

impl Comparing<'_> {
    fn new<'a>(engine: &Engine, table: &'a Table) -> Comparing<'a> {
        let column_use = &engine.bound.fact.column_use;
        let column_type = |column: usize| {
            let mut evidence = Evidence::default();
            table.parts.iter().for_each(|part| evidence.merge(&part.evidence_of(column)));
            let found = || match column_use.is_text(column) || column_use.keys().contains(&column) {
                true => ColumnType::Text,
                false => evidence.found_type(),
            };
            engine.column_type(column).unwrap_or_else(found)
        };
        let types = (0..table.columns.names.len()).map(column_type).collect();
        let decides = engine.bound.fact.key.as_ref().and_then(|key| key.decides);
        Comparing { table, types, decides }
    }

    /// The columns that all of these parts have from their rows.
    fn common(&self, parts: &[usize]) -> Vec<usize> {
        let has = |part: &usize, column: usize| {
            matches!(
                self.table.parts[*part].sources[column],
                ColumnSource::Field(_) | ColumnSource::Made(_)
            )
        };
        let all = 0..self.table.columns.names.len();
        all.filter(|column| parts.iter().all(|part| has(part, *column))).collect()
    }

    /// By column, what some lines hold: the text where it cannot be read, and the value.
    fn values(
        &self,
        rows: &Rows,
        part: &Part,
        lines: &[(usize, u32)],
    ) -> Vec<Vec<(String, Value<'static>)>> {
        let column = |(column, column_type): (usize, &ColumnType)| {
            let texts = rows.values(part, column);
            let texts = gathered(&texts, lines.iter().map(|(line, _)| Some(*line as u32)));
            let read = Reading::of(*column_type).read_part(&texts, &part.style, column);
            let value = |row: usize| match (read.column.value(row), column_type) {
                (Value::Text(text), _) => (text.trim().to_owned(), Value::Blank),
                (Value::Blank, _) => (texts.value(row).trim().to_owned(), Value::Blank),
                // Two moments of one day are two values.
                (value, _) => (String::new(), moment(value, texts.value(row)).into_owned()),
            };
            (0..texts.len()).map(value).collect()
        };
        self.types.iter().enumerate().map(column).collect()
    }
}

/// Lines that share a key and differ, as they are in their files.
pub(super) fn show(
    engine: &Engine,
    table: &Table,
    state: &State,
    pairs: &[Pair],
) -> Result<Vec<Repeat>, Error> {
    let mut wanted: Vec<u32> = pairs.iter().flat_map(|(first, later)| [*first, *later]).collect();
    wanted.sort_unstable();
    wanted.dedup();
    let comparing = Comparing::new(engine, table);
    type Shown = (Spot, Vec<String>, Vec<(String, Value<'static>)>);
    let mut lines: HashMap<u32, Shown> = HashMap::new();
    read_again(table, state, &wanted, |rows, part, here| {
        let values = comparing.values(rows, part, here);
        let texts: Vec<StringViewArray> =
            (0..values.len()).map(|column| rows.texts(part, column)).collect();
        for (at, (line, number)) in here.iter().enumerate() {
            let spot = Spot { part: state.part_of(*number), row: rows.row_of(*line) };
            let cells = texts.iter().map(|texts| texts.value(*line).trim().to_owned()).collect();
            let values = values.iter().map(|column| column[at].clone()).collect();
            lines.insert(*number, (spot, cells, values));
        }
    })?;
    let key = engine.bound.fact.key.as_ref().map_or(&[][..], |key| &key.columns);
    let repeat = |(first, later): &Pair| {
        let ((one, cells, values), (other, others, other_values)) =
            (lines.get(first)?, lines.get(later)?);
        let common = comparing.common(&[one.part, other.part]);
        let differing =
            common.into_iter().filter(|column| values[*column] != other_values[*column]);
        let name = |column: usize| table.columns.names[column].clone();
        Some(Repeat {
            key: key
                .iter()
                .map(|c| format!("{} {}", name(*c), cells[*c]))
                .collect::<Vec<_>>()
                .join(", "),
            first: *one,
            other: *other,
            differing: differing
                .map(|column| (name(column), cells[column].clone(), others[column].clone()))
                .collect(),
        })
    };
    Ok(pairs.iter().filter_map(repeat).collect())
}
