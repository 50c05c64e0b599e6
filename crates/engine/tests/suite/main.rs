//! Tests of the computation on tables in memory: laws that hold for any tables, and cases by hand.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]

mod apart;
mod balances;
mod columns;
mod explained;
mod findings;
mod formula_steps;
mod formulas;
mod functions;
mod kept;
mod link_traces;
mod links;
mod lookups;
mod merges;
mod mistakes;
mod no_panic;
mod outputs;
mod ratios;
mod row_formulas;
mod several_facts;
mod splits;
mod sums_of_facts;
mod support;
mod totals;
mod totals_laws;
