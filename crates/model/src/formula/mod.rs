//! Formulas as they are written: from text to tokens to a syntax tree, and the functions there are.
//!
//! The language is exact decimals, text in single quotes, names of columns and figures, and functions with the SQL
//! standard's names. What a tree means on tables and lines is computed elsewhere.

mod calls;
mod catalogue;
mod lexer;
mod meant;
mod parser;
mod scalar;
mod summaries;
mod syntax;

pub use catalogue::{FUNCTIONS, FunctionHelp};
pub use lexer::{Token, TokenKind, tokens};
pub use parser::parse;
pub use scalar::{Field, Scalar, Takes, name_of, takes_of};
pub use summaries::{SUMMARIES, Summary, SummaryHelp, total_below, total_of_lines};
pub use syntax::{Function, Node, NodeKind, Operator, literal, name};
