//! Which cells of a sheet are formulas: of a sheet of lines, and of a table of totals over one.

use interligo_model::values::value::Value;
use rust_xlsxwriter::{Formula, Worksheet, XlsxError};

use super::cell::{Cell, EPOCH};
use super::cell_formula::CellFormula;
use super::cell_formula::cell_token;
use super::live_lines::LiveColumns;
use super::live_totals::{TotalFormulas, WhyValues};
use super::{Book, Workbook};
use crate::error::Error;
use crate::format::{RowsOf, Target};

/// Which cells are formulas.
pub(super) enum Formulas {
    /// None: all are values.
    None,
    /// Figures and attributes of lines.
    Lines {
        /// The fact.
        fact: String,
        /// Its columns.
        columns: LiveColumns,
        /// What the cells are that groups are compared by.
        groups: Vec<Option<CellFormula>>,
    },
    /// Totals.
    Totals(TotalFormulas),
}

impl Formulas {
    /// Those of an output; the sheets that they need are added to the workbook.
    ///
    /// # Errors
    /// A sheet cannot be written.
    pub(super) fn of(
        book: &mut Book,
        settings: &Workbook,
        target: &Target<'_>,
    ) -> Result<Formulas, Error> {
        match target.of {
            RowsOf::Lines(shape) if settings.formulas && shape.live.is_some() => {
                let lookups = book.add_lookups(shape)?;
                let columns = LiveColumns::new(shape, &lookups);
                let fact = shape.engine.bound.fact.name.clone();
                book.lines.insert(fact.clone(), columns.sheet(target.table, shape));
                let key =
                    |column: &usize| CellFormula::new(&format!("\"|\"&{}", cell_token(*column)));
                let groups = columns.groups.iter().map(key).collect();
                book.notes.push(format!(
                    "Figures in sheet {} are formulas: a changed cell changes all that follows from it. The rows that \
                     links matched are values.",
                    target.table
                ));
                Ok(Formulas::Lines { fact, columns, groups })
            }
            RowsOf::Totals(totals) if settings.formulas => {
                let lines = book.lines.get(&totals.engine.bound.fact.name);
                let made = match (&totals.live, lines) {
                    (Some(Err(why)), _) => Err(WhyValues::NotLive(*why)),
                    (Some(Ok(live)), Some(lines)) => TotalFormulas::new(totals.table, live, lines),
                    _ => Err(WhyValues::NoLines),
                };
                let name = target.table;
                Ok(match made {
                    Ok(formulas) => {
                        let names = formulas.columns_with_values(totals.table);
                        if !names.is_empty() {
                            book.notes.push(format!(
                                "Sheet {name}: values, and no formulas, are in {}.",
                                names.join(", ")
                            ));
                        }
                        Formulas::Totals(formulas)
                    }
                    Err(why) => {
                        book.notes.push(format!("Sheet {name} has values and no formulas: {why}."));
                        Formulas::None
                    }
                })
            }
            _ => Ok(Formulas::None),
        }
    }

    /// The formulas of a row, counted from 0 with the header row; none for a cell that holds a value.
    pub(super) fn of_row(
        &self,
        row: u32,
        values: &[Value<'_>],
        cells: &[Cell<'_>],
    ) -> Vec<Option<String>> {
        match self {
            Formulas::None => Vec::new(),
            Formulas::Totals(totals) => {
                (0..cells.len()).map(|column| totals.at(row as usize - 1, column)).collect()
            }
            Formulas::Lines { columns, .. } => {
                // A number that is kept as text is none to a formula.
                let is_plain = |at: usize| cells[at].is_plain(&values[at]);
                let own = columns.formulas.iter().enumerate().map(|(at, formula)| {
                    let formula = formula.as_ref().filter(|_| is_plain(at))?;
                    formula.columns().all(is_plain).then(|| formula.at(row + 1))
                });
                own.collect()
            }
        }
    }

    /// Notes that a cell holds a value.
    pub(super) fn note_kept(&mut self, column: usize) {
        if let Formulas::Lines { columns, .. } = self
            && columns.formulas.get(column).is_some_and(Option::is_some)
        {
            columns.kept[column] += 1;
        }
    }

    /// Writes what groups are compared by, behind the columns of a row.
    pub(super) fn write_groups(
        &self,
        sheet: &mut Worksheet,
        row: u32,
        values: &[Value<'_>],
    ) -> Result<(), XlsxError> {
        let Formulas::Lines { columns, groups, .. } = self else { return Ok(()) };
        for (number, (column, formula)) in columns.groups.iter().zip(groups).enumerate() {
            let Some(formula) = formula else { continue };
            let text = match &values[*column] {
                Value::Number(number) => number.trimmed(0).to_string(),
                Value::Date(day) => (day.0 + EPOCH).to_string(),
                Value::YesNo(yes) => yes.to_string().to_uppercase(),
                other => other.to_string(),
            };
            let place = (values.len() + number) as u16;
            let formula = Formula::new(formula.at(row + 1)).set_result(format!("|{}", text.trim()));
            sheet.write_formula(row, place, formula)?;
        }
        Ok(())
    }
}
