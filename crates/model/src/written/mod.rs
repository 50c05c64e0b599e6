//! What a person wrote: texts with their place, names of columns, and mistakes in them.

mod column_name;
mod mistake;
mod mistake_kind;

pub use column_name::ColumnName;
pub use mistake::{At, Mistake, Origin, Written, listed, nearest_name};
pub use mistake_kind::{MistakeKind, Unlinked};
