//! What is printed, made safe to print: characters that a terminal obeys are shown as what they are.
//!
//! Cells, column names and names of files come from anywhere. A character in them that would move the cursor, rename the
//! window or turn the direction of writing is printed as `\u001b`, in the form that JSON has for it as well, so
//! that JSON stays what it is. The few sequences with which our own text is coloured pass.

use std::borrow::Cow;
use std::io::{self, Write};

/// A text from a file or a command line in which every character can be seen.
pub fn seen(text: &str) -> Cow<'_, str> {
    if !text.chars().any(is_obeyed) {
        return Cow::Borrowed(text);
    }
    let mut all = String::with_capacity(text.len() + 8);
    for character in text.chars() {
        match is_obeyed(character) {
            true => all += &shown(character),
            false => all.push(character),
        }
    }
    Cow::Owned(all)
}

/// A text without the passwords of addresses in it: stars in their place, as many as they have bytes, so that
/// places in the text stay what they are.
pub fn without_secrets(text: &str) -> Cow<'_, str> {
    let ends = |character: char| character.is_whitespace() || matches!(character, '"' | '\'' | '`');
    let mut secrets: Vec<std::ops::Range<usize>> = Vec::new();
    for (at, _) in text.match_indices("://") {
        let start = at + 3;
        let address = text[start..].split(ends).next().unwrap_or_default();
        if let Some((login, _)) = address.rsplit_once('@')
            && let Some((user, password)) = login.split_once(':')
        {
            let from = start + user.len() + 1;
            secrets.push(from..from + password.len());
        }
    }
    for (at, found) in text.to_ascii_lowercase().match_indices("password=") {
        let from = at + found.len();
        let password = text[from..].split(|sign| ends(sign) || sign == '&').next();
        secrets.push(from..from + password.map_or(0, str::len));
    }
    if secrets.is_empty() {
        return Cow::Borrowed(text);
    }
    let mut all = text.to_owned();
    for secret in secrets {
        let stars = "*".repeat(secret.len());
        if all.is_char_boundary(secret.start) && all.is_char_boundary(secret.end) {
            all.replace_range(secret, &stars);
        }
    }
    Cow::Owned(all)
}

fn shown(sign: char) -> String {
    format!("\\u{:04x}", u32::from(sign))
}

/// Whether a terminal does something at a character other than to show it: the controls of ISO 6429 but for line end
/// and tab, and the characters of direction of the Unicode bidirectional algorithm (UAX 9).
fn is_obeyed(sign: char) -> bool {
    match sign {
        '\n' | '\t' => false,
        '\u{61c}' | '\u{200e}' | '\u{200f}' | '\u{202a}'..='\u{202e}' | '\u{2066}'..='\u{2069}' => {
            true
        }
        _ => sign.is_control(),
    }
}

/// The longest sequence of ours.
const LONGEST: usize = 12;

/// A writer in which every character can be seen.
pub struct Visible<W> {
    inner: W,
    /// The beginning of a character or of a sequence whose end has not come yet.
    held: Vec<u8>,
}

/// What is at the beginning of some bytes.
enum Next {
    /// This many bytes that pass.
    Passes(usize),
    /// A character that is shown, of this many bytes.
    Shown(char, usize),
    /// The end has not come yet.
    Unfinished,
}

impl<W: Write> Visible<W> {
    /// Shows on `inner` what comes.
    pub fn new(inner: W) -> Visible<W> {
        Visible { inner, held: Vec::new() }
    }

    fn put(&mut self, bytes: &[u8], is_all: bool) -> io::Result<()> {
        self.held.extend_from_slice(bytes);
        let bytes = std::mem::take(&mut self.held);
        let (mut from, mut at) = (0, 0);
        while at < bytes.len() {
            match next(&bytes[at..]) {
                Next::Passes(length) => at += length,
                Next::Shown(sign, length) => {
                    self.inner.write_all(&bytes[from..at])?;
                    self.inner.write_all(shown(sign).as_bytes())?;
                    at += length;
                    from = at;
                }
                Next::Unfinished if is_all => {
                    self.inner.write_all(&bytes[from..at])?;
                    let sign =
                        if bytes[at] == 0x1b { '\u{1b}' } else { char::REPLACEMENT_CHARACTER };
                    self.inner.write_all(shown(sign).as_bytes())?;
                    at += 1;
                    from = at;
                }
                Next::Unfinished => break,
            }
        }
        self.inner.write_all(&bytes[from..at])?;
        self.held = bytes[at..].to_vec();
        Ok(())
    }
}

impl<W: Write> Write for Visible<W> {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.put(bytes, false)?;
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        self.put(&[], true)?;
        self.inner.flush()
    }
}

fn next(bytes: &[u8]) -> Next {
    match bytes[0] {
        0x1b => sequence(bytes),
        b'\n' | b'\t' | b' '..=b'~' => Next::Passes(1),
        byte if byte < 0x80 => Next::Shown(char::from(byte), 1),
        byte => {
            let length = match byte {
                0xc2..=0xdf => 2,
                0xe0..=0xef => 3,
                0xf0..=0xf4 => 4,
                _ => return Next::Shown(char::REPLACEMENT_CHARACTER, 1),
            };
            let Some(text) = bytes.get(..length) else { return Next::Unfinished };
            match std::str::from_utf8(text).ok().and_then(|text| text.chars().next()) {
                None => Next::Shown(char::REPLACEMENT_CHARACTER, 1),
                Some(sign) if is_obeyed(sign) => Next::Shown(sign, length),
                Some(_) => Next::Passes(length),
            }
        }
    }
}

/// A sequence that sets a colour or how heavy letters are passes; every other one is shown.
fn sequence(bytes: &[u8]) -> Next {
    let refused = Next::Shown('\u{1b}', 1);
    match bytes.get(1) {
        None => return Next::Unfinished,
        Some(b'[') => {}
        Some(_) => return refused,
    }
    let inner = &bytes[2..bytes.len().min(LONGEST)];
    let end = inner.iter().position(|byte| !(byte.is_ascii_digit() || *byte == b';'));
    match end {
        None if bytes.len() < LONGEST => Next::Unfinished,
        Some(end) if inner[end] == b'm' => {
            let numbers = std::str::from_utf8(&inner[..end]).unwrap_or("8").split(';');
            let is_ours = |number: &str| {
                matches!(number.parse::<u8>(), Ok(0..=4 | 30..=37 | 39 | 90..=97))
                    || number.is_empty()
            };
            if numbers.into_iter().all(is_ours) { Next::Passes(end + 3) } else { refused }
        }
        _ => refused,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn printed(pieces: &[&[u8]]) -> String {
        let mut visible = Visible::new(Vec::new());
        pieces.iter().for_each(|piece| visible.write_all(piece).unwrap());
        visible.flush().unwrap();
        String::from_utf8(visible.inner).unwrap()
    }

    #[test]
    fn what_a_terminal_obeys_is_shown() {
        for (given, text) in [
            ("a\tb\n", "a\tb\n"),
            ("\x1b]0;title\x07x", "\\u001b]0;title\\u0007x"),
            ("\x1b[2J", "\\u001b[2J"),
            ("\u{9b}2J é 漢", "\\u009b2J é 漢"),
            ("a\u{202e}b\u{2066}", "a\\u202eb\\u2066"),
            ("\r", "\\u000d"),
            ("\x1b[8mhidden", "\\u001b[8mhidden"),
            ("\x1b", "\\u001b"),
            ("\x1b[1;31mx\x1b[0m", "\x1b[1;31mx\x1b[0m"),
            ("\x1b[111111111111m", "\\u001b[111111111111m"),
        ] {
            assert_eq!(printed(&[given.as_bytes()]), text);
            let single: Vec<&[u8]> = given.as_bytes().chunks(1).collect();
            assert_eq!(printed(&single), text, "byte by byte");
        }
        assert_eq!(printed(&[&[0xff, b'a', 0xe2]]), "\\ufffda\\ufffd");
    }

    #[test]
    fn no_password_is_shown() {
        for (given, text) in [
            ("from = \"other://ana:s3/cr@t@h/d\"", "from = \"other://ana:*******@h/d\""),
            ("PG://h/d?user=a&Password=s3crét&x=1 y", "PG://h/d?user=a&Password=*******&x=1 y"),
            ("a://b:c@d e://f:gh@i", "a://b:*@d e://f:**@i"),
            ("http://h:80/x mail@h", "http://h:80/x mail@h"),
            ("password = 1", "password = 1"),
        ] {
            assert_eq!(without_secrets(given), text);
            assert_eq!(without_secrets(given).len(), given.len());
        }
    }

    #[test]
    fn cells_show_every_sequence() {
        assert_eq!(seen("\x1b[31mred"), "\\u001b[31mred");
        assert!(matches!(seen("plain"), Cow::Borrowed(_)));
    }
}
