//! What a workbook needs so that its figures stay live: which columns a sheet of lines has besides those that are asked
//! for, and how the cells of a table of totals follow from such a sheet.
//!
//! What formulas of cells look like is the workbook's business; here is what they have to be computed from.

use crate::bind::Home;
use crate::engine::Engine;
use crate::eval::{Expr, ExprKind, kind_of};
use crate::links::is_row;
use crate::outputs::{Output, OutputColumn, OutputContent};
use crate::totals::{MeasureKind, shown_of};
use interligo_model::values::column::ColumnKind;

/// What a sheet of lines has besides the columns that are asked for.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct LiveLines {
    /// How many columns are asked for; those behind them are what their formulas need.
    pub asked: usize,
    /// The columns by which totals of the same workbook are grouped.
    pub groups: Vec<usize>,
}

/// A measure of a table of totals, as what it is made of.
#[derive(Clone, Debug, PartialEq)]
pub enum LiveMeasure {
    /// The number of lines.
    Lines,
    /// The sum of a value.
    Sum(Expr),
    /// Its sum by the lines on which it is known.
    Average(Expr),
    /// The lines on which it is known.
    Known(Expr),
    /// The lines on which it is not.
    Blank(Expr),
    /// A ratio over the sums of its parts, each over the lines on which all are known.
    Ratio {
        /// The parts.
        parts: Vec<Expr>,
        /// The ratio over them.
        of: Expr,
    },
}

/// A table of totals as what it is made of.
#[derive(Clone, Debug, PartialEq)]
pub struct LiveTotals {
    /// The attributes, those across behind those of rows.
    pub by: Vec<Expr>,
    /// What is shown of each group; none where it does not follow from sums over the lines of the group.
    pub measures: Vec<Option<LiveMeasure>>,
}

/// Why no cell of a table of totals follows from the lines.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum NotLive {
    /// It is over some lines only.
    Filtered,
    /// It shows the largest groups, or is sorted.
    Ordered,
    /// It is over lines of several facts.
    SeveralFacts,
}

impl Output {
    /// What a table of totals is made of.
    ///
    /// # Errors
    /// Why its cells do not follow from lines.
    pub fn live_totals(&self) -> Result<LiveTotals, NotLive> {
        let OutputContent::Totals { plan, layout: Some(layout) } = &self.content else {
            return Err(NotLive::SeveralFacts);
        };
        if layout.sources > 1 {
            return Err(NotLive::SeveralFacts);
        }
        if plan.filter.is_some() {
            return Err(NotLive::Filtered);
        }
        if layout.is_ordered() {
            return Err(NotLive::Ordered);
        }
        let by = plan.by.iter().map(|by| by.expr.clone()).collect();
        Ok(LiveTotals { by, measures: layout.live_measures(plan) })
    }
}

impl Output {
    /// What its measures are called, and what each is made of, whichever lines it is over.
    pub fn named_measures(&self) -> Vec<(String, Option<LiveMeasure>)> {
        let names = match &self.content {
            OutputContent::Totals { layout: Some(layout), .. } => layout.column_names(),
            _ => Vec::new(),
        };
        names.into_iter().zip(self.measures()).collect()
    }

    /// The value of each line of which the first measure is one in their order: the smallest, the largest or the middle.
    pub fn value_in_order(&self) -> Option<&Expr> {
        match &self.content {
            OutputContent::Totals { plan, layout: Some(layout) } => layout.value_in_order(plan),
            _ => None,
        }
    }

    /// What the measures of a table of totals are made of, whichever lines it is over.
    pub fn measures(&self) -> Vec<Option<LiveMeasure>> {
        match &self.content {
            OutputContent::Totals { plan, layout: Some(layout) } => layout.live_measures(plan),
            _ => Vec::new(),
        }
    }
}

impl LiveTotals {
    /// The values of lines that it is computed from.
    fn values(&self) -> impl Iterator<Item = &Expr> {
        let measured = self.measures.iter().flatten().flat_map(LiveMeasure::values);
        self.by.iter().chain(measured)
    }
}

impl LiveMeasure {
    /// The values of lines that it is computed from.
    pub fn values(&self) -> &[Expr] {
        match self {
            LiveMeasure::Lines => &[],
            LiveMeasure::Sum(expr)
            | LiveMeasure::Average(expr)
            | LiveMeasure::Known(expr)
            | LiveMeasure::Blank(expr) => std::slice::from_ref(expr),
            LiveMeasure::Ratio { parts, .. } => parts,
        }
    }
}

impl Engine {
    /// Adds to the first sheet of lines of each workbook with formulas what its formulas need, and those of its totals.
    pub(crate) fn add_what_formulas_need(&mut self, outputs: &mut [Output]) {
        let mut done: Vec<String> = Vec::new();
        for number in 0..outputs.len() {
            let output = &outputs[number];
            let Some(book) = output.workbook.as_ref().filter(|book| book.formulas) else {
                continue;
            };
            let OutputContent::Lines { columns, slots, .. } = &output.content else { continue };
            if !slots.is_empty() || done.contains(&book.name) {
                continue;
            }
            let name = book.name.clone();
            let same = outputs.iter().filter(|other| other.workbook.as_ref() == Some(book));
            let totals: Vec<LiveTotals> =
                same.filter_map(|other| other.live_totals().ok()).collect();
            let added = self.needed_by(columns, &totals);
            let OutputContent::Lines { columns, live, .. } = &mut outputs[number].content else {
                continue;
            };
            let asked = columns.len();
            columns.extend(added);
            let mut groups: Vec<usize> = totals
                .iter()
                .flat_map(|totals| &totals.by)
                .filter_map(|by| self.column_with(columns, by))
                .collect();
            groups.sort_unstable();
            groups.dedup();
            *live = Some(LiveLines { asked, groups });
            done.push(name);
        }
    }

    /// The column of a sheet that has a value.
    pub fn column_with(&self, columns: &[OutputColumn], wanted: &Expr) -> Option<usize> {
        columns.iter().position(|column| match column {
            OutputColumn::Value { value, .. } => self.values[*value] == *wanted,
            _ => false,
        })
    }

    /// Columns that formulas need and that are not among these.
    fn needed_by(&mut self, columns: &[OutputColumn], totals: &[LiveTotals]) -> Vec<OutputColumn> {
        let mut needed: Vec<Expr> = Vec::new();
        for column in columns {
            if let OutputColumn::Value { value, .. } = column {
                self.needs(&self.values[*value], &mut needed);
            }
        }
        for value in totals.iter().flat_map(LiveTotals::values) {
            self.needs(value, &mut needed);
            if !matches!(value.kind, ExprKind::Constant(_)) && !needed.contains(value) {
                needed.push(value.clone());
            }
        }
        let mut links: Vec<usize> = Vec::new();
        for expr in &needed {
            let mut at = match expr.kind {
                ExprKind::Attribute { route, .. } => Some(route),
                _ => None,
            };
            while let Some(link) = at.filter(|link| !links.contains(link)) {
                links.push(link);
                at = self.links[link].parent();
            }
        }
        links.sort_unstable();
        let mut added: Vec<OutputColumn> = links
            .into_iter()
            .map(|link| OutputColumn::LinkRow {
                column_name: format!("{} row", self.bound.routes[link].name),
                link,
            })
            .collect();
        for expr in needed {
            if self.column_with(columns, &expr).is_some() {
                continue;
            }
            let (column_name, kind) = (self.name_of(&expr), kind_of(expr.ty));
            let shown = match (&expr.kind, kind) {
                (ExprKind::Figure(_), _) => shown_of(&expr, self),
                (_, ColumnKind::Number(0)) => MeasureKind::Other,
                _ => shown_of(&expr, self),
            };
            let least_places = self.least_places(&expr);
            self.values.push(expr);
            let value = self.values.len() - 1;
            added.push(OutputColumn::Value { column_name, value, least_places, kind, shown });
        }
        added
    }

    /// The columns, attributes and figures that an expression is computed from, and those that they are computed from.
    fn needs(&self, expr: &Expr, needed: &mut Vec<Expr>) {
        let is_leaf = matches!(
            expr.kind,
            ExprKind::Column(_) | ExprKind::Attribute { .. } | ExprKind::Figure(_)
        );
        if is_leaf {
            if needed.contains(expr) {
                return;
            }
            needed.push(expr.clone());
        }
        match expr.kind {
            ExprKind::Figure(figure) => self.needs(&self.figure(figure).expr, needed),
            _ => expr.children().into_iter().for_each(|child| self.needs(child, needed)),
        }
    }

    /// What a column with such values is called.
    fn name_of(&self, expr: &Expr) -> String {
        match &expr.kind {
            ExprKind::Column(column) => self.column_name(*column).to_owned(),
            ExprKind::Attribute { route, column } => {
                let lookup = &self.lookups[self.links[*route].lookup];
                format!("{}.{}", self.bound.routes[*route].name, lookup.columns[*column].name)
            }
            ExprKind::Figure(figure) => self.bound.figures[*figure].name.clone(),
            ExprKind::PeriodOf(unit, of) => format!("{}({})", unit.name(), self.name_of(of)),
            _ => "value".to_owned(),
        }
    }

    /// What a figure is computed from, as the plan writes it.
    pub fn formula_of(&self, figure: usize) -> &str {
        &self.bound.figures[figure].written.text
    }

    /// A value of an output, by its number.
    pub fn value_expr(&self, value: usize) -> &Expr {
        &self.values[value]
    }

    /// The formula of a figure.
    pub fn figure_expr(&self, figure: usize) -> &Expr {
        &self.figure(figure).expr
    }

    /// The lookup of a link, by number.
    pub fn lookup_of(&self, link: usize) -> usize {
        self.links[link].lookup
    }

    /// The link that one starts from, where each row of that link's lookup leads to one row of its own.
    pub fn chained_to(&self, link: usize) -> Option<usize> {
        match self.bound.routes[link].home {
            Home::Route(parent) => Some(parent),
            Home::Fact => None,
        }
    }

    /// The row to which a row of the parent's lookup leads on a chain; that of `fill` where it leads to none and the plan
    /// fills.
    pub fn row_behind(&self, link: usize, parent: u32) -> Option<u32> {
        self.links[link].step(Some(parent)).filter(|row| is_row(*row))
    }
}
