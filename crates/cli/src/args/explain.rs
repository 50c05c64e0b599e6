//! The options of commands that show why something is as it is: look, calendar, trace, compare, runs, verify, report.

use std::path::PathBuf;

use clap::{Args, ValueEnum};
use clap_complete::ArgValueCandidates;

use super::{Format, PlanOptions, names, whole};

/// Show when prices are valid: gaps, overlaps, and what was sold in each period
///
/// Without a key: the keys of each dated link with gaps, overlaps, or lines on days without a valid row, the worst first.
/// With a key: its periods on a time line, the values of their rows, and the lines, quantity, revenue and margin of
/// each, so that the effect of a price change can be seen.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  interligo calendar                        the worst keys of all dated links
  interligo calendar prices                 those of one
  interligo calendar prices SY-117          one key
  interligo calendar SY-117 --svg sy.svg    the same as a picture
  interligo calendar prices --format csv    every key and period, with what was sold")]
pub(crate) struct CalendarOptions {
    /// A dated link, a key of its lookup, or both
    #[arg(value_name = "LINK|KEY", num_args = 0..=2, add = ArgValueCandidates::new(names::links))]
    pub(crate) named: Vec<String>,

    #[command(flatten)]
    pub(crate) plan: PlanOptions,

    /// Write the calendar of a key as a picture, in the open format SVG, instead of printing it
    #[arg(long, value_name = "FILE", requires = "named")]
    pub(crate) svg: Option<PathBuf>,

    /// How the result is printed; csv has every period of every key of one link, with every digit
    #[arg(long, value_enum, value_name = "FORM", default_value = "table", conflicts_with = "svg")]
    pub(crate) format: CalendarFormat,
}

/// How calendars are printed.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum CalendarFormat {
    /// For reading
    Table,
    /// Comma-separated text
    Csv,
}

/// Show what is in tables: columns, types, blanks, distinct values, possible keys, rows
///
/// Reads the tables of the plan, or files, sheets and databases without a plan, and shows for each its files and their
/// format, the rows read and left out, and a row per column. What could be read in two ways is shown with the settings
/// that decide.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  interligo look                       all tables of the plan
  interligo look sales --rows 5        the first rows of one
  interligo look customers --where \"region = 'Coast'\"
  interligo look sales --column item   its values, the most frequent first
  interligo look products.csv          a file as it is
  interligo look book.xlsx             every sheet of a workbook; book.xlsx#North is one")]
pub(crate) struct LookOptions {
    /// Tables of the plan, or files; without any, all tables of the plan
    #[arg(value_name = "TABLE|FILE", add = ArgValueCandidates::new(names::tables))]
    pub(crate) tables: Vec<String>,

    #[command(flatten)]
    pub(crate) plan: PlanOptions,

    /// Show the first rows as they are in the files
    #[arg(long, value_name = "N", value_parser = whole::<usize>(0..), conflicts_with = "column")]
    pub(crate) rows: Option<usize>,

    /// Show rows that meet this condition, 20 unless --rows is given
    #[arg(long = "where", value_name = "CONDITION", conflicts_with = "column")]
    pub(crate) filter: Option<String>,

    /// Show the values of one column with their counts
    #[arg(long, value_name = "COLUMN")]
    pub(crate) column: Option<String>,

    /// How the result is printed; csv and json have all values and every digit
    #[arg(long, value_enum, value_name = "FORM", default_value = "table")]
    pub(crate) format: Format,
}

/// Explain lines: which row of which file gave each value, by which rule, and each formula with its numbers
///
/// A line is named by its key, by its place in a file, or by a condition. Of each link it shows the key, how it was matched, the
/// row, and the rows that were not taken; of each figure the formula with the numbers of the line. With --total it takes a
/// cell of totals apart: the lines that it is made of, the largest first.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  interligo trace 202401000001,1              a line by its key
  interligo trace sales/corvo_2024.csv:7      by its place; FILE:ROW:3 is the third line of a row
  interligo trace --where \"item = 'BO-110' and quantity > 20\"
  interligo trace --total revenue --where \"groups.name = 'Harvest' and month(sold_on) = '2025-03'\"")]
pub(crate) struct TraceOptions {
    /// Lines, by key (values with commas between them) or place (FILE:ROW, FILE#SHEET!A7)
    #[arg(value_name = "KEY|PLACE", required_unless_present_any = ["filter", "total"], conflicts_with = "total")]
    pub(crate) lines: Vec<String>,

    #[command(flatten)]
    pub(crate) plan: PlanOptions,

    /// The lines that meet this condition
    #[arg(long = "where", value_name = "CONDITION")]
    pub(crate) filter: Option<String>,

    /// How many lines are shown: 5 unless this says otherwise
    #[arg(long, value_name = "N", value_parser = whole::<usize>(1..=100_000))]
    pub(crate) rows: Option<usize>,

    /// The fact, where the plan has several
    #[arg(long, value_name = "TABLE")]
    pub(crate) of: Option<String>,

    /// Take a total apart: a figure or a column with numbers
    #[arg(long, value_name = "FIGURE")]
    pub(crate) total: Option<String>,

    /// The table of totals in which the cell is; its `where` applies as well
    #[arg(long, value_name = "OUTPUT", requires = "total")]
    pub(crate) output: Option<String>,

    /// How the result is printed
    #[arg(long, value_enum, value_name = "FORM", default_value = "table")]
    pub(crate) format: TraceFormat,
}

/// How a trace is printed.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum TraceFormat {
    /// For reading
    Table,
    /// For a document
    Markdown,
    /// For other programs
    Json,
}

/// Compare two runs: which files and lines changed, and why each figure is another
///
/// The plan keeps records of its runs with `keep-runs = 3` under `[plan]`. Each figure has a bridge from what it came to in
/// the first run to what it came to in the second: new lines, lines gone, columns of the lines, other matches, values of lookups,
/// the plan. The differences add up to the digit.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  interligo compare                     the last two runs
  interligo compare 3                   run 3 with the last
  interligo compare 3 5                 run 3 with run 5
  interligo compare --by groups.name    each figure by group
  interligo compare --svg bridge.svg    the same as a picture
  interligo compare --lines 20          lines that changed, with the causes")]
pub(crate) struct CompareOptions {
    /// One run or two: the number, or the folder of the record; without them the last two, with one that and the last
    #[arg(value_name = "RUN", num_args = ..=2)]
    pub(crate) runs: Vec<String>,

    #[command(flatten)]
    pub(crate) plan: PlanOptions,

    /// The bridge of each group of an attribute
    #[arg(long, value_name = "ATTRIBUTE")]
    pub(crate) by: Option<String>,

    /// List lines that changed, up to N, with the difference that each cause makes
    #[arg(long, value_name = "N", value_parser = whole::<usize>(1..=1_000_000))]
    pub(crate) lines: Option<usize>,

    /// Write the bridges as a picture, in the open format SVG, instead of printing them
    #[arg(long, value_name = "FILE", conflicts_with = "by")]
    pub(crate) svg: Option<PathBuf>,

    /// How the result is printed; csv and json have every digit
    #[arg(long, value_enum, value_name = "FORM", default_value = "table", conflicts_with = "svg")]
    pub(crate) format: CompareFormat,
}

/// How a comparison is printed.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum CompareFormat {
    /// For reading
    Table,
    /// Comma-separated text: a row for each figure and cause
    Csv,
    /// For a document
    Markdown,
    /// For other programs
    Json,
}

/// Check that outputs are still what the last run wrote
///
/// Reads the outputs of the last run back, whatever their form: text, workbooks, databases. Each row is held against what the
/// run said of it, known by the key of the fact or else by all its values. Cells, rows and columns that differ are shown with
/// both values, and the exit status is 1. The run must have kept what its outputs said: `interligo run --verify`, or
/// verify = true under `[plan]`.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  interligo verify                 all outputs of the last run
  interligo verify lines by_group  these two
  interligo verify --rows 100      up to 100 differences of each
  interligo run --verify           run, and verify at once")]
pub(crate) struct VerifyOptions {
    /// Outputs of the plan, by name; all without
    #[arg(value_name = "OUTPUT", add = ArgValueCandidates::new(names::outputs))]
    pub(crate) outputs: Vec<String>,

    #[command(flatten)]
    pub(crate) plan: PlanOptions,

    /// List up to N differences of each output; all are counted
    #[arg(long, value_name = "N", default_value_t = DIFFERENCES, value_parser = whole::<usize>(1..=1_000_000))]
    pub(crate) rows: usize,

    /// How the result is printed
    #[arg(long, value_enum, value_name = "FORM", default_value = "table")]
    pub(crate) format: VerifyFormat,
}

/// How many differences of an output are listed.
pub(crate) const DIFFERENCES: usize = 10;

/// How what was verified is printed.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum VerifyFormat {
    /// For reading
    Table,
    /// For other programs
    Json,
}

/// Write one page with the figures, their proof and what was found, to hand on
///
/// The page is one file that opens in any browser, without a network: the figures of the last year beside the year before, the
/// totals of the plan as charts and tables, then the tie-out, the tables with their match rates, the findings, the calendars
/// with gaps, what changed since the run before, and the plan. Its tables sort and filter, a bar picks what stands beside it,
/// and one picker sets the period of all. Nothing else is written. A run writes the page with its other results where the plan
/// has an output that ends in .html.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  interligo report                      report.html in this folder
  interligo report --to out/march.html --title \"March 2025\"")]
pub(crate) struct ReportOptions {
    #[command(flatten)]
    pub(crate) plan: PlanOptions,

    /// The file of the page
    #[arg(long, value_name = "FILE", default_value = "report.html")]
    pub(crate) to: PathBuf,

    /// What is above it; without, the name of the plan
    #[arg(long, value_name = "TEXT")]
    pub(crate) title: Option<String>,

    /// Read the files, though the last run kept their lines and nothing has changed since
    #[arg(long)]
    pub(crate) fresh: bool,
}

/// List the runs that a record is kept of
#[derive(Debug, Args)]
pub(crate) struct RunsOptions {
    #[command(flatten)]
    pub(crate) plan: PlanOptions,

    /// How the result is printed
    #[arg(long, value_enum, value_name = "FORM", default_value = "table")]
    pub(crate) format: RunsFormat,
}

/// How kept runs are printed.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum RunsFormat {
    /// For reading
    Table,
    /// For other programs
    Json,
}
