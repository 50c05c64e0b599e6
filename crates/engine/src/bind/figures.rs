//! Figures: each belongs to a fact, and comes after those that it builds on.

use std::collections::{HashMap, HashSet};
use std::sync::Arc;

use interligo_model::formula::{Node, NodeKind, parse};
use interligo_model::plan::{
    BandEntry, ColumnName, Entry, FigureEntry, Mistake, MistakeKind, Plan, ShownAs, TotalRule,
    Written,
};
use interligo_model::values::decimal::{Decimal, Rounding};
use interligo_model::words::counted;

use super::type_demands::Demand;
use super::{Bound, BoundFigure, FigureKind, Reference, Scope, Use, fact_called, uses_of};
use crate::eval::Band;

/// A figure whose formula has been read.
#[derive(Clone)]
struct Parsed {
    name: String,
    written: Written,
    node: Node,
    of: Option<usize>,
    total: Option<TotalRule>,
    shown: Option<ShownAs>,
    kind: FigureKind,
}

/// Binds the figures, bands and shared attributes of a plan, each to its fact.
pub(super) fn bind_figures(plan: &Plan, facts: &mut [Bound]) -> Result<(), Vec<Mistake>> {
    let (mut figures, mut mistakes) = (Vec::new(), Vec::new());
    let parsed = plan.figures.iter().map(|entry| figure(plan, entry, facts));
    let parsed = parsed.chain(plan.bands.iter().map(|entry| band(plan, entry)));
    for figure in parsed {
        match figure {
            Ok(figure) => figures.push(figure),
            Err(mistake) => mistakes.push(mistake),
        }
    }
    match shared(plan, facts) {
        Ok(found) => figures.extend(found),
        Err(mistake) => mistakes.push(mistake),
    }
    mistakes.extend(same_name(plan));
    if !mistakes.is_empty() {
        return Err(mistakes);
    }
    let owners = owners(&figures, facts);
    for (figure, owners) in figures.into_iter().zip(owners) {
        for owner in owners {
            let Parsed { name, written, node, total, shown, kind, .. } = figure.clone();
            facts[owner].add_figure(BoundFigure { name, written, node, total, shown, kind });
        }
    }
    facts.iter_mut().try_for_each(settle)
}

fn figure(plan: &Plan, entry: &Entry<FigureEntry>, facts: &[Bound]) -> Result<Parsed, Mistake> {
    let written = plan.formula(entry);
    let of = entry.value.of.as_ref().map(|of| fact_called(facts, &plan.written(of)));
    let rounding = entry.value.rounding.as_ref();
    let round = match (&entry.value.round, rounding) {
        (Some(places), rounding) => {
            if *places.get_ref() > 20 {
                return Err(Mistake::in_plan(
                    MistakeKind::WrongValue,
                    places.span(),
                    "no more than 20 places can be kept",
                ));
            }
            Some((*places.get_ref(), rounding.map_or(Rounding::HalfEven, |r| *r.get_ref())))
        }
        (None, Some(rounding)) => {
            return Err(Mistake::in_plan(
                MistakeKind::NoEffect,
                rounding.span(),
                "`rounding` has no effect without `round`",
            )
            .help("add for instance round = 2"));
        }
        (None, None) => None,
    };
    Ok(Parsed {
        name: entry.name.clone(),
        node: parse(&written)?,
        written,
        of: of.transpose()?,
        total: entry.value.totals,
        shown: entry.value.shown,
        kind: FigureKind::Formula(round),
    })
}

fn band(plan: &Plan, entry: &Entry<BandEntry>) -> Result<Parsed, Mistake> {
    let BandEntry { of, edges, names, included } = &entry.value;
    let written = plan.written(of);
    let mistaken =
        |message: String| Mistake::in_plan(MistakeKind::WrongValue, edges.span(), message);
    let parsed = edges.get_ref().iter().map(|edge| {
        Decimal::parse(edge.0.as_bytes())
            .ok_or_else(|| mistaken(format!("`{}` is not a number", edge.0)))
    });
    let parsed = parsed.collect::<Result<Vec<_>, _>>()?;
    if let Some(pair) = parsed.windows(2).find(|pair| pair[0] >= pair[1]) {
        let message = format!("the edges do not rise: {} comes before {}", pair[0], pair[1]);
        return Err(mistaken(message).help("write each edge once, the smallest first"));
    }
    if parsed.is_empty() {
        return Err(mistaken("a band needs at least one edge".to_owned()));
    }
    let names = match names {
        None => Band::usual_names(&parsed, *included),
        Some(names) if names.get_ref().len() == parsed.len() + 1 => {
            names.get_ref().iter().map(|name| name.as_str().into()).collect()
        }
        Some(names) => {
            let (found, wanted) = (names.get_ref().len(), parsed.len() + 1);
            let message = format!("{} for {wanted} ranges", counted(found as u64, "name"));
            return Err(Mistake::in_plan(MistakeKind::WrongValue, names.span(), message)
                .help("name also what lies below the first edge and what lies above the last"));
        }
    };
    let band = Band { edges: parsed, names, included: *included };
    Ok(Parsed {
        name: entry.name.clone(),
        node: parse(&written)?,
        written,
        of: None,
        total: None,
        shown: None,
        kind: FigureKind::Band(Arc::new(band)),
    })
}

/// Shared attributes: of each fact that they name, a figure that is shown by no total. What is a column of that
/// name already needs none.
fn shared(plan: &Plan, facts: &[Bound]) -> Result<Vec<Parsed>, Mistake> {
    let mut found = Vec::new();
    for entry in plan.shared.iter() {
        for of in entry.value.iter() {
            let fact = plan.written_at(&of.name, of.name_span.clone());
            let fact = fact_called(facts, &fact)?;
            let written = plan.written_at(&of.value, of.span.clone());
            let node = parse(&written)?;
            let own = match &node.kind {
                NodeKind::Name(name) => name.through.is_empty() && name.column == entry.name,
                _ => false,
            };
            if !own {
                found.push(Parsed {
                    name: entry.name.clone(),
                    written,
                    node,
                    of: Some(fact),
                    total: None,
                    shown: None,
                    kind: FigureKind::Shared,
                });
            }
        }
    }
    Ok(found)
}

/// A name that two of figures, bands and shared attributes have.
fn same_name(plan: &Plan) -> Option<Mistake> {
    let figures = plan.figures.iter().map(|entry| (&entry.name, &entry.name_span, "a figure"));
    let bands = plan.bands.iter().map(|entry| (&entry.name, &entry.name_span, "a band"));
    let shared =
        plan.shared.iter().map(|entry| (&entry.name, &entry.name_span, "a shared attribute"));
    let mut known: HashMap<&String, &str> = HashMap::new();
    for (name, span, what) in figures.chain(bands).chain(shared) {
        if let Some(other) = known.insert(name, what) {
            let message = format!("`{name}` is {other} already");
            return Some(
                Mistake::in_plan(MistakeKind::DuplicateName, span.clone(), message)
                    .help("rename one of them"),
            );
        }
    }
    None
}

/// The facts of each figure: the one that the plan says, else the first that has all that it names; of a band all
/// that have it.
fn owners(figures: &[Parsed], facts: &[Bound]) -> Vec<Vec<usize>> {
    let fitting: Vec<Vec<bool>> =
        (0..facts.len()).map(|fact| fitting(figures, facts, fact)).collect();
    let owners = |(number, figure): (usize, &Parsed)| {
        let fits = || (0..facts.len()).filter(|fact| fitting[*fact][number]);
        match (figure.of, &figure.kind) {
            (Some(of), _) => vec![of],
            (None, FigureKind::Band(_)) if fits().next().is_some() => fits().collect(),
            (None, _) => vec![fits().next().unwrap_or(0)],
        }
    };
    figures.iter().enumerate().map(owners).collect()
}

/// Which figures could belong to a fact: all that they name is there, figures among it.
fn fitting(figures: &[Parsed], facts: &[Bound], fact: usize) -> Vec<bool> {
    let mut fits: Vec<bool> =
        figures.iter().map(|figure| figure.of.is_none_or(|of| of == fact)).collect();
    let scope = Scope::of(&facts[fact]);
    let fitting = figures.iter().zip(&fits).filter(|(_, fits)| **fits);
    let mut known: HashSet<&str> = fitting.map(|(figure, _)| figure.name.as_str()).collect();
    let names: Vec<Vec<&ColumnName>> =
        figures.iter().map(|figure| names_in(&figure.node)).collect();
    let mut users: HashMap<&str, Vec<usize>> = HashMap::new();
    for (number, names) in names.iter().enumerate() {
        names.iter().for_each(|name| users.entry(&name.column).or_default().push(number));
    }
    let mut open: Vec<usize> = (0..figures.len()).filter(|number| fits[*number]).collect();
    while let Some(number) = open.pop() {
        if fits[number] && !names[number].iter().all(|name| scope.knows(name, &known)) {
            fits[number] = false;
            known.remove(figures[number].name.as_str());
            open.extend(users.get(figures[number].name.as_str()).into_iter().flatten());
        }
    }
    fits
}

fn names_in(node: &Node) -> Vec<&ColumnName> {
    let mut names = Vec::new();
    node.walk(&mut |node| {
        if let NodeKind::Name(name) = &node.kind {
            names.push(name);
        }
    });
    names
}

/// Notes what the figures of a fact use, and in which order they are computed.
fn settle(bound: &mut Bound) -> Result<(), Vec<Mistake>> {
    let mut mistakes = Vec::new();
    let uses: Vec<Vec<Use>> = bound
        .figures
        .iter()
        .map(|figure| {
            let scope = Scope::of(bound);
            let mut uses = uses_of(&figure.node, &figure.written, &scope, &mut mistakes);
            // A column by itself says nothing of what it is needed as.
            let number = !matches!(figure.kind, FigureKind::Formula(None) | FigureKind::Shared);
            if let (true, NodeKind::Name(_), [only]) = (number, &figure.node.kind, &mut uses[..]) {
                only.needed = Some(Demand::NUMBER);
            }
            uses
        })
        .collect();
    if !mistakes.is_empty() {
        return Err(mistakes);
    }
    bound.figure_order = order(bound, &uses).map_err(|mistake| vec![mistake])?;
    for used in uses.into_iter().flatten() {
        bound.note(&used);
    }
    Ok(())
}

/// The figures in an order in which each comes after those that it builds on.
fn order(bound: &Bound, uses: &[Vec<Use>]) -> Result<Vec<usize>, Mistake> {
    let mut order = Vec::new();
    let mut visited = vec![Visited::No; uses.len()];
    let mut path = Vec::new();
    for figure in 0..bound.figures.len() {
        visit(figure, bound, uses, (&mut order, &mut visited), &mut path)?;
    }
    Ok(order)
}

/// Whether a figure has its place in the order.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Visited {
    No,
    /// Figures that it builds on are being placed.
    OnPath,
    Placed,
}

fn visit(
    figure: usize,
    bound: &Bound,
    uses: &[Vec<Use>],
    (order, visited): (&mut Vec<usize>, &mut Vec<Visited>),
    path: &mut Vec<usize>,
) -> Result<(), Mistake> {
    if visited[figure] == Visited::Placed {
        return Ok(());
    }
    if visited[figure] == Visited::OnPath {
        let start = path.iter().position(|on_path| *on_path == figure).unwrap_or(0);
        let names: Vec<&str> = path[start..]
            .iter()
            .chain([&figure])
            .map(|number| bound.figures[*number].name.as_str())
            .collect();
        let message = format!("the figures go in a circle: {}", names.join(" -> "));
        return Err(bound.figures[figure].written.mistaken(MistakeKind::Circle, message));
    }
    path.push(figure);
    visited[figure] = Visited::OnPath;
    for used in &uses[figure] {
        if let Reference::Figure(next) = used.reference {
            visit(next, bound, uses, (&mut *order, &mut *visited), path)?;
        }
    }
    path.pop();
    visited[figure] = Visited::Placed;
    order.push(figure);
    Ok(())
}

/// The figure that says what is at weigh_by, in the fact that it belongs to.
pub(super) fn bind_weigh_by(plan: &Plan, facts: &mut [Bound]) -> Result<(), Mistake> {
    let Some(weigh_by) = &plan.plan.weigh_by else { return Ok(()) };
    let written = plan.written(weigh_by);
    for bound in facts {
        let figure = bound.figure_called(&written.text);
        bound.weigh_by = figure.map(|figure| (figure, written.clone()));
        if figure.is_some() {
            return Ok(());
        }
    }
    let figures = plan.figures.iter().map(|figure| figure.name.as_str());
    Err(written
        .mistaken(MistakeKind::UnknownName, format!("there is no figure `{}`", written.text))
        .nearest(&written.text, figures))
}
