//! Proposals: which of some tables are facts and which lookups, what their keys are, and which column finds
//! its row where, with the evidence for it.
//!
//! The values come first: a link is proposed where the values of one column are found among the unique values
//! of another. Where they would be found by chance as well, as whole numbers in small ranges are, the column names
//! must say so too. What is proposed is a draft: all rows are looked at afterwards, by the plan that is made of
//! it.

mod alternatives;
mod candidates;
mod column;
mod explain;
mod figures;
mod joint;
mod keys;
mod meanings;
mod roles;
mod score;
mod settle;
mod twins;
mod words;

use std::collections::BTreeSet;

pub use column::{Fit, SeenColumn};
pub use explain::{Candidate, Verdict, explain};
pub use figures::{FigureProposal, currencies, figures};
pub use keys::{PERIOD, Period};
pub use meanings::Meaning;
pub use roles::{are_told_apart, copies};
pub use twins::{Twin, twins};

use candidates::Candidates;
use column::Traits;
use interligo_model::plan::{ColumnName, Ignore, Plan, Role, parse_link_path};

/// A table as far as it was seen.
pub struct Seen {
    /// Its name.
    pub name: String,
    /// Its columns, with the rows that were seen.
    pub columns: Vec<SeenColumn>,
    /// About how many rows it has in all.
    pub rows: u64,
    /// Whether the rows are those that hold values of other tables: then it says nothing that theirs are found.
    pub is_chosen: bool,
    /// Keys that are stated somewhere: by a database, or by a description that lies beside the files.
    pub stated_keys: Vec<Vec<usize>>,
}

/// A link that is stated somewhere, by the numbers of tables and columns.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Stated {
    /// The columns of the key, in the order of `to`; one may be of a table that another link brings.
    pub from: Vec<ColumnAt>,
    /// The table that it is found in.
    pub to_table: usize,
    /// The columns that it is found in.
    pub to: Vec<usize>,
    /// Who says so.
    pub by: String,
}

/// What is proposed of a table.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct TableProposal {
    /// Fact or lookup; none when nothing links it to the others.
    pub role: Option<Role>,
    /// The columns of its key; none where no need for one was seen.
    pub key: Vec<usize>,
    /// When its rows hold.
    pub period: Option<Period>,
    /// How many rows share their key with another.
    pub shared: usize,
    /// Of a fact, how many rows are there again with all their values.
    pub copies: usize,
}

/// A column of a table.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct ColumnAt {
    /// The table, by number.
    pub table: usize,
    /// The column.
    pub column: usize,
}

/// A link that is proposed.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct LinkProposal {
    /// The columns of the key, in the order of `to`.
    pub from: Vec<ColumnAt>,
    /// The table that it leads to.
    pub to_table: usize,
    /// The columns that it is found in.
    pub to: Vec<usize>,
    /// Columns that have the key where the first has none.
    pub or: Vec<ColumnAt>,
    /// What parts several keys in one cell, of which the first that is found counts.
    pub split: Option<char>,
    /// The day on which a row must hold.
    pub as_of: Option<ColumnAt>,
    /// The name of the link, where the table's is not enough.
    pub name: Option<String>,
    /// How the values fit.
    pub fit: Fit,
    /// How alike the column names are, in percent.
    pub alike: u32,
    /// The evidence for it in all, in percent.
    pub score: u32,
    /// The link that came next for the same column.
    pub runner_up: Option<(ColumnAt, Fit)>,
    /// Who states it, where it is stated somewhere.
    pub stated: Option<String>,
}

/// What is proposed for some tables.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Proposal {
    /// Of each table.
    pub tables: Vec<TableProposal>,
    /// Links that hold.
    pub links: Vec<LinkProposal>,
    /// Possible links, which are left to the reader.
    pub doubts: Vec<LinkProposal>,
    /// Links of which another leads as well to a table that looks the same, with that table.
    pub equals: Vec<(LinkProposal, usize)>,
}

/// A link scores this much to be proposed.
pub(crate) const SURE: u32 = 60;

/// A link scores this much to be mentioned.
pub(crate) const LIKELY: u32 = 42;

/// Tables with what is known of their columns.
pub(crate) struct View<'a> {
    pub(crate) seen: Vec<&'a Seen>,
    traits: Vec<Vec<Traits>>,
    periods: Vec<Option<Period>>,
}

impl<'a> View<'a> {
    fn new(seen: impl Iterator<Item = &'a Seen>) -> View<'a> {
        let seen: Vec<&Seen> = seen.collect();
        let traits: Vec<Vec<Traits>> =
            seen.iter().map(|table| table.columns.iter().map(Traits::of).collect()).collect();
        let periods = seen.iter().zip(&traits).map(|(table, traits)| keys::period(table, traits));
        let periods = periods.collect();
        View { periods, traits, seen }
    }

    fn of(&self, at: ColumnAt) -> &Traits {
        &self.traits[at.table][at.column]
    }

    /// The columns of a table.
    fn columns(&self, table: usize) -> impl Iterator<Item = ColumnAt> + use<> {
        (0..self.seen[table].columns.len()).map(move |column| ColumnAt { table, column })
    }
}

/// Proposes links between tables. `stated` are links that are known.
pub fn propose(seen: &[Seen], stated: &[Stated]) -> Proposal {
    let view = View::new(seen.iter());
    let mut candidates = Candidates::new(&view);
    candidates.take_stated(stated);
    candidates.single();
    candidates.several();
    let (links, mut doubts) = settle::settle(candidates.found());
    let (links, equals) = one_of_equals(seen, links);
    let links = alternatives::merged(&view, links);
    doubts.extend(equals.iter().map(|(link, _)| link.clone()));
    let mut proposal = Proposal { tables: Vec::new(), links, doubts, equals };
    settle_tables(&view, seen, &mut proposal);
    proposal
}

/// Settles what follows from the links of a proposal after they were changed: the roles and keys of tables, and names.
pub fn settle_again(seen: &[Seen], proposal: &mut Proposal) {
    proposal.links.iter_mut().for_each(|link| link.name = None);
    settle_tables(&View::new(seen.iter()), seen, proposal);
}

fn settle_tables(view: &View<'_>, seen: &[Seen], proposal: &mut Proposal) {
    let tables = roles::tables(view, &proposal.links);
    // Those of the facts first; the others as they depend on them.
    proposal.links.sort_by_key(|link| tables[link.from[0].table].role != Some(Role::Fact));
    proposal.tables = tables;
    name_links(seen, proposal);
}

/// Of links from the same columns to tables with the same column names, copies of each other it seems, the first; and
/// the others, with the table that was taken.
fn one_of_equals(
    seen: &[Seen],
    links: Vec<LinkProposal>,
) -> (Vec<LinkProposal>, Vec<(LinkProposal, usize)>) {
    let column_names = |table: usize| -> BTreeSet<&str> {
        seen[table].columns.iter().map(|column| column.name.as_str()).collect()
    };
    let (mut taken, mut equals): (Vec<LinkProposal>, Vec<(LinkProposal, usize)>) =
        (Vec::new(), Vec::new());
    for link in links {
        let same = taken.iter().find(|known| {
            known.from == link.from
                && known.to_table != link.to_table
                && link.stated.is_none()
                && column_names(known.to_table) == column_names(link.to_table)
        });
        match same.map(|known| known.to_table) {
            Some(table) => equals.push((link, table)),
            None => taken.push(link),
        }
    }
    (taken, equals)
}

/// What a table that was not seen whole must be looked through for: its columns that may be keys, and the values
/// of other tables that may be found in them. Nothing, where no other table seems to know its keys.
pub fn looked_for(seen: &[&Seen], table: usize) -> (Vec<usize>, Vec<String>) {
    let own: Vec<(usize, Traits)> = seen[table]
        .columns
        .iter()
        .map(Traits::of)
        .enumerate()
        .filter(|(_, of)| keys::may_be_key(of))
        .collect();
    let (mut columns, mut values) = (BTreeSet::new(), Vec::new());
    if own.is_empty() {
        return (Vec::new(), values);
    }
    let name = words::Words::of(&seen[table].name);
    for other in (0..seen.len()).filter(|other| *other != table) {
        for column in seen[other].columns.iter().map(Traits::of) {
            let fits = own.iter().filter(|(_, own)| {
                let alike = column.words.alike(&own.words).max(column.words.alike(&name)) >= 60;
                let known = !own.is_dense() && column.shares_values(own);
                own.kind == column.kind && (alike || known)
            });
            let fits: Vec<usize> = fits.map(|(number, _)| *number).collect();
            if !fits.is_empty() {
                columns.extend(fits);
                values.extend(column.values);
            }
        }
    }
    (columns.into_iter().collect(), values)
}

/// By this many rows it is told whether cells hold several values.
const LISTED: usize = 20_000;

/// The columns of a table whose cells hold several values in step, and the separator between them.
pub fn lists(table: &Seen) -> Option<(char, Vec<usize>)> {
    for separator in ['|', ';', '/'] {
        let count = |text: &str| text.matches(separator).count();
        let listed = |column: &usize| {
            let texts = || table.columns[*column].texts.iter().take(LISTED).flatten();
            let with = texts().filter(|text| count(text) > 0).count();
            with * 5 > texts().filter(|text| !text.trim().is_empty()).count()
        };
        let columns: Vec<usize> = (0..table.columns.len()).filter(listed).collect();
        let Some(first) = columns.first().copied() else { continue };
        let in_step = |column: &usize| {
            let (one, other) = (&table.columns[first].texts, &table.columns[*column].texts);
            let (one, other) = (one.iter().take(LISTED), other.iter().take(LISTED));
            one.flatten().zip(other.flatten()).all(|(a, b)| count(a) == count(b))
        };
        let in_step: Vec<usize> = columns.into_iter().filter(in_step).collect();
        if in_step.len() > 1 {
            return Some((separator, in_step));
        }
    }
    None
}

/// Links of one table to one lookup get names of their own, from the columns that they start at.
fn name_links(seen: &[Seen], proposal: &mut Proposal) {
    let pairs: Vec<(BTreeSet<usize>, usize)> = proposal
        .links
        .iter()
        .map(|link| (link.from.iter().map(|at| at.table).collect(), link.to_table))
        .collect();
    let mut taken: BTreeSet<String> = seen.iter().map(|table| table.name.clone()).collect();
    for (number, link) in proposal.links.iter_mut().enumerate() {
        if pairs.iter().filter(|pair| **pair == pairs[number]).count() < 2 {
            continue;
        }
        let column_name = &seen[link.from[0].table].columns[link.from[0].column].name;
        let words = words::Words::of(column_name).about.join("_");
        let base = if words.is_empty() { seen[link.to_table].name.clone() } else { words };
        let numbered = (2..).map(|n| format!("{base}_{n}"));
        let name =
            [base.clone()].into_iter().chain(numbered).find(|name| taken.insert(name.clone()));
        link.name = name;
    }
}

/// The differences that a proposed link ignores, as the plan names them.
pub fn ignore_words(ignore: &[Ignore]) -> Vec<&'static str> {
    ignore.iter().map(|ignore| ignore.word()).collect()
}

/// The links of a plan, by the numbers of these tables and their columns; a link with several candidates is as
/// many.
pub fn links_of_plan(plan: &Plan, seen: &[Seen]) -> Vec<Stated> {
    let mut stated = Vec::new();
    for link in &plan.link {
        let Ok(path) = parse_link_path(&plan.written(&link.get_ref().path)) else { continue };
        let at = |name: &ColumnName| {
            let table = plan.table_called(name.through.last()?)?;
            let table = seen.iter().position(|seen| seen.name == table)?;
            let column = seen[table].columns.iter().position(|c| c.name == name.column)?;
            Some(ColumnAt { table, column })
        };
        let all = |names: &[ColumnName]| names.iter().map(at).collect::<Option<Vec<ColumnAt>>>();
        let Some(to) = all(&path.to) else { continue };
        for from in path.from.iter().filter_map(|names| all(names)) {
            stated.push(Stated {
                from,
                to_table: to[0].table,
                to: to.iter().map(|at| at.column).collect(),
                by: "the plan".to_owned(),
            });
        }
    }
    stated
}

/// Whether a column name has a word with this meaning.
pub fn words_mean(column_name: &str, meaning: Meaning) -> bool {
    words::Words::of(column_name).means(meaning)
}
