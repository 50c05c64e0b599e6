//! Labels: what they are of must be there.

use std::collections::HashMap;

use interligo_model::formula::parse;
use interligo_model::plan::{Mistake, MistakeKind, Plan, Written};

use super::Bound;
use super::scope::Scope;
use super::type_demands::uses_of;

/// Columns of totals that no formula names.
fn is_made(name: &str) -> bool {
    ["lines", "difference"].contains(&name) || name.starts_with("difference / ")
}

/// Refuses labels of what no fact has, labels that say nothing, and such as two columns would have.
pub(super) fn refuse_unknown(plan: &Plan, facts: &[Bound]) -> Result<(), Vec<Mistake>> {
    let mut mistakes = Vec::new();
    let mut labelled: HashMap<&str, &str> = HashMap::new();
    for entry in plan.labels.iter() {
        let (name, label) = (entry.name.as_str(), entry.value.0.trim());
        let written = Written::in_plan(&plan.source, name, entry.span.clone());
        let wrong = |message: String| written.mistaken(MistakeKind::WrongValue, message);
        if label.is_empty() {
            mistakes.push(wrong(format!("the label of `{name}` is blank")));
        } else if let Some(other) =
            labelled.insert(label, name).or_else(|| own_name(plan, facts, name, label))
        {
            let message = format!("`{other}` and `{name}` would both be called `{label}`");
            mistakes.push(wrong(message).help("give one of them another label"));
        } else if !is_made(name) {
            mistakes.extend(unknown(&written, facts));
        }
    }
    if mistakes.is_empty() { Ok(()) } else { Err(mistakes) }
}

/// A figure or column of a fact, other than the one called `name`, that has the label for its own name.
fn own_name<'a>(plan: &Plan, facts: &'a [Bound], name: &str, label: &str) -> Option<&'a str> {
    let figures = facts.iter().flat_map(|bound| &bound.figures).map(|figure| &figure.name);
    let mut names = figures.chain(facts.iter().flat_map(|bound| &bound.fact.columns));
    let is_it = |own: &&String| *own == label && *own != name && plan.labels.get(own).is_none();
    names.find(is_it).map(String::as_str)
}

/// What is unknown in a formula to all facts, as the first of them tells it.
fn unknown(written: &Written, facts: &[Bound]) -> Vec<Mistake> {
    let node = match parse(written) {
        Ok(node) => node,
        Err(mistake) => return vec![mistake],
    };
    let mut of_facts = facts.iter().map(|bound| {
        let mut own = Vec::new();
        uses_of(&node, written, &Scope::of(bound), &mut own);
        own
    });
    let first = of_facts.next().unwrap_or_default();
    if of_facts.any(|own| own.is_empty()) { Vec::new() } else { first }
}
