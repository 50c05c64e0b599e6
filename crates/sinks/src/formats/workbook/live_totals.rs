//! A table of totals whose cells follow from a sheet of lines.
//!
//! A group is compared by a column of its own, `|` before its text: a criterion by itself takes `007` for `7`, and `a*` and
//! `>5` for patterns. A total is blank where no line has a value; a ratio is of sums over the lines that have all its parts.

use std::collections::BTreeMap;

use interligo_engine::eval::{Expr, ExprKind, Type};
use interligo_engine::live::{LiveMeasure, LiveTotals, NotLive};
use interligo_engine::totals::{TotalsRow, TotalsTable};
use interligo_model::values::value::Value;

use super::cell_formula::{Term, column_name, term, text_constant};
use super::live_lines::LinesSheet;

/// More comparisons than this take a spreadsheet minutes.
const MOST_COMPARISONS: u64 = 40_000_000;

/// The longest text that a criterion may have, as it is escaped.
const LONGEST_CRITERION: usize = 120;

/// The formulas of a table of totals.
pub(super) struct TotalFormulas {
    by: Vec<Group>,
    /// Of each column, its measure with the criteria of the attributes across.
    columns: Vec<Option<Column>>,
    /// Of each row, how many attributes it has; none where it holds values.
    rows: Vec<Option<usize>>,
    /// The columns before the first attribute.
    before: usize,
}

/// An attribute of rows.
struct Group {
    range: String,
    is_text: bool,
}

struct Column {
    measure: MeasureCells,
    /// Ranges and criteria of the attributes across.
    across: Vec<(String, String)>,
}

/// A measure with the cells that it is computed from.
enum MeasureCells {
    Lines(String),
    Sum(String),
    Average(String),
    Known(String),
    Blank { all: String, of: String },
    Ratio { parts: Vec<String>, of: Expr },
}

/// Why a table holds values.
pub(super) enum WhyValues {
    NotLive(NotLive),
    /// Its lines are not in the workbook.
    NoLines,
    /// It would take too many comparisons.
    TooMany(u64),
}

impl std::fmt::Display for WhyValues {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            WhyValues::NotLive(NotLive::Filtered) => f.write_str("it is over some lines only"),
            WhyValues::NotLive(NotLive::Ordered) => {
                f.write_str("it is sorted, or shows the largest groups")
            }
            WhyValues::NotLive(NotLive::SeveralFacts) => {
                f.write_str("it is over lines of several facts")
            }
            WhyValues::NoLines => f.write_str("its lines are not in this workbook"),
            WhyValues::TooMany(many) => {
                write!(f, "it would take {many} comparisons, which a spreadsheet is too slow for")
            }
        }
    }
}

impl TotalFormulas {
    /// The formulas of a table over the lines of a sheet. The first column has the level of rows where there are several.
    pub(super) fn new(
        table: &TotalsTable,
        live: &LiveTotals,
        lines: &LinesSheet,
    ) -> Result<TotalFormulas, WhyValues> {
        let rows = table.by.len();
        let group = |expr: &Expr| {
            let column = lines.column_of(expr)?;
            let range = lines.range(*lines.groups.get(&column)?);
            Some(Group { range, is_text: matches!(expr.ty, Type::Text | Type::Period(_)) })
        };
        let by: Option<Vec<Group>> = live.by.iter().map(group).collect();
        let by = by.ok_or(WhyValues::NoLines)?;
        let across = |key: &Option<Vec<Value<'static>>>| -> Option<Vec<(String, String)>> {
            let keys = key.iter().flatten().zip(&by[rows..]);
            keys.map(|(value, group)| Some((group.range.clone(), criterion_of(value, group)?)))
                .collect()
        };
        let column = |column: &interligo_engine::totals::TotalsColumn| {
            let measure = live.measures[column.measure].as_ref()?;
            Some(Column {
                measure: MeasureCells::of(measure, lines)?,
                across: across(&column.key)?,
            })
        };
        let columns: Vec<Option<Column>> = table.columns.iter().map(column).collect();
        let whole = table.by.is_empty().then_some(&table.whole);
        let all: Vec<&TotalsRow> = table.rows.iter().chain(whole).collect();
        let mut spelled: BTreeMap<Vec<String>, u32> = BTreeMap::new();
        let lower = |row: &TotalsRow| -> Vec<String> {
            row.attributes().map(|value| value.to_string().to_lowercase()).collect()
        };
        for row in &all {
            *spelled.entry(lower(row)).or_default() += 1;
        }
        let is_live = |row: &&TotalsRow| {
            let fits = |value: &Value<'_>| escaped(&value.to_string()).len() <= LONGEST_CRITERION;
            // Groups that differ in case alone are one to a criterion.
            let alone = spelled.get(&lower(row)) == Some(&1);
            (row.rest.is_none() && alone && row.attributes().all(fits)).then_some(row.key.len())
        };
        let formulas = TotalFormulas {
            rows: all.iter().map(is_live).collect(),
            by: by.into_iter().take(rows).collect(),
            columns,
            before: usize::from(table.levels.len() > 1),
        };
        let sums: u64 = formulas.columns.iter().flatten().map(|column| column.measure.sums()).sum();
        let many = u64::from(lines.rows) * formulas.rows.len() as u64 * sums;
        if many > MOST_COMPARISONS { Err(WhyValues::TooMany(many)) } else { Ok(formulas) }
    }

    /// The names of the columns that hold values.
    pub(super) fn columns_with_values(&self, table: &TotalsTable) -> Vec<String> {
        let columns = table.columns.iter().zip(&self.columns);
        let values = columns.filter(|(_, live)| live.is_none());
        values.map(|(column, _)| table.column_name_of(column)).collect()
    }

    /// The formula of a cell, by the number of its row, from 0, and that of its column.
    pub(super) fn at(&self, row: usize, column: usize) -> Option<String> {
        let keys = (*self.rows.get(row)?)?;
        let own = column.checked_sub(self.before + self.by.len())?;
        let own = self.columns.get(own)?.as_ref()?;
        let label = |at: usize| format!("${}{}", column_name(self.before + at), row + 2);
        let groups = self.by[..keys].iter().enumerate();
        let mut criteria: Vec<(String, String)> = groups
            .map(|(at, group)| (group.range.clone(), criterion(&label(at), group.is_text)))
            .collect();
        criteria.extend(own.across.iter().cloned());
        own.measure.formula(&criteria)
    }
}

/// What a group is compared by, over the cell with its name.
fn criterion(cell: &str, is_text: bool) -> String {
    match is_text {
        true => format!(
            "\"|\"&SUBSTITUTE(SUBSTITUTE(SUBSTITUTE({cell},\"~\",\"~~\"),\"*\",\"~*\"),\"?\",\"~?\")"
        ),
        false => format!("\"|\"&{cell}"),
    }
}

/// The same for a value that is in no cell.
fn criterion_of(value: &Value<'_>, group: &Group) -> Option<String> {
    match value {
        Value::Blank => Some("\"|\"".to_owned()),
        Value::Text(_) | Value::Period(_) if group.is_text => {
            text_constant(&format!("|{}", escaped(&value.to_string())))
        }
        _ => None,
    }
}

/// A text in which nothing is a pattern.
fn escaped(text: &str) -> String {
    text.replace('~', "~~").replace('*', "~*").replace('?', "~?")
}

/// That the cell of a line has a number.
const IS_KNOWN: &str = "\">-1E+300\"";

impl MeasureCells {
    fn of(measure: &LiveMeasure, lines: &LinesSheet) -> Option<MeasureCells> {
        let range = |expr: &Expr| {
            let column = lines.column_of(expr)?;
            // A sum takes in no number that is kept as text.
            let is_plain = lines.as_text[column] == 0 && matches!(expr.ty, Type::Number { .. });
            is_plain.then(|| lines.range(column))
        };
        Some(match measure {
            LiveMeasure::Lines => MeasureCells::Lines(lines.range(0)),
            LiveMeasure::Sum(expr) => MeasureCells::Sum(range(expr)?),
            LiveMeasure::Average(expr) => MeasureCells::Average(range(expr)?),
            LiveMeasure::Known(expr) => MeasureCells::Known(range(expr)?),
            LiveMeasure::Blank(expr) => {
                MeasureCells::Blank { all: lines.range(0), of: range(expr)? }
            }
            LiveMeasure::Ratio { parts, of } => {
                let ranges: Option<Vec<String>> = parts.iter().map(range).collect();
                MeasureCells::Ratio { parts: ranges?, of: of.clone() }
            }
        })
    }

    /// How many times all lines are compared for a cell.
    fn sums(&self) -> u64 {
        match self {
            MeasureCells::Lines(_) | MeasureCells::Known(_) => 1,
            MeasureCells::Sum(_) | MeasureCells::Average(_) | MeasureCells::Blank { .. } => 2,
            MeasureCells::Ratio { parts, .. } => 2 + parts.len() as u64,
        }
    }

    fn formula(&self, criteria: &[(String, String)]) -> Option<String> {
        let listed: Vec<String> =
            criteria.iter().map(|(range, criterion)| format!("{range},{criterion}")).collect();
        let listed = listed.join(",");
        let also = |more: &str| match listed.is_empty() {
            true => more.to_owned(),
            false => format!("{listed},{more}"),
        };
        let lines = |all: &str| match listed.is_empty() {
            true => format!("ROWS({all})"),
            false => format!("COUNTIFS({listed})"),
        };
        let known = |of: &str| format!("COUNTIFS({})", also(&format!("{of},{IS_KNOWN}")));
        let sum = |of: &str, listed: &str| match listed.is_empty() {
            true => format!("SUM({of})"),
            false => format!("SUMIFS({of},{listed})"),
        };
        Some(match self {
            MeasureCells::Lines(all) => lines(all),
            MeasureCells::Known(of) => known(of),
            MeasureCells::Blank { all, of } => format!("{}-{}", lines(all), known(of)),
            MeasureCells::Sum(of) => format!("IF({}=0,\"\",{})", known(of), sum(of, &listed)),
            MeasureCells::Average(of) => {
                let known = known(of);
                format!("IF({known}=0,\"\",{}/{known})", sum(of, &listed))
            }
            MeasureCells::Ratio { parts, of } => {
                let mut all: Vec<&String> = parts.iter().collect();
                all.sort();
                all.dedup();
                let tests: Vec<String> =
                    all.iter().map(|part| format!("{part},{IS_KNOWN}")).collect();
                let listed = also(&tests.join(","));
                let none = format!("COUNTIFS({listed})=0");
                let part = |leaf: &Expr| match leaf.kind {
                    ExprKind::Part(number) => {
                        Some(Term::unless(none.clone(), sum(&parts[number], &listed)))
                    }
                    _ => None,
                };
                term(of, &part)?.whole()
            }
        })
    }
}
