//! Links as routes from the fact: each leads from the fact, or from a lookup that another reaches,
//! to one lookup.

use std::collections::{BTreeMap, BTreeSet, HashMap};

use interligo_model::formula::{Node, parse};
use interligo_model::plan::{
    ColumnName, ColumnType, Gaps, Ignore, IgnoreEntry, Matching, Missing, Mistake, MistakeKind,
    Overlap, Plan, Written,
};

use super::link_direction::{Open, circle, directed, is_fact, is_reached, reached};
use super::lookups::bind_lookup;
use super::{Bound, ColumnNames, Scope, Turned, uses_of};

/// Where a route starts.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Home {
    /// At the fact: its keys differ from line to line.
    Fact,
    /// At the lookup that another route leads to: it is the same for all lines with the same row there.
    Route(usize),
}

/// A column that a key or a day is taken from.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct KeyPart {
    /// The route that brings it; none when it is a column of the home itself.
    pub route: Option<usize>,
    /// The column.
    pub column: usize,
}

/// A link that the fact reaches.
#[derive(Debug)]
pub struct Route {
    /// The name by which formulas reach through it: the link's, or the way where that is not enough.
    pub name: String,
    /// The names of the tables and links on the way, from the fact to this one.
    pub way: Vec<String>,
    /// The path as the plan writes it.
    pub path: String,
    /// Its number among the links of the plan.
    pub link: usize,
    /// Where it starts.
    pub home: Home,
    /// The candidates for its key, in the order in which they are tried; each has the columns of the key.
    pub candidates: Vec<Vec<KeyPart>>,
    /// What stands between several candidates in one cell.
    pub split: Option<String>,
    /// The lookup that it leads to.
    pub lookup: usize,
    /// Which of the lookup's keys it is found by.
    pub key: usize,
    /// The day on which a row must hold.
    pub as_of: Option<KeyPart>,
    /// Whether keys are compared as they are written only.
    pub as_written: bool,
    /// Differences that do not count, by column of the key.
    pub ignore: Vec<Vec<Ignore>>,
    /// The condition for lines that need a row.
    pub(crate) when: Option<(Node, Written)>,
    /// Columns of the lookup that a row must have a value in.
    pub needs: Vec<usize>,
    /// What a line without a row gets.
    pub missing: Missing,
    /// What a line gets on a day without a row.
    pub gaps: Gaps,
    /// What it gets on a day with several.
    pub overlap: Overlap,
    /// The attributes of such a line, by column of the lookup, as written.
    pub fill: Vec<(usize, String)>,
}

impl Route {
    /// Whether a name means this route: the name of its link, or its way.
    pub fn is_called(&self, name: &str) -> bool {
        self.way.last().is_some_and(|last| last == name) || self.name == name
    }
}

/// Binds the links of a plan that its fact reaches, and the lookups that they lead to. `turned` are
/// links that the data shows to be written backwards.
pub(super) fn bind_links(
    plan: &Plan,
    column_names: &ColumnNames,
    bound: &mut Bound,
    turned: &BTreeSet<usize>,
) -> Result<(), Vec<Mistake>> {
    let links = directed(plan, turned)?;
    let within = reached(&links, BTreeSet::from([bound.fact.name.clone()]));
    let mut open: Vec<&Open<'_>> = links.iter().filter(|link| is_reached(link, &within)).collect();
    let mut binder = LinkBinder { plan, column_names, bound, lookups: BTreeMap::new() };
    // A link is bound once all links are that lead to where it starts; otherwise in the order of the plan.
    let mut leading: HashMap<&str, usize> = HashMap::new();
    for name in open.iter().flat_map(|link| link.names()) {
        *leading.entry(name).or_default() += 1;
    }
    while !open.is_empty() {
        let leads = |base: &&[String]| {
            base.last().is_some_and(|name| leading.get(name.as_str()).is_some_and(|n| *n > 0))
        };
        let waits = |link: &&Open<'_>| link.bases().iter().any(&leads);
        let Some(next) = open.iter().position(|link| !waits(link)) else {
            let circle = circle(&open);
            return Err(vec![circle.unwrap_or_else(|| {
                Mistake::of_plan(MistakeKind::Circle, "the links go in a circle")
            })]);
        };
        let next = open.remove(next);
        for name in next.names() {
            leading.entry(name).and_modify(|count| *count -= 1);
        }
        binder.bind(next).map_err(|mistake| vec![mistake])?;
    }
    for link in links.iter().filter(|link| link.turned) {
        bound
            .turned
            .push(Turned { written: link.entry.path.get_ref().clone(), taken: link.taken() });
    }
    name_routes(bound);
    Ok(())
}

/// Routes that share a name are distinguished by their ways.
fn name_routes(bound: &mut Bound) {
    let names: Vec<String> =
        (0..bound.routes.len()).map(|route| Scope::of(bound).shortest(route)).collect();
    bound.routes.iter_mut().zip(names).for_each(|(route, name)| route.name = name);
}

struct LinkBinder<'a> {
    plan: &'a Plan,
    column_names: &'a ColumnNames,
    bound: &'a mut Bound,
    /// Lookups bound so far, by table.
    lookups: BTreeMap<String, usize>,
}

/// What comes before the point of a column in a path.
enum PathStart {
    Fact,
    Routes(Vec<usize>),
}

impl LinkBinder<'_> {
    fn bind(&mut self, link: &Open<'_>) -> Result<(), Mistake> {
        if link.to() == self.bound.fact.name {
            let message = format!(
                "`{}` is the fact table; the link would lead from its lines to its lines",
                link.to()
            );
            return Err(link.written.mistake(
                MistakeKind::WrongPlace,
                link.path.to[0].span.clone(),
                message,
            ));
        }
        let (lookup, key, order) = self.lookup(link)?;
        for home in self.homes(link)? {
            self.bind_at(link, home, lookup, key, &order)?;
        }
        Ok(())
    }

    fn bind_at(
        &mut self,
        link: &Open<'_>,
        home: Home,
        lookup: usize,
        key: usize,
        order: &[usize],
    ) -> Result<(), Mistake> {
        let mut way = match home {
            Home::Fact => vec![self.bound.fact.name.clone()],
            Home::Route(route) => self.bound.routes[route].way.clone(),
        };
        way.push(link.name().to_owned());
        if let Some(other) = self.bound.routes.iter().find(|route| route.way == way) {
            let message =
                format!("`{}` is already the name of the link `{}`", link.name(), other.path);
            return Err(link
                .written
                .mistaken(MistakeKind::DuplicateName, message)
                .help("give one of them a name of its own: as = \"…\" in the plan, --as with `interligo link add`"));
        }
        let mut candidates = Vec::new();
        for names in &link.path.from {
            let parts = order.iter().map(|at| self.key_part(link, &names[*at], home));
            candidates.push(parts.collect::<Result<Vec<_>, _>>()?);
        }
        let as_of = match &link.path.as_of {
            None => None,
            Some(date) => Some(self.day(link, date, home)?),
        };
        self.check_dates(link, lookup, as_of.is_some())?;
        let route = Route {
            name: link.name().to_owned(),
            way,
            path: link.entry.path.get_ref().clone(),
            link: link.number,
            home,
            split: split(link, candidates[0].len())?,
            candidates,
            lookup,
            key,
            as_of,
            as_written: link.entry.matching == Matching::AsWritten,
            ignore: self.ignore(link, lookup, key)?,
            when: self.when(link, home)?,
            needs: self.needs(link, lookup)?,
            missing: link.entry.missing,
            gaps: link.entry.gap.as_ref().map_or_else(Gaps::default, |gap| *gap.get_ref()),
            overlap: link.entry.overlap.as_ref().map_or_else(Overlap::default, |o| *o.get_ref()),
            fill: self.fill(link, lookup)?,
        };
        self.bound.routes.push(route);
        Ok(())
    }

    /// What comes before the point of a column.
    fn base(&self, through: &[String]) -> PathStart {
        if through.len() == 1 && through[0] == self.bound.fact.name {
            return PathStart::Fact;
        }
        PathStart::Routes(Scope::of(self.bound).routes_called(through, true))
    }

    /// Where a link starts: at the fact, or at each route to the lookup that has all columns of its key
    /// within reach.
    fn homes(&self, link: &Open<'_>) -> Result<Vec<Home>, Mistake> {
        let mut bases: Vec<Vec<usize>> = Vec::new();
        let mut at_fact = false;
        let mut throughs = link.bases();
        if let Some(date) = &link.path.as_of
            && date.through.is_empty()
            && !self.date_is_own(link, date)
        {
            throughs.push(std::slice::from_ref(&self.bound.fact.name));
        }
        for through in throughs {
            match self.base(through) {
                PathStart::Fact => at_fact = true,
                PathStart::Routes(routes) => bases.push(routes),
            }
        }
        if at_fact {
            return Ok(vec![Home::Fact]);
        }
        let reaches = |route: &usize| {
            bases.iter().all(|base| base.iter().filter(|r| self.descends(**r, *route)).count() == 1)
        };
        let all: BTreeSet<usize> = bases.iter().flatten().copied().collect();
        let homes: Vec<Home> = all.into_iter().filter(reaches).map(Home::Route).collect();
        Ok(if homes.is_empty() { vec![Home::Fact] } else { homes })
    }

    /// Whether a day named without a table is a column of the table that the key is taken from.
    fn date_is_own(&self, link: &Open<'_>, date: &ColumnName) -> bool {
        let through = &link.path.from[0][0].through;
        let columns = match self.base(through) {
            PathStart::Fact => &self.bound.fact.columns,
            PathStart::Routes(routes) => match routes.first() {
                Some(route) => &self.bound.lookups[self.bound.routes[*route].lookup].columns,
                None => return false,
            },
        };
        columns.contains(&date.column)
    }

    /// Whether a route is another or starts from it.
    fn descends(&self, route: usize, from: usize) -> bool {
        route == from
            || match self.bound.routes[route].home {
                Home::Route(home) => self.descends(home, from),
                Home::Fact => false,
            }
    }

    /// The column of a name in a path, seen from a link's home.
    fn part(&self, link: &Open<'_>, name: &ColumnName, home: Home) -> Result<KeyPart, Mistake> {
        let lookup_columns = |route: usize| -> &[String] {
            &self.bound.lookups[self.bound.routes[route].lookup].columns
        };
        let routes = match self.base(&name.through) {
            PathStart::Fact => {
                let column = column_named(&self.bound.fact.columns, name, link)?;
                return Ok(KeyPart { route: None, column });
            }
            PathStart::Routes(routes) => routes,
        };
        let here: Vec<usize> = match home {
            Home::Fact => routes,
            Home::Route(home) => routes.into_iter().filter(|r| self.descends(*r, home)).collect(),
        };
        match here.as_slice() {
            [only] => {
                let column = column_named(lookup_columns(*only), name, link)?;
                let own = home == Home::Route(*only);
                Ok(KeyPart { route: (!own).then_some(*only), column })
            }
            several => {
                let (message, help) = Scope::of(self.bound).two_ways(&name.through, several);
                let at = link.written.at(name.span.clone());
                Err(at.mistake(MistakeKind::AmbiguousName, message).help(help))
            }
        }
    }

    fn key_part(
        &mut self,
        link: &Open<'_>,
        name: &ColumnName,
        home: Home,
    ) -> Result<KeyPart, Mistake> {
        let part = self.part(link, name, home)?;
        let column_use = match self.table_of(part, home) {
            None => &mut self.bound.fact.column_use,
            Some(lookup) => &mut self.bound.lookups[lookup].column_use,
        };
        column_use.start_link(part.column);
        Ok(part)
    }

    fn day(&mut self, link: &Open<'_>, date: &ColumnName, home: Home) -> Result<KeyPart, Mistake> {
        let mut named = date.clone();
        if named.through.is_empty() {
            named.through = if self.date_is_own(link, date) {
                link.path.from[0][0].through.clone()
            } else {
                vec![self.bound.fact.name.clone()]
            };
        }
        let part = self.part(link, &named, home)?;
        let at = link.written.at(date.span.clone());
        match self.table_of(part, home) {
            None => {
                self.bound.fact.days.insert(part.column, at);
            }
            Some(lookup) => {
                self.bound.lookups[lookup].column_use.need(part.column, ColumnType::Date, at);
            }
        }
        Ok(part)
    }

    /// The lookup that a column belongs to; none for the fact.
    fn table_of(&self, part: KeyPart, home: Home) -> Option<usize> {
        let route = part.route.or(match home {
            Home::Fact => None,
            Home::Route(route) => Some(route),
        });
        route.map(|route| self.bound.routes[route].lookup)
    }

    /// A lookup with periods needs a day, and one without takes none.
    fn check_dates(&self, link: &Open<'_>, lookup: usize, dated: bool) -> Result<(), Mistake> {
        let lookup = &self.bound.lookups[lookup];
        let (gap, overlap) = (link.entry.gap.as_ref(), link.entry.overlap.as_ref());
        let about_days =
            [gap.map(|gap| (gap.span(), "gap")), overlap.map(|o| (o.span(), "overlap"))];
        if let (None, Some((span, name))) = (lookup.valid, about_days.into_iter().flatten().next())
        {
            let message =
                format!("the rows of `{}` have no period, so `{name}` has no effect", lookup.name);
            return Err(Mistake::in_plan(MistakeKind::NoEffect, span, message)
                .help("leave it out, or add `valid` to the table and `as of` to the path"));
        }
        match (lookup.valid, dated) {
            (Some(_), false) => Err(link
                .written
                .mistaken(
                    MistakeKind::MissingSetting,
                    format!(
                        "the rows of `{}` are valid for a period, but the link names no date",
                        lookup.name
                    ),
                )
                .help("end the path with `as of` and the column with the day of the sale")),
            (None, true) => Err(link
                .written
                .mistaken(
                    MistakeKind::MissingSetting,
                    format!(
                        "the link asks for a day, the rows of `{}` have no period",
                        lookup.name
                    ),
                )
                .help(format!(
                    "add `valid = {{ from = \"…\", until = \"…\" }}` to [tables.{}]",
                    lookup.name
                ))),
            _ => Ok(()),
        }
    }

    /// The differences that do not count, by column of the key.
    fn ignore(
        &self,
        link: &Open<'_>,
        lookup: usize,
        key: usize,
    ) -> Result<Vec<Vec<Ignore>>, Mistake> {
        let lookup = &self.bound.lookups[lookup];
        let columns = lookup.key_columns(key).iter().map(|column| lookup.columns[*column].as_str());
        let Some(written) = &link.entry.ignore else {
            return Ok(columns.map(|_| vec![]).collect());
        };
        match written.get_ref() {
            IgnoreEntry::All(all) => Ok(columns.map(|_| all.clone()).collect()),
            IgnoreEntry::ByColumn(by) => {
                let known: Vec<&str> = columns.collect();
                if let Some((name, _)) = by.iter().find(|(name, _)| !known.contains(&name.as_str()))
                {
                    let message = format!("the link does not lead to a column `{name}`");
                    return Err(Mistake::in_plan(
                        MistakeKind::UnknownName,
                        written.span(),
                        message,
                    )
                    .nearest(name, known));
                }
                let of = |column: &&str| by.iter().find(|(name, _)| name == column);
                Ok(known.iter().map(|c| of(c).map_or(vec![], |(_, all)| all.clone())).collect())
            }
        }
    }

    /// The condition for lines that need a row. At the fact it sees what the links before it reach; at a
    /// lookup, the columns of its row.
    fn when(&mut self, link: &Open<'_>, home: Home) -> Result<Option<(Node, Written)>, Mistake> {
        let Some(when) = &link.entry.when else { return Ok(None) };
        let written = self.plan.written(when);
        let node = parse(&written)?;
        match home {
            Home::Fact => {
                let mut mistakes = Vec::new();
                let uses = uses_of(&node, &written, &Scope::of(self.bound), &mut mistakes);
                if let Some(mistake) = mistakes.into_iter().next() {
                    return Err(mistake.or_help(
                        "a condition of a link sees the fact and what the links above it reach",
                    ));
                }
                uses.iter().for_each(|used| self.bound.note_condition(used));
            }
            Home::Route(route) => {
                let lookup = self.bound.routes[route].lookup;
                self.bound.lookups[lookup].use_in_formula(&node, &written)?;
            }
        }
        Ok(Some((node, written)))
    }

    fn needs(&mut self, link: &Open<'_>, lookup: usize) -> Result<Vec<usize>, Mistake> {
        let Some(needs) = &link.entry.needs else { return Ok(Vec::new()) };
        let lookup = &mut self.bound.lookups[lookup];
        let mut columns = Vec::new();
        for name in &needs.get_ref().0 {
            let column = lookup.column(name, needs.span())?;
            lookup.column_use.use_values(column);
            columns.push(column);
        }
        Ok(columns)
    }

    fn fill(&mut self, link: &Open<'_>, lookup: usize) -> Result<Vec<(usize, String)>, Mistake> {
        let lookup = &mut self.bound.lookups[lookup];
        match (&link.entry.fill, link.entry.missing) {
            (None, Missing::Fill) => Err(link
                .written
                .mistaken(
                    MistakeKind::MissingSetting,
                    "`missing = \"fill\"` needs the values to fill in",
                )
                .help("add for instance `fill = { name = \"(unknown)\" }`")),
            (Some(fill), missing) if missing != Missing::Fill => Err(Mistake::in_plan(
                MistakeKind::NoEffect,
                fill.span(),
                "`fill` has no effect here",
            )
            .help("add `missing = \"fill\"` to the link")),
            (Some(fill), _) => fill
                .get_ref()
                .iter()
                .map(|entry| {
                    let column = lookup.column(&entry.name, entry.name_span.clone())?;
                    lookup.column_use.use_values(column);
                    Ok((column, entry.value.0.clone()))
                })
                .collect(),
            (None, _) => Ok(Vec::new()),
        }
    }

    /// The lookup that a link leads to, bound at the first link that does; which of its keys; and of each
    /// column of that key its number in the path.
    fn lookup(&mut self, link: &Open<'_>) -> Result<(usize, usize, Vec<usize>), Mistake> {
        let columns = self.column_names.columns(link.to());
        let mut wanted = Vec::new();
        for name in &link.path.to {
            let column = column_named(columns, name, link)?;
            if wanted.contains(&column) {
                let message = format!("`{}` is in the path twice", name.column);
                return Err(link.written.mistake(
                    MistakeKind::DuplicateName,
                    name.span.clone(),
                    message,
                ));
            }
            wanted.push(column);
        }
        let number = match self.lookups.get(link.to()) {
            Some(known) => *known,
            None => {
                let fact = is_fact(self.plan, link.to());
                let bound = bind_lookup(self.plan, self.column_names, link.to(), &wanted, fact)?;
                self.bound.lookups.push(bound);
                let number = self.bound.lookups.len() - 1;
                self.lookups.insert(link.to().to_owned(), number);
                number
            }
        };
        let lookup = &mut self.bound.lookups[number];
        let key = lookup.key_of(&wanted);
        let at = |column: &usize| wanted.iter().position(|wanted| wanted == column);
        let order = lookup.key_columns(key).iter().filter_map(at).collect();
        Ok((number, key, order))
    }
}

/// What stands between several candidates in one cell.
fn split(link: &Open<'_>, columns: usize) -> Result<Option<String>, Mistake> {
    let Some(split) = &link.entry.split else { return Ok(None) };
    if split.get_ref().is_empty() {
        return Err(Mistake::in_plan(
            MistakeKind::WrongValue,
            split.span(),
            "`split` is the separator between two keys",
        )
        .help("write for instance split = \";\""));
    }
    if columns > 1 {
        return Err(Mistake::in_plan(
            MistakeKind::NoEffect,
            split.span(),
            "only a key of one column can be split",
        ));
    }
    Ok(Some(split.get_ref().clone()))
}

fn column_named(columns: &[String], name: &ColumnName, link: &Open<'_>) -> Result<usize, Mistake> {
    columns.iter().position(|column| *column == name.column).ok_or_else(|| {
        let message = format!("`{}` has no column `{}`", name.through.join("."), name.column);
        link.written
            .mistake(MistakeKind::UnknownName, name.span.clone(), message)
            .nearest(&name.column, columns.iter().map(String::as_str))
    })
}
