//! A run in slices, as processes: the same outputs as a single run, and what is refused.

use std::path::Path;

use crate::support::{Folder, PRICES, SALES, shop, shop_but};

const OUTPUTS: &str = "\n[outputs.lines]\nto = \"out/lines.csv\"\n\
     [outputs.totals]\nto = \"out/totals.csv\"\nby = [\"month(day)\"]\nshow = [\"lines\", \"revenue\"]\n";

/// Lines enough for several blocks.
fn many_lines() -> String {
    lines_up_to(3_000)
}

fn lines_up_to(last: u32) -> String {
    let line = |n: u32| {
        format!("{n},2025-0{}-1{},{},{}\n", 1 + n % 3, n % 9, ["A", "B"][n as usize % 2], n % 7)
    };
    let head = SALES.lines().next().unwrap_or_default();
    format!("{head}\n{}", (1..last).map(line).collect::<String>())
}

fn large_shop(more: &str) -> Folder {
    let mut folder = shop(more);
    folder.put("sales.csv", many_lines().as_bytes());
    folder
}

fn divide(folder: &Folder, slices: &str) {
    let came = folder.run(&["slices", slices, "--into", "work", "--block", "2000"]);
    assert_eq!(came.exit_status(), 0, "{}", came.said());
    assert!(came.printed().contains("begins at"), "{}", came.printed());
}

fn slice(folder: &Folder, number: &str) {
    let came = folder.run(&["run", "--slice", number, "--into", "work"]);
    assert_eq!(came.exit_status(), 0, "{number} {}", came.said());
}

fn files_in(folder: &Path) -> Vec<(String, Vec<u8>)> {
    let entries = std::fs::read_dir(folder).into_iter().flatten().map(|entry| entry.unwrap());
    let mut files: Vec<_> = entries
        .filter(|entry| entry.path().is_file())
        .map(|e| (e.file_name().to_string_lossy().into_owned(), std::fs::read(e.path()).unwrap()))
        .collect();
    files.sort();
    files
}

#[test]
fn slices_in_any_order_come_to_a_single_run() {
    let folder = large_shop(OUTPUTS);
    let single = folder.run(&["run", "--full"]).status(0);
    let files = files_in(&folder.path().join("out"));
    assert_eq!(files.len(), 2);
    std::fs::remove_dir_all(folder.path().join("out")).unwrap();
    std::fs::remove_dir_all(folder.path().join(".interligo")).unwrap();
    divide(&folder, "3");
    ["3/3", "1/3", "2/3"].iter().for_each(|number| slice(&folder, number));
    // One that is run again has its result already.
    let again = folder.run(&["run", "--slice", "2/3", "--into", "work"]).status(0);
    assert_eq!(again.printed(), "slice 2 of 3 was done before\n");
    let joined = folder.run(&["join", "work", "--full"]).status(0);
    assert_eq!(joined.printed(), single.printed());
    assert_eq!(files_in(&folder.path().join("out")), files);
}

/// Rows so long that they are kept apart, short ones between them, and some set aside: in all forms that are text.
#[test]
fn long_rows_are_copied_from_file_to_file() {
    let forms = "\n[outputs.lines]\nto = \"out/lines.csv\"\n[outputs.compressed]\nto = \"out/lines.csv.gz\"\ncolumns = [\"*\"]\n\
         [outputs.json]\nto = \"out/lines.jsonl\"\n[outputs.days]\nto = \"out/{day}.csv\"\ncolumns = [\"*\"]\n\
         [outputs.columns]\nto = \"out/lines.parquet\"\ncolumns = [\"*\"]\n";
    let (link, aside) = ("path = \"sales.item -> products.sku\"", "missing = \"set-aside\"");
    let mut folder = shop_but(link, &format!("{link}\n{aside}"), forms);
    let aside = (1..5_000).map(|n| format!("{n},2025-01-11,unknown {n},1\n")).collect::<String>();
    folder.put("sales.csv", format!("{}{aside}", lines_up_to(20_000)).as_bytes());
    folder.run(&["run"]).status(0).nothing_more();
    let files = files_in(&folder.path().join("out"));
    assert!(files.len() > 10, "{}", files.len());
    for place in ["out", ".interligo"] {
        std::fs::remove_dir_all(folder.path().join(place)).unwrap();
    }
    folder.run(&["slices", "2", "--into", "work"]).status(0).nothing_more();
    ["1/2", "2/2"].iter().for_each(|number| slice(&folder, number));
    let apart = folder.path().join("work/slice-002/lines-0.bytes");
    let whole = std::fs::read(&apart).unwrap();
    assert!(whole.len() > 1 << 16, "{}", whole.len());
    std::fs::write(&apart, &whole[..whole.len() - 1]).unwrap();
    let said = refused(&folder, &["join", "work"], 3);
    assert!(said.contains("the result of slice 2 was cut off"), "{said}");
    std::fs::write(&apart, [whole.as_slice(), b"more"].concat()).unwrap();
    let said = refused(&folder, &["join", "work"], 3);
    assert!(said.contains("the result of slice 2 is damaged"), "{said}");
    std::fs::remove_file(&apart).unwrap();
    let said = refused(&folder, &["join", "work"], 3);
    assert!(said.contains("the result of slice 2 lacks `lines-0.bytes`"), "{said}");
    assert_eq!(files_in(&folder.path().join("out")), []);
    std::fs::write(&apart, &whole).unwrap();
    folder.run(&["join", "work"]).status(0).nothing_more();
    assert_eq!(files_in(&folder.path().join("out")), files);
}

#[test]
fn lines_may_stay_in_a_file_for_each_slice() {
    let outputs = "\n[outputs.lines]\nto = \"out/lines.parquet\"\ncolumns = [\"*\", \"revenue\"]\n";
    let mut folder = large_shop(outputs);
    let verified = shop_but("name = \"Small\"", "name = \"Small\"\nverify = true", outputs);
    folder.put("interligo.toml", &std::fs::read(verified.path().join("interligo.toml")).unwrap());
    let by_slice = ["slices", "3", "--into", "work", "--block", "2000", "--lines-by-slice"];
    folder.run(&by_slice).status(0).nothing_more();
    ["2/3", "3/3", "1/3"].iter().for_each(|number| slice(&folder, number));
    let joined = folder.run(&["join", "work"]).status(0);
    assert!(joined.printed().contains("out/lines/slice-{slice}.parquet"), "{}", joined.printed());
    let names: Vec<String> =
        files_in(&folder.path().join("out/lines")).into_iter().map(|(name, _)| name).collect();
    assert_eq!(names, ["slice-001.parquet", "slice-002.parquet", "slice-003.parquet"]);
    // Together they are one table, as they are for any reader.
    for name in ["out/lines/*.parquet", "out/lines"] {
        let name = folder.path().join(name);
        let looked = folder.run(&["look", &name.to_string_lossy()]).status(0);
        assert!(looked.printed().contains("2,999 rows"), "{}", looked.printed());
    }

    let none = folder.run(&["look", &folder.path().join("out/*.tsv").to_string_lossy()]);
    assert!(
        none.said().contains("no file fits `") && none.said().contains("out/*.tsv`"),
        "{}",
        none.said()
    );

    folder.run(&["verify"]).status(0).nothing_more();

    // Fewer slices leave none of the former files.
    let two = ["slices", "2", "--into", "other", "--block", "2000", "--lines-by-slice"];
    folder.run(&two).status(0).nothing_more();
    for number in ["1/2", "2/2"] {
        folder.run(&["run", "--slice", number, "--into", "other"]).status(0).nothing_more();
    }
    folder.run(&["join", "other"]).status(0).nothing_more();
    assert_eq!(files_in(&folder.path().join("out/lines")).len(), 2);

    // A file that was changed is not taken.
    let file = folder.path().join("other/slice-002/fact-0-0.parquet");
    let mut bytes = std::fs::read(&file).unwrap();
    bytes.pop();
    std::fs::write(&file, bytes).unwrap();
    let said = refused(&folder, &["join", "other"], 3);
    assert!(
        said.contains("the result of slice 2 lacks a file of lines, or it was changed"),
        "{said}"
    );
}

#[test]
fn parquet_and_arrow_files_are_divided_between_their_rows() {
    is_divided_between_its_rows("sales.parquet");
    is_divided_between_its_rows("sales.arrow");
}

fn is_divided_between_its_rows(file: &str) {
    // The lines of one run are the facts of the next, with more rows than a block has.
    let lines = format!("\n[outputs.lines]\nto = \"{file}\"\ncolumns = [\"*\"]\n");
    let mut folder = shop(&lines);
    let line = |n: u32| format!("{n},2025-0{}-1{},A,{}\n", 1 + n % 3, n % 9, n % 7);
    let sales: String = (1..60_000).map(line).collect();
    folder.put("sales.csv", format!("no,day,item,quantity\n{sales}").as_bytes());
    folder.run(&["run"]).status(0).nothing_more();
    let plan = std::fs::read_to_string(shop(OUTPUTS).path().join("interligo.toml")).unwrap();
    assert!(plan.contains("\"sales.csv\""), "{plan}");
    folder.put("interligo.toml", plan.replace("sales.csv", file).as_bytes());

    std::fs::remove_dir_all(folder.path().join(".interligo")).unwrap();
    let single = folder.run(&["run", "--full"]).status(0);
    let files = files_in(&folder.path().join("out"));
    std::fs::remove_dir_all(folder.path().join("out")).unwrap();
    std::fs::remove_dir_all(folder.path().join(".interligo")).unwrap();
    let divided = folder.run(&["slices", "3", "--into", "work"]).status(0);
    assert_eq!(divided.printed().matches(&format!("{file}:")).count(), 2, "{}", divided.printed());
    ["2/3", "3/3", "1/3"].iter().for_each(|number| slice(&folder, number));
    let joined = folder.run(&["join", "work", "--full"]).status(0);
    assert_eq!(joined.printed(), single.printed());
    assert_eq!(files_in(&folder.path().join("out")), files);
}

/// What a command that is refused says.
fn refused(folder: &Folder, arguments: &[&str], status: i32) -> String {
    let came = folder.run(arguments);
    let said = came.said().to_owned();
    assert_eq!(came.exit_status(), status, "{said}");
    assert_eq!(files_in(&folder.path().join("out")), [], "nothing is written: {said}");
    said
}

#[test]
fn slices_that_are_missing_or_of_something_else_are_named() {
    let mut folder = large_shop(OUTPUTS);
    let said = refused(&folder, &["join", "work"], 3);
    assert!(said.contains("`work` holds no division of a run"), "{said}");
    assert!(said.contains("fix: divide the run first: interligo slices N --into FOLDER"), "{said}");
    divide(&folder, "4");
    slice(&folder, "2/4");
    let said = refused(&folder, &["join", "work"], 3);
    assert!(said.contains("3 of 4 slices are not there: 1, 3, 4"), "{said}");
    let said = refused(&folder, &["run", "--slice", "2/5", "--into", "work"], 2);
    assert!(said.contains("there is no slice 5: the run was divided into 4"), "{said}");
    for wrong in ["0/4", "5/4", "x", "2"] {
        let said = refused(&folder, &["run", "--slice", wrong, "--into", "work"], 2);
        assert!(said.contains("write which of how many, from 1: 3/16"), "{wrong} {said}");
    }
    let said = refused(&folder, &["run", "--slice", "1/4"], 2);
    assert!(said.contains("--into"), "{said}");
    ["1/4", "3/4", "4/4"].iter().for_each(|number| slice(&folder, number));
    // The result of another slice in the place of one.
    let place = |slice: u32| folder.path().join(format!("work/slice-00{slice}"));
    let record = |slice: u32| place(slice).join("record.cbor");
    let (own, other) = (std::fs::read(record(2)).unwrap(), std::fs::read(record(3)).unwrap());
    std::fs::write(record(2), &other).unwrap();
    let said = refused(&folder, &["join", "work"], 3);
    assert!(said.contains("the result of slice 2 is of another division of the run"), "{said}");
    std::fs::write(record(2), &own[..own.len() / 2]).unwrap();
    let said = refused(&folder, &["join", "work"], 3);
    assert!(said.contains("the result of slice 2 was cut off"), "{said}");
    std::fs::write(record(2), &own).unwrap();
    let rows = place(4).join("lines-0.cbor");
    let whole = std::fs::read(&rows).unwrap();
    std::fs::write(&rows, &whole[..whole.len() - 7]).unwrap();
    let said = refused(&folder, &["join", "work"], 3);
    assert!(said.contains("the result of slice 4 was cut off"), "{said}");
    std::fs::write(&rows, &whole).unwrap();
    // A changed input, and a changed plan.
    folder.put("prices.csv", PRICES.replacen("1", "2", 1).as_bytes());
    for command in [&["run", "--slice", "1/4", "--into", "work"][..], &["join", "work"]] {
        let said = refused(&folder, command, 3);
        assert!(said.contains("`prices.csv` has changed since the run was divided"), "{said}");
    }
    folder.put(
        "interligo.toml",
        format!(
            "{}\n# more\n",
            std::fs::read_to_string(folder.path().join("interligo.toml")).unwrap()
        )
        .as_bytes(),
    );
    let said = refused(&folder, &["join", "work"], 3);
    assert!(said.contains("the plan has changed since the run was divided"), "{said}");
}

#[test]
fn results_of_a_former_division_are_not_taken_for_those_of_this_one() {
    let folder = large_shop(OUTPUTS);
    divide(&folder, "2");
    ["1/2", "2/2"].iter().for_each(|number| slice(&folder, number));
    divide(&folder, "3");
    let said = refused(&folder, &["join", "work"], 3);
    assert!(said.contains("1 of 3 slices is not there: 3"), "{said}");
    slice(&folder, "3/3");
    let said = refused(&folder, &["join", "work"], 3);
    assert!(said.contains("the result of slice 1 is of another division of the run"), "{said}");
    ["1/3", "2/3"].iter().for_each(|number| slice(&folder, number));
    assert_eq!(folder.run(&["join", "work"]).exit_status(), 0);
}

#[test]
fn what_stops_a_run_stops_a_join() {
    let mut folder = shop_but("role = \"fact\"", "role = \"fact\"\nkey  = \"no\"", OUTPUTS);
    folder.put("sales.csv", format!("{}7,2025-01-11,A,1\n", many_lines()).as_bytes());
    divide(&folder, "4");
    ["1/4", "2/4", "3/4", "4/4"].iter().for_each(|number| slice(&folder, number));
    // The line 7 is in the first slice and, with other values, in the last.
    let said = refused(&folder, &["join", "work"], 1);
    let single = refused(&folder, &["run"], 1);
    assert_eq!(said, single);
    assert!(said.contains("sales.csv:8"), "{said}");
}

/// A script of the guide, by the name in its first line.
fn script(name: &str) -> String {
    let guide = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/guide/slices.md");
    let guide = std::fs::read_to_string(guide).unwrap();
    let blocks = guide.split("```").filter_map(|block| block.strip_prefix("sh\n"));
    let mut own = blocks.filter(|block| block.starts_with(&format!("# {name}.sh")));
    own.next().unwrap_or_else(|| panic!("the guide has no {name}.sh")).to_owned()
}

/// Starts a script of the guide in the folder, with the program on the path.
fn started(folder: &Folder, name: &str, task: u32) -> std::process::Child {
    let program = assert_cmd::cargo::cargo_bin!("interligo");
    let paths = std::env::var("PATH").unwrap();
    let path = format!("{}:{paths}", program.parent().unwrap().display());
    let mut command = std::process::Command::new("sh");
    command.args(["-ec", &script(name)]).current_dir(folder.path()).env("PATH", path);
    command.envs([("SLICES", "6"), ("FOLDER", "work"), ("TASK", &task.to_string())]);
    command.stdout(std::process::Stdio::null()).spawn().unwrap()
}

#[test]
#[cfg(unix)]
fn the_scripts_of_the_guide_run_all_slices() {
    // An array of tasks, and two containers on one volume.
    for tasks in [&[("slice", 1..=6)], &[("worker", 1..=2)]] {
        let folder = large_shop(OUTPUTS);
        assert_eq!(folder.run(&["run"]).exit_status(), 0);
        let single = files_in(&folder.path().join("out"));
        std::fs::remove_dir_all(folder.path().join("out")).unwrap();
        assert!(started(&folder, "divide", 0).wait().unwrap().success());
        let (name, numbers) = &tasks[0];
        let mut running: Vec<_> =
            numbers.clone().map(|task| started(&folder, name, task)).collect();
        assert!(running.iter_mut().all(|task| task.wait().unwrap().success()), "{name}");
        assert!(started(&folder, "join", 0).wait().unwrap().success());
        assert_eq!(files_in(&folder.path().join("out")), single, "{name}");
    }
}
