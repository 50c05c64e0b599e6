//! The worked examples come to what they are said to come to.

use std::path::{Path, PathBuf};

use crate::support::Folder;

fn examples() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../examples")
}

/// The files below a folder, by their paths in it.
fn files(folder: &Path) -> Vec<(PathBuf, Vec<u8>)> {
    let mut found = Vec::new();
    let mut folders = vec![folder.to_owned()];
    while let Some(next) = folders.pop() {
        for entry in std::fs::read_dir(next).unwrap() {
            let path = entry.unwrap().path();
            match path.is_dir() {
                true => folders.push(path),
                false => found.push((
                    path.strip_prefix(folder).unwrap().to_owned(),
                    std::fs::read(&path).unwrap(),
                )),
            }
        }
    }
    found.sort();
    found
}

/// An example in a folder of its own, after a run.
fn run(example: &str) -> Folder {
    let mut folder = Folder::with(&[]);
    for (path, content) in files(&examples().join(example)) {
        if !path.starts_with("expected") {
            let inside = folder.path().join(&path);
            std::fs::create_dir_all(inside.parent().unwrap()).unwrap();
            folder.put(path.to_str().unwrap(), &content);
        }
    }
    let came = folder.run(&["run", "--quiet"]);
    assert_eq!((came.exit_status(), came.said()), (0, ""), "{example}");
    folder
}

#[test]
fn each_comes_to_what_is_expected() {
    let names = std::fs::read_dir(examples()).unwrap().map(|entry| entry.unwrap());
    let mut names: Vec<String> = names
        .filter(|entry| entry.path().is_dir())
        .map(|entry| entry.file_name().into_string().unwrap())
        .collect();
    names.sort();
    let readme = std::fs::read_to_string(examples().join("README.md")).unwrap();
    assert_eq!(names.len(), 4);
    for name in names {
        assert!(readme.contains(&format!("| `{name}` |")), "{name}");
        let folder = run(&name);
        let expected = files(&examples().join(&name).join("expected"));
        assert!(!expected.is_empty(), "{name}");
        let came = files(&folder.path().join("out"));
        for ((path, came), (expected_path, expected)) in came.iter().zip(&expected) {
            assert_eq!(path, expected_path, "{name}");
            let [came, expected] = [came, expected].map(|text| String::from_utf8_lossy(text));
            assert_eq!(came, expected, "{name}: {}", path.display());
        }
        assert_eq!(came.len(), expected.len(), "{name}");
    }
}

#[test]
fn a_database_has_the_totals_of_the_lines_that_it_got() {
    let folder = run("database_to_database");
    let path = folder.path().join("results.sqlite");
    let database = rusqlite::Connection::open(path).unwrap();
    let asked = |query: &str| -> (i64, f64) {
        database.query_row(query, [], |row| Ok((row.get(0)?, row.get(1)?))).unwrap()
    };
    let lines = asked("SELECT count(*), round(sum(revenue), 2) FROM lines");
    let months = asked("SELECT sum(lines), round(sum(revenue), 2) FROM by_month");
    assert_eq!(lines, months);
    assert_eq!(lines.0, 95);
}
