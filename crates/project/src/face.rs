//! What a program mostly asks of a project, in one call each.

use std::path::Path;

use interligo_engine::bind::Request;
use interligo_engine::engine::Extent;
use interligo_engine::totals::TotalsTable;
use interligo_model::plan::{Mistake, MistakeKind};

use crate::check::Checked;
use crate::error::Error;
use crate::parallelism::Parallelism;
use crate::prepare::OnDuplicates;
use crate::project::Project;
use crate::read_plan::read_plan;
use crate::run::{Inspection, OnStop, RunResult, check, run};

impl Project {
    /// Opens the plan in a file, with the tables beside it.
    ///
    /// # Errors
    /// The plan cannot be read or is wrong; a table is missing, empty or unreadable.
    pub fn open_file(plan: &Path) -> Result<Project, Error> {
        let parsed = read_plan(plan).map_err(|(error, _)| error)?;
        let folder = plan.parent().filter(|folder| *folder != Path::new(""));
        Project::open(parsed, folder.unwrap_or(Path::new(".")))
    }

    /// Writes the outputs of the plan, all of them or none, and proves that no line was lost, doubled or changed.
    ///
    /// **Cost**: one pass over the files of each fact, over all cores; two over a fact whose repeats are settled by what
    /// comes later. Lookups are held in memory, facts are not.
    ///
    /// # Errors
    /// A mistake in the plan; an input that cannot be read, an output that cannot be written; data that must stop the
    /// run; counts that do not close. No output has changed then.
    pub fn run_outputs(&self) -> Result<RunResult, Error> {
        let requests = self.run_requests()?;
        let job = self.prepare(&requests, Extent::Everything, OnDuplicates::Stop)?;
        run(self, &job, Parallelism::default(), OnStop::Stop, &|_, _| {})
    }

    /// A table of totals of the plan, by the name of its output; nothing is written.
    ///
    /// **Shape**: a row for each group, in the order that the plan asks for; each has the values of its attributes, then
    /// those of the measures. **Unknown** values are [`Value::Blank`](crate::Value::Blank), never zero.
    ///
    /// **Cost**: one pass over the facts that the table is made of; memory grows with the groups.
    ///
    /// # Errors
    /// As for [`Project::run_outputs`]; no output of that name has totals.
    pub fn totals(&self, name: &str) -> Result<TotalsTable, Error> {
        let mut requests = Request::of_plan(&self.plan)?;
        requests.retain(|request| request.name == name);
        requests.iter_mut().for_each(|request| request.to = None);
        let job = self.prepare(&requests, Extent::Needed, OnDuplicates::Stop)?;
        let ran = run(self, &job, Parallelism::default(), OnStop::Stop, &|_, _| {})?;
        let mut totals = ran.outcomes.into_iter().flat_map(|outcome| outcome.totals);
        totals.next().map(|(_, table)| table).ok_or_else(|| {
            let message = format!("the plan has no totals called `{name}`");
            let names = self.plan.outputs.iter().filter(|output| output.value.by.is_some());
            let names: Vec<&str> = names.map(|output| output.name.as_str()).collect();
            Mistake::of_plan(MistakeKind::UnknownName, message).nearest(name, names).into()
        })
    }

    /// All findings: keys that are not matched, prices that are missing, duplicates, values that cannot be read, each with
    /// its places and the amounts that are affected, largest first.
    ///
    /// **Cost**: one pass over all facts.
    ///
    /// # Errors
    /// A mistake in the plan; an input that cannot be read. What would stop a run does not stop this.
    pub fn check_all(&self) -> Result<Checked, Error> {
        let job = self.prepare(&[], Extent::Everything, OnDuplicates::Report)?;
        let inspection = Inspection { usage: true, copies: 1_000 };
        let ran = check(self, &job, Parallelism::default(), inspection, &|_, _| {})?;
        Ok(ran.checked)
    }
}
