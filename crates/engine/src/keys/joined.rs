//! Keys of several columns as one text: the texts of the columns with a character between them that no text
//! can hold.

use std::borrow::Cow;

use arrow_array::{Array, StringViewArray};

use interligo_model::values::column::is_blank_text;
use interligo_model::values::texts::TextWriter;

/// ASCII's unit separator.
const BETWEEN: char = '\u{1f}';

/// Where a text holds one of the two itself, it is written as this and another character.
const ESCAPE: char = '\u{1e}';

/// The key that these texts make; a single one is the key itself.
pub fn joined<'a>(texts: &[&'a str]) -> Cow<'a, str> {
    if let [only] = texts {
        return Cow::Borrowed(only);
    }
    let mut key = String::with_capacity(texts.iter().map(|text| text.len() + 1).sum());
    push_joined(texts.iter(), &mut key);
    Cow::Owned(key)
}

/// Appends the key that texts make.
pub(crate) fn push_joined<T: AsRef<str>>(
    texts: impl ExactSizeIterator<Item = T>,
    key: &mut String,
) {
    let is_single = texts.len() == 1;
    for (number, text) in texts.enumerate() {
        if number > 0 {
            key.push(BETWEEN);
        }
        match text.as_ref() {
            only if is_single => key.push_str(only),
            part => push_escaped(part, key),
        }
    }
}

/// Appends a text, with the characters that have a meaning in a key marked as such.
fn push_escaped(text: &str, key: &mut String) {
    let is_sign = |found: bool, byte: &u8| found | (*byte == 0x1e) | (*byte == 0x1f);
    if !text.as_bytes().iter().fold(false, is_sign) {
        key.push_str(text);
        return;
    }
    for character in text.chars() {
        match character {
            ESCAPE => key.extend([ESCAPE, ESCAPE]),
            BETWEEN => key.extend([ESCAPE, '\u{1d}']),
            character => key.push(character),
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

/// What stands between the texts of a key where people read it.
const SHOWN_BETWEEN: &str = " + ";

/// A key as messages show it.
pub(crate) fn shown(key: &str) -> String {
    if !key.contains(BETWEEN) {
        return key.to_owned();
    }
    let parts: Vec<String> = key.split(BETWEEN).map(unescaped).collect();
    shown_parts(&parts)
}

/// The text of one of the columns of a key.
pub(crate) fn part_of_key(key: &str, columns: usize, column: usize) -> String {
    match columns {
        1 => key.to_owned(),
        _ => key.split(BETWEEN).nth(column).map_or(String::new(), unescaped),
    }
}

fn unescaped(part: &str) -> String {
    let mut text = String::with_capacity(part.len());
    let mut characters = part.chars();
    while let Some(character) = characters.next() {
        match character {
            ESCAPE => text.extend(
                characters.next().map(|next| if next == ESCAPE { ESCAPE } else { BETWEEN }),
            ),
            character => text.push(character),
        }
    }
    text
}

/// The texts of a key as messages show them and people write them: ` + ` between them; a text with which
/// that would not be clear is in quotes. A single text is itself.
pub fn shown_parts<T: AsRef<str>>(texts: &[T]) -> String {
    if let [only] = texts {
        return only.as_ref().to_owned();
    }
    let unclear =
        |text: &str| text.contains(" + ") || text.starts_with(['"', '+']) || text.ends_with('+');
    let quoted = |text: &str| match unclear(text) {
        true => format!("\"{}\"", text.replace('"', "\"\"")),
        false => text.to_owned(),
    };
    let texts: Vec<String> = texts.iter().map(|text| quoted(text.as_ref())).collect();
    texts.join(SHOWN_BETWEEN)
}

/// The texts of a key that was written so; nothing where they are not as many as the key has columns.
pub(crate) fn parts_of(text: &str, columns: usize) -> Option<Vec<String>> {
    if columns == 1 {
        return Some(vec![text.to_owned()]);
    }
    let (mut parts, mut rest) = (Vec::new(), text);
    loop {
        let (part, after) = match quoted_part(rest) {
            Some(found) => found,
            None => match rest.split_once(SHOWN_BETWEEN) {
                Some((part, after)) => (part.trim().to_owned(), Some(after)),
                None => (rest.trim().to_owned(), None),
            },
        };
        parts.push(part);
        match after {
            Some(after) => rest = after,
            None => break,
        }
    }
    (parts.len() == columns).then_some(parts)
}

/// A text in quotes at the beginning, and what comes after the character behind it.
fn quoted_part(text: &str) -> Option<(String, Option<&str>)> {
    let inner = text.trim_start().strip_prefix('"')?;
    let mut from = 0;
    loop {
        let end = from + inner[from..].find('"')?;
        let after = &inner[end + 1..];
        if after.starts_with('"') {
            from = end + 2;
            continue;
        }
        let part = inner[..end].replace("\"\"", "\"");
        return match after.strip_prefix(SHOWN_BETWEEN) {
            Some(rest) => Some((part, Some(rest))),
            None if after.trim().is_empty() => Some((part, None)),
            None => None,
        };
    }
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
    // The characters that mark the separator in a text are no white space, letters or digits; what a step makes
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
        /// Different texts make distinct keys.
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

        /// A key that messages show is understood when it is written so.
        #[test]
        fn prop_a_shown_key_is_read_back(
            texts in prop::collection::vec("[a\" +\u{1d}\u{1e}\u{1f}]{1,6}", 2..4).prop_map(|texts| {
                texts.iter().map(|text| format!("b{}", text.trim())).collect::<Vec<_>>()
            }),
            quotes in any::<bool>(),
        ) {
            let texts: Vec<String> =
                texts.iter().map(|text| if quotes { format!("\"{text}") } else { text.clone() }).collect();
            prop_assert_eq!(parts_of(&shown_parts(&texts), texts.len()), Some(texts.clone()));
            let parts: Vec<&str> = texts.iter().map(String::as_str).collect();
            prop_assert_eq!(shown(&joined(&parts)), shown_parts(&texts));
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
