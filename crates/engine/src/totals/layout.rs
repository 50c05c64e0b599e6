//! How the groups of totals make a table: rows with subtotals, attributes across, order, the first few, shares,
//! and the difference of two measures.

use interligo_model::plan::{Mistake, MistakeKind};

use super::cells::GroupSums;
use super::cube::Cube;
use super::plan::TotalsPlan;
use super::ranked::Ranked;
use super::render::Renderer;
use super::table::{TotalsError, TotalsTable};
use super::time_shift::{NoTime, TimeAttribute, no_time};
use super::tree::Sources;
use crate::bind::{BoundColumn, BoundLayout, BoundTotals, Cumulated, ShareOf};

/// More columns than this are refused: nobody reads them.
const MOST_COLUMNS: usize = 1_000;

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
    pub(super) all_periods: bool,
    pub(super) time: Option<TimeAttribute>,
}

/// A measure as it is shown.
pub(super) struct Column {
    pub(super) heading: String,
    pub(super) source: usize,
    pub(super) measure: usize,
    pub(super) cumulated: Option<Cumulated>,
    pub(super) share: Option<ShareOf>,
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
    /// The layout of the totals asked for; `found` has the measure that each became. Those that have no total are
    /// left out.
    pub(super) fn new(
        bound: &BoundLayout,
        totals: &BoundTotals,
        found: &[Option<usize>],
        time: Result<TimeAttribute, NoTime>,
    ) -> Result<Layout, Mistake> {
        let mut columns = Vec::new();
        for column in &bound.columns {
            let BoundColumn { heading, written, source, base, cumulated, share } = column;
            let measure = if *source == 0 { found[*base] } else { Some(*base) };
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
            let heading = heading.clone();
            columns.push(Column {
                heading,
                source: *source,
                measure,
                cumulated: *cumulated,
                share: *share,
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
            all_periods: bound.all_periods.is_some(),
            time: time.as_ref().ok().cloned(),
        };
        if let (Some(written), Err(why)) = (&bound.all_periods, &time) {
            return Err(no_time(written, why));
        }
        layout.sort = layout.sort_keys(bound, totals)?;
        if layout.top.is_some() && layout.sort.is_empty() && !layout.columns.is_empty() {
            layout.sort = vec![(SortBy::Measure(0), Order::Descending)];
            layout.sorted_by = Some(layout.columns[0].heading.clone());
        }
        Ok(layout)
    }

    fn sort_keys(
        &self,
        bound: &BoundLayout,
        totals: &BoundTotals,
    ) -> Result<Vec<(SortBy, Order)>, Mistake> {
        let rows: usize = self.levels.iter().sum();
        let attributes: Vec<&str> =
            totals.attributes[..rows].iter().map(|by| by.heading.as_str()).collect();
        let measures = self.headings();
        let mut sort = Vec::new();
        for key in &bound.sort {
            let measure = measures.iter().position(|heading| *heading == key.name);
            let attribute = || attributes.iter().position(|heading| *heading == key.name);
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
                let message = "what runs up follows the order of the rows and cannot make it";
                return Err(key
                    .written
                    .mistaken(MistakeKind::WrongPlace, message)
                    .help("sort by the measure itself"));
            }
            sort.push((by, if key.descending { Order::Descending } else { Order::Ascending }));
        }
        Ok(sort)
    }

    /// The headings of the measures, the difference and its share behind the others.
    pub(super) fn headings(&self) -> Vec<String> {
        let mut headings: Vec<String> = self.columns.iter().map(|c| c.heading.clone()).collect();
        if let Some((_, second)) = self.versus {
            headings.push("difference".to_owned());
            headings.push(format!("difference / {}", self.columns[second].heading));
        }
        headings
    }

    /// The ways in which sums run up that the table shows.
    fn runs(&self) -> Vec<Cumulated> {
        let mut runs: Vec<Cumulated> = Vec::new();
        for run in self.columns.iter().filter_map(|column| column.cumulated) {
            if !runs.contains(&run) {
                runs.push(run);
            }
        }
        // What runs along rows in their order is settled last.
        runs.sort_by_key(|run| *run == Cumulated::Running);
        runs
    }

    /// The table of what was summed. `plans` are those of the sources, in their order.
    ///
    /// # Errors
    /// A total that does not fit, more columns or rows than a table may have.
    pub fn table(&self, plans: &[&TotalsPlan], cube: Cube) -> Result<TotalsTable, TotalsError> {
        let (lines, filtered) = (cube.lines(), cube.filtered().to_vec());
        let ranked = Ranked::new(self, plans, cube)?;
        let rows: usize = self.levels.iter().sum();
        let width = (ranked.columns.len() + 1) * self.headings().len();
        let by: Vec<String> = plans[0].by.iter().map(|by| by.heading.clone()).collect();
        if !ranked.columns.is_empty() && width > MOST_COLUMNS {
            let across = by[rows..].join(", ");
            return Err(TotalsError::TooWide { across, columns: width, most: MOST_COLUMNS });
        }
        let sources = Sources(plans);
        let Ranked { values, columns, entries } = ranked;
        let mut root = sources.tree(entries, &self.levels);
        root.cells.all.resize(plans.len(), None);
        // Without any line there still is a whole, of none.
        root.cells.all[0].get_or_insert_with(|| GroupSums::empty(&plans[0].sums));
        let renderer = Renderer { layout: self, sources, values, columns, runs: self.runs() };
        renderer.run_up(&mut root);
        renderer.table(&root, &by, lines, filtered)
    }
}
