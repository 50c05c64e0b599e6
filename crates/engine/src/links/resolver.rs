//! What finds the rows of a link, made before the first line: the index of its keys, those of them that are one key to the
//! link, and the calendar that these share.

use std::collections::{BTreeMap, HashMap};
use std::hash::BuildHasher;
use std::sync::Arc;

use foldhash::quality::FixedState;

use super::LinkParts;
use super::corrections::Corrections;
use super::resolve::{Resolver, SameKeys};
use crate::bind::Validity;
use crate::keys::{KeyForm, KeyIndex, shown};
use crate::lookup::calendar::{Calendar, Holds};
use crate::lookup::{Lookup, until_the_next};

/// What finds the rows of a link.
pub(super) fn resolver(parts: &LinkParts<'_>, lookup: &Lookup) -> Resolver {
    let route = parts.route;
    let dated = parts.bound.valid.is_some();
    let keys = &lookup.keys[route.key];
    // Of a dated lookup the index gives the number of the key, of any other the row itself.
    let row = |(number, (value, rows)): (usize, (_, &[Holds]))| {
        (value, if dated { number as u32 } else { rows[0].row })
    };
    let mut rows: Vec<(&str, u32)> = keys.iter().enumerate().map(row).collect();
    let forms = || route.ignore.iter().map(|ignore| KeyForm::ignoring(ignore)).collect();
    let forms: Option<Vec<KeyForm>> = (!route.as_written).then(forms);
    let groups = match &forms {
        Some(forms) => same_keys(&rows, forms),
        None => Vec::new(),
    };
    let mut calendar = dated.then(|| keys.calendar.clone());
    let mut same_keys = SameKeys::default();
    for group in &groups {
        let number = same_keys.groups.len();
        let texts = group.iter().map(|at| shown(rows[*at].0).trim().to_owned());
        same_keys.groups.push(texts.collect());
        let held = group.iter().flat_map(|at| keys.calendar.all(*at as u32));
        same_keys.of_row.extend(held.map(|holds| (holds.row, number)));
    }
    if let (Some(calendar), false) = (&mut calendar, groups.is_empty()) {
        // What is one key has one calendar.
        *calendar = Arc::new(joined_calendar(calendar, &groups, rows.len(), parts.bound.valid));
        for group in &groups {
            group.iter().for_each(|at| rows[*at].1 = group[0] as u32);
        }
    }
    let index = KeyIndex::new(rows.into_iter(), forms.clone());
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

/// Keys that are one key in their last form, by number, those of each together.
fn same_keys(keys: &[(&str, u32)], forms: &[KeyForm]) -> Vec<Vec<usize>> {
    let blank = KeyIndex::new(std::iter::empty(), Some(forms.to_vec()));
    let hasher = FixedState::with_seed(0x666f_726d);
    let form = |number: u32| blank.form(keys[number as usize].0);
    let mut hashed: Vec<(u64, u32)> =
        (0..keys.len() as u32).map(|number| (hasher.hash_one(form(number)), number)).collect();
    hashed.sort_unstable();
    let mut groups: Vec<Vec<usize>> = Vec::new();
    for alike in hashed.chunk_by(|a, b| a.0 == b.0).filter(|alike| alike.len() > 1) {
        // Equal hashes are hardly ever those of different forms.
        let mut by_form: BTreeMap<String, Vec<usize>> = BTreeMap::new();
        for (_, number) in alike {
            by_form.entry(form(*number)).or_default().push(*number as usize);
        }
        groups.extend(by_form.into_values().filter(|group| group.len() > 1));
    }
    groups.sort_unstable();
    groups
}

/// The calendar in which each group has the periods of all its keys, under the number of the first.
fn joined_calendar(
    calendar: &Calendar,
    groups: &[Vec<usize>],
    keys: usize,
    valid: Option<Validity>,
) -> Calendar {
    let group_of: HashMap<usize, &Vec<usize>> =
        groups.iter().flat_map(|group| group.iter().map(move |at| (*at, group))).collect();
    let (mut rows, mut starts) = (Vec::new(), vec![0u32]);
    for key in 0..keys {
        match group_of.get(&key) {
            None => rows.extend_from_slice(calendar.all(key as u32)),
            Some(group) if group[0] == key => {
                let own = group.iter().flat_map(|at| calendar.all(*at as u32));
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
