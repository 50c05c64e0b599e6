//! Tests of what is proposed for tables in memory.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]

mod propose;
