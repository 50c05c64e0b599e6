//! What Interligo reads: text, JSON lines, workbooks, Parquet, SQLite and PostgreSQL, as rows with their places.
//!
//! - [`formats`]: a module for each format, and one list of them.
//! - [`table`]: the files that are the parts of a table, their column names, how they are written, their rows.
//! - [`text`]: text split into blocks and fields.
//! - [`error`]: what can be wrong with what is read, and where.

pub mod error;
pub mod formats;
pub mod grid;
pub mod in_order;
pub mod refusal;
pub mod same_file;
pub mod snapshot;
pub mod table;
pub mod text;
