//! The crates know only what lies below them, and the computation knows no reader, writer, terminal or clock.

use std::path::{Path, PathBuf};

/// The crates of the computation.
const CORE: [&str; 3] = ["model", "engine", "discover"];

/// What each crate may know of the others.
const BELOW: [(&str, &[&str]); 8] = [
    ("model", &[]),
    ("engine", &["model"]),
    ("discover", &["model", "engine"]),
    ("sources", &["model", "engine"]),
    ("sinks", &["model", "engine", "sources"]),
    ("project", &["model", "engine", "discover", "sources", "sinks"]),
    ("report", &["model", "engine", "discover", "project"]),
    ("cli", &["model", "engine", "discover", "project", "report"]),
];

fn folder(of: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).parent().unwrap().join(of)
}

/// What a crate depends on when it is used.
fn dependencies(of: &str) -> Vec<String> {
    let manifest = std::fs::read_to_string(folder(of).join("Cargo.toml")).unwrap();
    let section = manifest.split("[dependencies]").nth(1).unwrap().split("\n[").next().unwrap();
    let names = section.lines().filter_map(|line| line.split(['.', ' ']).next());
    names.filter(|name| !name.is_empty() && !name.starts_with('#')).map(str::to_owned).collect()
}

#[test]
fn crates_know_only_those_below_them() {
    let all = std::fs::read_dir(folder("")).unwrap();
    let mut crates: Vec<String> =
        all.map(|entry| entry.unwrap().file_name().into_string().unwrap()).collect();
    crates.sort();
    let mut known: Vec<&str> = BELOW.iter().map(|(name, _)| *name).collect();
    known.sort_unstable();
    assert_eq!(crates, known, "a new crate has its place in the order");
    for (name, below) in BELOW {
        let of_ours = dependencies(name);
        let of_ours = of_ours.iter().filter_map(|name| name.strip_prefix("interligo-"));
        for known in of_ours {
            assert!(below.contains(&known), "`{name}` may not know `{known}`");
        }
    }
}

#[test]
fn the_core_depends_on_nothing_of_the_outside() {
    let allowed = [
        "arrow-array",
        "arrow-buffer",
        "caseless",
        "foldhash",
        "hashbrown",
        // Side by side, in the pool that is handed in.
        "rayon",
        "serde",
        // Columns that are kept are bytes, and not numbers one by one.
        "serde_bytes",
        "smallvec",
        "strsim",
        "toml",
        "unicode-normalization",
    ];
    for name in CORE {
        for used in dependencies(name) {
            let is_ours = used.starts_with("interligo-");
            assert!(
                is_ours || allowed.contains(&used.as_str()),
                "`{name}` uses `{used}`: the core computes, it does not read, print or wait"
            );
        }
    }
}

#[test]
fn the_core_opens_no_file_prints_nothing_and_reads_no_clock() {
    let mut folders: Vec<PathBuf> = CORE.iter().map(|name| folder(name).join("src")).collect();
    while let Some(folder) = folders.pop() {
        for entry in std::fs::read_dir(folder).unwrap() {
            let path = entry.unwrap().path();
            if path.is_dir() {
                folders.push(path);
                continue;
            }
            let text = std::fs::read_to_string(&path).unwrap();
            for outside in [
                "std::fs",
                "std::io",
                "std::env",
                "std::time",
                "std::net",
                "std::process",
                "std::thread",
                "ThreadPoolBuilder",
                "println!",
                "eprint",
            ] {
                assert!(!text.contains(outside), "{} has {outside}", path.display());
            }
        }
    }
}
