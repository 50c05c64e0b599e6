//! A fact of a record: how its lines are read, and the rows that its links found.

use std::collections::{BTreeMap, HashMap};
use std::path::{Path, PathBuf};
use std::sync::OnceLock;

use interligo_model::values::date::Day;
use interligo_model::values::value::Value;

use super::record::{FactRecord, LinkRecord, RecordError, read_rows, shown, value_of};
use super::rows::Row;

/// A fact of a record, with its lookups in memory.
pub(crate) struct RecordedFact {
    folder: PathBuf,
    record: FactRecord,
    lookups: Vec<RecordedLookup>,
    /// Of each link the rows of its lookup by key, once it is asked for.
    indexes: Vec<OnceLock<HashMap<String, Vec<u32>>>>,
    /// Where only lines up to a day count: the place of the column with the date, and that day.
    up_to: Option<(usize, Day)>,
}

/// A lookup of a record.
pub(crate) struct RecordedLookup {
    /// Its columns by name.
    columns: BTreeMap<String, usize>,
    /// Its rows.
    rows: Vec<Box<[Value<'static>]>>,
    /// The days on which each is valid.
    valid: Vec<RowPeriod>,
}

/// The first and the last day on which a row is valid; none where it is open, or has no period.
pub(crate) type RowPeriod = (Option<Day>, Option<Day>);

impl RecordedFact {
    /// Reads a fact with its lookups.
    pub(crate) fn read(folder: &Path, record: &FactRecord) -> Result<RecordedFact, RecordError> {
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
                let value = |(kind, text): (&String, &_)| value_of(kind, text).into_owned();
                own.rows.push(kinds.zip(row).map(value).collect());
                let day = |at: usize| row.get(at).and_then(|text| Day::parse(text.as_bytes()));
                own.valid.push((day(width), day(width + 1)));
                Ok(())
            })?;
            lookups.push(own);
        }
        if record.links.iter().any(|link| link.lookup >= lookups.len()) {
            let why = format!("a link of `{}` has no lookup", record.name);
            let folder = shown(folder);
            return Err(RecordError::Damaged { folder, why });
        }
        let indexes = record.links.iter().map(|_| OnceLock::new()).collect();
        let place = |name: &String| record.columns.iter().position(|(own, _)| own == name);
        let up_to = record.up_to.as_ref().and_then(|(name, last)| Some((place(name)?, *last)));
        let (folder, record) = (folder.to_owned(), record.clone());
        Ok(RecordedFact { folder, record, lookups, indexes, up_to })
    }

    pub(crate) fn name(&self) -> &str {
        &self.record.name
    }

    /// The names of the columns of a link's lookup.
    pub(crate) fn attribute_names(&self, link: usize) -> impl Iterator<Item = &str> {
        self.lookup_of(link).columns.keys().map(String::as_str)
    }

    /// The key of a line, as it is shown.
    pub(crate) fn key_shown(&self, row: &Row) -> String {
        let columns =
            if self.record.key.is_empty() { self.own_columns() } else { self.key_columns() };
        columns.iter().map(|column| &row[*column]).collect::<Vec<_>>().join(",")
    }

    pub(crate) fn folder(&self) -> &Path {
        &self.folder
    }

    pub(crate) fn file(&self) -> &str {
        &self.record.file
    }

    pub(crate) fn lines(&self) -> u64 {
        self.record.lines
    }

    pub(crate) fn totals(&self) -> &[(String, String)] {
        &self.record.totals
    }

    pub(crate) fn is_unique(&self) -> bool {
        self.record.is_unique
    }

    pub(crate) fn key(&self) -> &[String] {
        &self.record.key
    }

    pub(crate) fn columns(&self) -> impl Iterator<Item = &str> {
        self.record.columns.iter().map(|(name, _)| name.as_str())
    }

    pub(crate) fn links(&self) -> &[LinkRecord] {
        &self.record.links
    }

    /// The places of the key's columns in a row.
    pub(crate) fn key_columns(&self) -> Vec<usize> {
        self.columns_called(&self.record.key)
    }

    /// The places of all own columns.
    pub(crate) fn own_columns(&self) -> Vec<usize> {
        (0..self.record.columns.len()).collect()
    }

    /// The places of columns with these names.
    pub(crate) fn columns_called(&self, names: &[String]) -> Vec<usize> {
        let place = |name: &String| self.columns().position(|column| column == name);
        names.iter().filter_map(place).collect()
    }

    /// The own values of a row, by name.
    pub(crate) fn own(&self, row: &Row, name: &str) -> Value<'static> {
        let place = self.columns().position(|column| column == name);
        place.map_or(Value::Blank, |at| self.value_at(row, at).into_owned())
    }

    /// The value of a row in the column at a place.
    pub(crate) fn value_at<'r>(&self, row: &'r Row, place: usize) -> Value<'r> {
        value_of(&self.record.columns[place].1, &row[place])
    }

    /// Whether a line counts: all do, or those up to a day.
    pub(crate) fn counts(&self, row: &csv::StringRecord) -> bool {
        let Some((column, last)) = self.up_to else { return true };
        let text = row.get(column).unwrap_or_default();
        match value_of(&self.record.columns[column].1, text) {
            Value::Date(day) => day <= last,
            Value::Period(period) => period.days().is_some_and(|(_, end)| end <= last),
            _ => false,
        }
    }

    /// The texts of a row that are computed of the line, in the order of [`RecordedFact::values`].
    pub(crate) fn values_of<'r>(&self, row: &'r Row) -> impl Iterator<Item = &'r str> {
        row.iter().skip(self.record.columns.len() + self.record.links.len())
    }

    /// The figures and attributes that the record has of each line.
    pub(crate) fn values(&self) -> impl Iterator<Item = &str> {
        self.record.figures.iter().chain(&self.record.attributes).map(String::as_str)
    }

    /// Whether such a value is a figure.
    pub(crate) fn is_figure(&self, name: &str) -> bool {
        self.record.figures.iter().any(|figure| figure == name)
    }

    /// How many cells each line has.
    pub(crate) fn width(&self) -> usize {
        self.record.columns.len() + self.record.links.len() + self.values().count()
    }

    /// The number of a link by name.
    pub(crate) fn link_called(&self, name: &str) -> Option<usize> {
        self.record.links.iter().position(|link| link.name == name)
    }

    /// The row of its lookup that a link found on a line.
    pub(crate) fn row_of_link(&self, row: &Row, link: usize) -> Option<u32> {
        let cell = row.get(self.record.columns.len() + link)?;
        cell.parse().ok()
    }

    /// Of each link and row of its lookup, whether another record has the same values there; none where the columns differ, or
    /// the links.
    pub(crate) fn same_rows(&self, other: &RecordedFact) -> Option<Vec<Vec<bool>>> {
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
    pub(crate) fn identity(&self, link: usize, row: u32) -> String {
        let lookup = self.lookup_of(link);
        let key = self.record.links[link].key.iter();
        let texts = key.map(|name| match lookup.columns.get(name) {
            Some(at) => lookup.value(row, *at).to_string().trim().to_owned(),
            None => String::new(),
        });
        texts.collect::<Vec<_>>().join("\u{1f}")
    }

    /// A row of a link's lookup as it is shown: its key, and from when it is valid.
    pub(crate) fn row_shown(&self, link: usize, row: u32) -> String {
        let key = self.identity(link, row).replace('\u{1f}', " + ");
        match self.period(link, row) {
            (Some(from), _) => format!("{key} from {from}"),
            _ => key,
        }
    }

    /// The row with a key that is valid on a day; where none is, because a gap was bridged, the one with this period.
    pub(crate) fn find(
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
    pub(crate) fn period(&self, link: usize, row: u32) -> RowPeriod {
        self.lookup_of(link).valid.get(row as usize).copied().unwrap_or_default()
    }

    /// Where the lookup of a link has a column.
    pub(crate) fn attribute_place(&self, link: usize, name: &str) -> Option<usize> {
        self.lookup_of(link).columns.get(name).copied()
    }

    /// The value at a place in the row of a link; none where there is no such row.
    pub(crate) fn attribute_at(&self, link: usize, row: u32, place: usize) -> Option<Value<'_>> {
        let row = self.lookup_of(link).rows.get(row as usize)?;
        row.get(place).map(Value::borrowed)
    }

    /// A column of the row of a link.
    pub(crate) fn attribute(&self, link: usize, row: Option<u32>, name: &str) -> Value<'static> {
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
