//! What a person may write, and what a value is: the ground that everything else of Interligo is on.
//!
//! It opens no file, prints nothing, reads no clock and no environment.
//!
//! - [`values`]: exact decimals, days and periods, texts, and columns of them.
//! - [`reading`]: how numbers and days are written in files, and how texts become values.
//! - [`written`]: texts that a person wrote, with their place, and mistakes in them.
//! - [`plan`]: the plan as written.
//! - [`formula`]: formulas as written: tokens, the syntax tree, the functions there are.
//! - [`place`], [`row_counts`]: where a row stands, and how many rows were read.
//! - [`pattern`]: names with `{slots}`.
//! - [`words`]: numbers as people read them.

pub mod formula;
pub mod pattern;
pub mod place;
pub mod plan;
pub mod reading;
pub mod row_counts;
pub mod values;
pub mod words;
pub mod written;
