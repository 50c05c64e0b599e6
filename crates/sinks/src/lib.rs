//! What Interligo writes: outputs that appear whole or not at all.
//!
//! - [`lines`]: lines with the columns that are asked for, also as they were read.
//! - [`formats`]: the forms in which results are written.
//! - [`output_file`]: a file that is being written, with what went into it.
//! - [`publish`]: all files of a run, put in their places together by a journal.

pub mod crash;
pub mod formats;
pub mod lines;
pub mod output_file;
pub mod publish;
