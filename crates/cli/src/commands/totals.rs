//! `interligo totals`.

use std::ops::Range;

use interligo_engine::bind::{Content, Request, TotalsRequest};
use interligo_engine::engine::Extent;
use interligo_engine::totals::TotalsTable;
use interligo_model::plan::{NotShared, Written};
use interligo_project::{OnDuplicates, OnStop, totals_csv};
use interligo_report::json;
use interligo_report::output::Output as _;
use interligo_report::text::{self, TotalsLook, TotalsNotes};

use super::{Opened, Out, condition_in};
use crate::args::{NotSharedChoice, TotalsFormat, TotalsOptions};
use crate::failure::Failure;

pub(crate) fn totals(options: &TotalsOptions, out: Out<'_>) -> Result<(), Failure> {
    let opened = Opened::open(&options.plan)?;
    let request = request(options, &opened)?;
    let condition = condition(&request).cloned();
    let requests = [request];
    let ran = match opened.ask_kept(&requests, options.fresh) {
        Some((_, ran)) => ran,
        None => {
            let job = opened.prepare(&requests, Extent::Needed, OnDuplicates::Stop)?;
            opened.run(&job, OnStop::Stop)?
        }
    };
    let (outcome, table) = ran
        .outcomes
        .iter()
        .find_map(|outcome| Some((outcome, &outcome.totals.first()?.1)))
        .expect("the one output asked for is totals");
    let unmet = condition.filter(|_| table.lines == 0).and_then(|condition| {
        let fact = &outcome.tie_out.fact.table;
        opened.project.unmet_condition(fact, &condition, opened.parallelism)
    });
    let notes = TotalsNotes { aside: outcome.tie_out.lines_aside(), unmet: unmet.as_ref() };
    match options.format {
        TotalsFormat::Table => {
            let look = TotalsLook {
                notes,
                currency: opened.project.plan.plan.currency.as_deref(),
                bars: bars(options, table)?,
            };
            text::totals(out, table, &look)?;
        }
        TotalsFormat::Csv => {
            totals_csv(table).try_for_each(|piece| out.data(&piece))?;
            crate::printed::say_all(text::not_shown(table, notes));
        }
        TotalsFormat::Markdown => {
            text::totals_markdown(out, table)?;
            crate::printed::say_all(text::not_shown(table, notes));
        }
        TotalsFormat::Json => json::totals_json(out, table)?,
    }
    out.flush()?;
    Ok(())
}

/// The condition that lines must meet.
fn condition(request: &Request) -> Option<&Written> {
    match &request.content {
        Content::Totals(totals) => totals.filter.as_ref(),
        _ => None,
    }
}

/// The totals that the plan has under the name, or none, with what the options say in place of it.
fn request(options: &TotalsOptions, opened: &Opened) -> Result<Request, Failure> {
    let mut request = match &options.name {
        Some(name) => named(name, opened)?,
        None => Request::of_totals("totals", TotalsRequest::default()),
    };
    if let Some(of) = &options.of {
        request.of = Some(whole("--of", of));
    }
    let Content::Totals(totals) = &mut request.content else { return Ok(request) };
    let given = |name: &'static str, values: &[String], own: &mut Vec<Written>| {
        if !values.is_empty() {
            *own = list(name, values);
        }
    };
    given("--by", &options.by, &mut totals.by);
    given("--across", &options.across, &mut totals.across);
    given("--sort", &options.sort, &mut totals.sort);
    if !options.show.is_empty() {
        totals.show = Some(list("--show", &options.show));
    }
    if !options.versus.is_empty() {
        let all = options.versus.join(",");
        totals.versus = Some((whole("--versus", &all), list("--versus", &options.versus)));
    }
    if let Some(filter) = condition_in(&opened.project.plan, options.filter.as_ref()) {
        totals.filter = Some(whole("--where", &filter));
    }
    if let Some(having) = condition_in(&opened.project.plan, options.having.as_ref()) {
        totals.having = Some(whole("--having", &having));
    }
    if let Some(top) = options.top {
        totals.top = Some((whole("--top", &top.to_string()), top as usize));
    }
    if options.all_periods {
        totals.all_periods = Some(whole("--all-periods", "--all-periods"));
    }
    totals.not_shared = match options.not_shared {
        None => totals.not_shared,
        Some(NotSharedChoice::Stop) => NotShared::Stop,
        Some(NotSharedChoice::Blank) => NotShared::Blank,
    };
    Ok(request)
}

fn whole(name: &'static str, text: &str) -> Written {
    Written::in_option(name, text, 0..text.len())
}

/// Totals of the plan, without their file.
fn named(name: &str, opened: &Opened) -> Result<Request, Failure> {
    let plan = &opened.project.plan;
    let of_name = match plan.outputs.get(name) {
        Some(entry) => Request::of_entry(plan, entry).map_err(|mistake| opened.failure(mistake))?,
        None => return Err(no_totals(name, opened)),
    };
    match of_name.content {
        Content::Totals(_) => Ok(Request { to: None, ..of_name }),
        _ => Err(no_totals(name, opened)),
    }
}

pub(super) fn no_totals(name: &str, opened: &Opened) -> Failure {
    let totals = opened.project.plan.outputs.iter().filter(|output| output.value.by.is_some());
    let known = totals.map(|output| output.name.clone()).collect();
    Failure::NoTotals { name: name.to_owned(), known }
}

/// The measure that is drawn as bars.
fn bars(options: &TotalsOptions, table: &TotalsTable) -> Result<Option<usize>, Failure> {
    let Some(name) = &options.bars else { return Ok(None) };
    let known: Vec<String> = table.measures.iter().map(|m| m.name.clone()).collect();
    if name.is_empty() {
        let amount = table.measures.iter().position(|measure| measure.kind.is_amount());
        return Ok(Some(amount.unwrap_or(0)));
    }
    match known.iter().position(|column_name| column_name == name) {
        Some(measure) => Ok(Some(measure)),
        None => {
            let message = format!("`{name}` is not shown, so no bars can be drawn of it");
            Err(Failure::NoBars { message, known })
        }
    }
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
    for (at, character) in list.char_indices() {
        match (quote, character) {
            (Some(open), _) if open == character => quote = None,
            (None, '\'' | '"') => quote = Some(character),
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
