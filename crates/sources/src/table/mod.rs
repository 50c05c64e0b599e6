//! Tables as a plan describes them: the files that are their parts, their column names, how they are written, their rows.

pub mod column_drift;
pub mod dialect;
pub mod header_row;
pub mod lookup_table;
pub mod parts;
pub mod parts_found;
pub mod path_pattern;
pub mod questions;
pub mod rows;
pub mod settings;
pub mod total_rows;
