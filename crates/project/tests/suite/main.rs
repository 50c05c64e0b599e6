//! Tests of the library, as a program that embeds it uses it.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]

mod examples;
