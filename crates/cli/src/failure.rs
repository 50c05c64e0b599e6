//! What ends a command without its result: the message, the fix, the exit status.

use std::io;
use std::path::PathBuf;

use interligo_project::{Error, ErrorClass, refusal};
use interligo_report::text::{PlanText, closed_changes, error_line, error_messages, fix_line};

use crate::printed::say;

/// Why a command failed.
#[derive(Debug, thiserror::Error)]
pub(crate) enum Failure {
    /// The libraries say so; with the plan's file and text.
    #[error("{error}")]
    Work { error: Error, plan: PathBuf, text: String },
    /// There is no plan.
    #[error("no plan found")]
    NoPlan,
    /// There is no plan, and no file is named.
    #[error("there is no plan here, and no file is named")]
    NothingToLookAt,
    /// Neither a table of the plan nor a file.
    #[error("there is no table and no file called `{name}`")]
    NoTable { name: String, known: Vec<String> },
    /// No link asks for a day.
    #[error("no link of the plan asks for a day")]
    NoCalendar,
    /// Neither a dated link nor a key of one.
    #[error("there is no dated link called `{name}`, and none of their lookups has such a key")]
    NoCalendarOf { name: String, known: Vec<String>, near: Option<String> },
    /// A key that a lookup does not have.
    #[error("the lookup of `{link}` has no key `{key}`")]
    NoKey { link: String, key: String, near: Option<String> },
    /// There is nobody to ask.
    #[error("keys are mended at a terminal, and there is none")]
    NoTerminal,
    /// Neither a kind of finding nor a link or table.
    #[error("there is no kind of finding, link or table called `{name}`")]
    NoFinding { name: String, known: Vec<String> },
    /// Neither a command nor a subject that there is help for.
    #[error("there is no help about `{name}`")]
    NoHelp { name: String, names: Vec<String> },
    /// The plan has no totals of that name.
    #[error("the plan has no totals called `{name}`")]
    NoTotals { name: String, known: Vec<String> },
    /// Nothing to draw.
    #[error("{message}")]
    NoBars { message: String, known: Vec<String> },
    /// A file that a command names.
    #[error("there is no file or folder called `{0}`")]
    NoSuchFile(String),
    /// A link finds nothing.
    #[error("no line finds a row by `{0}`, and the link was not added")]
    NothingFound(String),
    /// The program was built without the formats of the demo's files.
    #[cfg(not(all(feature = "sqlite", feature = "workbook")))]
    #[error("this program was built without workbooks and SQLite, which the demo is made of")]
    NoDemo,
    /// The folder of the demo holds something else.
    #[error("the folder `{}` is not empty", .0.display())]
    #[cfg_attr(not(all(feature = "sqlite", feature = "workbook")), expect(dead_code))]
    FolderInUse(PathBuf),
    /// A month is to be added to a demo, and there is none.
    #[error("there is no demo in `{}`", .0.display())]
    #[cfg_attr(not(all(feature = "sqlite", feature = "workbook")), expect(dead_code))]
    NoEarlierDemo(PathBuf),
    /// A file of the demo cannot be written.
    #[error("`{}` cannot be written: {}", path.display(), refusal(reason))]
    #[cfg_attr(not(all(feature = "sqlite", feature = "workbook")), expect(dead_code))]
    Demo { path: PathBuf, reason: io::Error },
    /// Manual pages cannot be written.
    #[error("the manual cannot be written to `{}`: {}", path.display(), refusal(reason))]
    Manual { path: PathBuf, reason: io::Error },
    /// Standard output cannot be written.
    #[error("the result cannot be printed: {0}")]
    Output(#[from] io::Error),
    /// The check found what must stop a run; it has said so.
    #[error("")]
    Found,
}

impl Failure {
    /// The exit status, as `interligo --help` lists them.
    pub(crate) fn status(&self) -> u8 {
        match self {
            Failure::Work { error, .. } => match error.class() {
                ErrorClass::Plan => 2,
                ErrorClass::Input => 3,
                ErrorClass::Output => 4,
                ErrorClass::Data => 1,
            },
            Failure::NoPlan
            | Failure::NothingToLookAt
            | Failure::FolderInUse(_)
            | Failure::NoEarlierDemo(_)
            | Failure::NoFinding { .. }
            | Failure::NoTerminal
            | Failure::NoCalendar
            | Failure::NoCalendarOf { .. }
            | Failure::NoKey { .. }
            | Failure::NoHelp { .. }
            | Failure::NoTotals { .. }
            | Failure::NoBars { .. } => 2,
            #[cfg(not(all(feature = "sqlite", feature = "workbook")))]
            Failure::NoDemo => 2,
            Failure::NoTable { .. } | Failure::NoSuchFile(_) => 3,
            Failure::Demo { .. } | Failure::Manual { .. } | Failure::Output(_) => 4,
            Failure::Found | Failure::NothingFound(_) => 1,
        }
    }

    /// Prints the message and the fix.
    pub(crate) fn print(&self) {
        match self {
            Failure::Found => {}
            Failure::Work { error, plan, text } => {
                let plan = PlanText { path: &plan.to_string_lossy(), text };
                for message in error_messages(error, &plan) {
                    say(format_args!("{message}"));
                }
                if let Some(changes) = error.closed_changes() {
                    crate::printed::explain(|out| closed_changes(out, changes));
                }
            }
            _ => {
                say(format_args!("{}", error_line(&self.to_string())));
                if let Some(help) = self.help() {
                    say(format_args!("{}", fix_line(&help)));
                }
            }
        }
    }

    fn help(&self) -> Option<String> {
        match self {
            Failure::NoPlan => Some(
                "`interligo start` drafts one from the files here; or name one with --plan, or see `interligo demo`".into(),
            ),
            Failure::NothingToLookAt => {
                Some("name files, `interligo look sales.csv`, or run it in the folder of an interligo.toml".into())
            }
            Failure::NoTable { name, known } => {
                let names: Vec<&str> = known.iter().map(String::as_str).collect();
                match interligo_model::plan::nearest_name(name, &names) {
                    Some(near) => Some(format!("did you mean the table `{near}`?")),
                    None if known.is_empty() => Some("name a file".into()),
                    None => Some(format!("the tables of the plan are {}", known.join(", "))),
                }
            }
            Failure::NoCalendar => Some(
                "add `valid` to a lookup whose rows are valid for periods, and `as of` to the path that leads to it".into(),
            ),
            Failure::NoCalendarOf { near: Some(near), .. } => Some(format!("did you mean `{near}`?")),
            Failure::NoCalendarOf { known, .. } => Some(format!("the dated links are {}", known.join(", "))),
            Failure::NoKey { near: Some(near), .. } => Some(format!("did you mean `{near}`?")),
            Failure::NoTerminal => Some(
                "--accept case,punctuation,… accepts whole classes without asking, --from FILE imports a list".into(),
            ),
            Failure::NoFinding { name, known } => {
                if let Some(present) = interligo_project::renamed_kind(name) {
                    return Some(format!("`{name}` is now called `{present}`"));
                }
                let names: Vec<&str> = known.iter().map(String::as_str).collect();
                Some(match interligo_model::plan::nearest_name(name, &names) {
                    Some(near) => format!("did you mean `{near}`?"),
                    None => "`interligo check --explain all` lists the kinds of findings".to_owned(),
                })
            }
            Failure::NoHelp { name, names } => Some(nearest_or(name, names, "there is help about ")),
            Failure::NoTotals { known, .. } if known.is_empty() => {
                Some("--by and --show ask for totals without a name".into())
            }
            Failure::NoTotals { name, known } => Some(nearest_or(name, known, "it has ")),
            Failure::NoBars { known, .. } => Some(format!("shown are {}", known.join(", "))),
            Failure::NothingFound(_) => Some(
                "see both columns with `interligo look TABLE --column COLUMN`; --anyway adds it nevertheless".into(),
            ),
            Failure::NoEarlierDemo(_) => {
                Some("write one first: interligo demo, or name its folder".into())
            }
            Failure::FolderInUse(_) => Some("name a new folder: interligo demo FOLDER".into()),
            _ => None,
        }
    }
}

/// The name that is probably meant, or all there are.
fn nearest_or(name: &str, known: &[String], all: &str) -> String {
    let names: Vec<&str> = known.iter().map(String::as_str).collect();
    match interligo_model::plan::nearest_name(name, &names) {
        Some(near) => format!("did you mean `{near}`?"),
        None => format!("{all}{}", known.join(", ")),
    }
}
