//! The options of demo.

use std::path::PathBuf;

use clap::Args;

use super::whole;

/// Write the demo project and run it
///
/// The demo is the Mielo Cooperative, a made-up seller of beekeeping supplies with four depots: two years
/// of sales, products in families and groups, customers, prices that change, and a few faults made on
/// purpose. Its README lists them.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  interligo demo                      into the folder mielo, 3,000 lines
  interligo demo . --next-month       add January 2026, run again, and compare
  interligo demo big --lines 1000000  the same scenario, larger")]
pub(crate) struct DemoOptions {
    /// The folder to write to; new or empty, or an earlier demo
    #[arg(value_name = "FOLDER", default_value = "mielo")]
    pub(crate) folder: PathBuf,

    /// How many sales lines to write; the same number gives the same lines. The project is then
    /// written but not run
    #[arg(long, value_name = "N", value_parser = whole::<u64>(1..=1_000_000_000))]
    pub(crate) lines: Option<u64>,

    /// Keep some of the tables and the results in SQLite databases; with the address of a PostgreSQL server
    /// (`postgres://…`), write the lines to a table there as well
    #[arg(long, value_name = "ADDRESS", num_args = 0..=1, require_equals = true, value_parser = server)]
    pub(crate) database: Option<Option<String>>,

    /// Add the next month to an earlier demo, as it comes in life: new files, a line that is late, a price corrected
    /// afterwards, a product renamed; then run it and show what changed
    #[arg(long, conflicts_with_all = ["lines", "database", "pricing"])]
    pub(crate) next_month: bool,

    /// Add costs, seasonal prices for farms and daily exchange rates, each with its own periods
    #[arg(long, conflicts_with = "database")]
    pub(crate) pricing: bool,
}

/// Reads the address of a server.
fn server(text: &str) -> Result<String, String> {
    match interligo_project::is_server_address(text) {
        true => Ok(text.to_owned()),
        false => Err("it is no address of a server; write for instance postgres://db.example/shop"
            .to_owned()),
    }
}
