//! Totals: as a table for reading, as Markdown and as JSON.

use std::io;

use interligo_engine::totals::{MeasureKind, TotalsRow, TotalsTable, attribute_text};
use interligo_model::formula::total_of_lines;
use interligo_model::values::decimal::Decimal;
use interligo_model::values::value::Value;
use interligo_project::{UnmetCondition, row_labels};

use super::bars::bar;
use super::number::{grouped, rounded};
use super::table::TextTable;
use super::{NOTICE, Out, QUIET, TITLE, argument, counted, note, reaching};

/// How totals are shown, beside what they say.
#[derive(Clone, Debug, Default)]
pub struct TotalsLook<'a> {
    /// What is reported of the lines that the table does not show.
    pub notes: TotalsNotes<'a>,
    /// The currency of the figures.
    pub currency: Option<&'a str>,
    /// The measure that is drawn, by number.
    pub bars: Option<usize>,
}

/// What the table itself does not know of the lines that it does not show.
#[derive(Clone, Copy, Debug, Default)]
pub struct TotalsNotes<'a> {
    /// Lines set aside, which are not among them.
    pub aside: u64,
    /// What the condition asks about, where no line meets it.
    pub unmet: Option<&'a UnmetCondition>,
}

/// A measure as it is shown.
pub(crate) fn measure_of(value: Option<Decimal>, kind: MeasureKind) -> String {
    let Some(value) = value else { return "·".to_owned() };
    match kind {
        MeasureKind::Count => grouped(&value.to_string()),
        MeasureKind::Amount(places) => rounded(value, places.min(2)),
        MeasureKind::Ratio => rounded(value, 4),
        MeasureKind::Money(places) | MeasureKind::Number(places) => rounded(value, places),
        MeasureKind::Percent(places) => match value.checked_mul(Decimal::from(100)) {
            Some(value) => format!("{} %", rounded(value, places)),
            None => value.to_string(),
        },
        MeasureKind::Other => value.to_string(),
    }
}

fn cell(value: &Value<'_>, kind: MeasureKind) -> String {
    match value {
        Value::Blank => "·".to_owned(),
        Value::Number(number) => measure_of(Some(*number), kind),
        other => other.to_string(),
    }
}

/// Prints totals as a table, the whole below, and what is to be said about them.
pub fn totals(out: Out<'_>, table: &TotalsTable, look: &TotalsLook<'_>) -> io::Result<()> {
    let one = table.measures.len() == 1;
    if !table.across.is_empty() {
        let across = table.across.join(", ");
        let what = if one { format!("{}, ", table.measures[0].column_name) } else { String::new() };
        writeln!(out, "{TITLE}{what}across {across}{TITLE:#}")?;
    }
    print_table(out, table, look, "")?;
    for text in left_out(table, look.notes) {
        note(out, NOTICE, "", &text)?;
    }
    remarks(table, look).iter().try_for_each(|text| note(out, QUIET, "", text))
}

/// Prints the table alone, each line after `indent`.
pub fn bare(out: Out<'_>, table: &TotalsTable, indent: &str) -> io::Result<()> {
    print_table(out, table, &TotalsLook::default(), indent)
}

fn print_table(
    out: Out<'_>,
    table: &TotalsTable,
    look: &TotalsLook<'_>,
    indent: &str,
) -> io::Result<()> {
    let scale = look.bars.map(|measure| Scale::of(table, measure));
    let columns = 0..table.columns.len();
    let mut column_names = label_column_names(table);
    let labels_end = column_names.len();
    column_names
        .extend(columns.clone().map(|number| format!(">{}", short_column_name(table, number))));
    column_names.extend(look.bars.map(|measure| bar_column_name(table, measure)));
    let mut shown = TextTable::new(column_names).in_csv();
    // What names a row, what is over all that is across, and bars are shown at any width.
    let over_all =
        |number: &usize| !table.across.is_empty() && table.columns[*number].key.is_none();
    shown.pin(0..labels_end);
    shown.pin(columns.clone().filter(over_all).map(|number| labels_end + number));
    shown.pin(look.bars.map(|_| labels_end + columns.end));
    let cells = |row: &TotalsRow| -> Vec<String> {
        let kind = |number: usize| table.measures[table.columns[number].measure].kind;
        columns.clone().map(|number| cell(&row.values[number], kind(number))).collect()
    };
    let leveled = table.levels.len() > 1;
    if !table.by.is_empty() {
        for row in &table.rows {
            let bar = scale.as_ref().map(|scale| scale.bar(row));
            shown.row(labels(table, row).into_iter().chain(cells(row)).chain(bar));
            if leveled && row.level == 0 {
                shown.emphasize();
            }
        }
    }
    let mut whole = vec![String::new(); label_column_names(table).len()];
    if let Some(first) = whole.first_mut() {
        *first = "all".to_owned();
    }
    let whole = whole.into_iter().chain(cells(&table.whole));
    if shown.is_empty() {
        shown.row(whole)
    } else {
        shown.sum(whole)
    }
    shown.print(out, indent)
}

/// The column names of what names a row. Levels share a column, each a little further in.
pub(crate) fn label_column_names(table: &TotalsTable) -> Vec<String> {
    if table.levels.len() < 2 {
        return table.by.clone();
    }
    let mut at = 0;
    let level = |count: &usize| {
        at += count;
        table.by[at - count..at].join(", ")
    };
    vec![table.levels.iter().map(level).collect::<Vec<_>>().join(" > ")]
}

pub(crate) fn labels(table: &TotalsTable, row: &TotalsRow) -> Vec<String> {
    let labels = row_labels(table, row, |value| attribute_text(value));
    if table.levels.len() < 2 {
        return labels;
    }
    let before: usize = table.levels[..row.level].iter().sum();
    let own = &labels[before..before + table.levels[row.level]];
    let own: Vec<&str> = own.iter().map(String::as_str).filter(|own| !own.is_empty()).collect();
    vec![format!("{}{}", "  ".repeat(row.level), own.join(", "))]
}

/// The column name of a column where a single measure is reported above the table.
pub(crate) fn short_column_name(table: &TotalsTable, number: usize) -> String {
    let column = &table.columns[number];
    if table.across.is_empty() || table.measures.len() > 1 {
        return table.column_name_of(column);
    }
    match &column.key {
        None => "all".to_owned(),
        Some(key) => key.iter().map(|v| attribute_text(v)).collect::<Vec<_>>().join(" "),
    }
}

/// What bars are drawn of, where it is not the only thing that is shown.
fn bar_column_name(table: &TotalsTable, measure: usize) -> String {
    match table.measures.len() {
        1 => String::new(),
        _ => table.measures[measure].column_name.chars().take(BAR).collect(),
    }
}

/// How wide the longest bar is.
const BAR: usize = 24;

/// What bars are measured by: the largest value of a column.
struct Scale {
    column: usize,
    largest: Decimal,
}

impl Scale {
    fn of(table: &TotalsTable, measure: usize) -> Scale {
        let over_all = |c: &interligo_engine::totals::TotalsColumn| c.key.is_none();
        let column = table.columns.iter().position(|c| over_all(c) && c.measure == measure);
        let column = column.unwrap_or(0);
        let rows = table.rows.iter().filter(|row| row.rest.is_none());
        let sizes = rows.filter_map(|row| row.values[column].number()?.checked_abs());
        Scale { column, largest: sizes.max().unwrap_or(Decimal::ZERO) }
    }

    fn bar(&self, row: &TotalsRow) -> String {
        // What brings many groups together would dwarf all others.
        let number = row.values[self.column].number().filter(|_| row.rest.is_none());
        number.map_or(String::new(), |number| bar(number, self.largest, BAR))
    }
}

/// What is to be known about a table, in words.
fn remarks(table: &TotalsTable, look: &TotalsLook<'_>) -> Vec<String> {
    let mut notes = Vec::new();
    if let Some(by) = &table.sorted_by {
        notes.push(format!("Sorted by {by}, the largest first."));
    }
    for measure in table.measures.iter().filter(|measure| measure.amount_as_ratio) {
        notes.push(format!(
            "{0} divides by an amount, so its totals are computed from totals. If its lines should be added up instead, set \
             totals = \"sum\" for the figure; otherwise totals = \"again\".",
            measure.column_name
        ));
    }
    let adding = table.adding_up();
    if table.rows.len() > 1 && !adding.is_empty() {
        let names: Vec<&str> =
            adding.iter().map(|measure| table.measures[*measure].column_name.as_str()).collect();
        notes.push(format!("Checked: the rows add up to the total of {}.", names.join(", ")));
    }
    let rounds = |value: &Value<'_>| value.number().is_some_and(|v| v.trimmed(0).places() > 2);
    if table.rows.iter().any(|row| row.values.iter().any(rounds)) {
        notes.push("Shown rounded; --format csv has every digit.".to_owned());
    }
    let money = |kind| matches!(kind, MeasureKind::Amount(_) | MeasureKind::Money(_));
    if table.measures.iter().any(|measure| money(measure.kind)) {
        notes.extend(look.currency.map(|currency| format!("Money is in {currency}.")));
    }
    notes
}

/// What to do where no line meets a condition, as the end of a sentence.
fn advice(UnmetCondition { table, column, near }: &UnmetCondition) -> String {
    match near {
        Some((text, near)) => format!(": `{column}` has no '{text}', but '{near}'"),
        None => format!(
            ": `interligo look {} --column {}` shows its values",
            argument(table),
            argument(column)
        ),
    }
}

/// The lines that a table does not show, in words.
pub(crate) fn left_out(
    table: &TotalsTable,
    TotalsNotes { aside, unmet }: TotalsNotes<'_>,
) -> Vec<String> {
    let mut notes = Vec::new();
    // Measures that leave out the same number of lines share a note.
    let mut told: Vec<(u64, u64)> = Vec::new();
    for measure in table.measures.iter().filter(|measure| measure.left_out > 0) {
        let same = (measure.left_out, measure.of_lines);
        if told.contains(&same) {
            continue;
        }
        told.push(same);
        let all = table.measures.iter().filter(|other| (other.left_out, other.of_lines) == same);
        let names: Vec<&str> = all.map(|other| other.column_name.as_str()).collect();
        let verbs = if measure.left_out == 1 { ("has", "is") } else { ("have", "are") };
        notes.push(format!(
            "{}: {} of {} {} no value and {} left out; `interligo trace --total {}` shows why.",
            names.join(", "),
            grouped(&measure.left_out.to_string()),
            counted(measure.of_lines, "line"),
            verbs.0,
            verbs.1,
            argument(&total_of_lines(&measure.name)),
        ));
    }
    if table.filtered > 0 {
        let all = counted(table.lines + table.filtered, "line");
        notes.push(match table.lines {
            0 => format!(
                "None of {all} meets the condition{}.",
                unmet.map(advice).unwrap_or_default()
            ),
            1 => format!("1 of {all} meets the condition."),
            more => format!("{} of {all} meet the condition.", grouped(&more.to_string())),
        });
    }
    if aside > 0 {
        notes.push(format!("{} set aside and not counted here.", counted(aside, "line")));
    }
    notes
}

/// What a table that goes to another program does not show, in lines.
pub fn not_shown(table: &TotalsTable, notes: TotalsNotes<'_>) -> Vec<String> {
    let notes = left_out(table, notes).into_iter();
    notes.map(|note| format!("{NOTICE}{}{NOTICE:#}", reaching(&note))).collect()
}

/// Prints totals as a table of Markdown, with every digit.
pub fn totals_markdown(out: Out<'_>, table: &TotalsTable) -> io::Result<()> {
    let escaped = |text: &str| text.replace('|', "\\|");
    let labels: Vec<String> = label_column_names(table);
    let values = table.columns.iter().map(|column| table.column_name_of(column));
    let column_names: Vec<String> =
        labels.iter().cloned().chain(values).map(|h| escaped(&h)).collect();
    writeln!(out, "| {} |", column_names.join(" | "))?;
    let rules = (0..column_names.len()).map(|at| if at < labels.len() { "---" } else { "---:" });
    writeln!(out, "| {} |", rules.collect::<Vec<_>>().join(" | "))?;
    for row in &table.rows {
        // Markdown drops blanks at the start of a cell.
        let label = |label: String| escaped(&label.replace("  ", "\u{2003}"));
        let own = self::labels(table, row).into_iter().map(label);
        let cells = own.chain(row.values.iter().map(|value| escaped(&value.to_string())));
        writeln!(out, "| {} |", cells.collect::<Vec<_>>().join(" | "))?;
    }
    let mut whole = vec![String::new(); labels.len()];
    if let Some(first) = whole.first_mut() {
        *first = "**all**".to_owned();
    }
    let bold = |value: &Value<'_>| match value {
        Value::Blank => String::new(),
        value => format!("**{}**", escaped(&value.to_string())),
    };
    let cells = whole.into_iter().chain(table.whole.values.iter().map(bold));
    writeln!(out, "| {} |", cells.collect::<Vec<_>>().join(" | "))
}
