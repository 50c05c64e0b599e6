//! Mending: the keys that were not found, one after the other, and the corrections that are decided on.
//!
//! Every decision is written at once, so that what was decided is kept whatever becomes of the terminal.

mod answers;
pub(crate) mod corrections_file;
pub(crate) mod owner_list;

use std::collections::BTreeMap;
use std::path::Path;

use crate::error::Error;
use interligo_engine::engine::Engine;
use interligo_engine::near::Likeness;
use interligo_engine::proof::balance::Suggestion;
use interligo_model::place::Spot;
use interligo_model::plan::Correction;
use interligo_model::plan::Plan;
use interligo_sinks::output_file::write_whole;

use crate::check::{Checked, Code, Finding};
use crate::fetch_rows::rows_at;
use crate::mend::corrections_file::{Answers, CorrectionsFile, with_corrections};
use crate::plan_edit::with_corrections_file;
use crate::project::Project;

/// Lookups with more rows than this are not read again to show what suggestions represent.
const ROWS_SHOWN: u32 = 200_000;

/// A key that some links did not find.
pub struct OpenKey<'a> {
    /// The key as lines have it.
    pub key: String,
    /// The links that look for it, by fact and number.
    pub links: Vec<(usize, usize)>,
    /// The lines that have it.
    pub lines: u64,
    /// What was found of it, in the first of the links.
    pub finding: &'a Finding,
}

/// Keys that are being mended.
pub struct Mending<'a> {
    /// The keys that are open, largest amount first.
    pub open: Vec<OpenKey<'a>>,
    /// Where corrections are kept.
    pub file: CorrectionsFile,
    project: &'a Project,
    engines: &'a [Engine],
    plan: &'a Path,
    corrections: Vec<Correction>,
    /// What stood there before each decision.
    before: Vec<Vec<Correction>>,
}

/// A key that was mended.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Mended {
    /// The key as lines have it.
    pub found: String,
    /// The key of the lookup.
    pub used: String,
    /// The links in which it holds.
    pub links: Vec<String>,
    /// Lines that get a row by it; none where that is not known.
    pub lines: Option<u64>,
    /// Why.
    pub note: String,
}

/// What came of a list of corrections.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct TakenOver {
    /// The keys that were mended.
    pub mended: Vec<Mended>,
    /// The corrections that were not imported.
    pub not_taken: Vec<NotTaken>,
    /// Keys in a list for the owner of a lookup that nobody has answered.
    pub unanswered: u64,
}

/// A correction of another file that was not imported.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct NotTaken {
    /// The correction.
    pub correction: Correction,
    /// Why.
    pub why: Refused,
}

/// Why a correction was not imported.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Refused {
    /// The lookup does not have the key that it leads to.
    NoSuchKey,
    /// Another row of the same file says something else.
    Contradicted,
    /// A correction that is kept leads to another key, this one.
    OtherHolds(String),
}

impl<'a> Mending<'a> {
    /// The keys that were not found, and the corrections so far.
    ///
    /// # Errors
    /// The corrections file cannot be read.
    pub fn new(
        project: &'a Project,
        engines: &'a [Engine],
        checked: &'a Checked,
        plan: &'a Path,
    ) -> Result<Mending<'a>, Error> {
        let file = project.corrections_to_write();
        // One that the plan does not name yet may be there nevertheless.
        let corrections = match engines.first() {
            Some(engine) if project.corrections_file().is_some() => {
                engine.bound.corrections.clone()
            }
            _ => file.read(&project.link_names(engines))?,
        };
        let mut mending = Mending {
            open: Vec::new(),
            file,
            project,
            engines,
            plan,
            corrections,
            before: Vec::new(),
        };
        for finding in &checked.findings {
            let may_be = match finding.code {
                Code::UnmatchedKey | Code::NearMiss | Code::AmbiguousKey => true,
                // One that was passed over is only worth asking for where another key is meant.
                Code::SkippedCandidate => !finding.suggestions.is_empty(),
                _ => false,
            };
            if may_be {
                mending.add(finding);
            }
        }
        Ok(mending)
    }

    fn add(&mut self, finding: &'a Finding) {
        let named = |engine: &Engine| {
            engine.bound.routes.iter().position(|route| route.name == finding.about)
        };
        let own = |engine: &Engine| engine.bound.fact.name == finding.table;
        let found =
            (0..).zip(self.engines).find(|(_, engine)| own(engine) && named(engine).is_some());
        let Some((fact, engine)) = found else { return };
        let Some(link) = named(engine) else { return };
        let key = match finding.suggestions.first() {
            Some(suggestion) => suggestion.found.clone(),
            None => engine.candidates_of(link, &finding.subject)[0].to_owned(),
        };
        let engines = self.engines;
        let lookup = |fact: usize, link: usize| {
            let engine: &Engine = &engines[fact];
            &engine.lookups[engine.bound.routes[link].lookup].name
        };
        let alike = |(other_fact, other): &(usize, usize)| match *other_fact == fact {
            true => engines[fact].seek_alike(*other, link),
            false => lookup(*other_fact, *other) == lookup(fact, link),
        };
        let known = self.open.iter_mut();
        match known.into_iter().find(|open| open.key == key && open.links.iter().any(alike)) {
            Some(open) => {
                if open.links.iter().all(|(other, _)| *other != fact) {
                    open.lines += finding.count;
                }
                open.links.push((fact, link));
            }
            None => self.open.push(OpenKey {
                key,
                links: vec![(fact, link)],
                lines: finding.count,
                finding,
            }),
        }
    }

    /// The names of the links that look for a key.
    pub fn links_of(&self, open: &OpenKey<'_>) -> Vec<String> {
        let name =
            |(fact, link): &(usize, usize)| self.engines[*fact].bound.routes[*link].name.clone();
        let mut names: Vec<String> = Vec::new();
        for link in open.links.iter().map(name) {
            if !names.contains(&link) {
                names.push(link);
            }
        }
        names
    }

    /// The keys that may be meant by an open key.
    pub fn suggestions(&self, open: &OpenKey<'a>) -> &'a [Suggestion] {
        &open.finding.suggestions
    }

    /// The keys of the lookups that an open key is looked for in.
    pub fn lookup_keys(&self, open: &OpenKey<'_>) -> Vec<String> {
        let links = open.links.iter();
        let keys = links.flat_map(|(fact, link)| self.engines[*fact].lookup_keys(*link));
        let mut keys: Vec<String> = keys.map(|key| key.trim().to_owned()).collect();
        keys.sort();
        keys.dedup();
        keys
    }

    /// What the rows of suggested keys say, by key; nothing where the lookup is large.
    pub fn meanings(&self, open: &OpenKey<'_>) -> BTreeMap<String, String> {
        // A row for a period says less of what a key means than one that always holds.
        let plain = |(fact, link): &&(usize, usize)| !self.engines[*fact].is_dated(*link);
        let (fact, link) = *open.links.iter().find(plain).unwrap_or(&open.links[0]);
        let engine = &self.engines[fact];
        let lookup = &engine.lookups[engine.bound.routes[link].lookup];
        if lookup.rows > ROWS_SHOWN {
            return BTreeMap::new();
        }
        let places: Vec<(String, Spot)> = self
            .suggestions(open)
            .iter()
            .filter_map(|suggestion| {
                let place = engine.place_of_key(link, &suggestion.key)?;
                let spot = self.project.spots(&lookup.name, &[place]).first().copied()?;
                Some((suggestion.key.clone(), spot))
            })
            .collect();
        let spots: Vec<Spot> = places.iter().map(|(_, spot)| *spot).collect();
        let rows = rows_at(self.project, &lookup.name, &spots).unwrap_or_default();
        let said = |key: &str, spot: &Spot| {
            let cells = rows.get(spot)?.first()?.iter();
            let others = cells.filter(|cell| !cell.is_empty() && *cell != key).take(4);
            Some(others.cloned().collect::<Vec<_>>().join(" · "))
        };
        places.iter().filter_map(|(key, spot)| Some((key.clone(), said(key, spot)?))).collect()
    }

    /// The first line of an open key: its place and its cells.
    pub fn first_line(&self, open: &OpenKey<'_>) -> Option<(String, Vec<String>)> {
        let spot = *open.finding.spots.first()?;
        let table = &open.finding.table;
        let rows = rows_at(self.project, table, &[spot]).ok()?;
        let lines = rows.get(&spot)?;
        let has = |cells: &&Vec<String>| cells.contains(&open.key);
        let cells = lines.iter().find(has).or(lines.first())?;
        Some((self.project.place_of(table, spot).to_string(), cells.clone()))
    }

    /// Puts a key of the lookup in the place of an open key, in all links that have it, and writes that down.
    /// Nothing where none has it.
    ///
    /// # Errors
    /// The file or the plan cannot be written.
    pub fn mend(&mut self, at: usize, text: &str, note: &str) -> Result<Option<Mended>, Error> {
        let Some((mended, new)) = self.meant(at, text, note) else { return Ok(None) };
        self.keep(&new)?;
        Ok(Some(mended))
    }

    /// The same without writing.
    fn meant(&self, at: usize, text: &str, note: &str) -> Option<(Mended, Vec<Correction>)> {
        let open = &self.open[at];
        let meant = |(fact, link): &(usize, usize)| {
            let engine = &self.engines[*fact];
            Some((engine.bound.routes[*link].name.clone(), engine.key_meant(*link, text)?))
        };
        let mut links: Vec<(String, String)> = open.links.iter().filter_map(meant).collect();
        links.sort();
        links.dedup_by(|one, other| one.0 == other.0);
        let used = links.first()?.1.clone();
        let new = links.iter().map(|(link, used)| Correction {
            link: link.clone(),
            found: open.key.clone(),
            used: used.clone(),
            note: note.to_owned(),
            row: 0,
        });
        let mended = Mended {
            found: open.key.clone(),
            used,
            links: links.iter().map(|(link, _)| link.clone()).collect(),
            lines: Some(open.lines),
            note: note.to_owned(),
        };
        Some((mended, new.collect()))
    }

    /// Takes the last decision back; false when there is none.
    ///
    /// # Errors
    /// The file cannot be written.
    pub fn undo(&mut self) -> Result<bool, Error> {
        let Some(before) = self.before.pop() else { return Ok(false) };
        self.corrections = before;
        self.file.write(&self.corrections)?;
        Ok(true)
    }

    /// Mends all keys for which one key of the lookup differs in nothing but some ways; with how many keys fit
    /// several, or may fit by chance.
    ///
    /// # Errors
    /// The file cannot be written.
    pub fn accept(&mut self, ways: &[Likeness], dry: bool) -> Result<(Vec<Mended>, u64), Error> {
        let mut mended = Vec::new();
        let mut all = Vec::new();
        let mut doubtful = 0;
        for at in 0..self.open.len() {
            let fits =
                |suggestion: &&Suggestion| suggestion.why.iter().all(|why| ways.contains(why));
            let fitting: Vec<&Suggestion> =
                self.open[at].finding.suggestions.iter().filter(fits).collect();
            // Another key that differs in writing alone may be meant as well, in whatever it differs.
            let in_writing = |other: &&Suggestion| other.why.iter().all(|why| why.is_of_writing());
            let others = self.open[at].finding.suggestions.iter().filter(in_writing);
            let alone = others.clone().all(|other| fitting.contains(&other));
            match fitting.as_slice() {
                [] => {}
                [only] if only.likely && alone => {
                    if let Some((one, new)) = self.meant(at, &only.key, &only.words()) {
                        mended.push(one);
                        all.extend(new);
                    }
                }
                _ => doubtful += 1,
            }
        }
        if !dry && !all.is_empty() {
            self.keep(&all)?;
        }
        Ok((mended, doubtful))
    }

    /// Imports corrections of another file, or answers of the owner of a lookup. Those that lead to no key of the lookup, and
    /// those that another one contradicts, of that file or of ours, are not taken.
    ///
    /// # Errors
    /// The other file cannot be read, or ours cannot be written.
    pub fn take_over(&mut self, other: &CorrectionsFile, dry: bool) -> Result<TakenOver, Error> {
        let Answers { corrections: given, unanswered } =
            other.answers(&self.project.link_names(self.engines))?;
        let (mut mended, mut not_taken) = (Vec::new(), Vec::new());
        let mut all: Vec<Correction> = Vec::new();
        let contradicting = contradicting(&given);
        for (correction, contradicts) in given.into_iter().zip(contradicting) {
            let routes = self.engines.iter().flat_map(|engine| {
                engine
                    .bound
                    .routes
                    .iter()
                    .enumerate()
                    .map(move |(link, route)| (engine, link, route))
            });
            let mut own = routes.filter(|(_, _, route)| route.is_called(&correction.link));
            let used = own.find_map(|(engine, link, _)| engine.key_meant(link, &correction.used));
            let Some(used) = used else {
                not_taken.push(NotTaken { correction, why: Refused::NoSuchKey });
                continue;
            };
            let other = self.corrections.iter().find(|own| {
                same_key(own, &correction) && own.used != correction.used && own.used != used
            });
            let why = match other {
                _ if contradicts => Some(Refused::Contradicted),
                Some(own) => Some(Refused::OtherHolds(own.used.clone())),
                None => None,
            };
            if let Some(why) = why {
                not_taken.push(NotTaken { correction, why });
                continue;
            }
            if all.iter().any(|taken| same_key(taken, &correction)) {
                continue;
            }
            let open = self.open.iter().find(|open| open.key == correction.found);
            mended.push(Mended {
                found: correction.found.clone(),
                used: used.clone(),
                links: vec![correction.link.clone()],
                lines: open.map(|open| open.lines),
                note: correction.note.clone(),
            });
            all.push(Correction { used, ..correction });
        }
        if !dry && !all.is_empty() {
            self.keep(&all)?;
        }
        Ok(TakenOver { mended, not_taken, unanswered })
    }

    fn keep(&mut self, new: &[Correction]) -> Result<(), Error> {
        let all = with_corrections(&self.corrections, new);
        self.file.write(&all)?;
        if self.project.corrections_file().is_none() {
            self.name_in_plan()?;
        }
        self.before.push(std::mem::replace(&mut self.corrections, all));
        Ok(())
    }

    /// Lets the plan name the file, unless it does.
    fn name_in_plan(&self) -> Result<(), Error> {
        let bytes = std::fs::read(self.plan).map_err(|error| {
            interligo_sources::error::Error::cannot_read(
                &self.plan.to_string_lossy().into(),
                self.plan,
                error,
            )
        })?;
        let plan = Plan::parse(&String::from_utf8_lossy(&bytes))?;
        if plan.plan.corrections.is_some() {
            return Ok(());
        }
        let changed = with_corrections_file(&plan, &self.file.shown)?;
        Ok(write_whole(self.plan, changed.as_bytes())?)
    }

    /// How many corrections there are.
    pub fn kept(&self) -> usize {
        self.corrections.len()
    }
}

/// Whether two corrections are for the same key of the same link.
fn same_key(one: &Correction, other: &Correction) -> bool {
    (&one.link, &one.found) == (&other.link, &other.found)
}

/// Of corrections, which ones say something else than others for the same key.
fn contradicting(all: &[Correction]) -> Vec<bool> {
    let mut used: BTreeMap<(&str, &str), Vec<&str>> = BTreeMap::new();
    for correction in all {
        used.entry((&correction.link, &correction.found)).or_default().push(&correction.used);
    }
    let contradicts = |correction: &Correction| {
        used[&(correction.link.as_str(), correction.found.as_str())]
            .iter()
            .any(|other| *other != correction.used)
    };
    all.iter().map(contradicts).collect()
}
