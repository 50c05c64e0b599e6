//! The index of a lookup's keys: which row a written key finds, and by which step.

use std::borrow::Cow;
use std::sync::Arc;

use arrow_array::{Array, StringViewArray};

use super::clean::{KeyForm, cleaned};
use super::exact::ExactKeys;
use super::joined::{map_parts, shown};
use super::table::{KeyTable, NO_ROW, ROW_LIMIT};

/// What looking for a key came to.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Found {
    /// The key as it is written.
    Exact(u32),
    /// The key after cleaning, or without the differences that the link ignores.
    Cleaned(u32),
    /// A step fits several distinct keys.
    Ambiguous,
    /// No step finds a key.
    Nothing,
}

/// A step of looking a key up.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum KeyStep {
    /// The key as it is written.
    AsWritten,
    /// Without stray spaces and in composed form: this text.
    Trimmed(String),
    /// Without the differences that the link ignores: this text.
    Ignoring(String),
}

/// What a step came to.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum StepOutcome {
    /// One key.
    Key,
    /// Several distinct keys, so that none is taken.
    Several,
    /// No key.
    NoKey,
}

/// Is in a table for a form that several distinct keys share.
const SEVERAL: u32 = ROW_LIMIT - 1;

/// Finds the row of a key, step by step; see the plan language on matching a candidate.
///
/// Most keys are found as they are written, in a table of their own. The tables of the further steps
/// are asked only for the others. A key of several columns is one text, see [`joined`](super::joined).
pub struct KeyIndex {
    exact: Arc<ExactKeys>,
    /// Cleaned forms of those keys that are not clean as they are written.
    clean: KeyTable,
    /// What step 3 disregards, by column of the key.
    forms: Vec<KeyForm>,
    /// Whether there are no steps after the first.
    as_written: bool,
    /// Every key in the form of step 3, unless that step is empty.
    formed: KeyTable,
}

impl KeyIndex {
    /// An index of `keys` with their rows. A key that comes a second time is left out; blank keys
    /// must not be among them. `forms` has one for each column of the key; none says that keys are
    /// compared as they are written only.
    pub fn new<K: AsRef<str>>(
        keys: impl ExactSizeIterator<Item = (K, u32)>,
        forms: Option<Vec<KeyForm>>,
    ) -> KeyIndex {
        let mut exact = ExactKeys::with_capacity(keys.len());
        let mut index = KeyIndex::without_keys(forms, keys.len());
        for (key, row) in keys {
            if exact.insert(key.as_ref(), row).is_none() {
                index.add_forms(key.as_ref(), row);
            }
        }
        KeyIndex { exact: Arc::new(exact), ..index }
    }

    /// The same where all keys are in a table already; `keys` are those that further steps have in another form.
    pub(crate) fn with_table<K: AsRef<str>>(
        exact: Arc<ExactKeys>,
        keys: impl ExactSizeIterator<Item = (K, u32)>,
        forms: Option<Vec<KeyForm>>,
    ) -> KeyIndex {
        let mut index = KeyIndex::without_keys(forms, keys.len());
        keys.for_each(|(key, row)| index.add_forms(key.as_ref(), row));
        KeyIndex { exact, ..index }
    }

    /// An index without keys, with room for the forms of this many.
    pub(crate) fn without_keys(forms: Option<Vec<KeyForm>>, keys: usize) -> KeyIndex {
        let as_written = forms.is_none();
        let forms = forms.unwrap_or_default();
        let formed = if forms.iter().all(KeyForm::is_plain) { 0 } else { keys };
        KeyIndex {
            exact: Arc::new(ExactKeys::with_capacity(0)),
            clean: KeyTable::with_capacity(0),
            formed: KeyTable::with_capacity(formed),
            forms,
            as_written,
        }
    }

    /// Puts a key in by what the further steps compare.
    fn add_forms(&mut self, key: &str, row: u32) {
        if self.as_written {
            return;
        }
        let clean = self.cleaned(key);
        let form = (!self.is_plain()).then(|| self.formed(&clean));
        if clean != key {
            let clean = clean.into_owned();
            insert_form(&mut self.clean, &clean, row);
        }
        if let Some(form) = form {
            insert_form(&mut self.formed, &form, row);
        }
    }

    /// Whether step 3 is empty.
    fn is_plain(&self) -> bool {
        self.forms.iter().all(KeyForm::is_plain)
    }

    /// A key as step 2 compares it.
    fn cleaned<'k>(&self, key: &'k str) -> Cow<'k, str> {
        map_parts(key, self.forms.len(), |_, part| cleaned(part))
    }

    /// A cleaned key as step 3 compares it.
    fn formed(&self, key: &str) -> String {
        map_parts(key, self.forms.len(), |column, part| Cow::Owned(self.forms[column].of(part)))
            .into_owned()
    }

    /// The steps that looking for a key takes, up to the one that decides.
    pub fn steps(&self, key: &str) -> Vec<(KeyStep, StepOutcome)> {
        if self.exact.get(key).is_some() {
            return vec![(KeyStep::AsWritten, StepOutcome::Key)];
        }
        let mut steps = vec![(KeyStep::AsWritten, StepOutcome::NoKey)];
        let clean = self.cleaned(key);
        if self.as_written || clean.is_empty() {
            return steps;
        }
        let outcome = match (self.exact.get(&clean), self.clean.get(&clean)) {
            (_, Some(SEVERAL)) => StepOutcome::Several,
            (Some(row), Some(other)) if row != other => StepOutcome::Several,
            (None, None) => StepOutcome::NoKey,
            _ => StepOutcome::Key,
        };
        if clean != key || outcome != StepOutcome::NoKey {
            steps.push((KeyStep::Trimmed(shown(&clean)), outcome));
        }
        if outcome != StepOutcome::NoKey || self.formed.is_empty() {
            return steps;
        }
        let form = self.formed(&clean);
        let outcome = match self.formed.get(&form) {
            Some(SEVERAL) => StepOutcome::Several,
            Some(_) => StepOutcome::Key,
            None => StepOutcome::NoKey,
        };
        steps.push((KeyStep::Ignoring(shown(&form)), outcome));
        steps
    }

    /// The row of one key.
    pub fn exactly_one(&self, key: &str) -> Found {
        match self.exact.get(key) {
            Some(row) => Found::Exact(row),
            None => self.find_unclean(key),
        }
    }

    /// A key after all steps: two keys of one form are the same to this index.
    pub(crate) fn form<'k>(&self, key: &'k str) -> Cow<'k, str> {
        let clean = self.cleaned(key);
        if self.is_plain() { clean } else { Cow::Owned(self.formed(&clean)) }
    }

    /// The keys that are there as they are written, by number, with their rows.
    pub(crate) fn exact_all(&self, keys: &StringViewArray) -> Vec<(u32, u32)> {
        let mut rows = Vec::new();
        self.exact.get_all(keys, &mut rows);
        let found = (0u32..).zip(rows).filter(|(_, row)| *row != NO_ROW);
        found.collect()
    }

    /// The row of a key that is not there as it is written.
    pub(crate) fn find_unclean(&self, key: &str) -> Found {
        if self.as_written {
            return Found::Nothing;
        }
        let clean = self.cleaned(key);
        if clean.is_empty() {
            return Found::Nothing;
        }
        match (self.exact.get(&clean), self.clean.get(&clean)) {
            (_, Some(SEVERAL)) => return Found::Ambiguous,
            (Some(row), Some(other)) if row != other => return Found::Ambiguous,
            (Some(row), _) | (None, Some(row)) => return Found::Cleaned(row),
            (None, None) => {}
        }
        if self.formed.is_empty() {
            return Found::Nothing;
        }
        match self.formed.get(&self.formed(&clean)) {
            Some(SEVERAL) => Found::Ambiguous,
            Some(row) => Found::Cleaned(row),
            None => Found::Nothing,
        }
    }

    /// Of each row that another index finds by a key as it is written, the row that this one has for that key as it is written;
    /// [`NO_ROW`] where it has none.
    pub(crate) fn rows_by(&self, other: &KeyIndex) -> Vec<u32> {
        let mut rows = Vec::new();
        for (key, row) in other.exact.iter() {
            let row = row as usize;
            if rows.len() <= row {
                rows.resize(row + 1, NO_ROW);
            }
            rows[row] = self.exact.get(&key).unwrap_or(NO_ROW);
        }
        rows
    }

    /// Appends the row of every key to `rows`. `other` is asked what to put where the key is not
    /// there as it is written; it is given the number of the key and what the later steps found.
    pub fn find_all(
        &self,
        keys: &StringViewArray,
        rows: &mut Vec<u32>,
        other: impl FnMut(usize, Found) -> u32,
    ) {
        let start = rows.len();
        self.exact_rows(keys, rows);
        self.find_others(keys, &mut rows[start..], other);
    }

    /// Appends the row of every key that is there as it is written to `rows`, [`NO_ROW`] for the others.
    pub(crate) fn exact_rows(&self, keys: &StringViewArray, rows: &mut Vec<u32>) {
        self.exact.get_all(keys, rows);
    }

    /// The same, where `known` may know what is there for a key.
    pub(crate) fn exact_rows_beside(
        &self,
        keys: &StringViewArray,
        known: impl Fn(usize) -> Option<u32>,
        rows: &mut Vec<u32>,
    ) {
        let row = |line: usize| {
            known(line).unwrap_or_else(|| self.exact.get(keys.value(line)).unwrap_or(NO_ROW))
        };
        rows.extend((0..keys.len()).map(row));
    }

    /// Finds the rows of the keys that are not there as they are written. `other` is asked what to put; it is given the
    /// number of the key and what the later steps found.
    pub(crate) fn find_others(
        &self,
        keys: &StringViewArray,
        rows: &mut [u32],
        mut other: impl FnMut(usize, Found) -> u32,
    ) {
        for (number, row) in rows.iter_mut().enumerate() {
            if *row == NO_ROW {
                *row = other(number, self.find_unclean(keys.value(number)));
            }
        }
    }
}

fn insert_form(table: &mut KeyTable, form: &str, row: u32) {
    // Keys that lead to one row are one key.
    if table.insert(form, row).is_some_and(|known| known != row) {
        table.set(form, SEVERAL);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use interligo_model::plan::Ignore;
    use proptest::prelude::*;

    fn index(keys: &[&str], ignore: &[Ignore]) -> KeyIndex {
        let numbered: Vec<_> =
            keys.iter().enumerate().map(|(row, key)| (*key, row as u32)).collect();
        KeyIndex::new(numbered.into_iter(), Some(vec![KeyForm::ignoring(ignore)]))
    }

    #[test]
    fn the_first_step_that_finds_a_key_decides() {
        let found = index(&["A1", " A2", "a1", "B 1", "B  1"], &[Ignore::Case]);
        for (key, expected) in [
            ("A1", Found::Exact(0)),
            ("a1", Found::Exact(2)),
            (" A1 ", Found::Cleaned(0)),
            ("A2", Found::Cleaned(1)),
            ("a2", Found::Cleaned(1)),
            ("B   1", Found::Ambiguous),
            ("b 1", Found::Ambiguous),
            ("C1", Found::Nothing),
            ("", Found::Nothing),
        ] {
            assert_eq!(found.exactly_one(key), expected, "{key:?}");
        }
    }

    #[test]
    fn keys_that_lead_to_one_row_are_one_key_in_every_step() {
        let keys = [("B  1", 4), ("B 1", 4), ("b 1", 4), ("C  1", 5), ("C 1", 6)];
        let forms = Some(vec![KeyForm::ignoring(&[Ignore::Case])]);
        let found = KeyIndex::new(keys.into_iter(), forms);
        assert_eq!(found.exactly_one("B   1"), Found::Cleaned(4));
        assert_eq!(found.exactly_one("b   1"), Found::Cleaned(4));
        assert_eq!(found.exactly_one("C   1"), Found::Ambiguous);
    }

    proptest! {
        /// The index against a nested loop over all keys.
        #[test]
        fn prop_an_index_finds_what_a_loop_finds(
            keys in prop::collection::hash_set("[aA ]{0,2}[bB0]{1,2}[ -]?", 0..12),
            asked in prop::collection::vec("[aA ]{0,2}[bB0]{1,2}[ -]?", 1..12),
            case in any::<bool>(),
        ) {
            let keys: Vec<&str> = keys.iter().map(String::as_str).collect();
            let ignore: &[Ignore] = if case { &[Ignore::Case] } else { &[] };
            let form = KeyForm::ignoring(ignore);
            let index = index(&keys, ignore);
            for key in &asked {
                let steps: [&dyn Fn(&str) -> String; 3] = [
                    &|k| k.to_owned(),
                    &|k| cleaned(k).into_owned(),
                    &|k| form.of(&cleaned(k)),
                ];
                let mut expected = Found::Nothing;
                for (step, of) in steps.iter().enumerate() {
                    let fits: Vec<usize> = (0..keys.len()).filter(|&i| of(keys[i]) == of(key)).collect();
                    expected = match (step, fits.as_slice()) {
                        (_, []) => continue,
                        (0, [row]) => Found::Exact(*row as u32),
                        (_, [row]) => Found::Cleaned(*row as u32),
                        _ => Found::Ambiguous,
                    };
                    break;
                }
                prop_assert_eq!(index.exactly_one(key), expected, "{:?} in {:?}", key, keys);
            }
        }
    }
}
