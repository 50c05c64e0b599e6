//! Formulas at work: from a syntax tree to a typed expression, to values.
//!
//! A typed expression is worked out in two ways that agree: `columns` goes through a batch column by column and is
//! fast but only handles what fits its fixed form; `rows` goes line by line, handles everything and is the judge.

mod alone;
mod bands;
mod columns;
mod expr;
mod functions;
mod numeric;
mod rows;
mod typed;

pub use alone::Formula;
pub(crate) use bands::Band;
pub(crate) use columns::{Computed, Inputs, compute};
pub(crate) use expr::{Expr, ExprKind};
pub use rows::Overflow;
pub(crate) use rows::{Leaves, WhyBlank, evaluate, why_blank};
pub(crate) use typed::{Names, Type, check, kind_of, type_of};
