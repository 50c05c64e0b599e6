//! The computation knows no reader, writer, terminal or clock.

use std::path::Path;

#[test]
fn it_depends_on_nothing_of_the_outside() {
    let manifest = include_str!("../../Cargo.toml");
    let section = manifest.split("[dependencies]").nth(1).unwrap().split("\n[").next().unwrap();
    let names: Vec<&str> = section
        .lines()
        .filter_map(|line| line.split('.').next())
        .filter(|name| !name.is_empty())
        .collect();
    let allowed = [
        "arrow-array",
        "arrow-buffer",
        "caseless",
        "foldhash",
        "hashbrown",
        "serde",
        "smallvec",
        "strsim",
        "thiserror",
        "toml",
        "unicode-normalization",
    ];
    assert_eq!(
        names, allowed,
        "a new dependency of the core must compute, not read, print or wait"
    );
}

#[test]
fn it_opens_no_file_prints_nothing_and_reads_no_clock() {
    let mut folders = vec![Path::new(env!("CARGO_MANIFEST_DIR")).join("src")];
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
                "println!",
                "eprint",
            ] {
                assert!(!text.contains(outside), "{} has {outside}", path.display());
            }
        }
    }
}
