//! Lines of closed periods that are not as they were.

use std::fmt::{self, Display, Formatter};
use std::path::Path;

use interligo_sources::in_order::in_order;

use super::error::ClosedError;
use super::lines::{ClosedLines, DatedFact};
use crate::compare::Comparison;
use crate::error::Error;
use crate::parallelism::Parallelism;
use crate::runs::{Pair, Places, RecordedFact, RunRecord, with_pairs};

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
#[derive(Default)]
pub(super) struct Differences {
    pub(super) changes: ClosedChanges,
    /// Of each fact how many lines it has now.
    pub(super) lines: Vec<(String, u64)>,
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
    /// The record is damaged; it has a fact or figure that the plan does not have any more.
    pub(super) fn between(
        (folder, kept): (&Path, &RunRecord),
        lines: &ClosedLines<'_>,
        now: &RunRecord,
    ) -> Result<Differences, Error> {
        let mut found = Differences::default();
        for of_kept in &kept.facts {
            let of_now = now.facts.iter().find(|fact| fact.name == of_kept.name);
            let Some((of_now, dated)) = of_now.zip(lines.dated(&of_kept.name)) else {
                let what = format!("the fact `{}`", of_kept.name);
                return Err(ClosedError::Lost { what }.into());
            };
            let before = RecordedFact::read(folder, of_kept)?;
            let after = RecordedFact::read(lines.folder(), of_now)?;
            let values = found.values(&before, dated)?;
            let places = dated.places(&after);
            let beside = Beside { before, after, dated, places, values };
            found.take_all(&beside)?;
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

    /// Of each value of the record that can be compared: its name, and where both have it.
    fn values(
        &mut self,
        before: &RecordedFact,
        dated: &DatedFact<'_>,
    ) -> Result<Vec<ComparedValue>, Error> {
        let (figures, attributes) = (dated.figures(), dated.attributes());
        let mut values = Vec::new();
        for (at, name) in before.values().enumerate() {
            let now = figures.iter().chain(&attributes).position(|own| own == name);
            let (name, is_figure) = (name.to_owned(), before.is_figure(name));
            match now {
                Some(now) => values.push(ComparedValue { name, is_figure, before: at, now }),
                None if is_figure => {
                    let what = format!("the figure `{name}`");
                    return Err(ClosedError::Lost { what }.into());
                }
                None => self.notes.push(format!(
                    "closed periods are not guarded by `{name}` any more: no output totals by it"
                )),
            }
        }
        Ok(values)
    }

    fn take_all(&mut self, beside: &Beside<'_>) -> Result<(), Error> {
        let mut counts = [0; 3];
        with_pairs((&beside.before, &beside.after), |pairs| {
            in_order(
                Parallelism::default().threads,
                || pairs.next_batch(),
                || (),
                |(), batch: Vec<Pair>| {
                    let changed = batch.iter().map(|pair| beside.change(pair));
                    let changed = changed.filter_map(Result::transpose);
                    changed.collect::<Result<Vec<_>, Error>>()
                },
                |changed| {
                    for line in changed {
                        let kind = match &line.change {
                            ClosedChange::New => 0,
                            ClosedChange::Gone => 1,
                            ClosedChange::Value { .. } => 2,
                        };
                        counts[kind] += 1;
                        if self.changes.lines.len() < LISTED {
                            self.changes.lines.push(line);
                        }
                    }
                    Ok(())
                },
            )
        })?;
        let [new, gone, changed] = counts;
        self.changes.new += new;
        self.changes.gone += gone;
        self.changes.changed += changed;
        let lines = beside.before.lines() + new - gone;
        self.lines.push((beside.before.name().to_owned(), lines));
        Ok(())
    }

    pub(super) fn is_none(&self) -> bool {
        self.changes.new + self.changes.gone + self.changes.changed == 0
    }
}

/// A value that is compared.
struct ComparedValue {
    name: String,
    is_figure: bool,
    /// Its number among the values of the record, and among those that are computed.
    before: usize,
    now: usize,
}

/// A fact as it was, and as it is.
struct Beside<'a> {
    before: RecordedFact,
    after: RecordedFact,
    dated: &'a DatedFact<'a>,
    places: Places,
    values: Vec<ComparedValue>,
}

impl Beside<'_> {
    /// How a line differs, if it does.
    fn change(&self, pair: &Pair) -> Result<Option<ClosedLine>, Error> {
        let (key, change) = match pair {
            Pair::New(row) => (self.after.key_shown(row), ClosedChange::New),
            Pair::Gone(row) => (self.before.key_shown(row), ClosedChange::Gone),
            Pair::Both(was, is) => {
                let before: Vec<&str> = self.before.values_of(was).collect();
                let now = self.dated.values(&self.after, is, &self.places)?;
                let differs = |own: &&ComparedValue| before[own.before] != now[own.now];
                let Some(own) = self.values.iter().find(differs) else { return Ok(None) };
                let change = ClosedChange::Value {
                    what: own.name.clone(),
                    is_figure: own.is_figure,
                    before: before[own.before].to_owned(),
                    now: now[own.now].clone(),
                };
                (self.after.key_shown(is), change)
            }
        };
        Ok(Some(ClosedLine { fact: self.after.name().to_owned(), key, change }))
    }
}
