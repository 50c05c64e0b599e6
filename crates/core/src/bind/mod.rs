//! From the plan as written to one whose names are bound to the columns of real tables.
//!
//! Binding needs the headings of every table, not their rows. Its result says which columns each
//! table must read and what they are needed for; formulas are typed later, in `engine`, when the
//! lookups are loaded and the types of their columns are known.

mod columns;
mod computed;
mod links;
mod outputs;
mod scope;
mod wishes;

use std::collections::{BTreeMap, BTreeSet};
use std::ops::Range;

pub use columns::{Headings, TableColumns, name_columns, ways};
pub use computed::formula_columns;
pub(crate) use computed::{BoundFormula, RowNames};
pub use links::{Route, RouteStart};
pub(crate) use outputs::BoundTotals;
pub use outputs::{BoundOutput, Content, LinesColumn, OutputKind, Request, Shown};
pub(crate) use scope::{Reference, Scope};
pub use wishes::{Wish, Wishes};

use crate::formula::{Function, Node, NodeKind, parse};
use crate::plan::{ColumnType, Duplicates, Mistake, Plan, Repeats, Role, TableEntry, Written};

/// A lookup of the plan that a link leads to.
#[derive(Debug)]
pub struct BoundLookup {
    /// Its name.
    pub name: String,
    /// The names of its columns.
    pub columns: Vec<String>,
    /// Of these, the ones that come from slots of the file name.
    pub slots: BTreeSet<usize>,
    /// The column of its key.
    pub key: usize,
    /// The columns with the first and the last day of a row.
    pub valid: Option<(usize, usize)>,
    /// What happens to rows with the same key.
    pub duplicates: Duplicates,
    /// The column whose values say which of them holds.
    pub(crate) decides: Option<usize>,
    /// Columns that are worked out from the others.
    pub(crate) formulas: Vec<BoundFormula>,
    /// The columns that are used, and how they are read.
    pub wishes: Wishes,
}

/// The fact table of the plan.
#[derive(Debug)]
pub struct BoundFact {
    /// Its name.
    pub name: String,
    /// The names of its columns.
    pub columns: Vec<String>,
    /// The columns that are used, and how they are read.
    pub wishes: Wishes,
    /// Columns that are worked out from the others.
    pub(crate) formulas: Vec<BoundFormula>,
    /// Which lines are the same.
    pub key: Option<FactKey>,
    /// The columns that links take their days from, and where; for them they are read as dates.
    pub days: BTreeMap<usize, Mistake>,
    /// Columns with amounts: numbers that formulas use and that are no rates.
    pub amounts: BTreeSet<usize>,
    /// Columns that stand beside a bare number, as in `1 - discount`.
    pub(crate) rates: BTreeSet<usize>,
}

/// The key of a fact, by which a line that was delivered twice is known.
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
}

/// A plan whose names are bound.
#[derive(Debug)]
pub struct Bound {
    /// The fact table.
    pub fact: BoundFact,
    /// The lookups that links lead to.
    pub lookups: Vec<BoundLookup>,
    /// The links, each after the one that it hangs on.
    pub routes: Vec<Route>,
    /// The figures, in the order of the plan.
    pub figures: Vec<BoundFigure>,
    /// The figures by number, each after those that it builds on.
    pub figure_order: Vec<usize>,
    /// The outputs asked for.
    pub outputs: Vec<BoundOutput>,
}

/// Binds the names of a plan to the columns of its tables.
///
/// # Errors
/// All mistakes that stand on their own, in the order of the plan.
pub fn bind(plan: &Plan, headings: &Headings, requests: &[Request]) -> Result<Bound, Vec<Mistake>> {
    Binder { plan, headings }.bind(requests)
}

/// The name of the plan's fact table.
///
/// # Errors
/// None or several are marked as such.
pub fn fact_name(plan: &Plan) -> Result<&str, Mistake> {
    let mut facts = plan.tables.iter().filter(|table| table.value.role == Role::Fact);
    match (facts.next(), facts.next()) {
        (Some(fact), None) => Ok(&fact.name),
        (None, _) => Err(Mistake::of_plan("no table of the plan is a fact table")
            .help("add `role = \"fact\"` to the table with the sales lines")),
        (Some(_), Some(second)) => Err(Mistake::in_plan(
            second.name_span.clone(),
            "a plan with several fact tables cannot be run yet",
        )
        .help("keep one plan for each fact table")),
    }
}

struct Binder<'a> {
    plan: &'a Plan,
    headings: &'a Headings,
}

impl Binder<'_> {
    fn bind(&self, requests: &[Request]) -> Result<Bound, Vec<Mistake>> {
        let one = |mistake| vec![mistake];
        let fact = fact_name(self.plan).map_err(one)?;
        let mut bound = Bound {
            fact: self.fact(fact).map_err(one)?,
            lookups: Vec::new(),
            routes: Vec::new(),
            figures: Vec::new(),
            figure_order: Vec::new(),
            outputs: Vec::new(),
        };
        links::bind_links(self.plan, self.headings, &mut bound)?;
        self.figures(&mut bound)?;
        outputs::bind_outputs(requests, &mut bound)?;
        Ok(bound)
    }

    fn fact(&self, name: &str) -> Result<BoundFact, Mistake> {
        let entry = self.plan.tables.get(name).expect("the fact is a table of the plan");
        if let Some(valid) = &entry.value.valid {
            return Err(Mistake::in_plan(valid.from.span(), "a fact table takes no `valid`")
                .help("`valid` belongs to a lookup; leave this line out"));
        }
        if let Some(duplicates) = &entry.value.duplicates {
            return Err(Mistake::in_plan(duplicates.span(), "a fact table takes no `duplicates`")
                .help("lines that share a key are settled by `repeats`"));
        }
        let columns = self.headings.columns(name).to_vec();
        let mut wishes = Wishes::new(columns::declared_wishes(self.plan, &entry.value, &columns)?);
        let key = self.fact_key(name, &entry.value, &columns, &mut wishes)?;
        let formulas =
            computed::bind_formulas(self.plan, name, &entry.value, &columns, &mut wishes)?;
        Ok(BoundFact {
            name: name.to_owned(),
            columns,
            wishes,
            formulas,
            key,
            days: BTreeMap::new(),
            amounts: BTreeSet::new(),
            rates: BTreeSet::new(),
        })
    }

    /// The key of the fact and what happens to lines that share it.
    fn fact_key(
        &self,
        name: &str,
        entry: &TableEntry,
        columns: &[String],
        wishes: &mut Wishes,
    ) -> Result<Option<FactKey>, Mistake> {
        let position = |wanted: &str, span: Range<usize>| {
            if formula_columns(entry).any(|computed| computed == wanted) {
                let message =
                    format!("`{wanted}` is worked out, and lines are told apart by what was read");
                return Err(Mistake::in_plan(span, message)
                    .help("name the columns that its formula takes it from"));
            }
            columns.iter().position(|column| column == wanted).ok_or_else(|| {
                Mistake::in_plan(span, format!("`{name}` has no column `{wanted}`"))
                    .nearest(wanted, columns.iter().map(String::as_str))
            })
        };
        let repeats = entry.repeats.as_ref();
        let Some(key) = &entry.key else {
            return match repeats {
                None => Ok(None),
                Some(repeats) => Err(Mistake::in_plan(
                    repeats.span(),
                    "`repeats` says what becomes of lines that share a key, and there is no key",
                )
                .help("add for instance key = [\"order_no\", \"line_no\"]")),
            };
        };
        let names = key.get_ref().0.iter();
        let key_columns =
            names.map(|name| position(name, key.span())).collect::<Result<Vec<_>, _>>()?;
        if key_columns.is_empty() {
            return Err(Mistake::in_plan(key.span(), "the key names no column"));
        }
        let choice = repeats.map_or_else(Repeats::default, |repeats| repeats.get_ref().clone());
        let mut decides = None;
        if let (Repeats::Rule(rule), Some(written)) = (&choice, repeats)
            && let Some((column, wanted)) = rule.column()
        {
            let column = position(column, written.span())?;
            wishes.need(column, wanted, Mistake::in_plan(written.span(), ""));
            decides = Some(column);
        }
        Ok(Some(FactKey { columns: key_columns, repeats: choice, decides }))
    }

    fn figures(&self, bound: &mut Bound) -> Result<(), Vec<Mistake>> {
        let mut mistakes = Vec::new();
        for entry in self.plan.figures.iter() {
            let written = self.plan.written_at(&entry.value, entry.span.clone());
            match parse(&written) {
                Ok(node) => {
                    bound.figures.push(BoundFigure { name: entry.name.clone(), written, node });
                }
                Err(mistake) => mistakes.push(mistake),
            }
        }
        if !mistakes.is_empty() {
            return Err(mistakes);
        }
        let uses: Vec<Vec<Use>> = bound
            .figures
            .iter()
            .map(|figure| uses_of(&figure.node, &figure.written, &Scope::of(bound), &mut mistakes))
            .collect();
        if !mistakes.is_empty() {
            return Err(mistakes);
        }
        bound.figure_order = self.order(bound, &uses).map_err(|mistake| vec![mistake])?;
        for used in uses.into_iter().flatten() {
            bound.note(&used);
        }
        Ok(())
    }

    /// The figures in an order in which each comes after those that it builds on.
    fn order(&self, bound: &Bound, uses: &[Vec<Use>]) -> Result<Vec<usize>, Mistake> {
        let mut order = Vec::new();
        let mut path = Vec::new();
        for figure in 0..bound.figures.len() {
            visit(figure, bound, uses, &mut order, &mut path)?;
        }
        Ok(order)
    }
}

fn visit(
    figure: usize,
    bound: &Bound,
    uses: &[Vec<Use>],
    order: &mut Vec<usize>,
    path: &mut Vec<usize>,
) -> Result<(), Mistake> {
    if order.contains(&figure) {
        return Ok(());
    }
    if let Some(start) = path.iter().position(|on_path| *on_path == figure) {
        let names: Vec<&str> = path[start..]
            .iter()
            .chain([&figure])
            .map(|number| bound.figures[*number].name.as_str())
            .collect();
        let message = format!("the figures go in a circle: {}", names.join(" -> "));
        return Err(bound.figures[figure].written.mistaken(message));
    }
    path.push(figure);
    for used in &uses[figure] {
        if let Reference::Figure(next) = used.reference {
            visit(next, bound, uses, order, path)?;
        }
    }
    path.pop();
    order.push(figure);
    Ok(())
}

/// One name in a formula: what it refers to and what it is needed for.
#[derive(Clone, Debug)]
pub(crate) struct Use {
    pub(crate) reference: Reference,
    /// The name in its formula, for a mistake there.
    at: Mistake,
    needed: Option<ColumnType>,
    /// It stands beside a bare number, as in `1 - discount`: a rate, not an amount.
    rate: bool,
}

/// The names of a formula, with the type that each is needed as.
fn needs_of(node: &Node) -> Vec<computed::Need<'_>> {
    let mut needs: Vec<(*const Node, ColumnType)> = Vec::new();
    let mut names = Vec::new();
    node.walk(&mut |node| {
        needs.extend(needs_below(node).into_iter().map(|(child, needed, _)| {
            let child: *const Node = child;
            (child, needed)
        }));
        if let NodeKind::Name(name) = &node.kind {
            let needed = needs.iter().find(|(child, _)| std::ptr::eq(*child, node));
            names.push((name, needed.map(|(_, needed)| *needed)));
        }
    });
    names
}

/// The names of a formula. Those that refer to nothing are mistakes.
pub(crate) fn uses_of(
    node: &Node,
    written: &Written,
    scope: &Scope<'_>,
    mistakes: &mut Vec<Mistake>,
) -> Vec<Use> {
    let mut needs: Vec<(*const Node, ColumnType, bool)> = Vec::new();
    let mut uses = Vec::new();
    node.walk(&mut |node| {
        for (child, needed, rate) in needs_below(node) {
            needs.push((child, needed, rate));
        }
        let NodeKind::Name(name) = &node.kind else { return };
        let need = needs.iter().find(|(child, ..)| std::ptr::eq(*child, node));
        match scope.resolve(name, written) {
            Ok(reference) => uses.push(Use {
                reference,
                at: written.mistake(name.span.clone(), ""),
                needed: need.map(|(_, needed, _)| *needed),
                rate: need.is_some_and(|(.., rate)| *rate),
            }),
            Err(mistake) => mistakes.push(mistake),
        }
    });
    uses
}

/// What a node needs those directly below it to be.
fn needs_below(node: &Node) -> Vec<(&Node, ColumnType, bool)> {
    fn number(child: &Node) -> (&Node, ColumnType, bool) {
        (child, ColumnType::Number, false)
    }
    let is_number = |node: &Node| matches!(node.kind, NodeKind::Number(_));
    match &node.kind {
        NodeKind::Negate(a) => vec![number(a)],
        NodeKind::Binary(operator, a, b) if operator.is_arithmetic() => {
            let adds = !matches!(operator.sign(), "*" | "/");
            let rate = |other: &Node| adds && is_number(other);
            vec![(a, ColumnType::Number, rate(b)), (b, ColumnType::Number, rate(a))]
        }
        NodeKind::Binary(operator, a, b) if !matches!(operator.sign(), "and" | "or") => {
            match (is_number(a), is_number(b)) {
                (_, true) => vec![number(a)],
                (true, _) => vec![number(b)],
                _ => Vec::new(),
            }
        }
        NodeKind::Between { operand, low, high, .. } if is_number(low) || is_number(high) => {
            vec![number(operand)]
        }
        NodeKind::In { operand, list, .. } if list.iter().any(is_number) => vec![number(operand)],
        NodeKind::Call(function, arguments) => match function {
            Function::Round(..) | Function::Abs => vec![number(&arguments[0])],
            Function::Period(_) => vec![(&arguments[0], ColumnType::Date, false)],
            Function::Coalesce if arguments.iter().any(is_number) => {
                arguments.iter().map(number).collect()
            }
            Function::Coalesce => Vec::new(),
        },
        _ => Vec::new(),
    }
}

impl BoundFact {
    /// Whether lines that came twice are looked for.
    pub fn looks_for_repeats(&self) -> bool {
        self.key.as_ref().is_some_and(|key| key.repeats != Repeats::Keep)
    }

    /// The columns that are read, for whatever purpose.
    pub fn read_columns(&self) -> BTreeSet<usize> {
        let others = self.wishes.keys().iter().chain(self.days.keys()).copied();
        let computed = |column: &usize| self.formulas.iter().any(|f| f.column == *column);
        self.wishes.used().chain(others).filter(|column| !computed(column)).collect()
    }
}

impl Bound {
    /// Remembers that a formula uses a column.
    pub(crate) fn note(&mut self, used: &Use) {
        let (wishes, column) = match used.reference {
            Reference::Figure(_) => return,
            Reference::Column(column) => {
                let fact = &mut self.fact;
                let percent = fact.wishes.declared(column).declared == Some(ColumnType::Percent);
                if used.rate {
                    fact.amounts.remove(&column);
                    fact.rates.insert(column);
                } else if used.needed == Some(ColumnType::Number)
                    && !percent
                    && !fact.rates.contains(&column)
                {
                    fact.amounts.insert(column);
                }
                (&mut fact.wishes, column)
            }
            Reference::Attribute { route, column } => {
                (&mut self.lookups[self.routes[route].lookup].wishes, column)
            }
        };
        match used.needed {
            Some(needed) => wishes.need(column, needed, used.at.clone()),
            None => wishes.use_values(column),
        }
    }
}
