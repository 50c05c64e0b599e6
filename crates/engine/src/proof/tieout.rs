//! The tie-out: the statement at the end of a run that closes the counts and sums.
//!
//! It has two sides that know nothing of each other. [`ReadSide`] is made where rows come out of the readers, before
//! anything is dropped. The other side is made where lines end: by each output over the lines that it has put out, by the
//! groups of each table of totals, by what was set aside, left out, dropped as copies or dropped. Where the two sides differ, the run
//! is wrong, says so and leaves no output.

use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::sync::Arc;

use interligo_model::place::Parts;
use interligo_model::row_counts::RowCounts;
use interligo_model::values::decimal::Decimal;

use crate::engine::Engine;
use crate::proof::exact_sum::ExactSum;
use crate::proof::findings::{Aside, BlankBecause, Ends, Findings};
use crate::proof::link_status::{LinkStatus, StatusCounts};
use crate::proof::tally::{Measured, Tally};

/// What came out of the readers of a fact.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct ReadSide {
    /// Files that were not read to their end.
    pub unread: Vec<String>,
    /// Files of which not all that was read came to be in a block.
    pub cut: Vec<String>,
    /// Blocks that the readers handed out, with how much is in them: bytes of text, or rows of cells.
    pub handed: (u64, u64),
    /// Blocks that were worked on, with how much of them was split into rows.
    pub taken: (u64, u64),
    /// Rows, blank ones among them.
    pub rows: u64,
    /// The lines that these rows make, before any is left out.
    pub lines: Tally,
}

impl ReadSide {
    /// The same, with some of the measures, by their numbers here.
    pub fn of_measures(&self, measures: &[usize]) -> ReadSide {
        ReadSide { lines: self.lines.of_measures(measures), ..self.clone() }
    }

    /// Adds what another worker took.
    pub fn merge(&mut self, other: &ReadSide) {
        self.unread.extend(other.unread.iter().cloned());
        self.cut.extend(other.cut.iter().cloned());
        for (own, other) in [(&mut self.handed, other.handed), (&mut self.taken, other.taken)] {
            own.0 += other.0;
            own.1 += other.1;
        }
        self.rows += other.rows;
        self.lines.merge(&other.lines);
    }
}

/// What an output came to hold.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct OutputTally {
    /// The output's name in the plan.
    pub output: String,
    /// The file.
    pub to: String,
    /// Lines that it put out, or that its groups hold.
    pub tally: Tally,
    /// For totals and lists: how many rows it has.
    pub groups: Option<u64>,
    /// How many rows were counted in the text that went to the file.
    pub in_file: Option<u64>,
    /// Whether it is a list, which is not made of all lines.
    pub is_list: bool,
    /// Whether it is a page, which has no rows.
    pub is_page: bool,
    /// Lines that the output's own filter left out.
    pub filtered: Tally,
    /// Whether it is a table of another fact, to which lines of this one are added.
    pub beside: bool,
    /// Of a table of totals, the measures whose rows do not add up to the whole.
    pub not_adding_up: Vec<String>,
}

/// The file for lines that are set aside.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct AsideFile {
    /// Where it is.
    pub to: Option<String>,
    /// How many rows were counted in its text.
    pub rows: u64,
    /// Its lines; rows that are no lines are not among them.
    pub tally: Tally,
}

/// One table that was read.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct TableRead {
    /// Its name.
    pub table: String,
    /// What became of its rows.
    pub rows: RowCounts,
    /// From how many files.
    pub parts: usize,
}

/// One amount of the fact, over all lines; `None` where a sum overflows.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Amount {
    /// The column.
    pub column: String,
    /// Its sum over the lines read.
    pub read: Option<Decimal>,
    /// Its sum over the lines that go on to the outputs.
    pub kept: Option<Decimal>,
    /// Its sum over the lines set aside.
    pub aside: Option<Decimal>,
    /// Its sum over rows that are left out.
    pub left_out: Option<Decimal>,
    /// Its sum over copies that are dropped.
    pub identical: Option<Decimal>,
    /// Its sum over lines that are dropped.
    pub dropped: Option<Decimal>,
}

/// One link, over all lines.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct LinkLine {
    /// Its name.
    pub name: String,
    /// How many lines came out how.
    pub counts: StatusCounts,
}

/// One figure that is blank on some lines.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct BlankFigure {
    /// Its name.
    pub name: String,
    /// How many lines.
    pub lines: u64,
    /// Why, in words, with the lines of each reason; most lines first.
    pub reasons: Vec<(String, u64)>,
}

/// A figure that is rounded on each line, over all lines.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct RoundedFigure {
    /// Its name.
    pub name: String,
    /// The sum of the rounded values.
    pub rounded: Option<Decimal>,
    /// The sum of the values before they are rounded.
    pub exact: Option<Decimal>,
    /// How much more the first is.
    pub difference: Option<Decimal>,
}

/// The whole statement.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct TieOut {
    /// The fact table.
    pub fact: TableRead,
    /// Its files, with what became of their rows.
    pub parts: Vec<(Arc<str>, RowCounts)>,
    /// Whether lines that came twice were looked for.
    pub repeats: bool,
    /// Lines without a key, of which it is not known whether they came twice.
    pub unkeyed: u64,
    /// Whether the lines were read a second time.
    pub read_again: bool,
    /// The lookups.
    pub lookups: Vec<TableRead>,
    /// Lines that went through the plan, those set aside among them.
    pub lines: u64,
    /// Lines set aside, by reason in words.
    pub aside: Vec<(String, u64)>,
    /// The file for them, if anything is written.
    pub aside_file: Option<AsideFile>,
    /// The outputs.
    pub written: Vec<OutputTally>,
    /// The fact's amounts.
    pub amounts: Vec<Amount>,
    /// The links.
    pub links: Vec<LinkLine>,
    /// The figures that are blank on some lines.
    pub blanks: Vec<BlankFigure>,
    /// The figures that are rounded on each line.
    pub rounded: Vec<RoundedFigure>,
    /// What came out of the readers.
    pub read: ReadSide,
    /// Where the lines ended.
    pub ends: Ends,
    /// What is summed over lines: the name of each measure, and whether it is read.
    measures: Vec<(String, bool)>,
}

impl TieOut {
    /// The statement of a run.
    pub fn new(
        engine: &Engine,
        findings: &Findings,
        parts: &Parts,
        read: ReadSide,
        written: Vec<OutputTally>,
        aside_file: Option<AsideFile>,
    ) -> TieOut {
        let lookup = |lookup: &crate::lookup::Lookup| {
            let (rows, parts) = lookup.read();
            TableRead { table: lookup.name.clone(), rows: rows.clone(), parts }
        };
        let links = findings.links.iter().zip(&engine.bound.routes);
        TieOut {
            fact: TableRead {
                table: engine.bound.fact.name.clone(),
                rows: findings.rows(),
                parts: parts.0.len(),
            },
            parts: findings
                .parts
                .iter()
                .map(|(n, rows)| (parts.0[*n].shown.clone(), rows.clone()))
                .collect(),
            repeats: engine.bound.fact.looks_for_repeats(),
            unkeyed: findings.unkeyed,
            read_again: findings.read_again,
            lookups: engine.lookups.iter().map(lookup).collect(),
            lines: findings.lines,
            aside: findings.aside.iter().map(|(why, n)| (aside_words(engine, *why), *n)).collect(),
            aside_file,
            written,
            amounts: amounts(engine, &read, &findings.ends),
            links: links
                .enumerate()
                .map(|(link, (counts, route))| LinkLine {
                    name: route.name.clone(),
                    counts: engine.settled(link, counts),
                })
                .collect(),
            blanks: blanks(engine, findings),
            rounded: rounded(engine, findings),
            read,
            ends: findings.ends.clone(),
            measures: engine
                .measured()
                .iter()
                .enumerate()
                .map(|(measure, measured)| {
                    let is_read = matches!(measured, Measured::Read(_));
                    (engine.measure_name(measure).to_owned(), is_read)
                })
                .collect(),
        }
    }

    /// Lines that go on to the outputs.
    pub fn lines_kept(&self) -> u64 {
        self.fact.rows.lines().saturating_sub(self.lines_aside())
    }

    /// Lines set aside.
    pub fn lines_aside(&self) -> u64 {
        self.aside.iter().map(|(_, lines)| lines).sum()
    }

    /// What does not close, in words; nothing when all does.
    pub fn open(&self) -> Vec<String> {
        let mut open = self.open_reading();
        let kept = self.kept_by_reading();
        open.extend(self.differences("what went through the plan", &self.ends.kept, &kept, false));
        for written in &self.written {
            open.extend(self.open_output(written, &kept));
        }
        if let Some(aside) = &self.aside_file {
            if aside.rows != self.lines_aside() {
                open.push(format!(
                    "{} lines were set aside, the file for them took {}",
                    self.lines_aside(),
                    aside.rows
                ));
            }
            let what = "the file for what is set aside";
            open.extend(self.differences(what, &aside.tally, &self.ends.aside, true));
        }
        for link in &self.links {
            let lines: u64 = link.counts.iter().sum();
            let read = self.fact.rows.lines().saturating_sub(self.malformed());
            if lines != 0 && lines != read {
                open.push(format!("the link `{}` counts {lines} of {read} lines", link.name));
            }
        }
        open
    }

    /// What does not close between the files and the rows that were made of them.
    fn open_reading(&self) -> Vec<String> {
        let read = &self.read;
        let mut open: Vec<String> = Vec::new();
        open.extend(read.unread.iter().map(|file| format!("`{file}` was not read to its end")));
        open.extend(
            read.cut.iter().map(|file| format!("some rows of `{file}` were lost while reading")),
        );
        if read.handed.0 != read.taken.0 {
            let (handed, taken) = (read.handed.0, read.taken.0);
            open.push(format!("{handed} blocks were read, {taken} were worked on"));
        } else if read.handed.1 != read.taken.1 {
            open.push("not all that was read was split into rows".to_owned());
        }
        if read.rows != self.fact.rows.read {
            let (rows, counted) = (read.rows, self.fact.rows.read);
            open.push(format!("{rows} rows were read, {counted} are accounted for"));
        }
        let counted = self.fact.rows.lines();
        if self.lines != counted {
            open.push(format!("{counted} lines were read, {} went through the plan", self.lines));
        }
        open
    }

    /// The lines that go on, as the side of the readers has them: those that were read, less those that ended elsewhere.
    /// What is computed has no sum there, but the one that was taken when it was computed.
    fn kept_by_reading(&self) -> Tally {
        let mut kept = self.read.lines.clone();
        kept.take(&self.ends.held_back());
        for (measure, (_, is_read)) in self.measures.iter().enumerate() {
            if !is_read && let Some(sum) = kept.sums.get_mut(measure) {
                *sum = self.ends.kept.sum(measure);
            }
        }
        kept
    }

    fn open_output(&self, written: &OutputTally, kept: &Tally) -> Vec<String> {
        let mut open = Vec::new();
        let what = format!("the output `{}`", written.output);
        let rows = written.groups.unwrap_or(written.tally.lines);
        if let Some(in_file) = written.in_file.filter(|in_file| *in_file != rows) {
            open.push(format!("{what} has {rows} rows, its file took {in_file}"));
        }
        if !written.not_adding_up.is_empty() {
            let names = written.not_adding_up.join("`, `");
            open.push(format!("the rows of {what} do not add up to the whole of `{names}`"));
        }
        if !written.is_list && !written.is_page {
            let mut all = written.tally.clone();
            all.merge(&written.filtered);
            // Of a line in a group nobody knows any more which it was.
            open.extend(self.differences(
                &what,
                &all,
                kept,
                written.groups.is_none() && !written.beside,
            ));
        }
        open
    }

    /// In what some lines differ from those that they should be. Sums that are not known are not compared.
    fn differences(
        &self,
        what: &str,
        found: &Tally,
        meant: &Tally,
        with_marks: bool,
    ) -> Vec<String> {
        let mut open = Vec::new();
        if found.lines != meant.lines {
            open.push(format!("{what} has {} of {} lines", found.lines, meant.lines));
        } else if with_marks && found.marks != meant.marks {
            open.push(format!("{what} has some lines more than once, and others not at all"));
        }
        for (measure, (name, _)) in self.measures.iter().enumerate() {
            if let (Some(found), Some(meant)) = (found.sum(measure), meant.sum(measure))
                && found != meant
            {
                let of = |sum: ExactSum| {
                    sum.value().map_or("more than 38 digits".to_owned(), |s| s.to_string())
                };
                open.push(format!(
                    "`{name}` sums up to {} in {what}, and should to {}",
                    of(found),
                    of(meant)
                ));
            }
        }
        open
    }

    /// Lines whose fields do not fit the header row; no link was asked for them.
    fn malformed(&self) -> u64 {
        let malformed = |why: &str| why == FIELDS || why == UNEVEN;
        self.aside.iter().filter(|(why, _)| malformed(why)).map(|(_, lines)| lines).sum()
    }
}

const FIELDS: &str = "too few or too many fields";
const UNEVEN: &str = "uneven lists in its cells";

/// Why a line was set aside, in words.
pub fn aside_words(engine: &Engine, why: Aside) -> String {
    match why {
        Aside::Fields => FIELDS.to_owned(),
        Aside::Uneven => UNEVEN.to_owned(),
        Aside::Link(link, status) => {
            format!("{} {}", engine.bound.routes[link].name, status.name())
        }
    }
}

/// What made a figure blank, in words.
pub fn blank_words(engine: &Engine, why: BlankBecause) -> String {
    let fact = |column: usize| engine.column_name(column);
    match why {
        BlankBecause::Link(link, status) => {
            let name = &engine.bound.routes[link].name;
            match status {
                LinkStatus::Blank => format!("no key for {name}"),
                _ => format!("{name} {}", status.name()),
            }
        }
        BlankBecause::Column(column) => format!("{} blank", fact(column)),
        BlankBecause::Unreadable(column) => format!("{} unreadable", fact(column)),
        BlankBecause::Attribute(link, column) => {
            let lookup = &engine.lookups[engine.bound.routes[link].lookup];
            format!("{}.{} blank", engine.bound.routes[link].name, lookup.columns[column].name)
        }
        BlankBecause::DividedByZero(_) => "divided by zero".to_owned(),
        BlankBecause::Chosen(_) => "the formula gives blank".to_owned(),
    }
}

fn amounts(engine: &Engine, read: &ReadSide, ends: &Ends) -> Vec<Amount> {
    let amount = |(measure, measured): (usize, &Measured)| {
        let is_read = match measured {
            Measured::Read(_) => true,
            Measured::Computed(_) => false,
            Measured::Figure(_) => return None,
        };
        let places = engine.amount_places(measure);
        let sum = |tally: &Tally| tally.sum(measure).unwrap_or_default();
        let mut all = sum(&ends.kept);
        all.merge(sum(&ends.aside));
        let all = if is_read { sum(&read.lines) } else { all };
        Some(Amount {
            column: engine.measure_name(measure).to_owned(),
            read: all.shown(places),
            kept: sum(&ends.kept).shown(places),
            aside: sum(&ends.aside).shown(places),
            left_out: sum(&ends.left_out).shown(places),
            identical: sum(&ends.identical).shown(places),
            dropped: sum(&ends.dropped).shown(places),
        })
    };
    engine.measured().iter().enumerate().filter_map(amount).collect()
}

fn rounded(engine: &Engine, findings: &Findings) -> Vec<RoundedFigure> {
    let figure = |(figure, (rounded, exact)): (&usize, &(ExactSum, ExactSum))| {
        let mut difference = *rounded;
        difference.take(*exact);
        let rounded = rounded.value();
        RoundedFigure {
            name: engine.bound.figures[*figure].name.clone(),
            rounded,
            exact: exact.shown(rounded.map_or(0, Decimal::places)),
            difference: difference.value().map(|difference| difference.trimmed(0)),
        }
    };
    findings.rounded.iter().map(figure).collect()
}

fn blanks(engine: &Engine, findings: &Findings) -> Vec<BlankFigure> {
    let mut found = Vec::new();
    for (number, figure) in engine.bound.figures.iter().enumerate() {
        let of_figure = findings.blanks.iter().filter(|((f, _), _)| *f == number);
        let mut by_words: BTreeMap<String, u64> = BTreeMap::new();
        for ((_, why), lines) in of_figure {
            *by_words.entry(blank_words(engine, *why)).or_default() += lines.count;
        }
        let mut reasons: Vec<(String, u64)> = by_words.into_iter().collect();
        reasons.sort_by(|a, b| b.1.cmp(&a.1).then_with(|| a.0.cmp(&b.0)));
        let lines = reasons.iter().map(|(_, lines)| lines).sum();
        if lines > 0 {
            found.push(BlankFigure { name: figure.name.clone(), lines, reasons });
        }
    }
    found
}
