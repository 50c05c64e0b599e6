//! The forms in which two keys are compared, step by step: as written; without stray spaces and in
//! Unicode's composed form; without the differences that a link ignores.

use std::borrow::Cow;

use unicode_normalization::{IsNormalized, UnicodeNormalization, is_nfc_quick, is_nfkc_quick};

use interligo_model::plan::Ignore;

/// A key as step 2 compares it: trimmed, each run of white space inside it as one space, NFC.
pub(crate) fn cleaned(key: &str) -> Cow<'_, str> {
    let key = key.trim();
    let spaced = key.chars().any(|c| c.is_whitespace() && c != ' ') || key.contains("  ");
    let key = if spaced {
        Cow::Owned(key.split_whitespace().collect::<Vec<_>>().join(" "))
    } else {
        Cow::Borrowed(key)
    };
    if key.is_ascii() || is_nfc_quick(key.chars()) == IsNormalized::Yes {
        key
    } else {
        Cow::Owned(key.nfc().collect())
    }
}

/// The differences that step 3 disregards.
///
/// They are applied in a fixed order, whatever the order of writing: compatibility form, case,
/// punctuation, leading zeros.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct KeyForm {
    ignore: Vec<Ignore>,
}

impl KeyForm {
    /// The form that disregards these differences.
    pub fn ignoring(ignore: &[Ignore]) -> KeyForm {
        let mut ignore = ignore.to_vec();
        ignore.sort();
        ignore.dedup();
        KeyForm { ignore }
    }

    /// Whether step 3 has nothing to add to step 2.
    pub fn is_plain(&self) -> bool {
        self.ignore.is_empty()
    }

    /// A cleaned key as step 3 compares it.
    pub(crate) fn of(&self, key: &str) -> String {
        let ignores = |difference| self.ignore.contains(&difference);
        let mut form = key.to_owned();
        if ignores(Ignore::Width) && is_nfkc_quick(form.chars()) != IsNormalized::Yes {
            form = form.nfkc().collect();
        }
        if ignores(Ignore::Case) {
            form = if form.is_ascii() {
                form.to_ascii_lowercase()
            } else {
                caseless::default_case_fold_str(&form).nfc().collect()
            };
        }
        if ignores(Ignore::Punctuation) {
            form.retain(char::is_alphanumeric);
        }
        if ignores(Ignore::LeadingZeros) && form.bytes().all(|b| b.is_ascii_digit()) {
            let zeros = form.len() - form.trim_start_matches('0').len();
            // A key of zeros only keeps one.
            form.drain(..zeros.min(form.len().saturating_sub(1)));
        }
        form
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn cleaning_mends_spaces_and_composition_only() {
        for (key, clean) in [
            ("HV-001", "HV-001"),
            ("  HV-001\t", "HV-001"),
            ("HV  001", "HV 001"),
            ("HV\u{a0}001", "HV 001"),
            ("Cafe\u{301}", "Café"),
            ("hv-001", "hv-001"),
            ("  ", ""),
        ] {
            assert_eq!(cleaned(key), clean);
        }
    }

    #[test]
    fn each_difference_is_ignored_by_its_own_setting() {
        use Ignore::{Case, LeadingZeros, Punctuation, Width};
        for (ignore, key, form) in [
            (vec![Case], "HV-001", "hv-001"),
            (vec![Case], "STRASSE", "strasse"),
            (vec![Case], "Straße", "strasse"),
            (vec![Width], "ＨＶ００１", "HV001"),
            (vec![Punctuation], "HV-0 0.1", "HV001"),
            (vec![LeadingZeros], "00420", "420"),
            (vec![LeadingZeros], "000", "0"),
            (vec![LeadingZeros], "HV007", "HV007"),
            (vec![LeadingZeros, Punctuation], "0-042", "42"),
            (vec![], "HV-001", "HV-001"),
        ] {
            assert_eq!(KeyForm::ignoring(&ignore).of(key), form, "{ignore:?} {key}");
        }
    }
}
