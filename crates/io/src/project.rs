//! A plan with the files around it: opened, bound, its lookups loaded.

use std::path::{Path, PathBuf};

use arrow_buffer::Buffer;

use interligo_core::bind::{Bound, Headings, Request, bind, fact_name};
use interligo_core::engine::{Engine, Extent, Sample};
use interligo_core::findings::Parts;
use interligo_core::lookup::Lookup;
use interligo_core::plan::{Duplicates, Mistake, Plan};

use crate::error::{Error, Stop};
use crate::lookups;
use crate::parts::{Source, Table, block_not_utf8, skip_heading, split};
use crate::text::same_text;

/// The name of a plan's file.
pub const PLAN_FILE: &str = "interligo.toml";

/// How much of a part is looked at to find the types of its columns.
const SAMPLE: usize = 1 << 16;

/// How many parts are looked at.
const SAMPLED_PARTS: usize = 16;

/// A plan with the headings of its tables.
pub struct Project {
    /// The plan.
    pub plan: Plan,
    folder: PathBuf,
    tables: Vec<Table>,
}

/// What to do when a lookup holds duplicates that the plan does not settle.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum OnDuplicates {
    /// End with the rows.
    Stop,
    /// Go on with the first row of each key; the caller reports them.
    Report,
}

impl Project {
    /// Finds the files of a plan's tables and reads their headings. `folder` is the plan's.
    ///
    /// # Errors
    /// A file that is missing, empty or unreadable; a pattern that fits none.
    pub fn open(plan: Plan, folder: &Path) -> Result<Project, Error> {
        fact_name(&plan)?;
        let mut project = Project { plan, folder: folder.to_owned(), tables: Vec::new() };
        let mut outputs: Vec<PathBuf> = project
            .plan
            .outputs
            .iter()
            .map(|output| folder.join(output.value.to.get_ref()))
            .collect();
        outputs.push(project.aside_path());
        for entry in project.plan.tables.iter() {
            let table = Table::open(&project.plan, entry, folder, &outputs)?;
            project.tables.push(table);
        }
        Ok(project)
    }

    /// Headings that a file has more than once, with the file: the later ones were renamed. None of
    /// them is needed, or the run would have ended.
    pub fn repeated_headings(&self) -> Vec<(String, String)> {
        let of = |table: &Table| table.repeated.clone();
        self.tables.iter().flat_map(of).map(|(heading, file)| (heading, file.to_string())).collect()
    }

    /// The folder of the plan.
    pub fn folder(&self) -> &Path {
        &self.folder
    }

    /// Where lines that are set aside go.
    pub(crate) fn aside_path(&self) -> PathBuf {
        self.folder.join("out/set-aside.csv")
    }

    /// The files that are read, for refusing to write over them.
    pub(crate) fn inputs(&self) -> impl Iterator<Item = &Path> {
        self.tables.iter().flat_map(|table| table.parts.iter().map(|part| part.path.as_path()))
    }

    pub(crate) fn table(&self, name: &str) -> &Table {
        let table = self.tables.iter().find(|table| table.name == name);
        table.expect("every table of the plan is opened")
    }

    /// The files of the fact.
    pub fn fact_parts(&self, engine: &Engine) -> Parts {
        let table = self.table(&engine.bound.fact.name);
        Parts(table.parts.iter().map(|part| part.shown.clone()).collect())
    }

    /// How many bytes the files of the fact have, as far as that can be told.
    pub fn fact_bytes(&self, engine: &Engine) -> u64 {
        let table = self.table(&engine.bound.fact.name);
        let bytes = |path: &Path| std::fs::metadata(path).map_or(0, |file| file.len());
        table.parts.iter().map(|part| bytes(&part.path)).sum()
    }

    /// Binds the plan with the outputs asked for, loads its lookups and prepares the engine.
    ///
    /// # Errors
    /// Mistakes in the plan; files that cannot be read; duplicates that the plan does not settle.
    pub fn prepare(
        &self,
        requests: &[Request],
        extent: Extent,
        on_duplicates: OnDuplicates,
    ) -> Result<Engine, Error> {
        let mut headings = Headings::default();
        for table in &self.tables {
            headings.0.insert(table.name.clone(), table.columns.clone());
        }
        let bound = bind(&self.plan, &headings, requests)?;
        self.require_columns(&bound)?;
        let lookups = self.load(&bound)?;
        if on_duplicates == OnDuplicates::Stop {
            let stops = duplicate_stops(&bound, &lookups);
            if !stops.is_empty() {
                return Err(Error::Stopped(stops));
            }
        }
        let samples = self.sample(&bound)?;
        Ok(Engine::new(bound, lookups, &samples, extent)?)
    }

    fn require_columns(&self, bound: &Bound) -> Result<(), Error> {
        let fact = self.table(&bound.fact.name);
        fact.require(bound.fact.read_columns().into_iter())?;
        let days: Vec<usize> = bound.fact.days.keys().copied().collect();
        fact.refuse_open(&bound.fact.wishes, &days)?;
        for lookup in &bound.lookups {
            let needed = lookup.wishes.used().chain(lookup.wishes.keys().iter().copied());
            let table = self.table(&lookup.name);
            table.require(needed)?;
            table.refuse_open(&lookup.wishes, &[])?;
        }
        Ok(())
    }

    /// Loads the lookups, side by side.
    fn load(&self, bound: &Bound) -> Result<Vec<Lookup>, Error> {
        let load = |number: usize| {
            let bound = &bound.lookups[number];
            let raw = lookups::read(self.table(&bound.name))?;
            Lookup::settle(raw, bound).map_err(|misfit| Error::from(misfit.mistake()))
        };
        std::thread::scope(|scope| {
            let load = &load;
            let workers: Vec<_> =
                (0..bound.lookups.len()).map(|number| scope.spawn(move || load(number))).collect();
            workers
                .into_iter()
                .map(|w| w.join().expect("loading a lookup does not panic"))
                .collect()
        })
    }

    /// Texts of the fact's columns, by which their types are found.
    fn sample(&self, bound: &Bound) -> Result<Vec<Vec<Sample>>, Error> {
        let table = self.table(&bound.fact.name);
        let columns = bound.fact.read_columns();
        let mut samples: Vec<Vec<Sample>> = vec![Vec::new(); columns.len()];
        let step = table.parts.len().div_ceil(SAMPLED_PARTS);
        for part in table.parts.iter().step_by(step.max(1)) {
            let mut reader = part.open()?;
            let Some(block) = reader.next(SAMPLE)? else { continue };
            let block = skip_heading(block);
            if let Err(error) = std::str::from_utf8(&block.bytes) {
                return Err(block_not_utf8(&block, table, part, error.valid_up_to()));
            }
            let fields = split(&block, part);
            let buffer = Buffer::from_vec(block.bytes);
            for (sample, column) in samples.iter_mut().zip(&columns) {
                let texts = match &part.sources[*column] {
                    Source::Field(field) => fields.column(&buffer, *field),
                    Source::Slot(text) => same_text(text, 1),
                    Source::Absent => same_text("", 0),
                };
                sample.push(Sample { texts, style: part.found.style });
            }
        }
        Ok(samples)
    }
}

/// The duplicates that must stop a run.
pub fn duplicate_stops(bound: &Bound, lookups: &[Lookup]) -> Vec<Stop> {
    let mut stops = Vec::new();
    for (lookup, bound) in lookups.iter().zip(&bound.lookups) {
        if bound.duplicates != Duplicates::Stop {
            continue;
        }
        let differing: Vec<_> =
            lookup.duplicates.iter().filter(|d| !d.differing.is_empty()).collect();
        let Some(first) = differing.first() else { continue };
        let more = match differing.len() {
            1 => String::new(),
            n => format!(" ({n} such keys)"),
        };
        stops.push(Stop {
            message: format!(
                "`{}` has several rows for the key `{}`, which differ in {}{more}",
                lookup.name,
                first.key,
                first.differing.iter().map(|c| format!("`{c}`")).collect::<Vec<_>>().join(", "),
            ),
            places: differing.iter().flat_map(|d| &d.places).take(10).map(|p| p.to_string()).collect(),
            help: format!(
                "correct the rows, or add `duplicates = \"first\"` or \"last\" to [tables.{}]; `interligo check` lists them all",
                lookup.name
            ),
        });
    }
    stops
}

/// Reads a plan from its file.
///
/// # Errors
/// The file cannot be read, or holds a mistake; its text comes along, for showing the place.
pub fn read_plan(path: &Path) -> Result<Plan, (Error, String)> {
    let shown = path.to_string_lossy().into();
    let bytes = std::fs::read(path)
        .map_err(|error| (Error::cannot_read(&shown, path, error), String::new()))?;
    let text = String::from_utf8(bytes).map_err(|_| {
        let mistake = Mistake::of_plan("the plan is not UTF-8").help("save it as UTF-8");
        (Error::from(mistake), String::new())
    })?;
    Plan::parse(&text).map_err(|mistake| (Error::from(mistake), text))
}
