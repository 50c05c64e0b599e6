//! The commands and their options.

mod demo;
mod explain;
pub(crate) mod names;
mod run;

use std::fmt::Display;
use std::ops::{Bound, RangeBounds};
use std::path::PathBuf;
use std::str::FromStr;

use clap::builder::{PossibleValuesParser, TypedValueParser};
use clap::{Args, CommandFactory, Parser, Subcommand, ValueEnum};
use clap_complete::ArgValueCandidates;
use interligo_engine::near::Likeness;

pub(crate) use explain::{
    CalendarFormat, CalendarOptions, CompareFormat, CompareOptions, DIFFERENCES, LookOptions,
    ReportOptions, RunsFormat, RunsOptions, TraceFormat, TraceOptions, VerifyFormat, VerifyOptions,
};

pub(crate) use demo::DemoOptions;
pub(crate) use run::{EndOptions, JoinOptions, RunOptions, SliceNumber, SlicesOptions};

/// Links sales lines to lookup tables, prices them by the day, and proves every figure.
///
/// Interligo works by a plan, the file interligo.toml: which tables there are, how they are linked, how
/// revenue, cost and profit are computed, and what is written. `interligo start` drafts one from a folder
/// of files; `interligo demo` shows it all on made-up data.
#[derive(Debug, Parser)]
#[command(name = "interligo", version, max_term_width = 96, disable_help_subcommand = true, after_help = EXIT_STATUS)]
pub(crate) struct Arguments {
    #[command(subcommand)]
    pub(crate) command: Command,

    /// When to use colours
    #[arg(
        long,
        global = true,
        value_enum,
        value_name = "WHEN",
        default_value = "auto",
        display_order = 100
    )]
    pub(crate) color: Color,
}

impl Arguments {
    /// Which plan a command works by, if it works by one.
    pub(crate) fn plan(&self) -> Option<&PlanOptions> {
        let plan = match &self.command {
            Command::Link(options) => {
                options.what.as_ref().map_or(&options.plan, LinkCommand::plan)
            }
            Command::Run(options) => &options.plan,
            Command::Totals(options) => &options.plan,
            Command::Check(options) => &options.plan,
            Command::Mend(options) => &options.plan,
            Command::Calendar(options) => &options.plan,
            Command::Look(options) => &options.plan,
            Command::Trace(options) => &options.plan,
            Command::Compare(options) => &options.plan,
            Command::Runs(options) => &options.plan,
            Command::Verify(options) => &options.plan,
            Command::Report(options) => &options.plan,
            Command::Slices(options) => &options.plan,
            Command::Join(options) => &options.plan,
            Command::Start(_) | Command::Demo(_) | Command::Completions(_) | Command::Help(_) => {
                return None;
            }
        };
        Some(plan)
    }

    /// The commands that work by a plan, as they are typed: `link`, `link find`.
    pub(crate) fn commands_by_plan() -> Vec<String> {
        let takes_plan = |command: &clap::Command| {
            command.get_arguments().any(|option| option.get_id() == "plan")
        };
        let mut commands = Vec::new();
        for command in Arguments::command().get_subcommands() {
            let within = command.get_subcommands().filter(|inner| takes_plan(inner));
            commands
                .extend(within.map(|inner| format!("{} {}", command.get_name(), inner.get_name())));
            commands.extend(takes_plan(command).then(|| command.get_name().to_owned()));
        }
        commands
    }
}

impl LinkCommand {
    fn plan(&self) -> &PlanOptions {
        match self {
            LinkCommand::Map { plan, .. }
            | LinkCommand::Find { plan }
            | LinkCommand::Add { plan, .. } => plan,
        }
    }
}

const EXIT_STATUS: &str = "\
Exit status:
  0  all well
  1  findings that must stop, closed lines that changed, outputs not as written
  2  a wrong command line or plan
  3  input that cannot be read
  4  output that cannot be written";

#[derive(Debug, Subcommand)]
pub(crate) enum Command {
    Start(StartOptions),
    Link(LinkOptions),
    Run(RunOptions),
    Totals(TotalsOptions),
    Check(CheckOptions),
    Mend(MendOptions),
    Calendar(CalendarOptions),
    Look(LookOptions),
    Trace(TraceOptions),
    Compare(CompareOptions),
    Runs(RunsOptions),
    Verify(VerifyOptions),
    Report(ReportOptions),
    Slices(SlicesOptions),
    Join(JoinOptions),
    Demo(DemoOptions),
    Completions(CompletionsOptions),
    Help(HelpOptions),
}

/// Draft a plan from a folder of files: tables, links and figures, with the reasons
///
/// Reads the files of the folder, or the files and databases named, and finds out which tables are sales lines and which
/// are lookups, which files belong to one table, and which columns match. The plan gives the evidence for each link;
/// what is uncertain is in it as a comment. All lines are scanned once to try the links. At a terminal it asks for what
/// the files leave open. Where there is a plan, it shows what the plan does not know, and adds what is taken.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  interligo start                         the files of this folder
  interligo start shop                    those of another; the plan is written there
  interligo start sales.csv products.csv  some files only
  interligo start stock.sqlite --print    show the plan and write nothing
  interligo start --explain sales.item    why a column leads where it does")]
pub(crate) struct StartOptions {
    /// Folders, files, or addresses of databases; without any, this folder
    #[arg(value_name = "FOLDER|FILE")]
    pub(crate) named: Vec<String>,

    /// Print the plan instead of writing it
    #[arg(long)]
    pub(crate) print: bool,

    /// Overwrite an existing plan
    #[arg(long)]
    pub(crate) replace: bool,

    /// Take the first answer to each question, and say so in the plan
    #[arg(long)]
    pub(crate) yes: bool,

    /// Write nothing, and show the evidence for and against each column that this one might lead to
    #[arg(long, value_name = "TABLE.COLUMN", conflicts_with_all = ["print", "replace"])]
    pub(crate) explain: Option<String>,
}

/// Show the match rates of links, draw their map, find and add links
///
/// Scans all lines and lists for each link of the plan how many lines and keys are matched, how many keys are
/// unmatched, and how many rows of the lookup no line uses.
#[derive(Debug, Args)]
#[command(
    args_conflicts_with_subcommands = true,
    after_help = "\
Examples:
  interligo link                    the links of the plan
  interligo link map                which table is linked to which
  interligo link map --svg map.svg  the same as a picture
  interligo link find               links that the plan does not have yet
  interligo link add 'sales.item -> products.sku' --as article --dry-run"
)]
pub(crate) struct LinkOptions {
    #[command(subcommand)]
    pub(crate) what: Option<LinkCommand>,

    #[command(flatten)]
    pub(crate) plan: PlanOptions,

    /// How the result is printed
    #[arg(long, value_enum, value_name = "FORM", default_value = "table")]
    pub(crate) format: Format,
}

#[derive(Debug, Subcommand)]
pub(crate) enum LinkCommand {
    /// Draw the tables and the links between them
    Map {
        #[command(flatten)]
        plan: PlanOptions,

        /// Write the map as a picture, in the open format SVG, instead of printing it
        #[arg(long, value_name = "FILE")]
        svg: Option<PathBuf>,
    },
    /// Propose links that the plan does not have yet, with the evidence
    Find {
        #[command(flatten)]
        plan: PlanOptions,
    },
    /// Try a link on all lines, show its match rate, and add it to the plan
    Add {
        /// The path: `sales.item -> products.sku`
        #[arg(value_name = "PATH")]
        path: String,

        #[command(flatten)]
        plan: PlanOptions,

        /// A name for the link, where the table already has one
        #[arg(long = "as", value_name = "NAME")]
        name: Option<String>,

        /// Differences to ignore: case, width, punctuation, leading-zeros
        #[arg(long, value_name = "DIFFERENCE", value_delimiter = ',')]
        ignore: Vec<Difference>,

        /// Only try it, and leave the plan unchanged
        #[arg(long)]
        dry_run: bool,

        /// Add it even if no line matches
        #[arg(long)]
        anyway: bool,
    },
}

/// A difference in the way keys are written.
#[derive(Clone, Copy, Debug, ValueEnum)]
pub(crate) enum Difference {
    /// Uppercase and lowercase
    Case,
    /// Full-width and other compatibility forms
    Width,
    /// All but letters and digits
    Punctuation,
    /// Zeros before keys of digits only
    LeadingZeros,
}

/// Total any figure by any column of any linked table
///
/// Groups the lines by attributes, in rows and across, and sums figures and columns in each group. Attributes are
/// columns of the fact, columns of linked tables (families.name), periods of a date (month(sold_on)) and bands;
/// `groups.name > families.name` makes two levels of rows, with subtotals. A ratio such as a margin is computed
/// from the totals. Lines without a value for the attribute have a row of their own, so that the rows add up to
/// the whole; lines without a value of a figure are left out of its sum, and their number is shown below the
/// table. Where the plan has keep-lines = true, and neither it nor a file has changed since the last run, the lines
/// that this run kept are summed, which takes a fraction of the time. With the NAME of totals in the plan, these
/// are shown; options replace what the plan says.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  interligo totals --by families.name --show lines,revenue,profit
  interligo totals --by 'groups.name > families.name' --show revenue,margin
  interligo totals --by depot --across 'quarter(sold_on)' --show revenue
  interligo totals --by products.name --show revenue --top 10 --bars
  interligo totals --by 'month(sold_on)' --versus 'revenue,year_before(revenue)'
  interligo totals top_products --sort=-margin
  interligo totals --by depot --format csv > by_depot.csv

`interligo help formulas` lists the functions that --show takes: avg, count(distinct …), share, running, year_before.")]
pub(crate) struct TotalsOptions {
    /// Totals of the plan, by the name of the output
    #[arg(value_name = "NAME", add = ArgValueCandidates::new(names::totals))]
    pub(crate) name: Option<String>,

    #[command(flatten)]
    pub(crate) plan: PlanOptions,

    /// Attributes that make a row, separated by commas; without any, the grand total
    #[arg(long, value_name = "ATTRIBUTES")]
    pub(crate) by: Vec<String>,

    /// Attributes that make a column, separated by commas
    #[arg(long, value_name = "ATTRIBUTES")]
    pub(crate) across: Vec<String>,

    /// What to show: lines, figures, numeric columns and functions of these, separated by commas; without any, lines
    /// and all figures
    #[arg(long, value_name = "FIGURES", allow_hyphen_values = true, add = ArgValueCandidates::new(names::figures))]
    pub(crate) show: Vec<String>,

    /// Two figures to compare: their difference, and its percentage of the second
    #[arg(long, value_name = "FIGURE,FIGURE")]
    pub(crate) versus: Vec<String>,

    /// Only the lines that meet this condition
    #[arg(long = "where", value_name = "CONDITION")]
    pub(crate) filter: Option<String>,

    /// What to sort rows by, `-` before it for the largest first; without it by their attributes
    #[arg(long, value_name = "COLUMNS", allow_hyphen_values = true)]
    pub(crate) sort: Vec<String>,

    /// Only the first N rows of each level; the others become one row
    #[arg(long, value_name = "N", value_parser = whole::<u32>(1..))]
    pub(crate) top: Option<u32>,

    /// Only the rows that meet this condition on what is shown; the others of a level become one row
    #[arg(long, value_name = "CONDITION", conflicts_with = "top")]
    pub(crate) having: Option<String>,

    /// Also show periods without lines
    #[arg(long)]
    pub(crate) all_periods: bool,

    /// The fact to total, where the plan has several
    #[arg(long, value_name = "FACT", add = ArgValueCandidates::new(names::facts))]
    pub(crate) of: Option<String>,

    /// What to do with an attribute that not all facts of the table have
    #[arg(long, value_enum, value_name = "WHAT")]
    pub(crate) not_shared: Option<NotSharedChoice>,

    /// Draw a figure as bars; without a name, the first amount
    #[arg(long, value_name = "FIGURE", num_args = 0..=1, require_equals = true, default_missing_value = "")]
    pub(crate) bars: Option<String>,

    /// How the result is printed; csv, json and markdown have every digit
    #[arg(long, value_enum, value_name = "FORM", default_value = "table")]
    pub(crate) format: TotalsFormat,

    /// Read the files, though the last run kept their lines and nothing has changed since
    #[arg(long)]
    pub(crate) fresh: bool,
}

/// What happens where a fact does not have an attribute.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum NotSharedChoice {
    /// Stop with an error
    Stop,
    /// Leave the attribute blank for that fact
    Blank,
}

/// How totals are printed.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum TotalsFormat {
    /// For reading
    Table,
    /// Comma-separated text
    Csv,
    /// JSON
    Json,
    /// A Markdown table
    Markdown,
}

/// Explain a command, how formulas are written, or the keys of a plan
///
/// `interligo help formulas` lists the operators and all functions, with an example of each; `interligo help plan` the
/// sections of a plan, and `interligo help plan outputs` the keys of one: what each takes, an example, what holds without
/// it.
#[derive(Debug, Args)]
pub(crate) struct HelpOptions {
    /// A command, `formulas`, or `plan` and one of its sections
    #[arg(value_name = "COMMAND|formulas|plan", num_args = 0..=2, add = ArgValueCandidates::new(names::helped))]
    pub(crate) about: Vec<String>,

    /// Write a manual page for each command to a folder
    #[arg(long, value_name = "FOLDER", conflicts_with_all = ["about", "schema"])]
    pub(crate) man: Option<PathBuf>,

    /// Print the plan as a JSON Schema, by which editors complete its keys
    #[arg(long, conflicts_with = "about")]
    pub(crate) schema: bool,
}

/// Print the script by which a shell completes commands, options, and the names of the plan at hand
///
/// The script asks the program at each tab: in the folder of a plan it offers its tables, links, figures and outputs.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  interligo completions bash > ~/.local/share/bash-completion/completions/interligo
  interligo completions zsh > ~/.zfunc/_interligo
  interligo completions fish > ~/.config/fish/completions/interligo.fish")]
pub(crate) struct CompletionsOptions {
    /// The shell
    #[arg(value_enum, value_name = "SHELL")]
    pub(crate) shell: Shell,
}

/// A shell that completes what is typed.
#[derive(Clone, Copy, Debug, ValueEnum)]
pub(crate) enum Shell {
    Bash,
    Zsh,
    Fish,
}

/// Find unmatched keys, duplicates and other faults, and the amount that each affects
///
/// Scans all lines without writing anything. Each kind of finding has a stable name; the overview lists them with their
/// lines and affected amounts, the largest amount first, and for each link the counts that must close. With the name of
/// a kind, link or table it shows the keys and some of the rows. Ends with status 1 if `run` would stop.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  interligo check                           all findings, largest amount first
  interligo check near-miss                 the keys of a kind, what they may mean, and rows
  interligo check products                  what was found in a link or table
  interligo check --explain near-miss       what it means, and what to do
  interligo check --for-owner missing.xlsx  what owners of lookups should add, a sheet for each
  interligo check --format csv > to_do.csv")]
pub(crate) struct CheckOptions {
    /// A kind of finding, a link or a table to show in detail
    #[arg(value_name = "KIND|LINK|TABLE", add = ArgValueCandidates::new(names::checked))]
    pub(crate) about: Option<String>,

    /// Explain a kind of finding: what it means, why it matters, what to do; `all` lists the kinds
    #[arg(long, value_name = "KIND", conflicts_with = "about")]
    pub(crate) explain: Option<String>,

    /// Write for the owner of each lookup the keys it lacks, with the amounts affected and since when: files in a folder,
    /// or sheets of a workbook (missing.xlsx). `interligo mend --from` takes their answers
    #[arg(long, value_name = "FOLDER|WORKBOOK", conflicts_with_all = ["about", "explain"])]
    pub(crate) for_owner: Option<PathBuf>,

    #[command(flatten)]
    pub(crate) plan: PlanOptions,

    /// How the result is printed; the table shows the largest, csv and json have all
    #[arg(long, value_enum, value_name = "FORM", default_value = "table")]
    pub(crate) format: Format,
}

/// Correct wrong keys, permanently
///
/// Shows the unmatched keys one by one, largest amount first, with their lines and the keys that may be meant, and saves
/// each decision to the corrections file: found, use, link, note. Every run applies it. With --accept whole classes
/// are corrected without asking, where exactly one key fits and a coincidence is unlikely; --from imports a list.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  interligo mend                                    one key after the other
  interligo mend --accept case,leading-zeros        all that differ in nothing else
  interligo mend --accept look-alike --dry-run      show which these are
  interligo mend --from agreed.csv                  a list with the columns found, use, link, note
  interligo mend --from missing.xlsx                what owners answered in a workbook of check --for-owner")]
pub(crate) struct MendOptions {
    #[command(flatten)]
    pub(crate) plan: PlanOptions,

    /// Correct only the keys that differ in these ways, separated by commas
    #[arg(long, value_parser = way(), value_name = "REASON", value_delimiter = ',', num_args = 1.., conflicts_with = "from")]
    pub(crate) accept: Vec<Likeness>,

    /// Import the corrections of another file
    #[arg(long, value_name = "FILE")]
    pub(crate) from: Option<PathBuf>,

    /// Show what would be corrected, and write nothing
    #[arg(long)]
    pub(crate) dry_run: bool,
}

/// The name of a way in which a key may differ from the one that is meant.
fn way() -> impl TypedValueParser<Value = Likeness> {
    PossibleValuesParser::new(Likeness::ALL.map(Likeness::name))
        .try_map(|name| Likeness::called(&name).ok_or("no such reason"))
}

/// Reads a value that is set.
fn value_set(text: &str) -> Result<(String, String), String> {
    let set = text.split_once('=').filter(|(name, _)| !name.trim().is_empty());
    let (name, value) = set.ok_or("write a name, = and a text: period=2025-04")?;
    Ok((name.trim().to_owned(), value.to_owned()))
}

/// Reads a whole number of a range.
fn whole<T>(range: impl RangeBounds<T> + Clone) -> impl Fn(&str) -> Result<T, String> + Clone
where
    T: FromStr + PartialOrd + Display,
{
    move |text| {
        let number = text.parse().ok().filter(|number| range.contains(number));
        number.ok_or_else(|| {
            let limits = match (range.start_bound(), range.end_bound()) {
                (Bound::Included(least), Bound::Included(most)) => {
                    format!(" from {least} to {most}")
                }
                (Bound::Included(least), _) => format!(" from {least} on"),
                _ => String::new(),
            };
            format!("write a whole number{limits}")
        })
    }
}

#[derive(Debug, Args)]
pub(crate) struct PlanOptions {
    /// The plan file; by default interligo.toml in this folder or the nearest one above
    #[arg(long, value_name = "FILE")]
    pub(crate) plan: Option<PathBuf>,

    /// A text in the place of a value of the plan: `period=2025-04`
    #[arg(long = "set", value_name = "NAME=TEXT", value_parser = value_set)]
    pub(crate) set: Vec<(String, String)>,

    /// How many cores to use; all by default. The results are the same
    #[arg(long, value_name = "N", value_parser = whole::<u16>(1..=1024))]
    pub(crate) threads: Option<u16>,

    /// How many bytes of text a core takes at a time. The results are the same
    #[arg(long, value_name = "BYTES", value_parser = whole::<usize>(0..), hide = true)]
    pub(crate) block: Option<usize>,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum Format {
    /// For reading
    Table,
    /// Comma-separated text
    Csv,
    /// JSON
    Json,
}

#[derive(Clone, Copy, Debug, ValueEnum)]
pub(crate) enum Color {
    /// On a terminal, unless NO_COLOR is set
    Auto,
    Always,
    Never,
}

impl Color {
    pub(crate) fn apply(self) {
        match self {
            Color::Auto => anstream::ColorChoice::Auto,
            Color::Always => anstream::ColorChoice::Always,
            Color::Never => anstream::ColorChoice::Never,
        }
        .write_global();
    }
}
