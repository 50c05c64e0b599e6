//! The demo: what it writes, that it runs, and that its README tells the truth about its faults.

use std::collections::BTreeMap;

use crate::support::Folder;

#[test]
fn the_demo_is_written_and_run() {
    let mut came = Folder::with(&[]).run(&["demo"]);
    assert!(came.said().is_empty(), "{}", came.said());
    for said in ["sales        2,373    640   2,999", "495,517.85", "8 results", "interligo check"]
    {
        assert!(came.printed().contains(said), "{said} in {}", came.printed());
    }
    assert!(came.printed().lines().count() <= 25, "{}", came.printed());
    let lines = came.take_file("mielo/out/lines.csv");
    assert_eq!(lines.lines().count(), 3_000, "2,999 lines and the header row");
    for file in [
        "README.md",
        "interligo.toml",
        "catalogue.xlsx",
        "sales/zimbro_2025.xlsx",
        "out/set-aside.csv",
        "out/lines.parquet",
        "out/result.xlsx",
    ] {
        came.take_file(&format!("mielo/{file}"));
    }
}

/// A run is read at a glance; `--full`, and a table as wide as its cells, are for whoever asks.
#[test]
fn a_run_and_a_check_fit_a_terminal_of_80_columns() {
    let folder = Folder::with(&[]);
    folder.run(&["demo", "."]).ended(0);
    let printed = |arguments: &[&str]| {
        let output = folder.command(arguments).env("COLUMNS", "80").output().unwrap();
        String::from_utf8(output.stdout).unwrap()
    };
    let run = printed(&["run"]);
    assert!(run.lines().count() <= 33, "{run}");
    for result in ["2,999  out/lines.csv", "127  out/result.xlsx#by_group", "1  out/set-aside.csv"]
    {
        assert!(run.contains(result), "{run}");
    }
    let check = printed(&["check"]);
    let first = "  What to do first\n  interligo check --for-owner missing.xlsx\n";
    assert_eq!(check.find(first), check.find("\n\n").map(|at| at + 2), "{check}");
    for text in [run, check, printed(&["run", "--full"]), printed(&["link"]), printed(&["look"])] {
        let wide: Vec<&str> = text.lines().filter(|line| line.chars().count() > 80).collect();
        assert!(wide.is_empty(), "{}", wide.join("\n"));
    }
}

#[test]
fn its_readme_lists_what_check_finds() {
    let folder = Folder::with(&[]);
    let readme = folder.run(&["demo", "."]).take_file("README.md");
    let found = folder.run(&["check", "--format", "json"]);
    // The README has a table: finding, where, key, how many.
    let listed: Vec<Vec<&str>> = readme
        .lines()
        .skip_while(|line| !line.starts_with("| finding"))
        .filter(|line| line.starts_with("| `"))
        .map(|line| {
            line.trim_matches('|').split('|').map(|cell| cell.trim().trim_matches('`')).collect()
        })
        .collect();
    let found: serde_json::Value = serde_json::from_str(found.printed()).unwrap();
    let mut seen: BTreeMap<[String; 3], u64> = BTreeMap::new();
    for finding in found["findings"].as_array().unwrap() {
        let of = |name: &str| finding[name].as_str().unwrap().to_owned();
        // Of what is settled the README has the kind, not every key.
        let all = ["cleaned-key", "repeat-identical"].contains(&of("finding").as_str());
        let subject = if all { String::new() } else { of("key_or_column") };
        *seen.entry([of("finding"), of("in"), subject]).or_default() +=
            finding["count"].as_u64().unwrap();
    }
    let mut seen: Vec<Vec<String>> = seen
        .into_iter()
        .map(|(of, count)| of.into_iter().chain([count.to_string()]).collect())
        .collect();
    seen.sort();
    let mut told: Vec<Vec<String>> =
        listed.iter().map(|cells| cells[..4].iter().map(|c| (*c).to_owned()).collect()).collect();
    told.sort();
    assert_eq!(seen, told);
}

#[test]
fn the_same_number_gives_the_same_lines() {
    let (a, b) = (Folder::with(&[]), Folder::with(&[]));
    let first = a.run(&["demo", "x", "--lines", "700"]);
    assert_eq!(first, b.run(&["demo", "x", "--lines", "700"]));
    // Rows of typing errors hold several lines, and Corvo delivers five lines twice.
    let run = a.run(&["run", "--plan", "x/interligo.toml", "--format", "csv"]);
    for count in ["lines,sales,identical copies dropped,5\n", "lines,sales,kept,699\n"] {
        assert!(run.printed().contains(count), "{}", run.printed());
    }
    assert!(first.printed().starts_with("The Mielo Cooperative with 700 sales lines is in `x`."));
}

#[test]
fn a_database_with_some_of_the_tables_gives_the_same_totals() {
    let folder = Folder::with(&[]);
    folder.run(&["demo", "files"]).ended(0);
    let database = folder.run(&["demo", "database", "--database"]);
    assert!(database.said().is_empty(), "{}", database.said());
    // The same totals as a sheet and as a table, read by the program itself.
    let [sheet, table] = ["files/out/result.xlsx#by_group", "database/out/result.sqlite#by_group"]
        .map(|from| {
            let plan = format!(
                "[tables.t]\nrole = \"fact\"\nfrom = \"{from}\"\n[outputs.x]\nto = \"x.jsonl\"\n"
            );
            std::fs::write(folder.path().join("read.toml"), plan).unwrap();
            let text = folder.run(&["run", "--plan", "read.toml"]).take_file("x.jsonl");
            // A cell rounds quotients to 15 digits.
            let without_margin = |line: &str| line.split(",\"margin\"").next().unwrap().to_owned();
            text.lines().map(without_margin).collect::<Vec<String>>()
        });
    assert_eq!(sheet.len(), 127);
    assert_eq!(sheet, table);
    let look = folder.run(&["look", "customers", "--plan", "database/interligo.toml"]);
    assert!(look.printed().contains("mielo.sqlite#customers: SQLite"), "{}", look.printed());
    // The demo without it leaves none behind.
    folder.run(&["demo", "database"]).ended(0);
    assert!(!folder.path().join("database/mielo.sqlite").exists());
}

#[test]
fn with_pricing_each_line_is_priced_through_several_calendars() {
    let folder = Folder::with(&[]);
    let mut came = folder.run(&["demo", "x", "--pricing"]);
    assert_eq!(came.said(), "");
    let lines = came.take_file("x/out/lines.csv");
    // A farm buys a brood box at the depot that bills in another currency, on a Sunday.
    let column_name: Vec<&str> = lines.lines().next().unwrap().split(',').collect();
    let column =
        |name: &str| column_name.iter().position(|column_name| *column_name == name).unwrap();
    let of = |line: &str, name: &str| line.split(',').nth(column(name)).unwrap().to_owned();
    let sunday = |line: &&str| {
        let day: jiff::civil::Date = of(line, "sold_on").parse().unwrap();
        day.weekday() == jiff::civil::Weekday::Sunday
    };
    let salgado: Vec<&str> =
        lines.lines().skip(1).filter(|line| of(line, "depot") == "salgado").collect();
    let weekend: Vec<&str> = salgado.iter().copied().filter(sunday).collect();
    assert!(weekend.len() > 50 && weekend.iter().all(|line| of(line, "rates status") == "exact"));
    let farm = lines.lines().filter(|line| of(line, "season_prices status") == "exact").count();
    assert_eq!(farm, 90);
    let check = folder.run(&["check", "--plan", "x/interligo.toml", "--format", "csv"]);
    for kind in ["unmatched-key", "undated-key", "period-gap"] {
        let row = format!("\n{kind},season_prices,");
        assert!(!check.printed().contains(&row), "{}", check.printed());
    }
    let calendar = folder.run(&[
        "calendar",
        "costs",
        "BO-110",
        "--plan",
        "x/interligo.toml",
        "--format",
        "csv",
    ]);
    assert_eq!(calendar.printed().lines().count(), 6, "{}", calendar.printed());
    // The demo without them leaves none behind.
    folder.run(&["demo", "x"]).ended(0);
    assert!(!folder.path().join("x/rates.csv").exists());
}

#[test]
fn it_writes_over_an_earlier_demo_and_over_nothing_else() {
    let mut folder = Folder::with(&[]);
    folder.run(&["demo", "x"]).ended(0);
    assert_eq!(folder.run(&["demo", "x", "--lines", "10"]).said(), "");
    folder.put("mine/precious.csv", b"a,b\n");
    folder.put("x/notes.txt", b"mine too\n");
    for taken in ["mine", "x"] {
        let came = folder.run(&["demo", taken]);
        assert_eq!(
            came.said(),
            format!(
                "error: the folder `{taken}` is not empty\n  fix: name a new folder: interligo demo FOLDER\n"
            )
        );
        came.ended(2);
    }
}

#[test]
fn one_core_and_small_blocks_change_nothing() {
    let folder = Folder::with(&[]);
    folder.run(&["demo", "."]).ended(0);
    let usual = folder.run(&["run"]);
    let slow = folder.run(&["run", "--threads", "1", "--block", "200"]);
    assert_eq!(slow, usual);
}

#[test]
fn a_month_later_the_demo_has_something_to_compare() {
    let folder = Folder::with(&[]);
    folder.run(&["demo", "."]).ended(0);
    let came = folder.run(&["demo", ".", "--next-month"]);
    for said in [
        "files new: sales/corvo_2026.csv, sales/salgado_2026.csv, sales/tilia_2026.csv, \
         sales/zimbro_2026.xlsx\n",
        "sales: 2,999 lines, then 3,167\n",
        "  first run                                               1,372,122.06900\n",
        "  value prices.unit_price: BO-110 from 2025-10-01     10         -28.9870\n",
    ] {
        assert!(came.printed().contains(said), "{said} in {}", came.printed());
    }
    let came = folder.run(&["compare", "--by", "products.name", "--format", "csv"]);
    for moved in [
        "sales,Frame feeder,,revenue,moved,,56,0,56,-7150.05475\n",
        "sales,\"Frame feeder, plastic\",,revenue,moved,,56,56,0,7150.05475\n",
    ] {
        assert!(came.printed().contains(moved), "{moved} in {}", came.printed());
    }
    // The line that came late is one of its month.
    let arguments = ["trace", "202502000900,1", "--format", "json"];
    assert!(folder.run(&arguments).printed().contains("\"2025-12-29\""));
    // The same month again changes nothing.
    let came = folder.run(&["demo", ".", "--next-month"]);
    assert!(came.printed().contains("  revenue  1,435,982.89950, unchanged\n"));
    let came = folder.run(&["demo", "elsewhere", "--next-month"]);
    assert_eq!(
        came.said(),
        "error: there is no demo in `elsewhere`\n  \
         fix: write one first: interligo demo, or name its folder\n"
    );
    came.ended(2);
}

/// More lines than a sheet takes are in no sheet, so that the plan runs.
#[test]
fn a_large_demo_has_no_sheet_of_all_lines() {
    let folder = Folder::with(&[]);
    folder.run(&["demo", "x", "--lines", "100001"]).ended(0);
    let plan = std::fs::read_to_string(folder.path().join("x/interligo.toml")).unwrap();
    let plan: toml::Table = plan.parse().unwrap();
    assert!(!plan["outputs"].as_table().unwrap().contains_key("sales_lines"), "{plan}");
    let sheets = plan["workbooks"]["result"]["sheets"].as_array().unwrap();
    assert_eq!(sheets.len(), 5);
    let came = folder.run(&["totals", "top_products", "--plan", "x/interligo.toml"]);
    assert!(came.printed().contains("Uncapping fork"), "{}", came.printed());
}
