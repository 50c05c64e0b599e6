//! Tests of the built program: files in a temporary folder, one command, and then all that came of it.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]

mod bad_input;
mod changing;
mod checks;
mod damaged;
mod databases;
mod demo;
mod destinations;
mod destroyed;
mod dialects;
mod documents;
mod facts;
mod faults;
mod figures;
mod findings;
mod formats;
mod gather;
mod growing_tables;
mod hostile;
mod json_lines;
mod link_command;
mod linking;
mod lists;
mod live_workbooks;
mod look;
mod mangled;
mod mend;
mod mistakes;
mod office_suite;
mod outputs;
mod periods;
mod runs;
mod schema;
mod server;
mod shapes;
mod sources;
mod start;
mod start_folders;
mod support;
mod totals;
mod totals_facts;
mod totals_tables;
mod traces;
mod values;
mod workbooks;
