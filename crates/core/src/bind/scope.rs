//! What a name in a formula of the fact can refer to: its own columns, figures, and the attributes
//! that links reach.

use std::ops::Range;

use super::{Bound, Route};
use crate::plan::{ColumnName, Mistake, Written, nearest_name};

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
        match &name.table {
            None => self.bare(name, written),
            Some(table) if *table == self.bound.fact.name => self.own(name, written),
            Some(table) => self.linked(table, name, written),
        }
    }

    fn column(&self, name: &str) -> Option<usize> {
        self.bound.fact.columns.iter().position(|column| column == name)
    }

    fn figure(&self, name: &str) -> Option<usize> {
        self.bound.figures.iter().position(|figure| figure.name == name)
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
                Err(written.mistake(name.span.clone(), message).help("rename the figure"))
            }
            (None, None) => Err(self.unknown(name, written)),
        }
    }

    fn own(&self, name: &ColumnName, written: &Written) -> Result<Reference, Mistake> {
        let column = self.column(&name.column).map(Reference::Column);
        column.or_else(|| self.figure(&name.column).map(Reference::Figure)).ok_or_else(|| {
            let message = format!("`{}` has no column `{}`", self.bound.fact.name, name.column);
            let columns = self.bound.fact.columns.iter().map(String::as_str);
            written.mistake(name.span.clone(), message).nearest(&name.column, columns)
        })
    }

    fn linked(
        &self,
        table: &str,
        name: &ColumnName,
        written: &Written,
    ) -> Result<Reference, Mistake> {
        let routes = &self.bound.routes;
        if let Some(route) = routes.iter().position(|route| route.name == table) {
            let columns = self.columns_of(&routes[route]);
            return match columns.iter().position(|column| *column == name.column) {
                Some(column) => Ok(Reference::Attribute { route, column }),
                None => {
                    let message = format!("`{table}` has no column `{}`", name.column);
                    Err(written
                        .mistake(name.span.clone(), message)
                        .nearest(&name.column, columns.iter().map(String::as_str)))
                }
            };
        }
        let span = table_span(name, table);
        let names = || {
            routes.iter().map(|route| route.name.as_str()).chain([self.bound.fact.name.as_str()])
        };
        if nearest_name(table, &names().collect::<Vec<_>>()).is_none() {
            let fact = &self.bound.fact.name;
            return Err(written
                .mistake(span, format!("no link leads from `{fact}` to `{table}`"))
                .help(format!(
                    "add a [[link]] with a path such as \"{fact}.… -> {table}.…\"; links lead to {}",
                    names().filter(|n| n != fact).map(|n| format!("`{n}`")).collect::<Vec<_>>().join(", ")
                )));
        }
        let message = format!("no table or link within reach is called `{table}`");
        Err(written.mistake(span, message).nearest(table, names()))
    }

    fn unknown(&self, name: &ColumnName, written: &Written) -> Mistake {
        let wanted = name.column.as_str();
        let message =
            format!("no figure or column of `{}` is called `{wanted}`", self.bound.fact.name);
        let mistake = written.mistake(name.span.clone(), message);
        let elsewhere = self
            .bound
            .routes
            .iter()
            .find(|route| self.columns_of(route).iter().any(|column| column == wanted));
        if let Some(route) = elsewhere {
            return mistake.help(format!("`{}.{wanted}` is within reach", route.name));
        }
        let figures = self.bound.figures.iter().map(|figure| figure.name.as_str());
        mistake.nearest(wanted, figures.chain(self.bound.fact.columns.iter().map(String::as_str)))
    }
}

/// The part of a name's span that the table takes; a quoted one is two bytes longer.
fn table_span(name: &ColumnName, table: &str) -> Range<usize> {
    name.span.start..(name.span.start + table.len()).min(name.span.end)
}
