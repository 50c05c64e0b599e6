//! The engine: a bound plan with its lookups, ready to take lines batch by batch.
//!
//! It is made once, shared by all workers and never changes. What a batch of lines becomes is in
//! `lines`; what is summed up over batches is in `totals`.

pub(crate) mod additivity;
mod column_reads;
mod measured;

use std::collections::{BTreeMap, BTreeSet};
use std::sync::OnceLock;

use crate::bind::{Bound, BoundFigure, FigureKind, Home, Reference, RowNames, Scope};
use crate::eval::{Expr, ExprKind, Names, Type, check, type_of};
use crate::links::{Link, LinkParts, require_condition};
use crate::lookup::{Lookup, TypeMismatch};
use crate::proof::findings::Findings;
use crate::proof::tally::Measured;
use additivity::is_amount;
use column_reads::Reads;
pub use column_reads::Sample;
use interligo_model::formula::Operator;
use interligo_model::place::Spot;
use interligo_model::plan::{
    At, ColumnName, ColumnType, Missing, Mistake, MistakeKind, Written, key,
};
use interligo_model::reading::column_reader::Reading;

/// How much of the plan is computed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Extent {
    /// All links and figures, for the tie-out.
    Everything,
    /// What the outputs need, and the links that set lines aside or stop.
    Needed,
}

/// A column of the fact that is computed from the others.
pub(crate) enum Computation {
    /// By a formula.
    Formula(Expr),
    /// The text of another column.
    TextOf(usize),
}

/// A figure whose types are known.
pub(crate) struct Figure {
    pub(crate) expr: Expr,
    pub(crate) nature: Nature,
}

/// What is asked of a figure by all that use it, each answered once: figures that use others twice would
/// otherwise be walked through as often as there are ways down to the columns.
#[derive(Default)]
pub(crate) struct Nature {
    /// Whether it holds a number of the fact.
    pub(crate) has_amount: OnceLock<bool>,
    /// Whether it holds a number of a lookup.
    pub(crate) has_rate: OnceLock<bool>,
    /// Whether it divides by an amount of the fact.
    pub(crate) is_ratio: OnceLock<bool>,
    /// Whether it divides at all.
    pub(crate) divides: OnceLock<bool>,
    /// How many amounts it multiplies, less those that it divides by.
    pub(crate) degree: OnceLock<i32>,
}

/// A bound plan with its lookups.
pub struct Engine {
    /// The plan.
    pub bound: Bound,
    /// The lookups, in the order of the plan's links.
    pub lookups: Vec<Lookup>,
    /// The columns of the fact that lines have, by their position in it: first those that are read,
    /// then those that are computed. A column may be there in two ways, as a number for formulas and
    /// as the text of a key for instance.
    pub(crate) columns: Vec<usize>,
    /// How those that are read are read.
    pub(crate) readings: Vec<Reading>,
    /// How the others are computed.
    pub(crate) computed: Vec<Computation>,
    /// Of a column whose values are used, its number among those that are read.
    values_read: BTreeMap<usize, usize>,
    /// The columns of the fact that have times of the day, which values do not keep.
    pub(crate) timed: BTreeSet<usize>,
    pub(crate) links: Vec<Link>,
    /// Of each link, whether its rows are needed, and whether its lines are counted.
    pub(crate) links_needed: Vec<bool>,
    pub(crate) figures: Vec<Option<Figure>>,
    /// The figures that are computed, each after those it builds on.
    pub(crate) figure_order: Vec<usize>,
    /// Values of lines that outputs ask for.
    pub(crate) values: Vec<Expr>,
    /// The columns with amounts, among those that are read.
    pub(crate) amounts: Vec<usize>,
    /// What is summed over lines for the tie-out.
    pub(crate) measured: Vec<Measured>,
    /// Whether blank figures and keys not found are looked into.
    pub(crate) extent: Extent,
    /// The figure that says what is at weigh_by.
    pub(crate) weigh_by: Option<usize>,
    /// The column of lines with their day.
    pub(crate) day: Option<usize>,
    /// The column of lines with the date that the plan names, or that dated links take.
    pub(crate) date: Option<usize>,
}

impl TypeMismatch {
    /// The mismatch as a mistake of the plan.
    pub fn mistake(&self) -> Mistake {
        let wanted = match self.wanted {
            ColumnType::Date => "dates (2025-12-31)",
            _ => "numbers (1234.56)",
        };
        let (table, column) = (&self.table, &self.column);
        let percents = self.wanted == ColumnType::Number && self.example.trim().ends_with('%');
        let (message, help) = match percents {
            false => (
                format!(
                    "the plan needs {wanted} in `{table}.{column}`, but it contains `{}`",
                    self.example
                ),
                "check that the plan names the right column, and how its values are written"
                    .to_owned(),
            ),
            true => (
                format!(
                    "`{}` in `{table}.{column}` is a percent among plain numbers, which may be percents as well or factors",
                    self.example.trim()
                ),
                scale_help(table, column),
            ),
        };
        self.at
            .as_deref()
            .cloned()
            .unwrap_or(At::PLAN)
            .mistake(MistakeKind::WrongType, message)
            .help(help)
    }
}

/// What to do about a column of percents and bare numbers.
pub fn scale_help(table: &str, column: &str) -> String {
    let (table, column) = (key(table), key(column));
    format!(
        "add {column} = {{ scale = 0.01 }} to [tables.{table}.columns] if the plain numbers are percents as well, or \
         {column} = {{ scale = 1 }} if they are factors"
    )
}

impl Engine {
    /// Types the formulas of a bound plan and prepares its links. Its outputs are not looked at.
    ///
    /// `samples` has, for every column of the fact that is read (in the order of
    /// `bound.fact.read_columns()`), texts by which its type is found.
    ///
    /// # Errors
    /// All mistakes in formulas.
    pub(crate) fn typed(
        bound: Bound,
        mut lookups: Vec<Lookup>,
        samples: &[Vec<Sample>],
        extent: Extent,
    ) -> Result<Engine, Vec<Mistake>> {
        let mut reads = Reads::new(&bound, samples).map_err(|mismatch| vec![mismatch.mistake()])?;
        let computed = compute_columns(&bound, &mut reads).map_err(|mistake| vec![mistake])?;
        let mut links = Vec::new();
        let key_read = |column| reads.as_type(column, ColumnType::Text);
        let day_read = |column| reads.as_type(column, ColumnType::Date);
        for route in &bound.routes {
            let bound_of = |route: usize| &bound.lookups[bound.routes[route].lookup];
            let parts = LinkParts {
                route,
                bound: &bound.lookups[route.lookup],
                bound_of: &bound_of,
                key_read: &key_read,
                day_read: &day_read,
                corrections: &bound.corrections,
            };
            let link = Link::new(&parts, &mut lookups, &links).map_err(|mistake| vec![mistake])?;
            links.push(link);
        }
        let is_number = |read: &usize| {
            let ty = column_type_at(&reads.readings, &computed, *read);
            matches!(ty, Type::Number { .. })
        };
        let amounts = bound.fact.amounts.iter().map(|column| reads.values[column]);
        let amounts = amounts.filter(is_number).collect();
        let mut engine = Engine {
            figures: bound.figures.iter().map(|_| None).collect(),
            figure_order: bound.figure_order.clone(),
            links_needed: vec![true; links.len()],
            bound,
            lookups,
            columns: reads.columns,
            readings: reads.readings,
            computed,
            values_read: reads.values,
            timed: reads.timed,
            links,
            values: Vec::new(),
            amounts,
            measured: Vec::new(),
            extent,
            weigh_by: None,
            day: None,
            date: None,
        };
        engine.type_conditions().map_err(|mistake| vec![mistake])?;
        engine.type_figures()?;
        engine.weigh_by = engine.figure_to_weigh_by().map_err(|mistake| vec![mistake])?;
        engine.day = engine.day_of_lines();
        engine.date = engine.date_of_lines();
        Ok(engine)
    }

    /// The amounts of the fact, and the figures that are amounts.
    pub(crate) fn measures(&self) -> Vec<Measured> {
        let column = |number: &usize| match *number < self.readings.len() {
            true => Measured::Read(*number),
            false => Measured::Computed(*number),
        };
        let mut figures: Vec<usize> = self.figure_order.clone();
        figures.retain(|figure| is_amount(&self.figure(*figure).expr, self));
        figures.sort_unstable();
        let figures = figures.into_iter().map(Measured::Figure);
        self.amounts.iter().map(column).chain(figures).collect()
    }

    /// The conditions of links that start at the fact.
    fn type_conditions(&mut self) -> Result<(), Mistake> {
        for number in 0..self.links.len() {
            let route = &self.bound.routes[number];
            if let (Some((node, written)), Home::Fact) = (&route.when, route.home) {
                let expr = check(node, self, written)?;
                require_condition(&expr, written)?;
                self.links[number].when = Some(expr);
            }
        }
        Ok(())
    }

    fn type_figures(&mut self) -> Result<(), Vec<Mistake>> {
        let mut mistakes = Vec::new();
        for number in self.bound.figure_order.clone() {
            let figure = &self.bound.figures[number];
            let expr = check(&figure.node, self, &figure.written);
            match expr.and_then(|expr| figure_of(expr, figure)) {
                Ok(expr) => self.figures[number] = Some(Figure { expr, nature: Nature::default() }),
                // What builds on a mistaken figure is not looked at.
                Err(mistake) => mistakes.push(mistake),
            }
            if !mistakes.is_empty() {
                return Err(mistakes);
            }
        }
        Ok(())
    }

    /// The figure that says what is at weigh_by: the one that the plan names, else the first that is an amount.
    fn figure_to_weigh_by(&self) -> Result<Option<usize>, Mistake> {
        let is_amount = |number: &usize| is_amount(&self.figure(*number).expr, self);
        let Some((figure, written)) = &self.bound.weigh_by else {
            return Ok((0..self.figures.len()).find(is_amount));
        };
        if is_amount(figure) {
            return Ok(Some(*figure));
        }
        let message =
            format!("`{}` is not an amount: its sum over lines is meaningless", written.text);
        Err(written
            .mistaken(MistakeKind::NoTotal, message)
            .help("name a figure such as the revenue"))
    }

    /// The column with the day of a line: the one that dated links ask for, or any.
    fn day_of_lines(&self) -> Option<usize> {
        let is_day = |reading: &Reading| reading.column_type == ColumnType::Date;
        self.date_of_lines().or_else(|| self.readings.iter().position(is_day))
    }

    /// The column with the date of a line: the one that the plan names, else the one that dated links take.
    pub(crate) fn date_of_lines(&self) -> Option<usize> {
        match self.bound.fact.date {
            Some(date) => (0..self.columns.len()).find(|number| {
                let ty = column_type_at(&self.readings, &self.computed, *number);
                self.columns[*number] == date && ty == Type::Date
            }),
            None => self.links.iter().find_map(Link::own_day),
        }
    }

    /// The decimal places that a value is written with at least. A quotient is written as short as
    /// it can be.
    pub(crate) fn least_places(&self, expr: &Expr) -> u8 {
        match (&expr.kind, expr.ty) {
            (ExprKind::Figure(figure), _) => self.least_places(&self.figure(*figure).expr),
            (_, Type::Number { places }) if !self.divides(expr) => places,
            _ => 0,
        }
    }

    fn divides(&self, expr: &Expr) -> bool {
        match &expr.kind {
            ExprKind::Round(..) => false,
            ExprKind::Arithmetic(Operator::Divide, ..) => true,
            ExprKind::Figure(figure) => {
                let Figure { expr, nature } = self.figure(*figure);
                *nature.divides.get_or_init(|| self.divides(expr))
            }
            _ => expr.children().into_iter().any(|child| self.divides(child)),
        }
    }

    /// Whether keys that are not found and figures that are blank are looked into.
    pub fn looks_into_all(&self) -> bool {
        self.extent == Extent::Everything
    }

    /// Notes a currency of a column of the fact, where its numbers are read.
    pub fn note_currency(&self, findings: &mut Findings, column: usize, mark: (String, Spot)) {
        let read = self.columns.iter().zip(&self.readings).position(|(own, reading)| {
            let types = [ColumnType::Number, ColumnType::Integer];
            *own == column && types.contains(&reading.column_type)
        });
        let Some(read) = read else { return };
        let known = findings.currencies.entry(read).or_default();
        if !known.iter().any(|(currency, _)| *currency == mark.0) {
            known.push(mark);
        }
    }

    /// The columns of the fact that are read, by their position in it.
    pub fn read_columns(&self) -> &[usize] {
        &self.columns[..self.readings.len()]
    }

    /// The name of a column of lines.
    pub fn column_name(&self, column: usize) -> &str {
        &self.bound.fact.columns[self.columns[column]]
    }

    /// Whether a column of lines is declared as a percent.
    pub(crate) fn is_percent(&self, column: usize) -> bool {
        let declared = self.bound.fact.column_use.declared(self.columns[column]);
        declared.declared == Some(ColumnType::Percent)
    }

    /// The names of the columns of lines, by number.
    pub fn line_column_names(&self) -> impl Iterator<Item = &str> {
        (0..self.columns.len()).map(|column| self.column_name(column))
    }

    /// The number, among the columns of lines, of a column of the fact that is computed.
    pub fn computed_column(&self, column: usize) -> Option<usize> {
        self.values_read.get(&column).copied().filter(|number| *number >= self.readings.len())
    }

    /// The type as which a column of the fact is read, other than as a key.
    pub fn column_type(&self, column: usize) -> Option<ColumnType> {
        let value = self.values_read.get(&column);
        let value = value.and_then(|read| self.readings.get(*read)).map(|r| r.column_type);
        let day = self.bound.fact.days.contains_key(&column).then_some(ColumnType::Date);
        value.or(day)
    }

    /// The number, among the columns that are read, of a column whose values are used.
    pub(crate) fn value_read(&self, column: usize) -> usize {
        self.values_read[&column]
    }

    /// The same of a column whose values may not be used.
    pub(crate) fn value_read_of(&self, column: usize) -> Option<usize> {
        self.values_read.get(&column).copied()
    }

    /// A column of lines, by its number among them.
    pub(crate) fn column_expr(&self, read: usize) -> Expr {
        let ty = column_type_at(&self.readings, &self.computed, read);
        Expr { kind: ExprKind::Column(read), ty }
    }

    pub(crate) fn figure(&self, number: usize) -> &Figure {
        self.figures[number].as_ref().expect("figures are typed in the order of their use")
    }

    /// Keeps only the figures and links that outputs need, by the expressions of their totals.
    pub(crate) fn leave_out_unneeded<'x>(&mut self, outputs: impl Iterator<Item = &'x Expr>) {
        let mut figures = vec![false; self.figures.len()];
        let mut links: Vec<bool> = self
            .links
            .iter()
            .map(|link| matches!(link.missing, Missing::SetAside | Missing::Stop))
            .collect();
        let note = |expr: &Expr, figures: &mut Vec<bool>, links: &mut Vec<bool>| {
            expr.any(&mut |part| {
                match part.kind {
                    ExprKind::Figure(figure) => figures[figure] = true,
                    ExprKind::Attribute { route, .. } => links[route] = true,
                    _ => {}
                }
                false
            });
        };
        outputs.for_each(|expr| note(expr, &mut figures, &mut links));
        self.values.iter().for_each(|expr| note(expr, &mut figures, &mut links));
        for number in self.figure_order.iter().rev() {
            if figures[*number] {
                let figure = self.figures[*number].as_ref().expect("all figures are typed");
                note(&figure.expr, &mut figures, &mut links);
            }
        }
        // A link builds on links before it, by its key and by its condition.
        for (number, link) in self.links.iter().enumerate().rev() {
            if links[number] {
                link.builds_on().into_iter().for_each(|other| links[other] = true);
                link.when.iter().for_each(|when| note(when, &mut figures, &mut links));
            }
        }
        self.figure_order.retain(|figure| figures[*figure]);
        self.links_needed = links;
    }
}

impl Names for Engine {
    fn leaf(&self, name: &ColumnName, written: &Written) -> Result<Expr, Mistake> {
        Ok(match Scope::of(&self.bound).resolve(name, written)? {
            Reference::Figure(figure) => {
                Expr { kind: ExprKind::Figure(figure), ty: self.figure(figure).expr.ty }
            }
            Reference::Column(column) => self.column_expr(self.value_read(column)),
            Reference::Attribute { route, column } => {
                let lookup = &self.lookups[self.links[route].lookup];
                let held = lookup.columns[column].column.as_ref();
                let ty = held.map_or(Type::Text, type_of);
                Expr { kind: ExprKind::Attribute { route, column }, ty }
            }
        })
    }
}

/// What a figure makes of its formula: its value rounded, or the band in which it lies.
fn figure_of(expr: Expr, figure: &BoundFigure) -> Result<Expr, Mistake> {
    let what = match &figure.kind {
        FigureKind::Formula(None) | FigureKind::Shared => return Ok(expr),
        FigureKind::Formula(Some(_)) => "rounded",
        FigureKind::Band(_) => "laid into bands",
    };
    if !matches!(expr.ty, Type::Number { .. } | Type::Blank) {
        let found = expr.ty.shown();
        return Err(figure.written.mistaken(
            MistakeKind::WrongType,
            format!("this is {found}, and only numbers are {what}"),
        ));
    }
    Ok(match &figure.kind {
        FigureKind::Formula(Some((places, rounding))) => Expr {
            kind: ExprKind::Round(Box::new(expr), *places, *rounding),
            ty: Type::Number { places: *places },
        },
        FigureKind::Band(band) => {
            Expr { kind: ExprKind::Band(Box::new(expr), band.clone()), ty: Type::Text }
        }
        FigureKind::Formula(None) | FigureKind::Shared => expr,
    })
}

/// The type of a column of lines: first come those that are read, then those that are computed.
fn column_type_at(readings: &[Reading], computed: &[Computation], number: usize) -> Type {
    match readings.get(number) {
        Some(reading) => match reading.column_type {
            ColumnType::Text => Type::Text,
            ColumnType::Date => Type::Date,
            ColumnType::YesNo => Type::YesNo,
            _ => Type::Number { places: reading.places },
        },
        None => match &computed[number - readings.len()] {
            Computation::Formula(expr) => expr.ty,
            Computation::TextOf(_) => Type::Text,
        },
    }
}

/// Types the columns of the fact that are computed, and adds them to those that are read.
fn compute_columns(bound: &Bound, reads: &mut Reads) -> Result<Vec<Computation>, Mistake> {
    let fact = &bound.fact;
    let mut computed: Vec<Computation> = Vec::new();
    for formula in &fact.formulas {
        let leaf = |column: usize| {
            let number = reads.values[&column];
            let ty = column_type_at(&reads.readings, &computed, number);
            Expr { kind: ExprKind::Column(number), ty }
        };
        let names = RowNames { table: &fact.name, columns: &fact.columns, leaf: &leaf };
        let expr = formula.check(&names)?;
        let is_key = fact.column_use.keys().contains(&formula.column);
        let is_day = fact.days.contains_key(&formula.column);
        if is_day && expr.ty != Type::Date {
            let at = fact.days[&formula.column].clone();
            let message =
                "a dated link needs a date here, and the formula of the column gives none";
            return Err(at.mistake(MistakeKind::WrongType, message));
        }
        let is_text = expr.ty == Type::Text;
        let own = reads.compute(formula.column, is_day, is_key && is_text);
        computed.push(Computation::Formula(expr));
        if is_key && !is_text {
            reads.compute_text(formula.column);
            computed.push(Computation::TextOf(own));
        }
    }
    Ok(computed)
}
