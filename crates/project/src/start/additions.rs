//! What a folder has that a plan does not know yet: files that no table reads, columns that were renamed, links for which there
//! is evidence. The plan stays as it is, and what is taken is put into its text.

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use interligo_discover::propose::{
    LinkProposal, Proposal, Seen, TableProposal, links_of_plan, propose,
};
use interligo_engine::bind::Request;
use interligo_engine::engine::Extent;
use interligo_model::plan::{Mistake, MistakeKind, Plan, Role, key, quoted};
use interligo_sources::table::column_drift::Drift;
use interligo_sources::table::parts::{Part, Table};
use interligo_sources::table::parts_found::{pattern_fits, split};
use interligo_sources::table::path_pattern::PathPattern;
use toml_edit::{Array, DocumentMut, InlineTable, Item, Value};

use super::answers::{Decision, Effect};
use super::gather::{Gathered, Stack, gather_beside};
use super::sample::sample;
use super::{Material, draft, open, widen};
use crate::error::Error;
use crate::plan_edit::{NewLink, with_link, with_tables};
use crate::prepare::OnDuplicates;
use crate::project::Project;

/// What a plan does not know of a folder.
pub struct Additions {
    /// What may be put into it.
    pub all: Vec<Addition>,
    /// What cannot be put right by adding something.
    pub notes: Vec<String>,
    /// Files that could not be read, with the reason.
    pub unread: Vec<(String, String)>,
}

/// Something that may be put into a plan.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Addition {
    /// What it is, as a question whose one answer is to add it.
    pub decision: Decision,
    /// What is put in, as lines of a plan.
    pub lines: String,
    edits: Vec<Edit>,
}

/// A change of a plan's text.
#[derive(Clone, Debug, PartialEq, Eq)]
enum Edit {
    /// Sections of tables.
    Tables(String),
    Link(NewLink),
    /// Files more for a table.
    From {
        table: String,
        patterns: Vec<String>,
    },
    /// A column of a file that the plan knows under another name.
    Renamed {
        table: String,
        column: String,
        name: String,
    },
}

impl Addition {
    fn of(text: String, evidence: Vec<String>, lines: String, edits: Vec<Edit>) -> Addition {
        let decision =
            Decision::of(text, [("add it".to_owned(), Effect::AsDrafted)]).with_evidence(evidence);
        Addition { decision, lines, edits }
    }
}

/// What lies in `folder`, or is named, and a plan does not know.
///
/// # Errors
/// The plan's own tables cannot be opened.
pub fn additions(
    plan: Plan,
    folder: &Path,
    named: &[String],
    progress: &(dyn Fn(u64, u64) + Sync),
) -> Result<Additions, Error> {
    let project = Project::open_tables(plan, folder, |_| true)?;
    let names: BTreeSet<String> = project.tables().iter().map(|own| own.name.clone()).collect();
    let known = Known::of(&project, folder);
    let is_known = |file: &str| known.has(file);
    let mut gathered = gather_beside(folder, named, names, &is_known)?;
    let mut all: Vec<Addition> = project.tables().iter().flat_map(renamed_columns).collect();
    gathered.stacks.retain(|stack| {
        let more = more_files(stack, project.tables());
        let is_new = more.is_none();
        all.extend(more);
        is_new
    });
    let (new, unlinked) = new_tables(&project.plan, folder, &mut gathered, progress)?;
    all.extend(new);
    let mut notes = Vec::new();
    if !unlinked.is_empty() {
        let files = unlinked.join(", ");
        notes.push(format!("no table reads {files}, and no link leads to or from there"));
    }
    notes.extend(does_not_hold(&project));
    Ok(Additions { all, notes, unread: gathered.unread })
}

/// Files that need no table more: those that a plan reads, leaves out or writes.
struct Known<'a> {
    folder: &'a Path,
    shown: BTreeSet<Arc<str>>,
    paths: BTreeSet<PathBuf>,
    written: Vec<PathPattern>,
    left_out: Vec<String>,
}

impl Known<'_> {
    fn of<'a>(project: &Project, folder: &'a Path) -> Known<'a> {
        let parts = || project.tables().iter().flat_map(|table| &table.parts);
        let corrections = project.corrections_file().map(|file| file.path);
        let in_books = |part: &&Part| part.name.shown.contains('#');
        let paths = parts().filter(|part| !in_books(part)).filter_map(|part| part.path.clone());
        let to = project.plan.outputs.iter().filter_map(|entry| entry.value.to.as_ref());
        Known {
            folder,
            shown: parts().map(|part| part.name.shown.clone()).collect(),
            paths: paths.chain(corrections).collect(),
            left_out: left_out(&project.plan),
            written: to.filter_map(|to| PathPattern::parse(to.get_ref()).ok()).collect(),
        }
    }

    /// Whether it is one of them, by its name as a plan has it, or by that of the sheet or table in it.
    fn has(&self, file: &str) -> bool {
        let at = self.folder.join(file);
        self.shown.contains(file)
            || self.shown.contains(at.to_string_lossy().as_ref())
            || self.paths.contains(&at)
            || self.is_left_out(file)
            || self.written.iter().any(|to| to.fit(Path::new(file)).is_some())
    }

    fn is_left_out(&self, file: &str) -> bool {
        let (path, table) = split(file);
        self.left_out.iter().any(|pattern| pattern_fits(pattern, &path, table.as_deref()))
    }
}

/// The patterns of what the tables of a plan leave out.
fn left_out(plan: &Plan) -> Vec<String> {
    let files = plan.tables.iter().filter_map(|table| plan.files(table).ok()).flatten();
    files.flat_map(|files| files.leave_out).flat_map(|list| list.get_ref().0.clone()).collect()
}

/// The text of a plan with what was taken of all that may be added.
///
/// # Errors
/// What comes of it is no plan.
pub fn with_additions<'a>(
    source: &str,
    taken: impl IntoIterator<Item = &'a Addition>,
) -> Result<String, Mistake> {
    let mut text = source.to_owned();
    for edit in taken.into_iter().flat_map(|addition| &addition.edits) {
        text = match edit {
            Edit::Tables(lines) => with_tables(&text, lines),
            Edit::Link(link) => with_link(&Plan::parse(&text)?, link)?,
            Edit::From { table, patterns } => {
                edited(&text, table, |section| add_files(section, patterns))?
            }
            Edit::Renamed { table, column, name } => {
                edited(&text, table, |section| add_name(section, column, name))?
            }
        };
    }
    Plan::parse(&text)?;
    Ok(text)
}

/// The text with the section of a table changed; all else stays as it is written.
fn edited(text: &str, table: &str, change: impl FnOnce(&mut Item)) -> Result<String, Mistake> {
    let mut document: DocumentMut = text.parse().map_err(|error: toml_edit::TomlError| {
        Mistake::of_plan(MistakeKind::Syntax, error.message().to_owned())
    })?;
    change(&mut document["tables"][table]);
    Ok(document.to_string())
}

fn add_files(section: &mut Item, patterns: &[String]) {
    if let Some(parts) = section.get_mut("part").and_then(Item::as_array_of_tables_mut) {
        let mut part = toml_edit::Table::new();
        part["from"] = toml_edit::value(listed(patterns));
        parts.push(part);
        return;
    }
    let from = section.get("from").and_then(Item::as_value);
    let mut all = match from {
        Some(Value::Array(all)) => all.clone(),
        Some(only) => Array::from_iter([only.clone()]),
        None => Array::new(),
    };
    // A comment behind it stays where it is.
    let decor = from.map(|from| from.decor().clone());
    patterns.iter().for_each(|pattern| all.push(pattern.as_str()));
    all.fmt();
    if let Some(decor) = decor {
        *all.decor_mut() = decor;
    }
    section["from"] = toml_edit::value(all);
}

fn listed(patterns: &[String]) -> Value {
    match patterns {
        [only] => only.as_str().into(),
        several => Array::from_iter(several.iter().map(String::as_str)).into(),
    }
}

fn add_name(section: &mut Item, column: &str, name: &str) {
    let named = || InlineTable::from_iter([("name", name)]);
    match section.get_mut("columns") {
        Some(columns) => columns[column] = toml_edit::value(named()),
        None => {
            section["columns"] =
                toml_edit::value(InlineTable::from_iter([(column, Value::from(named()))]));
        }
    }
}

/// What ends a run of the plan as it is: a column that it names and that is not there any more, for one.
fn does_not_hold(project: &Project) -> Option<String> {
    let requests = Request::of_plan(&project.plan);
    let requests = requests.map_err(Error::from);
    let failed = requests.and_then(|requests| {
        project.prepare(&requests, Extent::Everything, OnDuplicates::Report).map(drop)
    });
    failed.err().map(|error| format!("the plan does not hold: {error}"))
}

/// Columns that some files of a table have under another name.
fn renamed_columns(table: &Table) -> Vec<Addition> {
    let renamed = |drift: &Drift| match drift {
        Drift::Missing { part, column, likely: Some(likely) } => {
            Some((part.clone(), column.clone(), likely.clone()))
        }
        _ => None,
    };
    let mut known = BTreeSet::new();
    let found = table.drift.iter().filter_map(renamed);
    found
        .filter(|(_, column, likely)| known.insert((column.clone(), likely.clone())))
        .map(|(part, column, likely)| {
            let name = &table.name;
            Addition::of(
                format!("{part} has no column `{column}`, and `{likely}` in its place: it may be the same"),
                vec![format!("the other files of `{name}` have `{column}`")],
                format!(
                    "[tables.{}.columns]\n{} = {{ name = {} }}\n",
                    key(name),
                    key(&likely),
                    quoted(&column)
                ),
                vec![Edit::Renamed { table: name.clone(), column: likely, name: column }],
            )
        })
        .collect()
}

/// Whether files have the columns of a table, by their names.
fn has_columns_of(stack: &Stack, table: &Table) -> bool {
    let lower = |name: &String| name.trim().to_lowercase();
    let own: BTreeSet<String> = stack.column_names.iter().map(lower).collect();
    let of_part = |part: &Part| part.column_names.iter().map(lower).collect::<BTreeSet<_>>() == own;
    table.parts.iter().any(of_part)
}

/// Files with the columns of a table of the plan.
fn more_files(stack: &Stack, tables: &[Table]) -> Option<Addition> {
    let fits: Vec<&Table> = tables.iter().filter(|table| has_columns_of(stack, table)).collect();
    let table = fits.first()?;
    // What a pattern would take besides may be what the table reads by another: it cannot be left out here.
    let patterns = if stack.leave_out.is_empty() { &stack.from } else { &stack.files };
    let files = patterns.join(", ");
    let others: Vec<String> = fits[1..].iter().map(|other| format!("`{}`", other.name)).collect();
    let evidence = match others.is_empty() {
        true => Vec::new(),
        false => vec![format!("{} has these columns as well", others.join(", "))],
    };
    Some(Addition::of(
        format!("no table reads {files}, which has the columns of `{}`", table.name),
        evidence,
        format!(
            "[tables.{}]\nfrom = [ …, {} ]\n",
            key(&table.name),
            patterns.iter().map(|pattern| quoted(pattern)).collect::<Vec<_>>().join(", ")
        ),
        vec![Edit::From { table: table.name.clone(), patterns: patterns.clone() }],
    ))
}

/// Tables that the plan does not have, with their links, and links between those that it has; and the files that no link
/// leads to or from.
fn new_tables(
    plan: &Plan,
    folder: &Path,
    gathered: &mut Gathered,
    progress: &(dyn Fn(u64, u64) + Sync),
) -> Result<(Vec<Addition>, Vec<String>), Error> {
    // Those that cannot be opened go to the files that are not read.
    if let (Err(error), false) = (open(folder, gathered), gathered.stacks.is_empty()) {
        return Err(error);
    }
    let both = with_tables(&plan.source, &draft::tables_only(&gathered.stacks));
    let project = Project::open_tables(Plan::parse(&both)?, folder, |_| true)?;
    let tables: Vec<&Table> = project.tables().iter().collect();
    let mut sampled = Vec::new();
    for table in &tables {
        sampled.push(sample(&table.name, table)?);
        progress(0, sampled.last().map_or(0, |own| own.seen.rows));
    }
    widen(&mut sampled, &tables)?;
    let seen: Vec<Seen> = sampled.into_iter().map(|table| table.seen).collect();
    let proposal = propose(&seen, &links_of_plan(plan, &seen));
    let material = Material { stacks: &[], tables, seen: &seen, proposal, figures: Vec::new() };
    Ok(found(&material, &gathered.stacks))
}

/// New tables that hang together and their links each as one, then the links between tables of the plan; and the files that
/// no link leads to or from.
fn found(material: &Material<'_>, stacks: &[Stack]) -> (Vec<Addition>, Vec<String>) {
    let Proposal { links, tables, .. } = &material.proposal;
    let new = |table: usize| stacks.iter().position(|own| own.name == material.seen[table].name);
    let fresh: Vec<&LinkProposal> = links.iter().filter(|link| link.stated.is_none()).collect();
    let ends = |link: &LinkProposal| -> Vec<usize> {
        link.from.iter().map(|at| at.table).chain([link.to_table]).filter_map(new).collect()
    };
    // Of each new table, the first of those that it hangs together with.
    let mut first: Vec<usize> = (0..stacks.len()).collect();
    for ends in fresh.iter().map(|link| ends(link)) {
        let least = ends.iter().map(|end| first[*end]).min();
        let joined: BTreeSet<usize> = ends.iter().map(|end| first[*end]).collect();
        for own in first.iter_mut().filter(|own| joined.contains(own)) {
            *own = least.unwrap_or(*own);
        }
    }
    let (mut all, mut unlinked) = (Vec::new(), Vec::new());
    for group in (0..stacks.len()).filter(|number| first[*number] == *number) {
        let members = (0..stacks.len()).filter(|number| first[*number] == group);
        let own = members.map(|number| {
            let table = (0..material.seen.len()).find(|table| new(*table) == Some(number));
            (&stacks[number], table.map(|table| (&material.seen[table], &tables[table])))
        });
        let links = fresh.iter().copied();
        let links = links.filter(|link| ends(link).first().is_some_and(|end| first[*end] == group));
        let (own, links): (Vec<_>, Vec<_>) = (own.collect(), links.collect());
        match links.is_empty() {
            true => unlinked.extend(own.iter().flat_map(|(stack, _)| stack.from.clone())),
            false => all.push(of_tables(material, &own, &links)),
        }
    }
    all.extend(fresh.iter().filter(|link| ends(link).is_empty()).map(|link| {
        let link = new_link(material, link);
        Addition::of(
            format!("the plan has no link {}", link.0.path),
            vec![link.1],
            link.0.entry("\n") + "\n",
            vec![Edit::Link(link.0)],
        )
    }));
    (all, unlinked)
}

type Member<'a> = (&'a Stack, Option<(&'a Seen, &'a TableProposal)>);

fn of_tables(material: &Material<'_>, members: &[Member<'_>], links: &[&LinkProposal]) -> Addition {
    let mut lines = String::new();
    for (stack, proposed) in members {
        lines += &match proposed {
            Some((seen, proposed)) => draft::section(stack, seen, proposed, true, true),
            None => draft::tables_only(std::slice::from_ref(stack)),
        };
        lines.push('\n');
    }
    let mut edits = vec![Edit::Tables(lines.clone())];
    let mut evidence = Vec::new();
    for link in links {
        let (link, why) = new_link(material, link);
        lines += &format!("{}\n\n", link.entry("\n"));
        evidence.push(format!("{}: {why}", link.path));
        edits.push(Edit::Link(link));
    }
    let files: Vec<String> = members.iter().flat_map(|(stack, _)| stack.from.clone()).collect();
    let names: Vec<String> = members
        .iter()
        .map(|(stack, proposed)| {
            let role = match proposed.and_then(|(_, proposed)| proposed.role) {
                Some(Role::Fact) => "fact",
                _ => "lookup",
            };
            format!("the {role} `{}`", stack.name)
        })
        .collect();
    let text = format!("no table reads {}: it may be {}", files.join(", "), names.join(", "));
    Addition::of(text, evidence, lines.trim_end().to_owned() + "\n", edits)
}

/// A link as one that may be added, with the evidence for it.
fn new_link(material: &Material<'_>, link: &LinkProposal) -> (NewLink, String) {
    let new = NewLink {
        path: draft::path(material, link),
        name: link.name.clone(),
        split: link.split,
        ignore: link.fit.ignore.clone(),
    };
    (new, draft::why(material, link))
}
