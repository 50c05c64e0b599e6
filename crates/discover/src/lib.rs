//! What tables seem to be: what is in their columns, which of them are keys, and how tables hang together.
//!
//! It opens no file, prints nothing, reads no clock and no environment.
//!
//! - [`profile`]: the values of a column, counted, with their type.
//! - [`propose`]: roles, keys, links and figures that the data are evidence for.

pub mod profile;
pub mod propose;
