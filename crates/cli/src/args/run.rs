//! The options of run, and of the commands that divide a run and put it together: slices, join.

use std::path::PathBuf;
use std::str::FromStr;

use clap::Args;

use super::{Format, PlanOptions, whole};

/// Read, link, settle, derive, write the outputs, and print the tie-out
///
/// Each sales line is linked to its lookup rows, gets the price valid on its day and its figures, and is
/// written to the outputs of the plan. At the end the tie-out proves that no line was lost or doubled: lines
/// read = lines written + set aside + left out. Outputs appear whole or not at all.
#[derive(Debug, Args)]
#[command(
    after_help = "Example:\n  interligo run\n  interligo run --plan shop/interligo.toml --format json"
)]
pub(crate) struct RunOptions {
    #[command(flatten)]
    pub(crate) plan: PlanOptions,

    #[command(flatten)]
    pub(crate) end: EndOptions,

    /// Print nothing where all is well
    #[arg(long, conflicts_with_all = ["full", "format", "verify"])]
    pub(crate) quiet: bool,

    /// Run again whenever the plan or an input changes, until it is interrupted; a line for each run
    #[arg(long, conflicts_with_all = ["full", "format", "verify", "quiet"])]
    pub(crate) watch: bool,

    /// Read all outputs back at once, and hold each row against what the run said of it
    #[arg(long, conflicts_with = "format")]
    pub(crate) verify: bool,

    /// Run one slice of a run that `interligo slices` has divided: the third of sixteen is 3/16
    #[arg(long, value_name = "K/N", requires = "into", conflicts_with_all = ["full", "format", "reopen", "verify", "watch"])]
    pub(crate) slice: Option<SliceNumber>,

    /// The folder of the slices
    #[arg(long, value_name = "FOLDER")]
    pub(crate) into: Option<PathBuf>,

    /// Divide the run, have a Spark cluster run the slices, and join them: spark://host:7077, or any master that
    /// Spark takes. All machines see the plan, the inputs and the folder at the same paths
    #[arg(long, value_name = "MASTER", requires = "into", conflicts_with_all = ["slice", "verify", "watch"])]
    pub(crate) on: Option<String>,

    /// How many slices for Spark; the more, the less is lost with a machine
    #[arg(long, value_name = "N", requires = "on", default_value = "16", value_parser = whole::<usize>(1..=100_000))]
    pub(crate) slices: usize,

    /// Leave the lines of each slice in a file of its own, lines/slice-003.csv for lines.csv
    #[arg(long, requires = "on")]
    pub(crate) lines_by_slice: bool,
}

/// How a run ends: what it prints, and what it accepts.
#[derive(Debug, Args)]
pub(crate) struct EndOptions {
    /// Print the whole tie-out: files, links, blank figures, rounding
    #[arg(long)]
    pub(crate) full: bool,

    /// How the tie-out is printed; csv and json always have all of it
    #[arg(long, value_enum, value_name = "FORM", default_value = "table")]
    pub(crate) format: Format,

    /// Accept what the data say of closed periods now, and keep the former record of them
    #[arg(long)]
    pub(crate) reopen: bool,
}

/// Divide a run into slices, for several machines or one after the other
///
/// Writes into a folder where each slice of the facts begins and ends, of about as many bytes each. `interligo run
/// --slice` runs one of them on any machine that sees the folder and the inputs; `interligo join` proves that all are
/// there and writes the outputs, the same as those of a single run. All lines are scanned once. Lookups on a server are
/// read once and handed on in the folder.
#[derive(Debug, Args)]
#[command(after_help = "\
Example, one slice after the other:
  interligo slices 8 --into work
  for k in 1 2 3 4 5 6 7 8; do interligo run --slice $k/8 --into work; done
  interligo join work")]
pub(crate) struct SlicesOptions {
    /// How many slices
    #[arg(value_name = "N", value_parser = whole::<usize>(1..=100_000))]
    pub(crate) slices: usize,

    /// The folder for what slices are to take, and for what they come to
    #[arg(long, value_name = "FOLDER")]
    pub(crate) into: PathBuf,

    /// Leave the lines of each slice in a file of its own, lines/slice-003.csv for lines.csv; the join then only moves them
    #[arg(long)]
    pub(crate) lines_by_slice: bool,

    #[command(flatten)]
    pub(crate) plan: PlanOptions,
}

/// Put the slices of a run together: prove that all are there, and write the outputs
///
/// The outputs, findings and the tie-out are those of a single run. A slice that is missing, or of another plan or
/// other inputs, is named, and nothing is written.
#[derive(Debug, Args)]
#[command(after_help = "Example:\n  interligo join work")]
pub(crate) struct JoinOptions {
    /// The folder of the slices
    #[arg(value_name = "FOLDER")]
    pub(crate) folder: PathBuf,

    #[command(flatten)]
    pub(crate) plan: PlanOptions,

    #[command(flatten)]
    pub(crate) end: EndOptions,
}

/// A slice, by its number from 1, and how many there are.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct SliceNumber {
    pub(crate) slice: usize,
    pub(crate) of: usize,
}

impl FromStr for SliceNumber {
    type Err = String;

    fn from_str(text: &str) -> Result<SliceNumber, String> {
        let numbers = text.split_once('/');
        let numbers = numbers.and_then(|(slice, of)| Some((slice.parse().ok()?, of.parse().ok()?)));
        match numbers {
            Some((slice, of)) if (1..=of).contains(&slice) => Ok(SliceNumber { slice, of }),
            _ => Err("write which of how many, from 1: 3/16".to_owned()),
        }
    }
}
