//! How a line was led to a row of a lookup, and which rows of its key were not taken.

use interligo_model::place::Place;
use interligo_model::plan::{GapRule, Gaps};
use interligo_model::values::date::Day;
use interligo_model::values::value::Value;

use crate::bind::Validity;
use crate::keys::{KeyStep, StepOutcome, shown};
use crate::lines::Lines;
use crate::links::{LinkStatus, is_row};
use crate::lookup::Lookup;
use crate::lookup::calendar::{ALWAYS, Bridged, Calendar, FOREVER, Holds};

/// How a line was led to a row.
#[derive(Clone, Debug, PartialEq)]
pub struct LinkTrace {
    /// The link, by number.
    pub link: usize,
    /// Its name.
    pub name: String,
    /// How it came out.
    pub status: LinkStatus,
    /// Of an alternative, which candidate was found; of a row of another day, over how many days.
    pub by: u32,
    /// The keys that were tried, in their order.
    pub attempts: Vec<KeyAttempt>,
    /// Of a dated link, its day.
    pub day: Option<DayTrace>,
    /// The row that was taken, with what it gave.
    pub row: Option<TakenRow>,
    /// Rows of the key that were not taken.
    pub not_taken: Vec<RowNotTaken>,
}

/// A key that was tried.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct KeyAttempt {
    /// The key as it is written, stray spaces and all.
    pub written: String,
    /// The steps up to the one that decided.
    pub steps: Vec<(KeyStep, StepOutcome)>,
    /// The correction that led it to another key, by number.
    pub correction: Option<usize>,
}

/// The day of a line, for a dated link.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct DayTrace {
    /// The day; none where the line has none.
    pub day: Option<Day>,
    /// The period of the key that ended last before it, where none is valid on it.
    pub before: Option<PeriodRow>,
    /// The one that starts next after it.
    pub after: Option<PeriodRow>,
    /// What other rules for days without a row would give.
    pub with: Vec<GapWith>,
}

/// A row with the days on which it is valid.
#[derive(Clone, Debug, PartialEq)]
pub struct PeriodRow {
    /// The first day; none where it is open.
    pub from: Option<Day>,
    /// The last day; none where it is open.
    pub until: Option<Day>,
    /// The row.
    pub row: TakenRow,
}

/// What a rule for days without a row would give.
#[derive(Clone, Debug, PartialEq)]
pub struct GapWith {
    /// The rule.
    pub rule: GapRule,
    /// The row that it gives, and from how many days away.
    pub days: u32,
    /// The row.
    pub row: TakenRow,
}

/// A row of a lookup with what it gives.
#[derive(Clone, Debug, PartialEq)]
pub struct TakenRow {
    /// Its number in the lookup.
    pub number: u32,
    /// Where it was read; nowhere where the plan fills.
    pub place: Option<Place>,
    /// The days on which it is valid, where the lookup has periods.
    pub valid: Option<(Option<Day>, Option<Day>)>,
    /// Its attributes that the plan uses, by name.
    pub attributes: Vec<(String, Value<'static>)>,
}

/// A row of a key that was not taken.
#[derive(Clone, Debug, PartialEq)]
pub struct RowNotTaken {
    /// Where it is.
    pub place: Place,
    /// Why it was not taken.
    pub why: NotTaken,
    /// In what it differs from the row that was taken: the column, and what it has.
    pub differs: Vec<(String, String)>,
}

/// Why a row of a key was not taken.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum NotTaken {
    /// It is a duplicate, and the rule takes another one.
    Duplicate,
    /// It is valid on other days.
    OtherDays {
        /// The first of them; none where it is open.
        from: Option<Day>,
        /// The last.
        until: Option<Day>,
    },
}

/// How many rows of other days are named on either side.
const NEIGHBOURS: usize = 1;

impl Lines<'_> {
    /// How a line was led to a row by a link; none where the link is not taken.
    pub(super) fn trace_link(&self, link: usize, row: usize) -> Option<LinkTrace> {
        let engine = self.engine();
        let found = self.link_rows(link);
        let found = *found.get(row)?;
        let (status, by) = self.statuses(link)[row];
        let own = &engine.links[link];
        let lookup = &engine.lookups[own.lookup];
        let (keys, day_asked) = self.keys_asked(link, row);
        let mut trace = LinkTrace {
            link,
            name: engine.bound.routes[link].name.clone(),
            status,
            by,
            attempts: Vec::new(),
            day: None,
            row: is_row(found).then(|| self.taken(link, found)),
            not_taken: Vec::new(),
        };
        if status == LinkStatus::NotNeeded {
            return Some(trace);
        }
        let tried = match (status, by) {
            (LinkStatus::Alternate, by) => by as usize + 1,
            _ if is_row(found) && status != LinkStatus::Carried && status != LinkStatus::Filled => {
                1
            }
            _ => keys.len(),
        };
        trace.attempts = keys.iter().take(tried).map(|key| own.explain(key)).collect();
        // The key whose rows are looked at: the one that was found, else the first that the lookup has.
        let decided = match status {
            LinkStatus::Alternate => keys.get(by as usize),
            _ => keys.iter().find(|key| own.row_of_key(key).is_some()),
        };
        let key = decided.and_then(|key| own.row_of_key(key));
        if let (Some(calendar), Some(day)) = (own.calendar(), day_asked) {
            let mut of_day = DayTrace { day, ..DayTrace::default() };
            if let (Some(key), Some(day)) = (key, day) {
                self.around(link, (calendar, key, day), &mut of_day, &mut trace);
            }
            trace.day = Some(of_day);
        }
        let row_number =
            if is_row(found) { Some(found) } else { key.filter(|_| own.calendar().is_none()) };
        if let Some(number) = row_number.filter(|number| *number < lookup.rows) {
            trace.not_taken.extend(duplicates_of(lookup, number));
        }
        Some(trace)
    }

    /// The periods beside a day.
    fn around(
        &self,
        link: usize,
        (calendar, key, day): (&Calendar, u32, Day),
        of_day: &mut DayTrace,
        trace: &mut LinkTrace,
    ) {
        let (before, after) = calendar.around(key, day);
        let period = |holds: &Holds| {
            let (from, until) = ends(holds);
            PeriodRow { from, until, row: self.taken(link, holds.row) }
        };
        if trace.row.is_none() || trace.status == LinkStatus::Carried {
            of_day.before = before.map(period);
            of_day.after = after.map(period);
            for rule in [GapRule::Earlier, GapRule::Later] {
                let gaps = Gaps { before: rule, between: rule, after: rule, days: None };
                if let Bridged::Row { row, days } = calendar.bridged(key, day, &gaps) {
                    of_day.with.push(GapWith { rule, days, row: self.taken(link, row) });
                }
            }
            return;
        }
        // The rows of the key just before and after the one that is valid.
        let all = calendar.all(key);
        let at =
            all.iter().position(|holds| Some(holds.row) == trace.row.as_ref().map(|r| r.number));
        let Some(at) = at else { return };
        let lookup = &self.engine().lookups[self.engine().links[link].lookup];
        let beside = all
            .iter()
            .enumerate()
            .filter(|(other, _)| *other != at && other.abs_diff(at) <= NEIGHBOURS);
        let used = self.used_columns(link);
        for (_, holds) in beside {
            let (from, until) = ends(holds);
            let differs = used.iter().map(|column| {
                let value = lookup.value(*column, holds.row);
                (lookup.columns[*column].name.clone(), value.to_string())
            });
            trace.not_taken.push(RowNotTaken {
                place: lookup.place(holds.row),
                why: NotTaken::OtherDays { from, until },
                differs: differs.collect(),
            });
        }
    }

    /// The columns of a link's lookup that formulas and outputs use, apart from those that say when a row is valid.
    fn used_columns(&self, link: usize) -> Vec<usize> {
        let bound = &self.engine().bound.lookups[self.engine().links[link].lookup];
        let of_period = match bound.valid {
            Some(Validity::Days { from, until, .. }) => vec![from, until],
            Some(Validity::UntilNext { from, .. }) => vec![from],
            Some(Validity::Period(column)) => vec![column],
            Some(Validity::YearAnd(year, part)) => {
                [year].into_iter().chain(part.map(|(_, column)| column)).collect()
            }
            None => Vec::new(),
        };
        bound.column_use.used().filter(|column| !of_period.contains(column)).collect()
    }

    /// A row with what it gives.
    fn taken(&self, link: usize, number: u32) -> TakenRow {
        let engine = self.engine();
        let own = &engine.links[link];
        let lookup = &engine.lookups[own.lookup];
        let attributes = self.used_columns(link).into_iter().map(|column| {
            let value = lookup.value(column, number).into_owned();
            (lookup.columns[column].name.clone(), value)
        });
        let calendar = lookup.keys[engine.bound.routes[link].key].calendar();
        let valid = calendar.and_then(|calendar| calendar.of_row(number).map(ends));
        TakenRow { number, place: lookup.place_of(number), valid, attributes: attributes.collect() }
    }
}

/// The ends of a period; none where one is open.
fn ends(holds: &Holds) -> (Option<Day>, Option<Day>) {
    (Some(holds.from).filter(|day| *day != ALWAYS), Some(holds.until).filter(|day| *day != FOREVER))
}

/// The other rows with the key of a row.
fn duplicates_of(lookup: &Lookup, number: u32) -> Vec<RowNotTaken> {
    let shared = lookup.duplicates.iter().filter(|duplicate| duplicate.rows.contains(&number));
    shared
        .flat_map(|duplicate| {
            let others = duplicate.rows.iter().filter(move |row| **row != number);
            others.map(move |row| RowNotTaken {
                place: lookup.place(*row),
                why: NotTaken::Duplicate,
                differs: duplicate
                    .differing
                    .iter()
                    .filter_map(|name| {
                        let column = lookup.columns.iter().position(|own| own.name == *name)?;
                        Some((name.clone(), lookup.value(column, *row).to_string()))
                    })
                    .collect(),
            })
        })
        .collect()
}

impl KeyAttempt {
    /// An attempt with a key as it is held.
    pub(crate) fn new(
        key: &str,
        steps: Vec<(KeyStep, StepOutcome)>,
        correction: Option<usize>,
    ) -> KeyAttempt {
        KeyAttempt { written: shown(key), steps, correction }
    }
}
