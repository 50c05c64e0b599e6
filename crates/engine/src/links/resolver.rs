//! What finds the rows of a link, made before the first line: the index of its keys, those of them that are one key to the
//! link, and the calendar that these share.

use std::collections::{BTreeMap, HashMap};
use std::hash::BuildHasher;
use std::sync::Arc;

use foldhash::quality::FixedState;
use rayon::prelude::*;

use super::LinkParts;
use super::corrections::Corrections;
use super::resolve::{Resolver, SameKeys};
use crate::bind::Validity;
use crate::keys::{KeyForm, KeyIndex, shown};
use crate::lookup::calendar::{Calendar, Holds};
use crate::lookup::{KeyRows, Lookup, until_the_next};

/// What finds the rows of a link.
pub(super) fn resolver(parts: &LinkParts<'_>, lookup: &Lookup) -> Resolver {
    let route = parts.route;
    let keys = &lookup.keys[route.key];
    let forms = || route.ignore.iter().map(|ignore| KeyForm::ignoring(ignore)).collect();
    let forms: Option<Vec<KeyForm>> = (!route.as_written).then(forms);
    let in_form = forms.as_ref().is_none_or(|forms| are_in_form(keys, forms));
    let groups = match &forms {
        Some(forms) if !in_form => same_keys(keys, forms),
        // No two keys are the same as they are written.
        _ => Vec::new(),
    };
    let mut same_keys = SameKeys::default();
    for group in &groups {
        let number = same_keys.groups.len();
        let texts = group.iter().map(|key| shown(&keys.value(*key)).trim().to_owned());
        same_keys.groups.push(texts.collect());
        let held = group.iter().flat_map(|key| keys.rows(*key));
        same_keys.of_row.extend(held.map(|row| (row, number)));
    }
    let calendar = match keys.calendar() {
        // What is one key has one calendar.
        Some(own) if !groups.is_empty() => {
            Some(Arc::new(joined_calendar(own, &groups, parts.bound.valid)))
        }
        own => own.cloned(),
    };
    let index = key_index(keys, &groups, forms.clone(), in_form);
    let needs = |columns: &Vec<usize>| {
        let blank = |row: usize| {
            columns.iter().any(|column| {
                lookup.columns[*column].column.as_ref().is_none_or(|c| c.value(row).is_blank())
            })
        };
        (0..lookup.all_rows()).map(blank).collect()
    };
    Resolver {
        corrections: Corrections::of(parts.corrections, route, forms.as_deref(), &index),
        index,
        calendar,
        same_keys,
        gaps: route.gaps,
        overlap: route.overlap,
        incomplete: (!route.needs.is_empty()).then(|| needs(&route.needs)),
        split: route.split.clone(),
    }
}

/// The index of the keys of a lookup: of a dated one it gives the number of the key, where several are one key that of the
/// first of them; of any other the row itself. `in_form` says that all keys are in their last form.
fn key_index(
    keys: &KeyRows,
    groups: &[Vec<u32>],
    forms: Option<Vec<KeyForm>>,
    in_form: bool,
) -> KeyIndex {
    let dated_groups = groups.iter().filter(|_| keys.calendar().is_some());
    let first_of: HashMap<u32, u32> =
        dated_groups.flat_map(|group| group.iter().map(|key| (*key, group[0]))).collect();
    let found_as = |key: u32| first_of.get(&key).copied().unwrap_or_else(|| keys.found_as(key));
    let rows = keys.values().zip(keys.numbers().map(found_as));
    match keys.table() {
        Some(table) if first_of.is_empty() => {
            let is_plain = forms.iter().flatten().all(KeyForm::is_plain);
            let others = if in_form && is_plain { 0 } else { rows.len() };
            KeyIndex::with_table(table.clone(), rows.take(others), forms)
        }
        _ => KeyIndex::new(rows, forms),
    }
}

/// Whether all keys are written in their last form.
fn are_in_form(keys: &KeyRows, forms: &[KeyForm]) -> bool {
    let blank = KeyIndex::without_keys(Some(forms.to_vec()), 0);
    let is_in_form = |key: u32| {
        let value = keys.value(key);
        blank.form(&value) == value
    };
    // Cleaning takes no notice of digits, in which alone keys of one shape differ.
    let alike = keys.table().is_some_and(|table| table.have_shape());
    if alike && forms.iter().all(KeyForm::is_plain) {
        return keys.numbers().take(1).all(is_in_form);
    }
    keys.numbers().into_par_iter().all(is_in_form)
}

/// Keys that are one key in their last form, by number, those of each together.
fn same_keys(keys: &KeyRows, forms: &[KeyForm]) -> Vec<Vec<u32>> {
    let blank = KeyIndex::without_keys(Some(forms.to_vec()), 0);
    let hasher = FixedState::with_seed(0x666f_726d);
    let form = |key: u32| blank.form(&keys.value(key)).into_owned();
    let mut hashed: Vec<(u64, u32)> =
        keys.numbers().map(|key| (hasher.hash_one(form(key)), key)).collect();
    hashed.sort_unstable();
    let mut groups: Vec<Vec<u32>> = Vec::new();
    for alike in hashed.chunk_by(|a, b| a.0 == b.0).filter(|alike| alike.len() > 1) {
        // Equal hashes are hardly ever those of different forms.
        let mut by_form: BTreeMap<String, Vec<u32>> = BTreeMap::new();
        for (_, key) in alike {
            by_form.entry(form(*key)).or_default().push(*key);
        }
        groups.extend(by_form.into_values().filter(|group| group.len() > 1));
    }
    groups.sort_unstable();
    groups
}

/// The calendar in which each group has the periods of all its keys, under the number of the first.
fn joined_calendar(calendar: &Calendar, groups: &[Vec<u32>], valid: Option<Validity>) -> Calendar {
    let group_of: HashMap<u32, &Vec<u32>> =
        groups.iter().flat_map(|group| group.iter().map(move |key| (*key, group))).collect();
    let (mut rows, mut starts) = (Vec::new(), vec![0u32]);
    for key in 0..calendar.keys() as u32 {
        match group_of.get(&key) {
            None => rows.extend_from_slice(calendar.all(key)),
            Some(group) if group[0] == key => {
                let own = group.iter().flat_map(|key| calendar.all(*key));
                let mut own: Vec<Holds> = own.copied().collect();
                own.sort_by_key(Holds::order);
                if let Some(Validity::UntilNext { carry, .. }) = valid {
                    until_the_next(&mut own, carry);
                }
                rows.extend(own);
            }
            Some(_) => {}
        }
        starts.push(rows.len() as u32);
    }
    Calendar::side_by_side(rows, starts)
}
