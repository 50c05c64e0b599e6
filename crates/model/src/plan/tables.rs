//! `[reading]`, `[tables.NAME]` and `[[tables.NAME.part]]`: where tables are, how their files are
//! written, and what is made of their rows.

use std::collections::BTreeSet;

use serde::Deserialize;
use toml::Spanned;

use super::{
    ByteSize, Duplicates, Entry, FillValue, InOrder, Mistake, MistakeKind, OneOrMore, Plan,
    Repeats, Valid,
};

/// An entry that may say how files are written, besides what is its own.
macro_rules! entry_with_settings {
    ($(#[$about:meta])* pub struct $name:ident { $($(#[$doc:meta])* pub $field:ident: $ty:ty,)* }) => {
        $(#[$about])*
        #[derive(Debug, Deserialize)]
        #[serde(deny_unknown_fields, rename_all = "kebab-case")]
        pub struct $name {
            $($(#[$doc])* pub $field: $ty,)*
            /// The sign between two fields, or the word `tab`.
            pub separator: Option<Spanned<String>>,
            /// The encoding, by its usual name.
            pub encoding: Option<Spanned<String>>,
            /// A format sample of the numbers: 1234.56.
            pub numbers: Option<Spanned<String>>,
            /// A format sample of the days: the 31st of December 2025.
            pub dates: Option<Spanned<String>>,
            /// The row of the column names, counted from 1; 0 where there are none.
            pub header_row: Option<Spanned<u32>>,
            /// Texts that mean blank: `["NA", "-"]`.
            pub blank: Option<Spanned<OneOrMore>>,
            /// What becomes of a last row that looks like a total.
            pub total_rows: Option<TotalRows>,
        }

        impl $name {
            /// How files are written, as far as it is reported here.
            fn settings(&self) -> Settings<'_> {
                Settings {
                    separator: self.separator.as_ref(),
                    encoding: self.encoding.as_ref(),
                    numbers: self.numbers.as_ref(),
                    dates: self.dates.as_ref(),
                    header_row: self.header_row.as_ref(),
                    blank: self.blank.as_ref(),
                    total_rows: self.total_rows,
                }
            }
        }
    };
}

entry_with_settings! {
    /// `[reading]`: how files are written. What is not said is found for each file.
    #[derive(Default)]
    pub struct ReadingEntry {
        /// What a sheet of a workbook may unpack to.
        pub largest_sheet: Option<ByteSize>,
        /// What a cell of a workbook may hold.
        pub largest_cell: Option<ByteSize>,
    }
}

entry_with_settings! {
    /// `[tables.NAME]`: where a table is and how it is read.
    pub struct TableEntry {
        /// Fact or lookup.
        #[serde(default)]
        pub role: Role,
        /// A path, or a pattern over several, relative to the plan.
        pub from: Option<Spanned<OneOrMore>>,
        /// `[[tables.NAME.part]]`: files with settings of their own, instead of `from`.
        #[serde(default)]
        pub part: Vec<Spanned<PartEntry>>,
        /// The sums of a fact that the table holds, instead of the rows of files.
        pub sums: Option<Spanned<SumsEntry>>,
        /// What a database is to answer, instead of one of its tables.
        pub query: Option<Spanned<String>>,
        /// Patterns of files that do not belong.
        pub leave_out: Option<Spanned<OneOrMore>>,
        /// A condition over the texts of a row, by the file's column names; such rows are left out.
        pub leave_out_rows: Option<Spanned<String>>,
        /// Columns that become rows: patterns of column names, with the column that takes the values.
        pub tall: Option<Spanned<InOrder<String>>>,
        /// Cells that hold several values.
        pub unpack: Option<Spanned<Unpack>>,
        /// Columns of one text in every row.
        #[serde(default)]
        pub set: InOrder<FillValue>,
        /// `[tables.NAME.columns]`: by the column names of the file.
        #[serde(default)]
        pub columns: InOrder<ColumnEntry>,
        /// The column or columns that identify a row.
        pub key: Option<Spanned<OneOrMore>>,
        /// For facts: the column with the date of a line.
        pub date: Option<Spanned<String>>,
        /// The columns that say when a row of a lookup holds.
        pub valid: Option<Valid>,
        /// What happens to rows of a lookup that share a key.
        pub duplicates: Option<Spanned<Duplicates>>,
        /// What happens to lines of a fact that share a key.
        pub repeats: Option<Spanned<Repeats>>,
    }
}

entry_with_settings! {
    /// `[[tables.NAME.part]]`: some files of a table that are read in their own way.
    pub struct PartEntry {
        /// As for a table.
        pub from: Spanned<OneOrMore>,
        /// As for a table.
        pub query: Option<Spanned<String>>,
        /// As for a table, besides the table's.
        pub leave_out: Option<Spanned<OneOrMore>>,
        /// As for a table.
        pub leave_out_rows: Option<Spanned<String>>,
        /// As for a table.
        pub tall: Option<Spanned<InOrder<String>>>,
        /// As for a table.
        pub unpack: Option<Spanned<Unpack>>,
        /// As for a table, besides the table's.
        #[serde(default)]
        pub set: InOrder<FillValue>,
        /// As for a table, before the table's.
        #[serde(default)]
        pub columns: InOrder<ColumnEntry>,
    }
}

/// `sums`: totals of a fact, by which lines of facts may look them up.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct SumsEntry {
    /// The fact.
    pub of: Spanned<String>,
    /// Its attributes, which are the key of the table.
    pub by: Spanned<Vec<Spanned<String>>>,
    /// What is summed.
    pub show: Vec<Spanned<String>>,
    /// The lines that count.
    #[serde(rename = "where")]
    pub filter: Option<Spanned<String>>,
}

impl TableEntry {
    /// Lets a table with sums be read from a file that holds them, written in the plain way.
    pub fn read_sums_from(&mut self, path: String, key: Vec<String>) {
        let Some(sums) = &self.sums else { return };
        let span = sums.span();
        let said = |text: &str| Some(Spanned::new(span.clone(), text.to_owned()));
        self.from = Some(Spanned::new(span.clone(), OneOrMore(vec![path])));
        self.key.get_or_insert_with(|| Spanned::new(span.clone(), OneOrMore(key)));
        (self.separator, self.encoding) = (said(","), said("utf-8"));
        (self.numbers, self.dates) = (said("1234.56"), said("2025-12-31"));
        self.header_row = Some(Spanned::new(span, 1));
        self.total_rows = Some(TotalRows::Keep);
    }
}

/// What a table is for.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Role {
    /// Lines that are streamed: sales, budget lines, returns.
    Fact,
    /// Rows that are found by a key; held in memory.
    #[default]
    Lookup,
}

/// What becomes of a last row that looks like a total and cannot be proved to be one.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum TotalRows {
    /// It is a row like any other; also one that is the sum of the rows above.
    Keep,
    /// It is left out.
    LeaveOut,
}

/// `unpack = { columns, separator, position, once }`: cells with several values, which become as
/// many rows.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Unpack {
    /// The columns with several values, in step.
    pub columns: Spanned<Vec<String>>,
    /// What stands between two values.
    pub separator: String,
    /// A new column that counts the values of a cell from 1.
    pub position: Option<String>,
    /// Columns that stay on the first of the rows only.
    #[serde(default)]
    pub once: Vec<Spanned<String>>,
}

/// `[tables.NAME.columns]`: one column.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct ColumnEntry {
    /// The name used everywhere else in the plan.
    pub name: Option<Spanned<String>>,
    /// How its values are read.
    #[serde(rename = "type")]
    pub column_type: Option<ColumnType>,
    /// A format sample of its values, where they are written in another way than the rest of the file.
    pub like: Option<Spanned<String>>,
    /// A number that every value is multiplied by: `0.01` turns cents into the currency.
    pub scale: Option<Spanned<Scale>>,
    /// A part may lack it; it is blank there.
    #[serde(default)]
    pub optional: bool,
    /// It is computed from the other columns of the row.
    pub formula: Option<Spanned<String>>,
}

/// How the values of a column are read.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum ColumnType {
    /// As written; codes keep their leading zeros.
    Text,
    /// A number without decimal places.
    Integer,
    /// A decimal number.
    Number,
    /// `12.5 %` is 0.125. A number without the sign is not a percent.
    Percent,
    /// `2025-12-31`.
    Date,
    /// `yes` or `no`, `true` or `false`, `y` or `n`, `1` or `0`, and the same in other languages.
    YesNo,
}

/// A `scale`, written in the plan as a number or as text; kept as text, so that it stays exact.
#[derive(Debug, PartialEq, Eq)]
pub struct Scale(pub String);

/// How some files are written, as far as the plan says; the nearest says it.
#[derive(Clone, Copy, Debug, Default)]
pub struct Settings<'a> {
    /// The sign between two fields.
    pub separator: Option<&'a Spanned<String>>,
    /// The encoding.
    pub encoding: Option<&'a Spanned<String>>,
    /// A format sample of the numbers.
    pub numbers: Option<&'a Spanned<String>>,
    /// A format sample of the days.
    pub dates: Option<&'a Spanned<String>>,
    /// The row of the column names.
    pub header_row: Option<&'a Spanned<u32>>,
    /// Texts that mean blank.
    pub blank: Option<&'a Spanned<OneOrMore>>,
    /// What becomes of a last row that looks like a total.
    pub total_rows: Option<TotalRows>,
}

impl<'a> Settings<'a> {
    fn or(self, farther: Settings<'a>) -> Settings<'a> {
        Settings {
            separator: self.separator.or(farther.separator),
            encoding: self.encoding.or(farther.encoding),
            numbers: self.numbers.or(farther.numbers),
            dates: self.dates.or(farther.dates),
            header_row: self.header_row.or(farther.header_row),
            blank: self.blank.or(farther.blank),
            total_rows: self.total_rows.or(farther.total_rows),
        }
    }
}

/// What the plan says of the columns of some files; the nearest first.
#[derive(Clone, Debug, Default)]
pub struct Columns<'a>(pub Vec<&'a InOrder<ColumnEntry>>);

impl<'a> Columns<'a> {
    /// What the plan says of a column name.
    pub fn get(&self, column_name: &str) -> Option<&'a Entry<ColumnEntry>> {
        self.0.iter().find_map(|columns| columns.get(column_name))
    }
}

/// Some files of a table: those of `from`, or of one part.
#[derive(Clone)]
pub struct Files<'a> {
    /// The patterns.
    pub from: &'a Spanned<OneOrMore>,
    /// What a database is to answer.
    pub query: Option<&'a Spanned<String>>,
    /// Patterns of files that do not belong; those of the table and of the part.
    pub leave_out: Vec<&'a Spanned<OneOrMore>>,
    /// How they are written, as far as the plan says.
    pub settings: Settings<'a>,
    /// Which rows are left out.
    pub leave_out_rows: Option<&'a Spanned<String>>,
    /// Columns that become rows.
    pub tall: Option<&'a Spanned<InOrder<String>>>,
    /// Cells with several values.
    pub unpack: Option<&'a Spanned<Unpack>>,
    /// Columns of one text; the part's own before the table's.
    pub set: Vec<&'a Entry<FillValue>>,
    /// What is reported of columns.
    pub columns: Columns<'a>,
}

impl TableEntry {
    /// The columns that a part may lack.
    pub fn optional_columns(&self) -> impl Iterator<Item = &str> {
        let parts = self.part.iter().map(|part| &part.get_ref().columns);
        let all = [&self.columns].into_iter().chain(parts).flatten();
        all.filter(|column| column.value.optional).map(|column| column.value.name(&column.name))
    }
}

impl ColumnEntry {
    /// The name that the column has in the plan, if it has this column name.
    pub fn name<'a>(&'a self, column_name: &'a str) -> &'a str {
        self.name.as_ref().map_or(column_name, |name| name.get_ref())
    }
}

impl Plan {
    /// The files of a table, by their settings.
    ///
    /// # Errors
    /// The table has neither `from` nor a part, or both.
    pub fn files<'a>(&'a self, table: &'a Entry<TableEntry>) -> Result<Vec<Files<'a>>, Mistake> {
        let entry = &table.value;
        let settings = entry.settings().or(self.reading.settings());
        let own = |from: &'a Spanned<OneOrMore>| Files {
            from,
            query: entry.query.as_ref(),
            leave_out: entry.leave_out.iter().collect(),
            settings,
            leave_out_rows: entry.leave_out_rows.as_ref(),
            tall: entry.tall.as_ref(),
            unpack: entry.unpack.as_ref(),
            set: entry.set.iter().collect(),
            columns: Columns(vec![&entry.columns]),
        };
        let wrong = |message: &str| {
            Mistake::in_plan(MistakeKind::ConflictingSettings, table.name_span.clone(), message)
        };
        match (&entry.from, entry.part.as_slice()) {
            (Some(_), [_, ..]) => Err(wrong("the table has both `from` and [[part]]s").help(
                "give every [[tables.….part]] its own `from`, and remove the one of the table",
            )),
            (None, []) => Err(wrong("the plan key `from` is missing here")
                .help("it names the file of the table, or a pattern over several")),
            (Some(from), []) => Ok(vec![own(from)]),
            (None, parts) => Ok(parts
                .iter()
                .map(|part| {
                    let part = part.get_ref();
                    let table = own(&part.from);
                    Files {
                        leave_out: entry.leave_out.iter().chain(&part.leave_out).collect(),
                        query: part.query.as_ref(),
                        settings: part.settings().or(settings),
                        leave_out_rows: part.leave_out_rows.as_ref().or(table.leave_out_rows),
                        tall: part.tall.as_ref().or(table.tall),
                        unpack: part.unpack.as_ref().or(table.unpack),
                        set: part.set.iter().chain(&entry.set).collect(),
                        columns: Columns(vec![&part.columns, &entry.columns]),
                        ..table
                    }
                })
                .collect()),
        }
    }

    /// The columns of a table that the plan takes for text whatever they look like: keys, the columns
    /// of links, and those declared so.
    pub fn text_columns(&self, table: &str) -> BTreeSet<String> {
        let entry = self.tables.get(table).map(|entry| &entry.value);
        let keys = entry.and_then(|entry| entry.key.as_ref()).map(|key| key.get_ref().0.clone());
        let columns = entry.into_iter().flat_map(|entry| {
            let parts = entry.part.iter().map(|part| &part.get_ref().columns);
            parts.chain([&entry.columns]).flatten()
        });
        let declared = columns
            .filter(|column| column.value.column_type == Some(ColumnType::Text))
            .map(|column| column.value.name(&column.name).to_owned());
        let linked = self.link_ends().columns.get(table).into_iter().flatten().cloned();
        keys.into_iter().flatten().chain(declared).chain(linked).collect()
    }

    /// The table of that name, or the one that the link of that name leads to.
    pub fn table_called<'a>(&'a self, name: &str) -> Option<&'a str> {
        let table = match self.tables.get(name) {
            Some(table) => table,
            None => self.tables.get(self.link_ends().named.get(name)?)?,
        };
        Some(&table.name)
    }

    /// The columns of a table that the plan names anywhere but in formulas: they are not meant by a
    /// pattern of column names that fits everything.
    pub fn named_columns(&self, table: &str) -> BTreeSet<String> {
        let mut named = self.text_columns(table);
        let Some(entry) = self.tables.get(table).map(|entry| &entry.value) else { return named };
        for columns in entry.part.iter().map(|part| &part.get_ref().columns).chain([&entry.columns])
        {
            for column in columns {
                named.insert(column.name.clone());
                named.insert(column.value.name(&column.name).to_owned());
            }
        }
        if let Some(valid) = &entry.valid {
            named.extend(valid.columns().map(|name| name.get_ref().clone()));
        }
        let unpacks = entry.part.iter().filter_map(|part| part.get_ref().unpack.as_ref());
        for unpack in unpacks.chain(&entry.unpack).map(Spanned::get_ref) {
            named.extend(unpack.columns.get_ref().iter().cloned());
            named.extend(unpack.once.iter().map(|once| once.get_ref().clone()));
        }
        named
    }
}
