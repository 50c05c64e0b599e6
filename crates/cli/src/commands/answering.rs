//! Answers to what a first plan leaves open: asked at the terminal, or the first of each.

use std::io::IsTerminal;

use interligo_project::{Answer, Answers, Decision};
use interligo_report::text;
use rustyline::DefaultEditor;
use rustyline::error::ReadlineError;

use super::Out;
use crate::args::StartOptions;
use crate::failure::Failure;

/// Where answers come from.
pub(crate) enum Answering {
    /// Nobody is asked.
    LeaveOpen,
    /// The first of each.
    TakeFirst,
    /// The terminal, but not again for the questions that were left open.
    Ask { left_open: Vec<String> },
}

/// What was typed.
enum Typed<'a> {
    Takes(&'a Answer),
    LeavesOpen,
    Quits,
    IsUnclear,
}

impl Answering {
    /// Where they come from by the options, and by whether there is a terminal.
    pub(crate) fn of(options: &StartOptions) -> Answering {
        let is_terminal = std::io::stdout().is_terminal() && std::io::stdin().is_terminal();
        match (options.yes, is_terminal && !options.print) {
            (true, _) => Answering::TakeFirst,
            (false, true) => Answering::Ask { left_open: Vec::new() },
            (false, false) => Answering::LeaveOpen,
        }
    }

    /// Whether somebody is asked.
    pub(crate) fn asks(&self) -> bool {
        matches!(self, Answering::Ask { .. })
    }

    /// Adds answers to questions. The answer is whether there are any, so that a draft is to be made again.
    pub(crate) fn answer<'d>(
        &mut self,
        questions: impl Iterator<Item = &'d Decision>,
        answers: &mut Answers,
        out: Out<'_>,
    ) -> Result<bool, Failure> {
        let before = answers.count();
        match self {
            Answering::LeaveOpen => {}
            Answering::TakeFirst => {
                let firsts = questions.filter_map(|own| Some((own, own.answers.first()?)));
                firsts.for_each(|(decision, first)| answers.give(decision, first));
            }
            Answering::Ask { left_open } => {
                let open: Vec<&Decision> =
                    questions.filter(|own| !left_open.contains(&own.text)).collect();
                if !open.is_empty() {
                    ask(&open, left_open, answers, out)?;
                }
            }
        }
        Ok(answers.count() > before)
    }
}

/// Asks one after the other.
fn ask(
    open: &[&Decision],
    left_open: &mut Vec<String>,
    answers: &mut Answers,
    out: Out<'_>,
) -> Result<(), Failure> {
    let failed = |error: ReadlineError| Failure::Output(std::io::Error::other(error));
    let mut editor = DefaultEditor::new().map_err(failed)?;
    text::asking(out, open.len())?;
    let mut quits = false;
    for (number, decision) in open.iter().enumerate() {
        if quits {
            left_open.push(decision.text.clone());
            continue;
        }
        text::question(out, decision, (number + 1, open.len()))?;
        out.flush()?;
        loop {
            let typed = match editor.readline("answer> ") {
                Ok(typed) => typed,
                // Whoever closes the terminal has decided on what was answered already.
                Err(ReadlineError::Eof | ReadlineError::Interrupted) => "q".to_owned(),
                Err(error) => return Err(failed(error)),
            };
            match read(&typed, decision) {
                Typed::Takes(answer) => answers.give(decision, answer),
                Typed::LeavesOpen => left_open.push(decision.text.clone()),
                Typed::Quits => {
                    left_open.push(decision.text.clone());
                    quits = true;
                }
                Typed::IsUnclear => {
                    text::asking_help(out, decision.answers.len())?;
                    out.flush()?;
                    continue;
                }
            }
            break;
        }
    }
    Ok(())
}

fn read<'a>(typed: &str, decision: &'a Decision) -> Typed<'a> {
    match typed.trim() {
        "" | "s" | "skip" => Typed::LeavesOpen,
        "q" | "quit" => Typed::Quits,
        typed => {
            let number = typed.parse::<usize>().ok().and_then(|number| number.checked_sub(1));
            match number.and_then(|number| decision.answers.get(number)) {
                Some(answer) => Typed::Takes(answer),
                None => Typed::IsUnclear,
            }
        }
    }
}
