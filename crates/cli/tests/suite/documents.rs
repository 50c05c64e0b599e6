//! The commands in the README, the tour, the guide and the help are run, and print what is shown.
//!
//! In a block marked `console`, a line after `$ ` is a command and what follows is its output; a line
//! `…` stands for any lines. The blocks of a document are run one after the other in one folder.

use std::path::{Path, PathBuf};
use std::process::Command;

use crate::support::Folder;

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

/// The commands of a document with what they are said to print.
fn commands(document: &str) -> Vec<(String, Vec<String>)> {
    let mut found: Vec<(String, Vec<String>)> = Vec::new();
    let mut inside = false;
    for line in document.lines() {
        if line.starts_with("```") {
            inside = line == "```console";
        } else if let (true, Some(command)) = (inside, line.strip_prefix("$ ")) {
            found.push((command.to_owned(), Vec::new()));
        } else if let (true, Some((_, printed))) = (inside, found.last_mut()) {
            printed.push(line.to_owned());
        }
    }
    found
}

/// Whether text is as it is shown, where `…` stands for any lines.
fn agrees(shown: &[String], printed: &[&str]) -> bool {
    match shown.split_first() {
        None => printed.is_empty(),
        Some((first, rest)) if first.trim() == "…" => {
            (0..=printed.len()).any(|skipped| agrees(rest, &printed[skipped..]))
        }
        Some((first, rest)) => {
            printed.first() == Some(&first.as_str()) && agrees(rest, &printed[1..])
        }
    }
}

fn run_document(name: &str) {
    let document = std::fs::read_to_string(root().join(name)).unwrap();
    let folder = Folder::with(&[]);
    let mut here = folder.path().to_owned();
    let program = assert_cmd::cargo::cargo_bin!("interligo");
    let path =
        format!("{}:{}", program.parent().unwrap().display(), std::env::var("PATH").unwrap());
    let commands = commands(&document);
    assert!(!commands.is_empty(), "{name} shows no command");
    for (command, shown) in commands {
        if let Some(to) = command.strip_prefix("cd ") {
            here = here.join(to);
            continue;
        }
        let output = Command::new("sh")
            .args(["-c", &command])
            .current_dir(&here)
            .env("PATH", &path)
            .output()
            .unwrap();
        let printed =
            String::from_utf8(output.stdout).unwrap() + &String::from_utf8(output.stderr).unwrap();
        let lines: Vec<&str> = printed.lines().collect();
        assert!(agrees(&shown, &lines), "{name}: `{command}` prints\n{printed}");
    }
}

#[test]
fn the_readme_shows_what_the_program_prints() {
    run_document("README.md");
}

#[test]
fn the_tour_shows_what_the_program_prints() {
    run_document("docs/tour.md");
}

/// The chapters of the guide, as paths from the root.
fn chapters() -> Vec<String> {
    let folder = std::fs::read_dir(root().join("docs/guide")).unwrap();
    let names = folder.map(|entry| entry.unwrap().file_name().into_string().unwrap());
    let mut chapters: Vec<String> = names.map(|name| format!("docs/guide/{name}")).collect();
    chapters.sort();
    chapters
}

#[test]
fn each_chapter_of_the_guide_is_short_and_shows_what_the_program_prints() {
    let contents = std::fs::read_to_string(root().join("docs/guide/README.md")).unwrap();
    for chapter in chapters() {
        let lines = std::fs::read_to_string(root().join(&chapter)).unwrap().lines().count();
        assert!(lines < 250, "{chapter} has {lines} lines");
        let name = chapter.rsplit('/').next().unwrap();
        if name != "README.md" {
            assert!(contents.contains(&format!("({name})")), "{chapter} is not in the contents");
            run_document(&chapter);
        }
    }
}

#[test]
fn the_examples_in_the_help_run() {
    let folder = Folder::with(&[]);
    folder.run(&["demo", "."]).ended(0);
    let program = assert_cmd::cargo::cargo_bin!("interligo");
    let path =
        format!("{}:{}", program.parent().unwrap().display(), std::env::var("PATH").unwrap());
    for command in ["link", "run", "totals", "check", "demo"] {
        let came = folder.run(&[command, "--help"]);
        let help = came.printed().to_owned();
        let examples =
            help.split("Example").nth(1).unwrap_or_else(|| panic!("{command} shows no example"));
        for example in examples.lines().map(str::trim).filter(|line| line.starts_with("interligo"))
        {
            // What follows two spaces explains the example; the large ones are left out.
            let example = example.split("  ").next().unwrap();
            if example.contains("--lines")
                || example.contains("shop/")
                || example == "interligo demo"
            {
                continue;
            }
            let output = Command::new("sh")
                .args(["-c", example])
                .current_dir(folder.path())
                .env("PATH", &path)
                .output()
                .unwrap();
            assert!(output.status.success(), "{example}: {output:?}");
        }
    }
}

#[test]
fn the_help_is_a_short_manual() {
    for command in ["", "start", "link", "run", "totals", "check", "trace", "compare", "demo"] {
        let arguments: Vec<&str> =
            [command, "--help"].into_iter().filter(|a| !a.is_empty()).collect();
        let name = format!("help_{}", if command.is_empty() { "all" } else { command });
        insta::assert_snapshot!(name, Folder::with(&[]).run(&arguments).as_text());
    }
}

#[test]
fn the_guide_has_the_table_of_findings() {
    let row = |code: &interligo_project::Code| {
        let kind = code.kind();
        let ends = kind.stops.map_or(String::new(), |stop| format!("; ends a run {}", stop.when));
        format!("| `{}` | {}{ends} |\n", kind.name, kind.what)
    };
    let rows: String = interligo_project::Code::ALL.iter().map(row).collect();
    let guide = std::fs::read_to_string(root().join("docs/guide/findings.md")).unwrap();
    assert!(guide.contains(&format!("|---|---|\n{rows}\n")), "the table is now:\n{rows}");
}

/// Terms of former texts for which there is a usual one.
const FORMER: [&str; 44] = [
    "heading",
    "headings",
    "specimen",
    "slip",
    "slips",
    "worked out",
    "works out",
    "work out",
    "stands in",
    "stand in",
    "stands behind",
    "stand behind",
    "finds its row",
    "find their row",
    "find their rows",
    "the way out",
    "delivered twice",
    "folded",
    "carried on",
    "packed",
    "hangs on",
    "hang on",
    "at stake",
    "unreached",
    "letter by letter",
    "does not fit",
    "at the foot",
    "small letters",
    "capitals",
    "a truth",
    "costliest",
    "runs up",
    "run up",
    "once and for all",
    "anew",
    "so many",
    "gone through",
    "told apart",
    "taken over",
    "takes over",
    "speaks for",
    "speak for",
    "this holds",
    "that holds",
];

/// Everything a person reads uses the usual terms: documents, help pages, explanations of findings.
#[test]
fn texts_use_the_usual_terms() {
    let folder = Folder::with(&[]);
    let mut texts: Vec<(String, String)> =
        ["README.md", "docs/tour.md", "docs/performance.md", "demo/README.md"]
            .map(str::to_owned)
            .into_iter()
            .chain(chapters())
            .map(|name| (name.clone(), std::fs::read_to_string(root().join(name)).unwrap()))
            .collect();
    let commands = ["start", "link", "run", "totals", "check", "mend", "calendar", "look", "demo"];
    let pages = commands.map(|command| vec!["help", command]).into_iter().chain([
        vec!["--help"],
        vec!["help", "formulas"],
        vec!["check", "--explain", "all"],
    ]);
    for arguments in pages {
        let printed = folder.run(&arguments).status(0).printed().to_owned();
        assert!(!printed.is_empty());
        texts.push((arguments.join(" "), printed));
    }
    let found: Vec<String> =
        texts.iter().flat_map(|(name, text)| former(name, text, &[])).collect();
    assert!(found.is_empty(), "{}", found.join("\n"));
}

/// Where a text has a former term, apart from some that it may have.
fn former(name: &str, text: &str, may_have: &[&str]) -> Vec<String> {
    let plain = |c: char| c.is_alphanumeric() || "-_".contains(c);
    let words: Vec<&str> = text.split(|c| !plain(c)).filter(|word| !word.is_empty()).collect();
    let text = format!(" {} ", words.join(" ").to_lowercase());
    let terms = FORMER.iter().filter(|term| !may_have.contains(term));
    terms
        .filter_map(|term| {
            let at = text.find(&format!(" {term} "))?;
            Some(format!("{name}: {}", text[at..].chars().take(60).collect::<String>()))
        })
        .collect()
}

/// Sources whose texts have former terms, with the reason.
const EXCEPTIONS: [(&str, &[&str]); 9] = [
    // An attribute of the language.
    ("model/src/values/decimal.rs", &["packed"]),
    ("engine/src/totals/sum_column.rs", &["packed"]),
    // Letters without regard to case are folded, as the Unicode standard has it.
    ("engine/src/near/index.rs", &["folded"]),
    ("engine/src/near/alike.rs", &["folded"]),
    ("engine/src/near/mod.rs", &["folded"]),
    // A plan that still has a former key or finding is answered with the present one.
    ("model/src/plan/entries.rs", &["heading", "unreached"]),
    ("project/src/check/finding_kind.rs", &["heading"]),
    // A table in a terminal, of which columns do not fit the width.
    ("report/src/text/table.rs", &["does not fit"]),
    // This list.
    ("cli/tests/suite/documents.rs", &FORMER),
];

/// So do messages, comments and names of the sources; `holds` is also a word for what contains something.
#[test]
fn sources_use_the_usual_terms() {
    let mut folders = vec![root().join("crates")];
    let mut found = Vec::new();
    let mut files = 0;
    while let Some(folder) = folders.pop() {
        for entry in std::fs::read_dir(folder).unwrap() {
            let path = entry.unwrap().path();
            if path.is_dir() {
                folders.push(path);
            } else if path.extension().is_some_and(|extension| extension == "rs") {
                files += 1;
                let name = path.to_string_lossy().into_owned();
                let exception = EXCEPTIONS.iter().find(|(file, _)| name.ends_with(file));
                let mut may_have = vec!["this holds", "that holds"];
                may_have.extend(exception.map_or(&[][..], |(_, terms)| terms));
                for line in std::fs::read_to_string(&path).unwrap().lines() {
                    found.extend(former(&name, line, &may_have));
                }
            }
        }
    }
    assert!(files > 200, "{files} files");
    assert!(found.is_empty(), "{}", found.join("\n"));
}
