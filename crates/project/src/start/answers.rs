//! What a folder leaves open, with the answers that may be given. By the answers the folder is looked at again, so that what
//! follows from one, a link by columns that it makes, is found as well.

use super::gather::Stack;

/// What a folder leaves open.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Decision {
    /// What was seen, and what the plan takes it for.
    pub text: String,
    /// What settles it, where that takes more than an answer.
    pub fix: Option<String>,
    /// Places or values that show it.
    pub evidence: Vec<String>,
    /// What may be answered, the likeliest first; nothing, where the data must be corrected or nothing follows.
    pub answers: Vec<Answer>,
}

/// What may be answered to a decision.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Answer {
    /// What it says.
    pub words: String,
    pub(super) effect: Effect,
}

/// What an answer makes of the draft. Tables and links are named as the draft names them.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum Effect {
    /// It stays as it is.
    AsDrafted,
    /// A line more for a table.
    Setting { table: String, line: String },
    /// The files of a table are in another encoding.
    Encoding { table: String, name: &'static str },
    /// Columns that are called by periods stay columns.
    Wide { table: String },
    /// A table that seemed to have the lines of another is one of its own.
    Apart { table: String },
    /// A file is no part of a table.
    WithoutFile { table: String, file: String },
    /// The rows of a table have no key.
    WithoutKey { table: String },
    /// A possible link holds, in the place of another if one is named.
    Link { path: String, instead_of: Option<String> },
}

impl Decision {
    /// One without answers.
    pub(super) fn note(text: impl Into<String>) -> Decision {
        Decision { text: text.into(), fix: None, evidence: Vec::new(), answers: Vec::new() }
    }

    /// One that is answered by one of these.
    pub(super) fn of(
        text: impl Into<String>,
        answers: impl IntoIterator<Item = (String, Effect)>,
    ) -> Decision {
        let answers = answers.into_iter().map(|(words, effect)| Answer { words, effect });
        Decision { answers: answers.collect(), ..Decision::note(text) }
    }

    /// The same with what settles it.
    pub(super) fn with_fix(self, fix: impl Into<String>) -> Decision {
        Decision { fix: Some(fix.into()), ..self }
    }

    /// The same with what shows it.
    pub(super) fn with_evidence(self, evidence: Vec<String>) -> Decision {
        Decision { evidence, ..self }
    }

    /// All of it as one sentence.
    pub fn sentence(&self) -> String {
        match &self.fix {
            Some(fix) => format!("{}: {fix}", self.text),
            None => self.text.clone(),
        }
    }
}

/// Answers that were given.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Answers {
    given: Vec<(String, Answer)>,
}

impl Answers {
    /// Adds an answer to a decision.
    pub fn give(&mut self, decision: &Decision, answer: &Answer) {
        self.given.push((decision.text.clone(), answer.clone()));
    }

    /// How many there are.
    pub fn count(&self) -> usize {
        self.given.len()
    }

    /// Whether a decision is made.
    pub fn settle(&self, decision: &Decision) -> bool {
        self.given.iter().any(|(text, _)| *text == decision.text)
    }

    /// What was decided, each with its answer.
    pub(super) fn decided(&self) -> Vec<(String, String)> {
        self.given.iter().map(|(text, answer)| (text.clone(), answer.words.clone())).collect()
    }

    fn effects(&self) -> impl Iterator<Item = &Effect> {
        self.given.iter().map(|(_, answer)| &answer.effect)
    }

    /// What was decided of tables before they are read.
    pub(super) fn settle_tables(&self, stacks: &mut [Stack]) {
        for effect in self.effects() {
            let (Effect::Setting { table, .. }
            | Effect::Encoding { table, .. }
            | Effect::WithoutFile { table, .. }
            | Effect::Wide { table }) = effect
            else {
                continue;
            };
            let Some(stack) = stacks.iter_mut().find(|stack| stack.name == *table) else {
                continue;
            };
            match effect {
                Effect::Setting { line, .. } => stack.settings.push(line.clone()),
                Effect::Encoding { name, .. } => stack.encoding = Some(name),
                Effect::WithoutFile { file, .. } => {
                    stack.from.retain(|pattern| pattern != file);
                    stack.leave_out.push(file.clone());
                }
                _ => stack.tall = None,
            }
        }
    }

    /// Whether a table stays one of its own.
    pub(super) fn is_apart(&self, table: &str) -> bool {
        self.effects().any(|own| matches!(own, Effect::Apart { table: named } if named == table))
    }

    /// Whether the rows of a table have no key.
    pub(super) fn is_without_key(&self, table: &str) -> bool {
        let is_own =
            |own: &Effect| matches!(own, Effect::WithoutKey { table: named } if named == table);
        self.effects().any(is_own)
    }

    /// The links that were taken, each with the one that it replaces.
    pub(super) fn links(&self) -> impl Iterator<Item = (&str, Option<&str>)> {
        self.effects().filter_map(|effect| match effect {
            Effect::Link { path, instead_of } => Some((path.as_str(), instead_of.as_deref())),
            _ => None,
        })
    }
}
