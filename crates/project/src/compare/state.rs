//! A line as it is on the way from one run to another: some of its values are those of the first, some those of the second.

use std::cell::RefCell;
use std::collections::{BTreeMap, HashMap};
use std::path::{Path, PathBuf};
use std::sync::OnceLock;

use interligo_engine::engine::Engine;
use interligo_engine::replay::LineValues;
use interligo_model::values::date::Day;
use interligo_model::values::value::Value;

use super::lines::Row;
use crate::runs::{
    FactRecord, LinkRecord, RecordError, read_rows, shown as shown_folder, value_of,
};

/// A fact of a record, with its lookups in memory.
pub(super) struct RecordedFact {
    folder: PathBuf,
    record: FactRecord,
    lookups: Vec<RecordedLookup>,
    /// Of each link the rows of its lookup by key, once it is asked for.
    indexes: Vec<OnceLock<HashMap<String, Vec<u32>>>>,
}

/// A lookup of a record.
pub(super) struct RecordedLookup {
    /// Its columns by name.
    columns: BTreeMap<String, usize>,
    /// Its rows.
    rows: Vec<Box<[Value<'static>]>>,
    /// The days on which each is valid.
    valid: Vec<RowPeriod>,
}

/// The first and the last day on which a row is valid; none where it is open, or has no period.
pub(super) type RowPeriod = (Option<Day>, Option<Day>);

impl RecordedFact {
    /// Reads a fact with its lookups.
    pub(super) fn read(folder: &Path, record: &FactRecord) -> Result<RecordedFact, RecordError> {
        let mut lookups = Vec::new();
        for lookup in &record.lookups {
            let mut own = RecordedLookup {
                columns: lookup
                    .columns
                    .iter()
                    .enumerate()
                    .map(|(at, (n, _))| (n.clone(), at))
                    .collect(),
                rows: Vec::new(),
                valid: Vec::new(),
            };
            let width = lookup.columns.len();
            read_rows::<RecordError>(folder, &lookup.file, |row| {
                let kinds = lookup.columns.iter().map(|(_, kind)| kind);
                own.rows.push(kinds.zip(row).map(|(kind, text)| value_of(kind, text)).collect());
                let day = |at: usize| row.get(at).and_then(|text| Day::parse(text.as_bytes()));
                own.valid.push((day(width), day(width + 1)));
                Ok(())
            })?;
            lookups.push(own);
        }
        if record.links.iter().any(|link| link.lookup >= lookups.len()) {
            let why = format!("a link of `{}` has no lookup", record.name);
            let folder = shown_folder(folder);
            return Err(RecordError::Damaged { folder, why });
        }
        let indexes = record.links.iter().map(|_| OnceLock::new()).collect();
        Ok(RecordedFact { folder: folder.to_owned(), record: record.clone(), lookups, indexes })
    }

    pub(super) fn name(&self) -> &str {
        &self.record.name
    }

    /// The names of the columns of a link's lookup.
    pub(super) fn attribute_names(&self, link: usize) -> impl Iterator<Item = &str> {
        self.lookup_of(link).columns.keys().map(String::as_str)
    }

    /// The key of a line, as it is shown.
    pub(super) fn key_shown(&self, row: &Row) -> String {
        let columns =
            if self.record.key.is_empty() { self.own_columns() } else { self.key_columns() };
        columns.iter().map(|column| &row[*column]).collect::<Vec<_>>().join(",")
    }

    pub(super) fn folder(&self) -> &Path {
        &self.folder
    }

    pub(super) fn file(&self) -> &str {
        &self.record.file
    }

    pub(super) fn lines(&self) -> u64 {
        self.record.lines
    }

    pub(super) fn totals(&self) -> &[(String, String)] {
        &self.record.totals
    }

    pub(super) fn is_unique(&self) -> bool {
        self.record.is_unique
    }

    pub(super) fn key(&self) -> &[String] {
        &self.record.key
    }

    pub(super) fn columns(&self) -> impl Iterator<Item = &str> {
        self.record.columns.iter().map(|(name, _)| name.as_str())
    }

    pub(super) fn links(&self) -> &[LinkRecord] {
        &self.record.links
    }

    /// The places of the key's columns in a row.
    pub(super) fn key_columns(&self) -> Vec<usize> {
        self.columns_called(&self.record.key)
    }

    /// The places of all own columns.
    pub(super) fn own_columns(&self) -> Vec<usize> {
        (0..self.record.columns.len()).collect()
    }

    /// The places of columns with these names.
    pub(super) fn columns_called(&self, names: &[String]) -> Vec<usize> {
        let place = |name: &String| self.columns().position(|column| column == name);
        names.iter().filter_map(place).collect()
    }

    /// The own values of a row, by name.
    pub(super) fn own(&self, row: &Row, name: &str) -> Value<'static> {
        let place = self.columns().position(|column| column == name);
        place.map_or(Value::Blank, |at| value_of(&self.record.columns[at].1, &row[at]))
    }

    /// The number of a link by name.
    pub(super) fn link_called(&self, name: &str) -> Option<usize> {
        self.record.links.iter().position(|link| link.name == name)
    }

    /// The row of its lookup that a link found on a line.
    pub(super) fn row_of_link(&self, row: &Row, link: usize) -> Option<u32> {
        let cell = row.get(self.record.columns.len() + link)?;
        cell.parse().ok()
    }

    /// Of each link and row of its lookup, whether another record has the same values there; none where the columns differ, or
    /// the links.
    pub(super) fn same_rows(&self, other: &RecordedFact) -> Option<Vec<Vec<bool>>> {
        let is_alike = self.record.columns == other.record.columns && self.links() == other.links();
        let same = |link: usize| {
            let (own, its) = (self.lookup_of(link), other.lookup_of(link));
            let rows = own.rows.iter().zip(&its.rows).map(|(own, its)| own == its);
            (own.columns == its.columns).then(|| rows.collect())
        };
        if is_alike { (0..self.links().len()).map(same).collect() } else { None }
    }

    fn lookup_of(&self, link: usize) -> &RecordedLookup {
        &self.lookups[self.record.links[link].lookup]
    }

    /// The key of a row of a link's lookup.
    pub(super) fn identity(&self, link: usize, row: u32) -> String {
        let lookup = self.lookup_of(link);
        let key = self.record.links[link].key.iter();
        let texts = key.map(|name| match lookup.columns.get(name) {
            Some(at) => lookup.value(row, *at).to_string().trim().to_owned(),
            None => String::new(),
        });
        texts.collect::<Vec<_>>().join("\u{1f}")
    }

    /// A row of a link's lookup as it is shown: its key, and from when it is valid.
    pub(super) fn row_shown(&self, link: usize, row: u32) -> String {
        let key = self.identity(link, row).replace('\u{1f}', " + ");
        match self.period(link, row) {
            (Some(from), _) => format!("{key} from {from}"),
            _ => key,
        }
    }

    /// The row with a key that is valid on a day; where none is, because a gap was bridged, the one with this period.
    pub(super) fn find(
        &self,
        link: usize,
        identity: &str,
        day: Option<Day>,
        period: RowPeriod,
    ) -> Option<u32> {
        let lookup = self.lookup_of(link);
        let index = self.indexes[link].get_or_init(|| {
            let mut index: HashMap<String, Vec<u32>> = HashMap::new();
            for row in 0..lookup.rows.len() as u32 {
                index.entry(self.identity(link, row)).or_default().push(row);
            }
            index
        });
        let rows = index.get(identity).map_or(&[][..], Vec::as_slice).iter().copied();
        let Some(day) = day else { return rows.clone().next() };
        let is_valid = |row: &u32| {
            let (from, until) = self.period(link, *row);
            from.is_none_or(|from| from <= day) && until.is_none_or(|until| day <= until)
        };
        let same = |row: &u32| self.period(link, *row) == period;
        rows.clone().find(is_valid).or_else(|| rows.clone().find(same))
    }

    /// The first and the last day on which a row is valid.
    pub(super) fn period(&self, link: usize, row: u32) -> RowPeriod {
        self.lookup_of(link).valid.get(row as usize).copied().unwrap_or_default()
    }

    /// A column of the row of a link.
    pub(super) fn attribute(&self, link: usize, row: Option<u32>, name: &str) -> Value<'static> {
        let lookup = self.lookup_of(link);
        match (row, lookup.columns.get(name)) {
            (Some(row), Some(at)) => lookup.value(row, *at),
            _ => Value::Blank,
        }
    }
}

impl RecordedLookup {
    fn value(&self, row: u32, column: usize) -> Value<'static> {
        let row = self.rows.get(row as usize);
        row.and_then(|row| row.get(column)).cloned().unwrap_or(Value::Blank)
    }
}

/// The values that an engine needs of a line, by their numbers there; each has a name that both records know.
pub(super) struct Needs {
    /// Of each column of lines its name.
    pub(super) columns: Vec<String>,
    /// Of each link of the engine its name.
    links: Vec<String>,
    /// Of each link the names of the columns of its lookup.
    attributes: Vec<Vec<String>>,
}

impl Needs {
    pub(super) fn of(engine: &Engine) -> Needs {
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
pub(super) struct Places {
    columns: Vec<Option<usize>>,
    /// Of each link of the engine that of the record, and where the columns of its lookup are.
    links: Vec<Option<(usize, Vec<Option<usize>>)>>,
}

impl Places {
    pub(super) fn of(needs: &Needs, fact: &RecordedFact) -> Places {
        let column = |name: &String| fact.columns().position(|own| own == name);
        let link = |(name, attributes): (&String, &Vec<String>)| {
            let link = fact.link_called(name)?;
            let columns = &fact.lookup_of(link).columns;
            Some((link, attributes.iter().map(|own| columns.get(own).copied()).collect()))
        };
        Places {
            columns: needs.columns.iter().map(column).collect(),
            links: needs.links.iter().zip(&needs.attributes).map(link).collect(),
        }
    }
}

/// A line as its record has it.
pub(super) struct RecordedLine<'r> {
    pub(super) fact: &'r RecordedFact,
    pub(super) row: &'r Row,
    pub(super) places: &'r Places,
}

impl LineValues for RecordedLine<'_> {
    fn column(&self, column: usize) -> Value<'_> {
        let place = self.places.columns.get(column).copied().flatten();
        place.map_or(Value::Blank, |at| value_of(&self.fact.record.columns[at].1, &self.row[at]))
    }

    fn attribute(&self, link: usize, column: usize) -> Value<'_> {
        let value = || {
            let (own, columns) = self.places.links.get(link)?.as_ref()?;
            let row = self.fact.row_of_link(self.row, *own)?;
            let row = self.fact.lookup_of(*own).rows.get(row as usize)?;
            Some(row.get((*columns.get(column)?)?)?.borrowed())
        };
        value().unwrap_or(Value::Blank)
    }
}

/// The values of a line, by name.
#[derive(Clone, Debug, Default, PartialEq)]
pub(super) struct State {
    pub(super) own: BTreeMap<String, Value<'static>>,
    /// By link and column of its lookup.
    pub(super) attributes: BTreeMap<(String, String), Value<'static>>,
}

/// A state as an engine asks for it.
pub(super) struct Asked<'s> {
    state: &'s State,
    needs: &'s Needs,
    /// What was asked for and is not there.
    missed: RefCell<Option<String>>,
}

impl<'s> Asked<'s> {
    pub(super) fn new(state: &'s State, needs: &'s Needs) -> Asked<'s> {
        Asked { state, needs, missed: RefCell::new(None) }
    }

    /// What was asked for and is not among the values of the line.
    pub(super) fn missed(&self) -> Option<String> {
        self.missed.take()
    }

    fn or_missed<'v>(
        &self,
        value: Option<&'v Value<'static>>,
        name: impl Fn() -> String,
    ) -> Value<'v> {
        if value.is_none() {
            self.missed.borrow_mut().get_or_insert_with(name);
        }
        value.map_or(Value::Blank, Value::borrowed)
    }
}

impl LineValues for Asked<'_> {
    fn column(&self, column: usize) -> Value<'_> {
        let Some(name) = self.needs.columns.get(column) else { return Value::Blank };
        self.or_missed(self.state.own.get(name), || name.clone())
    }

    fn attribute(&self, link: usize, column: usize) -> Value<'_> {
        let name = (self.needs.links[link].clone(), self.needs.attributes[link][column].clone());
        self.or_missed(self.state.attributes.get(&name), || format!("{}.{}", name.0, name.1))
    }
}
