//! Rows as columns of typed values, for the forms that take such.

use std::path::Path;

use interligo_engine::lines::Lines;
use interligo_engine::outputs::OutputColumn;
use interligo_engine::totals::MeasureKind;
use interligo_model::reading::date_style::millis_of_day;
use interligo_model::values::column::{Column, ColumnKind, Numbers};
use interligo_model::values::value::Value;

use super::status_text;
use crate::error::{Error, OutputErrorKind};
use crate::format::{Content, EncodeLines, LinesShape, Piece, RowColumn, Unfit, UnfitReason};
use crate::raw_lines::LinesBatch;

/// What makes columns of lines.
pub(crate) fn typed_lines(shape: &LinesShape<'_>) -> Box<dyn EncodeLines> {
    let names = shape.row_columns();
    let columns = shape.columns.iter().zip(names).map(|(column, own)| {
        let made = match column {
            OutputColumn::Value { value, .. } => {
                Made::Value { value: *value, day: shape.engine.day_column(*value) }
            }
            OutputColumn::LinkStatus { link, .. } => Made::Status(*link),
            OutputColumn::LinkKey { link, .. } => {
                let lookup = &shape.engine.lookups[shape.engine.bound.routes[*link].lookup];
                let key = |row| shape.engine.key_of_row(*link, row);
                Made::Key { link: *link, keys: (0..lookup.rows).map(key).collect() }
            }
            OutputColumn::LinkRow { link, .. } => Made::Row(*link),
            OutputColumn::Cell { column, .. } => Made::AsRead(*column),
            OutputColumn::Own | OutputColumn::Attribute { .. } => {
                unreachable!("forms that take values are given values")
            }
        };
        (own, made)
    });
    Box::new(TypedLines { columns: columns.collect() })
}

/// An output of lines as typed columns.
struct TypedLines {
    columns: Vec<(RowColumn, Made)>,
}

/// What a column is made of.
enum Made {
    /// A value, and the column of the fact where it is just the day in that.
    Value {
        value: usize,
        day: Option<usize>,
    },
    Status(usize),
    Row(usize),
    /// A column of the fact with times of the day, which no value has.
    AsRead(usize),
    Key {
        link: usize,
        keys: Vec<String>,
    },
}

impl EncodeLines for TypedLines {
    fn encode(&self, batch: &LinesBatch<'_>, lines: &[u32]) -> Result<Piece, Unfit> {
        let all = lines.len() == batch.lines.rows;
        let mut columns = Vec::with_capacity(self.columns.len());
        for (own, made) in &self.columns {
            let column = match made {
                Made::Value { value, day } => {
                    if let Some(column) = day {
                        refuse_times(batch, lines, *column, &own.name)?;
                    }
                    let values = &batch.lines.values[*value];
                    let column = if all { values.clone() } else { values.gathered(lines) };
                    fit(&column, own).map_err(|(at, number, places)| Unfit {
                        column: own.name.clone(),
                        value: number.to_string(),
                        why: UnfitReason::Places(places),
                        line: lines[at],
                    })?;
                    column
                }
                Made::Status(link) => {
                    let statuses = batch.lines.statuses(*link);
                    texts(lines.iter().map(|line| Some(status_text(statuses[*line as usize]))))
                }
                Made::AsRead(column) => texts(lines.iter().map(|line| {
                    let text = batch.raw.cell(*line as usize, *column);
                    (!text.trim().is_empty()).then(|| text.into())
                })),
                Made::Row(link) => {
                    let rows = batch.lines.link_rows(*link);
                    let number = |line: &u32| match rows[*line as usize] {
                        row if Lines::is_row(row) => Value::Number((i64::from(row) + 2).into()),
                        _ => Value::Blank,
                    };
                    let numbers: Vec<Value<'_>> = lines.iter().map(number).collect();
                    Column::from_values(ColumnKind::Number(0), &numbers)
                }
                Made::Key { link, keys } => {
                    let rows = batch.lines.link_rows(*link);
                    texts(lines.iter().map(|line| {
                        keys.get(rows[*line as usize] as usize).map(|key| key.as_str().into())
                    }))
                }
            };
            columns.push(column);
        }
        let rows = columns.first().map_or(lines.len(), Column::len) as u64;
        Ok(Piece { content: Content::Columns(columns), rows })
    }
}

/// Refuses a day with a time, which would be lost.
pub(super) fn refuse_times(
    batch: &LinesBatch<'_>,
    lines: &[u32],
    column: usize,
    name: &str,
) -> Result<(), Unfit> {
    let is_within = |line: &&u32| {
        let text = batch.raw.text(column, **line as usize);
        text.contains(':') && millis_of_day(text).is_some_and(|millis| millis > 0)
    };
    lines.iter().find(is_within).map_or(Ok(()), |line| {
        let value = batch.raw.text(column, *line as usize).to_owned();
        Err(Unfit { column: name.to_owned(), value, why: UnfitReason::TimeOfDay, line: *line })
    })
}

fn texts<'t>(texts: impl Iterator<Item = Option<std::borrow::Cow<'t, str>>>) -> Column {
    let values: Vec<Value<'t>> = texts.map(|t| t.map_or(Value::Blank, Value::Text)).collect();
    Column::from_values(ColumnKind::Text, &values)
}

type Misfit = (usize, interligo_model::values::decimal::Decimal, u8);

/// Whether the numbers of a column have no more places than it is to have; else the first that has, by its row.
fn fit(column: &Column, own: &RowColumn) -> Result<(), Misfit> {
    let (Column::Number(numbers), ColumnKind::Number(places)) = (column, own.kind) else {
        return Ok(());
    };
    if matches!(&numbers.numbers, Numbers::Fixed { places: have, .. } if *have <= places) {
        return Ok(());
    }
    let unfit = (0..column.len()).find_map(|row| {
        let number = numbers.get(row).filter(|number| number.trimmed(0).places() > places)?;
        Some((row, number, places))
    });
    unfit.map_or(Ok(()), Err)
}

/// Rows of values as columns.
pub(crate) fn typed_rows(columns: &[RowColumn], rows: &[Vec<Value<'_>>]) -> Piece {
    let column = |(at, own): (usize, &RowColumn)| {
        let value = |row: &Vec<Value<'_>>| match (&row[at], own.kind) {
            (Value::Blank, _) => Value::Blank,
            (Value::Text(text), ColumnKind::Text) => Value::Text(text.to_string().into()),
            (other, ColumnKind::Text) => Value::Text(other.to_string().into()),
            (other, _) => other.clone().into_owned(),
        };
        let values: Vec<Value<'static>> = rows.iter().map(value).collect();
        Column::from_values(own.kind, &values)
    };
    let columns = columns.iter().enumerate().map(column).collect();
    Piece { content: Content::Columns(columns), rows: rows.len() as u64 }
}

/// Refuses column names that a database cannot distinguish, or that are blank.
///
/// # Errors
/// Two columns have the same name but for case, or one has none.
pub(crate) fn refuse_names(path: &Path, columns: &[RowColumn]) -> Result<(), Error> {
    let mut known = std::collections::BTreeSet::new();
    for column in columns {
        if column.name.trim().is_empty() {
            let reason = "one of its columns has no name; name it in `columns`";
            return Err(Error::new(OutputErrorKind::BadColumn, path, reason));
        }
        if !known.insert(column.name.to_lowercase()) {
            let reason = format!("two of its columns would be called `{}`", column.name);
            return Err(Error::new(OutputErrorKind::BadColumn, path, reason));
        }
    }
    Ok(())
}

/// The columns of a table that is there as a whole: what their values are is what all of them are.
pub fn columns_of<'v>(
    named: Vec<(String, MeasureKind)>,
    rows: impl IntoIterator<Item = impl AsRef<[Value<'v>]>>,
) -> Vec<RowColumn> {
    let mut kinds: Vec<Option<ColumnKind>> = vec![None; named.len()];
    for row in rows {
        for (kind, value) in kinds.iter_mut().zip(row.as_ref()) {
            *kind = match (*kind, kind_of(value)) {
                (Some(ColumnKind::Number(one)), Some(ColumnKind::Number(other))) => {
                    Some(ColumnKind::Number(one.max(other)))
                }
                (Some(one), Some(other)) if one != other => Some(ColumnKind::Text),
                (one, other) => one.or(other),
            };
        }
    }
    let column = |((name, shown), kind): ((String, MeasureKind), Option<ColumnKind>)| RowColumn {
        name,
        kind: kind.unwrap_or(ColumnKind::Text),
        shown,
    };
    named.into_iter().zip(kinds).map(column).collect()
}

fn kind_of(value: &Value<'_>) -> Option<ColumnKind> {
    match value {
        Value::Blank => None,
        Value::Number(number) => Some(ColumnKind::Number(number.places())),
        Value::Text(_) => Some(ColumnKind::Text),
        Value::Date(_) => Some(ColumnKind::Date),
        Value::Period(period) => Some(ColumnKind::Period(period.unit)),
        Value::YesNo(_) => Some(ColumnKind::YesNo),
    }
}
