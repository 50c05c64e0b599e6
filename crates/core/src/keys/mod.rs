//! Keys: how they are cleaned, and the index that finds the row of a key.

mod clean;
mod index;
mod joined;
mod table;

pub use clean::KeyForm;
pub(crate) use clean::cleaned;
pub use index::{Found, KeyIndex};
pub(crate) use joined::shown;
pub use joined::{join_columns, joined};
pub use table::KeyTable;
pub(crate) use table::{NO_ROW, ROW_LIMIT};
