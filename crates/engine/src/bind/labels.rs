//! Labels: what they are of must be there.

use interligo_model::formula::parse;
use interligo_model::plan::{Mistake, MistakeKind, Plan, Written};

use super::Bound;
use super::scope::Scope;
use super::type_demands::uses_of;

/// Columns of totals that no formula names.
const MADE: [&str; 2] = ["lines", "difference"];

/// Refuses labels of what no fact has, and labels that say nothing.
pub(super) fn refuse_unknown(plan: &Plan, facts: &[Bound]) -> Result<(), Vec<Mistake>> {
    let mut mistakes = Vec::new();
    for entry in plan.labels.iter() {
        let written = Written::in_plan(&plan.source, &entry.name, entry.span.clone());
        if entry.value.0.trim().is_empty() {
            let message = format!("the label of `{}` is blank", entry.name);
            mistakes.push(written.mistaken(MistakeKind::WrongValue, message));
            continue;
        }
        if MADE.iter().any(|made| entry.name.starts_with(made)) {
            continue;
        }
        match parse(&written) {
            Err(mistake) => mistakes.push(mistake),
            Ok(node) => {
                let mut of_facts = facts.iter().map(|bound| {
                    let mut own = Vec::new();
                    uses_of(&node, &written, &Scope::of(bound), &mut own);
                    own
                });
                let first = of_facts.next().unwrap_or_default();
                if !first.is_empty() && of_facts.all(|own| !own.is_empty()) {
                    mistakes.extend(first);
                }
            }
        }
    }
    if mistakes.is_empty() { Ok(()) } else { Err(mistakes) }
}
