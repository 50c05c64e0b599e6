//! The one helper of these tests: files in, then standard output, standard error, exit status and the
//! files written. All four are compared each time; what is not mentioned must be empty.

use std::collections::BTreeMap;
use std::path::Path;
use std::process::Command;

use rexpect::session::{Options, PtySession, spawn_with_options};
use tempfile::TempDir;

/// A folder with files, to run commands in.
pub(crate) struct Folder {
    folder: TempDir,
    given: BTreeMap<String, Vec<u8>>,
}

/// What a command came to.
#[must_use = "output, messages, status and files are all compared"]
#[derive(Debug, PartialEq, Eq)]
pub(crate) struct Came {
    status: i32,
    stdout: String,
    stderr: String,
    /// Files that are new or changed, by path.
    files: BTreeMap<String, String>,
}

impl Folder {
    /// A folder with these files.
    pub(crate) fn with(files: &[(&str, &str)]) -> Folder {
        let mut folder = Folder { folder: TempDir::new().unwrap(), given: BTreeMap::new() };
        for (path, content) in files {
            folder.put(path, content.as_bytes());
        }
        folder
    }

    /// Puts one more file in, or another in its place.
    pub(crate) fn put(&mut self, path: &str, content: &[u8]) {
        let full = self.folder.path().join(path);
        std::fs::create_dir_all(full.parent().unwrap()).unwrap();
        std::fs::write(full, content).unwrap();
        self.given.insert(path.to_owned(), content.to_vec());
    }

    pub(crate) fn path(&self) -> &Path {
        self.folder.path()
    }

    /// A command in this folder.
    pub(crate) fn command(&self, arguments: &[&str]) -> Command {
        let mut command = Command::new(assert_cmd::cargo::cargo_bin!("interligo"));
        command.args(arguments).current_dir(self.path()).env_remove("NO_COLOR");
        command
    }

    /// The program at a terminal.
    pub(crate) fn at_terminal(&self, arguments: &[&str]) -> PtySession {
        let mut command = self.command(arguments);
        command.env("TERM", "xterm").env("NO_COLOR", "1");
        let options = Options::new().timeout_ms(Some(20_000)).strip_ansi_escape_codes(true);
        spawn_with_options(command, options).unwrap()
    }

    /// Runs the program.
    pub(crate) fn run(&self, arguments: &[&str]) -> Came {
        let output = self.command(arguments).output().unwrap();
        let mut files = BTreeMap::new();
        self.collect(self.path(), &mut files);
        Came {
            status: output.status.code().unwrap(),
            stdout: String::from_utf8(output.stdout).unwrap(),
            stderr: String::from_utf8(output.stderr).unwrap(),
            files,
        }
    }

    fn collect(&self, folder: &Path, files: &mut BTreeMap<String, String>) {
        for entry in std::fs::read_dir(folder).unwrap() {
            let path = entry.unwrap().path();
            if path.is_dir() && path.is_symlink() {
                continue;
            }
            if path.is_dir() {
                // The note of a run for the next one is no result.
                if !path.ends_with(".interligo") {
                    self.collect(&path, files);
                }
                continue;
            }
            let name = path.strip_prefix(self.path()).unwrap().to_string_lossy().into_owned();
            let content = std::fs::read(&path).unwrap();
            if self.given.get(&name) != Some(&content) {
                files.insert(name, String::from_utf8_lossy(&content).into_owned());
            }
        }
    }
}

impl Came {
    /// The command came to `status` and nothing else.
    pub(crate) fn status(self, status: i32) -> Came {
        assert_eq!(self.status, status, "{}{}", self.stdout, self.stderr);
        Came { status: 0, ..self }
    }

    /// The command came to `status`; what else came of it was looked at before.
    pub(crate) fn ended(self, status: i32) {
        let _ = self.status(status);
    }

    /// What else came of it was looked at before.
    pub(crate) fn nothing_more(self) {}

    /// The exit status.
    pub(crate) fn exit_status(&self) -> i32 {
        self.status
    }

    /// It printed just this.
    pub(crate) fn stdout(self, text: &str) -> Came {
        assert_eq!(self.stdout, text);
        Came { stdout: String::new(), ..self }
    }

    /// It said just this on standard error.
    pub(crate) fn stderr(self, text: &str) -> Came {
        assert_eq!(self.stderr, text);
        Came { stderr: String::new(), ..self }
    }

    /// It wrote just this into a file.
    pub(crate) fn file(mut self, path: &str, content: &str) -> Came {
        assert_eq!(self.files.remove(path).as_deref(), Some(content), "{path} {}", self.stderr);
        self
    }

    /// What it printed was looked at elsewhere.
    pub(crate) fn any_stdout(self) -> Came {
        Came { stdout: String::new(), ..self }
    }

    /// What it said on standard error was looked at elsewhere.
    pub(crate) fn any_stderr(self) -> Came {
        Came { stderr: String::new(), ..self }
    }

    /// What is in a file that was written; it counts as mentioned.
    pub(crate) fn take_file(&mut self, path: &str) -> String {
        self.files.remove(path).unwrap_or_else(|| panic!("{path} was not written: {}", self.stderr))
    }

    pub(crate) fn printed(&self) -> &str {
        &self.stdout
    }

    pub(crate) fn said(&self) -> &str {
        &self.stderr
    }

    /// Nothing else came of it.
    pub(crate) fn nothing_else(self) {
        let nothing = Came {
            status: 0,
            stdout: String::new(),
            stderr: String::new(),
            files: BTreeMap::new(),
        };
        assert_eq!(self, nothing);
    }

    /// All of it as one text, for snapshots. Tables of many rows are left to tests of their own.
    pub(crate) fn as_text(&self) -> String {
        let mut all = format!("status {}\n", self.status);
        for (name, text) in [("stdout", &self.stdout), ("stderr", &self.stderr)] {
            if !text.is_empty() {
                all += &format!("--- {name}\n{text}");
            }
        }
        for (name, content) in &self.files {
            all += &format!("--- {name}\n{content}");
        }
        all
    }
}

/// A small shop: three sales files' worth of everything, small enough to compute by head.
pub(crate) const PLAN: &str = r#"
[plan]
name = "Small"

[tables.sales]
role = "fact"
from = "sales.csv"

[tables.products]
from = "products.csv"
key  = "sku"

[tables.prices]
from  = "prices.csv"
key   = "sku"
valid = { from = "from", until = "until" }

[[link]]
path = "sales.item -> products.sku"

[[link]]
path = "sales.item -> prices.sku as of day"

[figures]
revenue = "quantity * prices.price"
cost    = "quantity * products.cost"
profit  = "revenue - cost"
margin  = "profit / revenue"
"#;

pub(crate) const SALES: &str = "\
no,day,item,quantity
1,2025-01-10,A,2
2,2025-02-10,A,3
3,2025-02-11,B,1
4,2025-03-01,B,4
5,2025-03-02,X,5
";

pub(crate) const PRODUCTS: &str = "\
sku,name,cost
A,\"Jar, small\",0.40
B,Smoker,12.5
";

/// B has no price in March.
pub(crate) const PRICES: &str = "\
sku,from,until,price
A,,2025-01-31,1.00
A,2025-02-01,,1.25
B,2025-01-01,2025-02-28,20
";

/// The small shop, with more at the end of its plan.
pub(crate) fn shop(more: &str) -> Folder {
    Folder::with(&[
        ("interligo.toml", &format!("{PLAN}{more}")),
        ("sales.csv", SALES),
        ("products.csv", PRODUCTS),
        ("prices.csv", PRICES),
    ])
}

/// The small shop with one piece of its plan in another way.
pub(crate) fn shop_but(old: &str, new: &str, more: &str) -> Folder {
    assert!(PLAN.contains(old), "{old}");
    let mut folder = shop("");
    folder.put("interligo.toml", format!("{}{more}", PLAN.replace(old, new)).as_bytes());
    folder
}
