//! How the groups of totals make a table: rows with subtotals, attributes across, order, the first few, shares,
//! and the difference of two measures.

use interligo_model::formula::parse;
use interligo_model::plan::{ColumnName, Labels, Mistake, MistakeKind, Written};

use super::measure::{Aggregate, Work};
use super::plan::{LayoutBasis, TotalsPlan};
use super::time_shift::{TimeAttribute, no_time};
use crate::bind::{BoundColumn, BoundLayout, BoundTotals, Cumulated, ShareOf};
use crate::eval::{Expr, ExprKind, Names, Type, check};
use crate::live::LiveMeasure;

/// How a table is laid out.
pub struct Layout {
    /// How many sources of lines it has.
    pub(crate) sources: usize,
    /// How many attributes each level of rows has.
    pub(super) levels: Vec<usize>,
    pub(super) columns: Vec<Column>,
    /// Two columns whose difference is shown.
    pub(super) versus: Option<(usize, usize)>,
    pub(super) sort: Vec<(SortBy, Order)>,
    /// By what rows are sorted, where that was not asked for.
    pub(super) sorted_by: Option<String>,
    pub(super) top: Option<usize>,
    /// The condition on the measures of rows that are shown.
    pub(super) having: Option<Expr>,
    /// How many levels, from the outermost, divide it into tables that are apart.
    pub(super) levels_apart: usize,
    pub(super) all_periods: bool,
    /// What people call the columns.
    pub(super) labels: Labels,
    pub(super) time: Option<TimeAttribute>,
}

/// A measure as it is shown.
pub(super) struct Column {
    pub(super) column_name: String,
    pub(super) source: usize,
    pub(super) measure: usize,
    pub(super) cumulated: Option<Cumulated>,
    pub(super) share: Option<ShareOf>,
    /// Whether it is known to be a day or text.
    is_other: bool,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum SortBy {
    /// The difference and its share follow the columns.
    Measure(usize),
    Attribute(usize),
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Order {
    Ascending,
    Descending,
}

impl Layout {
    /// The layout of the totals asked for. Measures that have no total are left out.
    pub(crate) fn new(
        bound: &BoundLayout,
        totals: &BoundTotals,
        LayoutBasis { found, numbers, time }: LayoutBasis,
    ) -> Result<Layout, Mistake> {
        let mut columns = Vec::new();
        for column in &bound.columns {
            let BoundColumn { column_name, written, source, base, cumulated, share } = column;
            let is_own = *source == 0 || bound.are_alike;
            let measure = if is_own { found[*base] } else { Some(*base) };
            let Some(measure) = measure else { continue };
            if let Some(Cumulated::ToDate(unit)) = cumulated {
                let time = time.as_ref().map_err(|why| no_time(written, why))?;
                if time.unit < *unit {
                    let message = format!("there is no {} to date in a year", unit.name());
                    return Err(written
                        .mistaken(MistakeKind::WrongValue, message)
                        .help("take a shorter period into `by`"));
                }
            }
            let column_name = column_name.clone();
            columns.push(Column {
                column_name,
                source: *source,
                measure,
                cumulated: *cumulated,
                share: *share,
                is_other: is_own && !numbers[measure],
            });
        }
        let mut layout = Layout {
            sources: bound.sources,
            levels: bound.levels.clone(),
            columns,
            versus: bound.versus,
            sort: Vec::new(),
            sorted_by: None,
            top: bound.top,
            having: None,
            levels_apart: bound.levels_apart,
            labels: bound.labels.clone(),
            all_periods: bound.all_periods.is_some(),
            time: time.as_ref().ok().cloned(),
        };
        if let (Some(written), Err(why)) = (&bound.all_periods, &time) {
            return Err(no_time(written, why));
        }
        layout.sort = layout.sort_keys(bound, totals)?;
        layout.having = bound.having.as_ref().map(|having| layout.condition(having)).transpose()?;
        if layout.top.is_some() && layout.sort.is_empty() && !layout.columns.is_empty() {
            layout.sort = vec![(SortBy::Measure(0), Order::Descending)];
            layout.sorted_by = Some(layout.columns[0].column_name.clone());
        }
        Ok(layout)
    }

    /// Whether its rows are in an order of their own, or only the first are shown.
    pub(crate) fn is_ordered(&self) -> bool {
        !self.sort.is_empty() || self.top.is_some() || self.having.is_some()
    }

    /// What its measures are made of, where they follow from sums over the lines of a group.
    pub(crate) fn live_measures(&self, plan: &TotalsPlan) -> Vec<Option<LiveMeasure>> {
        let live = |column: &Column| {
            let is_plain = column.cumulated.is_none() && column.share.is_none();
            let measure = plan.measures.get(column.measure).filter(|_| is_plain)?;
            let sum = |sum: &usize, how: Aggregate| {
                let own = &plan.sums[*sum];
                (own.how == how).then(|| own.expr.clone())
            };
            match &measure.work {
                Work::Lines => Some(LiveMeasure::Lines),
                Work::Of(of) => match plan.sums[*of].how {
                    Aggregate::Sum => sum(of, Aggregate::Sum).map(LiveMeasure::Sum),
                    Aggregate::Average => sum(of, Aggregate::Average).map(LiveMeasure::Average),
                    _ => None,
                },
                Work::Known(of) => sum(of, Aggregate::Count).map(LiveMeasure::Known),
                Work::Blank(of) => sum(of, Aggregate::Count).map(LiveMeasure::Blank),
                Work::Again { parts, expr } => {
                    let parts: Option<Vec<Expr>> =
                        parts.iter().map(|part| sum(part, Aggregate::Sum)).collect();
                    parts.map(|parts| LiveMeasure::Ratio { parts, of: expr.clone() })
                }
            }
        };
        let differences = usize::from(self.versus.is_some()) * 2;
        self.columns.iter().map(live).chain(vec![None; differences]).collect()
    }

    /// The value of which the first measure is one in their order.
    pub(crate) fn value_in_order<'p>(&self, plan: &'p TotalsPlan) -> Option<&'p Expr> {
        let is_plain = |column: &&Column| column.cumulated.is_none() && column.share.is_none();
        let first = self.columns.first().filter(is_plain)?;
        let Work::Of(of) = plan.measures.get(first.measure)?.work else { return None };
        let summed = &plan.sums[of];
        let is_in_order =
            matches!(summed.how, Aggregate::Median | Aggregate::Smallest | Aggregate::Largest);
        is_in_order.then_some(&summed.expr)
    }

    /// The condition on rows, over what is shown of them.
    fn condition(&self, written: &Written) -> Result<Expr, Mistake> {
        let names = ShownNames { layout: self, names: self.column_names() };
        let expr = check(&parse(written)?, &names, written)?;
        match expr.ty {
            Type::YesNo => Ok(expr),
            _ => Err(written
                .mistaken(MistakeKind::WrongType, "a condition is wanted here")
                .help("compare something that is shown: \"revenue > 1000\"")),
        }
    }

    fn sort_keys(
        &self,
        bound: &BoundLayout,
        totals: &BoundTotals,
    ) -> Result<Vec<(SortBy, Order)>, Mistake> {
        let rows: usize = self.levels.iter().sum();
        let attributes: Vec<&str> =
            totals.attributes[..rows].iter().map(|by| by.column_name.as_str()).collect();
        let measures = self.column_names();
        let mut sort = Vec::new();
        for key in &bound.sort {
            let measure = measures.iter().position(|column_name| *column_name == key.name);
            let attribute = || attributes.iter().position(|column_name| *column_name == key.name);
            let by = measure.map(SortBy::Measure).or_else(|| attribute().map(SortBy::Attribute));
            let by = by.ok_or_else(|| {
                let message = format!("`{}` is not a column of the table", key.name);
                let known = measures.iter().map(String::as_str).chain(attributes.iter().copied());
                key.written
                    .mistaken(MistakeKind::UnknownName, message)
                    .nearest(&key.name, known)
                    .or_help("name one that is shown, with `-` before it for the largest first")
            })?;
            let runs = |column: &Column| column.cumulated == Some(Cumulated::Running);
            if let SortBy::Measure(measure) = by
                && self.columns.get(measure).is_some_and(runs)
            {
                let message = "a running total follows the order of the rows and cannot define it";
                return Err(key
                    .written
                    .mistaken(MistakeKind::WrongPlace, message)
                    .help("sort by the measure itself"));
            }
            sort.push((by, if key.descending { Order::Descending } else { Order::Ascending }));
        }
        Ok(sort)
    }

    /// The column names of the measures, the difference and its share behind the others.
    pub(crate) fn column_names(&self) -> Vec<String> {
        let mut column_names: Vec<String> =
            self.columns.iter().map(|c| c.column_name.clone()).collect();
        if let Some((_, second)) = self.versus {
            column_names.push("difference".to_owned());
            column_names.push(format!("difference / {}", self.columns[second].column_name));
        }
        column_names
    }
}

/// The names of what is shown, for a condition on rows.
struct ShownNames<'a> {
    layout: &'a Layout,
    names: Vec<String>,
}

impl Names for ShownNames<'_> {
    fn leaf(&self, name: &ColumnName, written: &Written) -> Result<Expr, Mistake> {
        let mistaken = |kind, message: String| written.at(name.span.clone()).mistake(kind, message);
        let path = name.through.iter().map(String::as_str).chain([name.column.as_str()]);
        let full = path.collect::<Vec<_>>().join(".");
        let Some(shown) = self.names.iter().position(|own| *own == full) else {
            let message = format!("`{full}` is not shown in the table");
            let known = self.names.iter().map(String::as_str);
            return Err(mistaken(MistakeKind::UnknownName, message).nearest(&full, known));
        };
        let column = self.layout.columns.get(shown);
        if column.is_some_and(|column| column.is_other) {
            let message = format!("`{full}` is no number, and rows are chosen by numbers");
            return Err(mistaken(MistakeKind::WrongType, message));
        }
        if column.is_some_and(|column| column.cumulated == Some(Cumulated::Running)) {
            let message = "a running total follows the order of the rows and cannot choose them";
            return Err(mistaken(MistakeKind::WrongPlace, message.to_owned()));
        }
        Ok(shown_number(shown))
    }

    fn lines(&self) -> Option<Expr> {
        self.names.iter().position(|own| own == "lines").map(shown_number)
    }
}

fn shown_number(shown: usize) -> Expr {
    Expr { kind: ExprKind::Column(shown), ty: Type::Number { places: 0 } }
}
