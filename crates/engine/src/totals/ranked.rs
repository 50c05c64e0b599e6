//! The groups of a table in the order of their attributes, with the periods that have no lines where they are asked
//! for.

use std::collections::{BTreeSet, HashMap};
use std::sync::Arc;

use interligo_model::values::date::{Day, Period, PeriodUnit};
use interligo_model::values::value::Value;

use super::codes::Key;
use super::cube::Cube;
use super::group_keys::GroupKeys;
use super::layout::Layout;
use super::plan::TotalsPlan;
use super::sums::Sums;
use super::table::TotalsError;
use super::time_shift::TimeAttribute;
use super::tree::Entry;

/// More rows than this are not made for periods without lines.
const MOST_FILLED: usize = 1_000_000;

/// The groups in the order of their attributes.
pub(super) struct Ranked {
    /// Of each attribute its values, by rank.
    pub(super) values: Vec<Vec<Arc<Value<'static>>>>,
    /// The ranks of the attributes across, of each column.
    pub(super) columns: Vec<Key>,
    /// Of each group the ranks of its attributes.
    pub(super) keys: GroupKeys,
    /// The groups in their order, each with its column across; none where nothing is across.
    pub(super) entries: Vec<Entry>,
    pub(super) sums: Sums,
}

impl Ranked {
    pub(super) fn new(
        layout: &Layout,
        plans: &[&TotalsPlan],
        mut cube: Cube,
    ) -> Result<Ranked, TotalsError> {
        let mut groups: Vec<u32> = (0..cube.keys.len() as u32).collect();
        if let Some(time) = &layout.time {
            let until = time.days.last.filter(|_| layout.all_periods);
            drop_later_times(&mut groups, &cube, plans, time, until);
            if layout.all_periods {
                fill_periods(layout, &mut groups, &mut cube, time)?;
            }
        }
        let (mut values, mut ranks) = (Vec::new(), Vec::new());
        for (attribute, known) in cube.attributes.iter_mut().enumerate() {
            let order = plans.iter().find_map(|plan| plan.by[attribute].order.as_deref());
            let (sorted, rank) = ranked(std::mem::take(&mut known.values), order);
            values.push(sorted);
            ranks.push(rank);
        }
        let rows: usize = layout.levels.iter().sum();
        let keys = cube.keys.renumbered(|attribute, number| ranks[attribute][number as usize]);
        let order = in_order(groups, &keys);
        let (keys, sums) = (keys.gathered(&order), cube.sums.gathered(&order));
        let across = |group: u32| &keys.of(group)[rows..];
        let groups = 0..order.len() as u32;
        let columns: BTreeSet<&[u32]> =
            groups.clone().map(across).filter(|key| !key.is_empty()).collect();
        let columns: Vec<Key> = columns.into_iter().map(Key::from_slice).collect();
        let column = |key: &[u32]| columns.binary_search_by(|column| column[..].cmp(key)).ok();
        let entry = |group: u32| Entry { group, column: column(across(group)) };
        let entries = groups.map(entry).collect();
        Ok(Ranked { values, columns, keys, entries, sums })
    }
}

/// Groups in the order of their keys.
fn in_order(groups: Vec<u32>, keys: &GroupKeys) -> Vec<u32> {
    // The first attributes are beside the group: most are in their order by these, and their keys are not looked at.
    let begins = |group: u32| {
        let key = keys.of(group);
        (0..FIRST).fold(0u128, |all, at| all << 32 | u128::from(*key.get(at).unwrap_or(&0)))
    };
    let mut begun: Vec<(u128, u32)> = groups.into_iter().map(|g| (begins(g), g)).collect();
    begun.sort_unstable_by(|(a, group), (b, other)| {
        let rest = |group: u32| keys.of(group).get(FIRST..);
        a.cmp(b).then_with(|| rest(*group).cmp(&rest(*other)))
    });
    begun.into_iter().map(|(_, group)| group).collect()
}

/// How many attributes of 32 bits make a number of 128.
const FIRST: usize = 4;

/// Values in order, blanks last, and the rank of each.
fn ranked(
    values: Vec<Value<'static>>,
    order: Option<&[String]>,
) -> (Vec<Arc<Value<'static>>>, Vec<u32>) {
    let place: HashMap<&str, usize> =
        order.into_iter().flatten().enumerate().map(|(at, name)| (name.as_str(), at)).collect();
    let at = |value: &Value<'_>| match value {
        Value::Text(text) => place.get(text.as_ref()).copied(),
        _ => None,
    };
    let mut numbers: Vec<usize> = (0..values.len()).collect();
    numbers.sort_by(|a, b| {
        let (a, b) = (&values[*a], &values[*b]);
        a.is_blank().cmp(&b.is_blank()).then_with(|| at(a).cmp(&at(b))).then_with(|| a.cmp(b))
    });
    let mut rank = vec![0; values.len()];
    for (place, number) in numbers.iter().enumerate() {
        rank[*number] = place as u32;
    }
    let mut values: Vec<Option<Value<'static>>> = values.into_iter().map(Some).collect();
    let sorted =
        numbers.into_iter().filter_map(|number| values[number].take().map(Arc::new)).collect();
    (sorted, rank)
}

/// Groups of times after the last line, or after a day until which all are wanted, are made by lines that are seen as
/// later ones; they say nothing.
fn drop_later_times(
    groups: &mut Vec<u32>,
    cube: &Cube,
    plans: &[&TotalsPlan],
    time: &TimeAttribute,
    until: Option<Day>,
) {
    let not_shifted = || plans.iter().filter(|plan| !plan.is_shifted());
    let own = |group: u32| not_shifted().any(|plan| cube.sums.of(group, plan.source).is_some());
    let values = &cube.attributes[time.attribute].values;
    let at = |group: u32| ordinal(&values[cube.keys.of(group)[time.attribute] as usize]);
    let known = groups.iter().copied().filter(|group| own(*group)).filter_map(at);
    let Some(last) = known.chain(until.map(|day| time.ordinal(day))).max() else { return };
    groups.retain(|group| own(*group) || at(*group).is_none_or(|at| at <= last));
}

/// The number of a day or period among its like.
fn ordinal(value: &Value<'_>) -> Option<i32> {
    match value {
        Value::Period(period) => Some(period.ordinal),
        Value::Date(day) => Some(day.0),
        _ => None,
    }
}

/// Adds the periods that have no lines, for all other attributes: between the first and the last that have, or those
/// that the condition of the table names.
fn fill_periods(
    layout: &Layout,
    groups: &mut Vec<u32>,
    cube: &mut Cube,
    time: &TimeAttribute,
) -> Result<(), TotalsError> {
    let at = time.attribute;
    let known =
        |group: &u32| ordinal(&cube.attributes[at].values[cube.keys.of(*group)[at] as usize]);
    let named = [time.days.first, time.days.last].into_iter().flatten();
    let named = named.map(|day| time.ordinal(day));
    let ordinals: Vec<i32> = groups.iter().filter_map(known).chain(named).collect();
    let (Some(first), Some(last)) = (ordinals.iter().min(), ordinals.iter().max()) else {
        return Ok(());
    };
    // Longer periods of the same day follow from the shortest.
    let longer: Vec<Option<PeriodUnit>> = cube
        .attributes
        .iter()
        .map(|known| match known.values.iter().find(|value| !value.is_blank()) {
            Some(Value::Period(period)) if period.unit < time.unit => Some(period.unit),
            _ => None,
        })
        .collect();
    let rows: usize = layout.levels.iter().sum();
    let combine = |range: std::ops::Range<usize>, cube: &Cube| -> BTreeSet<Vec<u32>> {
        let of = |key: &[u32]| {
            let fixed = |a: &usize| *a == at || longer[*a].is_some();
            range.clone().map(|a| if fixed(&a) { 0 } else { key[a] }).collect()
        };
        groups.iter().map(|group| of(cube.keys.of(*group))).collect()
    };
    let (row_keys, column_keys) = (combine(0..rows, cube), combine(rows..longer.len(), cube));
    // Across, a column is there as soon as one row has it.
    let keys: Vec<Vec<u32>> = match at < rows {
        true => {
            let first = column_keys.first().cloned().unwrap_or_default();
            row_keys.iter().map(|key| [key.as_slice(), &first].concat()).collect()
        }
        false => {
            let first = row_keys.first().cloned().unwrap_or_default();
            column_keys.iter().map(|key| [first.as_slice(), key].concat()).collect()
        }
    };
    let periods = (i64::from(*last) - i64::from(*first)) as usize + 1;
    let all = keys.len().saturating_mul(periods);
    if all > MOST_FILLED {
        return Err(TotalsError::TooLong { rows: all, most: MOST_FILLED });
    }
    let known: BTreeSet<u32> = groups.iter().copied().collect();
    for ordinal in *first..=*last {
        let period = Period { unit: time.unit, ordinal };
        let value = match cube.attributes[at].values.iter().any(|v| matches!(v, Value::Date(_))) {
            true => Value::Date(Day(ordinal)),
            false => Value::Period(period),
        };
        let day = period.days().map(|(first, _)| first);
        for key in &keys {
            let mut key = key.clone();
            key[at] = cube.attributes[at].number(value.clone());
            for (attribute, unit) in longer.iter().enumerate() {
                if let (Some(unit), Some(day)) = (unit, day) {
                    let longer = Value::Period(Period::containing(*unit, day));
                    key[attribute] = cube.attributes[attribute].number(longer);
                }
            }
            let group = cube.add_group(&key);
            if !known.contains(&group) {
                groups.push(group);
            }
        }
    }
    Ok(())
}
