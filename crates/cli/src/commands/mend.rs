//! `interligo mend`.

use std::io::IsTerminal;
use std::path::Path;

use interligo_engine::engine::Extent;
use interligo_engine::near::Likeness;
use interligo_project::{CorrectionsFile, Inspection, Mending, OnDuplicates, TakenOver};
use interligo_report::text;
use rustyline::completion::{Completer, Pair};
use rustyline::error::ReadlineError;
use rustyline::highlight::Highlighter;
use rustyline::hint::Hinter;
use rustyline::history::MemHistory;
use rustyline::validate::Validator;
use rustyline::{Config, Context, Editor, Helper};

use super::check::checked;
use super::{Opened, Out};
use crate::args::MendOptions;
use crate::failure::Failure;

pub(crate) fn mend(options: &MendOptions, out: Out<'_>) -> Result<(), Failure> {
    let asks = options.accept.is_empty() && options.from.is_none();
    if asks && !(std::io::stdin().is_terminal() && std::io::stdout().is_terminal()) {
        return Err(Failure::NoTerminal);
    }
    let opened = Opened::open(&options.plan)?;
    let job = opened.prepare(&[], Extent::Everything, OnDuplicates::Report)?;
    let ran = checked(&opened, &job, Inspection::default())?;
    let mut mending = Mending::new(&opened.project, &job.engines, &ran.checked, &opened.plan)
        .map_err(|error| opened.failure(error))?;
    match &options.from {
        Some(list) => take_over(&opened, &mut mending, list, options.dry_run, out),
        None if asks => ask(&opened, &mut mending, &ran.checked, out),
        None => accept(&opened, &mut mending, &options.accept, options.dry_run, out),
    }
}

/// Takes all of some classes.
fn accept(
    opened: &Opened,
    mending: &mut Mending<'_>,
    ways: &[Likeness],
    dry: bool,
    out: Out<'_>,
) -> Result<(), Failure> {
    let (mended, doubtful) = mending.accept(ways, dry).map_err(|error| opened.failure(error))?;
    text::mended(out, &mended, &mending.file.shown, dry)?;
    text::left_open(out, mending.open.len() - mended.len(), doubtful)?;
    out.flush()?;
    Ok(())
}

/// Imports a list that was agreed on elsewhere.
fn take_over(
    opened: &Opened,
    mending: &mut Mending<'_>,
    list: &Path,
    dry: bool,
    out: Out<'_>,
) -> Result<(), Failure> {
    let list = CorrectionsFile::given(list);
    if !list.path.exists() {
        return Err(Failure::NoSuchFile(list.shown.to_string()));
    }
    let taken = mending.take_over(&list, dry).map_err(|error| opened.failure(error))?;
    let TakenOver { mended, not_taken, unanswered } = taken;
    text::mended(out, &mended, &mending.file.shown, dry)?;
    text::unanswered(out, unanswered)?;
    out.flush()?;
    if not_taken.is_empty() {
        return Ok(());
    }
    for correction in &not_taken {
        crate::printed::say_all([text::not_taken(&list.shown, &mending.file.shown, correction)]);
    }
    Err(Failure::Found)
}

/// What is done with a key.
enum Answer {
    Use(String),
    Skip,
    Undo,
    Quit,
    Help,
}

/// Scans the keys at the terminal.
fn ask(
    opened: &Opened,
    mending: &mut Mending<'_>,
    checked: &interligo_project::Checked,
    out: Out<'_>,
) -> Result<(), Failure> {
    let count = mending.open.len();
    text::mending(out, count, &mending.file.shown)?;
    let config = Config::builder().auto_add_history(false).build();
    let failed = |error: ReadlineError| Failure::Output(std::io::Error::other(error));
    let mut editor: Editor<Keys, MemHistory> =
        Editor::with_history(config, MemHistory::new()).map_err(failed)?;
    // Of each key that was scanned, whether it was mended.
    let mut done: Vec<bool> = Vec::new();
    let mut shown = None;
    while done.len() < count {
        let at = done.len();
        if shown != Some(at) {
            let open = &mending.open[at];
            let line = mending.first_line(open);
            let columns = opened.project.column_names(&open.finding.table);
            let meanings = mending.meanings(open);
            text::open_key(out, checked, open, &mending.links_of(open), (at + 1, count))?;
            text::first_line(out, line.as_ref(), columns)?;
            text::suggestions(out, mending.suggestions(open), &meanings)?;
            out.flush()?;
            editor.set_helper(Some(Keys(mending.lookup_keys(open))));
            shown = Some(at);
        }
        let typed = match editor.readline("use> ") {
            Ok(typed) => typed,
            // Whoever closes the terminal has decided on what is written already.
            Err(ReadlineError::Eof | ReadlineError::Interrupted) => "q".to_owned(),
            Err(error) => return Err(failed(error)),
        };
        let suggested = mending.suggestions(&mending.open[at]);
        match answer(&typed, suggested) {
            Answer::Quit => break,
            Answer::Help => text::mend_help(out)?,
            Answer::Skip => done.push(false),
            Answer::Undo => match done.pop() {
                None => text::nothing_to_undo(out)?,
                Some(mended) => {
                    if mended {
                        mending.undo().map_err(|error| opened.failure(error))?;
                    }
                    shown = None;
                }
            },
            Answer::Use(text) => {
                let why = suggested.iter().find(|suggestion| suggestion.key == text);
                let note = why.map_or("typed".to_owned(), |suggestion| suggestion.words());
                let mended =
                    mending.mend(at, &text, &note).map_err(|error| opened.failure(error))?;
                match &mended {
                    Some(mended) => {
                        text::one_mended(out, mended)?;
                        done.push(true);
                    }
                    None => {
                        let keys = mending.lookup_keys(&mending.open[at]);
                        text::no_such_key(out, &text, &keys)?;
                    }
                }
            }
        }
        out.flush()?;
    }
    let mended = done.iter().filter(|mended| **mended).count();
    let left = count - mended;
    text::mend_end(out, mended, left, mending.kept(), &mending.file.shown)?;
    out.flush()?;
    Ok(())
}

/// What was typed: a word of ours, the number of a suggestion, or a key.
fn answer(typed: &str, suggested: &[interligo_engine::proof::balance::Suggestion]) -> Answer {
    let typed = typed.trim();
    match typed {
        "" | "s" | "skip" => Answer::Skip,
        "u" | "undo" => Answer::Undo,
        "q" | "quit" => Answer::Quit,
        "?" | "help" => Answer::Help,
        _ => {
            let number = typed.parse::<usize>().ok().and_then(|number| number.checked_sub(1));
            let suggestion = number.and_then(|number| suggested.get(number));
            Answer::Use(suggestion.map_or(typed, |suggestion| suggestion.key.as_str()).to_owned())
        }
    }
}

/// The keys of a lookup, to complete what is typed.
struct Keys(Vec<String>);

impl Completer for Keys {
    type Candidate = Pair;

    fn complete(
        &self,
        line: &str,
        at: usize,
        _: &Context<'_>,
    ) -> rustyline::Result<(usize, Vec<Pair>)> {
        let begun = line[..at].to_lowercase();
        let fitting = self.0.iter().filter(|key| key.to_lowercase().starts_with(&begun));
        let pair = |key: &String| Pair { display: key.clone(), replacement: key.clone() };
        Ok((0, fitting.map(pair).collect()))
    }
}

impl Hinter for Keys {
    type Hint = String;
}
impl Highlighter for Keys {}
impl Validator for Keys {}
impl Helper for Keys {}
