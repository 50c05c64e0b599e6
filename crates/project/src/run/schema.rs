//! What is in text outputs, said in a file beside them: `datapackage.json`, in the open form of Data Package and Table
//! Schema (<https://datapackage.org>). Of each column it has the type, the unit and the formula; the last two are
//! properties of our own, which the standard allows.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use interligo_engine::engine::Engine;
use interligo_engine::eval::ExprKind;
use interligo_engine::outputs::{Output, OutputColumn, OutputContent};
use interligo_engine::totals::{MeasureKind, TotalsTable};
use interligo_model::plan::{ColumnType, OutputEntry, Plan};
use interligo_model::reading::date_style::DateStyle;
use interligo_model::reading::style::NumberStyle;
use interligo_model::values::column::ColumnKind;
use interligo_model::values::date::PeriodUnit;
use interligo_sinks::error::{Error as SinkError, OutputErrorKind};
use interligo_sinks::format::RowColumn;
use interligo_sinks::formats::text_separator;
use interligo_sinks::formats::typed::columns_of;
use interligo_sinks::output_file::OutputFile;
use interligo_sinks::raw_lines::type_as_read;
use interligo_sinks::totals::{totals_columns, totals_rows};
use interligo_sources::same_file::real_path;
use interligo_sources::table::parts::Table;
use serde::Serialize;

use super::destination::Destination;
use super::output_plan::OutputPlan;
use super::slots::could_be;
use crate::error::Error;
use crate::outcome::Outcome;
use crate::prepare::Job;
use crate::project::Project;
use crate::runs::is_copy;
use crate::runs::is_record;

/// The name of the file.
const NAME: &str = "datapackage.json";

/// Who wrote it; such a file may be replaced.
const GENERATOR: &str = "Interligo";

#[derive(Serialize)]
struct Package<'a> {
    name: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    title: Option<&'a str>,
    generator: &'static str,
    resources: Vec<Resource>,
}

#[derive(Serialize)]
struct Resource {
    name: String,
    path: Paths,
    format: &'static str,
    mediatype: &'static str,
    encoding: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    compression: Option<&'static str>,
    dialect: Dialect,
    schema: Schema,
}

/// One file, or several with the same columns.
#[derive(Serialize)]
#[serde(untagged)]
enum Paths {
    One(String),
    Several(Vec<String>),
}

#[derive(Serialize)]
struct Dialect {
    delimiter: char,
}

#[derive(Serialize)]
#[serde(rename_all = "camelCase")]
struct Schema {
    fields: Vec<Field>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    primary_key: Vec<String>,
}

/// A column.
#[derive(Clone, Debug, Default, Serialize)]
#[serde(rename_all = "camelCase")]
struct Field {
    name: String,
    #[serde(rename = "type")]
    kind: &'static str,
    #[serde(skip_serializing_if = "Option::is_none")]
    format: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    decimal_char: Option<char>,
    #[serde(skip_serializing_if = "Option::is_none")]
    group_char: Option<char>,
    /// False where a percent sign may follow the number.
    #[serde(skip_serializing_if = "Option::is_none")]
    bare_number: Option<bool>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    true_values: Vec<&'static str>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    false_values: Vec<&'static str>,
    #[serde(skip_serializing_if = "Option::is_none")]
    unit: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    formula: Option<String>,
}

/// How the numbers and days of a text file are written.
struct Style {
    numbers: NumberStyle,
    dates: DateStyle,
    encoding: String,
}

/// The files that describe the text outputs of a run, one for each folder with such.
///
/// # Errors
/// One is there that somebody else made, or it cannot be written.
pub(super) fn schema_files(
    project: &Project,
    job: &Job,
    plan: &OutputPlan,
    outcomes: &[Outcome],
    files: &[OutputFile],
) -> Result<Vec<OutputFile>, Error> {
    let mut folders: BTreeMap<PathBuf, Vec<Resource>> = BTreeMap::new();
    for (fact, outputs) in job.outputs.iter().enumerate() {
        let describer = Describer {
            plan: &project.plan,
            engine: &job.engines[fact],
            fact: project.table(&job.engines[fact].bound.fact.name),
            totals: &outcomes[fact].totals,
        };
        for (number, output) in outputs.iter().enumerate() {
            let Some(destination) = plan.of(fact, number) else { continue };
            if is_record(&output.name) || is_copy(&output.name) {
                continue;
            }
            let own = files.iter().filter_map(OutputFile::target);
            let own = own.filter(|path| {
                could_be(&real_path(&destination.path), path)
                    && (destination.slots().is_empty() || !plan.is_one_file(path))
            });
            let mut by_folder: BTreeMap<&Path, Vec<String>> = BTreeMap::new();
            for path in own {
                if let (Some(folder), Some(name)) = (path.parent(), path.file_name()) {
                    by_folder.entry(folder).or_default().push(name.to_string_lossy().into_owned());
                }
            }
            for (folder, names) in by_folder {
                let resource = describer.resource(output, destination, names);
                folders.entry(folder.to_owned()).or_default().extend(resource);
            }
        }
    }
    let mut described = Vec::new();
    for (folder, resources) in folders.into_iter().filter(|(_, all)| !all.is_empty()) {
        let path = folder.join(NAME);
        refuse_foreign(project, &path)?;
        let package = Package {
            name: lower_name(project.plan.file_stem()),
            title: project.plan.plan.name.as_deref(),
            generator: GENERATOR,
            resources,
        };
        let mut text = serde_json::to_vec_pretty(&package).unwrap_or_default();
        text.push(b'\n');
        let mut file = OutputFile::create(&path, project.plan.file_stem())?;
        file.write(&text)?;
        described.push(file);
    }
    Ok(described)
}

/// Refuses to replace a description that somebody else made.
fn refuse_foreign(project: &Project, path: &Path) -> Result<(), Error> {
    let is_own = |text: Vec<u8>| {
        let value: Option<serde_json::Value> = serde_json::from_slice(&text).ok();
        value.is_some_and(|value| value["generator"] == GENERATOR)
    };
    let is_foreign = std::fs::read(path).is_ok_and(|text| !is_own(text)) && !project.wrote(path);
    match is_foreign {
        true => {
            let reason = "it was not made by Interligo";
            Err(SinkError::new(OutputErrorKind::NotOwn, path, reason).into())
        }
        false => Ok(()),
    }
}

/// A name in the characters that the standard allows.
fn lower_name(name: &str) -> String {
    let fits = |c: char| c.is_ascii_lowercase() || c.is_ascii_digit() || "-_.".contains(c);
    let lower = name.to_lowercase();
    lower.chars().map(|c| if fits(c) { c } else { '-' }).collect()
}

/// Describes the outputs of a fact.
struct Describer<'a> {
    plan: &'a Plan,
    engine: &'a Engine,
    fact: &'a Table,
    totals: &'a [(String, TotalsTable)],
}

impl Describer<'_> {
    /// A text output with its files; none of another form.
    fn resource(
        &self,
        output: &Output,
        destination: &Destination,
        mut names: Vec<String>,
    ) -> Option<Resource> {
        let name = destination.path.to_string_lossy();
        let separator = text_separator(&name)?;
        let entry = self.plan.outputs.get(&output.name).map(|entry| &entry.value);
        let write = entry.and_then(|entry| entry.write.as_ref()).map(toml_ref);
        let delimiter =
            write.and_then(|write| match write.separator.as_ref()?.get_ref().as_str() {
                "tab" => Some('\t'),
                other => other.chars().next(),
            });
        let style = style_of(entry);
        let path = match names.len() {
            1 => Paths::One(names.remove(0)),
            _ => Paths::Several(names),
        };
        let compression = ["gz", "zst"].into_iter().find(|end| name.ends_with(&format!(".{end}")));
        let (fields, primary_key) = self.fields(output, &style)?;
        Some(Resource {
            name: lower_name(&output.name),
            path,
            format: "csv",
            mediatype: "text/csv",
            encoding: style.encoding.clone(),
            compression,
            dialect: Dialect { delimiter: delimiter.unwrap_or(separator) },
            schema: Schema { fields, primary_key },
        })
    }

    fn fields(&self, output: &Output, style: &Style) -> Option<(Vec<Field>, Vec<String>)> {
        match &output.content {
            OutputContent::Lines { columns, .. } => {
                let fields: Vec<Field> =
                    columns.iter().flat_map(|column| self.of_line(column, style)).collect();
                Some((fields, self.key_of(columns)))
            }
            OutputContent::Totals { .. } => {
                let (_, table) = self.totals.iter().find(|(name, _)| *name == output.name)?;
                let columns = columns_of(totals_columns(table), totals_rows(table));
                let field = |column: &RowColumn| self.of_column(column, None, style);
                Some((columns.iter().map(field).collect(), Vec::new()))
            }
            OutputContent::List(..) | OutputContent::Page => None,
        }
    }

    /// The columns that are the key of the fact, where lines are written with all of its own.
    fn key_of(&self, columns: &[OutputColumn]) -> Vec<String> {
        let fact = &self.engine.bound.fact;
        let all = columns.iter().any(|column| matches!(column, OutputColumn::Own));
        let key = fact.key.as_ref().filter(|_| all);
        key.map_or_else(Vec::new, |key| {
            key.columns.iter().map(|column| fact.columns[*column].clone()).collect()
        })
    }

    /// The columns that an output of lines has for one that it asks for.
    fn of_line(&self, column: &OutputColumn, style: &Style) -> Vec<Field> {
        let text = |name: &str| self.of_column(&RowColumn::text(name), None, style);
        match column {
            OutputColumn::Own => {
                let names = self.engine.bound.fact.columns.iter().enumerate();
                names.map(|(at, name)| self.as_read(name, at, style)).collect()
            }
            OutputColumn::Cell { column_name, column } => {
                vec![self.as_read(column_name, *column, style)]
            }
            OutputColumn::Attribute { column_name, link, column } => {
                let lookup = &self.engine.lookups[self.engine.lookup_of(*link)];
                let kind = lookup.held_columns().into_iter().find(|(own, _)| own == column);
                let kind = kind.map_or(ColumnKind::Text, |(_, kind)| kind);
                let own = RowColumn { name: column_name.clone(), kind, shown: MeasureKind::Other };
                vec![self.of_column(&own, None, style)]
            }
            OutputColumn::LinkStatus { column_name, .. }
            | OutputColumn::LinkKey { column_name, .. }
            | OutputColumn::LinkRow { column_name, .. } => vec![text(column_name)],
            OutputColumn::Value { column_name, value, kind, shown, .. } => {
                let formula = match self.engine.value_expr(*value).kind {
                    ExprKind::Figure(figure) => Some(self.engine.formula_of(figure).to_owned()),
                    _ => None,
                };
                let own = RowColumn { name: column_name.clone(), kind: *kind, shown: *shown };
                let is_own = matches!(self.engine.value_expr(*value).kind, ExprKind::Column(_));
                let field = self.of_column(&own, formula, style);
                vec![if is_own && matches!(shown, MeasureKind::Percent(_)) {
                    in_percent(field)
                } else {
                    field
                }]
            }
        }
    }

    /// A column of the fact that passes through.
    fn as_read(&self, name: &str, column: usize, style: &Style) -> Field {
        let mut types = self.fact.parts.iter().map(|part| type_as_read(self.engine, part, column));
        let first = types.next().unwrap_or(ColumnType::Text);
        let ty = if types.all(|ty| ty == first) { first } else { ColumnType::Text };
        let kind = match ty {
            ColumnType::Number | ColumnType::Percent => ColumnKind::Number(2),
            ColumnType::Integer => ColumnKind::Number(0),
            ColumnType::Date => ColumnKind::Date,
            ColumnType::YesNo => ColumnKind::YesNo,
            _ => ColumnKind::Text,
        };
        let own = RowColumn { name: name.to_owned(), kind, shown: MeasureKind::Other };
        let field = self.of_column(&own, None, style);
        if ty == ColumnType::Percent { in_percent(field) } else { field }
    }

    fn of_column(&self, column: &RowColumn, formula: Option<String>, style: &Style) -> Field {
        let mut field = Field { name: column.name.clone(), formula, ..Field::default() };
        match column.kind {
            ColumnKind::Number(places) => {
                field.kind = if places == 0 { "integer" } else { "number" };
                field.decimal_char = Some(style.numbers.decimal).filter(|mark| *mark != '.');
                field.group_char = style.numbers.thousands;
                let is_money = matches!(column.shown, MeasureKind::Money(_));
                field.unit = self.plan.plan.currency.clone().filter(|_| is_money);
            }
            ColumnKind::Date => {
                field.kind = "date";
                let is_usual = style.dates == DateStyle::ISO;
                field.format = style.dates.strftime().filter(|_| !is_usual);
            }
            ColumnKind::YesNo => {
                field.kind = "boolean";
                (field.true_values, field.false_values) = (vec!["yes"], vec!["no"]);
            }
            ColumnKind::Period(PeriodUnit::Month) => field.kind = "yearmonth",
            ColumnKind::Period(PeriodUnit::Year) => field.kind = "year",
            ColumnKind::Period(_) | ColumnKind::Text => field.kind = "string",
        }
        field
    }
}

/// A column whose numbers may have a percent sign.
fn in_percent(field: Field) -> Field {
    Field { kind: "number", bare_number: Some(false), unit: Some("percent".to_owned()), ..field }
}

fn toml_ref<T>(spanned: &toml::Spanned<T>) -> &T {
    spanned.get_ref()
}

/// How an output writes its numbers and days.
fn style_of(entry: Option<&OutputEntry>) -> Style {
    let write = entry.and_then(|entry| entry.write.as_ref()).map(toml_ref);
    let text = |of: Option<&toml::Spanned<String>>| of.map(|text| text.get_ref().clone());
    let numbers = write.and_then(|write| text(write.numbers.as_ref()));
    let dates = write.and_then(|write| text(write.dates.as_ref()));
    let encoding = write.and_then(|write| text(write.encoding.as_ref()));
    Style {
        numbers: numbers.and_then(|sample| NumberStyle::from_sample(&sample)).unwrap_or_default(),
        dates: dates.and_then(|sample| DateStyle::from_sample(&sample)).unwrap_or(DateStyle::ISO),
        encoding: encoding.unwrap_or_else(|| "utf-8".to_owned()),
    }
}
