//! What a check asks of an engine when all lines are through: whether the counts of a link close, which
//! keys may be meant, what became of corrections.

use std::borrow::Cow;
use std::collections::BTreeSet;

use interligo_model::formula::NodeKind;
use interligo_model::place::Place;
use interligo_model::values::date::Day;

use crate::bind::Home;
use crate::engine::Engine;
use crate::keys::{Found, shown, shown_parts};
use crate::links::{CorrectionOutcome, LinkStatus, StatusCounts, key_of};
use crate::lookup::KeyRows;
use crate::lookup::calendar::{ALWAYS, FOREVER, Holds};
use crate::near::{Likeness, near_keys};
use crate::proof::findings::Findings;
use crate::proof::tallies::KeyTallies;
use crate::proof::usage::Usage;

/// The two counts of a link that must close.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Balance {
    /// How many lines came out how, before the rule for missing rows; together they are all lines.
    pub lines: StatusCounts,
    /// Different keys that lines and lookup both have.
    pub keys_in_both: u64,
    /// Different keys that only lines have.
    pub keys_of_lines: u64,
    /// Different keys that only the lookup has.
    pub keys_of_lookup: u64,
    /// Whether lines had more distinct keys than are kept apart.
    pub more: bool,
}

/// A key of a lookup that may be meant.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Suggestion {
    /// Of the keys that a line offers, the one that it is like.
    pub found: String,
    /// The key, as messages show it.
    pub key: String,
    /// In what it differs.
    pub why: Vec<Likeness>,
    /// Whether it would hardly be so close by chance.
    pub likely: bool,
}

impl Suggestion {
    /// The reason in words.
    pub fn words(&self) -> String {
        self.why.iter().map(|why| why.words()).collect::<Vec<_>>().join(", ")
    }
}

impl Engine {
    /// Counts of a link after the rule for missing rows.
    pub fn settled(&self, link: usize, counts: &StatusCounts) -> StatusCounts {
        let mut settled = StatusCounts::default();
        for status in LinkStatus::ALL {
            settled[self.links[link].settled(status) as usize] += counts[status as usize];
        }
        settled
    }

    /// Keys of a link's lookup that are one key to the link, those of each together.
    pub fn same_keys(&self, link: usize) -> &[Vec<String>] {
        &self.links[link].same_keys().groups
    }

    /// The name of the figure that says what is at weigh_by.
    pub fn weigh_by(&self) -> Option<&str> {
        self.weigh_by.map(|figure| self.bound.figures[figure].name.as_str())
    }

    /// The decimal places that it is written with at least.
    pub fn weigh_by_places(&self) -> u8 {
        self.weigh_by.map_or(0, |figure| self.least_places(&self.figure(figure).expr))
    }

    /// What becomes of each of the plan's corrections in a link, by number.
    pub fn outcomes_of_corrections(&self, link: usize) -> &[(usize, CorrectionOutcome)] {
        self.links[link].outcomes_of_corrections()
    }

    /// The keys of a link's lookup, in the order of its rows, as messages show them.
    pub fn lookup_keys(&self, link: usize) -> impl Iterator<Item = String> {
        self.own_keys(link).values().map(|value| shown(&value))
    }

    fn own_keys(&self, link: usize) -> &KeyRows {
        let route = &self.bound.routes[link];
        &self.lookups[route.lookup].keys[route.key]
    }

    /// The key by which a row of a link's lookup is found, as messages show it.
    pub fn key_of_row(&self, link: usize, row: u32) -> String {
        let route = &self.bound.routes[link];
        let lookup = &self.lookups[route.lookup];
        let columns = self.bound.lookups[route.lookup].key_columns(route.key).iter();
        let texts: Vec<String> =
            columns.map(|column| lookup.text(*column, row).trim().to_owned()).collect();
        shown_parts(&texts)
    }

    /// The key of the lookup that a text finds in a link, as messages show it.
    pub fn key_meant(&self, link: usize, text: &str) -> Option<String> {
        Some(self.key_of_row(link, self.row_meant(link, text)?))
    }

    fn row_meant(&self, link: usize, text: &str) -> Option<u32> {
        let columns = self.bound.routes[link].ignore.len();
        let index = self.links[link].index();
        let (Found::Exact(row) | Found::Cleaned(row)) = index.exactly_one(&key_of(text, columns)?)
        else {
            return None;
        };
        if !self.links[link].is_dated() {
            return Some(row);
        }
        Some(self.own_keys(link).first_row(row))
    }

    /// Where the row of a key of a link's lookup stands.
    pub fn place_of_key(&self, link: usize, text: &str) -> Option<Place> {
        let route = &self.bound.routes[link];
        let lookup = &self.lookups[route.lookup];
        Some(lookup.place(self.row_meant(link, text)?))
    }

    /// For each of some keys that a link did not find, those of its lookup that it may mean.
    pub fn suggestions(&self, link: usize, sought: &[&str]) -> Vec<Vec<Suggestion>> {
        let columns = self.bound.routes[link].ignore.len();
        let cleaned: Vec<String> =
            sought.iter().map(|text| key_of(text, columns).unwrap_or_default()).collect();
        let cleaned: Vec<&str> = cleaned.iter().map(String::as_str).collect();
        let keys: Vec<Cow<'_, str>> = self.own_keys(link).values().collect();
        let keys: Vec<&str> = keys.iter().map(AsRef::as_ref).collect();
        let found = near_keys(&cleaned, &keys).into_iter().zip(sought);
        let suggestion = |near: crate::near::Near, found: &str| Suggestion {
            found: found.to_owned(),
            key: shown(keys[near.key as usize]).trim().to_owned(),
            likely: near.likely,
            why: near.why,
        };
        found
            .map(|(all, key)| all.into_iter().map(|near| suggestion(near, key)).collect())
            .collect()
    }

    /// The keys of a link's lookup that a line names, of what messages show of its keys.
    pub fn keys_meant(&self, link: usize, shown: &str) -> Vec<String> {
        match self.key_meant(link, shown) {
            Some(key) => vec![key],
            None => {
                let candidates = self.candidates_of(link, shown).into_iter();
                candidates.filter_map(|text| self.key_meant(link, text)).collect()
            }
        }
    }

    /// The keys that a line offers to a link, of what messages show of them.
    pub fn candidates_of<'k>(&self, link: usize, shown: &'k str) -> Vec<&'k str> {
        if self.has_one_candidate(link) { vec![shown] } else { shown.split(" or ").collect() }
    }

    /// The condition for lines that need a row, as a formula over lines; `of_parent` names a column of the lookup that
    /// the link starts from.
    pub fn condition_of(
        &self,
        link: usize,
        of_parent: impl Fn(usize, &str) -> String,
    ) -> Option<String> {
        let route = &self.bound.routes[link];
        let (node, written) = route.when.as_ref()?;
        let Home::Route(parent) = route.home else { return Some(written.text.clone()) };
        let mut names = Vec::new();
        node.walk(&mut |node| {
            if let NodeKind::Name(name) = &node.kind {
                names.push(name);
            }
        });
        let mut text = written.text.clone();
        // From the last one on, so that the places of those before stay.
        names.sort_by_key(|name| std::cmp::Reverse(name.span.start));
        for name in names {
            text.replace_range(name.span.clone(), &of_parent(parent, &name.column));
        }
        Some(text)
    }

    /// Whether the keys of lines have one candidate, one text of which finds a row.
    pub fn has_one_candidate(&self, link: usize) -> bool {
        let route = &self.bound.routes[link];
        route.candidates.len() == 1 && route.split.is_none()
    }

    /// Whether two links look for the same: the same columns, in the same place.
    pub fn seek_alike(&self, one: usize, other: usize) -> bool {
        let (one, other) = (&self.bound.routes[one], &self.bound.routes[other]);
        one.candidates == other.candidates && one.home == other.home
    }

    /// Whether the rows of a link's lookup hold for periods.
    pub fn is_dated(&self, link: usize) -> bool {
        self.links[link].is_dated()
    }

    /// The counts of a link that must close.
    pub fn balance(&self, link: usize, findings: &Findings, usage: &Usage) -> Balance {
        let in_lookup = self.named_in_vain(link, findings);
        let of_lines: BTreeSet<&String> = [&findings.keys, &findings.absent]
            .into_iter()
            .flat_map(KeyTallies::keys)
            .filter(|sought| sought.link == link && !sought.status.names_a_row())
            .filter(|sought| sought.status != LinkStatus::Blank)
            .map(|sought| &sought.key)
            .collect();
        let used = usage.rows(link);
        let mut balance = Balance {
            lines: findings.links.get(link).copied().unwrap_or_default(),
            keys_of_lines: of_lines.len() as u64,
            more: findings.keys.further.contains_key(&link)
                || findings.absent.further.contains_key(&link),
            ..Balance::default()
        };
        let keys = self.own_keys(link);
        for key in keys.numbers() {
            let is_used = in_lookup.contains(&keys.found_as(key))
                || keys.rows(key).any(|row| used[row as usize]);
            *(if is_used { &mut balance.keys_in_both } else { &mut balance.keys_of_lookup }) += 1;
        }
        balance
    }

    /// The keys of a link's lookup that lines name without getting a row of them: by row, or, where it is dated, by
    /// number of the key.
    fn named_in_vain(&self, link: usize, findings: &Findings) -> BTreeSet<u32> {
        let columns = self.bound.routes[link].ignore.len();
        let sought = findings.keys.keys().chain(findings.passed_over.keys());
        sought
            .filter(|sought| sought.link == link && sought.status.names_a_row())
            .flat_map(|sought| self.candidates_of(link, &sought.key))
            .filter_map(|text| {
                match self.links[link].index().exactly_one(&key_of(text, columns)?) {
                    Found::Exact(row) | Found::Cleaned(row) => Some(row),
                    _ => None,
                }
            })
            .collect()
    }

    /// Marks the rows of a link's lookup whose key lines name, be it on a day on which none of them holds.
    pub fn mark_named(&self, link: usize, findings: &Findings, rows: &mut [bool]) {
        let named = self.named_in_vain(link, findings);
        let keys = self.own_keys(link);
        for key in keys.numbers().filter(|key| named.contains(&keys.found_as(*key))) {
            keys.rows(key).for_each(|row| rows[row as usize] = true);
        }
    }

    /// What is wrong with the periods of a link's lookup, key by key, up to this many.
    pub fn calendar_faults(&self, link: usize, most: usize) -> Vec<CalendarFault> {
        let mut faults = Vec::new();
        let Some(calendar) = self.links[link].calendar() else { return faults };
        for (number, key) in (0..).zip(self.own_keys(link).values()) {
            let mut latest: Option<&Holds> = None;
            for period in calendar.all(number) {
                if let Some(before) = latest {
                    let fault = if period.from <= before.until {
                        let same = self.same_values(link, before.row, period.row);
                        Some((period.from, before.until.min(period.until), Some(same)))
                    } else if i64::from(period.from.0) > i64::from(before.until.0) + 1 {
                        Some((Day(before.until.0 + 1), Day(period.from.0 - 1), None))
                    } else {
                        None
                    };
                    faults.extend(fault.map(|(from, until, overlap)| CalendarFault {
                        key: shown(&key).trim().to_owned(),
                        from,
                        until,
                        overlap,
                        places: [before.row, period.row].map(|row| self.place_of_row(link, row)),
                    }));
                    if faults.len() >= most {
                        return faults;
                    }
                }
                latest = match latest {
                    Some(before) if before.until >= period.until => Some(before),
                    _ => Some(period),
                };
            }
        }
        faults
    }

    fn place_of_row(&self, link: usize, row: u32) -> Place {
        self.lookups[self.bound.routes[link].lookup].place(row)
    }

    /// Whether two rows of a lookup say the same in all columns that are used, but for their periods.
    fn same_values(&self, link: usize, one: u32, other: u32) -> bool {
        let route = &self.bound.routes[link];
        let (lookup, bound) = (&self.lookups[route.lookup], &self.bound.lookups[route.lookup]);
        let days = bound.day_columns();
        let used = (0..lookup.columns.len()).filter(|c| lookup.columns[*c].column.is_some());
        used.filter(|column| !days.contains(column) && !bound.key.contains(column))
            .all(|column| lookup.text(column, one) == lookup.text(column, other))
    }

    /// Of a key that has no row for a day, the last period before it and the first after it.
    pub fn periods_around(
        &self,
        link: usize,
        text: &str,
        day: Day,
    ) -> Option<(Option<Day>, Option<Day>)> {
        let columns = self.bound.routes[link].ignore.len();
        let calendar = self.links[link].calendar()?;
        let found = self.links[link].index().exactly_one(&key_of(text, columns)?);
        let (Found::Exact(key) | Found::Cleaned(key)) = found else { return None };
        let (earlier, later) = calendar.around(key, day);
        Some((earlier.map(|period| period.until), later.map(|period| period.from)))
    }

    /// The periods of a key of a link's lookup, by start: first and last day, and the row.
    pub fn periods_of(&self, link: usize, text: &str) -> Vec<Holds> {
        let columns = self.bound.routes[link].ignore.len();
        let found = key_of(text, columns).map(|key| self.links[link].index().exactly_one(&key));
        match (self.links[link].calendar(), found) {
            (Some(calendar), Some(Found::Exact(key) | Found::Cleaned(key))) => {
                calendar.all(key).to_vec()
            }
            _ => Vec::new(),
        }
    }
}

/// A gap between two periods of a key, or days on which both hold.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct CalendarFault {
    /// The key.
    pub key: String,
    /// The first of the days.
    pub from: Day,
    /// The last of them.
    pub until: Day,
    /// Whether both rows say the same, where they overlap; none for a gap.
    pub overlap: Option<bool>,
    /// Where the two rows stand.
    pub places: [Place; 2],
}

impl CalendarFault {
    /// The days in words.
    pub fn days(&self) -> String {
        match (self.from == ALWAYS, self.until == FOREVER) {
            (true, true) => "on all days".to_owned(),
            (true, false) => format!("until {}", self.until),
            (false, true) => format!("from {} on", self.from),
            (false, false) => format!("{} to {}", self.from, self.until),
        }
    }
}
