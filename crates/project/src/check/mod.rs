//! What a check finds: every problem of keys, rows, values and column names over all facts and lookups, with
//! what it costs, largest amount first.

mod finding_kind;
mod finding_kinds;
mod keys;
mod lists;
mod rows;

use std::cmp::Reverse;
use std::collections::BTreeMap;

use interligo_engine::engine::Engine;
use interligo_engine::proof::balance::{Balance, Suggestion};
use interligo_engine::proof::findings::ExactSum;
use interligo_engine::proof::usage::Usage;
use interligo_model::place::Spot;
use interligo_model::values::date::Day;
use interligo_model::values::decimal::Decimal;

pub use finding_kind::{FindingKind, Stopping, renamed_kind};
pub use finding_kinds::Code;
pub(crate) use finding_kinds::stop_on;
pub(crate) use lists::list_of;

use crate::error::Stop;
use crate::outcome::Outcome;
use crate::project::Project;

/// One thing that was found.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Finding {
    /// What kind of thing.
    pub code: Code,
    /// The link or table.
    pub about: String,
    /// The key, column or row.
    pub subject: String,
    /// How many lines, rows or values.
    pub count: u64,
    /// The affected amounts, of findings over lines.
    pub affected: Option<Affected>,
    /// The first of the places.
    pub places: Vec<String>,
    /// The last of them, where there are more.
    pub last: Option<String>,
    /// The table that its rows are in.
    pub table: String,
    /// The first of these rows.
    pub spots: Vec<Spot>,
    /// The first and the last day of the lines.
    pub days: Option<(Day, Day)>,
    /// What happens, or what is noteworthy.
    pub note: String,
    /// Keys that may be meant.
    pub suggestions: Vec<Suggestion>,
    /// Whether it stops a run.
    pub stops: bool,
}

impl Finding {
    /// Its link or table, with the table of its rows where that of several is meant.
    fn place(&self, several: bool) -> String {
        match several {
            true => format!("{} ({})", self.about, self.table),
            false => self.about.clone(),
        }
    }

    /// What findings have in common that are added up: their kind, the link or table, and the table of their
    /// rows, since lines of two facts are not of one sort.
    fn kind(&self) -> (Code, String, String) {
        (self.code, self.about.clone(), self.table.clone())
    }
}

/// The amounts affected over some lines.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Affected {
    /// Lines.
    pub lines: u64,
    /// Sums by column, see [`Checked::columns`].
    pub sums: Vec<ExactSum>,
    /// Lines on which the figure findings are weighed by is not known.
    pub unknown: u64,
}

/// A column of affected amounts.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct AmountColumn {
    /// Its name.
    pub name: String,
    /// Whether it is the figure findings are weighed by, which may not be known on a line.
    pub is_figure: bool,
    /// The fact that it belongs to, by number.
    fact: usize,
}

/// The counts of one link that must close.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct LinkBalance {
    /// The link.
    pub link: String,
    /// The lookup.
    pub lookup: String,
    /// The counts.
    pub balance: Balance,
}

/// Findings of one kind in one link or table.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Group<'a> {
    /// The findings, largest amount first.
    pub findings: Vec<&'a Finding>,
    /// Lines, rows or values of all of them.
    pub count: u64,
    /// The amounts affected over all.
    pub affected: Option<Affected>,
    /// Whether any of them stops a run.
    pub stops: bool,
}

/// All that was found.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Checked {
    /// The findings, largest amount first.
    pub findings: Vec<Finding>,
    /// the columns of affected amounts: amounts of facts, and the figures findings are weighed by.
    pub columns: Vec<AmountColumn>,
    /// Lines of all facts.
    pub lines: u64,
    /// How many links were tried.
    pub links: usize,
    /// How many lookups were read.
    pub lookups: usize,
    /// Lines with keys beyond those that are kept apart.
    pub further: u64,
    /// The counts of the links, where it is known which rows were used.
    pub balances: Vec<LinkBalance>,
}

/// What is known of one fact after a run.
pub(crate) struct FactRun<'a> {
    pub(crate) engine: &'a Engine,
    pub(crate) outcome: &'a Outcome,
    pub(crate) usage: Option<&'a Usage>,
}

impl Checked {
    /// What was found over all facts.
    pub(crate) fn over(project: &Project, facts: &[FactRun<'_>]) -> Checked {
        let mut checked = Checked::default();
        for (number, fact) in facts.iter().enumerate() {
            let amounts =
                fact.outcome.tie_out.amounts.iter().map(|amount| (&*amount.column, false));
            let affected = fact.engine.weigh_by().map(|name| (name, true));
            let column = |(name, is_figure): (&str, bool)| AmountColumn {
                name: name.to_owned(),
                is_figure,
                fact: number,
            };
            checked.columns.extend(amounts.chain(affected).map(column));
            checked.lines += fact.outcome.findings.lines;
            checked.links += fact.engine.bound.routes.len();
            checked.further += fact.outcome.findings.keys.further.values().sum::<u64>();
        }
        let lookups = facts.iter().flat_map(|fact| &fact.engine.lookups);
        let mut names: Vec<&str> = lookups.map(|lookup| lookup.name.as_str()).collect();
        names.sort_unstable();
        names.dedup();
        checked.lookups = names.len();
        for (number, fact) in facts.iter().enumerate() {
            checked.add_keys(project, number, fact);
            checked.add_corrections(project, number, fact);
            checked.add_fact_rows(project, fact);
            checked.add_balances(fact);
        }
        checked.add_lookups(project, facts);
        checked.add_unused(project, facts);
        checked.add_links(project, facts);
        checked.add_calendars(facts);
        checked.add_column_names(project);
        let stop_on = project.stop_on();
        for finding in &mut checked.findings {
            finding.stops |= stop_on.contains(&finding.code);
        }
        checked.sort();
        checked
    }

    fn add_balances(&mut self, fact: &FactRun<'_>) {
        let Some(usage) = fact.usage else { return };
        for (link, route) in fact.engine.bound.routes.iter().enumerate() {
            self.balances.push(LinkBalance {
                link: route.name.clone(),
                lookup: fact.engine.lookups[route.lookup].name.clone(),
                balance: fact.engine.balance(link, &fact.outcome.findings, usage),
            });
        }
    }

    /// Sorts groups and the findings of each, largest amount first.
    fn sort(&mut self) {
        let mut costs: BTreeMap<(Code, String, String), Cost> = BTreeMap::new();
        let groups = self.groups();
        let worst = groups.iter().map(|group| {
            let key = group.findings[0].kind();
            let cost = self.cost(key.0, group.stops, group.affected.as_ref(), group.count);
            (key, cost)
        });
        costs.extend(worst);
        let own: Vec<Cost> = self
            .findings
            .iter()
            .map(|f| self.cost(f.code, f.stops, f.affected.as_ref(), f.count))
            .collect();
        let mut order: Vec<usize> = (0..self.findings.len()).collect();
        order.sort_by_cached_key(|at| {
            let finding = &self.findings[*at];
            let kind = finding.kind();
            (Reverse(costs[&kind]), kind, Reverse(own[*at]), *at)
        });
        let mut all: Vec<Option<Finding>> = self.findings.drain(..).map(Some).collect();
        self.findings = order.into_iter().filter_map(|at| all[at].take()).collect();
    }

    /// What is worse comes last: what stops a run; what is not settled; lines on which the figure findings are weighed by is
    /// not known; how much of it is touched; lines.
    fn cost(&self, code: Code, stops: bool, affected: Option<&Affected>, count: u64) -> Cost {
        let (mut unknown, mut touched, mut lines) = (0, ExactSum::default(), 0);
        if let Some(affected) = affected {
            (unknown, lines) = (affected.unknown, affected.lines);
            let figures = self.columns.iter().zip(&affected.sums).filter(|(c, _)| c.is_figure);
            figures
                .filter(|(_, sum)| sum.value().is_some())
                .for_each(|(_, sum)| touched.merge(*sum));
        }
        let open = !code.kind().settled;
        (stops, open, unknown, touched.value().and_then(Decimal::checked_abs), lines, count)
    }

    /// Where a finding is: its link or table, with the table of its rows where findings of another one are alike.
    pub fn place_of(&self, finding: &Finding) -> String {
        let alike = |other: &&Finding| (other.code, &other.about) == (finding.code, &finding.about);
        finding.place(self.findings.iter().filter(alike).any(|other| other.table != finding.table))
    }

    /// The same of all findings.
    pub(crate) fn places(&self) -> Vec<String> {
        let mut tables: BTreeMap<(Code, &str), (&str, bool)> = BTreeMap::new();
        for finding in &self.findings {
            let of = (finding.code, finding.about.as_str());
            let (table, several) = tables.entry(of).or_insert((&finding.table, false));
            *several |= *table != finding.table;
        }
        let place = |finding: &Finding| finding.place(tables[&(finding.code, &*finding.about)].1);
        self.findings.iter().map(place).collect()
    }

    /// The findings by kind, link or table, and table of their rows, in their order.
    pub fn groups(&self) -> Vec<Group<'_>> {
        let mut numbers: BTreeMap<(Code, String, String), usize> = BTreeMap::new();
        let mut groups: Vec<Group<'_>> = Vec::new();
        for finding in &self.findings {
            let next = groups.len();
            let number = *numbers.entry(finding.kind()).or_insert(next);
            if number == next {
                groups.push(Group { findings: Vec::new(), count: 0, affected: None, stops: false });
            }
            let group = &mut groups[number];
            group.count += finding.count;
            group.stops |= finding.stops;
            if let Some(affected) = &finding.affected {
                match &mut group.affected {
                    Some(all) => all.absorb(affected),
                    all => *all = Some(affected.clone()),
                }
            }
            group.findings.push(finding);
        }
        groups
    }

    /// The findings on which the plan says that a run stops.
    pub fn stops(&self, project: &Project) -> Vec<Stop> {
        let stop_on = project.stop_on();
        let stopping = |code: &Code| {
            let found: Vec<&Finding> = self.findings.iter().filter(|f| f.code == *code).collect();
            let name = code.name();
            let count = match found.len() {
                0 => return None,
                1 => "1 finding".to_owned(),
                more => format!("{more} findings"),
            };
            let place = |finding: &&Finding| {
                let at = finding.places.first().map_or(String::new(), |place| format!("{place} "));
                format!("{at}`{}` in {}", finding.subject, finding.about)
            };
            Some(Stop {
                message: format!("{count} of the kind `{name}`, on which the plan says to stop"),
                places: found.iter().take(10).map(place).collect(),
                help: format!(
                    "`interligo check {name}` shows them all, `interligo check --explain {name}` what settles them; or take it \
                     out of `stop-on`"
                ),
                settings: Vec::new(),
            })
        };
        stop_on.iter().filter_map(stopping).collect()
    }
}

/// What a finding costs, for the order.
type Cost = (bool, bool, u64, Option<Decimal>, u64, u64);

impl Affected {
    fn absorb(&mut self, other: &Affected) {
        self.lines += other.lines;
        self.unknown += other.unknown;
        for (own, other) in self.sums.iter_mut().zip(&other.sums) {
            match (own.value(), other.value()) {
                (None, _) => *own = *other,
                (Some(_), None) => {}
                _ => own.merge(*other),
            }
        }
    }
}
