//! What totals show of the lines of a group: their sum, average or count, a share, what has accumulate, and the
//! same of an earlier time. These functions are in `show`, `versus` and `sort` of totals, not in figures.

use std::borrow::Cow;
use std::fmt;

use crate::plan::call;
use crate::values::date::PeriodUnit;

/// A function of `show`.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Summary {
    /// The sum.
    Sum,
    /// The sum by the lines on which it is known.
    Average,
    /// The smallest value.
    Smallest,
    /// The largest value.
    Largest,
    /// The middle value.
    Median,
    /// Lines on which it is known.
    Count,
    /// How many different values there are.
    CountDistinct,
    /// Lines on which it is blank.
    CountBlank,
    /// The part of the whole.
    Share,
    /// The part of the row that it belongs to.
    ParentShare,
    /// The sum of this row and those before it.
    Running,
    /// The same period a year earlier.
    YearBefore,
    /// The period before.
    PeriodBefore,
    /// From the beginning of the year, quarter or month to this period.
    ToDate(PeriodUnit),
}

/// What the help says of a function of `show`.
#[derive(Clone, Copy, Debug)]
pub struct SummaryHelp {
    /// What it is.
    pub summary: Summary,
    /// How it is written.
    pub shape: &'static str,
    /// What it gives.
    pub says: &'static str,
}

/// The total that a total is computed from, if it is not computed from lines: `revenue` of `share(revenue)`.
pub fn total_below(total: &str) -> Option<&str> {
    let (summary, first) = summary_of(total)?;
    summary.is_of_totals().then_some(first)
}

/// What can be taken apart into the lines that a total is made of: `revenue` for `share(revenue)`, which is computed from
/// totals; `count(item)` for what is no number, as `count(distinct item)`; otherwise the total itself.
pub fn total_of_lines(total: &str) -> Cow<'_, str> {
    if let Some(below) = total_below(total) {
        return total_of_lines(below);
    }
    match summary_of(total) {
        Some((Summary::Smallest | Summary::Largest, of)) => format!("count({of})").into(),
        Some((Summary::Count, of)) => match of.strip_prefix("distinct ") {
            Some(of) => format!("count({})", of.trim_start()).into(),
            None => total.into(),
        },
        _ => total.into(),
    }
}

/// The function that a total is, and what it is of.
fn summary_of(total: &str) -> Option<(Summary, &str)> {
    let (function, arguments) = call(total)?;
    let known = SUMMARIES.iter().find(|help| help.summary.name() == function)?;
    Some((known.summary, arguments.into_iter().next()?))
}

const fn help(summary: Summary, shape: &'static str, says: &'static str) -> SummaryHelp {
    SummaryHelp { summary, shape, says }
}

/// All functions of `show`, for the help.
pub const SUMMARIES: [SummaryHelp; 16] = [
    help(
        Summary::Sum,
        "sum(x)",
        "the sum of a formula; a figure by itself is totalled by its own rule",
    ),
    help(Summary::Average, "avg(x)", "the sum by the number of lines on which it is known"),
    help(
        Summary::Median,
        "median(x)",
        "the value in the middle; of an even number of lines the mean of the two in the middle",
    ),
    help(Summary::Smallest, "min(x)", "the smallest value"),
    help(Summary::Largest, "max(x)", "the largest value"),
    help(Summary::Count, "count(x)", "the lines on which it is known"),
    help(Summary::CountDistinct, "count(distinct x)", "how many different values it has"),
    help(Summary::CountBlank, "blank(x)", "the lines on which it is blank"),
    help(Summary::Share, "share(x)", "its share of the whole table"),
    help(
        Summary::ParentShare,
        "parent_share(x)",
        "its share of the row above it, in a > b; of the whole at the top level",
    ),
    help(Summary::Running, "running(x)", "the total of this row and those before it"),
    help(Summary::YearBefore, "year_before(x)", "the same period a year earlier"),
    help(
        Summary::PeriodBefore,
        "period_before(x)",
        "the period before: the month before a month, the quarter before a quarter",
    ),
    help(
        Summary::ToDate(PeriodUnit::Year),
        "year_to_date(x)",
        "from the beginning of the year to the end of the period",
    ),
    help(
        Summary::ToDate(PeriodUnit::Quarter),
        "quarter_to_date(x)",
        "from the beginning of the quarter",
    ),
    help(Summary::ToDate(PeriodUnit::Month), "month_to_date(x)", "from the beginning of the month"),
];

impl Summary {
    /// Its name in formulas.
    pub fn name(self) -> &'static str {
        match self {
            Summary::Sum => "sum",
            Summary::Average => "avg",
            Summary::Median => "median",
            Summary::Smallest => "min",
            Summary::Largest => "max",
            Summary::Count | Summary::CountDistinct => "count",
            Summary::CountBlank => "blank",
            Summary::Share => "share",
            Summary::ParentShare => "parent_share",
            Summary::Running => "running",
            Summary::YearBefore => "year_before",
            Summary::PeriodBefore => "period_before",
            Summary::ToDate(PeriodUnit::Quarter) => "quarter_to_date",
            Summary::ToDate(PeriodUnit::Month) => "month_to_date",
            Summary::ToDate(_) => "year_to_date",
        }
    }

    /// Whether it has a sense for numbers only.
    pub fn needs_number(self) -> bool {
        matches!(self, Summary::Sum | Summary::Average | Summary::Median)
    }

    /// Whether it is computed from totals, and not from lines.
    fn is_of_totals(self) -> bool {
        matches!(
            self,
            Summary::Share
                | Summary::ParentShare
                | Summary::Running
                | Summary::YearBefore
                | Summary::PeriodBefore
                | Summary::ToDate(_)
        )
    }

    pub(super) fn print(
        self,
        values: &dyn fmt::Display,
        f: &mut fmt::Formatter<'_>,
    ) -> fmt::Result {
        let distinct = if self == Summary::CountDistinct { "distinct " } else { "" };
        write!(f, "{}({distinct}{values})", self.name())
    }
}

#[cfg(test)]
mod tests {
    use super::total_of_lines;

    #[test]
    fn a_total_of_totals_leads_to_one_of_lines() {
        for (total, of_lines) in [
            ("revenue", "revenue"),
            ("avg(revenue)", "avg(revenue)"),
            ("median(revenue)", "median(revenue)"),
            ("share(revenue, groups.name)", "revenue"),
            ("running(median(revenue))", "median(revenue)"),
            ("year_before(revenue)", "revenue"),
            ("quarter_to_date(count(revenue))", "count(revenue)"),
            ("count(distinct customers.name)", "count(customers.name)"),
            ("parent_share(max(sold_on))", "count(sold_on)"),
            ("sum(max(a, b))", "sum(max(a, b))"),
            ("my figure (new)", "my figure (new)"),
        ] {
            assert_eq!(total_of_lines(total), of_lines);
        }
    }
}
