//! A cell of a table of totals as the lines that it is made of: the largest first, the others in one sum, those without a
//! value by the reason. It closes to the digit with what the totals of the plan come to.

use std::collections::BTreeMap;

use interligo_engine::bind::{Request, TotalsRequest};
use interligo_engine::eval::{Expr, ExprKind};
use interligo_engine::lines::Lines;
use interligo_engine::live::LiveMeasure;
use interligo_engine::outputs::OutputContent;
use interligo_engine::proof::exact_sum::ExactSum;
use interligo_engine::proof::tieout::blank_words;
use interligo_engine::totals::{Cube, Groups};
use interligo_engine::trace::{FormulaSteps, ratio_steps};
use interligo_model::place::Spot;
use interligo_model::plan::{Mistake, MistakeKind, Written};
use interligo_model::values::decimal::Decimal;
use interligo_model::values::value::Value;

use super::scan::{Passed, Scan, condition_of, of_row};
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
    pub value: Option<Decimal>,
    /// The lines with the largest amounts, largest first.
    pub lines: Vec<CellLine>,
    /// How many other lines have a value, and what they come to.
    pub rest: (u64, Option<Decimal>),
    /// How many lines there are.
    pub of_lines: u64,
    /// What all lines with a value come to.
    pub sum: Option<Decimal>,
    /// Lines without a value, by the reason, with the first of them.
    pub without: Vec<WithoutValue>,
    /// What it is computed from, where it is no sum.
    pub parts: Option<CellParts>,
}

/// A line of a cell.
#[derive(Clone, Debug, PartialEq)]
pub struct CellLine {
    /// What it comes to.
    pub value: Decimal,
    /// Its key; blank where the fact has none.
    pub key: String,
    /// Where it is.
    pub place: String,
    /// The formula with its numbers.
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

/// What a block of lines adds.
#[derive(Default)]
struct Gathered {
    lines: Vec<CellLine>,
    rest: (u64, ExactSum),
    of_lines: u64,
    without: BTreeMap<String, (u64, String)>,
    parts: Vec<ExactSum>,
    known_together: u64,
}

/// The requests that a cell needs: the lines that meet its condition, and the total itself.
pub(super) fn cell_requests(
    name: &str,
    condition: Option<&str>,
    of: Option<&str>,
) -> Result<Vec<Request>, Mistake> {
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
    /// **Cost**: one pass over the lines of the fact. The total is summed as in every table of totals, besides its lines.
    ///
    /// # Errors
    /// It is no sum or ratio of lines; an input cannot be read; a number overflows.
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
        let engine = &job.engines[fact];
        let scan = Scan::new(self, engine, parallelism, progress);
        let measure = job.outputs[fact].iter().find_map(|o| o.measures().into_iter().next());
        let condition = job.outputs[fact].iter().find_map(condition_of);
        let (Some(Some(measure)), Some(condition)) = (measure, condition) else {
            return Err(no_sum(name).into());
        };
        let totals = job.outputs[fact].iter().find_map(|output| match &output.content {
            OutputContent::Totals { plan, layout } => Some((plan, layout.as_ref()?)),
            _ => None,
        });
        let Some((plan, layout)) = totals else { return Err(no_sum(name).into()) };
        let mut all = Gathered::default();
        let groups = scan.blocks(
            || Groups::new(plan),
            |groups, rows, number| {
                let part = &scan.fact.parts[number];
                let mut own = Gathered::default();
                scan.pass(&rows, part, number, |passed| {
                    groups.add(passed.lines).map_err(|_| overflow())?;
                    own = gathered(&scan, passed, condition, &measure, most)?;
                    Ok(())
                })?;
                Ok(own)
            },
            |own| {
                all.absorb(own, most);
                Ok(())
            },
        )?;
        let mut cube = Cube::new(plan, layout);
        groups.into_iter().for_each(|groups| cube.absorb(plan, groups));
        let table = layout.table(&[&**plan], cube)?;
        let value = table.whole.values.first().and_then(Value::number);
        Ok(all.cell(table.measures[0].column_name.clone(), value, &measure, &scan))
    }

    /// What a cell of totals needs to be taken apart: `name` is what is summed, `condition` says over which lines.
    ///
    /// # Errors
    /// None at present.
    pub fn cell_requests(
        &self,
        name: &str,
        condition: Option<&str>,
        of: Option<&str>,
    ) -> Result<Vec<Request>, Error> {
        Ok(cell_requests(name, condition, of)?)
    }
}

fn no_sum(name: &str) -> Mistake {
    let message = format!("`{name}` is no sum over lines and no ratio of such sums");
    let help = "name a figure or a column with numbers, such as revenue";
    let written = Written::in_option("--total", name, 0..name.len());
    written.mistaken(MistakeKind::NoTotal, message).help(help)
}

fn overflow() -> Mistake {
    Mistake::of_plan(MistakeKind::Overflow, "a number overflows: it needs more than 38 digits")
}

/// What the lines of a block add to a cell.
fn gathered(
    scan: &Scan<'_>,
    passed: &Passed<'_>,
    condition: usize,
    measure: &LiveMeasure,
    most: usize,
) -> Result<Gathered, Error> {
    let lines = passed.lines;
    let meets = |line: &usize| {
        !lines.is_aside(*line as u32) && lines.values[condition].value(*line) == Value::YesNo(true)
    };
    let wanted: Vec<usize> = (0..lines.rows).filter(meets).collect();
    let mut own = Gathered { of_lines: wanted.len() as u64, ..Gathered::default() };
    let place = |line: usize| {
        let spot = Spot { part: passed.number, row: passed.rows.row_of(line) };
        let place = scan.project.fact_parts(scan.engine).place(spot).to_string();
        match of_row(passed.rows, line) {
            (at, 2..) => format!("{place}:{}", at + 1),
            _ => place,
        }
    };
    let values = |expr: &Expr| lines.values_of(expr).map_err(|_| Error::from(overflow()));
    let columns = measure.values().iter().map(values).collect::<Result<Vec<_>, _>>()?;
    own.parts = vec![ExactSum::default(); columns.len()];
    let Some(first) = columns.first() else { return Ok(own) };
    let (mut known, is_ratio): (Vec<(Decimal, usize)>, bool) = (Vec::new(), columns.len() > 1);
    for line in wanted {
        let numbers: Vec<Option<Decimal>> =
            columns.iter().map(|column| column.value(line).number()).collect();
        if is_ratio && let Some(all) = numbers.iter().copied().collect::<Option<Vec<_>>>() {
            own.known_together += 1;
            own.parts.iter_mut().zip(all).for_each(|(sum, number)| sum.add(number));
        }
        match first.value(line).number() {
            Some(number) => known.push((number, line)),
            None => {
                let why = match measure.values()[0].kind {
                    ExprKind::Figure(figure) => {
                        blank_words(scan.engine, lines.blank_because(figure, line))
                    }
                    _ => "blank".to_owned(),
                };
                let entry = own.without.entry(why).or_insert_with(|| (0, place(line)));
                entry.0 += 1;
            }
        }
    }
    known.sort_by_key(|(number, line)| (std::cmp::Reverse(absolute(*number)), *line));
    for (at, (number, line)) in known.into_iter().enumerate() {
        if at < most {
            own.lines.push(CellLine {
                value: number,
                key: key_of(scan, passed, line),
                place: place(line),
                formula: formula_of(lines, &measure.values()[0], line),
            });
        } else {
            own.rest.0 += 1;
            own.rest.1.add(number);
        }
    }
    Ok(own)
}

fn absolute(number: Decimal) -> Decimal {
    number.checked_abs().unwrap_or(number)
}

fn key_of(scan: &Scan<'_>, passed: &Passed<'_>, line: usize) -> String {
    let key = scan.engine.bound.fact.key.as_ref().map_or(&[][..], |key| &key.columns);
    let cell = |column: &usize| {
        let texts = passed.rows.texts(passed.part, *column);
        texts.value(line).trim().to_owned()
    };
    key.iter().map(cell).collect::<Vec<_>>().join(",")
}

fn formula_of(lines: &Lines<'_>, expr: &Expr, line: usize) -> String {
    match expr.kind {
        ExprKind::Figure(figure) => lines.formula_steps(figure, line).shown.into_iter().next(),
        _ => None,
    }
    .unwrap_or_default()
}

impl Gathered {
    /// Takes what a later block adds.
    fn absorb(&mut self, other: Gathered, most: usize) {
        self.of_lines += other.of_lines;
        self.rest.0 += other.rest.0;
        self.rest.1.merge(other.rest.1);
        self.known_together += other.known_together;
        self.parts.resize(other.parts.len(), ExactSum::default());
        self.parts.iter_mut().zip(other.parts).for_each(|(own, other)| own.merge(other));
        for (why, (lines, first)) in other.without {
            self.without.entry(why).or_insert((0, first)).0 += lines;
        }
        self.lines.extend(other.lines);
        self.lines.sort_by_key(|line| std::cmp::Reverse(absolute(line.value)));
        while self.lines.len() > most {
            if let Some(last) = self.lines.pop() {
                self.rest.0 += 1;
                self.rest.1.add(last.value);
            }
        }
    }

    fn cell(
        self,
        name: String,
        value: Option<Decimal>,
        measure: &LiveMeasure,
        scan: &Scan<'_>,
    ) -> CellTrace {
        let known = self.lines.len() as u64 + self.rest.0;
        let mut sum = self.rest.1;
        self.lines.iter().for_each(|line| sum.add(line.value));
        let part_name = |expr: &Expr| match expr.kind {
            ExprKind::Figure(figure) => scan.engine.bound.figures[figure].name.clone(),
            ExprKind::Column(column) => scan.engine.column_name(column).to_owned(),
            _ => "a part".to_owned(),
        };
        let as_value = |sum: &ExactSum| sum.value().map_or(Value::Blank, Value::Number);
        let parts = match measure {
            LiveMeasure::Ratio { parts, of } => {
                let values: Vec<Value<'static>> = self.parts.iter().map(as_value).collect();
                let steps = ratio_steps(of, &values);
                let sums = parts
                    .iter()
                    .zip(&self.parts)
                    .map(|(expr, sum)| RatioPart { name: part_name(expr), sum: sum.value() });
                Some(CellParts { sums: sums.collect(), lines: self.known_together, steps })
            }
            LiveMeasure::Average(expr) => Some(CellParts {
                sums: vec![RatioPart { name: part_name(expr), sum: sum.value() }],
                lines: known,
                steps: FormulaSteps {
                    shown: sum.value().map(|sum| format!("{sum} / {known}")).into_iter().collect(),
                },
            }),
            _ => None,
        };
        let without = self.without.into_iter().map(|(why, (lines, first))| WithoutValue {
            why,
            lines,
            first,
        });
        let mut without: Vec<WithoutValue> = without.collect();
        without.sort_by_key(|own| std::cmp::Reverse(own.lines));
        CellTrace {
            name,
            value,
            lines: self.lines,
            rest: (self.rest.0, self.rest.1.value()),
            of_lines: self.of_lines,
            sum: (known > 0).then(|| sum.value()).flatten(),
            without,
            parts,
        }
    }
}
