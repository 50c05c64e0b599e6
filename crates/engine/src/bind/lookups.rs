//! The lookups that links lead to.

use std::collections::BTreeSet;
use std::ops::Range;

use interligo_model::formula::Node;
use interligo_model::plan::{
    At, ColumnType, Duplicates, Ends, Mistake, MistakeKind, Plan, Repeats, TableEntry, Valid,
    Written,
};
use interligo_model::values::date::PeriodUnit;
use toml::Spanned;

use super::column_formulas::bind_formulas;
use super::columns::declared_columns;
use super::type_demands::needs_of;
use super::{BoundFormula, ColumnNames, ColumnUse};

/// A lookup of the plan that a link leads to.
#[derive(Debug)]
pub struct BoundLookup {
    /// Its name.
    pub name: String,
    /// The names of its columns.
    pub columns: Vec<String>,
    /// Of these, the ones that come from slots of the file name.
    pub slots: BTreeSet<usize>,
    /// The columns of its key.
    pub key: Vec<usize>,
    /// Further sets of columns that links lead to; no two rows may share their values either.
    pub further_keys: Vec<Vec<usize>>,
    /// When its rows hold; none where they always do.
    pub valid: Option<Validity>,
    /// What happens to rows with the same key.
    pub duplicates: Duplicates,
    /// The column whose values say which of them holds.
    pub(crate) decides: Option<usize>,
    /// Columns that are computed from the others.
    pub(crate) formulas: Vec<BoundFormula>,
    /// The columns that are used, and how they are read.
    pub column_use: ColumnUse,
}

/// The columns that say when a row holds.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Validity {
    /// From a day until a day.
    Days {
        /// The first day; blank is open.
        from: usize,
        /// The last day; blank is open.
        until: usize,
        /// Whether the last day belongs to the period.
        ends: Ends,
    },
    /// From a day until the next row of the key begins.
    UntilNext {
        /// The first day; blank is open.
        from: usize,
        /// How many days at most.
        carry: Option<u32>,
    },
    /// For a period that is written in one column.
    Period(usize),
    /// For a year, or a quarter or month of it.
    YearAnd(usize, Option<(PeriodUnit, usize)>),
}

impl BoundLookup {
    /// The columns whose texts are needed while its rows are settled, as long as no two of these share a key.
    pub fn needed_columns(&self) -> BTreeSet<usize> {
        let mut needed: BTreeSet<usize> = self.column_use.used().collect();
        needed.extend(self.column_use.keys());
        needed.extend(self.key.iter().chain(self.further_keys.iter().flatten()));
        needed.extend(self.day_columns());
        needed.extend(self.decides);
        needed.extend(self.formulas.iter().map(|formula| formula.column));
        needed
    }

    /// The columns that say when its rows hold.
    pub fn day_columns(&self) -> Vec<usize> {
        match self.valid {
            None => Vec::new(),
            Some(Validity::Days { from, until, .. }) => vec![from, until],
            Some(Validity::UntilNext { from, .. }) => vec![from],
            Some(Validity::Period(column)) => vec![column],
            Some(Validity::YearAnd(year, part)) => {
                [year].into_iter().chain(part.map(|(_, column)| column)).collect()
            }
        }
    }

    /// The columns of one of its keys.
    pub fn key_columns(&self, key: usize) -> &[usize] {
        match key.checked_sub(1) {
            None => &self.key,
            Some(further) => &self.further_keys[further],
        }
    }

    /// The key of these columns, in whatever order; it is noted if it is a new one.
    pub(super) fn key_of(&mut self, columns: &[usize]) -> usize {
        let set = |columns: &[usize]| columns.iter().copied().collect::<BTreeSet<usize>>();
        let wanted = set(columns);
        let known = (0..=self.further_keys.len()).find(|key| set(self.key_columns(*key)) == wanted);
        columns.iter().for_each(|column| self.column_use.use_keys(*column));
        known.unwrap_or_else(|| {
            self.further_keys.push(columns.to_vec());
            self.further_keys.len()
        })
    }

    /// The column of a name that is in the plan.
    pub(super) fn column(&self, name: &str, span: Range<usize>) -> Result<usize, Mistake> {
        self.columns.iter().position(|column| column == name).ok_or_else(|| {
            Mistake::in_plan(
                MistakeKind::UnknownName,
                span,
                format!("`{}` has no column `{name}`", self.name),
            )
            .nearest(name, self.columns.iter().map(String::as_str))
        })
    }

    /// Notes what a formula over the columns of a row needs.
    pub(super) fn use_in_formula(&mut self, node: &Node, written: &Written) -> Result<(), Mistake> {
        for (name, needed) in needs_of(node) {
            let column = super::column_formulas::resolve(name, &self.name, &self.columns, written)?;
            self.column_use.demand(column, needed, written.at(name.span.clone()));
        }
        Ok(())
    }
}

/// Binds a lookup to which a link leads by the columns `linked`; they are its key where it names none.
/// `fact` says that it is a fact, whose lines are looked up by their key.
pub(super) fn bind_lookup(
    plan: &Plan,
    column_names: &ColumnNames,
    name: &str,
    linked: &[usize],
    fact: bool,
) -> Result<BoundLookup, Mistake> {
    let entry = plan.tables.get(name).expect("the tables of paths were looked up");
    let (name_span, entry) = (entry.name_span.clone(), &entry.value);
    let columns = column_names.columns(name).to_vec();
    let column_use = ColumnUse::new(declared_columns(plan, entry, &columns)?);
    let slots = column_names.0.get(name).map(|c| c.slots.clone()).unwrap_or_default();
    let mut lookup = BoundLookup {
        name: name.to_owned(),
        columns,
        slots,
        key: linked.to_vec(),
        further_keys: Vec::new(),
        valid: None,
        duplicates: if fact { of_repeats(name, name_span, entry)? } else { of_duplicates(entry) },
        decides: None,
        formulas: Vec::new(),
        column_use,
    };
    if let Some(key) = &entry.key {
        let names = key.get_ref().0.iter();
        lookup.key = names.map(|name| lookup.column(name, key.span())).collect::<Result<_, _>>()?;
        if lookup.key.is_empty() {
            return Err(Mistake::in_plan(
                MistakeKind::MissingSetting,
                key.span(),
                "the key names no column",
            ));
        }
    }
    if let Some(date) = entry.date.as_ref().filter(|_| !fact) {
        let message = "a lookup takes no `date`";
        let help = "`date` is that of a fact's lines; the periods of a lookup are in `valid`";
        return Err(Mistake::in_plan(MistakeKind::WrongPlace, date.span(), message).help(help));
    }
    bind_valid(plan, entry, &mut lookup)?;
    let written = match fact {
        true => entry.repeats.as_ref().map(|written| written.span()),
        false => entry.duplicates.as_ref().map(|written| written.span()),
    };
    if let (Duplicates::Rule(rule), Some(span)) = (&lookup.duplicates, written)
        && let Some((column, wanted)) = rule.column()
    {
        let number = lookup.column(column, span.clone())?;
        lookup.column_use.need(number, wanted, At::in_plan(span));
        lookup.decides = Some(number);
    }
    lookup.formulas = bind_formulas(plan, name, entry, &lookup.columns, &mut lookup.column_use)?;
    for column in lookup.key.clone() {
        lookup.column_use.use_keys(column);
    }
    Ok(lookup)
}

fn of_duplicates(entry: &TableEntry) -> Duplicates {
    entry.duplicates.as_ref().map_or_else(Default::default, |d| d.get_ref().clone())
}

/// What becomes of the lines of a fact that share a key, where they are looked up.
fn of_repeats(name: &str, span: Range<usize>, entry: &TableEntry) -> Result<Duplicates, Mistake> {
    if entry.key.is_none() {
        let message = format!("a link leads to the fact `{name}`, which has no key");
        return Err(Mistake::in_plan(MistakeKind::MissingSetting, span, message)
            .help("name the columns that identify a line: key = [\"order_no\", \"line_no\"]"));
    }
    match &entry.repeats {
        None => Ok(Duplicates::default()),
        Some(repeats) => match repeats.get_ref() {
            Repeats::Rule(rule) => Ok(Duplicates::Rule(rule.clone())),
            Repeats::Keep => Err(Mistake::in_plan(
                MistakeKind::MissingSetting,
                repeats.span(),
                format!("a link leads to the fact `{name}`, whose lines may share a key"),
            )
            .help("a line can be looked up only where its key is its own: leave `repeats` out")),
        },
    }
}

/// The columns that say when a row holds.
fn bind_valid(plan: &Plan, entry: &TableEntry, lookup: &mut BoundLookup) -> Result<(), Mistake> {
    let Some(valid) = &entry.valid else { return Ok(()) };
    let Valid { from, until, period, year, quarter, month, ends, carry } = valid;
    let with_days = [from, until].into_iter().flatten().next();
    let with_period = [period, year, quarter, month].into_iter().flatten().next();
    lookup.valid = Some(match (with_days, with_period) {
        (Some(_), Some(other)) => {
            return refuse_valid(other.span(), "days and a period do not go together");
        }
        (Some(first), None) => from_days(plan, valid, first, lookup)?,
        (None, _) => {
            let own_end = ends.as_ref().map(Spanned::span).or(carry.as_ref().map(Spanned::span));
            let whole = from_periods(valid, lookup)?;
            if let Some(span) = own_end {
                return refuse_valid(span, "a whole period has its own end, so this has no effect");
            }
            whole
        }
    });
    Ok(())
}

fn refuse_valid<T>(span: Range<usize>, what: &str) -> Result<T, Mistake> {
    let message = format!("{what} in `valid`");
    Err(Mistake::in_plan(MistakeKind::ConflictingSettings, span, message).help(
        "rows are valid from a date (from, until, ends; or from, carry), for a period (period), or for a year (year, quarter or \
         month)",
    ))
}

/// Rows that hold from a day on; `first` is the first of the columns that are named.
fn from_days(
    plan: &Plan,
    valid: &Valid,
    first: &Spanned<String>,
    lookup: &mut BoundLookup,
) -> Result<Validity, Mistake> {
    let Valid { from, until, ends, carry, .. } = valid;
    let Some(from) = from else {
        return refuse_valid(first.span(), "`until` needs a `from` beside it");
    };
    let from = day_column(plan, lookup, from)?;
    match (until, carry, ends) {
        (Some(_), Some(carry), _) => refuse_valid(carry.span(), "`carry` does not go with `until`"),
        (Some(until), None, _) => Ok(Validity::Days {
            from,
            until: day_column(plan, lookup, until)?,
            ends: ends.as_ref().map_or_else(Ends::default, |ends| *ends.get_ref()),
        }),
        (None, _, Some(ends)) => refuse_valid(ends.span(), "`ends` needs an `until` beside it"),
        (None, carry, None) => {
            let carry = carry.as_ref().map(|carry| *carry.get_ref());
            Ok(Validity::UntilNext { from, carry })
        }
    }
}

/// Rows that hold for a period, or for a year or a part of one.
fn from_periods(valid: &Valid, lookup: &BoundLookup) -> Result<Validity, Mistake> {
    let Valid { period, year, quarter, month, .. } = valid;
    let column = |name: &Spanned<String>| lookup.column(name.get_ref(), name.span());
    if let Some(period) = period {
        return match [year, quarter, month].into_iter().flatten().next() {
            Some(other) => refuse_valid(other.span(), "`period` stands alone"),
            None => Ok(Validity::Period(column(period)?)),
        };
    }
    match (year, quarter, month) {
        (Some(_), Some(_), Some(month)) => {
            refuse_valid(month.span(), "a quarter and a month do not go together")
        }
        (Some(year), None, None) => Ok(Validity::YearAnd(column(year)?, None)),
        (Some(year), Some(quarter), None) => {
            let part = (PeriodUnit::Quarter, column(quarter)?);
            Ok(Validity::YearAnd(column(year)?, Some(part)))
        }
        (Some(year), None, Some(month)) => {
            let part = (PeriodUnit::Month, column(month)?);
            Ok(Validity::YearAnd(column(year)?, Some(part)))
        }
        (None, ..) => {
            let at = [quarter, month].into_iter().flatten().next();
            refuse_valid(at.map_or(0..0, Spanned::span), "there is no day, period or year")
        }
    }
}

/// A column with the first or last day of rows.
fn day_column(
    plan: &Plan,
    lookup: &mut BoundLookup,
    name: &Spanned<String>,
) -> Result<usize, Mistake> {
    let column = lookup.column(name.get_ref(), name.span())?;
    let at = plan.written(name).at_all();
    if lookup.column_use.declared(column).declared.is_some_and(|t| t != ColumnType::Date) {
        let message = format!("`{}` says when a row is valid and must be a date", name.get_ref());
        return Err(at
            .mistake(MistakeKind::WrongType, message)
            .help("leave its `type` out of the columns of the table"));
    }
    lookup.column_use.need(column, ColumnType::Date, at);
    Ok(column)
}
