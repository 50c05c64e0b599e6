//! Values as cells of a sheet have them.

use interligo_engine::totals::MeasureKind;
use interligo_model::values::decimal::{Decimal, Rounding};
use interligo_model::values::value::Value;
use rust_xlsxwriter::{ExcelDateTime, Format, Formula, Worksheet, XlsxError};

/// Digits that a cell can show.
const DIGITS: i128 = 1_000_000_000_000_000;

/// Days of a workbook before 1970-01-01.
pub(super) const EPOCH: i32 = 25_569;

/// A value as a cell has it.
pub(super) enum Cell<'v> {
    Blank,
    Number(f64, Decimal),
    /// A number of more digits than a cell can show.
    Digits(String),
    Text(std::borrow::Cow<'v, str>),
    Day(i32),
    YesNo(bool),
}

impl<'v> Cell<'v> {
    pub(super) fn of(value: &Value<'v>, shown: MeasureKind) -> Cell<'v> {
        match value {
            Value::Blank => Cell::Blank,
            Value::Text(text) if text.trim().is_empty() => Cell::Blank,
            Value::Text(text) => Cell::Text(text.clone()),
            Value::Number(number) => Cell::of_number(*number, shown),
            // Days before 1900-03-01 are others in some programs.
            Value::Date(day) if day.0 + EPOCH > 60 => Cell::Day(day.0 + EPOCH),
            other => Cell::Text(other.to_string().into()),
        }
        .or_yes_no(value)
    }

    fn or_yes_no(self, value: &Value<'_>) -> Cell<'v> {
        if let Value::YesNo(yes) = value { Cell::YesNo(*yes) } else { self }
    }

    fn of_number(number: Decimal, shown: MeasureKind) -> Cell<'v> {
        let is_ratio = matches!(shown, MeasureKind::Ratio | MeasureKind::Percent(_));
        let mut number = number.trimmed(0);
        while is_ratio && number.mantissa().abs() >= DIGITS && number.places() > 0 {
            match number.round(number.places() - 1, Rounding::HalfEven) {
                Some(shorter) => number = shorter,
                None => break,
            }
        }
        // The nearest that the cell can hold reads back as the same digits.
        match number.to_string().parse::<f64>() {
            Ok(cell) if number.mantissa().abs() < DIGITS => Cell::Number(cell, number),
            _ => Cell::Digits(number.to_string()),
        }
    }

    /// How many characters it takes, as it is shown.
    pub(super) fn width(&self, shown: MeasureKind) -> usize {
        match self {
            Cell::Blank => 0,
            Cell::Number(_, number) => {
                let whole = number.round(0, Rounding::HalfEven).unwrap_or(*number);
                let digits = whole.to_string().chars().count();
                let places = match shown {
                    MeasureKind::Money(places) | MeasureKind::Number(places) => usize::from(places),
                    MeasureKind::Amount(places) => usize::from(places.min(2)),
                    MeasureKind::Percent(places) => usize::from(places) + 3,
                    MeasureKind::Ratio => 4,
                    MeasureKind::Count => 0,
                    MeasureKind::Other => usize::from(number.places()),
                };
                digits + digits / 3 + places + 1
            }
            Cell::Digits(text) => text.len(),
            Cell::Text(text) => text.chars().count(),
            Cell::Day(_) => 10,
            Cell::YesNo(_) => 5,
        }
    }

    pub(super) fn write(
        &self,
        sheet: &mut Worksheet,
        (row, column): (u32, u16),
        format: &Format,
        filled: bool,
    ) -> Result<(), XlsxError> {
        match self {
            Cell::Blank if filled => sheet.write_blank(row, column, format).map(|_| ()),
            Cell::Blank => Ok(()),
            Cell::Number(number, _) => {
                sheet.write_number_with_format(row, column, *number, format).map(|_| ())
            }
            Cell::Digits(text) => {
                sheet.write_string_with_format(row, column, text, format).map(|_| ())
            }
            Cell::Text(text) => {
                sheet.write_string_with_format(row, column, text.as_ref(), format).map(|_| ())
            }
            Cell::Day(day) => {
                let day = ExcelDateTime::from_serial_datetime(f64::from(*day))?;
                sheet.write_datetime_with_format(row, column, &day, format).map(|_| ())
            }
            Cell::YesNo(yes) => {
                sheet.write_boolean_with_format(row, column, *yes, format).map(|_| ())
            }
        }
    }

    /// Whether formulas take it for what it is: numbers and days that are kept as texts they do not.
    pub(super) fn is_plain(&self, value: &Value<'_>) -> bool {
        match self {
            Cell::Digits(_) => false,
            Cell::Text(_) => !matches!(value, Value::Date(_)),
            _ => true,
        }
    }

    /// What a formula that gives this value is stored with; none where the file would take it for another value.
    fn result(&self) -> Option<String> {
        match self {
            Cell::Blank => Some(String::new()),
            Cell::Number(_, number) => Some(number.to_string()),
            Cell::Digits(_) => None,
            Cell::Text(text) => {
                let taken_for_other = text.parse::<f64>().is_ok()
                    || text.starts_with('#')
                    || ["TRUE", "FALSE"].contains(&text.as_ref());
                (!taken_for_other).then(|| text.to_string())
            }
            Cell::Day(day) => Some(day.to_string()),
            Cell::YesNo(yes) => Some(if *yes { "TRUE" } else { "FALSE" }.to_owned()),
        }
    }

    /// Writes it as the result of a formula; whether it could be.
    pub(super) fn write_live(
        &self,
        sheet: &mut Worksheet,
        (row, column): (u32, u16),
        format: &Format,
        formula: &str,
    ) -> Result<bool, XlsxError> {
        let Some(result) = self.result() else { return Ok(false) };
        let formula = Formula::new(formula).set_result(result);
        sheet.write_formula_with_format(row, column, formula, format)?;
        Ok(true)
    }
}
