//! The columns of a part: its column names, renamed by the plan, and those made of several.

use std::collections::BTreeSet;

use interligo_model::pattern::NamePattern;
use interligo_model::plan::{Entry, Files, InOrder, Mistake, MistakeKind, Plan, Unpack, listed};
use toml::Spanned;

use super::tall::Group;
use super::{Name, RowFilter, Tall, Unpacking};
use crate::bind::name_columns;

/// Where a part has a column from.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum From {
    /// A field of its rows.
    Field(usize),
    /// Several fields, which became rows; the number of the column of values.
    Tall(usize),
    /// What a slot in their column names represents.
    TallSlot(usize),
    /// The count of unpacked values.
    Position,
}

/// The columns of a part, in their order.
#[derive(Clone, Debug, Default)]
pub struct PartColumns {
    /// Their names in the plan.
    pub names: Vec<String>,
    /// Where each comes from.
    pub from: Vec<From>,
    /// Column names that are in the part more than once.
    pub repeated: Vec<String>,
    /// Which rows are left out.
    pub filter: Option<RowFilter>,
    /// Columns that become rows.
    pub tall: Option<Tall>,
    /// Cells with several values.
    pub unpacking: Option<Unpacking>,
}

/// A pattern of column names, with the column that takes the values.
struct TallPattern<'a> {
    entry: &'a Entry<String>,
    pattern: NamePattern,
    value: usize,
}

impl PartColumns {
    /// The columns of a part with these column names. `empty` says which fields have neither a column name nor
    /// a value: they are no columns. `named` are the columns that the plan names.
    ///
    /// # Errors
    /// What the plan says of the part's shape does not go with its column names.
    pub fn new(
        plan: &Plan,
        files: &Files<'_>,
        column_names: &[String],
        empty: &[bool],
        named: &BTreeSet<String>,
    ) -> Result<PartColumns, Mistake> {
        let (names, repeated) = name_columns(&files.columns, column_names);
        let mut part = PartColumns { repeated, ..PartColumns::default() };
        if let Some(written) = files.leave_out_rows {
            let shown = name_columns(&Default::default(), column_names).0;
            part.filter = Some(RowFilter::new(&plan.written(written), &shown)?);
        }
        let mut taken = vec![false; column_names.len()];
        let mut made: Vec<(String, From)> = Vec::new();
        if let Some(tall) = files.tall {
            let (tall, columns) = tall_columns(tall, column_names, named)?;
            for field in tall.groups.iter().flat_map(|group| group.fields.iter().flatten()) {
                taken[*field] = true;
            }
            part.tall = Some(tall);
            made = columns;
        }
        for (field, name) in names.into_iter().enumerate() {
            if !taken[field] && !empty.get(field).copied().unwrap_or(false) {
                part.names.push(name);
                part.from.push(From::Field(field));
            }
        }
        for (name, from) in made {
            part.add(name, from, files.tall.map(Spanned::span))?;
        }
        if let Some(unpack) = files.unpack {
            part.unpack(unpack)?;
        }
        Ok(part)
    }

    fn add(
        &mut self,
        name: String,
        from: From,
        span: Option<std::ops::Range<usize>>,
    ) -> Result<(), Mistake> {
        if self.names.contains(&name) {
            let message = format!("there is a column `{name}` already");
            let mistake = match span {
                Some(span) => Mistake::in_plan(MistakeKind::DuplicateName, span, message),
                None => Mistake::of_plan(MistakeKind::DuplicateName, message),
            };
            return Err(mistake.help("give the new column another name"));
        }
        self.names.push(name);
        self.from.push(from);
        Ok(())
    }

    fn unpack(&mut self, unpack: &Spanned<Unpack>) -> Result<(), Mistake> {
        let (entry, span) = (unpack.get_ref(), unpack.span());
        let wrong =
            |message: &str| Mistake::in_plan(MistakeKind::WrongValue, unpack.span(), message);
        if entry.separator.trim().is_empty() && entry.separator != "\n" {
            return Err(wrong("`separator` is what separates two values")
                .help("write for instance separator = \"|\""));
        }
        if entry.columns.get_ref().is_empty() {
            return Err(wrong("`columns` names no column").help("name those with several values"));
        }
        let position = |name: &str, span| {
            self.names.iter().position(|own| own == name).ok_or_else(|| {
                Mistake::in_plan(
                    MistakeKind::UnknownName,
                    span,
                    format!("the file has no column `{name}` to unpack"),
                )
                .nearest(name, self.names.iter().map(String::as_str))
            })
        };
        let columns = entry.columns.get_ref().iter();
        let columns = columns.map(|name| position(name, entry.columns.span()));
        let columns = columns.collect::<Result<Vec<_>, _>>()?;
        let once = entry.once.iter().map(|name| position(name.get_ref(), name.span()));
        let once = once.collect::<Result<Vec<_>, _>>()?;
        if let Some(name) = &entry.position {
            self.add(name.clone(), From::Position, Some(span))?;
        }
        self.unpacking = Some(Unpacking {
            columns,
            separator: entry.separator.clone(),
            position: entry.position.as_ref().map(|_| self.names.len() - 1),
            once,
        });
        Ok(())
    }

    /// The fields that hold the values of a column.
    pub fn fields(&self, column: usize) -> Vec<usize> {
        match (self.from[column], &self.tall) {
            (From::Field(field), _) => vec![field],
            (From::Tall(value), Some(tall)) => tall.fields(value).collect(),
            _ => Vec::new(),
        }
    }

    /// Whether a value of a column is on every row that is made of a row, so that a sum has it more
    /// than once.
    pub fn repeats(&self, column: usize) -> bool {
        let tall = self.tall.is_some() && matches!(self.from[column], From::Field(_));
        let unpacked = self.unpacking.as_ref().is_some_and(|u| u.part_of(column).is_none());
        tall || unpacked
    }

    /// What stands between the values of a field's cells, where they are unpacked.
    pub fn separator_in(&self, field: usize) -> Option<&str> {
        let unpacking = self.unpacking.as_ref()?;
        let unpacked = unpacking.columns.iter().any(|column| self.fields(*column).contains(&field));
        unpacked.then_some(&unpacking.separator)
    }
}

/// The groups of a part's fields that become rows, and the columns that come of them.
fn tall_columns(
    tall: &Spanned<InOrder<String>>,
    column_names: &[String],
    named: &BTreeSet<String>,
) -> Result<(Tall, Vec<(String, From)>), Mistake> {
    let mut values: Vec<String> = Vec::new();
    let mut patterns: Vec<TallPattern<'_>> = Vec::new();
    for entry in tall.get_ref() {
        let wrong = |message: String| {
            Mistake::in_plan(MistakeKind::WrongValue, entry.name_span.clone(), message)
        };
        let pattern = NamePattern::parse(&entry.name).map_err(|error| wrong(error.to_string()))?;
        if pattern.slots().next().is_none() {
            return Err(wrong(format!("`{}` has no slot in braces", entry.name))
                .help("write for instance \"price_{year}\": the part in braces becomes a column"));
        }
        if let Some(first) = patterns.first()
            && !first.pattern.slots().eq(pattern.slots())
        {
            return Err(wrong(format!(
                "`{}` has other slots than `{}`",
                entry.name, first.entry.name
            ))
            .help("patterns of one table share their slots: their values go into one row"));
        }
        let value = values.iter().position(|value| *value == entry.value).unwrap_or_else(|| {
            values.push(entry.value.clone());
            values.len() - 1
        });
        patterns.push(TallPattern { entry, pattern, value });
    }
    let mut groups: Vec<Group> = Vec::new();
    for (field, column_name) in column_names.iter().enumerate() {
        let column_name = column_name.trim();
        let fit = patterns.iter().find_map(|tall| {
            // A slot alone fits every column name; those that the plan names are not meant.
            let meant = !tall.pattern.fits_all() || !named.contains(column_name);
            let slots = tall.pattern.fit(column_name).filter(|_| meant)?;
            Some((slots.iter().map(|s| Name::from(s.as_str())).collect::<Vec<_>>(), tall))
        });
        let Some((slots, tall)) = fit else { continue };
        let group = match groups.iter().position(|group| group.slots == slots) {
            Some(group) => &mut groups[group],
            None => {
                groups.push(Group { slots, fields: vec![None; values.len()] });
                groups.last_mut().expect("one was just added")
            }
        };
        if group.fields[tall.value].replace(field).is_some() {
            let message = format!(
                "two columns give the same row a `{}`; the second is `{column_name}`",
                tall.entry.value
            );
            return Err(Mistake::in_plan(
                MistakeKind::DuplicateName,
                tall.entry.name_span.clone(),
                message,
            )
            .help("name another column for one of the patterns"));
        }
    }
    if groups.is_empty() {
        let patterns: Vec<&str> = patterns.iter().map(|tall| tall.entry.name.as_str()).collect();
        let message = format!("no column matches {}", patterns.join(" or "));
        return Err(Mistake::in_plan(MistakeKind::UnknownName, tall.span(), message)
            .help(format!("the file has {}", listed(column_names))));
    }
    let slots = patterns
        .first()
        .map_or_else(Vec::new, |tall| tall.pattern.slots().map(str::to_owned).collect::<Vec<_>>());
    let slots = slots.into_iter().enumerate().map(|(number, name)| (name, From::TallSlot(number)));
    let values = values.into_iter().enumerate().map(|(number, name)| (name, From::Tall(number)));
    Ok((Tall { groups }, slots.chain(values).collect()))
}

#[cfg(test)]
mod tests {
    use super::*;
    use arrow_array::StringViewArray;

    fn part(table: &str, column_names: &[&str]) -> Result<PartColumns, String> {
        let plan =
            Plan::parse(&format!("[tables.t]\nfrom = 'a.csv'\nkey = 'sku'\n{table}")).unwrap();
        let column_names: Vec<String> = column_names.iter().map(|h| h.to_string()).collect();
        let files = plan.files(plan.tables.get("t").unwrap()).unwrap();
        PartColumns::new(&plan, &files[0], &column_names, &[], &plan.named_columns("t"))
            .map_err(|mistake| mistake.message)
    }

    fn rows(part: &PartColumns, cells: &[&[&str]]) -> Vec<Vec<String>> {
        let field = |field: usize| {
            StringViewArray::from(cells.iter().map(|row| row[field]).collect::<Vec<_>>())
        };
        let made = part.make(cells.len(), field);
        let row = |row| made.columns.iter().map(|c| c.value(row).to_owned()).collect();
        (0..made.origin.len()).map(row).collect()
    }

    #[test]
    fn columns_become_rows() {
        let part = part(
            "tall = { 'price_{year}' = 'price', 'cost_{year}' = 'cost' }",
            &["price_2024", "sku", "price_2025", "cost_2025"],
        )
        .unwrap();
        assert_eq!(part.names, ["sku", "year", "price", "cost"]);
        assert_eq!(
            rows(&part, &[&["1", "A", "2", "3"], &["", "B", "a long text of its own", "5"]]),
            [
                ["A", "2024", "1", ""],
                ["A", "2025", "2", "3"],
                ["B", "2024", "", ""],
                ["B", "2025", "a long text of its own", "5"],
            ]
        );
    }

    #[test]
    fn a_slot_alone_takes_the_column_names_that_the_plan_does_not_name() {
        let part = part(
            "tall = { '{region}' = 'price' }\ncolumns = { 'Name' = { name = 'name' } }",
            &["sku", "Name", "North", "South"],
        )
        .unwrap();
        assert_eq!(part.names, ["sku", "name", "region", "price"]);
        assert_eq!(
            rows(&part, &[&["A", "x", "1", "2"]]),
            [["A", "x", "North", "1"], ["A", "x", "South", "2"]]
        );
    }

    #[test]
    fn unpacked_rows_repeat_the_rest_but_not_what_is_meant_once() {
        let part = part(
            "unpack = { columns = ['sku', 'n'], separator = '|', position = 'no', once = ['freight'] }",
            &["order", "sku", "n", "freight"],
        )
        .unwrap();
        assert_eq!(part.names, ["order", "sku", "n", "freight", "no"]);
        assert_eq!(
            rows(&part, &[&["7", "A|B", "1|2", "9.5"], &["8", "A|B", "1", "4"]]),
            [["7", "A", "1", "9.5", "1"], ["7", "B", "2", "", "2"]]
        );
    }

    #[test]
    fn what_does_not_go_with_the_column_names_is_refused() {
        for (table, message) in [
            ("tall = { 'price' = 'p' }", "`price` has no slot in braces"),
            ("tall = { 'p_{y}' = 'p', 'c_{z}' = 'c' }", "`c_{z}` has other slots than `p_{y}`"),
            ("tall = { 'p_{y}' = 'p' }", "no column matches p_{y}"),
            ("tall = { 'q_{y}' = 'sku' }", "there is a column `sku` already"),
            (
                "unpack = { columns = ['x'], separator = '|' }",
                "the file has no column `x` to unpack",
            ),
            ("unpack = { columns = [], separator = '|' }", "`columns` names no column"),
            (
                "unpack = { columns = ['sku'], separator = '' }",
                "`separator` is what separates two values",
            ),
        ] {
            assert_eq!(part(table, &["sku", "q_1"]).unwrap_err(), message, "{table}");
        }
    }
}
