//! Nothing of the user's is destroyed: outputs never meet inputs, appear together or not at all, and belong to their plan.

use std::collections::BTreeMap;
use std::path::Path;
use std::process::Stdio;
use std::time::{Duration, Instant};

use crate::support::{Folder, PLAN, PRICES, PRODUCTS, SALES, shop};

fn plan_with(to: &str) -> String {
    format!("{PLAN}\n[outputs.lines]\nto = \"{to}\"\n")
}

fn read(folder: &Folder, path: &str) -> Option<String> {
    std::fs::read_to_string(folder.path().join(path)).ok()
}

#[test]
#[cfg(unix)]
fn an_output_is_refused_where_it_meets_an_input_in_whatever_way() {
    use std::os::unix::fs::symlink;
    for (to, from) in [
        ("sales.csv", "sales.csv"),
        ("sub/../sales.csv", "sales.csv"),
        ("SALES.csv", "sales.csv"),
        ("linked.csv", "sales.csv"),
        ("sales.csv", "linked.csv"),
        ("folder/sales.csv", "sales.csv"),
        ("hard.csv", "sales.csv"),
        ("sales.csv", "sal*.csv"),
        ("folder/sales.csv", "sal*.csv"),
        ("sales.csv", "folder/{part}ales.csv"),
        ("corrections.csv", "sales.csv"),
        ("products.csv", "sales.csv"),
        ("interligo.csv", "sales.csv"),
    ] {
        let mut folder = shop("");
        let plan = plan_with(to)
            .replace("from = \"sales.csv\"", &format!("from = \"{from}\""))
            .replace("[plan]", "[plan]\ncorrections = \"corrections.csv\"");
        folder.put("interligo.toml", plan.as_bytes());
        folder.put("corrections.csv", b"found,use,link,note\n");
        std::fs::create_dir(folder.path().join("sub")).unwrap();
        symlink("sales.csv", folder.path().join("linked.csv")).unwrap();
        symlink(".", folder.path().join("folder")).unwrap();
        symlink("interligo.toml", folder.path().join("interligo.csv")).unwrap();
        std::fs::hard_link(folder.path().join("sales.csv"), folder.path().join("hard.csv"))
            .unwrap();
        let came = folder.run(&["run"]);
        assert!(came.said().contains("would overwrite"), "{to} {from}: {}", came.said());
        assert!(came.said().contains("give the output another name"), "{to} {from}");
        assert_eq!(came.exit_status(), 2, "{to} {from}");
        assert_eq!(read(&folder, "sales.csv").as_deref(), Some(SALES), "{to} {from}");
        assert_eq!(read(&folder, "products.csv").as_deref(), Some(PRODUCTS), "{to} {from}");
    }
}

#[test]
fn an_output_among_the_files_of_a_pattern_is_known_by_the_record_of_the_last_run() {
    let plan = plan_with("d/lines.csv").replace("\"sales.csv\"", "\"d/*.csv\"");
    let mut folder = Folder::with(&[
        ("interligo.toml", &plan),
        ("d/january.csv", SALES),
        ("products.csv", PRODUCTS),
        ("prices.csv", PRICES),
    ]);
    let first = folder.run(&["run"]);
    let lines = read(&folder, "d/lines.csv").unwrap();
    first.status(0).any_stdout().file("d/lines.csv", &lines).nothing_else();
    // Own lines are not read again, however often.
    folder.run(&["run"]).status(0).any_stdout().file("d/lines.csv", &lines).nothing_else();
    // What somebody put there is neither dropped from reading nor overwritten, by any command.
    folder.put("d/lines.csv", SALES.as_bytes());
    for command in ["run", "check"] {
        let came = folder.run(&[command]);
        assert!(came.said().contains("`d/lines.csv`, which `d/*.csv` reads"), "{}", came.said());
        assert!(came.said().contains("remove it"), "{}", came.said());
        came.status(2).any_stderr().nothing_else();
    }
}

#[test]
fn what_is_set_aside_and_pictures_overwrite_no_input() {
    let plan = plan_with("lines.csv").replace("\"sales.csv\"", "\"out/set-aside.csv\"");
    let folder = Folder::with(&[
        ("interligo.toml", &plan),
        ("out/set-aside.csv", SALES),
        ("products.csv", PRODUCTS),
        ("prices.csv", PRICES),
    ]);
    let came = folder.run(&["run"]);
    assert!(came.said().contains("set aside would overwrite an input"), "{}", came.said());
    came.status(2).any_stderr().nothing_else();
    let folder = shop("\n[outputs.lines]\nto = \"lines.svg.csv\"\n");
    for picture in ["products.csv", "./interligo.toml", "lines.svg.csv"] {
        for command in
            [&["link", "map", "--svg", picture][..], &["calendar", "prices", "A", "--svg", picture]]
        {
            let came = folder.run(command);
            assert!(came.said().contains("would overwrite"), "{command:?}: {}", came.said());
            came.status(2).any_stderr().nothing_else();
        }
    }
}

#[test]
#[cfg(unix)]
fn two_outputs_do_not_meet_in_one_file() {
    for (one, other) in [
        ("out/a.csv", "out/../out/a.csv"),
        ("out/a.csv", "linked/a.csv"),
        ("out/a.csv", "out/A.csv"),
        ("out/a.csv", "out/set-aside.csv"),
    ] {
        let folder = shop(&format!(
            "\n[outputs.one]\nto = \"{one}\"\n[outputs.other]\nto = \"{other}\"\nby = [\"item\"]\n"
        ));
        std::fs::create_dir(folder.path().join("out")).unwrap();
        std::os::unix::fs::symlink("out", folder.path().join("linked")).unwrap();
        let came = folder.run(&["run"]);
        assert!(came.said().contains("two outputs would write the same file"), "{}", came.said());
        came.status(2).any_stderr().nothing_else();
    }
}

#[test]
fn plans_in_one_folder_have_records_and_files_of_their_own() {
    let mut folder = shop("\n[outputs.lines]\nto = \"a.csv\"\n");
    folder.put("sales.csv", format!("{SALES}6,2025-01-10\n").as_bytes());
    let other = plan_with("b.csv").replace("sales.csv", "more.csv");
    folder.put("more.toml", other.as_bytes());
    folder.put("more.csv", SALES.as_bytes());
    folder.run(&["run"]).ended(0);
    let aside = read(&folder, "out/set-aside.csv").unwrap();
    let came = folder.run(&["run", "--plan", "more.toml"]);
    assert!(!came.printed().contains("since the last run"), "{}", came.printed());
    came.ended(0);
    assert_eq!(read(&folder, "out/set-aside.csv"), Some(aside));
    folder.put("more.csv", format!("{SALES}6,2025-01-10\n").as_bytes());
    folder.run(&["run", "--plan", "more.toml"]).ended(0);
    assert!(read(&folder, "out/more-set-aside.csv").is_some());
    let came = folder.run(&["run"]);
    assert!(!came.printed().contains("since the last run:"), "{}", came.printed());
}

/// All files below a folder but the notes of runs.
fn files(folder: &Path, found: &mut BTreeMap<String, Vec<u8>>) {
    for entry in std::fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() {
            if !path.ends_with(".interligo") {
                files(&path, found);
            }
        } else {
            found.insert(path.display().to_string(), std::fs::read(&path).unwrap());
        }
    }
}

const OUTPUTS: &str = "\n[outputs.lines]\nto = \"out/lines.csv\"\n\
    [outputs.by_item]\nto = \"elsewhere/by_item.csv\"\nby = [\"item\"]\n\
    [outputs.unmatched]\nto = \"unmatched.csv\"\nlist = \"unmatched\"\n";

#[test]
fn outputs_appear_together_after_a_crash_at_any_step() {
    if !cfg!(debug_assertions) {
        println!("left out: crashes on purpose are in builds with debug assertions alone");
        return;
    }
    let steps = [
        "complete",
        "journal",
        "former",
        "go",
        "move-0",
        "move-1",
        "move-2",
        "move-3",
        "moved",
        "forgotten",
        "done",
    ];
    for notes in [true, false] {
        for step in steps {
            let mut folder = shop(OUTPUTS);
            if !notes {
                // There is no place for notes.
                folder.put(".interligo", b"in the way");
            }
            // The first run sets a line aside, so that a file goes away with the second.
            folder.put("sales.csv", format!("{SALES}6,2025-01-10\n").as_bytes());
            folder.run(&["run"]).ended(0);
            let now = |folder: &Folder| {
                let mut found = BTreeMap::new();
                files(folder.path(), &mut found);
                found.retain(|path, _| !path.ends_with("sales.csv"));
                found
            };
            let before = now(&folder);
            folder.put("sales.csv", SALES.replace("A,2", "A,9").as_bytes());
            let crash =
                folder.command(&["run"]).env("INTERLIGO_DIES_AFTER", step).output().unwrap();
            if step == "move-3" && !notes {
                assert!(crash.status.success(), "there is no record to move");
                continue;
            }
            assert_eq!(crash.status.code(), None, "{step}: the process dies");
            let came = folder.run(&["check"]);
            let after = now(&folder);
            let other = {
                folder.run(&["run"]).ended(0);
                now(&folder)
            };
            let decided = !["complete", "journal", "former"].contains(&step);
            // A part that no journal names waits for the next run.
            let rest: BTreeMap<_, _> =
                after.clone().into_iter().filter(|(path, _)| !path.ends_with(".part")).collect();
            assert_eq!(
                rest,
                if decided && notes {
                    other.clone()
                } else if decided {
                    rest.clone()
                } else {
                    before.clone()
                },
                "{step}"
            );
            if decided {
                for name in ["out/lines.csv", "elsewhere/by_item.csv", "unmatched.csv"] {
                    let at = folder.path().join(name).display().to_string();
                    assert_eq!(rest[&at], other[&at], "{step} {name}");
                }
            }
            let is_reported =
                came.said().contains("an earlier run broke off while its files appeared");
            assert_eq!(
                is_reported,
                !["complete", "done"].contains(&step),
                "{step}: {}",
                came.said()
            );
            assert!(other.keys().all(|path| !path.contains(".interligo-")), "{step}: {other:#?}");
        }
    }
}

#[cfg(unix)]
fn long_run(folder: &mut Folder) -> std::process::Child {
    let rows: String = (0..400_000).map(|no| format!("{no},2025-01-10,A,1\n")).collect();
    folder.put("sales.csv", format!("no,day,item,quantity\n{rows}").as_bytes());
    let before = parts(folder);
    let mut command = folder.command(&["run", "--threads", "1"]);
    let run = command.stdout(Stdio::null()).stderr(Stdio::null()).spawn().unwrap();
    let started = Instant::now();
    // What a run left before goes when its own are there.
    while parts(folder).iter().all(|part| before.contains(part))
        && started.elapsed() < Duration::from_secs(60)
    {
        std::thread::sleep(Duration::from_millis(2));
    }
    run
}

fn parts(folder: &Folder) -> Vec<String> {
    let mut found = BTreeMap::new();
    files(folder.path(), &mut found);
    found.into_keys().filter(|path| path.ends_with(".part")).collect()
}

#[test]
#[cfg(unix)]
fn a_signal_cleans_up_and_what_a_killed_run_left_goes_with_the_next() {
    use std::os::unix::process::ExitStatusExt;
    let mut folder = shop(OUTPUTS);
    let mut killed = long_run(&mut folder);
    killed.kill().unwrap();
    assert_eq!(killed.wait().unwrap().signal(), Some(9));
    assert!(!parts(&folder).is_empty());
    for signal in ["-INT", "-TERM"] {
        let mut run = long_run(&mut folder);
        let sent =
            std::process::Command::new("kill").args([signal, &run.id().to_string()]).status();
        assert!(sent.unwrap().success());
        assert_eq!(run.wait().unwrap().code(), Some(130), "{signal}");
        assert_eq!(parts(&folder), Vec::<String>::new(), "{signal}");
        assert_eq!(read(&folder, "out/lines.csv"), None);
    }
}

#[test]
#[cfg(unix)]
fn rights_are_kept_and_links_are_written_through() {
    use std::os::unix::fs::{PermissionsExt, symlink};
    let mut folder = shop("");
    let plan = plan_with("lines.csv").replace("[plan]", "[plan]\ncorrections = \"linked.csv\"");
    folder.put("real/plan.toml", plan.as_bytes());
    folder.put("real/keys.csv", b"found,use,link,note\n");
    std::fs::remove_file(folder.path().join("interligo.toml")).unwrap();
    symlink("real/plan.toml", folder.path().join("interligo.toml")).unwrap();
    symlink("real/keys.csv", folder.path().join("linked.csv")).unwrap();
    folder.put("lines.csv", b"old\n");
    let lines = folder.path().join("lines.csv");
    std::fs::set_permissions(&lines, std::fs::Permissions::from_mode(0o600)).unwrap();
    folder.run(&["run"]).ended(0);
    assert_eq!(lines.metadata().unwrap().permissions().mode() & 0o777, 0o600);
    assert_ne!(read(&folder, "lines.csv").as_deref(), Some("old\n"));
    let table = "X,A,products,\n";
    folder.put("list.csv", format!("found,use,link,note\n{table}").as_bytes());
    folder.run(&["mend", "--from", "list.csv"]).ended(0);
    folder.run(&["link", "add", "sales.no -> products.name", "--as", "other", "--anyway"]).ended(0);
    for (link, real, says) in [
        ("linked.csv", "real/keys.csv", table),
        ("interligo.toml", "real/plan.toml", "products.name"),
    ] {
        assert!(folder.path().join(link).symlink_metadata().unwrap().is_symlink(), "{link}");
        assert!(read(&folder, real).unwrap().contains(says), "{link}");
    }
}

#[test]
fn without_a_place_for_notes_the_run_goes_on_and_says_so() {
    let mut folder = shop(OUTPUTS);
    folder.put(".interligo", b"in the way");
    let mut came = folder.run(&["run"]);
    assert!(
        came.said().starts_with("note: `./.interligo/interligo` cannot be written"),
        "{}",
        came.said()
    );
    for file in ["out/lines.csv", "elsewhere/by_item.csv", "unmatched.csv"] {
        came.take_file(file);
    }
    came.status(0).any_stdout().any_stderr().nothing_else();
}

#[cfg(target_os = "linux")]
#[test]
fn a_device_that_takes_nothing_leaves_all_outputs_as_they_were() {
    let more = "\n[outputs.lines]\nto = \"lines.csv\"\n[outputs.full]\nto = \"/dev/full\"\n";
    let mut folder = shop(more);
    folder.put("lines.csv", b"as it was\n");
    let came = folder.run(&["run"]);
    assert_eq!(came.exit_status(), 4, "{}", came.said());
    assert!(came.said().contains("the disk is full"), "{}", came.said());
    assert_eq!(read(&folder, "lines.csv").as_deref(), Some("as it was\n"));
    assert!(read(&folder, ".interligo/interligo/journal").is_none());
}

#[cfg(unix)]
#[test]
fn a_pipe_that_nobody_reads_can_be_given_up() {
    let folder = shop("\n[outputs.lines]\nto = \"lines.csv\"\n[outputs.pipe]\nto = \"pipe\"\n");
    let made = std::process::Command::new("mkfifo").arg(folder.path().join("pipe")).status();
    assert!(made.unwrap().success());
    let mut run = folder.command(&["run"]).stdout(Stdio::null()).spawn().unwrap();
    std::thread::sleep(Duration::from_millis(700));
    assert!(run.try_wait().unwrap().is_none(), "it waits for a reader");
    let sent = std::process::Command::new("kill").args(["-INT", &run.id().to_string()]).status();
    assert!(sent.unwrap().success());
    let started = Instant::now();
    while run.try_wait().unwrap().is_none() {
        if started.elapsed() > Duration::from_secs(30) {
            run.kill().unwrap();
            panic!("a signal does not end it");
        }
        std::thread::sleep(Duration::from_millis(10));
    }
    assert_eq!(run.wait().unwrap().code(), Some(130));
    assert_eq!(read(&folder, "lines.csv"), None);
}
