//! What a name in a formula of the fact can refer to: its own columns, figures, and the attributes
//! that links reach.

use std::collections::HashSet;
use std::ops::Range;

use interligo_model::plan::{ColumnName, Mistake, MistakeKind, Unlinked, Written, nearest_name};

use super::{Bound, Route};

/// What a name refers to.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Reference {
    /// A column of the fact.
    Column(usize),
    /// A column of a lookup, through a route.
    Attribute { route: usize, column: usize },
    /// A figure.
    Figure(usize),
}

/// The names within reach of the fact.
pub(crate) struct Scope<'a> {
    bound: &'a Bound,
}

impl<'a> Scope<'a> {
    pub(crate) fn of(bound: &'a Bound) -> Scope<'a> {
        Scope { bound }
    }

    /// What a name refers to.
    pub(crate) fn resolve(
        &self,
        name: &ColumnName,
        written: &Written,
    ) -> Result<Reference, Mistake> {
        match name.through.as_slice() {
            [] => self.bare(name, written),
            [table] if *table == self.bound.fact.name => self.own(name, written),
            _ => self.linked(name, written),
        }
    }

    fn column(&self, name: &str) -> Option<usize> {
        self.bound.fact.columns.iter().position(|column| column == name)
    }

    fn figure(&self, name: &str) -> Option<usize> {
        self.bound.figure_called(name)
    }

    fn columns_of(&self, route: &Route) -> &'a [String] {
        &self.bound.lookups[route.lookup].columns
    }

    fn bare(&self, name: &ColumnName, written: &Written) -> Result<Reference, Mistake> {
        let wanted = name.column.as_str();
        match (self.figure(wanted), self.column(wanted)) {
            (Some(figure), None) => Ok(Reference::Figure(figure)),
            (None, Some(column)) => Ok(Reference::Column(column)),
            (Some(_), Some(_)) => {
                let message = format!(
                    "`{wanted}` is both a figure and a column of `{}`",
                    self.bound.fact.name
                );
                Err(written
                    .mistake(MistakeKind::AmbiguousName, name.span.clone(), message)
                    .help("rename the figure"))
            }
            (None, None) => Err(self.unknown(name, written)),
        }
    }

    fn own(&self, name: &ColumnName, written: &Written) -> Result<Reference, Mistake> {
        let column = self.column(&name.column).map(Reference::Column);
        column.or_else(|| self.figure(&name.column).map(Reference::Figure)).ok_or_else(|| {
            let message = format!("`{}` has no column `{}`", self.bound.fact.name, name.column);
            let columns = self.bound.fact.columns.iter().map(String::as_str);
            written
                .mistake(MistakeKind::UnknownName, name.span.clone(), message)
                .nearest(&name.column, columns)
        })
    }

    fn linked(&self, name: &ColumnName, written: &Written) -> Result<Reference, Mistake> {
        let through = name.through.as_slice();
        match self.routes_called(through, false).as_slice() {
            [] => Err(self.not_reached(name, written)),
            [route] => {
                let columns = self.columns_of(&self.bound.routes[*route]);
                let column = columns.iter().position(|column| *column == name.column);
                column.map(|column| Reference::Attribute { route: *route, column }).ok_or_else(
                    || {
                        let message =
                            format!("`{}` has no column `{}`", through.join("."), name.column);
                        let columns = columns.iter().map(String::as_str);
                        written
                            .mistake(MistakeKind::UnknownName, name.span.clone(), message)
                            .nearest(&name.column, columns)
                    },
                )
            }
            several => {
                let (message, help) = self.two_ways(through, several);
                Err(written
                    .mistake(MistakeKind::AmbiguousName, table_span(name), message)
                    .help(help))
            }
        }
    }

    /// The routes that end with these names of links. If none does, and `tables` says so, those that lead
    /// to the table of that name.
    pub(super) fn routes_called(&self, through: &[String], tables: bool) -> Vec<usize> {
        let routes = self.bound.routes.iter().enumerate();
        let called: Vec<usize> = routes
            .clone()
            .filter(|(_, route)| route.way.ends_with(through))
            .map(|(number, _)| number)
            .collect();
        match through {
            [table] if tables && called.is_empty() => routes
                .filter(|(_, route)| self.bound.lookups[route.lookup].name == *table)
                .map(|(number, _)| number)
                .collect(),
            _ => called,
        }
    }

    /// That a name can mean several routes, and how each is written.
    pub(super) fn two_ways(&self, through: &[String], routes: &[usize]) -> (String, String) {
        let fact = &self.bound.fact.name;
        let way = |route: &usize| self.bound.routes[*route].way.join(" -> ");
        let ways: Vec<String> = routes.iter().map(way).collect();
        let message = format!(
            "`{fact}` reaches `{}` in {} ways: {}",
            through.join("."),
            routes.len(),
            ways.join("; ")
        );
        let shortest = |route: &usize| format!("`{}`", self.shortest(*route));
        let names: Vec<String> = routes.iter().map(shortest).collect();
        (message, format!("name the one that is meant: {}", names.join(" or ")))
    }

    /// The last names of a route's way that no other route shares.
    pub(super) fn shortest(&self, route: usize) -> String {
        let routes = &self.bound.routes;
        let way = &routes[route].way;
        let alone =
            |names: &&[String]| routes.iter().filter(|r| r.way.ends_with(names)).count() == 1;
        let endings = (1..=way.len()).map(|names| &way[way.len() - names..]);
        endings.into_iter().find(alone).unwrap_or(way).join(".")
    }

    fn not_reached(&self, name: &ColumnName, written: &Written) -> Mistake {
        let (fact, routes) = (&self.bound.fact.name, &self.bound.routes);
        let table = name.through.join(".");
        let span = table_span(name);
        let same = self.routes_called(&name.through, true);
        if !same.is_empty() {
            let names: Vec<String> = same
                .iter()
                .map(|route| format!("`{}.{}`", self.shortest(*route), name.column))
                .collect();
            let message = format!("`{table}` is reached by links with names of their own");
            return written
                .mistake(MistakeKind::AmbiguousName, span, message)
                .help(format!("write {}", names.join(" or ")));
        }
        let names = || routes.iter().map(|route| route.name.as_str()).chain([fact.as_str()]);
        if nearest_name(&table, &names().collect::<Vec<_>>()).is_some() {
            let message = format!("no table or link within reach is called `{table}`");
            return written
                .mistake(MistakeKind::UnknownName, span, message)
                .nearest(&table, names());
        }
        let links: Vec<String> =
            names().filter(|name| name != fact).map(|name| format!("`{name}`")).collect();
        let links = if links.is_empty() { "nothing yet".to_owned() } else { links.join(", ") };
        let kind =
            MistakeKind::NoLink(Box::new(Unlinked { from: fact.clone(), to: table.clone() }));
        written
            .mistake(kind, span, format!("no link leads from `{fact}` to `{table}`"))
            .help(format!(
                "add a [[link]] with a path such as \"{fact}.… -> {table}.…\"; links lead to {links}"
            ))
    }

    /// Whether a name refers to something, with these figures.
    pub(super) fn knows(&self, name: &ColumnName, figures: &HashSet<&str>) -> bool {
        let wanted = name.column.as_str();
        if name.is_own(&self.bound.fact.name) {
            return self.column(wanted).is_some() || figures.contains(wanted);
        }
        match self.routes_called(&name.through, false).as_slice() {
            [route] => self.columns_of(&self.bound.routes[*route]).iter().any(|c| c == wanted),
            _ => false,
        }
    }

    fn unknown(&self, name: &ColumnName, written: &Written) -> Mistake {
        let wanted = name.column.as_str();
        let message =
            format!("no figure or column of `{}` is called `{wanted}`", self.bound.fact.name);
        let mistake = written.mistake(MistakeKind::UnknownName, name.span.clone(), message);
        let elsewhere = self
            .bound
            .routes
            .iter()
            .find(|route| self.columns_of(route).iter().any(|column| column == wanted));
        if let Some(route) = elsewhere {
            return mistake.help(format!("`{}.{wanted}` is within reach", route.name));
        }
        let figures = self.bound.figures.iter().map(|figure| figure.name.as_str());
        let columns = self.bound.fact.columns.iter().map(String::as_str);
        let names: Vec<&str> = figures.chain(columns).collect();
        if nearest_name(wanted, &names).is_none() {
            if ["null", "none", "na"].contains(&wanted.to_lowercase().as_str()) {
                return mistake.help("an unknown value is called `blank`: write `x is blank`");
            }
            if written.text[name.span.clone()].starts_with('"') {
                return mistake.help(format!(
                    "write text in single quotes, '{wanted}'; double quotes are for names"
                ));
            }
        }
        mistake.nearest(wanted, names)
    }
}

/// The part of a name's span that the tables take; a quoted one is two bytes longer.
fn table_span(name: &ColumnName) -> Range<usize> {
    let length = name.through.join(".").len();
    name.span.start..(name.span.start + length).min(name.span.end)
}
