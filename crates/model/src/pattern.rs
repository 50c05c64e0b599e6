//! Patterns of names: `{depot}_{year}.csv`, `price_{year}`.
//!
//! `{slot}` represents one or more letters and `*` for any number of them; a slot is as short as the
//! pattern allows, from the left. A doubled character means the character itself.

use std::collections::HashSet;
use std::fmt;

#[derive(Clone, Debug, PartialEq, Eq)]
enum PatternPiece {
    Letters(String),
    Any,
    Slot(String),
}

/// A pattern that has been read.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct NamePattern {
    pieces: Vec<PatternPiece>,
}

/// What is wrong with a pattern.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum PatternError {
    /// A slot has no name, or is not closed.
    OpenSlot {
        /// What follows its opening brace.
        name: String,
    },
    /// A closing brace has no opening one.
    NoOpeningBrace,
}

impl fmt::Display for PatternError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            PatternError::OpenSlot { name } => {
                write!(f, "the slot `{{{name}` has no name or no closing brace")
            }
            PatternError::NoOpeningBrace => {
                f.write_str("a closing brace has no opening one; `}}` is the character itself")
            }
        }
    }
}

impl std::error::Error for PatternError {}

impl NamePattern {
    /// Reads a pattern.
    ///
    /// # Errors
    /// A slot without a name, a brace without the other.
    pub fn parse(text: &str) -> Result<NamePattern, PatternError> {
        let mut pieces = Vec::new();
        let mut letters = String::new();
        let mut characters = text.chars().peekable();
        let flush = |letters: &mut String, pieces: &mut Vec<PatternPiece>| {
            if !letters.is_empty() {
                pieces.push(PatternPiece::Letters(std::mem::take(letters)));
            }
        };
        while let Some(character) = characters.next() {
            match character {
                '{' | '}' | '*' if characters.peek() == Some(&character) => {
                    characters.next();
                    letters.push(character);
                }
                '*' => {
                    flush(&mut letters, &mut pieces);
                    pieces.push(PatternPiece::Any);
                }
                '{' => {
                    flush(&mut letters, &mut pieces);
                    let mut name = String::new();
                    let closed = loop {
                        match characters.next() {
                            Some('}') => break true,
                            Some(character) => name.push(character),
                            None => break false,
                        }
                    };
                    if name.is_empty() || !closed {
                        return Err(PatternError::OpenSlot { name });
                    }
                    pieces.push(PatternPiece::Slot(name));
                }
                '}' => {
                    return Err(PatternError::NoOpeningBrace);
                }
                _ => letters.push(character),
            }
        }
        flush(&mut letters, &mut pieces);
        Ok(NamePattern { pieces })
    }

    /// The name, where the pattern has neither slot nor `*`.
    pub fn plain(&self) -> Option<&str> {
        match self.pieces.as_slice() {
            [] => Some(""),
            [PatternPiece::Letters(letters)] => Some(letters),
            _ => None,
        }
    }

    /// Whether it fits every name: a slot alone.
    pub fn fits_all(&self) -> bool {
        !self.pieces.iter().any(|piece| matches!(piece, PatternPiece::Letters(_)))
    }

    /// The names of its slots.
    pub fn slots(&self) -> impl Iterator<Item = &str> {
        self.pieces.iter().filter_map(|piece| match piece {
            PatternPiece::Slot(name) => Some(name.as_str()),
            _ => None,
        })
    }

    /// Whether it fits a name; then what its slots represent.
    pub fn fit(&self, name: &str) -> Option<Vec<String>> {
        let mut slots = Vec::new();
        let mut failed = HashSet::new();
        fit(&self.pieces, name, &mut slots, &mut failed).then_some(slots)
    }
}

/// Fits what is left of a pattern to what is left of a name. `failed` remembers, by what was left of
/// both, what does not match, so that no end is tried twice.
fn fit(
    pieces: &[PatternPiece],
    name: &str,
    slots: &mut Vec<String>,
    failed: &mut HashSet<(usize, usize)>,
) -> bool {
    let Some((piece, rest)) = pieces.split_first() else { return name.is_empty() };
    if let PatternPiece::Letters(letters) = piece {
        return name
            .strip_prefix(letters.as_str())
            .is_some_and(|name| fit(rest, name, slots, failed));
    }
    if failed.contains(&(pieces.len(), name.len())) {
        return false;
    }
    let is_slot = matches!(piece, PatternPiece::Slot(_));
    let ends = name.char_indices().map(|(at, _)| at).chain([name.len()]);
    // A slot represents at least one letter.
    for end in ends.skip(usize::from(is_slot)) {
        if is_slot {
            slots.push(name[..end].to_owned());
        }
        if fit(rest, &name[end..], slots, failed) {
            return true;
        }
        if is_slot {
            slots.pop();
        }
    }
    failed.insert((pieces.len(), name.len()));
    false
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn slots_are_as_short_as_the_pattern_allows() {
        for (pattern, name, slots) in [
            ("{depot}_{year}.csv", "corvo_2024.csv", Some(vec!["corvo", "2024"])),
            ("{depot}_{year}.csv", "corvo_alto_2024.csv", Some(vec!["corvo", "alto_2024"])),
            ("{depot}_{year}.csv", "corvo.csv", None),
            ("{depot}_{year}.csv", "_2024.csv", None),
            ("x*.csv", "x.csv", Some(vec![])),
            ("a{{b*", "a{b", Some(vec![])),
            ("{a}.csv", ".csv", None),
            ("{kind} {year}/*", "Preis 2025/é", Some(vec!["Preis", "2025"])),
        ] {
            let slots =
                slots.map(|s: Vec<&str>| s.into_iter().map(str::to_owned).collect::<Vec<_>>());
            assert_eq!(NamePattern::parse(pattern).unwrap().fit(name), slots, "{pattern} {name}");
        }
        assert!(NamePattern::parse("{a.csv").is_err());
        assert!(NamePattern::parse("a}.csv").is_err());
        assert!(NamePattern::parse("{}").is_err());
    }

    #[test]
    fn a_long_pattern_that_does_not_fit_is_given_up_soon() {
        let pattern = NamePattern::parse(&"{a}x".repeat(40)).unwrap();
        assert_eq!(pattern.fit(&"x".repeat(400)).map(|slots| slots.len()), Some(40));
        assert_eq!(pattern.fit(&("x".repeat(400) + "y")), None);
    }
}
