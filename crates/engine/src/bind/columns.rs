//! The columns of a table by their names in the plan, and what the plan says of each.

use std::collections::{BTreeMap, BTreeSet};

use interligo_model::plan::{
    ColumnEntry, ColumnType, Columns, Entry, InOrder, Mistake, MistakeKind, Plan, TableEntry,
};
use interligo_model::reading::date_style::DateStyle;
use interligo_model::reading::style::{NumberStyle, Way};
use interligo_model::values::decimal::Decimal;
use unicode_normalization::UnicodeNormalization;

use super::DeclaredColumn;

/// The columns of one table.
#[derive(Clone, Debug, Default)]
pub struct TableColumns {
    /// Their names, in order: those of the parts, then the slots of the file name.
    pub names: Vec<String>,
    /// Which of them come from slots, or are one text in all rows of a part.
    pub slots: BTreeSet<usize>,
}

/// The columns of all tables that are in use, by table.
#[derive(Clone, Debug, Default)]
pub struct ColumnNames(pub BTreeMap<String, TableColumns>);

impl ColumnNames {
    /// The names of a table's columns; none for a table that was not opened.
    pub fn columns(&self, table: &str) -> &[String] {
        self.0.get(table).map_or(&[], |columns| &columns.names)
    }
}

/// The names of a part's columns: its column names, renamed by the plan.
///
/// A column without a name is `column_3`; of equal names the later ones get `_2`, `_3`, and are
/// listed in the second result.
pub fn name_columns(columns: &Columns<'_>, column_names: &[String]) -> (Vec<String>, Vec<String>) {
    let mut names: Vec<String> = Vec::with_capacity(column_names.len());
    let mut known: BTreeSet<String> = BTreeSet::new();
    let mut counts: BTreeMap<String, u32> = BTreeMap::new();
    let mut repeated = Vec::new();
    for (position, column_name) in column_names.iter().enumerate() {
        let column_name: String = column_name.trim().nfc().collect();
        let column_name =
            if column_name.is_empty() { format!("column_{}", position + 1) } else { column_name };
        let renamed = columns.get(&column_name).and_then(|column| column.value.name.as_ref());
        let base = renamed.map_or(column_name, |name| name.get_ref().nfc().collect());
        let count = counts.entry(base.clone()).or_insert(1);
        let mut name = base.clone();
        while known.contains(&name) {
            *count += 1;
            name = format!("{base}_{count}");
        }
        if *count > 1 {
            repeated.push(base);
        }
        known.insert(name.clone());
        names.push(name);
    }
    (names, repeated)
}

/// What an entry says of how its values are written.
fn way(plan: &Plan, column: &ColumnEntry) -> Result<Way, Mistake> {
    let mut way = Way::default();
    if let Some(scale) = &column.scale {
        match Decimal::parse(scale.get_ref().0.as_bytes()) {
            Some(value) if !value.is_zero() => way.scale = Some(value.trimmed(0)),
            _ => {
                let message = format!("`{}` is no number to multiply by", scale.get_ref().0);
                return Err(Mistake::in_plan(MistakeKind::WrongValue, scale.span(), message)
                    .help("write for instance `scale = 0.01`"));
            }
        }
    }
    if let Some(like) = &column.like {
        way.numbers = NumberStyle::from_sample(like.get_ref());
        way.dates = DateStyle::from_sample(like.get_ref());
        if way.numbers.is_none() && way.dates.is_none() {
            let message = format!(
                "`{}` shows neither how 1234.56 nor how the 31st of December 2025 is written",
                like.get_ref()
            );
            return Err(plan
                .written(like)
                .mistaken(MistakeKind::ConflictingSettings, message)
                .help("write for instance like = \"1.234,56\" or like = \"31/12/2025\""));
        }
    }
    Ok(way)
}

/// How the columns of some files are written, as far as it is reported of the column: by name.
///
/// # Errors
/// A scale that is no number, a format sample that shows nothing.
pub fn ways(plan: &Plan, columns: &Columns<'_>) -> Result<BTreeMap<String, Way>, Mistake> {
    let mut ways: BTreeMap<String, Way> = BTreeMap::new();
    for entry in columns.0.iter().copied().flatten() {
        let found = way(plan, &entry.value)?;
        if found != Way::default() {
            let name = entry.value.name(&entry.name).nfc().collect();
            let nearest = ways.entry(name).or_default();
            *nearest = nearest.or(found);
        }
    }
    Ok(ways)
}

/// What the plan says of a table's columns, by their position.
///
/// # Errors
/// A column name that no part has, a scale that is no number, types that contradict each other.
pub(super) fn declared_columns(
    plan: &Plan,
    entry: &TableEntry,
    columns: &[String],
) -> Result<BTreeMap<usize, DeclaredColumn>, Mistake> {
    let mut declared: BTreeMap<usize, DeclaredColumn> = BTreeMap::new();
    let parts = entry.part.iter().map(|part| &part.get_ref().columns);
    let formula = parts.clone().flatten().find_map(|column| column.value.formula.as_ref());
    if let Some(formula) = formula {
        return Err(plan
            .written(formula)
            .mistaken(
                MistakeKind::WrongPlace,
                "a column is computed for the whole table, not for one [[part]]",
            )
            .help("write the formula in the `columns` of the table"));
    }
    refuse_two_units(plan, parts.clone())?;
    for entry in [&entry.columns].into_iter().chain(parts).flatten() {
        let name: String = entry.value.name(&entry.name).nfc().collect();
        let Some(position) = columns.iter().position(|column| *column == name) else {
            return Err(unknown_column_name(plan, entry, columns));
        };
        let way = way(plan, &entry.value)?;
        let column = declared.entry(position).or_default();
        match (column.declared, entry.value.column_type) {
            (Some(first), Some(second)) if kind(first) != kind(second) => {
                return Err(Mistake::in_plan(
                    MistakeKind::ConflictingSettings,
                    entry.name_span.clone(),
                    format!("the [[part]]s give `{name}` types that cannot be combined"),
                )
                .help("text, numbers, dates and yes-no cannot be stacked in one column"));
            }
            (known, further) => column.declared = known.or(further),
        }
        column.way = column.way.or(way);
    }
    declared.retain(|_, column| *column != DeclaredColumn::default());
    Ok(declared)
}

/// A column that is percents in one part and scaled in another has two units, one of which is not meant.
fn refuse_two_units<'p>(
    plan: &Plan,
    parts: impl Iterator<Item = &'p InOrder<ColumnEntry>>,
) -> Result<(), Mistake> {
    let mut units: BTreeMap<String, (bool, bool)> = BTreeMap::new();
    for column in parts.flatten() {
        let name: String = column.value.name(&column.name).nfc().collect();
        let scaled = column.value.scale.is_some();
        let percent = column.value.column_type == Some(ColumnType::Percent) && !scaled;
        let unit = units.entry(name.clone()).or_default();
        *unit = (unit.0 | percent, unit.1 | scaled);
        if *unit == (true, true) {
            let message =
                format!("`{name}` is a percent in one [[part]] and has a `scale` in another");
            return Err(plan
                .written_at(&column.name, column.name_span.clone())
                .mistaken(MistakeKind::ConflictingSettings, message)
                .help("write the same in both: percent, or the same `scale`"));
        }
    }
    Ok(())
}

/// Types of one kind can be stacked.
fn kind(column_type: ColumnType) -> u8 {
    match column_type {
        ColumnType::Text => 0,
        ColumnType::Integer | ColumnType::Number | ColumnType::Percent => 1,
        ColumnType::Date => 2,
        ColumnType::YesNo => 3,
    }
}

fn unknown_column_name(plan: &Plan, declared: &Entry<ColumnEntry>, columns: &[String]) -> Mistake {
    plan.written_at(&declared.name, declared.name_span.clone())
        .mistaken(
            MistakeKind::UnknownName,
            format!("no file of the table has a column `{}`", declared.name),
        )
        .nearest(&declared.name, columns.iter().map(String::as_str))
}

#[cfg(test)]
mod tests {
    use super::*;
    use interligo_model::plan::Plan;

    #[test]
    fn column_names_become_names() {
        let plan = Plan::parse(
            "[tables.sales]\nfrom = 'a.csv'\n[tables.sales.columns]\n'Disc. %' = { name = 'discount' }",
        )
        .unwrap();
        let entry = &plan.tables.get("sales").unwrap().value;
        let columns = Columns(vec![&entry.columns]);
        let column_names =
            ["item", "", "Disc. %", "item", " Cafe\u{301} ", "item"].map(str::to_owned);
        let (names, repeated) = name_columns(&columns, &column_names);
        assert_eq!(names, ["item", "column_2", "discount", "item_2", "Café", "item_3"]);
        assert_eq!(repeated, ["item", "item"]);
    }
}
