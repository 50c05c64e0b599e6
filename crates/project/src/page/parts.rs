//! The totals that a run is asked for besides those of the plan, so that a page can show them by period.

use std::collections::BTreeSet;

use interligo_engine::bind::{Bound, Content, OutputKind, Request, TotalsRequest, Usual};
use interligo_model::formula::{Function, NodeKind, Summary, parse};
use interligo_model::plan::{Mistake, MistakeKind, Written, name};
use interligo_model::values::date::PeriodUnit;

use crate::closed::date_of;
use crate::error::Error;
use crate::project::Project;

/// How outputs are called that are parts of a page.
const NAME: &str = "part of a page: ";

/// What a table is divided by.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum TableByPeriod {
    /// Nothing: it has no file, and is not computed by the run.
    Whole,
    Years,
    Months,
}

/// A part of a page.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum PagePart<'p> {
    /// How many lines there are: every page asks for this much, so that a run knows that one is made of it.
    Lines,
    /// A fact day by day, from the beginning of the month and year to each.
    InTime { fact: &'p str },
    /// A table of totals of the plan.
    Table { output: &'p str, by: TableByPeriod },
}

impl PagePart<'_> {
    /// What its output is called.
    pub(super) fn name(self) -> String {
        // What it is comes first, so that no name in a plan makes one part look like another.
        match self {
            PagePart::Lines => format!("{NAME}lines"),
            PagePart::InTime { fact } => format!("{NAME}fact: {fact}"),
            PagePart::Table { output, by } => {
                let what = match by {
                    TableByPeriod::Whole => "table",
                    TableByPeriod::Years => "table by year",
                    TableByPeriod::Months => "table by month",
                };
                format!("{NAME}{what}: {output}")
            }
        }
    }
}

/// Whether an output is a part of a page.
pub(crate) fn is_page_part(output: &str) -> bool {
    output.starts_with(NAME)
}

/// The mistake of a plan with a page in a program that has not said how pages are drawn.
pub(super) fn cannot_draw() -> Mistake {
    let message = "the plan has a page, and this program draws none";
    let help = "let the program say how pages are drawn: Project::draw_pages_with";
    Mistake::of_plan(MistakeKind::UnknownForm, message).help(help)
}

impl Project {
    /// What a run is asked for so that a page of the plan can be made: its totals, by period as well, and its facts day by
    /// day.
    ///
    /// # Errors
    /// A mistake in the outputs of the plan.
    pub fn page_requests(&self) -> Result<Vec<Request>, Error> {
        self.page_parts(&[])
    }

    /// The same besides some requests.
    pub(crate) fn page_parts(&self, others: &[Request]) -> Result<Vec<Request>, Error> {
        let is_there = |output: &str| others.iter().any(|other| other.name == output);
        let mut tables = Vec::new();
        for entry in self.plan.outputs.iter().filter(|entry| entry.value.by.is_some()) {
            let own = Request::of_entry(&self.plan, entry)?;
            tables.push(Request { to: None, ..own });
        }
        let facts = self.bound_facts(&tables);
        let lines = TotalsRequest {
            show: Some(vec![written("lines".to_owned())]),
            ..TotalsRequest::default()
        };
        let mut parts = vec![Request::of_totals(PagePart::Lines.name(), lines)];
        for own in tables {
            let part = |by, content| Request {
                name: PagePart::Table { output: &own.name, by }.name(),
                content: Content::Totals(Box::new(content)),
                ..own.clone()
            };
            let Content::Totals(totals) = &own.content else { continue };
            if !is_there(&own.name) {
                let whole = TotalsRequest { compare_known: true, ..(**totals).clone() };
                parts.push(part(TableByPeriod::Whole, whole));
            }
            let Some(date) = only_fact(&facts, &own.name).and_then(date_of) else { continue };
            let units = [
                (PeriodUnit::Year, TableByPeriod::Years),
                (PeriodUnit::Month, TableByPeriod::Months),
            ];
            for (unit, by) in units {
                parts.extend(divided(totals, unit, date).map(|totals| part(by, totals)));
            }
        }
        parts.extend(facts.iter().filter_map(in_time));
        Ok(parts)
    }

    /// The facts with their outputs, bound; none where that fails, which is reported when they are computed.
    fn bound_facts(&self, requests: &[Request]) -> Vec<Bound> {
        let turned = |link: usize| self.bind_turned(requests, &BTreeSet::from([link])).ok();
        let all = || (0..self.plan.link.len()).find_map(turned);
        self.bind_turned(requests, &BTreeSet::new()).ok().or_else(all).unwrap_or_default()
    }
}

/// The fact that a table is made of, where it is made of the lines of one, as they are.
fn only_fact<'b>(facts: &'b [Bound], output: &str) -> Option<&'b Bound> {
    let is_own = |bound: &&Bound| bound.outputs.iter().any(|own| own.name == output);
    let fact = facts.iter().find(is_own)?;
    let own = fact.outputs.iter().find(|own| own.name == output)?;
    match &own.kind {
        OutputKind::Totals(totals) => totals.has_one_source().then_some(fact),
        _ => None,
    }
}

fn written(text: String) -> Written {
    Written::in_option("report", &text, 0..text.len())
}

/// The request for a fact day by day; none where its lines have no date.
fn in_time(fact: &Bound) -> Option<Request> {
    let (date, fact) = (name(date_of(fact)?), fact.fact.name.as_str());
    let totals = TotalsRequest {
        by: vec![written(format!("day({date})"))],
        usual: Usual::ToDate,
        ..TotalsRequest::default()
    };
    let part = Request::of_totals(PagePart::InTime { fact }.name(), totals);
    Some(Request { of: Some(written(fact.to_owned())), ..part })
}

/// A table with a level more above its rows, the periods of a date; none where what it shows would be something else then.
fn divided(totals: &TotalsRequest, unit: PeriodUnit, date: &str) -> Option<TotalsRequest> {
    let period = format!("{}({})", unit.name(), name(date));
    let mut totals = totals.clone();
    let mut grouped = totals.by.iter().chain(&totals.across);
    if grouped.any(is_period) {
        // Its rows or columns are of one period each already.
        return None;
    }
    if !totals.show.iter().flatten().all(is_of_period) {
        return None;
    }
    match totals.by.first_mut() {
        Some(first) => *first = written(format!("{period} > {}", first.text)),
        None => totals.by.push(written(period)),
    }
    (totals.levels_apart, totals.all_periods) = (1, None);
    Some(totals)
}

/// Whether an attribute is the period of some date.
fn is_period(attribute: &Written) -> bool {
    let is_call = |kind: &NodeKind| matches!(kind, NodeKind::Call(Function::Period(_), _));
    parse(attribute).is_ok_and(|node| is_call(&node.kind))
}

/// Whether what is shown of a period is of its lines alone, and not along rows or of an earlier time.
fn is_of_period(show: &Written) -> bool {
    let along = |summary: &Summary| {
        use Summary::{PeriodBefore, Running, ToDate, YearBefore};
        matches!(summary, Running | ToDate(_) | YearBefore | PeriodBefore)
    };
    let Ok(mut node) = parse(show) else { return false };
    // Functions of rows are outermost.
    while let NodeKind::Call(Function::Summary(summary), arguments) = &node.kind {
        if along(summary) {
            return false;
        }
        let Some(inner) = arguments.first() else { break };
        node = inner.clone();
    }
    true
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeSet;

    use super::*;

    #[test]
    fn no_name_of_a_plan_makes_one_part_look_like_another() {
        let names = [
            "",
            "lines",
            "sales",
            "fact: sales",
            "table: sales",
            "by year: sales",
            "sales by year",
        ];
        let mut all = vec![PagePart::Lines.name()];
        for name in names {
            all.push(PagePart::InTime { fact: name }.name());
            for by in [TableByPeriod::Whole, TableByPeriod::Years, TableByPeriod::Months] {
                all.push(PagePart::Table { output: name, by }.name());
            }
        }
        assert_eq!(all.iter().collect::<BTreeSet<_>>().len(), all.len());
        assert!(all.iter().all(|name| is_page_part(name)));
    }
}
