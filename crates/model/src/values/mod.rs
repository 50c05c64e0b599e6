//! Values: exact decimals, days and periods, texts, and columns of them.

pub mod amount;
pub mod cells;
pub mod column;
pub mod date;
pub mod decimal;
mod kept_column;
pub mod narrow_ints;
pub mod parse_cache;
pub mod texts;
pub mod value;
