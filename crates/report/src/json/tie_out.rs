//! The tie-out as JSON.

use std::io;

use interligo_engine::proof::tieout::TieOut;
use interligo_model::values::decimal::Decimal;
use serde::Serialize;

use super::{Count, Members, Reason, by_status, print};
use crate::output::Out;

/// The tie-out of a fact. It is printed only where it closes.
#[derive(Serialize)]
struct FactTieOut<'a> {
    fact: &'a str,
    lines: LineCounts,
    left_out: Vec<Reason<'a>>,
    /// Whether duplicate lines are looked for.
    repeats_looked_for: bool,
    lines_without_key: u64,
    read_again: bool,
    files: Vec<FileRead>,
    set_aside: Vec<Reason<'a>>,
    set_aside_to: Option<&'a str>,
    amounts: Vec<AmountTied<'a>>,
    links: Vec<LinkLines<'a>>,
    blank_figures: Vec<BlankFigure<'a>>,
    rounded_figures: Vec<RoundedFigure<'a>>,
    written: Vec<Written<'a>>,
    closes: bool,
}

/// Where the lines of a fact went.
#[derive(Serialize)]
struct LineCounts {
    read: u64,
    added: u64,
    files: usize,
    identical_copies: u64,
    dropped: u64,
    kept: u64,
    set_aside: u64,
}

#[derive(Serialize)]
struct FileRead {
    file: String,
    rows: u64,
    lines: u64,
}

/// A column of amounts on both sides.
#[derive(Serialize)]
struct AmountTied<'a> {
    column: &'a str,
    read: Option<String>,
    kept: Option<String>,
    set_aside: Option<String>,
    left_out: Option<String>,
    identical_copies: Option<String>,
    dropped: Option<String>,
}

#[derive(Serialize)]
struct LinkLines<'a> {
    link: &'a str,
    /// By status.
    lines: Members<u64>,
}

#[derive(Serialize)]
struct BlankFigure<'a> {
    figure: &'a str,
    lines: u64,
    reasons: Vec<Reason<'a>>,
}

#[derive(Serialize)]
struct RoundedFigure<'a> {
    figure: &'a str,
    sum: Option<String>,
    sum_before_rounding: Option<String>,
    difference: Option<String>,
}

#[derive(Serialize)]
struct Written<'a> {
    output: &'a str,
    to: &'a str,
    rows: u64,
    lines: u64,
    lines_not_meeting_the_condition: u64,
}

/// One object; a list of them where there are several facts.
pub fn tie_out_json(out: Out<'_>, ties: &[&TieOut]) -> io::Result<()> {
    match ties {
        [only] => print(out, &of_fact(only)),
        several => print(out, &several.iter().map(|tie| of_fact(tie)).collect::<Vec<_>>()),
    }
}

fn exact(sum: Option<Decimal>) -> Option<String> {
    sum.map(|sum| sum.to_string())
}

fn of_fact(tie: &TieOut) -> FactTieOut<'_> {
    let rows = &tie.fact.rows;
    let lines = |reason, lines: &u64| Reason { reason, count: Count::Lines(*lines) };
    FactTieOut {
        fact: &tie.fact.table,
        lines: LineCounts {
            read: rows.read,
            added: rows.made,
            files: tie.fact.parts,
            identical_copies: rows.identical,
            dropped: rows.dropped,
            kept: tie.lines_kept(),
            set_aside: tie.lines_aside(),
        },
        left_out: rows
            .left_out
            .iter()
            .map(|(why, rows)| Reason { reason: why.name(), count: Count::Rows(*rows) })
            .collect(),
        repeats_looked_for: tie.repeats,
        lines_without_key: tie.unkeyed,
        read_again: tie.read_again,
        files: tie
            .parts
            .iter()
            .map(|(part, rows)| FileRead {
                file: part.to_string(),
                rows: rows.read,
                lines: rows.lines(),
            })
            .collect(),
        set_aside: tie.aside.iter().map(|(why, n)| lines(why, n)).collect(),
        set_aside_to: tie.aside_file.as_ref().and_then(|aside| aside.to.as_deref()),
        amounts: tie
            .amounts
            .iter()
            .map(|amount| AmountTied {
                column: &amount.column,
                read: exact(amount.read),
                kept: exact(amount.kept),
                set_aside: exact(amount.aside),
                left_out: exact(amount.left_out),
                identical_copies: exact(amount.identical),
                dropped: exact(amount.dropped),
            })
            .collect(),
        links: tie
            .links
            .iter()
            .map(|link| LinkLines { link: &link.name, lines: by_status(&link.counts) })
            .collect(),
        blank_figures: tie
            .blanks
            .iter()
            .map(|figure| BlankFigure {
                figure: &figure.name,
                lines: figure.lines,
                reasons: figure.reasons.iter().map(|(why, n)| lines(why, n)).collect(),
            })
            .collect(),
        rounded_figures: tie
            .rounded
            .iter()
            .map(|figure| RoundedFigure {
                figure: &figure.name,
                sum: exact(figure.rounded),
                sum_before_rounding: exact(figure.exact),
                difference: exact(figure.difference),
            })
            .collect(),
        written: tie
            .written
            .iter()
            .map(|written| Written {
                output: &written.output,
                to: &written.to,
                rows: written.groups.unwrap_or(written.tally.lines),
                lines: written.tally.lines,
                lines_not_meeting_the_condition: written.filtered.lines,
            })
            .collect(),
        closes: true,
    }
}
