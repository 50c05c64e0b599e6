//! Links as routes from the fact: each leads from the fact, or from a lookup that another reaches,
//! to one lookup.

use std::collections::BTreeMap;

use super::columns::declared_wishes;
use super::computed::bind_formulas;
use super::{Bound, BoundLookup, Headings, Wishes};
use crate::plan::{
    ColumnName, ColumnType, Duplicates, Ignore, LinkEntry, LinkPath, Missing, Mistake, Plan,
    TableEntry, Written, parse_link_path,
};

/// Where a route takes its key from.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum RouteStart {
    /// A column of the fact.
    Fact(usize),
    /// A column of the lookup that another route leads to.
    Route(usize, usize),
}

/// A link that the fact reaches.
#[derive(Debug)]
pub struct Route {
    /// The name by which formulas reach through it.
    pub name: String,
    /// The path as the plan writes it.
    pub path: String,
    /// Where its key comes from.
    pub start: RouteStart,
    /// The lookup that it leads to.
    pub lookup: usize,
    /// The column of the fact with the day on which a row must hold.
    pub as_of: Option<usize>,
    /// Differences between keys that do not count.
    pub ignore: Vec<Ignore>,
    /// What a line without a row gets.
    pub missing: Missing,
    /// The attributes of such a line, by column of the lookup, as written.
    pub fill: Vec<(usize, String)>,
}

/// A link whose path has been read.
struct Open<'a> {
    entry: &'a LinkEntry,
    written: Written,
    path: LinkPath,
    /// The table it starts from and the one it leads to.
    from: &'a str,
    to: &'a str,
}

/// Binds the links of a plan, and the lookups that they lead to.
pub(super) fn bind_links(
    plan: &Plan,
    headings: &Headings,
    bound: &mut Bound,
) -> Result<(), Vec<Mistake>> {
    let mut mistakes = Vec::new();
    let mut open = Vec::new();
    let paths: Vec<_> = plan
        .link
        .iter()
        .map(|link| {
            let written = plan.written(&link.get_ref().path);
            let path = parse_link_path(&written);
            (link.get_ref(), written, path)
        })
        .collect();
    for (entry, written, path) in &paths {
        match path {
            Err(mistake) => mistakes.push(mistake.clone()),
            Ok(path) => open.push(Open {
                entry,
                written: written.clone(),
                path: path.clone(),
                from: path.from.table.as_deref().expect("a path names both tables"),
                to: path.to.table.as_deref().expect("a path names both tables"),
            }),
        }
    }
    if !mistakes.is_empty() {
        return Err(mistakes);
    }
    if let Some(link) = open.iter().find(|link| link.to == bound.fact.name) {
        let message = format!("`{}` is the fact table; a link leads to a lookup", link.to);
        return Err(vec![
            link.written
                .mistake(link.path.to.span.clone(), message)
                .help("turn the path round if it stands the wrong way"),
        ]);
    }
    let mut binder = LinkBinder { plan, headings, bound, lookups: BTreeMap::new() };
    // A link can be bound once the table that it starts from is within reach; otherwise in the order
    // of the plan.
    while !open.is_empty() {
        let count = open.len();
        let mut later = Vec::new();
        for link in open {
            if !binder.is_reached(link.from) {
                later.push(link);
            } else if let Err(mistake) = binder.bind(&link) {
                mistakes.push(mistake);
            }
        }
        if !mistakes.is_empty() {
            return Err(mistakes);
        }
        if later.len() == count {
            return Err(vec![binder.out_of_reach(&later)]);
        }
        open = later;
    }
    Ok(())
}

struct LinkBinder<'a> {
    plan: &'a Plan,
    headings: &'a Headings,
    bound: &'a mut Bound,
    /// Lookups bound so far, by table.
    lookups: BTreeMap<String, usize>,
}

impl LinkBinder<'_> {
    fn is_reached(&self, table: &str) -> bool {
        table == self.bound.fact.name || self.bound.routes.iter().any(|route| route.name == table)
    }

    fn bind(&mut self, link: &Open<'_>) -> Result<(), Mistake> {
        self.refuse_circle(link)?;
        let lookup = self.lookup(link)?;
        let name = link.entry.name.as_ref().map_or(link.to, |name| name.get_ref());
        if let Some(other) = self.bound.routes.iter().find(|route| route.name == name) {
            let message = format!("`{}` is already the name of the link `{}`", name, other.path);
            return Err(link
                .written
                .mistaken(message)
                .help("give one of them a name of its own: as = \"…\""));
        }
        let start = self.start(link)?;
        let as_of = match &link.path.as_of {
            None => None,
            Some(date) => Some(self.date(link, date, start)?),
        };
        self.check_dates(link, lookup, as_of.is_some())?;
        let fill = self.fill(link, lookup)?;
        self.bound.routes.push(Route {
            name: name.to_owned(),
            path: link.entry.path.get_ref().clone(),
            start,
            lookup,
            as_of,
            ignore: link.entry.ignore.clone(),
            missing: link.entry.missing,
            fill,
        });
        Ok(())
    }

    fn start(&mut self, link: &Open<'_>) -> Result<RouteStart, Mistake> {
        let from = &link.path.from;
        if link.from == self.bound.fact.name {
            let column = find(&self.bound.fact.columns, from, link)?;
            self.bound.fact.wishes.use_keys(column);
            return Ok(RouteStart::Fact(column));
        }
        let route = self.bound.routes.iter().position(|route| route.name == link.from);
        let route = route.expect("a link is bound when its start is within reach");
        let lookup = &mut self.bound.lookups[self.bound.routes[route].lookup];
        let column = find(&lookup.columns, from, link)?;
        lookup.wishes.use_keys(column);
        Ok(RouteStart::Route(route, column))
    }

    fn date(
        &mut self,
        link: &Open<'_>,
        date: &ColumnName,
        start: RouteStart,
    ) -> Result<usize, Mistake> {
        if let RouteStart::Route(..) = start {
            let message = "a dated link that starts from a lookup is not possible yet";
            return Err(link.written.mistake(date.span.clone(), message));
        }
        if date.table.as_deref().is_some_and(|table| table != self.bound.fact.name) {
            let message = format!("the date must be a column of `{}`", self.bound.fact.name);
            return Err(link.written.mistake(date.span.clone(), message));
        }
        let column = find(&self.bound.fact.columns, date, link)?;
        self.bound.fact.days.insert(column, link.written.mistake(date.span.clone(), ""));
        Ok(column)
    }

    /// A lookup with periods needs a day, and one without takes none.
    fn check_dates(&self, link: &Open<'_>, lookup: usize, dated: bool) -> Result<(), Mistake> {
        let lookup = &self.bound.lookups[lookup];
        match (lookup.valid, dated) {
            (Some(_), false) => Err(link
                .written
                .mistaken(format!(
                    "the rows of `{}` hold for a period, the link names no day",
                    lookup.name
                ))
                .help("end the path with `as of` and the column with the day of the sale")),
            (None, true) => Err(link
                .written
                .mistaken(format!(
                    "the link asks for a day, the rows of `{}` have no period",
                    lookup.name
                ))
                .help(format!(
                    "add `valid = {{ from = \"…\", until = \"…\" }}` to [tables.{}]",
                    lookup.name
                ))),
            _ => Ok(()),
        }
    }

    fn fill(&mut self, link: &Open<'_>, lookup: usize) -> Result<Vec<(usize, String)>, Mistake> {
        let lookup = &mut self.bound.lookups[lookup];
        match (&link.entry.fill, link.entry.missing) {
            (None, Missing::Fill) => Err(link
                .written
                .mistaken("the link fills what is missing but does not say with what")
                .help("add for instance `fill = { name = \"(unknown)\" }`")),
            (Some(fill), missing) if missing != Missing::Fill => {
                Err(Mistake::in_plan(fill.span(), "`fill` has no effect here")
                    .help("add `missing = \"fill\"` to the link"))
            }
            (Some(fill), _) => fill
                .get_ref()
                .iter()
                .map(|entry| {
                    let position = lookup.columns.iter().position(|column| *column == entry.name);
                    let column = position.ok_or_else(|| {
                        let message = format!("`{}` has no column `{}`", lookup.name, entry.name);
                        Mistake::in_plan(entry.name_span.clone(), message)
                            .nearest(&entry.name, lookup.columns.iter().map(String::as_str))
                    })?;
                    lookup.wishes.use_values(column);
                    Ok((column, entry.value.0.clone()))
                })
                .collect(),
            (None, _) => Ok(Vec::new()),
        }
    }

    /// The lookup that a link leads to; bound at the first link that does.
    fn lookup(&mut self, link: &Open<'_>) -> Result<usize, Mistake> {
        let to = &link.path.to;
        let Some(entry) = self.plan.tables.get(link.to) else {
            let message = format!("the plan has no table `{}`", link.to);
            let tables = self.plan.tables.iter().map(|table| table.name.as_str());
            return Err(link.written.mistake(to.span.clone(), message).nearest(link.to, tables));
        };
        let columns = self.headings.columns(link.to);
        let column = find(columns, to, link)?;
        if let Some(&known) = self.lookups.get(link.to) {
            self.check_key(link, known, column)?;
            return Ok(known);
        }
        let bound = self.bind_lookup(link.to, &entry.value, column)?;
        self.bound.lookups.push(bound);
        let number = self.bound.lookups.len() - 1;
        self.lookups.insert(link.to.to_owned(), number);
        self.check_key(link, number, column)?;
        Ok(number)
    }

    fn check_key(&self, link: &Open<'_>, lookup: usize, column: usize) -> Result<(), Mistake> {
        let lookup = &self.bound.lookups[lookup];
        if lookup.key == column {
            return Ok(());
        }
        let key = &lookup.columns[lookup.key];
        let message = format!(
            "the link leads to `{}`, the key of `{}` is `{key}`",
            link.path.to.column, lookup.name
        );
        Err(link
            .written
            .mistake(link.path.to.span.clone(), message)
            .help(format!("write `{}.{key}`", lookup.name)))
    }

    fn bind_lookup(
        &self,
        name: &str,
        entry: &TableEntry,
        linked: usize,
    ) -> Result<BoundLookup, Mistake> {
        let columns = self.headings.columns(name).to_vec();
        let position = |wanted: &str, span: std::ops::Range<usize>| {
            columns.iter().position(|column| column == wanted).ok_or_else(|| {
                Mistake::in_plan(span, format!("`{name}` has no column `{wanted}`"))
                    .nearest(wanted, columns.iter().map(String::as_str))
            })
        };
        let key = match &entry.key {
            None => linked,
            Some(key) => match key.get_ref().0.as_slice() {
                [only] => position(only, key.span())?,
                _ => {
                    return Err(Mistake::in_plan(
                        key.span(),
                        "a key of several columns is not possible yet",
                    ));
                }
            },
        };
        let valid = match &entry.valid {
            None => None,
            Some(valid) => Some((
                position(valid.from.get_ref(), valid.from.span())?,
                position(valid.until.get_ref(), valid.until.span())?,
            )),
        };
        let mut wishes = Wishes::new(declared_wishes(self.plan, entry, &columns)?);
        if let (Some((from, until)), Some(valid)) = (valid, &entry.valid) {
            for (column, name) in [(from, &valid.from), (until, &valid.until)] {
                let at = self.plan.written(name).mistaken("");
                if wishes.declared(column).declared.is_some_and(|t| t != ColumnType::Date) {
                    let message =
                        format!("`{}` says when a row holds and must be a date", name.get_ref());
                    return Err(Mistake { message, ..at }
                        .help("leave its `type` out of the columns of the table"));
                }
                wishes.need(column, ColumnType::Date, at);
            }
        }
        let duplicates =
            entry.duplicates.as_ref().map_or_else(Default::default, |d| d.get_ref().clone());
        let decides = match &duplicates {
            Duplicates::Rule(rule) => rule.column(),
            Duplicates::Blank => None,
        };
        let decides = match (decides, &entry.duplicates) {
            (Some((column, wanted)), Some(written)) => {
                let number = position(column, written.span())?;
                wishes.need(number, wanted, Mistake::in_plan(written.span(), ""));
                Some(number)
            }
            _ => None,
        };
        let formulas = bind_formulas(self.plan, name, entry, &columns, &mut wishes)?;
        wishes.use_keys(key);
        let slots = self.headings.0.get(name).map(|c| c.slots.clone()).unwrap_or_default();
        Ok(BoundLookup {
            name: name.to_owned(),
            columns,
            slots,
            key,
            valid,
            duplicates,
            decides,
            formulas,
            wishes,
        })
    }

    /// A link that leads back to a lookup on its own way.
    fn refuse_circle(&self, link: &Open<'_>) -> Result<(), Mistake> {
        let mut circle = vec![link.to.to_owned()];
        let mut at = self.bound.routes.iter().position(|route| route.name == link.from);
        while let Some(number) = at {
            let route = &self.bound.routes[number];
            let table = &self.bound.lookups[route.lookup].name;
            circle.push(table.clone());
            if table == link.to {
                circle.reverse();
                let message = format!("the links go in a circle: {}", circle.join(" -> "));
                return Err(link.written.mistaken(message).help("leave one of these links out"));
            }
            at = match route.start {
                RouteStart::Route(parent, _) => Some(parent),
                RouteStart::Fact(_) => None,
            };
        }
        Ok(())
    }

    /// Links that start where the fact does not get to: in a circle of their own, or apart.
    fn out_of_reach(&self, links: &[Open<'_>]) -> Mistake {
        let first = &links[0];
        let mut walked = vec![first.to];
        while let Some(next) = links.iter().find(|link| Some(&link.from) == walked.last()) {
            let closed = walked.contains(&next.to);
            walked.push(next.to);
            if closed {
                let message = format!("the links go in a circle: {}", walked.join(" -> "));
                return first.written.mistaken(message).help("leave one of these links out");
            }
        }
        let names = self.bound.routes.iter().map(|route| route.name.as_str());
        let message = format!("no link leads from `{}` to `{}`", self.bound.fact.name, first.from);
        let span = first.path.from.span.clone();
        first
            .written
            .mistake(span, message)
            .nearest(first.from, names.chain([self.bound.fact.name.as_str()]))
    }
}

fn find(columns: &[String], name: &ColumnName, link: &Open<'_>) -> Result<usize, Mistake> {
    columns.iter().position(|column| *column == name.column).ok_or_else(|| {
        let table = name.table.as_deref().unwrap_or(link.from);
        let message = format!("`{table}` has no column `{}`", name.column);
        link.written
            .mistake(name.span.clone(), message)
            .nearest(&name.column, columns.iter().map(String::as_str))
    })
}
