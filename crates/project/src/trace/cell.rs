//! A cell of a table of totals as the lines that it is made of: the largest first, the others in one sum, those without a
//! value by the reason. It closes to the digit with what the totals of the plan come to. Of a value that is one in an order,
//! the earliest day or the median, say, the lines nearest to it are shown, and how many lie on either side.

use std::slice::from_ref;

use interligo_engine::bind::{Request, TotalsRequest};
use interligo_engine::outputs::OutputContent;
use interligo_engine::totals::{Cube, Groups, Layout, TotalsPlan, TotalsTable};
use interligo_engine::trace::FormulaSteps;
use interligo_model::formula::{total_below, total_of_lines};
use interligo_model::plan::{Mistake, MistakeKind, Written};
use interligo_model::values::decimal::Decimal;
use interligo_model::values::value::Value;

use super::listing::{Gathered, Listing, gathered};
use super::scan::{Scan, condition_of};
use super::trace_request;
use crate::error::Error;
use crate::parallelism::Parallelism;
use crate::prepare::Job;
use crate::project::Project;

/// A cell of totals, taken apart.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct CellTrace {
    /// What is summed.
    pub name: String,
    /// What it comes to in totals.
    pub value: Option<Value<'static>>,
    /// Which lines are listed, and in which order.
    pub listed: Listed,
    /// The first of these lines.
    pub lines: Vec<CellLine>,
    /// How many others there are, and what they come to, where they are summed.
    pub rest: (u64, Option<Decimal>),
    /// How many lines the cell is over.
    pub of_lines: u64,
    /// What all of them come to, where they are summed.
    pub sum: Option<Decimal>,
    /// Lines without a value, by the reason, with the first of them.
    pub without: Vec<WithoutValue>,
    /// What it is computed from, where it is no sum.
    pub parts: Option<CellParts>,
}

/// Which lines of a cell are listed, and in which order.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Listed {
    /// Those with a value, the largest first: of a sum, a ratio or an average.
    #[default]
    Amounts,
    /// All, each as one.
    All,
    /// Those with a value, each as one.
    Known,
    /// Those without a value, each as one.
    Blank,
    /// Those with a value, the nearest to that of the cell first: of the smallest, largest or middle value.
    Nearest(BesideLines),
}

/// How many lines have a value below, at and above that of a cell.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct BesideLines {
    /// Lines with a smaller one.
    pub below: u64,
    /// Lines with the same.
    pub equal: u64,
    /// Lines with a larger one.
    pub above: u64,
}

/// A line of a cell.
#[derive(Clone, Debug, PartialEq)]
pub struct CellLine {
    /// What it comes to; 1 where lines are counted.
    pub value: Value<'static>,
    /// Its key; blank where the fact has none.
    pub key: String,
    /// Where it is.
    pub place: String,
    /// The formula with its numbers; where lines are counted by a column, what that has.
    pub formula: String,
}

/// Lines without a value.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct WithoutValue {
    /// Why, in words.
    pub why: String,
    /// How many.
    pub lines: u64,
    /// The first of them.
    pub first: String,
}

/// What a ratio or an average is computed from.
#[derive(Clone, Debug, PartialEq)]
pub struct CellParts {
    /// The sums, over the lines on which all are known.
    pub sums: Vec<RatioPart>,
    /// How many lines these are.
    pub lines: u64,
    /// The formula over these sums, reduced step by step.
    pub steps: FormulaSteps,
}

/// A sum of a ratio.
#[derive(Clone, Debug, PartialEq)]
pub struct RatioPart {
    /// What is summed.
    pub name: String,
    /// What it comes to; none where it overflows.
    pub sum: Option<Decimal>,
}

/// The requests that a cell needs: the lines that meet its condition, and the total itself.
pub(super) fn cell_requests(
    name: &str,
    condition: Option<&str>,
    of: Option<&str>,
) -> Result<Vec<Request>, Mistake> {
    if total_below(name).is_some() {
        return Err(no_lines(name));
    }
    let written =
        |option: &'static str, text: &str| Written::in_option(option, text, 0..text.len());
    let totals = TotalsRequest {
        show: Some(vec![written("--total", name)]),
        filter: condition.map(|text| written("--where", text)),
        ..TotalsRequest::default()
    };
    let of = of.map(|fact| written("--of", fact));
    let total = Request { of: of.clone(), ..Request::of_totals("total", totals) };
    let lines = Request { of, ..trace_request(Some(condition.unwrap_or("true"))) };
    Ok(vec![total, lines])
}

impl Project {
    /// Takes a cell of totals apart. `job` was prepared for [`Project::cell_requests`] of what is summed, `name`.
    ///
    /// **Cost**: one pass over the lines of the fact. The total is summed as in every table of totals, besides its lines; where
    /// the lines are those nearest to it, it has a pass of its own.
    ///
    /// # Errors
    /// It does not follow from lines; an input cannot be read; a number overflows.
    pub fn trace_cell(
        &self,
        (job, name): (&Job, &str),
        most: usize,
        parallelism: Parallelism,
        progress: &(dyn Fn(u64, u64) + Sync),
    ) -> Result<CellTrace, Error> {
        let has_total = |fact: &usize| {
            job.outputs[*fact].iter().any(|o| matches!(o.content, OutputContent::Totals { .. }))
        };
        let fact = (0..job.engines.len()).find(has_total).unwrap_or(0);
        let outputs = &job.outputs[fact];
        let total = outputs.iter().find_map(|output| match &output.content {
            OutputContent::Totals { plan, layout } => Some((output, plan, layout.as_ref()?)),
            _ => None,
        });
        let condition = outputs.iter().find_map(condition_of);
        let (Some((output, plan, layout)), Some(condition)) = (total, condition) else {
            return Err(no_lines(name).into());
        };
        let measure = output.measures().into_iter().next().flatten();
        let (listed, values) = match (&measure, output.value_in_order()) {
            (Some(measure), _) => (Listed::of(measure), measure.values()),
            (None, Some(expr)) => (Listed::Nearest(BesideLines::default()), from_ref(expr)),
            (None, None) => return Err(no_lines(name).into()),
        };
        let scan = Scan::new(self, &job.engines[fact], parallelism, progress);
        let totals = CellTotals { scan, plan, layout };
        let mut listing = Listing { condition, values, listed, total: None, most };
        let (table, all) = match listed {
            // What is near to the total is known when that is.
            Listed::Nearest(_) => {
                let table = totals.table(totals.pass(true, None)?.0)?;
                listing.total = total_of(&table);
                (table, totals.pass(false, Some(&listing))?.1)
            }
            _ => {
                let (groups, all) = totals.pass(true, Some(&listing))?;
                (totals.table(groups)?, all)
            }
        };
        listing.total = total_of(&table);
        let name = table.measures[0].column_name.clone();
        Ok(all.cell(name, &listing, measure.as_ref(), &totals.scan))
    }

    /// What a cell of totals needs to be taken apart: `name` is what is summed, `condition` says over which lines.
    ///
    /// # Errors
    /// What is named is computed from other totals.
    pub fn cell_requests(
        &self,
        name: &str,
        condition: Option<&str>,
        of: Option<&str>,
    ) -> Result<Vec<Request>, Error> {
        Ok(cell_requests(name, condition, of)?)
    }
}

/// The table of totals of which a cell is taken apart: the whole of it is the cell.
struct CellTotals<'a> {
    scan: Scan<'a>,
    plan: &'a TotalsPlan,
    layout: &'a Layout,
}

impl<'a> CellTotals<'a> {
    /// Passes over all lines: sums them up, if that is wanted, and lists them.
    fn pass(
        &self,
        sums: bool,
        listing: Option<&Listing<'_>>,
    ) -> Result<(Vec<Groups<'a>>, Gathered), Error> {
        let scan = &self.scan;
        let mut all = Gathered::default();
        let groups = scan.blocks(
            || Groups::new(self.plan),
            |groups, rows, number| {
                let mut own = Gathered::default();
                scan.pass(&rows, &scan.fact.parts[number], number, |passed| {
                    if sums {
                        groups.add(passed.lines).map_err(|_| overflow())?;
                    }
                    if let Some(listing) = listing {
                        own = gathered(scan, passed, listing)?;
                    }
                    Ok(())
                })?;
                Ok(own)
            },
            |own| {
                if let Some(listing) = listing {
                    all.absorb(own, listing);
                }
                Ok(())
            },
        )?;
        Ok((groups, all))
    }

    fn table(&self, groups: Vec<Groups<'a>>) -> Result<TotalsTable, Error> {
        let mut cube = Cube::new(self.plan, self.layout);
        groups.into_iter().for_each(|groups| cube.absorb(self.plan, groups));
        Ok(self.layout.table(&[self.plan], cube)?)
    }
}

/// What the whole of a table comes to.
fn total_of(table: &TotalsTable) -> Option<Value<'static>> {
    table.whole.values.first().filter(|value| !value.is_blank()).cloned()
}

fn no_lines(name: &str) -> Mistake {
    let message = format!("`{name}` does not follow from lines one by one");
    let help = match total_of_lines(name) {
        of_lines if of_lines == name => {
            "name a figure or a column with numbers, such as revenue".to_owned()
        }
        of_lines => format!("`{of_lines}` has the same lines: take that apart"),
    };
    let written = Written::in_option("--total", name, 0..name.len());
    written.mistaken(MistakeKind::NoTotal, message).help(help)
}

pub(super) fn overflow() -> Mistake {
    Mistake::of_plan(MistakeKind::Overflow, "a number overflows: it needs more than 38 digits")
}
