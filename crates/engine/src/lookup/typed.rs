//! The columns of a lookup: read by their types, or computed from the others.

use rayon::prelude::*;
use std::collections::BTreeMap;

use arrow_array::{Array, StringViewArray};
use interligo_model::place::Place;
use interligo_model::plan::{At, ColumnType, Mistake, MistakeKind};
use interligo_model::reading::column_reader::Reading;
use interligo_model::reading::evidence::Evidence;
use interligo_model::reading::style::Style;
use interligo_model::values::cells::Cells;
use interligo_model::values::column::Column;
use interligo_model::values::value::Value;

use super::{FEW, LookupColumn, RawTable};
use crate::bind::{BoundFormula, BoundLookup, RowNames};
use crate::eval::{Expr, ExprKind, Leaves, Overflow, Type, evaluate, kind_of, type_of};
use crate::proof::doubts::Doubts;

/// The columns of a lookup while they are read.
pub(super) struct Typed {
    pub(super) columns: Vec<LookupColumn>,
    pub(super) unreadable: Vec<Place>,
    pub(super) currencies: Vec<(String, Vec<(String, Place)>)>,
    pub(super) doubts: BTreeMap<usize, Doubts<Place>>,
}

/// A column as it was read.
struct ReadTyped {
    column: LookupColumn,
    unreadable: Vec<Place>,
    currencies: Vec<(String, Place)>,
    /// By part.
    doubts: Vec<Doubts<Place>>,
}

/// Reads the columns that the plan uses, side by side where there are many rows.
pub(super) fn typed(raw: &mut RawTable, bound: &BoundLookup) -> Result<Typed, Mistake> {
    let read = |number: usize| read_column(raw, bound, number);
    let all = 0..bound.columns.len();
    let columns: Vec<Result<ReadTyped, Mistake>> = if raw.rows.len() < FEW {
        all.map(read).collect()
    } else {
        all.into_par_iter().map(read).collect()
    };
    let mut typed = Typed {
        columns: Vec::new(),
        unreadable: Vec::new(),
        currencies: Vec::new(),
        doubts: BTreeMap::new(),
    };
    for column in columns {
        let ReadTyped { column, unreadable, currencies, doubts } = column?;
        for (part, doubts) in doubts.into_iter().enumerate() {
            typed.doubts.entry(part).or_default().absorb(doubts);
        }
        typed.unreadable.extend(unreadable);
        if !currencies.is_empty() {
            typed.currencies.push((column.name.clone(), currencies));
        }
        typed.columns.push(column);
    }
    for (column, mark, place) in std::mem::take(&mut raw.currencies) {
        // Formats of codes and days say nothing of amounts.
        if !matches!(typed.columns[column].column, Some(Column::Number(_))) {
            continue;
        }
        let name = &typed.columns[column].name;
        let at = typed.currencies.iter().position(|(known, _)| known == name);
        let at = at.unwrap_or_else(|| {
            typed.currencies.push((name.clone(), Vec::new()));
            typed.currencies.len() - 1
        });
        let known = &mut typed.currencies[at].1;
        if !known.iter().any(|(own, _)| *own == mark) {
            known.push((mark, place));
        }
    }
    for formula in &bound.formulas {
        let column = compute_column(formula, bound, &typed.columns, raw.rows.len())?;
        let needed = bound.column_use.of(formula.column).and_then(|declared| declared.needed);
        if needed == Some(ColumnType::Date) && !matches!(column, Column::Date(_)) {
            let values = (0..column.len()).map(|row| column.value(row).to_string());
            return Err(TypeMismatch {
                table: bound.name.clone(),
                column: bound.columns[formula.column].clone(),
                wanted: ColumnType::Date,
                example: values.into_iter().find(|text| !text.is_empty()).unwrap_or_default(),
                at: bound.column_use.needed_at(formula.column).map(Box::new),
            }
            .mistake());
        }
        let texts = (0..column.len()).map(|row| column.value(row).to_string());
        raw.columns[formula.column] = StringViewArray::from_iter_values(texts);
        typed.columns[formula.column].column = Some(column);
    }
    Ok(typed)
}

/// Reads one column, if the plan uses it and it is not computed.
fn read_column(raw: &RawTable, bound: &BoundLookup, number: usize) -> Result<ReadTyped, Mistake> {
    let name = &bound.columns[number];
    let held = |column, as_written| LookupColumn { name: name.clone(), column, as_written };
    let computed = bound.formulas.iter().any(|formula| formula.column == number);
    if bound.column_use.of(number).is_none() || computed {
        let column = held(None, true);
        let (unreadable, currencies, doubts) = (Vec::new(), Vec::new(), Vec::new());
        return Ok(ReadTyped { column, unreadable, currencies, doubts });
    }
    let mut evidence = Evidence::default();
    if !bound.column_use.stays_text(number) {
        for (part, style) in raw.slices(number) {
            evidence.add_all(&part, &style.of(number));
        }
    }
    let reading = bound.column_use.reading(number, &evidence).map_err(|wanted| {
        let first = raw
            .slices(number)
            .map(|(part, style)| first_mismatch(&part, &style.of(number), wanted));
        TypeMismatch {
            table: bound.name.clone(),
            column: name.clone(),
            wanted,
            example: first.into_iter().find(|text| !text.is_empty()).unwrap_or_default(),
            at: bound.column_use.needed_at(number).map(Box::new),
        }
        .mistake()
    })?;
    let read = raw.read(number, &reading);
    let doubts = raw.slices(number).zip(&raw.first_rows).map(|((texts, style), first)| {
        let mut doubts = Doubts::default();
        // All values were looked at for their type.
        let reading = Reading { assumed: false, ..reading };
        let place = |row: u32| raw.place(*first as u32 + row);
        let end = *first as u32 + texts.len() as u32;
        let own = read.unreadable.iter().filter(|row| (*first as u32..end).contains(row));
        let own: Vec<u32> = own.map(|row| row - *first as u32).collect();
        doubts.look_at_unreadable(number, &reading, &texts, (style, &own), place);
        doubts.look(number, &reading, &Cells::Texts(texts), style, place);
        doubts
    });
    let doubts = doubts.collect();
    let unreadable = read.unreadable.iter().map(|row| {
        let text = raw.columns[number].value(*row as usize);
        raw.place(*row).cell(name, text)
    });
    let unreadable = unreadable.collect();
    let currencies = read.currencies.into_iter().map(|(mark, row)| (mark, raw.place(row)));
    let currencies = currencies.collect();
    let as_written = reading.column_type == ColumnType::Text
        || (raw.is_plain(number) && reading.column_type != ColumnType::Percent);
    Ok(ReadTyped { column: held(Some(read.column), as_written), unreadable, currencies, doubts })
}

/// Computes a column from the others of its row.
fn compute_column(
    formula: &BoundFormula,
    bound: &BoundLookup,
    columns: &[LookupColumn],
    rows: usize,
) -> Result<Column, Mistake> {
    let leaf = |column: usize| Expr {
        kind: ExprKind::Column(column),
        ty: columns[column].column.as_ref().map_or(Type::Text, type_of),
    };
    let names = RowNames { table: &bound.name, columns: &bound.columns, leaf: &leaf };
    let expr = formula.check(&names)?;
    let values: Result<Vec<Value<'_>>, Overflow> = (0..rows)
        .map(|row| evaluate(&expr, &RowOf { columns, row }).map(Value::into_owned))
        .collect();
    let unfit = |_| {
        formula.written.mistaken(
            MistakeKind::Overflow,
            "a value of this column overflows: it needs more than 38 digits",
        )
    };
    Ok(Column::from_values(kind_of(expr.ty), &values.map_err(unfit)?))
}

/// One row of a lookup, for formulas over its own columns.
pub(crate) struct RowOf<'a> {
    pub(crate) columns: &'a [LookupColumn],
    pub(crate) row: usize,
}

impl Leaves for RowOf<'_> {
    fn column(&self, column: usize) -> Value<'_> {
        self.columns[column].column.as_ref().map_or(Value::Blank, |c| c.value(self.row))
    }
}

/// A column that does not hold what the plan needs it for.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct TypeMismatch {
    /// The table.
    pub table: String,
    /// The column.
    pub column: String,
    /// The type that the plan needs.
    pub wanted: ColumnType,
    /// What it holds instead.
    pub example: String,
    /// Where the plan needs it.
    pub(crate) at: Option<Box<At>>,
}

/// The first text that cannot be read as `wanted`.
pub(crate) fn first_mismatch(texts: &StringViewArray, style: &Style, wanted: ColumnType) -> String {
    let reading = Reading::of(wanted);
    let unreadable = reading.read(texts, style).unreadable;
    unreadable.first().map_or(String::new(), |row| texts.value(*row as usize).to_owned())
}
