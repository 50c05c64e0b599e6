//! Tests of the library, as a program that embeds it uses it.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]

mod bridges;
mod closed;
mod closing;
mod examples;
mod kept_lines;
mod links_oracle;
mod oracle;
mod pages;
mod shapes;
mod slices;
mod start_folders;
mod support;
mod traces;
// It writes every form.
#[cfg(all(feature = "parquet", feature = "sqlite", feature = "workbook"))]
mod verify;
