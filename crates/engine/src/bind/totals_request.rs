//! Totals as they are asked for, by an output of the plan or by a command.

use interligo_model::plan::{NotShared, OutputEntry, Plan, Written};

/// Totals as they are asked for.
#[derive(Clone, Debug, Default)]
pub struct TotalsRequest {
    /// The attributes of a row; `a > b` are two levels of rows, with subtotals.
    pub by: Vec<Written>,
    /// The attributes of the columns.
    pub across: Vec<Written>,
    /// The figures and columns; `None` for what is usual.
    pub show: Option<Vec<Written>>,
    /// What is usual.
    pub usual: Usual,
    /// Two of these, whose difference is shown.
    pub versus: Option<(Written, Vec<Written>)>,
    /// Which lines count.
    pub filter: Option<Written>,
    /// What rows are sorted by.
    pub sort: Vec<Written>,
    /// How many rows of a level are shown.
    pub top: Option<(Written, usize)>,
    /// The condition that rows meet which are shown.
    pub having: Option<Written>,
    /// How many levels, from the outermost, divide it into tables that are apart: all their rows are shown, and shares are of
    /// them.
    pub levels_apart: usize,
    /// Whether periods without lines are shown, with the place where that is asked.
    pub all_periods: Option<Written>,
    /// What an attribute is that a fact does not reach.
    pub not_shared: NotShared,
    /// Whether its rows report amounts that are known on different lines.
    pub compare_known: bool,
}

/// What totals show that do not say it.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Usual {
    /// Lines, and all figures that have a total.
    #[default]
    Totals,
    /// The same from the beginning of the month and of the year to each period, each beside that of a year before.
    ToDate,
}

impl TotalsRequest {
    /// Whether an output asks for something that only totals have, other than `by`.
    pub(super) fn is_asked(output: &OutputEntry) -> bool {
        output.show.is_some()
            || output.filter.is_some()
            || output.across.is_some()
            || output.versus.is_some()
            || output.sort.is_some()
            || output.top.is_some()
            || output.having.is_some()
            || output.all_periods.is_some()
            || output.not_shared.is_some()
    }

    pub(super) fn of_entry(plan: &Plan, output: &OutputEntry) -> TotalsRequest {
        let all = |list: &Vec<_>| list.iter().map(|text| plan.written(text)).collect::<Vec<_>>();
        let versus = output.versus.as_ref();
        let top = output.top.as_ref();
        let all_periods = output.all_periods.as_ref().filter(|all| *all.get_ref());
        TotalsRequest {
            by: output.by.as_ref().map(all).unwrap_or_default(),
            across: output.across.as_ref().map(all).unwrap_or_default(),
            show: output.show.as_ref().map(all),
            usual: Usual::Totals,
            versus: versus.map(|list| (plan.written_at("", list.span()), all(list.get_ref()))),
            filter: output.filter.as_ref().map(|text| plan.written(text)),
            sort: output.sort.as_ref().map(all).unwrap_or_default(),
            top: top.map(|top| (plan.written_at("", top.span()), *top.get_ref())),
            having: output.having.as_ref().map(|text| plan.written(text)),
            levels_apart: 0,
            all_periods: all_periods.map(|all| plan.written_at("", all.span())),
            not_shared: output.not_shared.unwrap_or_default(),
            compare_known: false,
        }
    }

    /// What is shown.
    pub(super) fn shown(&self) -> impl Iterator<Item = &Written> {
        self.show.iter().flatten().chain(self.versus.iter().flat_map(|(_, list)| list))
    }

    /// What is named besides.
    pub(super) fn others(&self) -> impl Iterator<Item = &Written> {
        self.by.iter().chain(&self.across).chain(&self.filter)
    }
}
