//! Formulas at work: from a syntax tree to a typed expression, to values.
//!
//! A typed expression is computed in two ways that agree: `columns` scans a batch column by column and is
//! fast but only handles what fits its fixed form; `rows` goes line by line, handles everything and is the judge.

mod bands;
mod by_column;
mod by_row;
mod expr;
mod functions;
mod numeric;
mod standalone;
mod type_check;

pub use bands::Band;
pub(crate) use by_column::{Computed, Inputs, compute};
pub use by_row::Overflow;
pub(crate) use by_row::{Leaves, WhyBlank, evaluate, why_blank};
pub use expr::{Expr, ExprKind};
pub use standalone::Formula;
pub use type_check::Type;
pub(crate) use type_check::{Names, check, kind_of, type_of};
