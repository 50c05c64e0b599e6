//! What is gathered and computed per group: attributes, sums and the measures made of them.

use std::collections::BTreeMap;

use interligo_model::values::value::Value;

use super::codes::same_text;
use super::table::MeasureKind;
use crate::engine::Engine;
use crate::eval::{Expr, ExprKind};

/// An attribute that lines are grouped by.
pub(crate) struct ByExpr {
    pub(crate) column_name: String,
    pub(crate) expr: Expr,
    /// Of a text attribute of a lookup: its distinct texts and the code of each row.
    pub(crate) dictionary: Option<Dictionary>,
    /// Of bands, their names in the order of their edges.
    pub(crate) order: Option<Vec<String>>,
}

/// The texts of a lookup's column as small numbers; 0 is blank.
pub(crate) struct Dictionary {
    pub(crate) codes: Vec<u32>,
    pub(crate) texts: Vec<String>,
}

/// How values of lines become one of a group.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Aggregate {
    Sum,
    /// The sum by the lines on which it is known.
    Average,
    /// The value in the middle.
    Median,
    Smallest,
    Largest,
    /// Lines on which it is known.
    Count,
    Distinct,
}

/// What is gathered of an expression, over the lines on which it and its companions are known.
pub(crate) struct Summed {
    pub(crate) expr: Expr,
    pub(crate) how: Aggregate,
    /// Other sums that must be known on a line for this one to take it in.
    pub(crate) companions: Vec<usize>,
    /// Of different values, how they are numbered.
    pub(crate) by: Option<ByExpr>,
}

/// A value of a group that is computed from its sums.
pub(crate) struct Measure {
    pub(crate) column_name: String,
    /// Decimal places written at least.
    pub(crate) least_places: u8,
    pub(crate) kind: MeasureKind,
    pub(crate) work: Work,
    /// The sum that counts the lines on which it is known, where what it is computed from does not.
    pub(crate) counted: Option<usize>,
    /// Whether it is totalled as a ratio, though it has the form of an amount.
    pub(crate) amount_as_ratio: bool,
}

pub(crate) enum Work {
    /// The number of lines.
    Lines,
    /// What a sum came to.
    Of(usize),
    /// The lines on which a sum is known.
    Known(usize),
    /// The lines on which it is not.
    Blank(usize),
    /// A ratio, computed from the sums of its parts.
    Again { parts: Vec<usize>, expr: Expr },
}

impl ByExpr {
    pub(super) fn new(column_name: String, expr: Expr, engine: &Engine) -> ByExpr {
        let dictionary = crate::lines::plain_attribute(&expr)
            .map(|(route, column)| Dictionary::of(engine, route, column));
        // A shared attribute may represent a band.
        let mut named = &expr;
        while let ExprKind::Figure(figure) = &named.kind {
            named = &engine.figure(*figure).expr;
        }
        let order = match &named.kind {
            ExprKind::Band(_, band) => Some(band.names.iter().map(|n| (**n).into()).collect()),
            _ => None,
        };
        ByExpr { column_name, expr, dictionary, order }
    }
}

impl Dictionary {
    fn of(engine: &Engine, route: usize, column: usize) -> Dictionary {
        let lookup = &engine.lookups[engine.links[route].lookup];
        let held = lookup.columns[column].column.as_ref().expect("attributes in totals are read");
        let mut numbers: BTreeMap<String, u32> = BTreeMap::new();
        let mut dictionary =
            Dictionary { codes: Vec::with_capacity(held.len()), texts: vec![String::new()] };
        for row in 0..held.len() {
            let code = match held.value(row) {
                Value::Text(text) => {
                    *numbers.entry(same_text(&text).into_owned()).or_insert_with_key(|text| {
                        dictionary.texts.push(text.clone());
                        dictionary.texts.len() as u32 - 1
                    })
                }
                _ => 0,
            };
            dictionary.codes.push(code);
        }
        dictionary
    }
}
