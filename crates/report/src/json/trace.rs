//! Why lines have their values, as JSON.

use std::io;

use interligo_engine::engine::Engine;
use interligo_engine::proof::tieout::{aside_words, blank_words};
use interligo_engine::trace::{KeyStep, NotTaken, StepOutcome, TakenRow};
use interligo_model::values::value::Value;
use interligo_project::{BesideLines, CellTrace, Listed, Traced};
use serde::Serialize;

use super::{Members, print};
use crate::output::Out;

#[derive(Serialize)]
struct LineShown<'a> {
    place: &'a str,
    key: &'a str,
    line_of_row: Option<[usize; 2]>,
    as_read: Members<&'a str>,
    columns: Members<&'a str>,
    values: Members<Option<String>>,
    set_aside: Option<String>,
    links: Vec<LinkShown<'a>>,
    figures: Vec<FigureShown<'a>>,
}

#[derive(Serialize)]
struct LinkShown<'a> {
    link: &'a str,
    status: &'a str,
    candidate: Option<u32>,
    days: Option<u32>,
    keys: Vec<KeyShown<'a>>,
    as_of: Option<String>,
    row: Option<RowShown>,
    before: Option<RowShown>,
    after: Option<RowShown>,
    not_taken: Vec<OtherShown<'a>>,
}

#[derive(Serialize)]
struct KeyShown<'a> {
    written: &'a str,
    steps: Vec<StepShown>,
    correction: Option<&'a str>,
}

#[derive(Serialize)]
struct StepShown {
    step: &'static str,
    text: Option<String>,
    outcome: &'static str,
}

#[derive(Serialize)]
struct RowShown {
    place: Option<String>,
    from: Option<String>,
    until: Option<String>,
    attributes: Members<Option<String>>,
}

#[derive(Serialize)]
struct OtherShown<'a> {
    place: String,
    why: &'static str,
    from: Option<String>,
    until: Option<String>,
    differs: Members<&'a str>,
}

#[derive(Serialize)]
struct FigureShown<'a> {
    figure: &'a str,
    formula: &'a str,
    with_numbers: &'a [String],
    value: Option<String>,
    blank_because: Option<String>,
}

#[derive(Serialize)]
struct TracedShown<'a> {
    lines: Vec<LineShown<'a>>,
    more: u64,
    no_line: Option<&'a str>,
    notes: &'a [String],
}

fn text(value: &Value<'_>) -> Option<String> {
    let text = value.to_string();
    (!value.is_blank() && !text.trim().is_empty()).then_some(text)
}

fn row(taken: &TakenRow) -> RowShown {
    let (from, until) = taken.valid.unwrap_or_default();
    RowShown {
        place: taken.place.as_ref().map(ToString::to_string),
        from: from.map(|day| day.to_string()),
        until: until.map(|day| day.to_string()),
        attributes: taken
            .attributes
            .iter()
            .map(|(name, value)| (name.clone(), text(value)))
            .collect(),
    }
}

/// Prints lines with what explains them.
pub fn traced_json(out: Out<'_>, engine: &Engine, traced: &Traced) -> io::Result<()> {
    let lines = traced.lines.iter().map(|line| LineShown {
        place: &line.place,
        key: &line.key,
        line_of_row: line.of_row.map(|(at, of)| [at, of]),
        as_read: line.as_read.iter().map(|(name, text)| (name.clone(), text.as_str())).collect(),
        columns: line.columns.iter().map(|(name, text)| (name.clone(), text.as_str())).collect(),
        values: line.trace.columns.iter().map(|own| (own.name.clone(), text(&own.value))).collect(),
        set_aside: line.trace.aside.map(|why| aside_words(engine, why)),
        links: line.trace.links.iter().map(|link| link_shown(engine, link)).collect(),
        figures: line
            .trace
            .figures
            .iter()
            .map(|own| FigureShown {
                figure: &own.name,
                formula: &own.formula,
                with_numbers: &own.steps.shown,
                value: text(&own.value),
                blank_because: own.blank.map(|why| blank_words(engine, why)),
            })
            .collect(),
    });
    print(
        out,
        &TracedShown {
            lines: lines.collect(),
            more: traced.more,
            no_line: traced.no_line.as_deref(),
            notes: &traced.notes,
        },
    )
}

fn link_shown<'a>(
    engine: &'a Engine,
    link: &'a interligo_engine::trace::LinkTrace,
) -> LinkShown<'a> {
    use interligo_engine::links::LinkStatus;
    let key = |attempt: &'a interligo_engine::trace::KeyAttempt| KeyShown {
        written: &attempt.written,
        steps: attempt.steps.iter().map(|(step, outcome)| step_shown(step, *outcome)).collect(),
        correction: attempt.correction.map(|number| engine.bound.corrections[number].used.as_str()),
    };
    let day = link.day.as_ref();
    let other = |own: &'a interligo_engine::trace::RowNotTaken| {
        let (why, from, until) = match own.why {
            NotTaken::Duplicate => ("duplicate", None, None),
            NotTaken::OtherDays { from, until } => ("other-days", from, until),
        };
        OtherShown {
            place: own.place.to_string(),
            why,
            from: from.map(|day| day.to_string()),
            until: until.map(|day| day.to_string()),
            differs: own
                .differs
                .iter()
                .map(|(name, value)| (name.clone(), value.as_str()))
                .collect(),
        }
    };
    LinkShown {
        link: &link.name,
        status: link.status.name(),
        candidate: (link.status == LinkStatus::Alternate).then_some(link.by + 1),
        days: (link.status == LinkStatus::Carried).then_some(link.by),
        keys: link.attempts.iter().map(key).collect(),
        as_of: day.and_then(|day| Some(day.day?.to_string())),
        row: link.row.as_ref().map(row),
        before: day.and_then(|day| day.before.as_ref()).map(|period| row(&period.row)),
        after: day.and_then(|day| day.after.as_ref()).map(|period| row(&period.row)),
        not_taken: link.not_taken.iter().map(other).collect(),
    }
}

fn step_shown(step: &KeyStep, outcome: StepOutcome) -> StepShown {
    let (step, text) = match step {
        KeyStep::AsWritten => ("as-written", None),
        KeyStep::Trimmed(text) => ("trimmed", Some(text.clone())),
        KeyStep::Ignoring(text) => ("ignoring", Some(text.clone())),
    };
    let outcome = match outcome {
        StepOutcome::Key => "found",
        StepOutcome::Several => "several",
        StepOutcome::NoKey => "none",
    };
    StepShown { step, text, outcome }
}

#[derive(Serialize)]
struct CellShown<'a> {
    total: &'a str,
    value: Option<String>,
    lines: Vec<CellLineShown<'a>>,
    more_lines: u64,
    more: Option<String>,
    of_lines: u64,
    sum: Option<String>,
    without_value: Vec<WithoutShown<'a>>,
    computed_from: Option<PartsShown<'a>>,
    #[serde(skip_serializing_if = "Option::is_none")]
    in_order: Option<BesideShown>,
}

#[derive(Serialize)]
struct BesideShown {
    below: u64,
    equal: u64,
    above: u64,
}

#[derive(Serialize)]
struct CellLineShown<'a> {
    amount: String,
    key: &'a str,
    formula: &'a str,
    place: &'a str,
}

#[derive(Serialize)]
struct WithoutShown<'a> {
    reason: &'a str,
    lines: u64,
    first: &'a str,
}

#[derive(Serialize)]
struct PartsShown<'a> {
    lines: u64,
    sums: Members<Option<String>>,
    with_numbers: &'a [String],
}

/// Prints a cell of totals as the lines that it is made of.
pub fn cell_json(out: Out<'_>, cell: &CellTrace) -> io::Result<()> {
    let shown = CellShown {
        total: &cell.name,
        value: cell.value.as_ref().map(|value| value.to_string()),
        lines: cell
            .lines
            .iter()
            .map(|line| CellLineShown {
                amount: line.value.to_string(),
                key: &line.key,
                formula: &line.formula,
                place: &line.place,
            })
            .collect(),
        more_lines: cell.rest.0,
        more: cell.rest.1.filter(|_| cell.rest.0 > 0).map(|rest| rest.to_string()),
        of_lines: cell.of_lines,
        sum: cell.sum.map(|sum| sum.to_string()),
        without_value: cell
            .without
            .iter()
            .map(|own| WithoutShown { reason: &own.why, lines: own.lines, first: &own.first })
            .collect(),
        computed_from: cell.parts.as_ref().map(|parts| PartsShown {
            lines: parts.lines,
            sums: parts
                .sums
                .iter()
                .map(|part| (part.name.clone(), part.sum.map(|sum| sum.to_string())))
                .collect(),
            with_numbers: &parts.steps.shown,
        }),
        in_order: match cell.listed {
            Listed::Nearest(BesideLines { below, equal, above }) => {
                Some(BesideShown { below, equal, above })
            }
            _ => None,
        },
    };
    print(out, &shown)
}
