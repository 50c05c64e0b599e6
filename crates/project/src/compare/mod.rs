//! What changed between two runs: files, lines, and each figure by its causes.

mod bridge;
mod change;
mod computing;
mod state;
mod walk;
mod way;

use std::collections::BTreeMap;
use std::path::Path;

use interligo_engine::bind::{Request, TotalsRequest};
use interligo_engine::engine::{Engine, Extent};
use interligo_engine::eval::Expr;
use interligo_engine::live::LiveMeasure;
use interligo_engine::outputs::{OutputColumn, OutputContent};
use interligo_model::plan::{Mistake, MistakeKind, Plan, Written};
use interligo_model::values::decimal::Decimal;

pub use way::{FigureWay, WayStep};

use crate::error::Error;
use crate::prepare::{Job, OnDuplicates};
use crate::project::Project;
use crate::runs::{InputRecord, RecordedFact, RunRecord, shown};
use crate::trace::values_request;
use bridge::Bridging;
use computing::Computing;
use way::Bridge;

/// What the output is called that has the attribute by which figures are divided.
const GROUPS: &str = "groups compared";

/// Why a figure is another.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Cause {
    /// What kind of cause.
    pub kind: CauseKind,
    /// The column, link or attribute; several where one alone would leave a line without a value.
    pub what: String,
    /// What it is on its lines: the key of a lookup, a value before and after; may be empty.
    pub example: String,
    /// Whether other lines have others than this one.
    pub has_others: bool,
}

/// A kind of cause, in the order in which they are taken.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum CauseKind {
    /// Lines that the first run does not have.
    New,
    /// Lines that the second run does not have.
    Gone,
    /// Lines that are in another group.
    Moved,
    /// A column of the fact.
    Own,
    /// Another key was matched, or one was found, or none any more.
    Match,
    /// A value of a lookup.
    Value,
    /// The plan.
    Plan,
}

/// Two runs, compared.
#[derive(Clone, Debug, PartialEq)]
pub struct Comparison {
    /// The runs, as they were named.
    pub runs: [String; 2],
    /// When they were, in seconds since 1970.
    pub at: [u64; 2],
    /// Files that are new, gone or changed.
    pub files: FilesCompared,
    /// The facts that both have.
    pub facts: Vec<FactComparison>,
    /// What to know besides.
    pub notes: Vec<String>,
}

/// How the inputs of two runs differ.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct FilesCompared {
    /// Files that only the second run read.
    pub new: Vec<String>,
    /// Files that only the first run read.
    pub gone: Vec<String>,
    /// Files with other contents.
    pub changed: Vec<String>,
}

/// A fact in two runs.
#[derive(Clone, Debug, PartialEq)]
pub struct FactComparison {
    /// Its name.
    pub fact: String,
    /// Its lines in the first and in the second.
    pub lines: [u64; 2],
    /// Each figure with its way.
    pub figures: Vec<(String, FigureWay)>,
    /// Figures that one of the runs does not have.
    pub only_one: Vec<(String, [Option<String>; 2])>,
    /// By group, each figure with its way.
    pub groups: Vec<(String, Vec<(String, FigureWay)>)>,
    /// Lines that changed, each with its causes and the difference that they make to each figure.
    pub changed: Vec<ChangedLine>,
}

/// A line that changed.
#[derive(Clone, Debug, PartialEq)]
pub struct ChangedLine {
    /// Its key.
    pub key: String,
    /// The causes, each with the difference that it makes to each figure; none to one that is no sum over lines.
    pub causes: Vec<(Cause, Vec<Option<Decimal>>)>,
}

/// What is compared besides figures as a whole.
#[derive(Clone, Debug, Default)]
pub struct CompareOptions {
    /// The attribute by which figures are divided.
    pub by: Option<String>,
    /// How many changed lines are listed.
    pub lines: usize,
}

impl Project {
    /// Compares two runs, each named by its number or by the folder of its record; one is compared with the last, and without
    /// names the last two are.
    ///
    /// **Cost**: one pass over both records; the figures of lines that differ are computed for each cause.
    ///
    /// # Errors
    /// There is no such record, or it is damaged; the plan of one cannot be opened any more.
    pub fn compare(&self, named: &[String], options: &CompareOptions) -> Result<Comparison, Error> {
        let (a, b) = match named {
            [a, b, ..] => (a.clone(), b.clone()),
            [a] => {
                self.record_at(a)?;
                (a.clone(), self.last_two()?.1)
            }
            [] => self.last_two()?,
        };
        let folders = [self.record_at(&a)?, self.record_at(&b)?];
        let records = [RunRecord::read(&folders[0])?, RunRecord::read(&folders[1])?];
        let [of_a, of_b] = [0, 1].map(|at| (folders[at].as_path(), &records[at]));
        Ok(Comparison { runs: [a, b], ..self.compare_records(of_a, of_b, options)? })
    }

    /// The same of two records in their folders.
    pub(crate) fn compare_records(
        &self,
        (folder_a, record_a): (&Path, &RunRecord),
        (folder_b, record_b): (&Path, &RunRecord),
        options: &CompareOptions,
    ) -> Result<Comparison, Error> {
        let mut notes = Vec::new();
        if record_a.corrections != record_b.corrections {
            notes.push("the corrections differ".to_owned());
        }
        if record_a.plan != record_b.plan {
            notes.push("the plans differ".to_owned());
        }
        let plan_b = self.of_plan(record_b)?;
        let currencies = [Plan::parse(&record_a.plan)?, Plan::parse(&record_b.plan)?]
            .map(|plan| plan.plan.currency.unwrap_or_default());
        let has_one_currency = currencies[0] == currencies[1];
        if !has_one_currency {
            let [a, b] = currencies.map(|own| if own.is_empty() { "none".to_owned() } else { own });
            notes.push(format!(
                "the currency was {a} and is {b}: amounts have no bridge, ratios do"
            ));
        }
        let plan_a = match record_a.plan == record_b.plan {
            true => None,
            false => Some(self.of_plan(record_a)?),
        };
        let job_b = jobs(&plan_b, options)?;
        let job_a =
            plan_a.as_ref().map(|plan| jobs(plan, &CompareOptions::default())).transpose()?;
        let mut facts = Vec::new();
        for own_b in &record_b.facts {
            let Some(own_a) = record_a.facts.iter().find(|fact| fact.name == own_b.name) else {
                notes.push(format!("`{}` is no fact of the first run", own_b.name));
                continue;
            };
            let a = RecordedFact::read(folder_a, own_a)?;
            let b = RecordedFact::read(folder_b, own_b)?;
            notes.extend(known_by_all(&a, &b));
            let engines = (
                engine_of(job_a.as_ref().unwrap_or(&job_b), &own_b.name),
                engine_of(&job_b, &own_b.name),
            );
            let (Some(of_a), Some(of_b)) = engines else { continue };
            facts.push(of_fact((&a, &b), (of_a, of_b), options, has_one_currency)?);
        }
        Ok(Comparison {
            runs: [shown(folder_a), shown(folder_b)],
            at: [record_a.at, record_b.at],
            files: files(record_a, record_b),
            facts,
            notes,
        })
    }

    fn last_two(&self) -> Result<(String, String), Error> {
        let numbers = self.run_numbers();
        match numbers.as_slice() {
            [.., a, b] => Ok((a.to_string(), b.to_string())),
            _ => {
                let known = numbers.len();
                let message = format!("two runs are compared, and a record is kept of {known}");
                let help = match self.plan.plan.keep_runs {
                    None => "add keep-runs = 3 to [plan], and run twice",
                    Some(_) => "run again; a record is kept of each run",
                };
                let kind = MistakeKind::MissingSetting;
                Err(Mistake::of_plan(kind, message).help(help).into())
            }
        }
    }

    /// The project of a recorded plan, over the files as they are now: its formulas are wanted, and not its data.
    fn of_plan(&self, record: &RunRecord) -> Result<Project, Error> {
        let mut plan = Plan::parse(&record.plan)?;
        plan.stem = Some(record.stem.clone());
        Project::open(plan, self.folder())
    }
}

/// A job with all totals of each fact, and the attribute by which they are divided.
fn jobs(project: &Project, options: &CompareOptions) -> Result<Job, Error> {
    let mut requests = Vec::new();
    for fact in project.plan.facts() {
        let of = Written::in_option("compare", &fact.name, 0..fact.name.len());
        let totals =
            Request::of_totals(format!("totals of {}", fact.name), TotalsRequest::default());
        requests.push(Request { of: Some(of), ..totals });
    }
    // The attribute is that of the fact which has it.
    requests.extend(options.by.as_deref().map(|by| values_request(GROUPS, "--by", Some(by))));
    project.prepare(&requests, Extent::Everything, OnDuplicates::Report)
}

/// What is computed of a fact: the engine, its figures with what they are made of, and the attribute.
type OfFact<'j> = (&'j Engine, Vec<(String, LiveMeasure)>, Option<Expr>);

fn engine_of<'j>(job: &'j Job, fact: &str) -> Option<OfFact<'j>> {
    let number = job.engines.iter().position(|engine| engine.bound.fact.name == fact)?;
    let (engine, outputs) = (&job.engines[number], &job.outputs[number]);
    let all = outputs.iter().find(|output| output.name == format!("totals of {fact}"))?;
    let figures: Vec<&str> =
        engine.bound.figures.iter().map(|figure| figure.name.as_str()).collect();
    let measures = all.named_measures().into_iter();
    let measures = measures
        .filter(|(name, _)| figures.contains(&name.as_str()))
        .filter_map(|(name, measure)| Some((name, measure?)));
    let by = outputs.iter().filter(|output| output.name == GROUPS).find_map(|output| {
        let OutputContent::Lines { columns, .. } = &output.content else { return None };
        match columns.first()? {
            OutputColumn::Value { value, .. } => Some(engine.value_expr(*value).clone()),
            _ => None,
        }
    });
    Some((engine, measures.collect(), by))
}

fn of_fact(
    (a, b): (&RecordedFact, &RecordedFact),
    (of_a, of_b): (OfFact<'_>, OfFact<'_>),
    options: &CompareOptions,
    has_one_currency: bool,
) -> Result<FactComparison, Error> {
    let (engine_a, figures_a, _) = of_a;
    let (engine_b, figures_b, by) = of_b;
    let shown = &engine_b.bound.figures;
    let is_percent = |name: &String| shown.iter().any(|own| own.name == *name && own.is_percent());
    let names: Vec<String> = figures_b
        .iter()
        .filter(|(_, measure)| has_one_currency || matches!(measure, LiveMeasure::Ratio { .. }))
        .map(|(name, _)| name.clone())
        .filter(|name| figures_a.iter().any(|(other, _)| other == name))
        .collect();
    let of = |figures: &[(String, LiveMeasure)]| {
        let measure = |name: &String| {
            figures.iter().find(|(own, _)| own == name).map(|(_, measure)| measure.clone())
        };
        names.iter().map(measure).collect::<Vec<_>>()
    };
    let has_by = by.is_some();
    // The group is decided by the second plan, over the values of either run.
    let percents: Vec<bool> = names.iter().map(is_percent).collect();
    let with_a = Computing::new(engine_a, a, of(&figures_a), percents.clone(), None);
    let with_b = Computing::new(engine_b, b, of(&figures_b), percents, by);
    let bridging = Bridging {
        a,
        b,
        with_a: &with_a,
        with_b: &with_b,
        // One plan has one engine.
        is_one_plan: std::ptr::eq(engine_a, engine_b),
        same: a.same_rows(b),
        listed: options.lines,
    };
    let bridge = bridging.over_all()?;
    let ways = |bridge: &Bridge| -> Vec<(String, FigureWay)> {
        let way =
            |(at, name): (usize, &String)| (name.clone(), bridge.of_figure(at, (&with_a, &with_b)));
        names.iter().enumerate().map(way).collect()
    };
    let total = |fact: &RecordedFact, name: &String| {
        fact.totals().iter().find(|(own, _)| own == name).map(|(_, total)| total.clone())
    };
    let mut only_one: Vec<(String, [Option<String>; 2])> = Vec::new();
    for (name, _) in a.totals().iter().chain(b.totals()) {
        if !names.contains(name) && !only_one.iter().any(|(own, _)| own == name) {
            only_one.push((name.clone(), [total(a, name), total(b, name)]));
        }
    }
    Ok(FactComparison {
        fact: b.name().to_owned(),
        lines: [a.lines(), b.lines()],
        figures: ways(&bridge),
        only_one,
        groups: match has_by {
            true => bridge.groups.iter().map(|(name, own)| (name.clone(), ways(own))).collect(),
            false => Vec::new(),
        },
        changed: bridge.changed,
    })
}

/// Why the lines of a fact are not known by their key, if they are not.
fn known_by_all(a: &RecordedFact, b: &RecordedFact) -> Option<String> {
    let name = b.name();
    let why = match (a.key(), b.key()) {
        (_, []) => format!("`{name}` has no key"),
        (of_a, of_b) if of_a != of_b => {
            let of_a = if of_a.is_empty() { "none".to_owned() } else { of_a.join(", ") };
            format!("the key of `{name}` was {of_a} and is {}", of_b.join(", "))
        }
        _ if !(a.is_unique() && b.is_unique()) => format!("lines of `{name}` share their key"),
        _ => return None,
    };
    Some(format!(
        "{why}: lines are known by all their own columns, so one in which a column changed is one gone and one new"
    ))
}

/// How the inputs differ.
fn files(a: &RunRecord, b: &RunRecord) -> FilesCompared {
    let of = |record: &RunRecord| -> BTreeMap<String, Option<String>> {
        // The contents are those of the whole file, whatever its sheets.
        let file = |own: &InputRecord| match (own.file.split_once('#'), &own.contents) {
            (Some((file, _)), Some(_)) => file.to_owned(),
            _ => own.file.clone(),
        };
        record.inputs.iter().map(|own| (file(own), own.contents.clone())).collect()
    };
    let (a, b) = (of(a), of(b));
    FilesCompared {
        new: b.keys().filter(|file| !a.contains_key(*file)).cloned().collect(),
        gone: a.keys().filter(|file| !b.contains_key(*file)).cloned().collect(),
        changed: b
            .iter()
            .filter(|(file, contents)| a.get(*file).is_some_and(|before| before != *contents))
            .map(|(file, _)| file.clone())
            .collect(),
    }
}
