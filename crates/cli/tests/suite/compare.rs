//! `interligo compare` and `interligo runs`: the bridge between two runs, and what they answer to what is no record.

use crate::support::{Folder, PRICES, SALES, shop_but};

/// The small shop, which keeps records and has been run once.
fn kept() -> Folder {
    let folder = shop_but("name = \"Small\"", "name = \"Small\"\nkeep-runs = 2", "");
    with_key(folder)
}

fn with_key(mut folder: Folder) -> Folder {
    let plan = std::fs::read_to_string(folder.path().join("interligo.toml")).unwrap();
    let keyed = plan.replace("role = \"fact\"", "role = \"fact\"\nkey  = \"no\"");
    folder.put("interligo.toml", keyed.as_bytes());
    folder.run(&["run"]).any_stdout().nothing_else();
    folder
}

/// Two runs: a quantity, a price and a line are others in the second.
fn changed() -> Folder {
    let mut folder = kept();
    let sales = SALES.replace("2,2025-02-10,A,3", "2,2025-02-10,A,5");
    folder.put("sales.csv", format!("{sales}6,2025-01-05,A,10\n").as_bytes());
    folder.put("prices.csv", PRICES.replace("1.25", "1.20").as_bytes());
    folder.run(&["run"]).any_stdout().nothing_else();
    folder
}

/// Output without the time of the runs.
fn timeless(text: &str) -> String {
    let lines = text.lines().filter(|line| !line.starts_with("Run 1 ("));
    lines.map(|line| format!("{line}\n")).collect()
}

#[test]
fn each_figure_has_a_bridge_of_causes() {
    let came = changed().run(&["compare"]);
    assert_eq!(
        timeless(came.printed()),
        "  files changed: prices.csv, sales.csv

sales: 5 lines, then 6

  revenue                                lines  difference
  ────────────────────────────────────────────────────────
  first run                                          25.75
  new lines                                  1      +10.00
  own column quantity: 3 → 5                 1       +2.50
  value prices.price: A from 2025-02-01      1       -0.25
  ────────────────────────────────────────────────────────
  second run                                         38.00
  +12.25 in all

  cost                        lines  difference
  ─────────────────────────────────────────────
  first run                               64.50
  new lines                       1       +4.00
  own column quantity: 3 → 5      1       +0.80
  ─────────────────────────────────────────────
  second run                              69.30
  +4.80 in all
"
        .to_owned()
            + timeless(came.printed()).split_once("+4.80 in all\n").unwrap().1
    );
}

#[test]
fn the_lines_and_groups_that_changed() {
    let folder = changed();
    let came = folder.run(&["compare", "1", "2", "--lines", "10"]);
    let listed = came.printed().split_once("  line  cause").unwrap().1;
    let mut rows = listed.lines().skip(2).map(|line| line.split_whitespace().collect::<Vec<_>>());
    let words = rows.next().unwrap().join(" ");
    assert_eq!(words, "2 own column quantity: 3 → 5 +2.50 +0.80 +1.70");
    let words = rows.next().unwrap().join(" ");
    assert_eq!(words, "value prices.price: A from 2025-02-01 -0.25 · -0.25");
    assert_eq!(rows.next().unwrap().join(" "), "6 new lines +10.00 +4.00 +6.00");
    let came = folder.run(&["compare", "--lines", "10", "--format", "csv"]);
    let row =
        "sales,,2,revenue,value,prices.price,,,,-0.25\nsales,,2,cost,value,prices.price,,,,0.00\n";
    assert!(came.printed().contains(row), "{}", came.printed());
    let came = folder.run(&["compare", "--lines", "10", "--by", "item", "--format", "markdown"]);
    for row in ["\n### A\n", "| 6 | new lines | +10.00 | +4.00 | +6.00 |\n"] {
        assert!(came.printed().contains(row), "{row} in {}", came.printed());
    }
    let came = folder.run(&["compare", "--by", "item", "--format", "csv"]);
    for row in [
        "fact,group,line,figure,cause,what,lines,became_known,became_unknown,difference\n",
        "sales,,,revenue,first run,,,,,25.75\n",
        "sales,A,,revenue,value,prices.price,1,0,0,-0.25\n",
        "sales,A,,revenue,second run,,,,,18.00\n",
    ] {
        assert!(came.printed().contains(row), "{row}{}", came.printed());
    }
}

#[test]
fn the_same_as_json_and_as_markdown() {
    let folder = changed();
    let came = folder.run(&["compare", "--format", "json"]);
    let json: serde_json::Value = serde_json::from_str(came.printed()).unwrap();
    assert_eq!(json["files_changed"], serde_json::json!(["prices.csv", "sales.csv"]));
    let revenue = &json["facts"][0]["figures"]["revenue"];
    assert_eq!((&revenue["from"], &revenue["to"]), (&"25.75".into(), &"38.00".into()));
    assert_eq!(revenue["causes"][0]["cause"], "new");
    let came = folder.run(&["compare", "--lines", "1", "--format", "json"]);
    let json: serde_json::Value = serde_json::from_str(came.printed()).unwrap();
    let differences = &json["facts"][0]["changed_lines"][0]["causes"][0]["differences"];
    // The margin of a line adds to nothing.
    let wanted = serde_json::json!({ "revenue": "2.50", "cost": "0.80", "profit": "1.70" });
    assert_eq!(differences, &wanted);
    let came = folder.run(&["compare", "--format", "markdown"]);
    let row = "| own column quantity: 3 → 5 | 1 | +2.50 |\n";
    assert!(came.printed().contains(row), "{}", came.printed());
    let came = folder.run(&["runs", "--format", "json"]);
    let json: serde_json::Value = serde_json::from_str(came.printed()).unwrap();
    assert_eq!(json[1]["run"], 2);
    assert_eq!(json[1]["lines"]["sales"], 6);
    assert_eq!(json[0]["totals"]["sales"]["revenue"], "25.75");
}

#[test]
fn the_bridge_as_a_picture() {
    let folder = changed();
    let mut came = folder.run(&["compare", "--svg", "bridge.svg"]);
    let picture = came.take_file("bridge.svg");
    came.stdout("The bridge is written: bridge.svg\n").nothing_else();
    // The quantity of revenue goes up from where the new line left it, by 2.50 of 12.50.
    for drawn in [
        ">From run 1 to run 2</text>",
        ">sales · revenue</text>",
        ">value prices.price: A from 2025-02-01</text>",
        ">+2.50</text>",
        ">25.75</text>",
        ">38.00</text>",
        "<rect x=\"806\" y=\"162\" width=\"94\" height=\"14\" fill=\"#3f7d5d\"/>",
    ] {
        assert!(picture.contains(drawn), "{drawn} in {picture}");
    }
    let came = folder.run(&["compare", "--svg", "sales.csv"]);
    assert!(came.said().contains("sales.csv"), "{}", came.said());
    came.ended(2);
    let mut same = folder.run(&["compare", "2", "2", "--svg", "same.svg"]);
    assert!(same.take_file("same.svg").contains(">no figure changed</text>"));
}

#[test]
fn a_run_and_itself_are_the_same() {
    let came = kept().run(&["compare", "1", "1"]);
    assert!(came.printed().contains("  revenue  25.75, unchanged\n"), "{}", came.printed());
    assert!(!came.printed().contains("first run"), "{}", came.printed());
}

/// Where lines cannot be known again, none is changed, and that is said.
#[test]
fn lines_of_another_key_are_new_or_gone() {
    let mut folder = kept();
    let plan = std::fs::read_to_string(folder.path().join("interligo.toml")).unwrap();
    folder
        .put("interligo.toml", plan.replace("key  = \"no\"", "key = [\"no\", \"day\"]").as_bytes());
    folder.put("sales.csv", SALES.replace("A,3", "A,4").as_bytes());
    folder.run(&["run"]).any_stdout().nothing_else();
    let came = folder.run(&["compare"]);
    for said in [
        "the key of `sales` was no and is no, day: lines are known by all their own columns",
        "  new lines       1       +5.00\n",
        "  lines gone      1       -3.75\n",
        "the plans differ",
    ] {
        assert!(came.printed().contains(said), "{said} in {}", came.printed());
    }
}

#[test]
fn a_figure_of_one_run_only_has_no_bridge() {
    let mut folder = kept();
    let plan = std::fs::read_to_string(folder.path().join("interligo.toml")).unwrap();
    folder.put("interligo.toml", format!("{plan}pieces = \"quantity * 1\"\n").as_bytes());
    folder.run(&["run"]).any_stdout().nothing_else();
    let came = folder.run(&["compare"]);
    assert!(came.printed().contains("  pieces: not there, then 15\n"), "{}", came.printed());
    assert!(came.printed().contains("  revenue  25.75, unchanged\n"), "{}", came.printed());
}

/// A record has its columns in an order of its own: that of a line that is gone is the order of the first.
#[test]
fn a_line_that_is_gone_is_in_its_own_group_whatever_order_columns_have_now() {
    let mut folder = kept();
    let turned = SALES.lines().filter(|line| !line.starts_with("2,")).map(|line| {
        let cells: Vec<&str> = line.split(',').collect();
        [cells[3], cells[2], cells[0], cells[1]].join(",") + "\n"
    });
    folder.put("sales.csv", turned.collect::<String>().as_bytes());
    folder.run(&["run"]).any_stdout().nothing_else();
    let columns = |run: u32| {
        let about = folder.path().join(format!(".interligo/interligo/runs/{run}/run.json"));
        let about: serde_json::Value =
            serde_json::from_slice(&std::fs::read(about).unwrap()).unwrap();
        about["facts"][0]["columns"].to_string()
    };
    assert_ne!(columns(1), columns(2));
    let came = folder.run(&["compare", "--by", "no", "--format", "csv"]);
    let gone = "sales,2,,revenue,gone,,1,0,1,-3.75\n";
    assert!(came.printed().contains(gone), "{}{}", came.printed(), came.said());
}

/// Amounts of two currencies have no difference.
#[test]
fn amounts_in_another_currency_have_no_bridge() {
    let mut folder = kept();
    let plan = std::fs::read_to_string(folder.path().join("interligo.toml")).unwrap();
    let other = plan.replace("name = \"Small\"", "name = \"Small\"\ncurrency = \"EUR\"");
    folder.put("interligo.toml", other.as_bytes());
    folder.run(&["run"]).any_stdout().nothing_else();
    let came = folder.run(&["compare"]);
    for said in [
        "the currency was none and is EUR: amounts have no bridge, ratios do",
        "  revenue: 25.75, then 25.75\n",
        "  margin  ",
    ] {
        assert!(came.printed().contains(said), "{said} in {}", came.printed());
    }
    assert!(!came.printed().contains("revenue  25.75"), "{}", came.printed());
}

#[test]
fn what_is_no_record_is_answered_with_what_to_do() {
    let folder = shop_but("name = \"Small\"", "name = \"Small\"", "");
    folder
        .run(&["compare"])
        .stderr(
            "error: two runs are compared, and a record is kept of 0\n  in interligo.toml\n  \
             fix: add keep-runs = 3 to [plan], and run twice\n",
        )
        .status(2)
        .nothing_else();
    let said = "No record is kept: add keep-runs = 3 to [plan], and run.\n";
    folder.run(&["runs"]).stdout(said).nothing_else();
    let folder = kept();
    for (arguments, said) in [
        (&["compare"][..], "a record is kept of 1\n"),
        (&["compare", "7"], "records are kept of the runs 1\n"),
        (&["compare", "1", "7"], "no record is kept of run 7\n"),
        (&["compare", "1", "elsewhere"], "there is no record of a run in `elsewhere`\n"),
        (&["compare", "1", "1", "--by", "produts.name"], "in --by:\n    produts.name\n"),
    ] {
        let came = folder.run(arguments);
        assert!(came.said().contains(said), "{arguments:?} {}", came.said());
        came.any_stderr().status(2).nothing_else();
    }
}

#[test]
fn a_damaged_record_is_named() {
    let folder = changed();
    let record = folder.path().join(".interligo/interligo/runs/1");
    let about = std::fs::read_to_string(record.join("run.json")).unwrap();
    let lines = std::fs::read(record.join("fact-0.csv.zst")).unwrap();
    let damages: [(&str, Vec<u8>, &str); 5] = [
        (
            "run.json",
            about.replacen("\"lines\": 5", "\"lines\": 6", 1).into(),
            "5 lines are there of 6",
        ),
        ("run.json", about.replacen("\"version\": 1", "\"version\": 99", 1).into(), "form 99"),
        ("run.json", about.as_bytes()[..about.len() / 2].to_vec(), "damaged"),
        ("fact-0.csv.zst", lines[..lines.len() / 2].to_vec(), "damaged"),
        ("fact-0-lookup-0.csv.zst", b"no".to_vec(), "damaged"),
    ];
    for (file, content, said) in damages {
        let before = std::fs::read(record.join(file)).unwrap();
        std::fs::write(record.join(file), content).unwrap();
        let came = folder.run(&["compare"]);
        assert!(came.said().contains(said), "{file}: {}", came.said());
        came.any_stderr().status(3).nothing_else();
        std::fs::write(record.join(file), before).unwrap();
    }
    let damaged = about.replacen("\"version\": 1", "\"version\": 99", 1);
    std::fs::write(record.join("run.json"), damaged).unwrap();
    let came = folder.run(&["runs"]);
    let said = "note: the record in `.interligo/interligo/runs/1` has form 99, and this program reads form 1\n";
    assert_eq!(came.said(), said);
    assert!(came.printed().contains("\n1 run; "), "{}", came.printed());
    came.ended(0);
    std::fs::write(record.join("run.json"), &about).unwrap();
    std::fs::remove_file(record.join("fact-0.csv.zst")).unwrap();
    let came = folder.run(&["compare"]);
    assert!(came.said().contains("fact-0.csv.zst"), "{}", came.said());
    came.any_stderr().status(3).nothing_else();
}

/// An attribute that no figure and no output of the plan uses is not among the values that are kept.
#[test]
fn groups_by_what_is_not_kept_are_refused() {
    let came = changed().run(&["compare", "--by", "products.name"]);
    for said in [
        "the record in `.interligo/interligo/runs/1` does not have `products.name`\n",
        "fix: a record has what figures and outputs use: add an output by it, and run again\n",
    ] {
        assert!(came.said().contains(said), "{}", came.said());
    }
    came.any_stderr().status(3).nothing_else();
}

/// A run that ends without results leaves no record.
#[test]
fn a_failed_run_keeps_no_record() {
    let mut folder = kept();
    folder.put("sales.csv", SALES.replace("quantity", "pieces").as_bytes());
    folder.run(&["run"]).any_stderr().any_stdout().status(2).nothing_else();
    let came = folder.run(&["runs"]);
    assert!(
        came.printed().ends_with("\n1 run; `interligo compare` shows what changed between two.\n")
    );
    let mut folder = kept();
    let plan = std::fs::read_to_string(folder.path().join("interligo.toml")).unwrap();
    folder.put("interligo.toml", plan.replace("keep-runs = 2", "keep-runs = 0").as_bytes());
    let came = folder.run(&["run"]);
    assert!(came.said().contains("a record is kept of no run"), "{}", came.said());
    came.any_stderr().status(2).nothing_else();
}

/// A price, an item, a quantity, a discount, a correction, a rounding, new lines and one that is gone, on the demo.
#[test]
fn the_bridge_of_the_demo_adds_up_to_the_digit() {
    let mut folder = Folder::with(&[]);
    folder.run(&["demo", "."]).nothing_more();
    let change = |folder: &mut Folder, file: &str, pairs: &[(&str, &str)]| {
        let before = std::fs::read_to_string(folder.path().join(file)).unwrap();
        let now = pairs.iter().fold(before, |text, (old, new)| {
            assert!(text.contains(old), "{old} in {file}");
            text.replacen(old, new, 1)
        });
        folder.put(file, now.as_bytes());
    };
    let price = "BO-110,2025-03-01,2025-09-30,";
    change(&mut folder, "prices_2025.csv", &[(&format!("{price}32.68"), &format!("{price}31.86"))]);
    let item = "202403000015;3;17/02/2024;BO-11";
    change(&mut folder, "sales/salgado_2024.csv", &[(&format!("{item}O"), &format!("{item}0"))]);
    let quantity = ("BO-110,1057,8,2.5 %", "BO-110,1057,10,5 %");
    let gone = ("202502000026,4,2025-03-19,BO-110,1059,3,0\n", "");
    change(&mut folder, "sales/corvo_2025.csv", &[quantity, gone]);
    let mut sales = std::fs::read_to_string(folder.path().join("sales/corvo_2025.csv")).unwrap();
    sales = sales.trim_end().to_owned();
    sales +=
        "\n202502000200,1,2025-01-30,BO-110,1059,4,0\n202502000201,1,2025-04-02,BO-110,1059,6,0\n";
    folder.put("sales/corvo_2025.csv", sales.as_bytes());
    let formula = "\"quantity * prices.unit_price * (1 - discount)\"";
    let rounded = format!("{{ formula = {formula}, round = 2 }}");
    let corrections = "[plan]\ncorrections = \"agreed.csv\"";
    change(&mut folder, "interligo.toml", &[(formula, &rounded), ("[plan]", corrections)]);
    folder.put(
        "agreed.csv",
        b"found,use,link,note\nQU-l17,QU-117,products,\nQU-l17,QU-117,prices,\n",
    );
    folder.run(&["run"]).nothing_more();
    let came = folder.run(&["compare", "--format", "csv"]);
    let rows = "\
sales,,,revenue,first run,,,,,1372122.06900
sales,,,revenue,new,,2,2,0,315.64
sales,,,revenue,gone,,1,0,1,-98.04
sales,,,revenue,own-column,item,1,1,0,129.67500
sales,,,revenue,own-column,quantity,1,0,0,63.72600
sales,,,revenue,own-column,discount,1,0,0,-8.17000
sales,,,revenue,match,prices,1,1,0,82.56
sales,,,revenue,value,prices.unit_price,12,0,0,-153.93450
sales,,,revenue,plan,,1187,0,0,0.14450
sales,,,revenue,second run,,,,,1372453.67
";
    assert!(came.printed().contains(rows), "{}", came.printed());
    let came = folder.run(&["compare"]);
    let margin = came.printed().split_once("\n  margin").unwrap().1;
    for said in
        ["36.113248 %", "+0.002612 points", "-0.007165 points", "+0.000007 points", "36.108204 %"]
    {
        assert!(margin.contains(said), "{margin}");
    }
    let came = folder.run(&["compare", "--by", "groups.name", "--format", "json"]);
    let json: serde_json::Value = serde_json::from_str(came.printed()).unwrap();
    for (group, difference) in [
        ("Hives and frames", "248.98550"),
        ("Colony care", "82.53875"),
        ("Feeding", "0.09075"),
        ("Harvest", "0.01300"),
        ("Clothing and tools", "-0.02700"),
    ] {
        let causes = &json["facts"][0]["groups"][group]["revenue"]["causes"];
        let hundredthousandths = |cause: &serde_json::Value| {
            let text = cause["difference"].as_str().unwrap();
            let (whole, places) = text.split_once('.').unwrap_or((text, ""));
            format!("{whole}{places:0<5}").parse::<i64>().unwrap()
        };
        let sum: i64 = causes.as_array().unwrap().iter().map(hundredthousandths).sum();
        assert_eq!(sum, difference.replace('.', "").parse::<i64>().unwrap(), "{group} {causes}");
    }
}

/// A record that lies elsewhere, such as that of the year's end, is compared like any other.
#[test]
fn a_record_elsewhere_is_named_by_its_folder() {
    let folder = changed();
    let kept = folder.path().join(".interligo/interligo/runs/1");
    let elsewhere = folder.path().join("year-end");
    std::fs::rename(kept, &elsewhere).unwrap();
    let came = folder.run(&["compare", "year-end", "2", "--format", "csv"]);
    for row in ["sales,,,revenue,first run,,,,,25.75\n", "sales,,,revenue,second run,,,,,38.00\n"] {
        assert!(came.printed().contains(row), "{row}{}", came.printed());
    }
    // One alone is compared with the last run; but two records must be left for that to be known.
    let came = folder.run(&["compare", "year-end"]);
    assert!(came.said().contains("a record is kept of 1\n"), "{}", came.said());
}

/// A line whose price is gone, and one whose price is found now: unknown counts as nothing, and both are counted.
#[test]
fn lines_that_become_known_or_unknown_are_counted() {
    let mut folder = kept();
    let prices = PRICES.replace("B,2025-01-01,2025-02-28,20", "B,2025-02-20,2025-03-31,20");
    folder.put("prices.csv", prices.as_bytes());
    folder.run(&["run"]).any_stdout().nothing_else();
    let came = folder.run(&["compare", "--format", "json"]);
    let json: serde_json::Value = serde_json::from_str(came.printed()).unwrap();
    let causes = json["facts"][0]["figures"]["revenue"]["causes"].as_array().unwrap();
    let [cause] = causes.as_slice() else { panic!("{causes:?}") };
    assert_eq!(cause["cause"], "match");
    assert_eq!(cause["what"], "prices");
    assert_eq!((&cause["became_known"], &cause["became_unknown"]), (&1.into(), &1.into()));
    // 4 * 20 is new, 1 * 20 is gone.
    assert_eq!(cause["difference"], "60.00");
}

/// A product that is called otherwise takes its lines from one group to another; in all nothing changed.
#[test]
fn a_renamed_product_moves_its_lines() {
    let mut folder = kept();
    let plan = std::fs::read_to_string(folder.path().join("interligo.toml")).unwrap();
    let names =
        "[outputs.names]\nto = \"names.csv\"\nby = [\"products.name\"]\nshow = [\"revenue\"]\n";
    folder.put("interligo.toml", format!("{plan}{names}").as_bytes());
    folder.run(&["run"]).nothing_more();
    let products = std::fs::read_to_string(folder.path().join("products.csv")).unwrap();
    folder.put("products.csv", products.replace("Smoker", "Smoker tall").as_bytes());
    folder.run(&["run"]).nothing_more();
    let came = folder.run(&["compare", "--by", "products.name"]);
    let revenue = came
        .printed()
        .split("\n\n")
        .find(|part| part.starts_with("  revenue"))
        .unwrap_or_else(|| panic!("{came:?}"));
    let rows: Vec<Vec<&str>> = revenue
        .lines()
        .skip(2)
        .map(|line| line.split("  ").filter(|c| !c.is_empty()).collect())
        .collect();
    let trimmed: Vec<Vec<&str>> =
        rows.iter().map(|row| row.iter().map(|cell| cell.trim()).collect()).collect();
    assert_eq!(trimmed[0], ["Smoker", "-20.00", "-20.00", "20.00", "blank"]);
    assert_eq!(trimmed[1], ["Smoker tall", "+20.00", "+20.00", "blank", "20.00"]);
    let came = folder.run(&["compare"]);
    assert!(came.printed().contains("  revenue  25.75, unchanged\n"), "{}", came.printed());
}

/// Lines without a key are known by all their own columns: the same line twice is two lines.
#[test]
fn lines_without_a_key_are_new_or_gone() {
    let mut folder = shop_but("name = \"Small\"", "name = \"Small\"\nkeep-runs = 2", "");
    folder.run(&["run"]).any_stdout().nothing_else();
    folder.put("sales.csv", format!("{SALES}1,2025-01-10,A,2\n").as_bytes());
    folder.run(&["run"]).nothing_more();
    let came = folder.run(&["compare"]);
    for said in [
        "  `sales` has no key: lines are known by all their own columns, so one in which a column changed is one gone and one new\n",
        "sales: 5 lines, then 6\n",
        "  new lines       1       +2.00\n",
    ] {
        assert!(came.printed().contains(said), "{said} in {}", came.printed());
    }
    assert!(!came.printed().contains("lines gone"), "{}", came.printed());
}

/// A formula that says otherwise is the plan's doing; another text of the same number is nobody's.
#[test]
fn another_formula_is_the_cause_of_the_plan() {
    let mut folder = kept();
    let plan = std::fs::read_to_string(folder.path().join("interligo.toml")).unwrap();
    let twice = plan.replace("\"quantity * prices.price\"", "\"2 * quantity * prices.price\"");
    folder.put("interligo.toml", twice.as_bytes());
    folder.put("products.csv", b"sku,name,cost\nA,\"Jar, small\",0.4\nB,Smoker,12.50\n");
    folder.run(&["run"]).nothing_more();
    let came = folder.run(&["compare", "--format", "csv"]);
    for rows in [
        "sales,,,revenue,first run,,,,,25.75\nsales,,,revenue,plan,,3,0,0,25.75\n\
         sales,,,revenue,second run,,,,,51.50\n",
        "sales,,,cost,first run,,,,,64.50\nsales,,,cost,second run,,,,,64.50\n",
    ] {
        assert!(came.printed().contains(rows), "{rows}{}", came.printed());
    }
}

/// Each fact has bridges of its own; `--by` divides that which has the attribute.
#[test]
fn two_facts_are_compared_each_by_its_lines() {
    let mut folder = kept();
    let plan = std::fs::read_to_string(folder.path().join("interligo.toml")).unwrap();
    let returns = "[tables.returns]\nrole = \"fact\"\nfrom = \"returns.csv\"\nkey = \"note\"\n";
    let plan = plan.replace("[figures]\n", "[figures]\nrefund = \"returned * 2\"\n");
    folder.put("interligo.toml", format!("{plan}{returns}").as_bytes());
    folder.put("returns.csv", b"note,returned\n1,3\n2,4\n");
    folder.run(&["run"]).any_stdout().nothing_else();
    folder.put("returns.csv", b"note,returned\n1,3\n2,5\n3,1\n");
    folder.run(&["run"]).any_stdout().nothing_else();
    let came = folder.run(&["compare", "--format", "csv"]);
    for rows in [
        "sales,,,revenue,first run,,,,,25.75\nsales,,,revenue,second run,,,,,25.75\n",
        "returns,,,refund,first run,,,,,14\nreturns,,,refund,new,,1,1,0,2\n\
         returns,,,refund,own-column,returned,1,0,0,2\nreturns,,,refund,second run,,,,,18\n",
    ] {
        assert!(came.printed().contains(rows), "{rows}{}", came.printed());
    }
}

/// A run that stops at a finding, or whose output cannot be replaced, leaves the records as they were.
#[test]
fn a_run_that_stops_leaves_the_records_as_they_were() {
    let mut folder = kept();
    let before = folder.run(&["runs"]).printed().to_owned();
    let plan = std::fs::read_to_string(folder.path().join("interligo.toml")).unwrap();
    let stopping = plan.replace("keep-runs = 2", "keep-runs = 2\nstop-on = [\"undated-key\"]");
    folder.put("interligo.toml", stopping.as_bytes());
    folder.run(&["run"]).ended(1);
    assert_eq!(folder.run(&["runs"]).printed(), before);
    // The folder that was made for it is empty, and is that of the next run.
    let begun = std::fs::read_dir(folder.path().join(".interligo/interligo/runs/2"));
    assert_eq!(begun.map_or(0, Iterator::count), 0, "nothing of a record is left behind");
}

/// What a record does not have is not guessed: a folder that is none, and one that is not a record.
#[test]
fn a_folder_that_is_no_record_is_refused() {
    let mut folder = kept();
    folder.put("empty/other.csv", b"a\n1\n");
    let came = folder.run(&["compare", "1", "empty"]);
    assert!(came.said().contains("there is no record of a run in `empty`"), "{}", came.said());
    came.any_stderr().status(2).nothing_else();
    folder.put("empty/run.json", b"{}");
    let came = folder.run(&["compare", "1", "empty"]);
    assert!(came.said().contains("has form 0"), "{}", came.said());
    came.any_stderr().status(3).nothing_else();
    folder.put("empty/run.json", b"{\"version\": 1, \"at\": \"yesterday\"}");
    let came = folder.run(&["compare", "1", "empty"]);
    assert!(came.said().contains("the record in `empty` is damaged"), "{}", came.said());
    came.any_stderr().status(3).nothing_else();
}

/// A record by an earlier plan whose link is gone: what only one of the plans has is compared by its total.
#[test]
fn a_link_that_the_plan_no_longer_has() {
    let mut folder = kept();
    let plan = std::fs::read_to_string(folder.path().join("interligo.toml")).unwrap();
    let (start, _) = plan.split_once("cost    =").unwrap();
    let plan = start.replace("[[link]]\npath = \"sales.item -> products.sku\"\n", "");
    assert!(!plan.contains("-> products.sku"), "{plan}");
    folder.put("interligo.toml", plan.as_bytes());
    folder.run(&["run"]).nothing_more();
    let came = folder.run(&["compare"]);
    for said in [
        "  the plans differ\n",
        "  revenue  25.75, unchanged\n",
        "  cost: 64.50, then not there\n",
        "  profit: 11.25, then not there\n",
    ] {
        assert!(came.printed().contains(said), "{said} in {}", came.printed());
    }
}
