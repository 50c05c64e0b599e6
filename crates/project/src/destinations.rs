//! Where a run writes: every path is resolved, and refused where it would destroy something, before the first line is
//! read.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use interligo_engine::engine::{Engine, Output, OutputContent};
use interligo_model::plan::{ListKind, Mistake};
use interligo_sinks::output_file::remove_abandoned;
use interligo_sources::error::Error;
use interligo_sources::same_file::{is_stream, leads_to_same, real_path};

use crate::project::Project;

/// Where the outputs of all facts go.
pub(crate) struct Destinations {
    /// The file of an output, by the number of its fact and its own.
    outputs: BTreeMap<(usize, usize), PathBuf>,
    /// Of each fact, the file for what is set aside.
    aside: Vec<PathBuf>,
    /// Whether anything is written at all. Lines are kept aside where it is.
    pub(crate) writes: bool,
}

impl Destinations {
    /// Resolves the outputs of engines. What runs of the plan left unfinished beside these places is removed.
    ///
    /// # Errors
    /// An output that would be written over an input or over another output, or whose form is unknown.
    pub(crate) fn resolve(project: &Project, engines: &[Engine]) -> Result<Destinations, Error> {
        let aside = engines.iter().map(|engine| project.aside_path(&engine.bound.fact.name));
        let mut destinations =
            Destinations { outputs: BTreeMap::new(), aside: aside.collect(), writes: false };
        for (fact, engine) in engines.iter().enumerate() {
            for (number, output) in engine.outputs.iter().enumerate() {
                let Some(path) = path_of(project, output)? else { continue };
                destinations.refuse(project, output, &path)?;
                destinations.outputs.insert((fact, number), path);
            }
        }
        destinations.writes = !destinations.outputs.is_empty();
        if destinations.writes {
            destinations.refuse_aside(project)?;
            destinations.remove_abandoned(project);
        }
        Ok(destinations)
    }

    /// The file of an output.
    pub(crate) fn of(&self, fact: usize, output: usize) -> Option<&Path> {
        self.outputs.get(&(fact, output)).map(PathBuf::as_path)
    }

    /// The file for what is set aside of a fact.
    pub(crate) fn aside(&self, fact: usize) -> &Path {
        &self.aside[fact]
    }

    /// The folder of the first output.
    pub(crate) fn first_folder(&self) -> Option<PathBuf> {
        let file = self.outputs.values().find(|path| !is_stream(path))?;
        real_path(file).parent().map(Path::to_owned)
    }

    fn refuse(&self, project: &Project, output: &Output, path: &Path) -> Result<(), Error> {
        let Some(to) = &output.to else { return Ok(()) };
        if let Some(read) = project.read_at(path) {
            let message =
                format!("the output `{}` would write over {read}, `{}`", output.name, to.text);
            let help = "give the output another name or folder";
            return Err(to.mistaken(message).help(help).into());
        }
        let is_aside = matches!(output.content, OutputContent::List(ListKind::SetAside, _));
        let others = self.outputs.values().chain(self.aside.iter().filter(|_| !is_aside));
        if others.into_iter().any(|other| leads_to_same(other, path)) && !is_stream(path) {
            let message = format!("two outputs would write the same file, `{}`", to.text);
            return Err(to.mistaken(message).help("give one of them another name").into());
        }
        Ok(())
    }

    fn refuse_aside(&self, project: &Project) -> Result<(), Error> {
        for path in &self.aside {
            let Some(read) = project.read_at(path) else { continue };
            let shown = project.shown(path);
            let message =
                format!("lines that are set aside would be written over {read}, `{shown}`");
            let help = "name another file for them: an output with list = \"set-aside\"";
            return Err(Mistake::of_plan(message).help(help).into());
        }
        Ok(())
    }

    fn remove_abandoned(&self, project: &Project) {
        let files = self.outputs.values().chain(&self.aside).filter(|path| !is_stream(path));
        let mut folders: Vec<PathBuf> =
            files.filter_map(|path| real_path(path).parent().map(Path::to_owned)).collect();
        folders.extend(project.notes_folder());
        folders.sort();
        folders.dedup();
        folders.iter().for_each(|folder| remove_abandoned(folder, project.plan.file_stem()));
    }
}

/// The file of an output, if it has one.
fn path_of(project: &Project, output: &Output) -> Result<Option<PathBuf>, Error> {
    let Some(to) = &output.to else { return Ok(None) };
    let path = project.folder().join(&to.text);
    if !to.text.to_lowercase().ends_with(".csv") && !is_stream(&path) {
        let message = format!("`{}` is no text file; other forms cannot be written yet", to.text);
        return Err(to.mistaken(message).help("let the name end in .csv").into());
    }
    Ok(Some(path))
}
