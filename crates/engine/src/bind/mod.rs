//! From the plan as written to one whose names are bound to the columns of real tables.
//!
//! Binding needs the column names of every table, not their rows. Its result says which columns each
//! table must read and what they are needed for; formulas are typed later, in `engine`, when the
//! lookups are loaded and the types of their columns are known.

mod column_formulas;
mod column_use;
mod columns;
mod figures;
mod labels;
mod line_columns;
mod link_direction;
mod links;
mod lookups;
mod measures;
mod outputs;
mod row_formula;
mod scope;
mod sums;
mod totals;
mod totals_request;
mod type_demands;

use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::ops::Range;
use std::sync::Arc;

pub use column_formulas::formula_columns;
pub(crate) use column_formulas::{BoundFormula, RowNames};
pub use column_use::{ColumnUse, DeclaredColumn};
pub use columns::{ColumnNames, TableColumns, name_columns, ways};
pub use line_columns::{ColumnForm, ColumnRequest, LinesColumn, LinesRequest};
pub use links::{Home, KeyPart, Route};
pub use lookups::{BoundLookup, Validity};
pub use outputs::{BoundOutput, Content, OutputKind, Request, WorkbookRequest, slots_of};
pub use row_formula::{RowColumns, RowExpr};
pub(crate) use scope::{Reference, Scope};
pub use sums::{SumsRequest, sums_request};
pub use totals::BoundTotals;
pub(crate) use totals::{Base, BoundBase, BoundColumn, BoundLayout, Cumulated, ShareOf, Shift};
pub use totals_request::{TotalsRequest, Usual};
pub(crate) use type_demands::{Use, needs_of, uses_of};

use toml::Spanned;

use crate::eval::Band;
use interligo_model::formula::Node;
use interligo_model::plan::Correction;
use interligo_model::plan::{
    At, ColumnType, Labels, Mistake, MistakeKind, Plan, Repeats, ShownAs, ShownForm, TableEntry,
    TotalRule, Written,
};
use interligo_model::values::decimal::Rounding;

/// The fact table of the plan.
#[derive(Debug)]
pub struct BoundFact {
    /// Its name.
    pub name: String,
    /// The names of its columns.
    pub columns: Vec<String>,
    /// The columns that are used, and how they are read.
    pub column_use: ColumnUse,
    /// Columns that are computed from the others.
    pub(crate) formulas: Vec<BoundFormula>,
    /// Which lines are the same.
    pub key: Option<FactKey>,
    /// The column with the date of a line, where the plan names one.
    pub date: Option<usize>,
    /// The columns that links take their days from, and where; for them they are read as dates.
    pub days: BTreeMap<usize, At>,
    /// Columns with amounts: numbers that formulas use and that are no rates.
    pub amounts: BTreeSet<usize>,
    /// Columns that are beside a bare number, as in `1 - discount`.
    pub(crate) rates: BTreeSet<usize>,
}

/// The key of a fact, by which a duplicate line is recognised.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct FactKey {
    /// Its columns.
    pub columns: Vec<usize>,
    /// What happens to lines that share it.
    pub repeats: Repeats,
    /// The column whose values say which of them holds.
    pub decides: Option<usize>,
}

/// A figure, before its types are known.
#[derive(Debug)]
pub struct BoundFigure {
    /// Its name.
    pub name: String,
    pub(crate) written: Written,
    pub(crate) node: Node,
    /// What its total is, where the plan says so.
    pub(crate) total: Option<TotalRule>,
    /// How it is shown, where the plan says so.
    pub(crate) shown: Option<ShownAs>,
    pub(crate) kind: FigureKind,
}

impl BoundFigure {
    /// Whether the plan shows it as percent.
    pub fn is_percent(&self) -> bool {
        self.shown.is_some_and(|shown| shown.form == ShownForm::Percent)
    }
}

/// What is made of the formula of a figure.
#[derive(Clone, Debug)]
pub(crate) enum FigureKind {
    /// Its value, rounded to this many places.
    Formula(Option<(u8, Rounding)>),
    /// The name of the range in which it lies.
    Band(Arc<Band>),
    /// An attribute that several facts have.
    Shared,
}

/// A link that is written the other way round than it is taken.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Turned {
    /// The path as the plan writes it.
    pub written: String,
    /// The path as it is taken.
    pub taken: String,
}

/// A plan whose names are bound, seen from one of its facts.
#[derive(Debug)]
pub struct Bound {
    /// The fact table.
    pub fact: BoundFact,
    /// The lookups that links lead to.
    pub lookups: Vec<BoundLookup>,
    /// The links, each after the one that it starts from.
    pub routes: Vec<Route>,
    /// Links that are written the other way round than they are taken.
    pub turned: Vec<Turned>,
    /// The figures, in the order of the plan.
    pub figures: Vec<BoundFigure>,
    /// The same by name.
    figure_numbers: HashMap<String, usize>,
    /// The figures by number, each after those that it builds on.
    pub figure_order: Vec<usize>,
    /// The outputs asked for.
    pub outputs: Vec<BoundOutput>,
    /// The figure that the plan says is at weigh_by, with its place.
    pub weigh_by: Option<(usize, Written)>,
    /// Keys that are known to be wrong.
    pub corrections: Vec<Correction>,
    /// What people call columns.
    pub labels: Labels,
}

/// Binds the names of a plan to the columns of its tables, for each of its facts. `turned` are links, by
/// number, that the data shows to be written backwards.
///
/// # Errors
/// All mistakes that are on their own, in the order of the plan.
pub fn bind(
    plan: &Plan,
    column_names: &ColumnNames,
    requests: &[Request],
    turned: &BTreeSet<usize>,
) -> Result<Vec<Bound>, Vec<Mistake>> {
    require_fact(plan).map_err(|mistake| vec![mistake])?;
    let binder = Binder { plan, column_names };
    let mut facts = Vec::new();
    for fact in plan.facts() {
        let mut bound = Bound {
            fact: binder.fact(&fact.name).map_err(|mistake| vec![mistake])?,
            lookups: Vec::new(),
            routes: Vec::new(),
            turned: Vec::new(),
            figures: Vec::new(),
            figure_numbers: HashMap::new(),
            figure_order: Vec::new(),
            outputs: Vec::new(),
            weigh_by: None,
            corrections: Vec::new(),
            labels: plan.column_labels(),
        };
        links::bind_links(plan, column_names, &mut bound, turned)?;
        facts.push(bound);
    }
    figures::bind_figures(plan, &mut facts)?;
    figures::bind_weigh_by(plan, &mut facts).map_err(|mistake| vec![mistake])?;
    labels::refuse_unknown(plan, &facts)?;
    outputs::bind_outputs(requests, &mut facts)?;
    Ok(facts)
}

/// A plan has a fact table.
///
/// # Errors
/// It has none.
pub fn require_fact(plan: &Plan) -> Result<(), Mistake> {
    match plan.facts().next() {
        Some(_) => Ok(()),
        None => Err(Mistake::of_plan(
            MistakeKind::MissingSetting,
            "no table of the plan is a fact table",
        )
        .help("add `role = \"fact\"` to the table with the sales lines")),
    }
}

/// The number of the fact that a name of the plan says.
fn fact_called(facts: &[Bound], name: &Written) -> Result<usize, Mistake> {
    facts.iter().position(|bound| bound.fact.name == name.text).ok_or_else(|| {
        let known = facts.iter().map(|bound| bound.fact.name.as_str());
        name.mistaken(
            MistakeKind::UnknownName,
            format!("`{}` is no fact table of the plan", name.text),
        )
        .nearest(&name.text, known)
    })
}

struct Binder<'a> {
    plan: &'a Plan,
    column_names: &'a ColumnNames,
}

impl Binder<'_> {
    fn fact(&self, name: &str) -> Result<BoundFact, Mistake> {
        let entry = self.plan.tables.get(name).expect("the fact is a table of the plan");
        if let Some(valid) = &entry.value.valid {
            let span = valid.columns().next().map_or(0..0, Spanned::span);
            return Err(Mistake::in_plan(
                MistakeKind::WrongPlace,
                span,
                "a fact table takes no `valid`",
            )
            .help("`valid` belongs to a lookup; leave this line out"));
        }
        if let Some(duplicates) = &entry.value.duplicates {
            return Err(Mistake::in_plan(
                MistakeKind::WrongPlace,
                duplicates.span(),
                "a fact table takes no `duplicates`",
            )
            .help("lines that share a key are settled by `repeats`"));
        }
        let columns = self.column_names.columns(name).to_vec();
        let mut days = BTreeMap::new();
        let date = self.fact_date(name, &entry.value, &columns)?;
        days.extend(date.clone());
        let mut column_use =
            ColumnUse::new(columns::declared_columns(self.plan, &entry.value, &columns)?);
        let key = self.fact_key(name, &entry.value, &columns, &mut column_use)?;
        let formulas = column_formulas::bind_formulas(
            self.plan,
            name,
            &entry.value,
            &columns,
            &mut column_use,
        )?;
        Ok(BoundFact {
            name: name.to_owned(),
            columns,
            column_use,
            formulas,
            key,
            date: date.map(|(column, _)| column),
            days,
            amounts: BTreeSet::new(),
            rates: BTreeSet::new(),
        })
    }

    /// The column with the date of a line, and where the plan names it.
    fn fact_date(
        &self,
        name: &str,
        entry: &TableEntry,
        columns: &[String],
    ) -> Result<Option<(usize, At)>, Mistake> {
        let Some(date) = &entry.date else { return Ok(None) };
        let written = self.plan.written(date);
        let known = columns.iter().position(|column| column == date.get_ref());
        known.map(|column| Some((column, written.at_all()))).ok_or_else(|| {
            let message = format!("`{name}` has no column `{}`", date.get_ref());
            let columns = columns.iter().map(String::as_str);
            written.mistaken(MistakeKind::UnknownName, message).nearest(date.get_ref(), columns)
        })
    }

    /// The key of the fact and what happens to lines that share it.
    fn fact_key(
        &self,
        name: &str,
        entry: &TableEntry,
        columns: &[String],
        column_use: &mut ColumnUse,
    ) -> Result<Option<FactKey>, Mistake> {
        let position = |wanted: &str, span: Range<usize>| {
            if formula_columns(entry).any(|computed| computed == wanted) {
                let message = format!(
                    "`{wanted}` is computed, but lines are identified by columns that were read"
                );
                return Err(Mistake::in_plan(MistakeKind::WrongType, span, message)
                    .help("name the columns that its formula takes it from"));
            }
            columns.iter().position(|column| column == wanted).ok_or_else(|| {
                Mistake::in_plan(
                    MistakeKind::UnknownName,
                    span,
                    format!("`{name}` has no column `{wanted}`"),
                )
                .nearest(wanted, columns.iter().map(String::as_str))
            })
        };
        let repeats = entry.repeats.as_ref();
        let Some(key) = &entry.key else {
            return match repeats {
                None => Ok(None),
                Some(repeats) => Err(Mistake::in_plan(
                    MistakeKind::MissingSetting,
                    repeats.span(),
                    "`repeats` needs a `key`: it says what happens to lines that share one",
                )
                .help("add for instance key = [\"order_no\", \"line_no\"]")),
            };
        };
        let names = key.get_ref().0.iter();
        let key_columns =
            names.map(|name| position(name, key.span())).collect::<Result<Vec<_>, _>>()?;
        if key_columns.is_empty() {
            return Err(Mistake::in_plan(
                MistakeKind::MissingSetting,
                key.span(),
                "the key names no column",
            ));
        }
        let choice = repeats.map_or_else(Repeats::default, |repeats| repeats.get_ref().clone());
        let mut decides = None;
        if let (Repeats::Rule(rule), Some(written)) = (&choice, repeats)
            && let Some((column, wanted)) = rule.column()
        {
            let column = position(column, written.span())?;
            column_use.need(column, wanted, At::in_plan(written.span()));
            decides = Some(column);
        }
        Ok(Some(FactKey { columns: key_columns, repeats: choice, decides }))
    }
}

impl BoundFact {
    /// Whether lines that came twice are looked for.
    pub fn looks_for_repeats(&self) -> bool {
        self.key.as_ref().is_some_and(|key| key.repeats != Repeats::Keep)
    }

    /// The columns that are read, for whatever purpose.
    pub fn read_columns(&self) -> BTreeSet<usize> {
        let others = self.column_use.keys().iter().chain(self.days.keys()).copied();
        let computed = |column: &usize| self.formulas.iter().any(|f| f.column == *column);
        self.column_use.used().chain(others).filter(|column| !computed(column)).collect()
    }
}

impl Bound {
    fn add_figure(&mut self, figure: BoundFigure) {
        self.figure_numbers.entry(figure.name.clone()).or_insert(self.figures.len());
        self.figures.push(figure);
    }

    /// The number of the figure of that name.
    pub(crate) fn figure_called(&self, name: &str) -> Option<usize> {
        self.figure_numbers.get(name).copied()
    }

    /// Remembers that a condition uses a column.
    pub(crate) fn note_condition(&mut self, used: &Use) {
        let (column_use, column) = match used.reference {
            Reference::Figure(_) => return,
            Reference::Column(column) => (&mut self.fact.column_use, column),
            Reference::Attribute { route, column } => {
                (&mut self.lookups[self.routes[route].lookup].column_use, column)
            }
        };
        column_use.demand(column, used.needed, used.at.clone());
    }

    /// Remembers that a formula uses a column.
    pub(crate) fn note(&mut self, used: &Use) {
        if let Reference::Column(column) = used.reference {
            let fact = &mut self.fact;
            let percent = fact.column_use.declared(column).declared == Some(ColumnType::Percent);
            if used.needed.is_some_and(|needed| needed.rate) {
                fact.amounts.remove(&column);
                fact.rates.insert(column);
            } else if used.needed.is_some_and(|needed| needed.ty == ColumnType::Number)
                && !percent
                && !fact.rates.contains(&column)
            {
                fact.amounts.insert(column);
            }
        }
        self.note_condition(used);
    }
}
