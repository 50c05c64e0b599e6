//! Tests of the computation on tables in memory: laws that hold for any tables, and cases by hand.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]

mod apart;
mod explained;
mod formulas;
mod lookups;
mod no_panic;
mod ratios;
mod splits;
mod support;
mod totals_laws;
