//! Keys: how they are cleaned, and the index that finds the row of a key.

mod clean;
mod index;
mod table;

pub use clean::KeyForm;
pub use index::{Found, KeyIndex};
pub use table::KeyTable;
pub(crate) use table::{NO_ROW, ROW_LIMIT};
