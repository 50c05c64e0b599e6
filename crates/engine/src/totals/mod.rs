//! Totals: lines grouped by attributes, amounts summed, ratios computed again from the sums.
//!
//! Each worker has [`Groups`] of its own, which take batch after batch. What they came to is brought together in a
//! [`Cube`], over all workers and all facts that a table shows; a [`Layout`] makes a [`TotalsTable`] of it, with
//! subtotals, attributes across, order and shares. Sums are exact, so the order of batches does not matter.

mod cells;
mod codes;
mod cube;
mod group_keys;
mod groups;
mod kept_numbers;
mod layout;
mod measure;
mod median;
mod partly_known;
mod plan;
mod ranked;
mod ratio;
mod render;
mod span;
mod sum_column;
mod sums;
mod table;
mod time_shift;
mod to_date;
mod tree;

pub use cube::{Cube, KeptCube};
pub use groups::Groups;
pub use layout::Layout;
pub use partly_known::{PartlyKnown, PartlyKnownAmount};
pub use plan::TotalsPlan;
pub(crate) use plan::{kind_shown, shown_of};
pub use table::{
    MeasureKind, SourceTally, TotalsColumn, TotalsError, TotalsMeasure, TotalsRow, TotalsTable,
    attribute_text,
};
