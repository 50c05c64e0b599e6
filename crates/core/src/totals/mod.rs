//! Totals: lines grouped by attributes, amounts summed, ratios worked out again from the sums.
//!
//! Each worker has [`Groups`] of its own, which take batch after batch; at the end they are merged
//! into one [`TotalsTable`]. Sums are exact, so the order of batches does not matter.

mod groups;
mod ratio;

use std::collections::BTreeMap;

pub use groups::Groups;
pub(crate) use ratio::is_amount;

use crate::bind::{BoundTotals, Shown};
use crate::decimal::Decimal;
use crate::engine::Engine;
use crate::formula::{Expr, ExprKind, Leaves, Type, check, evaluate};
use crate::plan::Mistake;
use crate::value::Value;

/// What totals are asked for, typed.
pub struct TotalsPlan {
    pub(crate) by: Vec<ByExpr>,
    pub(crate) filter: Option<Expr>,
    /// What is summed per group.
    pub(crate) sums: Vec<Summed>,
    /// The columns that are shown.
    pub measures: Vec<Measure>,
}

/// An attribute that lines are grouped by.
pub(crate) struct ByExpr {
    pub(crate) heading: String,
    pub(crate) expr: Expr,
    /// Of a text attribute of a lookup: its distinct texts and the code of each row.
    pub(crate) dictionary: Option<Dictionary>,
}

/// The texts of a lookup's column as small numbers; 0 is blank.
pub(crate) struct Dictionary {
    pub(crate) codes: Vec<u32>,
    pub(crate) texts: Vec<String>,
}

/// A number that is summed, over the lines on which it and its companions are known.
pub(crate) struct Summed {
    pub(crate) expr: Expr,
    /// Other sums that must be known on a line for this one to take it in.
    pub(crate) companions: Vec<usize>,
}

/// A column of totals.
pub struct Measure {
    /// The heading.
    pub heading: String,
    /// Decimal places written at least.
    pub least_places: u8,
    /// What kind of number it is.
    pub kind: MeasureKind,
    pub(crate) work: Work,
}

pub(crate) enum Work {
    /// The number of lines.
    Lines,
    /// A sum.
    Sum(usize),
    /// A ratio, worked out from the sums of its parts.
    Again { parts: Vec<usize>, expr: Expr },
}

/// What kind of number a measure is; how it is best shown follows from it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum MeasureKind {
    /// A number of lines.
    Lines,
    /// A sum, of numbers with so many decimal places.
    Amount(u8),
    /// A ratio of sums.
    Ratio,
}

/// Totals, worked out.
#[derive(Clone, Debug, PartialEq)]
pub struct TotalsTable {
    /// The headings of the attributes.
    pub by: Vec<String>,
    /// The headings of the measures.
    pub measures: Vec<String>,
    /// Of each measure, what kind of number it is.
    pub kinds: Vec<MeasureKind>,
    /// The groups in the order of their attributes, blanks last.
    pub rows: Vec<TotalsRow>,
    /// The same over all lines.
    pub whole: TotalsRow,
    /// Lines that count.
    pub lines: u64,
    /// Lines that the filter left out.
    pub filtered: u64,
    /// Of each measure, how many of the lines that count have no value and are left out of it.
    pub left_out: Vec<u64>,
}

/// One group.
#[derive(Clone, Debug, PartialEq)]
pub struct TotalsRow {
    /// Its attributes.
    pub key: Vec<Value<'static>>,
    /// Its measures; blank where no line has a value.
    pub values: Vec<Option<Decimal>>,
}

/// A total that does not fit exact arithmetic; holds the measure's heading.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct TotalDoesNotFit(pub String);

impl TotalsPlan {
    /// Types what totals ask for.
    pub(crate) fn new(totals: &BoundTotals, engine: &Engine) -> Result<TotalsPlan, Mistake> {
        let mut plan =
            TotalsPlan { by: Vec::new(), filter: None, sums: Vec::new(), measures: Vec::new() };
        for by in &totals.by {
            let expr = check(&by.node, engine, &by.written)?;
            let dictionary = crate::lines::plain_attribute(&expr)
                .map(|(route, column)| Dictionary::of(engine, route, column));
            plan.by.push(ByExpr { heading: by.written.text.clone(), expr, dictionary });
        }
        if let Some((node, written)) = &totals.filter {
            let expr = check(node, engine, written)?;
            if !matches!(expr.ty, Type::YesNo | Type::Blank) {
                return Err(written
                    .mistaken("this is not a condition")
                    .help("write for instance quantity > 10"));
            }
            plan.filter = Some(expr);
        }
        for shown in &totals.show {
            plan.add(*shown, engine)?;
        }
        Ok(plan)
    }

    fn add(&mut self, shown: Shown, engine: &Engine) -> Result<(), Mistake> {
        let (heading, expr) = match shown {
            Shown::Lines => {
                let heading = "lines".to_owned();
                self.measures.push(Measure {
                    heading,
                    least_places: 0,
                    kind: MeasureKind::Lines,
                    work: Work::Lines,
                });
                return Ok(());
            }
            Shown::Column(column) => {
                let read = engine.value_read(column);
                let ty = Type::Number { places: engine.readings[read].places };
                (
                    engine.bound.fact.columns[column].clone(),
                    Expr { kind: ExprKind::Column(read), ty },
                )
            }
            Shown::Figure(figure) => {
                let ty = engine.figure(figure).expr.ty;
                (
                    engine.bound.figures[figure].name.clone(),
                    Expr { kind: ExprKind::Figure(figure), ty },
                )
            }
        };
        let mistaken = |message: String, help: &str| match shown {
            Shown::Figure(figure) => {
                engine.bound.figures[figure].written.mistaken(message).help(help)
            }
            _ => Mistake::of_plan(message).help(help),
        };
        let Type::Number { places } = expr.ty else {
            let message = format!("`{heading}` is no number and has no total");
            return Err(mistaken(message, "leave it out of `show`, or group by it"));
        };
        let least_places = engine.least_places(&expr);
        let (kind, work) = if ratio::contains_ratio(&expr, engine) {
            let mut parts = Vec::new();
            let again = ratio::over_totals(&expr, engine, &mut parts).ok_or_else(|| {
                let message = format!(
                    "`{heading}` mixes a ratio with an attribute of a lookup and has no total"
                );
                mistaken(message, "leave it out of `show`")
            })?;
            let first = self.sums.len();
            let companions: Vec<usize> = (first..first + parts.len()).collect();
            for expr in parts {
                self.sums.push(Summed { expr, companions: companions.clone() });
            }
            (MeasureKind::Ratio, Work::Again { parts: companions, expr: again })
        } else {
            self.sums.push(Summed { expr, companions: Vec::new() });
            (MeasureKind::Amount(places), Work::Sum(self.sums.len() - 1))
        };
        self.measures.push(Measure { heading, least_places, kind, work });
        Ok(())
    }

    /// All expressions that are worked out per line.
    pub(crate) fn exprs(&self) -> impl Iterator<Item = &Expr> {
        let by = self.by.iter().map(|by| &by.expr);
        by.chain(&self.filter).chain(self.sums.iter().map(|sum| &sum.expr))
    }
}

impl Dictionary {
    fn of(engine: &Engine, route: usize, column: usize) -> Dictionary {
        let lookup = &engine.lookups[engine.links[route].lookup];
        let held = lookup.columns[column].column.as_ref().expect("attributes in totals are read");
        let mut numbers: BTreeMap<String, u32> = BTreeMap::new();
        let mut dictionary =
            Dictionary { codes: Vec::with_capacity(held.len()), texts: vec![String::new()] };
        for row in 0..held.len() {
            let code = match held.value(row) {
                Value::Text(text) => *numbers.entry(text.into_owned()).or_insert_with_key(|text| {
                    dictionary.texts.push(text.clone());
                    dictionary.texts.len() as u32 - 1
                }),
                _ => 0,
            };
            dictionary.codes.push(code);
        }
        dictionary
    }
}

/// What a worker has summed of one group.
#[derive(Clone, Debug, Default)]
pub(crate) struct GroupSums {
    pub(crate) lines: u64,
    /// Of each sum, its value and how many lines it holds; `None` when it does not fit.
    pub(crate) sums: Vec<(Option<Decimal>, u64)>,
}

impl TotalsTable {
    /// Merges what the workers have summed.
    ///
    /// # Errors
    /// A total that does not fit exact arithmetic.
    pub fn merge(
        plan: &TotalsPlan,
        workers: Vec<Groups<'_>>,
    ) -> Result<TotalsTable, TotalDoesNotFit> {
        let mut merged: BTreeMap<Vec<Value<'static>>, GroupSums> = BTreeMap::new();
        let mut whole = GroupSums::empty(plan);
        let mut filtered = 0;
        for worker in workers {
            filtered += worker.filtered();
            for (key, sums) in worker.into_groups() {
                whole.merge(&sums);
                merged.entry(key).or_insert_with(|| GroupSums::empty(plan)).merge(&sums);
            }
        }
        let left_out = plan.measures.iter().map(|measure| match &measure.work {
            Work::Lines => 0,
            Work::Sum(sum) => whole.lines - whole.sums[*sum].1,
            Work::Again { parts, .. } => {
                parts.first().map_or(0, |sum| whole.lines - whole.sums[*sum].1)
            }
        });
        Ok(TotalsTable {
            by: plan.by.iter().map(|by| by.heading.clone()).collect(),
            measures: plan.measures.iter().map(|m| m.heading.clone()).collect(),
            kinds: plan.measures.iter().map(|m| m.kind).collect(),
            left_out: left_out.collect(),
            lines: whole.lines,
            filtered,
            rows: merged
                .into_iter()
                .map(|(key, sums)| Ok(TotalsRow { key, values: sums.measures(plan)? }))
                .collect::<Result<_, _>>()?,
            whole: TotalsRow { key: Vec::new(), values: whole.measures(plan)? },
        })
    }
}

impl GroupSums {
    fn empty(plan: &TotalsPlan) -> GroupSums {
        GroupSums { lines: 0, sums: vec![(Some(Decimal::ZERO), 0); plan.sums.len()] }
    }

    fn merge(&mut self, other: &GroupSums) {
        self.lines += other.lines;
        for (own, other) in self.sums.iter_mut().zip(&other.sums) {
            own.0 = own.0.zip(other.0).and_then(|(a, b)| a.checked_add(b));
            own.1 += other.1;
        }
    }

    fn measures(&self, plan: &TotalsPlan) -> Result<Vec<Option<Decimal>>, TotalDoesNotFit> {
        plan.measures
            .iter()
            .map(|measure| {
                let unfit = || TotalDoesNotFit(measure.heading.clone());
                let sum = |number: usize| match self.sums[number] {
                    (_, 0) => Ok(None),
                    (sum, _) => sum.map(Some).ok_or_else(unfit),
                };
                let value = match &measure.work {
                    Work::Lines => Some(Decimal::from(self.lines as i64)),
                    Work::Sum(number) => sum(*number)?,
                    Work::Again { parts, expr } => {
                        let parts = parts.iter().map(|p| sum(*p)).collect::<Result<Vec<_>, _>>()?;
                        evaluate(expr, &Parts(parts)).map_err(|_| unfit())?.number()
                    }
                };
                Ok(value.map(|value| value.at_least(measure.least_places)))
            })
            .collect()
    }
}

/// The sums that a ratio is worked out from.
struct Parts(Vec<Option<Decimal>>);

impl Leaves for Parts {
    fn column(&self, _: usize) -> Value<'_> {
        Value::Blank
    }
    fn attribute(&self, _: usize, _: usize) -> Value<'_> {
        Value::Blank
    }
    fn figure(&self, _: usize) -> Value<'_> {
        Value::Blank
    }
    fn part(&self, part: usize) -> Value<'_> {
        self.0[part].map_or(Value::Blank, Value::Number)
    }
}
