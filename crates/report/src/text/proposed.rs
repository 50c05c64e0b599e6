//! Commands that messages propose: they are to reach the plan that the command at hand was given.

use std::borrow::Cow;
use std::path::Path;
use std::sync::OnceLock;

use super::argument;

/// The plan of this process, where a command without options would take another.
static NAMED: OnceLock<NamedPlan> = OnceLock::new();

/// Which plan a command was given, and which commands take one.
#[derive(Debug)]
pub struct NamedPlan {
    options: String,
    commands: Vec<String>,
}

impl NamedPlan {
    /// The plan of this file, if one is named, with these texts in the place of its values. `commands` are those that
    /// take both, as they are typed: `link`, `link find`.
    pub fn new(plan: Option<&Path>, set: &[(String, String)], commands: Vec<String>) -> NamedPlan {
        let mut options = String::new();
        if let Some(plan) = plan {
            options += &format!(" --plan {}", argument(&plan.to_string_lossy()));
        }
        for (name, text) in set {
            options += &format!(" --set {}", argument(&format!("{name}={text}")));
        }
        NamedPlan { options, commands }
    }

    /// Lets all commands that this process proposes from now on reach the plan; the first call counts.
    pub fn propose(self) {
        // A second plan in one process: its commands stay as they are.
        let _ = NAMED.set(self);
    }

    /// A text whose commands reach the plan. A command begins the text, or follows a backquote.
    fn reached_by<'a>(&self, text: &'a str) -> Cow<'a, str> {
        if self.options.is_empty() {
            return Cow::Borrowed(text);
        }
        let mut all = String::new();
        let mut from = 0;
        for (at, found) in text.match_indices("interligo ") {
            let begins = at == 0 || text[..at].ends_with('`');
            let Some(length) = self.command_length(&text[at + found.len()..]) else { continue };
            let end = at + found.len() + length;
            if begins && !text[end..].starts_with(&self.options) {
                all += &text[from..end];
                all += &self.options;
                from = end;
            }
        }
        if from == 0 {
            return Cow::Borrowed(text);
        }
        all += &text[from..];
        Cow::Owned(all)
    }

    /// How many bytes the words of the command have with which a text begins, if it takes a plan.
    fn command_length(&self, text: &str) -> Option<usize> {
        let ends =
            |rest: &str| !rest.starts_with(|next: char| next.is_alphanumeric() || next == '-');
        let begins = |command: &&String| text.strip_prefix(command.as_str()).is_some_and(ends);
        self.commands.iter().filter(begins).map(String::len).max()
    }
}

/// A text whose commands reach the plan that this process was given.
pub(crate) fn reaching(text: &str) -> Cow<'_, str> {
    NAMED.get().map_or(Cow::Borrowed(text), |plan| plan.reached_by(text))
}

#[cfg(test)]
mod tests {
    use std::path::Path;

    use super::NamedPlan;

    fn named(plan: Option<&str>, set: &[(&str, &str)]) -> NamedPlan {
        let set: Vec<(String, String)> =
            set.iter().map(|(name, text)| ((*name).to_owned(), (*text).to_owned())).collect();
        let commands = ["check", "link", "link find", "run"].map(str::to_owned).to_vec();
        NamedPlan::new(plan.map(Path::new), &set, commands)
    }

    #[test]
    fn a_command_that_is_proposed_reaches_the_plan() {
        let plan = named(Some("shop/interligo.toml"), &[]);
        for (text, expected) in [
            ("interligo run", "interligo run --plan shop/interligo.toml"),
            (
                "`interligo check no-match` or `interligo link find`.",
                "`interligo check --plan shop/interligo.toml no-match` or `interligo link find --plan shop/interligo.toml`.",
            ),
            (
                "`interligo link` shows them",
                "`interligo link --plan shop/interligo.toml` shows them",
            ),
        ] {
            assert_eq!(plan.reached_by(text), expected);
            assert_eq!(plan.reached_by(expected), expected, "once is enough");
        }
    }

    #[test]
    fn what_is_no_command_or_takes_no_plan_stays() {
        let plan = named(Some("shop/interligo.toml"), &[]);
        for text in [
            "`interligo start` drafts one",
            "`interligo running`",
            "`interligo run-all`",
            "the customer interligo run",
            "`interligo.toml`",
        ] {
            assert_eq!(plan.reached_by(text), text);
        }
        assert_eq!(named(None, &[]).reached_by("`interligo run`"), "`interligo run`");
    }

    #[test]
    fn names_with_spaces_and_values_are_given_as_a_shell_takes_them() {
        let plan = named(Some("my shop.toml"), &[("period", "2025-04"), ("depot", "Old Town")]);
        assert_eq!(
            plan.reached_by("`interligo run --full`"),
            "`interligo run --plan 'my shop.toml' --set 'period=2025-04' --set 'depot=Old Town' --full`"
        );
    }
}
