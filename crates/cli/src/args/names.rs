//! The names of the plan at hand, which a shell completes.

use clap::CommandFactory;
use clap_complete::CompletionCandidate;
use interligo_model::plan::{Plan, Role};
use interligo_project::{Code, read_plan};
use interligo_report::text::plan_sections;

use super::Arguments;
use crate::commands::nearest_plan;

type Candidates = Vec<CompletionCandidate>;

/// Names of the nearest plan; none where there is no plan, or one that cannot be read.
fn of_plan(names: impl Fn(&Plan) -> Vec<String>) -> Candidates {
    let plan = nearest_plan().and_then(|path| read_plan(&path).ok());
    plan.map_or_else(Vec::new, |plan| {
        names(&plan).into_iter().map(CompletionCandidate::new).collect()
    })
}

/// The tables.
pub(crate) fn tables() -> Candidates {
    of_plan(|plan| plan.tables.iter().map(|table| table.name.clone()).collect())
}

/// The tables with lines.
pub(crate) fn facts() -> Candidates {
    let is_fact = |role: Role| role == Role::Fact;
    of_plan(|plan| {
        let facts = plan.tables.iter().filter(|table| is_fact(table.value.role));
        facts.map(|table| table.name.clone()).collect()
    })
}

/// The links, by their names or the lookups they lead to.
pub(crate) fn links() -> Candidates {
    of_plan(link_names)
}

fn link_names(plan: &Plan) -> Vec<String> {
    let name = |link: &interligo_model::plan::LinkEntry| {
        let given = link.name.as_ref().map(|name| name.get_ref().clone());
        given.or_else(|| {
            let (_, to) = link.path.get_ref().split_once("->")?;
            Some(to.trim().split('.').next()?.to_owned())
        })
    };
    let mut names: Vec<String> = plan.link.iter().filter_map(|link| name(link.get_ref())).collect();
    names.sort();
    names.dedup();
    names
}

/// The figures.
pub(crate) fn figures() -> Candidates {
    of_plan(|plan| {
        let own = plan.figures.iter().map(|figure| figure.name.clone());
        own.chain(["lines".to_owned()]).collect()
    })
}

/// The outputs.
pub(crate) fn outputs() -> Candidates {
    of_plan(|plan| plan.outputs.iter().map(|output| output.name.clone()).collect())
}

/// The outputs that are totals.
pub(crate) fn totals() -> Candidates {
    of_plan(|plan| {
        let own = plan.outputs.iter().filter(|output| output.value.by.is_some());
        own.map(|output| output.name.clone()).collect()
    })
}

/// Kinds of findings, links and tables.
pub(crate) fn checked() -> Candidates {
    let mut all: Candidates =
        Code::ALL.iter().map(|code| CompletionCandidate::new(code.name())).collect();
    all.extend(links());
    all.extend(tables());
    all
}

/// What there is help for.
pub(crate) fn helped() -> Candidates {
    let program = Arguments::command();
    let commands = program.get_subcommands().map(|command| command.get_name().to_owned());
    let subjects = ["formulas", "plan"].into_iter().chain(plan_sections()).map(str::to_owned);
    commands.chain(subjects).map(CompletionCandidate::new).collect()
}
