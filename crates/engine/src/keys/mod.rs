//! Keys: how they are cleaned, and the index that finds the row of a key.

mod clean;
mod exact;
mod index;
mod joined;
mod shape;
mod table;

pub use clean::KeyForm;
pub(crate) use clean::cleaned;
pub(crate) use exact::ExactKeys;
pub use index::{Found, KeyIndex, KeyStep, StepOutcome};
pub use joined::{join_columns, joined, shown_parts};
pub(crate) use joined::{part_of_key, parts_of, push_joined, shown};
pub(crate) use shape::KeyShape;
pub use table::KeyTable;
pub use table::NO_ROW;
pub(crate) use table::ROW_LIMIT;
