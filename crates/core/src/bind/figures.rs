//! Figures: each belongs to a fact, and comes after those that it builds on.

use super::{Bound, BoundFigure, Reference, Scope, Use, fact_called, uses_of};
use crate::formula::{Node, NodeKind, parse};
use crate::plan::{Mistake, Plan, Written};

/// A figure whose formula has been read.
struct Parsed {
    name: String,
    written: Written,
    node: Node,
    of: Option<usize>,
}

/// Binds the figures of a plan, each to its fact.
pub(super) fn bind_figures(plan: &Plan, facts: &mut [Bound]) -> Result<(), Vec<Mistake>> {
    let (mut figures, mut mistakes) = (Vec::new(), Vec::new());
    for entry in plan.figures.iter() {
        let written = plan.formula(entry);
        let of = entry.value.of.as_ref().map(|of| fact_called(facts, &plan.written(of)));
        match (parse(&written), of.transpose()) {
            (Ok(node), Ok(of)) => {
                figures.push(Parsed { name: entry.name.clone(), written, node, of });
            }
            (Err(mistake), _) | (_, Err(mistake)) => mistakes.push(mistake),
        }
    }
    if !mistakes.is_empty() {
        return Err(mistakes);
    }
    let owners = owners(&figures, facts);
    for (figure, owner) in figures.into_iter().zip(owners) {
        let Parsed { name, written, node, .. } = figure;
        facts[owner].figures.push(BoundFigure { name, written, node });
    }
    facts.iter_mut().try_for_each(settle)
}

/// The fact of each figure: the one that the plan says, else the first that has all that it names.
fn owners(figures: &[Parsed], facts: &[Bound]) -> Vec<usize> {
    let fitting: Vec<Vec<bool>> =
        (0..facts.len()).map(|fact| fitting(figures, facts, fact)).collect();
    let owner = |(number, figure): (usize, &Parsed)| {
        let fits = (0..facts.len()).find(|fact| fitting[*fact][number]);
        figure.of.or(fits).unwrap_or(0)
    };
    figures.iter().enumerate().map(owner).collect()
}

/// Which figures could belong to a fact: all that they name is there, figures among it.
fn fitting(figures: &[Parsed], facts: &[Bound], fact: usize) -> Vec<bool> {
    let mut fits: Vec<bool> =
        figures.iter().map(|figure| figure.of.is_none_or(|of| of == fact)).collect();
    let scope = Scope::of(&facts[fact]);
    loop {
        let known: Vec<&str> = figures
            .iter()
            .zip(&fits)
            .filter(|(_, fits)| **fits)
            .map(|(figure, _)| figure.name.as_str())
            .collect();
        let unknown = |figure: &Parsed| {
            let mut unknown = false;
            figure.node.walk(&mut |node| {
                if let NodeKind::Name(name) = &node.kind {
                    unknown |= !scope.knows(name, &known);
                }
            });
            unknown
        };
        let Some(out) = (0..figures.len()).find(|n| fits[*n] && unknown(&figures[*n])) else {
            return fits;
        };
        fits[out] = false;
    }
}

/// Notes what the figures of a fact use, and in which order they are worked out.
fn settle(bound: &mut Bound) -> Result<(), Vec<Mistake>> {
    let mut mistakes = Vec::new();
    let uses: Vec<Vec<Use>> = bound
        .figures
        .iter()
        .map(|figure| uses_of(&figure.node, &figure.written, &Scope::of(bound), &mut mistakes))
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
    let mut path = Vec::new();
    for figure in 0..bound.figures.len() {
        visit(figure, bound, uses, &mut order, &mut path)?;
    }
    Ok(order)
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

/// The figure that says what is at stake, in the fact that it belongs to.
pub(super) fn bind_stake(plan: &Plan, facts: &mut [Bound]) -> Result<(), Mistake> {
    let Some(stake) = &plan.plan.stake else { return Ok(()) };
    let written = plan.written(stake);
    for bound in facts {
        let figure = bound.figures.iter().position(|figure| figure.name == written.text);
        bound.stake = figure.map(|figure| (figure, written.clone()));
        if figure.is_some() {
            return Ok(());
        }
    }
    let figures = plan.figures.iter().map(|figure| figure.name.as_str());
    Err(written
        .mistaken(format!("there is no figure `{}`", written.text))
        .nearest(&written.text, figures))
}
