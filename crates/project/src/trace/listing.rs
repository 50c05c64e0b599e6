//! The lines of a cell of totals, block by block: which are listed, in which order, and what the others come to.

use std::cmp::Ordering;
use std::collections::BTreeMap;

use interligo_engine::eval::{Expr, ExprKind};
use interligo_engine::lines::Lines;
use interligo_engine::live::LiveMeasure;
use interligo_engine::proof::exact_sum::ExactSum;
use interligo_engine::proof::tieout::blank_words;
use interligo_engine::trace::{FormulaSteps, ratio_steps};
use interligo_model::place::Spot;
use interligo_model::values::column::Column;
use interligo_model::values::decimal::Decimal;
use interligo_model::values::value::Value;

use super::cell::{
    BesideLines, CellLine, CellParts, CellTrace, Listed, RatioPart, WithoutValue, overflow,
};
use super::scan::{Passed, Scan, of_row};
use crate::error::Error;

/// What a block of lines adds.
#[derive(Default)]
pub(super) struct Gathered {
    lines: Vec<CellLine>,
    rest: (u64, ExactSum),
    of_lines: u64,
    without: BTreeMap<String, (u64, String)>,
    parts: Vec<ExactSum>,
    known_together: u64,
    beside: BesideLines,
}

/// How the lines of a cell are listed.
pub(super) struct Listing<'a> {
    /// The number of the value that says whether a line belongs to the cell.
    pub(super) condition: usize,
    /// What the cell is computed from.
    pub(super) values: &'a [Expr],
    pub(super) listed: Listed,
    /// What the cell comes to.
    pub(super) total: Option<Value<'static>>,
    /// How many lines are listed.
    pub(super) most: usize,
}

impl Listed {
    /// Whether each line is one, so that no line at all is a number as well.
    fn counts(self) -> bool {
        matches!(self, Listed::All | Listed::Known | Listed::Blank)
    }

    pub(super) fn of(measure: &LiveMeasure) -> Listed {
        match measure {
            LiveMeasure::Lines => Listed::All,
            LiveMeasure::Known(_) => Listed::Known,
            LiveMeasure::Blank(_) => Listed::Blank,
            LiveMeasure::Sum(_) | LiveMeasure::Average(_) | LiveMeasure::Ratio { .. } => {
                Listed::Amounts
            }
        }
    }
}

impl Listing<'_> {
    /// What a line is listed with, by its value; none where it is not listed.
    fn shown(&self, value: Option<&Value<'_>>) -> Option<Value<'static>> {
        let is_blank = value.is_some_and(Value::is_blank);
        let counts = match self.listed {
            Listed::Amounts | Listed::Nearest(_) => {
                return value.filter(|value| !value.is_blank()).cloned().map(Value::into_owned);
            }
            Listed::All => true,
            Listed::Known => !is_blank,
            Listed::Blank => is_blank,
        };
        counts.then(|| Value::Number(Decimal::from(1)))
    }

    /// Which of two values is listed first.
    fn order(&self, one: &Value<'_>, other: &Value<'_>) -> Ordering {
        let absolute = |number: Decimal| number.checked_abs().unwrap_or(number);
        let amount = |value: &Value<'_>| value.number().map(absolute);
        match (self.listed, &self.total) {
            (Listed::Nearest(_), Some(total)) => self.nearer(total, one, other),
            _ => amount(other).cmp(&amount(one)),
        }
    }

    /// Which of two values is nearer to the total. On one side of it their order says so; numbers on both sides, as beside a
    /// median, are so far away as their differences, and what is away by more than a number holds comes last.
    fn nearer(&self, total: &Value<'_>, one: &Value<'_>, other: &Value<'_>) -> Ordering {
        if one >= total && other >= total {
            return one.cmp(other);
        }
        if one <= total && other <= total {
            return other.cmp(one);
        }
        let away = |value: &Value<'_>| {
            let difference = value.number()?.checked_sub(total.number()?)?;
            Some(difference.checked_abs().unwrap_or(difference))
        };
        match (away(one), away(other)) {
            (Some(one), Some(other)) => one.cmp(&other),
            (None, None) => one.cmp(other),
            (one, other) => one.is_none().cmp(&other.is_none()),
        }
    }
}

/// What the lines of a block add to a cell.
pub(super) fn gathered(
    scan: &Scan<'_>,
    passed: &Passed<'_>,
    listing: &Listing<'_>,
) -> Result<Gathered, Error> {
    let lines = passed.lines;
    let is_in = |line: usize| lines.values[listing.condition].value(line) == Value::YesNo(true);
    let within: Vec<usize> =
        (0..lines.rows).filter(|line| !lines.is_aside(*line as u32) && is_in(*line)).collect();
    let mut own = Gathered { of_lines: within.len() as u64, ..Gathered::default() };
    let values = |expr: &Expr| lines.values_of(expr).map_err(|_| Error::from(overflow()));
    let columns = listing.values.iter().map(values).collect::<Result<Vec<_>, _>>()?;
    own.parts = vec![ExactSum::default(); columns.len()];
    let mut listed: Vec<(Value<'static>, usize)> = Vec::new();
    for line in within {
        if columns.len() > 1 {
            own.add_parts(columns.iter().map(|column| column.value(line).number()));
        }
        let value = columns.first().map(|column| column.value(line));
        if let Some(shown) = listing.shown(value.as_ref()) {
            own.beside.add(&shown, listing.total.as_ref());
            listed.push((shown, line));
        }
        if let (Some(Value::Blank), Some(expr)) = (&value, listing.values.first()) {
            let place = || place_of(scan, passed, line);
            let why = own.without.entry(why_blank(scan, lines, expr, line));
            why.or_insert_with(|| (0, place())).0 += 1;
        }
    }
    listed.sort_by(|(one, at), (other, behind)| listing.order(one, other).then(at.cmp(behind)));
    for (at, (value, line)) in listed.into_iter().enumerate() {
        if at < listing.most {
            own.lines.push(CellLine {
                value,
                key: key_of(scan, passed, line),
                place: place_of(scan, passed, line),
                formula: formula_of(lines, listing, line, columns.first()),
            });
        } else {
            own.leave_out(&value);
        }
    }
    Ok(own)
}

fn place_of(scan: &Scan<'_>, passed: &Passed<'_>, line: usize) -> String {
    let spot = Spot { part: passed.number, row: passed.rows.row_of(line) };
    let place = scan.project.fact_parts(scan.engine).place(spot).to_string();
    match of_row(passed.rows, line) {
        (at, 2..) => format!("{place}:{}", at + 1),
        _ => place,
    }
}

fn why_blank(scan: &Scan<'_>, lines: &Lines<'_>, expr: &Expr, line: usize) -> String {
    match expr.kind {
        ExprKind::Figure(figure) => blank_words(scan.engine, lines.blank_because(figure, line)),
        _ => "blank".to_owned(),
    }
}

fn key_of(scan: &Scan<'_>, passed: &Passed<'_>, line: usize) -> String {
    let key = scan.engine.bound.fact.key.as_ref().map_or(&[][..], |key| &key.columns);
    let cell = |column: &usize| {
        let texts = passed.rows.texts(passed.part, *column);
        texts.value(line).trim().to_owned()
    };
    key.iter().map(cell).collect::<Vec<_>>().join(",")
}

/// The formula of a line with its numbers; where lines are counted by a column, what that has, which `column` holds.
fn formula_of(
    lines: &Lines<'_>,
    listing: &Listing<'_>,
    line: usize,
    column: Option<&Column>,
) -> String {
    match (listing.values.first().map(|expr| &expr.kind), listing.listed) {
        (Some(ExprKind::Figure(figure)), _) => {
            lines.formula_steps(*figure, line).shown.into_iter().next().unwrap_or_default()
        }
        (_, Listed::Known) => column.map_or(String::new(), |own| own.value(line).to_string()),
        _ => String::new(),
    }
}

impl BesideLines {
    fn add(&mut self, value: &Value<'_>, total: Option<&Value<'_>>) {
        match total.map(|total| value.cmp(total)) {
            Some(Ordering::Less) => self.below += 1,
            Some(Ordering::Equal) => self.equal += 1,
            Some(Ordering::Greater) => self.above += 1,
            None => {}
        }
    }
}

impl Gathered {
    /// Adds what a ratio is computed from, if all of it is known.
    fn add_parts(&mut self, numbers: impl Iterator<Item = Option<Decimal>>) {
        if let Some(all) = numbers.collect::<Option<Vec<_>>>() {
            self.known_together += 1;
            self.parts.iter_mut().zip(all).for_each(|(sum, number)| sum.add(number));
        }
    }

    /// Counts a line that is not listed.
    fn leave_out(&mut self, value: &Value<'_>) {
        self.rest.0 += 1;
        value.number().into_iter().for_each(|number| self.rest.1.add(number));
    }

    /// Takes what a later block adds.
    pub(super) fn absorb(&mut self, other: Gathered, listing: &Listing<'_>) {
        self.of_lines += other.of_lines;
        self.rest.0 += other.rest.0;
        self.rest.1.merge(other.rest.1);
        self.known_together += other.known_together;
        self.beside.below += other.beside.below;
        self.beside.equal += other.beside.equal;
        self.beside.above += other.beside.above;
        self.parts.resize(other.parts.len(), ExactSum::default());
        self.parts.iter_mut().zip(other.parts).for_each(|(own, other)| own.merge(other));
        for (why, (lines, first)) in other.without {
            self.without.entry(why).or_insert((0, first)).0 += lines;
        }
        self.lines.extend(other.lines);
        self.lines.sort_by(|one, other| listing.order(&one.value, &other.value));
        while self.lines.len() > listing.most {
            if let Some(last) = self.lines.pop() {
                self.leave_out(&last.value);
            }
        }
    }

    pub(super) fn cell(
        self,
        name: String,
        listing: &Listing<'_>,
        measure: Option<&LiveMeasure>,
        scan: &Scan<'_>,
    ) -> CellTrace {
        let listed = match listing.listed {
            Listed::Nearest(_) => Listed::Nearest(self.beside),
            other => other,
        };
        let is_summed = !matches!(listed, Listed::Nearest(_));
        let known = self.lines.len() as u64 + self.rest.0;
        let mut sum = self.rest.1;
        self.lines.iter().filter_map(|line| line.value.number()).for_each(|own| sum.add(own));
        let part_name = |expr: &Expr| match expr.kind {
            ExprKind::Figure(figure) => scan.engine.bound.figures[figure].name.clone(),
            ExprKind::Column(column) => scan.engine.column_name(column).to_owned(),
            _ => "a part".to_owned(),
        };
        let as_value = |sum: &ExactSum| sum.value().map_or(Value::Blank, Value::Number);
        let parts = match measure {
            Some(LiveMeasure::Ratio { parts, of }) => {
                let values: Vec<Value<'static>> = self.parts.iter().map(as_value).collect();
                let steps = ratio_steps(of, &values);
                let sums = parts
                    .iter()
                    .zip(&self.parts)
                    .map(|(expr, sum)| RatioPart { name: part_name(expr), sum: sum.value() });
                Some(CellParts { sums: sums.collect(), lines: self.known_together, steps })
            }
            Some(LiveMeasure::Average(expr)) => Some(CellParts {
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
            value: listing.total.clone(),
            listed,
            lines: self.lines,
            rest: (self.rest.0, self.rest.1.value().filter(|_| is_summed)),
            of_lines: self.of_lines,
            sum: (is_summed && (known > 0 || listed.counts())).then(|| sum.value()).flatten(),
            without,
            parts,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_farther_away_than_a_number_holds_comes_last() {
        let number = |text: &str| Decimal::parse(text.as_bytes()).map(Value::Number);
        let most = "9".repeat(38);
        let listed = Listed::Nearest(BesideLines::default());
        let listing = Listing { condition: 0, values: &[], listed, total: number(&most), most: 3 };
        let mut numbers =
            [format!("-{most}"), "0".to_owned(), most].map(|text| number(&text).unwrap());
        numbers.sort_by(|one, other| listing.order(one, other));
        assert_eq!(
            numbers.each_ref().map(|number| number.number().unwrap().is_zero()),
            [false, true, false]
        );
        assert!(numbers[2] < numbers[0]);
    }
}
