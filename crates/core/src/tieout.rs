//! The tie-out: the statement at the end of a run that closes the counts and sums.
//!
//! It is made from two sides. The findings say what became of every line that was read; the sinks say
//! what they wrote. Where the two sides differ, the run is wrong and says so.

use std::sync::Arc;

use crate::decimal::Decimal;
use crate::engine::Engine;
use crate::findings::{Aside, BlankBecause, ExactSum, Findings, Parts};
use crate::links::{LinkStatus, StatusCounts};
use crate::rows::RowCounts;

/// What a sink wrote.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Written {
    /// The output's name in the plan.
    pub output: String,
    /// The file.
    pub to: String,
    /// Lines written, or lines that totals were made of.
    pub lines: u64,
    /// For totals and lists: how many rows were written.
    pub groups: Option<u64>,
    /// Whether it is a list, which is not made of all lines.
    pub is_list: bool,
    /// Lines that the output's own filter left out.
    pub filtered: u64,
    /// Whether it is a table of another fact, to which lines of this one are added.
    pub beside: bool,
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

/// One amount of the fact, over all lines.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Amount {
    /// The column.
    pub column: String,
    /// Its sum over the lines read.
    pub read: ExactSum,
    /// Its sum over the lines that go on to the outputs.
    pub kept: ExactSum,
    /// Its sum over the lines set aside.
    pub aside: ExactSum,
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
    pub rounded: ExactSum,
    /// The sum of the values before they are rounded.
    pub exact: ExactSum,
    /// How much more the first is.
    pub difference: ExactSum,
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
    /// Where they are.
    pub aside_to: Option<String>,
    /// Lines that the set-aside file took.
    pub aside_written: u64,
    /// The outputs.
    pub written: Vec<Written>,
    /// The fact's amounts.
    pub amounts: Vec<Amount>,
    /// The links.
    pub links: Vec<LinkLine>,
    /// The figures that are blank on some lines.
    pub blanks: Vec<BlankFigure>,
    /// The figures that are rounded on each line.
    pub rounded: Vec<RoundedFigure>,
}

impl TieOut {
    /// The statement of a run.
    pub fn new(
        engine: &Engine,
        findings: &Findings,
        parts: &Parts,
        written: Vec<Written>,
        aside_to: Option<String>,
        aside_written: u64,
    ) -> TieOut {
        let lookup = |lookup: &crate::lookup::Lookup| {
            let (rows, parts) = lookup.read();
            TableRead { table: lookup.name.clone(), rows: rows.clone(), parts }
        };
        let amount = |(number, read): (usize, &usize)| {
            let sum = |sums: &[ExactSum]| {
                sums.get(number).copied().unwrap_or_default().shown(engine.amount_places(number))
            };
            Amount {
                column: engine.column_name(*read).to_owned(),
                read: sum(&findings.amounts_read),
                kept: sum(&findings.amounts_kept),
                aside: sum(&findings.amounts_aside),
            }
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
            aside_to,
            aside_written,
            written,
            amounts: engine.amounts.iter().enumerate().map(amount).collect(),
            links: links
                .enumerate()
                .map(|(link, (counts, route))| LinkLine {
                    name: route.name.clone(),
                    counts: engine.settled(link, counts),
                })
                .collect(),
            blanks: blanks(engine, findings),
            rounded: rounded(engine, findings),
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
        let mut open = Vec::new();
        let kept = self.lines_kept();
        for written in self.written.iter().filter(|written| !written.is_list) {
            if written.lines + written.filtered != kept {
                open.push(format!(
                    "the output `{}` holds {} of {kept} lines",
                    written.output,
                    written.lines + written.filtered
                ));
            }
        }
        if self.aside_written != self.lines_aside() {
            open.push(format!(
                "{} lines were set aside, the file for them took {}",
                self.lines_aside(),
                self.aside_written
            ));
        }
        let counted = self.fact.rows.lines();
        if self.lines != counted {
            open.push(format!("{counted} lines were read, {} went through the plan", self.lines));
        }
        for amount in &self.amounts {
            let mut sum = amount.kept;
            sum.merge(amount.aside);
            if sum != amount.read || sum.0.is_none() {
                open.push(format!("the sums of `{}` do not close", amount.column));
            }
        }
        for link in &self.links {
            let lines: u64 = link.counts.iter().sum();
            let read = self.fact.rows.lines().saturating_sub(self.malformed());
            if lines != 0 && lines != read {
                open.push(format!("the link `{}` speaks of {lines} of {read} lines", link.name));
            }
        }
        open
    }

    /// Lines whose fields do not fit the heading; no link was asked for them.
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
        BlankBecause::DividedByZero => "divided by zero".to_owned(),
        BlankBecause::Chosen => "the formula says blank".to_owned(),
    }
}

fn rounded(engine: &Engine, findings: &Findings) -> Vec<RoundedFigure> {
    let figure = |(figure, (rounded, exact)): (&usize, &(ExactSum, ExactSum))| {
        let difference = rounded.0.zip(exact.0).and_then(|(a, b)| a.checked_sub(b));
        let written = |sum: Option<Decimal>| ExactSum(sum.map(|sum| sum.trimmed(0)));
        let least = rounded.0.map_or(0, Decimal::places);
        RoundedFigure {
            name: engine.bound.figures[*figure].name.clone(),
            rounded: *rounded,
            exact: ExactSum(exact.0.map(|sum| sum.at_least(least))),
            difference: written(difference),
        }
    };
    findings.rounded.iter().map(figure).collect()
}

fn blanks(engine: &Engine, findings: &Findings) -> Vec<BlankFigure> {
    let mut found = Vec::new();
    for (number, figure) in engine.bound.figures.iter().enumerate() {
        let of_figure = findings.blanks.iter().filter(|((f, _), _)| *f == number);
        let mut reasons: Vec<(String, u64)> =
            of_figure.map(|((_, why), lines)| (blank_words(engine, *why), *lines)).collect();
        reasons.sort_by(|a, b| b.1.cmp(&a.1).then_with(|| a.0.cmp(&b.0)));
        let lines = reasons.iter().map(|(_, lines)| lines).sum();
        if lines > 0 {
            found.push(BlankFigure { name: figure.name.clone(), lines, reasons });
        }
    }
    found
}
