//! A line of a record, as an engine asks for its values.

use std::cell::Cell;

use interligo_engine::engine::Engine;
use interligo_engine::replay::LineValues;
use interligo_model::values::value::Value;

use super::recorded_fact::RecordedFact;
use super::rows::Row;

/// The values that an engine needs of a line, by their numbers there; each has a name that both records know.
pub(crate) struct Needs {
    /// Of each column of lines its name.
    pub(crate) columns: Vec<String>,
    /// Of each link of the engine its name.
    pub(crate) links: Vec<String>,
    /// Of each link the names of the columns of its lookup.
    pub(crate) attributes: Vec<Vec<String>>,
}

impl Needs {
    pub(crate) fn of(engine: &Engine) -> Needs {
        let routes = &engine.bound.routes;
        let names = |link: usize| {
            let lookup = &engine.lookups[engine.lookup_of(link)];
            lookup.columns.iter().map(|column| column.name.clone()).collect()
        };
        Needs {
            columns: engine.line_column_names().map(str::to_owned).collect(),
            links: routes.iter().map(|route| route.name.clone()).collect(),
            attributes: (0..routes.len()).map(names).collect(),
        }
    }
}

/// Where a record has the values that an engine needs of a line.
pub(crate) struct Places {
    columns: Vec<Option<usize>>,
    /// Of each link of the engine that of the record, and where the columns of its lookup are.
    links: Vec<Option<(usize, Vec<Option<usize>>)>>,
}

impl Places {
    pub(crate) fn of(needs: &Needs, fact: &RecordedFact) -> Places {
        let column = |name: &String| fact.columns().position(|own| own == name);
        let link = |(name, attributes): (&String, &Vec<String>)| {
            let link = fact.link_called(name)?;
            let place = |own: &String| fact.attribute_place(link, own);
            Some((link, attributes.iter().map(place).collect()))
        };
        Places {
            columns: needs.columns.iter().map(column).collect(),
            links: needs.links.iter().zip(&needs.attributes).map(link).collect(),
        }
    }
}

/// A line as its record has it.
pub(crate) struct RecordedLine<'r> {
    fact: &'r RecordedFact,
    row: &'r Row,
    places: &'r Places,
    /// Whether something was asked for that the record does not have.
    missed: Cell<bool>,
}

impl<'r> RecordedLine<'r> {
    pub(crate) fn new(
        fact: &'r RecordedFact,
        row: &'r Row,
        places: &'r Places,
    ) -> RecordedLine<'r> {
        RecordedLine { fact, row, places, missed: Cell::new(false) }
    }

    /// Whether something was asked for that the record does not have.
    pub(crate) fn has_missed(&self) -> bool {
        self.missed.get()
    }
}

impl LineValues for RecordedLine<'_> {
    fn column(&self, column: usize) -> Value<'_> {
        match self.places.columns.get(column).copied().flatten() {
            Some(place) => self.fact.value_at(self.row, place),
            None => {
                self.missed.set(true);
                Value::Blank
            }
        }
    }

    fn attribute(&self, link: usize, column: usize) -> Value<'_> {
        let place = || {
            let (own, columns) = self.places.links.get(link)?.as_ref()?;
            Some((*own, (*columns.get(column)?)?))
        };
        let Some((own, place)) = place() else {
            self.missed.set(true);
            return Value::Blank;
        };
        let row = self.fact.row_of_link(self.row, own);
        row.and_then(|row| self.fact.attribute_at(own, row, place)).unwrap_or(Value::Blank)
    }
}
