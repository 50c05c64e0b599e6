//! What was met in the data on the way: counted always, with places for as many as a person reads.
//!
//! A batch of lines gathers its own findings; they are merged in the order of the lines, so that the
//! result is the same for any number of cores and any size of batch.

use crate::proof::doubts::Doubts;
pub use crate::proof::exact_sum::ExactSum;
use crate::proof::link_status::{LinkStatus, StatusCounts};
use crate::proof::tallies::KeyTallies;
use crate::proof::tally::Tally;
use interligo_model::place::Spot;
use interligo_model::row_counts::RowCounts;
use interligo_model::values::date::Day;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// How many places of one kind are kept.
pub const PLACES_KEPT: usize = 5;

/// Why a line was set aside.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
pub enum Aside {
    /// It has fewer or more fields than the header row.
    Fields,
    /// Its cells hold different numbers of values and cannot be unpacked.
    Uneven,
    /// A link with the rule `set-aside` found no row.
    Link(usize, LinkStatus),
}

/// What made a figure blank.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
pub enum BlankBecause {
    /// A link found no row.
    Link(usize, LinkStatus),
    /// A column of the fact is blank.
    Column(usize),
    /// A column of the fact could not be read.
    Unreadable(usize),
    /// The row of the lookup is blank in that column.
    Attribute(usize, usize),
    /// The formula of a figure divides by zero.
    DividedByZero(usize),
    /// The formula of a figure says so.
    Chosen(usize),
}

/// Values of one column that could not be read, or lines that are remarkable in one way.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Unreadable {
    /// How many.
    pub count: u64,
    /// The first of them, with what is there, if it is to be shown.
    pub first: Vec<(Spot, String)>,
}

impl Noted {
    /// Its stable code.
    pub fn code(self) -> &'static str {
        match self {
            Noted::ErrorCell => "error-cell",
            Noted::BesideTable => "cell-beside-table",
            Noted::NoStoredValue => "formula-without-value",
            Noted::HiddenRow => "hidden-row",
            Noted::HiddenSheet => "hidden-sheet",
            Noted::NestedColumn => "nested-column",
            Noted::NotFinite => "not-finite",
        }
    }

    /// Whether it is reported of single cells, and not of a part.
    pub fn is_of_cells(self) -> bool {
        matches!(self, Noted::ErrorCell | Noted::BesideTable | Noted::NotFinite)
    }

    /// What became of it.
    pub fn outcome(self) -> &'static str {
        match self {
            Noted::ErrorCell => "contains an error instead of a value",
            Noted::BesideTable => "is in a column without a name and is not read",
            Noted::NoStoredValue => "formulas without a stored value are blank",
            Noted::HiddenRow | Noted::HiddenSheet => "read like any other",
            Noted::NestedColumn => "not read",
            Noted::NotFinite => "no number: taken as blank",
        }
    }
}

impl Unreadable {
    /// Adds one more.
    pub fn note(&mut self, spot: Spot, text: impl FnOnce() -> String) {
        self.count += 1;
        if self.first.len() < PLACES_KEPT {
            self.first.push((spot, text()));
        }
    }

    /// Adds others, which come after these.
    pub fn absorb(&mut self, other: Unreadable) {
        self.count += other.count;
        let room = PLACES_KEPT.saturating_sub(self.first.len());
        self.first.extend(other.first.into_iter().take(room));
    }
}

/// Something in a workbook that its reader should know of and that stops nothing.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
pub enum Noted {
    /// A cell that contains an error instead of a value: `#N/A`.
    ErrorCell,
    /// A cell beside the table, under no column name; it is not read.
    BesideTable,
    /// Formulas that have no value stored with them; they are blank.
    NoStoredValue,
    /// Rows that are hidden; they are read like any other.
    HiddenRow,
    /// A sheet that is hidden; it is read like any other.
    HiddenSheet,
    /// A column that holds lists or records instead of values; it is not read.
    NestedColumn,
    /// An infinite number, or one that is none.
    NotFinite,
}

/// Two lines that share their key.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Repeat {
    /// The columns of the key with what they say.
    pub key: String,
    /// The line that came first.
    pub first: Spot,
    /// The other.
    pub other: Spot,
    /// The columns in which they differ, with what each says; none where they are copies.
    pub differing: Vec<(String, String, String)>,
}

/// Where the lines of a fact end, each in one of these ways.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Ends {
    /// They go on to the outputs.
    pub kept: Tally,
    /// They are set aside.
    pub aside: Tally,
    /// Their row is left out, as a total or by the plan's rule.
    pub left_out: Tally,
    /// They are copies of a line that came before.
    pub identical: Tally,
    /// Another line with their key holds.
    pub dropped: Tally,
}

impl Ends {
    /// Adds the lines of another batch.
    pub fn merge(&mut self, other: &Ends) {
        self.kept.merge(&other.kept);
        self.aside.merge(&other.aside);
        self.left_out.merge(&other.left_out);
        self.identical.merge(&other.identical);
        self.dropped.merge(&other.dropped);
    }

    /// The same, with some of the measures, by their numbers here.
    fn of_measures(&self, measures: &[usize]) -> Ends {
        Ends {
            kept: self.kept.of_measures(measures),
            aside: self.aside.of_measures(measures),
            left_out: self.left_out.of_measures(measures),
            identical: self.identical.of_measures(measures),
            dropped: self.dropped.of_measures(measures),
        }
    }

    /// All lines that do not go on.
    pub fn held_back(&self) -> Tally {
        let mut all = Tally::default();
        for tally in [&self.aside, &self.left_out, &self.identical, &self.dropped] {
            all.merge(tally);
        }
        all
    }
}

/// What is known of the lines of a batch, or of all.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Findings {
    /// Lines read.
    pub lines: u64,
    /// What became of the rows of each file, by its number.
    pub parts: BTreeMap<usize, RowCounts>,
    /// The first and the last date of the lines, where they have one.
    pub dates: Option<(Day, Day)>,
    /// Rows that were left out as totals, with what they hold.
    pub total_rows: Vec<(Spot, String)>,
    /// Rows that look like totals and are not proved to be any, with what they hold.
    pub suspects: Vec<(Spot, String)>,
    /// Lines that share their key with another and differ; the first of them.
    pub repeats: Vec<Repeat>,
    /// How many keys have lines that differ and that no rule settles.
    pub repeats_open: u64,
    /// Lines without a key, of which it is not known whether they came twice.
    pub unkeyed: u64,
    /// Lines that are copies of others; as many of them as were asked for.
    pub copies: Vec<Repeat>,
    /// Rows that are no lines: their cells do not fit the header row, or each other.
    pub malformed: Unreadable,
    /// Days of lines that cannot well be meant.
    pub odd_days: Unreadable,
    /// Whether the lines were read a second time.
    pub read_again: bool,
    /// By column with amounts, the currencies beside them, each with the first line that has it.
    pub currencies: BTreeMap<usize, Vec<(String, Spot)>>,
    /// Lines set aside, by reason.
    pub aside: BTreeMap<Aside, u64>,
    /// Of each link, how many lines came out how, before the rule for missing rows.
    pub links: Vec<StatusCounts>,
    /// Lines on which a figure is blank, by figure and reason.
    pub blanks: BTreeMap<(usize, BlankBecause), Unreadable>,
    /// What was noted of cells and rows.
    pub noted: BTreeMap<Noted, Unreadable>,
    /// By column of lines.
    pub unreadable: BTreeMap<usize, Unreadable>,
    /// Keys that were not found.
    pub keys: KeyTallies,
    /// Keys without a row where the plan says that this is normal.
    pub absent: KeyTallies,
    /// The same of keys that were passed over for another key of the line, which was found.
    pub passed_over: KeyTallies,
    /// Keys that were found after cleaning.
    pub cleaned: KeyTallies,
    /// Lines on days without a row on which the run is to end, by link.
    pub gaps_stopping: BTreeMap<usize, u64>,
    /// Keys of the lookup that are one key to the link, by the first of them, with the lines that found one.
    pub same_keys: KeyTallies,
    /// Keys whose lines took the row of another day.
    pub carried: KeyTallies,
    /// Lines whose key was corrected, by link and correction.
    pub mended: BTreeMap<(usize, u32), u64>,
    /// The same for lines that have no row nevertheless.
    pub mended_in_vain: BTreeMap<(usize, u32), u64>,
    /// By file, what its rows say of what was assumed from a sample.
    pub doubts: BTreeMap<usize, Doubts<Spot>>,
    /// Where lines end, with what they amount to.
    pub ends: Ends,
    /// Of figures that are rounded on each line: the sum of what was rounded, and of what it was before.
    pub rounded: BTreeMap<usize, (ExactSum, ExactSum)>,
}

impl Findings {
    /// What an engine would have found that reads some of the columns and sums some of the measures. `columns` has its
    /// numbers of the columns of lines, by those here, `measures` the numbers here of what it sums.
    pub fn seen_with(self, columns: &BTreeMap<usize, usize>, measures: &[usize]) -> Findings {
        let reason = |because: BlankBecause| match because {
            BlankBecause::Column(own) => columns.get(&own).copied().map(BlankBecause::Column),
            BlankBecause::Unreadable(own) => {
                columns.get(&own).copied().map(BlankBecause::Unreadable)
            }
            other => Some(other),
        };
        let blanks = self.blanks.into_iter();
        let (currencies, unreadable) = (self.currencies.into_iter(), self.unreadable.into_iter());
        Findings {
            blanks: blanks
                .filter_map(|((figure, because), found)| Some(((figure, reason(because)?), found)))
                .collect(),
            currencies: currencies
                .filter_map(|(column, found)| Some((*columns.get(&column)?, found)))
                .collect(),
            unreadable: unreadable
                .filter_map(|(column, found)| Some((*columns.get(&column)?, found)))
                .collect(),
            ends: self.ends.of_measures(measures),
            ..self
        }
    }

    /// How many lines were set aside.
    pub fn lines_aside(&self) -> u64 {
        self.aside.values().sum()
    }

    /// What became of the rows of all files.
    pub fn rows(&self) -> RowCounts {
        let mut rows = RowCounts::default();
        self.parts.values().for_each(|part| rows.absorb(part));
        rows
    }

    /// Adds the findings of the next batch.
    pub fn absorb(&mut self, batch: Findings) {
        self.lines += batch.lines;
        for (part, counts) in &batch.parts {
            self.parts.entry(*part).or_default().absorb(counts);
        }
        self.total_rows.extend(batch.total_rows);
        self.suspects.extend(batch.suspects);
        for (column, currencies) in batch.currencies {
            let own = self.currencies.entry(column).or_default();
            for (currency, spot) in currencies {
                if !own.iter().any(|(known, _)| *known == currency) {
                    own.push((currency, spot));
                }
            }
        }
        self.dates = match (self.dates, batch.dates) {
            (Some(own), Some(other)) => Some((own.0.min(other.0), own.1.max(other.1))),
            (own, other) => own.or(other),
        };
        self.malformed.absorb(batch.malformed);
        self.odd_days.absorb(batch.odd_days);
        add_counts(&mut self.aside, batch.aside);
        for (why, other) in batch.blanks {
            self.blanks.entry(why).or_default().absorb(other);
        }
        add_counts(&mut self.mended, batch.mended);
        add_counts(&mut self.mended_in_vain, batch.mended_in_vain);
        add_counts(&mut self.gaps_stopping, batch.gaps_stopping);
        self.same_keys.absorb(batch.same_keys);
        self.carried.absorb(batch.carried);
        self.links.resize(self.links.len().max(batch.links.len()), StatusCounts::default());
        for (own, other) in self.links.iter_mut().zip(&batch.links) {
            own.iter_mut().zip(other).for_each(|(a, b)| *a += b);
        }
        for (column, other) in batch.unreadable {
            self.unreadable.entry(column).or_default().absorb(other);
        }
        for (what, other) in batch.noted {
            self.noted.entry(what).or_default().absorb(other);
        }
        self.keys.absorb(batch.keys);
        self.absent.absorb(batch.absent);
        self.passed_over.absorb(batch.passed_over);
        self.cleaned.absorb(batch.cleaned);
        self.ends.merge(&batch.ends);
        for (part, doubts) in batch.doubts {
            self.doubts.entry(part).or_default().absorb(doubts);
        }
        for (figure, (rounded, exact)) in batch.rounded {
            let own = self.rounded.entry(figure).or_default();
            own.0.merge(rounded);
            own.1.merge(exact);
        }
    }
}

fn add_counts<K: Ord>(own: &mut BTreeMap<K, u64>, other: BTreeMap<K, u64>) {
    for (key, count) in other {
        *own.entry(key).or_default() += count;
    }
}
