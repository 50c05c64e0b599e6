//! Lines of closed periods that are not as they were.

use std::fmt::{self, Display, Formatter};
use std::path::Path;

use super::error::ClosedError;
use crate::compare::Comparison;
use crate::error::Error;
use crate::runs::{Pair, RecordedFact, RunRecord, each_pair};

/// How many lines are listed.
const LISTED: usize = 10;

/// Lines of closed periods that are not as they were.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct ClosedChanges {
    /// The last closed period.
    pub until: String,
    /// The folder with the record of them.
    pub record: String,
    /// Lines that were not there.
    pub new: u64,
    /// Lines that are not there any more, or whose date is another.
    pub gone: u64,
    /// Lines with another value.
    pub changed: u64,
    /// The first of them.
    pub lines: Vec<ClosedLine>,
    /// What it makes of the figures, cause by cause; none where the plan of the record cannot be opened any more.
    pub comparison: Option<Comparison>,
}

/// A line of a closed period that is not as it was.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ClosedLine {
    /// The fact.
    pub fact: String,
    /// Its key.
    pub key: String,
    /// How it differs.
    pub change: ClosedChange,
}

/// How a line of a closed period differs.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum ClosedChange {
    /// It was not there.
    New,
    /// It is not there any more.
    Gone,
    /// A figure or an attribute is another; the first that is.
    Value {
        /// The figure or attribute.
        what: String,
        /// Whether it is a figure.
        is_figure: bool,
        /// What it was, as text; empty where it was unknown.
        before: String,
        /// What it is.
        now: String,
    },
}

/// The same while it is found.
pub(super) struct Differences {
    pub(super) changes: ClosedChanges,
    /// What there is to say besides, in words.
    pub(super) notes: Vec<String>,
}

impl Display for ClosedChanges {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        let kinds = [(self.new, "new"), (self.gone, "gone"), (self.changed, "with another value")];
        let there = kinds.iter().filter(|(count, _)| *count > 0);
        let counts: Vec<String> = there.map(|(count, what)| format!("{count} {what}")).collect();
        write!(f, "closed lines, up to {}, are not as they were: {}", self.until, counts.join(", "))
    }
}

impl Differences {
    /// How lines differ from their record.
    ///
    /// # Errors
    /// The record is damaged; it has a figure that the plan does not have any more.
    pub(super) fn between(
        (folder, kept): (&Path, &RunRecord),
        now: &RunRecord,
    ) -> Result<Differences, Error> {
        let mut found = Differences { changes: ClosedChanges::default(), notes: Vec::new() };
        for of_kept in &kept.facts {
            let before = RecordedFact::read(folder, of_kept)?;
            let same = now.facts.iter().find(|fact| fact.name == of_kept.name);
            let Some(of_now) = same else {
                let what = format!("the fact `{}`", of_kept.name);
                return Err(ClosedError::Lost { what }.into());
            };
            let after = RecordedFact::read(folder, of_now)?;
            let values = found.values(&before, &after)?;
            each_pair((&before, &after), |pair| {
                found.take((&before, &after), &values, &pair);
                Ok(())
            })?;
        }
        for new in
            now.facts.iter().filter(|fact| kept.facts.iter().all(|own| own.name != fact.name))
        {
            found.notes.push(format!(
                "lines of `{}` are not in the record of closed periods; interligo run --reopen takes them in",
                new.name
            ));
        }
        Ok(found)
    }

    /// Of each value of the record that can be compared, where both have it.
    fn values(
        &mut self,
        before: &RecordedFact,
        after: &RecordedFact,
    ) -> Result<Vec<(usize, usize)>, Error> {
        let mut places = Vec::new();
        for (at, name) in before.values().enumerate() {
            let now = after.values().position(|own| own == name);
            match now {
                Some(now) => places.push((at, now)),
                None if before.is_figure(name) => {
                    let what = format!("the figure `{name}`");
                    return Err(ClosedError::Lost { what }.into());
                }
                None => self.notes.push(format!(
                    "closed periods are not guarded by `{name}` any more: no output totals by it"
                )),
            }
        }
        Ok(places)
    }

    fn take(
        &mut self,
        (before, after): (&RecordedFact, &RecordedFact),
        values: &[(usize, usize)],
        pair: &Pair,
    ) {
        let (key, change) = match pair {
            Pair::New(row) => {
                self.changes.new += 1;
                (after.key_shown(row), ClosedChange::New)
            }
            Pair::Gone(row) => {
                self.changes.gone += 1;
                (before.key_shown(row), ClosedChange::Gone)
            }
            Pair::Both(was, is) => {
                let (texts_before, texts_now): (Vec<&str>, Vec<&str>) =
                    (before.values_of(was).collect(), after.values_of(is).collect());
                let differs = |(at, now): &&(usize, usize)| texts_before[*at] != texts_now[*now];
                let Some((at, now)) = values.iter().find(differs) else { return };
                self.changes.changed += 1;
                let what = before.values().nth(*at).unwrap_or_default().to_owned();
                let (before, now) = (texts_before[*at].to_owned(), texts_now[*now].to_owned());
                let is_figure = after.is_figure(&what);
                (after.key_shown(is), ClosedChange::Value { what, is_figure, before, now })
            }
        };
        if self.changes.lines.len() < LISTED {
            self.changes.lines.push(ClosedLine { fact: after.name().to_owned(), key, change });
        }
    }

    pub(super) fn is_none(&self) -> bool {
        self.changes.new + self.changes.gone + self.changes.changed == 0
    }
}
