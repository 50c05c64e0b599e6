//! A draft held against what is true of its folder.

use std::collections::BTreeMap;
use std::fmt;
use std::path::Path;

use interligo_engine::bind::TotalsRequest;
use interligo_model::plan::{ColumnName, Plan, Role, Written, parse_link_path};
use interligo_model::values::decimal::Decimal;
use interligo_project::{
    Answers, Extent, OnDuplicates, OnStop, Parallelism, Project, Request, Started, run, start,
};
use interligo_sources::table::path_pattern::PathPattern;
use tempfile::TempDir;

use super::choices::Choices;
use super::world::{LinkKind, TrueLink, World, world};

/// What some drafts came to.
#[derive(Default)]
pub(crate) struct Scores {
    /// Of each kind of link, those that were found and all that are true.
    links: BTreeMap<LinkKind, (usize, usize)>,
    /// Links that were drafted, and those of them that are not true.
    drafted: (usize, usize),
    /// Files that are one table and became one, and all such sets.
    together: (usize, usize),
    /// Tables whose role is right, and all.
    roles: (usize, usize),
    /// Drafts that run, whose revenue is right, that are wrong and ask nothing; of how many.
    runs: usize,
    right: usize,
    silent: usize,
    folders: usize,
    /// What went wrong, in words.
    log: Vec<String>,
}

impl Scores {
    /// The drafts of the folders of some choices.
    pub(crate) fn over(all: &[Choices]) -> Scores {
        let mut scores = Scores::default();
        for choices in all {
            scores.add(choices);
        }
        scores
    }

    /// The floor: every link is found and none is wrong, no figure is wrong without a question, and this many are right.
    pub(crate) fn are_at_least_as_they_were(&self, right: usize) {
        let (found, all) = self.found();
        assert_eq!((found, self.drafted.1, self.silent), (all, 0, 0), "{self}");
        assert_eq!((self.together.0, self.roles.0), (self.together.1, self.roles.1), "{self}");
        assert!(self.right >= right, "{self}");
    }

    fn found(&self) -> (usize, usize) {
        self.links.values().fold((0, 0), |sum, own| (sum.0 + own.0, sum.1 + own.1))
    }

    fn add(&mut self, choices: &Choices) {
        let world = world(choices);
        let folder = TempDir::new().unwrap();
        for (file, bytes) in &world.files {
            std::fs::write(folder.path().join(file), bytes).unwrap();
        }
        self.folders += 1;
        let named = [folder.path().to_string_lossy().into_owned()];
        let started =
            start(folder.path(), &named, &Answers::default(), Parallelism::default(), &|_, _| {});
        let started = match started {
            Ok(started) => started,
            Err(error) => return self.log.push(format!("{}: no draft: {error}", choices.name)),
        };
        let plan = Plan::parse(&started.plan).unwrap();
        let tables = tables(&plan, &world);
        self.count_links(choices, &plan, &tables, &world);
        self.count_tables(choices, &plan, &tables, &world);
        self.count_figures(choices, plan, &started, folder.path(), &world);
    }

    fn count_links(&mut self, choices: &Choices, plan: &Plan, tables: &Tables, world: &World) {
        let mut open: Vec<&TrueLink> = world.links.iter().collect();
        for link in &world.links {
            self.links.entry(link.kind).or_default().1 += 1;
        }
        for link in &plan.link {
            let link = link.get_ref();
            let path = parse_link_path(&plan.written(&link.path)).unwrap();
            let is_dated = path.as_of.is_some();
            for from in &path.from {
                self.drafted.0 += 1;
                let columns = |names: &[ColumnName]| {
                    names.iter().map(|name| name.column.clone()).collect::<Vec<_>>()
                };
                let table =
                    |names: &[ColumnName]| names[0].through.last().cloned().unwrap_or_default();
                let is_own = |own: &&TrueLink| {
                    tables.is(&table(from), &own.from.0)
                        && tables.is(&table(&path.to), &own.to.0)
                        && own.from.1 == columns(from)
                        && own.to.1 == columns(&path.to)
                        && is_dated == (own.kind == LinkKind::Dated)
                };
                match open.iter().position(is_own) {
                    Some(at) => self.links.entry(open.remove(at).kind).or_default().0 += 1,
                    None => {
                        self.drafted.1 += 1;
                        self.log.push(format!(
                            "{}: wrong link {}",
                            choices.name,
                            link.path.get_ref()
                        ));
                    }
                }
            }
        }
        for link in open {
            self.log.push(format!(
                "{}: missed {:?} {:?} -> {:?}",
                choices.name, link.kind, link.from, link.to
            ));
        }
    }

    fn count_tables(&mut self, choices: &Choices, plan: &Plan, tables: &Tables, world: &World) {
        for files in &world.together {
            self.together.1 += 1;
            let first = tables.of(&files[0]);
            if first.is_some() && files.iter().all(|file| tables.of(file) == first) {
                self.together.0 += 1;
            } else {
                self.log.push(format!("{}: {} files are not one table", choices.name, files.len()));
            }
        }
        let facts = world.facts.iter().map(|file| (file, Role::Fact));
        for (file, role) in facts.chain(world.lookups.iter().map(|file| (file, Role::Lookup))) {
            self.roles.1 += 1;
            let own = tables.of(file).and_then(|name| plan.tables.get(name));
            match own.map(|entry| entry.value.role) {
                Some(own) if own == role => self.roles.0 += 1,
                own => self.log.push(format!("{}: {file} is {own:?}", choices.name)),
            }
        }
    }

    fn count_figures(
        &mut self,
        choices: &Choices,
        plan: Plan,
        started: &Started,
        folder: &Path,
        world: &World,
    ) {
        let revenue = revenue(plan, folder);
        let expected = Decimal::new(i128::from(world.revenue), 4).unwrap();
        let asks = !started.decisions.is_empty() || started.plan.contains("# `");
        match revenue {
            Ok(Some(revenue)) if revenue == expected && !choices.currencies => {
                self.runs += 1;
                self.right += 1;
            }
            // What cannot be known is not drafted, and asked.
            Ok(None) if choices.currencies && asks => {
                self.runs += 1;
                self.right += 1;
            }
            Ok(revenue) => {
                self.runs += 1;
                // No figure is no wrong figure.
                if revenue.is_some() && !asks {
                    self.silent += 1;
                }
                let asks = if asks { "and asks" } else { "and asks nothing" };
                self.log
                    .push(format!("{}: revenue {revenue:?}, not {expected}, {asks}", choices.name));
            }
            Err(error) => self.log.push(format!("{}: does not run: {error}", choices.name)),
        }
    }
}

/// What the first figure called revenue comes to over all lines; none where there is none.
fn revenue(plan: Plan, folder: &Path) -> Result<Option<Decimal>, interligo_project::Error> {
    let figure = plan.figures.iter().find(|figure| figure.name.starts_with("revenue"));
    let Some(name) = figure.map(|figure| figure.name.clone()) else { return Ok(None) };
    let project = Project::open(plan, folder)?;
    let totals = TotalsRequest {
        show: Some(vec![Written::in_option("show", &name, 0..name.len())]),
        ..Default::default()
    };
    let request = Request::of_totals("revenue", totals);
    let job = project.prepare(&[request], Extent::Needed, OnDuplicates::Stop)?;
    let ran = run(&project, &job, Parallelism::default(), OnStop::Stop, &|_, _| {})?;
    let mut tables = ran.outcomes.iter().flat_map(|outcome| &outcome.totals);
    Ok(tables.next().and_then(|(_, table)| table.whole.values[0].number()))
}

/// Which files are in which table of a plan.
struct Tables(BTreeMap<String, String>);

impl Tables {
    fn of(&self, file: &str) -> Option<&str> {
        self.0.get(file).map(String::as_str)
    }

    fn is(&self, table: &str, file: &str) -> bool {
        self.of(file) == Some(table)
    }
}

fn tables(plan: &Plan, world: &World) -> Tables {
    let mut files = BTreeMap::new();
    for entry in &plan.tables {
        for own in plan.files(entry).unwrap() {
            for pattern in &own.from.get_ref().0 {
                let file = pattern.split('#').next().unwrap_or_default();
                let pattern = PathPattern::parse(file).unwrap();
                for file in world.files.keys().filter(|file| pattern.fit(Path::new(file)).is_some())
                {
                    files.insert(file.clone(), entry.name.clone());
                }
            }
        }
    }
    Tables(files)
}

impl fmt::Display for Scores {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let (found, all) = self.found();
        writeln!(
            f,
            "links found {found} of {all}; drafted {}, wrong {}",
            self.drafted.0, self.drafted.1
        )?;
        for (kind, (found, all)) in &self.links {
            writeln!(f, "  {kind:?} {found} of {all}")?;
        }
        writeln!(
            f,
            "one table {} of {}; roles {} of {}",
            self.together.0, self.together.1, self.roles.0, self.roles.1
        )?;
        writeln!(
            f,
            "run {}, right {}, wrong without a question {}, of {}",
            self.runs, self.right, self.silent, self.folders
        )?;
        self.log.iter().try_for_each(|line| writeln!(f, "    {line}"))
    }
}
