//! The program against the demo's own files and plan with damage in them: whatever it is given, it ends by itself
//! with one of its statuses, in time, and never with a tie-out that is open.
//!
//! `INTERLIGO_MANGLED_CASES` says how many cases are tried; 500 without it.

use std::collections::BTreeMap;
use std::sync::OnceLock;
use std::time::Duration;

use assert_cmd::Command;
use proptest::prelude::*;
use proptest::sample::Index;

use crate::support::Folder;

/// Far more than any of these commands takes.
const PATIENCE: Duration = Duration::from_secs(60);

/// Rows that are kept of each text file, so that a case is over soon.
const ROWS: usize = 25;

/// What goes into a file in the place of something else, or between.
const STRANGE: [&str; 24] = [
    "\"",
    ";",
    ",",
    "\n",
    "\r",
    "\0",
    "\u{feff}",
    "-",
    "1.500",
    "99999999999999999999999999999999999999",
    "0.00000000000000000000000000001",
    "2025-02-30",
    "31.12.25",
    "é",
    "\u{202e}",
    "\u{1b}]0;x\u{7}",
    "NaN",
    "( 5 )",
    "12 %",
    "€",
    "[",
    "]]",
    "= \"\"",
    "..",
];

const COMMANDS: [&[&str]; 10] = [
    &["run"],
    &["run", "--threads", "3", "--block", "64"],
    &["check"],
    &["check", "--format", "json"],
    &["totals", "--by", "families.name", "--show", "revenue,lines"],
    &["link"],
    &["link", "find"],
    &["look", "sales/corvo_2025.csv"],
    &["mend", "--accept", "case,spaces", "--dry-run"],
    &["start", "sales", "--print"],
];

#[derive(Clone, Debug)]
enum Damage {
    /// Something strange in the place of some bytes.
    Strange { at: Index, length: usize, what: Index },
    /// A bit turned round.
    Bit { at: Index, bit: u8 },
    /// The end cut off.
    Cut { at: Index },
    /// A line that is gone.
    Gone { line: Index },
    /// A line that is there twice, somewhere else.
    Twice { line: Index, to: Index },
    /// Two words that have changed places.
    Swapped { one: Index, other: Index },
}

fn damage() -> impl Strategy<Value = Damage> {
    let index = any::<Index>;
    prop_oneof![
        (index(), 0usize..6, index()).prop_map(|(at, length, what)| Damage::Strange {
            at,
            length,
            what
        }),
        (index(), 0u8..8).prop_map(|(at, bit)| Damage::Bit { at, bit }),
        index().prop_map(|at| Damage::Cut { at }),
        index().prop_map(|line| Damage::Gone { line }),
        (index(), index()).prop_map(|(line, to)| Damage::Twice { line, to }),
        (index(), index()).prop_map(|(one, other)| Damage::Swapped { one, other }),
    ]
}

impl Damage {
    fn done_to(&self, bytes: &[u8]) -> Vec<u8> {
        if bytes.is_empty() {
            return Vec::new();
        }
        let mut lines: Vec<&[u8]> = bytes.split_inclusive(|byte| *byte == b'\n').collect();
        match self {
            Damage::Strange { at, length, what } => {
                let from = at.index(bytes.len());
                let until = (from + length).min(bytes.len());
                [&bytes[..from], what.get(&STRANGE).as_bytes(), &bytes[until..]].concat()
            }
            Damage::Bit { at, bit } => {
                let mut bytes = bytes.to_vec();
                let at = at.index(bytes.len());
                bytes[at] ^= 1 << bit;
                bytes
            }
            Damage::Cut { at } => bytes[..at.index(bytes.len())].to_vec(),
            Damage::Gone { line } => {
                lines.remove(line.index(lines.len()));
                lines.concat()
            }
            Damage::Twice { line, to } => {
                let line = *line.get(&lines);
                lines.insert(to.index(lines.len()), line);
                lines.concat()
            }
            Damage::Swapped { one, other } => {
                let is_word = |byte: &u8| byte.is_ascii_alphanumeric();
                let mut pieces: Vec<&[u8]> =
                    bytes.chunk_by(|a, b| is_word(a) == is_word(b)).collect();
                let words: Vec<usize> =
                    (0..pieces.len()).filter(|at| is_word(&pieces[*at][0])).collect();
                if !words.is_empty() {
                    pieces.swap(*one.get(&words), *other.get(&words));
                }
                pieces.concat()
            }
        }
    }
}

/// One workbook is enough; the sheets of this one take most of the time.
const WORKBOOK: &str = "[[tables.sales.part]]\nfrom = \"sales/zimbro_{year}.xlsx#Q*\"\nset  = { depot = \"zimbro\" }\n";

/// The demo, of each text file the first rows.
fn demo() -> &'static BTreeMap<String, Vec<u8>> {
    static DEMO: OnceLock<BTreeMap<String, Vec<u8>>> = OnceLock::new();
    DEMO.get_or_init(|| {
        let folder = Folder::with(&[]);
        folder.run(&["demo", "."]).any_stdout().nothing_more();
        let mut files = BTreeMap::new();
        let names = ["interligo.toml", "groups.csv", "prices_2024.csv", "prices_2025.csv"];
        let sales = [
            "corvo_2024",
            "corvo_2025",
            "salgado_2024",
            "salgado_2025",
            "tilia_2024",
            "tilia_2025",
        ];
        let sales = sales.iter().map(|name| format!("sales/{name}.csv"));
        let others = ["customers.csv", "budget.csv", "catalogue.xlsx"];
        for name in names.iter().chain(&others).map(|name| (*name).to_owned()).chain(sales) {
            let bytes = std::fs::read(folder.path().join(&name)).unwrap();
            let few = bytes.split_inclusive(|byte| *byte == b'\n').take(ROWS).collect::<Vec<_>>();
            let whole = !name.ends_with(".csv");
            files.insert(name, if whole { bytes } else { few.concat() });
        }
        let plan = String::from_utf8(files["interligo.toml"].clone()).unwrap();
        assert!(plan.contains(WORKBOOK), "the demo's plan has changed");
        files.insert("interligo.toml".to_owned(), plan.replace(WORKBOOK, "").into_bytes());
        files
    })
}

fn cases() -> u32 {
    std::env::var("INTERLIGO_MANGLED_CASES")
        .ok()
        .and_then(|cases| cases.parse().ok())
        .unwrap_or(500)
}

proptest! {
    #![proptest_config(ProptestConfig { cases: cases(), max_shrink_iters: 60, ..ProptestConfig::default() })]

    #[test]
    fn prop_damaged_files_are_refused_or_read(
        damages in prop::collection::vec((any::<Index>(), any::<bool>(), damage()), 1..4),
        command in any::<Index>(),
    ) {
        let mut files = demo().clone();
        let names: Vec<String> = files.keys().cloned().collect();
        for (file, of_plan, damage) in &damages {
            let name = if *of_plan { "interligo.toml" } else { file.get(&names) };
            let damaged = damage.done_to(&files[name]);
            files.insert(name.to_owned(), damaged);
        }
        let mut folder = Folder::with(&[]);
        files.iter().for_each(|(name, bytes)| folder.put(name, bytes));
        let arguments = *command.get(&COMMANDS);
        let output = Command::new(assert_cmd::cargo::cargo_bin!("interligo"))
            .args(arguments)
            .current_dir(folder.path())
            .timeout(PATIENCE)
            .output()
            .unwrap();
        let said = String::from_utf8_lossy(&output.stderr).into_owned();
        let status = output.status.code();
        prop_assert!(matches!(status, Some(0..=4)), "{arguments:?} {:?}: {said}", output.status);
        prop_assert!(!said.contains("panicked"), "{arguments:?}: {said}");
        prop_assert!(!said.contains("does not close"), "{arguments:?}: {said}");
        prop_assert!(status == Some(0) || status == Some(1) || !said.trim().is_empty(), "{arguments:?}");
        for byte in output.stdout.iter().chain(&output.stderr) {
            prop_assert!(*byte >= b' ' || b"\n\t".contains(byte), "{arguments:?} prints {byte}");
        }
    }
}
