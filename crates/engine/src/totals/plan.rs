//! What totals ask for, typed: the attributes and sums of one source of lines, and the layout of the table.

use interligo_model::formula::{Node, Summary};
use interligo_model::plan::{Mistake, MistakeKind, ShownAs, ShownForm, TotalRule};
use interligo_model::values::value::Value;

use super::measure::{Aggregate, ByExpr, Measure, Summed, Work};
use super::ratio::{MOST_PARTS, over_totals};
use super::span::DaySpan;
use super::table::MeasureKind;
use super::time_shift::{NoTime, TimeAttribute, no_time, shifted, time_attribute};
use crate::bind::Shift;
use crate::bind::{Base, BoundBase, BoundTotals};
use crate::engine::Engine;
use crate::engine::additivity::{contains_ratio, has_total, looks_like_amount};
use crate::eval::{Expr, ExprKind, Type, check};
use crate::proof::exact_sum::ExactSum;
use crate::proof::tally::{Measured, Tally};

/// What totals ask of one source of lines, typed.
pub struct TotalsPlan {
    pub(crate) by: Vec<ByExpr>,
    pub(crate) filter: Option<Expr>,
    /// What is summed per group.
    pub(crate) sums: Vec<Summed>,
    /// What is computed from the sums.
    pub(crate) measures: Vec<Measure>,
    /// Of each amount, where that is wanted, the number of its sum over the lines on which all are known.
    pub(super) known_together: Vec<(usize, usize)>,
    /// The sums that prove a table: by measure of [`Engine::measured`], the number of its sum here.
    pub(crate) proof: Vec<(usize, usize)>,
    /// How many measures the engine has.
    pub(super) measured: usize,
    /// Which source of the table this is.
    pub(crate) source: usize,
    /// How much later its lines are seen.
    pub(crate) shift: Option<Shift>,
}

/// What the plan of a table has for its layout.
pub(crate) struct LayoutBasis {
    /// Of each measure asked for, which of the plan's it is; none where it has no total.
    pub(super) found: Vec<Option<usize>>,
    /// Of each measure of the plan, whether it is a number, and no day or text.
    pub(super) numbers: Vec<bool>,
    /// The attribute of time, or why there is none.
    pub(super) time: Result<TimeAttribute, NoTime>,
}

impl TotalsPlan {
    /// Types what totals ask for; with the plan comes what a layout of the table needs to know.
    pub(crate) fn new(
        totals: &BoundTotals,
        engine: &Engine,
    ) -> Result<(TotalsPlan, LayoutBasis), Mistake> {
        let mut plan = TotalsPlan {
            by: Vec::new(),
            filter: None,
            sums: Vec::new(),
            measures: Vec::new(),
            known_together: Vec::new(),
            proof: Vec::new(),
            measured: 0,
            source: totals.source,
            shift: totals.shift.as_ref().map(|(shift, _)| *shift),
        };
        for by in &totals.attributes {
            let expr = match &by.node {
                Some(node) => check(node, engine, &by.written)?,
                None => Expr { kind: ExprKind::Constant(Value::Blank), ty: Type::Blank },
            };
            plan.by.push(ByExpr::new(by.written.text.clone(), expr, engine));
        }
        if let Some((node, written)) = &totals.filter {
            let expr = check(node, engine, written)?;
            if !matches!(expr.ty, Type::YesNo | Type::Blank) {
                return Err(written
                    .mistaken(
                        MistakeKind::WrongType,
                        format!("this is {}, not a condition", expr.ty.shown()),
                    )
                    .help("write for instance quantity > 10"));
            }
            plan.filter = Some(expr);
        }
        let mut time = time_attribute(&plan.by, engine);
        if let (Ok(time), Some(filter)) = (&mut time, &plan.filter) {
            time.days = DaySpan::of(filter, time.column, engine);
        }
        if let Some((shift, written)) = &totals.shift {
            let time = time.as_ref().map_err(|why| no_time(written, why))?;
            plan.by.iter_mut().for_each(|by| {
                by.expr = shifted(&by.expr, engine, time, *shift);
            });
            // A line without a day is in no year, and in none a year later.
            let has_day = has_day(engine.column_expr(time.column));
            plan.filter = Some(match plan.filter {
                Some(filter) => both(shifted(&filter, engine, time, *shift), has_day),
                None => has_day,
            });
        }
        let mut found = Vec::new();
        for base in &totals.bases {
            found.push(match plan.add(base, engine) {
                Ok(()) => Some(plan.measures.len() - 1),
                Err(_) if base.optional => None,
                Err(mistake) => return Err(mistake),
            });
        }
        if totals.compare_known {
            plan.compare_known();
        }
        let is_number = |measure: &Measure| measure.kind != MeasureKind::Other;
        let numbers = plan.measures.iter().map(is_number).collect();
        Ok((plan, LayoutBasis { found, numbers, time }))
    }

    fn add(&mut self, base: &BoundBase, engine: &Engine) -> Result<(), Mistake> {
        let column_name = base.column_name.clone();
        let named = |kind, least_places, work| Measure {
            column_name: column_name.clone(),
            least_places,
            kind,
            work,
            counted: None,
            amount_as_ratio: false,
        };
        let measure = match &base.what {
            Base::Lines => named(MeasureKind::Count, 0, Work::Lines),
            Base::Column(column) => {
                let read = engine.value_read(*column);
                let expr = engine.column_expr(read);
                let Type::Number { places } = expr.ty else {
                    return Err(no_number(base, expr.ty));
                };
                let work = Work::Of(self.gather(expr, Aggregate::Sum));
                named(MeasureKind::Amount(places), places, work)
            }
            Base::Figure(figure) => self.add_figure(*figure, base, engine)?,
            Base::Of(summary, node) => self.add_summary(*summary, node, base, engine)?,
        };
        if base.shared && !self.is_part_of_whole(&measure) {
            let message = "a share is part of a sum or a count, and this is neither";
            let help = "show it by itself: it is comparable as it is, with that of `all`";
            return Err(base.written.mistaken(MistakeKind::NoTotal, message).help(help));
        }
        let counted = self.counted(&measure.work);
        self.measures.push(Measure { counted, ..measure });
        Ok(())
    }

    /// Counts besides the lines on which a smallest, largest or different value is known: the others are left out.
    fn counted(&mut self, work: &Work) -> Option<usize> {
        let Work::Of(sum) = work else { return None };
        let Summed { expr, how, .. } = &self.sums[*sum];
        let counts_itself =
            !matches!(how, Aggregate::Smallest | Aggregate::Largest | Aggregate::Distinct);
        let expr = expr.clone();
        (!counts_itself).then(|| self.gather(expr, Aggregate::Count))
    }

    /// The average, smallest value or count of an expression.
    fn add_summary(
        &mut self,
        summary: Summary,
        node: &Node,
        base: &BoundBase,
        engine: &Engine,
    ) -> Result<Measure, Mistake> {
        let expr = check(node, engine, &base.written)?;
        let number = matches!(expr.ty, Type::Number { .. });
        if summary.needs_number() && !number {
            return Err(no_number(base, expr.ty));
        }
        let of_value = (shown_of(&expr, engine), engine.least_places(&expr));
        let count = (MeasureKind::Count, 0);
        let (how, (kind, least_places)) = match summary {
            Summary::Sum => (Aggregate::Sum, of_value),
            Summary::Average => (Aggregate::Average, (average_shown(of_value.0), 0)),
            Summary::Median => (Aggregate::Median, of_value),
            Summary::Smallest => (Aggregate::Smallest, of_value),
            Summary::Largest => (Aggregate::Largest, of_value),
            Summary::Count | Summary::CountBlank => (Aggregate::Count, count),
            _ => (Aggregate::Distinct, count),
        };
        let by =
            (how == Aggregate::Distinct).then(|| ByExpr::new(String::new(), expr.clone(), engine));
        let sum = self.gather(expr, how);
        self.sums[sum].by = by;
        let work = match summary {
            Summary::Count => Work::Known(sum),
            Summary::CountBlank => Work::Blank(sum),
            _ => Work::Of(sum),
        };
        let column_name = base.column_name.clone();
        Ok(Measure { column_name, least_places, kind, work, counted: None, amount_as_ratio: false })
    }

    /// The total of a figure, by the rule that it states or by what it is.
    fn add_figure(
        &mut self,
        figure: usize,
        base: &BoundBase,
        engine: &Engine,
    ) -> Result<Measure, Mistake> {
        let bound = &engine.bound.figures[figure];
        let expr = Expr { kind: ExprKind::Figure(figure), ty: engine.figure(figure).expr.ty };
        let column_name = base.column_name.clone();
        let mistaken = |message: String, help: &str| {
            base.written.mistaken(MistakeKind::NoTotal, message).help(help)
        };
        let Type::Number { .. } = expr.ty else {
            return Err(no_number(base, expr.ty));
        };
        let mut least_places = engine.least_places(&expr);
        let how = match bound.total {
            Some(TotalRule::None) => {
                let message =
                    format!("`{column_name}` has no total: the plan says `totals = \"none\"`");
                return Err(mistaken(
                    message,
                    "leave it out of `show`, or show `avg`, `min` or `max` of it",
                ));
            }
            Some(TotalRule::Sum) => Some(Aggregate::Sum),
            Some(TotalRule::Average) => Some(Aggregate::Average),
            Some(TotalRule::Smallest) => Some(Aggregate::Smallest),
            Some(TotalRule::Largest) => Some(Aggregate::Largest),
            Some(TotalRule::Again) => None,
            None if contains_ratio(&expr, engine) => None,
            None if has_total(&expr, engine) => Some(Aggregate::Sum),
            None => {
                let message =
                    format!("`{column_name}` is a rate: its sum over lines is meaningless");
                return Err(mistaken(
                    message,
                    "multiply it by an amount of the line, show `avg`, `min` or `max` of it, or set totals = \"average\" for the figure",
                ));
            }
        };
        let (work, kind) = match how {
            Some(how) => {
                if how == Aggregate::Average {
                    least_places = 0;
                }
                (Work::Of(self.gather(expr.clone(), how)), shown_of(&expr, engine))
            }
            None => {
                let mut parts = Vec::new();
                let again = over_totals(&engine.figure(figure).expr, engine, &mut parts);
                let again = again.ok_or_else(|| {
                    if parts.len() > MOST_PARTS {
                        let message = format!("`{column_name}` is computed from more than {MOST_PARTS} sums");
                        return mistaken(message, "the figures in it use each other too often; write the ratio over figures that are amounts");
                    }
                    let message = format!("`{column_name}` mixes a ratio with an attribute of a lookup and has no total");
                    mistaken(message, "leave it out of `show`, or set `totals` of the figure")
                })?;
                let first = self.sums.len();
                let companions: Vec<usize> = (first..first + parts.len()).collect();
                for (expr, how) in parts {
                    self.sums.push(Summed { expr, how, companions: companions.clone(), by: None });
                }
                (Work::Again { parts: companions, expr: again }, shown_of(&expr, engine))
            }
        };
        let by_itself = matches!(work, Work::Again { .. }) && bound.total.is_none();
        let amount_as_ratio = by_itself && looks_like_amount(&expr, engine);
        Ok(Measure { column_name, least_places, kind, work, counted: None, amount_as_ratio })
    }

    /// Whether that of a part can be said to be so much of that of the whole: ratios, averages and extremes cannot.
    fn is_part_of_whole(&self, measure: &Measure) -> bool {
        match measure.work {
            Work::Lines | Work::Known(_) | Work::Blank(_) => true,
            Work::Of(sum) => matches!(
                self.sums[sum].how,
                Aggregate::Sum | Aggregate::Count | Aggregate::Distinct
            ),
            Work::Again { .. } => false,
        }
    }

    /// Adds the sums by which the groups are proved to hold all lines: of every amount of the fact, and of those figures
    /// that are summed here anyway.
    pub(crate) fn prove(&mut self, engine: &Engine) {
        self.measured = engine.measured().len();
        // Lines that are seen as later ones are counted in the table that has them as what they are.
        if self.is_shifted() {
            return;
        }
        for (measure, measured) in engine.measured().iter().enumerate() {
            let is_it = |expr: &Expr| match (&expr.kind, measured) {
                (ExprKind::Column(column), Measured::Read(own) | Measured::Computed(own)) => {
                    column == own
                }
                (ExprKind::Figure(figure), Measured::Figure(own)) => figure == own,
                _ => false,
            };
            let is_plain = |sum: &Summed| sum.how == Aggregate::Sum && sum.companions.is_empty();
            let known = self.sums.iter().position(|sum| is_plain(sum) && is_it(&sum.expr));
            let sum = match measured {
                Measured::Read(column) | Measured::Computed(column) => {
                    Some(known.unwrap_or_else(|| {
                        self.gather(engine.column_expr(*column), Aggregate::Sum)
                    }))
                }
                Measured::Figure(_) => known,
            };
            self.proof.extend(sum.map(|sum| (measure, sum)));
        }
    }

    /// A tally of no line.
    pub(crate) fn tally_of_none(&self) -> Tally {
        let mut tally = Tally { sums: vec![None; self.measured], ..Tally::default() };
        for (measure, _) in &self.proof {
            tally.sums[*measure] = Some(ExactSum::default());
        }
        tally
    }

    /// Gathers an expression; the number of its sum.
    fn gather(&mut self, expr: Expr, how: Aggregate) -> usize {
        self.sums.push(Summed { expr, how, companions: Vec::new(), by: None });
        self.sums.len() - 1
    }

    /// Which source of its table it is; the first has the layout.
    pub fn source(&self) -> usize {
        self.source
    }

    /// Whether its lines are seen as later ones; they are in the table for what was earlier.
    pub fn is_shifted(&self) -> bool {
        self.shift.is_some()
    }

    /// The attributes that lines are grouped by, as they are written.
    pub fn attributes(&self) -> impl Iterator<Item = (&str, &Expr)> {
        self.by.iter().map(|by| (by.column_name.as_str(), &by.expr))
    }

    /// All expressions that are computed per line.
    pub(crate) fn exprs(&self) -> impl Iterator<Item = &Expr> {
        let by = self.by.iter().map(|by| &by.expr);
        by.chain(&self.filter).chain(self.sums.iter().map(|sum| &sum.expr))
    }
}

fn has_day(day: Expr) -> Expr {
    let is_blank = Expr { kind: ExprKind::IsBlank(Box::new(day)), ty: Type::YesNo };
    Expr { kind: ExprKind::Not(Box::new(is_blank)), ty: Type::YesNo }
}

fn both(one: Expr, other: Expr) -> Expr {
    Expr { kind: ExprKind::And(Box::new(one), Box::new(other)), ty: Type::YesNo }
}

fn no_number(base: &BoundBase, ty: Type) -> Mistake {
    let message = format!("`{}` is {}, and only numbers are summed", base.column_name, ty.shown());
    base.written
        .mistaken(MistakeKind::WrongType, message)
        .help("group by it, or show `count(distinct …)`, `min` or `max` of it")
}

/// How a value is shown as the plan says.
pub(crate) fn kind_shown(shown: ShownAs, ty: Type) -> MeasureKind {
    match shown.form {
        ShownForm::Money => MeasureKind::Money(shown.places.unwrap_or(2)),
        ShownForm::Percent => MeasureKind::Percent(shown.places.unwrap_or(1)),
        ShownForm::Number => {
            let places = match ty {
                Type::Number { places } => places.min(2),
                _ => 0,
            };
            MeasureKind::Number(shown.places.unwrap_or(places))
        }
    }
}

/// How the average of such values is best shown: that of whole numbers is none.
fn average_shown(of: MeasureKind) -> MeasureKind {
    match of {
        MeasureKind::Amount(places) => MeasureKind::Amount(places.max(2)),
        other => other,
    }
}

/// How a value is best shown.
pub(crate) fn shown_of(expr: &Expr, engine: &Engine) -> MeasureKind {
    if let ExprKind::Figure(figure) = expr.kind
        && let Some(shown) = engine.bound.figures[figure].shown
    {
        return kind_shown(shown, expr.ty);
    }
    if let ExprKind::Column(column) = expr.kind
        && engine.is_percent(column)
    {
        return MeasureKind::Percent(1);
    }
    match expr.ty {
        Type::Number { .. } if contains_ratio(expr, engine) => MeasureKind::Ratio,
        Type::Number { places } => MeasureKind::Amount(places),
        _ => MeasureKind::Other,
    }
}
