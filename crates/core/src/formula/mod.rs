//! Formulas: from text to tokens, to a syntax tree, to a typed expression, to values.
//!
//! The language is that of section 4 of the plan: exact decimals, text in single quotes, names of
//! columns and figures, and functions with the SQL standard's names. A typed expression is worked
//! out in two ways that agree: `columns` goes through a batch column by column and is fast but only
//! handles what fits its fixed form; `rows` goes line by line, handles everything and is the judge.

mod alone;
mod bands;
mod calls;
mod catalogue;
mod columns;
mod expr;
mod functions;
mod lexer;
mod numeric;
mod parser;
mod rows;
mod summaries;
mod syntax;
mod typed;

pub use alone::Formula;
pub(crate) use bands::Band;
pub use bands::Included;
pub use catalogue::{FUNCTIONS, FunctionHelp};
pub(crate) use columns::{Computed, Inputs, compute};
pub(crate) use expr::{Expr, ExprKind};
pub(crate) use functions::{Scalar, Takes, takes_of};
pub(crate) use lexer::{Token, TokenKind, tokens};
pub(crate) use parser::parse;
pub use rows::Overflow;
pub(crate) use rows::{Leaves, WhyBlank, evaluate, why_blank};
pub(crate) use summaries::Summary;
pub use summaries::{SUMMARIES, SummaryHelp};
pub(crate) use syntax::{Function, Node, NodeKind, Operator};
pub(crate) use typed::{Names, Type, check, kind_of, type_of};
