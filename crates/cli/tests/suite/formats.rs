//! One table in every format: made-up cells written as CSV, XLSX, ODS, Parquet, JSON lines, SQLite and
//! PostgreSQL.

use std::io::{Cursor, Write};
use std::path::Path;
use std::sync::Arc;

use arrow_array::{
    ArrayRef, Date32Array, Decimal128Array, Float64Array, Int64Array, RecordBatch, StringArray,
    TimestampMillisecondArray,
};
use rust_xlsxwriter::{ExcelDateTime, Format as CellFormat, Workbook};
use zip::ZipWriter;
use zip::write::SimpleFileOptions;

use crate::server::Server;

/// A format, with where a table `t` of it is: relative to the folder, or the address of a server.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Format {
    Csv,
    Xlsx,
    Ods,
    Parquet,
    Json,
    Sqlite,
    Postgres,
}

impl Format {
    pub(crate) const ALL: [Format; 7] = [
        Format::Csv,
        Format::Xlsx,
        Format::Ods,
        Format::Parquet,
        Format::Json,
        Format::Sqlite,
        Format::Postgres,
    ];

    /// Where a table of that name is.
    pub(crate) fn from(self, table: &str) -> String {
        match self {
            Format::Csv => format!("{table}.csv"),
            Format::Xlsx => format!("{table}.xlsx#{table}"),
            Format::Ods => format!("{table}.ods#{table}"),
            Format::Parquet => format!("{table}.parquet"),
            Format::Json => format!("{table}.jsonl"),
            Format::Sqlite => format!("{table}.sqlite#{table}"),
            Format::Postgres => format!("postgres:///postgres#{table}"),
        }
    }
}

/// How much earlier it is in UTC than where moments are written down.
const ZONE: &str = "+02:00";
const ZONE_SECONDS: i64 = 7200;

/// A value of a table. Amounts are hundredths, days count from 1970-01-01, moments are seconds since then in UTC.
#[derive(Clone, Debug)]
pub(crate) enum Value {
    Text(String),
    Amount(Option<i64>),
    Count(Option<i64>),
    Day(Option<i32>),
    /// A number in binary, of 15 digits at most, which is what workbooks keep.
    Real(Option<f64>),
    /// A point in time in a zone of its own; without one where the format has none.
    Moment(Option<i64>),
}

impl Value {
    /// As a text file has it.
    fn text(&self) -> String {
        match self {
            Value::Text(text) => text.clone(),
            Value::Amount(None)
            | Value::Count(None)
            | Value::Day(None)
            | Value::Real(None)
            | Value::Moment(None) => String::new(),
            Value::Real(Some(number)) => number.to_string(),
            Value::Moment(Some(_)) => format!("{}{ZONE}", self.local().replace(' ', "T")),
            Value::Amount(Some(cents)) => {
                let character = if *cents < 0 { "-" } else { "" };
                format!("{character}{}.{:02}", cents.abs() / 100, cents.abs() % 100)
            }
            Value::Count(Some(count)) => count.to_string(),
            Value::Day(Some(day)) => {
                let day = jiff::civil::date(1970, 1, 1)
                    .checked_add(jiff::Span::new().days(i64::from(*day)));
                day.unwrap().to_string()
            }
        }
    }

    /// A moment as clocks show it where it is written down.
    fn local(&self) -> String {
        let Value::Moment(Some(seconds)) = self else { return self.text() };
        let local = jiff::Timestamp::from_second(seconds + ZONE_SECONDS).unwrap();
        local.strftime("%Y-%m-%d %H:%M:%S").to_string()
    }

    fn is_blank(&self) -> bool {
        self.text().is_empty()
    }
}

/// A table: column names, and rows of as many values.
#[derive(Clone, Debug)]
pub(crate) struct Sheet {
    pub(crate) column_names: Vec<&'static str>,
    pub(crate) rows: Vec<Vec<Value>>,
}

impl Sheet {
    /// Writes the table in a format; a server gets it under its name.
    pub(crate) fn write(
        &self,
        format: Format,
        folder: &Path,
        table: &str,
        server: Option<&Server>,
    ) {
        let path = |ending: &str| folder.join(format!("{table}.{ending}"));
        match format {
            Format::Csv => std::fs::write(path("csv"), self.csv()).unwrap(),
            Format::Json => std::fs::write(path("jsonl"), self.json()).unwrap(),
            Format::Xlsx => std::fs::write(path("xlsx"), self.xlsx(table)).unwrap(),
            Format::Ods => std::fs::write(path("ods"), self.ods(table)).unwrap(),
            Format::Parquet => std::fs::write(path("parquet"), self.parquet()).unwrap(),
            Format::Sqlite => self.sqlite(&path("sqlite"), table),
            Format::Postgres => {
                let mut client = server.unwrap().client();
                client.batch_execute(&self.sql(table, "")).unwrap();
            }
        }
    }

    fn csv(&self) -> String {
        let quoted = |text: String| match text.contains([',', '"', '\n']) {
            true => format!("\"{}\"", text.replace('"', "\"\"")),
            false => text,
        };
        let mut all = self.column_names.join(",") + "\n";
        for row in &self.rows {
            let cells: Vec<String> = row.iter().map(|value| quoted(value.text())).collect();
            all += &(cells.join(",") + "\n");
        }
        all
    }

    fn json(&self) -> String {
        let mut all = String::new();
        for row in &self.rows {
            let members = self.column_names.iter().zip(row).map(|(column_name, value)| {
                let written = match value {
                    Value::Text(text) => serde_json::to_string(text).unwrap(),
                    value if value.is_blank() => "null".to_owned(),
                    Value::Day(_) | Value::Moment(_) => format!("\"{}\"", value.text()),
                    value => value.text(),
                };
                format!("\"{column_name}\": {written}")
            });
            all += &format!("{{{}}}\n", members.collect::<Vec<_>>().join(", "));
        }
        all
    }

    fn xlsx(&self, table: &str) -> Vec<u8> {
        let mut workbook = Workbook::new();
        let day_format = CellFormat::new().set_num_format("dd/mm/yyyy");
        let time_format = CellFormat::new().set_num_format("dd/mm/yyyy hh:mm:ss");
        let sheet = workbook.add_worksheet().set_name(table).unwrap();
        for (column, column_name) in (0..).zip(&self.column_names) {
            sheet.write(0, column, *column_name).unwrap();
        }
        for (number, row) in (1..).zip(&self.rows) {
            for (column, value) in (0..).zip(row) {
                match value {
                    value if value.is_blank() => continue,
                    Value::Text(text) => sheet.write(number, column, text).unwrap(),
                    Value::Day(_) => {
                        let day = ExcelDateTime::parse_from_str(&value.text()).unwrap();
                        sheet.write_with_format(number, column, &day, &day_format).unwrap()
                    }
                    Value::Moment(_) => {
                        let moment = ExcelDateTime::parse_from_str(&value.local()).unwrap();
                        sheet.write_with_format(number, column, &moment, &time_format).unwrap()
                    }
                    value => {
                        sheet.write(number, column, value.text().parse::<f64>().unwrap()).unwrap()
                    }
                };
            }
        }
        workbook.save_to_buffer().unwrap()
    }

    fn ods(&self, table: &str) -> Vec<u8> {
        let text = |text: &str| {
            format!(
                "<table:table-cell office:value-type=\"string\"><text:p>{}</text:p></table:table-cell>",
                escaped(text)
            )
        };
        let cell = |value: &Value| match value {
            value if value.is_blank() => "<table:table-cell/>".to_owned(),
            Value::Text(own) => text(own),
            Value::Day(_) => format!(
                "<table:table-cell office:value-type=\"date\" office:date-value=\"{}\"/>",
                value.text()
            ),
            Value::Moment(_) => format!(
                "<table:table-cell office:value-type=\"date\" office:date-value=\"{}\"/>",
                value.local().replace(' ', "T")
            ),
            value => format!(
                "<table:table-cell office:value-type=\"float\" office:value=\"{}\"/>",
                value.text()
            ),
        };
        let column_name: String =
            self.column_names.iter().map(|column_name| text(column_name)).collect();
        let mut rows = format!("<table:table-row>{column_name}</table:table-row>");
        for row in &self.rows {
            let cells: String = row.iter().map(cell).collect();
            rows += &format!("<table:table-row>{cells}</table:table-row>");
        }
        ods_of(&format!("<table:table table:name=\"{table}\">{rows}</table:table>"))
    }

    fn parquet(&self) -> Vec<u8> {
        let column = |(number, column_name): (usize, &&str)| -> (String, ArrayRef) {
            let values = || self.rows.iter().map(move |row| &row[number]);
            let array: ArrayRef = match &self.rows[0][number] {
                Value::Text(_) => Arc::new(StringArray::from_iter(
                    values().map(|v| Some(v.text()).filter(|text| !text.is_empty())),
                )),
                Value::Amount(_) => {
                    let cents = values().map(|value| match value {
                        Value::Amount(cents) => cents.map(i128::from),
                        _ => None,
                    });
                    let cents = Decimal128Array::from_iter(cents);
                    Arc::new(cents.with_precision_and_scale(12, 2).unwrap())
                }
                Value::Count(_) => {
                    Arc::new(Int64Array::from_iter(values().map(|value| match value {
                        Value::Count(count) => *count,
                        _ => None,
                    })))
                }
                Value::Real(_) => {
                    Arc::new(Float64Array::from_iter(values().map(|value| match value {
                        Value::Real(number) => *number,
                        _ => None,
                    })))
                }
                Value::Moment(_) => {
                    let seconds = values().map(|value| match value {
                        Value::Moment(seconds) => seconds.map(|seconds| seconds * 1000),
                        _ => None,
                    });
                    let moments = TimestampMillisecondArray::from_iter(seconds);
                    Arc::new(moments.with_timezone(ZONE))
                }
                Value::Day(_) => {
                    Arc::new(Date32Array::from_iter(values().map(|value| match value {
                        Value::Day(day) => *day,
                        _ => None,
                    })))
                }
            };
            ((*column_name).to_owned(), array)
        };
        let columns = self.column_names.iter().enumerate().map(column);
        parquet_of(
            &RecordBatch::try_from_iter_with_nullable(
                columns.map(|(column_name, array)| (column_name, array, true)),
            )
            .unwrap(),
        )
    }

    /// The table as SQL; `keys` follows the columns.
    pub(crate) fn sql(&self, table: &str, keys: &str) -> String {
        let types = self.rows[0].iter().map(|value| match value {
            Value::Text(_) => "text",
            Value::Amount(_) => "numeric(12, 2)",
            Value::Count(_) => "bigint",
            Value::Day(_) => "date",
            Value::Real(_) => "double precision",
            // A server keeps no zone with a moment.
            Value::Moment(_) => "timestamp",
        });
        let columns: Vec<String> = self
            .column_names
            .iter()
            .zip(types)
            .map(|(name, kind)| format!("\"{name}\" {kind}"))
            .collect();
        let value = |value: &Value| match value {
            value if value.is_blank() => "NULL".to_owned(),
            Value::Moment(_) => format!("'{}'", value.local()),
            Value::Text(_) | Value::Day(_) => format!("'{}'", value.text().replace('\'', "''")),
            value => value.text(),
        };
        let row = |row: &Vec<Value>| {
            format!("({})", row.iter().map(value).collect::<Vec<_>>().join(", "))
        };
        let rows: Vec<String> = self.rows.iter().map(row).collect();
        format!(
            "DROP TABLE IF EXISTS {table}; CREATE TABLE {table} ({}{keys}); INSERT INTO {table} VALUES {};",
            columns.join(", "),
            rows.join(", ")
        )
    }

    fn sqlite(&self, path: &Path, table: &str) {
        let _ = std::fs::remove_file(path);
        rusqlite::Connection::open(path).unwrap().execute_batch(&self.sql(table, "")).unwrap();
    }
}

fn escaped(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('"', "&quot;")
}

/// An ODS workbook with these tables.
pub(crate) fn ods_of(tables: &str) -> Vec<u8> {
    let content = format!(
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?><office:document-content \
         xmlns:office=\"urn:oasis:names:tc:opendocument:xmlns:office:1.0\" \
         xmlns:table=\"urn:oasis:names:tc:opendocument:xmlns:table:1.0\" \
         xmlns:text=\"urn:oasis:names:tc:opendocument:xmlns:text:1.0\" office:version=\"1.2\">\
         <office:body><office:spreadsheet>{tables}</office:spreadsheet></office:body></office:document-content>"
    );
    let manifest = "<?xml version=\"1.0\"?><manifest:manifest \
        xmlns:manifest=\"urn:oasis:names:tc:opendocument:xmlns:manifest:1.0\"/>";
    zipped(&[
        ("mimetype", b"application/vnd.oasis.opendocument.spreadsheet"),
        ("META-INF/manifest.xml", manifest.as_bytes()),
        ("content.xml", content.as_bytes()),
    ])
}

/// A zip archive of these entries.
pub(crate) fn zipped(entries: &[(&str, &[u8])]) -> Vec<u8> {
    let mut zip = ZipWriter::new(Cursor::new(Vec::new()));
    for (name, content) in entries {
        zip.start_file(*name, SimpleFileOptions::default()).unwrap();
        zip.write_all(content).unwrap();
    }
    zip.finish().unwrap().into_inner()
}

/// A Parquet file of these rows.
pub(crate) fn parquet_of(batch: &RecordBatch) -> Vec<u8> {
    let mut bytes = Vec::new();
    let mut writer =
        parquet::arrow::ArrowWriter::try_new(&mut bytes, batch.schema(), None).unwrap();
    writer.write(batch).unwrap();
    writer.close().unwrap();
    bytes
}
