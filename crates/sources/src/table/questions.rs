//! Values that can be read in two ways: the run asks, and never guesses.

use std::collections::BTreeMap;

use interligo_engine::bind::ColumnUse;
use interligo_engine::engine::scale_help;
use interligo_engine::proof::doubts::{Doubtful, Doubts};
use interligo_model::plan::{ColumnType, Mistake, MistakeKind, key};
use interligo_model::reading::date_style::DateStyle;
use interligo_model::reading::style::NumberStyle;
use interligo_model::values::amount;

use super::parts::{ColumnSource, Part, Table};
use crate::error::Error;
use crate::table::dialect::Open;

/// Values that can be read in two ways, and what decides.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Question {
    /// The column.
    pub column: String,
    /// What its values are, either way.
    pub column_type: ColumnType,
    /// A value with its readings.
    pub message: String,
    /// The settings of the plan that decide.
    pub fix: String,
    /// Each reading with the line of the table's section that settles it.
    pub settings: Vec<(String, String)>,
}

impl Table {
    /// Refuses values that the plan uses and that have two readings.
    pub fn refuse_open(&self, column_use: &ColumnUse, days: &[usize]) -> Result<(), Error> {
        let used: Vec<usize> = column_use
            .used()
            .filter(|column| !column_use.is_text(*column))
            .chain(days.iter().copied())
            .collect();
        match self.questions(&used).into_iter().next() {
            Some(question) => Err(Mistake::of_plan(MistakeKind::OpenFormat, question.message)
                .help(question.fix)
                .into()),
            None => Ok(()),
        }
    }

    /// What has two readings in some columns.
    pub fn questions(&self, columns: &[usize]) -> Vec<Question> {
        let mut questions = Vec::new();
        for part in &self.parts {
            let asked = [("numbers", &part.found.open_numbers), ("dates", &part.found.open_dates)];
            for (setting, open) in
                asked.iter().flat_map(|(setting, all)| all.iter().map(move |open| (*setting, open)))
            {
                let column = (0..part.sources.len()).find(|column| match &part.sources[*column] {
                    ColumnSource::Field(field) => *field == open.field,
                    ColumnSource::Made(number) => {
                        part.columns.fields(*number).contains(&open.field)
                    }
                    _ => false,
                });
                if let Some(column) = column.filter(|column| columns.contains(column)) {
                    questions.push(self.question(part, setting, open, &self.columns.names[column]));
                }
            }
        }
        questions
    }

    fn question(&self, part: &Part, setting: &str, open: &Open, name: &str) -> Question {
        let [(first, one), (second, other)] = &open.readings;
        let message = if first == second {
            format!(
                "{} writes its {setting} in two ways: `{}` in `{name}`, and others",
                part.name, open.text
            )
        } else {
            format!(
                "`{}` in `{name}` of {} can be read as {first} or as {second}",
                open.text, part.name
            )
        };
        let fix = self.fix(setting, one, other);
        let mut settings = vec![(first, one), (second, other)];
        settings.dedup_by(|a, b| a.1 == b.1);
        let line = |(read, style): (&String, &String)| {
            (format!("it is {read}"), format!("{setting} = \"{style}\""))
        };
        let settings = settings.into_iter().map(line).collect();
        let column_type = if setting == "dates" { ColumnType::Date } else { ColumnType::Number };
        Question { column: name.to_owned(), column_type, message, fix, settings }
    }

    /// Refuses values that contradict what was assumed from a sample of the rows. `place` shows where they are.
    pub fn refuse_doubtful<P: Clone>(
        &self,
        doubts: &BTreeMap<usize, Doubts<P>>,
        place: impl Fn(&P) -> String,
    ) -> Result<(), Error> {
        let open = doubts.iter().find_map(|(part, doubts)| {
            let part = &self.parts[*part];
            Some((part, doubts.left_open(&part.style)?))
        });
        let Some((part, doubtful)) = open else { return Ok(()) };
        let (name, style) = (|column: usize| &self.columns.names[column], part.style.style);
        let (found, setting, readings) = match &doubtful {
            Doubtful::Number(found, rival) => {
                let read = |style: NumberStyle| {
                    let read = amount::read(found.text.trim(), style).map(|a| a.number.to_string());
                    (read.unwrap_or_else(|| "no number".to_owned()), style.to_string())
                };
                (found, "numbers", [read(style.numbers), read(*rival)])
            }
            Doubtful::Date(found, rival) => {
                let read = |style: DateStyle| {
                    let read = style.read(found.text.trim()).map(|day| day.to_string());
                    (read.unwrap_or_else(|| "no day".to_owned()), style.to_string())
                };
                (found, "dates", [read(style.dates), read(*rival)])
            }
            Doubtful::Percent(found) => {
                let column = name(found.column);
                let what = if found.text.contains('%') {
                    "a percent among plain numbers, which may be percents as well or factors"
                } else {
                    "a plain number among percents: it may be a percent as well or a factor"
                };
                let (text, place) = (found.text.trim(), place(&found.place));
                let message = format!("`{text}` in `{column}` of {place} is {what}");
                let help = scale_help(&self.name, column);
                return Err(Mistake::of_plan(MistakeKind::OpenFormat, message).help(help).into());
            }
            Doubtful::Code(found) => {
                let column = name(found.column);
                let message = format!(
                    "`{}` in `{column}` of {} is a code or a number; the first rows have no \
                     leading zeros",
                    found.text.trim(),
                    place(&found.place)
                );
                let (table, column_name) = (key(&self.name), key(column));
                return Err(Mistake::of_plan(MistakeKind::OpenFormat, message)
                    .help(format!(
                        "add {column_name} = {{ type = \"text\" }} or {column_name} = {{ type = \"number\" }} to \
                         [tables.{table}.columns]"
                    ))
                    .into());
            }
        };
        let [(first, one), (second, other)] = readings;
        let message = format!(
            "`{}` in `{}` of {} can be read as {first} or as {second}; the first rows do not settle it",
            found.text.trim(),
            name(found.column),
            place(&found.place)
        );
        Err(Mistake::of_plan(MistakeKind::OpenFormat, message)
            .help(self.fix(setting, &one, &other))
            .into())
    }

    /// The settings that decide between two ways of writing.
    fn fix(&self, setting: &str, one: &str, other: &str) -> String {
        let of_a_part =
            if self.parts.len() > 1 { ", or to a [[part]] of it with this file" } else { "" };
        if one == other {
            return format!(
                "add {setting} = \"{one}\" to [tables.{}]{of_a_part}, if 00 to 68 are after 2000 and 69 to 99 before; or \
                 write years with four digits",
                key(&self.name)
            );
        }
        format!(
            "add {setting} = \"{one}\" or {setting} = \"{other}\" to [tables.{}]{of_a_part}",
            key(&self.name)
        )
    }
}
