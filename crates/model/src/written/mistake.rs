//! Mistakes in what a person wrote, a plan or an option, with the place of the word at fault.

use std::fmt;
use std::ops::Range;

use super::mistake_kind::MistakeKind;

/// Where a piece of text that a person wrote stands.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Origin {
    /// In the plan; ranges count the bytes of its text.
    Plan,
    /// In an option of the command line; ranges count the bytes of its value.
    Option {
        /// The option as it is typed, such as `--where`.
        name: &'static str,
        /// Its whole value.
        text: Box<str>,
    },
}

/// A place in what a person wrote.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct At {
    /// The text in which it is.
    pub origin: Origin,
    /// The word. `None` is the text as a whole.
    pub span: Option<Range<usize>>,
}

impl At {
    /// The plan as a whole.
    pub const PLAN: At = At { origin: Origin::Plan, span: None };

    /// A range of the plan's text.
    pub fn in_plan(span: Range<usize>) -> At {
        At { origin: Origin::Plan, span: Some(span) }
    }

    /// A mistake there.
    pub fn mistake(self, kind: MistakeKind, message: impl Into<String>) -> Mistake {
        Mistake { kind, at: self, message: message.into(), help: None }
    }
}

/// One mistake in a plan or an option.
///
/// The message says what was found and what was wanted; `help` says what to do about it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Mistake {
    /// What kind of mistake it is.
    pub kind: MistakeKind,
    /// The word at fault.
    pub at: At,
    /// What is wrong: one sentence, lowercase, no final stop.
    pub message: String,
    /// What to do.
    pub help: Option<String>,
}

impl Mistake {
    /// A mistake at a range of the plan's text.
    pub fn in_plan(kind: MistakeKind, span: Range<usize>, message: impl Into<String>) -> Mistake {
        At::in_plan(span).mistake(kind, message)
    }

    /// A mistake of the plan as a whole.
    pub fn of_plan(kind: MistakeKind, message: impl Into<String>) -> Mistake {
        At::PLAN.mistake(kind, message)
    }

    /// The stable name of its kind.
    pub fn code(&self) -> &'static str {
        self.kind.code()
    }

    /// The same mistake with a fix.
    pub fn help(mut self, help: impl Into<String>) -> Mistake {
        self.help = Some(help.into());
        self
    }

    /// The same mistake with a fix, where it has none yet.
    pub fn or_help(self, help: impl Into<String>) -> Mistake {
        if self.help.is_some() { self } else { self.help(help) }
    }

    /// The same mistake with the nearest of the valid names, or all of them when none is near.
    pub fn nearest<'a>(self, found: &str, valid: impl IntoIterator<Item = &'a str>) -> Mistake {
        let mut valid: Vec<&str> = valid.into_iter().collect();
        match nearest_name(found, &valid) {
            Some(name) => self.help(format!("did you mean `{name}`?")),
            None if valid.is_empty() => self,
            None => {
                let rest = valid.len().saturating_sub(12);
                valid.truncate(12);
                let list: Vec<String> = valid.iter().map(|name| format!("`{name}`")).collect();
                let more = if rest > 0 { format!(" and {rest} more") } else { String::new() };
                self.help(format!("there is {}{more}", list.join(", ")))
            }
        }
    }
}

impl std::error::Error for Mistake {}

impl fmt::Display for Mistake {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.message)
    }
}

/// Some names, for a message.
pub fn listed(names: &[String]) -> String {
    let first: Vec<String> =
        names.iter().take(8).map(|name| format!("`{}`", name.trim())).collect();
    let more = if names.len() > 8 { ", …" } else { "" };
    format!("{}{more}", first.join(", "))
}

/// The valid name that a person most likely meant, if one is near enough to say so.
pub fn nearest_name<'a>(found: &str, valid: &[&'a str]) -> Option<&'a str> {
    let plain = |name: &str| name.to_lowercase().replace([' ', '-'], "_");
    let found = plain(found);
    let limit = (found.chars().count() / 3).max(1);
    valid
        .iter()
        .map(|name| (strsim::damerau_levenshtein(&found, &plain(name)), *name))
        .filter(|(distance, _)| *distance <= limit)
        .min_by_key(|(distance, _)| *distance)
        .map(|(_, name)| name)
}

/// A formula, path or name as a person wrote it, with the place where it stands.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Written {
    /// The text itself.
    pub text: String,
    origin: Origin,
    /// The range in the origin. Its start is that of the text only when `exact`.
    span: Range<usize>,
    exact: bool,
}

impl Written {
    /// A string value of the plan. `plan` is the plan's text, `span` the range of the value in it,
    /// quotes included.
    pub fn in_plan(plan: &str, text: &str, span: Range<usize>) -> Written {
        // A value without escapes stands byte for byte in the plan.
        let source = plan.get(span.clone()).unwrap_or_default();
        let exact = source.find(text).filter(|_| !text.is_empty());
        let (span, exact) = match exact {
            Some(at) => (span.start + at..span.start + at + text.len(), true),
            None => (span, false),
        };
        Written { text: text.to_owned(), origin: Origin::Plan, span, exact }
    }

    /// A part of an option's value, from byte `start` of it.
    pub fn in_option(name: &'static str, whole: &str, part: Range<usize>) -> Written {
        Written {
            text: whole[part.clone()].to_owned(),
            origin: Origin::Option { name, text: whole.into() },
            span: part,
            exact: true,
        }
    }

    /// A part of the text, with the place where it stands.
    pub fn part(&self, range: Range<usize>) -> Written {
        let span = if self.exact {
            self.span.start + range.start..self.span.start + range.end
        } else {
            self.span.clone()
        };
        let text = self.text[range].to_owned();
        Written { text, origin: self.origin.clone(), span, exact: self.exact }
    }

    /// Another text that was made of this one.
    pub fn changed_to(&self, text: String) -> Written {
        Written { text, exact: false, ..self.clone() }
    }

    /// A place in this text.
    pub fn at(&self, range: Range<usize>) -> At {
        let span = if self.exact {
            self.span.start + range.start..self.span.start + range.end
        } else {
            self.span.clone()
        };
        At { origin: self.origin.clone(), span: Some(span) }
    }

    /// The place of the whole text.
    pub fn at_all(&self) -> At {
        self.at(0..self.text.len())
    }

    /// A mistake at a range of this text.
    pub fn mistake(
        &self,
        kind: MistakeKind,
        range: Range<usize>,
        message: impl Into<String>,
    ) -> Mistake {
        self.at(range).mistake(kind, message)
    }

    /// A mistake about the whole text.
    pub fn mistaken(&self, kind: MistakeKind, message: impl Into<String>) -> Mistake {
        self.at_all().mistake(kind, message)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_nearest_name_forgives_typing_errors_but_does_not_guess() {
        let valid = ["quantity", "unit_price", "sold_on"];
        assert_eq!(nearest_name("quantiy", &valid), Some("quantity"));
        assert_eq!(nearest_name("Unit Price", &valid), Some("unit_price"));
        assert_eq!(nearest_name("sold-no", &valid), Some("sold_on"));
        assert_eq!(nearest_name("customer", &valid), None);
    }

    #[test]
    fn a_range_of_a_formula_points_into_the_plan() {
        let plan = "revenue = \"a * b\"";
        let written = Written::in_plan(plan, "a * b", 10..17);
        assert_eq!(&plan[written.at(4..5).span.unwrap()], "b");
        // With an escape the letters no longer correspond; the whole value is marked.
        let plan = r#"revenue = "\u0061 * b""#;
        let written = Written::in_plan(plan, "a * b", 10..22);
        assert_eq!(written.at(4..5).span, Some(10..22));
    }
}
