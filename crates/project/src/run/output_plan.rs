//! Where a run writes, settled before the first line is read: every path is resolved, refused where it would destroy
//! something, and given its form.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use interligo_engine::engine::Engine;
use interligo_engine::outputs::{Output, OutputContent};
use interligo_model::plan::{ListKind, Mistake, MistakeKind, Repeats, WhenThere, Written};
use interligo_sinks::containers::Containers;
use interligo_sinks::error::OutputErrorKind;
use interligo_sinks::formats::format_of;
use interligo_sinks::formats::text::Text;
use interligo_sinks::output_file::remove_abandoned;
use interligo_sinks::publish::Recovered;
use interligo_sources::formats::shown_address;
use interligo_sources::same_file::{FileIdentity, is_stream, real_path};

use super::destination::{Destination, destination_of};
use crate::error::Error;
use crate::prepare::Job;
use crate::project::Project;
use crate::runs::{is_copy, is_record};

/// Where the outputs of all facts go.
pub(crate) struct OutputPlan {
    facts: Vec<FactDestinations>,
    /// Files that hold several outputs.
    pub(crate) containers: Containers,
    /// Whether anything is written at all. Lines are kept aside where it is.
    pub(crate) writes: bool,
}

/// Where the outputs of a fact go.
struct FactDestinations {
    /// Of each output; none for one that is only asked for, or adds to the table of another fact.
    outputs: Vec<Option<Destination>>,
    /// Where lines go that are set aside.
    aside: Destination,
}

impl OutputPlan {
    /// Resolves the outputs of a job. What runs of the plan left unfinished beside these places is removed.
    ///
    /// # Errors
    /// An output that would be written over an input or over another output, or whose form is unknown.
    pub(crate) fn resolve(project: &Project, job: &Job) -> Result<OutputPlan, Error> {
        if let Some(Recovered::InDoubt(why)) = &project.recovered {
            let journal = project.journal_path(None);
            let reason = format!("an earlier run is in doubt: {why}");
            return Err(interligo_sinks::error::Error::new(
                OutputErrorKind::InDoubt,
                &journal,
                reason,
            )
            .into());
        }
        let mut plan = OutputPlan::without_outputs(project, job)?;
        for (fact, outputs) in job.outputs.iter().enumerate() {
            for output in outputs {
                let destination = destination_of(project, output)?;
                if let Some(destination) = &destination {
                    refuse_append(project, &job.engines[fact], output, destination)?;
                    plan.refuse(project, output, destination)?;
                    plan.writes = true;
                    if destination.is_server {
                        plan.containers.decided_by(&destination.path);
                    }
                }
                plan.facts[fact].outputs.push(destination);
            }
        }
        if plan.writes {
            plan.refuse_aside(project)?;
            plan.remove_abandoned(project);
        }
        Ok(plan)
    }

    /// Lets outputs of lines go to a file for each slice, where they go to a file of their own.
    pub(crate) fn let_lines_go_by_slice(&mut self, job: &Job) {
        for (fact, outputs) in self.facts.iter_mut().zip(&job.outputs) {
            for (own, output) in fact.outputs.iter_mut().zip(outputs) {
                let is_result = !is_record(&output.name) && !is_copy(&output.name);
                let is_lines = matches!(output.content, OutputContent::Lines { .. });
                if is_lines
                    && is_result
                    && let Some(by_slice) = own.as_ref().and_then(Destination::by_slice)
                {
                    *own = Some(by_slice);
                }
            }
        }
    }

    /// A plan by which nothing is written.
    ///
    /// # Errors
    /// The form for what is set aside is unknown.
    pub(crate) fn without_outputs(project: &Project, job: &Job) -> Result<OutputPlan, Error> {
        let fact = |engine: &Engine| {
            let path = project.aside_path(&engine.bound.fact.name);
            let format = format_of(&path.to_string_lossy()).unwrap_or_else(|| Arc::new(Text));
            let plan = project.plan.file_stem().to_owned();
            let aside = Destination {
                identity: FileIdentity::of(&path),
                path,
                table: None,
                format,
                plan,
                is_server: false,
                when_there: WhenThere::Replace,
                output: String::new(),
                workbook: None,
                to: None,
            };
            FactDestinations { outputs: Vec::new(), aside }
        };
        let facts = job.engines.iter().map(fact).collect();
        Ok(OutputPlan { facts, containers: Containers::default(), writes: false })
    }

    /// Where an output of a fact goes.
    pub(crate) fn of(&self, fact: usize, output: usize) -> Option<&Destination> {
        self.facts[fact].outputs.get(output)?.as_ref()
    }

    /// Where what is set aside of a fact goes.
    pub(crate) fn aside(&self, fact: usize) -> &Destination {
        &self.facts[fact].aside
    }

    /// The folder of the first output.
    pub(crate) fn first_folder(&self) -> Option<PathBuf> {
        let file = self.written().find(|path| !is_stream(path))?;
        real_path(file).parent().map(Path::to_owned)
    }

    /// The sheets and tables of the outputs, in the order of the plan.
    pub(crate) fn tables(&self) -> impl Iterator<Item = &str> {
        let outputs = self.facts.iter().flat_map(|fact| fact.outputs.iter().flatten());
        outputs.filter_map(|destination| destination.table.as_deref())
    }

    /// The files of the outputs, without those for what is set aside.
    fn written(&self) -> impl Iterator<Item = &Path> {
        let outputs = self.facts.iter().flat_map(|fact| fact.outputs.iter().flatten());
        outputs.filter(|own| !own.is_server).map(|destination| destination.path.as_path())
    }

    fn refuse(&self, project: &Project, output: &Output, own: &Destination) -> Result<(), Error> {
        let (Some(to), path) = (&output.to, &own.path) else { return Ok(()) };
        if own.is_server {
            return self.refuse_on_server(project, to, own);
        }
        self.refuse_file(project, to, own)?;
        let is_aside = matches!(output.content, OutputContent::List(ListKind::SetAside, _));
        let aside = self.facts.iter().map(|fact| &fact.aside);
        let outputs = self.facts.iter().flat_map(|fact| fact.outputs.iter().flatten());
        let apart = |other: &&Destination| match (&other.table, &own.table) {
            (Some(other), Some(own)) => other.to_lowercase() != own.to_lowercase(),
            _ => false,
        };
        let mut beside = outputs.clone().filter(|other| other.identity.is_same(&own.identity));
        if let Some(other) = beside.find(|other| other.workbook != own.workbook) {
            let book = other.workbook.as_ref().or(own.workbook.as_ref());
            let message = format!(
                "`{}` is the workbook `{}`, whose sheets the plan lists",
                project.shown(path),
                book.map_or("", String::as_str)
            );
            let help = "name the output in its `sheets`, or give it another file";
            return Err(to.mistaken(MistakeKind::Overwrites, message).help(help).into());
        }
        let outputs = outputs.filter(|other| !apart(other));
        let mut others = outputs.chain(aside.filter(|_| !is_aside));
        if others.any(|other| other.identity.is_same(&own.identity)) && !is_stream(path) {
            let what = own.table.as_ref().map_or("file", |_| "sheet or table");
            let message = format!("two outputs would write the same {what}, `{}`", to.text);
            return Err(to
                .mistaken(MistakeKind::Overwrites, message)
                .help("give one of them another name")
                .into());
        }
        Ok(())
    }

    /// Refuses a file that is read, or that somebody else made or changed.
    pub(super) fn refuse_file(
        &self,
        project: &Project,
        to: &Written,
        own: &Destination,
    ) -> Result<(), Error> {
        let (path, shown) = (&own.path, project.shown(&own.path));
        let refused = |message: String, help: &str| {
            Err(to.mistaken(MistakeKind::Overwrites, message).help(help).into())
        };
        if let Some(read) = project.read_at(path) {
            let message = format!("the output `{}` would overwrite {read}, `{shown}`", own.output);
            return refused(message, "give the output another name or folder");
        }
        if path.exists() && own.when_there == WhenThere::Stop && own.table.is_none() {
            let message =
                format!("the output `{}` would replace `{shown}`, which is there", own.output);
            return refused(message, "move it away; `when-there = \"stop\"` keeps what is there");
        }
        if path.is_file() && !project.wrote(path) {
            let why = match own.format.is_edited() && project.has_written(path) {
                true => Some("was changed since the last run wrote it"),
                false => (!own.format.may_replace(path)).then_some("was not made by Interligo"),
            };
            if let Some(why) = why {
                let message =
                    format!("the output `{}` would replace `{shown}`, which {why}", own.output);
                return refused(message, "move it away, or give the output another name");
            }
        }
        Ok(())
    }

    /// Whether an output is this one file, and no other.
    pub(crate) fn is_one_file(&self, path: &Path) -> bool {
        let outputs = self.facts.iter().flat_map(|fact| fact.outputs.iter().flatten());
        let mut single = outputs.filter(|own| own.slots().is_empty() && !own.is_server);
        single.any(|own| real_path(&own.path) == path)
    }

    /// The paths with slots.
    pub(crate) fn split_up(&self) -> impl Iterator<Item = &Path> {
        let outputs = self.facts.iter().flat_map(|fact| fact.outputs.iter().flatten());
        let is_split = |own: &&Destination| !own.slots().is_empty();
        outputs.filter(is_split).map(|own| own.path.as_path())
    }

    /// Refuses a table that the plan reads, two outputs in one table, and lines that are added on a second server.
    fn refuse_on_server(
        &self,
        project: &Project,
        to: &Written,
        own: &Destination,
    ) -> Result<(), Error> {
        let refused = |message: String, help: &str| {
            Err(to.mistaken(MistakeKind::Overwrites, message).help(help).into())
        };
        let plain = |text: &str| text.replace("#public.", "#");
        let shown = shown_address(&own.path.to_string_lossy())?;
        let shown = plain(&format!("{shown}#{}", own.table.as_deref().unwrap_or_default()));
        let mut parts = project.tables().iter().flat_map(|table| &table.parts);
        if parts.any(|part| plain(&part.name.shown) == shown) {
            let message =
                format!("the output would overwrite a table that the plan reads, `{}`", to.text);
            return refused(message, "give the output another name");
        }
        let outputs = self.facts.iter().flat_map(|fact| fact.outputs.iter().flatten());
        let mut servers = outputs.filter(|other| other.is_server).peekable();
        let follows = servers.peek().is_some_and(|first| first.path != own.path);
        if follows && own.when_there == WhenThere::Append {
            let message =
                "outputs go to two databases, and lines are added to tables of the first alone";
            return refused(message.to_owned(), "put this output before the others");
        }
        for other in servers {
            if other.path == own.path && other.table == own.table {
                let message = format!("two outputs would write the same table, `{}`", to.text);
                return refused(message, "give one of them another name");
            }
        }
        Ok(())
    }

    fn refuse_aside(&self, project: &Project) -> Result<(), Error> {
        for fact in &self.facts {
            let path = &fact.aside.path;
            let Some(read) = project.read_at(path) else { continue };
            let shown = project.shown(path);
            let message = format!("lines that are set aside would overwrite {read}, `{shown}`");
            let help = "name another file for them: an output with list = \"set-aside\"";
            return Err(Mistake::of_plan(MistakeKind::Overwrites, message).help(help).into());
        }
        Ok(())
    }

    fn remove_abandoned(&self, project: &Project) {
        let aside = self.facts.iter().map(|fact| fact.aside.path.as_path());
        let files = self.written().chain(aside).filter(|path| !is_stream(path));
        let mut folders: Vec<PathBuf> =
            files.filter_map(|path| real_path(path).parent().map(Path::to_owned)).collect();
        folders.extend(project.notes_folder());
        folders.sort();
        folders.dedup();
        folders.iter().for_each(|folder| remove_abandoned(folder, project.plan.file_stem()));
    }
}

/// Refuses to add to what cannot be added to: only lines with a key are, and only to tables of databases.
fn refuse_append(
    project: &Project,
    engine: &Engine,
    output: &Output,
    own: &Destination,
) -> Result<(), Mistake> {
    let entry = project.plan.outputs.get(&output.name).map(|entry| &entry.value);
    let when_there = entry.and_then(|entry| entry.when_there.as_ref());
    let Some(written) = when_there.filter(|own| *own.get_ref() == WhenThere::Append) else {
        return Ok(());
    };
    let refused = |message: &str, help: &str| {
        let (kind, span) = (MistakeKind::ConflictingSettings, written.span());
        Err(Mistake::in_plan(kind, span, message).help(help))
    };
    let OutputContent::Lines { columns, slots, .. } = &output.content else {
        return refused(
            "only lines are added to a table; totals and lists replace it",
            "leave `when-there` out",
        );
    };
    if !own.format.can_append() || !slots.is_empty() {
        return refused(
            "only a table of a database takes lines beside those that it has",
            "write to a database, as in \"out/result.sqlite#lines\", or leave `when-there` out",
        );
    }
    if engine.key_among(columns).is_none() {
        let fact = &engine.bound.fact;
        let named = fact.key.as_ref().filter(|key| key.repeats != Repeats::Keep).map(|key| {
            let names: Vec<&str> =
                key.columns.iter().map(|at| fact.columns[*at].as_str()).collect();
            format!("its columns are to include the key of `{}`: {}", fact.name, names.join(", "))
        });
        let help = named.unwrap_or_else(|| {
            format!(
                "give `{}` a `key` by which a line is known again, without `repeats = \"keep\"`",
                fact.name
            )
        });
        return refused("lines are added by their key, and this output has none", &help);
    }
    Ok(())
}
