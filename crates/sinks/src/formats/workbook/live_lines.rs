//! A sheet of lines whose figures stay live: which of its cells are formulas, and what is beside the columns asked for.
//!
//! Attributes are taken from the sheets of the lookups by the row that a link matched. The rows themselves are values: how
//! a key is matched is no business of a spreadsheet.

use std::collections::BTreeMap;

use interligo_engine::engine::Engine;
use interligo_engine::eval::{Expr, ExprKind, Type};
use interligo_engine::outputs::OutputColumn;
use interligo_engine::totals::MeasureKind;
use interligo_model::values::column::Column;
use rust_xlsxwriter::{Worksheet, XlsxError};

use super::cell::Cell;
use super::cell_formula::{CellFormula, Term, cell_token, column_name, sheet_name, term};
use super::lookup_sheet::LookupSheet;
use crate::format::LinesShape;

/// What is live in a sheet of lines.
pub(super) struct LiveColumns {
    /// Of each column its formula; none of one that holds values.
    pub(super) formulas: Vec<Option<CellFormula>>,
    /// The columns by which totals are grouped; each has one behind all others, of what its cells are compared by.
    pub(super) groups: Vec<usize>,
    /// The first of the columns that are collapsed.
    pub(super) collapsed: usize,
    /// Of each column with a formula how many cells hold values.
    pub(super) kept: Vec<u64>,
}

/// A sheet of lines as formulas of other sheets see it.
pub(super) struct LinesSheet {
    pub(super) name: String,
    /// What its columns are, those that have a formula or are read.
    pub(super) values: Vec<(Expr, usize)>,
    /// By column, the one of what its cells are compared by.
    pub(super) groups: BTreeMap<usize, usize>,
    pub(super) rows: u32,
    /// By column, how many numbers are kept as texts, which no sum takes in.
    pub(super) as_text: Vec<u64>,
}

impl LiveColumns {
    /// What is live in a sheet with these columns, beside the sheets of lookups.
    pub(super) fn new(
        shape: &LinesShape<'_>,
        lookups: &BTreeMap<usize, LookupSheet>,
    ) -> LiveColumns {
        let engine = shape.engine;
        let live = shape.live.cloned().unwrap_or_default();
        let maker = Maker { shape, lookups, engine };
        let formulas = shape.columns.iter().map(|column| {
            let text = match column {
                OutputColumn::LinkRow { link, .. } => maker.chained_row(*link)?,
                OutputColumn::Value { value, .. } => maker.value(engine.value_expr(*value))?,
                _ => return None,
            };
            CellFormula::new(&text)
        });
        let is_row = |column: &OutputColumn| matches!(column, OutputColumn::LinkRow { .. });
        let rows = shape.columns[live.asked..].iter().take_while(|column| is_row(column)).count();
        LiveColumns {
            formulas: formulas.collect(),
            groups: live.groups,
            collapsed: live.asked + rows,
            kept: vec![0; shape.columns.len()],
        }
    }

    /// As formulas of other sheets see it.
    pub(super) fn sheet(&self, name: &str, shape: &LinesShape<'_>) -> LinesSheet {
        let value = |(at, column): (usize, &OutputColumn)| match column {
            OutputColumn::Value { value, .. } => {
                Some((shape.engine.value_expr(*value).clone(), at))
            }
            _ => None,
        };
        let columns = shape.columns.len();
        let behind = self.groups.iter().enumerate();
        LinesSheet {
            name: name.to_owned(),
            values: shape.columns.iter().enumerate().filter_map(value).collect(),
            groups: behind.map(|(number, column)| (*column, columns + number)).collect(),
            rows: 0,
            as_text: vec![0; columns],
        }
    }

    /// Collapses what nobody asked for.
    pub(super) fn collapse(&self, sheet: &mut Worksheet) -> Result<(), XlsxError> {
        let last = self.formulas.len() + self.groups.len();
        if self.collapsed < last {
            sheet.group_columns_collapsed(self.collapsed as u16, last as u16 - 1)?;
        }
        Ok(())
    }
}

impl LinesSheet {
    /// Takes more lines in: how many, and their values by column.
    pub(super) fn take(&mut self, rows: u32, columns: &[Column]) {
        self.rows += rows;
        for (as_text, column) in self.as_text.iter_mut().zip(columns) {
            if let Column::Number(_) = column {
                let kept = |row: &usize| {
                    matches!(Cell::of(&column.value(*row), MeasureKind::Other), Cell::Digits(_))
                };
                *as_text += (0..column.len()).filter(kept).count() as u64;
            }
        }
    }

    /// The column that has a value.
    pub(super) fn column_of(&self, wanted: &Expr) -> Option<usize> {
        self.values.iter().find(|(expr, _)| expr == wanted).map(|(_, column)| *column)
    }

    /// The cells of a column, below the header row.
    pub(super) fn range(&self, column: usize) -> String {
        let letters = column_name(column);
        format!("{}!${letters}$2:${letters}${}", sheet_name(&self.name), self.rows.max(1) + 1)
    }
}

/// Makes the formulas of a sheet of lines.
struct Maker<'a> {
    shape: &'a LinesShape<'a>,
    lookups: &'a BTreeMap<usize, LookupSheet>,
    engine: &'a Engine,
}

impl Maker<'_> {
    /// The cell of the column that has a value.
    fn cell(&self, expr: &Expr) -> Option<Term> {
        let column = self.engine.column_with(self.shape.columns, expr)?;
        Some(Term::cell(cell_token(column)))
    }

    fn row_cell(&self, wanted: usize) -> Option<String> {
        let is_it = |column: &OutputColumn| matches!(column, OutputColumn::LinkRow { link, .. } if *link == wanted);
        self.shape.columns.iter().position(is_it).map(cell_token)
    }

    /// The formula of a column with this value; none where it is read.
    fn value(&self, expr: &Expr) -> Option<String> {
        match &expr.kind {
            ExprKind::Column(_) | ExprKind::Constant(_) | ExprKind::Part(_) => None,
            ExprKind::Attribute { route, column } => self.attribute(*route, *column),
            ExprKind::Figure(figure) => {
                let own = self.engine.figure_expr(*figure);
                // What is another column as it is takes its value.
                match own.ty {
                    Type::Blank => None,
                    _ => term(own, &|leaf| self.cell(leaf)).map(|term| term.whole()),
                }
            }
            _ => term(expr, &|leaf| self.cell(leaf)).map(|term| term.whole()),
        }
    }

    /// An attribute by the row that its link matched.
    fn attribute(&self, link: usize, column: usize) -> Option<String> {
        let sheet = self.lookups.get(&self.engine.lookup_of(link))?;
        Some(taken(&self.row_cell(link)?, &sheet.column(column)?))
    }

    /// On a chain, the row to which the row of the link before leads.
    fn chained_row(&self, link: usize) -> Option<String> {
        let parent = self.engine.chained_to(link)?;
        let sheet = self.lookups.get(&self.engine.lookup_of(parent))?;
        Some(taken(&self.row_cell(parent)?, &sheet.next(link)?))
    }
}

/// The cell of a range in the row that another cell names; blank where one of them is.
fn taken(row: &str, range: &str) -> String {
    let cell = format!("INDEX({range},{row})");
    format!("IF({row}=\"\",\"\",IF({cell}=\"\",\"\",{cell}))")
}
