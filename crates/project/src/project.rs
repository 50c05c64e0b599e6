//! A plan with the files around it: found, opened, with the column names of its tables.

use std::path::{Path, PathBuf};
use std::sync::OnceLock;

use interligo_engine::engine::Engine;

use crate::error::Error;
use interligo_engine::proof::findings::{Findings, Noted};
use interligo_model::place::Place;
use interligo_model::place::{Parts, Spot};
use interligo_model::plan::{Entry, ListKind, MistakeKind, OutputEntry, Plan, Written};
use interligo_sinks::formats::file_and_table;
use interligo_sinks::publish::{Recovered, recover};
use interligo_sinks::transactions::servers;
use interligo_sources::formats::{Containers, Given, Limits};
use interligo_sources::same_file::{FileIndex, leads_to_same, real_path};
use interligo_sources::table::column_drift::Drift;
use interligo_sources::table::parts::{ColumnSource, Part, Table};
use interligo_sources::table::parts_found::{OwnOutput, OwnOutputs, SearchScope};
use tempfile::NamedTempFile;

use crate::check::{Code, stop_on};
use crate::last_run::LastRun;
use crate::mend::corrections_file::{CORRECTIONS_FILE, CorrectionsFile};
use crate::page::DrawPage;

/// The name of a plan's file.
pub const PLAN_FILE: &str = "interligo.toml";

/// The folder for what is remembered of runs of a plan, in the folder of the plan. It can be in the `to` of an output, where
/// braces have a meaning; so those of the plan's name are written by their numbers.
pub(crate) fn notes_of(plan: &Plan) -> String {
    let plain = |character: char| match character {
        '{' => "%7B".to_owned(),
        '}' => "%7D".to_owned(),
        '%' => "%25".to_owned(),
        other => other.to_string(),
    };
    let name: String = plan.file_stem().chars().map(plain).collect();
    format!(".interligo/{name}")
}

/// A plan with the column names of its tables.
pub struct Project {
    /// The plan.
    pub plan: Plan,
    folder: PathBuf,
    tables: Vec<Table>,
    /// The findings that end a run.
    stop_on: Vec<Code>,
    /// What the last run read, found and wrote.
    last_run: Option<LastRun>,
    /// What became of a run that died while its files appeared.
    pub recovered: Option<Recovered>,
    /// How pages are drawn, where that is said.
    pub(crate) draw_page: Option<DrawPage>,
    /// The files that are read, to be found by any path to them; once that was asked for.
    input_index: OnceLock<FileIndex>,
    /// The files of tables with sums, which go when the project does.
    _sums: Vec<NamedTempFile>,
}

/// What was noted of a part as a whole.
pub struct PartNote<'a> {
    /// The table.
    pub table: &'a str,
    /// The part.
    pub part: String,
    /// What it is.
    pub what: Noted,
    /// Which, in words.
    pub words: &'a str,
}

impl Project {
    /// Finds the files of the tables of a plan that are wanted and reads their header rows. `sums` are the files in
    /// which tables of sums are, `own` the tables that the program hands over.
    ///
    /// # Errors
    /// A file that is missing, empty or unreadable; a pattern that fits none.
    pub(crate) fn over_tables(
        plan: Plan,
        folder: &Path,
        wanted: impl Fn(&str) -> bool,
        (sums, given): (Vec<NamedTempFile>, &Given),
    ) -> Result<Project, Error> {
        let stop_on = stop_on(&plan)?;
        let mut project = Project {
            plan,
            folder: folder.to_owned(),
            tables: Vec::new(),
            stop_on,
            last_run: None,
            recovered: None,
            draw_page: None,
            input_index: OnceLock::new(),
            _sums: sums,
        };
        let journals = [Some(project.journal_path(None)), project.other_journal()];
        let recovered = |path: &PathBuf| recover(path, Some(&project.lock_path()), servers());
        project.recovered = journals.iter().flatten().find_map(recovered);
        // A plan without a file is of no run, though one with the usual name may lie there.
        let has_file = project.plan.stem.is_some();
        project.last_run = has_file.then(|| LastRun::read(&project.last_run_path())).flatten();
        let outputs = project.own_outputs();
        let containers = Containers::new(Limits::of(&project.plan), given.clone());
        for entry in project.plan.tables.iter().filter(|entry| wanted(&entry.name)) {
            let scope = SearchScope { folder, outputs: &outputs, containers: &containers };
            let mut table = Table::open(&project.plan, entry, &scope)?;
            if let Some(sums) = &entry.value.sums {
                let name = format!("sums of {}", sums.get_ref().of.get_ref());
                table.parts.iter_mut().for_each(|part| part.name = name.as_str().into());
            }
            project.tables.push(table);
        }
        Ok(project)
    }

    /// Column names in which the files of a table differ, with the table. None that is needed is lacking, or
    /// the run would have ended.
    pub fn drift(&self) -> impl Iterator<Item = (&str, &Drift)> {
        self.tables.iter().flat_map(|table| table.drift.iter().map(|d| (table.name.as_str(), d)))
    }

    /// Texts that seem to mean blank in columns that are otherwise numbers or days: the table, the file,
    /// the column and the text.
    pub fn blank_marks(&self) -> impl Iterator<Item = (&str, &str, &str, &str)> {
        self.tables.iter().flat_map(|table| {
            table.parts.iter().flat_map(|part| {
                part.marks.iter().map(|(column, mark)| {
                    (table.name.as_str(), &*part.name.shown, column.as_str(), mark.as_str())
                })
            })
        })
    }

    /// The parts of a table in which a column has numbers in some cells, and texts with numbers in others.
    pub(crate) fn mixed_parts(&self, table: &str, column: &str) -> Vec<String> {
        let mixed = |part: &&Part| part.mixed.iter().any(|mixed| mixed == column);
        let parts = self.table(table).parts.iter().filter(mixed);
        parts.map(|part| part.name.to_string()).collect()
    }

    /// Amounts of the fact that are on every row which is made of one row, and would be summed more than
    /// once: the file and the column.
    pub fn repeated_amounts(&self, engine: &Engine, findings: &Findings) -> Vec<(String, String)> {
        let table = self.table(&engine.bound.fact.name);
        let repeats = |part: &Part, column: usize| match part.sources[column] {
            ColumnSource::Made(number) => part.columns.repeats(number),
            _ => false,
        };
        let amounts = &engine.bound.fact.amounts;
        let of = |part: &Part| -> Vec<(String, String)> {
            let columns = amounts.iter().filter(|column| repeats(part, **column));
            columns.map(|c| (part.name.to_string(), table.columns.names[*c].clone())).collect()
        };
        let made = |number: &usize| findings.parts.get(number).is_some_and(|rows| rows.made > 0);
        (0..table.parts.len()).filter(made).flat_map(|number| of(&table.parts[number])).collect()
    }

    /// What was noted of the parts as they were found: hidden sheets, columns that are not read.
    pub fn part_notes(&self) -> Vec<PartNote<'_>> {
        let mut notes = Vec::new();
        for table in &self.tables {
            for part in &table.parts {
                notes.extend(part.notes.iter().map(|(what, words)| PartNote {
                    table: &table.name,
                    part: part.name.to_string(),
                    what: *what,
                    words,
                }));
            }
        }
        notes
    }

    /// The findings that end a run.
    pub(crate) fn stop_on(&self) -> &[Code] {
        &self.stop_on
    }

    /// The corrections file, if the plan names one.
    pub fn corrections_file(&self) -> Option<CorrectionsFile> {
        let named = self.plan.plan.corrections.as_ref()?;
        Some(CorrectionsFile::at(&self.folder, named.get_ref()))
    }

    /// The corrections file that is to be written: the plan's, or the usual one beside it.
    pub fn corrections_to_write(&self) -> CorrectionsFile {
        let usual = || CorrectionsFile::at(&self.folder, CORRECTIONS_FILE);
        self.corrections_file().unwrap_or_else(usual)
    }

    /// The folder of the plan.
    pub fn folder(&self) -> &Path {
        &self.folder
    }

    /// The folder for what is remembered of runs of the plan.
    fn notes(&self) -> PathBuf {
        self.folder.join(notes_of(&self.plan))
    }

    /// The same, if it is there.
    pub(crate) fn notes_folder(&self) -> Option<PathBuf> {
        Some(self.notes()).filter(|folder| folder.is_dir())
    }

    /// Makes that folder.
    pub(crate) fn make_notes_folder(&self) -> Result<(), Error> {
        let folder = self.notes();
        std::fs::create_dir_all(&folder).map_err(|error| Error::output(&folder, &error))
    }

    /// Where it is kept what the last run read, found and wrote.
    pub(crate) fn last_run_path(&self) -> PathBuf {
        self.notes().join("last-run.json")
    }

    /// Where records of runs are kept.
    pub(crate) fn runs_folder(&self) -> PathBuf {
        self.notes().join("runs")
    }

    /// Where the lines of the last run are kept.
    pub(crate) fn lines_folder(&self) -> PathBuf {
        self.notes().join("lines")
    }

    /// Where it is kept what outputs said.
    pub(crate) fn copies_folder(&self) -> PathBuf {
        self.notes().join("copies")
    }

    /// What the last run read, found and wrote, if it is known.
    pub(crate) fn last_run(&self) -> Option<&LastRun> {
        self.last_run.as_ref()
    }

    /// Where the journal of a run lies while its files appear: with the notes, or in another folder.
    pub(crate) fn journal_path(&self, folder: Option<&Path>) -> PathBuf {
        match folder {
            None => self.notes().join("journal"),
            Some(folder) => folder.join(format!(".interligo-{}.journal", self.plan.file_stem())),
        }
    }

    /// Where the journal lies if there was no place for it with the notes.
    fn other_journal(&self) -> Option<PathBuf> {
        let named = self.plan.outputs.iter().filter_map(|output| output.value.to.as_ref());
        let named = named.chain(self.plan.workbooks.iter().map(|book| &book.value.to));
        let mut paths = named.map(|to| self.folder.join(file_and_table(to.get_ref()).0));
        paths.find_map(|path| {
            let folder = real_path(&path).parent()?.to_owned();
            Some(self.journal_path(Some(&folder))).filter(|journal| journal.exists())
        })
    }

    /// What is locked while files of the plan appear.
    pub(crate) fn lock_path(&self) -> PathBuf {
        self.notes().join("lock")
    }

    /// The files of the last run that are still there.
    pub(crate) fn written_before(&self) -> Vec<PathBuf> {
        let folder = real_path(&self.folder);
        self.last_run.as_ref().map_or_else(Vec::new, |run| run.written(&folder))
    }

    /// Whether the last run wrote a file, whatever became of it since.
    pub(crate) fn has_written(&self, path: &Path) -> bool {
        self.last_run.as_ref().is_some_and(|run| run.has_written(path, &self.folder))
    }

    /// Whether the last run wrote a file, and nobody changed it since.
    pub(crate) fn wrote(&self, path: &Path) -> bool {
        self.last_run.as_ref().is_some_and(|run| run.wrote(path, &self.folder))
    }

    /// The files that runs of the plan write.
    pub(crate) fn own_outputs(&self) -> OwnOutputs {
        let named = self.plan.outputs.iter().filter_map(|output| {
            let to = output.value.to.as_ref()?;
            Some((Some(to.span()), self.folder.join(file_and_table(to.get_ref()).0)))
        });
        let aside = self.plan.facts().map(|fact| (None, self.aside_path(&fact.name)));
        let books =
            self.plan.workbooks.iter().map(|book| {
                (Some(book.value.to.span()), self.folder.join(book.value.to.get_ref()))
            });
        let all = named.chain(books).chain(aside);
        let all = all.chain(self.written_before().into_iter().map(|path| (None, path)));
        let own = |(span, path): (_, PathBuf)| OwnOutput { span, is_own: self.wrote(&path), path };
        OwnOutputs::new(all.map(own).collect())
    }

    /// A path as messages show it.
    pub(crate) fn shown(&self, path: &Path) -> String {
        path.strip_prefix(&self.folder).unwrap_or(path).to_string_lossy().into_owned()
    }

    /// What is read at a path, in words: an input, the plan, its corrections.
    pub fn read_at(&self, path: &Path) -> Option<&'static str> {
        let corrections = self.corrections_file();
        let inputs = self.input_index.get_or_init(|| FileIndex::of(self.inputs()));
        if inputs.find(path).is_some() {
            return Some("an input");
        }
        let plan = self.folder.join(format!("{}.toml", self.plan.file_stem()));
        if self.plan.stem.is_some() && leads_to_same(&plan, path) {
            return Some("the plan");
        }
        let is_corrections = corrections.is_some_and(|file| leads_to_same(&file.path, path));
        is_corrections.then_some("the corrections of the plan")
    }

    /// What is in the way of writing a file that the plan does not name, such as a picture.
    ///
    /// # Errors
    /// It is an input, the plan, its corrections, or an output of the plan.
    pub fn refuse_overwriting(&self, option: &'static str, path: &Path) -> Result<(), Error> {
        let own = || self.own_outputs().find(path).is_some();
        let what = match self.read_at(path) {
            Some(read) => read,
            None if own() => "an output of the plan",
            None => return Ok(()),
        };
        let text = path.to_string_lossy().into_owned();
        let end = text.len();
        let written = Written::in_option(option, &text, 0..end);
        Err(written
            .mistaken(MistakeKind::Overwrites, format!("this would overwrite {what}, `{text}`"))
            .help("name another file")
            .into())
    }

    /// Where lines of a fact that are set aside go: those of the first to a file that does not name it.
    pub(crate) fn aside_path(&self, fact: &str) -> PathBuf {
        let first = self.plan.facts().next().is_none_or(|first| first.name == fact);
        let is_own = |output: &&Entry<OutputEntry>| {
            let of = output.value.of.as_ref().map_or(first, |of| of.get_ref() == fact);
            output.value.list == Some(ListKind::SetAside) && of
        };
        let listed = self.plan.outputs.iter().find(is_own);
        if let Some(to) = listed.and_then(|output| output.value.to.as_ref()) {
            return self.folder.join(to.get_ref());
        }
        let mut name =
            if first { "set-aside.csv".to_owned() } else { format!("set-aside-{fact}.csv") };
        // Plans that share a folder do not share this file.
        if !self.plan.is_usual() {
            name.insert_str(0, &format!("{}-", self.plan.file_stem()));
        }
        self.folder.join("out").join(name)
    }

    /// The files that are read, for refusing to write over them.
    pub(crate) fn inputs(&self) -> impl Iterator<Item = &Path> {
        self.tables.iter().flat_map(|table| table.parts.iter().filter_map(|p| p.path.as_deref()))
    }

    /// Refuses files that are no longer those that were looked at.
    pub(crate) fn refuse_changed(&self) -> Result<(), Error> {
        let mut parts = self.tables.iter().flat_map(|table| &table.parts);
        Ok(parts.try_for_each(Part::refuse_changed)?)
    }

    pub(crate) fn tables(&self) -> &[Table] {
        &self.tables
    }

    pub(crate) fn table(&self, name: &str) -> &Table {
        let table = self.tables.iter().find(|table| table.name == name);
        table.expect("every table of the plan is opened")
    }

    /// The files of the fact.
    pub fn fact_parts(&self, engine: &Engine) -> Parts {
        let table = self.table(&engine.bound.fact.name);
        Parts(table.parts.iter().map(|part| part.name.clone()).collect())
    }

    /// Places of a table as spots: its parts by number.
    pub(crate) fn spots(&self, table: &str, places: &[Place]) -> Vec<Spot> {
        let parts = &self.table(table).parts;
        let part =
            |place: &Place| parts.iter().position(|part| part.name.shown == place.part.shown);
        let spot = |place: &Place| Some(Spot { part: part(place)?, row: place.row? });
        places.iter().filter_map(spot).collect()
    }

    /// The names of a table's columns.
    pub fn column_names(&self, table: &str) -> &[String] {
        &self.table(table).columns.names
    }

    /// The place of a row of a table.
    pub fn place_of(&self, table: &str, spot: Spot) -> Place {
        Place::row(self.table(table).parts[spot.part].name.clone(), spot.row)
    }

    /// The files that are read besides the plan: those of all tables, and the corrections.
    pub fn input_files(&self) -> Vec<PathBuf> {
        let parts = self.tables.iter().filter(|table| !self.is_made(&table.name));
        let parts = parts.flat_map(|table| &table.parts);
        let mut files: Vec<PathBuf> = parts.filter_map(|part| part.path.clone()).collect();
        files.extend(self.corrections_file().map(|file| file.path));
        files.sort();
        files.dedup();
        files
    }

    /// Whether a table has the sums of a fact, which are made when the plan is opened.
    pub(crate) fn is_made(&self, table: &str) -> bool {
        let own = self.plan.tables.iter().find(|entry| entry.name == table);
        own.is_some_and(|entry| entry.value.sums.is_some())
    }

    /// How many bytes the files of all facts have, as far as that can be told.
    pub fn bytes_of_facts(&self) -> u64 {
        self.plan.facts().map(|fact| self.bytes(&fact.name)).sum()
    }

    /// How many bytes the files of the fact have, as far as that can be told.
    pub fn fact_bytes(&self, engine: &Engine) -> u64 {
        let table = self.table(&engine.bound.fact.name);
        table.parts.iter().filter_map(|part| part.source.bytes()).sum()
    }
}
