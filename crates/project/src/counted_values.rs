//! Values of a plan that are counted from the newest day in the data, and not from the clock: `last-month` is the same tomorrow.

use std::path::Path;

use interligo_model::plan::{
    CountedPeriod, Entry, Mistake, MistakeKind, Plan, TableEntry, parse_link_path,
};
use interligo_model::values::date::Day;
use interligo_sources::table::parts::{Table, WantedColumns};
use interligo_sources::table::rows::Rows;

use crate::error::Error;
use crate::parallelism::Parallelism;
use crate::project::Project;
use crate::run::stream::Stream;

/// Days from here on are ends that are open, and no days of sales.
const OPEN_END: Day = Day(2_932_532);

/// Values that were counted.
#[derive(Default)]
pub(crate) struct Counted {
    /// The values given, with those that were counted in the place of their words.
    pub(crate) given: Vec<(String, String)>,
    /// What they came to, in words.
    pub(crate) told: Vec<String>,
}

/// Counts the values of a plan that are periods counted from the newest day in its facts.
///
/// # Errors
/// No fact says which of its columns has the day; an input is named by such a value; a file cannot be read.
pub(crate) fn count(
    text: &str,
    given: &[(String, String)],
    folder: &Path,
) -> Result<Counted, Error> {
    let counted = Plan::counted_values(text, given);
    if counted.is_empty() {
        return Ok(Counted { given: given.to_vec(), told: Vec::new() });
    }
    // Two plans that differ in these values alone: whatever they are, the facts must be the same.
    let with = |day: Day| -> Result<Plan, Mistake> {
        let own = counted.iter().map(|(name, period)| (name.clone(), period.with(day).to_string()));
        Plan::parse_given(text, &given.iter().cloned().chain(own).collect::<Vec<_>>())
    };
    let (plan, other) = (with(Day(0))?, with(Day(400))?);
    let refused = |kind, why: &str, help: &str| -> Error {
        let message = format!("`{}` is counted from the newest day {why}", counted[0].1);
        Mistake::of_plan(kind, message).help(help).into()
    };
    if found_by(&plan)? != found_by(&other)? {
        let why = "of the facts, and a fact is found by it";
        let help = "write the period itself where it names the files of a fact";
        return Err(refused(MistakeKind::WrongValue, why, help));
    }
    let dated: Vec<(String, String)> =
        plan.facts().filter_map(|fact| Some((fact.name.clone(), date_of(&plan, fact)?))).collect();
    if dated.is_empty() {
        let why = "in the facts, and none says which of its columns has it";
        let help = "give the fact its `date`: date = \"sold_on\"";
        return Err(refused(MistakeKind::MissingSetting, why, help));
    }
    let Some((newest, fact)) = newest_of(plan, folder, &dated)? else {
        let help = "check how days are written: interligo look";
        return Err(refused(MistakeKind::WrongValue, "in the facts, and they have none", help));
    };
    let mut all = Counted { given: given.to_vec(), told: Vec::new() };
    for (name, period) in counted {
        let text = period.with(newest).to_string();
        all.told.push(told(&name, period, &text, newest, &fact));
        all.given.push((name, text));
    }
    Ok(all)
}

/// The newest day in some facts, each with the column that has its days; with the fact that has it.
fn newest_of(
    plan: Plan,
    folder: &Path,
    dated: &[(String, String)],
) -> Result<Option<(Day, String)>, Error> {
    let wanted = |name: &str| dated.iter().any(|(fact, _)| fact == name);
    let project = Project::open_tables(plan, folder, wanted)?;
    let mut found = Vec::new();
    for (fact, column) in dated {
        let day = newest_day(project.table(fact), column)?;
        found.extend(day.map(|day| (day, fact.clone())));
    }
    Ok(found.into_iter().max_by_key(|(day, _)| *day))
}

fn told(name: &str, period: CountedPeriod, text: &str, newest: Day, fact: &str) -> String {
    format!("{name} is {text}: {period}, counted from {newest}, the newest day in {fact}")
}

/// By what the files of all facts are found.
fn found_by(plan: &Plan) -> Result<Vec<String>, Mistake> {
    let mut all = Vec::new();
    for fact in plan.facts() {
        for files in plan.files(fact)? {
            all.extend(files.from.get_ref().0.iter().cloned());
            all.extend(files.leave_out.iter().flat_map(|list| list.get_ref().0.iter().cloned()));
            all.extend(files.query.map(|query| query.get_ref().clone()));
        }
    }
    Ok(all)
}

/// The column with the date of a fact's lines: its own, or that of the first link that goes by one.
fn date_of(plan: &Plan, fact: &Entry<TableEntry>) -> Option<String> {
    if let Some(date) = &fact.value.date {
        return Some(date.get_ref().clone());
    }
    let paths = plan.link.iter().filter_map(|link| {
        let path = parse_link_path(&plan.written(&link.get_ref().path)).ok()?;
        let from = path.from.first()?.first()?.through.first()?.clone();
        Some((from, path.as_of?.column))
    });
    let mut own = paths.filter(|(from, _)| *from == fact.name);
    own.next().map(|(_, column)| column)
}

/// The newest day in a column; none where it has none.
fn newest_day(table: &Table, column: &str) -> Result<Option<Day>, Error> {
    let Some(column) = table.columns.names.iter().position(|name| name == column) else {
        return Ok(None);
    };
    let wanted = WantedColumns::Some(vec![column]);
    let mut stream = Stream::new(table, Parallelism::default().block, &wanted, &|_, _| {});
    let mut newest = None;
    while let Some((_, number, block)) = stream.next()? {
        let part = &table.parts[number];
        let rows = Rows::of(block, table, part)?;
        let dates = part.style.of(column).dates;
        let texts = rows.values(part, column);
        // Days come in runs.
        let mut last = "";
        for row in 0..rows.len() {
            let text = texts.value(row).trim();
            if text == last {
                continue;
            }
            last = text;
            let day = dates.read(text).filter(|day| !day.is_odd() && *day < OPEN_END);
            newest = newest.max(day);
        }
    }
    Ok(newest)
}
