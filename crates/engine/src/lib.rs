//! The computation of Interligo: keys, links, dated prices, formulas, totals and the tie-out.
//!
//! It opens no file, prints nothing, reads no clock and no environment. Readers hand it text with its
//! origin; it hands back typed columns, totals and findings. The way through it:
//!
//! 1. [`interligo_model::plan`] reads the plan as written, [`mod@bind`] binds its names to the columns of real tables.
//! 2. [`lookup`] types the lookups and settles their duplicates; [`engine`] types the formulas and
//!    prepares the links.
//! 3. [`lines`] works out one batch of lines after another; [`totals`] and [`findings`] merge what the
//!    batches came to.
//! 4. [`tieout`] closes the counts.

pub mod bind;
pub mod calendar;
pub mod checks;

pub mod doubts;
pub mod duplicates;
pub mod engine;
pub mod exact_sum;
pub mod faults;
pub mod findings;

pub mod eval;
mod gather;
pub mod keys;
pub mod lines;
pub mod links;
pub mod lookup;
pub mod near;
mod reads;
pub mod repeats;
pub mod shape;
pub mod tallies;
pub mod tally;
pub mod tieout;
pub mod total_rows;
pub mod totals;
pub mod usage;
pub mod workers;

pub use bind::bind;
