//! Finding the rows of a link: candidate after candidate through the steps of matching, the date and
//! what the link needs of the row.

use std::collections::BTreeMap;
use std::sync::Arc;

use arrow_array::StringViewArray;
use interligo_model::plan::{Gaps, Overlap};
use interligo_model::values::column::{DateColumn, is_known};
use interligo_model::values::date::Day;
use interligo_model::values::texts::gathered;

use super::beside::KnownKeys;
use super::corrections::Corrections;
use crate::keys::{Found, KeyIndex, NO_ROW, join_columns, shown_parts};
use crate::lookup::calendar::{Bridged, Calendar, Marks, OnDay, Span};
use crate::proof::link_status::{LinkStatus, is_row, no_row};

/// What a link is asked for: the keys of some lines, or of the rows of a lookup.
pub(crate) struct KeyQuery {
    /// How many lines.
    pub(crate) lines: usize,
    /// Of each candidate, the texts of its columns.
    pub(crate) candidates: Vec<Vec<StringViewArray>>,
    /// The day of each line, for a dated link.
    pub(crate) days: Option<DateColumn>,
    /// Which lines need a row; all, where the link has no condition.
    pub(crate) meant: Option<Vec<bool>>,
}

/// A candidate that was passed over for a later one, which found a row.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Passed {
    /// The line.
    pub(crate) line: u32,
    /// Which of its candidates.
    pub(crate) round: u32,
    /// Why.
    pub(crate) status: LinkStatus,
}

/// How a line found its row, where it is not its first key as it is written.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) struct MatchedVia {
    /// The line.
    pub(crate) line: u32,
    /// `Cleaned`, `Mended`, `Alternate` or `Carried`.
    pub(crate) how: LinkStatus,
    /// The number of the correction or of the candidate, or the days of the gap.
    pub(crate) by: u32,
}

/// What was found.
#[derive(Debug, Default)]
pub(super) struct Rows {
    /// A row per line, or why there is none.
    pub(super) rows: Vec<u32>,
    /// Lines without a row, ascending, and why.
    pub(super) problems: Vec<(u32, LinkStatus)>,
    /// Lines whose row was not found by their first key as it is written, ascending.
    pub(super) matched_via: Vec<MatchedVia>,
    /// Candidates before these.
    pub(super) passed: Vec<Passed>,
    /// Lines on a day without a row on which the run is to end, ascending.
    pub(super) stopping: Vec<u32>,
    /// Lines that have no row although a correction led their key to one, ascending, each with its number.
    pub(super) in_vain: Vec<(u32, u32)>,
}

/// Finds the rows of keys.
pub(super) struct Resolver {
    pub(super) index: KeyIndex,
    /// Keys that are known to be wrong.
    pub(super) corrections: Option<Corrections>,
    /// Of a dated link, the periods of each key.
    pub(super) calendar: Option<Arc<Calendar>>,
    /// What a line gets on a day without a row.
    pub(super) gaps: Gaps,
    /// What it gets on a day with several.
    pub(super) overlap: Overlap,
    /// The rows that are blank in what the link needs; none where it needs nothing.
    pub(super) incomplete: Option<Vec<bool>>,
    /// What stands between several candidates in one cell.
    pub(super) split: Option<String>,
    /// Keys of the lookup that are one key to the link, those of each together.
    pub(super) same_keys: SameKeys,
}

/// Keys of a lookup that are written differently and are one key by what a link ignores.
#[derive(Debug, Default)]
pub(crate) struct SameKeys {
    /// The keys, group by group.
    pub(crate) groups: Vec<Vec<String>>,
    /// The group of a row of the lookup.
    pub(crate) of_row: BTreeMap<u32, usize>,
}

impl Resolver {
    /// The rows of all lines; `known` is what is known of their keys already.
    pub(super) fn resolve(&self, query: &KeyQuery, known: Option<&KnownKeys<'_>>) -> Rows {
        match (query.candidates.as_slice(), &query.meant, &self.split) {
            ([only], None, None) => {
                let keys = join_columns(only);
                return self.attempt(&keys, known, query, None, self.has_gaps());
            }
            ([], ..) => return Rows::default(),
            _ => {}
        }
        let mut found =
            Rows { rows: vec![no_row(LinkStatus::Blank); query.lines], ..Rows::default() };
        let mut open: Vec<u32> = Vec::new();
        for line in 0..query.lines as u32 {
            match &query.meant {
                Some(meant) if !meant[line as usize] => {
                    found.rows[line as usize] = no_row(LinkStatus::NotNeeded);
                    found.problems.push((line, LinkStatus::NotNeeded));
                }
                _ => open.push(line),
            }
        }
        self.rounds(query, &open, false, &mut found);
        if self.has_gaps() {
            open.retain(|line| !is_row(found.rows[*line as usize]));
            self.bridge(query, &open, &mut found);
        }
        found.finish();
        found
    }

    /// Tries the candidates of some lines, one after the other, as long as a line has no row.
    fn rounds(&self, query: &KeyQuery, lines: &[u32], bridging: bool, found: &mut Rows) {
        match &self.split {
            None => {
                let mut open = lines.to_vec();
                for (round, columns) in query.candidates.iter().enumerate() {
                    let keys = keys_of(columns, &open);
                    open = self.round((round as u32, bridging), &keys, &open, query, found);
                }
            }
            Some(separator) => {
                let mut lists = Lists::new(query, separator, lines);
                for round in 0.. {
                    let (lines, keys) = lists.next();
                    if lines.is_empty() {
                        break;
                    }
                    let left = self.round((round, bridging), &keys, &lines, query, found);
                    lists.keep(&left);
                }
            }
        }
    }

    fn has_gaps(&self) -> bool {
        self.gaps != Gaps::default()
    }

    /// Only when no candidate has a row for the day of a line, one of another day is taken.
    fn bridge(&self, query: &KeyQuery, lines: &[u32], found: &mut Rows) {
        let before = std::mem::take(&mut found.passed);
        self.rounds(query, lines, true, found);
        // What the first rounds said of lines stands, but for those that have a row now.
        found.passed = before;
        let carried: std::collections::BTreeSet<u32> = found
            .matched_via
            .iter()
            .filter(|via| via.how == LinkStatus::Carried)
            .map(|via| via.line)
            .collect();
        found.passed.retain(|passed| !carried.contains(&passed.line));
    }

    /// One candidate of each line that has no row yet; the answer are the lines that still have none.
    fn round(
        &self,
        (round, bridging): (u32, bool),
        keys: &StringViewArray,
        lines: &[u32],
        query: &KeyQuery,
        found: &mut Rows,
    ) -> Vec<u32> {
        let here = self.attempt(keys, None, query, Some(lines), bridging);
        found.stopping.extend(here.stopping.iter().map(|at| lines[*at as usize]));
        found.in_vain.extend(here.in_vain.iter().map(|(at, by)| (lines[*at as usize], *by)));
        let mut open = Vec::new();
        if round == 0 || bridging {
            let matched_via = here.matched_via.iter();
            found
                .matched_via
                .extend(matched_via.map(|d| MatchedVia { line: lines[d.line as usize], ..*d }));
        }
        for (at, row) in here.rows.iter().enumerate() {
            let line = lines[at];
            if is_row(*row) {
                found.rows[line as usize] = *row;
                if round > 0 && !bridging {
                    found.matched_via.push(MatchedVia {
                        line,
                        how: LinkStatus::Alternate,
                        by: round,
                    });
                }
            } else {
                open.push(line);
            }
        }
        found.passed.extend(here.problems.iter().map(|(at, status)| Passed {
            line: lines[*at as usize],
            round,
            status: *status,
        }));
        open
    }

    /// The rows of one key per line. `lines` says which lines they are; all, if it does not.
    /// `bridging` says whether a row of another day is taken where the plan says so.
    fn attempt(
        &self,
        keys: &StringViewArray,
        known: Option<&KnownKeys<'_>>,
        query: &KeyQuery,
        lines: Option<&[u32]>,
        bridging: bool,
    ) -> Rows {
        let mut found = self.by_key(keys, known);
        if let (Some(calendar), Some(days)) = (&self.calendar, &query.days) {
            self.by_day(calendar, days, lines, bridging, &mut found);
        }
        if let Some(incomplete) = &self.incomplete {
            found.refuse(LinkStatus::Incomplete, |row| incomplete[row as usize]);
        }
        found.note_in_vain();
        found
    }

    /// The rows of keys, whatever the day: as they are written, by a correction, or after cleaning.
    fn by_key(&self, keys: &StringViewArray, known: Option<&KnownKeys<'_>>) -> Rows {
        let mut found = Rows::default();
        let Rows { rows, problems, matched_via, .. } = &mut found;
        let corrections = self.corrections.as_ref();
        let mended = corrections.map_or(Vec::new(), |all| all.as_written(keys));
        match known {
            None => self.index.exact_rows(keys, rows),
            Some(known) => self.index.exact_rows_beside(keys, |line| known.of(line), rows),
        }
        self.index.find_others(keys, rows, |line, outcome| {
            let number = line as u32;
            if mended.binary_search_by_key(&number, |(line, _)| *line).is_ok() {
                return NO_ROW;
            }
            if let Some((by, row)) =
                corrections.and_then(|all| Some(all.target(all.cleaned(keys.value(line))?)))
            {
                matched_via.push(MatchedVia { line: number, how: LinkStatus::Mended, by });
                return row;
            }
            let status = match outcome {
                Found::Exact(row) => return row,
                Found::Cleaned(row) => {
                    matched_via.push(MatchedVia { line: number, how: LinkStatus::Cleaned, by: 0 });
                    return row;
                }
                Found::Ambiguous => LinkStatus::Ambiguous,
                Found::Nothing if keys.value(line).trim().is_empty() => LinkStatus::Blank,
                Found::Nothing => LinkStatus::Unmatched,
            };
            problems.push((number, status));
            no_row(status)
        });
        for (line, at) in mended {
            let (by, row) = corrections.map_or((0, NO_ROW), |all| all.target(at));
            rows[line as usize] = row;
            matched_via.push(MatchedVia { line, how: LinkStatus::Mended, by });
        }
        found
    }

    /// Of the rows of each key, the one that is valid on the day of the line.
    fn by_day(
        &self,
        calendar: &Calendar,
        days: &DateColumn,
        lines: Option<&[u32]>,
        bridging: bool,
        found: &mut Rows,
    ) {
        let mut carried: Vec<MatchedVia> = Vec::new();
        let mut looked = [(Span::default(), Marks::NONE); GROUP];
        for at in 0..found.rows.len() {
            if at % GROUP == 0 {
                look(calendar, &found.rows[at..], &mut looked);
            }
            if !is_row(found.rows[at]) {
                continue;
            }
            let (key, line) = (found.rows[at], lines.map_or(at, |lines| lines[at] as usize));
            let day = is_known(days.known.as_ref(), line).then(|| Day(days.days[line]));
            let (span, marks) = looked[at % GROUP];
            let on = day.map(|day| (day, calendar.one_in(span, marks, day)));
            let status = match on.map(|(day, on)| self.on_day(calendar, key, (day, on), bridging)) {
                Some(Held::Row(row)) => {
                    found.rows[at] = row;
                    continue;
                }
                Some(Held::OfAnotherDay { row, days }) => {
                    found.rows[at] = row;
                    let how = LinkStatus::Carried;
                    carried.push(MatchedVia { line: at as u32, how, by: days });
                    continue;
                }
                Some(Held::Stops) => {
                    found.stopping.push(at as u32);
                    LinkStatus::Undated
                }
                Some(Held::Nothing(status)) => status,
                None => LinkStatus::Undated,
            };
            found.problems.push((at as u32, status));
            found.rows[at] = no_row(status);
        }
        // A line is reported to be carried, whatever was done to its key.
        let is_carried = |line: u32| carried.binary_search_by_key(&line, |d| d.line).is_ok();
        found.matched_via.retain(|via| carried.is_empty() || !is_carried(via.line));
        found.matched_via.append(&mut carried);
    }

    /// What a key has for a day.
    fn on_day(
        &self,
        calendar: &Calendar,
        key: u32,
        (day, on): (Day, OnDay),
        bridging: bool,
    ) -> Held {
        match on {
            OnDay::Row(row) => Held::Row(row),
            OnDay::Several(..) => match calendar.settled(key, day, self.overlap) {
                Some(row) => Held::Row(row),
                None => Held::Nothing(LinkStatus::Overlapping),
            },
            OnDay::Nothing if bridging => match calendar.bridged(key, day, &self.gaps) {
                Bridged::Row { row, days } => Held::OfAnotherDay { row, days },
                Bridged::Nothing => Held::Nothing(LinkStatus::Undated),
                Bridged::Stops => Held::Stops,
            },
            OnDay::Nothing => Held::Nothing(LinkStatus::Undated),
        }
    }
}

/// Keys whose periods are looked up together.
const GROUP: usize = 64;

/// Where the periods of the next keys are, read for all of them before any is compared: the misses of the cache overlap.
fn look(calendar: &Calendar, keys: &[u32], looked: &mut [(Span, Marks); GROUP]) {
    for ((span, _), key) in looked.iter_mut().zip(keys) {
        *span = if is_row(*key) { calendar.span(*key) } else { Span::default() };
    }
    for (span, marks) in looked.iter_mut().take(keys.len()) {
        *marks = calendar.marks(*span);
    }
}

/// What a key has for a day.
enum Held {
    /// A row, valid on that day.
    Row(u32),
    /// The row of another day, over this many days.
    OfAnotherDay { row: u32, days: u32 },
    /// Nothing, and the run is to end.
    Stops,
    /// Nothing, for this reason.
    Nothing(LinkStatus),
}

/// The keys of some lines.
fn keys_of(columns: &[StringViewArray], lines: &[u32]) -> StringViewArray {
    let texts: Vec<StringViewArray> =
        columns.iter().map(|texts| gathered(texts, lines.iter().map(|line| Some(*line)))).collect();
    join_columns(&texts)
}

impl Rows {
    /// Takes rows away again.
    fn refuse(&mut self, status: LinkStatus, refused: impl Fn(u32) -> bool) {
        for (at, row) in self.rows.iter_mut().enumerate() {
            if is_row(*row) && refused(*row) {
                self.problems.push((at as u32, status));
                *row = no_row(status);
            }
        }
    }

    /// Notes which corrections led to a row that the line did not get, and sorts all by line.
    fn note_in_vain(&mut self) {
        self.problems.sort_unstable();
        let (rows, in_vain) = (&self.rows, &mut self.in_vain);
        self.matched_via.retain(|via| {
            let has_row = is_row(rows[via.line as usize]);
            if !has_row && via.how == LinkStatus::Mended {
                in_vain.push((via.line, via.by));
            }
            has_row
        });
        self.in_vain.sort_unstable();
        self.matched_via.sort_unstable();
    }

    /// Lines without a row get the status of the candidate that came furthest; candidates before the one
    /// that found a row were passed over.
    fn finish(&mut self) {
        let mut passed = std::mem::take(&mut self.passed);
        passed.sort_by_key(|passed| (passed.line, passed.round));
        for tried in passed.chunk_by(|a, b| a.line == b.line) {
            let line = tried[0].line;
            if is_row(self.rows[line as usize]) {
                let named = tried.iter().filter(|passed| passed.status != LinkStatus::Blank);
                self.passed.extend(named.copied());
                continue;
            }
            let statuses = tried.iter().map(|passed| passed.status);
            let status = statuses.reduce(LinkStatus::further).unwrap_or(LinkStatus::Blank);
            self.rows[line as usize] = no_row(status);
            self.problems.push((line, status));
        }
        // A list without any key is blank.
        let tried: std::collections::BTreeSet<u32> =
            self.problems.iter().map(|(line, _)| *line).collect();
        for (line, row) in self.rows.iter().enumerate() {
            if !is_row(*row) && !tried.contains(&(line as u32)) {
                self.problems.push((line as u32, LinkStatus::Blank));
            }
        }
        self.problems.sort_unstable();
        self.matched_via.sort_unstable();
        // A line counts once, however many of its candidates lie in such a gap.
        self.stopping.sort_unstable();
        self.stopping.dedup();
        self.in_vain.sort_unstable();
        self.in_vain.dedup();
        let rows = &self.rows;
        self.stopping.retain(|line| !is_row(rows[*line as usize]));
    }
}

/// Lists of keys in cells, candidate after candidate.
struct Lists<'a> {
    /// Of each line that has no row yet, its keys that were not tried.
    open: Vec<(u32, Vec<&'a str>)>,
}

impl<'a> Lists<'a> {
    fn new(query: &'a KeyQuery, separator: &'a str, lines: &[u32]) -> Lists<'a> {
        let keys = |line: u32| {
            let cells = query.candidates.iter().map(move |columns| columns[0].value(line as usize));
            let keys = cells.flat_map(|cell| cell.split(separator)).map(str::trim);
            // The next to try stands last.
            let mut keys: Vec<&str> = keys.filter(|key| !key.is_empty()).collect();
            keys.reverse();
            (line, keys)
        };
        Lists { open: lines.iter().map(|line| keys(*line)).collect() }
    }

    /// The next key of each line that has one.
    fn next(&mut self) -> (Vec<u32>, StringViewArray) {
        self.open.retain(|(_, keys)| !keys.is_empty());
        let lines = self.open.iter().map(|(line, _)| *line).collect();
        let keys = self.open.iter_mut().filter_map(|(_, keys)| keys.pop());
        (lines, StringViewArray::from_iter_values(keys))
    }

    /// Keeps the lines that still have no row; both are ascending.
    fn keep(&mut self, lines: &[u32]) {
        self.open.retain(|(line, _)| lines.binary_search(line).is_ok());
    }
}

/// The keys that a line offers, in the order in which they are tried, as messages show them.
pub(super) fn offered(query: &KeyQuery, split: Option<&str>, line: usize) -> Vec<String> {
    let texts = query.candidates.iter().map(|columns| {
        let texts: Vec<&str> = columns.iter().map(|column| column.value(line).trim()).collect();
        shown_parts(&texts)
    });
    match split {
        None => texts.collect(),
        Some(separator) => {
            let texts: Vec<String> = texts.collect();
            let keys = texts.iter().flat_map(|text| text.split(separator)).map(str::trim);
            keys.filter(|key| !key.is_empty()).map(str::to_owned).collect()
        }
    }
}
