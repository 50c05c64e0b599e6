//! The computation of Interligo.
pub mod column;
pub mod date;
pub mod decimal;
mod formula;
pub mod keys;
pub mod plan;
pub mod reading;
pub mod value;
