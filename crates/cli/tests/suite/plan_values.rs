//! Values of a plan: texts in braces, and others in their place.

use crate::support::{Folder, SALES, shop};

fn monthly() -> Folder {
    let mut folder = shop("");
    let plan = std::fs::read_to_string(folder.path().join("interligo.toml")).unwrap();
    let plan = plan.replace(
        "name = \"Small\"",
        "name = \"Small, {period}\"\nvalues = { period = \"2025-01\", who = \"A\" }",
    );
    let plan = plan.replace("from = \"sales.csv\"", "from = \"sales_{period}.csv\"");
    let outputs = "\n[outputs.lines]\nto = \"lines_{period}.csv\"\n\
                   [outputs.mine]\nby = [\"day\"]\nshow = [\"quantity\"]\nwhere = \"item = '{who}'\"\n";
    folder.put("interligo.toml", format!("{plan}{outputs}").as_bytes());
    folder.put("sales_2025-01.csv", SALES.as_bytes());
    folder.put("sales_2025-02.csv", SALES.replace("A,2", "A,9").as_bytes());
    folder
}

#[test]
fn values_stand_in_paths_and_conditions_and_others_can_be_set() {
    let folder = monthly();
    let mut came = folder.run(&["run"]).status(0);
    assert!(came.printed().contains("Small, 2025-01"), "{}", came.printed());
    assert!(came.take_file("lines_2025-01.csv").contains("A,2"));
    let mut came = folder.run(&["run", "--set", "period=2025-02"]).status(0);
    assert!(came.take_file("lines_2025-02.csv").contains("A,9"));
    let of = |who: &str| {
        let set = format!("who={who}");
        let came = folder.run(&["totals", "mine", "--format", "csv", "--set", &set]).status(0);
        came.printed().to_owned()
    };
    assert_ne!(of("A"), of("B"));
    // The last of several counts.
    let came =
        folder.run(&["totals", "mine", "--format", "csv", "--set", "who=A", "--set", "who=B"]);
    assert_eq!(came.printed(), of("B"));
}

#[test]
fn what_is_no_value_is_refused() {
    let mut folder = monthly();
    for (set, said) in [
        ("peroid=2025-02", "the plan has no value `peroid` to set"),
        ("period=2025'02", "the value `period` has a quote, a backslash or a control character"),
        ("period", "write a name, = and a text: period=2025-04"),
        ("period=2026-01", "sales_2026-01.csv"),
    ] {
        let came = folder.run(&["run", "--set", set]);
        assert_ne!(came.exit_status(), 0, "{set}");
        assert!(came.said().contains(said), "{set} {}", came.said());
    }
    assert!(folder.run(&["run", "--set", "peroid=1"]).said().contains("did you mean `period`?"));
    let plan = std::fs::read_to_string(folder.path().join("interligo.toml")).unwrap();
    folder.put("interligo.toml", plan.replace("who = \"A\"", "who = \"A'B\"").as_bytes());
    let came = folder.run(&["run"]).status(2);
    assert!(came.said().contains("interligo.toml, line 4"), "{}", came.said());
    came.any_stderr().nothing_else();
}

#[test]
fn a_plan_that_is_changed_keeps_its_values_in_braces() {
    let folder = monthly();
    let added = ["link", "add", "sales.item -> products.sku", "--as", "again", "--anyway"];
    let came = folder.run(&added);
    assert_eq!(came.exit_status(), 0, "{}", came.said());
    let plan = std::fs::read_to_string(folder.path().join("interligo.toml")).unwrap();
    assert!(plan.contains("as = \"again\""), "{plan}");
    assert!(plan.contains("sales_{period}.csv") && plan.contains("'{who}'"), "{plan}");
}

/// The small shop with a value that is counted from the newest day.
fn counted(value: &str) -> Folder {
    let values = format!("name = \"Small\"\nvalues = {{ period = \"{value}\" }}");
    let columns = "\n[tables.sales.columns]\nno = { type = \"text\" }\nday = { type = \"date\" }\n\
                   item = { type = \"text\" }\nquantity = { type = \"number\" }\n";
    let outputs = "[outputs.lines]\nto = \"lines_{period}.csv\"\n\
                   [outputs.sold]\nby = [\"month(day)\"]\nshow = [\"quantity\"]\nwhere = \"month(day) = '{period}'\"\n";
    crate::support::shop_but("name = \"Small\"", &values, &format!("{columns}{outputs}"))
}

#[test]
fn periods_are_counted_from_the_newest_day() {
    let mut folder = counted("last-month");
    // A mistyped year, and an end that is open, are not the newest day.
    let sales = format!("{SALES}6,2205-03-01,A,1\n7,9999-12-31,A,1\n");
    folder.put("sales.csv", sales.as_bytes());
    let sold = |folder: &Folder, set: &[&str]| {
        let came = folder.run(&[&["totals", "sold", "--format", "csv"], set].concat()).status(0);
        (came.printed().to_owned(), came.said().to_owned())
    };
    let (table, said) = sold(&folder, &[]);
    assert_eq!(table, "month(day),quantity\n2025-02,4\n");
    let note =
        "Note: period is 2025-02: last-month, counted from 2025-03-02, the newest day in sales\n";
    assert!(said.starts_with(note), "{said}");
    assert_eq!(
        sold(&folder, &["--set", "period=this-month"]).0,
        "month(day),quantity\n2025-03,9\n"
    );
    let (table, said) = sold(&folder, &["--set", "period=2025-01"]);
    assert_eq!(table, "month(day),quantity\n2025-01,2\n");
    assert!(!said.contains("Note"), "{said}");
    // Conditions that are given know the value as well, also one that is given itself.
    let asked = |more: &[&str]| {
        let asked = ["totals", "--by", "month(day)", "--show", "quantity", "--format", "csv"];
        folder.run(&[&asked, more].concat()).status(0).printed().to_owned()
    };
    let of_period = "month(day) = '{period}'";
    assert_eq!(asked(&["--where", of_period]), "month(day),quantity\n2025-02,4\n");
    let given =
        ["--where", of_period, "--set", "period=2025-03", "--having", "'{period}' = '2025-03'"];
    assert_eq!(asked(&given), "month(day),quantity\n2025-03,9\n");
    folder.run(&["run", "--quiet"]).status(0).stderr("").stdout("").nothing_more();
    for (value, period) in [
        ("this-quarter", "2025-Q1"),
        ("last-year", "2024"),
        ("last-quarter", "2024-Q4"),
        ("this-week", "2025-W09"),
    ] {
        let set = format!("period={value}");
        let mut came = folder.run(&["run", "--set", &set]).status(0);
        assert!(!came.take_file(&format!("lines_{period}.csv")).is_empty());
    }
}

#[test]
fn parts_of_a_divided_run_say_what_a_period_came_to() {
    let folder = counted("last-month");
    for part in [
        ["slices", "1", "--into", "work"].as_slice(),
        &["run", "--slice", "1/1", "--into", "work"],
        &["join", "work"],
    ] {
        let came = folder.run(part);
        assert_eq!(came.exit_status(), 0, "{}", came.said());
        assert_eq!(came.said().matches("Note: period is 2025-02").count(), 1, "{}", came.said());
    }
}

#[test]
fn a_period_that_cannot_be_counted_is_refused() {
    let refused = |folder: &Folder| {
        let came = folder.run(&["run"]);
        assert_eq!(came.exit_status(), 2, "{}", came.said());
        came.said().to_owned()
    };
    let mut folder = counted("last-month");
    let plan = std::fs::read_to_string(folder.path().join("interligo.toml")).unwrap();
    folder
        .put("interligo.toml", plan.replace("\"sales.csv\"", "\"sales_{period}.csv\"").as_bytes());
    assert!(refused(&folder).contains(
        "`last-month` is counted from the newest day of the facts, and a fact is found by it"
    ));
    folder.put("interligo.toml", plan.replace(" as of day", "").as_bytes());
    assert!(refused(&folder).contains("none says which of its columns has it"));
    folder.put("interligo.toml", plan.as_bytes());
    folder.put("sales.csv", b"no,day,item,quantity\n1,,A,2\n");
    assert!(refused(&folder).contains("they have none"));
}

#[test]
fn the_newest_day_is_that_of_all_facts() {
    let mut folder = counted("last-month");
    let plan = std::fs::read_to_string(folder.path().join("interligo.toml")).unwrap();
    for (newest, fact, period) in
        [("2025-06-05", "orders", "2025-05"), ("2024-01-01", "sales", "2025-02")]
    {
        let orders =
            "\n[tables.orders]\nrole = \"fact\"\nfrom = \"orders.csv\"\ndate = \"placed\"\n";
        folder.put("interligo.toml", format!("{plan}{orders}").as_bytes());
        folder.put("orders.csv", format!("id,placed\n1,2023-05-05\n2,{newest}\n").as_bytes());
        let came = folder.run(&["totals", "sold"]);
        let note = format!("Note: period is {period}: last-month, counted from");
        assert!(came.said().starts_with(&note), "{}", came.said());
        assert!(came.said().contains(&format!("the newest day in {fact}\n")), "{}", came.said());
    }
}
