//! Reading: how numbers and days are written in files, and how texts become values.

pub mod column_reader;
pub mod date_style;
pub mod evidence;
pub mod style;
