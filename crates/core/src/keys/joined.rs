//! Keys of several columns as one text: the texts of the columns with a sign between them that no text
//! can hold.

use std::borrow::Cow;

use arrow_array::{Array, StringViewArray};

use crate::column::is_blank_text;
use crate::texts::TextWriter;

/// ASCII's unit separator.
const BETWEEN: char = '\u{1f}';

/// Where a text holds one of the two itself, it is written as this and another sign.
const ESCAPE: char = '\u{1e}';

/// The key that these texts make; a single one is the key itself.
pub fn joined<'a>(texts: &[&'a str]) -> Cow<'a, str> {
    if let [only] = texts {
        return Cow::Borrowed(only);
    }
    let mut key = String::with_capacity(texts.iter().map(|text| text.len() + 1).sum());
    for (number, text) in texts.iter().enumerate() {
        if number > 0 {
            key.push(BETWEEN);
        }
        push_escaped(text, &mut key);
    }
    Cow::Owned(key)
}

/// Appends a text, with the signs that have a meaning in a key marked as such.
fn push_escaped(text: &str, key: &mut String) {
    let is_sign = |found: bool, byte: &u8| found | (*byte == 0x1e) | (*byte == 0x1f);
    if !text.as_bytes().iter().fold(false, is_sign) {
        key.push_str(text);
        return;
    }
    for sign in text.chars() {
        match sign {
            ESCAPE => key.extend([ESCAPE, ESCAPE]),
            BETWEEN => key.extend([ESCAPE, '\u{1d}']),
            sign => key.push(sign),
        }
    }
}

/// The keys that columns make row by row; a row with a blank part has the blank key.
pub fn join_columns(columns: &[StringViewArray]) -> StringViewArray {
    if let [only] = columns {
        return only.clone();
    }
    let rows = columns.first().map_or(0, Array::len);
    let mut keys = TextWriter::with_capacity(rows);
    let mut key = String::new();
    for row in 0..rows {
        key.clear();
        for (number, column) in columns.iter().enumerate() {
            let text = column.value(row);
            if is_blank_text(text) {
                key.clear();
                break;
            }
            if number > 0 {
                key.push(BETWEEN);
            }
            push_escaped(text, &mut key);
        }
        keys.push(&key);
    }
    keys.finish()
}

/// A key as messages show it.
pub(crate) fn shown(key: &str) -> String {
    key.replace(BETWEEN, " + ")
}

/// Changes the texts of a key one by one.
pub(crate) fn map_parts<'k>(
    key: &'k str,
    columns: usize,
    mut change: impl FnMut(usize, &'k str) -> Cow<'k, str>,
) -> Cow<'k, str> {
    if columns == 1 {
        return change(0, key);
    }
    // The signs that mark the separator in a text are no white space, letters or digits; what a step makes
    // of the text around them it makes of the escaped text as well.
    let parts: Vec<Cow<'_, str>> =
        key.split(BETWEEN).enumerate().map(|(number, part)| change(number, part)).collect();
    if parts.iter().all(|part| matches!(part, Cow::Borrowed(_)))
        && parts.iter().map(|part| part.len() + 1).sum::<usize>() == key.len() + 1
    {
        return Cow::Borrowed(key);
    }
    Cow::Owned(parts.join(&BETWEEN.to_string()))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// Different texts make different keys.
        #[test]
        fn prop_a_joined_key_is_its_texts(
            one in prop::collection::vec("[a\u{1d}\u{1e}\u{1f}]{0,4}", 2..4),
            other in prop::collection::vec("[a\u{1d}\u{1e}\u{1f}]{0,4}", 2..4),
        ) {
            let key = |texts: &[String]| {
                joined(&texts.iter().map(String::as_str).collect::<Vec<_>>()).into_owned()
            };
            prop_assert_eq!(key(&one) == key(&other), one == other);
        }
    }

    #[test]
    fn a_key_with_a_blank_part_is_blank() {
        let column = |texts: Vec<&str>| StringViewArray::from(texts);
        let keys = join_columns(&[column(vec!["a", "a", " "]), column(vec!["b", "", "b"])]);
        assert_eq!(keys, column(vec!["a\u{1f}b", "", ""]));
        assert_eq!(shown(keys.value(0)), "a + b");
    }
}
