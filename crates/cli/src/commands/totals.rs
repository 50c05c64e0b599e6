//! `interligo totals`.

use std::ops::Range;

use interligo_core::bind::{Content, Request};
use interligo_core::engine::Extent;
use interligo_core::plan::Written;
use interligo_io::{OnDuplicates, OnStop, totals_csv};

use super::{Opened, Out};
use crate::args::{Format, TotalsOptions};
use crate::failure::Failure;
use crate::show;

pub(crate) fn totals(options: &TotalsOptions, out: Out<'_>) -> Result<(), Failure> {
    let opened = Opened::open(&options.plan)?;
    let request = Request {
        name: "totals".to_owned(),
        to: None,
        of: None,
        content: Content::Totals {
            by: list("--by", &options.by),
            show: (!options.show.is_empty()).then(|| list("--show", &options.show)),
            filter: options
                .filter
                .as_ref()
                .map(|text| Written::in_option("--where", text, 0..text.len())),
        },
    };
    let engines = opened.prepare(&[request], Extent::Needed, OnDuplicates::Stop)?;
    let ran = opened.run(&engines, OnStop::Stop)?;
    let outcome = ran.outcomes.first().expect("one fact has the output that is asked for");
    let (_, table) = outcome.totals.first().expect("the one output asked for is totals");
    match options.format {
        Format::Table => {
            let currency = opened.project.plan.plan.currency.as_deref();
            show::totals(out, table, outcome.tie_out.lines_aside(), currency)?;
        }
        Format::Csv => {
            out.write_all(&totals_csv(table))?;
            show::left_out_to_stderr(table, outcome.tie_out.lines_aside());
        }
        Format::Json => show::totals_json(out, table)?,
    }
    out.flush()?;
    Ok(())
}

/// The entries of an option that may be given several times, each a list.
fn list(name: &'static str, values: &[String]) -> Vec<Written> {
    let entries = |value: &String| {
        entries(value)
            .into_iter()
            .map(|range| Written::in_option(name, value, range))
            .collect::<Vec<_>>()
    };
    values.iter().flat_map(entries).collect()
}

/// The entries of a list, separated by commas outside of parentheses and quotes.
fn entries(list: &str) -> Vec<Range<usize>> {
    let (mut found, mut start, mut depth, mut quote) = (Vec::new(), 0, 0u32, None);
    let mut push = |range: Range<usize>| {
        let entry = &list[range.clone()];
        let start = range.start + entry.len() - entry.trim_start().len();
        let end = start + entry.trim().len();
        if end > start {
            found.push(start..end);
        }
    };
    for (at, sign) in list.char_indices() {
        match (quote, sign) {
            (Some(open), _) if open == sign => quote = None,
            (None, '\'' | '"') => quote = Some(sign),
            (None, '(') => depth += 1,
            (None, ')') => depth = depth.saturating_sub(1),
            (None, ',') if depth == 0 => {
                push(start..at);
                start = at + 1;
            }
            _ => {}
        }
    }
    push(start..list.len());
    found
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_list_is_split_at_its_own_commas() {
        let split = |list: &'static str| -> Vec<&str> {
            entries(list).into_iter().map(|range| &list[range]).collect()
        };
        assert_eq!(split("a, month(b) ,c"), ["a", "month(b)", "c"]);
        assert_eq!(split("coalesce(a, b), \"x,y\".z"), ["coalesce(a, b)", "\"x,y\".z"]);
        assert_eq!(split(" , "), Vec::<&str>::new());
    }
}
