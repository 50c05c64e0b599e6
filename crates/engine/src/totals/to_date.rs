//! Sums from the beginning of a year or quarter to a period.

use std::collections::HashMap;
use std::sync::Arc;

use interligo_model::values::date::{Day, Period, PeriodUnit};
use interligo_model::values::value::Value;

use super::codes::Key;
use super::sums::Sums;
use super::tree::{Cells, Node};
use crate::bind::Cumulated;

/// The year or quarter that a period or day lies in; a week lies in the year of its Thursday.
fn within(unit: PeriodUnit, value: &Value<'_>) -> Option<Period> {
    let day = match value {
        Value::Date(day) => *day,
        Value::Period(period) => {
            let (first, _) = period.days()?;
            if period.unit == PeriodUnit::Week { Day(first.0 + 3) } else { first }
        }
        _ => return None,
    };
    Some(Period::containing(unit, day))
}

/// Lets sums accumulate along the rows of each level that have the time among their attributes. `time` is where it
/// stands among them, `values` are its values by rank.
pub(super) fn along_rows(
    sums: &mut Sums,
    root: &mut Node,
    levels: &[usize],
    time: usize,
    values: &[Arc<Value<'static>>],
    unit: PeriodUnit,
) {
    let mut found: HashMap<Key, Cells> = HashMap::new();
    let mut end = 0;
    for (level, attributes) in levels.iter().enumerate() {
        end += attributes;
        if end <= time {
            continue;
        }
        let mut rows: Vec<(Key, u32, &Node)> = Vec::new();
        root.at_level(level + 1, &mut |node| {
            let mut others = node.path.clone();
            let rank = others.remove(time);
            rows.push((others, rank, node));
        });
        rows.sort_by(|a, b| (&a.0, a.1).cmp(&(&b.0, b.1)));
        let mut so_far: Option<(Key, Period, Cells)> = None;
        for (others, rank, node) in rows {
            let Some(period) = within(unit, &values[rank as usize]) else { continue };
            match &mut so_far {
                Some((same, known, cells)) if *same == others && *known == period => {
                    sums.merge_cells(cells, &node.cells);
                }
                _ => {
                    so_far = Some((others, period, sums.copied(&node.cells)));
                }
            }
            if let Some((_, _, cells)) = &so_far {
                found.insert(node.path.clone(), sums.copied(cells));
            }
        }
    }
    root.each_mut(0, &mut |node, _| {
        let cells = found.remove(&node.path).unwrap_or_default();
        node.cumulated.push((Cumulated::ToDate(unit), cells));
    });
}

/// Lets sums accumulate along columns. `columns` are the ranks of their attributes; `time` is where it stands among
/// them.
pub(super) fn along_columns(
    sums: &mut Sums,
    root: &mut Node,
    columns: &[Key],
    time: usize,
    values: &[Arc<Value<'static>>],
    unit: PeriodUnit,
) {
    let mut chains: HashMap<(Key, Period), Vec<usize>> = HashMap::new();
    for (number, key) in columns.iter().enumerate() {
        let mut others = key.clone();
        let rank = others.remove(time);
        if let Some(period) = within(unit, &values[rank as usize]) {
            chains.entry((others, period)).or_default().push(number);
        }
    }
    // The columns are in order, and so is each chain.
    root.each_mut(0, &mut |node, _| {
        let mut cells = Cells::default();
        for chain in chains.values() {
            let mut before = None;
            for column in chain {
                if let Some(before) = before.and_then(|before| cells.across.get(&before)).copied() {
                    sums.merge_column(&mut cells, *column, before);
                }
                if let Some(own) = node.cells.across.get(column) {
                    sums.merge_column(&mut cells, *column, *own);
                }
                before = Some(*column);
            }
        }
        node.cumulated.push((Cumulated::ToDate(unit), cells));
    });
}
