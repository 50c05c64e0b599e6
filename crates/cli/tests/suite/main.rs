//! Tests of the built program: files in a temporary folder, one command, and then all that came of it.

mod bad_input;
mod checks;
mod demo;
mod documents;
mod mistakes;
mod oracle;
mod runs;
mod support;
mod totals;
