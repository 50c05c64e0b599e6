//! The forms in which results are written.

pub mod csv;
