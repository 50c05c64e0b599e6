//! A line of a record, as an engine asks for its values.

use interligo_engine::engine::Engine;
use interligo_engine::replay::LineValues;
use interligo_model::values::value::Value;

use super::pairs::Row;
use super::recorded_fact::RecordedFact;

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
    pub(crate) fact: &'r RecordedFact,
    pub(crate) row: &'r Row,
    pub(crate) places: &'r Places,
}

impl LineValues for RecordedLine<'_> {
    fn column(&self, column: usize) -> Value<'_> {
        let place = self.places.columns.get(column).copied().flatten();
        place.map_or(Value::Blank, |at| self.fact.value_at(self.row, at))
    }

    fn attribute(&self, link: usize, column: usize) -> Value<'_> {
        let value = || {
            let (own, columns) = self.places.links.get(link)?.as_ref()?;
            let row = self.fact.row_of_link(self.row, *own)?;
            self.fact.attribute_at(*own, row, (*columns.get(column)?)?)
        };
        value().unwrap_or(Value::Blank)
    }
}
