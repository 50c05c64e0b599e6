//! What Interligo writes: outputs that appear whole or not at all.
//!
//! - [`mod@format`]: what a form of output has to be able to do; [`formats`] has them, a module each.
//! - [`lines`]: outputs of lines; [`raw_lines`]: lines as they were read; [`set_aside`]: those that are left out;
//!   [`totals`]: tables of totals.
//! - [`containers`]: workbooks and databases, which hold several outputs; [`run_facts`]: what a workbook says of its run.
//! - [`output_file`]: a file that is being written, with what went into it.
//! - [`publish`]: all files of a run, put in their places together by a journal, or by the commit of a server.

#![cfg_attr(
    // What only some forms need is not missed by a build without them.
    not(all(feature = "columnar", feature = "postgres", feature = "sqlite", feature = "workbook")),
    allow(dead_code)
)]

mod background;
pub mod containers;
pub mod crash;
pub mod error;
pub mod format;
pub mod formats;
pub mod lines;
pub mod output_file;
pub mod publish;
pub mod raw_lines;
pub mod run_facts;
pub mod set_aside;
pub mod totals;
pub mod transactions;
