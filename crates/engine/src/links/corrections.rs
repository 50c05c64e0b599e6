//! Corrections: keys that are known to be wrong, each with the key that is meant.
//!
//! They go before a lookup's own keys at each step of matching: a key as it is written is looked for among
//! the corrections, then in the lookup; then, cleaned, again in both. A correction that leads to no key of the
//! lookup, or that another one contradicts, changes nothing.

use std::collections::BTreeMap;

use arrow_array::StringViewArray;

use interligo_model::plan::Correction;

use crate::bind::Route;
use crate::keys::{Found, KeyForm, KeyIndex, joined, parts_of};

/// What becomes of a correction in a link.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum CorrectionOutcome {
    /// It holds.
    Holds,
    /// It holds, although the lookup has the key that it corrects by now.
    HasRow,
    /// An earlier one says the same.
    Twice,
    /// Another one says something else for the same key; neither holds.
    Contradicted,
    /// The lookup does not have the key that it leads to.
    LeadsNowhere,
}

/// The corrections of one link.
pub(crate) struct Corrections {
    index: KeyIndex,
    /// By number in the index: the correction, by number in the plan's, and the row of the index of the
    /// lookup's keys that it leads to.
    targets: Vec<(u32, u32)>,
    /// What becomes of each of the corrections that are for this link.
    pub(super) outcomes_of_corrections: Vec<(usize, CorrectionOutcome)>,
}

/// The key of several columns that a text with ` + ` between them means.
pub(crate) fn key_of(text: &str, columns: usize) -> Option<String> {
    let parts = parts_of(text, columns)?;
    let parts: Vec<&str> = parts.iter().map(String::as_str).collect();
    Some(joined(&parts).into_owned())
}

impl Corrections {
    /// The corrections that are for a route, if any; `lookup` finds the lookup's keys.
    pub(super) fn of(
        all: &[Correction],
        route: &Route,
        forms: Option<&[KeyForm]>,
        lookup: &KeyIndex,
    ) -> Option<Corrections> {
        let columns = route.ignore.len();
        let own = all.iter().enumerate().filter(|(_, c)| route.is_called(&c.link));
        let mut outcomes_of_corrections = BTreeMap::new();
        let mut open: Vec<(usize, String, u32)> = Vec::new();
        for (number, correction) in own {
            let row =
                key_of(&correction.used, columns).and_then(|key| match lookup.exactly_one(&key) {
                    Found::Exact(row) | Found::Cleaned(row) => Some(row),
                    Found::Ambiguous | Found::Nothing => None,
                });
            match (key_of(&correction.found, columns), row) {
                (Some(found), Some(row)) => open.push((number, found, row)),
                _ => {
                    outcomes_of_corrections.insert(number, CorrectionOutcome::LeadsNowhere);
                }
            }
        }
        // Two corrections are for one key if one of them finds the other's.
        let keys = |open: &[(usize, String, u32)]| {
            let keys: Vec<(&str, u32)> =
                (0u32..).zip(open).map(|(at, (_, key, _))| (key.as_str(), at)).collect();
            KeyIndex::new(keys.into_iter(), forms.map(<[KeyForm]>::to_vec))
        };
        let every = keys(&open);
        let mut same: BTreeMap<String, Vec<usize>> = BTreeMap::new();
        for (at, (_, found, _)) in open.iter().enumerate() {
            let form = if forms.is_some() { every.form(found).into_owned() } else { found.clone() };
            same.entry(form).or_default().push(at);
        }
        let mut kept = Vec::new();
        for group in same.values() {
            let agree = group.iter().all(|at| open[*at].2 == open[group[0]].2);
            for (position, at) in group.iter().enumerate() {
                let (number, found, _) = &open[*at];
                let fate = match (agree, position) {
                    (false, _) => CorrectionOutcome::Contradicted,
                    (true, 0) if !matches!(lookup.exactly_one(found), Found::Nothing) => {
                        CorrectionOutcome::HasRow
                    }
                    (true, 0) => CorrectionOutcome::Holds,
                    (true, _) => CorrectionOutcome::Twice,
                };
                if matches!(fate, CorrectionOutcome::Holds | CorrectionOutcome::HasRow) {
                    kept.push(*at);
                }
                outcomes_of_corrections.insert(*number, fate);
            }
        }
        let kept: Vec<_> = kept.into_iter().map(|at| open[at].clone()).collect();
        (!outcomes_of_corrections.is_empty()).then(|| Corrections {
            index: keys(&kept),
            targets: kept.iter().map(|(number, _, row)| (*number as u32, *row)).collect(),
            outcomes_of_corrections: outcomes_of_corrections.into_iter().collect(),
        })
    }

    /// The lines whose key is corrected as it is written, with the number in the index.
    pub(super) fn as_written(&self, keys: &StringViewArray) -> Vec<(u32, u32)> {
        self.index.exact_all(keys)
    }

    /// The same of one key after cleaning.
    pub(super) fn cleaned(&self, key: &str) -> Option<u32> {
        match self.index.find_unclean(key) {
            Found::Exact(at) | Found::Cleaned(at) => Some(at),
            Found::Ambiguous | Found::Nothing => None,
        }
    }

    /// By number in the index: the correction and the row that it leads to.
    pub(super) fn target(&self, at: u32) -> (u32, u32) {
        self.targets[at as usize]
    }
}
