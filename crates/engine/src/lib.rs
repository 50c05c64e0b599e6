//! The computation of Interligo: keys, links, dated prices, formulas, totals and the tie-out.
//!
//! It opens no file, prints nothing, reads no clock and no environment. Readers hand it text with its
//! origin; it hands back typed columns, totals and findings. The way through it:
//!
//! 1. [`mod@bind`] binds the names of a plan to the columns of real tables; [`rows`] is how rows of files become rows of
//!    tables.
//! 2. [`lookup`] types the lookups and settles their duplicates; [`engine`] types the formulas ([`eval`]) and prepares
//!    the [`links`].
//! 3. [`lines`] computes one batch of lines after another; [`totals`] and [`proof::findings`] merge what the batches
//!    came to.
//! 4. [`proof::tieout`] closes the counts.

pub mod bind;
pub mod engine;
pub mod eval;
pub mod keys;
pub mod lines;
pub mod links;
pub mod live;
pub mod lookup;
pub mod near;
pub mod outputs;
pub mod proof;
pub mod replay;
pub mod rows;
pub mod totals;
pub mod trace;

pub use bind::bind;
