//! Errors as messages: what is wrong, where, the line with the word marked, and what to do.

use annotate_snippets::{AnnotationKind, Group, Level, Renderer, Snippet};
use anstyle::{AnsiColor, Style};
use interligo_model::plan::{Mistake, Origin};
use interligo_project::Error;

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
        lines.push(help_line(&stop.help));
    }
    match (error.mistakes(), error.stops()) {
        ([], []) => {
            lines.push(error_line(&error.to_string()));
            lines.extend(error.help().map(help_line));
        }
        ([], _) => lines.push("Nothing was written.".to_owned()),
        _ => {}
    }
    lines
}

const ERROR: Style = AnsiColor::Red.on_default().bold();
const HELP: Style = AnsiColor::Cyan.on_default();

/// What is wrong, as a line.
pub fn error_line(message: &str) -> String {
    format!("{ERROR}error:{ERROR:#} {}", seen(&without_secrets(message)))
}

/// What to do, as a line.
pub fn help_line(help: &str) -> String {
    format!("  {HELP}help:{HELP:#} {}", seen(&without_secrets(help)))
}

/// A mistake with the line that it stands in.
fn marked(mistake: &Mistake, PlanText { path: plan, text: source }: &PlanText<'_>) -> String {
    let (name, text) = match &mistake.at.origin {
        Origin::Plan => (*plan, *source),
        Origin::Option { name, text } => (*name, &**text),
    };
    let text = &*without_secrets(text);
    let message = without_secrets(&mistake.message);
    let title = Level::ERROR.primary_title(&*message);
    let mut group = match &mistake.at.span {
        // A place at the very end of a text is shown behind its last letter.
        Some(span) if !text.is_empty() => {
            let start = span.start.min(text.len());
            let end = span.end.min(text.len()).max(start);
            group_at(title, name, text, start..end)
        }
        _ => Group::with_title(Level::ERROR.primary_title(format!("{plan}: {message}"))),
    };
    if let Some(help) = &mistake.help {
        group = group.element(Level::HELP.message(help.as_str()));
    }
    Renderer::styled().render(&[group])
}

fn group_at<'a>(
    title: annotate_snippets::Title<'a>,
    name: &'a str,
    text: &'a str,
    span: std::ops::Range<usize>,
) -> Group<'a> {
    let snippet = Snippet::source(text).path(name).annotation(AnnotationKind::Primary.span(span));
    title.element(snippet)
}
