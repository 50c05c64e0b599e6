//! Errors as messages: what is wrong, where, the line with the word marked, and what to do.

use std::fmt;
use std::ops::Range;

use anstyle::{AnsiColor, Style};
use interligo_model::plan::{Mistake, Origin};
use interligo_project::Error;
use unicode_width::{UnicodeWidthChar, UnicodeWidthStr};

use super::reaching;
use crate::visible::{seen, without_secrets};

/// The text in which mistakes of a plan are.
pub struct PlanText<'a> {
    /// The file, as it is named.
    pub path: &'a str,
    /// What it holds.
    pub text: &'a str,
}

/// An error in full, a message on each line or lines of its own.
pub fn error_messages(error: &Error, plan: &PlanText<'_>) -> Vec<String> {
    let mistakes = error.mistakes().iter();
    let mut lines: Vec<String> = mistakes.map(|mistake| marked(mistake, plan)).collect();
    for stop in error.stops() {
        lines.push(error_line(&stop.message));
        let places = stop.places.iter();
        lines.extend(places.map(|place| format!("  {}", seen(&without_secrets(place)))));
        lines.push(fix_line(&stop.help));
    }
    match (error.mistakes(), error.stops()) {
        ([], []) => {
            lines.push(error_line(&error.to_string()));
            lines.extend(error.help().map(fix_line));
        }
        ([], _) => lines.push("Nothing was written.".to_owned()),
        _ => {}
    }
    lines
}

const ERROR: Style = AnsiColor::Red.on_default().bold();
const FIX: Style = AnsiColor::Cyan.on_default();
/// What the marked word has below each of its columns.
const MARK: &str = "▔";

/// What is wrong, as a line.
pub fn error_line(message: &str) -> String {
    format!("{ERROR}error:{ERROR:#} {}", seen(&without_secrets(message)))
}

/// What to do, as a line. Commands in it reach the plan.
pub fn fix_line(help: &str) -> String {
    format!("  {FIX}fix:{FIX:#} {}", seen(&without_secrets(&reaching(help))))
}

/// A mistake with its place, the line with the word marked, and what to do.
fn marked(mistake: &Mistake, plan: &PlanText<'_>) -> String {
    let mut lines = vec![error_line(&mistake.message)];
    match (&mistake.at.origin, &mistake.at.span) {
        (Origin::Plan, Some(span)) if !plan.text.is_empty() => {
            let found = MarkedLine::find(plan.text, span);
            let mut place = format!("{}, line {}", plan.path, found.number);
            if let Some(section) = section_above(plan.text, found.number) {
                place += &format!(", under {section}");
            }
            lines.push(place_line(&place));
            lines.push(found.to_string());
        }
        (Origin::Option { name, text }, Some(span)) if !text.is_empty() => {
            lines.push(place_line(name));
            lines.push(MarkedLine::find(text, span).to_string());
        }
        (Origin::Option { name, .. }, _) => lines.push(format!("  in {}", seen(name))),
        (Origin::Plan, _) => lines.push(format!("  in {}", seen(plan.path))),
    }
    lines.extend(mistake.help.as_deref().map(fix_line));
    lines.join("\n")
}

fn place_line(place: &str) -> String {
    format!("  in {}:", seen(place))
}

/// The header of the section of a plan that a line is in, unless the line is that header.
fn section_above(text: &str, number: usize) -> Option<&str> {
    let is_header = |line: &&str| {
        let name = line.trim_start_matches('[').trim_end_matches(']');
        line.starts_with('[') && line.ends_with(']') && !name.contains([',', '=', '['])
    };
    let mut lines = text.lines().take(number).map(str::trim).collect::<Vec<_>>().into_iter().rev();
    let own = lines.next()?;
    lines.find(is_header).filter(|_| !is_header(&own))
}

/// How many columns of a line are shown; a longer one is cut on both sides of the mark.
const SHOWN: usize = 96;
/// How many columns of a cut line are shown before the mark.
const BEFORE: usize = 40;

/// A line of a text with some of it marked.
struct MarkedLine<'a> {
    /// Counted from 1.
    number: usize,
    before: &'a str,
    marked: &'a str,
    after: &'a str,
}

impl<'a> MarkedLine<'a> {
    /// The line in which a range of bytes begins. What of the range is beyond its end is not marked.
    fn find(text: &'a str, span: &Range<usize>) -> MarkedLine<'a> {
        let at = |byte: usize| {
            (0..=byte.min(text.len())).rev().find(|at| text.is_char_boundary(*at)).unwrap_or(0)
        };
        let start = at(span.start);
        let begins = text[..start].rfind('\n').map_or(0, |end| end + 1);
        let ends = text[start..].find(['\r', '\n']).map_or(text.len(), |length| start + length);
        let stop = at(span.end).clamp(start, ends);
        MarkedLine {
            number: text[..start].matches('\n').count() + 1,
            before: &text[begins..start],
            marked: &text[start..stop],
            after: &text[stop..ends],
        }
    }
}

impl fmt::Display for MarkedLine<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let clean = |text: &str| seen(&without_secrets(text)).replace('\t', " ");
        let whole = clean(&[self.before, self.marked, self.after].concat());
        let mut start = clean(self.before).width();
        let marked = clean(self.marked).width().max(1);
        let line = if whole.width() > SHOWN {
            let cut = start.saturating_sub(BEFORE);
            start -= cut;
            columns(&whole, cut, SHOWN)
        } else {
            whole
        };
        let indent = line.len() - line.trim_start().len();
        let (line, start) = (line.trim_start(), start.saturating_sub(indent));
        let mark = MARK.repeat(marked.min(SHOWN.saturating_sub(start)).max(1));
        write!(f, "    {line}\n    {}{ERROR}{mark}{ERROR:#}", " ".repeat(start))
    }
}

/// Some columns of a line, with `…` where it is cut.
fn columns(line: &str, from: usize, count: usize) -> String {
    let mut shown = String::new();
    let mut column = 0;
    for character in line.chars() {
        let width = character.width().unwrap_or(0);
        if column >= from && column + width <= from + count {
            // The mark stays where it is: what is cut off takes the place of a character, and of what belongs to it.
            match column == from && from > 0 {
                true if shown.is_empty() => shown.push_str(&"…".repeat(width.max(1))),
                true if width == 0 => {}
                _ => shown.push(character),
            }
        }
        column += width;
    }
    if column > from + count {
        shown.push('…');
    }
    shown
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn shown(text: &str, span: Range<usize>) -> String {
        let coloured = MarkedLine::find(text, &span).to_string();
        coloured.replace(&ERROR.to_string(), "").replace(&format!("{ERROR:#}"), "")
    }

    #[test]
    fn a_word_is_marked_in_its_line() {
        let plan = "[tables.sales]\n\tfrom = \"Größe.csv\" # ö\n";
        let span = plan.find("csv").unwrap();
        assert_eq!(
            shown(plan, span..span + 3),
            "    from = \"Größe.csv\" # ö\n                  ▔▔▔"
        );
        assert_eq!(section_above(plan, 2), Some("[tables.sales]"));
        assert_eq!(section_above(plan, 1), None);
        // What is missing at the end of a text is marked behind it.
        assert_eq!(shown("a >", 3..3), "    a >\n       ▔");
        assert_eq!(shown("a\nb\nc", 2..5), "    b\n    ▔");
    }

    #[test]
    fn a_long_line_is_cut_around_the_mark() {
        let line = format!("{}word{}", "x".repeat(200), "y".repeat(200));
        let text = shown(&line, 200..204);
        let (line, mark) = text.split_once('\n').unwrap();
        assert_eq!(line.chars().count(), 4 + SHOWN + 1);
        let at = mark.chars().position(|character| character == '▔').unwrap();
        assert_eq!(line.chars().skip(at).take(4).collect::<String>(), "word");
    }

    #[test]
    fn a_header_is_under_no_other() {
        let plan = "[a]\nx = 1\n[b]\ny = [1]\n";
        let above: Vec<_> = (1..=4).map(|line| section_above(plan, line)).collect();
        assert_eq!(above, [None, Some("[a]"), None, Some("[b]")]);
    }

    proptest! {
        /// Any range of any text, also one that cuts a character: no panic, and the mark is under the line.
        #[test]
        fn prop_any_place_can_be_marked(text in "\\PC{0,40}(\n\\PC{0,150})?", from in 0usize..250, length in 0usize..80) {
            let shown = shown(&text, from..from + length);
            let (line, mark) = shown.split_once('\n').unwrap();
            prop_assert!(line.width() <= 4 + SHOWN + 2);
            prop_assert!(mark.width() <= 4 + SHOWN + 2, "{}", mark);
        }
    }
}
